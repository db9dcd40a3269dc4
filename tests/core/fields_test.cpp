// SPDX-License-Identifier: MIT
// Fields in index notation as loops: against the same equations written out element by element.
#include "boreon/fields.hpp"

#include <doctest/doctest.h>

#include <cmath>
#include <map>
#include <string>
#include <vector>

#include "../effort.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/program.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"
#include "field_cases.hpp"

namespace fields_test {

using namespace boreon;

double close(double a, double b) { return std::fabs(a - b) / (1e-30 + 1e-3 + std::fabs(a) + std::fabs(b)); }

// Values and Jacobian of the loops beside those of the equations written out.
void agree(const Case& c, const std::string& what, bool jacobian = true) {
  CAPTURE(what);
  const FieldPlan plan(c.system, {});
  const std::vector<Expr> rows = c.rows();
  REQUIRE(plan.rows() == rows.size());
  REQUIRE(plan.columns() == c.state.size());
  std::vector<double> y(plan.columns());
  std::vector<double> p(c.system.parameters.size());
  for (std::size_t k = 0; k < y.size(); ++k) y[k] = 1.3 + std::sin(0.7 * static_cast<double>(k) + 0.3);
  for (std::size_t k = 0; k < p.size(); ++k) p[k] = 0.4 + 0.3 * static_cast<double>(k);
  const double t = 0.6;
  const std::vector<InputGroup> inputs{{"y", c.state}, {"p", c.system.parameters}, {"t", {c.system.time}}};
  const auto by_hand = [&](const OutputGroup& output) {
    return Kernel(make_program({&output, 1}, inputs)).evaluate({y, p, {t}})[0];
  };
  const std::vector<double> expected = by_hand({"f", rows});
  for (const unsigned threads : {1U, 2U}) {
    std::vector<double> f(plan.rows(), -7.7);
    FieldKernel(plan, FieldOutput::values)(y, p, t, f, threads);
    for (std::size_t k = 0; k < f.size(); ++k) {
      CAPTURE(k);
      CHECK(close(f[k], expected[k]) < 1e-12);
    }
  }
  // along a direction, sums over unknowns too
  std::vector<double> y_v = y;
  for (std::size_t k = 0; k < y.size(); ++k) y_v.push_back(std::cos(1.1 * static_cast<double>(k)));
  const SparseMatrix j = sparse_jacobian(rows, c.state);
  const std::vector<double> entries = by_hand({"j", j});
  std::vector<double> product(plan.rows(), 0.0);
  for (std::size_t r = 0; r < rows.size(); ++r)
    j.pattern.each(r, [&](std::size_t k, std::size_t column) { product[r] += entries[k] * y_v[y.size() + column]; });
  try {
    const FieldPlan along(directional_system(c.system, {}), {});
    std::vector<double> mine(along.rows());
    FieldKernel(along, FieldOutput::values)(y_v, p, t, mine);
    for (std::size_t k = 0; k < mine.size(); ++k) CHECK(close(mine[k], product[k]) < 1e-11);
  } catch (const Error& e) {
    CAPTURE(e.message());
    CHECK(e.kind() == ErrorKind::unsupported);
  }
  if (!jacobian) return;
  std::vector<double> values(plan.nonzeros());
  FieldKernel(plan, FieldOutput::jacobian)(y, p, t, values, 2);
  const SparsityPattern pattern = plan.pattern(2);
  REQUIRE(pattern.rows == rows.size());
  REQUIRE(static_cast<std::size_t>(pattern.row_start.back()) == pattern.nonzeros());
  for (std::size_t r = 0; r < rows.size(); ++r) {
    std::map<std::size_t, double> mine;
    std::int64_t before = -1;
    pattern.each(r, [&](std::size_t k, std::size_t column) {
      CHECK(static_cast<std::int64_t>(column) > before);
      before = static_cast<std::int64_t>(column);
      mine[column] = values[k];
    });
    // what is left is zero wherever it is not in both
    j.pattern.each(r, [&](std::size_t k, std::size_t column) {
      CAPTURE(r);
      CAPTURE(column);
      CHECK(close(mine[column], entries[k]) < 1e-12);
      mine.erase(column);
    });
    for (const auto& [column, value] : mine) CHECK(std::fabs(value) < 1e-13);
  }
}

Case plate() {
  Case c;
  const Expr i = c.index("i", 0, 11);
  const Expr j = c.index("j", 0, 9, true);
  c.unknown("T", {{0, 11, false}, {0, 9, true}});
  c.unknown("n", {{0, 11, false}, {0, 9, true}});
  c.system.parameters = {Symbol("D"), Symbol("q")};
  c.system.time = Symbol("t");
  c.equation(0, {i, j}, "D*(T[i-1, j] + T[i+1, j] + T[i, j-1] + T[i, j+1] - 4*T[i, j]) + n[i, j]*T[i, j]^2");
  c.equation(0, {0, j}, "T[0, j] - T[1, j]*sin(j)");
  c.equation(0, {11, j}, "T[11, j] - q*t");
  c.equation(1, {i, j}, "-q*n[i, j]*T[i, j] + i*piecewise(n[i, j+2] if j < 5, n[i, j-2]^2 otherwise)");
  c.equation(1, {i, j}, "n[i, j] - 1/(1 + i)", "i > 3 and j = 4");
  c.equation(1, {5, 4}, "exp(-n[5, 4])");
  return c;
}

TEST_CASE("a plate with walls, a ring, conditions and places of their own") { agree(plate(), "plate"); }

TEST_CASE("boxes are few and say where they are") {
  const FieldPlan plan(plate().system, {});
  CHECK(plan.boxes().size() <= 60);
  std::size_t places = 0;
  for (const FieldBox& b : plan.boxes()) places += b.places() * b.rows.size();
  CHECK(places == plan.rows());
  CHECK(plan.text_of(plan.boxes()[0]) == "[0, 0]");
}

TEST_CASE("long sums, nested and over other indices, are arrays of their own") {
  Case c;
  const Expr i = c.index("i", 1, 70);
  const Expr j = c.index("j", 0, 80, true);
  c.index("k", 0, 80);
  c.unknown("u", {{1, 70, false}});
  std::vector<double> numbers;
  for (int n = 0; n < 70 * 81; ++n) numbers.push_back(std::cos(0.37 * n));
  c.data("A", {{1, 70, false}, {0, 80, true}}, numbers);
  c.system.parameters = {Symbol("D")};
  c.equation(0, {i},
             "D*sum(A[i, k+1]*k, k from 0 to 80)/80 + sum(sum(A[m, k]^2, m from 1 to 70), k from 0 to 70) + u[i] + "
             "max(A[i, k], k from 2 to 79) - product(1 + A[3, k]/90, k from 0 to 80)");
  agree(c, "sums");
  // over the unknowns themselves: values yes, a Jacobian without formula no
  c.equation(0, {5}, "sum(u[k]^2*A[k, 0], k from 1 to 70)*u[4] - u[5]");
  agree(c, "sums over unknowns", false);
  CHECK_THROWS_AS((void)FieldPlan(c.system, {}).nonzeros(), Error);
  (void)j;
}

TEST_CASE("products of matrices, of vectors, and of three: by strides of every kind") {
  Case c;
  const Expr i = c.index("i", 0, 69);
  const Expr j = c.index("j", 1, 66);
  c.unknown("u", {{0, 69, false}, {1, 66, false}});
  c.unknown("v", {{1, 66, false}, {0, 69, false}});
  c.unknown("w", {{0, 69, false}});
  const auto numbers = [](int n, double phase) {
    std::vector<double> list;
    for (int k = 0; k < n; ++k) list.push_back(std::cos(0.37 * k + phase));
    return list;
  };
  c.data("A", {{0, 69, false}, {0, 79, false}}, numbers(70 * 80, 0));
  c.data("B", {{0, 79, false}, {1, 66, false}}, numbers(80 * 66, 1));
  c.data("C", {{1, 66, false}, {0, 79, false}}, numbers(66 * 80, 2));
  c.data("b", {{0, 79, false}}, numbers(80, 3));
  c.equation(0, {i, j},
             "sum(A[i, k]*B[k, j], k from 0 to 79) - 2*sum(A[i, k]*C[j, k]/3, k from 0 to 78) + "
             "sum(sum(A[i, k]*B[k, m]*C[m, k], k from 0 to 79), m from 1 to 66) + u[i, j]");
  c.equation(1, {j, i},
             "sum(A[i, k]*B[k, j], k from 0 to 79) + sum(sum(sum(A[i, k]*B[k, m]*C[m, l]*B[l, j], k from 0 to 79), "
             "l from 0 to 79), m from 1 to 66)/100");
  c.equation(2, {i}, "sum(A[i, k]*b[k], k from 0 to 79)*w[i] + sum(b[k]*B[k, 3], k from 0 to 79)");
  const FieldPlan plan(c.system, {});
  std::vector<double> y(plan.columns(), 1.0);
  std::vector<double> f(plan.rows());
  FieldKernel(plan, FieldOutput::values)(y, {}, 0, f, 2);
  const auto a = [&](int r, int k) { return (*c.system.data[0].values)[static_cast<std::size_t>(r * 80 + k)]; };
  const auto b = [&](int k, int s) { return (*c.system.data[1].values)[static_cast<std::size_t>(k * 66 + s - 1)]; };
  const auto d = [&](int s, int k) { return (*c.system.data[2].values)[static_cast<std::size_t>((s - 1) * 80 + k)]; };
  const auto e = [&](int k) { return (*c.system.data[3].values)[static_cast<std::size_t>(k)]; };
  for (const auto& [r, s] : {std::pair(0, 1), std::pair(17, 40), std::pair(69, 66)}) {
    double ab = 0;
    double ac = 0;
    double trace = 0;
    double chain = 0;
    double ae = 0;
    double be = 0;
    for (int k = 0; k < 80; ++k) {
      ab += a(r, k) * b(k, s);
      if (k < 79) ac += a(r, k) * d(s, k) / 3;
      ae += a(r, k) * e(k);
      be += e(k) * b(k, 3);
      for (int m = 1; m <= 66; ++m) {
        trace += a(r, k) * b(k, m) * d(m, k);
        double last = 0;
        for (int l = 0; l < 80; ++l) last += d(m, l) * b(l, s);
        chain += a(r, k) * b(k, m) * last / 100;
      }
    }
    CHECK(close(f[static_cast<std::size_t>(r * 66 + s - 1)], ab - 2 * ac + trace + 1) < 1e-12);
    CHECK(close(f[static_cast<std::size_t>(70 * 66 + (s - 1) * 70 + r)], ab + chain) < 1e-12);
    CHECK(close(f[static_cast<std::size_t>(2 * 70 * 66 + r)], ae + be) < 1e-12);
  }
}

TEST_CASE("formulas of indices are put in, wrapped where they are periodic, and have to exist") {
  Case c;
  const Expr i = c.index("i", 0, 9, true);
  c.unknown("u", {{0, 9, true}});
  c.system.formulas.push_back({Symbol("flux"), {i}, {{"i", 0, 9, true}}, parse("(u[i+1] - u[i])*(1 + i)", c.context)});
  c.equation(0, {i}, "flux[i] - flux[i-1]");
  agree(c, "flux");
  c.system.formulas[0].dimensions[0].periodic = false;
  CHECK_THROWS_AS((void)FieldPlan(c.system, {}), Error);  // flux[-1]
}

TEST_CASE("a network: indices found in arrays") {
  Case c;
  const Expr e = c.index("e", 0, 5);
  c.index("n", 0, 3);
  c.unknown("phi", {{0, 3, false}});
  c.unknown("I", {{0, 5, false}});
  c.data("edge", {{0, 5, false}, {0, 1, false}}, {0, 1, 1, 2, 2, 3, 3, 0, 0, 2, 1, 3});
  const Expr n = c.context.names.at("n");
  c.equation(0, {n}, "phi[n]^2");
  c.equation(1, {e}, "I[e] - (phi[edge[e, 0]] - phi[edge[e, 1]])/(1 + e)");
  agree(c, "network");
}

TEST_CASE("transposed places, and columns that meet on a diagonal") {
  Case c;
  const Expr i = c.index("i", 0, 8);
  const Expr j = c.index("j", 0, 8);
  c.unknown("u", {{0, 8, false}, {0, 8, false}});
  c.unknown("v", {{0, 8, false}});
  c.equation(0, {i, j}, "u[i, j]*u[j, i] + v[i]*v[j]^2 - u[8 - j, i]");
  c.equation(0, {3, j}, "v[j] - u[j, 3]");
  c.equation(1, {c.context.names.at("i")}, "v[i] + u[i, 2]*u[2, i]");
  agree(c, "transposed");
}

TEST_CASE("what is wrong with a system is said with its places") {
  const auto message = [](const Case& c) {
    try {
      (void)FieldPlan(c.system, {});
    } catch (const Error& e) {
      return e.message();
    }
    return std::string();
  };
  Case c;
  const Expr i = c.index("i", 0, 9);
  c.unknown("u", {{0, 9, false}});
  c.equation(0, {i}, "u[i-1] + u[i]");
  CHECK(message(c).find("u[i - 1]") != std::string::npos);
  CHECK(message(c).find("outside its array at the places [0 .. 9]") != std::string::npos);
  c.equation(0, {0}, "u[0]");
  CHECK(message(c).empty());
  c.equation(0, {0}, "u[0] - 1");
  CHECK(message(c).find("u[0] has two equations that are equally specific: e1 and e2") != std::string::npos);
  Case none;
  const Expr k = none.index("k", 0, 4);
  none.unknown("u", {{0, 9, false}});
  none.equation(0, {k}, "u[k]");
  CHECK(message(none).find("u[5 .. 9] has no equation") != std::string::npos);
  Case diagonal;
  const Expr a = diagonal.index("a", 0, 9);
  const Expr b = diagonal.index("b", 0, 9);
  diagonal.unknown("u", {{0, 9, false}, {0, 9, false}});
  diagonal.equation(0, {a, b}, "u[a, b]", "a < b");
  CHECK(message(diagonal).find("differs among the places") != std::string::npos);
  Case other;
  const Expr x = other.index("x", 0, 9);
  other.unknown("u", {{0, 9, false}});
  other.equation(0, {x}, "u[x] + w[x]");
  CHECK(message(other).find("is no field of the system") != std::string::npos);
}

TEST_CASE("costs do not depend on the sizes") {
  const Symbol n("n", {Assumption::integer});
  const Symbol i("i", {Assumption::integer});
  const Symbol j("j", {Assumption::integer});
  FieldSystem s;
  s.indices = {{i, {"i", 0, n - 1, true}}, {j, {"j", 0, n - 1, true}}};
  s.unknowns = {{"u", Symbol("u"), {{"i", 0, n - 1, true}, {"j", 0, n - 1, true}}}};
  ParseContext context;
  context.names = {{"i", i}, {"j", j}};
  s.equations = {
      {"e", 0, {i, j}, parse("u[i+1, j] + u[i-1, j] + u[i, j+1] + u[i, j-1] - 4*u[i, j] - u[i, j]^3", context)}};
  const FieldPlan small(s, {{n, 64}});
  const FieldPlan large(s, {{n, 100'000}});
  CHECK(small.boxes().size() == large.boxes().size());
  CHECK(small.nonzeros() == 5U * 64 * 64);
  CHECK(large.nonzeros() == std::size_t{5} * 100'000 * 100'000);
  CHECK(large.widest_row() == 5);
  CHECK(FieldKernel(small, FieldOutput::jacobian).code_size() == FieldKernel(large, FieldOutput::jacobian).code_size());
}

TEST_CASE("gradients of sums gather, on rings and between walls") {
  const auto check = [](Case c, const std::string& functional) {
    CAPTURE(functional);
    const Expr f = parse(functional, c.context);
    Case g = c;
    g.system = gradient_system(c.system, f, {});
    const FieldPlan plan(g.system, {});
    const Expr written = c.written(f, {});
    std::vector<Expr> by_hand;
    for (const Expr& s : c.state) by_hand.push_back(derivative(written, s));
    std::vector<double> y(c.state.size());
    for (std::size_t k = 0; k < y.size(); ++k) y[k] = 1.3 + std::sin(0.7 * static_cast<double>(k) + 0.3);
    const OutputGroup output("g", by_hand);
    const std::vector<InputGroup> inputs{{"y", c.state}, {"p", c.system.parameters}};
    const std::vector<double> p(c.system.parameters.size(), 0.8);
    const std::vector<double> expected = Kernel(make_program({&output, 1}, inputs)).evaluate({y, p})[0];
    std::vector<double> mine(plan.rows());
    FieldKernel(plan, FieldOutput::values)(y, p, 0, mine);
    REQUIRE(mine.size() == expected.size());
    for (std::size_t k = 0; k < mine.size(); ++k) {
      CAPTURE(k);
      CHECK(close(mine[k], expected[k]) < 1e-11);
    }
  };
  Case ring;
  ring.index("i", 0, 12, true);
  ring.unknown("u", {{0, 12, true}});
  ring.system.parameters = {Symbol("a")};
  check(ring, "sum((u[k+1] - u[k])^2 + a*u[k]^4, k from 0 to 12)");
  check(ring, "sum(k*u[k-15]*u[3-k], k from 2 to 9)");
  check(ring, "sqrt(sum(u[k]^2, k from 0 to 12)) + u[4]^3*sum(u[k], k from 5 to 11)");
  Case plate;
  plate.index("i", 0, 6);
  plate.index("j", 1, 8, true);
  plate.unknown("u", {{0, 6, false}, {1, 8, true}});
  plate.unknown("v", {{0, 6, false}});
  plate.system.parameters = {Symbol("a")};
  check(plate, "sum(sum((u[m+1, k] - u[m, k])^2/(1 + m) + v[m]*u[m, k+1]*u[m, k-1], m from 0 to 5), k from 1 to 8)");
  check(plate,
        "exp(-sum(v[m]^2, m from 0 to 6)/9) + sum(piecewise(u[3, k]^2 if k < 4, a*u[0, k] otherwise), k from 1 to 8)");
  CHECK_THROWS_AS((void)gradient_system(plate.system, parse("product(v[m], m from 0 to 6)"), {}), Error);
  CHECK_THROWS_AS(
      (void)gradient_system(plate.system, parse("sum(v[2*m], m from 0 to 3) + sum(v[2*m], m from 0 to 900)"), {}),
      Error);
}

TEST_CASE("random systems in loops are what they are written out") {
  const int cases = test::cases(40, 300, 15);
  int refused = 0;
  for (int n = 0; n < cases; ++n) {
    Random random(static_cast<std::uint64_t>(n) + 1);
    bool jacobian = true;
    const Case c = random.system(jacobian);
    try {
      const FieldPlan plan(c.system, {});
      if (jacobian) plan.require_jacobian();
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::unsupported) {
        ++refused;
        continue;
      }
      CAPTURE(n);
      CAPTURE(e.message());
      // places with ends may be left by what is random: then writing out fails as well
      CHECK(e.kind() == ErrorKind::shape);
      CHECK_THROWS_AS((void)c.rows(), Error);
      continue;
    }
    agree(c, "seed " + std::to_string(n + 1), jacobian);
  }
  CHECK(refused < cases / 3);
}

}  // namespace fields_test
