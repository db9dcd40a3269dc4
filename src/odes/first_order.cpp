// SPDX-License-Identifier: MIT
// Equations of first order by the classical forms (E. L. Ince, Ordinary Differential Equations, 1926, chapter II;
// E. Kamke, Differentialgleichungen, 1959, part A).
#include <algorithm>
#include <map>

#include "algebra/linear_terms.hpp"
#include "algebra/put_in.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/simplify.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "equations/single.hpp"
#include "odes/context.hpp"

namespace boreon::odes {
namespace {

// e as a sum of k*log(u) with u of y; k*y counts as k*log(exp(y)).
bool logarithms_of(const Expr& e, const Symbol& y, std::vector<std::pair<Expr, Expr>>& logs) {
  bool any = false;
  for (const Expr& term : terms_of(expand(e))) {
    if (!depends_on(term, y)) return false;
    if (const Expr k = term / y; !depends_on(k, y)) {
      logs.emplace_back(k, exp(y));
      continue;
    }
    Expr coefficient = leading_number(term);
    std::optional<Expr> argument;
    bool plain = true;
    for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
      if (is_call_of(base, "log") && exponent.is_integer(1) && !argument && depends_on(base, y)) {
        argument = base.operands()[0];
      } else {
        plain = plain && !depends_on(base, y);
        coefficient *= power(base, exponent);
      }
    });
    if (!argument || !plain) return false;
    logs.emplace_back(coefficient, *argument);
    any = true;
  }
  return any;
}

// G(y) = A(t) + C; sums of logarithms become products of powers.
Expr separated(Context& c, const Expr& left_side, const Expr& right_side, const Symbol& y) {
  const Expr G = plain_logarithms(left_side);
  const Expr A = plain_logarithms(right_side);
  std::vector<std::pair<Expr, Expr>> logs;
  // parts of G without y belong to the constant
  std::vector<Expr> with_y;
  for (const Expr& term : terms_of(expand(G))) {
    if (depends_on(term, y)) with_y.push_back(term);
  }
  const Expr left = boreon::add(with_y);
  if (!logarithms_of(left, y, logs) || logs.empty()) return left - A - c.constant();
  // measured by the first real logarithm: the others are rational multiples of it; exp(y) may have any exponent
  const auto is_exponential = [&](const Expr& u) { return u == exp(y); };
  const auto reference =
      std::find_if(logs.begin(), logs.end(), [&](const auto& l) { return !is_exponential(l.second); });
  const Expr first = reference->first;
  std::int64_t scale = 1;
  std::vector<Expr> ratios;
  for (const auto& [k, u] : logs) {
    const Expr ratio = combine_fractions(k / first);
    ratios.push_back(ratio);
    if (is_exponential(u)) continue;
    if (!ratio.is_number() || !ratio.number().is_exact()) return left - A - c.constant();
    const Expr denominator = quotient(ratio).denominator;
    if (!denominator.word() || *denominator.word() > 12) return left - A - c.constant();
    scale = std::lcm(scale, *denominator.word());
  }
  Expr up = 1;
  Expr down = 1;
  for (std::size_t i = 0; i < logs.size(); ++i) {
    const Expr k = ratios[i] * Expr(scale);
    if (is_exponential(logs[i].second)) {
      up *= exp(k * y);
    } else {
      (k.number().sign() > 0 ? up : down) *= power(logs[i].second, k.number().sign() > 0 ? k : -k);
    }
  }
  const Expr growth = c.exponential_of(expand(combine_fractions(A * Expr(scale) / first)));
  return up - c.constant() * growth * down;
}

std::optional<std::pair<Expr, Expr>> separation(const Expr& f, const Symbol& t, const Symbol& y) {
  Expr g = leading_number(factor(f));
  Expr h = 1;
  bool split = true;
  for_each_factor(factor(f), [&](const Expr& base, const Expr& exponent) {
    const Expr one = power(base, exponent);
    const bool in_t = depends_on(one, t);
    const bool in_y = depends_on(one, y);
    if (in_t && in_y) split = false;
    (in_y ? h : g) *= one;
  });
  if (split) return std::pair{g, h};
  // f*f_ty = f_t*f_y
  const Expr test = f * derivative(derivative(f, t), y) - derivative(f, t) * derivative(f, y);
  if (!vanishes(test)) return std::nullopt;
  for (const Expr& place : {Expr(1), Expr(2), Expr(1) / 3}) {
    try {
      const Expr at_y = put(f, y, place);
      const Expr at_both = put(at_y, t, place);
      if (at_both.is_integer(0) || at_both.is_constant(ConstantCode::undefined)) continue;
      return std::pair{at_y, put(f, t, place) / at_both};
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
    }
  }
  return std::nullopt;
}

class FirstOrder {
 public:
  FirstOrder(Context& c, const Symbol& t, const Symbol& y, const Symbol& p) : c_(c), t_(t), y_(y), p_(p) {}

  // p = f(t, y)
  Families of(const Expr& f, int depth = 0) {
    using Method = Families (FirstOrder::*)(const Expr&);
    const std::size_t constants = c_.constants().size();
    const bool open = c_.open();
    for (const Method m : {&FirstOrder::linear, &FirstOrder::bernoulli, &FirstOrder::separable, &FirstOrder::isobaric,
                           &FirstOrder::of_combination, &FirstOrder::exact}) {
      if (Families r = (this->*m)(f)) return r;
      c_.forget(constants);
      c_.set_open(open);
    }
    if (depth == 0) {
      if (Families r = riccati(f)) return r;
      c_.forget(constants);
      c_.set_open(open);
    }
    if (Families r = separable_open(f)) return r;
    c_.forget(constants);
    c_.set_open(open);
    return std::nullopt;
  }

  // M + N*p as it is written: it may be exact only so.
  Families as_written(const Expr& F) {
    const Expr N = derivative(F, p_);
    if (depends_on(N, p_)) return std::nullopt;
    return exact_form(put(F, p_, 0), N);
  }

  // y = t*p + g(p)
  Families clairaut(const Expr& F) {
    const Expr slope = derivative(F, y_);
    if (depends_on(slope, y_) || slope.is_integer(0)) return std::nullopt;
    const Expr y = expand(combine_fractions(y_ - F / slope));
    const Expr g = expand(y - t_ * p_);
    if (depends_on(g, t_) || depends_on(g, y_)) return std::nullopt;
    c_.step("Clairaut's equation: straight lines y = C*t + g(C)");
    const Expr C = c_.constant();
    return std::vector<Family>{{put(y, p_, C), std::nullopt}};
  }

 private:
  Families linear(const Expr& f) {
    const Expr a = c_.tidy(derivative(f, y_));
    if (depends_on(a, y_)) return std::nullopt;
    const Expr b = put(f, y_, 0);
    c_.step("linear of first order: y' = a(t)*y + b(t)");
    const LinearOde ode{{-a, 1}, b};
    const auto y = solve_linear_ode(c_, ode, t_);
    if (!y) return std::nullopt;
    return std::vector<Family>{{*y, std::nullopt}};
  }

  Families separable(const Expr& f) {
    const auto parts = separation(f, t_, y_);
    if (!parts) return std::nullopt;
    const auto G = c_.closed_integrals(1 / parts->second, y_);
    if (G.empty()) return std::nullopt;
    const Expr A = c_.integral(parts->first, t_);
    c_.step("separable: y' = g(t)*h(y)");
    return each_case(G, A, [](const Expr& relation) { return relation; });
  }

  // G(y) = A(t) + C for each form of G, in terms of the unknown of the equation.
  std::vector<Family> each_case(const std::vector<Context::Case>& G, const Expr& A, const auto& in_unknown) {
    std::vector<Family> out;
    const std::size_t constants = c_.constants().size();
    for (const Context::Case& g : G) {
      c_.forget(constants);
      const Expr relation = in_unknown(separated(c_, g.value, A, y_));
      const std::vector<Family> forms = c_.explicit_if_short(relation, y_, t_, g.conditions);
      out.insert(out.end(), forms.begin(), forms.end());
    }
    return out;
  }

  Families bernoulli(const Expr& f) {
    Expr a = 0;
    Expr b = 0;
    std::optional<Expr> n;
    for (const Expr& term : terms_of(expand(f))) {
      Expr coefficient = leading_number(term);
      Expr exponent_of_y = 0;
      for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
        if (base == y_) {
          exponent_of_y += exponent;
        } else {
          coefficient *= power(base, exponent);
        }
      });
      if (depends_on(coefficient, y_) || depends_on(exponent_of_y, t_) || depends_on(exponent_of_y, y_))
        return std::nullopt;
      if (exponent_of_y.is_integer(1)) {
        a += coefficient;
      } else if (!n || *n == exponent_of_y) {
        n = exponent_of_y;
        b += coefficient;
      } else {
        return std::nullopt;
      }
    }
    if (!n || n->is_integer(0)) return std::nullopt;
    c_.step("Bernoulli's equation: y' = a(t)*y + b(t)*y^n, linear for y^(1 - n)");
    const Expr m = 1 - *n;
    const auto u = solve_linear_ode(c_, {{-m * a, 1}, m * b}, t_);
    if (!u) return std::nullopt;
    std::vector<Family> out{{power(*u, 1 / m), std::nullopt}};
    // roots in the equation are those of powers of u
    if (!n->word()) out[0].conditions = {greater(*u, 0)};
    // an even power has two roots
    if (m.word() && *m.word() % 2 == 0) out.push_back({-power(*u, 1 / m), std::nullopt});
    return out;
  }

  // y = v*t^m
  Families isobaric(const Expr& f) {
    const Expr down = c_.tidy(f - y_ * derivative(f, y_));
    if (down.is_integer(0)) return std::nullopt;
    Expr m = c_.tidy((t_ * derivative(f, t_) + f) / down);
    if (depends_on(m, t_) || depends_on(m, y_)) {
      // one number at several places
      const Expr at = put(put(m, t_, 2), y_, 3);
      if (!at.is_number() || !vanishes(m - at)) return std::nullopt;
      m = at;
    }
    const Symbol positive("_tp", {Assumption::positive});
    const Expr phi = c_.tidy(put(put(f, y_, y_ * power(t_, m)), t_, positive) * power(positive, 1 - m));
    const Expr rest = depends_on(phi, positive) ? c_.tidy(put(phi, positive, 1)) : phi;
    const Expr h = rest - m * y_;
    c_.step(m.is_integer(1) ? "homogeneous: y = v*t leaves a separable equation"
                            : "y = v*t^m leaves a separable equation");
    if (vanishes(h)) return std::vector<Family>{{c_.constant() * power(t_, m), std::nullopt}};
    const auto G = c_.closed_integrals(1 / h, y_);
    if (G.empty()) return std::nullopt;
    return each_case(G, log(t_), [&](const Expr& relation) { return put(relation, y_, y_ * power(t_, -m)); });
  }

  // f of y + r*t
  Families of_combination(const Expr& f) {
    const Expr by_y = derivative(f, y_);
    if (by_y.is_integer(0)) return std::nullopt;
    const Expr r = c_.tidy(derivative(f, t_) / by_y);
    if (depends_on(r, t_) || depends_on(r, y_) || r.is_integer(0)) return std::nullopt;
    const Expr h = c_.tidy(put(f, t_, 0) + r);
    c_.step("a function of y + r*t: separable for v = y + r*t");
    const auto G = c_.closed_integrals(1 / h, y_);
    if (G.empty()) return std::nullopt;
    return each_case(G, t_, [&](const Expr& relation) { return put(relation, y_, y_ + r * t_); });
  }

  // Nothing else holds: the integral over y stays.
  Families separable_open(const Expr& f) {
    const auto parts = separation(f, t_, y_);
    if (!parts) return std::nullopt;
    const Symbol u("u");
    const Expr G = unevaluated_integral(put(1 / parts->second, y_, u), u, 0, y_);
    c_.step("separable: y' = g(t)*h(y)");
    const Expr A = c_.integral(parts->first, t_);
    return std::vector<Family>{{std::nullopt, G - A - c_.constant()}};
  }

  Families exact(const Expr& f) {
    const Quotient q = boreon::quotient(f);
    return exact_form(-q.numerator, q.denominator);
  }

  Families exact_form(const Expr& M, const Expr& N) {
    const Expr gap = c_.tidy(derivative(M, y_) - derivative(N, t_));
    Expr mu = 1;
    if (!gap.is_integer(0)) {
      const Expr by_t = c_.tidy(gap / N);
      const Expr by_y = c_.tidy(-gap / M);
      const Expr by_product = c_.tidy(gap / (y_ * N - t_ * M));
      if (!depends_on(by_t, y_)) {
        const auto A = c_.closed_integral(by_t, t_);
        if (!A) return std::nullopt;
        mu = c_.exponential_of(*A);
      } else if (!depends_on(by_y, t_)) {
        const auto A = c_.closed_integral(by_y, y_);
        if (!A) return std::nullopt;
        mu = c_.exponential_of(*A);
      } else if (!by_product.is(Kind::constant)) {
        // of t*y: the quotient is a function of the product
        const Symbol z("_z");
        const Expr in_z = c_.tidy(put(by_product, y_, z / t_));
        if (depends_on(in_z, t_)) return std::nullopt;
        const auto A = c_.closed_integral(in_z, z);
        if (!A) return std::nullopt;
        mu = put(c_.exponential_of(*A), z, t_ * y_);
      }
      c_.step("an integrating factor of one variable, or of t*y, makes it exact");
    } else {
      c_.step("exact: the equation is a total derivative");
    }
    const auto along_t = c_.closed_integral(expand(mu * M), t_);
    if (!along_t) return std::nullopt;
    const Expr rest = c_.tidy(expand(mu * N) - derivative(*along_t, y_));
    Expr left = rest;
    if (depends_on(left, t_)) {
      const Expr other = simplify(left);
      if (depends_on(other, t_)) return std::nullopt;
      left = other;
    }
    const auto along_y = c_.closed_integral(left, y_);
    if (!along_y) return std::nullopt;
    return c_.explicit_if_short(plain_logarithms(*along_t + *along_y) - c_.constant(), y_, t_);
  }

  // y' = a + b*y + c*y^2
  Families riccati(const Expr& f) {
    const auto k = polynomial_in(f, y_, 2);
    if (!k || k->size() != 3) return std::nullopt;
    const Expr& quadratic = (*k)[2];
    const auto solves = [&](const Expr& candidate) {
      return vanishes(derivative(candidate, t_) - put(f, y_, candidate));
    };
    for (const Expr& known : candidates(*k)) {
      if (!solves(known)) continue;
      c_.step("Riccati's equation with a particular solution: y = y1 + 1/u, linear for u");
      const Expr b = (*k)[1] + 2 * quadratic * known;
      const auto u = solve_linear_ode(c_, {{c_.tidy(b), 1}, -quadratic}, t_);
      if (!u) return std::nullopt;
      return std::vector<Family>{{known + 1 / *u, std::nullopt}};
    }
    // y = -u'/(c*u)
    const Expr p = c_.tidy(-((*k)[1] + derivative(quadratic, t_) / quadratic));
    const Expr q = c_.tidy((*k)[0] * quadratic);
    const auto basis = homogeneous_basis(c_, {q, p, 1}, t_);
    if (!basis || basis->size() != 2) return std::nullopt;
    c_.step("Riccati's equation: y = -u'/(c*u) makes it linear of second order");
    const Expr u = c_.constant() * (*basis)[0] + (*basis)[1];
    return std::vector<Family>{{-derivative(u, t_) / (quadratic * u), std::nullopt}};
  }

  // Constants, multiples of powers of t, and what the coefficients suggest.
  std::vector<Expr> candidates(const std::vector<Expr>& k) {
    std::vector<Expr> out;
    const Symbol a("_a");
    for (const int m : {0, 1, -1, 2, -2, 3}) {
      const Expr form = a * power(t_, m);
      const Expr residual = derivative(form, t_) - (k[0] + k[1] * form + k[2] * form * form);
      const Expr top = boreon::quotient(residual).numerator;
      // the amount at one t that also does elsewhere
      try {
        equations::SingleSolver solver(c_.signs().conditions());
        const auto roots = solver(put(top, t_, 1), a);
        if (!roots) continue;
        for (const equations::Root& r : *roots) {
          if (!has_imaginary_unit(r.value)) out.push_back(put(form, a, r.value));
        }
      } catch (const Error& e) {
        if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
      }
    }
    for (const Expr& e : {exp(t_), exp(-t_), tan(t_), 1 / t_ + t_, t_ + 1, t_ - 1, sqrt(-k[0] / k[2]), -k[1] / k[2]})
      out.push_back(e);
    return out;
  }

  Context& c_;
  Symbol t_;
  Symbol y_;
  Symbol p_;
};

}  // namespace

Families first_order(Context& c, const Expr& F, const Symbol& t, const Symbol& y, const Symbol& p) {
  FirstOrder solver(c, t, y, p);
  const Expr slope = derivative(F, p);
  if (!depends_on(slope, p)) {
    const Expr f = combine_fractions(-put(F, p, 0) / slope);
    const Expr tidy = c.tidy(f);
    if (Families r = solver.of(tidy)) return r;
    return solver.as_written(F);
  }
  if (Families r = solver.clairaut(F)) return r;
  // several slopes: a family for each
  try {
    equations::SingleSolver roots_of(c.signs().conditions());
    const auto roots = roots_of(F, p);
    if (!roots || roots->empty() || roots->size() > 3) return std::nullopt;
    std::vector<Family> all;
    const std::size_t constants = c.constants().size();
    for (const equations::Root& r : *roots) {
      if (has_imaginary_unit(r.value)) continue;
      c.forget(constants);
      const Families one = solver.of(c.tidy(r.value));
      if (!one) return std::nullopt;
      all.insert(all.end(), one->begin(), one->end());
    }
    if (all.empty()) return std::nullopt;
    c.step("solved for y' first");
    return all;
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
    return std::nullopt;
  }
}

}  // namespace boreon::odes
