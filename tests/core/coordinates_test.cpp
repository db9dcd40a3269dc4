// SPDX-License-Identifier: MIT
// Vector calculus in curvilinear coordinates, Taylor polynomials, differentials, changes of variables.
#include <doctest/doctest.h>

#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/coordinates.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/linear_algebra.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"

using namespace boreon;

namespace {

std::vector<Coordinates> all_systems() {
  const Symbol s("s", {Assumption::positive}), t("t", {Assumption::positive}), phi("phi"),
      a("a", {Assumption::positive});
  const Expr parabolic[] = {s * t * cos(phi), s * t * sin(phi), (t * t - s * s) / 2};
  const Symbol m("m", {Assumption::positive}), n("n");
  const Expr prolate[] = {a * sinh(m) * sin(n) * cos(phi), a * sinh(m) * sin(n) * sin(phi), a * cosh(m) * cos(n)};
  const Expr upper[] = {greater(sin(n), 0)};
  return {Coordinates::cartesian(),
          Coordinates::cylindrical(),
          Coordinates::spherical(),
          Coordinates::dipole(),
          Coordinates::from_map({s, t, phi}, parabolic),
          Coordinates::from_map({m, n, phi}, prolate, upper)};
}

}  // namespace

TEST_CASE("scale factors and volume elements of the textbook") {
  const Coordinates c = Coordinates::spherical();
  const Expr& r = c.variables()[0];
  const Expr& theta = c.variables()[1];
  CHECK(c.scale_factors()[0] == 1);
  CHECK(c.scale_factors()[1] == r);
  CHECK(c.scale_factors()[2] == r * sin(theta));
  CHECK(c.volume_element() == r * r * sin(theta));
  CHECK(Coordinates::cylindrical().volume_element() == Coordinates::cylindrical().variables()[0]);
  const Coordinates d = Coordinates::dipole();
  const Expr delta = sqrt(1 + 3 * pow(cos(theta), 2));
  CHECK(compare(d.scale_factors()[0], pow(r, 3) / delta).agrees);
  CHECK(compare(d.scale_factors()[1], pow(sin(theta), 3) / delta, {.conditions = d.conditions()}).agrees);
  CHECK(compare(d.volume_element(), pow(r, 4) * pow(sin(theta), 4) / pow(delta, 2)).agrees);
  CHECK(d.orthogonal());
  CHECK(d.functions()[1] == r / pow(sin(theta), 2));
}

TEST_CASE("identities of vector calculus hold in every system") {
  for (const Coordinates& c : all_systems()) {
    const auto& v = c.variables();
    INFO(to_text(v[0]) << ", " << to_text(v[1]));
    REQUIRE(c.orthogonal());
    const Expr f = pow(v[0], 2) * v[1] + sin(v[2]) * v[0];
    const std::vector<Expr> g{v[1] * v[2], v[0] * cos(v[2]), v[0] * v[1]};
    SimplifyOptions o;
    o.conditions = c.conditions();
    for (const Expr& e : curl(gradient(f, c), c)) CHECK(compare(e, 0, o).agrees);
    CHECK(compare(divergence(curl(g, c), c), 0, o).agrees);
    CHECK(compare(laplacian(f, c), divergence(gradient(f, c), c), o).agrees);
    // The volume element is the root of the determinant of the metric.
    CHECK(compare(pow(c.volume_element(), 2), determinant(c.metric()), o).agrees);
  }
}

TEST_CASE("the dipole field is a gradient along its own coordinate") {
  const Coordinates c = Coordinates::spherical();
  const Coordinates d = Coordinates::dipole();
  const Expr& r = c.variables()[0];
  const Expr& theta = c.variables()[1];
  const Expr potential = cos(theta) / pow(r, 2);
  CHECK(laplacian(potential, c) == 0);
  CHECK(laplacian(potential, d) == 0);
  const auto g = gradient(potential, d);
  CHECK(g[1] == 0);
  CHECK(g[2] == 0);
  CHECK(compare(g[0], 1 / d.scale_factors()[0]).agrees);
  CHECK(compare(g[0], sqrt(pow(gradient(potential, c)[0], 2) + pow(gradient(potential, c)[1], 2))).agrees);
}

TEST_CASE("spherical waves") {
  const Coordinates c = Coordinates::spherical();
  const Expr& r = c.variables()[0];
  const Symbol k("k", {Assumption::positive});
  const Expr wave = sin(k * r) / r;
  CHECK(compare(laplacian(wave, c), -k * k * wave).agrees);
  const UnknownFunction u("u");
  CHECK(expand(laplacian(u(r), c) - (derivative(u(r), r, 2) + 2 * derivative(u(r), r) / r)).is_integer(0));
  // A rotation has constant curl along the axis, and no divergence.
  const Coordinates z = Coordinates::cylindrical();
  const std::vector<Expr> rigid{0, z.variables()[0], 0};
  const auto w = curl(rigid, z);
  CHECK(w[2] == 2);
  CHECK(divergence(rigid, z) == 0);
}

TEST_CASE("coordinates that are not fit are refused") {
  const Symbol x("x"), y("y"), z("z");
  const Expr oblique[] = {x + y, y, z};
  const Coordinates c = Coordinates::from_map({x, y, z}, oblique);
  CHECK(!c.orthogonal());
  CHECK(c.metric()(0, 1) == 1);
  CHECK(c.volume_element() == 1);
  CHECK_THROWS_WITH_AS((void)laplacian(x, c), doctest::Contains("orthogonal"), Error);
  const Expr dependent[] = {x, x, z};
  CHECK_THROWS_WITH_AS((void)Coordinates::from_map({x, y, z}, dependent), doctest::Contains("not independent"), Error);
  const Expr two[] = {x, y};
  CHECK_THROWS_AS((void)Coordinates::from_map({x, y, z}, two), Error);
  CHECK_THROWS_AS((void)Coordinates::from_map({x + 1, y}, two), Error);
  CHECK_THROWS_WITH_AS((void)Coordinates::named("spheric"), doctest::Contains("spherical"), Error);
  const std::vector<Expr> short_field{x, y};
  CHECK_THROWS_AS((void)divergence(short_field, Coordinates::cartesian()), Error);
}

TEST_CASE("Taylor polynomials agree with the function to their order") {
  const Symbol x("x"), y("y");
  const std::vector<Expr> v{x, y};
  const std::vector<Expr> place{Expr(1) / 3, Expr(-1) / 5};
  const Expr f = exp(x * y) * cos(x - 2 * y);
  for (int order = 0; order <= 5; ++order) {
    const Expr t = taylor_polynomial(f, v, place, order);
    double errors[2];
    for (int k = 0; k < 2; ++k) {
      const double h = 0.02 / (1 << k);
      const Bindings at{{x, 1.0 / 3 + h}, {y, -0.2 - h / 2}};
      errors[k] = std::abs(evaluate(f - t, at, Unused::allowed));
    }
    CHECK(std::log2(errors[0] / errors[1]) == doctest::Approx(order + 1).epsilon(0.1));  // halving the step
  }
  CHECK(taylor_polynomial(pow(x + y, 3), v, std::vector<Expr>{0, 0}, 3) ==
        taylor_polynomial(expand(pow(x + y, 3)), v, std::vector<Expr>{0, 0}, 9));
  CHECK_THROWS_AS((void)taylor_polynomial(1 / x, v, std::vector<Expr>{0, 0}, 2), Error);
  CHECK_THROWS_AS((void)taylor_polynomial(x, v, std::vector<Expr>{0}, 2), Error);
  CHECK_THROWS_AS((void)taylor_polynomial(x, v, std::vector<Expr>{0, 0}, -1), Error);
}

TEST_CASE("directional derivatives and differentials") {
  const Symbol x("x"), y("y"), s("s");
  const std::vector<Expr> v{x, y};
  const Expr f = pow(x, 2) * sin(y);
  const std::vector<Expr> d{3, 4};
  // along a line
  const Expr along = derivative(substitute(f, {{x, x + 3 * s}, {y, y + 4 * s}}), s);
  CHECK(expand(substitute(along, {{s, 0}}) - directional_derivative(f, v, d)).is_integer(0));
  CHECK(total_differential(x * y, v) == x * Symbol("dy") + y * Symbol("dx"));
  CHECK_THROWS_AS((void)directional_derivative(f, v, std::vector<Expr>{1}), Error);
}

TEST_CASE("change of variables: equations in other coordinates") {
  const Symbol x("x"), y("y"), rho("rho", {Assumption::positive}), phi("phi");
  const std::vector<Expr> old_variables{x, y};
  const std::vector<Expr> map{rho * cos(phi), rho * sin(phi)};
  const std::vector<Expr> fresh{rho, phi};
  const UnknownFunction u("u");
  const Expr laplace = derivative(u(x, y), {x, x}) + derivative(u(x, y), {y, y});
  const Expr polar = change_variables(laplace, old_variables, map, fresh);
  const Expr known = derivative(u(rho, phi), {rho, rho}) + derivative(u(rho, phi), rho) / rho +
                     derivative(u(rho, phi), {phi, phi}) / pow(rho, 2);
  CHECK(expand(polar - known).is_integer(0));
  CHECK(change_variables(x * x + y * y, old_variables, map, fresh) == rho * rho);
  // A wave in characteristic variables: u_tt = u_xx becomes u_pq = 0.
  const Symbol t("t"), p("p"), q("q");
  const std::vector<Expr> characteristic{(p + q) / 2, (p - q) / 2};
  const Expr wave = derivative(u(x, t), {t, t}) - derivative(u(x, t), {x, x});
  const Expr reduced = change_variables(wave, std::vector<Expr>{x, t}, characteristic, std::vector<Expr>{p, q});
  CHECK(expand(reduced + 4 * derivative(u(p, q), {p, q})).is_integer(0));
}
