// SPDX-License-Identifier: MIT
// Equations of second order: without y, without t, and linear ones by known solutions and special functions (NIST
// Handbook, 9.2, 10.13, 14.2; E. Kamke 1959, part C).
#include <algorithm>
#include <cmath>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/equations.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/simplify.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/signs.hpp"
#include "equations/single.hpp"
#include "odes/context.hpp"
#include "odes/liouvillian.hpp"
#include "odes/polynomial_solution.hpp"
#include "odes/special_forms.hpp"
#include "odes/symmetric_product.hpp"
#include "transforms/modes.hpp"

namespace boreon::odes {
namespace {

constexpr std::int64_t highest_polynomial = 8;
constexpr std::int64_t highest_degree = 40;  // where it is known

Expr at(const Expr& e, const Symbol& x, const Expr& value) { return substitute(e, {{x, value}}, Unused::allowed); }

class SecondOrder {
 public:
  SecondOrder(Context& c, const Symbol& t, const Symbol& y, const Symbol& p) : c_(c), t_(t), y_(y), p_(p) {}

  // q = f(t, p): first order for p
  Families without_y(const Expr& F, const Symbol& q) {
    c_.step("y itself does not occur: first order for y'");
    const Families slopes = first_order(c_, F, t_, p_, q);
    if (!slopes) return std::nullopt;
    std::vector<Family> out;
    const std::size_t constants = c_.constants().size();
    for (const Family& s : *slopes) {
      if (!s.value) return std::nullopt;
      c_.forget(constants);
      out.push_back({c_.integral(*s.value, t_) + c_.constant(), std::nullopt});
    }
    return out;
  }

  // q = f(y, p): y' = p as a function of y, q = p*dp/dy
  Families without_t(const Expr& f) {
    c_.step("t itself does not occur: y'' = p*dp/dy for p = y' as a function of y");
    const Symbol slope("_dpdy");
    const Families speeds = first_order(c_, combine_fractions(p_ * slope - f), y_, p_, slope);
    if (!speeds) return std::nullopt;
    std::vector<Family> out;
    const std::size_t constants = c_.constants().size();
    for (const Family& s : *speeds) {
      if (!s.value) return std::nullopt;
      c_.forget(constants);
      const Symbol rate("_rate");
      const Families one = first_order(c_, rate - *s.value, t_, y_, rate);
      if (!one) return std::nullopt;
      out.insert(out.end(), one->begin(), one->end());
    }
    return out;
  }

 private:
  Context& c_;
  Symbol t_;
  Symbol y_;
  Symbol p_;
};

class Basis {
 public:
  Basis(Context& c, Expr p, Expr q, const Symbol& t) : c_(c), p_(std::move(p)), q_(std::move(q)), t_(t) {}

  /// `depth` counts changes of the variable.
  std::optional<std::vector<Expr>> run(int depth = 0) {
    if (auto b = by_known_solution()) return b;
    if (auto b = constant_in_another_variable()) return b;
    if (auto b = exact()) return b;
    if (auto b = by_normal_form(c_, p_, q_, t_)) return b;
    if (auto b = liouvillian()) return b;
    if (auto b = hypergeometric(c_, p_, q_, t_)) return b;
    if (auto b = by_product()) return b;
    return depth == 0 ? rational_in_another_variable() : std::nullopt;
  }

 private:
  using Two = std::optional<std::vector<Expr>>;

  [[nodiscard]] Expr residual(const Expr& u) const { return derivative(u, t_, 2) + p_ * derivative(u, t_) + q_ * u; }

  // The second solution is y1*integral(exp(-integral(p))/y1^2).
  Two reduced(const Expr& first) {
    const auto P = c_.closed_integral(p_, t_);
    if (!P) return std::nullopt;
    const auto ratio = c_.closed_integral(c_.tidy(c_.exponential_of(-*P) / (first * first)), t_);
    if (!ratio) return std::nullopt;
    c_.step("a second solution from the first by reduction of order");
    return std::vector<Expr>{first, c_.tidy(first * *ratio)};
  }

  // exp(r*t)*t^m times a polynomial, with r and m from the coefficients at infinity and at 0.
  Two by_known_solution() {
    for (const Expr& front : fronts()) {
      if (const auto polynomial = polynomial_factor(front, 0, highest_polynomial)) {
        c_.step("a solution found as a polynomial times powers and exponentials");
        if (auto both = reduced(c_.tidy(front * *polynomial))) return both;
      }
    }
    return std::nullopt;
  }

  [[nodiscard]] std::vector<Expr> fronts() {
    std::vector<Expr> out{1};
    // roots of r^2 + p*r + q where p and q have limits at infinity
    const auto add_roots = [&](const Expr& b, const Expr& c, const Expr& base, bool exponential) {
      try {
        const Symbol r("_r");
        equations::SingleSolver solver(c_.signs().conditions());
        const auto roots = solver(r * r + b * r + c, r);
        if (!roots) return;
        for (const equations::Root& root : *roots) {
          if (has_imaginary_unit(root.value) || root.value.is_integer(0)) continue;
          out.push_back(exponential ? exp(root.value * t_) : power(base, root.value));
        }
      } catch (const Error& e) {
        if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
      }
    };
    const auto far = [&](const Expr& e) -> std::optional<Expr> {
      const Quotient q = boreon::quotient(e);
      const auto top = polynomial_in(q.numerator, t_);
      const auto bottom = polynomial_in(q.denominator, t_);
      if (!top || !bottom || top->size() > bottom->size()) return std::nullopt;
      return top->size() < bottom->size() ? Expr(0) : top->back() / bottom->back();
    };
    const auto p_far = far(p_);
    const auto q_far = far(q_);
    if (p_far && q_far) add_roots(*p_far, *q_far, t_, true);
    // indices at t = 0: r*(r - 1) + p0*r + q0
    const Expr tp = combine_fractions(t_ * p_);
    const Expr ttq = combine_fractions(t_ * t_ * q_);
    try {
      const Expr p0 = at(tp, t_, 0);
      const Expr q0 = at(ttq, t_, 0);
      if (!p0.is(Kind::constant) && !q0.is(Kind::constant)) add_roots(p0 - 1, q0, t_, false);
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
    }
    for (const int sign : {1, -1}) {
      out.push_back(exp(Expr(sign) * t_ * t_ / 2));
      out.push_back(exp(Expr(sign) * t_ * t_));
    }
    const std::size_t single = out.size();
    for (std::size_t i = 1; i < single; ++i) {
      for (std::size_t j = i + 1; j < single; ++j) {
        if (out[i].is(Kind::call) != out[j].is(Kind::call)) out.push_back(out[i] * out[j]);
      }
    }
    return out;
  }

  // A polynomial u with front*u a solution: linear equations for its coefficients.
  [[nodiscard]] std::optional<Expr> polynomial_factor(const Expr& front, std::int64_t from, std::int64_t to) {
    const Expr a = combine_fractions(p_ + 2 * derivative(front, t_) / front);
    const Expr b = combine_fractions(residual(front) / front);
    if (!is_rational_in(a, t_) || !is_rational_in(b, t_)) return std::nullopt;
    const Expr equation[] = {b, a, 1};
    for (std::int64_t degree = from; degree <= to; ++degree) {
      if (auto u = polynomial_solution(equation, t_, static_cast<int>(degree))) return u;
    }
    return std::nullopt;
  }

  // The root on the side where powers of t and of waves are positive: 1/sqrt(t), cos(t), not sqrt(1/t), abs(cos(t)).
  [[nodiscard]] Expr root_by_factors(const Expr& g) const {
    Expr out = 1;
    Expr polynomials = 1;
    for_each_factor(g, [&](const Expr& base, const Expr& exponent) {
      const bool polynomial = base.is(Kind::sum) && !exponent.is_integer(2) && !exponent.is_integer(-2);
      if (polynomial) {
        polynomials *= power(base, exponent);
      } else {
        out *= power(base, exponent / 2);
      }
    });
    const Quotient q = boreon::quotient(leading_number(g) * polynomials);
    const Expr top = expand(q.numerator);
    const Expr bottom = expand(q.denominator);
    // 1/sqrt(1 - t^2) is sqrt(-1)/sqrt(t^2 - 1) written for small t
    const bool turned = is_negative(at(top, t_, 0)) || is_negative(at(bottom, t_, 0));
    return out * sqrt(turned ? expand(-top) : top) / sqrt(turned ? expand(-bottom) : bottom);
  }

  // z' = sqrt(g) for q = k*g leaves y_zz + c*y_z + k*y = 0 with a constant c
  Two constant_in_another_variable() {
    const Expr whole = factor(combine_fractions(q_));
    Expr k = leading_number(whole);
    Expr g = 1;
    for_each_factor(whole, [&](const Expr& base, const Expr& exponent) {
      Expr& side = depends_on(base, t_) ? g : k;
      side = side * power(base, exponent);
    });
    if (g.is_integer(1) || k.is_integer(0)) return std::nullopt;
    // the sign under the root is that of places near zero
    for (const double place : {0.31, 1.7}) {
      const auto v = real_value_at(g, t_, place);
      if (!v || *v == 0) continue;
      if (*v < 0) {
        g = -g;
        k = -k;
      }
      break;
    }
    const Expr root = root_by_factors(g);
    const Expr square = c_.tidy(combine_fractions(power(derivative(g, t_) + 2 * p_ * g, 2) / (4 * power(g, 3))));
    if (depends_on(square, t_)) return std::nullopt;
    const Expr c =
        square.is_integer(0) ? Expr(0) : c_.tidy(simplify((derivative(g, t_) + 2 * p_ * g) / (2 * g * root)));
    if (depends_on(c, t_)) return std::nullopt;
    const auto z = c_.closed_integral(root, t_);
    const auto modes = transforms::modes_of({k, c, 1}, c_.signs());
    if (!z || !modes) return std::nullopt;
    c_.step("a variable in which the coefficients are constant");
    const Symbol variable("_z");
    std::vector<Expr> out;
    for (const Expr& y : transforms::solutions_of(*modes, variable))
      out.push_back(c_.tidy(substitute(y, {{variable, *z}}, Unused::allowed)));
    return out;
  }

  // a*y'' + b*y' + c*y with a'' - b' + c = 0 is the derivative of a*y' + (b - a')*y
  Two exact() {
    const Expr a = common_denominator(p_, q_);
    const Expr b = combine_fractions(a * p_);
    const Expr c = combine_fractions(a * q_);
    if (!vanishes(derivative(a, t_, 2) - derivative(b, t_) + c)) return std::nullopt;
    const auto A = c_.closed_integral(c_.tidy(combine_fractions((derivative(a, t_) - b) / a)), t_);
    if (!A) return std::nullopt;
    const Expr first = c_.tidy(c_.exponential_of(*A));
    const auto ratio = c_.closed_integral(c_.tidy(1 / (a * first)), t_);
    if (!ratio) return std::nullopt;
    c_.step("an exact equation: the derivative of one of first order");
    return std::vector<Expr>{first, c_.tidy(first * *ratio)};
  }

  // Kovacic's first case, with the front of the normal form
  Two liouvillian() {
    if (!is_rational_in(p_, t_) || !is_rational_in(q_, t_)) return std::nullopt;
    const auto P = c_.closed_integral(p_ / 2, t_);
    if (!P) return std::nullopt;
    const Expr w = c_.exponential_of(-*P);
    const Expr r = combine_fractions(p_ * p_ / 4 + derivative(p_, t_) / 2 - q_);
    for (const Front& front : liouvillian_fronts(c_, r, t_)) {
      const Expr whole = c_.tidy(w * front.value);
      if (front.degree > highest_degree) continue;
      const auto polynomial = polynomial_factor(whole, front.degree, front.degree);
      if (!polynomial) continue;
      c_.step("an exponential of an integral times a polynomial (Kovacic)");
      const Expr first = c_.tidy(whole * *polynomial);
      if (auto both = reduced(first)) return both;
      // no closed form: the integral stays, from a place where its integrand is finite
      const Expr integrand = c_.tidy(c_.exponential_of(-2 * *P) / (first * first));
      const Expr list[] = {t_};
      for (const int place : {0, 1, 2, 3}) {
        const double point[] = {static_cast<double>(place)};
        const auto v = value_at(integrand, list, point);
        if (!v || !std::isfinite(std::abs(*v))) continue;
        c_.set_start(place);
        break;
      }
      const Expr ratio = c_.integral(integrand, t_);
      return std::vector<Expr>{first, first * ratio};
    }
    return std::nullopt;
  }

  // Kovacic's second case, with the front of the normal form
  Two by_product() {
    if (!is_rational_in(p_, t_) || !is_rational_in(q_, t_)) return std::nullopt;
    const auto P = c_.closed_integral(p_ / 2, t_);
    if (!P) return std::nullopt;
    const Expr r = combine_fractions(p_ * p_ / 4 + derivative(p_, t_) / 2 - q_);
    auto u = solutions_by_product(c_, r, t_);
    if (!u) return std::nullopt;
    const Expr w = c_.exponential_of(-*P);
    for (Expr& e : *u) e = c_.tidy(w * e);
    return u;
  }

  // Coefficients rational in tan(t), or in exp(k*t), are rational in that as the variable.
  Two rational_in_another_variable() {
    const Symbol x("_x");
    const auto solved = [&](const Expr& p, const Expr& q, const Expr& x_of_t, const char* step) -> Two {
      if (!is_rational_in(p, x) || !is_rational_in(q, x)) return std::nullopt;
      auto basis = Basis(c_, combine_fractions(p), combine_fractions(q), x).run(1);
      if (!basis) return std::nullopt;
      c_.step(step);
      // another branch of atan adds the first solution to the second
      Rebuild angle([&](const Expr& n, Expr& r) {
        if (!is_call_of(n, "atan") || !(n.operands()[0] == tan(t_))) return false;
        r = t_;
        return true;
      });
      for (Expr& e : *basis) e = c_.tidy(angle(substitute(e, {{x, x_of_t}}, Unused::allowed)));
      return basis;
    };
    const auto in_tangent = [&](const Expr& e) -> std::optional<Expr> {
      // sin = x*C, cos = C: the powers of C in numerator and denominator are even, or all odd
      const Symbol C("_C");
      const Expr given = in_sines_and_cosines(e);
      Rebuild pass([&](const Expr& n, Expr& r) {
        const bool sine = n == sin(t_);
        if (!sine && !(n == cos(t_))) return false;
        r = sine ? x * C : Expr(C);
        return true;
      });
      const Quotient f = boreon::quotient(combine_fractions(pass(given)));
      if (depends_on(f.numerator, t_) || depends_on(f.denominator, t_)) return std::nullopt;
      const auto n = polynomial_in(expand(f.numerator), C);
      const auto d = polynomial_in(expand(f.denominator), C);
      if (!n || !d) return std::nullopt;
      const auto even_part = [&](const std::vector<Expr>& c, std::size_t parity) -> std::optional<Expr> {
        Expr sum = 0;
        for (std::size_t k = 0; k < c.size(); ++k) {
          if (k % 2 == parity) sum += c[k] * power(1 + x * x, -static_cast<std::int64_t>(k / 2));
          if (k % 2 != parity && !c[k].is_integer(0)) return std::nullopt;
        }
        return sum;
      };
      for (const std::size_t parity : {0U, 1U}) {
        const auto top = even_part(*n, parity);
        const auto bottom = even_part(*d, parity);
        if (top && bottom && !bottom->is_integer(0)) return combine_fractions(*top / *bottom);
      }
      return std::nullopt;
    };
    if (const auto p = in_tangent(p_); p) {
      if (const auto q = in_tangent(q_)) {
        const Expr s = 1 + x * x;
        if (auto b = solved((2 * x + *p) / s, *q / (s * s), tan(t_), "the tangent as the variable")) return b;
      }
    }
    std::optional<Expr> rate;
    for (const Expr& e : {p_, q_}) {
      postorder(e, [&](const Expr& n) {
        if (!is_call_of(n, "exp") || !depends_on(n, t_)) return;
        const auto l = linear_in(n.operands()[0], t_);
        if (l && l->constant.is_integer(0) && !rate) rate = l->slope;
      });
    }
    if (!rate) return std::nullopt;
    Rebuild pass([&](const Expr& n, Expr& r) {
      if (!is_call_of(n, "exp") || !depends_on(n, t_)) return false;
      const auto k = (n.operands()[0] / (*rate * t_)).word();
      if (!k) return false;
      r = power(x, *k);
      return true;
    });
    const Expr p = pass(p_);
    const Expr q = pass(q_);
    if (depends_on(p, t_) || depends_on(q, t_)) return std::nullopt;
    return solved((1 + p / *rate) / x, q / power(*rate * x, 2), exp(*rate * t_), "an exponential as the variable");
  }

  Context& c_;
  Expr p_;
  Expr q_;
  Symbol t_;
};

}  // namespace

std::optional<std::vector<Expr>> second_order_basis(Context& c, const Expr& p, const Expr& q, const Symbol& t) {
  return Basis(c, p, q, t).run();
}

Families second_order(Context& c, const Expr& F, const Symbol& t, const Symbol& y, const Symbol& p, const Symbol& q) {
  SecondOrder solver(c, t, y, p);
  if (!depends_on(F, y)) return solver.without_y(F, q);
  const Expr slope = derivative(F, q);
  if (depends_on(slope, q)) return std::nullopt;
  const Expr f = c.tidy(combine_fractions(-at(F, q, 0) / slope));
  if (depends_on(f, t)) return std::nullopt;
  return solver.without_t(f);
}

}  // namespace boreon::odes
