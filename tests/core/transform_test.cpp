// SPDX-License-Identifier: MIT
// Laplace transforms, their inverse and Fourier coefficients: pairs against formulas by hand, random signals against
// their own definition, planted wrong answers.
#include <doctest/doctest.h>

#include <cmath>
#include <complex>
#include <random>

#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/integral.hpp"
#include "boreon/quadrature.hpp"
#include "boreon/simplify.hpp"
#include "boreon/spectrum.hpp"
#include "boreon/text.hpp"
#include "boreon/transform.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/definite.hpp"
#include "effort.hpp"
#include "transforms/witness.hpp"

using namespace boreon;

namespace transform_cases {
namespace {

const Symbol t("t"), s("s");
const Symbol a("a", {Assumption::positive}), b("b", {Assumption::positive});

Expr read(const char* text) {
  ParseContext c;
  c.names = {{"a", a}, {"b", b}, {"t", t}, {"s", s}};
  return parse(text, c);
}

bool same_function(const Expr& p, const Expr& q) {
  const Comparison c = compare(p, q);
  return c.agrees && (c.points > 0 || p == q);
}

struct Pair {
  const char* time;
  const char* image;
};

// Both columns by hand (tables of integrals, not this library).
const Pair pairs[] = {
    {"1", "1/s"},
    {"t^3", "6/s^4"},
    {"sqrt(t)", "sqrt(pi)/(2*s^(3/2))"},
    {"1/sqrt(t)", "sqrt(pi)/sqrt(s)"},
    {"exp(-a*t)", "1/(s + a)"},
    {"t*exp(2*t)", "1/(s - 2)^2"},
    {"sin(a*t)", "a/(s^2 + a^2)"},
    {"cos(a*t + b)", "(s*cos(b) - a*sin(b))/(s^2 + a^2)"},
    {"t*sin(a*t)", "2*a*s/(s^2 + a^2)^2"},
    {"exp(-b*t)*cos(a*t)", "(s + b)/((s + b)^2 + a^2)"},
    {"sinh(2*t)", "2/(s^2 - 4)"},
    {"sin(t)^2", "2/(s*(s^2 + 4))"},
    {"log(t)", "-(egamma + log(s))/s"},
    {"heaviside(t - a)", "exp(-a*s)/s"},
    {"heaviside(t - 1)*exp(-t)", "exp(-s - 1)/(s + 1)"},
    {"dirac_delta(t)", "1"},
    {"dirac_delta(t - 3)*t", "3*exp(-3*s)"},
    {"piecewise(t if t < 1, 2 - t if t < 2, 0 otherwise)", "(1 - exp(-s))^2/s^2"},
    {"abs(sin(t))", "(1 + exp(-pi*s))/((1 + s^2)*(1 - exp(-pi*s)))"},
    {"floor(t)", "exp(-s)/(s*(1 - exp(-s)))"},
    {"sign(sin(pi*t))", "(1 - exp(-s))/(s*(1 + exp(-s)))"},
    {"sin(t)/t", "atan(1/s)"},
    {"(exp(-a*t) - exp(-b*t))/t", "log((s + b)/(s + a))"},
    {"(1 - cos(a*t))/t", "log(1 + a^2/s^2)/2"},
    {"erf(sqrt(a*t))", "sqrt(a)/(s*sqrt(s + a))"},
    {"erfc(a/(2*sqrt(t)))", "exp(-a*sqrt(s))/s"},
    {"exp(-t^2)", "sqrt(pi)/2*exp(s^2/4)*erfc(s/2)"},
    {"exp(-a/t)/t^(3/2)", "sqrt(pi/a)*exp(-2*sqrt(a*s))"},
    {"cyl_bessel_j(0, a*t)", "1/sqrt(s^2 + a^2)"},
    {"cyl_bessel_j(2, t)", "(sqrt(s^2 + 1) - s)^2/sqrt(s^2 + 1)"},
    {"t*cyl_bessel_j(0, t)", "s/(s^2 + 1)^(3/2)"},
    {"exp(-t)*cyl_bessel_i(0, t)", "1/sqrt(s^2 + 2*s)"},
    {"cyl_bessel_j(0, 2*sqrt(a*t))", "exp(-a/s)/s"},
    {"sin(2*sqrt(t))", "sqrt(pi)*exp(-1/s)/s^(3/2)"},
    {"Si(t)", "atan(1/s)/s"},
    {"E1(t)", "log(1 + s)/s"},
    {"laguerre(3, t)", "(s - 1)^3/s^4"},
    {"integral(sin(u)*exp(u - t), u from 0 to t)", "1/((s^2 + 1)*(s + 1))"},
};

}  // namespace

TEST_CASE("Laplace transforms of a table by hand") {
  for (const Pair& p : pairs) {
    INFO(std::string(p.time));
    const TransformResult r = laplace_transform(read(p.time), t, s);
    REQUIRE(r.status == TransformStatus::exact);
    CHECK(r.check.verdict == Verdict::agrees);
    CHECK_FALSE(r.steps.empty());
    for (const double at : {3.25, 5.5, 9.125}) {
      const Bindings here{{s, at}, {a, 1.375}, {b, 0.625}};
      CHECK(evaluate(r.value, here, Unused::allowed) ==
            doctest::Approx(evaluate(read(p.image), here, Unused::allowed)).epsilon(1e-11));
    }
  }
}

TEST_CASE("the table read backwards: values at times, and impulses at their places") {
  int closed = 0;
  for (const Pair& p : pairs) {
    INFO(std::string(p.image));
    const Expr f = read(p.time);
    const TransformResult r = inverse_laplace_transform(read(p.image), s, t);
    if (r.status != TransformStatus::exact) continue;
    ++closed;
    for (const double at : {0.3125, 1.625, 2.75, 4.5}) {
      const Bindings here{{t, at}, {a, 1.375}, {b, 0.625}};
      const Expr known = evaluate_derivatives(f);
      bool open = false;
      postorder(known, [&](const Expr& n) { open = open || n.is(Kind::integral); });
      if (open) continue;
      CHECK(evaluate(r.value, here, Unused::allowed) ==
            doctest::Approx(evaluate(known, here, Unused::allowed)).epsilon(1e-9));
    }
  }
  CHECK(closed >= 30);
  CHECK(inverse_laplace_transform(exp(-2 * s), s, t).value == dirac_delta(t - 2));
  const TransformResult r = inverse_laplace_transform(s / (s + 1), s, t);
  CHECK(same_function(r.value - dirac_delta(t), -exp(-t)));
}

TEST_CASE("where a Laplace integral converges is said") {
  const auto bound = [](const char* f) {
    const TransformResult r = laplace_transform(read(f), t, s);
    return r.conditions.empty() ? std::string() : to_text(r.conditions.back());
  };
  CHECK(bound("exp(3*t)") == "s > 3");
  CHECK(bound("sinh(t)^2") == "s > 2");
  CHECK(bound("exp(-a*t)") == "-a < s");
  CHECK(bound("exp(-t^2)").empty());
  CHECK(bound("1 + exp(-t)") == "s > 0");
}

TEST_CASE("values of parameters that the formula leaves out have answers of their own") {
  const Symbol p("p"), q("q");
  TransformResult r = inverse_laplace_transform(1 / ((s + p) * (s + q)), s, t);
  REQUIRE(r.exceptions.size() == 1);
  CHECK(same_function(substitute(r.exceptions[0].value, {{p, 2}, {q, 2}}, Unused::allowed), t * exp(-2 * t)));
  r = inverse_laplace_transform(1 / (s * (s + p)), s, t);
  REQUIRE(r.exceptions.size() == 1);
  CHECK(to_text(r.exceptions[0].when) == "p = 0");
  CHECK(r.exceptions[0].value == t);
  CHECK(laplace_transform(sin(p * t), t, s).exceptions.empty());
}

TEST_CASE("a bound that is too low is seen: the integral does not converge there") {
  const TransformOptions o;
  const std::vector<Expr> low{Expr(0)};
  const std::vector<Expr> right{Expr(3)};
  CHECK(transforms::check_pair(exp(3 * t), t, 1 / (s - 3), s, right, {}, o).verdict == Verdict::agrees);
  CHECK(transforms::check_pair(exp(3 * t), t, 1 / (s - 3), s, low, {}, o).verdict != Verdict::agrees);
}

TEST_CASE("derivatives of unknown functions bring their values at 0") {
  const UnknownFunction y("y"), Y("Y");
  const Expr f = derivative(y(t), t, 2) + 3 * y(t);
  const TransformResult r = laplace_transform(f, t, s);
  REQUIRE(r.status == TransformStatus::exact);
  CHECK(to_text(expand(r.value)) == to_text(expand(parse("s^2*Y(s) - s*y(0) - y'(0) + 3*Y(s)"))));
  // what stands with it keeps its rules
  CHECK(same_function(laplace_transform(t * y(t), t, s).value, -derivative(Y(s), s)));
}

TEST_CASE("no transform where there is none, and clear errors") {
  for (const char* f : {"exp(t^2)", "1/t", "tan(t)", "t^t"}) {
    INFO(std::string(f));
    const TransformResult r = laplace_transform(read(f), t, s);
    CHECK(r.status == TransformStatus::unevaluated);
    CHECK_FALSE(r.reason.empty());
  }
  for (const char* F : {"exp(s)", "sqrt(s)", "log(s)", "exp(s^2)"}) {
    INFO(std::string(F));
    CHECK(inverse_laplace_transform(read(F), s, t).status == TransformStatus::unevaluated);
  }
  CHECK_THROWS_AS((void)laplace_transform(s * t, t, s), Error);
  CHECK_THROWS_AS((void)laplace_transform(t, t, t), Error);
  CHECK_THROWS_AS((void)laplace_transform(less(t, 1), t, s), Error);
  CHECK_THROWS_AS((void)fourier_coefficients(t, t, -1), Error);
  CHECK_THROWS_AS((void)fourier_coefficients(t, t, t), Error);
}

TEST_CASE("wrong pairs are refuted by each witness") {
  const TransformOptions o;
  const auto pair = [&](const char* f, const char* F) {
    return transforms::check_pair(read(f), t, read(F), s, {}, {}, o).verdict;
  };
  CHECK(pair("exp(-t)", "1/(s + 1)") == Verdict::agrees);
  CHECK(pair("exp(-t)", "1/(s + 1) + exp(-9*s)/1000") == Verdict::disagrees);
  CHECK(pair("heaviside(t - 2)", "exp(-s)/s") == Verdict::disagrees);  // another delay
  CHECK(pair("dirac_delta(t)", "1/2") == Verdict::disagrees);          // half an impulse
  CHECK(pair("exp(-t) + dirac_delta(t - 1)", "1/(s + 1)") == Verdict::disagrees);
  const auto inverse = [&](const char* F, const char* f) {
    return transforms::check_by_inversion(read(F), s, read(f), t, {}, o).verdict;
  };
  CHECK(inverse("1/(s^2 + 1)", "sin(t)") == Verdict::agrees);
  CHECK(inverse("1/(s^2 + 1)", "sin(t) + exp(-t)/1000") == Verdict::disagrees);
  CHECK(inverse("1/sqrt(s)", "1/sqrt(pi*t) - 1/1000") == Verdict::disagrees);
}

// More pairs by hand, of single functions of s.
const Pair special_pairs[] = {
    {"(exp(-b*t) - exp(-a*t))/(2*sqrt(pi)*t^(3/2))", "sqrt(s + a) - sqrt(s + b)"},
    {"cyl_bessel_j(1, t)/t", "1/(s + sqrt(s^2 + 1))"},
    {"a^3*cyl_bessel_j(3, a*t)", "(sqrt(s^2 + a^2) - s)^3/sqrt(s^2 + a^2)"},
    {"2*a^2*cyl_bessel_i(2, a*t)/t", "(s - sqrt(s^2 - a^2))^2"},
    {"exp(-t)*cyl_bessel_j(0, 2*t)", "1/sqrt(s^2 + 2*s + 5)"},
    {"exp(-a^2/(4*t))/sqrt(pi*t) - b*exp(a*b + b^2*t)*erfc(b*sqrt(t) + a/(2*sqrt(t)))",
     "exp(-a*sqrt(s))/(b + sqrt(s))"},
    {"exp(a*t)*erf(sqrt(a*t))/sqrt(a)", "1/(sqrt(s)*(s - a))"},
    {"1/sqrt(pi*t) + sqrt(a)*exp(a*t)*erf(sqrt(a*t))", "sqrt(s)/(s - a)"},
    {"exp(-a*t)*(1/sqrt(pi*t) + sqrt(a)*exp(a*t)*erf(sqrt(a*t)))", "sqrt(s + a)/s"},
    {"2*exp(-t^2)/sqrt(pi)", "exp(s^2/4)*erfc(s/2)"},
    {"sqrt(a)/(pi*sqrt(t)*(t + a))", "exp(a*s)*erfc(sqrt(a*s))"},
    {"1/sqrt(pi*(t + a))", "exp(a*s)*erfc(sqrt(a*s))/sqrt(s)"},
    {"1/(t + a)", "exp(a*s)*E1(a*s)"},
    {"log(1 + t/a)", "exp(a*s)*E1(a*s)/s"},
    {"piecewise(1/sqrt(t^2 - a^2) if t > a, 0 otherwise)", "cyl_bessel_k(0, a*s)"},
    {"piecewise(t/(a*sqrt(t^2 - a^2)) if t > a, 0 otherwise)", "cyl_bessel_k(1, a*s)"},
    {"exp(-a^2/(4*t))/(2*t)", "cyl_bessel_k(0, a*sqrt(s))"},
    {"exp(-a^2/(4*t))/a", "cyl_bessel_k(1, a*sqrt(s))/sqrt(s)"},
    {"piecewise(cyl_bessel_j(0, b*sqrt(t^2 - a^2)) if t > a, 0 otherwise)", "exp(-a*sqrt(s^2 + b^2))/sqrt(s^2 + b^2)"},
    {"piecewise(cyl_bessel_i(0, b*sqrt(t^2 - a^2)) if t > a, 0 otherwise)", "exp(-a*sqrt(s^2 - b^2))/sqrt(s^2 - b^2)"},
    {"2*log(a) - 2*Ci(a*t)", "log(s^2 + a^2)/s"},
    {"-exp(-t)*Ei(t)", "log(s)/(s + 1)"},
    {"1/sqrt(pi*(1 - exp(-t)))", "gamma(s)/gamma(s + 1/2)"},
    {"exp(-a*t)*(1 - exp(-t))^(b - 1)/gamma(b)", "gamma(s + a)/gamma(s + a + b)"},
    {"cyl_bessel_j(1/2, t)/(2*t)", "1/sqrt(s + sqrt(s^2 + 1))"},
    {"(exp(-a*sqrt(b))*erfc(a/(2*sqrt(t)) - sqrt(b*t)) + exp(a*sqrt(b))*erfc(a/(2*sqrt(t)) + sqrt(b*t)))/2",
     "exp(-a*sqrt(s + b))/s"},
};

TEST_CASE("pairs with shifts, scales, delays and factors t come back") {
  std::mt19937 random(20261130);
  const auto pick = [&](int low, int high) { return std::uniform_int_distribution<int>(low, high)(random); };
  std::vector<Pair> all(std::begin(special_pairs), std::end(special_pairs));
  all.insert(all.end(), std::begin(pairs), std::end(pairs));
  const int cases = test::cases(64, 320, 12);
  int closed = 0;
  for (int k = 0; k < cases; ++k) {
    const Pair& p = all[static_cast<std::size_t>(k) % all.size()];
    const int first = pick(1, 8);
    const int second = pick(1, 8);
    const int rule = static_cast<std::size_t>(k) < all.size() ? 0 : pick(1, 4);
    const int amount = pick(1, 3);
    const Bindings numbers{{a, Number(first, 4)}, {b, Number(first + second, 4)}};
    const Expr f = evaluate_derivatives(substitute(read(p.time), numbers, Unused::allowed));
    const Expr F = substitute(read(p.image), numbers, Unused::allowed);
    if (unknown_calls({&f, 1}).size() + unknown_calls({&F, 1}).size() > 0) continue;
    const Expr c = amount;
    Expr time = f;
    Expr image = F;
    switch (rule) {
      case 1:
        time = f * exp(-c * t);
        image = substitute(F, {{s, s + c}}, Unused::allowed);
        break;
      case 2:
        time = substitute(f, {{t, c * t}}, Unused::allowed);
        image = substitute(F, {{s, s / c}}, Unused::allowed) / c;
        break;
      case 3:
        time = substitute(f, {{t, t - c}}, Unused::allowed);
        image = F * exp(-c * s);
        break;
      case 4:
        time = c * f;
        image = c * F;
        break;
      default: break;
    }
    INFO(to_text(image), " of rule ", rule);
    const TransformResult r = inverse_laplace_transform(image, s, t);
    if (r.status != TransformStatus::exact) {
      MESSAGE(to_text(image));
      continue;
    }
    ++closed;
    if (has_impulse(f)) continue;
    bool open = false;
    postorder(time, [&](const Expr& n) { open = open || n.is(Kind::integral); });
    if (open) continue;
    for (const double at : {0.3125, 1.625, 2.75, 4.4375}) {
      if (rule == 3 && at <= amount) {
        CHECK(evaluate(r.value, {{t, at}}, Unused::allowed) == 0);
        continue;
      }
      CHECK(evaluate(r.value, {{t, at}}, Unused::allowed) ==
            doctest::Approx(evaluate(time, {{t, at}}, Unused::allowed)).epsilon(1e-8));
    }
  }
  MESSAGE(closed, " of ", cases);
  CHECK(closed >= cases * 9 / 10);
}

TEST_CASE("random rational functions with delays: every one comes back") {
  const int cases = test::cases(50, 1000, 25);
  std::mt19937 random(20261129);
  const auto pick = [&](int low, int high) { return std::uniform_int_distribution<int>(low, high)(random); };
  for (int k = 0; k < cases; ++k) {
    // the function first: its transform is known by the elementary rules
    Expr f = 0;
    const int terms = pick(1, 3);
    for (int j = 0; j < terms; ++j) {
      const int delay = pick(0, 2);
      const int power_of_t = pick(0, 2);
      const int rate = pick(-3, 1);
      const int frequency = pick(0, 3);
      const int coefficient = pick(1, 5);
      const Expr x = t - delay;
      Expr one = Expr(coefficient) * power(x, power_of_t) * exp(rate * x);
      if (frequency > 0) one *= pick(0, 1) == 0 ? sin(frequency * x) : cos(frequency * x);
      if (delay > 0) one *= heaviside(x);
      f += one;
    }
    INFO(to_text(f));
    const TransformResult F = laplace_transform(f, t, s);
    REQUIRE(F.status == TransformStatus::exact);
    const TransformResult back = inverse_laplace_transform(F.value, s, t);
    REQUIRE(back.status == TransformStatus::exact);
    for (const double at : {0.4, 1.3, 2.7}) {
      CHECK(evaluate(back.value, {{t, at}}, Unused::allowed) ==
            doctest::Approx(evaluate(f, {{t, at}}, Unused::allowed)).epsilon(1e-9));
    }
  }
}

TEST_CASE("roots without radicals are numbered, and the function is real") {
  const TransformResult r = inverse_laplace_transform(1 / (power(s, 5) - s - 1), s, t);
  REQUIRE(r.status == TransformStatus::exact);
  // y''''' - y' - y = impulse: the first four derivatives vanish at 0, the fourth is 1
  for (int k = 0; k < 5; ++k)
    CHECK(evaluate(derivative(r.value, t, k), {{t, 0}}) == doctest::Approx(k == 4 ? 1 : 0).epsilon(1e-10));
}

TEST_CASE("Fourier coefficients with exceptional harmonics") {
  const FourierCoefficients c = fourier_coefficients(abs(sin(t)), t, 2 * pi());
  REQUIRE(c.status == TransformStatus::exact);
  CHECK(same_function(c.mean, 2 / pi()));
  CHECK(c.at(1).first.is_integer(0));  // where the formula divides by zero
  CHECK(same_function(c.at(2).first, -4 / (3 * pi())));
  CHECK(same_function(fourier_coefficients(t, t, 2 * pi()).at(3).second, Expr(-2) / 3));
  const FourierCoefficients wave = fourier_coefficients(power(sin(t), 3), t, 2 * pi());
  REQUIRE(wave.exceptions.size() == 2);
  CHECK(same_function(wave.at(1).second, Expr(3) / 4));
  CHECK(same_function(wave.at(3).second, Expr(-1) / 4));
  CHECK(wave.at(2).second.is_integer(0));
}

TEST_CASE("coefficients that are real as a whole, of complex parts") {
  const FourierCoefficients c = fourier_coefficients(exp(t * t), t, 1);
  const bool real = c.status != TransformStatus::exact || std::abs(evaluate_complex(c.at(1).first).imag()) < 1e-9;
  CHECK(real);  // no closed form is an honest answer as well, an error is none
}

TEST_CASE("random signals in pieces: coefficients n = 0 to 20 against quadrature") {
  const int cases = test::cases(15, 200, 3);
  std::mt19937 random(7);
  const auto pick = [&](int low, int high) { return std::uniform_int_distribution<int>(low, high)(random); };
  for (int k = 0; k < cases; ++k) {
    const Expr period = pick(0, 1) == 0 ? 2 * pi() : Expr(pick(1, 3));
    const auto shape = [&]() -> Expr {
      const int which = pick(0, 4);
      const int n = pick(1, 3);
      switch (which) {
        case 0: return n;
        case 1: return n * t;
        case 2: return t * t - n;
        case 3: return exp(-n * t);
        default: return sin(2 * pi() * n * t / period);
      }
    };
    const Expr first = shape();
    const Expr second = shape();
    const Expr branches[] = {first, less(t, period / 2), second};
    const Expr f = piecewise(branches);
    INFO(to_text(f) << " over " << to_text(period));
    const FourierCoefficients c = fourier_coefficients(f, t, period);
    REQUIRE(c.status == TransformStatus::exact);
    QuadratureOptions o;
    o.breaks = {period / 2};
    for (int n = 0; n <= 20; ++n) {
      const Expr phase = 2 * pi() * n * t / period;
      const double scale = (n == 0 ? 1 : 2) / evaluate(period);
      const double by_a = quadrature(f * cos(phase), t, 0, period, {}, o).value * scale;
      const double by_b = quadrature(f * sin(phase), t, 0, period, {}, o).value * scale;
      CHECK(std::abs(evaluate(n == 0 ? c.mean : c.at(n).first) - by_a) < 1e-8);
      if (n > 0) CHECK(std::abs(evaluate(c.at(n).second) - by_b) < 1e-8);
    }
    // the partial sum comes closer to the signal inside a piece
    const double here = evaluate(period) * 0.2;
    const double value = evaluate(f, {{t, here}}, Unused::allowed);
    const double near = std::abs(evaluate(c.partial_sum(t, 20), {{t, here}}, Unused::allowed) - value);
    CHECK(near < 0.5 * (1 + std::abs(value)));
  }
}

TEST_CASE("spectra: from a formula, from samples, and what belongs together") {
  // the formula by hand: exp(-t) over one second
  const Spectrum p = spectrum(exp(-t), t, 1, 12);
  REQUIRE(p.harmonics.size() == 13);
  CHECK(p.closed);
  for (const Harmonic& h : p.harmonics) {
    const double w = 2 * std::acos(-1.0) * static_cast<double>(h.n);
    const double front = (1 - std::exp(-1.0)) * (h.n == 0 ? 1 : 2) / (1 + w * w);
    CHECK(h.a == doctest::Approx(front).epsilon(1e-12));
    CHECK(h.b == doctest::Approx(h.n == 0 ? 0 : front * w).epsilon(1e-12));
    CHECK(h.amplitude * std::cos(h.phase) == doctest::Approx(h.a).epsilon(1e-12));
    CHECK(h.amplitude * std::sin(h.phase) == doctest::Approx(h.b).epsilon(1e-12));
  }
  CHECK(*p.dominant(true) == 0);
  CHECK(*p.dominant(false) == 1);
  // samples of a sum of waves give back the waves, and the samples
  std::mt19937 random(3);
  for (const std::size_t count : {8, 15, 64, 101}) {
    const double step = 0.125;
    const double period = step * static_cast<double>(count);
    std::vector<double> samples;
    for (std::size_t i = 0; i < count; ++i) {
      const double time = step * static_cast<double>(i);
      const double turn = 2 * std::acos(-1.0) * time / period;
      samples.push_back(0.5 + 2 * std::cos(turn) - 3 * std::sin(2 * turn));
    }
    const Spectrum q = spectrum(samples, step);
    CHECK(q.harmonics.size() == count / 2 + 1);
    CHECK(q.harmonics[0].a == doctest::Approx(0.5));
    CHECK(q.harmonics[1].a == doctest::Approx(2));
    CHECK(q.harmonics[2].b == doctest::Approx(-3));
    CHECK(*q.dominant(false) == 2);
    std::vector<double> noise;
    for (std::size_t i = 0; i < count; ++i) noise.push_back(std::uniform_real_distribution<double>(-1, 1)(random));
    const Spectrum back = spectrum(noise, step);
    for (std::size_t i = 0; i < count; ++i)
      CHECK(std::abs(back.synthesis(step * static_cast<double>(i)) - noise[i]) < 1e-12);
  }
  // a wave that does not fit: its neighbours far away are smaller with the window
  std::vector<double> wave;
  for (int i = 0; i < 200; ++i) wave.push_back(std::sin(0.1 * i * 7.3));
  const Spectrum plain = spectrum(wave, 0.1);
  const Spectrum faded = spectrum(wave, 0.1, Window::hann);
  CHECK(faded.harmonics[80].amplitude < plain.harmonics[80].amplitude / 50);
  CHECK_THROWS_AS((void)spectrum(std::vector<double>{1}, 1), Error);
  CHECK_THROWS_AS((void)spectrum(std::vector<double>{1, std::nan("")}, 1), Error);
  CHECK_THROWS_AS((void)spectrum(std::vector<double>{1, 2}, 0), Error);
}

TEST_CASE("the mean square of a signal is that of its harmonics") {
  // exp(-t) over one second: what is left falls with the number of harmonics
  const Spectrum p = spectrum(exp(-t), t, 1, 40);
  CHECK(p.mean_square == doctest::Approx((1 - std::exp(-2.0)) / 2).epsilon(1e-10));
  double last = p.mean_square;
  for (const std::size_t n : {0, 1, 5, 40}) {
    const double left = p.mean_square_error(n);
    // against the signal less its harmonics, squared, by a sum of the test's own
    double square = 0;
    constexpr int points = 20000;
    for (int i = 0; i < points; ++i) {
      const double at = (i + 0.5) / points;
      double rest = std::exp(-at);
      for (const Harmonic& h : p.harmonics) {
        if (h.n <= n) rest -= h.amplitude * std::cos(2 * std::acos(-1.0) * h.frequency * at - h.phase);
      }
      square += rest * rest / points;
    }
    CHECK(left == doctest::Approx(square).epsilon(1e-3));
    CHECK(left < last);
    last = left;
  }
  std::mt19937 random(5);
  for (const Window window : {Window::none, Window::hann}) {
    for (const std::size_t count : {8, 15, 64}) {
      std::vector<double> noise;
      for (std::size_t i = 0; i < count; ++i) noise.push_back(std::uniform_real_distribution<double>(-1, 3)(random));
      const Spectrum q = spectrum(noise, 0.5, window);
      CHECK(q.parseval_digits > 12);
      if (window == Window::none) CHECK(q.mean_square_error(count) < 1e-12);
    }
  }
}

TEST_CASE("half of a period continued evenly and oddly has one kind of wave") {
  const Symbol L("L", {Assumption::positive});
  const FourierCoefficients even = fourier_coefficients(extended(t, t, L, Extension::even), t, 2 * L);
  const FourierCoefficients odd = fourier_coefficients(extended(t, t, L, Extension::odd), t, 2 * L);
  REQUIRE(even.status == TransformStatus::exact);
  REQUIRE(odd.status == TransformStatus::exact);
  CHECK(even.b.is_integer(0));
  CHECK(odd.a.is_integer(0));
  CHECK(odd.mean.is_integer(0));
  CHECK(same_function(even.mean, L / 2));
  CHECK(same_function(odd.at(3).second, 2 * L / (3 * pi())));
  CHECK_THROWS_AS((void)extended(t, t, t, Extension::odd), Error);
}

TEST_CASE("harmonics that a parameter may be are named") {
  const Symbol a("a", {Assumption::positive});
  const FourierCoefficients c = fourier_coefficients(cos(a * t), t, 2 * pi());
  REQUIRE(c.status == TransformStatus::exact);
  CHECK(std::find(c.conditions.begin(), c.conditions.end(), not_equal(c.n, a)) != c.conditions.end());
  CHECK(same_function(c.b, 2 * c.n * power(sin(pi() * a), 2) / (pi() * (c.n * c.n - a * a))));
  CHECK(fourier_coefficients(abs(cos(t)), t, 2 * pi()).b.is_integer(0));
}

TEST_CASE("delayed oscillations with irrational frequencies keep their factor") {
  const Symbol s("s"), t("t");
  for (const int delay : {1, 2, 5}) {
    for (const int square : {2, 3, 7}) {
      const TransformResult r = inverse_laplace_transform(exp(-delay * s) / (power(s + 1, 2) + square), s, t);
      CAPTURE(to_text(r.value));
      REQUIRE(r.status == TransformStatus::exact);
      const double at = delay + 0.37;
      const double wanted = std::exp(-0.37) * std::sin(0.37 * std::sqrt(square)) / std::sqrt(square);
      CHECK(evaluate(r.value, {{t, Expr(Number::exact(at))}}) == doctest::Approx(wanted).epsilon(1e-12));
    }
  }
}

TEST_CASE("places where both sides are switched off are no evidence of equality") {
  const Symbol x("x", {Assumption::positive});
  const Expr one = heaviside(x - 40) * sin(x) / 3;
  const Expr other = heaviside(x - 40) * sin(x);
  SimplifyOptions few;
  few.points = 3;
  const Comparison c = compare(one, other, few);
  CHECK((c.points == 0 || !c.agrees));
  CHECK(compare(one - one, Expr(0)).digits > 15);
}

}  // namespace transform_cases
