// SPDX-License-Identifier: MIT
// What each pass of the program optimiser saves, and that it keeps values: counted in operations, never in text.
#include <doctest/doctest.h>

#include <cmath>
#include <limits>
#include <map>

#include "boreon/calculus.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/program.hpp"
#include "boreon/text.hpp"
#include "core/numbered.hpp"
#include "core/random_expression.hpp"

using namespace boreon;

namespace {

using Counts = std::map<std::string, std::size_t>;

Program program_of(const std::vector<Expr>& f, const std::vector<Expr>& v, bool optimise = true) {
  return make_program(std::vector<OutputGroup>{{"f", f}}, std::vector<InputGroup>{{"v", v}},
                      {.optimise = optimise, .rows = false});
}

Counts counts(const std::vector<Expr>& f, const std::vector<Expr>& v) {
  Counts c;
  for (const auto& [name, n] : operation_table(program_of(f, v))) c[name] += n;
  return c;
}

std::size_t total(const std::vector<Expr>& f, const std::vector<Expr>& v) { return program_of(f, v).operation_count(); }

// The optimised program computes what the expressions are, at many points.
void check_values(const std::vector<Expr>& f, const std::vector<Expr>& v, double low, double high,
                  double tolerance = 1e-13) {
  const Kernel k(program_of(f, v));
  test::RandomExpression random(99, {});
  for (int point = 0; point < 20; ++point) {
    std::vector<double> at;
    Bindings bindings;
    for (const Expr& s : v) {
      at.push_back(random.number(low, high));
      bindings.set(s, at.back());
    }
    const auto got = k.evaluate({at})[0];
    for (std::size_t i = 0; i < f.size(); ++i) {
      const double expected = evaluate(f[i], bindings, Unused::allowed);
      CAPTURE(to_text(f[i]));
      CHECK(std::abs(got[i] - expected) <= tolerance * (1 + std::abs(expected)));
    }
  }
}

struct Names {
  std::vector<Expr> v = test::numbered("x", 8);
  const Expr &a = v[0], &b = v[1], &c = v[2], &d = v[3], &e = v[4], &x = v[5], &y = v[6], &z = v[7];
};

}  // namespace

TEST_CASE("shared pairs: subsets of sums and products across outputs, not only equal nodes") {
  const Names n;
  // a + b + c and a + b + d share a + b; neither is a part of the other
  CHECK(total({n.a + n.b + n.c, n.a + n.b + n.d}, n.v) == 3);
  CHECK(total({n.a * n.b * n.c, n.a * n.b * n.d, n.a * n.b * n.e}, n.v) == 4);
  // three in common
  CHECK(total({n.a + n.b + n.c + n.x, n.a + n.b + n.c + n.y, n.a + n.b + n.c + n.z}, n.v) == 5);
  // with coefficients in one ratio, in either sign
  CHECK(total({2 * n.a + 6 * n.b + n.x, n.a + 3 * n.b - n.y}, n.v) <= 6);
  CHECK(total({n.x - n.y, n.y - n.x, n.a + n.x - n.y}, n.v) == 3);
  // powers count as factors
  CHECK(total({pow(n.a, 2) * n.b * n.x, pow(n.a, 2) * n.b * n.y}, n.v) == 4);
  check_values(
      {n.a * n.b * n.c + n.a * n.b * n.d, pow(n.a, 2) * n.b * n.x, n.a * n.b - 3 * n.x * n.y, n.x * n.y * n.b * n.a},
      n.v, -2, 2);
}

TEST_CASE("the greedy choice takes the pair of most users, and a chain of outputs costs one operation each") {
  // f_k = x0 + ... + xk: each is the one before and a term
  const auto v = test::numbered("x", 20);
  std::vector<Expr> prefix;
  Expr sum = v[0];
  for (std::size_t k = 1; k < v.size(); ++k) prefix.push_back(sum += v[k]);
  CHECK(total(prefix, v) <= 30);
  std::vector<Expr> products;
  Expr product = v[0];
  for (std::size_t k = 1; k < v.size(); ++k) products.push_back(product = product * v[k]);
  CHECK(total(products, v) <= 30);
  check_values(prefix, v, -1, 1);
  check_values(products, v, 0.5, 1.5);
}

TEST_CASE("factors out of sums and Horner's form") {
  const Names n;
  CHECK(total({n.a * n.x + n.b * n.x}, n.v) == 2);
  CHECK(total({n.a * n.x * n.y + n.b * n.x * n.y + n.c * n.x}, n.v) == 4);
  // a dense polynomial of degree 6 with symbols as coefficients: one multiplication and one addition a degree
  Expr p = n.a;
  const Expr coefficients[] = {n.b, n.c, n.d, n.e, n.y, n.z};
  for (int k = 1; k <= 6; ++k) p += coefficients[k - 1] * pow(n.x, k);
  CHECK(total({p}, n.v) <= 12);
  // common denominators
  CHECK(counts({n.a / n.x + n.b / n.x - n.c / n.x}, n.v)["divide"] == 1);
  check_values({p, n.a / n.x + n.b / n.x, n.a * n.x * n.y + n.b * n.x * n.y + n.c * n.x}, n.v, 0.3, 1.7);
}

TEST_CASE("divisions: negative powers are one division, divisors that several quotients have are inverted once") {
  const Names n;
  CHECK(counts({pow(n.x, -3)}, n.v)["divide"] == 1);
  CHECK(counts({n.a / (1 + n.x * n.x), n.b / (1 + n.x * n.x), n.c / (1 + n.x * n.x)}, n.v)["divide"] == 1);
  CHECK(counts({n.a / pow(n.x, 2), n.b / pow(n.x, 3)}, n.v)["divide"] == 1);
  CHECK(counts({n.a / n.x, n.b / n.y}, n.v)["divide"] == 2);
  CHECK(counts({n.a / sqrt(n.x), n.b / sqrt(n.x), n.c * pow(n.x, Expr(-3) / 2), n.a * pow(n.x, Expr(-5) / 2)},
               n.v)["divide"] <= 2);
  // a divisor may be so small that its reciprocal is infinite and the quotient is not
  CHECK(counts({n.a / n.x, n.b / n.x}, n.v)["divide"] == 2);
  CHECK(counts({n.a / (n.x * n.y), n.b / (n.x * n.y)}, n.v)["divide"] == 2);
  CHECK(counts({n.a / (1 + n.x * n.x), n.b / pow(1 + n.x * n.x, 2)}, n.v)["divide"] == 1);
  check_values({n.a / (n.x * n.y), n.b / (n.x * n.y), n.c * pow(n.x, Expr(-3) / 2), n.a / sqrt(n.x), n.b / n.x,
                n.a / pow(1 + n.x, 2)},
               n.v, 0.4, 2);
}

TEST_CASE("powers: halves are roots, exponents that differ by whole numbers are one power") {
  const Names n;
  CHECK(counts({pow(n.x, Expr(1) / 2)}, n.v).count("power") == 0);
  CHECK(counts({pow(n.x, Expr(5) / 2)}, n.v) == Counts{{"multiply", 2}, {"sqrt", 1}});
  CHECK(counts({pow(n.x, Expr(1) / 3), pow(n.x, Expr(4) / 3), pow(n.x, Expr(7) / 3)}, n.v)["power"] == 1);
  // a negative power from a positive one would be 0/0 at 0
  CHECK(counts({pow(n.x, Expr(1) / 3), pow(n.x, Expr(-2) / 3), pow(n.x, Expr(-5) / 3)}, n.v)["power"] == 2);
  CHECK(counts({pow(n.x, n.y), pow(n.x, n.z)}, n.v)["power"] == 2);
  check_values({pow(n.x, Expr(1) / 3), pow(n.x, Expr(4) / 3), pow(n.x, Expr(-2) / 3), pow(n.x, Expr(5) / 2),
                pow(n.x, 11), pow(n.x, -7)},
               n.v, 0.5, 2);
}

TEST_CASE("functions: sine with cosine, exponentials of multiples, parity") {
  const Names n;
  const auto exponentials = [&](const std::vector<Expr>& f) { return counts(f, n.v)["exp"]; };
  CHECK(exponentials({exp(n.x), exp(-n.x)}) == 1);
  CHECK(exponentials({exp(n.x), exp(2 * n.x), exp(-3 * n.x)}) == 1);
  CHECK(exponentials({exp(n.x * n.y), exp(-n.x * n.y), cosh(n.x * n.y)}) == 1);
  // x^c*exp(u) where nobody needs the parts: one exponential of a sum and one logarithm
  const Counts arrhenius =
      counts({pow(n.x, Expr(7) / 10) * exp(-n.a / n.x), pow(n.x, Expr(3) / 7) * exp(-n.b / n.x)}, n.v);
  CHECK(arrhenius.count("power") == 0);
  CHECK(arrhenius.at("exp") == 2);
  CHECK(arrhenius.at("log") == 1);
  CHECK(total({sin(n.x), cos(n.x)}, n.v) == 1);
  CHECK(total({sin(n.x), sin(-n.x), cos(-n.x)}, n.v) == 2);
  CHECK(total({tanh(n.x - n.y), tanh(n.y - n.x)}, n.v) == 3);
  check_values({exp(n.x), exp(2 * n.x), exp(-3 * n.x), pow(n.y, Expr(7) / 10) * exp(-n.a / n.y), sin(-n.x) * cos(n.x),
                tanh(n.x - n.y) + tanh(n.y - n.x)},
               n.v, 0.3, 1.5, 1e-12);
}

TEST_CASE("coefficients that all users of a product apply are applied once") {
  const Names n;
  CHECK(total({5 * n.a * n.x + n.b, n.c - 5 * n.a * n.x, 5 * n.a * n.x * n.y}, n.v) <= 5);
  CHECK(total({3 * n.x * n.y, -3 * n.x * n.y + n.a}, n.v) <= 3);
  check_values({5 * n.a * n.x + n.b, n.c - 5 * n.a * n.x, 5 * n.a * n.x * n.y, -7 * n.a * n.x}, n.v, -2, 2);
}

TEST_CASE("random sparse polynomial systems with their Jacobians: fewer operations than translated one by one") {
  std::size_t before = 0;
  std::size_t after = 0;
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    CAPTURE(seed);
    test::RandomExpression random(seed, {});
    const auto v = test::numbered("x", 6);
    std::vector<Expr> f;
    for (int i = 0; i < 6; ++i) {
      Expr sum = 0;
      for (std::size_t t = 0, terms = 2 + random.pick(4); t < terms; ++t) {
        Expr term = Expr(static_cast<std::int64_t>(random.pick(9)) - 4);
        for (int k = 0; k < 3; ++k) term = term * pow(v[random.pick(6)], static_cast<std::int64_t>(random.pick(3)));
        sum += term;
      }
      f.push_back(sum);
    }
    const SparseMatrix j = sparse_jacobian(f, v);
    std::vector<Expr> all = f;
    all.insert(all.end(), j.values.begin(), j.values.end());
    const std::size_t plain = program_of(all, v, false).operation_count();
    const std::size_t fast = program_of(all, v).operation_count();
    CHECK(static_cast<double>(fast) <= 1.04 * static_cast<double>(plain));  // the greedy choice is not always the best
    before += plain;
    after += fast;
    if (seed <= 10) check_values(all, v, -1.5, 1.5, 1e-12);
  }
  CHECK(static_cast<double>(after) < 0.93 * static_cast<double>(before));
}

TEST_CASE("the same expressions give the same program, in whatever order their symbols were made") {
  for (std::uint64_t seed = 1; seed <= 30; ++seed) {
    const auto v = test::numbered("s", 5);
    test::RandomExpression once(seed, v);
    test::RandomExpression again(seed, v);
    const std::vector<Expr> f{once(14), once(10), once(9) * once(6)};
    const std::vector<Expr> g{again(14), again(10), again(9) * again(6)};
    CHECK(to_text(program_of(f, v)) == to_text(program_of(g, v)));
  }
}

TEST_CASE("deep chains and wide sums become programs without recursion, in linear time and memory") {
  const auto v = test::numbered("x", 2);
  Expr deep = v[0];
  for (int k = 0; k < 60000; ++k) deep = sin(deep) + v[1];
  const Program chain = program_of({deep}, v);
  CHECK(chain.operation_count() == 120000);
  const auto many = test::numbered("w", 20000);
  Expr wide = 0;
  for (std::size_t k = 0; k < many.size(); ++k) wide += many[k] * many[(k + 1) % many.size()];
  const Program sum = program_of({wide}, many);
  CHECK(sum.operation_count() == 2 * many.size() - 1);
  const std::vector<double> ones(many.size(), 1.0);
  CHECK(Kernel(sum).evaluate({ones})[0][0] == static_cast<double>(many.size()));
}

TEST_CASE("powers that come from other powers keep their values at 0, at infinity and at the ends of the range") {
  const Symbol x("x");
  test::RandomExpression random(4711, {});
  const auto pick = [&](int n) { return std::min(n - 1, static_cast<int>(random.number(0, n))); };
  for (int round = 0; round < 300; ++round) {
    std::vector<Expr> f;
    const int denominator = 1 + pick(5);
    const int count = 2 + pick(4);
    for (int i = 0; i < count; ++i) f.push_back(power(x, Expr(Number(pick(33) - 16, denominator))));
    if (round % 3 == 0) f.push_back(derivative(f[0], x));
    const Kernel plain(program_of(f, {x}, false));
    const Kernel optimised(program_of(f, {x}));
    for (const double base : {0.0, 1e-150, 1e-110, 1e-300, 1e150, 1e200, std::numeric_limits<double>::infinity(),
                              -1e-150, -1e150, -2.0, 0.7}) {
      const auto expected = plain.evaluate({{base}})[0];
      const auto got = optimised.evaluate({{base}})[0];
      for (std::size_t i = 0; i < f.size(); ++i) {
        CAPTURE(to_text(f[i]));
        CAPTURE(round);
        CAPTURE(base);
        if (!std::isfinite(expected[i])) {
          CHECK(std::isnan(expected[i]) == std::isnan(got[i]));
          continue;
        }
        // below the range of normal numbers digits are lost in either way
        if (std::fabs(expected[i]) < 1e-290) {
          CHECK(std::fabs(got[i]) < 1e-280);
        } else {
          CHECK(got[i] == doctest::Approx(expected[i]).epsilon(1e-12));
        }
      }
    }
  }
  const Expr root = power(x, Expr(7) / 3);
  const Kernel k(program_of({root, derivative(root, x), derivative(root, x, 2)}, {x}));
  CHECK(k.evaluate({{0.0}})[0] == std::vector<double>{0, 0, 0});
  CHECK(k.evaluate({{1e-150}})[0][1] == doctest::Approx(7.0 / 3 * 1e-200));
  const Kernel mixed(program_of({power(x, 2.0), power(x, 1.5), 1 / x}, {x}));
  CHECK(mixed.evaluate({{1e-110}})[0][2] == doctest::Approx(1e110));
}

TEST_CASE("quotients of what they share keep finite values at divisors of any size") {
  const Symbol x("x");
  const Symbol y("y");
  const Symbol a("a");
  const Symbol b("b");
  test::RandomExpression random(20261128, {});
  const auto pick = [&](int n) { return std::min(n - 1, static_cast<int>(random.number(0, n))); };
  const std::vector<Expr> numerators = {1, a, b, 3 * a, a + b, a - 2 * b};
  const std::vector<Expr> divisors = {x,         y,        x * y,
                                      x * x,     sqrt(x),  x * sqrt(x),
                                      1 + x * x, x + y,    sqrt(x * x + y * y),
                                      exp(x),    cosh(y),  pow(1 + x * x, 2),
                                      abs(x),    pow(x, 3)};
  const double sizes[] = {5e-324, 5e-320,  1e-310, 3e-308, 1e-300,  1e-150,
                          1,      700,     1e150,  1e300,  1.7e308, std::numeric_limits<double>::infinity(),
                          0.0,    -1e-320, -2};
  for (int round = 0; round < 300; ++round) {
    std::vector<Expr> f;
    const int count = 2 + pick(4);
    for (int i = 0; i < count; ++i)
      f.push_back(numerators[static_cast<std::size_t>(pick(6))] / divisors[static_cast<std::size_t>(pick(14))]);
    const std::vector<Expr> inputs = {x, y, a, b};
    const Kernel plain(program_of(f, inputs, false));
    const Kernel optimised(program_of(f, inputs));
    for (int point = 0; point < 40; ++point) {
      const std::vector<double> at = {sizes[pick(15)], sizes[pick(15)], pick(2) == 0 ? sizes[pick(9)] : 0.0,
                                      pick(3) == 0 ? 1e-20 : 1e-3};
      const auto expected = plain.evaluate({at})[0];
      const auto got = optimised.evaluate({at})[0];
      for (std::size_t i = 0; i < f.size(); ++i) {
        CAPTURE(to_text(f[i]));
        CAPTURE(round);
        CAPTURE(at[0]);
        CAPTURE(at[1]);
        if (!std::isfinite(expected[i])) continue;
        if (std::fabs(expected[i]) < 1e-290) {
          CHECK(std::fabs(got[i]) < 1e-280);
        } else {
          CHECK(got[i] == doctest::Approx(expected[i]).epsilon(1e-12));
        }
      }
    }
  }
}
