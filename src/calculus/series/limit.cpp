// SPDX-License-Identifier: MIT
// Limits: by expansion at the place where there is one, else in the most rapidly varying subexpression (Gruntz 1996).
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <complex>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/series.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "calculus/series/expansion.hpp"
#include "calculus/series/limit_engine.hpp"
#include "calculus/series/limit_witness.hpp"
#include "calculus/series/most_rapid.hpp"
#include "calculus/series/waves.hpp"
#include "expr/canonical.hpp"

namespace boreon {
namespace {

bool is_undefined(const Expr& e) { return e.is_constant(ConstantCode::undefined); }

// By expansion at the place itself; nothing if there is no such expansion.
std::optional<Expr> by_expansion(const Expr& in_w, const Symbol& w, const Symbol& log_w, Signs& signs) {
  for (const int target : {2, 5, 10, 20}) {
    try {
      Expander expander(w, log_w, signs, target);
      const Expansion a = expander.with_leading(in_w);
      if (a.empty()) return Expr(0);
      const Expr& c = a.leading().coefficient;
      const int e = a.leading().exponent.sign();
      if (!depends_on(c, log_w)) {
        if (e == 0) return c;
        if (e > 0) return Expr(0);
        return signs.of(c) * infinity();
      }
      if (e > 0) return Expr(0);  // logarithms grow slower than any power
      const Symbol t("_t", {Assumption::positive});
      Expr at = limit_at_infinity(substitute(c, {{log_w, -t}}), t, signs);
      if (e == 0) return at;
      const int s = is_infinite(at) || !at.is_integer(0) ? signs.of(at) : 0;
      if (s == 0) return std::nullopt;
      return s * infinity();
    } catch (const NoExpansion& n) {
      if (n.why != "cancellation") return std::nullopt;
    }
  }
  return std::nullopt;
}

}  // namespace

Expr one_sided_limit(const Expr& f, const Expr& x, const Expr& place, bool above, Signs& signs) {
  if (!depends_on(f, x)) return f;
  const Symbol w("_w", {Assumption::positive});
  const Symbol log_w("_log_w");
  const Symbol t("_t", {Assumption::positive});
  const bool far = is_infinite(place);
  const int direction = far ? (place.is_constant(ConstantCode::infinity) ? 1 : -1) : (above ? 1 : -1);
  const auto at = [&](const Expr& value) { return substitute(f, {{x, value}}, Unused::allowed); };
  const Expr in_w = at(far ? direction / w : place + direction * w);
  if (is_undefined(in_w)) throw NoExpansion{"the expression is undefined there"};
  if (const auto v = by_expansion(in_w, w, log_w, signs)) return *v;
  return limit_at_infinity(at(far ? direction * t : place + direction / t), t, signs);
}

namespace {

// The limit; where parts that oscillate stand in its way, by squeezing.
Expr limit_with_waves(const Expr& f, const Symbol& x, const Expr& place, bool above, Signs& signs) {
  const auto squeezed = [&]() -> std::optional<Expr> {
    try {
      return squeezed_limit(f, x, place, above, signs);
    } catch (const NoExpansion&) {
    } catch (const UnknownSign&) {
    } catch (const NoLimit& n) {
      if (!n.bounded) throw;
    }
    return std::nullopt;
  };
  try {
    return one_sided_limit(f, x, place, above, signs);
  } catch (const NoLimit& n) {
    if (!n.bounded) throw;
    if (const auto v = squeezed()) return *v;
    throw;
  } catch (const UnknownSign& u) {
    if (const auto v = squeezed()) return *v;
    if (const Expr waves = has_imaginary_unit(u.of) ? with_waves(f, x) : f; !(waves == f))
      return one_sided_limit(waves, x, place, above, signs);
    throw;
  }
}

// W(c*x) at infinity: x = W*exp(W)/c leaves exponentials, whose growth is known.
Expr without_lambert(const Expr& e, const Expr& x, const Expr& place) {
  if (!place.is_constant(ConstantCode::infinity)) return e;
  std::optional<Expr> scale;
  postorder(e, [&](const Expr& n) {
    if (!is_call_of(n, "lambert_W")) return;
    const Expr c = n.operands()[0] / x;
    if (c.is_number() && c.number().sign() > 0) scale = c;
  });
  if (!scale) return e;
  const Expr argument = *scale * x;
  return Rebuild([&](const Expr& n, Expr& result) {
    const bool whole = is_call_of(n, "lambert_W") && n.operands()[0] == argument;
    if (whole || n == x) result = whole ? x : x * exp(x) / *scale;
    return whole || n == x;
  })(e);
}

// Sines and cosines of whole turns, for a variable that is a whole number.
Expr at_whole_turns(const Expr& e, const Expr& x) {
  if (!is_integer(x)) return e;
  return Rebuild([](const Expr&, Expr&) { return false; },
                 [](const Expr& n) -> Expr {
                   if (!is_call_of(n, "sin") && !is_call_of(n, "cos")) return n;
                   const Expr half_turns = n.operands()[0] / pi();
                   if (is_call_of(n, "sin")) return is_integer(half_turns) ? Expr(0) : n;
                   return is_integer(half_turns / 2) ? Expr(1) : n;
                 })(e);
}

// What depends on x through floor(u), ceil(u), ... only, where u grows without bound: that whole part grows likewise,
// and the limit is that in it if there is one.
Expr of_whole_parts(const Expr& e, const Expr& x, const Expr& place, std::span<const Expr> conditions) {
  std::vector<Expr> parts;
  postorder(e, [&](const Expr& n) {
    const bool steps =
        is_call_of(n, "floor") || is_call_of(n, "ceil") || is_call_of(n, "round") || is_call_of(n, "trunc");
    if (steps && depends_on(n, x) && std::find(parts.begin(), parts.end(), n) == parts.end()) parts.push_back(n);
  });
  if (parts.size() != 1 || depends_on(parts[0].operands()[0], infinity())) return e;
  const Symbol whole("_whole", {Assumption::real});
  const Expr outside = Rebuild([&](const Expr& n, Expr& result) {
    if (!(n == parts[0])) return false;
    result = whole;
    return true;
  })(e);
  if (depends_on(outside, x)) return e;
  try {
    Signs signs(conditions);
    const Expr grows = one_sided_limit(parts[0].operands()[0], x, place, true, signs);
    if (!is_infinite(grows)) return e;
    const Expr far = one_sided_limit(outside, whole, grows, true, signs);
    return has_undefined(far) ? e : far;
  } catch (const NoExpansion&) {
  } catch (const NoLimit&) {
  } catch (const UnknownSign&) {
  }
  return e;
}

}  // namespace

LimitResult limit_with_report(const Expr& f, const Expr& x, const Expr& place, LimitSide side,
                              std::span<const Expr> conditions) {
  if (!x.is(Kind::symbol)) throw Error(ErrorKind::usage, "a limit is taken in a symbol");
  if (depends_on(place, x)) throw Error(ErrorKind::usage, "the place of a limit must not contain its variable");
  const Expr given = at_whole_turns(evaluate_derivatives(f), x);
  const bool far = is_infinite(place);
  const Expr steady = far ? of_whole_parts(given, x, place, conditions) : given;
  const Expr e = without_lambert(steady, x, place);
  LimitResult result;
  const auto one = [&](bool above) {
    Signs signs(conditions);
    Expr v = limit_with_waves(e, Symbol::from(x), place, above, signs);
    return has_undefined(v) ? throw NoLimit{"it is undefined"} : v;
  };
  try {
    if (far || side != LimitSide::both) {
      result.value = one(side != LimitSide::below);
    } else {
      const Expr above = one(true);
      Expr below;
      try {
        below = one(false);
        if (!(above == below) && (is_infinite(above) || is_infinite(below) || !vanishes(above - below))) {
          result.value = undefined();
          result.reason =
              fmt::format("from above it is {}, from below {}", to_text(above, {80, {}}), to_text(below, {80, {}}));
          return result;
        }
      } catch (const NoExpansion&) {
        throw;
      }
      result.value = operation_count(above) <= operation_count(below) ? above : below;
    }
  } catch (const NoLimit& n) {
    // bounded parts may cancel; what grows without bound again and again has no limit, however rarely it does
    if (n.bounded && settles(e, x, place, side, conditions)) {
      throw Error(
          ErrorKind::unsupported,
          "the limit was not found: parts that have none of their own cancel, and values near the place settle");
    }
    result.value = undefined();
    result.reason = n.why;
    return result;
  } catch (const NoExpansion& n) {
    throw Error(ErrorKind::unsupported, fmt::format("the limit was not found: {}", n.why));
  } catch (const UnknownSign& u) {
    if (has_imaginary_unit(u.of))
      throw Error(ErrorKind::unsupported,
                  fmt::format("the limit was not found: {} is complex", to_text(u.of, {80, {}})));
    throw Error(ErrorKind::unsupported, fmt::format("the limit depends on the sign of {}; say which with --assume \"{} "
                                                    "> 0\" or < 0 (in C++: a condition or an assumption of the symbol)",
                                                    to_text(u.of, {80, {}}), to_text(u.of, {80, {}})));
  }
  if (!is_infinite(result.value)) {
    SimplifyOptions o;
    o.conditions.assign(conditions.begin(), conditions.end());
    o.work = 600;
    result.value = simplify(result.value, o);
  }
  const int direction = far ? (place.is_constant(ConstantCode::infinity) ? 1 : -1) : side == LimitSide::below ? -1 : 1;
  compare_nearby(given, x, place, direction, result, conditions);
  if (!far && side == LimitSide::both) compare_nearby(given, x, place, -1, result, conditions);
  return result;
}

bool has_undefined(const Expr& e) {
  bool found = false;
  postorder(e, [&](const Expr& n) { found = found || is_undefined(n); });
  return found;
}

bool has_infinity(const Expr& e) {
  bool found = false;
  postorder(e, [&](const Expr& n) { found = found || is_undefined(n) || n.is_constant(ConstantCode::infinity); });
  return found;
}

Expr limit(const Expr& f, const Expr& x, const Expr& place, LimitSide side, std::span<const Expr> conditions) {
  return limit_with_report(f, x, place, side, conditions).value;
}

}  // namespace boreon
