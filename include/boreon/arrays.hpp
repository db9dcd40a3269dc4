// SPDX-License-Identifier: MIT
// Whole arrays: shorthand for index notation, which is what they are made of.
//
//     const Expr n = Symbol("n", {Assumption::integer, Assumption::positive});
//     const Array A("A", {3, n}), b("b", {n});
//     const Array y = A*b + map([](const Expr& x) { return sin(x); }, Array("c", {3}));
//     y(1)             // sum(A[1, k1]*b[k1], k1 from 0 to n - 1) + sin(c[1])
//     y.shape()        // {3}
//     A + b            // Error(shape): A has the shape 3 x n, b has n
//
// An array is an expression with open indices. Nothing is written out until an element is asked for, so the cost of
// every operation is that of its formula, whatever the extents.
#pragma once

#include <concepts>
#include <functional>
#include <initializer_list>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/list.hpp"

namespace boreon BOREON_API {

/// An expression with open indices, or (of rank 0) a plain expression.
class Array {
 public:
  /// A number or scalar expression.
  Array(Expr scalar) : body_(std::move(scalar)) {}  // NOLINT(google-explicit-constructor)
  template <class T>
  requires(std::convertible_to<T, Expr> && !std::derived_from<T, Expr>)
  Array(const T& number) : body_(number) {}  // NOLINT(google-explicit-constructor): 2*A
  /// Named elements, counted from 0. Extents are whole numbers or expressions in symbols.
  Array(std::string_view name, const ExprList& extents);
  /// The elements head[first[0] + i, ...], i = 0 .. extents[0] - 1: the array is counted from 0 whatever its head is.
  static Array of(const Expr& head, std::span<const Expr> first, std::span<const Expr> extents);
  /// body for each value of the indices, index = 0 ... extent - 1.
  static Array over(const Expr& body, std::span<const Expr> indices, std::span<const Expr> extents);

  [[nodiscard]] std::size_t rank() const { return axes_.size(); }
  [[nodiscard]] std::vector<Expr> shape() const;  ///< extents
  [[nodiscard]] const Expr& body() const { return body_; }
  /// The open indices of the body; each runs from 0 to extent - 1.
  [[nodiscard]] std::vector<Expr> indices() const;
  /// What a message calls it.
  [[nodiscard]] const std::string& label() const { return label_; }
  [[nodiscard]] Array called(std::string label) const;

  /// The element at these places. Throws Error(shape) on another number of indices, or one that is a number outside
  /// the extent.
  [[nodiscard]] Expr at(const ExprList& places) const;
  template <class... Places>
  [[nodiscard]] Expr operator()(const Places&... places) const {
    return at({Expr(places)...});
  }

  /// A place, or a range of places with both ends included.
  struct Range {
    Expr from;
    Expr to;
    bool single = false;                                         ///< only `from`: the dimension goes
    Range(Expr place) : from(std::move(place)), single(true) {}  // NOLINT(google-explicit-constructor)
    Range(Expr first, Expr last) : from(std::move(first)), to(std::move(last)) {}
  };
  /// Parts of each dimension, in steps; a single place drops its dimension.
  [[nodiscard]] Array slice(std::span<const Range> ranges) const;
  [[nodiscard]] Array slice(std::initializer_list<Range> ranges) const {
    return slice(std::span<const Range>(ranges.begin(), ranges.size()));
  }

  /// Element by element; a scalar goes to each element.
  friend Array operator+(const Array& a, const Array& b);
  friend Array operator-(const Array& a, const Array& b);
  friend Array operator-(const Array& a);
  /// A number times an array; otherwise the product of matrices: summed over the last index of a and the first of b.
  friend Array operator*(const Array& a, const Array& b);
  friend Array operator/(const Array& a, const Array& b);  ///< by a scalar
  friend Array transpose(const Array& a);                  ///< of rank 2
  friend Array outer(const Array& a, const Array& b);
  friend Expr trace(const Array& a);
  /// A function of elements: all arrays among the arguments have one shape, scalars go to each element.
  friend Array map(const std::function<Expr(std::span<const Expr>)>& f, std::span<const Array> arguments);

 private:
  struct Axis {
    Expr index;
    Expr extent;
  };
  Array() = default;
  friend class ArrayParts;

  Expr body_;
  std::vector<Axis> axes_;
  std::string label_;
};

[[nodiscard]] Expr dot(const Array& a, const Array& b);  ///< of two vectors of one length
[[nodiscard]] Array map(const std::function<Expr(const Expr&)>& f, const Array& a);
[[nodiscard]] Array map(const std::function<Expr(const Expr&, const Expr&)>& f, const Array& a, const Array& b);

/// "3 x n".
[[nodiscard]] std::string shape_text(const Array& array);

/// Sums, products, least and greatest values over a range of numbers (at most `most`) inside the expression, term by
/// term: T[k] becomes T[0], T[1], ...
[[nodiscard]] Expr written_out(const Expr& expression, std::int64_t most = 1000000);

}  // namespace boreon
