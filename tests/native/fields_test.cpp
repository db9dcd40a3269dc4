// SPDX-License-Identifier: MIT
// Fields as machine code: what the interpreter computes, at lengths of lines that fill registers and that do not.
#include <doctest/doctest.h>

#include <cmath>
#include <string>
#include <vector>

#include "boreon/fields.hpp"
#include "boreon/native.hpp"
#include "boreon/symbol.hpp"
#include "core/field_cases.hpp"
#include "effort.hpp"

namespace native_fields_test {

using namespace boreon;
using fields_test::Case;

std::vector<double> computed(const FieldKernel& k, const FieldPlan& plan, unsigned threads) {
  std::vector<double> y(plan.columns());
  for (std::size_t n = 0; n < y.size(); ++n) y[n] = 1.3 + std::sin(0.7 * static_cast<double>(n) + 0.3);
  const std::vector<double> p(plan.system().parameters.size(), 0.6);
  std::vector<double> out(k.outputs(), -7.7);
  k(y, p, 0.25, out, threads);
  return out;
}

void same(const FieldPlan& plan, FieldOutput output) {
  const std::vector<double> expected = computed(FieldKernel(plan, output), plan, 1);
  for (const Machine m : machines()) {
    NativeOptions options;
    options.machine = m;
    const FieldKernel native(plan, output,
                             [&](std::shared_ptr<const Program> p) { return native_executor(std::move(p), options); });
    for (const unsigned threads : {1U, 3U}) {
      const std::vector<double> mine = computed(native, plan, threads);
      REQUIRE(mine.size() == expected.size());
      for (std::size_t n = 0; n < mine.size(); ++n) {
        CAPTURE(n);
        CHECK(std::fabs(mine[n] - expected[n]) <= 1e-12 * (1e-3 + std::fabs(expected[n])));
      }
    }
  }
}

TEST_CASE("random fields as machine code") {
  const int cases = test::cases(30, 200, 8);
  int seen = 0;
  for (int n = 0; n < cases; ++n) {
    CAPTURE(n);
    fields_test::Random random(static_cast<std::uint64_t>(n) + 7001);
    bool jacobian = true;
    const Case c = random.system(jacobian);
    try {
      const FieldPlan plan(c.system, {});
      same(plan, FieldOutput::values);
      ++seen;
      plan.require_jacobian();
      same(plan, FieldOutput::jacobian);
    } catch (const Error&) {
      continue;  // see the tests of the interpreter
    }
  }
  CHECK(seen > cases / 3);
}

TEST_CASE("lines of every length, and falling ones, in several threads") {
  for (const std::int64_t n : {1, 2, 7, 8, 9, 31, 33, 64, 1000, 4096, 4097, 9000}) {
    CAPTURE(n);
    Case c;
    const Expr i = c.index("i", 0, n - 1, true);
    c.unknown("u", {{0, n - 1, true}});
    c.unknown("v", {{0, n - 1, true}});
    c.equation(0, {i}, "exp(-u[i]) + u[i+1]*v[5-i] - i*u[i-1]");
    c.equation(1, {i}, "v[i]*u[2-i]/7 + sum(v[q]*u[q+3], q from 0 to " + std::to_string(n - 1) + ")");
    const FieldPlan plan(c.system, {});
    same(plan, FieldOutput::values);
  }
}

}  // namespace native_fields_test
