// SPDX-License-Identifier: MIT
// Functions in stages, and when machine code is made at all.
#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <string>
#include <thread>
#include <vector>

#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/native.hpp"
#include "boreon/symbol.hpp"
#include "core/random_expression.hpp"

using namespace boreon;

TEST_CASE("parameters in a stage of their own") {
  const Symbol x("x"), T("T"), k("k");
  const Expr rate = k * pow(T, Expr(7) / 10) * exp(-300 / T);
  const std::vector<Expr> f{rate * x, rate * x * x - sin(x), exp(-T / 100)};
  const Program program =
      make_program(std::vector<OutputGroup>{{"f", f}}, std::vector<InputGroup>{{"x", {x}}, {"p", {T, k}}});
  const std::string fixed[] = {"p"};
  const StagedPrograms staged = stage(program, fixed);
  CHECK(staged.main.operation_count() < 8);
  CHECK(staged.prepare.operation_count() + staged.main.operation_count() == program.operation_count());
  for (const auto& i : staged.main.instructions) CHECK(i.op != OpCode::power);
  StagedKernel kernel(program, fixed);
  const Kernel whole(program);
  for (const double temperature : {200.0, 350.0, 900.0}) {
    const std::vector<double> p{temperature, 2e-3};
    const double* prepare_in[] = {nullptr, p.data()};
    kernel.prepare(prepare_in);
    for (const double at : {0.1, 0.9}) {
      double got[3];
      const double* in[] = {&at, p.data()};
      double* out[] = {got};
      kernel(in, out);
      const auto expected = whole.evaluate({{at}, p})[0];
      for (std::size_t i = 0; i < 3; ++i) CHECK(got[i] == doctest::Approx(expected[i]).epsilon(1e-13));
    }
  }
}

TEST_CASE("residuals first, their Jacobian later: no work twice") {
  const auto s = Symbol::list("x y z k");
  const std::vector<Expr> v(s.begin(), s.begin() + 3);
  const Expr k = s[3];
  const std::vector<Expr> f{k * exp(-v[0]) * v[1] - sin(v[2]), v[1] * pow(v[0], Expr(7) / 10),
                            cos(v[2]) / (1 + v[0] * v[0]), v[0]};
  const SparseMatrix j = sparse_jacobian(f, v);
  const Program program =
      make_program(std::vector<OutputGroup>{{"j", j}, {"f", f}}, std::vector<InputGroup>{{"v", v}, {"p", {k}}});
  const std::string first[] = {"f"};
  const SplitPrograms parts = split(program, first);
  CHECK(parts.first.operation_count() + parts.second.operation_count() == program.operation_count());
  for (const Instruction& i : parts.second.instructions) CHECK(i.op != OpCode::sine_cosine);  // kept
  for (const bool strict : {false, true}) {
    SplitKernel kernel(program, first, {.strict = strict, .expected_calls = 1e9});
    CHECK(kernel.kept_values() > 0);
    for (const double at : {0.3, 1.2, 2.5}) {
      const std::vector<double> x{at, at * at, 1 - at};
      const std::vector<double> p{0.7};
      const auto expected = Kernel(program).evaluate({x, p});
      std::vector<double> fs(f.size());
      std::vector<double> js(j.values.size());
      const double* in[] = {x.data(), p.data()};
      double* f_out[] = {fs.data()};
      double* j_out[] = {js.data()};
      kernel.first(in, f_out);
      kernel.second(in, j_out);
      for (std::size_t i = 0; i < fs.size(); ++i)
        CHECK(fs[i] == doctest::Approx(expected[1][i]).epsilon(strict ? 1e-300 : 1e-14));
      for (std::size_t i = 0; i < js.size(); ++i)
        CHECK(js[i] == doctest::Approx(expected[0][i]).epsilon(strict ? 1e-300 : 1e-14));
    }
  }
  const std::string wrong[] = {"g"};
  CHECK_THROWS_AS((void)split(program, wrong), Error);
}

TEST_CASE("the choice of the machine: few calls are interpreted, absent instruction sets refused, listings readable") {
  const Symbol x("x");
  const std::vector<OutputGroup> f{{"f", {sin(x) * exp(x) + x}}};
  const std::vector<InputGroup> in{{"x", {x}}};
  CHECK(compile(f, in, NativeOptions{.expected_calls = 1}).method() == "interpreter");
  CHECK(compile(f, in, NativeOptions{.expected_calls = 1}).listing().empty());
  if (machines().empty()) return;
  const Kernel fast = compile(f, in, NativeOptions{.expected_calls = 1e6});
  CHECK(fast.method() == "native " + to_string(machines()[0]));
  CHECK(fast.listing().find("ret") != std::string::npos);
  CHECK(native_kernel(make_program(f, in), {.strict = true, .expected_calls = 1e6}).method().ends_with("strict"));
  for (const Machine m : {Machine::avx512, Machine::avx2, Machine::sse2}) {
    bool have = false;
    for (const Machine h : machines()) have = have || h == m;
    if (!have) CHECK_THROWS_AS((void)native_kernel(make_program(f, in), {.machine = m}), Error);
  }
  // many threads may call one function, and many() for the first time at once
  const double expected = fast.evaluate({{0.4}})[0][0];
  std::atomic<int> wrong = 0;
  std::vector<std::thread> threads;
  for (int t = 0; t < 4; ++t) {
    threads.emplace_back([&] {
      const std::vector<double> at(20, 0.4);
      std::vector<double> out(20);
      fast.many(20, std::vector<PointsIn>{{at.data(), 20, 1}}, std::vector<PointsOut>{{out.data(), 20, 1}});
      for (const double v : out) wrong += std::abs(v - expected) < 1e-14 ? 0 : 1;
    });
  }
  for (auto& t : threads) t.join();
  CHECK(wrong == 0);
}
