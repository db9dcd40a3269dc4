// SPDX-License-Identifier: MIT
// Series about a point or infinity.
#include "boreon/series.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>

#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "calculus/parameter_points.hpp"
#include "calculus/series/expansion.hpp"

namespace boreon {

Expr SeriesResult::expression() const {
  std::vector<Expr> list;
  for (const SeriesTerm& t : terms) list.push_back(t.coefficient * power(local, Expr(t.exponent)));
  return add(list);
}

SeriesResult series(const Expr& f, const Expr& x, const Expr& about, int order, std::span<const Expr> conditions) {
  if (!x.is(Kind::symbol)) throw Error(ErrorKind::usage, "a series is taken in a symbol");
  if (depends_on(about, x)) throw Error(ErrorKind::usage, "the place of a series must not contain its variable");
  if (order < -1000 || order > 400) throw Error(ErrorKind::limit, "the order of a series is limited to 400");
  const Expr e = evaluate_derivatives(f);
  const Symbol w("_w", {Assumption::positive});
  const Symbol log_w("_log_w");
  const bool far = about.is_constant(ConstantCode::infinity) || about == -infinity();
  const int direction = about == -infinity() ? -1 : 1;
  const Expr in_w = substitute(e, {{x, far ? direction / w : about + w}}, Unused::allowed);
  SeriesResult result;
  result.local = far ? direction / x : x - about;
  Signs signs(conditions);
  Expansion a;
  int target = std::max(order, 0) + 1;
  try {
    for (int attempt = 0;; ++attempt) {
      try {
        Expander expander(w, log_w, signs, target);
        a = expander.of(in_w);
        if (a.exact || compare(a.order, Number(order)) > 0) break;
      } catch (const NoExpansion& n) {
        if (n.why != "cancellation") throw;
      }
      if (attempt > 6) throw NoExpansion{"leading terms cancel to a high order"};
      target += attempt < 2 ? 3 : 2 * target;
    }
  } catch (const NoExpansion& n) {
    throw Error(ErrorKind::unsupported, fmt::format("no series was found: {}", n.why));
  } catch (const UnknownSign& u) {
    throw Error(ErrorKind::unsupported,
                fmt::format("the series depends on the sign of {}; say which with --assume \"{} > 0\" or < 0",
                            to_text(u.of, {80, {}}), to_text(u.of, {80, {}})));
  }
  result.exact = a.exact;
  result.next = a.exact ? Number(order + 1) : a.order;
  SimplifyOptions cheap;
  cheap.work = 300;
  cheap.conditions.assign(conditions.begin(), conditions.end());
  for (const Power& t : a.terms) {
    if (compare(t.exponent, Number(order)) > 0) {
      result.exact = false;
      if (compare(t.exponent, result.next) < 0) result.next = t.exponent;
      break;
    }
    Expr c = t.coefficient;
    if (!c.is_number()) {
      if (vanishes(c)) continue;
      c = simplify(c, cheap);
    }
    if (c.is_integer(0)) continue;
    result.terms.push_back(
        {t.exponent, substitute(c, {{log_w, far ? -log(direction * x) : log(x - about)}}, Unused::allowed)});
  }
  return result;
}

SeriesEvidence check_series(const SeriesResult& s, const Expr& f, const Expr& x, const Expr& about,
                            std::span<const Expr> conditions) {
  SeriesEvidence out;
  if (!unknown_calls({&f, 1}).empty()) return out;
  const bool far = about.is_constant(ConstantCode::infinity) || about == -infinity();
  const Expr difference = evaluate_derivatives(f) - s.expression();
  const Expr list[] = {difference, about, f};
  ParameterPoints parameters({std::begin(list), std::end(list)}, x, conditions, 20260101);
  if (!parameters.next()) return out;
  const Bindings at = parameters.bindings();
  const double next = s.next.to_double();
  for (const double w : {1e-2, 1e-3, 1e-4}) {
    const Expr step = Number::shortest_decimal(w);
    const Expr place = far ? (about == -infinity() ? -1 : 1) / step : about + step;
    Bindings here = at;
    here.set(x, substitute(place, at, Unused::allowed));
    try {
      const auto value = [&](const Expr& e) {
        return std::abs(std::strtod(certify(substitute(e, here, Unused::allowed), {}, 10).real.c_str(), nullptr));
      };
      const double size = value(f);
      const double error = s.exact ? 0 : value(difference);
      // O(w^next) with a constant and some logarithms to spare
      if (error > 1e8 * std::pow(w, next) && error > 1e-30 * size) {
        throw Error(
            ErrorKind::check,
            fmt::format("the series found does not agree with values near the point (error {:.2g} at distance {:.2g})",
                        error, w));
      }
      ++out.points;
      out.digits = std::max(out.digits, error == 0 ? 15 : std::min(15.0, -std::log10(error / std::max(size, 1e-300))));
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::check) throw;
    }
  }
  return out;
}

}  // namespace boreon
