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
#include "transforms/modes.hpp"

namespace boreon::odes {
namespace {

constexpr int highest_polynomial = 8;

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
    if (auto b = by_normal_form()) return b;
    if (auto b = liouvillian()) return b;
    if (auto b = hypergeometric()) return b;
    return depth == 0 ? rational_in_another_variable() : std::nullopt;
  }

 private:
  using Two = std::optional<std::vector<Expr>>;

  [[nodiscard]] Expr residual(const Expr& u) const { return derivative(u, t_, 2) + p_ * derivative(u, t_) + q_ * u; }

  [[nodiscard]] Expr common_denominator() const {
    return boreon::quotient(combine_fractions(p_ + Symbol("_l") * q_)).denominator;
  }

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
      if (const auto polynomial = polynomial_factor(front)) {
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
  [[nodiscard]] std::optional<Expr> polynomial_factor(const Expr& front) {
    const Expr a = combine_fractions(p_ + 2 * derivative(front, t_) / front);
    const Expr b = combine_fractions(residual(front) / front);
    if (!is_rational_in(a, t_) || !is_rational_in(b, t_)) return std::nullopt;
    for (int degree = 0; degree <= highest_polynomial; ++degree) {
      std::vector<Expr> unknowns;
      Expr u = power(t_, degree);
      for (int k = 0; k < degree; ++k) {
        unknowns.push_back(Symbol("_c" + std::to_string(k)));
        u += unknowns.back() * power(t_, k);
      }
      const Expr r = derivative(u, t_, 2) + a * derivative(u, t_) + b * u;
      const auto conditions = polynomial_in(boreon::quotient(r).numerator, t_, 60);
      if (!conditions) return std::nullopt;
      std::vector<Expr> open;
      for (const Expr& e : *conditions) {
        if (!e.is_integer(0)) open.push_back(e);
      }
      if (open.empty()) return u;
      // the leading coefficient decides whether this degree can be at all
      const Expr& leading = open.back();
      if (std::none_of(unknowns.begin(), unknowns.end(), [&](const Expr& x) { return depends_on(leading, x); }) &&
          !leading.is_integer(0))
        continue;
      std::vector<Expr> present;
      for (const Expr& x : unknowns) {
        if (std::any_of(open.begin(), open.end(), [&](const Expr& e) { return depends_on(e, x); }))
          present.push_back(x);
      }
      if (present.empty()) continue;
      const SolutionSet s = solve(open, present);
      if (s.solutions.empty() || s.status != SolveStatus::exact) continue;
      Expr found = substitute(u, s.solutions[0].values, Unused::allowed);
      for (const Expr& x : unknowns) found = substitute(found, {{x, 0}}, Unused::allowed);
      return found;
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
      const Expr list[] = {t_};
      const double point[] = {place};
      const auto v = value_at(g, list, point);
      if (!v || v->imag() != 0 || v->real() == 0) continue;
      if (v->real() < 0) {
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
    const Expr a = common_denominator();
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
    for (const Expr& front : liouvillian_fronts(c_, r, t_)) {
      const Expr whole = c_.tidy(w * front);
      const auto polynomial = polynomial_factor(whole);
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

  // (l*t + s)*y'' + (v*t + u)*y' + w*y = 0 by Kummer's function, t*(1 - t)*y'' + (u - v*t)*y' - w*y = 0 by
  // Gauss's: 13.2.1 with 13.2.26, 15.10.1 with 15.10.3
  Two hypergeometric() {
    const Expr all = common_denominator();
    const auto lead = polynomial_in(all, t_, 2);
    const auto middle = lead ? polynomial_in(expand(combine_fractions(all * p_)), t_, 1) : std::nullopt;
    const auto last = lead ? polynomial_in(expand(combine_fractions(all * q_)), t_, 0) : std::nullopt;
    if (!lead || lead->size() < 2 || !middle || !last) return std::nullopt;
    const Expr u = (*middle)[0];
    const Expr v = middle->size() > 1 ? (*middle)[1] : Expr(0);
    const Expr& w = (*last)[0];
    if (lead->size() == 2) {
      // z = -v/l*(t + s/l)
      const Expr& l = (*lead)[1];
      const Expr shift = (*lead)[0] / l;
      const Expr k = -v / l;
      if (k.is_integer(0)) return std::nullopt;
      const Expr z = k * (t_ + shift);
      const Expr c = c_.tidy((u - v * shift) / l);
      const Expr a = c_.tidy(w / v);
      return of_parameters("Kummer's equation", c, t_ + shift,
                           [&](const Expr& by, const Expr& order) { return conf_hyperg(c_.tidy(a + by), order, z); });
    }
    // roots of the leading coefficient at r1 and r2: x = (t - r1)/(r2 - r1)
    const Expr& l = (*lead)[2];
    const Expr root = transforms::plain_root(factor((*lead)[1] * (*lead)[1] - 4 * l * (*lead)[0]));
    if (root.is_integer(0) || has_imaginary_unit(root)) return std::nullopt;
    Expr low = c_.tidy((-(*lead)[1] - root) / (2 * l));
    Expr width = c_.tidy(root / l);
    // from the other root, where small positive t would lie beyond 1, on the cut
    const Expr list[] = {t_};
    const double near_zero[] = {0.5};
    if (const auto at = value_at((t_ - low) / width, list, near_zero); at && at->imag() == 0 && at->real() > 1) {
      low = c_.tidy(low + width);
      width = -width;
    }
    const Expr x = c_.tidy((t_ - low) / width);
    const Expr c = c_.tidy(-(u + v * low) / (l * width));
    const Expr sum = c_.tidy(v / l - 1);
    const Expr product = c_.tidy(w / l);
    const Expr spread = transforms::plain_root(factor(sum * sum - 4 * product));
    const Expr a = c_.tidy((sum + spread) / 2);
    const Expr b = c_.tidy((sum - spread) / 2);
    return of_parameters("the hypergeometric equation", c, t_ - low, [&](const Expr& by, const Expr& order) {
      return hyperg(c_.tidy(a + by), c_.tidy(b + by), order, x);
    });
  }

  // f with c, and z^(1 - c)*f, up to a factor, with its parameters moved by 1 - c and 2 - c; c must not be whole.
  Two of_parameters(const char* step, const Expr& c, const Expr& z, const auto& f) {
    if (c.word()) return std::nullopt;  // the second solution has a logarithm
    c_.step(step);
    return std::vector<Expr>{f(0, c), power(z, c_.tidy(1 - c)) * f(1 - c, c_.tidy(2 - c))};
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

  // y = w*u with u'' + I*u = 0
  Two by_normal_form() {
    const auto P = c_.closed_integral(p_ / 2, t_);
    if (!P) return std::nullopt;
    const Expr w = c_.exponential_of(-*P);
    const Expr I = c_.tidy(combine_fractions(q_ - derivative(p_, t_) / 2 - p_ * p_ / 4));
    auto u = of_normal_form(expand(I));
    if (!u) return legendre_form();
    c_.step("y = w*u with u'' + I(t)*u = 0");
    for (Expr& e : *u) e = c_.tidy(w * e);
    return u;
  }

  Two of_normal_form(const Expr& I) {
    const Expr half = Expr(1) / 2;
    if (!depends_on(I, t_)) {
      const auto modes = transforms::modes_of({I, 0, 1}, c_.signs());
      if (!modes) return std::nullopt;
      return transforms::solutions_of(*modes, t_);
    }
    if (const auto l = linear_in(I, t_)) {
      // u'' = (b*t + a)*u with b = -slope
      const Expr scale = -power(abs(l->slope), Expr(1) / 3) * Expr(c_.signs().of(l->slope));
      const Expr z = scale * (t_ + l->constant / l->slope);
      c_.step("Airy's equation");
      return std::vector<Expr>{airy_Ai(z), airy_Bi(z)};
    }
    if (auto b = of_exponential(I)) return b;
    // c*t^m + beta/t^2
    Expr beta = 0;
    std::optional<std::pair<Expr, Expr>> other;
    for (const Expr& term : terms_of(I)) {
      Expr coefficient = leading_number(term);
      Expr exponent_of_t = 0;
      for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
        if (base == t_) {
          exponent_of_t += exponent;
        } else {
          coefficient *= power(base, exponent);
        }
      });
      if (depends_on(coefficient, t_) || depends_on(exponent_of_t, t_)) return std::nullopt;
      if (exponent_of_t.is_integer(-2)) {
        beta += coefficient;
      } else if (!other || other->second == exponent_of_t) {
        other = {other ? other->first + coefficient : coefficient, exponent_of_t};
      } else {
        return std::nullopt;
      }
    }
    if (!other) return std::nullopt;
    const Expr& m = other->second;
    const Expr width = m + 2;
    const Expr square = factor(1 - 4 * beta);
    const int sign_of_square = square.is_integer(0) ? 0 : c_.signs().of(square);
    if (sign_of_square < 0) return std::nullopt;
    const Expr nu = transforms::plain_root(square) / width;
    const Expr order = nu.is_number() && nu.number().sign() < 0 ? -nu : nu;
    const int sign = c_.signs().of(other->first);
    const Expr size = transforms::plain_root(factor(sign > 0 ? other->first : -other->first));
    const Expr z = 2 * size / abs(width) * power(t_, width / 2);
    c_.step("Bessel's equation");
    const Expr front = power(t_, half);
    if (auto waves = half_odd_order(order, z, sign > 0, front * power(t_, width / 4))) return waves;
    if (sign > 0) return std::vector<Expr>{front * cyl_bessel_j(order, z), front * cyl_neumann(order, z)};
    return std::vector<Expr>{front * cyl_bessel_i(order, z), front * cyl_bessel_k(order, z)};
  }

  // Bessel functions of order n + 1/2 are sines and cosines, or exponentials, over powers: 10.49, 10.51.1, 10.51.4
  // `front` holds the root of z.
  Two half_odd_order(const Expr& order, const Expr& z, bool waves, const Expr& front) const {
    const auto n = (order - Expr(1) / 2).word();
    if (!n || *n < 0 || *n > 10) return std::nullopt;
    std::vector<Expr> out;
    for (const bool second : {false, true}) {
      // by the recurrence from n = -1 and 0
      const Expr e = waves ? Expr(0) : exp(second ? -z : z);
      Expr before = waves ? (second ? -sin(z) / z : cos(z) / z) : e / z;
      Expr now = waves ? (second ? cos(z) / z : sin(z) / z) : e / z;
      for (std::int64_t k = 0; k < *n; ++k) {
        const Expr step = Expr(2 * k + 1) / z * now;
        const Expr next = waves ? step - before : second ? before + step : before - step;
        before = now;
        now = expand(next);
      }
      out.push_back(c_.tidy(expand(front * now)));
    }
    return out;
  }

  // u'' + (c*exp(k*t) + d)*u = 0: Bessel functions of exp(k*t/2)
  Two of_exponential(const Expr& I) {
    Expr d = 0;
    std::optional<std::pair<Expr, Expr>> growth;
    for (const Expr& term : terms_of(I)) {
      if (!depends_on(term, t_)) {
        d += term;
        continue;
      }
      Expr coefficient = leading_number(term);
      std::optional<Expr> rate;
      for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
        const bool exponential = is_call_of(base, "exp");
        const auto l = exponential ? linear_in(base.operands()[0] * exponent, t_) : std::nullopt;
        if (l && !rate) {
          rate = l->slope;
          coefficient *= exp(l->constant);
        } else {
          coefficient *= power(base, exponent);
        }
      });
      if (!rate || growth || depends_on(coefficient, t_)) return std::nullopt;
      growth = {coefficient, *rate};
    }
    if (!growth || (!d.is_integer(0) && c_.signs().of(d) > 0)) return std::nullopt;
    const Expr& k = growth->second;
    const Expr order = 2 * transforms::plain_root(factor(-d)) / k;
    const Expr positive = order.is_number() && order.number().sign() < 0 ? -order : order;
    const int sign = c_.signs().of(growth->first);
    const Expr size = transforms::plain_root(factor(sign > 0 ? growth->first : -growth->first));
    const Expr z = 2 * size / abs(k) * exp(k * t_ / 2);
    c_.step("Bessel's equation for an exponential of t");
    if (auto waves = half_odd_order(positive, z, sign > 0, exp(k * t_ / 4))) return waves;
    if (sign > 0) return std::vector<Expr>{cyl_bessel_j(positive, z), cyl_neumann(positive, z)};
    return std::vector<Expr>{cyl_bessel_i(positive, z), cyl_bessel_k(positive, z)};
  }

  // (1 - t^2)*y'' - 2*t*y' + n*(n + 1)*y = 0
  Two legendre_form() {
    const Expr k = c_.tidy(q_ * (1 - t_ * t_));
    if (depends_on(k, t_) || !vanishes(p_ + 2 * t_ / (1 - t_ * t_))) return std::nullopt;
    const Expr n = c_.tidy((sqrt(factor(1 + 4 * k)) - 1) / 2);
    c_.step("Legendre's equation; for whole n the second solution is not legendre(n, -t)");
    return std::vector<Expr>{legendre(n, t_), legendre(n, -t_)};
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
