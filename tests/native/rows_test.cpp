// SPDX-License-Identifier: MIT
// Random stencils over random groups at random paces: what loops compute is what the written-out program computes.
#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>

#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/native.hpp"
#include "core/numbered.hpp"
#include "core/random_expression.hpp"

using namespace boreon;

namespace {

struct Stencil {
  std::vector<OutputGroup> outputs;
  std::vector<InputGroup> inputs;
  std::vector<std::vector<double>> at;

  explicit Stencil(std::uint64_t seed) {
    test::RandomExpression random(seed, {});
    const std::size_t rows = 96 + random.pick(150);
    const std::size_t groups = 1 + random.pick(5);
    for (std::size_t g = 0; g < groups; ++g)
      add(random, std::string(1, static_cast<char>('a' + g)), rows * (1 + random.pick(3)));
    add(random, "p", 3);
    // The places of a row: a group, a pace, an offset; some entries are found through a permutation.
    std::vector<Expr> places;
    struct Place {
      std::size_t group, pace, offset, turn;
    };
    std::vector<Place> where;
    for (std::size_t i = 0; i < 3 + random.pick(6); ++i) {
      places.emplace_back(Symbol("place" + std::to_string(i)));
      where.push_back({random.pick(groups), 1 + random.pick(3), random.pick(7), random.pick(4) == 0 ? 5U : 0U});
    }
    std::vector<Expr> all = places;
    for (const Expr& p : inputs.back().variables) all.push_back(p);
    test::RandomExpression grow(seed + 1000, all, random.pick(3) != 0);
    const std::vector<Expr> rules{grow(12) + places[0], grow(6) * places.back(), inputs.back().variables[0] * 2};
    std::vector<std::vector<Expr>> values(1 + random.pick(3));
    for (std::size_t r = 0; r < rows; ++r) {
      Bindings b;
      for (std::size_t i = 0; i < places.size(); ++i) {
        const auto& v = inputs[where[i].group].variables;
        const std::size_t entry =
            where[i].turn != 0 ? r * r * where[i].turn + where[i].offset : r * where[i].pace + where[i].offset;
        b.set(places[i], v[entry % v.size()]);
      }
      for (std::size_t k = 0; k < values.size(); ++k) values[k].push_back(substitute(rules[k], b, Unused::allowed));
    }
    for (std::size_t k = 0; k < values.size(); ++k) outputs.emplace_back("f" + std::to_string(k), values[k]);
    if (random.pick(2) == 0) outputs.emplace_back("j", sparse_jacobian(values[0], inputs[0].variables));
  }

 private:
  void add(test::RandomExpression& random, const std::string& name, std::size_t size) {
    std::vector<double> values;
    for (std::size_t i = 0; i < size; ++i) values.push_back(random.number(-1.5, 1.5));
    inputs.push_back({name, test::numbered(name, size)});
    at.push_back(values);
  }
};

}  // namespace

TEST_CASE("60 random stencils: loops on every machine, in threads and strict, against the written-out program") {
  std::size_t with_loops = 0;
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    CAPTURE(seed);
    const Stencil s(seed);
    const Program flat = make_program(s.outputs, s.inputs, {.optimise = false, .rows = false});
    const Program rolled = make_program(s.outputs, s.inputs);
    with_loops += rolled.loops.empty() ? 0 : 1;
    const auto expected = Kernel(flat).evaluate(s.at);
    const auto interpreted = Kernel(rolled).evaluate(s.at);
    const auto far = [&](const std::vector<std::vector<double>>& got) {
      std::size_t n = 0;
      for (std::size_t g = 0; g < expected.size(); ++g) {
        for (std::size_t i = 0; i < expected[g].size(); ++i)
          n += std::abs(got[g][i] - expected[g][i]) <= 1e-9 * (1 + std::abs(expected[g][i])) ? 0 : 1;
      }
      return n;
    };
    CHECK(far(interpreted) == 0);
    for (const Machine machine : machines()) {
      CAPTURE(to_string(machine));
      const Kernel fast = native_kernel(rolled, {.machine = machine});
      const auto got = fast.evaluate(s.at);
      CHECK(far(got) == 0);
      CHECK(native_kernel(rolled, {.strict = true, .machine = machine}).evaluate(s.at) == interpreted);
      std::vector<const double*> in;
      std::vector<double*> out;
      std::vector<std::vector<double>> shared = got;
      for (auto& g : shared) std::fill(g.begin(), g.end(), -1e300);
      for (const auto& g : s.at) in.push_back(g.data());
      for (auto& g : shared) out.push_back(g.data());
      fast.in_threads(2, in, out);
      CHECK(shared == got);
    }
  }
  CHECK(with_loops > 50);
}

TEST_CASE("products with derivatives of random stencils: those of the written-out program, and w(Jv) is (wJ)v") {
  std::size_t with_loops = 0;
  for (std::uint64_t seed = 1; seed <= 40; ++seed) {
    CAPTURE(seed);
    const Stencil s(seed);
    const std::vector<OutputGroup> outputs{s.outputs[0]};
    const Program rolled = make_program(outputs, s.inputs);
    const Program flat = make_program(outputs, s.inputs, {.rows = false});
    with_loops += rolled.loops.empty() ? 0 : 1;
    test::RandomExpression random(seed + 77, {});
    const auto numbers = [&](std::size_t n) {
      std::vector<double> v;
      for (std::size_t i = 0; i < n; ++i) v.push_back(random.number(-1, 1));
      return v;
    };
    const std::vector<double> w = numbers(s.outputs[0].values.size());
    // by an array that rows read at their own places, and by the parameters that all of them read
    for (const std::size_t g : {std::size_t{0}, s.inputs.size() - 1}) {
      const std::string& by = s.inputs[g].name;
      CAPTURE(by);
      const std::vector<double> d = numbers(s.inputs[g].variables.size());
      const auto with = [&](std::initializer_list<std::vector<double>> more) {
        std::vector<std::vector<double>> in = s.at;
        in.insert(in.end(), more);
        return in;
      };
      const auto far = [](const std::vector<double>& got, const std::vector<double>& expected) {
        double scale = 1;
        for (const double e : expected) scale = std::max(scale, std::abs(e));
        std::size_t n = 0;
        for (std::size_t i = 0; i < got.size(); ++i) n += std::abs(got[i] - expected[i]) <= 1e-9 * scale ? 0 : 1;
        return n;
      };
      const Program jv = jacobian_vector(rolled, "f0", by);
      const Program wj = vector_jacobian(rolled, "f0", by);
      const Program hv = hessian_vector(rolled, "f0", by);
      const auto expected_jv = Kernel(jacobian_vector(flat, "f0", by)).evaluate(with({d})).back();
      const auto expected_wj = Kernel(vector_jacobian(flat, "f0", by)).evaluate(with({w})).back();
      const auto expected_hv = Kernel(hessian_vector(flat, "f0", by)).evaluate(with({w, d})).back();
      const auto all_finite = [](const std::vector<double>& v) {
        return std::all_of(v.begin(), v.end(), [](double e) { return std::isfinite(e); });
      };
      if (!all_finite(expected_jv) || !all_finite(expected_wj) || !all_finite(expected_hv))
        continue;  // kinks at which a rule divides by zero
      const auto got_jv = Kernel(jv).evaluate(with({d})).back();
      const auto got_wj = Kernel(wj).evaluate(with({w})).back();
      CHECK(far(got_jv, expected_jv) == 0);
      CHECK(far(got_wj, expected_wj) == 0);
      CHECK(far(Kernel(hv).evaluate(with({w, d})).back(), expected_hv) == 0);
      const auto product = [](const std::vector<double>& a, const std::vector<double>& b) {
        double sum = 0;
        for (std::size_t i = 0; i < a.size(); ++i) sum += a[i] * b[i];
        return sum;
      };
      double size = 1;
      for (std::size_t i = 0; i < w.size(); ++i) size += std::abs(w[i] * got_jv[i]);
      CHECK(std::abs(product(w, got_jv) - product(got_wj, d)) <= 1e-10 * size);
      for (const Machine machine : machines()) {
        CAPTURE(to_string(machine));
        CHECK(far(native_kernel(wj, {.machine = machine}).evaluate(with({w})).back(), expected_wj) == 0);
        CHECK(far(native_kernel(hv, {.machine = machine}).evaluate(with({w, d})).back(), expected_hv) == 0);
      }
    }
  }
  CHECK(with_loops > 33);
}
