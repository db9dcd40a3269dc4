// SPDX-License-Identifier: MIT
// Calls of one function in all the places that memory and threads allow.
#include <doctest/doctest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <thread>

#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/native.hpp"
#include "boreon/symbol.hpp"
#include "core/numbered.hpp"
#include "core/random_expression.hpp"

using namespace boreon;

namespace {

// Sums, quotients, calls; copies of inputs and constants side by side among the outputs.
struct Sample {
  std::vector<Expr> x = test::numbered("x", 6);
  std::vector<Expr> p = test::numbered("p", 2);
  std::vector<OutputGroup> outputs;
  std::vector<InputGroup> inputs;
  Sample() {
    std::vector<Expr> f;
    for (const Expr& e : x) f.push_back(e);  // copies
    for (int i = 0; i < 7; ++i) f.emplace_back(Expr(i) / 4);
    f.push_back(x[0] * p[0] + exp(-x[1] * x[1]));
    f.push_back(p[1]);
    f.push_back((x[2] - x[3]) / (1 + p[1] * p[1] + x[4] * x[4]));
    const std::vector<Expr> g{sin(x[5]) * cos(x[5]), p[0], p[1], exp(p[0]) * x[1], 3};
    outputs = {{"f", f}, {"g", g}};
    inputs = {{"x", x}, {"p", p}};
  }
};

constexpr double untouched = -12345.678;

}  // namespace

TEST_CASE("blocks of any length at any address give what single calls give, and touch nothing else") {
  const Sample s;
  const std::size_t n_in = s.x.size();
  const std::size_t n_f = s.outputs[0].values.size();
  const std::size_t n_g = s.outputs[1].values.size();
  const std::vector<double> p{0.3, -1.4};
  test::RandomExpression random(5, {});
  for (const Machine machine : machines()) {
    const Kernel kernel = compile(s.outputs, s.inputs, {.strict = true, .machine = machine});
    for (const std::size_t points : {1UL, 3UL, 4UL, 7UL, 8UL, 9UL, 16UL, 31UL, 64UL, 65UL, 100UL, 257UL}) {
      for (std::size_t shift = 0; shift < 9; ++shift) {
        CAPTURE(points);
        CAPTURE(shift);
        const std::size_t stride = points + random.pick(12);
        std::vector<double> x(n_in * stride + shift + 1);
        for (double& v : x) v = static_cast<double>(random.pick(2001)) / 500 - 2;
        // groups lie differently in the lines of the cache
        std::vector<double> f(n_f * stride + shift + 3, untouched);
        std::vector<double> g(n_g * stride + 2 * shift + 3, untouched);
        const auto step = static_cast<std::ptrdiff_t>(stride);
        kernel.many(points, std::vector<PointsIn>{{x.data() + 1, step, 1}, {p.data(), 1, 0}},
                    std::vector<PointsOut>{{f.data() + shift, step, 1}, {g.data() + 2 * shift, step, 1}},
                    points > 60 ? 2 : 1);
        std::vector<double> one_x(n_in);
        std::vector<double> one_f(n_f);
        std::vector<double> one_g(n_g);
        const double* in[] = {one_x.data(), p.data()};
        double* out[] = {one_f.data(), one_g.data()};
        bool same = true;
        for (std::size_t q = 0; q < points; ++q) {
          for (std::size_t i = 0; i < n_in; ++i) one_x[i] = x[1 + i * stride + q];
          kernel(in, out);
          for (std::size_t i = 0; i < n_f; ++i) same = same && one_f[i] == f[shift + i * stride + q];
          for (std::size_t i = 0; i < n_g; ++i) same = same && one_g[i] == g[2 * shift + i * stride + q];
        }
        CHECK(same);
        bool beside = true;
        for (std::size_t i = 0; i < n_f * stride; ++i)
          beside = beside && (i % stride < points || f[shift + i] == untouched);
        for (std::size_t i = 0; i < shift; ++i) beside = beside && f[i] == untouched;
        for (std::size_t i = shift + n_f * stride; i < f.size(); ++i) beside = beside && f[i] == untouched;
        CHECK(beside);
      }
    }
  }
}

TEST_CASE("constants and copies among the outputs arrive where they belong on every machine") {
  const Sample s;
  const std::vector<double> x{1.5, -2.5, 3.5, 0.25, 8, -1};
  const std::vector<double> p{0.3, -1.4};
  const auto expected = Kernel(make_program(s.outputs, s.inputs)).evaluate({x, p});
  for (const Machine machine : machines()) {
    const auto got = compile(s.outputs, s.inputs, {.machine = machine}).evaluate({x, p});
    for (std::size_t i = 0; i < x.size(); ++i) CHECK(got[0][i] == x[i]);
    for (std::size_t i = 0; i < 7; ++i) CHECK(got[0][6 + i] == static_cast<double>(i) / 4);
    CHECK(got[1][1] == p[0]);
    CHECK(got[1][2] == p[1]);
    CHECK(got[1][4] == 3);
    for (std::size_t k = 0; k < 2; ++k) {
      for (std::size_t i = 0; i < got[k].size(); ++i)
        CHECK(got[k][i] == doctest::Approx(expected[k][i]).epsilon(1e-14));
    }
  }
}

TEST_CASE("any number of groups, with calls and without") {
  for (std::size_t groups = 1; groups < 14; ++groups) {
    for (const bool calls : {false, true}) {
      CAPTURE(groups);
      CAPTURE(calls);
      std::vector<InputGroup> inputs;
      std::vector<std::vector<double>> at;
      Expr sum = 1;
      Expr product = 1;
      for (std::size_t g = 0; g < groups; ++g) {
        const std::string name(1, static_cast<char>('a' + g));
        const Symbol x(name + "0");
        const Symbol y(name + "1");
        inputs.push_back({name, {x, y}});
        at.push_back({0.3 + static_cast<double>(g), 1.7 - 0.1 * static_cast<double>(g)});
        sum += x * y * sum + (calls ? sin(x) : x / y);
        product *= (x + y) / 3;
      }
      std::vector<OutputGroup> outputs;
      for (std::size_t g = 0; g < groups; ++g)
        outputs.emplace_back("out" + std::to_string(g),
                             std::vector<Expr>{sum * static_cast<long>(g + 1), product - inputs[g].variables[0], 2});
      const Program program = make_program(outputs, inputs);
      const auto expected = Kernel(program).evaluate(at);
      for (const Machine machine : machines())
        CHECK(native_kernel(program, {.strict = true, .machine = machine}).evaluate(at) == expected);
    }
  }
}

TEST_CASE("loops over rows that lie anywhere: constants, parameters and neighbours of each row") {
  // Rows in an order of their own, so that entries are found through tables; half of the Jacobian is constant.
  const Symbol d("D");
  const Symbol k("k");
  constexpr std::size_t n = 300;
  const std::vector<Expr> y = test::numbered("y", n);
  std::vector<Expr> f;
  for (std::size_t i = 0; i < n; ++i) {
    const std::size_t at = i * i * 7 % n;
    f.push_back(d * (y[(at + 1) % n] + y[(at + n - 1) % n] - 2 * y[at]) - k * pow(y[at], 3) + k);
  }
  const SparseMatrix j = sparse_jacobian(f, y);
  const std::vector<InputGroup> inputs{{"y", y}, {"p", {d, k}}};
  const std::vector<OutputGroup> outputs{{"f", f}, {"j", j}};
  const Program rolled = make_program(outputs, inputs);
  REQUIRE(!rolled.loops.empty());
  const Program flat = make_program(outputs, inputs, {.optimise = false, .rows = false});
  std::vector<double> at(n);
  for (std::size_t i = 0; i < n; ++i) at[i] = std::sin(0.37 * static_cast<double>(i));
  const std::vector<double> p{0.8, 1.7};
  const auto expected = Kernel(flat).evaluate({at, p});
  const auto interpreted = Kernel(rolled).evaluate({at, p});
  for (const Machine machine : machines()) {
    CHECK(native_kernel(rolled, {.strict = true, .machine = machine}).evaluate({at, p}) == interpreted);
    const auto fast = native_kernel(rolled, {.machine = machine}).evaluate({at, p});
    for (std::size_t g = 0; g < 2; ++g) {
      for (std::size_t i = 0; i < fast[g].size(); ++i)
        CHECK(fast[g][i] == doctest::Approx(expected[g][i]).epsilon(1e-12));
    }
  }
}

TEST_CASE("loops over rows with more groups than there are registers") {
  constexpr std::size_t n = 200;
  std::vector<InputGroup> inputs;
  std::vector<std::vector<double>> at;
  const auto group = [&](const std::string& name, std::size_t size) {
    std::vector<double> values;
    for (std::size_t i = 0; i < size; ++i) values.push_back(std::sin(static_cast<double>(i * (inputs.size() + 3))));
    inputs.push_back({name, test::numbered(name, size)});
    at.push_back(values);
  };
  for (const char* name : {"a", "b", "c", "d", "e"}) group(name, n);
  group("y", 5 * n);  // read at five different paces
  std::vector<Expr> f;
  std::vector<Expr> g;
  for (std::size_t i = 0; i < n; ++i) {
    const auto v = [&](std::size_t which, std::size_t entry) { return inputs[which].variables[entry]; };
    f.push_back(v(5, 3 * i) * v(0, i) + v(5, i) * v(1, i) - v(2, i) * v(5, 2 * i + 1) + v(5, 4 * i) * v(5, 5 * i));
    g.push_back(v(5, 2 * i) - v(3, i) * v(4, i) * v(5, 3 * i + 1));
  }
  const std::vector<OutputGroup> outputs{{"f", f}, {"g", g}};
  const Program rolled = make_program(outputs, inputs);
  REQUIRE(!rolled.loops.empty());
  const auto expected = Kernel(make_program(outputs, inputs, {.optimise = false, .rows = false})).evaluate(at);
  for (const Machine machine : machines()) {
    CAPTURE(to_string(machine));
    const auto got = native_kernel(rolled, {.machine = machine}).evaluate(at);
    double worst = 0;
    for (std::size_t i = 0; i < n; ++i)
      worst = std::max({worst, std::abs(got[0][i] - expected[0][i]), std::abs(got[1][i] - expected[1][i])});
    CHECK(worst < 1e-14);
  }
}

TEST_CASE("many callers with threads of their own, at the same time and in a forked process") {
  const Sample s;
  const Kernel kernel = compile(s.outputs, s.inputs, NativeOptions{});
  constexpr std::size_t points = 2048;
  const std::size_t n_in = s.x.size();
  const std::size_t n_f = s.outputs[0].values.size();
  const std::size_t n_g = s.outputs[1].values.size();
  std::vector<double> x(n_in * points);
  for (std::size_t i = 0; i < x.size(); ++i) x[i] = std::cos(0.01 * static_cast<double>(i));
  const std::vector<double> p{0.3, -1.4};
  const auto run = [&](unsigned threads) {
    std::vector<double> f(n_f * points);
    std::vector<double> g(n_g * points);
    const std::ptrdiff_t step = points;
    kernel.many(points, std::vector<PointsIn>{{x.data(), step, 1}, {p.data(), 1, 0}},
                std::vector<PointsOut>{{f.data(), step, 1}, {g.data(), step, 1}}, threads);
    f.insert(f.end(), g.begin(), g.end());
    return f;
  };
  const std::vector<double> expected = run(1);
  CHECK(run(2) == expected);
  std::vector<int> wrong(4, 0);
  std::vector<std::thread> callers;
  for (std::size_t c = 0; c < wrong.size(); ++c) {
    callers.emplace_back([&, c] {
      for (int i = 0; i < 20; ++i) wrong[c] += run(2 + static_cast<unsigned>(c) % 3) == expected ? 0 : 1;
    });
  }
  for (auto& t : callers) t.join();
  for (const int w : wrong) CHECK(w == 0);
#if !defined(BOREON_SANITIZES_THREADS)  // which does not support threads in a forked process
  // A child of this process has none of its threads.
  const pid_t child = ::fork();
  REQUIRE(child >= 0);
  if (child == 0) ::_exit(run(3) == expected ? 0 : 1);
  int status = -1;
  REQUIRE(::waitpid(child, &status, 0) == child);
  CHECK(WIFEXITED(status));
  CHECK(WEXITSTATUS(status) == 0);
#endif
  CHECK(run(3) == expected);
}
