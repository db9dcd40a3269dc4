// SPDX-License-Identifier: MIT
// Differences on grids: weights that are exact, fluxes that conserve, what stands beside the ends.
#include <doctest/doctest.h>

#include <cmath>
#include <random>
#include <string>
#include <vector>

#include "arrays/element_parts.hpp"
#include "boreon/algebra.hpp"
#include "boreon/arrays.hpp"
#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/grid.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"

using namespace boreon;

namespace grid_test {

const Symbol i("i", {Assumption::integer});
const Symbol x("x");
const Symbol h("h", {Assumption::positive});

Expr read(const std::string& text) {
  ParseContext context;
  context.names.emplace("i", i);
  return parse(text, context);
}

GridCoordinate along_x(int last, int order, bool periodic = false) {
  GridCoordinate c{x, i};
  c.last = last;
  c.order = order;
  c.periodic = periodic;
  c.spacing = h;
  return c;
}

// The expression at a place, with T[k] as a function of the place, spacing 1/2.
double at(const Expr& e, int place, double (*field)(double)) {
  const Expr here = written_out(substitute(e, {{i, place}, {h, Number(1, 2)}}, Unused::allowed));
  const Expr numbers = Rebuild([&](const Expr& n, Expr& result) {
    if (!n.is(Kind::symbol)) return false;
    const std::string name(n.name());
    const auto open = name.find('[');
    if (open == std::string::npos) return false;
    result = Number::exact(field(std::stod(name.substr(open + 1)) / 2));
    return true;
  })(here);
  return evaluate(numbers);
}

TEST_CASE("weights derive polynomials exactly, up to the degree of their order, and no further") {
  std::mt19937_64 random(20261201);
  for (int k = 0; k < 60; ++k) {
    const int points = 2 + static_cast<int>(random() % 7);
    const int from = -static_cast<int>(random() % 5);
    const bool staggered = random() % 2 == 0;
    std::vector<Number> offsets;
    for (int p = 0; p < points; ++p) offsets.push_back(Number(from + p) + (staggered ? Number(1, 2) : Number(0)));
    const int derivative = 1 + static_cast<int>(random() % static_cast<unsigned>(points - 1));
    const Stencil s = stencil(offsets, derivative);
    CHECK(s.order >= points - derivative);
    for (int degree = 0; degree <= derivative + s.order; ++degree) {
      Number sum(0);
      Number factorial(1);
      for (std::size_t p = 0; p < offsets.size(); ++p) {
        Number term = s.weights[p];
        for (int d = 0; d < degree; ++d) term = term * offsets[p];
        sum = sum + term;
      }
      for (int d = 2; d <= degree; ++d) factorial = factorial * Number(d);
      const bool last = degree == derivative + s.order;
      const Number expected = degree == derivative ? factorial : last ? s.error * factorial : Number(0);
      CHECK((sum - expected).is_zero());
      if (last) CHECK_FALSE(s.error.is_zero());
    }
  }
  const Stencil three = stencil({-1, 0, 1}, 2);
  CHECK(three.order == 2);
  CHECK((three.error - Number(1, 12)).is_zero());
  CHECK(stencil({Number(-1, 2), Number(1, 2)}, 1).order == 2);
  CHECK_THROWS_AS((void)stencil({0, 1}, 2), Error);
  CHECK_THROWS_AS((void)stencil({0, 0, 1}, 1), Error);
}

TEST_CASE("differences of each order, inside and beside both ends, are exact for polynomials of that degree") {
  const auto cubic = [](double p) { return p * p * p - 2 * p; };
  const auto quintic = [](double p) { return p * p * p * p * p - p * p; };
  for (const int m : {1, 2}) {
    const Expr typed = read("derivative(T[i], x, " + std::to_string(m) + ")");
    const GridCoordinate second[] = {along_x(9, 2)};
    const GridCoordinate fourth[] = {along_x(9, 4)};
    const Expr of_second = discretised(typed, second);
    const Expr of_fourth = discretised(typed, fourth);
    for (int place = 0; place < 10; ++place) {
      CAPTURE(place);
      const double p = place / 2.0;
      CHECK(at(of_second, place, [](double q) { return q * q - q; }) == doctest::Approx(m == 1 ? 2 * p - 1 : 2));
      if (m == 2) CHECK(at(of_second, place, +cubic) == doctest::Approx(6 * p).scale(1));
      CHECK(at(of_fourth, place, [](double q) { return q * q * q * q; }) ==
            doctest::Approx(m == 1 ? 4 * p * p * p : 12 * p * p).scale(1));
      if (m == 2) CHECK(at(of_fourth, place, +quintic) == doctest::Approx(20 * p * p * p - 2).scale(1));
    }
  }
}

TEST_CASE("what flows out of a cell flows into the next: sums over a ring vanish identically") {
  const GridCoordinate ring[] = {along_x(6, 2, true)};
  for (const char* f : {"derivative(k[i]*derivative(T[i], x), x)", "diffusion(1 + T[i]^2, T[i])",
                        "derivative(k[i]*derivative(T[i]*k[i], x) + T[i], x)", "laplacian(T[i])"}) {
    CAPTURE(f);
    const Expr d = discretised(read(f), ring);
    Expr sum = 0;
    const auto wrapped = [](const Expr& n, Expr& result) {  // a ring of seven places
      const auto parts = element_parts(n);
      if (!parts) return false;
      result = Symbol(std::string(parts->head.name()) + std::to_string((*parts->places[0].word() + 70) % 7));
      return true;
    };
    for (int place = 0; place < 7; ++place) sum += Rebuild(wrapped)(substitute(d, {{i, place}}, Unused::allowed));
    CHECK(expand(sum).is_integer(0));
    CHECK_FALSE(expand(d).is_integer(0));
  }
}

TEST_CASE("upwind looks to the side that the speed comes from; coordinates are places") {
  const GridCoordinate grid[] = {along_x(9, 2)};
  const auto line = [](double p) { return 3 * p; };
  const Expr up = discretised(read("upwind(v, T[i], x)"), grid);
  for (const double v : {2.0, -2.0}) {
    const Expr there = substitute(up, {{Symbol("v"), Number::exact(v)}}, Unused::allowed);
    for (const int place : {0, 4, 9}) CHECK(at(there, place, +line) == doctest::Approx(3 * v));
    const auto step = [](double p) { return p < 2.25 ? 0.0 : 1.0; };  // between the places 4 and 5
    CHECK(at(there, 4, +step) == doctest::Approx(v < 0 ? 2 * v : 0).scale(1));
    CHECK(at(there, 5, +step) == doctest::Approx(v > 0 ? 2 * v : 0).scale(1));
  }
  CHECK(discretised(read("x^2"), grid) == pow(h * i, 2));
  const auto first_dimension = [](const Expr&, const GridCoordinate&) { return std::optional<std::size_t>(0); };
  CHECK(at(discretised(read("derivative(T[9], x)"), grid, first_dimension), 0, +line) == doctest::Approx(3));
  CHECK(discretised(read("derivative(q*y, x)"), grid).is_integer(0));
  CHECK_FALSE(has_grid_operators(read("T[i]^2 + y"), grid));
  CHECK(as_derivatives(read("upwind(v, T[i], x)"), grid) == read("v*derivative(T[i], x)"));
}

TEST_CASE("ranges that are too short, operators without a coordinate") {
  const GridCoordinate grid[] = {along_x(3, 4)};
  CHECK_THROWS_WITH_AS(
      (void)discretised(read("derivative(T[i], x, 2)"), grid),
      doctest::Contains("i runs over 4 places; differences of order 4 of a derivative of order 2 need 6"), Error);
  CHECK_THROWS_AS((void)discretised(read("upwind(v, T[i], y)"), grid), Error);
  CHECK_THROWS_AS((void)discretised(read("derivative(T[i], x, 13)"), grid), Error);
  // operators within operators are limited, not the stack
  const GridCoordinate two[] = {along_x(9, 2)};
  Expr deep = read("T[i]");
  for (int k = 0; k < 3000; ++k) {
    const Expr by[] = {x, 1};
    deep = unevaluated_derivative(read("k[i]") * deep, by);
  }
  CHECK_THROWS_AS((void)discretised(deep, two), Error);
}

}  // namespace grid_test
