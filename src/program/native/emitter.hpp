// SPDX-License-Identifier: MIT
// Machine code for a straight-line program: one pass, registers by farthest next use (Belady, 1966).
#pragma once

#include <asmjit/x86.h>

#include <array>
#include <span>
#include <unordered_map>
#include <vector>

#include "program/executor.hpp"
#include "program/native/machine.hpp"
#include "program/passes.hpp"

namespace boreon::native {

enum class InstructionSet : std::uint8_t { sse2, avx2, avx512 };
/// Doubles that one register holds; one at a time without AVX.
[[nodiscard]] constexpr unsigned lanes_of(InstructionSet set) {
  return set == InstructionSet::avx512 ? 8 : set == InstructionSet::avx2 ? 4 : 1;
}

/// Where the entries of the program are found.
enum class Layout : std::uint8_t {
  point,   ///< in[g][i], one number
  tile,    ///< in[0] and out[0] hold all groups, `lanes` numbers for each entry
  points,  ///< a loop over points: in[i] and out[i] are the numbers of entry i, all groups one after another
  rows     ///< a loop over rows, `lanes` of them at once
};

struct EmitterOptions {
  InstructionSet set = InstructionSet::avx512;
  Layout layout = Layout::point;
  bool packed = true;      ///< rows: several at once by gathering their entries; otherwise one after the other
  std::uint64_t same = 0;  ///< points: bits of the input groups with one number for all points
  bool strict = false;     ///< no fused operations, functions as the interpreter calls them
  /// rows: by how much the number in each table grows from row to row; empty if it does so by no rule
  std::vector<std::uint32_t> steps = {};
};

/// The code of a program, and how much of CallFrame::work it uses.
class Emitter {
 public:
  Emitter(asmjit::CodeHolder& code, const Program& program, const EmitterOptions& options,
          const RowLoop* loop = nullptr);
  /// Throws Error(limit) when the code cannot be made.
  void run();
  [[nodiscard]] std::size_t workspace() const;  ///< doubles
  [[nodiscard]] unsigned lanes() const noexcept { return lanes_; }
  /// Tables of the loop that the code reads, by their numbers; the others are not looked at.
  [[nodiscard]] const std::vector<bool>& tables() const noexcept { return table_read_; }

 private:
  using Vec = asmjit::x86::Vec;
  using Mem = asmjit::x86::Mem;
  using Gp = asmjit::x86::Gp;
  using Op = asmjit::Operand_;
  enum Mask : std::uint8_t { sign_bits, value_bits, ones, zeros };
  enum class Home : std::uint8_t { none, source, spill, result, output };
  struct Where {
    std::uint32_t reg = never;
    std::uint32_t next = never;
    Home home = Home::none;
    std::uint32_t place =
        0;  ///< number of the spill slot, of the result; of the output its place in the list of stores
    std::uint32_t group = 0;
  };

  // registers (emitter.cpp)
  [[nodiscard]] Vec vec(std::uint32_t r) const;
  [[nodiscard]] Vec wide(std::uint32_t r, unsigned lanes) const;
  std::uint32_t take();
  void evict(std::uint32_t reg);
  void release(std::uint32_t value);
  void lose_all();
  std::uint32_t in_register(std::uint32_t value);
  /// A register, or memory if the instruction may read it there and keeping it would not pay.
  Op anywhere(std::uint32_t value, std::uint32_t next, bool broadcast_allowed);
  void load(std::uint32_t reg, std::uint32_t value);
  [[nodiscard]] Mem home_of(std::uint32_t value);
  [[nodiscard]] bool foldable(std::uint32_t value, bool broadcast_allowed) const;

  // addresses (addresses.cpp)
  [[nodiscard]] Gp group_base(bool output, std::uint32_t group);
  [[nodiscard]] Mem source(Operand o);
  [[nodiscard]] Gp row_pointer(bool output, std::uint32_t group, std::uint32_t table);
  // What a general register points to.
  enum class Target : std::uint8_t {
    nothing,
    input_group,
    output_group,
    input_row,
    output_row,
    input_entry,
    output_entry,
    table
  };
  struct PointerKey {
    Target what = Target::nothing;
    std::uint32_t number = 0;  ///< of the group, entry or table
    std::uint32_t table = 0;   ///< of a row
    friend bool operator==(const PointerKey&, const PointerKey&) = default;
  };
  Gp pointer(PointerKey key, bool& fresh);
  [[nodiscard]] Gp entry_pointer(bool output, std::size_t entry);
  [[nodiscard]] std::int32_t pool_size() const;
  /// How often the pool has each number side by side: AVX2 reads all lanes.
  [[nodiscard]] std::size_t copies() const { return lanes_ == 4 ? 4 : 1; }
  [[nodiscard]] bool uniform(Operand o) const;
  [[nodiscard]] bool gathered(Operand o) const;
  void gather(Vec target, Operand o);
  void store(std::uint32_t group, std::uint32_t index, Vec from);
  void scatter(Vec from, std::uint32_t target);
  void index_vector(std::uint32_t table);
  [[nodiscard]] Mem work(std::uint32_t entry) const;
  [[nodiscard]] std::uint32_t first_slot() const {
    return machine_.argument_entries + machine_.result_entries + aside_ + assembly_;
  }
  [[nodiscard]] Mem constant_mask(Mask which) const;
  [[nodiscard]] Gp general(std::size_t i) const;
  [[nodiscard]] std::size_t pointer_count() const;
  [[nodiscard]] bool known_pointer(PointerKey key, Gp& r);
  Gp table_numbers(std::uint32_t table);
  void forget_pointers(bool all);
  void load_numbers(Vec target, const Mem& from, bool one_for_all);
  void store_numbers(const Mem& to, Vec from);

  // rows whose tables advance by one step (row_stores.cpp)
  [[nodiscard]] bool in_runs() const { return !options_.steps.empty(); }
  [[nodiscard]] std::size_t walked() const { return std::max(loop_->rows, loop_->all_rows); }
  void plan_row_stores();
  void prepare_row_stores();
  void store_rows();
  void fetch_rows();
  struct Neighbours;
  void load_row(std::uint32_t reg, const Mem& from, std::size_t width);
  void store_row_part(const Mem& to, std::uint32_t reg, std::size_t width);
  void two_columns(const Neighbours& n, std::size_t k, const asmjit::x86::Zmm& even, const asmjit::x86::Zmm& odd);
  template <class RowPlace>
  void four_columns(const Neighbours& n, const RowPlace& to);
  [[nodiscard]] Mem assembly(std::uint32_t entry, std::size_t number = 0) const;
  [[nodiscard]] bool pick_apart(Vec target, Operand o);
  [[nodiscard]] std::int32_t index_image(const std::array<std::uint64_t, 8>& index);

  // outputs that nothing is computed for (copies.cpp)
  void store_inputs();
  void store_runs(std::vector<Store> list);
  void store_row(std::vector<Store> list);
  [[nodiscard]] std::vector<Store> copied_outputs() const;
  void load_neighbours(std::uint32_t reg, const Mem& from, std::size_t width);
  void store_neighbours(const Mem& to, std::uint32_t reg, std::size_t width);
  [[nodiscard]] Vec neighbours(std::uint32_t reg, std::size_t width);

  // what a loop keeps in registers (loops.cpp)
  void hoist();
  void hoist_values();
  void hoist_pointers();
  [[nodiscard]] const std::uint32_t* hoisted(Operand o) const;
  void keep(PointerKey key);
  void advance();

  // instructions (instructions.cpp)
  void instruction(const MachineInstruction& i);
  void binary(asmjit::x86::Inst::Id scalar, asmjit::x86::Inst::Id packed, const MachineInstruction& i, bool commutes);
  void fused(const MachineInstruction& i);
  void with_mask(asmjit::x86::Inst::Id packed, Mask mask, const MachineInstruction& i);
  void root(const MachineInstruction& i);
  void rounded(const MachineInstruction& i, int mode);
  void extreme(const MachineInstruction& i);
  void compare(const MachineInstruction& i);
  void logic(const MachineInstruction& i);
  void select(const MachineInstruction& i);
  void truth(std::uint32_t target);
  void emit3(asmjit::x86::Inst::Id sse, asmjit::x86::Inst::Id vex, Vec target, Vec a, const Op& b);
  void copy(Vec to, Vec from);
  void pass(const MachineInstruction& i);
  void define(std::uint32_t value, std::uint32_t reg);
  void defined(std::uint32_t value);
  void finish_stores(std::uint32_t value);

  // functions in place of calls (inlined.cpp)
  struct Held {
    std::uint32_t operand;
    std::array<std::uint32_t, 3> spare;
  };
  [[nodiscard]] Held operand_and_spares(const MachineInstruction& i);
  void inlined(const MachineInstruction& i);
  void circular(const MachineInstruction& i);
  void quadrant(std::uint32_t target, std::uint32_t sine, std::uint32_t cosine);
  void large_arguments();
  void exponential_of_eight(std::uint32_t x, std::uint32_t target, std::uint32_t u, std::uint32_t v);
  void exponential_of_four(std::uint32_t x, std::uint32_t target, std::uint32_t u, std::uint32_t v);
  void two_polynomials(std::uint32_t target, std::uint32_t x, std::span<const double> coefficients,
                       std::uint32_t square, std::uint32_t odd);
  void logarithm(std::uint32_t x, std::uint32_t target, std::uint32_t u, std::uint32_t v);
  void polynomial(std::uint32_t target, std::uint32_t x, std::span<const double> coefficients);
  [[nodiscard]] Mem spread(double number);
  void load_spread(std::uint32_t reg, double number);
  std::int32_t image(double number);

  // calls (calls.cpp)
  void batch(Batch& b);
  void call_pack(const Batch& b, std::uint32_t function_of, unsigned width, std::uint32_t at, std::uint32_t result);
  void call_address(const void* function);

  void prologue();
  void epilogue();
  void pool();

  asmjit::CodeHolder& code_;
  asmjit::x86::Assembler a_;
  const Program& program_;
  EmitterOptions options_;
  const RowLoop* loop_;
  MachineProgram machine_;
  unsigned lanes_ = 1;
  unsigned registers_ = 16;
  // General registers that may hold pointers, and those of them that calls lose; in loops r14 counts instead.
  static constexpr std::size_t pointer_registers = 9;
  static constexpr std::size_t lost_by_calls = 8;
  static constexpr std::size_t leaf_pointers = 5;
  // Fixed general registers; rax is free for a moment.
  bool leaf_ = false;
  Gp frame_ = asmjit::x86::rbp;
  Gp work_ = asmjit::x86::rbx;
  Gp in_ = asmjit::x86::r12;
  Gp out_ = asmjit::x86::r13;
  Gp pool_ = asmjit::x86::r15;
  std::vector<Where> where_;
  std::vector<std::uint32_t> holder_;  // of a register: its value
  std::vector<std::uint32_t> free_;    // registers
  std::array<std::uint32_t, 4> pinned_{never, never, never, never};
  std::vector<std::uint32_t> free_slots_;
  std::vector<std::uint32_t> ending_slots_;  // free once the instruction is emitted
  std::uint32_t slots_ = 0;
  std::vector<std::size_t> input_start_;
  std::vector<std::size_t> output_start_;
  struct StoreList {
    std::vector<std::uint32_t> head;  // of each result
    struct Link {
      std::uint32_t group, index, next;
    };
    std::vector<Link> links;
  } stores_;
  struct Pointer {
    PointerKey key;
    std::uint32_t age = 0;
    bool kept = false;      ///< throughout the loop
    std::int32_t step = 0;  ///< bytes from row to row
  };
  std::array<Pointer, pointer_registers> pointers_;
  std::vector<std::pair<Operand, std::uint32_t>> hoisted_;
  std::uint32_t kept_ = 0;  // vector registers that hold one value throughout the loop, as bits
  std::uint32_t clock_ = 0;
  std::uint32_t indexed_table_ = never;  // whose entries scratch register 1 holds
  std::vector<bool> table_read_;
  std::vector<double> images_;  // constants side by side as outputs want them, constants of functions
  std::unordered_map<std::uint64_t, std::int32_t> image_of_;
  std::int32_t eighths_ = 0;  // of the table of exp in the pool
  // Places that leave sin and cos of large arguments to the library: the registers of argument, sine and cosine.
  struct LargeArgument {
    asmjit::Label from, back;
    std::uint32_t x, sine, cosine;
  };
  std::vector<LargeArgument> large_;
  std::uint32_t aside_ = 0;  // entries of the workspace for argument, sine, cosine and all registers meanwhile
  // Targets that are written together, and where their numbers wait until a block of rows is done.
  struct Column {
    Operand operand;
    bool same = false;        ///< in all rows
    std::uint32_t entry = 0;  ///< of the assembly area
  };
  struct Neighbours {
    RowLoop::Place place;  ///< of the first
    std::uint32_t step = 0;
    std::vector<Column> columns;
    bool all_same = false;
    bool fetch = false;         ///< the lines of later rows are asked for
    std::uint32_t pattern = 0;  ///< entry with what is the same
  };
  struct Assembled {
    bool yes = false;
    bool same = false;
    std::uint32_t entry = 0;
  };
  std::vector<Neighbours> neighbours_;
  std::vector<Assembled> assembled_;  // of each target
  std::uint32_t assembly_ = 0;        // entries
  std::uint32_t pairs_ = 0;           // the first of two for pairs of columns
  std::vector<std::pair<std::array<std::uint64_t, 8>, std::int32_t>> index_images_;
  asmjit::Label constants_label_;
  bool fetch_ahead_ = false;  // points: the lines of the next tile's outputs
  bool upper_dirty_ = false;
};

}  // namespace boreon::native
