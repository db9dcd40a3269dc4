// SPDX-License-Identifier: MIT
// Principal values against quadrature of the integrand folded around each of its poles.
#include <algorithm>
#include <cmath>
#include <complex>

#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/evidence.hpp"
#include "boreon/functions.hpp"
#include "boreon/integral.hpp"
#include "boreon/quadrature.hpp"
#include "calculus/integral/breaks.hpp"
#include "calculus/integral/definite.hpp"
#include "calculus/parameter_points.hpp"
#include "calculus/series/limit_engine.hpp"
#include "calculus/signs.hpp"
#include "values/worst_entry.hpp"

namespace boreon {
namespace {

// Numbers put in: the principal value as a sum of integrals that are regular.
class Folded {
 public:
  Folded(Expr f, const Symbol& x, Expr from, Expr to)
      : f_(std::move(f)), x_(x), from_(std::move(from)), to_(std::move(to)) {}

  /// Adds the integrals up; false where one of them does not converge.
  bool add(const std::vector<Expr>& poles) {
    for (std::size_t i = 0; i < poles.size(); ++i) {
      const Expr low = i == 0 ? from_ : (poles[i - 1] + poles[i]) / 2;
      const Expr high = i + 1 == poles.size() ? to_ : (poles[i] + poles[i + 1]) / 2;
      if (!around(poles[i], low, high)) return false;
    }
    return true;
  }
  [[nodiscard]] double value() const { return value_; }
  [[nodiscard]] double error() const { return error_; }
  [[nodiscard]] double residue() const { return residue_; }

 private:
  bool around(const Expr& pole, const Expr& low, const Expr& high) {
    const Symbol t("_t", {Assumption::positive});
    const auto at = [&](const Expr& place) { return substitute(f_, {{x_, place}}, Unused::allowed); };
    const Expr both = at(pole + t) + at(pole - t);
    const Expr below = has_infinity(low) ? infinity() : pole - low;
    const Expr above = has_infinity(high) ? infinity() : high - pole;
    const bool short_below = double_of(below).value_or(NAN) <= double_of(above).value_or(NAN);
    const Expr radius = short_below ? below : above;
    if (const auto beside = value_at(substitute(at(pole + t), {{t, Number::exact(1e-3)}}, Unused::allowed), {}, {}))
      residue_ = std::max(residue_, 1e-3 * std::abs(*beside));
    if (!fold(both, t, radius)) return false;
    if (has_infinity(radius)) return true;
    // what lies further away on the longer side
    if (short_below) return include(f_, x_, pole + radius, high);
    return include(f_, x_, low, pole - radius);
  }

  // Both sides together are an even function of t, which is flat at zero; closer than some parts in 10^4 the rounding
  // of the place of the pole would be seen instead.
  bool fold(const Expr& both, const Symbol& t, const Expr& radius) {
    const double width = std::min(1.0, double_of(radius).value_or(NAN));
    const Expr near(Number::exact(1e-4 * width));
    const auto at = [&](const Expr& place) {
      return value_at(substitute(both, {{t, place}}, Unused::allowed), {}, {});
    };
    const auto v = at(near);
    const auto closer = at(near / 10);
    if (!v || !closer || !std::isfinite(v->real()) || !std::isfinite(closer->real())) return false;
    // no pole, but a singularity that can be integrated
    const bool cancelled = std::abs(*v) * 1e-4 * width <= 1e-9 * residue_;
    if (!cancelled && std::abs(*v - *closer) > 1e-3 * std::abs(*v)) return include(both, t, 0, radius);
    value_ += v->real() * 1e-4 * width;
    return include(both, t, near, radius);
  }

  bool include(const Expr& g, const Symbol& variable, const Expr& from, const Expr& to) {
    if (from == to) return true;
    QuadratureOptions o;
    o.breaks = places_to_split(g, variable, from, to);
    const QuadratureResult q = quadrature(g, variable, from, to, {}, o);
    value_ += q.value;
    error_ += q.error;
    // where the two sides cancel, rounding is left of what they were
    return q.converged || q.error <= 1e-9 * residue_;
  }

  Expr f_;
  Symbol x_;
  Expr from_;
  Expr to_;
  double value_ = 0;
  double error_ = 0;
  double residue_ = 0;  // about
};

}  // namespace

Evidence check_principal(const Expr& f, const Symbol& x, const Expr& from, const Expr& to, const Expr& value,
                         std::span<const Expr> conditions, const DefiniteCheck& how) {
  Evidence out;
  out.method = "quadrature folded around the poles";
  out.entries = 1;
  out.digits = 15;
  ParameterPoints parameters({f, from, to, value}, x, conditions, how.seed);
  const std::size_t wanted = parameters.leaves().empty() ? 1 : how.points;
  for (std::size_t attempt = 0; attempt < 4 * wanted && out.points < wanted; ++attempt) {
    if (!parameters.next()) break;
    const auto claimed = certified_value(value, parameters.leaves(), parameters.point());
    if (!claimed) continue;
    const Bindings at = parameters.bindings();
    try {
      const auto bound = [&](const Expr& e) { return substitute(e, at, Unused::allowed); };
      const std::vector<Expr> poles = places_to_split(f, x, from, to, at);
      Folded folded(bound(f), x, bound(from), bound(to));
      if (poles.empty() || !folded.add(poles)) {
        ++out.skipped;
        continue;
      }
      const double error = std::abs(*claimed - std::complex<double>(folded.value()));
      const double size = std::max({std::abs(folded.value()), 1e-3 * folded.residue(), 1e-6});
      // folding takes digits close to the pole
      const double digits = error <= 20 * folded.error() ? 9.0 : agreeing_digits(error, size);
      ++out.points;
      if (digits > out.digits) continue;
      out.digits = digits;
      keep_worst(out, "integral", claimed->real(), folded.value(), parameters.leaves(), parameters.point());
    } catch (const Error&) {
      ++out.skipped;
    }
  }
  out.verdict = out.points == 0 ? Verdict::untested : out.digits >= 6.5 ? Verdict::agrees : Verdict::disagrees;
  if (out.points == 0) out.digits = 0;
  return out;
}

}  // namespace boreon
