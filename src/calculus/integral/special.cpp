// SPDX-License-Identifier: MIT
// Families that lead to special functions, and changes of variable that bring others into reach.
#include <fmt/format.h>

#include "algebra/linear_terms.hpp"
#include "algebra/simplify/transforms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/simplify.hpp"
#include "calculus/integral/integrator.hpp"

namespace boreon {
namespace {

// x^s*exp(-c*x^n) for any s: NIST 8.2.2
layers::Result incomplete_gamma_family(Integrator& in, const Expr& f, const Symbol& x) {
  Expr s = 0;
  Expr argument = 0;
  const auto factor = [&](const Expr& base, const Expr& exponent) {
    if (base == x && !depends_on(exponent, x)) {
      s += exponent;
    } else if (is_call_of(base, "exp") && exponent.is_integer(1)) {
      argument += base.operands()[0];
    } else {
      return false;
    }
    return true;
  };
  if (f.is(Kind::product)) {
    for (const auto [base, exponent] : Parts(f)) {
      if (!factor(base, exponent)) return std::nullopt;
    }
  } else if (!factor(f, 1)) {
    return std::nullopt;
  }
  // argument = -c*x^n
  Expr n = 0;
  if (argument == -x || argument == x) n = 1;
  if (argument.is(Kind::product)) {
    for (const auto [base, exponent] : Parts(argument)) {
      if (base == x) n = exponent;
    }
  } else if (argument.is(Kind::power) && argument.operands()[0] == x) {
    n = argument.operands()[1];
  }
  if (n.is_integer(0) || depends_on(n, x)) return std::nullopt;
  const Expr c = -argument / power(x, n);
  if (depends_on(c, x) || in.signs().of(c) <= 0 || in.signs().of(n) == 0) return std::nullopt;
  in.note("incomplete gamma function");
  const Expr a = (s + 1) / n;
  return -power(c, -a) / n * incomplete_gamma(a, c * power(x, n));
}

// (a + b*sin(u)^2)^(+-1/2) and the like, u linear: NIST 19.2.4, 19.2.5
layers::Result elliptic_of_angle(Integrator& in, const Expr& f, const Symbol& x) {
  if (!f.is(Kind::power) || !f.operands()[1].is_number()) return std::nullopt;
  const bool second = f.operands()[1] == Expr(1) / 2;
  if (!second && !(f.operands()[1] == Expr(-1) / 2)) return std::nullopt;
  const Expr& q = f.operands()[0];
  Expr u;
  bool found = false;
  postorder(q, [&](const Expr& n) {
    if ((is_call_of(n, "sin") || is_call_of(n, "cos")) && depends_on(n, x)) {
      u = n.operands()[0];
      found = true;
    }
  });
  if (!found) return std::nullopt;
  const auto l = linear_in(u, x);
  if (!l) return std::nullopt;
  const Symbol s = in.fresh();
  Rebuild pass([&](const Expr& n, Expr& result) {
    if (n == sin(u)) {
      result = s;
      return true;
    }
    if (n.is(Kind::power) && n.operands()[0] == cos(u) && n.operands()[1].is_integer(2)) {
      result = 1 - power(s, 2);
      return true;
    }
    if (n == cos(u)) {  // 1 - 2*sin(u/2)^2, marked by the halved angle
      result = s;
      return true;
    }
    return false;
  });
  bool cosine = false;
  bool square = false;
  postorder(q, [&](const Expr& n) {
    const auto look = [&](const Expr& b, const Expr& e) {
      if (b == cos(u) || b == sin(u)) (e.is_integer(2) ? square : cosine) = true;
    };
    if (n.is(Kind::power) || n.is(Kind::product)) for_each_factor(n, look);
    if (n.is(Kind::sum)) {
      for (const auto [t, c] : Parts(n)) look(t, 1);
    }
  });
  const auto c = polynomial_in(expand(pass(q)), s, 2);
  if (!c) return std::nullopt;
  Expr phi;
  Expr m;
  Expr a;
  Expr scale = 1 / l->slope;
  if (square && !cosine && c->size() == 3 && (*c)[1].is_integer(0)) {
    a = (*c)[0];
    m = -(*c)[2] / a;
    phi = u;
  } else if (cosine && !square && c->size() == 2) {
    bool is_cosine = false;
    postorder(q, [&](const Expr& n) { is_cosine = is_cosine || n == cos(u); });
    a = (*c)[0] + (*c)[1];
    m = 2 * (*c)[1] / a;
    phi = (is_cosine ? u : u - pi() / 2) / 2;
    scale = 2 * scale;
  } else {
    return std::nullopt;
  }
  if (in.signs().of(a) <= 0) return std::nullopt;
  in.note("elliptic integral");
  return second ? scale * sqrt(a) * elliptic_E(phi, m) : scale / sqrt(a) * elliptic_F(phi, m);
}

// 1/sqrt(a + b*x^2 + c*x^4): NIST 19.2.4 after x^2 = r*sin^2
layers::Result elliptic_of_quartic(Integrator& in, const Expr& f, const Symbol& x) {
  Expr radicand = 1;
  if (f.is(Kind::power) && f.operands()[1] == Expr(-1) / 2) radicand = f.operands()[0];
  if (f.is(Kind::product)) {
    for (const auto [base, exponent] : Parts(f)) {
      if (!(exponent == Expr(-1) / 2)) return std::nullopt;
      radicand *= base;
    }
  }
  if (radicand.is_integer(1)) return std::nullopt;
  const auto c = polynomial_in(expand(radicand), x, 4);
  if (!c || c->size() != 5 || !(*c)[1].is_integer(0) || !(*c)[3].is_integer(0)) return std::nullopt;
  if (in.signs().of((*c)[0]) <= 0) return std::nullopt;
  const auto roots = closed_roots({(*c)[0], (*c)[2], (*c)[4]}, in.signs());
  if (!roots || roots->real.size() != 2) return std::nullopt;
  // the smaller positive root bounds the range about 0
  Expr r = roots->real[0];
  Expr other = roots->real[1];
  if (in.signs().of(r) <= 0 || (in.signs().of(other) > 0 && in.signs().of(r - other) > 0)) std::swap(r, other);
  if (in.signs().of(r) <= 0) return std::nullopt;
  in.note("elliptic integral of the first kind");
  return sqrt(r / (*c)[0]) * elliptic_F(asin(x / sqrt(r)), r / other);
}

// x^(n + 1)*J_n(a*x) and x^(1 - n)*J_n(a*x), and the other cylinder functions: NIST 10.22.1, 10.43.1
layers::Result cylinder_with_power(Integrator& in, const Expr& f, const Symbol& x) {
  Expr power_of_x = 0;
  Expr cylinder;
  bool found = false;
  const auto factor = [&](const Expr& base, const Expr& exponent) {
    if (base == x && !depends_on(exponent, x)) {
      power_of_x = exponent;
      return true;
    }
    if (found || !exponent.is_integer(1) || !base.is(Kind::call) || base.operands().size() != 2) return false;
    cylinder = base;
    return found = true;
  };
  if (!f.is(Kind::product)) return std::nullopt;
  for (const auto [base, exponent] : Parts(f)) {
    if (!factor(base, exponent)) return std::nullopt;
  }
  if (!found) return std::nullopt;
  const auto name = cylinder.function().name;
  if (name != "cyl_bessel_j" && name != "cyl_neumann" && name != "cyl_bessel_i" && name != "cyl_bessel_k")
    return std::nullopt;
  const Expr& n = cylinder.operands()[0];
  const auto l = linear_in(cylinder.operands()[1], x);
  if (!l || !l->constant.is_integer(0) || depends_on(n, x)) return std::nullopt;
  const auto of_order = [&](const Expr& order) {
    const Expr args[] = {order, cylinder.operands()[1]};
    return call(cylinder.function(), args);
  };
  in.note("recurrence of the cylinder functions");
  if (power_of_x == n + 1) return (name == "cyl_bessel_k" ? -1 : 1) * power(x, n + 1) * of_order(n + 1) / l->slope;
  if (power_of_x == 1 - n) return (name == "cyl_bessel_i" ? 1 : -1) * power(x, 1 - n) * of_order(n - 1) / l->slope;
  return std::nullopt;
}

// x = exp(t) where log(x) occurs
layers::Result by_exponential_of_new_variable(Integrator& in, const Expr& f, const Symbol& x) {
  bool logarithm = false;
  postorder(f, [&](const Expr& n) { logarithm = logarithm || (is_call_of(n, "log") && n.operands()[0] == x); });
  if (!logarithm || in.depth() > 5) return std::nullopt;
  const Symbol t = in.fresh();
  const Expr g = substitute(f, {{x, exp(t)}}, Unused::allowed) * exp(t);
  const auto inner = in(g, t);
  if (!inner) return std::nullopt;
  in.note("substitution t = log of the variable");
  return substitute(*inner, {{t, log(x)}}, Unused::allowed);
}

// x = sin(t), tan(t), ... where an inverse function occurs beside its root
layers::Result by_inverse_function(Integrator& in, const Expr& f, const Symbol& x) {
  if (in.depth() > 4) return std::nullopt;
  struct Row {
    const char* name;
    Expr (*forward)(const Expr&);
  };
  static constexpr Row rows[] = {{"asin", [](const Expr& t) { return sin(t); }},
                                 {"atan", [](const Expr& t) { return tan(t); }},
                                 {"asinh", [](const Expr& t) { return sinh(t); }}};
  std::optional<Expr> found;
  const Row* row = nullptr;
  postorder(f, [&](const Expr& n) {
    for (const Row& r : rows) {
      if (is_call_of(n, r.name) && depends_on(n, x) && linear_in(n.operands()[0], x)) {
        found = n;
        row = &r;
      }
    }
  });
  if (!found) return std::nullopt;
  const auto l = linear_in(found->operands()[0], x);
  const Symbol t = in.fresh();
  const Expr x_of_t = (row->forward(t) - l->constant) / l->slope;
  Rebuild pass([&](const Expr& n, Expr& result) {
    if (!(n == *found)) return false;
    result = t;
    return true;
  });
  Expr g = substitute(pass(f), {{x, x_of_t}}, Unused::allowed) * derivative(x_of_t, t);
  // cos(t) >= 0 on the range of asin, so the root of its square is itself
  Rebuild root([&](const Expr&, Expr&) { return false; },
               [&](const Expr& n) -> Expr {
                 if (is_call_of(n, "abs") && (n.operands()[0] == cos(t))) return cos(t);
                 return n;
               });
  SimplifyOptions o;
  o.work = 800;
  o.points = 0;
  o.conditions = in.signs().conditions();
  o.conditions.push_back(less(0, cos(t)));
  g = root(simplify(g, o));
  const auto inner = in(g, t);
  if (!inner) return std::nullopt;
  in.note(fmt::format("substitution t = {} of the variable", row->name));
  return substitute(*inner, {{t, *found}}, Unused::allowed);
}

// sin or cos of a*x^2 + b*x + c: about the place where the square is completed.
layers::Result by_completed_square(Integrator& in, const Expr& f, const Symbol& x) {
  std::optional<Expr> shift;
  postorder(f, [&](const Expr& n) {
    if (shift || !depends_on(n, x) || (!is_call_of(n, "sin") && !is_call_of(n, "cos"))) return;
    const auto c = polynomial_in(n.operands()[0], x, 2);
    if (c && c->size() == 3 && !(*c)[1].is_integer(0)) shift = (*c)[1] / (2 * (*c)[2]);
  });
  if (!shift) return std::nullopt;
  const Symbol y = in.fresh();
  const Expr moved = substitute(f, {{x, y - *shift}}, Unused::allowed);
  const Expr g = Rebuild([](const Expr&, Expr&) { return false; },
                         [&](const Expr& n) -> Expr {
                           const bool wave = is_call_of(n, "sin") || is_call_of(n, "cos");
                           if (!wave || !depends_on(n, y)) return n;
                           const Expr u = expand(n.operands()[0]);
                           return is_call_of(n, "sin") ? sin(u) : cos(u);
                         })(moved);
  const auto inner = in(g, y);
  if (!inner) return std::nullopt;
  in.note("the square is completed");
  return substitute(*inner, {{y, x + *shift}}, Unused::allowed);
}

// Circular functions beside powers of x as complex exponentials, at last
layers::Result by_complex_exponentials(Integrator& in, const Expr& f, const Symbol& x) {
  if (in.depth() > 1) return std::nullopt;
  if (!transforms::contains_call(f, {"tan", "sin", "cos"})) return std::nullopt;
  const Expr g = combine_fractions(transforms::circular_to_exponentials(transforms::tangents_to_sines(f)));
  if (g == f) return std::nullopt;
  auto r = layers::by_undetermined_coefficients(in, g, x);
  if (r) in.note("complex exponentials");
  return r;
}

}  // namespace

layers::Result layers::special(Integrator& in, const Expr& f, const Symbol& x) {
  for (const auto family :
       {cylinder_with_power, incomplete_gamma_family, elliptic_of_angle, elliptic_of_quartic, by_completed_square,
        by_exponential_of_new_variable, by_inverse_function, by_complex_exponentials}) {
    try {
      if (auto r = family(in, f, x)) return r;
    } catch (const UnknownSign&) {
    } catch (const Error&) {
    }
  }
  return std::nullopt;
}

}  // namespace boreon
