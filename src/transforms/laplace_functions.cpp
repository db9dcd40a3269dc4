// SPDX-License-Identifier: MIT
// Laplace transforms of single functions, most of them with a power of t in front (NIST Handbook, chapters 6, 7, 10 and
// 11; Erdelyi et al., Tables of Integral Transforms I, chapter 4).
#include <optional>

#include "boreon/functions.hpp"
#include "boreon/simplify.hpp"
#include "boreon/traverse.hpp"
#include "transforms/laplace_rules.hpp"

namespace boreon::transforms {

// kernel*t^power, where the kernel has no factor t.
namespace {

std::optional<Image> above_zero(const Expr& value) { return Image{value, {0}}; }

}  // namespace

// a of an argument a*t^q; nothing for other arguments.
std::optional<Expr> LaplaceRules::scale_of(const Expr& kernel, const Expr& q) const {
  const Expr a = kernel.operands().back() / boreon::power(t_, q);
  return depends_on(a, t_) ? std::nullopt : std::optional<Expr>(a);
}

LaplaceRules::Found LaplaceRules::of_exponential(const Expr& kernel, const Expr& power) {
  const Expr s = s_;
  const Expr half = Expr(1) / 2;
  const auto scale = [&](const Expr& q) { return scale_of(kernel, q); };
  const bool no_power = power.is_integer(0);
  if (const auto c = scale(-1); c && signs_.of(*c) < 0) {
    const Expr root = 2 * sqrt(-*c * s);
    if (power == -half) return above_zero(sqrt(pi()) * boreon::power(s, -half) * exp(-root));
    if (power == -3 * half) return above_zero(sqrt(-pi() / *c) * exp(-root));
    const Expr order = power + 1;
    return above_zero(2 * boreon::power(-*c, order / 2) * boreon::power(s, -order / 2) * cyl_bessel_k(order, root));
  }
  if (const auto c = scale(2); c && no_power && signs_.of(*c) < 0) {
    const Expr a = -*c;
    return Image{sqrt(pi() / a) / 2 * exp(s * s / (4 * a)) * erfc(s / (2 * sqrt(a))), {}};
  }
  if (const auto c = scale(half); c && no_power) {
    const Expr z = *c / (2 * sqrt(s));
    return above_zero(1 / s + *c * sqrt(pi()) / 2 * boreon::power(s, -3 * half) * exp(z * z) * (1 + erf(z)));
  }
  return std::nullopt;
}

LaplaceRules::Found LaplaceRules::of_cylinder_function(const Expr& kernel, const Expr& power) {
  const Expr s = s_;
  const Expr half = Expr(1) / 2;
  const auto scale = [&](const Expr& q) { return scale_of(kernel, q); };
  const auto is = [&](std::string_view n) { return kernel.function().name == n; };
  const bool no_power = power.is_integer(0);
  const Expr sign = is("cyl_bessel_j") ? 1 : -1;
  const Expr& n = kernel.operands()[0];
  if (const auto a = scale(1)) {
    if (signs_.of(*a) < 0) return std::nullopt;
    const Expr under = s * s + sign * *a * *a;
    const Expr bound = is("cyl_bessel_j") ? Expr(0) : *a;
    if (no_power && signs_.of(n + 1) > 0) {
      return Image{boreon::power((s - sqrt(under)) * -sign / *a, n) / sqrt(under), {bound}};
    }
    if (power == n && signs_.of(2 * n + 1) > 0) {
      return Image{boreon::power(2 * *a, n) * gamma(n + half) / sqrt(pi()) * boreon::power(under, -n - half), {bound}};
    }
    return std::nullopt;
  }
  if (const auto a = scale(half); a && power == n / 2 && signs_.of(n + 1) > 0)
    return above_zero(boreon::power(*a / 2, n) * boreon::power(s, -n - 1) * exp(-sign * *a * *a / (4 * s)));
  return std::nullopt;
}

LaplaceRules::Found LaplaceRules::of_error_function(const Expr& kernel) {
  const Expr s = s_;
  const Expr half = Expr(1) / 2;
  const auto scale = [&](const Expr& q) { return scale_of(kernel, q); };
  const auto is = [&](std::string_view n) { return kernel.function().name == n; };
  std::optional<Expr> complement;  // transform of erfc
  if (const auto a = scale(1); a && signs_.of(*a) > 0) {
    const Expr of_erf = exp(s * s / (4 * *a * *a)) * erfc(s / (2 * *a)) / s;
    complement = 1 / s - of_erf;
    if (is("erf")) return above_zero(of_erf);
  } else if (const auto b = scale(half); b && signs_.of(*b) > 0) {
    const Expr of_erf = *b / (s * sqrt(s + *b * *b));
    complement = 1 / s - of_erf;
    if (is("erf")) return above_zero(of_erf);
  } else if (const auto c = scale(-half); c && signs_.of(*c) > 0) {
    complement = exp(-2 * *c * sqrt(s)) / s;
    if (is("erf")) return above_zero(1 / s - *complement);
  }
  if (!complement) return std::nullopt;
  return above_zero(*complement);
}

LaplaceRules::Found LaplaceRules::of_function(const Expr& kernel, const Expr& power) {
  if (!kernel.is(Kind::call) || kernel.operands().empty()) return std::nullopt;
  const auto name = kernel.function().name;
  const Expr s = s_;
  const Expr half = Expr(1) / 2;
  const auto scale = [&](const Expr& q) { return scale_of(kernel, q); };
  const bool no_power = power.is_integer(0);
  const auto is = [&](std::string_view n) { return name == n; };

  if (is("exp")) return of_exponential(kernel, power);
  if (is("log")) {
    const auto a = scale(1);
    if (!a || signs_.of(*a) < 0 || signs_.of(power + 1) <= 0) return std::nullopt;
    return above_zero(gamma(power + 1) * boreon::power(s, -power - 1) * (digamma(power + 1) + log(*a) - log(s)));
  }
  if (is("sin") && no_power) {
    if (const auto a = scale(half))
      return above_zero(sqrt(pi()) * *a / 2 * boreon::power(s, -3 * half) * exp(-*a * *a / (4 * s)));
    return std::nullopt;
  }
  if (is("sinh") && no_power) {
    if (const auto a = scale(half))
      return above_zero(sqrt(pi()) * *a / 2 * boreon::power(s, -3 * half) * exp(*a * *a / (4 * s)));
    return std::nullopt;
  }
  if ((is("cos") || is("cosh")) && power == -half) {
    if (const auto a = scale(half))
      return above_zero(sqrt(pi()) * boreon::power(s, -half) * exp((is("cos") ? -1 : 1) * *a * *a / (4 * s)));
    return std::nullopt;
  }
  if (is("cyl_bessel_j") || is("cyl_bessel_i")) return of_cylinder_function(kernel, power);
  if (!no_power) return std::nullopt;
  if (is("erf") || is("erfc")) return of_error_function(kernel);
  const auto a = scale(1);
  if (!a) return std::nullopt;
  if (is("Si")) return above_zero(atan(*a / s) / s);
  if (is("Ci") && signs_.of(*a) > 0) return above_zero(-log(1 + s * s / (*a * *a)) / (2 * s));
  if (is("E1") && signs_.of(*a) > 0) return above_zero(log(1 + s / *a) / s);
  if (is("Ei") && signs_.of(*a) < 0) return above_zero(-log(1 - s / *a) / s);
  if (is("laguerre") && kernel.operands()[0].word()) {
    const Expr& n = kernel.operands()[0];
    return above_zero(boreon::power(s - *a, n) * boreon::power(s, -n - 1));
  }
  return std::nullopt;
}

}  // namespace boreon::transforms
