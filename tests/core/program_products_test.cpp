// SPDX-License-Identifier: MIT
// Derivative products, diagnosis, certificates, the optimiser, packages.
#include <doctest/doctest.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <fstream>

#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/matrix.hpp"
#include "boreon/program.hpp"
#include "boreon/text.hpp"
#include "core/numbered.hpp"
#include "core/random_expression.hpp"

using namespace boreon;

namespace {

struct Functions {
  std::vector<Expr> x;
  std::vector<Expr> f;
};

Functions random_functions(std::uint64_t seed) {
  const auto s = Symbol::list("x y z");
  Functions v{{s.begin(), s.end()}, {}};
  test::RandomExpression random(seed, v.x);
  for (int i = 0; i < 4; ++i)
    v.f.push_back(random(8) * random(5) + tanh(random(4)) + pow(2 + pow(random(2), 2), random(2) / 3));
  return v;
}

std::size_t operations(const std::vector<Expr>& f, const std::vector<Expr>& x, bool optimise) {
  return make_program(std::vector<OutputGroup>{{"f", f}}, std::vector<InputGroup>{{"x", x}}, {.optimise = optimise})
      .operation_count();
}

}  // namespace

TEST_CASE("products with derivatives equal those with the symbolic Jacobian and Hessian") {
  for (std::uint64_t seed = 1; seed <= 40; ++seed) {
    const Functions v = random_functions(seed);
    const std::vector<InputGroup> inputs{{"x", v.x}};
    const Program program = make_program(std::vector<OutputGroup>{{"f", v.f}}, inputs);
    const Matrix j = jacobian(v.f, v.x);
    const std::vector<double> at{0.3, -0.8, 1.1};
    const std::vector<double> d{0.5, -1.5, 2};
    const std::vector<double> w{1, -2, 0.5, 3};
    std::vector<Expr> flat;
    Expr weighted = 0;
    for (int r = 0; r < 4; ++r) {
      weighted += Expr(Number(static_cast<std::int64_t>(2 * w[static_cast<std::size_t>(r)]), 2)) *
                  v.f[static_cast<std::size_t>(r)];
      for (int c = 0; c < 3; ++c) flat.push_back(j(r, c));
    }
    const auto J = compile({OutputGroup("j", flat)}, inputs).evaluate({at})[0];
    const auto jv = Kernel(jacobian_vector(program, "f", "x")).evaluate({at, d});
    const auto wj = Kernel(vector_jacobian(program, "f", "x")).evaluate({at, w});
    const double scale = [&] {
      double m = 1;
      for (const double e : J) m = std::max(m, std::abs(e));
      return m;
    }();
    for (std::size_t r = 0; r < 4; ++r)
      CHECK(std::abs(jv.back()[r] - (J[3 * r] * d[0] + J[3 * r + 1] * d[1] + J[3 * r + 2] * d[2])) < 1e-12 * scale);
    for (std::size_t c = 0; c < 3; ++c)
      CHECK(std::abs(wj.back()[c] - (J[c] * w[0] + J[3 + c] * w[1] + J[6 + c] * w[2] + J[9 + c] * w[3])) <
            1e-11 * scale);
    CHECK(jv[0] == Kernel(program).evaluate({at})[0]);
    const Matrix h = hessian(weighted, v.x);
    std::vector<Expr> hv;
    for (int r = 0; r < 3; ++r) hv.push_back(h(r, 0) / 2 - 3 * h(r, 1) / 2 + 2 * h(r, 2));
    const auto expected = compile({OutputGroup("h", hv)}, inputs).evaluate({at})[0];
    const auto got = Kernel(hessian_vector(program, "f", "x")).evaluate({at, w, d}).back();
    for (std::size_t c = 0; c < 3; ++c) CHECK(std::abs(got[c] - expected[c]) < 1e-9 * (scale + std::abs(expected[c])));
  }
}

TEST_CASE("derivative products cost a few times the function") {
  const std::vector<Expr> x = test::numbered("x", 40);
  Expr sum = 0;
  for (std::size_t i = 0; i < 40; ++i) sum += exp(-x[i] * x[(i + 1) % 40]) * sin(x[(i + 7) % 40]) / (1 + x[i] * x[i]);
  const Program program = make_program(std::vector<OutputGroup>{{"f", {sum}}}, std::vector<InputGroup>{{"x", x}});
  const auto cost = static_cast<double>(program.operation_count());
  CHECK(static_cast<double>(jacobian_vector(program, "f", "x").operation_count()) < 3 * cost);
  CHECK(static_cast<double>(vector_jacobian(program, "f", "x").operation_count()) < 4 * cost);
  CHECK(static_cast<double>(hessian_vector(program, "f", "x").operation_count()) < 8 * cost);
  CHECK_THROWS_AS((void)jacobian_vector(program, "g", "x"), Error);
  CHECK_THROWS_AS((void)vector_jacobian(program, "f", "y"), Error);
}

TEST_CASE("the optimiser saves operations and keeps values") {
  const auto s = Symbol::list("a b c x y");
  const std::vector<Expr> v(s.begin(), s.end());
  const auto& [a, b, c, x, y] = std::tie(v[0], v[1], v[2], v[3], v[4]);
  const auto saved = [&](const std::vector<Expr>& f, std::size_t at_most) {
    CAPTURE(to_text(f[0]));
    CHECK(operations(f, v, true) <= at_most);
    CHECK(operations(f, v, true) <= operations(f, v, false));
  };
  saved({a * pow(x, 3) + b * pow(x, 2) + c * x}, 5);  // Horner
  saved({a * b * x, a * b * y, c * a * b}, 4);        // a*b once
  saved({a + b + x, a + b + y, c - a - b}, 4);        // a + b once, in either sign
  const Program quotients =
      make_program(std::vector<OutputGroup>{{"f", {a / (1 + x * x), b / (1 + x * x), c / (1 + x * x)}}},
                   std::vector<InputGroup>{{"v", v}});
  CHECK(std::count_if(quotients.instructions.begin(), quotients.instructions.end(),
                      [](const Instruction& i) { return i.op == OpCode::divide; }) == 1);
  saved({sin(x - y), sin(y - x), cos(y - x)}, 4);                       // parity; sine and cosine are one instruction
  saved({exp(x), exp(-x)}, 2);                                          // no second call
  saved({pow(x, Expr(7) / 10) * a, pow(x, Expr(-3) / 10) * b}, 4);      // one power
  saved({3 * a * x, 3 * b * x, 3 * c * x}, 4);                          // 3*x once
  saved({a - 3 * b * c * x, y - 3 * a * b * c, x + 3 * b * c * y}, 8);  // 3*b*c once
  const Expr xy = x * y * Expr(Number(13, 100));
  saved({a - xy, b + xy, 2 * xy}, 5);  // 0.13*x*y once, and twice that
  test::RandomExpression random(77, v);
  for (int i = 0; i < 150; ++i) {
    const std::vector<Expr> f{random(12), random(9) * random(4), random(7) + random(7)};
    const std::vector<InputGroup> in{{"v", v}};
    const Program fast = make_program(std::vector<OutputGroup>{{"f", f}}, in);
    const Program plain = make_program(std::vector<OutputGroup>{{"f", f}}, in, {.optimise = false});
    const std::vector<double> at{0.7, -0.4, 1.9, 0.2, -1.3};
    const auto p = Kernel(plain).evaluate({at})[0];
    const auto q = Kernel(fast).evaluate({at})[0];
    const Certificate exact = certify(plain, {at});
    for (std::size_t k = 0; k < p.size(); ++k) {
      CAPTURE(to_text(f[k]));
      const double tolerance = std::pow(10.0, std::min(0.0, exact.outputs[k].digits_lost + 3 - 16));
      CHECK(std::abs(p[k] - q[k]) <= tolerance * (std::abs(p[k]) + 1) + 1e-9 * std::abs(p[k]));
    }
  }
}

TEST_CASE("exponentials of sums are products of those there are, where nothing overflows on the way") {
  const auto s = Symbol::list("x y z");
  const std::vector<Expr> v(s.begin(), s.end());
  const Expr x = v[0], y = v[1], z = v[2];
  const auto exponentials = [&](const std::vector<Expr>& f) {
    std::size_t n = 0;
    const Program p = make_program(std::vector<OutputGroup>{{"f", f}}, std::vector<InputGroup>{{"v", v}});
    for (const auto& [name, count] : operation_table(p)) n += name == "exp" ? count : 0;
    return n;
  };
  const std::vector<Expr> gaussians{exp(-x * x), exp(-2 * y * y), exp(-x * x - 2 * y * y), exp(-x * x - z * z)};
  CHECK(exponentials(gaussians) == 3);
  CHECK(exponentials({exp(x), exp(y), exp(x + y)}) == 3);                                  // signs are not known
  CHECK(exponentials({exp(x * x), exp(-y * y), exp(x * x - y * y)}) == 3);                 // and here they differ
  CHECK(exponentials({exp(x * x + z * z), exp(y * y), exp(x * x + y * y + z * z)}) == 2);  // a part may be a sum
  const Kernel k = compile({OutputGroup("f", gaussians)}, {{"v", v}});
  for (const double scale : {0.3, 5.0, 40.0, 1e200}) {
    const auto f = k.evaluate({{scale, -0.5 * scale, 0.1}})[0];
    CHECK(f[2] == doctest::Approx(std::exp(-scale * scale - 0.5 * scale * scale)).epsilon(1e-13));
  }
}

TEST_CASE("a diagnosing run names what left its domain") {
  const auto s = Symbol::list("x y");
  const std::vector<Expr> v(s.begin(), s.end());
  const Program p = make_program(std::vector<OutputGroup>{{"f", {v[1] * 2, 1 + log(v[0] - v[1])}}},
                                 std::vector<InputGroup>{{"v", v}});
  CHECK(diagnose(p, {{3, 1}}).empty());
  const auto faults = diagnose(p, {{1, 2}});
  REQUIRE(faults.size() == 1);
  CHECK(faults[0].subexpression == "log(x - y)");
  CHECK(faults[0].operands == "x - y = -1");
  CHECK(faults[0].outputs == std::vector<std::string>{"f[1]"});
  CHECK(std::isnan(faults[0].value));
  CHECK_THROWS_AS((void)diagnose(p, {{1}}), Error);
}

TEST_CASE("certificates measure what rounding takes") {
  const Symbol x("x");
  const auto certificate = [&](const Expr& e, double at) {
    return certify(
        make_program(std::vector<OutputGroup>{{"f", {e}}}, std::vector<InputGroup>{{"x", {x}}}, {.optimise = false}),
        {{at}});
  };
  CHECK(certificate(exp(x) * 2, 0.3).worst < 1.0);
  const Certificate bad = certificate(1 - cos(x), 1e-6);
  CHECK(bad.worst > 10);
  REQUIRE(!bad.cancellations.empty());
  CHECK(bad.cancellations[0].subexpression.find("cos(x)") != std::string::npos);
  CHECK(bad.cancellations[0].digits > 12);
  CHECK(bad.outputs[0].exact.starts_with("4.99999999999"));
  CHECK(certificate(2 * pow(sin(x / 2), 2), 1e-6).worst < 1.0);
  const Expr branches[] = {x, less(x, 1), Expr(2) * x};
  CHECK(certificate(piecewise(branches), 0.5).outputs[0].value == 0.5);
}

TEST_CASE("an emitted package builds, tests itself and is the same every time") {
  const auto s = Symbol::list("x y");
  const std::vector<Expr> v(s.begin(), s.end());
  std::vector<Expr> chain;
  const std::vector<Expr> many = test::numbered("n", 100);
  for (std::size_t i = 0; i < 100; ++i)
    chain.push_back(many[(i + 1) % 100] - 2 * many[i] + many[(i + 99) % 100] + exp(-many[i]));
  const std::vector<Expr> f{sin(v[0]) * v[1], sign(v[0]) + heaviside(v[1])};
  std::vector<double> at(100, 0.25);
  for (std::size_t i = 0; i < at.size(); ++i) at[i] += 0.01 * static_cast<double>(i);
  for (const Language language : {Language::c, Language::cpp}) {
    const std::vector<PackagePart> parts{
        {make_program(std::vector<OutputGroup>{{"f", f}, {"j", sparse_jacobian(f, v)}},
                      std::vector<InputGroup>{{"v", v}}),
         {language, "pair", "A pair", language == Language::cpp},
         {{0.5, 2}}},
        {make_program(std::vector<OutputGroup>{{"f", chain}}, std::vector<InputGroup>{{"n", many}}),
         {language, "ring", "A ring"},
         {at}},
    };
    const auto files = emit_package("demo_package", parts);
    const auto again = emit_package("demo_package", parts);
    const auto folder = std::filesystem::temp_directory_path() / ("boreon-package-" + std::to_string(::getpid()));
    std::filesystem::create_directories(folder);
    bool loop = false;
    for (std::size_t i = 0; i < files.size(); ++i) {
      CHECK(files[i].text == again[i].text);
      loop = loop || files[i].text.find("row < 9") != std::string::npos;
      std::ofstream(folder / files[i].name) << files[i].text;
    }
    CHECK(loop);
    const std::string in = folder.string();
    CHECK(std::system(("cmake -S " + in + " -B " + in + "/build >/dev/null && cmake --build " + in +
                       "/build >/dev/null && ctest --test-dir " + in + "/build >/dev/null")
                          .c_str()) == 0);
    std::filesystem::remove_all(folder);
  }
  CHECK_THROWS_AS((void)emit_package("2bad", std::vector<PackagePart>{}), Error);
}

namespace {

// A ring of cells with two quantities, neighbours, a rate that depends on parameters, and a boundary row of its own.
struct Ring {
  std::vector<Expr> y, p, f;
  std::vector<double> at, parameters;

  explicit Ring(int cells, std::uint64_t seed = 1) {
    const Symbol d("d"), k("k"), e("e");
    p = {d, k, e};
    for (int i = 0; i < cells; ++i) {
      y.push_back(Symbol("u" + std::to_string(i)));
      y.push_back(Symbol("v" + std::to_string(i)));
    }
    const auto cell = [&](int i, int s) { return y[static_cast<std::size_t>(2 * ((i + cells) % cells) + s)]; };
    for (int i = 0; i < cells; ++i) {
      const Expr u = cell(i, 0), v = cell(i, 1);
      const Expr rate = exp(-e / (1 + d)) * u * u * v;
      f.push_back(d * (cell(i - 1, 0) - 2 * u + cell(i + 1, 0)) - rate + k * sin(u));
      f.push_back(d / 3 * (cell(i - 1, 1) - 2 * v + cell(i + 1, 1)) + rate - k * v / (1 + u * u));
    }
    f[0] = y[0] * k - exp(y[1]);
    test::RandomExpression random(seed, {});
    for (std::size_t i = 0; i < y.size(); ++i) at.push_back(random.number(0.2, 1.5));
    parameters = {0.7, 1.3, 0.4};
  }
  [[nodiscard]] Program program(bool rows) const {
    return make_program(std::vector<OutputGroup>{{"f", f}}, std::vector<InputGroup>{{"y", y}, {"p", p}},
                        {.rows = rows});
  }
};

double largest_difference(const std::vector<double>& a, const std::vector<double>& b) {
  REQUIRE(a.size() == b.size());
  double worst = 0;
  for (std::size_t i = 0; i < a.size(); ++i) worst = std::max(worst, std::abs(a[i] - b[i]) / (1 + std::abs(b[i])));
  return worst;
}

}  // namespace

TEST_CASE("products with derivatives of loops over rows are those of the written-out program") {
  for (const int cells : {40, 300}) {
    const Ring ring(cells);
    const Program rolled = ring.program(true);
    const Program flat = ring.program(false);
    REQUIRE(!rolled.loops.empty());
    test::RandomExpression random(3, {});
    const auto numbers = [&](std::size_t n) {
      std::vector<double> v;
      for (std::size_t i = 0; i < n; ++i) v.push_back(random.number(-1, 1));
      return v;
    };
    for (const std::string& by : {std::string("y"), std::string("p")}) {
      CAPTURE(cells);
      CAPTURE(by);
      const std::vector<double> d = numbers(by == "y" ? ring.y.size() : 3);
      const std::vector<double> w = numbers(ring.f.size());
      const Program jv = jacobian_vector(rolled, "f", by);
      const Program wj = vector_jacobian(rolled, "f", by);
      const Program hv = hessian_vector(rolled, "f", by);
      const auto got_jv = Kernel(jv).evaluate({ring.at, ring.parameters, d});
      const auto got_wj = Kernel(wj).evaluate({ring.at, ring.parameters, w});
      const auto got_hv = Kernel(hv).evaluate({ring.at, ring.parameters, w, d});
      CHECK(largest_difference(
                got_jv[1], Kernel(jacobian_vector(flat, "f", by)).evaluate({ring.at, ring.parameters, d})[1]) < 1e-13);
      CHECK(largest_difference(
                got_wj[1], Kernel(vector_jacobian(flat, "f", by)).evaluate({ring.at, ring.parameters, w})[1]) < 1e-12);
      CHECK(largest_difference(got_hv[2],
                               Kernel(hessian_vector(flat, "f", by)).evaluate({ring.at, ring.parameters, w, d})[2]) <
            1e-12);
      CHECK(got_jv[0] == Kernel(rolled).evaluate({ring.at, ring.parameters})[0]);
      CHECK(got_hv[1] == got_wj[1]);
      // w(Jv) is (wJ)v
      double left = 0;
      double right = 0;
      for (std::size_t i = 0; i < w.size(); ++i) left += w[i] * got_jv[1][i];
      for (std::size_t i = 0; i < d.size(); ++i) right += d[i] * got_wj[1][i];
      CHECK(left == doctest::Approx(right).epsilon(1e-11));
      // as large as the number of shapes asks, and no more work than the bounds
      const auto cost = static_cast<double>(rolled.operation_count());
      CHECK(static_cast<double>(jv.operation_count()) < 3 * cost);
      CHECK(static_cast<double>(wj.operation_count()) < 4 * cost);
      CHECK(static_cast<double>(hv.operation_count()) < 8 * cost);
      if (cells == 300) CHECK(hv.code_size() < 2000);
    }
  }
  // weights on a product with weights: the Hessian is symmetric, so both ways give it times the direction
  const Ring ring(100);
  test::RandomExpression random(5, {});
  std::vector<double> w, d;
  for (std::size_t i = 0; i < ring.f.size(); ++i) w.push_back(random.number(-1, 1)), d.push_back(random.number(-1, 1));
  const Program rolled = ring.program(true);
  const auto reverse = Kernel(vector_jacobian(vector_jacobian(rolled, "f", "y"), "product", "y", "direction"))
                           .evaluate({ring.at, ring.parameters, w, d});
  const auto forward = Kernel(hessian_vector(rolled, "f", "y")).evaluate({ring.at, ring.parameters, w, d});
  CHECK(largest_difference(reverse.back(), forward.back()) < 1e-12);
}
