// SPDX-License-Identifier: MIT
#include "values/root_value.hpp"

#include <fmt/format.h>
#include <boost/math/special_functions/fpclassify.hpp>
#include <boost/math/tools/toms748_solve.hpp>

#include <algorithm>
#include <cmath>
#include <functional>
#include <optional>

#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "expr/work.hpp"
#include "values/domains.hpp"
#include "values/graph_evaluator.hpp"

namespace boreon {
namespace {

[[noreturn]] void no_root(const Expr& root, const std::string& why) {
  throw Error(ErrorKind::domain, fmt::format("{}: {}", to_text(root, {100, {}}), why));
}

// The expression that changes its sign as a function of its variable; what binds symbols of its own inside is taken
// with the variable put in.
template <class Domain>
class SignChange {
 public:
  SignChange(const Domain& domain, const Expr& root)
      : domain_(domain), body_(root.operands()[0]), x_(root.operands()[1]), plan_({&body_, 1}) {
    postorder(body_, [&](const Expr& e) { nested_ = nested_ || needs_numbers_inside(e); });
  }
  [[nodiscard]] typename Domain::Value at(const Number& place) const {
    if (nested_) {
      const Expr inside = substitute(body_, {{x_, Expr(place)}}, Unused::allowed);
      return GraphEvaluator<Domain>(domain_).run(EvaluationPlan({&inside, 1}), none)[0];
    }
    return GraphEvaluator<Domain>(domain_).run(plan_, [&](const Expr& s, typename Domain::Value& v) {
      if (!(s == x_)) return false;
      v = domain_.number(place);
      return true;
    })[0];
  }

 private:
  static bool none(const Expr&, typename Domain::Value&) { return false; }
  Domain domain_;
  Expr body_;
  Expr x_;
  EvaluationPlan plan_;
  bool nested_ = false;
};

struct Bracket {
  double low = 0;
  double high = 0;
  double f_low = 0;
  double f_high = 0;
};

// The one part of the range over which the sign changes, of those that a scan tells apart.
Bracket scanned(const Expr& root, const std::function<double(double)>& f) {
  constexpr int parts = 16;
  const double a = evaluate(root.operands()[2]);
  const double b = evaluate(root.operands()[3]);
  if (!(a < b) || !std::isfinite(a) || !std::isfinite(b))
    no_root(root,
            fmt::format("the range of a root goes from a number to a greater one, not from {:.6g} to {:.6g}", a, b));
  std::vector<Bracket> found;
  double low = a;
  double f_low = f(a);
  const double at_start = f_low;
  double at_end = f_low;
  for (int k = 1; k <= parts; ++k) {
    const double high = k == parts ? b : a + (b - a) * k / parts;
    const double f_high = f(high);
    at_end = f_high;
    if (std::isnan(f_high)) continue;  // outside of the domain of something
    if (k == 1 && f_low == 0) found.push_back({low, low, 0, 0});
    if (f_high == 0) found.push_back({high, high, 0, 0});
    const bool both = f_low != 0 && f_high != 0 && !std::isnan(f_low);
    if (both && (f_low < 0) != (f_high < 0)) found.push_back({low, high, f_low, f_high});
    low = high;
    f_low = f_high;
  }
  if (found.size() == 1) return found[0];
  if (found.empty())
    no_root(root, fmt::format("there is no change of sign in the range: at its ends the values are {:.6g} and {:.6g}",
                              at_start, at_end));
  no_root(root, fmt::format("the sign changes near {:.6g} and near {:.6g}: narrow the range to one root", found[0].low,
                            found[1].high));
}

}  // namespace

double root_in_doubles(const Expr& root) {
  const SignChange<RealDomain> change(RealDomain{}, root);
  const std::function<double(double)> f = [&](double x) {
    spend(100);
    try {
      return change.at(Number::from_double(x));
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::domain) return std::nan("");
      throw;
    }
  };
  const Bracket b = scanned(root, f);
  if (b.low == b.high) return b.low;
  std::uintmax_t steps = 200;
  const auto [low, high] = boost::math::tools::toms748_solve(
      f, b.low, b.high, b.f_low, b.f_high, [](double p, double q) { return std::nextafter(p, q) == q || p == q; },
      steps);
  const double at_low = f(low);
  const double at_high = f(high);
  const bool first = !(std::fabs(at_low) > std::fabs(at_high));
  // near a root values are small, however steep: at a jump or a pole they are not
  if (!(std::fabs(first ? at_low : at_high) <= 1e-6 * (std::fabs(b.f_low) + std::fabs(b.f_high))))
    no_root(root, fmt::format("the sign changes near {:.15g} by a jump or a pole, not through zero", low));
  return first ? low : high;
}

namespace {

// The expression at a place with a sign that is certain.
struct Signed {
  int sign = 0;  // 0: exactly nothing
  Ball value;
};

// Empty where no precision that is allowed tells the sign.
std::optional<Signed> signed_at(const Expr& root, const Number& place, long precision) {
  for (long p = precision; p <= 8 * precision + 2000; p *= 2) {
    spend(200 + static_cast<std::uint64_t>(p));
    BallDomain domain;
    domain.precision = p;
    Ball v = SignChange<BallDomain>(domain, root).at(place);
    if (!v.finite() || arb_contains_zero(v.im()) == 0) continue;
    if (arb_is_positive(v.re()) != 0) return Signed{1, std::move(v)};
    if (arb_is_negative(v.re()) != 0) return Signed{-1, std::move(v)};
    if (arb_is_zero(v.re()) != 0) return Signed{0, std::move(v)};
  }
  return std::nullopt;
}

// Where the chord between two values of different signs meets zero, as a part of the way.
double chord(const Ball& at_low, const Ball& at_high) {
  Ball part;
  arb_sub(part.re(), at_low.re(), at_high.re(), 64);
  arb_div(part.re(), at_low.re(), part.re(), 64);
  return std::clamp(midpoint(part.re()), 0.0, 1.0);
}

}  // namespace

// A sign that is certain at both ends of a narrow interval encloses a place where it changes. Chords, tried a little to
// both sides, make the interval narrower by many digits at once where the slope hardly changes over it; otherwise it is
// halved.
Ball root_in_balls(const Expr& root, long precision) {
  const double near = root_in_doubles(root);
  const long bits = precision + 30;
  const Number middle = Number::exact(near);
  const auto certain = [&](const Number& place) {
    std::optional<Signed> s = signed_at(root, place, bits);
    if (!s)
      throw Error(ErrorKind::unsupported,
                  fmt::format("{} cannot be enclosed near {:.15g}: its sign does not change sharply there",
                              to_text(root, {80, {}}), near));
    return std::move(*s);
  };
  Number by = near == 0 ? Number::exact(1e-300) : Number::exact(std::fabs(near) * 0x1p-50);
  Number low = middle;
  Number high = middle;
  Signed below;
  Signed above;
  for (int k = 0; k < 40 && below.sign * above.sign >= 0; ++k, by = by * Number(4)) {
    low = middle - by;
    high = middle + by;
    below = certain(low);
    if (below.sign == 0) return Ball::from(low, precision);
    above = certain(high);
    if (above.sign == 0) return Ball::from(high, precision);
  }
  if (below.sign * above.sign >= 0)
    no_root(root, fmt::format("the sign does not change near {:.15g} when looked at with more digits", near));
  const auto enclosure = [&] {
    Ball value = Ball::from(low, bits);
    const Ball end = Ball::from(high, bits);
    arb_union(value.re(), value.re(), end.re(), bits);
    return value;
  };
  // Takes a place inside as the end of its sign; true where it is the root itself.
  const auto take = [&](const Number& place) {
    Signed s = certain(place);
    if (s.sign == 0) {
      low = high = place;
      return true;
    }
    (s.sign == below.sign ? low : high) = place;
    (s.sign == below.sign ? below : above) = std::move(s);
    return false;
  };
  for (long k = 0; k < precision + 1200; ++k) {
    Ball value = enclosure();
    if (low == high || arb_rel_accuracy_bits(value.re()) >= precision) return value;
    const Number width = high - low;
    const Number at = low + width * Number::exact(chord(below.value, above.value));
    const Number aside = width * Number::exact(0x1p-44);
    if (low < at - aside && take(at - aside)) continue;
    if (at + aside < high && low < at + aside && take(at + aside)) continue;
    if (width < (high - low) * Number(4)) (void)take((low + high) / Number(2));
  }
  return enclosure();
}

}  // namespace boreon
