// SPDX-License-Identifier: MIT
#include "core/subdivided.hpp"

#include <algorithm>
#include <boost/math/quadrature/exp_sinh.hpp>
#include <boost/math/quadrature/gauss_kronrod.hpp>
#include <boost/math/quadrature/tanh_sinh.hpp>
#include <cmath>
#include <limits>
#include <vector>

namespace test {
namespace {

using Curve = std::function<double(double)>;

constexpr Judgement without_value{Judgement::divergent, 0};
constexpr Judgement undecided{};

// The power with which |f| grows towards a place from one side: s of |f| ~ distance^-s.
double growth(const Curve& f, double place, double towards) {
  const double unit = std::min(1e-2, std::abs(towards - place));
  const double side = towards > place ? 1 : -1;
  const double near = std::abs(f(place + side * unit * 1e-6));
  const double far = std::abs(f(place + side * unit * 1e-3));
  if (!(near > 0) || !(far > 0)) return 0;
  return std::log(near / far) / std::log(1e3);
}

// From which power on doubles do not decide: beside a place other than zero distances are rounded.
double doubtful(double place) { return place == 0 ? 0.85 : 0.6; }

// The place between low and high where |f| is largest.
double top(const Curve& f, double low, double high) {
  const auto size = [&](double x) {
    const double v = std::abs(f(x));
    return std::isnan(v) ? -1 : v;
  };
  constexpr double golden = 0.6180339887498949;
  double left = high - golden * (high - low);
  double right = low + golden * (high - low);
  double at_left = size(left);
  double at_right = size(right);
  for (int i = 0; i < 90; ++i) {
    if (at_left > at_right) {
      high = right;
      right = left;
      at_right = at_left;
      left = high - golden * (high - low);
      at_left = size(left);
    } else {
      low = left;
      left = right;
      at_left = at_right;
      right = low + golden * (high - low);
      at_right = size(right);
    }
  }
  return at_left > at_right ? left : right;
}

// The place of the largest step between low and high.
double step(const Curve& f, double low, double high) {
  for (int i = 0; i < 60; ++i) {
    const double middle = (low + high) / 2;
    const double v = f(middle);
    (std::abs(v - f(low)) > std::abs(f(high) - v) ? high : low) = middle;
  }
  return (low + high) / 2;
}

double median(std::vector<double> values) {
  const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
  std::nth_element(values.begin(), middle, values.end());
  return *middle;
}

struct Split {
  Judgement::Kind kind = Judgement::number;
  std::vector<double> places;
};

Split split(const Curve& f, double a, double b) {
  constexpr int samples = 4001;
  std::vector<double> x;
  std::vector<double> y;
  std::vector<double> sizes;
  std::vector<double> steps;
  for (int i = 0; i < samples; ++i) {
    x.push_back(a + (b - a) * (i + 0.5 + 0.2 * std::sin(i)) / samples);
    y.push_back(f(x.back()));
    if (std::isnan(y.back())) return {Judgement::unknown, {}};
    sizes.push_back(std::abs(y.back()));
    if (i > 0) steps.push_back(std::abs(y[y.size() - 1] - y[y.size() - 2]));
  }
  const double usual = median(sizes) + 1e-12;
  const double usual_step = median(steps) + 1e-12;
  Split s;
  for (std::size_t i = 1; i + 1 < x.size(); ++i) {
    const bool peak = sizes[i] >= sizes[i - 1] && sizes[i] >= sizes[i + 1] && sizes[i] > 6 * usual;
    const bool turn = (y[i] < 0) != (y[i + 1] < 0) && std::min(sizes[i], sizes[i + 1]) > 3 * usual;
    if (peak || turn) {
      const double place = top(f, x[i - 1], x[i + 1]);
      s.places.push_back(place);
      for (const double towards : {x[i + 1], x[i - 1]}) {
        const double power = growth(f, place, towards);
        if (power > 0.9995) return {Judgement::divergent, {}};
        if (power > doubtful(place)) return {Judgement::unknown, {}};
      }
    } else if (steps[i] > 30 * usual_step) {
      const double place = step(f, x[i], x[i + 1]);
      const double beside = 1e-6 * (x[i + 1] - x[i]);
      if (std::abs(f(place + beside) - f(place - beside)) > 0.3 * steps[i]) s.places.push_back(place);
    }
    if (s.places.size() > 400) return {Judgement::unknown, {}};
  }
  for (const double end : {a, b}) {
    const double power = growth(f, end, end == a ? x[1] : x[x.size() - 2]);
    if (power > 0.9995) return {Judgement::divergent, {}};
    if (power > doubtful(end)) return {Judgement::unknown, {}};
  }
  std::sort(s.places.begin(), s.places.end());
  return s;
}

Judgement between(const Curve& f, double a, double b) {
  const Split s = split(f, a, b);
  if (s.kind != Judgement::number) return {s.kind, 0};
  std::vector<double> ends = s.places;
  ends.insert(ends.begin(), a);
  ends.push_back(b);
  const auto finite = [&](double x) {
    const double v = f(x);
    return std::isfinite(v) ? v : 0;
  };
  double total = 0;
  double size = 0;
  double error = 0;
  boost::math::quadrature::tanh_sinh<double> at_ends;
  using Smooth = boost::math::quadrature::gauss_kronrod<double, 31>;
  for (std::size_t i = 0; i + 1 < ends.size(); ++i) {
    const double length = ends[i + 1] - ends[i];
    if (!(length > 1e-14 * (1 + std::abs(ends[i])))) continue;
    const double low = ends[i] + length / 16;
    const double high = ends[i + 1] - length / 16;
    const auto add = [&](double value, double off, double weight) {
      total += value;
      error += std::abs(off);
      size += std::abs(weight);
    };
    for (const double side : {1.0, -1.0}) {  // by the distance from each end
      const double end = side > 0 ? ends[i] : ends[i + 1];
      double off = 0;
      double weight = 0;
      const double v =
          at_ends.integrate([&](double d) { return finite(end + side * d); }, 0.0, length / 16, 1e-11, &off, &weight);
      add(v, off, weight);
    }
    constexpr int parts = 7;
    for (int k = 0; k < parts; ++k) {
      double off = 0;
      double weight = 0;
      const double v = Smooth::integrate(finite, low + (high - low) * k / parts, low + (high - low) * (k + 1) / parts,
                                         12, 1e-10, &off, &weight);
      add(v, off, weight);
    }
  }
  if (!(error <= 1e-7 * (size + 1e-3)) || !std::isfinite(total)) return undecided;
  return {Judgement::number, total};
}

// From `from` on to infinity, where f neither turns nor has singular places far out.
Judgement beyond(const Curve& f, double from) {
  double last = 0;
  double sizes[3];
  for (int k = 0; k < 3; ++k) {
    const double far = from + std::pow(10.0, 3 + 2 * k);
    sizes[k] = 0;
    for (int i = 0; i < 20; ++i) {
      const double place = far * (1 + i * 0.013);
      const double v = f(place);
      if (std::isnan(v)) return undecided;
      if (std::isinf(v)) return without_value;
      sizes[k] = std::max(sizes[k], std::abs(v) * place);
    }
    last = sizes[k];
  }
  if (last > 1e-6 && sizes[2] > 0.995 * sizes[1]) return without_value;
  if (sizes[2] > 0.5 * sizes[1] && last > 1e-12) return undecided;
  constexpr double near = 40;
  const Judgement first = between(f, from, from + near);
  if (first.kind != Judgement::number) return first;
  double off = 0;
  double weight = 0;
  boost::math::quadrature::exp_sinh<double> rest;
  const double v = rest.integrate(
      [&](double t) {
        const double y = f(from + near + t);
        return std::isfinite(y) ? y : 0;
      },
      0.0, std::numeric_limits<double>::infinity(), 1e-10, &off, &weight);
  if (!(off <= 1e-7 * (weight + std::abs(first.value) + 1e-3)) || !std::isfinite(v)) return undecided;
  return {Judgement::number, first.value + v};
}

}  // namespace

Judgement subdivided(const std::function<double(double)>& f, double a, double b) {
  if (a == b) return {Judgement::number, 0};
  if (a > b) {
    Judgement j = subdivided(f, b, a);
    j.value = -j.value;
    return j;
  }
  try {
    if (std::isinf(a) && std::isinf(b)) {
      const Judgement left = subdivided(f, a, 0.37);
      if (left.kind != Judgement::number) return left;
      const Judgement right = subdivided(f, 0.37, b);
      return right.kind != Judgement::number ? right : Judgement{Judgement::number, left.value + right.value};
    }
    if (std::isinf(a)) return beyond([&](double t) { return f(-t); }, -b);
    if (std::isinf(b)) return beyond(f, a);
    return between(f, a, b);
  } catch (const std::exception&) {  // the package's refusals
    return undecided;
  }
}

}  // namespace test
