// SPDX-License-Identifier: MIT
// Programs taken apart and derived on random expressions: identities that hold whatever they are.
#include <doctest/doctest.h>

#include <cmath>
#include <numeric>

#include "boreon/error.hpp"
#include "boreon/program.hpp"
#include "random_expression.hpp"

using namespace boreon;

namespace {

struct Sample {
  Program program;
  std::vector<std::vector<double>> at;

  explicit Sample(std::uint64_t seed, bool smooth = true) {
    const auto s = Symbol::list("x y z p q");
    const std::vector<Expr> all(s.begin(), s.end());
    test::RandomExpression random(seed, all, smooth);
    const std::vector<Expr> f{random(14), random(9) * random(5), random(6)};
    const std::vector<Expr> g{random(8) + f[0], random(4), f[1] * f[2]};
    const std::vector<InputGroup> inputs{{"v", {all[0], all[1], all[2]}}, {"p", {all[3], all[4]}}};
    program = make_program(std::vector<OutputGroup>{{"f", f}, {"g", g}}, inputs);
    at = {{random.number(-2, 2), random.number(-2, 2), random.number(-2, 2)},
          {random.number(-2, 2), random.number(-2, 2)}};
  }
};

bool identical(const std::vector<double>& a, const std::vector<double>& b) {
  bool same = a.size() == b.size();
  for (std::size_t i = 0; same && i < a.size(); ++i) same = a[i] == b[i] || (std::isnan(a[i]) && std::isnan(b[i]));
  return same;
}

double dot(const std::vector<double>& a, const std::vector<double>& b) {
  return std::inner_product(a.begin(), a.end(), b.begin(), 0.0);
}
double size(const std::vector<double>& a, const std::vector<double>& b) {
  double s = 0;
  for (std::size_t i = 0; i < a.size(); ++i) s += std::abs(a[i] * b[i]);
  return s;
}

}  // namespace

TEST_CASE("two stages and two parts do the operations of the whole, bit for bit and none twice") {
  for (std::uint64_t seed = 1; seed <= 200; ++seed) {
    CAPTURE(seed);
    const Sample s(seed, seed % 2 == 0);
    const auto whole = Kernel(s.program).evaluate(s.at);
    const std::string fixed[] = {"p"};
    const StagedPrograms staged = stage(s.program, fixed);
    CHECK(staged.prepare.operation_count() + staged.main.operation_count() <= s.program.operation_count());
    const auto prepared = Kernel(staged.prepare).evaluate({s.at[1]})[0];
    const auto rest = Kernel(staged.main).evaluate({s.at[0], s.at[1], prepared});
    CHECK(identical(rest[0], whole[0]));
    CHECK(identical(rest[1], whole[1]));
    for (const std::string& first : {std::string("f"), std::string("g")}) {
      const std::string names[] = {first};
      const SplitPrograms parts = split(s.program, names);
      CHECK(parts.first.operation_count() + parts.second.operation_count() <= s.program.operation_count());
      const auto one = Kernel(parts.first).evaluate(s.at);
      const auto two = Kernel(parts.second).evaluate({s.at[0], s.at[1], one[1]});
      CHECK(identical(one[0], whole[first == "f" ? 0 : 1]));
      CHECK(identical(two[0], whole[first == "f" ? 1 : 0]));
    }
  }
  const Sample s(1);
  const std::string wrong[] = {"nothing"};
  CHECK_THROWS_AS((void)split(s.program, wrong), Error);
  CHECK_THROWS_AS((void)stage(s.program, wrong), Error);
}

TEST_CASE("w(Jv) is (wJ)v, and Hessians are symmetric") {
  test::RandomExpression random(99, {});
  const auto numbers = [&](std::size_t n) {
    std::vector<double> v(n);
    for (double& x : v) x = random.number(-1, 1);
    return v;
  };
  for (std::uint64_t seed = 1; seed <= 120; ++seed) {
    CAPTURE(seed);
    const Sample s(seed);
    const std::vector<double> v = numbers(3);
    const std::vector<double> u = numbers(3);
    const std::vector<double> w = numbers(3);
    const auto jv = Kernel(jacobian_vector(s.program, "f", "v")).evaluate({s.at[0], s.at[1], v}).back();
    const auto wj = Kernel(vector_jacobian(s.program, "f", "v")).evaluate({s.at[0], s.at[1], w}).back();
    CHECK(std::abs(dot(w, jv) - dot(wj, v)) <= 1e-11 * (1 + size(w, jv) + size(wj, v)));
    const Kernel h(hessian_vector(s.program, "f", "v"));
    const auto hv = h.evaluate({s.at[0], s.at[1], w, v});
    const auto hu = h.evaluate({s.at[0], s.at[1], w, u});
    CHECK(std::abs(dot(u, hv.back()) - dot(v, hu.back())) <= 1e-9 * (1 + size(u, hv.back()) + size(v, hu.back())));
    // the gradient that comes with it
    CHECK(identical(hv[hv.size() - 2], hu[hu.size() - 2]));
    for (std::size_t i = 0; i < 3; ++i) CHECK(std::abs(hv[hv.size() - 2][i] - wj[i]) <= 1e-11 * (1 + std::abs(wj[i])));
  }
}

TEST_CASE("small powers take no more multiplications than repeated squaring, fewer where there is a shorter way") {
  const Symbol x("x");
  const auto multiplications = [&](int n) {
    return make_program(std::vector<OutputGroup>{{"f", {pow(x, n)}}}, std::vector<InputGroup>{{"x", {x}}})
        .operation_count();
  };
  for (int n = 2; n <= 128; ++n) {
    CAPTURE(n);
    std::size_t squaring = 0;
    for (int k = n; k > 1; k /= 2) squaring += 1 + static_cast<std::size_t>(k % 2);
    CHECK(multiplications(n) <= squaring);
    const double expected = std::pow(1.0625, n);
    CHECK(compile({OutputGroup("f", std::vector<Expr>{pow(x, n)})}, {{"x", {x}}}).evaluate({{1.0625}})[0][0] ==
          doctest::Approx(expected).epsilon(1e-14));
  }
  CHECK(multiplications(15) == 5);  // 2, 3, 5, 10, 15
  CHECK(multiplications(33) == 6);
  CHECK(multiplications(63) == 8);
  // several powers of one base share their way
  const auto both =
      make_program(std::vector<OutputGroup>{{"f", {pow(x, 5), pow(x, 15)}}}, std::vector<InputGroup>{{"x", {x}}});
  CHECK(both.operation_count() == 5);
}

TEST_CASE("instructions stand where few values are alive") {
  // first all exponentials are wanted, then what is made of each: in that order all of them would be kept
  constexpr int n = 300;
  std::vector<Expr> x;
  for (int i = 0; i < n; ++i) x.push_back(Symbol("x" + std::to_string(i)));
  std::vector<Expr> first;
  std::vector<Expr> then;
  for (int i = 0; i < n; ++i) {
    const auto& v = x[static_cast<std::size_t>(i)];
    first.push_back(exp(v * v));
    then.push_back(first.back() * sin(v) + first.back() / (2 + v));
  }
  const Kernel k(make_program(std::vector<OutputGroup>{{"first", first}, {"then", then}},
                              std::vector<InputGroup>{{"x", x}}, {.rows = false}));
  // the interpreter has a register for each value that is alive, 33 numbers for each
  CHECK(k.workspace_size() < 33 * 20);
  std::vector<double> at;
  for (int i = 0; i < n; ++i) at.push_back(0.01 * i - 1);
  const auto y = k.evaluate({at});
  for (std::size_t i = 0; i < n; ++i)
    CHECK(y[1][i] == doctest::Approx(std::exp(at[i] * at[i]) * (std::sin(at[i]) + 1 / (2 + at[i]))));
}
