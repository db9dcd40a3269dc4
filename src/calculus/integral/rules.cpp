// SPDX-License-Identifier: MIT
// What needs no search: powers, exponentials and known functions of a linear argument.
#include <fmt/format.h>

#include "boreon/catalogue.hpp"
#include "boreon/functions.hpp"
#include "boreon/text.hpp"
#include "calculus/integral/antiderivatives.hpp"
#include "calculus/integral/integrator.hpp"

namespace boreon {

layers::Result layers::by_rules(Integrator& in, const Expr& f, const Symbol& x) {
  if (f == x) return power(x, 2) / 2;
  if (f.is(Kind::power)) {
    const Expr& base = f.operands()[0];
    const Expr& exponent = f.operands()[1];
    if (!depends_on(exponent, x)) {
      if (exponent.is_integer(-1) && (is_call_of(base, "sin") || is_call_of(base, "cos"))) {
        const auto angle = linear_in(base.operands()[0], x);
        if (!angle) return std::nullopt;
        in.note("1/sin is the derivative of the logarithm of tan of half the angle");
        const Expr half = base.operands()[0] / 2;
        return in.real_log(tan(is_call_of(base, "sin") ? half : half + pi() / 4)) / angle->slope;
      }
      const auto l = linear_in(base, x);
      if (!l) return std::nullopt;
      const Expr n = exponent + 1;
      in.note(fmt::format("power rule for {}", to_text(f, {80, {}})));
      if (n.is_integer(0)) return in.real_log(base) / l->slope;
      return power(base, n) / (n * l->slope);
    }
    if (!depends_on(base, x)) {
      const auto l = linear_in(exponent, x);
      if (!l) return std::nullopt;
      in.note(fmt::format("exponential rule for {}", to_text(f, {80, {}})));
      return f / (l->slope * log(base));
    }
    return std::nullopt;
  }
  if (f.is(Kind::unknown_call)) {  // the derivative of an unknown function, one order down
    std::vector<Expr> ops(f.operands().begin(), f.operands().end());
    std::size_t at = 0;
    for (std::size_t i = 1; i < ops.size(); i += 2) {
      if (!depends_on(ops[i], x)) continue;
      if (at != 0) return std::nullopt;
      at = i;
    }
    const auto l = linear_in(ops[at], x);
    const auto order = ops[at + 1].word();
    if (!l || !order || *order < 1) return std::nullopt;
    ops[at + 1] = *order - 1;
    return unknown_call(ops) / l->slope;
  }
  if (f.is(Kind::call)) {
    std::size_t varying = f.operands().size();
    for (std::size_t i = 0; i < f.operands().size(); ++i) {
      if (!depends_on(f.operands()[i], x)) continue;
      if (varying != f.operands().size()) return std::nullopt;
      varying = i;
    }
    const auto l = linear_in(f.operands()[varying], x);
    if (!l) return std::nullopt;
    const auto F = antiderivative_of_call(f, varying, in);
    if (!F) return std::nullopt;
    in.note(fmt::format("known antiderivative of {}", f.function().name));
    return *F / l->slope;
  }
  return std::nullopt;
}

}  // namespace boreon
