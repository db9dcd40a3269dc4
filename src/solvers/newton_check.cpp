// SPDX-License-Identifier: MIT
#include "solvers/newton_check.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "solvers/klu_factors.hpp"

namespace boreon {
namespace {

constexpr std::size_t diagnosed_rows = 400;
constexpr double null_image = 1e-11;
constexpr double singular =
    1e-15;  // reciprocal condition of a matrix of which rounding alone keeps the pivots from zero

bool all_finite(const std::vector<double>& v) {
  return std::all_of(v.begin(), v.end(), [](double x) { return std::isfinite(x); });
}

bool normalise(std::vector<double>& v) {
  const double length = std::sqrt(std::inner_product(v.begin(), v.end(), v.begin(), 0.0));
  if (!(length > 0) || !std::isfinite(length)) return false;
  for (double& x : v) x /= length;
  return true;
}

// Length of A v, or of v A, for rows of length at most of the order of one.
double image(const SparsityPattern& p, const std::vector<double>& entries, const std::vector<double>& v,
             bool from_left) {
  std::vector<double> product(p.rows, 0.0);
  for (std::size_t i = 0; i < p.rows; ++i) {
    for (auto k = static_cast<std::size_t>(p.row_start[i]); k < static_cast<std::size_t>(p.row_start[i + 1]); ++k) {
      const auto j = static_cast<std::size_t>(p.columns[k]);
      product[from_left ? j : i] += entries[k] * v[from_left ? i : j];
    }
  }
  return std::sqrt(std::inner_product(product.begin(), product.end(), product.begin(), 0.0));
}

}  // namespace

std::optional<NewtonStep> newton_step(const SparsityPattern& pattern, const std::vector<double>& values,
                                      const std::vector<double>& f, const std::vector<double>& magnitudes,
                                      const std::vector<double>& columns) {
  const ScaledRows scaled(pattern, values, columns);
  if (!scaled.finite) return std::nullopt;
  const std::size_t n = pattern.rows;
  KluFactors factors(pattern, scaled.entries);
  if (!(factors.reciprocal_condition() > singular)) return std::nullopt;
  // The residuals, and roundings of their terms with three patterns of signs.
  std::vector<double> right(4 * n);
  for (std::size_t i = 0; i < n; ++i) {
    right[i] = f[i] / scaled.rows[i];
    const double rounding = std::numeric_limits<double>::epsilon() * magnitudes[i] / scaled.rows[i];
    right[n + i] = rounding;
    right[2 * n + i] = i % 2 == 0 ? rounding : -rounding;
    right[3 * n + i] = i / 2 % 2 == 0 ? rounding : -rounding;
  }
  if (!factors.solve(right, 4) || !all_finite(right)) return std::nullopt;
  NewtonStep result;
  for (std::size_t i = 0; i < n; ++i) {
    result.step.push_back(right[i] * columns[i]);
    const double noise = std::max({std::fabs(right[n + i]), std::fabs(right[2 * n + i]), std::fabs(right[3 * n + i])});
    result.noise.push_back(noise * columns[i]);
  }
  return result;
}

Dependence dependence(const SparsityPattern& pattern, const std::vector<double>& values,
                      const std::vector<double>& columns) {
  const std::size_t n = pattern.rows;
  if (n > diagnosed_rows || n == 0) return {};
  ScaledRows scaled(pattern, values, columns);
  if (!scaled.finite) return {};
  // That an unknown is nearly zero makes its column small, and nothing dependent.
  std::vector<double> largest(n, 0.0);
  for (std::size_t k = 0; k < scaled.entries.size(); ++k) {
    double& most = largest[static_cast<std::size_t>(pattern.columns[k])];
    most = std::max(most, std::fabs(scaled.entries[k]));
  }
  for (std::size_t k = 0; k < scaled.entries.size(); ++k) {
    if (const double most = largest[static_cast<std::size_t>(pattern.columns[k])]; most > 0) scaled.entries[k] /= most;
  }
  if (KluFactors(pattern, scaled.entries).reciprocal_condition() > 1e-9) return {};
  // Inverse iteration with the matrix moved by some roundings, unequal on the diagonal: that makes any matrix regular,
  // also one with an empty row, and multiplies its null vectors by the inverse of the roundings.
  std::vector<int> starts{0};
  std::vector<int> at;
  std::vector<double> moved;
  for (std::size_t i = 0; i < n; ++i) {
    const double shift = 1e-13 * (1 + 0.37 * static_cast<double>((7 * i + 3) % 11));
    bool diagonal = false;
    for (auto k = static_cast<std::size_t>(pattern.row_start[i]);
         k < static_cast<std::size_t>(pattern.row_start[i + 1]); ++k) {
      const bool here = static_cast<std::size_t>(pattern.columns[k]) == i;
      at.push_back(static_cast<int>(pattern.columns[k]));
      moved.push_back(scaled.entries[k] + (here ? shift : 0));
      diagonal = diagonal || here;
    }
    if (!diagonal) {
      at.push_back(static_cast<int>(i));
      moved.push_back(shift);
    }
    starts.push_back(static_cast<int>(at.size()));
  }
  KluFactors factors(std::move(starts), std::move(at), std::move(moved));
  if (!(factors.reciprocal_condition() > 0)) return {};
  std::vector<double> unknowns(n);
  for (std::size_t i = 0; i < n; ++i) unknowns[i] = 1 + 0.1 * static_cast<double>((5 * i + 1) % 13);
  std::vector<double> equations = unknowns;
  for (int step = 0; step < 2; ++step) {
    if (!factors.solve(unknowns) || !normalise(unknowns)) return {};
    if (!factors.solve_transposed(equations) || !normalise(equations)) return {};
  }
  if (image(pattern, scaled.entries, unknowns, false) > null_image ||
      image(pattern, scaled.entries, equations, true) > null_image)
    return {};
  Dependence result;
  for (std::size_t i = 0; i < n; ++i) {
    if (std::fabs(unknowns[i]) > 0.05) result.unknowns.push_back(i);
    if (std::fabs(equations[i]) > 0.05) result.equations.push_back(i);
  }
  return result;
}

}  // namespace boreon
