// SPDX-License-Identifier: MIT
#include "calculus/integral/inside.hpp"

#include <array>
#include <cmath>
#include <complex>
#include <vector>

#include "boreon/functions.hpp"
#include "calculus/signs.hpp"

namespace boreon {
namespace {

using Complex = std::complex<double>;

// Sums, and sums that are factors, with the amounts of their terms.
Expr of_amounts(const Expr& e) {
  if (e.is(Kind::sum)) {
    Expr all = abs(e.operands()[0]);
    for (const auto [term, coefficient] : Parts(e)) all += abs(coefficient) * of_amounts(term);
    return all;
  }
  if (e.is(Kind::product)) {
    Expr all = abs(e.operands()[0]);
    for (const auto [base, exponent] : Parts(e))
      all *= power(base.is(Kind::sum) && exponent.word() && is_positive(exponent) ? of_amounts(base) : abs(base),
                   exponent);
    return all;
  }
  return abs(e);
}

class Walk {
 public:
  Walk(const Expr& f, const Expr& F, const Symbol& x, std::span<const Expr> symbols, std::span<const double> point)
      : f_(f),
        F_(F),
        terms_(of_amounts(F)),
        symbols_(symbols.begin(), symbols.end()),
        point_(point.begin(), point.end()) {
    symbols_.push_back(x);
    point_.push_back(0);
  }

  bool step(double a, double b) const {
    constexpr int most_halvings = 40;
    constexpr double enough = 1e-4;
    const Sum whole = sum(a, b);
    double low = a;
    double high = b;
    Sum here = whole;
    for (int halving = 0; halving < most_halvings; ++halving) {
      if (!here.known) return true;  // outside the domain, rounding of the last digits: nothing can be said
      const double middle = low + (high - low) / 2;
      const Sum left = sum(low, middle);
      const Sum right = sum(middle, high);
      if (!left.known || !right.known) return true;
      if (std::abs(left.value + right.value - here.value) <= 1e-7 * here.size) {
        const auto from = at(F_, low);
        const auto to = at(F_, high);
        if (!from || !to) return true;
        const double rounding = 1e-9 * (std::abs(*from) + std::abs(*to));
        return std::abs(*to - *from - here.value) <= enough * here.size + rounding;
      }
      if (!(low < middle && middle < high)) break;
      // into the half that is less sure of itself
      const bool go_left = unsure(low, middle, left) > unsure(middle, high, right);
      (go_left ? high : low) = middle;
      here = go_left ? left : right;
    }
    // Over ever shorter steps an integrable function counts for ever less.
    return here.size <= 1e-3 * whole.size;
  }

  // A jump of F where f is regular: halved towards the half in which F and the integral differ, as long as f stays what
  // it is. Not to the last digits, as F may be the quotient of two things that vanish there.
  std::optional<double> jump(double a, double b) const {
    const auto whole = mismatch(a, b);
    if (!whole || whole->difference <= 1e-9 * whole->rounding + 1e-7 * whole->size) return std::nullopt;
    double low = a;
    double high = b;
    while (high - low > 1e-4 * (1 + std::abs(low))) {
      const double middle = low + (high - low) / 2;
      const auto left = mismatch(low, middle);
      const auto right = mismatch(middle, high);
      if (!left || !right) return std::nullopt;
      (left->difference > right->difference ? high : low) = middle;
    }
    const auto rest = mismatch(low, high);
    if (!rest || rest->difference < 0.1 * whole->difference) return std::nullopt;
    // What grows on the way is a pole of f, close to which F may be anything.
    if (rest->size / (high - low) > 50 * whole->size / (b - a)) return std::nullopt;
    if (rest->difference > 2 * (whole->difference + whole->unsure)) return std::nullopt;
    const double allowed = 1e-9 * rest->rounding + 1e-12 * terms(low) + 1e-4 * rest->size + 100 * rest->unsure;
    return rest->difference > allowed ? std::optional(low) : std::nullopt;
  }

  // Whether F has an imaginary part where f has none.
  bool unreal(double x) const {
    const auto v = at(f_, x);
    const auto w = at(F_, x);
    return v && w && std::isfinite(std::abs(*v)) && std::isfinite(std::abs(*w)) && v->imag() == 0 &&
           std::abs(w->imag()) > 1e-9 * (1 + std::abs(*w));
  }

 private:
  // The size of the terms of F, of which the sum may be much smaller.
  double terms(double x) const {
    const auto v = at(terms_, x);
    return v ? std::abs(*v) : 0;
  }

  struct Mismatch {
    double difference = 0;  // between the change of F and the integral
    double rounding = 0;    // size of F
    double size = 0;        // of the integral
    double unsure = 0;      // of the rule
  };
  // Nothing where f is not regular and real, or F has no value.
  std::optional<Mismatch> mismatch(double a, double b) const {
    const Sum whole = sum(a, b);
    const double middle = a + (b - a) / 2;
    const Sum left = sum(a, middle);
    const Sum right = sum(middle, b);
    if (!whole.known || !left.known || !right.known) return std::nullopt;
    if (std::abs(whole.value.imag()) > 1e-12 * whole.size) return std::nullopt;
    const auto from = at(F_, a);
    const auto to = at(F_, b);
    if (!from || !to || !std::isfinite(std::abs(*from)) || !std::isfinite(std::abs(*to))) return std::nullopt;
    const Complex integral = left.value + right.value;
    return Mismatch{std::abs(*to - *from - integral), std::abs(*from) + std::abs(*to), whole.size,
                    std::abs(integral - whole.value)};
  }

  struct Sum {
    Complex value;
    double size = 0;  // of absolute values
    bool known = true;
  };

  std::optional<Complex> at(const Expr& e, double x) const {
    point_.back() = x;
    return value_at(e, symbols_, point_);
  }

  // Gauss and Legendre with five points.
  Sum sum(double a, double b) const {
    static constexpr std::array<std::array<double, 2>, 5> rule{{{0, 0.5688888888888889},
                                                                {0.5384693101056831, 0.47862867049936647},
                                                                {-0.5384693101056831, 0.47862867049936647},
                                                                {0.906179845938664, 0.23692688505618908},
                                                                {-0.906179845938664, 0.23692688505618908}}};
    Sum s;
    const double half = (b - a) / 2;
    for (const auto& [node, weight] : rule) {
      const auto v = at(f_, a + half + half * node);
      if (!v || !std::isfinite(std::abs(*v))) {
        s.known = false;
        return s;
      }
      s.value += half * weight * *v;
      s.size += half * weight * std::abs(*v);
    }
    return s;
  }

  double unsure(double a, double b, const Sum& whole) const {
    const double middle = a + (b - a) / 2;
    const Sum left = sum(a, middle);
    const Sum right = sum(middle, b);
    return left.known && right.known ? std::abs(left.value + right.value - whole.value) : INFINITY;
  }

  const Expr& f_;
  const Expr& F_;
  Expr terms_;
  std::vector<Expr> symbols_;
  mutable std::vector<double> point_;
};

}  // namespace

bool grows_as_integral(const Expr& f, const Expr& F, const Symbol& x, double a, double b, std::span<const Expr> symbols,
                       std::span<const double> point) {
  constexpr int steps = 48;
  const Walk walk(f, F, x, symbols, point);
  // from 0 < t < 1 to the range, away from ends where f may be infinite
  const auto place = [&](int i) {
    const double t = (i + 0.37) / (steps + 0.74);
    if (std::isfinite(a) && std::isfinite(b)) return a + (b - a) * t;
    if (std::isfinite(a)) return a + t / (1 - t);
    if (std::isfinite(b)) return b - (1 - t) / t;
    return (2 * t - 1) / (t * (1 - t));
  };
  for (int i = 0; i < steps; ++i) {
    if (!walk.step(place(i), place(i + 1))) return false;
  }
  return true;
}

std::optional<Break> broken_at(const Expr& f, const Expr& F, const Symbol& x, double a, double b,
                               std::span<const Expr> symbols, std::span<const double> point) {
  constexpr int steps = 64;
  const Walk walk(f, F, x, symbols, point);
  const auto place = [&](int i) { return a + (b - a) * (i + 0.37) / (steps + 0.74); };
  std::optional<Break> unreal;
  for (int i = 0; i < steps; ++i) {
    if (const auto jump = walk.jump(place(i), place(i + 1))) return Break{*jump, false};
    if (!unreal && walk.unreal(place(i))) unreal = Break{place(i), true};
  }
  return unreal;
}

}  // namespace boreon
