// SPDX-License-Identifier: MIT
#include "calculus/integral/liouville.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <vector>

#include "algebra/kernel_ring.hpp"
#include "algebra/linear_terms.hpp"
#include "algebra/polynomial/work.hpp"
#include "algebra/simplify/transforms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/text.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/integral/undetermined.hpp"

namespace boreon {
namespace {

constexpr unsigned largest_degree = 60;

struct Group {
  Expr exponent;
  Expr factor;
};

// Whether h' + u'*h = r has a rational solution; nothing if the question is too large.
std::optional<bool> solvable(const Expr& r, const Expr& u, const Symbol& x) {
  const Expr slope = derivative(u, x);
  const KernelRing ring(std::vector<Expr>{r, slope, x});
  const unsigned v = *ring.index_of(x);
  const Fraction fr = ring.fraction_of(r);
  const Fraction fs = ring.fraction_of(slope);
  // poles of h: one order less than those of r, for a zero of the denominator of u even fewer
  poly::Poly d = poly::constant(ring.vars(), 1);
  for (const poly::Factor& p : poly::factor(fr.denominator).list) {
    if (p.base.degree(v) > 0 && p.multiplicity > 1) d = poly::multiply(d, poly::power(p.base, p.multiplicity - 1));
  }
  const int growth = static_cast<int>(fr.numerator.degree(v)) - static_cast<int>(fr.denominator.degree(v));
  const int rate = static_cast<int>(fs.numerator.degree(v)) - static_cast<int>(fs.denominator.degree(v));
  const int top = static_cast<int>(d.degree(v)) + std::max({growth + 1, growth - rate, 0});
  if (top < 0 || static_cast<unsigned>(top) > largest_degree) return std::nullopt;
  const Expr denominator = ring.expression(d);
  std::vector<Candidate> candidates;
  for (int k = 0; k <= top; ++k) {
    const Expr h = power(x, k) / denominator;
    candidates.push_back({h, derivative(h, x) + slope * h});
  }
  return combination(r, candidates, x).has_value();
}

}  // namespace

std::optional<std::string> no_elementary_form(const Expr& f, const Symbol& x) {
  try {
    const poly::WorkLimit limit(20000000U);
    const Expr e = expand(transforms::circular_to_exponentials(transforms::hyperbolic_to_exponentials(f)));
    if (e.is(Kind::sum) && e.operands().size() > 40) return std::nullopt;
    std::vector<Group> groups;
    for (const Expr& t : terms_of(e)) {
      Expr exponent = 0;
      Expr factor = leading_number(t);
      for_each_factor(t, [&](const Expr& base, const Expr& n) {
        if (is_call_of(base, "exp") && n.word()) {
          exponent += base.operands()[0] * n;
        } else {
          factor *= power(base, n);
        }
      });
      if (!is_rational_in(factor, x) || !is_rational_in(exponent, x)) return std::nullopt;
      bool placed = false;
      for (Group& g : groups) {
        const Expr difference = expand(exponent - g.exponent);
        if (depends_on(difference, x)) continue;
        g.factor += factor * exp(difference);
        placed = true;
        break;
      }
      if (!placed) groups.push_back({exponent, factor});
    }
    for (const Group& g : groups) {
      if (!depends_on(g.exponent, x) || vanishes(g.factor)) continue;
      const auto s = solvable(g.factor, g.exponent, x);
      if (s && !*s) {
        return fmt::format(
            "proved: there is no elementary antiderivative, since h' + ({})*h = {} has no rational solution "
            "(Liouville)",
            to_text(derivative(g.exponent, x), {60, {}}), to_text(g.factor, {60, {}}));
      }
    }
  } catch (const Error&) {
  }
  return std::nullopt;
}

}  // namespace boreon
