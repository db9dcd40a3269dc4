// SPDX-License-Identifier: MIT
// Discretised equations on grids and sums of many terms: how short their programs are, and that they compute the same.
#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>

#include "boreon/calculus.hpp"
#include "boreon/functions.hpp"
#include "boreon/matrix.hpp"
#include "boreon/native.hpp"
#include "core/numbered.hpp"
#include "core/random_expression.hpp"

using namespace boreon;

namespace {

std::vector<double> numbers(test::RandomExpression& random, std::size_t n, double low = -1, double high = 1) {
  std::vector<double> v;
  for (std::size_t i = 0; i < n; ++i) v.push_back(random.number(low, high));
  return v;
}

// How many numbers differ by more than rounding, seen from the largest.
std::size_t far(const std::vector<std::vector<double>>& got, const std::vector<std::vector<double>>& expected) {
  std::size_t n = 0;
  for (std::size_t g = 0; g < expected.size(); ++g) {
    double scale = 1;
    for (const double e : expected[g]) scale = std::max(scale, std::abs(e));
    for (std::size_t i = 0; i < expected[g].size(); ++i)
      n += std::abs(got[g][i] - expected[g][i]) <= 1e-10 * scale ? 0 : 1;
  }
  return n;
}

std::size_t outside_loops(const Program& p) {
  return static_cast<std::size_t>(
      std::count_if(p.instructions.begin(), p.instructions.end(), [](const Instruction& i) { return i.operands > 0; }));
}

// Rows of a grid of rows x columns places with `fields` quantities each; neighbours beyond an edge are left out or
// those at the other side. Terms are added in an order of their own in every row.
struct Grid {
  std::vector<Expr> y, p, f;
  Grid(std::uint64_t seed, std::size_t rows, std::size_t columns, std::size_t fields, bool periodic) {
    test::RandomExpression random(seed, {});
    y = test::numbered("u", rows * columns * fields);
    p = test::numbered("p", 2);
    const std::vector<std::pair<int, int>> all{{0, 1}, {0, -1}, {1, 0}, {-1, 0}, {1, 1}, {-1, -1}};
    const std::size_t neighbours = 2 + random.pick(5);
    const std::size_t law = random.pick(4);
    for (std::size_t i = 0; i < rows; ++i) {
      for (std::size_t k = 0; k < columns; ++k) {
        for (std::size_t s = 0; s < fields; ++s) {
          const Expr& here = y[(i * columns + k) * fields + s];
          const Expr& other_field = y[(i * columns + k) * fields + (s + 1) % fields];
          std::vector<Expr> terms;
          for (std::size_t n = 0; n < neighbours; ++n) {
            const auto a = static_cast<std::ptrdiff_t>(i) + all[n].first;
            const auto b = static_cast<std::ptrdiff_t>(k) + all[n].second;
            const auto r = static_cast<std::ptrdiff_t>(rows);
            const auto c = static_cast<std::ptrdiff_t>(columns);
            if (!periodic && (a < 0 || b < 0 || a >= r || b >= c)) continue;
            const Expr& there = y[static_cast<std::size_t>(((a + r) % r) * c + (b + c) % c) * fields + s];
            switch (law) {
              case 0: terms.push_back((1 + p[0] * pow((here + there) / 2, 2)) * (there - here)); break;
              case 1: terms.push_back(p[0] * there - here * there * p[1]); break;
              case 2: terms.push_back(exp(-pow(here - there, 2)) * (there + other_field)); break;
              default: terms.push_back(p[1] * (there - here) + sqrt(1 + pow(there, 2)) * other_field);
            }
          }
          for (std::size_t n = terms.size(); n > 1; --n) std::swap(terms[n - 1], terms[random.pick(n)]);
          Expr sum = p[1] * here;
          for (const Expr& t : terms) sum += t;
          f.push_back(sum);
        }
      }
    }
  }
};

}  // namespace

TEST_CASE(
    "rows of a grid are few loops whatever the order of their terms, edges and all; the values are those written out") {
  for (std::uint64_t seed = 1; seed <= 24; ++seed) {
    CAPTURE(seed);
    test::RandomExpression random(seed + 500, {});
    const bool periodic = seed % 2 == 0;
    const std::size_t rows = 20 + random.pick(20);
    const std::size_t columns = 36 + random.pick(30);
    const std::size_t fields = 1 + random.pick(3);
    const Grid g(seed, rows, columns, fields, periodic);
    const SparseMatrix j = sparse_jacobian(g.f, g.y);
    const std::vector<OutputGroup> outputs{OutputGroup("f", g.f),
                                           seed % 3 == 0 ? OutputGroup::by_columns("j", j) : OutputGroup("j", j)};
    const std::vector<InputGroup> inputs{{"y", g.y}, {"p", g.p}};
    const Program rolled = make_program(outputs, inputs);
    const Program flat = make_program(outputs, inputs, {.optimise = false, .rows = false});
    // 2 * (rows + columns) places at the edges: all but the corners and what has too few of its kind are loops
    const std::size_t operations = flat.operation_count() / (rows * columns * fields);
    CHECK(outside_loops(rolled) <= 24 * operations * fields);
    CHECK(rolled.loops.size() <= 24);
    const std::vector<std::vector<double>> at{numbers(random, g.y.size(), 0.2, 1.5), numbers(random, 2, 0.2, 1.5)};
    const auto expected = Kernel(flat).evaluate(at);
    CHECK(far(Kernel(rolled).evaluate(at), expected) == 0);
    for (const Machine machine : machines()) {
      CAPTURE(to_string(machine));
      CHECK(far(native_kernel(rolled, {.machine = machine}).evaluate(at), expected) == 0);
    }
  }
}

TEST_CASE("rows with any number of results at any distance: what is written together is what is written one by one") {
  std::size_t cases = 0;
  for (std::size_t results = 1; results <= 14; ++results) {
    for (const std::size_t step : {std::size_t{1}, std::size_t{2}, std::size_t{3}, std::size_t{4}, std::size_t{5}}) {
      for (const std::size_t rows : {std::size_t{64}, std::size_t{77}, std::size_t{1003}}) {
        test::RandomExpression random(1000 * results + 10 * step + rows, {});
        const std::vector<Expr> y = test::numbered("y", rows * step + 20);
        const std::vector<Expr> p = test::numbered("p", 3);
        SparsityPattern pattern;
        std::vector<Expr> values;
        pattern.rows = static_cast<Eigen::Index>(rows);
        pattern.cols = static_cast<Eigen::Index>(results);
        pattern.row_start = {0};
        std::vector<std::size_t> kinds;
        for (std::size_t c = 0; c < results; ++c) kinds.push_back(random.pick(5));
        for (std::size_t r = 0; r < rows; ++r) {
          for (std::size_t c = 0; c < results; ++c) {
            const Expr& a = y[r * step + c % 5];
            const Expr& b = y[r * step + 1 + c];
            const std::vector<Expr> kind{a * b + p[0], p[1], Expr(Number(2 + static_cast<int>(c))), a,
                                         exp(-a) / (1 + pow(b, 2))};
            values.push_back(kind[kinds[c]]);
            pattern.columns.push_back(static_cast<int>(c));
          }
          pattern.row_start.push_back(static_cast<int>(values.size()));
        }
        OutputGroup j("j", values);
        j.pattern = pattern;
        const std::vector<OutputGroup> outputs{std::move(j)};
        const std::vector<InputGroup> inputs{{"y", y}, {"p", p}};
        const Program rolled = make_program(outputs, inputs);
        CHECK(!rolled.loops.empty());
        const std::vector<std::vector<double>> at{numbers(random, y.size()), numbers(random, 3)};
        const auto expected = Kernel(make_program(outputs, inputs, {.optimise = false, .rows = false})).evaluate(at);
        for (const Machine machine : machines()) {
          const Kernel fast = native_kernel(rolled, {.machine = machine});
          std::vector<std::vector<double>> got = fast.evaluate(at);
          CHECK_MESSAGE(far(got, expected) == 0, results, " results, step ", step, ", ", rows, " rows, ",
                        to_string(machine));
          // nothing is written beside the results
          std::vector<double> guarded(values.size() + 40, -7.0);
          const double* in[] = {at[0].data(), at[1].data()};
          double* out[] = {guarded.data() + 20};
          fast(in, out);
          CHECK(std::count(guarded.begin(), guarded.begin() + 20, -7.0) == 20);
          CHECK(std::count(guarded.end() - 20, guarded.end(), -7.0) == 20);
          CHECK(std::equal(got[0].begin(), got[0].end(), guarded.begin() + 20));
        }
        ++cases;
      }
    }
  }
  CHECK(cases == 14 * 5 * 3);
}

TEST_CASE("sums of many terms are loops: values, gradients, products with derivatives of random sums") {
  for (std::uint64_t seed = 1; seed <= 20; ++seed) {
    CAPTURE(seed);
    test::RandomExpression random(seed, {});
    const std::size_t n = 100 + random.pick(900);
    const std::vector<Expr> x = test::numbered("x", n);
    const std::vector<Expr> p = test::numbered("p", 3);
    const auto sum_of_kind = [&](std::size_t kind) {
      Expr sum = p[2] + 1;
      for (std::size_t i = 0; i + 2 < n; ++i) {
        switch (kind) {
          case 0: sum += p[0] * pow(x[i + 1] - x[i], 2) + pow(x[i + 1] - x[i], 4) / 4; break;
          case 1: sum += exp(-p[1] * x[i]) * x[i + 2]; break;
          case 2: sum += sqrt(1 + pow(x[i] * x[i + 1], 2)); break;
          default: sum += i % 3 == 0 ? x[i] * x[(7 * i) % n] : pow(x[i] - p[0], 2);
        }
      }
      return sum;
    };
    const Expr inner = sum_of_kind(random.pick(4));
    Expr f = inner;
    if (seed % 4 == 1) f = log(1 + pow(inner, 2)) + x[0] * inner;  // inside of something
    if (seed % 4 == 2) {                                           // within the terms of another sum
      f = p[1];
      for (std::size_t i = 0; i + 1 < n; ++i) f += pow(x[i + 1] / (3 + pow(inner, 2)) - p[0], 2);
    }
    std::vector<OutputGroup> outputs{OutputGroup("f", std::vector<Expr>{f})};
    if (seed % 4 == 3) {  // and in rows
      std::vector<Expr> rows;
      for (std::size_t i = 0; i < n; ++i) rows.push_back(x[i] / (3 + pow(inner, 2)));
      outputs.emplace_back("g", rows);
    }
    const std::vector<InputGroup> inputs{{"x", x}, {"p", p}};
    const ProgramOptions options{.least_terms = 80};
    const Program rolled = make_program(outputs, inputs, options);
    const Program flat = make_program(outputs, inputs, {.optimise = false, .rows = false});
    CHECK(rolled.code_size() < 900);
    CHECK(!rolled.loops.empty());
    const std::vector<std::vector<double>> at{numbers(random, n), numbers(random, 3, 0.1, 0.9)};
    const auto expected = Kernel(flat).evaluate(at);
    CHECK(far(Kernel(rolled).evaluate(at), expected) == 0);
    const auto with = [&](std::initializer_list<std::vector<double>> more) {
      std::vector<std::vector<double>> in = at;
      in.insert(in.end(), more);
      return in;
    };
    const std::vector<double> w = numbers(random, outputs.back().values.size());
    const std::string& of = outputs.back().name;
    for (const std::string by : {"x", "p"}) {
      CAPTURE(by);
      const std::vector<double> d = numbers(random, by == "x" ? n : 3);
      const Program jv = jacobian_vector(rolled, of, by);
      const Program wj = vector_jacobian(rolled, of, by);
      const Program hv = hessian_vector(rolled, of, by);
      const auto expected_jv = Kernel(jacobian_vector(flat, of, by)).evaluate(with({d}));
      const auto expected_wj = Kernel(vector_jacobian(flat, of, by)).evaluate(with({w}));
      const auto expected_hv = Kernel(hessian_vector(flat, of, by)).evaluate(with({w, d}));
      CHECK(far(Kernel(jv).evaluate(with({d})), expected_jv) == 0);
      CHECK(far(Kernel(wj).evaluate(with({w})), expected_wj) == 0);
      CHECK(far(Kernel(hv).evaluate(with({w, d})), expected_hv) == 0);
      CHECK(wj.code_size() < 3000);
      for (const Machine machine : machines()) {
        CAPTURE(to_string(machine));
        CHECK(far(native_kernel(wj, {.machine = machine}).evaluate(with({w})), expected_wj) == 0);
        CHECK(far(native_kernel(hv, {.machine = machine}).evaluate(with({w, d})), expected_hv) == 0);
      }
    }
    // the gradient written out by symbols, as loops again
    const std::vector<OutputGroup> gradient_of{OutputGroup("j", gradient(f, x))};
    const auto by_symbols = Kernel(make_program(gradient_of, inputs, options)).evaluate(at);
    CHECK(far(by_symbols, Kernel(make_program(gradient_of, inputs, {.rows = false})).evaluate(at)) == 0);
    for (const Machine machine : machines()) {
      const Kernel fast = native_kernel(rolled, {.machine = machine});
      CHECK(far(fast.evaluate(at), expected) == 0);
      std::vector<std::vector<double>> shared = expected;
      std::vector<double*> out;
      for (auto& g : shared) {
        std::fill(g.begin(), g.end(), -1e300);
        out.push_back(g.data());
      }
      const double* in[] = {at[0].data(), at[1].data()};
      fast.in_threads(2, in, out);
      CHECK(far(shared, expected) == 0);
    }
  }
}
