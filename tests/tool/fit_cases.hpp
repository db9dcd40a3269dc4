// SPDX-License-Identifier: MIT
// Problems and noise for the tests of fits.
#pragma once

#include <cmath>
#include <random>
#include <string>
#include <vector>

#include "boreon/boreon.hpp"

namespace fit_cases {

inline double uniform(std::mt19937_64& random, double low, double high) {
  return low + (high - low) * (static_cast<double>(random() >> 11U) * 0x1.0p-53);
}
inline double normal(std::mt19937_64& random) {
  return std::sqrt(-2 * std::log(uniform(random, 1e-300, 1))) * std::cos(6.283185307179586 * uniform(random, 0, 1));
}

inline boreon::FitProblem table(const std::vector<std::string>& unknowns, std::vector<double> start,
                                const std::string& model, std::vector<double> x, std::vector<double> y) {
  boreon::FitProblem p;
  p.names = unknowns;
  for (const std::string& n : unknowns) p.unknowns.emplace_back(boreon::Symbol(n));
  p.start = std::move(start);
  p.data.names = {"x", "y"};
  p.data.symbols = {boreon::Symbol("x"), boreon::Symbol("y")};
  p.data.columns = {std::move(x), std::move(y)};
  p.targets = {{"y", boreon::Symbol("y"), boreon::parse(model)}};
  return p;
}

inline std::vector<double> places(std::size_t n, double low, double high) {
  std::vector<double> x;
  for (std::size_t i = 0; i < n; ++i)
    x.push_back(low + (high - low) * static_cast<double>(i) / static_cast<double>(n - 1));
  return x;
}

inline double chi_square(const boreon::FitProblem& p, const std::vector<double>& values) {
  double sum = 0;
  for (std::size_t r = 0; r < p.data.rows(); ++r) {
    boreon::Bindings b;
    for (std::size_t i = 0; i < values.size(); ++i)
      b.set(p.unknowns[i], boreon::Expr(boreon::Number::from_double(values[i])));
    for (std::size_t c = 0; c < p.data.symbols.size(); ++c)
      b.set(p.data.symbols[c], boreon::Expr(boreon::Number::from_double(p.data.columns[c][r])));
    for (const boreon::FitTarget& t : p.targets) {
      const double v = boreon::evaluate((t.model - t.measured) / t.deviation, b, boreon::Unused::allowed);
      sum += v * v;
    }
  }
  return sum;
}

}  // namespace fit_cases
