// SPDX-License-Identifier: MIT
// Definite integrals against quadrature.
#include <algorithm>
#include <cmath>
#include <complex>

#include "boreon/bindings.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/quadrature.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/breaks.hpp"
#include "calculus/integral/definite.hpp"
#include "calculus/integral/verify.hpp"
#include "calculus/parameter_points.hpp"

namespace boreon {

Evidence check_definite(const Expr& f, const Symbol& x, const Expr& from, const Expr& to, const Expr& value,
                        std::span<const Expr> conditions, const DefiniteCheck& how) {
  Evidence out;
  out.method = "quadrature";
  out.entries = 1;
  out.digits = 15;
  ParameterPoints parameters({f, from, to, value}, x, conditions, how.seed);
  const auto& leaves = parameters.leaves();
  const std::size_t wanted = leaves.empty() ? 1 : how.points;
  for (std::size_t attempt = 0; attempt < 4 * wanted && out.points < wanted; ++attempt) {
    if (!parameters.next()) break;
    const std::vector<double>& point = parameters.point();
    const auto claimed = certified_value(value, leaves, point);
    if (!claimed) continue;
    const Bindings at = parameters.bindings();
    QuadratureResult q;
    try {
      QuadratureOptions o;
      o.breaks = places_to_split(f, x, from, to, at);
      q = quadrature(f, x, from, to, at, o);
    } catch (const Error&) {
      continue;
    }
    if (!q.converged) {
      ++out.skipped;
      if (how.not_real != nullptr && !q.reason.empty()) *how.not_real = true;
      continue;
    }
    const double error = std::abs(*claimed - std::complex<double>(q.value));
    const double size = std::max(std::abs(q.value), 1e-9);
    const double slack = 20 * q.error;
    const double digits = error <= slack ? std::max(9.0, error == 0 ? 15 : std::min(15.0, -std::log10(error / size)))
                                         : std::clamp(-std::log10(error / size), 0.0, 15.0);
    ++out.points;
    if (digits <= out.digits) {
      out.digits = digits;
      out.worst_entry = "integral";
      out.worst_derived = claimed->real();
      out.worst_reference = q.value;
      out.worst_point.clear();
      for (std::size_t i = 0; i < leaves.size(); ++i) out.worst_point.emplace_back(to_text(leaves[i]), point[i]);
    }
  }
  out.verdict = out.points == 0 ? Verdict::untested : out.digits >= 7.5 ? Verdict::agrees : Verdict::disagrees;
  if (out.points == 0) out.digits = 0;
  return out;
}

Evidence check_limits(const Expr& F, const Symbol& x, std::span<const Expr> ends, const Expr& value,
                      std::span<const Expr> conditions, const DefiniteCheck& how) {
  Evidence out;
  out.method = "the antiderivative close to the ends of the range";
  out.entries = 1;
  std::vector<Expr> all{F, value};
  all.insert(all.end(), ends.begin(), ends.end());
  ParameterPoints parameters(std::move(all), x, conditions, how.seed);
  const auto& leaves = parameters.leaves();
  const std::size_t wanted = leaves.empty() ? 1 : how.points;
  bool shrinks = true;
  out.digits = 15;
  for (std::size_t attempt = 0; attempt < 4 * wanted && out.points < wanted; ++attempt) {
    if (!parameters.next()) break;
    const std::vector<double>& point = parameters.point();
    const auto claimed = certified_value(value, leaves, point);
    if (!claimed) continue;
    // beside a finite end by 10^-k, at 10^k for an infinite one
    const auto beside = [&](const Expr& end, bool above, int k) -> std::optional<std::complex<double>> {
      Expr at = power(Expr(10), k);
      if (end == -infinity()) {
        at = -at;
      } else if (!end.is_constant(ConstantCode::infinity)) {
        at = end + (above ? 1 : -1) / at;
      }
      return certified_value(substitute(F, {{x, at}}, Unused::allowed), leaves, point);
    };
    double errors[3];
    bool known = true;
    int i = 0;
    for (const int k : {3, 5, 8}) {
      std::complex<double> sum = 0;
      for (std::size_t e = 0; e + 1 < ends.size() && known; ++e) {
        const auto upper = beside(ends[e + 1], false, k);
        const auto lower = beside(ends[e], true, k);
        known = upper && lower;
        if (known) sum += *upper - *lower;
      }
      if (!known) break;
      errors[i++] = std::abs(sum - *claimed);
    }
    if (!known) continue;
    ++out.points;
    const double size = std::max(std::abs(*claimed), 1e-6);
    const bool fine =
        errors[2] <= 1e-6 * size || (errors[2] < 0.7 * errors[1] + 1e-12 * size &&
                                     errors[1] < 0.7 * errors[0] + 1e-12 * size && errors[2] < 0.2 * size + 1e-9);
    shrinks = shrinks && fine;
    out.digits = std::min(out.digits, errors[2] == 0 ? 15.0 : std::clamp(-std::log10(errors[2] / size), 0.0, 15.0));
  }
  out.verdict = out.points == 0 ? Verdict::untested : shrinks ? Verdict::agrees : Verdict::disagrees;
  if (out.points == 0) out.digits = 0;
  return out;
}

// Whether quadrature finds a finite value of what is said to diverge.
bool contradicts(const Expr& f, const Symbol& x, const Expr& from, const Expr& to, std::span<const Expr> conditions) {
  ParameterPoints parameters({f, from, to}, x, conditions, 20260101);
  if (!parameters.next()) return false;
  const Bindings at = parameters.bindings();
  bool oscillates = false;
  postorder(f, [&](const Expr& n) {
    oscillates = oscillates || is_call_of(n, "sin") || is_call_of(n, "cos") || is_call_of(n, "cyl_bessel_j");
  });
  if (oscillates) return false;  // summation methods give finite values to what has none
  try {
    QuadratureOptions o;
    o.breaks = places_to_split(f, x, from, to, at);
    const QuadratureResult q = quadrature(f, x, from, to, at, o);
    return q.converged && q.error < 1e-9 * std::abs(q.value);
  } catch (const Error&) {
  }
  return false;
}

std::vector<Expr> places_to_split(const Expr& f, const Expr& x, const Expr& from, const Expr& to,
                                  const Bindings& bindings) {
  const auto bound = [&](const Expr& e) { return substitute(e, bindings, Unused::allowed); };
  try {
    Signs signs;
    Expr low = bound(from);
    Expr high = bound(to);
    const auto width = signs.known(high - low);
    if (high == -infinity() || low.is_constant(ConstantCode::infinity) || (width && *width < 0)) std::swap(low, high);
    if (auto places = singular_places(bound(f), Symbol::from(x), signs, low, high)) return *places;
  } catch (const Error&) {
  } catch (const UnknownSign&) {
  }
  return {};
}

}  // namespace boreon
