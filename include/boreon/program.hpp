// SPDX-License-Identifier: MIT
// Numeric functions: a straight-line program in single-assignment form, and the Kernel that runs it.
#pragma once

#include <complex>
#include <cstddef>
#include <cstdint>
#include <initializer_list>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/fwd.hpp"
#include "boreon/list.hpp"
#include "boreon/numeric_function.hpp"
#include "boreon/sparse_matrix.hpp"

namespace boreon BOREON_API {

/// A named vector of inputs: symbols, or calls of unknown functions such as y(t) and y'(t).
struct InputGroup {
  std::string name;
  std::vector<Expr> variables;
  std::vector<std::string> labels = {};  ///< what the variables are called in comments; their text if empty

  InputGroup() = default;
  InputGroup(std::string group_name, std::vector<Expr> list, std::vector<std::string> names = {})
      : name(std::move(group_name)), variables(std::move(list)), labels(std::move(names)) {}
  InputGroup(std::string group_name, std::initializer_list<Expr> list, std::vector<std::string> names = {})
      : InputGroup(std::move(group_name), std::vector<Expr>(list), std::move(names)) {}
  /// From a span, a Vector, symbols (see ExprList).
  template <class T>
  requires((ExprStorage<T> || ExprRange<T>)&&!std::same_as<T, std::vector<Expr>> && !std::same_as<T, Matrix>)
      InputGroup(std::string group_name, const T& list, std::vector<std::string> names = {})
      : InputGroup(std::move(group_name), ExprList(list).to_vector(), std::move(names)) {}
  /// The entries of a matrix of symbols, row by row.
  InputGroup(std::string group_name, const Matrix& matrix, std::vector<std::string> names = {});
};

/// A named vector of outputs. A pattern tells that they are the entries of a sparse matrix, in compressed rows.
struct OutputGroup {
  std::string name;
  std::vector<Expr> values;
  std::optional<SparsityPattern> pattern = std::nullopt;

  OutputGroup(std::string group_name, std::vector<Expr> expressions)
      : name(std::move(group_name)), values(std::move(expressions)) {}
  /// The same from values in braces, {2.0, x + y}.
  OutputGroup(std::string group_name, std::initializer_list<Expr> expressions)
      : name(std::move(group_name)), values(expressions) {}
  /// A matrix or a vector as its entries row by row, zeros included; a sparse one as its nonzeros.
  OutputGroup(std::string group_name, const Matrix& matrix);
  OutputGroup(std::string group_name, const Vector& vector);
  OutputGroup(std::string group_name, const SparseMatrix& matrix)
      : name(std::move(group_name)), values(matrix.values), pattern(matrix.pattern) {}
  /// The matrix by columns, as KLU and column-major sparse matrices store it: the pattern is that of the transpose.
  [[nodiscard]] static OutputGroup by_columns(std::string group_name, const SparseMatrix& matrix);
};

/// What an instruction does. Truth values are 1.0 and 0.0.
enum class OpCode : std::uint8_t {
  add,
  subtract,
  multiply,
  divide,
  negate,
  square_root,
  power,        ///< a^b for an exponent that is no small integer or half-integer
  call,         ///< known function of one or two arguments
  sine_cosine,  ///< both at once: target gets the sine, the next value the cosine
  less,
  less_equal,
  equal,
  not_equal,
  conjunction,
  disjunction,
  negation,
  select  ///< a != 0 ? b : c
};

/// A value of the program: a constant, an input, or the result of an instruction.
struct Operand {
  std::uint32_t space = 0;  ///< 0: constant, 1: result of an instruction, 2 + g: input group g
  std::uint32_t index = 0;
  friend bool operator==(const Operand&, const Operand&) = default;
};

struct Instruction {
  OpCode op = OpCode::add;
  std::uint16_t function = 0;  ///< row of the catalogue
  std::uint8_t operands = 0;
  Operand a, b, c;
};

struct RowLoop;

/// Instruction k defines result k; `sine_cosine` also defines result k + 1, whose own instruction is a placeholder
/// with no operands. Every result is defined before it is used.
struct Program {
  std::vector<double> constants;
  std::vector<Instruction> instructions;
  struct Group {
    std::string name;
    std::vector<std::string> names;  ///< of the inputs, or empty for outputs
    std::size_t size = 0;
    std::optional<SparsityPattern> pattern;
  };
  std::vector<Group> inputs;
  std::vector<Group> outputs;
  /// For each output group its values. An entry that a loop writes is `by_loop`.
  std::vector<std::vector<Operand>> results;
  /// Run in their order after the instructions; each may read what those before it have written to the scratch.
  std::vector<RowLoop> loops;
  /// Numeric functions that the instructions (of loops: their bodies') call, which live as long as the program.
  std::vector<NumericFunction> functions;
  /// What the instructions compute once for the loops, read by them as group `scratch_group`.
  std::vector<Operand> scratch;
  /// Entries of that group behind these, which loops write for later ones.
  std::size_t written_scratch = 0;
  [[nodiscard]] std::size_t scratch_size() const { return scratch.size() + written_scratch; }

  static constexpr std::uint32_t scratch_group = 0xffffffffU;
  static constexpr Operand by_loop{0xfffffffeU, 0};

  /// Additions, multiplications, calls, ... in one evaluation; a loop counts its body once for each row.
  [[nodiscard]] std::size_t operation_count() const;
  /// Instructions that are kept, translated and optimised: a loop counts its body once.
  [[nodiscard]] std::size_t code_size() const;
};

/// Where the rows of a loop find their entries: first + step*row, or one number for each row.
struct IndexTable {
  std::uint32_t first = 0;
  std::uint32_t step = 0;
  std::vector<std::uint32_t> entries;
  [[nodiscard]] std::uint32_t at(std::size_t row) const {
    return entries.empty() ? first + step * static_cast<std::uint32_t>(row) : entries[row];
  }
};

/// The same straight-line program for many rows of entries: the rows of a discretised equation, of its Jacobian. Slot k
/// of the body's only input group is entry tables[table].at(row) + offset of a group; the values of its only output
/// group go to entries of output groups (or of the scratch) in the same way. No row reads what another writes.
struct RowLoop {
  Program body;
  std::size_t rows = 0;
  std::size_t all_rows = 0;  ///< of all calls that walk an array together, if more than `rows`: what caches are asked for
  std::vector<IndexTable> tables;
  struct Place {
    std::uint32_t group = 0;  ///< of the inputs (or Program::scratch_group), of the outputs
    std::uint32_t table = 0;
    std::int32_t offset = 0;
  };
  std::vector<Place> slots;
  std::vector<Place> targets;
  /// Which entry of its group a place is in a row.
  [[nodiscard]] std::size_t entry(const Place& p, std::size_t row) const {
    return static_cast<std::size_t>(static_cast<std::int64_t>(tables[p.table].at(row)) + p.offset);
  }
};

/// What make_program does beyond translating.
struct ProgramOptions {
  bool optimise = true;  ///< share, factor, combine divisions, reuse exponentials; results change in their last bits
  bool rows = true;      ///< find outputs of one shape and keep them as loops
  /// Output and input groups whose entries belong together row by row are recognised by their sizes.
  std::size_t least_rows = 64;  ///< shapes with fewer rows are written out
  /// A sum of at least as many terms, most of them of one shape, becomes loops as well: one that writes the terms,
  /// others that add them up in a fixed order (by parts: digits are rather better than from one end to the other). At
  /// least 64.
  std::size_t least_terms = 512;
};

/// Translates expressions into a program: common subexpressions of all outputs are computed once, constants are
/// folded, small powers become products, halves square roots, negative powers one division, sin and cos of the same
/// argument one instruction; nothing is computed that no output needs. Outputs of one shape on different inputs become
/// loops over rows, so that the program is no longer than the number of shapes asks. Throws Error(binding) on a symbol
/// that is no input, Error(name) on an input listed twice, Error(unsupported) on unevaluated operators. O(distinct
/// nodes).
[[nodiscard]] Program make_program(std::span<const OutputGroup> outputs, std::span<const InputGroup> inputs,
                                   const ProgramOptions& options = {});

/// The part of a program that depends on the given input groups alone, and the rest. The second reads what the first
/// computed as a last input group `prepared`: call the first when parameters change, the second at every step.
struct StagedPrograms {
  Program prepare;  ///< inputs: the fixed groups; output: `prepared`
  Program main;     ///< inputs: all groups and `prepared`
};
[[nodiscard]] StagedPrograms stage(const Program& program, std::span<const std::string> fixed_groups);

/// Some output groups (residuals) and the others (their Jacobian) as two programs for the same point, no work done
/// twice: the first also gives what the second needs of it, as a last output group `kept`, which the second reads as a
/// last input group. Throws Error(name) for groups that are not there and Error(unsupported) for programs with loops.
struct SplitPrograms {
  Program first;   ///< inputs: all groups; outputs: the first groups and `kept`
  Program second;  ///< inputs: all groups and `kept`; outputs: the other groups
};
[[nodiscard]] SplitPrograms split(const Program& program, std::span<const std::string> first_groups);

/// Products with derivatives without forming matrices, derived on the program itself. All outputs of the program stay;
/// the last output group `product` is added.
/// J v: the derivative of an output group along `direction`, a last input group as long as `input`.
[[nodiscard]] Program jacobian_vector(const Program& program, const std::string& output, const std::string& input,
                                      const std::string& direction = "direction");
/// w J: the derivatives of the sum of weights[i]*output[i] by `input`; `weights` is a last input group as long as
/// `output`.
[[nodiscard]] Program vector_jacobian(const Program& program, const std::string& output, const std::string& input,
                                      const std::string& weights = "weights");
/// H v for the Hessian H of the sum of weights[i]*output[i]; also gives its gradient, as output group `gradient`.
/// Throw Error(name) for groups that are not there. The operations are at most about 3, 4 and 8 times those of the
/// program. Loops over rows stay loops; with weights, each row writes its contributions to places of their own (8 bytes
/// for each entry it reads) and further loops add them up.
[[nodiscard]] Program hessian_vector(const Program& program, const std::string& output, const std::string& input,
                                     const std::string& weights = "weights",
                                     const std::string& direction = "direction");

class Executor;
struct CallFrame;

/// Entries of one group at many points: entry i of point p stands at data[i*entry_step + p*point_step]. A point step of
/// 0 means one set of entries for all points (parameters). Structure of arrays: {data, points, 1}; array of
/// structures: {data, 1, entries}. Entries may be double or float; arithmetic is in double.
template <class Double, class Single>
struct ManyPoints {
  ManyPoints(Double* entries, std::ptrdiff_t step_of_entries, std::ptrdiff_t step_of_points)
      : data(entries), entry_step(step_of_entries), point_step(step_of_points) {}
  ManyPoints(Single* entries, std::ptrdiff_t step_of_entries, std::ptrdiff_t step_of_points)
      : single(entries), entry_step(step_of_entries), point_step(step_of_points) {}
  Double* data = nullptr;
  Single* single = nullptr;
  std::ptrdiff_t entry_step;
  std::ptrdiff_t point_step;
};
using PointsIn = ManyPoints<const double, const float>;
using PointsOut = ManyPoints<double, float>;

/// A compiled numeric function. Immutable, cheap to copy, callable from many threads at once.
class Kernel {
 public:
  /// Runs on the interpreter, the same on every machine. See boreon/native.hpp for machine code.
  explicit Kernel(Program program);
  Kernel(std::shared_ptr<const Program> program, std::shared_ptr<const Executor> executor);

  /// One pointer for each input group and each output group, in the order given to compile(): Error(shape) if their
  /// number differs, in every form of call. What they point to is as long as its group. Outputs must not overlap
  /// inputs. Nothing is allocated after the first call in a thread (functions without a double precision rule of their
  /// own, such as cyl_bessel_j, allocate inside). A value outside a function's domain gives NaN.
  void operator()(std::span<const double* const> inputs, std::span<double* const> outputs) const;
  /// The same with every size checked, k({y, p}, {f}): Error(shape) names the group that is too short or too long.
  void operator()(std::initializer_list<std::span<const double>> inputs,
                  std::initializer_list<std::span<double>> outputs) const;
  /// The same with a workspace of at least workspace_size() doubles from the caller (Error(shape) if it is smaller):
  /// never allocates or locks.
  void operator()(std::span<const double* const> inputs, std::span<double* const> outputs,
                  std::span<double> workspace) const;
  /// One point with the rows of loops shared among threads.
  void in_threads(unsigned threads, std::span<const double* const> inputs, std::span<double* const> outputs) const;
  /// Single and complex numbers. Single: stored as float, computed in double. Complex: machine code on real and
  /// imaginary parts where all functions are elementary (and the code need not be `strict`), otherwise number by
  /// number; conditions look at real parts. Functions with several branches take the principal one.
  void operator()(std::span<const float* const> inputs, std::span<float* const> outputs) const;
  void operator()(std::span<const std::complex<double>* const> inputs,
                  std::span<std::complex<double>* const> outputs) const;
  /// All points, several at once where the machine can. Outputs may be the inputs of the same points (in place). With
  /// threads > 1 the points are shared among that many threads.
  void many(std::size_t points, std::span<const PointsIn> inputs, std::span<const PointsOut> outputs,
            unsigned threads = 1) const;
  /// Convenience: checks sizes (Error(shape)) and returns each output group as a vector.
  [[nodiscard]] std::vector<std::vector<double>> evaluate(const std::vector<std::vector<double>>& inputs) const;

  [[nodiscard]] const Program& program() const noexcept;
  [[nodiscard]] std::size_t workspace_size() const noexcept;  ///< doubles
  [[nodiscard]] std::string method() const;                   ///< "interpreter", "native AVX-512", ...
  [[nodiscard]] std::string listing() const;                  ///< the machine code as text; empty for the interpreter

 private:
  void check_shapes(std::size_t inputs, std::size_t outputs) const {
    if (inputs != input_groups_ || outputs != output_groups_) [[unlikely]] {
      wrong_shapes(inputs, outputs);
    }
  }
  void wrong_shapes(std::size_t inputs, std::size_t outputs) const;
  void check_workspace(std::size_t size) const;
  std::shared_ptr<const Program> program_;
  std::shared_ptr<const Executor> executor_;
  // Machine code of a program without loops, for the shortest way to it.
  void (*code_)(const CallFrame*) = nullptr;
  std::size_t code_workspace_ = 0;
  std::size_t input_groups_ = 0;
  std::size_t output_groups_ = 0;
};

/// make_program and Kernel in one.
[[nodiscard]] Kernel compile(std::vector<OutputGroup> outputs, std::vector<InputGroup> inputs);

/// A value that is not finite although everything it is computed from is: a domain left, a division by zero, an
/// overflow.
struct DomainFault {
  std::string subexpression;  ///< in the names of the inputs
  std::string operands;       ///< their values: "x = -2"
  double value = 0;
  std::vector<std::string> outputs;  ///< entries that depend on it: "f[3]"
};
/// A diagnosing run of the same program: the first faults in the order of evaluation, at most `limit`.
[[nodiscard]] std::vector<DomainFault> diagnose(const Program& program, const std::vector<std::vector<double>>& inputs,
                                                std::size_t limit = 5);

/// How far the double precision results of a program are from the exact ones, by rigorous ball arithmetic.
struct Cancellation {
  std::string subexpression;  ///< a sum or difference, in the names of the inputs
  double digits = 0;          ///< how much larger its larger operand is, in powers of ten
  std::vector<std::string> outputs;
};
struct Certificate {
  struct Output {
    std::string group;
    std::size_t index = 0;
    double value = 0;        ///< in double precision
    std::string exact;       ///< to the digits asked for
    double digits_lost = 0;  ///< log10 of the error in units of the rounding of the exact value: 0 means right, 16
                             ///< means nothing is right
  };
  std::vector<Output> outputs;
  std::vector<Cancellation> cancellations;  ///< the worst, at most 5
  double worst = 0;                         ///< digits lost
  long precision = 0;                       ///< bits that were needed
  bool undecided = false;  ///< a condition holds or not within rounding: its outcome was taken from the middle
};
/// Runs the program on the inputs (taken as exact) in doubles and in balls of as many bits as it takes. Constants of
/// the program count as exact. Throws Error(shape), Error(unsupported) for functions without rigorous evaluation.
[[nodiscard]] Certificate certify(const Program& program, const std::vector<std::vector<double>>& inputs,
                                  int digits = 30);

enum class Language { c, cpp };

struct EmitOptions {
  Language language = Language::cpp;
  std::string name = "model";  ///< of the files, the function and (C++) the namespace; an identifier
  std::string title = {};      ///< put into the head comment
  bool eigen = false;          ///< C++: also functions on Eigen's vectors and sparse matrices
};

struct EmittedSource {
  std::string header_name;
  std::string header;
  std::string source_name;
  std::string source;
  std::string template_name;  ///< C++: a header for any scalar type, used by the source
  std::string template_text;
};

/// The program as readable C99 or C++ source with no dependency but <math.h>. The function takes one pointer for each
/// input and output group; sizes and the sparse patterns of outputs are static arrays in the header; loops over rows
/// stay loops. A second function takes many points (structure of arrays) in a form that compilers vectorise. The same
/// program gives the same text. Compiled without contraction of a*b + c (-ffp-contract=off) it computes bit for bit
/// what the Kernel computes, as far as both use the same mathematics library. Throws Error(unsupported) for functions
/// that C does not have.
[[nodiscard]] EmittedSource emit(const Program& program, const EmitOptions& options = {});

/// A function of a package, with inputs at which it is tested.
struct PackagePart {
  Program program;
  EmitOptions options;
  std::vector<std::vector<double>> inputs;
};
struct EmittedFile {
  std::string name;
  std::string text;
};
/// Sources of several functions (all in the language of the first), a test for each with check values computed now, and
/// a CMakeLists.txt that builds, tests, installs and exports them as a package. The same programs give the same bytes.
/// Error(name) for names that C, C++ or CMake have taken.
[[nodiscard]] std::vector<EmittedFile> emit_package(const std::string& name, std::span<const PackagePart> parts);
[[nodiscard]] bool is_package_name(const std::string& name);

/// A program as text, one instruction a line.
[[nodiscard]] std::string to_text(const Program& program);
/// How often each operation is done in one evaluation.
[[nodiscard]] std::vector<std::pair<std::string, std::size_t>> operation_table(const Program& program);

}  // namespace boreon
