// SPDX-License-Identifier: MIT
// Groebner bases of systems from the literature, in order of degrees.
#include <benchmark/benchmark.h>

#include <cstdlib>
#include <string>
#include <vector>

#include "boreon/equations.hpp"
#include "boreon/symbol.hpp"

using namespace boreon;

namespace {

struct PolynomialSystem {
  std::vector<Expr> equations;
  std::vector<Expr> unknowns;
};

PolynomialSystem cyclic(unsigned n) {
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

PolynomialSystem katsura(int n) {
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

void basis_of(benchmark::State& state, const PolynomialSystem& s) {
  std::size_t elements = 0;
  for (auto _ : state) elements = groebner_basis(s.equations, s.unknowns, BasisOrder::degree).size();
  state.counters["elements"] = static_cast<double>(elements);
}

void groebner_cyclic(benchmark::State& state) { basis_of(state, cyclic(static_cast<unsigned>(state.range(0)))); }
BENCHMARK(groebner_cyclic)->Arg(5)->Arg(6)->Unit(benchmark::kMillisecond);
void groebner_katsura(benchmark::State& state) { basis_of(state, katsura(static_cast<int>(state.range(0)))); }
BENCHMARK(groebner_katsura)->Arg(6)->Arg(8)->Unit(benchmark::kMillisecond);

}  // namespace
