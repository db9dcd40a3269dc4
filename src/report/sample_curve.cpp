// SPDX-License-Identifier: MIT
// Points of a curve, close together where it bends, with gaps where it jumps.
#include <algorithm>
#include <cmath>
#include <limits>

#include "boreon/figure.hpp"
#include "expr/work.hpp"

namespace boreon {
namespace {

constexpr std::size_t first_points = 401;
constexpr std::size_t most_points = 20000;
constexpr unsigned most_rounds = 20;  // halvings of the first distances
constexpr double screen_width = 1200;
constexpr double screen_height = 700;
constexpr double tolerance = 0.3;  // dots by which a point may lie beside the line between its neighbours
constexpr double steep = 6;        // dots that count as a jump where nothing is left between

struct Point {
  double u;  // 0 ... 1 from left to right
  double y;
  unsigned round;
};

class CurveSampler {
 public:
  CurveSampler(const std::function<double(double)>& f, double from, double to, bool log_x, bool log_y)
      : f_(f), from_(from), to_(to), log_x_(log_x), log_y_(log_y) {}

  SampledCurve run() {
    for (std::size_t i = 0; i < first_points; ++i)
      points_.push_back(at(static_cast<double>(i) / (first_points - 1), 0));
    SampledCurve out;
    out.resolved = follow();
    // Values far beyond the others that do not grow any more belong to a peak, not to a pole: it is shown whole.
    if (clipped_ && !has_pole()) {
      whole_ = true;
      out.resolved = follow() && out.resolved;
    }
    show(out);
    return out;
  }

 private:
  double x(double u) const {
    return u == 1 ? to_ : log_x_ ? from_ * std::pow(to_ / from_, u) : from_ + (to_ - from_) * u;
  }
  Point at(double u, unsigned round) const {
    const double v = f_(x(u));
    return {u, log_y_ ? (v > 0 ? std::log10(v) : std::numeric_limits<double>::quiet_NaN()) : v, round};
  }

  // False if there were not points enough.
  bool follow() {
    for (unsigned round = 1; round <= most_rounds && refine(round); ++round) {
      if (points_.size() > most_points) return false;
    }
    return true;
  }
  // Whether the value goes on growing beside the largest one: by golden section, as for a peak.
  [[nodiscard]] bool has_pole() const {
    std::size_t top = points_.size();
    for (std::size_t i = 0; i < points_.size(); ++i) {
      if (std::isfinite(points_[i].y) && (top == points_.size() || std::fabs(points_[i].y) > std::fabs(points_[top].y)))
        top = i;
    }
    if (top == points_.size()) return false;
    const auto size = [&](double u) {
      const double y = std::fabs(at(u, 0).y);
      return std::isfinite(y) ? y : std::numeric_limits<double>::infinity();
    };
    constexpr double golden = 0.6180339887498949;
    double a = points_[top == 0 ? 0 : top - 1].u;
    double b = points_[std::min(top + 1, points_.size() - 1)].u;
    double largest = 0;
    for (int i = 0; i < 60; ++i) {
      const double l = b - golden * (b - a);
      const double r = a + golden * (b - a);
      const double at_l = size(l);
      const double at_r = size(r);
      largest = std::max({largest, at_l, at_r});
      (at_l > at_r ? b : a) = at_l > at_r ? r : l;
    }
    return largest > 10 * std::fabs(points_[top].y);
  }

  // What of the values is shown: all of them, unless a few are far beyond the others.
  void find_range() {
    std::vector<double> values;
    for (const Point& p : points_) {
      if (std::isfinite(p.y) && p.round == 0) values.push_back(p.y);
    }
    std::sort(values.begin(), values.end());
    low_ = high_ = 0;
    clipped_ = false;
    if (values.empty()) return;
    const double low = values[values.size() / 20];
    const double high = values[values.size() - 1 - values.size() / 20];
    low_ = values.front();
    high_ = values.back();
    for (const Point& p : points_) {
      if (!std::isfinite(p.y)) continue;
      low_ = std::min(low_, p.y);
      high_ = std::max(high_, p.y);
    }
    const double spread = high - low;
    if (!whole_ && !log_y_ && high_ - low_ > 20 * spread) {
      const double room = std::max(spread, 1e-3 * std::max(std::fabs(low), std::fabs(high)));
      clipped_ = low_ < low - 3 * room || high_ > high + 3 * room;
      low_ = std::max(low_, low - 1.5 * room);
      high_ = std::min(high_, high + 1.5 * room);
    }
    if (high_ == low_) high_ = low_ + 1;
  }

  // Dots from the bottom; far beyond the figure all heights are one.
  double dots(double y) const { return screen_height * std::clamp((y - low_) / (high_ - low_), -1.0, 2.0); }

  // Halves the distances beside points where the curve bends; whether there were any.
  bool refine(unsigned round) {
    spend(points_.size());
    find_range();
    std::vector<char> split(points_.size(), 0);  // between this point and the next one
    bool any = false;
    const auto mark = [&](std::size_t i) {
      if (i + 1 >= points_.size() || points_[i + 1].u - points_[i].u < 1e-9) return;
      split[i] = 1;
      any = true;
    };
    for (std::size_t i = 0; i + 1 < points_.size(); ++i) {
      const bool here = std::isfinite(points_[i].y);
      if (here != std::isfinite(points_[i + 1].y)) mark(i);
      if (i == 0 || !here || !std::isfinite(points_[i - 1].y) || !std::isfinite(points_[i + 1].y)) continue;
      const double dx1 = screen_width * (points_[i].u - points_[i - 1].u),
                   dx2 = screen_width * (points_[i + 1].u - points_[i - 1].u);
      const double dy1 = dots(points_[i].y) - dots(points_[i - 1].y),
                   dy2 = dots(points_[i + 1].y) - dots(points_[i - 1].y);
      const double beside = std::fabs(dx1 * dy2 - dx2 * dy1) / std::hypot(dx2, dy2);
      if (beside > tolerance) mark(i - 1), mark(i);
    }
    if (!any) return false;
    std::vector<Point> finer;
    for (std::size_t i = 0; i < points_.size(); ++i) {
      finer.push_back(points_[i]);
      if (split[i] != 0) finer.push_back(at((points_[i].u + points_[i + 1].u) / 2, round));
    }
    points_ = std::move(finer);
    return true;
  }

  void show(SampledCurve& out) const {
    constexpr double close = 2e-8;  // on the scale of the figure: nothing is left between
    const auto value = [&](double y) { return log_y_ ? std::pow(10, y) : y; };
    for (std::size_t i = 0; i < points_.size(); ++i) {
      out.x.push_back(x(points_[i].u));
      out.y.push_back(value(points_[i].y));
      if (i + 1 == points_.size()) break;
      const Point& a = points_[i];
      const Point& b = points_[i + 1];
      if (!std::isfinite(a.y) || !std::isfinite(b.y) || b.u - a.u > close) continue;
      if (std::fabs(dots(b.y) - dots(a.y)) < steep) continue;
      const double height = high_ - low_;
      const bool pole = std::max(std::fabs(a.y - (low_ + high_) / 2), std::fabs(b.y - (low_ + high_) / 2)) > 3 * height;
      ++(pole ? out.poles : out.jumps);
      out.x.push_back((out.x.back() + x(b.u)) / 2);
      out.y.push_back(std::numeric_limits<double>::quiet_NaN());
    }
    out.clipped = clipped_ || out.poles > 0;
    out.low = value(low_);
    out.high = value(high_);
  }

  const std::function<double(double)>& f_;
  double from_, to_;
  bool log_x_, log_y_;
  std::vector<Point> points_;
  double low_ = 0;
  double high_ = 1;
  bool clipped_ = false;
  bool whole_ = false;  // nothing is clipped
};

}  // namespace

SampledCurve sample_curve(const std::function<double(double)>& f, double from, double to, bool logarithmic_x,
                          bool logarithmic_y) {
  return CurveSampler(f, from, to, logarithmic_x, logarithmic_y).run();
}

}  // namespace boreon
