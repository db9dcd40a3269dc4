// SPDX-License-Identifier: MIT
// Series about a point or infinity.
#include "boreon/series.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <optional>

#include "algebra/linear_terms.hpp"
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
#include "expr/canonical.hpp"

namespace boreon {

// x goes to infinity where the powers are those of 1/x.
Expr SeriesResult::power_of(const Number& exponent) const {
  const bool far = local.is(Kind::power) && local.operands()[1].is_integer(-1);
  return far ? power(local.operands()[0], Expr(-exponent)) : power(local, Expr(exponent));
}

Expr SeriesResult::expression() const {
  std::vector<Expr> list;
  for (const SeriesTerm& t : terms) list.push_back(t.coefficient * power_of(t.exponent));
  return factor * add(list);
}

namespace {

// Where a series is taken: from which side, and what stands for the distance.
struct Approach {
  Expr place;           // x as a function of the distance w
  Expr local;           // what the terms are powers of
  Expr distance;        // w as a function of x
  Expr logarithm;       // of the distance
  bool turned = false;  // local is -w: whole powers change sign with it
};

Approach approach(const Expr& x, const Expr& about, bool from_below, const Symbol& w) {
  if (about.is_constant(ConstantCode::infinity)) return {1 / w, 1 / x, 1 / x, -log(x)};
  if (about == -infinity()) return {-1 / w, -1 / x, -1 / x, -log(-x)};
  if (from_below) return {about - w, x - about, about - x, log(about - x), true};
  return {about + w, x - about, x - about, log(x - about)};
}

// The expansion in the distance to at least the order, with waves of what grows written out.
Expansion expanded(const Expr& in_w, const Symbol& w, const Symbol& log_w, Signs& signs, int order, bool far) {
  int target = std::max(order, 0) + 1;
  for (int attempt = 0;; ++attempt) {
    try {
      Expander expander(w, log_w, signs, target);
      expander.write_down(far);
      Expansion a = expander.of(in_w);
      if (a.exact || compare(a.order, Number(order)) > 0) {
        for (Power& t : a.terms) t.coefficient = expander.with_waves(t.coefficient);
        return a;
      }
    } catch (const NoExpansion& n) {
      if (n.why != "cancellation") throw;
    }
    if (attempt > 6) throw NoExpansion{"leading terms cancel to a high order"};
    target += attempt < 2 ? 3 : 2 * target;
  }
}

struct Factored {
  Expr growth = 0;  // the expansion is that of f*exp(-growth)
  Expansion rest;
};

// u^n and functions of order n about 0, where n is no number: a power of w with n in its exponent is taken in front.
// Each is w^(k*n) times what has an expansion; all parts have to share that power up to whole ones.
class PowersInFront {
 public:
  PowersInFront(const Symbol& w, const Symbol& log_w, Signs& signs, int order)
      : w_(w), log_w_(log_w), signs_(signs), order_(order) {}

  std::optional<Factored> operator()(const Expr& in_w) {
    const Expr marked = marked_powers(in_w);
    if (!exponent_ || !possible_) return std::nullopt;
    const Expr rest = derivative(marked, mark_);
    if (depends_on(rest, mark_)) return std::nullopt;
    if (!substitute(marked, {{mark_, 0}}, Unused::allowed).is_integer(0)) return std::nullopt;
    return Factored{*exponent_ * log_w_, expanded(rest, w_, log_w_, signs_, order_, false)};
  }

 private:
  Expr marked_powers(const Expr& e) {
    Rebuild pass([](const Expr&, Expr&) { return false; },
                 [&](const Expr& n) {
                   if (n.is(Kind::call)) {
                     const auto form = form_about_zero(n);
                     return form ? marked_powers(*form) : n;
                   }
                   if (n.is(Kind::power)) return marked(n.operands()[0], n.operands()[1], n);
                   if (!n.is(Kind::product)) return n;
                   Expr result = n.operands()[0];
                   for (const auto [base, exponent] : Parts(n)) result *= marked(base, exponent, power(base, exponent));
                   return result;
                 });
    return pass(e);
  }

  std::optional<Expr> form_about_zero(const Expr& n) {
    const bool of_order = is_call_of(n, "cyl_bessel_j") || is_call_of(n, "cyl_bessel_i");
    if (!of_order || n.operands()[0].is_number() || depends_on(n.operands()[0], w_)) return std::nullopt;
    const auto lead = leading(n.operands()[1]);
    if (!lead || lead->exponent.sign() <= 0) return std::nullopt;
    return regular_form(n, 0, {order_ + 3, power(w_, order_ + 1)});
  }

  Expr marked(const Expr& base, const Expr& exponent, const Expr& whole) {
    if (exponent.is_number() || depends_on(exponent, w_) || !depends_on(base, w_) || depends_on(base, mark_))
      return whole;
    const auto lead = leading(base);
    if (!lead || lead->exponent.is_zero()) return whole;
    const Expr power_of_w = Expr(lead->exponent) * exponent;
    if (!exponent_) exponent_ = power_of_w;
    const Expr more = expand(power_of_w - *exponent_);
    possible_ = possible_ && more.is_number();
    return mark_ * power(w_, more) * exp(exponent * log(expand(base / power(w_, Expr(lead->exponent)))));
  }

  std::optional<Power> leading(const Expr& u) {
    try {
      const Expansion a = expanded(u, w_, log_w_, signs_, 0, false);
      if (!a.empty()) return a.leading();
      const Expansion more = expanded(u, w_, log_w_, signs_, 4, false);
      return more.empty() ? std::nullopt : std::optional<Power>(more.leading());
    } catch (const NoExpansion&) {
      return std::nullopt;
    }
  }

  Symbol w_;
  Symbol log_w_;
  Symbol mark_{"_power_in_front"};
  Signs& signs_;
  int order_;
  std::optional<Expr> exponent_;
  bool possible_ = true;
};

Factored factored(const Expr& in_w, const Symbol& w, const Symbol& log_w, Signs& signs, int order, bool far) {
  try {
    std::optional<Expansion> plain;
    std::optional<NoExpansion> failed;
    try {
      plain = expanded(in_w, w, log_w, signs, order, far);
      if (plain->exact || !plain->empty()) return {0, *plain};
    } catch (const NoExpansion& n) {
      failed = n;
    }
    if (!far) {
      if (plain) return {0, *plain};
      if (auto in_front = PowersInFront(w, log_w, signs, order)(in_w)) return *in_front;
      throw *failed;
    }
    // it grows or falls faster than every power
    Expander expander(w, log_w, signs, std::max(order, 0) + 4);
    expander.write_down(far);
    try {
      const Expr growth = expander.growth(in_w);
      if (!growth.is_integer(0)) return {growth, expanded(in_w * exp(-growth), w, log_w, signs, order, far)};
    } catch (const NoExpansion&) {
    }
    if (failed) throw *failed;
    return {0, *plain};
  } catch (const NoExpansion& n) {
    throw Error(ErrorKind::unsupported, fmt::format("no series was found: {}", n.why));
  } catch (const UnknownSign& u) {
    throw Error(ErrorKind::unsupported,
                fmt::format("the series depends on the sign of {}; say which with --assume \"{} > 0\" or < 0",
                            to_text(u.of, {80, {}}), to_text(u.of, {80, {}})));
  }
}

// exp of a sum, with the terms c*log(base) as a power of it.
Expr exponential_factor(const Expr& sum, const Expr& base_of_powers) {
  const Expr logarithm = log(base_of_powers);
  std::vector<Expr> exponents;
  std::vector<Expr> rest;
  for (const Expr& term : terms_of(sum)) {
    bool once = false;
    for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
      once = once || (exponent.is_integer(1) && base == logarithm);
    });
    (once ? exponents : rest).push_back(once ? term / logarithm : term);
  }
  return power(base_of_powers, add(exponents)) * exp(add(rest));
}

SeriesResult one_sided(const Expr& f, const Expr& x, const Expr& about, int order, std::span<const Expr> conditions,
                       LimitSide side) {
  const Symbol w("_w", {Assumption::positive});
  const Symbol log_w("_log_w");
  const Approach way = approach(x, about, side == LimitSide::below, w);
  Signs signs(conditions);
  const bool far = is_infinite(about);
  const Factored found = factored(substitute(f, {{x, way.place}}, Unused::allowed), w, log_w, signs, order, far);
  const Expansion& a = found.rest;
  SeriesResult result;
  const Symbol positive("_x", {Assumption::positive});  // in place of x at infinity: roots of 1/x are roots of x
  const auto in_x = [&](const Expr& c) {
    const Expr distance = about.is_constant(ConstantCode::infinity) ? 1 / positive : way.distance;
    const Expr in_positive = substitute(c, {{log_w, way.logarithm}, {w, distance}}, Unused::allowed);
    return substitute(in_positive, {{positive, x}}, Unused::allowed);
  };
  result.factor = exponential_factor(expand(in_x(found.growth)), far ? x : way.distance);
  result.side = side;
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
    result.terms.push_back({t.exponent, c});
  }
  // from below whole powers are those of x - about; roots stay with what is positive
  const bool whole = std::all_of(result.terms.begin(), result.terms.end(),
                                 [](const SeriesTerm& t) { return t.exponent.is_integer(); });
  result.local = way.turned && !whole ? way.distance : way.local;
  for (SeriesTerm& t : result.terms) {
    if (way.turned && whole && !(t.exponent / Number(2)).is_integer()) t.coefficient = -t.coefficient;
    t.coefficient = in_x(t.coefficient);
  }
  return result;
}

// f and its series near the place, on one side of it, at one point of the parameters.
class NearThePlace {
 public:
  NearThePlace(const SeriesResult& s, const Expr& f, const Expr& x, const Expr& about, std::span<const Expr> conditions)
      : s_(s), f_(f / s.factor), sum_(s.expression() / s.factor), x_(x), about_(about) {
    const Expr list[] = {f, sum_, about};
    ParameterPoints parameters({std::begin(list), std::end(list)}, x, conditions, 20260101);
    known_ = unknown_calls({&f, 1}).empty() && parameters.next();
    if (known_) parameters_ = parameters.bindings();
  }

  struct Values {
    std::complex<double> value;
    std::complex<double> difference;
  };
  [[nodiscard]] std::optional<Values> at(double distance, bool below) const {
    if (!known_) return std::nullopt;
    const Expr step = Number::shortest_decimal(distance);
    const auto there = value(f_, step, below);
    if (!there) return std::nullopt;
    if (const auto difference = value(f_ - sum_, step, below)) return Values{*there, *difference};
    // nothing is left of a difference that cannot be told from zero
    const auto sum = value(sum_, step, below);
    if (sum && std::abs(*there - *sum) <= 1e-11 * std::abs(*there)) return Values{*there, 0};
    return std::nullopt;
  }

  enum class Fit { good, bad, unknown };
  /// Whether the remainder falls on this side as it should, whatever its constant.
  [[nodiscard]] Fit on(bool below) const {
    const auto far = at(1e-3, below);
    const auto near = at(1e-4, below);
    if (!far || !near) return Fit::unknown;
    const double error = std::abs(near->difference);
    const double size = std::max(std::abs(near->value), 1e-300);
    if (!std::isfinite(size) || !std::isfinite(std::abs(far->value))) return Fit::bad;
    if (error <= 1e-30 * size || error <= 1e-38) return Fit::good;
    if (s_.exact) return Fit::bad;
    const double slope = std::log10(std::abs(far->difference) / error);
    return slope >= s_.next.to_double() - 0.7 ? Fit::good : Fit::bad;
  }

  /// Whether the remainder falls by less than the order stated between two places far apart, so that neither its
  /// constant nor logarithms hide a coefficient that is wrong. A few places close together stand for each distance, for
  /// waves have zeros.
  [[nodiscard]] bool falls_too_slowly(bool below) const {
    const bool far = is_infinite(about_);
    const int first = far ? 2 : 3;
    const int last = far ? 4 : static_cast<int>(std::min(20.0, 250 / std::max(1.0, s_.next.to_double())));
    if (s_.exact || !known_ || last < first + 2) return false;
    double sizes[2] = {0, 0};  // of the remainder over the power that is claimed
    for (const int k : {0, 1}) {
      for (const int part : {97, 98, 100}) {
        const Expr step = Number(part, 100) * power(Expr(10), Expr(k == 0 ? -first : -last));
        const auto v = value(f_ - sum_, step, below, power(step, Expr(-s_.next)));
        if (!v) return false;
        sizes[k] = std::max(sizes[k], std::abs(*v));
      }
    }
    if (!(sizes[0] > 0 && sizes[1] > 0 && std::isfinite(sizes[0]))) return false;
    const int decades = last - first;
    const double lag = std::log10(sizes[1] / sizes[0]) / decades;  // in powers of the distance
    const double gap = s_.terms.empty() ? 1 : (s_.next - s_.terms.back().exponent).to_double();
    return lag > std::min(decades >= 12 ? 0.4 : 0.7, 0.9 * gap);
  }

  [[nodiscard]] std::optional<bool> real(bool below) const {
    const auto v = at(1e-3, below);
    if (!v) return std::nullopt;
    return std::abs(v->value.imag()) <= 1e-12 * std::abs(v->value);
  }

 private:
  // scale*e at a step from the place, as a certified number
  [[nodiscard]] std::optional<std::complex<double>> value(const Expr& e, const Expr& step, bool below,
                                                          const Expr& scale = 1) const {
    const Expr place = is_infinite(about_) ? (about_ == -infinity() ? -1 : 1) / step
                       : below             ? about_ - step
                                           : about_ + step;
    Bindings here = parameters_;
    try {
      here.set(x_, substitute(place, parameters_, Unused::allowed));
      return certified_value(scale * substitute(e, here, Unused::allowed), {}, {});
    } catch (const Error&) {
      return std::nullopt;
    }
  }

  const SeriesResult& s_;
  Expr f_;
  Expr sum_;
  const Expr& x_;
  const Expr& about_;
  Bindings parameters_;
  bool known_ = false;
};

bool same_terms(const SeriesResult& a, const SeriesResult& b) {
  if (!(a.local == b.local) || !(a.factor == b.factor) || a.terms.size() != b.terms.size()) return false;
  for (std::size_t i = 0; i < a.terms.size(); ++i) {
    if (!(a.terms[i].exponent == b.terms[i].exponent)) return false;
    if (!(a.terms[i].coefficient == b.terms[i].coefficient) &&
        !vanishes(a.terms[i].coefficient - b.terms[i].coefficient))
      return false;
  }
  return true;
}

// One expansion for both sides, or that of one side and the word for it: the side on which f is real, else above.
SeriesResult two_sided(const Expr& f, const Expr& x, const Expr& about, int order, std::span<const Expr> conditions) {
  std::optional<SeriesResult> above;
  std::optional<Error> failed;
  try {
    above = one_sided(f, x, about, order, conditions, LimitSide::above);
    // what is not known in numbers is taken as smooth
    if (!unknown_calls({&f, 1}).empty()) above->side = LimitSide::both;
    if (above->side == LimitSide::both ||
        NearThePlace(*above, f, x, about, conditions).on(true) == NearThePlace::Fit::good) {
      above->side = LimitSide::both;
      return *above;
    }
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::unsupported) throw;
    failed = e;
  }
  std::optional<SeriesResult> below;
  try {
    below = one_sided(f, x, about, order, conditions, LimitSide::below);
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::unsupported) throw;
  }
  if (!above && !below) throw *failed;
  if (above && below && same_terms(*above, *below)) {
    above->side = LimitSide::both;
    return *above;
  }
  const auto real = [&](const SeriesResult& s, bool from_below) {
    return NearThePlace(s, f, x, about, conditions).real(from_below).value_or(false);
  };
  const bool take_below = !above || (below && !real(*above, false) && real(*below, true));
  return take_below ? *below : *above;
}

}  // namespace

SeriesResult series(const Expr& f, const Expr& x, const Expr& about, int order, std::span<const Expr> conditions,
                    LimitSide side) {
  if (!x.is(Kind::symbol)) throw Error(ErrorKind::usage, "a series is taken in a symbol");
  if (depends_on(about, x)) throw Error(ErrorKind::usage, "the place of a series must not contain its variable");
  if (order < -1000 || order > 400) throw Error(ErrorKind::limit, "the order of a series is limited to 400");
  const Expr e = evaluate_derivatives(f);
  const bool far = is_infinite(about);
  if (far && side != LimitSide::both) throw Error(ErrorKind::usage, "infinity is approached from one side only");
  if (far) {
    SeriesResult result = one_sided(e, x, about, order, conditions, LimitSide::above);
    result.side = LimitSide::both;
    return result;
  }
  SeriesResult result = side == LimitSide::both ? two_sided(e, x, about, order, conditions)
                                                : one_sided(e, x, about, order, conditions, side);
  if (result.side == LimitSide::above) result.conditions.push_back(greater(x, about));
  if (result.side == LimitSide::below) result.conditions.push_back(less(x, about));
  return result;
}

SeriesEvidence check_series(const SeriesResult& s, const Expr& f, const Expr& x, const Expr& about,
                            std::span<const Expr> conditions) {
  SeriesEvidence out;
  const Expr e = evaluate_derivatives(f);
  const NearThePlace near(s, e, x, about, conditions);
  const double next = s.next.to_double();
  const bool far = is_infinite(about);
  for (const bool below : {false, true}) {
    if (below ? far || s.side == LimitSide::above : s.side == LimitSide::below) continue;
    if (near.falls_too_slowly(below)) {
      throw Error(ErrorKind::check,
                  fmt::format("the series found does not agree with values near the point: what is left does not fall "
                              "with the order {}{}",
                              s.next.to_string(),
                              far     ? ""
                              : below ? " below"
                                      : " above"));
    }
    for (const double w : {1e-2, 1e-3, 1e-4}) {
      const auto v = near.at(w, below);
      if (!v) continue;
      const double size = std::abs(v->value);
      const double error = std::abs(v->difference);
      // O(w^next) with a constant and some logarithms to spare
      const bool large =
          s.exact ? error > 1e-11 * size && error > 1e-38 : error > 1e8 * std::pow(w, next) && error > 1e-30 * size;
      if (large) {
        throw Error(
            ErrorKind::check,
            fmt::format(
                "the series found does not agree with values near the point (error {:.2g} at distance {:.2g}{})", error,
                w,
                far     ? ""
                : below ? " below"
                        : " above"));
      }
      ++out.points;
      out.digits = std::max(out.digits, error == 0 ? 15 : std::min(15.0, -std::log10(error / std::max(size, 1e-300))));
    }
  }
  return out;
}

}  // namespace boreon
