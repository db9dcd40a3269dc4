// SPDX-License-Identifier: MIT
// Tables as functions: cubic pieces between the points.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <math.h>  // the next header calls isnan by that name
#include <Eigen/SparseLU>
#include <algorithm>
#include <boost/math/interpolators/pchip.hpp>
#include <cmath>
#include <memory>

#include "boreon/error.hpp"
#include "boreon/numeric_function.hpp"
#include "expr/numeric_rows.hpp"

namespace boreon {
namespace {

// Slopes at the points such that second derivatives are continuous; the first two and the last two pieces are one cubic
// each (de Boor, "A practical guide to splines", 1978, chapter IV).
std::vector<double> smooth_slopes(const std::vector<double>& x, const std::vector<double>& y) {
  const std::size_t n = x.size();
  std::vector<double> width;
  std::vector<double> rise;
  for (std::size_t i = 0; i + 1 < n; ++i) {
    width.push_back(x[i + 1] - x[i]);
    rise.push_back((y[i + 1] - y[i]) / width.back());
  }
  if (n == 2) return {rise[0], rise[0]};
  if (n == 3) {  // a parabola
    const double bend = (rise[1] - rise[0]) / (x[2] - x[0]);
    return {rise[0] - bend * width[0], rise[0] + bend * width[0], rise[1] + bend * width[1]};
  }
  const auto size = static_cast<Eigen::Index>(n);
  std::vector<Eigen::Triplet<double>> entries;
  Eigen::VectorXd right(size);
  // w0*s0 + (w0 + w1)*s1 = ..., seen from either end
  const auto end = [&](std::size_t point, std::size_t next, double near, double far, double rise_near,
                       double rise_far) {
    const double both = near + far;
    entries.emplace_back(static_cast<int>(point), static_cast<int>(point), far);
    entries.emplace_back(static_cast<int>(point), static_cast<int>(next), both);
    right[static_cast<Eigen::Index>(point)] = ((near + 2 * both) * far * rise_near + near * near * rise_far) / both;
  };
  end(0, 1, width[0], width[1], rise[0], rise[1]);
  end(n - 1, n - 2, width[n - 2], width[n - 3], rise[n - 2], rise[n - 3]);
  for (std::size_t i = 1; i + 1 < n; ++i) {
    const int k = static_cast<int>(i);
    entries.emplace_back(k, k - 1, width[i]);
    entries.emplace_back(k, k, 2 * (width[i - 1] + width[i]));
    entries.emplace_back(k, k + 1, width[i - 1]);
    right[k] = 3 * (width[i] * rise[i - 1] + width[i - 1] * rise[i]);
  }
  Eigen::SparseMatrix<double> matrix(size, size);
  matrix.setFromTriplets(entries.begin(), entries.end());
  const Eigen::SparseLU<Eigen::SparseMatrix<double>> factors(matrix);
  const Eigen::VectorXd slopes = factors.solve(right);
  if (factors.info() != Eigen::Success || !slopes.allFinite())
    throw Error(
        ErrorKind::convergence,
        "no smooth curve goes through the points: they are too close together or too far apart for double precision");
  return {slopes.begin(), slopes.end()};
}

class Pieces {
 public:
  Pieces(std::vector<double> x, std::vector<double> y, TableCurve curve, bool hold)
      : x_(std::move(x)), last_(y.back()), hold_(hold) {
    std::vector<double> slope;
    if (curve == TableCurve::smooth) {
      slope = smooth_slopes(x_, y);
    } else {
      std::vector<double> places = x_;  // moved from
      const boost::math::interpolators::pchip<std::vector<double>> monotone(std::move(places), std::vector<double>{y});
      for (const double at : x_) slope.push_back(monotone.prime(at));
    }
    for (std::size_t i = 0; i + 1 < x_.size(); ++i) {
      const double h = x_[i + 1] - x_[i];
      const double rise = (y[i + 1] - y[i]) / h;
      for (const double c : {y[i], slope[i], (3 * rise - 2 * slope[i] - slope[i + 1]) / h,
                             (slope[i] + slope[i + 1] - 2 * rise) / (h * h)})
        coefficients_.push_back(c);
    }
  }

  [[nodiscard]] double value(double x, int order) const {
    const bool below = x < x_.front();
    if (below || x > x_.back())
      return !hold_ || std::isnan(x) ? std::nan("") : order > 0 ? 0 : below ? coefficients_[0] : last_;
    if (x == x_.back() && order == 0) return last_;
    const auto piece = static_cast<std::size_t>(std::upper_bound(x_.begin() + 1, x_.end() - 1, x) - x_.begin()) - 1;
    const double* const c = coefficients_.data() + 4 * piece;
    const double u = x - x_[piece];
    switch (order) {
      case 0: return c[0] + u * (c[1] + u * (c[2] + u * c[3]));
      case 1: return c[1] + u * (2 * c[2] + u * (3 * c[3]));
      case 2: return 2 * c[2] + u * (6 * c[3]);
      default: return 6 * c[3];
    }
  }

  // The same as C99.
  [[nodiscard]] std::string source(const std::string& name, int order) const {
    const std::size_t n = x_.size();
    const auto list = [](const std::vector<double>& values) {
      std::string text;
      for (std::size_t i = 0; i < values.size(); ++i)
        text += fmt::format("{}{:.17g}", i == 0 ? "" : i % 4 == 0 ? ",\n    " : ", ", values[i]);
      return text;
    };
    std::string text = fmt::format(
        "double {}(double x) {{\n  static const double at[{}] = {{{}}};\n  static const double c[{}] = {{{}}};\n", name,
        n, list(x_), coefficients_.size(), list(coefficients_));
    text += fmt::format("  int low = 0;\n  int high = {};\n", n - 1);
    const std::string outside = !hold_      ? "NAN"
                                : order > 0 ? "x != x ? x : 0.0"
                                            : fmt::format("x < at[0] ? c[0] : x > at[{}] ? {:.17g} : x", n - 1, last_);
    text += fmt::format("  if (!(x >= at[0] && x <= at[{}])) return {};\n", n - 1, outside);
    if (order == 0) text += fmt::format("  if (x == at[{}]) return {:.17g};\n", n - 1, last_);
    text +=
        "  while (high - low > 1) {\n    const int middle = (low + high) / 2;\n    if (x < at[middle]) high = middle; "
        "else low = middle;\n  }\n";
    text += "  const double* const p = c + 4*low;\n  const double u = x - at[low];\n";
    static constexpr const char* values[] = {"p[0] + u*(p[1] + u*(p[2] + u*p[3]))", "p[1] + u*(2*p[2] + u*(3*p[3]))",
                                             "2*p[2] + u*(6*p[3])", "6*p[3]"};
    return text + fmt::format("  (void)u;\n  return {};\n}}\n", values[order]);
  }

 private:
  std::vector<double> x_;
  std::vector<double> coefficients_;  // four for each piece
  double last_;
  bool hold_;
};

}  // namespace

NumericFunction table_function(std::string_view name, std::vector<double> arguments, std::vector<double> values,
                               TableCurve curve, BeyondTable beyond) {
  if (arguments.size() != values.size())
    throw Error(ErrorKind::shape,
                fmt::format("the table {} has {} arguments but {} values", name, arguments.size(), values.size()));
  const std::size_t least = curve == TableCurve::monotone ? 4 : 2;
  if (arguments.size() < least)
    throw Error(ErrorKind::shape,
                fmt::format("the table {} has {} points; a {} curve needs at least {}", name, arguments.size(),
                            curve == TableCurve::monotone ? "monotone" : "smooth", least));
  for (std::size_t i = 0; i < arguments.size(); ++i) {
    if (!std::isfinite(arguments[i]) || !std::isfinite(values[i]))
      throw Error(ErrorKind::usage,
                  fmt::format("point {} of the table {} is not finite: {}, {}", i + 1, name, arguments[i], values[i]));
    if (i > 0 && !(arguments[i] > arguments[i - 1])) {
      throw Error(ErrorKind::usage, fmt::format("the arguments of the table {} must rise: point {} is at {}, after {}",
                                                name, i + 1, arguments[i], arguments[i - 1]));
    }
  }
  const bool hold = beyond == BeyondTable::hold;
  const ArgumentRange range = hold ? ArgumentRange{} : ArgumentRange{arguments.front(), arguments.back()};
  const auto pieces = std::make_shared<const Pieces>(std::move(arguments), std::move(values), curve, hold);
  return unchecked_numeric_function(
      name, {range}, 3,
      {[pieces](std::span<const double> x, std::span<const int> orders) { return pieces->value(x[0], orders[0]); },
       [pieces](const std::string& c_name, std::span<const int> orders) { return pieces->source(c_name, orders[0]); }});
}

}  // namespace boreon
