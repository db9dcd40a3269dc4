// SPDX-License-Identifier: MIT
// Definite integrals of every class: all must come out in closed form, and quadrature of the test's own must confirm
// them.
#include <doctest/doctest.h>

#include <cmath>
#include <complex>

#include "boreon/cross_check.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/integral.hpp"
#include "boreon/quadrature.hpp"
#include "boreon/text.hpp"
#include "integral_table.hpp"

using namespace boreon;
using test::given;
using test::Given;
using test::values;

namespace {

struct Definite {
  const char* integrand;
  const char* variable;
  const char* from;
  const char* to;
  const char* assume;
  const char* at;
};
// clang-format off
constexpr Definite definites[] = {
    {"log(x)", "x", "0", "1", "", ""},
    {"x^2*exp(-x)", "x", "0", "infinity", "", ""},
    {"log(1 + 1/x^2)", "x", "0", "infinity", "", ""},
    {"sin(x)^4", "x", "0", "pi", "", ""},
    {"1/(3 + 2*cos(x))", "x", "0", "2*pi", "", ""},
    {"cos(x)^2/(1 + sin(x)^2)", "x", "0", "2*pi", "", ""},
    {"sqrt(4 - x^2)", "x", "0", "2", "", ""},
    {"1/sqrt(x*(1 - x))", "x", "0", "1", "", ""},
    {"x^2/sqrt(1 - x^2)", "x", "0", "1", "", ""},
    {"asin(x)", "x", "0", "1", "", ""},
    {"x*atan(x)", "x", "0", "1", "", ""},
    {"x^2*cos(x)", "x", "0", "pi", "", ""},
    {"exp(-x)*sin(x)", "x", "0", "infinity", "", ""},
    {"exp(-x^2)*cos(b*x)", "x", "-infinity", "infinity", "", "b=1.3"},
    {"x^4*exp(-a*x^2)", "x", "-infinity", "infinity", "a > 0", "a=0.8"},
    {"exp(-a*x)*cos(b*x)", "x", "0", "infinity", "a > 0", "a=0.7, b=1.2"},
    {"sin(x)/x", "x", "0", "infinity", "", ""},
    {"sin(a*x)/x", "x", "0", "infinity", "a > 0", "a=1.4"},
    {"(1 - cos(x))/x^2", "x", "0", "infinity", "", ""},
    {"(exp(-a*x) - exp(-b*x))/x", "x", "0", "infinity", "a > 0, b > 0", "a=0.7, b=1.9"},
    {"x^3/(exp(x) - 1)", "x", "0", "infinity", "", ""},
    {"x/(exp(x) + 1)", "x", "0", "infinity", "", ""},
    {"x^2/sinh(x)", "x", "0", "infinity", "", ""},
    {"1/(1 + x^4)", "x", "0", "infinity", "", ""},
    {"x^2/(1 + x^4)", "x", "-infinity", "infinity", "", ""},
    {"1/(1 + x^n)", "x", "0", "infinity", "n > 1", "n=2.7"},
    {"x^(a - 1)/(1 + x)", "x", "0", "infinity", "a > 0, a < 1", "a=0.4"},
    {"cos(k*x)/(x^2 + a^2)", "x", "0", "infinity", "k > 0, a > 0", "k=1.2, a=0.7"},
    {"x^3*sin(x)/(x^4 + 4)", "x", "-infinity", "infinity", "", ""},
    {"cos(x)/(x^2 + 2*x + 2)", "x", "-infinity", "infinity", "", ""},
    {"1/((x^2 + 1)*(x^2 + 4))", "x", "-infinity", "infinity", "", ""},
    {"log(x)/(1 + x^2)", "x", "0", "infinity", "", ""},
    {"log(x)^2/(1 + x^2)", "x", "0", "infinity", "", ""},
    {"exp(-x)*log(x)", "x", "0", "infinity", "", ""},
    {"log(x)/sqrt(x)*exp(-x)", "x", "0", "infinity", "", ""},
    {"log(1 - x)/x", "x", "0", "1", "", ""},
    {"log(x)^3", "x", "0", "1", "", ""},
    {"x^2*log(x)^2", "x", "0", "1", "", ""},
    {"log(x)/(1 - x)", "x", "0", "1", "", ""},
    {"log(sin(x))", "x", "0", "pi/2", "", ""},
    {"log(sin(x))", "x", "0", "pi", "", ""},
    {"x*log(sin(x))", "x", "0", "pi", "", ""},
    {"log(tan(x))", "x", "0", "pi/2", "", ""},
    {"x/(1 + sin(x))", "x", "0", "pi", "", ""},
    {"x*sin(x)/(1 + cos(x)^2)", "x", "0", "pi", "", ""},
    {"sqrt(tan(x))", "x", "0", "pi/2", "", ""},
    {"sin(x)^(1/2)", "x", "0", "pi/2", "", ""},
    {"sin(x)^6", "x", "0", "pi/2", "", ""},
    {"1/(1 + tan(x)^3)", "x", "0", "pi/2", "", ""},
    {"exp(cos(x))", "x", "0", "pi", "", ""},
    {"cos(z*sin(x))", "x", "0", "pi", "", "z=1.3"},
    {"cos(x)*cos(n*x)", "x", "0", "pi/2", "n integer", "n=4"},
    {"x*sin(n*x)", "x", "0", "pi", "n integer", "n=3"},
    {"x^2*cos(n*x)", "x", "-pi", "pi", "n integer", "n=3"},
    {"sin(m*x)*sin(n*x)", "x", "0", "pi", "m integer, n integer", "m=2, n=5"},
    {"abs(x)*cos(n*x)", "x", "-pi", "pi", "n integer", "n=3"},
    {"exp(a*x)*cos(n*x)", "x", "-pi", "pi", "n integer", "a=0.7, n=3"},
    {"heaviside(t - T/2)*exp(-(t - T/2)/tau)*cos(2*pi*n*t/T)", "t", "0", "T", "n integer, T > 0, tau > 0", "T=2, tau=0.5, n=2"},
    {"x*exp(-a*x)*cyl_bessel_j(0, b*x)", "x", "0", "infinity", "a > 0, b > 0", "a=0.9, b=1.2"},
    {"x*exp(-x^2)*cyl_bessel_j(0, k*x)", "x", "0", "infinity", "k > 0", "k=1.3"},
    {"cyl_bessel_j(0, x)", "x", "0", "infinity", "", ""},
    {"1/cosh(x)", "x", "-infinity", "infinity", "", ""},
    {"x^2/cosh(x)^2", "x", "0", "infinity", "", ""},
    {"exp(-x^2 - 1/x^2)", "x", "0", "infinity", "", ""},
    {"erfc(x)", "x", "0", "infinity", "", ""},
    {"exp(-x^2)*erf(x)", "x", "0", "infinity", "", ""},
    {"x*exp(-x^2)*erf(x)", "x", "0", "infinity", "", ""},
    {"1/(x^2 + 2*x + 5)", "x", "-infinity", "infinity", "", ""},
    {"1/(x^2 + 1)^3", "x", "-infinity", "infinity", "", ""},
    {"x^2/(x^2 + a^2)^2", "x", "0", "infinity", "a > 0", "a=1.2"},
    {"1/(x^3 + 1)", "x", "0", "infinity", "", ""},
    {"1/((1 + x)*sqrt(x))", "x", "0", "infinity", "", ""},
    {"sqrt(x)/(1 + x^2)", "x", "0", "infinity", "", ""},
    {"x^(-1/3)/(1 + x)", "x", "0", "infinity", "", ""},
    {"x^a*(1 - x)^b", "x", "0", "1", "a > 0, b > 0", "a=1.2, b=0.7"},
    {"x^5*(R - x)^(1/2)", "x", "0", "R", "R > 0", "R=1.6"},
    {"1/sqrt(1 - x^4)", "x", "0", "1", "", ""},
    {"sqrt(sin(x))*cos(x)", "x", "0", "pi/2", "", ""},
    {"sin(x)*sin(x/2)", "x", "0", "2*pi", "", ""},
    {"log(2 + cos(x))", "x", "0", "2*pi", "", ""},
    {"1/(5 + 4*cos(x))^2", "x", "0", "2*pi", "", ""},
    {"cos(2*x)/(5 + 4*cos(x))", "x", "0", "2*pi", "", ""},
    {"1/(1 + sin(x)^2)", "x", "0", "2*pi", "", ""},
    {"sin(x)^2/(5 - 3*cos(x))", "x", "0", "2*pi", "", ""},
    {"legendre(2, x)*x^2", "x", "-1", "1", "", ""},
    {"exp(-x)*x^n", "x", "0", "infinity", "n integer, n >= 0", "n=5"},
    {"cos(x^2)", "x", "0", "infinity", "", ""},
    {"sin(x^2)", "x", "0", "infinity", "", ""},
    {"sin(x)^3/x", "x", "0", "infinity", "", ""},
    {"sin(x)/(x*(1 + x^2))", "x", "0", "infinity", "", ""},
    {"(atan(2*x) - atan(x))/x", "x", "0", "infinity", "", ""},
    {"atan(x)/(1 + x)^2", "x", "0", "infinity", "", ""},
    {"x*log(1 + x)", "x", "0", "1", "", ""},
    {"log(1 + x)/x", "x", "0", "1", "", ""},
    {"x^3/(exp(x) - 1)^2*exp(x)", "x", "0", "infinity", "", ""},
    {"abs(cos(x))", "x", "0", "2*pi", "", ""},
    {"1/(2 + sin(x))", "x", "0", "4*pi", "", ""},
    {"abs(x^3 - x)", "x", "-2", "2", "", ""},
    {"floor(x)*x", "x", "0", "4", "", ""},
    {"max(sin(x), cos(x))", "x", "0", "pi", "", ""},
    {"sign(sin(x))", "x", "0", "7", "", ""},
    {"min(1, x^2)", "x", "-2", "3", "", ""},
    {"1/(x^2 + 1)*atan(x)", "x", "-1", "2", "", ""},
    {"x/abs(x)", "x", "-1", "3", "", ""},
    {"sqrt(x^2 - 2*x + 1)", "x", "0", "3", "", ""},
    {"log(abs(x - 1))", "x", "0", "3", "", ""},
    {"asin(sin(x))", "x", "0", "2*pi", "", ""},
    {"exp(-abs(x - 1))", "x", "-infinity", "infinity", "", ""},
    {"1/cbrt(x)", "x", "0", "8", "", ""},
    {"piecewise(x if x < 1, 2 - x if x < 2, 0 otherwise)", "x", "0", "5", "", ""},
    {"tan(x)^2", "x", "-1", "1", "", ""},
    {"1/(sin(x)^4 + cos(x)^4)", "x", "0", "2*pi", "", ""},
    {"sin(x)/abs(sin(x))*x", "x", "1", "4", "", ""},
    {"dirac_delta(x - 1)*x^2", "x", "0", "3", "", ""},
    {"(x - 1)^2*(x + 2)", "x", "-2", "1", "", ""},
    {"1/(x^2 + 4)", "x", "0", "2", "", ""},
    {"x/(x + 1)^3", "x", "0", "infinity", "", ""},
    {"log(x)/x^2", "x", "1", "infinity", "", ""},
    {"x^3*exp(-x^2)", "x", "0", "infinity", "", ""},
    {"exp(-x)/(1 + exp(-2*x))", "x", "0", "infinity", "", ""},
    {"sin(x)^2*cos(x)^4", "x", "0", "pi/2", "", ""},
    {"tan(x)^2", "x", "0", "pi/4", "", ""},
    {"1/cosh(x)^4", "x", "-infinity", "infinity", "", ""},
    {"x*sqrt(1 - x)", "x", "0", "1", "", ""},
    {"1/sqrt(x^2 + 2*x + 2)", "x", "0", "1", "", ""},
    {"sqrt(x*(2 - x))", "x", "0", "2", "", ""},
    {"x*asin(x)", "x", "0", "1", "", ""},
    {"atan(x)/x^2", "x", "1", "infinity", "", ""},
    {"x*exp(-x)*sin(x)", "x", "0", "infinity", "", ""},
    {"exp(-x)*cos(x)^2", "x", "0", "infinity", "", ""},
    {"exp(-x^2)", "x", "0", "1", "", ""},
    {"sin(x)/x", "x", "0", "pi", "", ""},
    {"1/sqrt(1 - sin(x)^2/2)", "x", "0", "pi/2", "", ""},
    {"sqrt(cos(x))", "x", "0", "pi/2", "", ""},
    {"exp(-a*x^2 - b*x)", "x", "0", "infinity", "a > 0, b > 0", "a=0.8, b=1.2"},
    {"x^2*exp(-a*x^2 + b*x)", "x", "-infinity", "infinity", "a > 0", "a=0.8, b=1.2"},
    {"exp(-a*x)*sin(b*x)/x", "x", "0", "infinity", "a > 0", "a=0.8, b=1.2"},
    {"x^(s - 1)*exp(-a*x)", "x", "0", "infinity", "s > 0, a > 0", "s=1.6, a=0.8"},
    {"x^(s-1)*cos(x)", "x", "0", "infinity", "s > 0, s < 1", "s=0.4"},
    {"sin(x)^2/x^2", "x", "0", "infinity", "", ""},
    {"(cos(a*x) - cos(b*x))/x", "x", "0", "infinity", "a > 0, b > 0", "a=0.8, b=1.7"},
    {"x^(p - 1)/(1 + x^q)", "x", "0", "infinity", "p > 0, q > p", "p=0.8, q=2.3"},
    {"x^3/(exp(a*x) + 1)", "x", "0", "infinity", "a > 0", "a=1.3"},
    {"x^4*exp(x)/(exp(x) - 1)^2", "x", "0", "infinity", "", ""},
    {"log(1 - exp(-x))", "x", "0", "infinity", "", ""},
    {"x/sinh(x)", "x", "0", "infinity", "", ""},
    {"x/sinh(a*x)", "x", "0", "infinity", "a > 0", "a=1.4"},
    {"sin(k*x)/sinh(x)", "x", "0", "infinity", "", "k=0.8"},
    {"1/(x^4 + a^4)", "x", "-infinity", "infinity", "a > 0", "a=1.2"},
    {"x^2/((x^2 + a^2)*(x^2 + b^2))", "x", "-infinity", "infinity", "a > 0, b > 0", "a=0.8, b=1.7"},
    {"cos(k*x)/(x^2 + a^2)^2", "x", "-infinity", "infinity", "k > 0, a > 0", "k=1.2, a=0.7"},
    {"x*sin(x)/(x^2 + 4*x + 20)", "x", "-infinity", "infinity", "", ""},
    {"sin(x)/(x*(x^2 + a^2))", "x", "0", "infinity", "a > 0", "a=0.9"},
    {"log(x)/(1 + x)^2", "x", "0", "infinity", "", ""},
    {"log(x)/(x^2 - 1)", "x", "0", "infinity", "", ""},
    {"log(x)^2*exp(-x)", "x", "0", "infinity", "", ""},
    {"log(1 + x^2)/x^2", "x", "0", "infinity", "", ""},
    {"log(1 + a^2/x^2)", "x", "0", "infinity", "a > 0", "a=1.3"},
    {"x^n*log(x)", "x", "0", "1", "n > -1", "n=1.6"},
    {"log(x)/sqrt(1 - x^2)", "x", "0", "1", "", ""},
    {"log(1 - x^2)", "x", "0", "1", "", ""},
    {"log(1 + x)/x^2*0 + log(1 - x + x^2)", "x", "0", "1", "", ""},
    {"1/(1 + a*cos(x))", "x", "0", "pi", "a > 0, a < 1", "a=0.6"},
    {"1/(a + b*sin(x))", "x", "0", "2*pi", "a > 0, b > 0, a > b", "a=1.7, b=0.6"},
    {"1/(a + b*cos(x))^2", "x", "0", "pi", "a > 0, a > b, b > -a", "a=1.7, b=0.6"},
    {"cos(3*x)/(5 - 4*cos(x))", "x", "0", "2*pi", "", ""},
    {"sin(x)^4*cos(x)^2", "x", "0", "2*pi", "", ""},
    {"cos(x)^6", "x", "0", "2*pi", "", ""},
    {"exp(z*cos(x))*cos(x)", "x", "0", "pi", "", "z=1.1"},
    {"cos(z*cos(x))", "x", "0", "pi", "", "z=1.4"},
    {"log(a + b*cos(x))", "x", "0", "pi", "a > b, b > 0", "a=1.9, b=0.8"},
    {"log(cos(x))", "x", "0", "pi/2", "", ""},
    {"x^2*sin(n*x)", "x", "0", "pi", "n integer", "n=2"},
    {"cos(a*x)*cos(n*x)", "x", "0", "pi", "n integer", "a=0.6, n=3"},
    {"(pi - x)*sin(n*x)", "x", "0", "pi", "n integer", "n=4"},
    {"exp(-x)*sin(n*pi*x)", "x", "0", "1", "n integer", "n=2"},
    {"x*(L - x)*sin(n*pi*x/L)", "x", "0", "L", "n integer, L > 0", "n=3, L=1.4"},
    {"sin(n*pi*x/L)^2", "x", "0", "L", "n integer, L > 0", "n=3, L=1.4"},
    {"piecewise(1 if t < T/2, -1 otherwise)*sin(2*pi*n*t/T)", "t", "0", "T", "n integer, T > 0", "n=3, T=1.6"},
    {"abs(sin(t))*cos(2*n*t)", "t", "0", "pi", "n integer", "n=2"},
    {"exp(-a*x)*cyl_bessel_j(1, b*x)", "x", "0", "infinity", "a > 0, b > 0", "a=0.8, b=1.3"},
    {"cyl_bessel_j(1, x)/x", "x", "0", "infinity", "", ""},
    {"x^2*exp(-x^2)*cyl_bessel_j(1, 2*x)", "x", "0", "infinity", "", ""},
    {"exp(-a*x)*erf(x)", "x", "0", "infinity", "a > 0", "a=0.9"},
    {"erfc(x)*x", "x", "0", "infinity", "", ""},
    {"E1(x)", "x", "0", "infinity", "", ""},
    {"x*E1(x)", "x", "0", "infinity", "", ""},
    {"exp(-a*abs(x))*cos(k*x)", "x", "-infinity", "infinity", "a > 0", "a=0.8, k=1.3"},
    {"sin(a*x^2)", "x", "-infinity", "infinity", "a > 0", "a=1.3"},
    {"cos(x^2)*x^2*0 + x*exp(-x)*cos(2*x)", "x", "0", "infinity", "", ""},
    {"1/(1 + exp(x))^2", "x", "0", "infinity", "", ""},
    {"1/sqrt(x)/(1 + x)^2", "x", "0", "infinity", "", ""},
    {"x^(3/2)*exp(-2*x)", "x", "0", "infinity", "", ""},
    {"1/(x^2 + a^2)^(3/2)", "x", "-infinity", "infinity", "a > 0", "a=1.2"},
    {"1/(x^2 + a^2)^(5/2)", "x", "0", "infinity", "a > 0", "a=1.2"},
    {"(1 - x^2)^(3/2)", "x", "-1", "1", "", ""},
    {"x^4*sqrt(1 - x^2)", "x", "0", "1", "", ""},
    {"hermite(2, x)^2*exp(-x^2)", "x", "-infinity", "infinity", "", ""},
    {"legendre(2, x)*legendre(4, x)", "x", "-1", "1", "", ""},
    {"legendre(4, x)^2", "x", "-1", "1", "", ""},
    {"exp(-x)*x^3*log(x)", "x", "0", "infinity", "", ""},
    {"(1 - exp(-a*x))/x^(3/2)", "x", "0", "infinity", "a > 0", "a=1.3"},
    {"sin(x)*exp(-x)/x", "x", "0", "infinity", "", ""},
    {"sqrt(x)*log(x)/(1 + x)^2", "x", "0", "infinity", "", ""},
    {"x*log(x)/(1 + x^2)^2", "x", "0", "infinity", "", ""},
    {"1/((1 + x^2)*(1 + x^3))", "x", "0", "infinity", "", ""},
    {"x*sin(x)^2", "x", "0", "pi", "", ""},
    {"x*sin(x)^3", "x", "0", "pi", "", ""},
    {"1/(1 + sin(x)^2)", "x", "-pi", "3*pi", "", ""},
    {"abs(sin(x) - 1/2)", "x", "0", "2*pi", "", ""},
    {"atan(tan(x)/2)*0 + 1/(3 + 2*sin(x))", "x", "0", "6*pi", "", ""},
    {"1/(x^2 - 2*x + 2)", "x", "-5", "5", "", ""},
    {"sqrt(1 + sin(2*x))", "x", "0", "pi", "", ""},
    {"floor(2*x)", "x", "0", "3", "", ""},
    {"sign(x^2 - 1)*x", "x", "-2", "3", "", ""},
    {"max(x, x^2)", "x", "-1", "2", "", ""},
    {"exp(-abs(x))*x^2", "x", "-infinity", "infinity", "", ""},
    {"heaviside(sin(x))", "x", "0", "10", "", ""},
    {"1/sqrt(abs(x))", "x", "-1", "4", "", ""},
    {"log(abs(x))", "x", "-2", "1", "", ""},
    {"x^(1/3)*0 + abs(x)^(1/3)", "x", "-8", "8", "", ""},
    {"1/sqrt(4 - x^2)", "x", "-2", "2", "", ""},
    {"acos(sin(x))", "x", "0", "2*pi", "", ""},
    {"(x^2 - 1)/(x - 1)", "x", "0", "3", "", ""},
    {"sin(x)/x", "x", "-pi", "pi", "", ""},
    {"atan(1/(x - 1))", "x", "0", "3", "", ""},
    {"1/(1 + tan(x)^2)", "x", "0", "pi", "", ""},
    {"sqrt(cos(x)^2)", "x", "0", "2*pi", "", ""},
    {"cos(n*x)/(2 + cos(x))", "x", "0", "2*pi", "n integer, n >= 0", "n=3"},
    {"cos(n*x)/(a + cos(x))", "x", "0", "pi", "a > 1, n integer, n >= 0", "a=1.7, n=2"},
    {"sin(n*x)*sin(x)/(5 - 4*cos(x))", "x", "0", "2*pi", "n integer, n > 0", "n=2"},
    {"cos(n*x)/(1 - 2*r*cos(x) + r^2)", "x", "0", "2*pi", "r > 0, r < 1, n integer, n >= 0", "r=0.4, n=3"},
    {"exp(cos(x))*cos(sin(x))", "x", "0", "2*pi", "", ""},
    {"exp(a*cos(x))*cos(a*sin(x) - 2*x)", "x", "0", "2*pi", "a > 0", "a=1.3"},
    {"atan(a*x)/(x*(b^2 + x^2))", "x", "0", "infinity", "a > 0, b > 0", "a=0.8, b=1.6"},
    {"erf(a*x)*exp(-b*x^2)", "x", "0", "infinity", "b > 0", "a=0.8, b=1.6"},
    {"cos(x^2 + x)", "x", "-infinity", "infinity", "", ""},
    {"cos(a*x^2)*cos(b*x)", "x", "0", "infinity", "a > 0", "a=0.9, b=1.4"},
    {"sin(x^n)", "x", "0", "infinity", "n > 1", "n=2.5"},
    {"sin(a*x)*sin(b*x)/x^2", "x", "0", "infinity", "", "a=0.9, b=2.4"},
    {"(sin(x) - x*cos(x))/x^3", "x", "0", "infinity", "", ""},
    {"sin(x)^5/x^4", "x", "0", "infinity", "", ""},
    {"sin(x)*sin(2*x)*sin(3*x)/x", "x", "0", "infinity", "", ""},
    {"(x^a - x^b)/log(x)", "x", "0", "1", "a > 0, b > 0", "a=0.7, b=2.2"},
    {"1/sqrt((a^2 - x^2)*(b^2 - x^2))", "x", "0", "a", "a > 0, b > a", "a=0.7, b=1.9"},
    {"1/(a*x^2 + b*x + c)^2", "x", "-infinity", "infinity", "a > 0, b^2 < 4*a*c", "a=0.7, b=0.4, c=1.1"},
    {"x^2*exp(x)/(exp(x) + 1)^2", "x", "-infinity", "infinity", "", ""},
    {"log(sin(x)^2)", "x", "0", "pi", "", ""},
    {"sqrt(1 + 1/x^2)", "x", "-2", "-1", "", ""},
    {"fmod(x, 2)", "x", "0", "5", "", ""},
};

constexpr Definite divergent[] = {
    {"1/x", "x", "-1", "1", "", ""},
    {"1/x^2", "x", "-1", "2", "", ""},
    {"1/(x - 1)^3", "x", "0", "2", "", ""},
    {"1/sin(x)", "x", "0", "1", "", ""},
    {"1/(x*(x - 3))", "x", "1", "5", "", ""},
    {"log(x)/(x - 2)^2", "x", "1", "3", "", ""},
    {"1/sqrt(x)", "x", "1", "infinity", "", ""},
    {"cos(x)", "x", "0", "infinity", "", ""},
    {"x*sin(x)", "x", "0", "infinity", "", ""},
    {"exp(x)", "x", "0", "infinity", "", ""},
    {"1/(x^2 - 1)", "x", "-2", "2", "", ""},
    {"1/(1 + cos(x))", "x", "0", "2*pi", "", ""},
    {"1/(2*sin(x) - 1)", "x", "0", "pi", "", ""},
    {"x/(x^2 + 1)", "x", "-infinity", "infinity", "", ""},
    {"tan(x)^2", "x", "0", "pi", "", ""},
    {"1/(x*log(x))", "x", "0", "1/2", "", ""},
    {"1/(exp(x) - 1)", "x", "0", "1", "", ""},
    {"1/(x^3 - x)", "x", "1/2", "2", "", ""},
    {"x^2/(x^3 + 1)", "x", "0", "infinity", "", ""},
    {"cosh(x)", "x", "-infinity", "infinity", "", ""},
    {"1/(x^4 - 1)", "x", "0", "infinity", "", ""},
    {"1/x^3", "x", "-1", "1", "", ""},
    {"1/x^2", "x", "-1", "2", "", ""},
    {"1/(x - 1)^3", "x", "0", "2", "", ""},
    {"1/sin(x)", "x", "0", "1", "", ""},
    {"1/(x*(x - 3))", "x", "1", "5", "", ""},
    {"log(x)/(x - 2)^2", "x", "1", "3", "", ""},
    {"1/sqrt(x)", "x", "1", "infinity", "", ""},
    {"cos(x)", "x", "0", "infinity", "", ""},
    {"x*sin(x)", "x", "0", "infinity", "", ""},
    {"exp(x)", "x", "0", "infinity", "", ""},
    {"1/(x^2 - 1)", "x", "-2", "2", "", ""},
    {"1/(1 + cos(x))", "x", "0", "2*pi", "", ""},
    {"1/(2*sin(x) - 1)", "x", "0", "pi", "", ""},
    {"x/(x^2 + 1)", "x", "-infinity", "infinity", "", ""},
    {"tan(x)^2", "x", "0", "pi", "", ""},
    {"1/(x*log(x))", "x", "0", "1/2", "", ""},
    {"1/(exp(x) - 1)", "x", "0", "1", "", ""},
    {"1/(x^3 - x)", "x", "1/2", "2", "", ""},
    {"x^2/(x^3 + 1)", "x", "0", "infinity", "", ""},
    {"cosh(x)", "x", "-infinity", "infinity", "", ""},
    {"1/(x^4 - 1)", "x", "0", "infinity", "", ""},
    {"1/(x^2 - x)", "x", "0", "1/2", "", ""},
    {"1/(1 - cos(x))", "x", "0", "1", "", ""},
    {"x^2", "x", "0", "infinity", "", ""},
    {"1/sqrt(x^2 - 1)", "x", "2", "infinity", "", ""},
    {"exp(-x)/x^2", "x", "0", "1", "", ""},
    {"log(x)/x", "x", "0", "1", "", ""},
    {"1/(sin(x) - cos(x))", "x", "0", "pi", "", ""},
    {"1/(x - 2)^2", "x", "0", "infinity", "", ""},
    {"sin(x)^2", "x", "0", "infinity", "", ""},
    {"1/(exp(x) - 2)", "x", "0", "2", "", ""},
    {"cosh(x)/sinh(x)", "x", "-1", "1", "", ""},
    {"exp(x)/(1 + exp(x))", "x", "-infinity", "infinity", "", ""},
};
// clang-format on

}  // namespace

TEST_CASE("table: definite integrals against quadrature at given parameters") {
  int compared = 0;
  for (const Definite& row : definites) {
    INFO(std::string(row.integrand) << " from " << std::string(row.from) << " to " << std::string(row.to));
    const Given g = given(row.assume);
    const Expr f = parse(row.integrand, g.context);
    const Expr x = parse(row.variable, g.context);
    const Expr from = parse(row.from, g.context);
    const Expr to = parse(row.to, g.context);
    IntegralOptions o;
    o.conditions = g.conditions;
    const IntegralResult r = integrate(f, x, from, to, o);
    REQUIRE(r.status == IntegralStatus::exact);
    const Bindings at = values(row.at);
    Expr value = r.value;
    for (const IntegralException& e : r.exceptions) {
      if (substitute(e.when, at, Unused::allowed).is_constant(ConstantCode::true_value)) {
        value = e.value;
        break;
      }
    }
    QuadratureOptions q;
    q.breaks = places_to_split(f, x, from, to, at);
    if (std::string(row.integrand).find("dirac_delta") != std::string::npos) continue;
    const QuadratureResult numeric = quadrature(f, x, from, to, at, q);
    if (!numeric.converged) continue;
    ++compared;
    const std::complex<double> got = evaluate_complex(substitute(value, at, Unused::allowed), {});
    INFO(to_text(value));
    CHECK(std::abs(got - numeric.value) <= 1e-8 * std::abs(numeric.value) + 50 * numeric.error + 1e-10);
  }
  CHECK(compared > 150);
}

TEST_CASE("table: divergent integrals are told as such") {
  for (const Definite& row : divergent) {
    INFO(std::string(row.integrand) << " from " << std::string(row.from) << " to " << std::string(row.to));
    const IntegralResult r = integrate(parse(row.integrand), parse(row.variable), parse(row.from), parse(row.to));
    CHECK(r.status == IntegralStatus::divergent);
    CHECK_FALSE(r.reason.empty());
  }
}

TEST_CASE("complex integrands by their parts, impulses at the zeros of a polynomial") {
  const Symbol x("x");
  const auto value = [&](const char* f, const char* from, const char* to) {
    const IntegralResult r = integrate(parse(f), x, parse(from), parse(to));
    REQUIRE(r.status == IntegralStatus::exact);
    return evaluate_complex(r.value, {});
  };
  const double root = std::sqrt(std::acos(-1.0) / 2);
  CHECK(std::abs(value("exp(1i*x^2)", "-infinity", "infinity") - std::complex<double>(root, root)) < 1e-12);
  CHECK(std::abs(value("x*exp(-(1 + 2i)*x)", "0", "infinity") - 1.0 / std::pow(std::complex<double>(1, 2), 2)) < 1e-12);
  CHECK(std::abs(value("1/(x^2 + 1i)", "-infinity", "infinity") -
                 std::acos(-1.0) / std::sqrt(std::complex<double>(0, 1))) < 1e-12);
  CHECK(std::abs(value("dirac_delta(x^2 - 1)*exp(x)", "-2", "2") - std::cosh(1.0)) < 1e-12);
  CHECK(std::abs(value("dirac_delta(x^3 - x)*cos(x)", "-2", "2") - 1.0 - std::cos(1.0)) < 1e-12);
  CHECK(integrate(parse("dirac_delta(x^2)"), x, -1, 1).status == IntegralStatus::unevaluated);
}
