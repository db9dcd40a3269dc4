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

}  // namespace

std::vector<double> narrow_places(const Expr& f, const Expr& x, double a, double b) {
  std::vector<double> places;
  const std::vector<Inner> inner = inner_expressions(f, x);
  if (inner.empty()) return places;
  const std::vector<double> points = grid(a, b);
  const double range = std::isfinite(a) && std::isfinite(b) ? b - a : std::numeric_limits<double>::infinity();
  for (const Inner& u : inner) {
    const EvaluationPlan plan({&u.expression, 1});
    GraphEvaluator<RealDomain> evaluator;
    const auto value = [&](double at) {
      const BriefFaults brief;
      try {
        return evaluator.run(plan, [&](const Expr& e, double& v) {
          if (!(e == x)) return false;
          v = at;
          return true;
        })[0];
      } catch (const Error& e) {
        if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
        return std::numeric_limits<double>::quiet_NaN();
      }
    };
    // A place, and the distance over which something happens there.
    const auto add = [&](double c) {
      const double v = value(c);
      const double change = u.denominator ? std::fabs(v) : 1.0;
      if (!std::isfinite(v) || !(change > 0)) return;
      double width = std::max(std::fabs(c), 1e-300) * 1e-14;
      for (int k = 0; k < 1100 && width < 1e300; ++k, width *= 2) {
        const double right = std::fabs(value(c + width) - v);
        const double left = std::fabs(value(c - width) - v);
        if (!(std::max(right, left) < change)) break;
      }
      const double narrow = std::isfinite(range) ? 0.1 * range : 1e12;
      const bool far = !std::isfinite(range) &&
                       (width < 0.3 || std::fabs(c) > 5 * width);  // rules over infinite ranges look near 0 at scale 1
      if (!(width < narrow) || (!std::isfinite(range) && !far && width > 0.3 && width < 50)) return;
      for (const double step : {0.0, 3.0, -3.0, 12.0, -12.0, 100.0, -100.0}) {
        if (!std::isfinite(range) && std::fabs(step) > 50) continue;  // far out the tail may oscillate
        const double place = c + step * width;
        if (place > a && place < b && places.size() < most_places) places.push_back(place);
      }
    };
    for (std::size_t i = 0; i + 1 < points.size(); ++i) {
      const double p = points[i];
      const double q = points[i + 1];
      const double vp = value(p);
      const double vq = value(q);
      if (!std::isfinite(vp) || !std::isfinite(vq)) continue;
      if (vp == 0) add(p);
      if (vp * vq < 0 && !u.denominator) {  // zeros of denominators are singular places, which are known already
        double low = p;
        double high = q;
        for (int k = 0; k < 80; ++k) {
          const double m = low + (high - low) / 2;
          (value(m) * vp > 0 ? low : high) = m;
        }
        add(low + (high - low) / 2);
      }
      if (i == 0) continue;
      const double o = points[i - 1];
      const double vo = value(o);
      const bool top = vp >= vo && vp > vq;
      const bool bottom = vp <= vo && vp < vq;
      if (!(u.denominator ? (std::fabs(vp) <= std::fabs(vo) && std::fabs(vp) < std::fabs(vq)) : top || bottom))
        continue;
      // Golden section within the three points.
      const double sign = u.denominator ? (vp > 0 ? 1.0 : -1.0) : bottom ? 1.0 : -1.0;
      double low = o;
      double high = q;
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
  }
  std::sort(places.begin(), places.end());
  // Places that nearly coincide would make pieces of nothing.
  std::vector<double> apart;
  for (const double p : places) {
    if (apart.empty() || p - apart.back() > 1e-13 * std::max(std::fabs(p), std::fabs(apart.back()))) apart.push_back(p);
  }
  return apart;
}

}  // namespace boreon
