// SPDX-License-Identifier: MIT
// Groebner bases of systems from the literature, in order of degrees.
#include <benchmark/benchmark.h>

#include "boreon/equations.hpp"
#include "polynomial_systems.hpp"

using namespace boreon;

namespace {

using test::cyclic;
using test::katsura;

void basis_of(benchmark::State& state, const test::PolynomialSystem& s) {
  std::size_t elements = 0;
  for (auto _ : state) elements = groebner_basis(s.equations, s.unknowns, BasisOrder::degree).size();
  state.counters["elements"] = static_cast<double>(elements);
}

void groebner_cyclic(benchmark::State& state) { basis_of(state, cyclic(static_cast<unsigned>(state.range(0)))); }
BENCHMARK(groebner_cyclic)->Arg(5)->Arg(6)->Unit(benchmark::kMillisecond);
void groebner_katsura(benchmark::State& state) { basis_of(state, katsura(static_cast<int>(state.range(0)))); }
BENCHMARK(groebner_katsura)->Arg(6)->Arg(8)->Unit(benchmark::kMillisecond);

}  // namespace
