// SPDX-License-Identifier: MIT
#include "solvers/fit_hints.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

namespace boreon {
namespace {

// 1 - (what is left of the scatter)/(scatter about the mean), each measurement by its deviation.
double determination(const FitResult::Curve& c) {
  double weights = 0;
  double mean = 0;
  for (std::size_t i = 0; i < c.measured.size(); ++i) {
    const double w = 1 / (c.deviation[i] * c.deviation[i]);
    weights += w;
    mean += w * (c.measured[i] - mean) / weights;
  }
  double left = 0;
  double all = 0;
  for (std::size_t i = 0; i < c.measured.size(); ++i) {
    left += std::pow((c.measured[i] - c.model[i]) / c.deviation[i], 2);
    all += std::pow((c.measured[i] - mean) / c.deviation[i], 2);
  }
  return all > 0 ? 1 - left / all : std::numeric_limits<double>::quiet_NaN();
}

// Residuals by their deviation, in order along a column; one for each place, several there by their mean.
std::vector<double> ordered(const FitProblem& p, const FitResult::Curve& c, std::optional<std::size_t> column) {
  std::vector<std::size_t> order(c.rows.size());
  std::iota(order.begin(), order.end(), std::size_t{0});
  const auto place = [&](std::size_t i) {
    return column ? p.data.columns[*column][c.rows[i]] : static_cast<double>(c.rows[i]);
  };
  std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return place(a) < place(b); });
  std::vector<double> z;
  for (std::size_t k = 0; k < order.size();) {
    double sum = 0;
    const std::size_t first = k;
    for (; k < order.size() && place(order[k]) == place(order[first]); ++k)
      sum += (c.measured[order[k]] - c.model[order[k]]) / c.deviation[order[k]];
    z.push_back(sum / static_cast<double>(k - first));
  }
  return z;
}

// Wald and Wolfowitz: far fewer changes of sign than chance makes.
std::string runs_of_one_sign(const std::vector<double>& z, const std::string& name, const std::string& column) {
  double above = 0;
  double runs = 0;
  for (std::size_t i = 0; i < z.size(); ++i) {
    if (z[i] > 0) ++above;
    if (i == 0 || (z[i] > 0) != (z[i - 1] > 0)) ++runs;
  }
  const auto n = static_cast<double>(z.size());
  const double below = n - above;
  if (above < 5 || below < 5) return {};
  const double expected = 2 * above * below / n + 1;
  const double deviation = std::sqrt((expected - 1) * (expected - 2) / (n - 1));
  if (!(runs < expected - 3.3 * deviation)) return {};
  return fmt::format(
      "the residuals of {} come in runs of one sign{}: {:.0f} where chance makes {:.0f} +- {:.0f}; the model misses a "
      "trend, and standard errors take the errors as independent",
      name, column.empty() ? "" : " along " + column, runs, expected, deviation);
}

// Jarque and Bera, from as many residuals as its law holds for.
std::string not_normal(const std::vector<double>& z, const std::string& name) {
  const auto n = static_cast<double>(z.size());
  if (z.size() < 30) return {};
  const double mean = std::accumulate(z.begin(), z.end(), 0.0) / n;
  double m2 = 0;
  double m3 = 0;
  double m4 = 0;
  for (const double v : z) {
    const double d = v - mean;
    m2 += d * d / n;
    m3 += d * d * d / n;
    m4 += d * d * d * d / n;
  }
  if (!(m2 > 0)) return {};
  const double skewness = m3 / std::pow(m2, 1.5);
  const double excess = m4 / (m2 * m2) - 3;
  const double test = n / 6 * (skewness * skewness + excess * excess / 4);
  if (!(test > 30)) return {};
  return fmt::format(
      "the residuals of {} are not normal (skewness {:.2g}, excess kurtosis {:.2g}{}): standard errors are rough", name,
      skewness, excess, excess > 2 ? "; outliers? loss = \"robust\" lets them count little" : "");
}

}  // namespace

void add_residual_hints(const FitProblem& problem, FitResult& result) {
  // residuals that are nothing but rounding have no law
  double measured = 0;
  for (const FitResult::Curve& c : result.curves) {
    for (std::size_t i = 0; i < c.measured.size(); ++i) measured += std::pow(c.measured[i] / c.deviation[i], 2);
  }
  const bool exact = result.chi_square <= 1e-20 * measured;
  for (std::size_t k = 0; k < result.curves.size(); ++k) {
    const FitTarget& t = problem.targets[k];
    const FitResult::Curve& c = result.curves[k];
    result.determination.push_back(determination(c));
    if (exact || t.robust) continue;
    const auto column = column_along(problem, k);
    const std::vector<double> z = ordered(problem, c, column);
    for (std::string& hint :
         std::vector{runs_of_one_sign(z, t.name, column ? problem.data.names[*column] : ""), not_normal(z, t.name)})
      if (!hint.empty()) result.warnings.push_back(std::move(hint));
  }
}

}  // namespace boreon
