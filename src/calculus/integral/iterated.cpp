// SPDX-License-Identifier: MIT
// Iterated integrals, from the innermost out.
#include <fmt/format.h>

#include <algorithm>

#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/integral.hpp"
#include "boreon/quadrature.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/breaks.hpp"
#include "calculus/integral/tidy_result.hpp"
#include "calculus/signs.hpp"

namespace boreon {
namespace {

// What is known of the variables further out while an inner integral is taken: 0 < theta, theta < pi.
std::vector<Expr> ranges_of_outer(std::span<const IntegralRange> outer) {
  std::vector<Expr> out;
  for (const IntegralRange& r : outer) {
    if (!r.from) continue;
    if (!(*r.from == -infinity())) out.push_back(less(*r.from, r.variable));
    if (!r.to->is_constant(ConstantCode::infinity)) out.push_back(less(r.variable, *r.to));
  }
  return out;
}

bool mentions(const IntegralRange& r, const Expr& variable) {
  return r.from && (depends_on(*r.from, variable) || depends_on(*r.to, variable));
}

IntegralResult in_given_order(const Expr& f, std::span<const IntegralRange> ranges, const IntegralOptions& options) {
  IntegralResult total;
  total.value = f;
  total.status = IntegralStatus::exact;
  double digits = 15;
  for (std::size_t i = 0; i < ranges.size(); ++i) {
    const IntegralRange& r = ranges[i];
    IntegralOptions o = options;
    const bool last = i + 1 == ranges.size();
    for (const Expr& c : ranges_of_outer(ranges.subspan(i + 1))) o.conditions.push_back(c);
    if (!last) o.exceptions = false;  // on a boundary of the outer range they do not matter
    IntegralResult step =
        r.from ? integrate(total.value, r.variable, *r.from, *r.to, o) : integrate(total.value, r.variable, o);
    if (ranges.size() > 1) step.steps.insert(step.steps.begin(), fmt::format("over {}:", to_text(r.variable)));
    step.steps.insert(step.steps.begin(), total.steps.begin(), total.steps.end());
    for (const Expr& c : total.conditions) step.conditions.push_back(c);
    digits = std::min(digits, step.check.digits);
    if (step.status != IntegralStatus::exact) {
      if (step.status == IntegralStatus::unevaluated) {
        Expr value = total.value;
        for (std::size_t k = i; k < ranges.size(); ++k) {
          value = ranges[k].from ? unevaluated_integral(value, ranges[k].variable, *ranges[k].from, *ranges[k].to)
                                 : unevaluated_integral(value, ranges[k].variable);
        }
        step.value = value;
      }
      return step;
    }
    // a condition on a variable that is integrated later must follow from its range
    for (const Expr& c : step.conditions) {
      for (std::size_t k = i + 1; k < ranges.size(); ++k) {
        if (depends_on(c, ranges[k].variable)) {
          step.status = IntegralStatus::unevaluated;
          step.value = f;
          for (const IntegralRange& q : ranges)
            step.value = q.from ? unevaluated_integral(step.value, q.variable, *q.from, *q.to)
                                : unevaluated_integral(step.value, q.variable);
          step.reason = fmt::format("the integral over {} depends on whether {}", to_text(r.variable), to_text(c));
          return step;
        }
      }
    }
    total = std::move(step);
  }
  total.check.digits = digits;
  return total;
}

// The two innermost ranges exchanged, if the region allows it: both constant, or a triangle y from c to g(x).
std::optional<std::vector<IntegralRange>> exchanged(std::span<const IntegralRange> ranges) {
  if (ranges.size() < 2 || !ranges[0].from || !ranges[1].from) return std::nullopt;
  std::vector<IntegralRange> out(ranges.begin(), ranges.end());
  const Expr& y = ranges[0].variable;
  const Expr& x = ranges[1].variable;
  const Expr& c = *ranges[0].from;
  const Expr& g = *ranges[0].to;
  const Expr& a = *ranges[1].from;
  const Expr& b = *ranges[1].to;
  if (!mentions(ranges[0], x)) {
    std::swap(out[0], out[1]);
    return out;
  }
  // a boundary that rises or falls all the way, as x of y
  struct Boundary {
    bool rises;
    Expr inverse;
  };
  const auto boundary = [&](const Expr& e) -> std::optional<Boundary> {
    const Expr slope = derivative(e, x);
    if (slope.is_number() && !slope.is_integer(0))
      return Boundary{slope.number().sign() > 0, (y - substitute(e, {{x, 0}}, Unused::allowed)) / slope};
    Signs signs(std::vector<Expr>{less(a, x), less(x, b), less(0, y)});
    try {
      const int s = signs.of(slope);
      const auto roots = real_zeros(e - y, Symbol::from(x), signs, a, b);
      if (s == 0 || !roots) return std::nullopt;
      for (const Expr& r : *roots) {  // the one between a and b
        const Expr middle = (a + b) / 2;
        if (vanishes(substitute(r, {{y, substitute(e, {{x, middle}}, Unused::allowed)}}, Unused::allowed) - middle))
          return Boundary{s > 0, r};
      }
    } catch (const UnknownSign&) {
    }
    return std::nullopt;
  };
  const auto at = [&](const Expr& e, const Expr& place) { return substitute(e, {{x, place}}, Unused::allowed); };
  if (!depends_on(c, x)) {
    const auto l = boundary(g);
    if (!l) return std::nullopt;
    const Expr& inverse = l->inverse;
    if (l->rises && vanishes(at(g, a) - c)) {
      out[0] = {x, inverse, b};
      out[1] = {y, c, at(g, b)};
      return out;
    }
    if (!l->rises && vanishes(at(g, b) - c)) {
      out[0] = {x, a, inverse};
      out[1] = {y, c, at(g, a)};
      return out;
    }
    return std::nullopt;
  }
  if (!depends_on(g, x)) {
    const auto l = boundary(c);
    if (!l) return std::nullopt;
    const Expr& inverse = l->inverse;
    if (l->rises && vanishes(at(c, b) - g)) {
      out[0] = {x, a, inverse};
      out[1] = {y, at(c, a), g};
      return out;
    }
    if (!l->rises && vanishes(at(c, a) - g)) {
      out[0] = {x, inverse, b};
      out[1] = {y, at(c, b), g};
      return out;
    }
  }
  return std::nullopt;
}

}  // namespace

IntegralResult integrate(const Expr& f, std::span<const IntegralRange> ranges, const IntegralOptions& options) {
  if (ranges.empty()) throw Error(ErrorKind::usage, "an integral needs a variable");
  for (std::size_t i = 0; i < ranges.size(); ++i) {
    for (std::size_t k = 0; k < i; ++k) {
      if (ranges[i].variable == ranges[k].variable)
        throw Error(ErrorKind::usage, fmt::format("{} is integrated over twice", to_text(ranges[i].variable)));
      if (mentions(ranges[i], ranges[k].variable)) {
        throw Error(
            ErrorKind::usage,
            fmt::format(
                "the range of {} depends on {}, which is integrated over further in; give the innermost range first",
                to_text(ranges[i].variable), to_text(ranges[k].variable)));
      }
    }
  }
  IntegralResult result = in_given_order(f, ranges, options);
  tidy(result, options.conditions);
  if (result.status == IntegralStatus::unevaluated) {
    if (const auto other = exchanged(ranges)) {
      IntegralResult second = in_given_order(f, *other, options);
      if (second.status == IntegralStatus::exact) {
        tidy(second, options.conditions);
        second.steps.insert(second.steps.begin(), "the order of the two inner integrations exchanged");
        return second;
      }
    }
  }
  return result;
}

}  // namespace boreon
