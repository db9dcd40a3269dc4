// SPDX-License-Identifier: MIT
// Impulses: by their defining property, the value of what they multiply.
#include <algorithm>
#include <vector>

#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
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
      const auto l = linear_in(d.operands()[0], x);
      if (!l || l->slope.is_integer(0) || has_impulse(weight)) return std::nullopt;
      const Expr place = -l->constant / l->slope;
      // a step where it is not known on which side the impulse lies
      const auto side = [&](const Expr& distance) {
        const auto s = signs.known(distance);
        return s && *s != 0 ? Expr(*s > 0 ? 1 : 0) : heaviside(distance);
      };
      const Expr above = from == -infinity() ? Expr(1) : side(place - from);
      const Expr below = to.is_constant(ConstantCode::infinity) ? Expr(1) : side(to - place);
      out.value += substitute(weight, {{x, place}}, Unused::allowed) / abs(l->slope) * above * below;
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
