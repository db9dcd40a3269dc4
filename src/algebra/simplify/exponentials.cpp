// SPDX-License-Identifier: MIT
// Exponentials, hyperbolic functions, logarithms.
#include <algorithm>
#include <cmath>

#include "algebra/kernel_ring.hpp"
#include "algebra/simplify/transforms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"

namespace boreon::transforms {

Expr hyperbolic_to_exponentials(const Expr& e) {
  return everywhere(e, [](const Expr& x) {
    const char* const names[] = {"sinh", "cosh", "tanh"};
    if (std::none_of(std::begin(names), std::end(names), [&](const char* n) { return is_call_of(x, n); })) return x;
    const Expr p = exp(x.operands()[0]);
    const Expr m = exp(-x.operands()[0]);
    if (is_call_of(x, "sinh")) return (p - m) / 2;
    if (is_call_of(x, "cosh")) return (p + m) / 2;
    return (p - m) / (p + m);
  });
}

Expr circular_to_exponentials(const Expr& e) {
  const Expr i = imaginary_unit();
  return everywhere(e, [&](const Expr& x) {
    const char* const names[] = {"sin", "cos", "tan"};
    if (std::none_of(std::begin(names), std::end(names), [&](const char* n) { return is_call_of(x, n); })) return x;
    const Expr p = exp(expand(i * x.operands()[0]));
    const Expr m = exp(expand(-i * x.operands()[0]));
    if (is_call_of(x, "sin")) return (p - m) / (2 * i);
    if (is_call_of(x, "cos")) return (p + m) / 2;
    return (p - m) / (i * (p + m));
  });
}

Expr exponentials_to_circular(const Expr& e) {
  const Expr i = imaginary_unit();
  return everywhere(e, [&](const Expr& x) {
    if (!is_call_of(x, "exp")) return x;
    // exp(a + i*b) = exp(a)*(cos(b) + i*sin(b))
    Expr real = 0;
    Expr angle = 0;
    for (const LinearTerm& l : linear_terms(x.operands()[0])) {
      const Expr t = Expr(l.coefficient) * l.term;
      bool imaginary = false;
      if (t.is_constant(ConstantCode::imaginary)) imaginary = true;
      if (t.is(Kind::product)) {
        for (const auto [b, n] : Parts(t))
          imaginary = imaginary || (b.is_constant(ConstantCode::imaginary) && n.is_integer(1));
      }
      (imaginary ? angle : real) += imaginary ? t / i : t;
    }
    if (angle.is_integer(0)) return x;
    return exp(real) * (cos(angle) + i * sin(angle));
  });
}

Expr powers_to_exponentials(const Expr& e) {
  return everywhere(e, [](const Expr& x) {
    const auto one = [](const Expr& b, const Expr& n) {
      return n.is_number() || b.is_number() || !is_positive(b) ? power(b, n) : exp(expand(n * log(b)));
    };
    if (x.is(Kind::power)) return one(x.operands()[0], x.operands()[1]);
    if (!x.is(Kind::product)) return x;
    std::vector<Expr> factors{x.operands()[0]};
    for (const auto [b, n] : Parts(x)) factors.push_back(one(b, n));
    return multiply(factors);
  });
}

Expr inverse_hyperbolic_to_logarithms(const Expr& e) {
  return everywhere(e, [](const Expr& x) {
    if (!x.is(Kind::call)) return x;
    const Expr& u = x.operands()[0];
    if (is_call_of(x, "asinh")) return log(u + sqrt(u * u + 1));
    if (is_call_of(x, "acosh")) return log(u + sqrt(u - 1) * sqrt(u + 1));
    if (is_call_of(x, "atanh")) return (log(1 + u) - log(1 - u)) / 2;
    return x;
  });
}

namespace {

// A polynomial in exp(b) as a sum of cosh and sinh, divided by exp(b*degree/2).
Expr symmetric_form(const poly::Poly& p, unsigned v, const KernelRing& ring, const Expr& b, const Number& middle) {
  const auto c = poly::coefficients_in(p, v);
  std::vector<Expr> terms;
  for (std::size_t k = 0; k < c.size(); ++k) {
    if (c[k].is_zero()) continue;
    const Number shift = Number(static_cast<std::int64_t>(k)) - middle;
    const Expr angle = Expr(shift) * b;
    terms.push_back(ring.expression(c[k]) * (cosh(angle) + sinh(angle)));
  }
  return expand(add(terms));
}

}  // namespace

void exponential_forms(const Expr& e, Forms& out) {
  const bool hyperbolic = contains_call(e, {"sinh", "cosh", "tanh"});
  if (!hyperbolic && !contains_call(e, {"exp"})) return;
  const Expr plain = hyperbolic ? hyperbolic_to_exponentials(e) : e;
  const Expr list[] = {plain};
  const KernelRing ring(list, {.term_limit = 20000});
  const Fraction f = ring.fraction_of(plain);
  constexpr std::uint64_t highest = 2000;  // of a power of an exponential; above it there is nothing to see
  for (unsigned v = 0; v < ring.vars(); ++v) {
    if (f.numerator.degree(v) > highest || f.denominator.degree(v) > highest) return;
  }
  out.push_back(ring.expression(f));
  out.push_back(ring.factored(f));
  if (f.denominator.size() == 1) out.push_back(expand(ring.expression(f)));
  for (unsigned v = 0; v < ring.vars(); ++v) {
    const Expr& kernel = ring.kernels()[v];
    if (!is_call_of(kernel, "exp")) continue;
    const Expr& b = kernel.operands()[0];
    const Number n(f.numerator.degree(v));
    const Number d(f.denominator.degree(v));
    const Number half(1, 2);
    // Each around its own middle, with what is left over in front; then both around the middle of the denominator.
    const Expr below = symmetric_form(f.denominator, v, ring, b, d * half);
    out.push_back(exp(Expr((n - d) * half) * b) * symmetric_form(f.numerator, v, ring, b, n * half) / below);
    out.push_back(symmetric_form(f.numerator, v, ring, b, d * half) / below);
  }
  if (contains_call(e, {"exp"})) {
    const Expr c = exponentials_to_circular(e);
    if (!(c == e)) {
      out.push_back(c);
      out.push_back(expand(c));
      trigonometric_forms(c, out);
    }
  }
}

Expr logarithms_expanded(const Expr& e, const Reasoner& reasoner) {
  return everywhere(e, [&](const Expr& x) {
    if (!is_call_of(x, "log")) return x;
    Expr u = x.operands()[0];
    try {
      if (u.is(Kind::sum)) u = factor(u);
    } catch (const Error&) {
      return x;
    }
    if (u.is_number() && u.number().is_exact() && u.number().sign() > 0) {
      const auto part = [](const Number& n) {
        const auto w = n.word();
        if (!w) return log(Expr(n));
        Expr s = 0;
        for (const auto& [p, k] : small_prime_factors(*w)) s += Expr(k) * log(Expr(p));
        return s;
      };
      return part(u.number().numerator()) - part(u.number().denominator());
    }
    if (u.is(Kind::power) && reasoner.positive(u.operands()[0]) && is_real(u.operands()[1]))
      return u.operands()[1] * log(u.operands()[0]);
    if (!u.is(Kind::product)) return x;
    Expr sum = 0;
    Expr rest = 1;
    if (u.operands()[0].number().sign() < 0 || u.operands()[0].number().is_double()) {
      rest = u.operands()[0];
    } else if (!u.operands()[0].is_integer(1)) {
      sum = logarithms_expanded(log(u.operands()[0]), reasoner);
    }
    for (const auto [b, n] : Parts(u)) {
      if (reasoner.positive(b) && is_real(n)) {
        sum += n * log(b);
      } else {
        rest *= power(b, n);
      }
    }
    if (rest == u) return x;
    return rest.is_integer(1) ? sum : sum + log(rest);
  });
}

Expr logarithms_combined(const Expr& e, const Reasoner& reasoner) {
  return everywhere(e, [&](const Expr& x) {
    if (!x.is(Kind::sum)) return x;
    // c*log(a) + c*log(b) = c*log(a*b), c*log(a) - c*log(b) = c*log(a/b) for positive a, b
    struct Group {
      Number size;
      Expr beside;
      Expr inside;
    };
    std::vector<Group> groups;
    std::vector<Expr> rest{x.operands()[0]};
    for (const auto [term, c] : Parts(x)) {
      Expr logarithm;
      Expr beside = 1;
      if (is_call_of(term, "log")) {
        logarithm = term;
      } else if (term.is(Kind::product)) {
        for (const auto [b, n] : Parts(term)) {
          if (is_call_of(b, "log") && n.is_integer(1)) logarithm = b;
        }
        if (!logarithm.is_integer(0)) beside = term / logarithm;
      }
      if (logarithm.is_integer(0) || !reasoner.positive(logarithm.operands()[0]) || c.number().is_double()) {
        rest.push_back(c * term);
        continue;
      }
      const Number size = c.number().abs();
      auto at = std::find_if(groups.begin(), groups.end(),
                             [&](const Group& g) { return g.size == size && g.beside == beside; });
      if (at == groups.end()) at = groups.insert(groups.end(), {size, beside, 1});
      at->inside *= power(logarithm.operands()[0], c.number().sign());
    }
    for (const Group& g : groups) {
      rest.push_back(Expr(g.size) * g.beside * log(g.inside));
    }
    return add(rest);
  });
}

}  // namespace boreon::transforms
