// SPDX-License-Identifier: MIT
// Fourier transforms over the line: known pairs, back again, conventions, and wrong pairs that must be refuted.
#include <doctest/doctest.h>

#include <cmath>
#include <random>

#include "boreon/boreon.hpp"
#include "transforms/fourier_witness.hpp"

using namespace boreon;

namespace fourier_integral {

static const Symbol t("t"), w("w");

static void pair_of(const std::string& f, const std::string& F) {
  CAPTURE(f);
  const TransformResult r = fourier_transform(parse(f), t, w);
  REQUIRE(r.status == TransformStatus::exact);
  CHECK(r.check.verdict == Verdict::agrees);
  CAPTURE(to_text(r.value));
  CHECK((simplify(expand(r.value - parse(F))) == 0));
}

TEST_CASE("Fourier transforms of a table by hand") {
  pair_of("exp(-2*abs(t))", "4/(4 + w^2)");
  pair_of("exp(-3*t)*heaviside(t)", "1/(3 + 1i*w)");
  pair_of("t*exp(-t)*heaviside(t)", "1/(1 + 1i*w)^2");
  pair_of("exp(-t^2/2)", "sqrt(2*pi)*exp(-w^2/2)");
  pair_of("heaviside(t + 1) - heaviside(t - 1)", "2*sin(w)/w");
  pair_of("1", "2*pi*dirac_delta(w)");
  pair_of("cos(3*t)", "pi*dirac_delta(w - 3) + pi*dirac_delta(w + 3)");
  pair_of("sin(2*t)", "-1i*pi*dirac_delta(w - 2) + 1i*pi*dirac_delta(w + 2)");
  pair_of("heaviside(t)", "pi*dirac_delta(w) - 1i/w");
  pair_of("sign(t)", "-2i/w");
  pair_of("1/t", "-1i*pi*sign(w)");
  pair_of("dirac_delta(t - 2)", "exp(-2i*w)");
  pair_of("1/(1 + t^2)", "pi*exp(-abs(w))");
  pair_of("1/(t - 1i)", "2i*pi*exp(w)*heaviside(-w)");
  pair_of("heaviside(t)*heaviside(3 - t)", "1i*(exp(-3i*w) - 1)/w");
  pair_of("piecewise(1 - abs(t) if abs(t) < 1, 0 otherwise)", "2*(1 - cos(w))/w^2");
  pair_of("1/(t^2 - 1)", "-pi*sin(w)*sign(w)");
  pair_of("heaviside(t)*cos(2*t)", "pi*dirac_delta(w - 2)/2 + pi*dirac_delta(w + 2)/2 + 1i*w/(4 - w^2)");
  pair_of("1/cosh(t)", "pi/cosh(pi*w/2)");
  pair_of("exp(-t^2)*cos(4*t)", "sqrt(pi)/2*(exp(-(w - 4)^2/4) + exp(-(w + 4)^2/4))");
  pair_of("exp(2i*t)*exp(-abs(t))", "2/(1 + (w - 2)^2)");
}

TEST_CASE("Fourier transforms come back") {
  std::mt19937 dice(20261130);
  const auto digit = [&] { return std::to_string(1 + static_cast<int>(dice() % 3)); };
  int returned = 0;
  int tried = 0;
  for (int k = 0; k < 30; ++k) {
    const std::vector<std::string> kinds{"exp(-" + digit() + "*abs(t))",
                                         "exp(-" + digit() + "*t^2 + " + digit() + "*t)",
                                         "exp(-" + digit() + "*t)*heaviside(t)",
                                         "t*exp(-" + digit() + "*t)*heaviside(t)",
                                         "cos(" + digit() + "*t)",
                                         "exp(-" + digit() + "*t)*cos(" + digit() + "*t)*heaviside(t)",
                                         "dirac_delta(t - " + digit() + ")",
                                         "1/(t^2 + " + digit() + ")",
                                         "heaviside(t + " + digit() + ") - heaviside(t - " + digit() + ")"};
    const Expr f = parse(kinds[dice() % kinds.size()]);
    CAPTURE(to_text(f));
    const TransformResult image = fourier_transform(f, t, w);
    REQUIRE(image.status == TransformStatus::exact);
    ++tried;
    const TransformResult back = inverse_fourier_transform(image.value, w, t);
    if (back.status != TransformStatus::exact) continue;
    ++returned;
    for (const double at : {-2.3, -0.7, 0.4, 1.6, 3.3}) {
      const Bindings here{{t, Expr(Number::exact(at))}};
      const auto regular = [&](const Expr& e) {
        return evaluate_complex(Rebuild(
                                    [](const Expr& n, Expr& result) {
                                      const bool impulse = n.is(Kind::call) && n.function().name == "dirac_delta";
                                      if (impulse) result = 0;
                                      return impulse;
                                    },
                                    [](const Expr& n) { return n; })(e),
                                here, Unused::allowed);
      };
      CHECK(std::abs(regular(back.value) - regular(f)) < 1e-9);
    }
  }
  CHECK(returned * 10 >= tried * 7);
}

TEST_CASE("Fourier conventions") {
  const Expr f = exp(-pi() * power(t, 2));
  CHECK((simplify(fourier_transform(f, t, w, FourierConvention::frequency).value - exp(-pi() * power(w, 2))) == 0));
  const Expr g = exp(-power(t, 2) / 2);
  CHECK((simplify(fourier_transform(g, t, w, FourierConvention::unitary).value - exp(-power(w, 2) / 2)) == 0));
  CHECK((simplify(inverse_fourier_transform(exp(-power(w, 2) / 2), w, t, FourierConvention::unitary).value - g) == 0));
  const Expr wave = fourier_transform(parse("cos(6*pi*t)"), t, w, FourierConvention::frequency).value;
  CHECK((simplify(wave - (dirac_delta(w - 3) + dirac_delta(w + 3)) / 2) == 0));
}

TEST_CASE("wrong Fourier pairs are refuted") {
  const auto verdict = [](const char* f, const char* F) {
    return transforms::check_fourier_pair(parse(f), t, parse(F), w, {}, {}).verdict;
  };
  CHECK(verdict("heaviside(t)", "pi*dirac_delta(w) - 1i/w") == Verdict::agrees);
  CHECK(verdict("heaviside(t)", "-1i/w") == Verdict::disagrees);                     // the impulse is missing
  CHECK(verdict("heaviside(t)", "pi*dirac_delta(w) + 1i/w") == Verdict::disagrees);  // of the other half line
  CHECK(verdict("cos(3*t)", "pi*dirac_delta(w - 3)") == Verdict::disagrees);
  CHECK(verdict("cos(3*t)", "2*pi*dirac_delta(w - 3)") == Verdict::disagrees);
  CHECK(verdict("exp(-t)*heaviside(t)", "1/(1 - 1i*w)") == Verdict::disagrees);
  CHECK(verdict("exp(-abs(t))", "2/(1 + w^2) + 1/100000") == Verdict::disagrees);
  CHECK(verdict("1/t", "1i*pi*sign(w)") == Verdict::disagrees);
}

TEST_CASE("what has no Fourier transform here says so") {
  CHECK(fourier_transform(exp(t), t, w).status == TransformStatus::unevaluated);
  CHECK(fourier_transform(parse("exp(t^2)"), t, w).status == TransformStatus::unevaluated);
  CHECK(fourier_transform(parse("exp(-a*t)*heaviside(t)"), t, w, FourierConvention::angular,
                          {.conditions = {less(Symbol("a"), 0)}})
            .status == TransformStatus::unevaluated);
  CHECK_THROWS_AS((void)fourier_transform(w * t, t, w), Error);
  CHECK_THROWS_AS((void)fourier_transform(t, t, t), Error);
}

}  // namespace fourier_integral
