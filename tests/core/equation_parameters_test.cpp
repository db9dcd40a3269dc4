// SPDX-License-Identifier: MIT
// Equations with roots, absolute values and parameters: for numbers in place of the parameters the solutions whose
// conditions hold are the real roots, found by looking for changes of sign, and no others.
#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <random>

#include "boreon/boreon.hpp"

using namespace boreon;

namespace {

struct Count {
  int solved = 0;
  int points = 0;
  int wrong = 0;
  int missing = 0;
  std::string what;
};

// The value at x, or NaN where there is none.
double real_value(const Expr& e, const Bindings& b) {
  try {
    return evaluate(e, b, Unused::allowed);
  } catch (const Error&) {
    return std::nan("");
  }
}

std::vector<double> roots_by_signs(const Expr& f, const Bindings& parameters) {
  const Symbol x("x");
  const Kernel kernel = compile({OutputGroup("y", {substitute(f, parameters, Unused::allowed)})}, {{"x", {x}}});
  constexpr int steps = 20000;
  constexpr double far = 40;
  std::vector<double> roots;
  const auto value = [&](double at) {
    double y = 0;
    const double* in[] = {&at};
    double* out[] = {&y};
    kernel(in, out);
    return y;
  };
  double last = value(-far);
  double before = -far;
  for (int k = 1; k <= steps; ++k) {
    const double at = -far + 2 * far * k / steps + 1e-7 * std::sqrt(2.0);
    const double now = value(at);
    if (std::isfinite(last) && std::isfinite(now) && last * now < 0) {
      double a = before;
      double b = at;
      for (int i = 0; i < 80; ++i) {
        const double m = (a + b) / 2;
        (value(m) * last > 0 ? a : b) = m;
      }
      // a change of sign at a pole is no root
      if (std::abs(value(a)) < 1e-6) roots.push_back(a);
    }
    last = now;
    before = at;
  }
  return roots;
}

void look(const std::string& text, std::mt19937& random, Count& n) {
  const Symbol x("x");
  const Symbol a("a");
  const Symbol b("b");
  const Expr e = parse(text);
  if (!e.is(Kind::relation)) return;  // 1 = 2
  const Expr f = e.operands()[0] - e.operands()[1];
  SolutionSet s;
  try {
    s = solve({f}, {x});
  } catch (const Error&) {
    return;
  }
  if (s.status != SolveStatus::exact || s.integers.size() > 1) return;
  ++n.solved;
  for (int k = 0; k < 6; ++k) {
    const auto draw = [&] { return std::round((std::uniform_real_distribution<>(-4, 4)(random)) * 64) / 64 + 1e-3; };
    const Bindings parameters{{a, Number::exact(draw())}, {b, Number::exact(draw())}};
    const auto holds = [&](const Expr& c) { return !is_false(substitute(c, parameters, Unused::allowed)); };
    if (!std::all_of(s.conditions.begin(), s.conditions.end(), holds)) continue;
    ++n.points;
    std::vector<double> claimed;
    std::vector<double> values;  // of families those within the range that is looked at
    for (const Solution& one : s.solutions) {
      if (!std::all_of(one.conditions.begin(), one.conditions.end(), holds)) continue;
      const Expr& value = *one.values.find(x);
      for (int whole = s.integers.empty() ? 0 : -30; whole <= (s.integers.empty() ? 0 : 30); ++whole) {
        Bindings at = parameters;
        for (const Expr& integer : s.integers) at.set(integer, whole);
        values.push_back(real_value(value, at));
      }
    }
    for (const double v : values) {
      if (!std::isfinite(v)) continue;  // not real there
      Bindings there = parameters;
      there.set(x, Number::exact(v));
      const double residual = real_value(f, there);
      Bindings beside = parameters;
      beside.set(x, Number::exact(v * (1 + 1e-7) + 1e-7));
      const double slope = std::abs(real_value(f, beside)) + 1;
      // beside the edge of a root's range the value may fall outside by rounding
      if (std::isfinite(residual) ? std::abs(residual) > 1e-7 * std::max(1.0, slope) : std::isfinite(slope)) {
        ++n.wrong;
        n.what += text + "; ";
      }
      claimed.push_back(v);
    }
    if (!s.complete) continue;
    for (const double root : roots_by_signs(f, parameters)) {
      if (std::none_of(claimed.begin(), claimed.end(),
                       [&](double c) { return std::abs(c - root) <= 1e-5 * std::max(1.0, std::abs(root)); })) {
        ++n.missing;
        n.what += "missing in " + text + "; ";
      }
    }
  }
}

// So many equations of the families; the work it takes is that of `look`.
void run(unsigned seed, int equations, const std::function<std::string(std::mt19937&)>& family) {
  std::mt19937 random(seed);
  Count n;
  for (int k = 0; k < equations; ++k) {
    const std::string text = family(random);
    look(text, random, n);
  }
  MESSAGE(n.solved << " solved, looked at " << n.points << " points");
  CHECK_MESSAGE(n.wrong == 0, n.what);
  CHECK_MESSAGE(n.missing == 0, n.what);
  CHECK(n.solved >= equations * 2 / 3);
  CHECK(n.points >= 2 * n.solved);
}

std::string pick(std::mt19937& random, std::vector<const char*> list) {
  return list[std::uniform_int_distribution<std::size_t>(0, list.size() - 1)(random)];
}
std::string linear(std::mt19937& r) {
  return pick(r, {"x + a", "x - a", "a*x + b", "x + 1", "2*x - b", "a - x", "b*x + 1", "x"});
}
std::string constant(std::mt19937& r) { return pick(r, {"a", "b", "a + b", "2", "1", "a - 1", "a*b"}); }

TEST_CASE("roots and absolute values with parameters: nothing wrong, nothing missing") {
  run(20261130, 120, [](std::mt19937& r) {
    switch (std::uniform_int_distribution<>(0, 6)(r)) {
      case 0: return "sqrt(" + linear(r) + ") = " + linear(r);
      case 1: return "sqrt(x^2 + " + constant(r) + ") = " + linear(r);
      case 2: return "x/sqrt(x^2 + " + pick(r, {"1", "b^2", "2"}) + ") = " + constant(r);
      case 3: return "abs(" + linear(r) + ") = " + pick(r, {"x + b", "a", "b", "2*x - a"});
      case 4: return "sqrt(x) + " + pick(r, {"a", "1", "b"}) + "*x = " + constant(r);
      case 5: return "sqrt(" + linear(r) + ") + sqrt(" + linear(r) + ") = " + pick(r, {"a", "b", "2"});
      default: return "abs(" + linear(r) + ") + abs(" + linear(r) + ") = " + constant(r);
    }
  });
}

TEST_CASE("exponentials, logarithms, fractions with parameters: nothing wrong, nothing missing") {
  run(20261201, 100, [](std::mt19937& r) {
    switch (std::uniform_int_distribution<>(0, 7)(r)) {
      case 0: return pick(r, {"exp(x)", "a*exp(x)", "exp(2*x)"}) + " + " + constant(r) + "*exp(-x) = " + constant(r);
      case 1: return "log(" + linear(r) + ") = " + constant(r);
      case 2: return "log(" + linear(r) + ") + log(" + linear(r) + ") = " + constant(r);
      case 3: return "log(" + linear(r) + ") = log(" + linear(r) + ") + " + constant(r);
      case 4: return "1/(" + linear(r) + ") + 1/(" + linear(r) + ") = " + constant(r);
      case 5: return pick(r, {"max", "min"}) + "(" + linear(r) + ", " + linear(r) + ") = " + linear(r);
      case 6: return pick(r, {"a", "b", "1"}) + "*x^2 + " + constant(r) + "*x = " + constant(r);
      default:
        return pick(r, {"cosh", "tanh", "atan", "sinh", "asin", "erf", "lambert_W"}) + "(" + linear(r) +
               ") = " + constant(r);
    }
  });
}

TEST_CASE("waves with parameters: nothing wrong, nothing missing") {
  run(20261202, 60, [](std::mt19937& r) {
    switch (std::uniform_int_distribution<>(0, 4)(r)) {
      case 0:
        return pick(r, {"sin", "cos", "tan"}) + "(" + pick(r, {"x", "x + a", "2*x", "x/2"}) + ") = " + constant(r);
      case 1: return pick(r, {"sin", "cos"}) + "(x)^2 = " + constant(r);
      case 2: return "a*sin(x) + " + pick(r, {"b", "2", "1"}) + "*cos(x) = " + constant(r);
      case 3: return "sin(x)^2 + " + pick(r, {"a", "b"}) + "*sin(x) = " + constant(r);
      default: return pick(r, {"a", "b", "2"}) + "*" + pick(r, {"sin", "cos"}) + "(x) = " + constant(r);
    }
  });
}

}  // namespace
