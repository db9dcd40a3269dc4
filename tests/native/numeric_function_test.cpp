// SPDX-License-Identifier: MIT
// Functions of the user and tables: in expressions, derivatives, programs, machine code, emitted sources.
#include <doctest/doctest.h>

#include <unistd.h>

#include <atomic>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <random>
#include <thread>

#include "boreon/calculus.hpp"
#include "boreon/cross_check.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/native.hpp"
#include "boreon/numeric_function.hpp"
#include "boreon/text.hpp"

using namespace boreon;

namespace {

double k(double T) { return std::exp(-300 / T); }
double k1(double T) { return 300 / (T * T) * k(T); }
double k2(double T) { return (300 / (T * T) * 300 / (T * T) - 600 / (T * T * T)) * k(T); }

NumericFunction rate() { return {"rate", {k, k1, k2}, {1, 5000}}; }

// x*y^2 with its partial derivatives up to order 2.
NumericFunction mix() {
  return {"mix", {ArgumentRange{}, ArgumentRange{}}, 2, {[](std::span<const double> a, std::span<const int> n) {
            const double x = n[0] == 0 ? a[0] : n[0] == 1 ? 1 : 0;
            const double y = n[1] == 0 ? a[1] * a[1] : n[1] == 1 ? 2 * a[1] : 2;
            return x * y;
          }}};
}

ErrorKind kind_of(const std::function<void()>& f, std::string* message = nullptr) {
  try {
    f();
  } catch (const Error& e) {
    if (message != nullptr) *message = e.message();
    return e.kind();
  }
  return ErrorKind::interrupted;
}

}  // namespace

TEST_CASE("numeric functions: calls are derived, printed and evaluated like those of any function") {
  const Symbol n("n");
  const Symbol T("T");
  const NumericFunction f = rate();
  const Expr e = n * f(2 * T);
  CHECK(to_text(e) == "n*rate(2*T)");
  CHECK(to_text(derivative(e, T)) == "2*n*rate'(2*T)");
  CHECK(to_latex(derivative(f(T), T, 2)).find("rate") != std::string::npos);
  CHECK(f(T) == f(T));
  CHECK(evaluate(e, {{n, 3}, {T, 200}}) == doctest::Approx(3 * k(400)).epsilon(1e-15));
  CHECK(evaluate(derivative(f(T), T, 2), {{T, 700.0}}) == doctest::Approx(k2(700)).epsilon(1e-15));
  CHECK(evaluate_complex(f(T), {{T, 700}}).real() == k(700));
  const Expr two = mix()(n, T * T);
  CHECK(evaluate(derivative(two, T), {{n, 2}, {T, 3}}) == doctest::Approx(2 * 4 * 27));
  CHECK(cross_check_derivative(two, {T}, derivative(two, T)).verdict == Verdict::agrees);
  CHECK(cross_check_derivative(two, {T}, -derivative(two, T)).verdict == Verdict::disagrees);
  // from a text
  const Expr text = substitute(parse("n*rate(T) + rate'(T)"), UnknownFunction("rate"), f);
  CHECK(text == n * f(T) + derivative(f(T), T));
}

TEST_CASE("numeric functions: what does not fit is told") {
  const Symbol T("T");
  std::string message;
  CHECK(kind_of(
            [] {
              (void)NumericFunction("wrong", {k, [](double x) { return -k1(x); }}, {1, 5000});
            },
            &message) == ErrorKind::usage);
  CHECK(message.find("wrong(") != std::string::npos);
  CHECK(kind_of([] {
          (void)NumericFunction("wrong", {k, k1, [](double x) { return 1.1 * k2(x); }}, {1, 5000});
        }) == ErrorKind::usage);
  CHECK(kind_of([] {
          (void)NumericFunction("wrong", {[](double x) { return x * x; }, [](double x) { return x; }});
        }) == ErrorKind::usage);
  CHECK(kind_of([] { (void)NumericFunction("sin", {k}); }) == ErrorKind::name);
  CHECK(kind_of([] { (void)NumericFunction("pi", {k}); }) == ErrorKind::name);
  CHECK(kind_of([] { (void)NumericFunction("f", std::vector<std::function<double(double)>>{}); }) == ErrorKind::usage);
  CHECK(kind_of([] { (void)NumericFunction("f", {k}, {2, 1}); }) == ErrorKind::usage);
  const NumericFunction f("once", {k, k1}, {1, 5000});
  CHECK(kind_of([&] { (void)derivative(f(T), T, 2); }, &message) == ErrorKind::unsupported);
  CHECK(message.find("order 2") != std::string::npos);
  CHECK(kind_of([&] { (void)f(T, T); }) == ErrorKind::shape);
  CHECK(kind_of([&] { (void)evaluate(f(T), {{T, 0.5}}); }, &message) == ErrorKind::domain);
  CHECK(message.find("from 1 to 5000") != std::string::npos);
  CHECK(kind_of([&] { (void)certify(f(T), {{T, 2}}); }) == ErrorKind::unsupported);
  CHECK(kind_of([&] { (void)substitute(parse("x + 1"), UnknownFunction("once"), f); }) == ErrorKind::binding);
  // what the code throws is no value
  const NumericFunction bad("bad", {[](double x) -> double {
                              if (x > 1) throw std::runtime_error("no");
                              return x;
                            }});
  CHECK(std::isnan(bad.value(std::vector<double>{2.0})));
  CHECK(std::isnan(compile({{"f", {bad(T)}}}, {{"x", {T}}}, NativeOptions{}).evaluate({{2.0}})[0][0]));
}

TEST_CASE("numeric functions: programs, products with derivatives, machine code, many points, threads") {
  const Symbol n("n");
  const Symbol T("T");
  std::vector<Kernel> kernels;
  std::vector<Program> products;
  {  // the handles go before the kernels run
    const NumericFunction f = rate();
    const NumericFunction g = mix();
    const Expr e = sqrt(n) * f(T) + g(n, T) / f(T + 1);
    const ExprList wrt = {n, T};
    const std::vector<OutputGroup> outputs = {{"f", {e}}, {"g", gradient(e, wrt)}};
    const std::vector<InputGroup> inputs = {{"x", {n, T}}};
    kernels.push_back(compile(outputs, inputs));
    for (const bool strict : {false, true})
      kernels.push_back(compile(outputs, inputs, NativeOptions{.strict = strict}));
    const Program p = make_program(std::vector<OutputGroup>{{"f", {e}}}, inputs);
    products = {vector_jacobian(p, "f", "x"), jacobian_vector(p, "f", "x"), hessian_vector(p, "f", "x")};
    CHECK(to_text(p).find("rate") != std::string::npos);
  }
  const auto by_hand = [](double a, double t) { return std::sqrt(a) * k(t) + a * t * t / k(t + 1); };
  std::vector<double> places;
  for (int i = 0; i < 37; ++i) places.insert(places.end(), {1.0 + i, 300.0 + 10 * i});
  for (const Kernel& kernel : kernels) {
    const auto v = kernel.evaluate({{2.0, 400.0}});
    CHECK(v[0][0] == doctest::Approx(by_hand(2, 400)).epsilon(1e-13));
    const double h = 1e-3;
    CHECK(v[1][1] == doctest::Approx((by_hand(2, 400 + h) - by_hand(2, 400 - h)) / (2 * h)).epsilon(1e-7));
    std::vector<double> f(37);
    std::vector<double> g(74);
    const PointsIn in[] = {{places.data(), 1, 2}};
    const PointsOut out[] = {{f.data(), 1, 1}, {g.data(), 1, 2}};
    kernel.many(37, in, out, 3);
    for (std::size_t i = 0; i < 37; ++i)
      CHECK(f[i] == doctest::Approx(by_hand(places[2 * i], places[2 * i + 1])).epsilon(1e-13));
  }
  const auto reference = kernels[0].evaluate({{2.0, 400.0}})[1];
  const auto reverse = Kernel(products[0]).evaluate({{2.0, 400.0}, {1.0}});
  CHECK(reverse.back()[0] == doctest::Approx(reference[0]).epsilon(1e-12));
  CHECK(reverse.back()[1] == doctest::Approx(reference[1]).epsilon(1e-12));
  const auto forward = Kernel(products[1]).evaluate({{2.0, 400.0}, {0.5, 2.0}});
  CHECK(forward.back()[0] == doctest::Approx(0.5 * reference[0] + 2 * reference[1]).epsilon(1e-12));
  const double h = 1e-2;
  const auto curved = Kernel(products[2]).evaluate({{2.0, 400.0}, {1.0}, {0.0, 1.0}});
  const double expected =
      (kernels[0].evaluate({{2.0, 400 + h}})[1][1] - kernels[0].evaluate({{2.0, 400 - h}})[1][1]) / (2 * h);
  CHECK(curved.back()[1] == doctest::Approx(expected).epsilon(1e-6));
}

TEST_CASE("numeric functions: rows of a grid stay loops") {
  const std::vector<Symbol> u = [] {
    std::vector<Symbol> all;
    for (int i = 0; i < 400; ++i) all.emplace_back("u" + std::to_string(i));
    return all;
  }();
  std::vector<Expr> rows;
  {
    const NumericFunction f = table_function("conductivity", {0, 0.3, 0.5, 0.9, 1.5}, {1, 1.2, 1.1, 2, 2.5});
    for (std::size_t i = 1; i + 1 < u.size(); ++i) rows.push_back(f(u[i]) * (u[i + 1] - 2 * u[i] + u[i - 1]));
  }
  const Program p = make_program(std::vector<OutputGroup>{{"f", rows}}, std::vector<InputGroup>{{"u", u}});
  CHECK(p.loops.size() == 1);
  CHECK(p.code_size() < 20);
  std::vector<double> at(u.size());
  for (std::size_t i = 0; i < at.size(); ++i) at[i] = 0.7 + 0.5 * std::sin(0.1 * static_cast<double>(i));
  rows.clear();
  const auto expected = Kernel(p).evaluate({at});
  const auto native = native_kernel(p).evaluate({at});
  for (std::size_t i = 0; i < expected[0].size(); ++i)
    CHECK(native[0][i] == doctest::Approx(expected[0][i]).epsilon(1e-13));
  const Program w = vector_jacobian(p, "f", "u");
  const auto reverse = native_kernel(w).evaluate({at, std::vector<double>(398, 1.0)});
  double forward = 0;
  const auto along = Kernel(jacobian_vector(p, "f", "u")).evaluate({at, std::vector<double>(400, 1.0)});
  for (const double v : along.back()) forward += v;
  double sum = 0;
  for (const double v : reverse.back()) sum += v;
  CHECK(sum == doctest::Approx(forward).epsilon(1e-11));
}

TEST_CASE("numeric functions: they come and go in any number") {
  const Symbol x("x");
  Expr kept;
  for (int i = 0; i < 70000; ++i) {
    const NumericFunction f("passing", {[i](double t) { return t + i; }});
    if (i == 777) kept = f(x) + 1;
    CHECK(f(x).is(Kind::call));
  }
  CHECK(evaluate(kept, {{x, 0.5}}) == 778.5);
  std::vector<std::thread> threads;
  std::atomic<int> wrong{0};
  for (int t = 0; t < 4; ++t) {
    threads.emplace_back([t, &x, &wrong] {
      for (int i = 0; i < 2000; ++i) {
        const NumericFunction f("passing", {[=](double v) { return v * t + i; }, [=](double) { return double(t); }});
        const Expr e = f(x);
        if (evaluate(e, {{x, 2}}) != 2.0 * t + i || evaluate(derivative(e, x), {{x, 2}}) != t) ++wrong;
      }
    });
  }
  for (std::thread& t : threads) t.join();
  CHECK(wrong == 0);
}

TEST_CASE("tables: points are met, cubics are exact, derivatives fit, nothing leaves monotone data") {
  const auto f = [](double x) { return 2 - x + 0.5 * x * x - 0.25 * x * x * x; };
  std::mt19937_64 random(20260101);
  std::uniform_real_distribution<double> step(0.05, 1.0);
  for (int round = 0; round < 60; ++round) {
    std::vector<double> x = {-1.5};
    const std::size_t points = 4 + static_cast<std::size_t>(round);
    while (x.size() < points) x.push_back(x.back() + step(random));
    std::vector<double> cubic;
    std::vector<double> rising = {0};
    for (const double a : x) cubic.push_back(f(a));
    while (rising.size() < points) rising.push_back(rising.back() + (step(random) > 0.5 ? step(random) : 0));
    const NumericFunction smooth = table_function("smooth", x, cubic);
    const NumericFunction any = table_function("any", x, rising);
    const NumericFunction monotone = table_function("monotone", x, rising, TableCurve::monotone);
    for (std::size_t i = 0; i < points; ++i) {
      CHECK(smooth.value(std::vector<double>{x[i]}) == cubic[i]);
      CHECK(monotone.value(std::vector<double>{x[i]}) == rising[i]);
    }
    double last = -1;
    for (int i = 0; i <= 200; ++i) {
      const std::vector<double> at = {std::min(x.back(), x.front() + (x.back() - x.front()) * i / 200)};
      CHECK(std::abs(smooth.value(at) - f(at[0])) <= 1e-10 * (1 + std::abs(f(at[0]))));
      CHECK(smooth.value(at, std::vector<int>{1}) == doctest::Approx(-1 + at[0] - 0.75 * at[0] * at[0]).epsilon(1e-8));
      CHECK(smooth.value(at, std::vector<int>{2}) == doctest::Approx(1 - 1.5 * at[0]).epsilon(1e-6));
      CHECK(monotone.value(at) >= last - 1e-13);
      last = monotone.value(at);
      // derivatives of one order by differences of the order before
      for (const NumericFunction* g : {&any, &monotone}) {
        const double h = 1e-6;
        if (at[0] - h < x.front() || at[0] + h > x.back()) continue;
        if (std::any_of(x.begin(), x.end(), [&](double knot) { return std::abs(knot - at[0]) < 2 * h; })) continue;
        const double slope =
            (g->value(std::vector<double>{at[0] + h}) - g->value(std::vector<double>{at[0] - h})) / (2 * h);
        CHECK(std::abs(g->value(at, std::vector<int>{1}) - slope) <= 1e-6 * (1 + std::abs(slope)));
      }
    }
    // second derivatives are continuous at inner points of the smooth one
    for (std::size_t i = 1; i + 1 < points; ++i) {
      const double h = 1e-9;
      const double left = any.value(std::vector<double>{x[i] - h}, std::vector<int>{2});
      const double right = any.value(std::vector<double>{x[i]}, std::vector<int>{2});
      CHECK(std::abs(left - right) <= 1e-5 * (1 + std::abs(left)));
    }
  }
}

TEST_CASE("tables: ends, and what cannot be a table") {
  const NumericFunction refuses = table_function("s", {1, 2, 4}, {3, 5, 4});
  const NumericFunction holds = table_function("s", {1, 2, 4}, {3, 5, 4}, TableCurve::smooth, BeyondTable::hold);
  CHECK(std::isnan(refuses.value(std::vector<double>{0.5})));
  CHECK(holds.value(std::vector<double>{0.5}) == 3);
  CHECK(holds.value(std::vector<double>{1e300}) == 4);
  CHECK(holds.value(std::vector<double>{5.0}, std::vector<int>{1}) == 0);
  CHECK(std::isnan(holds.value(std::vector<double>{std::nan("")})));
  CHECK(table_function("line", {0, 2}, {1, 5}).value(std::vector<double>{0.5}) == 2);
  CHECK(kind_of([] { (void)table_function("s", {1, 2}, {1}); }) == ErrorKind::shape);
  CHECK(kind_of([] { (void)table_function("s", {1}, {1}); }) == ErrorKind::shape);
  CHECK(kind_of([] { (void)table_function("s", {1, 1}, {1, 2}); }) == ErrorKind::usage);
  CHECK(kind_of([] { (void)table_function("s", {1, std::nan("")}, {1, 2}); }) == ErrorKind::usage);
  CHECK(kind_of([] { (void)table_function("s", {1, 2, 3}, {1, 2, 3}, TableCurve::monotone); }) == ErrorKind::shape);
}

TEST_CASE("tables: emitted sources have the same values") {
  const Symbol x("x");
  const NumericFunction table = table_function("sigma", {1, 2, 4, 5, 7}, {3, 5, 4, 4.5, 1.0 / 3});
  const NumericFunction held =
      table_function("held", {1, 2, 4, 5}, {3, 5, 4, 4.5}, TableCurve::monotone, BeyondTable::hold);
  const Expr e = x * table(x) + held(2 * x);
  const std::filesystem::path here =
      std::filesystem::temp_directory_path() / ("boreon_table_" + std::to_string(::getpid()));
  for (const Language language : {Language::c, Language::cpp}) {
    const Program p =
        make_program(std::vector<OutputGroup>{{"f", {e, derivative(e, x)}}}, std::vector<InputGroup>{{"x", {x}}});
    const PackagePart parts[] = {{p, {.language = language, .name = "f_of_x"}, {{2.75}}}};
    std::filesystem::create_directories(here);
    for (const EmittedFile& f : emit_package("with_table", parts)) std::ofstream(here / f.name) << f.text;
    const std::string compiler = language == Language::c ? "gcc -std=c99" : "g++ -std=c++17";
    const std::string end = language == Language::c ? "c" : "cpp";
    const std::string command = compiler + " -Wall -Wextra -Werror -ffp-contract=off -o " + (here / "run").string() +
                                " " + (here / ("f_of_x." + end)).string() + " " +
                                (here / ("f_of_x_test." + end)).string() + " -lm && " + (here / "run").string() +
                                " > " + (here / "said").string();
    CHECK(std::system(command.c_str()) == 0);
    std::string said;
    std::getline(std::ifstream(here / "said"), said);
    CHECK(said == "agrees");
    std::filesystem::remove_all(here);
  }
  // code of the user is asked for
  const EmittedSource s = emit(
      make_program(std::vector<OutputGroup>{{"f", {derivative(rate()(x), x)}}}, std::vector<InputGroup>{{"x", {x}}}),
      {.language = Language::c});
  CHECK(s.header.find("double rate_d1(double);") != std::string::npos);
  CHECK(s.source.find("rate_d1(x[0])") != std::string::npos);
}
