// SPDX-License-Identifier: MIT
// Mistakes of C++ users that the library makes impossible or explains.
#include <doctest/doctest.h>

#include <cmath>
#include <concepts>
#include <functional>
#include <type_traits>

#include "boreon/boreon.hpp"

using namespace boreon;

namespace {

template <class F>
std::string message(F&& f) {
  try {
    f();
  } catch (const Error& e) {
    return e.what();
  }
  return "no error";
}

// Conversions that would lose the meaning of a value do not compile.
static_assert(!std::is_constructible_v<Number, double>);
static_assert(!std::is_constructible_v<Number, float>);
static_assert(!std::is_constructible_v<Number, bool>);
static_assert(!std::is_constructible_v<Number, char>);
static_assert(!std::is_constructible_v<Number, double, int>);
static_assert(!std::is_constructible_v<Expr, bool>);
static_assert(!std::is_constructible_v<Expr, char>);
static_assert(std::is_convertible_v<int, Number> && std::is_convertible_v<std::uint64_t, Number> &&
              std::is_convertible_v<long long, Expr> && std::is_convertible_v<double, Expr>);

}  // namespace

TEST_CASE("whole numbers of any width are exact") {
  CHECK(Number(std::uint64_t{18446744073709551615U}).to_string() == "18446744073709551615");
  CHECK(Number(-9223372036854775807LL - 1).to_string() == "-9223372036854775808");
  CHECK(Expr(std::uint64_t{18446744073709551615U}) == Expr(Number(std::uint64_t{18446744073709551615U})));
}

TEST_CASE("numeric functions check how many groups they are given, and how long") {
  const Symbol x("x"), y("y"), p("p");
  const Kernel k = compile({OutputGroup("f", {x * p, y + p})}, {{"v", {x, y}}, {"p", {p}}});
  const std::vector<double> v{2, 3};
  const std::vector<double> parameter{10};
  std::vector<double> f(2);
  k({v, parameter}, {f});
  CHECK(f == std::vector<double>{20, 13});
  CHECK(message([&] { k({v}, {f}); }).find("takes 2 input groups, got 1") != std::string::npos);
  CHECK(message([&] { k({parameter, v}, {f}); }).find("input group 'v' has 2 entries, got 1") != std::string::npos);
  std::vector<double> small(1);
  CHECK(message([&] {
          k({v, parameter}, {small});
        }).find("output group 'f' has 2 entries, got 1") != std::string::npos);
  const double* in[] = {v.data()};
  double* out[] = {f.data()};
  CHECK(message([&] { k(in, out); }).find("takes 2 input groups, got 1") != std::string::npos);
  const double* both[] = {v.data(), parameter.data()};
  CHECK(message([&] { k(both, out, std::span<double>{}); }).find("the workspace has 0 doubles") != std::string::npos);
  CHECK(message([&] {
          (void)compile({OutputGroup("f", {x}), OutputGroup("f", {x})}, {{"x", {x}}});
        }).find("two output groups are named 'f'") != std::string::npos);
  CHECK(message([&] {
          (void)compile({OutputGroup("f", {x + y})}, {{"x", {x}}, {"x", {y}}});
        }).find("two input groups are named 'x'") != std::string::npos);
  CHECK(OutputGroup("c", {2.0, 3.0}).values.size() == 2);
  Matrix m(2, 2);
  m << x, y, 0, p;
  CHECK(OutputGroup("m", m).values == std::vector<Expr>{x, y, 0, p});
}

TEST_CASE("two symbols of one name are never mixed up silently") {
  const Symbol real("x"), positive("x", {Assumption::positive}), y("y");
  const Expr e = positive * positive + y;
  const Expr variables[] = {real};
  for (const auto& call : std::initializer_list<std::function<void()>>{
           [&] { (void)derivative(e, real); }, [&] { (void)gradient(e, variables); },
           [&] {
             (void)substitute(e, {{real, 1}});
           },
           [&] {
             (void)evaluate(e, {{real, 1}, {y, 1}});
           },
           [&] {
             (void)compile({OutputGroup("f", {e})}, {{"v", {real, y}}});
           },
           [&] { (void)derivative(e + real, real); }}) {
    const std::string text = message(call);
    CHECK(text.find("two different symbols are named 'x'") != std::string::npos);
    CHECK(text.find("real") != std::string::npos);
    CHECK(text.find("positive") != std::string::npos);
  }
}

TEST_CASE("an unknown function is replaced together with its derivatives") {
  const Symbol t("t"), s("s");
  const UnknownFunction u("u");
  const auto d = [&](int order, const Expr& at) {
    const Expr args[] = {at};
    const int orders[] = {order};
    return u.derivative_at(args, orders);
  };
  const Function wave("wave", {s}, sin(s));
  CHECK(substitute(d(2, t) + u(t), u, wave).is_integer(0));
  CHECK(substitute(d(1, 2 * t) + u(t / 3), u, wave) == cos(2 * t) + sin(t / 3));
  CHECK(substitute(u(u(t)), u, wave) == sin(sin(t)));
  CHECK(message([&] {
          (void)substitute(d(2, t) + u(t), {{u(t), sin(t)}});
        }).find("its derivative u''(t) occurs too") != std::string::npos);
  CHECK(message([&] { (void)substitute(sin(t), u, wave); }).find("does not occur") != std::string::npos);
  Matrix m(1, 2);
  m << s * t, sin(s);
  CHECK(derivative(m, s)(0, 0) == t);
  CHECK(substitute(m, {{s, 0}})(0, 1).is_integer(0));
}

TEST_CASE("a - b and b - a are one thing inside odd and even functions and even powers") {
  const Symbol a("a"), b("b"), c("c"), x("x");
  CHECK((sin(b - a) + sin(a - b)).is_integer(0));
  CHECK((abs(a - b) - abs(b - a)).is_integer(0));
  CHECK((cos(2 * (a - b)) - cos(2 * (b - a))).is_integer(0));
  CHECK((exp(power(a - b, 2)) - exp(power(b - a, 2))).is_integer(0));
  CHECK((tanh(x * (a - b) / c) + tanh(x * (b - a) / c)).is_integer(0));
  CHECK((erf((a - b) * (c - x)) - erf((b - a) * (x - c))).is_integer(0));
  CHECK((power(a - b + c, -4) - power(b - a - c, -4)).is_integer(0));
  CHECK((power(a - b, 3) + power(b - a, 3) - (power(a - b, 3) + power(b - a, 3))).is_integer(0));
  for (const Expr& e : {sin(x - 1), cos(3 - x), sin(1 - x), power(x - a, 2), abs(2 * x - 3 * a + 1)})
    CHECK(parse(to_text(e)) == e);
  // a double in front of a sum or symbol makes progress as well
  CHECK(to_text(abs(Expr(0.5) * x)) == "double(0.5)*abs(x)");
  for (const FunctionRow& row : catalogue()) {
    if (row.min_args > 1) continue;
    for (const Expr& e :
         {Expr(0.5) * x, Expr(-0.25) * (a - b), Expr(1.5) * x * (b - a), Expr(0.1) + x, power(x, 0.3)}) {
      const Expr args[] = {e};
      CAPTURE(std::string(row.name));
      CHECK(message([&] { (void)call(row, args); }) == "no error");
    }
  }
  CHECK(Expr(1.0) * x == x);
  CHECK((pow(x, 0.5) - sqrt(x)).is_integer(0));
  CHECK(pow(x, 2.0) == x * x);
}

TEST_CASE("one budget of work for every algorithm, and a flag that stops them all") {
  const Symbol x("x"), a("a"), b("b"), c("c");
  const std::function<void()> long_ones[] = {
      [&] { (void)expand(power(a + b + c + x, 60)); },
      [&] { (void)factor(power(x, 1000) - 1); },
      [&] { (void)certify(sin(Expr(1)), {}, 100000); },
      [&] { (void)evaluate(parse("sum(sin(k)/k, k from 1 to 900000)")); },
      [&] { (void)quadrature_to_digits(power(x, x), x, 0, 1, 30); },
      [&] { (void)quadrature_to_digits(parse("zeta(2 + x)*exp(-x)"), x, 0, 1, 60); },
      [&] { (void)quadrature(parse("sin(1/x)*exp(x^2)"), x, Expr(1) / 1000, 1); },
      [&] { (void)to_text(power(a + b + c, 40) * expand(power(a + b + x, 60))); }};
  for (const auto& work : long_ones) {
    {
      const WorkBudget budget(2000000);
      CHECK_THROWS_AS(work(), Stopped);
      CHECK(budget.used() == 2000000);
    }
    CHECK(message([&] { with_budget(2000000, work); }).find("budget of 2000000 units") != std::string::npos);
    request_interrupt();
    CHECK(message([&] { with_budget(1'000'000'000'000, work); }).find("stopped before it was done") !=
          std::string::npos);
    clear_interrupt();
  }
  const WorkBudget outer(100000000);
  {
    CHECK(message([&] { with_budget(1000, [&] { (void)expand(power(a + b, 50)); }); }).find("budget of 1000 units") !=
          std::string::npos);
  }
  CHECK(message([&] { (void)expand(power(a + b, 50)); }) == "no error");
  CHECK(outer.used() > 1000);
}

TEST_CASE("a budget of memory ends what grows, whatever it is that grows") {
  const Symbol x("x"), a("a"), b("b"), c("c");
  constexpr std::uint64_t plenty = 100'000'000'000;
  constexpr std::uint64_t little = 30'000'000;
  std::vector<std::vector<double>> kept;  // memory that is given back between the calls would be used again, unseen
  const std::function<void()> greedy[] = {[&] { (void)expand(power(a + b + c + x, 200)); },
                                          [&] {
                                            std::vector<Expr> all;
                                            for (int i = 0; i < 100'000; ++i)
                                              all.push_back(power(Expr(3), 100'000 + i));
                                          },
                                          [&] {
                                            std::vector<Expr> all;
                                            for (int i = 0; i < 100'000'000; ++i) all.push_back(sin(x + i));
                                          }};
  for (const auto& grow : greedy) {
    const std::string said = message([&] {
      try {
        const WorkBudget budget(plenty, little);
        grow();
      } catch (const Stopped& s) {
        throw s.error();
      }
    });
    CHECK_MESSAGE(said.find("more memory than its budget of 30 megabytes") != std::string::npos, said);
    kept.emplace_back(4'000'000, 1.0);
  }
  const WorkBudget outer(plenty, little);
  const WorkBudget inner(plenty, 100 * little);  // an inner budget cannot widen the outer one
  CHECK_THROWS_AS(greedy[2](), Stopped);
}

TEST_CASE("quadrature finds narrow peaks, refuses what is not real, and does integrals within integrals") {
  const Symbol x("x"), y("y"), z("z");
  const double root_pi = std::sqrt(std::acos(-1.0));
  struct Row {
    const char* f;
    const char* from;
    const char* to;
    double value;
  };
  const Row rows[] = {{"exp(-(x - 1000)^2)", "0", "100000", root_pi},
                      {"exp(-1e8*(x - 0.123456)^2)", "0", "1", root_pi / 1e4},
                      {"exp(-(x - 500)^2)", "-infinity", "infinity", root_pi},
                      {"exp(-(x + 12345.6)^2/2)", "-infinity", "infinity", root_pi * std::sqrt(2.0)},
                      {"1/(1 + 1e12*(x - 0.7182)^2)", "0", "1", 3.14159265358979e-6 - 1e-12 / 0.7182 - 1e-12 / 0.2818},
                      {"1/cosh(1e5*(x - 1/3))^2", "0", "1", 2e-5},
                      {"exp(-1e6*x) + exp(-1e6*(1 - x))", "0", "1", 2e-6},
                      {"x*exp(-(log(x) - 20)^2)", "0", "infinity", root_pi * std::exp(41.0)}};
  for (const Row& r : rows) {
    CAPTURE(std::string(r.f));
    const QuadratureResult q = quadrature(parse(r.f), x, parse(r.from), parse(r.to));
    CHECK(q.converged);
    CHECK(q.value == doctest::Approx(r.value).epsilon(1e-9));
  }
  // a hundred peaks of random place and width
  std::uint64_t state = 12345;
  const auto uniform = [&] {
    state = state * 6364136223846793005U + 1442695040888963407U;
    return static_cast<double>(state >> 11U) * 0x1.0p-53;
  };
  for (int k = 0; k < 100; ++k) {
    const double place = uniform();
    const double width = std::pow(10.0, -1.5 - 5 * uniform());
    const Expr u = (x - Expr(Number::exact(place))) / Expr(Number::exact(width));
    const Expr f = k % 3 == 0 ? exp(-power(u, 2)) : k % 3 == 1 ? 1 / power(cosh(u), 2) : 1 / (1 + power(u, 2));
    const double low = -place / width;
    const double high = (1 - place) / width;
    const double expected = width * (k % 3 == 0   ? root_pi / 2 * (std::erf(high) - std::erf(low))
                                     : k % 3 == 1 ? std::tanh(high) - std::tanh(low)
                                                  : std::atan(high) - std::atan(low));
    CAPTURE(k);
    CAPTURE(place);
    CAPTURE(width);
    const QuadratureResult q = quadrature(f, x, 0, 1);
    CHECK(q.converged);
    CHECK(q.value == doctest::Approx(expected).epsilon(1e-8));
  }
  const QuadratureResult half = quadrature(sqrt(x), x, -1, 1);
  CHECK(!half.converged);
  CHECK(half.reason.find("sqrt") != std::string::npos);
  const Expr inner = unevaluated_integral(exp(-x * x - y * y - z * z), x, -3, 3);
  const QuadratureResult box = quadrature(unevaluated_integral(inner, y, -3, 3), z, -3, 3);
  CHECK(box.converged);
  CHECK(box.value == doctest::Approx(std::pow(root_pi * std::erf(3.0), 3)).epsilon(1e-9));
  const QuadratureResult ball =
      quadrature(unevaluated_integral(Expr(1), y, -sqrt(1 - x * x), sqrt(1 - x * x)), x, -1, 1);
  CHECK(ball.value == doctest::Approx(std::acos(-1.0)).epsilon(1e-6));
}
