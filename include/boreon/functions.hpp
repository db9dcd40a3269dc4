// SPDX-License-Identifier: MIT
// The known functions as C++ functions of Expr: the names of <cmath> (cyl_bessel_j and legendre
// among them), and those of the NIST handbook.
#pragma once

#include <algorithm>
#include <array>
#include <cstddef>
#include <string_view>

#include "boreon/catalogue.hpp"
#include "boreon/export.hpp"
#include "boreon/expr.hpp"

namespace boreon BOREON_API {

namespace detail {
template <std::size_t N>
struct FixedName {
  char text[N] = {};
  constexpr FixedName(const char (&s)[N]) { std::copy_n(s, N, text); }  // NOLINT(google-explicit-constructor)
};

template <FixedName name, class... Args>
Expr known(const Args&... args) {
  static const FunctionRow& row = *find_function(std::string_view(name.text));
  const std::array<Expr, sizeof...(Args)> list{Expr(args)...};
  return call(row, list);
}
}  // namespace detail

// NOLINTBEGIN(readability-identifier-naming): the names of the handbook
inline Expr sin(const Expr& x) { return detail::known<"sin">(x); }
inline Expr cos(const Expr& x) { return detail::known<"cos">(x); }
inline Expr tan(const Expr& x) { return detail::known<"tan">(x); }
inline Expr asin(const Expr& x) { return detail::known<"asin">(x); }
inline Expr acos(const Expr& x) { return detail::known<"acos">(x); }
inline Expr atan(const Expr& x) { return detail::known<"atan">(x); }
inline Expr sec(const Expr& x) { return detail::known<"sec">(x); }  ///< 1/cos(x)
inline Expr csc(const Expr& x) { return detail::known<"csc">(x); }  ///< 1/sin(x)
inline Expr cot(const Expr& x) { return detail::known<"cot">(x); }  ///< cos(x)/sin(x)
inline Expr atan2(const Expr& y, const Expr& x) { return detail::known<"atan2">(y, x); }
inline Expr sinh(const Expr& x) { return detail::known<"sinh">(x); }
inline Expr cosh(const Expr& x) { return detail::known<"cosh">(x); }
inline Expr tanh(const Expr& x) { return detail::known<"tanh">(x); }
inline Expr asinh(const Expr& x) { return detail::known<"asinh">(x); }
inline Expr acosh(const Expr& x) { return detail::known<"acosh">(x); }
inline Expr atanh(const Expr& x) { return detail::known<"atanh">(x); }
inline Expr exp(const Expr& x) { return detail::known<"exp">(x); }
inline Expr exp2(const Expr& x) { return detail::known<"exp2">(x); }
inline Expr expm1(const Expr& x) { return detail::known<"expm1">(x); }
inline Expr log(const Expr& x) { return detail::known<"log">(x); }
inline Expr log10(const Expr& x) { return detail::known<"log10">(x); }
inline Expr log2(const Expr& x) { return detail::known<"log2">(x); }
inline Expr log1p(const Expr& x) { return detail::known<"log1p">(x); }
inline Expr sqrt(const Expr& x) { return detail::known<"sqrt">(x); }  ///< x^(1/2)
inline Expr cbrt(const Expr& x) { return detail::known<"cbrt">(x); }  ///< the real root for real x
inline Expr hypot(const Expr& x, const Expr& y) { return detail::known<"hypot">(x, y); }
inline Expr hypot(const Expr& x, const Expr& y, const Expr& z) { return detail::known<"hypot">(x, y, z); }
inline Expr abs(const Expr& x) { return detail::known<"abs">(x); }
inline Expr sign(const Expr& x) { return detail::known<"sign">(x); }
inline Expr re(const Expr& x) { return detail::known<"re">(x); }
inline Expr im(const Expr& x) { return detail::known<"im">(x); }
inline Expr conjugate(const Expr& x) { return detail::known<"conjugate">(x); }
inline Expr arg(const Expr& x) { return detail::known<"arg">(x); }  ///< in (-pi, pi]
inline Expr floor(const Expr& x) { return detail::known<"floor">(x); }
inline Expr ceil(const Expr& x) { return detail::known<"ceil">(x); }
inline Expr round(const Expr& x) { return detail::known<"round">(x); }
inline Expr trunc(const Expr& x) { return detail::known<"trunc">(x); }
inline Expr fmod(const Expr& x, const Expr& y) { return detail::known<"fmod">(x, y); }
template <class... More>
Expr min(const Expr& x, const Expr& y, const More&... more) {
  return detail::known<"min">(x, y, more...);
}
template <class... More>
Expr max(const Expr& x, const Expr& y, const More&... more) {
  return detail::known<"max">(x, y, more...);
}
inline Expr heaviside(const Expr& x) { return detail::known<"heaviside">(x); }  ///< 1/2 at 0
inline Expr dirac_delta(const Expr& x) { return detail::known<"dirac_delta">(x); }
inline Expr lambert_W(const Expr& x) { return detail::known<"lambert_W">(x); }
inline Expr lambert_W(const Expr& branch, const Expr& x) { return detail::known<"lambert_W">(branch, x); }
inline Expr erf(const Expr& x) { return detail::known<"erf">(x); }
inline Expr erfc(const Expr& x) { return detail::known<"erfc">(x); }
inline Expr inverse_erf(const Expr& x) { return detail::known<"inverse_erf">(x); }
inline Expr erfi(const Expr& x) { return detail::known<"erfi">(x); }
inline Expr dawson(const Expr& x) { return detail::known<"dawson">(x); }
inline Expr gamma(const Expr& x) { return detail::known<"gamma">(x); }
inline Expr factorial(const Expr& n) { return detail::known<"factorial">(n); }  ///< gamma(n + 1)
inline Expr binomial(const Expr& n, const Expr& k) { return detail::known<"binomial">(n, k); }
inline Expr lgamma(const Expr& x) { return detail::known<"lgamma">(x); }  ///< log(abs(gamma(x)))
inline Expr digamma(const Expr& x) { return detail::known<"digamma">(x); }
inline Expr polygamma(const Expr& n, const Expr& x) { return detail::known<"polygamma">(n, x); }
inline Expr beta(const Expr& a, const Expr& b) { return detail::known<"beta">(a, b); }
inline Expr zeta(const Expr& x) { return detail::known<"zeta">(x); }
inline Expr stieltjes(const Expr& n) { return detail::known<"stieltjes">(n); }
inline Expr incomplete_gamma(const Expr& a, const Expr& x) {
  return detail::known<"incomplete_gamma">(a, x);
}  ///< upper
inline Expr dilog(const Expr& x) { return detail::known<"dilog">(x); }  ///< Li_2
inline Expr polylog(const Expr& s, const Expr& x) { return detail::known<"polylog">(s, x); }
inline Expr E1(const Expr& x) { return detail::known<"E1">(x); }
inline Expr Ei(const Expr& x) { return detail::known<"Ei">(x); }
inline Expr li(const Expr& x) { return detail::known<"li">(x); }
inline Expr Si(const Expr& x) { return detail::known<"Si">(x); }
inline Expr Ci(const Expr& x) { return detail::known<"Ci">(x); }
inline Expr Shi(const Expr& x) { return detail::known<"Shi">(x); }
inline Expr Chi(const Expr& x) { return detail::known<"Chi">(x); }
inline Expr fresnel_S(const Expr& x) { return detail::known<"fresnel_S">(x); }  ///< of sin(pi*t^2/2)
inline Expr fresnel_C(const Expr& x) { return detail::known<"fresnel_C">(x); }
inline Expr cyl_bessel_j(const Expr& n, const Expr& x) { return detail::known<"cyl_bessel_j">(n, x); }
inline Expr cyl_neumann(const Expr& n, const Expr& x) { return detail::known<"cyl_neumann">(n, x); }
inline Expr cyl_bessel_i(const Expr& n, const Expr& x) { return detail::known<"cyl_bessel_i">(n, x); }
inline Expr cyl_bessel_k(const Expr& n, const Expr& x) { return detail::known<"cyl_bessel_k">(n, x); }
inline Expr airy_Ai(const Expr& x) { return detail::known<"airy_Ai">(x); }
inline Expr airy_Bi(const Expr& x) { return detail::known<"airy_Bi">(x); }
inline Expr legendre(const Expr& n, const Expr& x) { return detail::known<"legendre">(n, x); }
inline Expr hermite(const Expr& n, const Expr& x) { return detail::known<"hermite">(n, x); }  ///< physicists'
inline Expr laguerre(const Expr& n, const Expr& x) { return detail::known<"laguerre">(n, x); }
inline Expr assoc_laguerre(const Expr& n, const Expr& m, const Expr& x) {
  return detail::known<"assoc_laguerre">(n, m, x);
}
inline Expr assoc_legendre(const Expr& l, const Expr& m, const Expr& x) {
  return detail::known<"assoc_legendre">(l, m, x);
}  ///< without (-1)^m
inline Expr conf_hyperg(const Expr& a, const Expr& c, const Expr& x) { return detail::known<"conf_hyperg">(a, c, x); }
inline Expr conf_hyperg_u(const Expr& a, const Expr& c, const Expr& x) {
  return detail::known<"conf_hyperg_u">(a, c, x);
}
inline Expr hyperg(const Expr& a, const Expr& b, const Expr& c, const Expr& x) {
  return detail::known<"hyperg">(a, b, c, x);
}
inline Expr sph_bessel(const Expr& n, const Expr& x) { return detail::known<"sph_bessel">(n, x); }
inline Expr sph_neumann(const Expr& n, const Expr& x) { return detail::known<"sph_neumann">(n, x); }
inline Expr sph_legendre(const Expr& l, const Expr& m, const Expr& theta) {
  return detail::known<"sph_legendre">(l, m, theta);
}  ///< with (-1)^m
inline Expr elliptic_K(const Expr& m) { return detail::known<"elliptic_K">(m); }  ///< parameter m = k^2 throughout
inline Expr elliptic_E(const Expr& m) { return detail::known<"elliptic_E">(m); }
inline Expr elliptic_E(const Expr& phi, const Expr& m) { return detail::known<"elliptic_E">(phi, m); }
inline Expr elliptic_F(const Expr& phi, const Expr& m) { return detail::known<"elliptic_F">(phi, m); }
// NOLINTEND(readability-identifier-naming)

}  // namespace BOREON_API
