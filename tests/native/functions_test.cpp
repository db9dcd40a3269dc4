// SPDX-License-Identifier: MIT
// exp, log, sin and cos as machine code has them, against the C library in extended precision.
#include <doctest/doctest.h>

#include <cmath>
#include <functional>
#include <limits>

#include "boreon/native.hpp"
#include "core/random_expression.hpp"

using namespace boreon;

namespace {

using Long = long double;
struct Case {
  const char* name;
  Expr (*symbolic)(const Expr&);
  Long (*exact)(Long);
  double (*argument)(test::RandomExpression&);
};

const Case cases[] = {
    {"exp", [](const Expr& x) { return exp(x); }, [](Long x) { return std::exp(x); },
     [](test::RandomExpression& r) {
       return r.pick(3) == 0   ? r.number(-750, 720)
              : r.pick(2) == 0 ? r.number(-2, 2)
                               : r.number(-1, 1) * std::exp2(-r.number(1, 60));
     }},
    {"log", [](const Expr& x) { return log(x); }, [](Long x) { return std::log(x); },
     [](test::RandomExpression& r) {
       return r.pick(3) == 0   ? std::exp2(r.number(-1074, 1024))
              : r.pick(2) == 0 ? r.number(0.5, 2)
                               : 1 + r.number(-1, 1) * 1e-6;
     }},
    {"sin", [](const Expr& x) { return sin(x); }, [](Long x) { return std::sin(x); },
     [](test::RandomExpression& r) {
       return r.pick(3) == 0   ? r.number(-1e8, 1e8)
              : r.pick(2) == 0 ? r.number(-10, 10)
                               : std::floor(r.number(-900, 900)) * 1.5707963267948966;
     }},
    {"cos", [](const Expr& x) { return cos(x); }, [](Long x) { return std::cos(x); },
     [](test::RandomExpression& r) {
       return r.pick(3) == 0   ? r.number(-1e8, 1e8)
              : r.pick(2) == 0 ? r.number(-10, 10)
                               : std::floor(r.number(-900, 900)) * 1.5707963267948966;
     }},
};

// The distance in units of the last place of the right result.
double units(double got, Long exact) {
  const auto rounded = static_cast<double>(exact);
  if (std::isnan(rounded) || std::isinf(rounded) || rounded == 0)
    return got == rounded || (std::isnan(got) && std::isnan(rounded)) ? 0 : INFINITY;
  const double unit = std::nextafter(std::fabs(rounded), INFINITY) - std::fabs(rounded);
  return static_cast<double>(std::fabs(static_cast<Long>(got) - exact) / static_cast<Long>(unit));
}

std::vector<double> at_all(const Kernel& k, const std::vector<double>& x, bool side_by_side) {
  const std::size_t outputs = k.program().outputs[0].size;
  std::vector<double> y(x.size() * outputs);
  const auto n = static_cast<std::ptrdiff_t>(x.size());
  if (side_by_side) {
    k.many(x.size(), std::vector<PointsIn>{{x.data(), n, 1}}, std::vector<PointsOut>{{y.data(), n, 1}});
  } else {  // array of structures, put side by side afterwards
    std::vector<double> z(y.size());
    k.many(x.size(), std::vector<PointsIn>{{x.data(), 1, 1}},
           std::vector<PointsOut>{{z.data(), 1, static_cast<std::ptrdiff_t>(outputs)}});
    for (std::size_t p = 0; p < x.size(); ++p) {
      for (std::size_t o = 0; o < outputs; ++o) y[o * x.size() + p] = z[p * outputs + o];
    }
  }
  return y;
}

}  // namespace

TEST_CASE("exp, log, sin and cos of many points are right to two units in the last place, everywhere") {
  const Symbol x("x");
  for (const Case& c : cases) {
    for (const Machine machine : machines()) {
      const Kernel k = compile({OutputGroup("f", std::vector<Expr>{c.symbolic(x)})}, {{"x", {x}}},
                               NativeOptions{.machine = machine});
      test::RandomExpression random(17, {});
      std::vector<double> at;
      for (int i = 0; i < 60000; ++i) at.push_back(c.argument(random));
      double worst = 0;
      const std::vector<double> y = at_all(k, at, machine != Machine::avx2);
      for (std::size_t i = 0; i < at.size(); ++i)
        worst = std::max(worst, units(y[i], c.exact(static_cast<Long>(at[i]))));
      CAPTURE(c.name);
      CAPTURE(to_string(machine));
      CHECK(worst < (machine == Machine::sse2 ? 4 : 2));
    }
  }
}

TEST_CASE("infinities, zeros of both signs, NaN, subnormal and huge arguments") {
  const Symbol x("x");
  constexpr double infinity = std::numeric_limits<double>::infinity();
  // Each alone among ordinary ones too: lanes must not disturb each other.
  const std::vector<double> special{5e-324,   -5e-324,   0.0,    -0.0,    1e-310, -1e-310, 1.0,    -1.0,
                                    infinity, -infinity, NAN,    709.78,  709.8,  1e4,     -745.1, -745.2,
                                    -708.5,   -1e4,      1e300,  -1e300,  1e22,   -1e15,   0.75,   1.5,
                                    1.34e8,   -1.35e8,   0x1p27, -0x1p27, 2e9,    1e-8,    -1e-8,  3.141592653589793};
  for (const Case& c : cases) {
    for (const Machine machine : machines()) {
      const Kernel k = compile({OutputGroup("f", std::vector<Expr>{c.symbolic(x)})}, {{"x", {x}}},
                               NativeOptions{.machine = machine});
      std::vector<double> at;
      for (const double s : special) at.insert(at.end(), {0.3, 0.4, s, 0.5, 0.6, 0.7, s, 0.9});
      at.insert(at.end(), special.begin(), special.end());
      const std::vector<double> y = at_all(k, at, true);
      for (std::size_t i = 0; i < at.size(); ++i) {
        CAPTURE(c.name);
        CAPTURE(to_string(machine));
        CAPTURE(at[i]);
        const auto exact = c.exact(static_cast<Long>(at[i]));
        CHECK(units(y[i], exact) < 4);
        if (exact == 0 && i < 8 * special.size()) CHECK(std::signbit(y[i]) == std::signbit(static_cast<double>(exact)));
      }
    }
  }
}

TEST_CASE("functions in the middle of many values that are needed later, with arguments that take the long way") {
  // more values than registers live on across each function, in straight code and in loops over rows
  constexpr int n = 40;
  std::vector<Expr> x;
  for (int i = 0; i < n; ++i) x.push_back(Symbol("x" + std::to_string(i)));
  std::vector<Expr> f;
  for (int i = 0; i < n; ++i) {
    const Expr &a = x[static_cast<std::size_t>(i)], &b = x[static_cast<std::size_t>((i + 1) % n)];
    f.push_back(sin(a * b) + cos(a * b) * exp(-a * a) + sin(a) * log(2 + b * b) + cos(b));
  }
  Expr all = 0;
  for (const Expr& e : f) all += e;
  for (std::size_t i = 0; i < n; ++i) f[i] = f[i] + all * x[i];
  test::RandomExpression random(5, {});
  const std::size_t points = 37;
  std::vector<double> at(n * points);
  for (std::size_t i = 0; i < at.size(); ++i)
    at[i] = i % 11 == 3 ? random.number(-1, 1) * 1e6 : random.number(-1, 1);  // products beyond 2^27
  const std::vector<OutputGroup> outputs{{"f", f}};
  const std::vector<InputGroup> inputs{{"x", x}};
  const Kernel interpreter = compile(outputs, inputs);
  for (const Machine machine : machines()) {
    CAPTURE(to_string(machine));
    const Kernel flat = native_kernel(make_program(outputs, inputs, {.rows = false}), {.machine = machine});
    std::vector<double> got(n * points);
    flat.many(points, std::vector<PointsIn>{{at.data(), points, 1}}, std::vector<PointsOut>{{got.data(), points, 1}});
    for (std::size_t p = 0; p < points; ++p) {
      std::vector<double> here;
      for (std::size_t i = 0; i < n; ++i) here.push_back(at[i * points + p]);
      const auto expected = interpreter.evaluate({here})[0];
      const auto one = flat.evaluate({here})[0];
      const double scale = std::fabs(expected[0]) + 1e7;
      for (std::size_t i = 0; i < n; ++i) {
        CHECK(std::fabs(got[i * points + p] - expected[i]) < 1e-12 * scale);
        CHECK(std::fabs(one[i] - expected[i]) < 1e-12 * scale);
      }
    }
  }
  // rows: a ring of 400 cells
  std::vector<Expr> y;
  for (int i = 0; i < 400; ++i) y.push_back(Symbol("y" + std::to_string(i)));
  std::vector<Expr> g;
  for (std::size_t i = 0; i < 400; ++i)
    g.push_back(sin(y[i] * y[(i + 1) % 400]) * exp(-y[i]) + cos(y[i] * y[(i + 1) % 400]) / (1 + log(1 + y[i] * y[i])));
  std::vector<double> cell;
  for (std::size_t i = 0; i < 400; ++i)
    cell.push_back(i % 50 == 7 ? 3e5 * (1 + static_cast<double>(i)) : random.number(-2, 2));
  const std::vector<OutputGroup> ring{{"g", g}};
  const std::vector<InputGroup> cells{{"y", y}};
  const Kernel rolled = compile(ring, cells);
  REQUIRE(!rolled.program().loops.empty());
  const auto expected = rolled.evaluate({cell})[0];
  for (const Machine machine : machines()) {
    CAPTURE(to_string(machine));
    const auto got = compile(ring, cells, NativeOptions{.machine = machine}).evaluate({cell})[0];
    for (std::size_t i = 0; i < 400; ++i) CHECK(got[i] == doctest::Approx(expected[i]).epsilon(1e-11));
  }
}
