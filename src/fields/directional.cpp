// SPDX-License-Identifier: MIT
// Derivatives of fields along a direction: each element that is read brings its own element of the direction.
#include <fmt/format.h>

#include <algorithm>

#include "arrays/element_parts.hpp"
#include "arrays/placeholder.hpp"
#include "boreon/calculus.hpp"
#include "boreon/symbol.hpp"
#include "boreon/traverse.hpp"
#include "fields/body.hpp"
#include "fields/inlined.hpp"

namespace boreon {
namespace {

constexpr std::int64_t longest_in_direction = 4;  // terms of a sum

// The head of a direction: a symbol no text can name.
Expr direction_of(std::size_t unknown) { return entry_symbol(2'000'000 + unknown); }

// The derivative of an expression along the direction: elements become element + step*direction where they stand, so
// that branches that are not taken bring no elements of the direction.
Expr along_direction(const FieldSystem& system, const Expr& e) {
  const Symbol step("step_along_direction");
  Rebuild moved([&](const Expr& x, Expr& result) {
    if (x.is(Kind::symbol) && is_function_head(x)) return false;
    const auto parts = element_parts(x);
    const Expr& head = parts ? parts->head : x;
    for (std::size_t u = 0; u < system.unknowns.size(); ++u) {
      if (!(system.unknowns[u].head == head) || (!parts && !system.unknowns[u].dimensions.empty())) continue;
      result = x + step * (parts ? element(direction_of(u), parts->places) : direction_of(u));
      return true;
    }
    if (!x.is(Kind::element)) return false;
    result = x;
    return true;
  });
  const std::pair<Expr, Expr> at_zero[] = {{step, 0}};
  Expr slope = renamed(derivative(moved(e), step), at_zero);
  postorder(slope, [&](const Expr& x) {
    if (x.is(Kind::derivative) ||
        (x.is(Kind::reduction) && x.reduction_op() != ReductionOp::sum && depends_on(x, step)))
      throw Error(ErrorKind::unsupported,
                  "products and extremes over ranges have no derivative along a direction here");
  });
  return slope;
}

}  // namespace

FieldSystem directional_system(const FieldSystem& system, const FieldSizes& sizes) {
  FieldSystem d = system;
  if (d.results.empty()) d.results = system.unknowns;
  for (std::size_t u = 0; u < system.unknowns.size(); ++u) {
    Field v = system.unknowns[u];
    v.name += " direction";
    v.head = direction_of(u);
    d.unknowns.push_back(std::move(v));
  }
  const FieldLayout layout(system, sizes);
  Inliner inlined(system, layout, longest_in_direction);
  for (FieldEquation& e : d.equations) e.value = along_direction(system, inlined(e.value, {}));
  return d;
}

}  // namespace boreon
