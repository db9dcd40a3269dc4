// SPDX-License-Identifier: MIT
#include "calculus/integral/inside.hpp"

#include <array>
#include <cmath>
#include <complex>
#include <optional>
#include <vector>

#include "calculus/signs.hpp"

namespace boreon {
namespace {

using Complex = std::complex<double>;

class Walk {
 public:
  Walk(const Expr& f, const Expr& F, const Symbol& x, std::span<const Expr> symbols, std::span<const double> point)
      : f_(f), F_(F), symbols_(symbols.begin(), symbols.end()), point_(point.begin(), point.end()) {
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

 private:
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

}  // namespace boreon
