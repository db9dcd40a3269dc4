// SPDX-License-Identifier: MIT
// Weights of finite differences: the moments of the offsets, by elimination over the rationals.
#include <fmt/format.h>

#include <algorithm>

#include "boreon/error.hpp"
#include "boreon/grid.hpp"

namespace boreon {
namespace {

Number factorial(int n) {
  Number f(1);
  for (int k = 2; k <= n; ++k) f = f * Number(k);
  return f;
}

Number moment(const Stencil& s, int degree) {
  Number sum(0);
  for (std::size_t k = 0; k < s.offsets.size(); ++k) {
    Number term = s.weights[k];
    for (int i = 0; i < degree; ++i) term = term * s.offsets[k];
    sum = sum + term;
  }
  return sum;
}

// Rows of the moments 0 .. n - 1 with the right side in the last column, brought to the identity.
std::vector<Number> solved(std::vector<std::vector<Number>> rows) {
  const std::size_t n = rows.size();
  for (std::size_t c = 0; c < n; ++c) {
    std::size_t pivot = c;
    while (pivot < n && rows[pivot][c].is_zero()) ++pivot;
    if (pivot == n) throw Error(ErrorKind::usage, "the offsets of a stencil must be distinct");
    std::swap(rows[c], rows[pivot]);
    const Number scale = Number(1) / rows[c][c];
    for (Number& entry : rows[c]) entry = entry * scale;
    for (std::size_t r = 0; r < n; ++r) {
      const Number factor = rows[r][c];
      if (r == c || factor.is_zero()) continue;
      for (std::size_t k = c; k <= n; ++k) rows[r][k] = rows[r][k] - factor * rows[c][k];
    }
  }
  std::vector<Number> x;
  for (const auto& row : rows) x.push_back(row[n]);
  return x;
}

}  // namespace

Stencil stencil(std::span<const Number> offsets, int derivative) {
  const int n = static_cast<int>(offsets.size());
  if (derivative < 0 || n <= derivative)
    throw Error(ErrorKind::usage,
                fmt::format("a derivative of order {} needs {} places or more, not {}", derivative, derivative + 1, n));
  if (n > 64) throw Error(ErrorKind::limit, "a stencil has at most 64 places");
  std::vector<std::vector<Number>> rows(offsets.size(), std::vector<Number>(offsets.size() + 1, Number(0)));
  for (std::size_t k = 0; k < offsets.size(); ++k) {
    Number power(1);
    for (std::size_t d = 0; d < offsets.size(); ++d) {
      rows[d][k] = power;
      power = power * offsets[k];
    }
  }
  rows[static_cast<std::size_t>(derivative)].back() = factorial(derivative);
  Stencil s;
  s.offsets.assign(offsets.begin(), offsets.end());
  s.weights = solved(std::move(rows));
  s.derivative = derivative;
  for (int degree = n;; ++degree) {  // symmetric ones are exact for one degree more
    const Number m = moment(s, degree);
    if (m.is_zero() && degree < 2 * n) continue;
    s.order = degree - derivative;
    s.error = m / factorial(degree);
    return s;
  }
}

Stencil stencil(std::initializer_list<Number> offsets, int derivative) {
  return stencil(std::span<const Number>(offsets.begin(), offsets.size()), derivative);
}

}  // namespace boreon
