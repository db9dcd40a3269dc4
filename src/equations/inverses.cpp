// SPDX-License-Identifier: MIT
#include "equations/inverses.hpp"

#include <string_view>

#include "boreon/catalogue.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"
#include "equations/roots.hpp"

namespace boreon::equations {
namespace {

using Inverses = std::vector<Inverse>;

struct InverseRow {
  std::string_view name;
  Inverses (*of)(const Expr& v);
  // What v has to be: each positive, or not negative where `ends` is true.
  std::vector<Expr> (*range)(const Expr& v);
  bool ends;
};

std::vector<Expr> anything(const Expr&) { return {}; }
std::vector<Expr> itself(const Expr& v) { return {v}; }
std::vector<Expr> within_one(const Expr& v) { return {1 - v, 1 + v}; }
std::vector<Expr> from_one(const Expr& v) { return {v - 1}; }
std::vector<Expr> quarter_turns(const Expr& v) { return {pi() / 2 - v, pi() / 2 + v}; }
std::vector<Expr> half_turn(const Expr& v) { return {v, pi() - v}; }

Inverses sine(const Expr& v) {
  if (v.is_integer(0)) return {{0, pi()}};
  if (v.is_integer(1)) return {{pi() / 2, 2 * pi()}};
  if (v.is_integer(-1)) return {{-pi() / 2, 2 * pi()}};
  return {{asin(v), 2 * pi()}, {pi() - asin(v), 2 * pi()}};
}

Inverses cosine(const Expr& v) {
  if (v.is_integer(0)) return {{pi() / 2, pi()}};
  if (v.is_integer(1)) return {{0, 2 * pi()}};
  if (v.is_integer(-1)) return {{pi(), 2 * pi()}};
  return {{acos(v), 2 * pi()}, {-acos(v), 2 * pi()}};
}

Inverses both_signs(const Expr& v) { return v.is_integer(0) ? Inverses{{0}} : Inverses{{v}, {-v}}; }

const InverseRow rows[] = {
    {"exp", [](const Expr& v) { return Inverses{{log(v)}}; }, itself, false},
    {"log", [](const Expr& v) { return Inverses{{exp(v)}}; }, anything, true},
    {"sin", sine, within_one, true},
    {"cos", cosine, within_one, true},
    {"tan",
     [](const Expr& v) {
       return Inverses{{atan(v), pi()}};
     },
     anything, true},
    {"sinh", [](const Expr& v) { return Inverses{{asinh(v)}}; }, anything, true},
    {"cosh", [](const Expr& v) { return v.is_integer(1) ? Inverses{{0}} : both_signs(acosh(v)); }, from_one, true},
    {"tanh", [](const Expr& v) { return Inverses{{atanh(v)}}; }, within_one, false},
    {"asin", [](const Expr& v) { return Inverses{{sin(v)}}; }, quarter_turns, true},
    {"acos", [](const Expr& v) { return Inverses{{cos(v)}}; }, half_turn, true},
    {"atan", [](const Expr& v) { return Inverses{{tan(v)}}; }, quarter_turns, false},
    {"asinh", [](const Expr& v) { return Inverses{{sinh(v)}}; }, anything, true},
    {"acosh", [](const Expr& v) { return Inverses{{cosh(v)}}; }, itself, true},
    {"atanh", [](const Expr& v) { return Inverses{{tanh(v)}}; }, anything, true},
    {"abs", both_signs, itself, true},
    {"cbrt", [](const Expr& v) { return Inverses{{power(v, 3)}}; }, anything, true},
    {"log10", [](const Expr& v) { return Inverses{{power(Expr(10), v)}}; }, anything, true},
    {"log2", [](const Expr& v) { return Inverses{{power(Expr(2), v)}}; }, anything, true},
    {"log1p", [](const Expr& v) { return Inverses{{exp(v) - 1}}; }, anything, true},
    {"expm1", [](const Expr& v) { return Inverses{{log(1 + v)}}; },
     [](const Expr& v) { return std::vector<Expr>{1 + v}; }, false},
    {"exp2", [](const Expr& v) { return Inverses{{log(v) / log(Expr(2))}}; }, itself, false},
    {"erf", [](const Expr& v) { return Inverses{{inverse_erf(v)}}; }, within_one, false},
    {"erfc", [](const Expr& v) { return Inverses{{inverse_erf(1 - v)}}; },
     [](const Expr& v) {
       return std::vector<Expr>{v, 2 - v};
     },
     false},
    {"inverse_erf", [](const Expr& v) { return Inverses{{erf(v)}}; }, anything, true},
    {"lambert_W", [](const Expr& v) { return Inverses{{v * exp(v)}}; },
     [](const Expr& v) { return std::vector<Expr>{1 + v}; }, true},
};

}  // namespace

std::optional<Inverses> inverses(const Expr& kernel, const Expr& v, const Signs& signs, Expr& argument) {
  std::vector<Expr> conditions;
  const auto guarded = [&](const std::vector<Expr>& range, bool ends) {
    for (const Expr& r : range) {
      if (!require_sign(r, !ends, signs, conditions)) return false;
    }
    return true;
  };
  const auto with_conditions = [&](Inverses list) {
    for (Inverse& i : list) i.conditions = conditions;
    return list;
  };
  if (kernel.is(Kind::power)) {
    const Expr& base = kernel.operands()[0];
    const Expr& exponent = kernel.operands()[1];
    if (exponent.is_number()) {  // a root: not negative
      argument = base;
      return guarded({v}, true) ? with_conditions({{power(v, 1 / exponent)}}) : Inverses{};
    }
    argument = exponent;
    if (!base.is_number() && !is_positive(base)) return std::nullopt;
    return guarded({v}, false) ? with_conditions({{log(v) / log(base)}}) : Inverses{};
  }
  if (!kernel.is(Kind::call) || kernel.operands().size() != 1) return std::nullopt;
  for (const InverseRow& row : rows) {
    if (row.name != kernel.function().name) continue;
    argument = kernel.operands()[0];
    if (!guarded(row.range(v), row.ends)) return Inverses{};
    return with_conditions(row.of(v));
  }
  return std::nullopt;
}

std::optional<Inverses> complex_inverses(const Expr& kernel, const Expr& v, Expr& argument) {
  const Expr turn = 2 * pi() * imaginary_unit();
  if (kernel.is(Kind::power)) {
    const Expr& base = kernel.operands()[0];
    const Expr& exponent = kernel.operands()[1];
    if (exponent.is_number()) {
      argument = base;
      return Inverses{{power(v, 1 / exponent)}};
    }
    argument = exponent;
    if (v.is_integer(0)) return Inverses{};
    return Inverses{{log(v) / log(base), turn / log(base)}};
  }
  if (!kernel.is(Kind::call) || kernel.operands().size() != 1) return std::nullopt;
  argument = kernel.operands()[0];
  const auto name = kernel.function().name;
  if (name == "exp") return v.is_integer(0) ? Inverses{} : Inverses{{log(v), turn}};
  if (name == "sin") return sine(v);
  if (name == "cos") return cosine(v);
  if (name == "tan") return Inverses{{atan(v), pi()}};
  if (name == "sinh") {
    if (v.is_integer(0)) return Inverses{{0, turn / 2}};
    return Inverses{{asinh(v), turn}, {turn / 2 - asinh(v), turn}};
  }
  if (name == "cosh") {
    if (v.is_integer(1)) return Inverses{{0, turn}};
    return Inverses{{acosh(v), turn}, {-acosh(v), turn}};
  }
  if (name == "tanh") return Inverses{{atanh(v), turn / 2}};
  // the principal branches take a part of the plane alone: sqrt, log and arcs have one u at most
  for (const char* one : {"log", "asin", "acos", "atan", "asinh", "acosh", "atanh", "log1p", "log2", "log10"}) {
    if (name != one) continue;
    for (const InverseRow& row : rows) {
      if (row.name == name) return row.of(v);
    }
  }
  return std::nullopt;
}

}  // namespace boreon::equations
