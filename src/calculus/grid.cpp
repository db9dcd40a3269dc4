// SPDX-License-Identifier: MIT
// Derivatives by coordinates as differences of elements.
#include "boreon/grid.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "arrays/element_parts.hpp"
#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"

namespace boreon {
namespace {

using Grid = std::span<const GridCoordinate>;

const GridCoordinate* coordinate_of(const Expr& e, Grid grid) {
  for (const GridCoordinate& c : grid) {
    if (e == c.coordinate) return &c;
  }
  return nullptr;
}

bool is_operator_named(const Expr& e, const char* name) { return e.is(Kind::unknown_call) && e.name() == name; }

// Arguments of an unknown call, which has an order behind each.
std::vector<Expr> arguments_of(const Expr& call) {
  std::vector<Expr> list;
  for (std::size_t i = 1; i < call.operands().size(); i += 2) list.push_back(call.operands()[i]);
  return list;
}

Expr derivative_node(const Expr& f, const Expr& x, int order) {
  const Expr list[] = {x, order};
  return unevaluated_derivative(f, list);
}

class Discretiser {
 public:
  Discretiser(Grid grid, const GridDimension& dimension) : grid_(grid), dimension_(dimension) {}

  Expr operator()(const Expr& e) const {
    constexpr int deepest = 40;
    if (depth_ >= deepest)
      throw Error(ErrorKind::limit, "more than 40 derivatives on a grid stand within each other: name the inner ones");
    ++depth_;
    struct Leave {
      int& depth;
      ~Leave() { --depth; }
    } leave{depth_};
    return Rebuild([&](const Expr& n, Expr& result) {
      if (n.is(Kind::derivative)) {
        if (!is_grid_operator(n, grid_)) return false;
        result = differences(n);
        return true;
      }
      if (const GridCoordinate* const c = coordinate_of(n, grid_)) {
        result = c->start + (c->index - c->first) * c->spacing;
        return true;
      }
      if (is_operator_named(n, "upwind")) {
        result = upwind(n);
        return true;
      }
      return false;
    })(e);
  }

  // laplacian and diffusion as derivatives; upwind too, where it is only asked what it means.
  Expr meaning(const Expr& e, bool of_upwind) const {
    return Rebuild([](const Expr&, Expr&) { return false; },
                   [&](const Expr& n) -> Expr {
                     if (is_operator_named(n, "laplacian") || is_operator_named(n, "diffusion")) {
                       const std::vector<Expr> a = arguments_of(n);
                       const bool plain = is_operator_named(n, "laplacian");
                       Expr sum = 0;
                       for (const GridCoordinate& c : grid_) {
                         if (!place_along(a.back(), c)) continue;
                         sum += plain ? derivative_node(a[0], c.coordinate, 2)
                                      : derivative_node(a[0] * derivative_node(a[1], c.coordinate, 1), c.coordinate, 1);
                       }
                       return sum;
                     }
                     if (!of_upwind || !is_operator_named(n, "upwind")) return n;
                     const std::vector<Expr> a = arguments_of(n);
                     return a[0] * derivative_node(a[1], a[2], 1);
                   })(e);
  }

 private:
  // The dimension of an element that a coordinate counts, if it is one.
  std::optional<std::size_t> dimension_of(const std::optional<ElementParts>& e, const GridCoordinate& c) const {
    if (!e) return std::nullopt;
    if (dimension_) return dimension_(e->head, c);
    for (std::size_t k = 0; k < e->places.size(); ++k) {
      if (depends_on(e->places[k], c.index)) return k;
    }
    return std::nullopt;
  }

  // Where e is taken along a coordinate: the index, shifted or not, or a number; nothing where e does not vary.
  std::optional<Expr> place_along(const Expr& e, const GridCoordinate& c) const {
    std::optional<Expr> place;
    postorder(e, [&](const Expr& n) {
      if (n == c.coordinate && !place) place = c.index;
      const auto parts = element_parts(n);
      const auto d = dimension_of(parts, c);
      if (!d) return;
      const Expr& p = parts->places[*d];
      if (!place || (!depends_on(*place, c.index) && depends_on(p, c.index))) place = p;
    });
    if (!place && depends_on(e, c.index)) place = c.index;
    // beside its neighbours the place is that of the index itself
    if (place && depends_on(*place, c.index)) place = c.index;
    return place;
  }

  // e as many places further along a coordinate.
  Expr shifted(const Expr& e, const GridCoordinate& c, const Expr& by, bool at_number) const {
    if (by.is_integer(0)) return e;
    if (!at_number) return substitute(e, {{c.index, c.index + by}}, Unused::allowed);
    return Rebuild([&](const Expr& n, Expr& result) {
      auto parts = element_parts(n);
      const auto d = dimension_of(parts, c);
      if (!d) return false;
      parts->places[*d] += by;
      result = element(parts->head, parts->places);
      return true;
    })(e);
  }

  Expr applied(const Stencil& s, const Expr& f, const GridCoordinate& c, bool at_number) const {
    std::vector<Expr> terms;
    for (std::size_t k = 0; k < s.offsets.size(); ++k)
      terms.push_back(Expr(s.weights[k]) * shifted(f, c, Expr(s.offsets[k]), at_number));
    return add(terms) / power(c.spacing, Expr(s.derivative));
  }

  static Stencil between(int from, int to, int derivative) {
    std::vector<Number> offsets;
    for (int k = from; k <= to; ++k) offsets.emplace_back(k);
    return stencil(offsets, derivative);
  }

  // The derivative of order m of f, in which no other derivative is left.
  Expr difference(const Expr& f, const GridCoordinate& c, int m) const {
    const auto place = place_along(f, c);
    if (!place) return 0;
    const bool at_number = !depends_on(*place, c.index);
    const int half = (m + c.order - 1) / 2;
    const Expr central = applied(between(-half, half, m), f, c, at_number);
    if (c.periodic) return central;
    const int points = m + c.order;  // of a shifted one
    const Expr room = c.last - c.first + 1 - points;
    if (room.is_number() && room.number().sign() < 0)
      throw Error(ErrorKind::shape,
                  fmt::format("{} runs over {} places; differences of order {} of a derivative of order {} need {}",
                              c.index.name(), to_text(c.last - c.first + 1), c.order, m, points));
    const auto one_sided = [&](int from_end, bool at_last) {
      const Stencil s =
          at_last ? between(from_end - points + 1, from_end, m) : between(-from_end, points - 1 - from_end, m);
      return applied(s, f, c, at_number);
    };
    if (at_number) {
      const Expr before = *place - c.first;
      const Expr behind = c.last - *place;
      for (int q = 0; q < half; ++q) {
        if (before.is_integer(q)) return one_sided(q, false);
        if (behind.is_integer(q)) return one_sided(q, true);
      }
      return central;
    }
    std::vector<Expr> branches;
    for (int q = 0; q < half; ++q) {
      for (const bool at_last : {false, true}) {
        branches.push_back(one_sided(q, at_last));
        branches.push_back(equal(c.index, at_last ? c.last - q : c.first + q));
      }
    }
    branches.push_back(central);
    return piecewise(branches);
  }

  // e between a place and the next: means of neighbours, and differences for derivatives.
  Expr half_way(const Expr& e, const GridCoordinate& c, bool at_number) const {
    const Expr half = Expr(1) / 2;
    return Rebuild([&](const Expr& n, Expr& result) {
      if (n.is(Kind::derivative)) {
        const auto ops = n.operands();
        if (ops.size() == 3 && ops[1] == c.coordinate && ops[2].is_integer(1)) {
          const Expr u = (*this)(ops[0]);
          result = (shifted(u, c, 1, at_number) - u) / c.spacing;
        } else {
          const Expr u = (*this)(n);
          result = (u + shifted(u, c, 1, at_number)) / 2;
        }
        return true;
      }
      if (dimension_of(element_parts(n), c)) {
        result = (n + shifted(n, c, 1, at_number)) / 2;
        return true;
      }
      if (n == c.index || n == c.coordinate) {
        result = n == c.index ? c.index + half : c.start + (c.index + half - c.first) * c.spacing;
        return true;
      }
      return false;
    })(e);
  }

  static bool has_slope(const Expr& e, const GridCoordinate& c) {
    bool found = false;
    postorder(e, [&](const Expr& n) {
      found = found || (n.is(Kind::derivative) && n.operands().size() == 3 && n.operands()[1] == c.coordinate &&
                        n.operands()[2].is_integer(1));
    });
    return found;
  }

  Expr differences(const Expr& node) const {
    const auto ops = node.operands();
    Expr f = ops[0];
    const bool single = ops.size() == 3 && ops[2].is_integer(1);
    if (const GridCoordinate* const c = coordinate_of(ops[1], grid_); single && c != nullptr && has_slope(f, *c)) {
      const auto place = place_along(f, *c);
      if (!place) return 0;
      const bool at_number = !depends_on(*place, c->index);
      const Expr flux = half_way(f, *c, at_number);
      return (flux - shifted(flux, *c, -1, at_number)) / c->spacing;
    }
    f = (*this)(f);
    std::vector<Expr> others;
    for (std::size_t i = 1; i < ops.size(); i += 2) {
      const GridCoordinate* const c = coordinate_of(ops[i], grid_);
      const auto m = ops[i + 1].word();
      if (c == nullptr || !m) {
        others.insert(others.end(), {ops[i], ops[i + 1]});
        continue;
      }
      if (*m > 12) throw Error(ErrorKind::limit, "derivatives on grids have orders up to 12");
      f = difference(f, *c, static_cast<int>(*m));
    }
    return others.empty() ? f : unevaluated_derivative(f, others);
  }

  Expr upwind(const Expr& node) const {
    const std::vector<Expr> a = arguments_of(node);
    const GridCoordinate* const c = a.size() == 3 ? coordinate_of(a[2], grid_) : nullptr;
    if (c == nullptr)
      throw Error(ErrorKind::usage, "upwind(v, f, x) takes a speed, a field and a coordinate of the grid");
    const Expr v = (*this)(a[0]);
    const Expr f = (*this)(a[1]);
    const auto place = place_along(f, *c);
    if (!place) return 0;
    const bool at_number = !depends_on(*place, c->index);
    const Expr back = applied(between(-1, 0, 1), f, *c, at_number);
    const Expr ahead = applied(between(0, 1, 1), f, *c, at_number);
    const Expr by_sign[] = {back, greater_equal(v, 0), ahead};
    if (c->periodic) return v * piecewise(by_sign);
    if (at_number) {
      if ((*place - c->first).is_integer(0)) return v * ahead;
      if ((c->last - *place).is_integer(0)) return v * back;
      return v * piecewise(by_sign);
    }
    const Expr branches[] = {ahead, equal(c->index, c->first), back, equal(c->index, c->last), piecewise(by_sign)};
    return v * piecewise(branches);
  }

  Grid grid_;
  const GridDimension& dimension_;
  mutable int depth_ = 0;  // of operators within operators
};

}  // namespace

bool is_grid_operator(const Expr& e, Grid grid) {
  if (e.is(Kind::derivative))
    return std::any_of(e.operands().begin() + 1, e.operands().end(),
                       [&](const Expr& v) { return coordinate_of(v, grid) != nullptr; });
  return is_operator_named(e, "laplacian") || is_operator_named(e, "diffusion") || is_operator_named(e, "upwind");
}

bool has_grid_operators(const Expr& e, Grid grid) {
  bool found = false;
  postorder(e, [&](const Expr& n) { found = found || coordinate_of(n, grid) != nullptr || is_grid_operator(n, grid); });
  return found;
}

Expr as_derivatives(const Expr& e, Grid grid, const GridDimension& dimension) {
  return Discretiser(grid, dimension).meaning(e, true);
}

Expr discretised(const Expr& e, Grid grid, const GridDimension& dimension) {
  const Discretiser pass(grid, dimension);
  return pass(pass.meaning(e, false));
}

}  // namespace boreon
