// SPDX-License-Identifier: MIT
// Definite integrals with a parameter: at random values of it, what is claimed there against formulas written by hand.
#include <doctest/doctest.h>

#include <cmath>
#include <functional>
#include <numbers>
#include <random>
#include <string>

#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/integral.hpp"
#include "boreon/sampling.hpp"
#include "boreon/text.hpp"
#include "core/claims.hpp"
#include "core/one_variable.hpp"

using namespace boreon;

namespace {

constexpr double pi_value = std::numbers::pi;
const double divergent = std::nan("");

struct RegionRow {
  const char* f;
  const char* from;
  const char* to;
  double low, high;  // of the parameter
  std::function<double(double)> truth;
  double least_answered;  // of the values tried
};

}  // namespace

TEST_CASE("regions of a parameter: every value claimed is right, and most are claimed") {
  const auto between = [](double p, double low, double high) { return p > low && p < high; };
  const RegionRow rows[] = {
      {"tan(p*x)", "0", "1", -7, 7,
       [](double p) { return std::abs(p) >= pi_value / 2 ? divergent : -std::log(std::cos(p)) / p; }, 0.2},
      {"floor(p*x)", "0", "1", -6, 6,
       [](double p) {
         const double n = std::floor(p);
         return (n * (n - 1) / 2 + n * (p - n)) / p;
       },
       1},
      {"sign(sin(p*x))", "0", "1", 0, 20,
       [](double p) {
         const double k = std::floor(p / pi_value);
         const bool even = std::fmod(k, 2) == 0;
         return (even ? p - k * pi_value : (k + 1) * pi_value - p) / p;
       },
       1},
      {"abs(cos(p*x))", "0", "1", 0, 20,
       [](double p) {
         const double k = std::floor(p / pi_value + 0.5);
         return (2 * k + std::sin(p) * (std::fmod(k, 2) == 0 ? 1 : -1)) / p;
       },
       1},
      {"sin(x)/x^p", "0", "infinity", -2, 4,
       [&](double p) { return between(p, 0, 2) ? std::tgamma(1 - p) * std::cos(pi_value * p / 2) : divergent; }, 0.3},
      {"(1 - cos(x))/x^p", "0", "infinity", -1, 5,
       [&](double p) { return between(p, 1, 3) ? -std::tgamma(1 - p) * std::sin(pi_value * p / 2) : divergent; }, 0.3},
      {"(exp(-x) - 1)/x^p", "0", "infinity", -1, 4,
       [&](double p) { return between(p, 1, 2) ? std::tgamma(1 - p) : divergent; }, 0.15},
      {"1/(x*log(x)^p)", "2", "infinity", -2, 4,
       [](double p) { return p > 1 ? std::pow(std::log(2.0), 1 - p) / (p - 1) : divergent; }, 0.9},
      {"1/sqrt(abs(x - p))", "0", "1", -2, 3,
       [](double p) {
         if (p < 0) return 2 * (std::sqrt(1 - p) - std::sqrt(-p));
         return p > 1 ? 2 * (std::sqrt(p) - std::sqrt(p - 1)) : 2 * (std::sqrt(p) + std::sqrt(1 - p));
       },
       0.6},
      {"1/(exp(x) - p)", "0", "infinity", -3, 3, [](double p) { return p >= 1 ? divergent : -std::log(1 - p) / p; },
       0.4},
  };
  std::mt19937 random(20261129);
  for (const RegionRow& row : rows) {
    CAPTURE(std::string(row.f));
    const IntegralResult r = integrate(parse(row.f), x, parse(row.from), parse(row.to));
    std::uniform_real_distribution<double> parameter(row.low, row.high);
    int answered = 0;
    constexpr int tried = 60;
    for (int k = 0; k < tried; ++k) {
      const double p = parameter(random);
      CAPTURE(p);
      const auto claimed = test::claimed_at(r, Number::exact(p));
      if (!claimed) continue;
      ++answered;
      const double truth = row.truth(p);
      CHECK(std::isnan(claimed->real()) == std::isnan(truth));
      if (!std::isnan(truth)) CHECK(claimed->real() == doctest::Approx(truth).epsilon(1e-8));
    }
    CHECK(answered >= row.least_answered * tried);
  }
}

TEST_CASE("values at single places where the closed form has none") {
  const auto at = [&](const char* f, double p) {
    return test::claimed_at(integrate(parse(f), x, 0, infinity()), Number::exact(p)).value_or(-1e300).real();
  };
  CHECK(at("sin(x)/x^p", 1) == doctest::Approx(pi_value / 2));
  CHECK(at("(1 - cos(x))/x^p", 2) == doctest::Approx(pi_value / 2));
  CHECK(at("(exp(-x) - 1 + x)/x^p", 2.5) == doctest::Approx(std::tgamma(-1.5)).epsilon(1e-8));
}

TEST_CASE("sampling: conditions hold in numbers, also those that no form decides, and far out") {
  const Symbol a("a");
  const Expr leaves[] = {a};
  const SampleRanges ranges;
  for (const char* text : {"a > 3*pi/2", "a > pi/2 and a < sqrt(3)", "cos(a) < -1/2", "sqrt(a) > 10", "log(a) < 1",
                           "not (a < exp(2))", "a < -30 or a > 30"}) {
    CAPTURE(std::string(text));
    Sampler sampler(leaves, ranges, 7);
    const Expr conditions[] = {parse(text)};
    for (int k = 0; k < 20; ++k) {
      const std::vector<double> p = sampler.draw(conditions);
      REQUIRE(p.size() == 1);
      Expr c = conditions[0];
      const bool negated = c.is(Kind::logic) && c.logic_op() == LogicOp::negation;
      if (negated) c = c.operands()[0];
      const Expr renamed = substitute(c, {{a, Symbol("p")}});
      CHECK(test::true_at(renamed, Number::exact(p[0])) != negated);
    }
  }
  Sampler sampler(leaves, ranges, 7);
  const Expr impossible[] = {parse("a > pi and a < 3")};
  CHECK(sampler.draw(impossible).empty());
}
