// SPDX-License-Identifier: MIT
// What is known of the cuts of functions, against the functions themselves.
#include <doctest/doctest.h>

#include <cmath>
#include <complex>
#include <random>
#include <set>
#include <string>
#include <vector>

#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/symbol.hpp"
#include "values/branch_cuts.hpp"

using namespace boreon;

TEST_CASE("the table of cuts is complete, but for functions of which nothing is claimed") {
  // Of several complex arguments, of arguments for which the complex continuation has no usual choice, or numbered.
  const std::set<std::string> left_out{"atan2",        "hypot",          "pow", "inverse_erf", "elliptic_F",
                                       "sph_legendre", "polynomial_root"};
  for (const FunctionRow& row : catalogue()) {
    if (!row.analytic || row.own != 0) continue;
    CAPTURE(row.name);
    CHECK(has_known_cuts(row.name) != left_out.contains(std::string(row.name)));
  }
}

TEST_CASE("where no cut is claimed a function is continuous") {
  // On a random square on which the table knows no cut, values at close points are close: a jump would be seen.
  std::mt19937_64 random(5);
  const auto uniform = [&](double a, double b) { return a + (b - a) * static_cast<double>(random() >> 11U) * 0x1p-53; };
  const Symbol z("z", Assumptions::none());
  int compared = 0;
  for (const FunctionRow& row : catalogue()) {
    if (!row.analytic || row.own != 0 || !has_known_cuts(row.name)) continue;
    std::vector<Expr> arguments(row.min_args, Expr(2));
    arguments.back() = z;
    const Expr f = call(row, arguments);
    if (!f.is(Kind::call)) continue;
    for (int k = 0; k < 60; ++k) {
      const std::complex<double> c(uniform(-3, 3), k % 2 == 0 ? uniform(-0.05, 0.05) : uniform(-3, 3));
      const double radius = uniform(0.01, 0.3);
      std::vector<Ball> balls;
      for (std::size_t i = 0; i + 1 < arguments.size(); ++i) balls.push_back(Ball::from(std::complex<double>(2, 0)));
      balls.push_back(ball_around(c, radius));
      if (may_meet_cut(f, balls)) continue;
      // across the middle of the square, where the real axis may run
      const std::complex<double> up(c.real(), 1e-9);
      const std::complex<double> down(c.real(), -1e-9);
      if (std::abs(c.imag()) + 1e-9 > radius) continue;
      try {
        const auto a = evaluate_complex(f, {{z, Expr(up.real()) + Expr(up.imag()) * imaginary_unit()}});
        const auto b = evaluate_complex(f, {{z, Expr(down.real()) + Expr(down.imag()) * imaginary_unit()}});
        CAPTURE(row.name);
        CAPTURE(c);
        CHECK(std::abs(a - b) <= 1e-4 * (1 + std::abs(a)));
        ++compared;
      } catch (const Error&) {  // a pole
      }
    }
  }
  CHECK(compared > 500);
}

TEST_CASE("on cuts double precision and balls take the same side, where odd functions stay odd") {
  int compared = 0;
  for (const FunctionRow& row : catalogue()) {
    if (!row.analytic || row.own != 0 || !row.complex || !row.ball || row.min_args != 1 || row.max_args != 1) continue;
    for (const std::complex<double> z : {std::complex<double>(2, 0),
                                         {-2, 0},
                                         {3.25, 0},
                                         {-3.25, 0},
                                         {0.5, 0},
                                         {-0.5, 0},
                                         {0, 2},
                                         {-0.0, -2},
                                         {0, 0.5},
                                         {-0.0, -0.5}}) {
      const std::vector<std::complex<double>> args{z};
      const std::complex<double> v = row.complex(args);
      const std::vector<Ball> balls(1, Ball::from(z));
      Ball b;
      row.ball(b, balls, 80);
      const std::complex<double> w(arf_get_d(arb_midref(b.re()), ARF_RND_NEAR),
                                   arf_get_d(arb_midref(b.im()), ARF_RND_NEAR));
      if (!std::isfinite(std::abs(v)) || !std::isfinite(std::abs(w)) || mag_get_d(arb_radref(b.im())) > 1e-6) continue;
      CAPTURE(row.name);
      CAPTURE(z.real());
      CAPTURE(z.imag());
      CHECK(std::abs(v - w) <= 1e-9 * (1 + std::abs(w)));
      ++compared;
    }
  }
  CHECK(compared > 200);
}
