// SPDX-License-Identifier: MIT
// Programs as machine code behind the interface of Kernel.
#include "boreon/native.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <deque>
#include <memory>
#include <mutex>

#include "boreon/error.hpp"
#include "program/executor.hpp"
#include "program/native/code_memory.hpp"
#include "program/native/emitter.hpp"
#include "program/passes.hpp"

namespace boreon {
namespace {

using namespace native;

InstructionSet set_of(Machine m) {
  return m == Machine::avx512 ? InstructionSet::avx512
         : m == Machine::avx2 ? InstructionSet::avx2
                              : InstructionSet::sse2;
}

bool calls_function(const Instruction& i) {
  return i.op == OpCode::call || i.op == OpCode::power || i.op == OpCode::sine_cosine;
}

// One piece of machine code.
struct Piece {
  std::unique_ptr<CodeMemory> memory;
  std::unique_ptr<DebuggerEntry> debugger;
  std::size_t workspace = 0;
  unsigned lanes = 1;
  std::vector<bool> tables;

  [[nodiscard]] auto entry() const {
    return reinterpret_cast<void (*)(const CallFrame*)>(reinterpret_cast<std::uintptr_t>(memory->address()));
  }
  void operator()(const CallFrame& frame) const { entry()(&frame); }
};

class ErrorCatcher : public asmjit::ErrorHandler {
 public:
  void handleError(asmjit::Error, const char* message, asmjit::BaseEmitter*) override {
    if (text.empty()) text = message;
  }
  std::string text;
};

Piece assemble(const Program& program, const EmitterOptions& options, const RowLoop* loop, const NativeOptions& native,
               std::string* listing) {
  asmjit::CodeHolder code;
  code.init(asmjit::Environment::host());
  ErrorCatcher errors;
  code.setErrorHandler(&errors);
  asmjit::StringLogger logger;
  if (listing != nullptr) code.setLogger(&logger);
  Emitter emitter(code, program, options, loop);
  emitter.run();
  if (!errors.text.empty())
    throw Error(ErrorKind::limit, fmt::format("machine code cannot be made ({}); use the interpreter", errors.text));
  Piece p;
  p.workspace = emitter.workspace();
  p.lanes = emitter.lanes();
  p.tables = emitter.tables();
  if (listing != nullptr) {
    *listing += logger.data();
    return p;
  }
  p.memory = std::make_unique<CodeMemory>(code);
  static constexpr std::string_view parts[] = {"point", "tile", "points", "rows"};
  const std::string name = fmt::format("{}:{}", native.name, parts[static_cast<std::size_t>(options.layout)]);
  if (native.profiler) tell_profilers(*p.memory, name);
  if (native.debugger) p.debugger = std::make_unique<DebuggerEntry>(*p.memory, name);
  return p;
}

// Rows between which all tables advance by one step each: the most frequent one. Empty unless most rows are in such
// runs of `least` rows and more.
std::vector<std::pair<std::size_t, std::size_t>> runs_of(const RowLoop& l, std::size_t least,
                                                         std::vector<std::uint32_t>& steps) {
  constexpr std::size_t seen = 256;  // rows that tell what is frequent
  std::vector<std::pair<std::size_t, std::size_t>> runs;
  steps.clear();
  for (const IndexTable& t : l.tables) {
    if (t.entries.empty()) {
      steps.push_back(t.step);
      continue;
    }
    std::vector<std::uint32_t> list;
    for (std::size_t r = 1; r < t.entries.size(); r += 1 + t.entries.size() / seen)
      list.push_back(t.entries[r] - t.entries[r - 1]);
    if (list.empty()) list.push_back(0);
    std::nth_element(list.begin(), list.begin() + static_cast<std::ptrdiff_t>(list.size() / 2), list.end());
    steps.push_back(list[list.size() / 2]);
  }
  constexpr std::uint32_t largest_step = 1U << 16U;  // distances within a block of rows are part of instructions
  if (std::any_of(steps.begin(), steps.end(), [](std::uint32_t s) { return s > largest_step; })) return {};
  if (std::all_of(l.tables.begin(), l.tables.end(), [](const IndexTable& t) { return t.entries.empty(); })) {
    if (l.rows >= least) runs.emplace_back(0, l.rows);
    return runs;
  }
  std::size_t within = 0;
  const auto close = [&](std::size_t begin, std::size_t end) {
    if (end - begin < least) return;
    runs.emplace_back(begin, end);
    within += end - begin;
  };
  std::size_t begin = 0;
  for (std::size_t r = 1; r < l.rows; ++r) {
    bool same = true;
    for (std::size_t t = 0; same && t < l.tables.size(); ++t) {
      const auto& entries = l.tables[t].entries;
      same = entries.empty() || entries[r] - entries[r - 1] == steps[t];
    }
    if (same) continue;
    close(begin, r);
    begin = r;
  }
  close(begin, l.rows);
  if (2 * within < l.rows) runs.clear();
  return runs;
}

class NativeExecutor final : public Executor {
 public:
  NativeExecutor(std::shared_ptr<const Program> program, const NativeOptions& options, Machine machine)
      : program_(std::move(program)),
        native_(options),
        machine_(machine),
        fallback_(program_->loops.empty() ? nullptr : make_interpreter(program_)) {
    options_.set = set_of(machine);
    options_.strict = options.strict;
    point_ = assemble(*program_, options_, nullptr, native_, nullptr);
    workspace_ = point_.workspace;
    for (const RowLoop& l : program_->loops) add_loop(l);
    if (program_->loops.empty()) {
      lanes_ = lanes_of(options_.set);
      // Code for many points is of the same instructions, so what it needs is known before it is made.
      workspace_ = std::max(workspace_, lanes_ == 1 ? 0 : tile_workspace());
    } else {
      workspace_ = std::max(workspace_, fallback_->workspace());
    }
  }

  [[nodiscard]] std::size_t workspace() const noexcept override { return workspace_; }
  [[nodiscard]] std::size_t lanes() const noexcept override { return lanes_; }
  [[nodiscard]] std::string method() const override {
    return fmt::format("native {}{}", to_string(machine_), native_.strict ? ", strict" : "");
  }

  [[nodiscard]] DirectCode code() const noexcept override { return {point_.entry(), point_.workspace}; }
  void instructions(const double* const* in, double* const* out, double* scratch, double* work) const override {
    point_({in, out, scratch, work, nullptr, 0, 0});
  }

  void rows(std::size_t loop, std::size_t begin, std::size_t end, const double* const* in, double* const* out,
            double* scratch, double* work) const override {
    const Loop& l = loops_[loop];
    const auto any = [&](std::size_t from, std::size_t to) {
      if (from >= to) return;
      // A block of rows is whole: it may begin with some that were done already.
      if (l.code.memory != nullptr && to - from < l.code.lanes)
        from = std::max(begin, to < l.code.lanes ? 0 : to - l.code.lanes);
      if (l.code.memory == nullptr || to - from < l.code.lanes)
        return fallback_->rows(loop, from, to, in, out, scratch, work);
      l.code({in, out, scratch, work, l.tables.data(), from, to});
    };
    std::size_t done = begin;
    for (auto run = std::upper_bound(l.runs.begin(), l.runs.end(), begin,
                                     [](std::size_t b, const auto&r) { return b < r.second; });
         run != l.runs.end() && run->first < end; ++run) {
      const std::size_t from = std::max(begin, run->first);
      const std::size_t to = std::min(end, run->second);
      if (to - from < l.in_runs.lanes) continue;
      any(done, from);
      // Rows before the first one that is written at the beginning of a line of the cache are a block of their own.
      std::size_t begin_whole = from;
      if (l.line_target && to - from >= shortest_aligned) {
        const RowLoop::Place& p = program_->loops[loop].targets[*l.line_target];
        const double* const first = out[p.group] + program_->loops[loop].entry(p, from);
        const std::size_t past = reinterpret_cast<std::uintptr_t>(first) / sizeof(double) % l.in_runs.lanes;
        if (past != 0) {
          l.in_runs({in, out, scratch, work, l.tables.data(), from, from + l.in_runs.lanes});
          begin_whole += l.in_runs.lanes - past;
        }
      }
      l.in_runs({in, out, scratch, work, l.tables.data(), begin_whole, to});
      done = to;
    }
    any(done, end);
  }

  void tile(const double* in, double* out, double* work) const override {
    std::call_once(tile_made_, [this] {
      EmitterOptions o = options_;
      o.layout = Layout::tile;
      tile_ = assemble(*program_, o, nullptr, native_, nullptr);
    });
    tile_({&in, &out, nullptr, work, nullptr, 0, 0});
  }

  const double* const* prepare(const double* const* in, std::uint64_t same, double* memory) const override {
    const Variant& v = variant(same);
    if (v.prepare.memory == nullptr) return in;
    // Results of the first stage are more entries that are the same.
    const std::size_t entries = input_entries_;
    double* at = memory;
    const auto** const all = reinterpret_cast<const double**>(at);
    std::copy(in, in + entries, all);
    at += entries + v.prepared;
    double* const prepared = at;
    at += v.prepared;
    std::array<const double*, 64> groups{};
    std::size_t entry = 0;
    std::size_t next = 0;
    for (std::size_t g = 0; g < program_->inputs.size(); ++g) {
      const bool fixed = ((same >> g) & 1U) != 0;
      if (fixed) groups[next++] = at;
      for (std::size_t i = 0; i < program_->inputs[g].size; ++i, ++entry) {
        if (fixed) *at++ = *in[entry];
      }
    }
    double* results[] = {prepared};
    at += (64 - reinterpret_cast<std::uintptr_t>(at) % 64) % 64 / sizeof(double);
    v.prepare({groups.data(), results, nullptr, at, nullptr, 0, 0});
    for (std::size_t i = 0; i < v.prepared; ++i) all[entries + i] = prepared + i;
    return all;
  }

  std::size_t points(const double* const* in, double* const* out, std::uint64_t same, std::size_t begin,
                     std::size_t end, double* work) const override {
    if (end - begin < lanes_) return begin;
    const Variant& v = variant(same);
    // Writing across lines of the cache takes twice as long: all but the first and the last tile begin at one. These
    // overlap their neighbours.
    const std::size_t lead = end - begin < 8 * lanes_ ? 0 : to_line(out, begin);
    if (lead != 0) v.code({in, out, nullptr, work, nullptr, begin, begin + lanes_});
    const std::size_t stop = begin + lead + (end - begin - lead) / lanes_ * lanes_;
    v.code({in, out, nullptr, work, nullptr, begin + lead, stop});
    if (stop != end) v.code({in, out, nullptr, work, nullptr, end - lanes_, end});
    return end;
  }

  [[nodiscard]] const Kernel* complex() const override {
    if (native_.strict) return nullptr;
    std::call_once(complex_made_, [this] {
      NativeOptions options = native_;
      options.machine = machine_;
      if (std::optional<Program> parts = complex_program(*program_))
        complex_ = std::make_unique<const Kernel>(native_kernel(std::move(*parts), options));
    });
    return complex_.get();
  }

  [[nodiscard]] std::string listing() const override {
    std::string text = fmt::format("; one point, {}\n", method());
    (void)assemble(*program_, options_, nullptr, native_, &text);
    for (std::size_t i = 0; i < program_->loops.size(); ++i) {
      const RowLoop& l = program_->loops[i];
      std::vector<std::uint32_t> steps;
      if (!loops_[i].runs.empty()) {
        (void)runs_of(l, lanes_of(options_.set), steps);
        text += fmt::format("\n; loop {}: {} rows, {} at once where they are neighbours\n", i + 1, l.rows,
                            loops_[i].in_runs.lanes);
        (void)assemble(l.body, run_options(l, std::move(steps)), &l, native_, &text);
      }
      if (loops_[i].code.memory == nullptr) continue;
      text += fmt::format("\n; loop {}: {} rows, {} at once\n", i + 1, l.rows, loops_[i].code.lanes);
      (void)assemble(l.body, rows_options(l), &l, native_, &text);
    }
    return text;
  }

 private:
  struct Loop {
    Piece code;                                             // for any rows; without memory where the interpreter does
    Piece in_runs;                                          // for rows within one of the runs
    std::vector<std::pair<std::size_t, std::size_t>> runs;  // rows between which all tables advance by one step
    std::deque<std::vector<std::uint32_t>> written_out;
    std::vector<const std::uint32_t*> tables;
    std::optional<std::size_t> line_target;  // written row after row without gaps
  };
  static constexpr std::size_t shortest_aligned = 200;

  [[nodiscard]] EmitterOptions rows_options(const RowLoop& l) const {
    EmitterOptions o = options_;
    o.layout = Layout::rows;
    o.packed = l.rows >= lanes_of(options_.set) && packs(l);  // too few for one block run one after the other
    return o;
  }

  [[nodiscard]] EmitterOptions run_options(const RowLoop& l, std::vector<std::uint32_t> steps) const {
    EmitterOptions o = rows_options(l);
    o.packed = true;
    o.steps = std::move(steps);
    return o;
  }

  void add_loop(const RowLoop& l) {
    Loop& made = loops_.emplace_back();
    std::vector<std::uint32_t> steps;
    if (options_.set != InstructionSet::sse2) made.runs = runs_of(l, lanes_of(options_.set), steps);
    if (!made.runs.empty()) {
      made.in_runs = assemble(l.body, run_options(l, std::move(steps)), &l, native_, nullptr);
      workspace_ = std::max(workspace_, made.in_runs.workspace);
    }
    // Measured: within the second cache it saves a third, beyond it lines that are asked for early and then written
    // whole take longer than ones written in two parts.
    constexpr std::size_t second_cache = 1U << 20U;  // bytes
    const std::size_t walked = std::max(l.rows, l.all_rows) * sizeof(double) * (l.targets.size() + 1);
    for (std::size_t t = 0;
         t < l.targets.size() && !made.line_target && !made.runs.empty() && walked <= second_cache; ++t) {
      const RowLoop::Place& p = l.targets[t];
      if (p.group != Program::scratch_group && l.tables[p.table].entries.empty() && l.tables[p.table].step == 1)
        made.line_target = t;
    }
    made.code = assemble(l.body, rows_options(l), &l, native_, nullptr);
    if (l.rows < made.code.lanes) made.code.memory.reset();
    workspace_ = std::max(workspace_, made.code.workspace);
    for (std::size_t t = 0; t < l.tables.size(); ++t) {
      const IndexTable& table = l.tables[t];
      if (!made.code.tables[t] && (made.runs.empty() || !made.in_runs.tables[t])) {
        made.tables.push_back(nullptr);
      } else if (!table.entries.empty()) {
        made.tables.push_back(table.entries.data());
      } else {
        std::vector<std::uint32_t>& entries = made.written_out.emplace_back();
        for (std::size_t r = 0; r < l.rows; ++r) entries.push_back(table.at(r));
        made.tables.push_back(entries.data());
      }
    }
  }

  // Code for many points, one piece for each choice of groups that are the same for all; a list that only grows.
  struct Variant {
    std::uint64_t same;
    Piece code;
    Piece prepare;  // without memory where nothing is the same
    std::size_t prepared = 0;
    const Variant* next = nullptr;
  };

  const Variant& variant(std::uint64_t same) const {
    const Variant* v = variants_.load(std::memory_order_acquire);
    while (v != nullptr && v->same != same) v = v->next;
    return v != nullptr ? *v : make_variant(same);
  }

  const Variant& make_variant(std::uint64_t same) const {
    const std::lock_guard lock(variants_made_);
    for (const Variant* v = variants_.load(); v != nullptr; v = v->next) {
      if (v->same == same) return *v;
    }
    EmitterOptions o = options_;
    o.layout = Layout::points;
    o.same = same;
    std::vector<std::string> fixed;
    for (std::size_t g = 0; g < program_->inputs.size(); ++g) {
      if (((same >> g) & 1U) != 0) fixed.push_back(program_->inputs[g].name);
    }
    auto made = std::make_unique<Variant>();
    made->same = same;
    made->next = variants_.load();
    StagedPrograms staged = stage(*program_, fixed);
    if (staged.prepare.instructions.empty() || program_->inputs.size() >= 63) {
      made->code = assemble(*program_, o, nullptr, native_, nullptr);
    } else {
      o.same |= std::uint64_t{1} << program_->inputs.size();
      made->code = assemble(staged.main, o, nullptr, native_, nullptr);
      made->prepared = staged.prepare.outputs[0].size;
      made->prepare = assemble(staged.prepare, options_, nullptr, native_, nullptr);
    }
    variants_kept_.push_back(std::move(made));
    variants_.store(variants_kept_.back().get(), std::memory_order_release);
    return *variants_kept_.back();
  }

  // Several rows at once save work in proportion to the operations, and cost some for entries that have to be gathered
  // and scattered: measured about 3 and 1 operations each. Calls decide: eight at once cost little more than one.
  [[nodiscard]] bool packs(const RowLoop& l) const {
    if (options_.set == InstructionSet::sse2) return false;
    std::size_t calls = 0;
    for (const Instruction& i : l.body.instructions) calls += calls_function(i) ? 1U : 0U;
    return calls > 0 || l.body.operation_count() > 7 * l.slots.size() + 2 * l.targets.size();
  }

  // Points from `begin` to the next one at which most outputs begin a tile in a line of the cache.
  [[nodiscard]] std::size_t to_line(double* const* out, std::size_t begin) const {
    std::array<std::size_t, 8> outputs{};
    for (std::size_t i = 0; i < output_entries_; ++i)
      ++outputs[reinterpret_cast<std::uintptr_t>(out[i] + begin) / sizeof(double) % lanes_];
    const auto most = static_cast<std::size_t>(std::max_element(outputs.begin(), outputs.end()) - outputs.begin());
    return (lanes_ - most) % lanes_;
  }

  // An upper bound that needs no code: all results in memory, and the arguments of calls.
  [[nodiscard]] std::size_t tile_workspace() const {
    std::size_t arguments = 0;
    for (const Instruction& i : program_->instructions) arguments += calls_function(i) ? i.operands : 0U;
    return (2 * program_->instructions.size() + arguments + 40) * lanes_ + 40 * program_->instructions.size() +
           2 * input_entries_ + 256;
  }

  std::shared_ptr<const Program> program_;
  NativeOptions native_;
  Machine machine_;
  EmitterOptions options_;
  std::shared_ptr<const Executor> fallback_;
  Piece point_;
  std::deque<Loop> loops_;
  std::size_t workspace_ = 0;
  std::size_t lanes_ = 1;
  std::size_t input_entries_ = entry_count(program_->inputs);
  std::size_t output_entries_ = entry_count(program_->outputs);
  mutable std::mutex variants_made_;
  mutable std::vector<std::unique_ptr<Variant>> variants_kept_;
  mutable std::atomic<const Variant*> variants_{nullptr};
  mutable std::once_flag complex_made_;
  mutable std::unique_ptr<const Kernel> complex_;
  mutable std::once_flag tile_made_;
  mutable Piece tile_;
};

}  // namespace

std::vector<Machine> machines() {
#if defined(__x86_64__)
  // Not asked of the assembler: its answer is lost when it is asked before its own globals are made.
  __builtin_cpu_init();
  std::vector<Machine> list;
  if (__builtin_cpu_supports("avx512f") && __builtin_cpu_supports("avx512dq") && __builtin_cpu_supports("avx512vl"))
    list.push_back(Machine::avx512);
  if (__builtin_cpu_supports("avx2") && __builtin_cpu_supports("fma")) list.push_back(Machine::avx2);
  list.push_back(Machine::sse2);
  return list;
#else
  return {};
#endif
}

std::string to_string(Machine machine) {
  switch (machine) {
    case Machine::avx512: return "AVX-512";
    case Machine::avx2: return "AVX2";
    case Machine::sse2: return "SSE2";
    default: return "automatic";
  }
}

std::shared_ptr<const Executor> native_executor(std::shared_ptr<const Program> program, const NativeOptions& options) {
  const Program* const shared = program.get();
  std::vector<Machine> have = machines();
  if (options.machine == Machine::automatic && options.amid_other_work) std::erase(have, Machine::avx512);
  const auto chosen =
      options.machine == Machine::automatic ? have.begin() : std::find(have.begin(), have.end(), options.machine);
  if (options.machine != Machine::automatic && chosen == have.end()) {
    throw Error(ErrorKind::unsupported, fmt::format("this processor has no {}; leave the choice of the machine open",
                                                    to_string(options.machine)));
  }
  // Machine code costs about 300 ns an instruction and saves about 6 ns an operation at every call.
  std::size_t operations = shared->operation_count();
  for (const RowLoop& l : shared->loops) operations += l.rows * l.targets.size();  // writing them is work as well
  const double saved = 6e-9 * options.expected_calls * static_cast<double>(operations);
  const double spent = 3e-7 * static_cast<double>(shared->code_size()) + 3e-5;
  // Calls hand over two arguments at most.
  const bool too_many =
      std::any_of(shared->instructions.begin(), shared->instructions.end(),
                  [](const Instruction& i) { return i.op == OpCode::call && i.operands > 2; }) ||
      std::any_of(shared->loops.begin(), shared->loops.end(), [](const RowLoop& l) {
        return std::any_of(l.body.instructions.begin(), l.body.instructions.end(),
                           [](const Instruction& i) { return i.op == OpCode::call && i.operands > 2; });
      });
  const bool pays = options.machine != Machine::automatic || saved > spent;
  if (chosen == have.end() || !pays || too_many) return make_interpreter(std::move(program));
  return std::make_shared<const NativeExecutor>(std::move(program), options, *chosen);
}

Kernel native_kernel(Program program, const NativeOptions& options) {
  auto shared = std::make_shared<const Program>(std::move(program));
  return {shared, native_executor(shared, options)};
}

Kernel compile(std::vector<OutputGroup> outputs, std::vector<InputGroup> inputs, const NativeOptions& options) {
  return native_kernel(make_program(outputs, inputs), options);
}

}  // namespace boreon
