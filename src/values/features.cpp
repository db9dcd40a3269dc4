// SPDX-License-Identifier: MIT
#include "values/features.hpp"

#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>

#include "boreon/catalogue.hpp"
#include "boreon/traverse.hpp"
#include "values/domains.hpp"
#include "values/graph_evaluator.hpp"

namespace boreon {
namespace {

constexpr std::size_t most_inner = 12;
constexpr std::size_t most_places = 60;

struct Inner {
  Expr expression;
  bool denominator;
};

// What gives the integrand scales of its own.
std::vector<Inner> inner_expressions(const Expr& f, const Expr& x) {
  std::vector<Inner> list;
  const auto note = [&](const Expr& u, bool denominator) {
    const bool known = std::any_of(list.begin(), list.end(), [&](const Inner& i) { return i.expression == u; });
    if (!known && !(u == x) && depends_on(u, x) && list.size() < most_inner) list.push_back({u, denominator});
  };
  postorder(f, [&](const Expr& e) {
    if (needs_numbers_inside(e)) return;
    if (e.is(Kind::call)) {
      static constexpr std::string_view with_scale[] = {"exp",  "tanh", "cosh",  "sinh", "erf",
                                                        "erfc", "atan", "expm1", "exp2"};
      if (std::find(std::begin(with_scale), std::end(with_scale), e.function().name) != std::end(with_scale))
        note(e.operands()[0], false);
    }
    const auto power_of = [&](const Expr& base, const Expr& exponent) {
      if (exponent.is_number() && exponent.number().sign() < 0) note(base, true);
      if (!exponent.is_number() && depends_on(exponent, x)) note(exponent, false);
    };
    if (e.is(Kind::power)) power_of(e.operands()[0], e.operands()[1]);
    if (e.is(Kind::product)) {
      for (const auto [base, exponent] : Parts(e)) power_of(base, exponent);
    }
  });
  return list;
}

// Points over the range: evenly, and in powers of ten from its ends and from 0.
std::vector<double> grid(double a, double b) {
  std::vector<double> g;
  const bool finite = std::isfinite(a) && std::isfinite(b);
  if (finite) {
    for (int i = 1; i < 160; ++i) g.push_back(a + (b - a) * i / 160);
  }
  for (int k = -10; k <= 15; ++k) {
    for (const double m : {1.0, 1.8, 3.2, 5.6}) {
      const double d = m * std::pow(10.0, k);
      for (const double v : {d, -d}) g.push_back(v);
      if (std::isfinite(a)) g.push_back(a + d);
      if (std::isfinite(b)) g.push_back(b - d);
    }
  }
  g.push_back(0);
  std::erase_if(g, [&](double v) { return !(v > a && v < b); });
  std::sort(g.begin(), g.end());
  g.erase(std::unique(g.begin(), g.end()), g.end());
  return g;
}

// One inner expression over the range: where it changes within a small distance.
class Watched {
 public:
  Watched(const Inner& u, const Expr& x, double a, double b, std::vector<double>& places)
      : u_(u),
        x_(x),
        a_(a),
        b_(b),
        range_(std::isfinite(a) && std::isfinite(b) ? b - a : std::numeric_limits<double>::infinity()),
        plan_({&u.expression, 1}),
        places_(places) {}

  void look_at(const std::vector<double>& points) {
    for (std::size_t i = 0; i + 1 < points.size(); ++i) {
      const double vp = value(points[i]);
      const double vq = value(points[i + 1]);
      if (!std::isfinite(vp) || !std::isfinite(vq)) continue;
      // a zero, not one of many in a row, as a step function has them
      if (vp == 0 && vq != 0 && (i == 0 || value(points[i - 1]) != 0)) add(points[i]);
      // zeros of denominators are singular places, which are known already
      if (vp * vq < 0 && !u_.denominator) add(zero_between(points[i], points[i + 1], vp));
      if (i > 0) look_for_extremum(points[i - 1], points[i + 1], vp, vq);
    }
  }

 private:
  double value(double at) {
    const BriefFaults brief;
    try {
      return evaluator_.run(plan_, [&](const Expr& e, double& v) {
        if (!(e == x_)) return false;
        v = at;
        return true;
      })[0];
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
      return std::numeric_limits<double>::quiet_NaN();
    }
  }

  // A place, and the distance over which something happens there.
  void add(double c) {
    const double v = value(c);
    const double change = u_.denominator ? std::fabs(v) : 1.0;
    if (!std::isfinite(v) || !(change > 0)) return;
    double width = std::max(std::fabs(c), 1e-300) * 1e-14;
    for (int k = 0; k < 1100 && width < 1e300; ++k, width *= 2) {
      const double right = std::fabs(value(c + width) - v);
      const double left = std::fabs(value(c - width) - v);
      if (!(std::max(right, left) < change)) break;
    }
    const bool infinite = !std::isfinite(range_);
    const double narrow = infinite ? 1e12 : 0.1 * range_;
    // rules over infinite ranges look near 0 at scale 1
    const bool far = infinite && (width < 0.3 || std::fabs(c) > 5 * width);
    if (!(width < narrow) || (infinite && !far && width > 0.3 && width < 50)) return;
    for (const double step : {0.0, 3.0, -3.0, 12.0, -12.0, 100.0, -100.0}) {
      if (infinite && std::fabs(step) > 50) continue;  // far out the tail may oscillate
      const double place = c + step * width;
      if (place > a_ && place < b_ && places_.size() < most_places) places_.push_back(place);
    }
  }

  double zero_between(double low, double high, double value_at_low) {
    for (int k = 0; k < 80; ++k) {
      const double m = low + (high - low) / 2;
      (value(m) * value_at_low > 0 ? low : high) = m;
    }
    return low + (high - low) / 2;
  }

  // Around a point with the value vp that is larger or smaller than both of its neighbours: golden section.
  void look_for_extremum(double low, double high, double vp, double vq) {
    const double vo = value(low);
    const bool top = vp >= vo && vp > vq;
    const bool bottom = vp <= vo && vp < vq;
    if (!(u_.denominator ? (std::fabs(vp) <= std::fabs(vo) && std::fabs(vp) < std::fabs(vq)) : top || bottom)) return;
    const double sign = u_.denominator ? (vp > 0 ? 1.0 : -1.0) : bottom ? 1.0 : -1.0;
    constexpr double golden = 0.6180339887498949;
    for (int k = 0; k < 90; ++k) {
      const double l = high - golden * (high - low);
      const double h = low + golden * (high - low);
      if (sign * value(l) < sign * value(h)) {
        high = h;
      } else {
        low = l;
      }
    }
    add(low + (high - low) / 2);
  }

  const Inner& u_;
  const Expr& x_;
  double a_;
  double b_;
  double range_;
  EvaluationPlan plan_;
  GraphEvaluator<RealDomain> evaluator_;
  std::vector<double>& places_;
};

}  // namespace

std::vector<double> narrow_places(const Expr& f, const Expr& x, double a, double b) {
  std::vector<double> places;
  const std::vector<Inner> inner = inner_expressions(f, x);
  if (inner.empty()) return places;
  const std::vector<double> points = grid(a, b);
  for (const Inner& u : inner) Watched(u, x, a, b, places).look_at(points);
  std::sort(places.begin(), places.end());
  // Places that nearly coincide would make pieces of nothing.
  std::vector<double> apart;
  for (const double p : places) {
    if (apart.empty() || p - apart.back() > 1e-13 * std::max(std::fabs(p), std::fabs(apart.back()))) apart.push_back(p);
  }
  return apart;
}

}  // namespace boreon
