// SPDX-License-Identifier: MIT
// Rational functions of one exponential (hyperbolic functions among them): t = exp(b*x).
#include <fmt/format.h>

#include "algebra/kernel_ring.hpp"
#include "algebra/simplify/transforms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/text.hpp"
#include "calculus/integral/integrator.hpp"

namespace boreon {

layers::Result layers::exponential(Integrator& in, const Expr& f, const Symbol& x) {
  bool candidate = false;
  postorder(f, [&](const Expr& n) {
    if (n.is(Kind::call) && depends_on(n, x)) {
      const auto name = n.function().name;
      candidate = candidate || name == "exp" || name == "sinh" || name == "cosh" || name == "tanh";
    }
    candidate = candidate || (n.is(Kind::power) && depends_on(n.operands()[1], x));
  });
  if (!candidate) return std::nullopt;
  const Expr g = transforms::hyperbolic_to_exponentials(f);
  const KernelRing ring(std::span<const Expr>(&g, 1));
  std::optional<unsigned> variable;
  for (unsigned v = 0; v < ring.vars(); ++v) {
    if (!depends_on(ring.kernels()[v], x)) continue;
    if (variable) return std::nullopt;
    variable = v;
  }
  if (!variable) return std::nullopt;
  const Expr& kernel = ring.kernels()[*variable];
  const Expr argument = is_call_of(kernel, "exp") ? kernel.operands()[0]
                        : kernel.is(Kind::power)  ? kernel.operands()[1] * log(kernel.operands()[0])
                                                  : Expr(0);
  const auto l = linear_in(argument, x);
  if (!l || l->slope.is_integer(0)) return std::nullopt;
  const Fraction q = ring.fraction_of(g);
  const Symbol t = in.fresh({Assumption::positive});
  const auto in_t = [&](const poly::Poly& p) {
    Expr sum = 0;
    const auto c = poly::coefficients_in(p, *variable);
    for (std::size_t k = 0; k < c.size(); ++k) sum += ring.expression(c[k]) * power(t, Expr(k));
    return sum;
  };
  const auto inner = in(combine_fractions(in_t(q.numerator) / (t * in_t(q.denominator))), t);
  if (!inner) return std::nullopt;
  in.note(fmt::format("t = {}", to_text(kernel, {80, {}})));
  // log(t) is the exponent itself
  Rebuild pass([&](const Expr& n, Expr& result) {
    if (!is_call_of(n, "log") || !(n.operands()[0] == t)) return false;
    result = argument;
    return true;
  });
  return substitute(pass(*inner), {{t, kernel}}, Unused::allowed) / l->slope;
}

}  // namespace boreon
