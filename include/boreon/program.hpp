// Numeric functions: a straight-line program in single-assignment form, and the Kernel that runs it.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "boreon/calculus.hpp"
#include "boreon/expr.hpp"

namespace boreon {

/// A named vector of inputs: symbols, or calls of unknown functions such as y(t) and y'(t).
struct InputGroup {
  std::string name;
  std::vector<Expr> variables;
  std::vector<std::string> labels = {};  ///< what the variables are called in comments; their text if empty
};

/// A named vector of outputs. A pattern tells that they are the entries of a sparse matrix, in compressed rows.
struct OutputGroup {
  std::string name;
  std::vector<Expr> values;
  std::optional<SparsityPattern> pattern = std::nullopt;

  OutputGroup(std::string group_name, std::vector<Expr> expressions) : name(std::move(group_name)), values(std::move(expressions)) {}
  OutputGroup(std::string group_name, const SparseMatrix& matrix) : name(std::move(group_name)), values(matrix.values), pattern(matrix.pattern) {}
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
  std::vector<std::vector<Operand>> results;  ///< for each output group its values

  /// Additions, multiplications, calls, ... in one evaluation.
  [[nodiscard]] std::size_t operation_count() const;
};

/// Translates expressions into a program: common subexpressions of all outputs are computed once, constants are
/// folded, small powers become products, halves square roots, negative powers one division, sin and cos of the same
/// argument one instruction; nothing is computed that no output needs. Throws Error(binding) on a symbol that is no
/// input, Error(name) on an input listed twice, Error(unsupported) on unevaluated operators. O(distinct nodes).
[[nodiscard]] Program make_program(std::span<const OutputGroup> outputs, std::span<const InputGroup> inputs);

/// A compiled numeric function. Immutable, cheap to copy, callable from many threads at once.
class Kernel {
 public:
  explicit Kernel(Program program);

  /// One pointer for each input group and each output group, in the order given to compile(). Outputs must not overlap
  /// inputs. Nothing is allocated after the first call in a thread (functions without a double precision rule of their
  /// own, such as bessel_J, allocate inside). A value outside a function's domain gives NaN.
  void operator()(std::span<const double* const> inputs, std::span<double* const> outputs) const;
  /// The same with a workspace of at least workspace_size() doubles from the caller: never allocates.
  void operator()(std::span<const double* const> inputs, std::span<double* const> outputs, std::span<double> workspace) const;
  /// Convenience: checks sizes (Error(shape)) and returns each output group as a vector.
  [[nodiscard]] std::vector<std::vector<double>> evaluate(const std::vector<std::vector<double>>& inputs) const;

  [[nodiscard]] const Program& program() const noexcept;
  [[nodiscard]] std::size_t workspace_size() const noexcept;  ///< registers after reuse

 private:
  struct Code;
  std::shared_ptr<const Code> code_;
};

/// make_program and Kernel in one.
[[nodiscard]] Kernel compile(std::vector<OutputGroup> outputs, std::vector<InputGroup> inputs);

enum class Language { c, cpp };

struct EmitOptions {
  Language language = Language::cpp;
  std::string name = "model";  ///< of the files, the function and (C++) the namespace; an identifier
  std::string title;           ///< put into the head comment
};

struct EmittedSource {
  std::string header_name;
  std::string header;
  std::string source_name;
  std::string source;
};

/// The program as readable C99 or C++ source with no dependency but <math.h>. The function takes one pointer for each
/// input and output group; sizes and the sparse patterns of outputs are static arrays in the header. The same program
/// gives the same text. Compiled without contraction of a*b + c (-ffp-contract=off) it computes bit for bit what the
/// Kernel computes, as far as both use the same mathematics library. Throws Error(unsupported) for functions that C
/// does not have.
[[nodiscard]] EmittedSource emit(const Program& program, const EmitOptions& options = {});

}  // namespace boreon
