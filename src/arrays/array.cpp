// SPDX-License-Identifier: MIT
// What whole arrays are made of: elements, slices, operations element by element, products.
#include "boreon/arrays.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

#include "arrays/placeholder.hpp"
#include "boreon/error.hpp"
#include "boreon/symbol.hpp"
#include "boreon/traverse.hpp"

namespace boreon {

/// What the free functions need of an Array.
class ArrayParts {
 public:
  using Axis = Array::Axis;
  static const std::vector<Axis>& axes(const Array& a) { return a.axes_; }

  /// Placeholders numbered anew: the open ones first, so that equal arrays become equal expressions.
  static Array made(Expr body, std::vector<Axis> axes, std::string label) {
    Array a;
    std::vector<std::pair<Expr, Expr>> names;
    const auto add = [&](const Expr& index) {
      for (const auto& [from, to] : names) {
        if (from == index) return;
      }
      names.emplace_back(index, placeholder(names.size() + 1));
    };
    for (const Axis& x : axes) add(x.index);
    postorder(body, [&](const Expr& e) {
      if (is_placeholder(e)) add(e);
    });
    a.body_ = renamed(body, names);
    for (std::size_t i = 0; i < axes.size(); ++i) a.axes_.push_back({placeholder(i + 1), axes[i].extent});
    a.label_ = label.size() > 60 ? "the expression" : std::move(label);
    return a;
  }

  /// The body with each open index replaced.
  static Expr put(const Array& a, std::span<const Expr> places) {
    const std::size_t by = last_placeholder(places);
    const Expr body = by == 0 ? a.body_ : shifted(a.body_, by);
    std::vector<std::pair<Expr, Expr>> names;
    for (std::size_t i = 0; i < places.size(); ++i)
      names.emplace_back(by == 0 ? a.axes_[i].index : shifted(a.axes_[i].index, by), places[i]);
    return renamed(body, names);
  }
};

namespace {

using Axis = ArrayParts::Axis;

std::string shown(const Array& a) { return a.label().empty() ? "the expression" : a.label(); }

std::string with_shape(const Array& a) {
  return a.rank() == 0 ? fmt::format("{} is a number", shown(a))
                       : fmt::format("{} has the shape {}", shown(a), shape_text(a));
}

[[noreturn]] void misfit(const Array& a, const Array& b, const std::string& what) {
  throw Error(ErrorKind::shape, fmt::format("{} and {} do not fit: {}, {}{}", shown(a), shown(b), with_shape(a),
                                            with_shape(b), what.empty() ? "" : "; " + what));
}

std::string joined(const Array& a, const char* op, const Array& b) {
  return a.label().empty() || b.label().empty() ? "" : a.label() + op + b.label();
}

void require_same_shape(const Array& a, const Array& b) {
  const auto& x = ArrayParts::axes(a);
  const auto& y = ArrayParts::axes(b);
  if (x.size() != y.size()) misfit(a, b, "element by element both need the same shape");
  for (std::size_t i = 0; i < x.size(); ++i) {
    if (!same_extent(x[i].extent, y[i].extent)) misfit(a, b, "element by element both need the same shape");
  }
}

Array sum_of_two(const Array& a, const Array& b, bool minus) {
  const Array both[] = {a, b};
  return map([&](std::span<const Expr> x) { return minus ? x[0] - x[1] : x[0] + x[1]; }, both)
      .called(joined(a, minus ? " - " : " + ", b));
}

}  // namespace

Array::Array(std::string_view name, const ExprList& extents) {
  const std::vector<Expr> first(extents.size(), Expr(0));
  *this = of(Symbol(name), first, std::vector<Expr>(extents.begin(), extents.end()));
}

Array Array::of(const Expr& head, std::span<const Expr> first, std::span<const Expr> extents) {
  std::vector<Expr> indices;
  std::vector<Expr> places;
  for (std::size_t i = 0; i < extents.size(); ++i) {
    indices.push_back(placeholder(i + 1));
    places.push_back(first[i] + indices.back());
  }
  return over(element(head, places), indices, extents).called(head.name());
}

Array Array::over(const Expr& body, std::span<const Expr> indices, std::span<const Expr> extents) {
  const std::vector<Expr> all{body};
  const std::size_t by = last_placeholder(all) + indices.size();
  std::vector<std::pair<Expr, Expr>> names;
  std::vector<Axis> axes;
  for (std::size_t i = 0; i < indices.size(); ++i) {
    axes.push_back({placeholder(by + 1 + i), extents[i]});
    names.emplace_back(indices[i], axes.back().index);
  }
  return ArrayParts::made(renamed(body, names), axes, "");
}

std::vector<Expr> Array::shape() const {
  std::vector<Expr> extents;
  for (const Axis& a : axes_) extents.push_back(a.extent);
  return extents;
}

std::vector<Expr> Array::indices() const {
  std::vector<Expr> all;
  for (const Axis& a : axes_) all.push_back(a.index);
  return all;
}

Array Array::called(std::string label) const {
  Array a = *this;
  a.label_ = std::move(label);
  return a;
}

namespace {

void require_inside(const Array& a, std::size_t dimension, const Expr& place) {
  const Expr extent = a.shape()[dimension];
  const bool outside =
      place.is_number() && (place.number().sign() < 0 || (extent.is_number() && !(place.number() < extent.number())));
  if (!outside) return;
  throw Error(ErrorKind::shape,
              fmt::format("{} is no place in {}, whose index number {} runs from 0 to {}", place.number().to_string(),
                          shown(a), dimension + 1, extent_text(extent - 1)));
}

}  // namespace

Expr Array::at(const ExprList& places) const {
  if (places.size() != rank()) {
    throw Error(ErrorKind::shape,
                fmt::format("{} has {} {}, but {} {} given", shown(*this), rank(), rank() == 1 ? "index" : "indices",
                            places.size(), places.size() == 1 ? "is" : "are"));
  }
  for (std::size_t i = 0; i < places.size(); ++i) require_inside(*this, i, places[i]);
  return ArrayParts::put(*this, {places.begin(), places.size()});
}

Array Array::slice(std::span<const Range> ranges) const {
  if (ranges.size() != rank()) {
    throw Error(ErrorKind::shape,
                fmt::format("{} has {} {}, but {} {} given", shown(*this), rank(), rank() == 1 ? "index" : "indices",
                            ranges.size(), ranges.size() == 1 ? "is" : "are"));
  }
  std::vector<Expr> places;
  std::vector<Axis> axes;
  const std::vector<Expr> all{body_};
  std::size_t next = std::max(last_placeholder(all), rank());
  for (std::size_t i = 0; i < ranges.size(); ++i) {
    const Range& r = ranges[i];
    require_inside(*this, i, r.from);
    if (r.single) {
      places.push_back(r.from);
      continue;
    }
    require_inside(*this, i, r.to);
    const Expr extent = r.to - r.from + 1;
    if (extent.is_number() && extent.number().sign() < 0)
      throw Error(ErrorKind::shape, fmt::format("the range {}..{} of {} ends before it begins", extent_text(r.from),
                                                extent_text(r.to), shown(*this)));
    axes.push_back({placeholder(++next), extent});
    places.push_back(r.from + axes.back().index);
  }
  return ArrayParts::made(ArrayParts::put(*this, places), axes, label_.empty() ? "" : label_ + "[...]");
}

Array operator+(const Array& a, const Array& b) { return sum_of_two(a, b, false); }
Array operator-(const Array& a, const Array& b) { return sum_of_two(a, b, true); }
Array operator-(const Array& a) {
  if (a.rank() == 0) return -a.body();
  return ArrayParts::made(-a.body(), ArrayParts::axes(a), a.label().empty() ? "" : "-" + a.label());
}

Array operator*(const Array& a, const Array& b) {
  if (a.rank() == 0 && b.rank() == 0) return a.body() * b.body();
  if (a.rank() == 0 || b.rank() == 0) {
    const Array& whole = a.rank() == 0 ? b : a;
    const Array& scalar = a.rank() == 0 ? a : b;
    // the indices of the array move out of the way of what is bound in the scalar
    const std::vector<Expr> mine{scalar.body()};
    const std::size_t by = last_placeholder(mine);
    std::vector<Axis> axes;
    for (const Axis& x : ArrayParts::axes(whole)) axes.push_back({shifted(x.index, by), x.extent});
    return ArrayParts::made(scalar.body() * shifted(whole.body(), by), axes, joined(a, "*", b));
  }
  const auto& x = ArrayParts::axes(a);
  const auto& y = ArrayParts::axes(b);
  if (!same_extent(x.back().extent, y.front().extent))
    misfit(a, b, "the last extent of the left must be the first of the right");
  const std::vector<Expr> both{a.body(), b.body()};
  const std::size_t by = std::max(last_placeholder(both), std::max(a.rank(), b.rank()));
  std::vector<Expr> left;
  std::vector<Expr> right;
  std::vector<Axis> axes;
  std::size_t next = by;
  const Expr inner = placeholder(++next);
  for (std::size_t i = 0; i + 1 < x.size(); ++i) {
    axes.push_back({placeholder(++next), x[i].extent});
    left.push_back(axes.back().index);
  }
  left.push_back(inner);
  right.push_back(inner);
  for (std::size_t i = 1; i < y.size(); ++i) {
    axes.push_back({placeholder(++next), y[i].extent});
    right.push_back(axes.back().index);
  }
  const Expr term = ArrayParts::put(a, left) * ArrayParts::put(b, right);
  return ArrayParts::made(unevaluated_sum(term, inner, 0, x.back().extent - 1), axes, joined(a, "*", b));
}

Array operator/(const Array& a, const Array& b) {
  if (b.rank() > 0)
    throw Error(ErrorKind::shape, fmt::format("nothing can be divided by an array: {}; for quotients of elements write "
                                              "them with indices",
                                              with_shape(b)));
  return a * Array(pow(b.body(), -1)).called(b.label());
}

Array transpose(const Array& a) {
  if (a.rank() != 2)
    throw Error(ErrorKind::shape, fmt::format("only arrays of two indices are transposed: {}", with_shape(a)));
  const auto& x = ArrayParts::axes(a);
  return ArrayParts::made(a.body(), {x[1], x[0]}, a.label().empty() ? "" : "transpose(" + a.label() + ")");
}

Array outer(const Array& a, const Array& b) {
  if (a.rank() == 0 || b.rank() == 0) return a * b;
  const std::vector<Expr> both{a.body(), b.body()};
  std::size_t next = std::max(last_placeholder(both), std::max(a.rank(), b.rank()));
  std::vector<Axis> axes;
  std::vector<Expr> left;
  std::vector<Expr> right;
  for (const Axis& x : ArrayParts::axes(a)) axes.push_back({placeholder(++next), x.extent});
  for (const Axis& x : ArrayParts::axes(b)) axes.push_back({placeholder(++next), x.extent});
  for (std::size_t i = 0; i < axes.size(); ++i) (i < a.rank() ? left : right).push_back(axes[i].index);
  return ArrayParts::made(ArrayParts::put(a, left) * ArrayParts::put(b, right), axes, joined(a, " outer ", b));
}

Expr dot(const Array& a, const Array& b) {
  if (a.rank() != 1 || b.rank() != 1) misfit(a, b, "dot takes two arrays of one index");
  return (a * b).body();
}

Expr trace(const Array& a) {
  const auto& x = ArrayParts::axes(a);
  if (a.rank() != 2 || !same_extent(x[0].extent, x[1].extent))
    throw Error(ErrorKind::shape, fmt::format("a trace needs as many rows as columns: {}", with_shape(a)));
  const std::vector<Expr> mine{a.body()};
  const Expr k = placeholder(std::max(last_placeholder(mine), a.rank()) + 1);
  const std::vector<Expr> places{k, k};
  return ArrayParts::made(unevaluated_sum(ArrayParts::put(a, places), k, 0, x[0].extent - 1), {}, "").body();
}

Array map(const std::function<Expr(std::span<const Expr>)>& f, std::span<const Array> arguments) {
  const Array* first = nullptr;
  std::vector<Expr> bodies;
  for (const Array& a : arguments) {
    bodies.push_back(a.body());
    if (a.rank() == 0) continue;
    if (first != nullptr) require_same_shape(*first, a);
    if (first == nullptr) first = &a;
  }
  if (first == nullptr) return f(bodies);
  std::size_t next = std::max(last_placeholder(bodies), first->rank());
  std::vector<Axis> axes;
  std::vector<Expr> places;
  for (const Axis& x : ArrayParts::axes(*first)) {
    axes.push_back({placeholder(++next), x.extent});
    places.push_back(axes.back().index);
  }
  for (std::size_t i = 0; i < bodies.size(); ++i) {
    if (arguments[i].rank() > 0) bodies[i] = ArrayParts::put(arguments[i], places);
  }
  return ArrayParts::made(f(bodies), axes, "");
}

Array map(const std::function<Expr(const Expr&)>& f, const Array& a) {
  return map([&](std::span<const Expr> x) { return f(x[0]); }, std::span<const Array>(&a, 1));
}

Array map(const std::function<Expr(const Expr&, const Expr&)>& f, const Array& a, const Array& b) {
  const Array both[] = {a, b};
  return map([&](std::span<const Expr> x) { return f(x[0], x[1]); }, both);
}

std::string shape_text(const Array& array) {
  std::vector<std::string> extents;
  for (const Expr& e : array.shape()) extents.push_back(extent_text(e));
  return extents.empty() ? "of a number" : fmt::format("{}", fmt::join(extents, " x "));
}

}  // namespace boreon
