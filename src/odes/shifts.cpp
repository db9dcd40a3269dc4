// SPDX-License-Identifier: MIT
#include "odes/shifts.hpp"

#include <algorithm>

#include "algebra/put_in.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/series/limit_engine.hpp"

namespace boreon::odes {
namespace {

constexpr std::size_t most_places = 3;

// Roots of sums that are linear in x and hold nothing of the others.
std::vector<Expr> roots_of_linear_parts(const Expr& F, const Symbol& x, const std::vector<Symbol>& others) {
  std::vector<Expr> out;
  postorder(F, [&](const Expr& n) {
    if (!n.is(Kind::sum) || !depends_on(n, x) || out.size() >= most_places) return;
    if (std::any_of(others.begin(), others.end(), [&](const Symbol& s) { return depends_on(n, s); })) return;
    const auto l = linear_in(n, x);
    if (!l || l->slope.is_integer(0) || l->constant.is_integer(0)) return;
    const Expr root = combine_fractions(-l->constant / l->slope);
    if (!root.is_integer(0) && std::find(out.begin(), out.end(), root) == out.end()) out.push_back(root);
  });
  return out;
}

}  // namespace

std::vector<Shift> shifts_of(const Expr& F, const Symbol& t, const std::vector<Symbol>& jets) {
  std::vector<Expr> of_t = roots_of_linear_parts(F, t, jets);
  std::vector<Symbol> others(jets.begin() + 1, jets.end());
  others.push_back(t);
  std::vector<Expr> of_y = roots_of_linear_parts(F, jets[0], others);
  // y at rest
  Bindings still;
  for (std::size_t k = 1; k < jets.size(); ++k) still.set(jets[k], 0);
  const Expr at_rest = substitute(F, still, Unused::allowed);
  const bool has_value = !has_infinity(at_rest) && !has_undefined(at_rest);
  const auto l = has_value ? linear_in(at_rest, jets[0]) : std::nullopt;
  if (l && !l->slope.is_integer(0)) {
    const Expr rest = combine_fractions(-l->constant / l->slope);
    if (!depends_on(rest, t) && !rest.is_integer(0) && std::find(of_y.begin(), of_y.end(), rest) == of_y.end())
      of_y.push_back(rest);
  }
  of_t.insert(of_t.begin(), 0);
  of_y.insert(of_y.begin(), 0);
  std::vector<Shift> out;
  for (const Expr& x : of_t) {
    for (const Expr& y : of_y) {
      if (!x.is_integer(0) || !y.is_integer(0)) out.push_back({x, y});
    }
  }
  return out;
}

Expr shifted_equation(const Expr& F, const Shift& s, const Symbol& t, const Symbol& y) {
  return with_sums_expanded(substitute(F, {{t, t + s.of_t}, {y, y + s.of_y}}, Unused::allowed));
}

}  // namespace boreon::odes
