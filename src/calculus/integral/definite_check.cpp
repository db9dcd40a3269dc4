// SPDX-License-Identifier: MIT
// Definite integrals against quadrature.
#include <algorithm>
#include <array>
#include <cmath>
#include <complex>

#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/evidence.hpp"
#include "boreon/quadrature.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/breaks.hpp"
#include "calculus/integral/definite.hpp"
#include "calculus/integral/inside.hpp"
#include "calculus/integral/verify.hpp"
#include "calculus/parameter_points.hpp"
#include "expr/canonical.hpp"
#include "values/worst_entry.hpp"

namespace boreon {

namespace {

// Whether f grows beside the place at least like the reciprocal of the distance, without changing its sign there: then
// an integral up to it diverges.
bool blows_up(const Expr& f, const Symbol& x, const Expr& end, bool above, std::span<const Expr> leaves,
              std::span<const double> point) {
  double values[3];
  int i = 0;
  for (const int k : {4, 6, 8}) {
    const Expr place = end + (above ? 1 : -1) / power(Expr(10), k);
    const auto v = certified_value(substitute(f, {{x, place}}, Unused::allowed), leaves, point);
    if (!v || std::abs(v->imag()) > 1e-12 * std::abs(*v)) return false;
    values[i++] = v->real();
  }
  if (values[0] * values[1] <= 0 || values[1] * values[2] <= 0) return false;
  const auto grows = [&](int a) { return std::log10(values[a + 1] / values[a]) >= 2 * 0.999; };
  return grows(0) && grows(1);
}

bool blows_up_at_an_end(const Expr& f, const Symbol& x, const Expr& from, const Expr& to, std::span<const Expr> leaves,
                        std::span<const double> point) {
  return (!is_infinite(from) && blows_up(f, x, from, true, leaves, point)) ||
         (!is_infinite(to) && blows_up(f, x, to, false, leaves, point));
}

}  // namespace

Evidence check_definite(const Expr& f, const Symbol& x, const Expr& from, const Expr& to, const Expr& value,
                        std::span<const Expr> conditions, const DefiniteCheck& how) {
  Evidence out;
  out.method = "quadrature";
  out.entries = 1;
  out.digits = 15;
  ParameterPoints parameters({f, from, to, value}, x, conditions, how.seed);
  const auto& leaves = parameters.leaves();
  const std::size_t wanted = leaves.empty() ? 1 : how.points;
  std::size_t impossible = 0;
  constexpr std::size_t most_failures = 4;  // of a rule that has not converged anywhere: it is dear, and will not
  // two more of a wider range: the value may fail far away only
  const std::size_t far = leaves.empty() ? 0 : 2;
  std::size_t looked_far = 0;
  for (std::size_t attempt = 0; attempt < 4 * wanted + far; ++attempt) {
    if (out.points == 0 && out.skipped >= most_failures) break;
    const bool wide = looked_far > 0 || out.points >= wanted || attempt >= 4 * wanted;
    if (wide && looked_far++ == far) break;
    if (!(wide ? parameters.next_wide() : parameters.next())) break;
    const std::vector<double>& point = parameters.point();
    const auto claimed = certified_value(value, leaves, point);
    if (!claimed) continue;
    const Bindings at = parameters.bindings();
    QuadratureResult q;
    try {
      QuadratureOptions o;
      o.breaks = places_to_split(f, x, from, to, at);
      if (std::any_of(o.breaks.begin(), o.breaks.end(), [&](const Expr& place) {
            return blows_up(f, x, place, true, leaves, point) || blows_up(f, x, place, false, leaves, point);
          })) {
        ++impossible;
        break;
      }
      q = quadrature(f, x, from, to, at, o);
    } catch (const Error&) {
      continue;
    }
    if (!q.converged) {
      if (!wide) ++out.skipped;
      const bool complex = std::abs(claimed->imag()) > 1e-9 * std::abs(*claimed);
      // no value of an integral that diverges; no complex one of what is real
      if (q.reason.empty() && (complex || blows_up_at_an_end(f, x, from, to, leaves, point))) ++impossible;
      if (how.not_real != nullptr && !q.reason.empty()) *how.not_real = true;
      continue;
    }
    const double error = std::abs(*claimed - std::complex<double>(q.value));
    const double size = std::max(std::abs(q.value), 1e-9);
    const double slack = 20 * q.error;
    const double digits = error <= slack ? std::max(9.0, error == 0 ? 15 : std::min(15.0, -std::log10(error / size)))
                                         : agreeing_digits(error, size);
    if (wide && digits >= 7.5) continue;  // far away only what refutes counts
    ++out.points;
    if (digits <= out.digits) {
      out.digits = digits;
      keep_worst(out, "integral", claimed->real(), q.value, leaves, point);
    }
  }
  out.verdict = out.points == 0 ? Verdict::untested : out.digits >= 7.5 ? Verdict::agrees : Verdict::disagrees;
  if (impossible > 0) out.verdict = Verdict::disagrees;
  if (out.points == 0) out.digits = 0;
  return out;
}

namespace {

// Antiderivatives of a definite integral at one point of its parameters.
class LimitsAtPoint {
 public:
  LimitsAtPoint(std::span<const UsedAntiderivative> parts, const Expr& rest, const DefiniteProblem& p,
                std::span<const Expr> leaves, std::span<const double> point)
      : parts_(parts), rest_(rest), p_(p), leaves_(leaves), point_(point) {}

  /// By how much the claimed value differs from differences closer and closer to the ends.
  [[nodiscard]] std::optional<std::array<double, 3>> errors(std::complex<double> claimed) const {
    const auto constant = certified_value(rest_, leaves_, point_);
    if (!constant) return std::nullopt;
    std::array<double, 3> errors{};
    int i = 0;
    for (const int k : {3, 5, 8}) {
      std::complex<double> sum = *constant;
      for (const UsedAntiderivative& u : parts_) {
        for (std::size_t e = 0; e + 1 < u.ends.size(); ++e) {
          const auto upper = beside(u.F, u.ends[e + 1], false, k);
          const auto lower = beside(u.F, u.ends[e], true, k);
          if (!upper || !lower) return std::nullopt;
          sum += *upper - *lower;
        }
      }
      errors[static_cast<std::size_t>(i++)] = std::abs(sum - claimed);
    }
    return errors;
  }

  /// Between the ends each antiderivative grows as the integral of its derivative, which is known to be the integrand.
  [[nodiscard]] bool regular_inside() const {
    for (const UsedAntiderivative& u : parts_) {
      const Expr f = derivative(u.F, p_.x);
      for (std::size_t e = 0; e + 1 < u.ends.size(); ++e) {
        const auto a = number(u.ends[e]);
        const auto b = number(u.ends[e + 1]);
        if (a && b && *a < *b && !grows_as_integral(f, u.F, p_.x, *a, *b, leaves_, point_)) return false;
      }
    }
    return true;
  }

 private:
  // Beside a finite end by 10^-k, at 10^k for an infinite one.
  [[nodiscard]] std::optional<std::complex<double>> beside(const Expr& F, const Expr& end, bool above, int k) const {
    Expr at = power(Expr(10), k);
    if (end == -infinity()) {
      at = -at;
    } else if (!end.is_constant(ConstantCode::infinity)) {
      at = end + (above ? 1 : -1) / at;
    }
    return certified_value(substitute(F, {{p_.x, at}}, Unused::allowed), leaves_, point_);
  }

  [[nodiscard]] std::optional<double> number(const Expr& end) const {
    if (end.is_constant(ConstantCode::infinity)) return HUGE_VAL;
    if (end == -infinity()) return -HUGE_VAL;
    const auto v = value_at(end, leaves_, point_);
    return v && std::abs(v->imag()) < 1e-12 * std::abs(*v) + 1e-300 ? std::optional(v->real()) : std::nullopt;
  }

  std::span<const UsedAntiderivative> parts_;
  const Expr& rest_;
  const DefiniteProblem& p_;
  std::span<const Expr> leaves_;
  std::span<const double> point_;
};

}  // namespace

Evidence check_limits(std::span<const UsedAntiderivative> parts, const Expr& rest, const DefiniteProblem& p,
                      const Expr& value, std::span<const Expr> conditions, const DefiniteCheck& how) {
  Evidence out;
  out.method = "the antiderivative close to the ends of the range and in between";
  out.entries = 1;
  std::vector<Expr> all{p.integrand, value, rest};
  for (const UsedAntiderivative& u : parts) {
    all.push_back(u.F);
    all.insert(all.end(), u.ends.begin(), u.ends.end());
  }
  ParameterPoints parameters(std::move(all), p.x, conditions, how.seed);
  const auto& leaves = parameters.leaves();
  const std::size_t wanted = leaves.empty() ? 1 : how.points;
  bool good = true;
  out.digits = 15;
  for (std::size_t attempt = 0; attempt < 4 * wanted && out.points < wanted; ++attempt) {
    if (!parameters.next()) break;
    const LimitsAtPoint limits(parts, rest, p, leaves, parameters.point());
    const auto claimed = certified_value(value, leaves, parameters.point());
    if (!claimed) continue;
    const auto errors = limits.errors(*claimed);
    if (!errors) continue;
    ++out.points;
    const double size = std::max(std::abs(*claimed), 1e-6);
    const auto& [first, second, third] = *errors;
    const bool shrinks = third <= 1e-6 * size || (third < 0.7 * second + 1e-12 * size &&
                                                  second < 0.7 * first + 1e-12 * size && third < 0.2 * size + 1e-9);
    good = good && shrinks && limits.regular_inside();
    out.digits = std::min(out.digits, agreeing_digits(third, size));
  }
  out.verdict = out.points == 0 ? Verdict::untested : good ? Verdict::agrees : Verdict::disagrees;
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
