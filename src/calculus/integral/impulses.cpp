// SPDX-License-Identifier: MIT
// Impulses: by their defining property, the value of what they multiply.
#include <algorithm>
#include <vector>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/functions.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/definite.hpp"
#include "calculus/integral/integrator.hpp"

namespace boreon {

bool has_impulse(const Expr& e) {
  bool found = false;
  postorder(e, [&](const Expr& n) { found = found || is_call_of(n, "dirac_delta"); });
  return found;
}

namespace {

// Where a polynomial in x is zero, if that is all real zeros and each is simple.
std::optional<std::vector<Expr>> simple_zeros(const Expr& g, const Symbol& x, const Signs& signs) {
  if (const auto l = linear_in(g, x)) {
    if (l->slope.is_integer(0)) return std::nullopt;
    return std::vector<Expr>{-l->constant / l->slope};
  }
  if (!polynomial_in(g, x, 8)) return std::nullopt;
  std::vector<Expr> zeros;
  bool good = true;
  for_each_factor(factor(g), [&](const Expr& base, const Expr& exponent) {
    if (!depends_on(base, x)) return;
    const auto c = polynomial_in(base, x, 2);
    good = good && c && exponent.is_integer(1);
    if (!good) return;
    if (c->size() == 2) {
      zeros.push_back(-(*c)[0] / (*c)[1]);
      return;
    }
    const Expr d = expand((*c)[1] * (*c)[1] - 4 * (*c)[0] * (*c)[2]);
    const auto s = signs.known(d);
    good = s && *s != 0;
    if (!good || *s < 0) return;
    for (const int sign : {1, -1}) zeros.push_back(expand((-(*c)[1] + sign * sqrt(d)) / (2 * (*c)[2])));
  });
  if (!good) return std::nullopt;
  return zeros;
}

}  // namespace

std::optional<Impulses> split_impulses(const Expr& f, const Symbol& x, const Expr& from, const Expr& to, Signs& signs) {
  Impulses out{0, expand(f)};
  std::vector<Expr> impulses;
  postorder(out.rest, [&](const Expr& n) {
    if (is_call_of(n, "dirac_delta")) impulses.push_back(n);
  });
  try {
    for (const Expr& d : impulses) {
      Rebuild without([&](const Expr& n, Expr& r) {
        if (!(n == d)) return false;
        r = 0;
        return true;
      });
      const Expr smooth = without(out.rest);
      const Expr weight = expand((out.rest - smooth) / d);
      if (has_impulse(weight)) return std::nullopt;
      const Expr& g = d.operands()[0];
      const auto places = simple_zeros(g, x, signs);
      if (!places) return std::nullopt;
      const Expr slope = derivative(g, x);
      // a step where it is not known on which side the impulse lies
      const auto side = [&](const Expr& distance) {
        const auto s = signs.known(distance);
        return s && *s != 0 ? Expr(*s > 0 ? 1 : 0) : heaviside(distance);
      };
      for (const Expr& place : *places) {
        const Bindings there{{x, place}};
        const Expr above = from == -infinity() ? Expr(1) : side(place - from);
        const Expr below = to.is_constant(ConstantCode::infinity) ? Expr(1) : side(to - place);
        out.value += substitute(weight, there, Unused::allowed) /
                     abs(expand(substitute(slope, there, Unused::allowed))) * above * below;
      }
      out.rest = smooth;
    }
  } catch (const UnknownSign&) {
    return std::nullopt;
  }
  return out;
}

Evidence check_impulses(const Expr& f, const Symbol& x, const Expr& from, const Expr& to, const Expr& value,
                        std::span<const Expr> conditions) {
  const Expr width = Expr(Number(1, 16384));
  Rebuild spread([&](const Expr& n, Expr& r) {
    if (!is_call_of(n, "dirac_delta")) return false;
    r = exp(-power(n.operands()[0] / width, 2)) / (width * sqrt(pi()));
    return true;
  });
  constexpr double needed = 5;
  constexpr double most = 7;  // the width tells no more
  Evidence witness = check_definite(spread(f), x, from, to, value, conditions, {});
  witness.method = "impulses as narrow Gaussians, by quadrature";
  if (witness.verdict == Verdict::disagrees && witness.digits >= needed) witness.verdict = Verdict::agrees;
  witness.digits = std::min(witness.digits, most);
  return witness;
}

}  // namespace boreon
