// SPDX-License-Identifier: MIT
// What limits are held against, and the functions of the catalogue beside their singular places.
#include <doctest/doctest.h>

#include <cmath>

#include "boreon/bindings.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/series.hpp"
#include "boreon/text.hpp"
#include "calculus/series/limit_witness.hpp"

using namespace boreon;

namespace {

const Symbol x("x");

// Whether the witness refutes a value.
bool refuted(const char* f, const char* place, int direction, const Expr& value) {
  LimitResult r;
  r.value = value;
  try {
    compare_nearby(parse(f), x, parse(place), direction, r, {});
  } catch (const Error& e) {
    return e.kind() == ErrorKind::check;
  }
  return false;
}

std::string limit_at(const char* f, const char* place, LimitSide side = LimitSide::both, bool whole = false) {
  ParseContext context;
  if (whole) context.names.emplace("x", Symbol("x", {Assumption::integer}));
  const Expr variable = whole ? Expr(Symbol("x", {Assumption::integer})) : Expr(x);
  const LimitResult r = limit_with_report(parse(f, context), variable, parse(place), side);
  return r.value.is_constant(ConstantCode::undefined) ? "none: " + r.reason : to_text(r.value);
}

TEST_CASE("wrong limits are refuted, also where values move slowly") {
  CHECK(refuted("sin(x)/x", "0", 1, 2));
  CHECK(refuted("(elliptic_E(x) - 1)/((1 - x)*log(1 - x))", "1", -1, 0));  // it is -1/4, and comes there slowly
  CHECK_FALSE(refuted("1/log(x)", "0", 1, 0));
  CHECK_FALSE(refuted("1/log(log(x))", "infinity", 1, 0));
  CHECK_FALSE(refuted("(elliptic_E(x) - 1)/((1 - x)*log(1 - x))", "1", -1, Expr(-1) / 4));
  CHECK(refuted("2 + 1/log(x)", "infinity", 1, infinity()));
  CHECK(refuted("-log(x)", "infinity", 1, infinity()));
  CHECK(refuted("log(x)", "0", 1, infinity()));
  CHECK_FALSE(refuted("log(log(x))", "infinity", 1, infinity()));
  CHECK_FALSE(refuted("log(x)", "0", 1, -infinity()));
}

TEST_CASE("functions beside their singular places: no value is claimed that nearby values refute") {
  std::size_t found = 0;
  const auto look = [&](const Expr& e, const Expr& place, LimitSide side) {
    try {
      (void)limit_with_report(e, x, place, side);
      ++found;
    } catch (const Error& error) {
      CAPTURE(to_text(e));
      CAPTURE(to_text(place));
      CHECK(error.kind() != ErrorKind::check);
    }
  };
  const auto value_of = [](const FunctionRow& row, const Expr& argument) -> std::optional<Expr> {
    std::vector<Expr> args{argument};
    if (row.min_args == 2) args.insert(args.begin(), Expr(1) / 3);
    try {
      Expr v = call(row, args);
      if (v.is_constant(ConstantCode::undefined) || v.is_constant(ConstantCode::infinity)) return std::nullopt;
      return v;
    } catch (const Error&) {
      return std::nullopt;
    }
  };
  for (const FunctionRow& row : catalogue()) {
    if (row.max_args < 1 || row.min_args > 2) continue;
    const auto f = value_of(row, x);
    if (!f) continue;
    for (const Expr& place : {Expr(0), Expr(1), Expr(-1), Expr(1) / 2, Expr(2), -exp(Expr(-1))}) {
      for (const LimitSide side : {LimitSide::above, LimitSide::below}) {
        look(*f, place, side);
        const auto there = value_of(row, place);
        if (!there) continue;
        const Expr d = x - place;
        const Expr rise = *f - *there;
        for (const Expr& e : {rise / d, rise / sqrt(abs(d)), rise * log(abs(d)), rise / (d * log(abs(d)))})
          look(e, place, side);
      }
    }
    for (const Expr& place : {infinity(), -infinity()}) {
      for (const Expr& e : {*f, *f / x, *f * x, *f * exp(-x), log(*f) / x}) look(e, place, LimitSide::both);
    }
  }
  CHECK(found > 4500);
}

TEST_CASE("what alternates, turns in the complex plane, or grows at rates without a common measure") {
  CHECK(limit_at("5*(-1)^x", "infinity", LimitSide::both, true) ==
        "none: it tends to 5 for even x and to -5 for odd ones");
  CHECK(limit_at("(-2)^x/3^x", "infinity", LimitSide::both, true) == "0");
  CHECK(limit_at("(-1)^x/x", "infinity") == "0");
  CHECK(limit_at("exp((1i - 1)*x)", "infinity") == "0");
  CHECK(limit_at("2^(1i*x)/x", "infinity") == "0");
  CHECK(limit_at("exp(1i*x)", "infinity").starts_with("none"));
  CHECK(limit_at("exp((1 + 2i)*x)/x", "infinity").starts_with("none"));
  CHECK(limit_at("(2^x + 3^x)^(1/x)", "infinity") == "3");
  CHECK(limit_at("(2^x + 3^x + 5^x)^(1/x)", "infinity") == "5");
  CHECK(limit_at("(5^x + 3^x)/(5^x + 2^x)", "infinity") == "1");
  CHECK(limit_at("(3^x - 2^x)*3^(-x)", "infinity") == "1");
}

TEST_CASE("logarithmic places of elliptic integrals, Lambert's function far out") {
  CHECK(limit_at("elliptic_K(x) + log(1 - x)/2", "1", LimitSide::below) == "2*log(2)");
  CHECK(limit_at("(elliptic_E(x) - 1)/((1 - x)*log(1 - x))", "1", LimitSide::below) == "-1/4");
  CHECK(limit_at("lambert_W(x) - log(x) + log(log(x))", "infinity") == "0");
  CHECK(limit_at("hermite(3, x)/x^3", "-infinity") == "8");
  CHECK(limit_at("round(x)", "1/2", LimitSide::below) == "0");
  CHECK(limit_at("round(x)", "-1/2", LimitSide::above) == "0");
  CHECK(limit_at("li(x)", "0", LimitSide::below) == "1i*pi");
}

}  // namespace
