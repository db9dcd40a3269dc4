// SPDX-License-Identifier: MIT
// Sums of 10^4 terms and their gradients, by symbols and by the program, against code written by hand.
#include <benchmark/benchmark.h>

#include <chrono>
#include <cmath>

#include "boreon/calculus.hpp"
#include "boreon/functions.hpp"
#include "boreon/native.hpp"
#include "boreon/symbol.hpp"
#include "models.hpp"
#include "pairs.hpp"
#include "stencils_by_hand.hpp"

using namespace boreon;

namespace {

struct Sum {
  std::vector<Expr> y, p;
  Expr f;
  std::vector<double> y0, p0;
};
using ByHand = void (*)(const double*, const double*, double*, double*);

Sum chain() {
  Sum s;
  s.y = bench::symbols("x", bench::chain_size);
  s.p = {Symbol("k"), Symbol("b")};
  for (std::size_t i = 0; i + 1 < s.y.size(); ++i) {
    const Expr d = s.y[i + 1] - s.y[i];
    s.f += s.p[0] * pow(d, 2) / 2 + s.p[1] * pow(d, 4) / 4;
  }
  for (std::size_t i = 0; i < s.y.size(); ++i)
    s.y0.push_back(static_cast<double>(i) + 0.3 * std::sin(0.7 * static_cast<double>(i)));
  s.p0 = {1.5, 0.2};
  return s;
}

Sum decay() {
  Sum s;
  s.y = {Symbol("a"), Symbol("r"), Symbol("c")};
  s.p = bench::symbols("t", bench::data_size);
  for (const Expr& d : bench::symbols("d", bench::data_size)) s.p.push_back(d);
  for (std::size_t i = 0; i < bench::data_size; ++i) {
    s.f += pow(s.y[0] * exp(-s.y[1] * s.p[i]) + s.y[2] - s.p[bench::data_size + i], 2);
    s.p0.push_back(1e-3 * static_cast<double>(i));
  }
  for (std::size_t i = 0; i < bench::data_size; ++i)
    s.p0.push_back(2 * std::exp(-0.4 * s.p0[i]) + 0.3 + 0.05 * std::sin(static_cast<double>(i)));
  s.y0 = {1.9, 0.45, 0.25};
  return s;
}

enum class What { value, gradient, both, weighted };

void run(benchmark::State& state, const Sum& s, What what, ByHand by_hand) {
  const auto begin = std::chrono::steady_clock::now();
  std::vector<OutputGroup> outputs;
  if (what != What::gradient) outputs.emplace_back("f", std::vector<Expr>{s.f});
  if (what == What::gradient || what == What::both) outputs.emplace_back("j", gradient(s.f, s.y));
  Program program = make_program(outputs, std::vector<InputGroup>{{"y", s.y}, {"p", s.p}});
  if (what == What::weighted) program = vector_jacobian(program, "f", "y");
  const std::size_t code = program.code_size();
  const Kernel kernel = native_kernel(std::move(program), {.expected_calls = 1e9});
  const std::chrono::duration<double, std::milli> spent = std::chrono::steady_clock::now() - begin;
  std::vector<double> f(1), f2(1), j(s.y.size()), j2 = j;
  const double one = 1;
  std::vector<const double*> in{s.y0.data(), s.p0.data()};
  if (what == What::weighted) in.push_back(&one);
  std::vector<double*> out;
  if (what != What::gradient) out.push_back(f.data());
  if (what != What::value) out.push_back(j.data());
  kernel(in, out);
  const auto hand = [&] {
    by_hand(in[0], in[1], what == What::gradient ? nullptr : f2.data(), what == What::value ? nullptr : j2.data());
  };
  hand();
  bench::require_equal(f, f2, "f");
  bench::require_equal(j, j2, "j");
  bench::compare(
      state, [&] { kernel(in, out); }, hand, 1, 2e-3);
  state.counters["derive_and_compile_ms"] = spent.count();
  state.counters["code"] = static_cast<double>(code);
}

const int registered = [] {
  struct Entry {
    const char* name;
    Sum (*make)();
    ByHand by_hand;
  };
  static constexpr Entry entries[] = {{"chain_10000", chain, bench::chain_energy},
                                      {"decay_10000", decay, bench::decay_misfit}};
  static constexpr std::pair<const char*, What> whats[] = {
      {"value", What::value}, {"gradient", What::gradient}, {"both", What::both}, {"vector_jacobian", What::weighted}};
  for (const Entry& e : entries) {
    for (const auto& [name, what] : whats) {
      benchmark::RegisterBenchmark((std::string("sum_vs_by_hand/") + e.name + "/" + name).c_str(),
                                   [e, w = what](benchmark::State& s) { run(s, e.make(), w, e.by_hand); })
          ->UseManualTime()
          ->Iterations(41)
          ->Unit(benchmark::kMicrosecond);
    }
  }
  return 0;
}();

}  // namespace
