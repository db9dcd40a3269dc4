// SPDX-License-Identifier: MIT
// Systems of polynomials from the literature, for tests and benchmarks.
#pragma once

#include <cstdlib>
#include <string>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"

namespace test {

using boreon::Expr;
using boreon::Symbol;

struct PolynomialSystem {
  std::vector<Expr> equations;
  std::vector<Expr> unknowns;
};

inline PolynomialSystem cyclic(unsigned n) {
  PolynomialSystem s;
  for (unsigned i = 0; i < n; ++i) s.unknowns.push_back(Symbol("z" + std::to_string(i)));
  for (unsigned d = 1; d <= n; ++d) {
    Expr sum = d == n ? -1 : 0;
    for (unsigned i = 0; i < (d == n ? 1 : n); ++i) {
      Expr product = 1;
      for (unsigned k = 0; k < d; ++k) product *= s.unknowns[(i + k) % n];
      sum += product;
    }
    s.equations.push_back(sum);
  }
  return s;
}

inline PolynomialSystem katsura(int n) {
  PolynomialSystem s;
  const auto at = [](int k) { return static_cast<std::size_t>(std::abs(k)); };
  for (int i = 0; i <= n; ++i) s.unknowns.push_back(Symbol("u" + std::to_string(i)));
  for (int m = 0; m < n; ++m) {
    Expr sum = -s.unknowns[at(m)];
    for (int l = -n; l <= n; ++l) {
      if (std::abs(m - l) <= n) sum += s.unknowns[at(l)] * s.unknowns[at(m - l)];
    }
    s.equations.push_back(sum);
  }
  Expr last = s.unknowns[0] - 1;
  for (int i = 1; i <= n; ++i) last += 2 * s.unknowns[at(i)];
  s.equations.push_back(last);
  return s;
}

inline PolynomialSystem economic(unsigned n) {
  PolynomialSystem s;
  for (unsigned i = 0; i < n; ++i) s.unknowns.push_back(Symbol("x" + std::to_string(i)));
  Expr last = 1;
  for (unsigned k = 0; k + 1 < n; ++k) {
    Expr sum = s.unknowns[k];
    for (unsigned i = 0; i + k + 2 < n; ++i) sum += s.unknowns[i] * s.unknowns[i + k + 1];
    s.equations.push_back(sum * s.unknowns[n - 1] - Expr(k + 1));
    last += s.unknowns[k];
  }
  s.equations.push_back(last);
  return s;
}

}  // namespace test
