// SPDX-License-Identifier: MIT
// NumericFunction: a function that is known by its numbers: C++ code with derivatives, or a table.
#pragma once

#include <concepts>
#include <cstdint>
#include <functional>
#include <limits>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"

namespace boreon BOREON_API {

class UnknownFunction;

/// Where an argument of a NumericFunction may be; elsewhere the value is NaN.
struct ArgumentRange {
  double lower = -std::numeric_limits<double>::infinity();
  double upper = std::numeric_limits<double>::infinity();
};

/// What gives the numbers.
struct NumericRule {
  /// The value for orders that are all 0, else the partial derivative of these orders. Called from several threads at
  /// once if kernels are. What it throws counts as NaN, for machine code cannot pass exceptions on.
  std::function<double(std::span<const double> arguments, std::span<const int> orders)> value;
  /// The definition of a C99 function `double name(double, ...)` with the same values, for emitted sources; empty
  /// if there is none, and users of the source define `double name(double, ...)` themselves.
  std::function<std::string(const std::string& name, std::span<const int> orders)> c_source = {};
};

/// A function of one to three arguments with a name, whose values and derivatives come from C++ code. Its calls are
/// expressions like those of any function: they are derived, simplified, printed, evaluated and compiled. A cheap
/// handle; the code lives as long as a handle, an expression or a program that uses it.
///
///     const NumericFunction rate("rate", {[](double T) { return std::exp(-300 / T); },
///                                         [](double T) { return 300 / (T * T) * std::exp(-300 / T); }}, {1, 5000});
///     const Expr loss = n * rate(T);
///     derivative(loss, T);                     // n*rate'(T)
///     compile({{"loss", {loss}}}, {{"x", {n, T}}});
///
/// The derivatives given are compared with differences of the function itself at five points of its range when it is
/// made; Error(usage) tells where and by how much they do not fit.
class NumericFunction {
 public:
  /// One argument: the value, then the first derivative, the second, ... as far as they are known. Throws Error(name)
  /// on a name that the grammar or the catalogue has, Error(usage) on an empty rule or range and on derivatives that do
  /// not fit.
  NumericFunction(std::string_view name, std::vector<std::function<double(double)>> value_and_derivatives,
                  ArgumentRange range = {});
  /// As many arguments as there are ranges, with partial derivatives up to `highest_order` in all.
  NumericFunction(std::string_view name, std::vector<ArgumentRange> ranges, int highest_order, NumericRule rule);

  NumericFunction(const NumericFunction& other) noexcept;
  NumericFunction(NumericFunction&& other) noexcept : shared_(std::exchange(other.shared_, nullptr)) {}
  NumericFunction& operator=(NumericFunction other) noexcept {
    std::swap(shared_, other.shared_);
    return *this;
  }
  ~NumericFunction();

  [[nodiscard]] const std::string& name() const noexcept;
  [[nodiscard]] std::span<const ArgumentRange> ranges() const noexcept;
  [[nodiscard]] std::size_t arguments() const noexcept { return ranges().size(); }
  [[nodiscard]] int highest_order() const noexcept;

  /// The call as an expression. Throws Error(shape) on a wrong number of arguments.
  template <class... Args>
  [[nodiscard]] Expr operator()(const Args&... args) const {
    const Expr list[] = {Expr(args)...};
    return call(list);
  }
  [[nodiscard]] Expr call(std::span<const Expr> args) const;
  /// The call of a partial derivative. Throws Error(unsupported) beyond the highest order.
  [[nodiscard]] Expr derivative_at(std::span<const Expr> args, std::span<const int> orders) const;
  /// A number: NaN outside the ranges. No orders: the value.
  [[nodiscard]] double value(std::span<const double> arguments, std::span<const int> orders = {}) const noexcept;

  /// C99 source of the value or a derivative as a function `name`; empty if there is none.
  [[nodiscard]] std::string c_source(const std::string& name, std::span<const int> orders) const;

  friend bool operator==(const NumericFunction& a, const NumericFunction& b) noexcept { return a.shared_ == b.shared_; }

  struct Shared;

 private:
  friend class NumericRows;
  explicit NumericFunction(Shared* retained) noexcept : shared_(retained) {}
  Shared* shared_;
};

/// The function and the orders that a call of it stands for. Only for calls with FunctionRow::own.
struct NumericCall {
  NumericFunction function;
  std::vector<int> orders;
};
[[nodiscard]] NumericCall numeric_call(const FunctionRow& row);

/// The expression with an unknown function replaced by a numeric one, derivatives of all orders included: what a text
/// or a model calls by name gets its numbers. Throws as the form with a Function does.
///
///     substitute(parse("n*rate(T)"), UnknownFunction("rate"), rate);
[[nodiscard]] Expr substitute(const Expr& expression, const UnknownFunction& unknown, const NumericFunction& known);

/// How a table is read between its points.
enum class TableCurve : std::uint8_t {
  smooth,  ///< cubic spline with continuous second derivatives, without a knot at the second and the last but one point
  monotone  ///< cubic pieces that never leave the range of their two points; first derivatives are continuous
};
/// What holds beyond its first and last point.
enum class BeyondTable : std::uint8_t {
  refuse,  ///< NaN, as outside any domain
  hold     ///< the value at the end
};
/// A function through the points (arguments[i], values[i]) with derivatives up to the third. Throws Error(shape) unless
/// both have one length of at least 2 and Error(usage) unless all numbers are finite and the arguments rise. O(n); a
/// value takes O(log n). Source of `monotone`: Fritsch, Butland, "A method for constructing local monotone piecewise
/// cubic interpolants", 1984.
[[nodiscard]] NumericFunction table_function(std::string_view name, std::vector<double> arguments,
                                             std::vector<double> values, TableCurve curve = TableCurve::smooth,
                                             BeyondTable beyond = BeyondTable::refuse);

}  // namespace boreon
