// SPDX-License-Identifier: MIT
// Roots: squares taken out of them, nested ones written apart.
#include <algorithm>
#include <optional>

#include "algebra/kernel_ring.hpp"
#include "algebra/simplify/transforms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"

namespace boreon::transforms {
namespace {

// sqrt(a + b*sqrt(c)) = sqrt((a + d)/2) + sign(b)*sqrt((a - d)/2) with d^2 = a^2 - b^2*c a rational square.
std::optional<Expr> denested(const Expr& inside) {
  if (!inside.is(Kind::sum) || inside.operands().size() != 3) return std::nullopt;
  const Number a = inside.operands()[0].number();
  const Expr& root = inside.operands()[1];
  if (a.is_double() || inside.operands()[2].number().is_double() || a.sign() <= 0) return std::nullopt;
  if (!root.is(Kind::power) || !root.operands()[0].is_number() || !(root.operands()[1] == Expr(Number(1, 2))))
    return std::nullopt;
  const Number b = inside.operands()[2].number();
  const Number c = root.operands()[0].number();
  if (c.is_double() || c.sign() < 0) return std::nullopt;
  const Number square = a * a - b * b * c;
  if (square.sign() < 0) return std::nullopt;
  const auto d = exact_root(square, 2);
  if (!d) return std::nullopt;
  const Expr p = sqrt(Expr((a + *d) * Number(1, 2)));
  const Expr q = sqrt(Expr((a - *d) * Number(1, 2)));
  return b.sign() > 0 ? p + q : p - q;
}

// base^(p/q): factors of the base with a multiplicity of at least q come out.
Expr root_of(const Expr& base, const Number& exponent, const Reasoner& reasoner) {
  const Expr whole = power(base, Expr(exponent));
  const auto q = exponent.denominator().word();
  if (!q || *q > 12) return whole;
  if (*q == 2) {
    if (const auto d = denested(base)) return power(*d, Expr(exponent.numerator()));
  }
  if (!base.is(Kind::sum) && !base.is(Kind::product) && !base.is(Kind::power)) return whole;
  const Expr list[] = {base};
  const KernelRing ring(list, {.term_limit = 2000});
  const Fraction f = ring.fraction_of(base);
  std::vector<Expr> outside;
  std::vector<Expr> inside;
  const Number root = exponent;
  bool any = false;
  const auto take = [&](const poly::Poly& p, int sign) {
    const poly::Factors fs = poly::factor(p);
    if (!fs.unit.is_one()) inside.push_back(power(Expr(fs.unit.number()), sign));
    for (const poly::Factor& x : fs.list) {
      const Expr g = ring.expression(x.base);
      const auto n = static_cast<std::int64_t>(x.multiplicity);
      const std::int64_t out = n / *q;
      const std::int64_t in = n % *q;
      // (g^q)^(1/q) = g for g >= 0, abs(g) for even q and real g
      const bool up = reasoner.nonnegative(g);
      if (out > 0 && (up || (*q % 2 == 0 && is_real(g)))) {
        any = true;
        const Expr magnitude = up ? g : reasoner.nonpositive(g) ? -g : abs(g);
        outside.push_back(power(magnitude, Expr(Number(sign * out) * root * Number(*q))));
        if (in > 0) inside.push_back(power(g, Expr(sign * in)));
      } else {
        inside.push_back(power(g, Expr(sign * n)));
      }
    }
  };
  take(f.numerator, 1);
  take(f.denominator, -1);
  if (!any) return whole;
  return multiply(outside) * power(multiply(inside), Expr(root));
}

}  // namespace

Expr radical_rules(const Expr& e, const Reasoner& reasoner) {
  return everywhere(e, [&](const Expr& x) {
    const auto fractional = [](const Expr& n) {
      return n.is_number() && n.number().is_exact() && !n.number().is_integer();
    };
    try {
      if (x.is(Kind::power) && fractional(x.operands()[1]))
        return root_of(x.operands()[0], x.operands()[1].number(), reasoner);
      if (x.is(Kind::product)) {
        std::vector<Expr> factors{x.operands()[0]};
        bool any = false;
        for (const auto [b, n] : Parts(x)) {
          const Expr old = power(b, n);
          const Expr fresh = fractional(n) ? root_of(b, n.number(), reasoner) : old;
          any = any || !(fresh == old);
          factors.push_back(fresh);
        }
        if (any) return multiply(factors);
      }
    } catch (const Error&) {  // too large
    }
    return x;
  });
}

}  // namespace boreon::transforms
