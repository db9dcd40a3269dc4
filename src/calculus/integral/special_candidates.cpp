// SPDX-License-Identifier: MIT
// Which special functions can occur in an antiderivative, by the form of the integrand. Their derivatives (NIST 5.9,
// 6.2, 7.2, 25.12) are written in the functions of the integrand.
#include <algorithm>

#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/simplify.hpp"
#include "calculus/integral/undetermined.hpp"

namespace boreon {
namespace {

class Candidates {
 public:
  Candidates(Integrator& in, const Shape& shape) : in_(in), s_(shape), x_(shape.x) {}

  std::vector<Candidate> operator()() {
    for (const Expr& d : s_.denominators) {
      if (const auto l = linear_in(d, x_)) poles_.push_back(-l->constant / l->slope);
    }
    for (const Expr& u : s_.exponents) {
      guarded([&] { error_functions(u); });
      guarded([&] { exponential_integrals(u); });
    }
    for (const Expr& k : s_.kernels) {
      guarded([&] { trigonometric_integrals(k); });
      guarded([&] { dilogarithms_of_logarithm(k); });
      guarded([&] { dilogarithms_of_exponential(k); });
      guarded([&] { inverse_tangent_integral(k); });
    }
    return std::move(out_);
  }

 private:
  template <class F>
  void guarded(F f) {
    try {
      f();
    } catch (const UnknownSign&) {
    } catch (const Error&) {
    }
  }
  void add(const Expr& function, const Expr& slope) {
    if (out_.size() < 60) out_.push_back({function, slope});
  }

  // exp(a*v^2 + b*v + c)*v' for v = x, 1/x, sqrt(x), log(x)
  void error_functions(const Expr& u) {
    const Symbol t("_t", {Assumption::positive});
    struct Inner {
      Expr v;
      Expr x_of_t;
    };
    const Inner inners[] = {{x_, t}, {power(x_, -1), power(t, -1)}, {sqrt(x_), power(t, 2)}, {log(x_), exp(t)}};
    for (const Inner& i : inners) {
      const Expr in_t = expand(substitute(u, {{x_, i.x_of_t}}, Unused::allowed));
      const auto c = polynomial_in(in_t, t, 2);
      if (!c || c->size() != 3) continue;
      const Expr& a = (*c)[2];
      const Expr& b = (*c)[1];
      const int sign = in_.signs().of(a);
      const Expr root = sqrt(sign > 0 ? a : -a);
      const Expr z = tidied(root * i.v + (sign > 0 ? 1 : -1) * b / (2 * root), in_.signs());
      const Expr factor = sqrt(pi()) / (2 * root) * exp((*c)[0] - b * b / (4 * a));
      add(factor * (sign > 0 ? erfi(z) : erf(z)), exp(u) * derivative(i.v, x_));
    }
  }

  // exp(u)/(x - r) for linear u
  void exponential_integrals(const Expr& u) {
    const auto l = linear_in(u, x_);
    if (!l) {
      // exp(k*x^n)/x
      for (const Expr& r : poles_) {
        if (r.is_integer(0) && u.is(Kind::product) && !depends_on(u / power(x_, exponent_of(u)), x_))
          add(Ei(u) / exponent_of(u), exp(u) / x_);
      }
      return;
    }
    for (const Expr& r : poles_) add(exp(l->constant + l->slope * r) * Ei(l->slope * (x_ - r)), exp(u) / (x_ - r));
  }
  [[nodiscard]] Expr exponent_of(const Expr& u) const {
    for (const auto [base, exponent] : Parts(u)) {
      if (base == x_) return exponent;
    }
    return 1;
  }

  void trigonometric_integrals(const Expr& k) {
    if (!is_call_of(k, "sin") && !is_call_of(k, "cos")) return;
    const Expr& u = k.operands()[0];
    // multiples that powers and products make
    if (const auto l = linear_in(u, x_)) {
      for (const Expr& r : poles_) {
        for (const int n : {1, 2, 3}) {
          const Expr a = n * l->slope;
          const Expr shift = n * (l->slope * r + l->constant);  // n*u = a*(x - r) + shift
          const Expr s = in_angle(sin(n * u), n, u);
          const Expr c = in_angle(cos(n * u), n, u);
          add(Si(a * (x_ - r)), (s * cos(shift) - c * sin(shift)) / (x_ - r));
          add(Ci(a * (x_ - r)), (c * cos(shift) + s * sin(shift)) / (x_ - r));
        }
      }
      return;
    }
    const auto c = polynomial_in(u, x_, 2);
    if (!c || c->size() != 3) return;
    const int sign = in_.signs().of((*c)[2]);
    const Expr a = sign * (*c)[2];
    const Expr b = sign * (*c)[1];
    const Expr rest = sign * (*c)[0] - b * b / (4 * a);  // sign*u = a*(x + b/(2*a))^2 + rest
    const Expr scale = sqrt(2 * a / pi());
    const Expr z = scale * (x_ + b / (2 * a));
    const Expr s = sign * sin(u);
    add(fresnel_S(z) / scale, s * cos(rest) - cos(u) * sin(rest));
    add(fresnel_C(z) / scale, cos(u) * cos(rest) + s * sin(rest));
  }
  // sin(n*u), cos(n*u) in sin(u), cos(u)
  static Expr in_angle(const Expr& e, int n, const Expr& u) {
    if (n == 1) return e;
    const Symbol y("_y");
    const Expr expanded = expand_angles(is_call_of(e, "sin") ? sin(n * y) : is_call_of(e, "cos") ? cos(n * y) : e);
    return substitute(expanded, {{y, u}}, Unused::allowed);
  }

  // log(p)/q, p and q linear in v
  void dilogarithms_of_logarithm(const Expr& k) {
    if (!is_call_of(k, "log")) return;
    const Expr& p = k.operands()[0];
    const auto lp = linear_in(p, x_);
    if (!lp) return;
    for (const Expr& r : poles_) {
      pair(p, r);
      // the other way round: log(q)/p and log(p)*log(q)
      const Expr q = x_ - r;
      const Expr root = -lp->constant / lp->slope;
      if (vanishes(root - r)) continue;
      const Expr at = root - r;
      const int s = in_.signs().of(at);
      const Expr positive = s > 0 ? q : -q;
      pair(positive, root);
      add(k * log(positive), derivative(p, x_) / p * log(positive) + k / q);
    }
  }
  // dilog(1 - p/p(r)) if p(r) > 0
  void pair(const Expr& p, const Expr& r) {
    const Expr at = substitute(p, {{x_, r}}, Unused::allowed);
    if (vanishes(at)) return;
    if (in_.signs().of(at) <= 0) {  // log(p)^2/q: p/at < 1
      const Expr z = expand(p / at);
      const Expr rate = derivative(p, x_) / p;
      const Expr l = log(1 - z);
      const Expr dl = -derivative(z, x_) / (1 - z);
      add(log(p) * l, rate * l + log(p) * dl);
      add(dilog(z), -l * rate);
      add(power(log(p), 2) * l, 2 * log(p) * rate * l + power(log(p), 2) * dl);
      add(log(p) * dilog(z), rate * dilog(z) - log(p) * l * rate);
      add(polylog(3, z), dilog(z) * rate);
      return;
    }
    add(dilog(expand(1 - p / at)), (log(at) - log(p)) / (x_ - r));
  }

  // atan(u)/x: NIST 25.12.2 at an imaginary argument
  void inverse_tangent_integral(const Expr& k) {
    if (!is_call_of(k, "atan")) return;
    const Expr& u = k.operands()[0];
    const auto l = linear_in(u, x_);
    if (!l || l->slope.is_integer(0)) return;
    for (const Expr& r : poles_) {
      if (!vanishes(l->slope * r + l->constant)) continue;
      add((dilog(imaginary_unit() * u) - dilog(-imaginary_unit() * u)) / (2 * imaginary_unit()), k / (x_ - r));
    }
  }

  // x/(exp(u) - c): x is a logarithm of the exponential
  void dilogarithms_of_exponential(const Expr& k) {
    if (!is_call_of(k, "exp")) return;
    const auto l = linear_in(k.operands()[0], x_);
    if (!l) return;
    const Symbol t("_t");
    for (const Expr& d : s_.denominators) {
      Rebuild pass([&](const Expr& n, Expr& result) {
        if (!is_call_of(n, "exp")) return false;
        const auto power_of_k = (n.operands()[0] / k.operands()[0]).word();  // powers merge into the argument
        if (!power_of_k) return false;
        result = power(t, *power_of_k);
        return true;
      });
      const Expr in_t = pass(d);
      if (depends_on(in_t, x_)) continue;
      // a*t^n + b
      const auto c = polynomial_in(in_t, t, 8);
      if (!c || c->size() < 2 || (*c)[0].is_integer(0)) continue;
      const auto n = static_cast<std::int64_t>(c->size()) - 1;
      bool binomial = true;
      for (std::int64_t i = 1; i < n; ++i) binomial = binomial && (*c)[static_cast<std::size_t>(i)].is_integer(0);
      if (!binomial) continue;
      const Expr at = -c->front() / c->back();
      const Expr kn = power(k, n);
      const Expr u = n * k.operands()[0];
      const Expr slope = n * l->slope;
      if (is_real(kn) && in_.signs().of(at) > 0) {
        add(dilog(expand(1 - kn / at)), -(u - log(at)) * slope * kn / (kn - at));
        if (s_.degree_in_x >= 2) {  // in the reciprocal
          const Expr z = at / kn;
          const Expr rise = slope * at / (kn - at);
          add(x_ * log(1 - z), log(1 - z) + x_ * rise);
          add(power(x_, 2) * log(1 - z), 2 * x_ * log(1 - z) + power(x_, 2) * rise);
          add(dilog(z), slope * log(1 - z));
          add(x_ * dilog(z), dilog(z) + x_ * slope * log(1 - z));
          add(polylog(3, z), -slope * dilog(z));
        }
      } else {
        add(dilog(kn / at), -log(1 - kn / at) * slope);
        add(x_ * log(1 - kn / at), log(1 - kn / at) - x_ * slope * kn / (at - kn));
        if (s_.degree_in_x >= 2) {
          add(power(x_, 2) * log(1 - kn / at), 2 * x_ * log(1 - kn / at) - power(x_, 2) * slope * kn / (at - kn));
          add(x_ * dilog(kn / at), dilog(kn / at) - x_ * log(1 - kn / at) * slope);
          add(polylog(3, kn / at), dilog(kn / at) * slope);
        }
      }
    }
  }

  Integrator& in_;
  const Shape& s_;
  Symbol x_;
  std::vector<Expr> poles_;
  std::vector<Candidate> out_;
};

}  // namespace

std::vector<Candidate> special_candidates(Integrator& in, const Shape& shape) { return Candidates(in, shape)(); }

}  // namespace boreon
