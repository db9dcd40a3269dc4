// SPDX-License-Identifier: MIT
// By parts: a logarithm, an inverse or a special function times something with a known antiderivative.
#include <fmt/format.h>

#include <algorithm>

#include "boreon/algebra.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/text.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/series/expansion.hpp"

namespace boreon {
namespace {

// Functions that differentiation makes simpler.
bool gets_simpler(const Expr& e) {
  return is_call_of(e, "log") || is_call_of(e, "log1p") || is_call_of(e, "log10") ||
         (e.is(Kind::call) && is_integral_like(e));
}

}  // namespace

layers::Result layers::by_parts(Integrator& in, const Expr& f, const Symbol& x) {
  if (in.depth() > 5) return std::nullopt;
  std::vector<std::pair<Expr, Expr>> choices;  // u, v'
  const auto consider = [&](const Expr& base, const Expr& exponent) {
    const auto n = exponent.word();
    if (n && *n >= 1 && depends_on(base, x) && gets_simpler(base))
      choices.emplace_back(power(base, exponent), f / power(base, exponent));
  };
  if (f.is(Kind::product)) {
    for (const auto [base, exponent] : Parts(f)) consider(base, exponent);
  } else if (f.is(Kind::power)) {
    consider(f.operands()[0], f.operands()[1]);
  } else {
    consider(f, 1);
  }
  if (f.is(Kind::product) && in.depth() <= 2) {  // a power of x beside what can be integrated by itself
    for (const auto [base, exponent] : Parts(f)) {
      if (base == x && exponent.word() && *exponent.word() >= 1 && *exponent.word() <= 4)
        choices.emplace_back(power(base, exponent), f / power(base, exponent));
    }
  }
  for (const auto& [u, rest] : choices) {
    const auto v = in(rest, x);
    if (!v) continue;
    Expr left = *v * derivative(u, x);
    try {
      left = combine_fractions(left);
    } catch (const Error&) {
    }
    const auto w = in(left, x);
    if (!w) continue;
    in.note(fmt::format("by parts with u = {}", to_text(u, {80, {}})));
    return u * *v - *w;
  }
  return std::nullopt;
}

}  // namespace boreon
