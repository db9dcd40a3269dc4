// SPDX-License-Identifier: MIT
// The catalogue of known functions: one row holds everything known of a function. Adding a function is adding a row in
// src/expr/catalogue/.
#pragma once

#include <complex>
#include <cstdint>
#include <span>
#include <string_view>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"

namespace boreon BOREON_API {

class Ball;  // a complex ball, see src/expr/ball.hpp

enum class Parity : std::uint8_t { none, even, odd };  ///< of a function of one argument

struct FunctionRow {
  using Args = std::span<const Expr>;
  using RealArgs = std::span<const double>;
  using ComplexArgs = std::span<const std::complex<double>>;

  std::string_view name;          ///< spelling in text
  std::string_view summary = {};  ///< one line for help, with the defining convention where there are several
  int min_args = 1;
  int max_args = 1;                  ///< -1: any number
  std::string_view latex = {};       ///< the operator, such as \sin; `\operatorname{name}` if empty
  std::string_view unicode = {};     ///< spelling in two-dimensional output; `name` if empty
  std::string_view mathml = {};      ///< element of content MathML; empty if it has none
  std::string_view c_name = {};      ///< spelling in C99 <math.h>; empty if C has none
  std::string_view c_template = {};  ///< where no single function of C does: an expression with $1, $2 as arguments
  Parity parity = Parity::none;
  bool analytic = true;    ///< differentiable in the complex sense, so that the complex step applies
  bool overflows = false;  ///< may become infinite without leaving its domain, as exp does
  int orders = 0;  ///< how many of the first arguments are orders or degrees: whole or small numbers, see ball_value()
  bool also_letter = false;  ///< the name is also a Greek letter and stands for a symbol when no parenthesis follows
  std::string_view domain = {};  ///< where real evaluation is defined, in words: "a positive argument"
  std::uint16_t own =
      0;  ///< number of a row that is not in the catalogue but of a NumericFunction; 0: in the catalogue

  /// Exact values and canonical forms at construction; false if there is none.
  bool (*exact)(Args args, Expr& result) = nullptr;
  /// f(args)^exponent in another form, for an integer exponent.
  bool (*power_rule)(Args args, const Expr& exponent, Expr& result) = nullptr;
  /// What is known of the value when all arguments have the given Assumption bits.
  std::uint16_t (*facts)(std::uint16_t arguments) = nullptr;
  /// Partial derivative with respect to argument i.
  Expr (*derivative)(Args args, std::size_t i) = nullptr;

  /// NaN outside the real domain. Null: computed from `ball`, rounded to nearest.
  double (*real)(RealArgs args) = nullptr;
  std::complex<double> (*complex)(ComplexArgs args) = nullptr;
  /// Rigorous enclosure at `precision` bits.
  void (*ball)(Ball& result, std::span<const Ball> args, long precision) = nullptr;
};

/// All rows, in an order that does not change while the program runs.
[[nodiscard]] std::span<const FunctionRow> catalogue();
/// The row of that name, or null.
[[nodiscard]] const FunctionRow* find_function(std::string_view name);
/// The number of a row: its place in catalogue(), or the number of a NumericFunction's row while that is in use; the
/// row of a number; the number of a name that is known to be in the catalogue.
[[nodiscard]] inline std::uint16_t row_number(const FunctionRow& row) {
  return row.own != 0 ? row.own : static_cast<std::uint16_t>(&row - catalogue().data());
}
[[nodiscard]] const FunctionRow& row_of(std::uint16_t number);
[[nodiscard]] inline std::uint16_t row_number(std::string_view name) { return row_number(*find_function(name)); }
/// Whether an expression is a call of the known function of that name.
[[nodiscard]] inline bool is_call_of(const Expr& e, std::string_view name) {
  return e.is(Kind::call) && e.function().name == name;
}
/// A call of a known function in canonical form. Throws Error(shape) on a wrong number of arguments.
[[nodiscard]] Expr call(const FunctionRow& row, std::span<const Expr> args);

/// The partial derivative of a call with respect to argument i. Throws Error(unsupported) if no rule is known.
[[nodiscard]] Expr partial_derivative(const FunctionRow& row, std::span<const Expr> args, std::size_t i);

/// The ball rule of a row, guarded: an order beyond 10^9 gives an indeterminate ball (the ball library turns orders
/// into machine words), and what that library gives up on throws Error(limit) instead of ending the program.
void ball_value(const FunctionRow& row, Ball& result, std::span<const Ball> args, long precision);

/// Values of a row in double, complex double: by its own rule or through the ball rule. A NumericFunction has values at
/// real arguments only.
[[nodiscard]] double evaluate_real(const FunctionRow& row, std::span<const double> args);
[[nodiscard]] std::complex<double> evaluate_complex(const FunctionRow& row, std::span<const std::complex<double>> args);

}  // namespace boreon
