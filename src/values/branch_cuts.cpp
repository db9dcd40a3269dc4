// SPDX-License-Identifier: MIT
#include "values/branch_cuts.hpp"

#include <algorithm>

#include "boreon/catalogue.hpp"

namespace boreon {
namespace {

using Arguments = std::span<const Ball>;
using MayMeet = bool (*)(const Expr& call, Arguments a);

// The rectangle around a ball.
struct Box {
  double left, right, low, high;
  explicit Box(const Ball& z) : left(below(z.re())), right(above(z.re())), low(below(z.im())), high(above(z.im())) {}
  [[nodiscard]] bool meets_real_axis() const { return low <= 0 && high >= 0; }
  [[nodiscard]] bool meets_imaginary_axis() const { return left <= 0 && right >= 0; }

 private:
  static double below(arb_srcptr x) { return midpoint(x) - mag_get_d(arb_radref(x)); }
  static double above(arb_srcptr x) { return midpoint(x) + mag_get_d(arb_radref(x)); }
};

// Cuts along the real axis up to a place, from a place on, beyond -1 and 1; along the imaginary axis beyond -i and i.
bool up_to(const Ball& z, double place) {
  const Box b(z);
  return b.meets_real_axis() && b.left <= place;
}
bool from(const Ball& z, double place) {
  const Box b(z);
  return b.meets_real_axis() && b.right >= place;
}
bool real_beyond_one(const Ball& z) { return up_to(z, -1) || from(z, 1); }
bool imaginary_beyond_one(const Ball& z) {
  const Box b(z);
  return b.meets_imaginary_axis() && (b.high >= 1 || b.low <= -1);
}
bool whole_order(const Expr& call) { return call.operands()[0].word().has_value(); }

constexpr MayMeet nowhere = [](const Expr&, Arguments) { return false; };
constexpr MayMeet negative_axis = [](const Expr&, Arguments a) { return up_to(a.back(), 0); };
// In the last argument, and in no way if the orders before it are whole numbers.
constexpr MayMeet unless_whole = [](const Expr& e, Arguments a) { return !whole_order(e) && up_to(a.back(), 0); };
// Polynomials for whole orders; nothing is known for others.
constexpr MayMeet only_whole = [](const Expr& e, Arguments) {
  return !std::all_of(e.operands().begin(), e.operands().end() - 1, [](const Expr& o) { return o.word().has_value(); });
};

struct Row {
  std::string_view name;
  MayMeet may_meet;
};

// NIST Handbook of Mathematical Functions: 4.2, 4.23, 4.37, 5, 6, 7, 8, 9, 10, 18, 19.2, 25.
constexpr Row table[] = {
    {"exp", nowhere},
    {"exp2", nowhere},
    {"expm1", nowhere},
    {"sin", nowhere},
    {"cos", nowhere},
    {"tan", nowhere},
    {"sec", nowhere},
    {"csc", nowhere},
    {"cot", nowhere},
    {"sinh", nowhere},
    {"cosh", nowhere},
    {"tanh", nowhere},
    {"erf", nowhere},
    {"erfc", nowhere},
    {"erfi", nowhere},
    {"dawson", nowhere},
    {"Si", nowhere},
    {"Shi", nowhere},
    {"fresnel_S", nowhere},
    {"fresnel_C", nowhere},
    {"gamma", nowhere},
    {"factorial", nowhere},
    {"beta", nowhere},
    {"binomial", nowhere},
    {"digamma", nowhere},
    {"zeta", nowhere},
    {"airy_Ai", nowhere},
    {"airy_Bi", nowhere},
    {"airy_Ai_prime", nowhere},
    {"airy_Bi_prime", nowhere},
    {"polygamma", unless_whole},
    {"cyl_bessel_j", unless_whole},
    {"cyl_bessel_i", unless_whole},
    {"sph_bessel", unless_whole},
    {"cyl_neumann", negative_axis},
    {"cyl_bessel_k", negative_axis},
    {"sph_neumann", negative_axis},
    {"incomplete_gamma", negative_axis},
    {"log", negative_axis},
    {"log10", negative_axis},
    {"log2", negative_axis},
    {"sqrt", negative_axis},
    {"cbrt", negative_axis},
    {"lambert_W", negative_axis},
    {"lgamma", negative_axis},
    {"E1", negative_axis},
    {"Ei", negative_axis},
    {"Ci", negative_axis},
    {"Chi", negative_axis},
    {"legendre", only_whole},
    {"hermite", only_whole},
    {"laguerre", only_whole},
    {"assoc_laguerre", only_whole},
    {"assoc_legendre", [](const Expr& e, Arguments a) { return only_whole(e, a) || real_beyond_one(a.back()); }},
    {"log1p", [](const Expr&, Arguments a) { return up_to(a[0], -1); }},
    {"li", [](const Expr&, Arguments a) { return up_to(a[0], 1); }},
    {"acosh", [](const Expr&, Arguments a) { return up_to(a[0], 1); }},
    {"asin", [](const Expr&, Arguments a) { return real_beyond_one(a[0]); }},
    {"acos", [](const Expr&, Arguments a) { return real_beyond_one(a[0]); }},
    {"atanh", [](const Expr&, Arguments a) { return real_beyond_one(a[0]); }},
    {"atan", [](const Expr&, Arguments a) { return imaginary_beyond_one(a[0]); }},
    {"asinh", [](const Expr&, Arguments a) { return imaginary_beyond_one(a[0]); }},
    {"dilog", [](const Expr&, Arguments a) { return from(a[0], 1); }},
    {"polylog", [](const Expr&, Arguments a) { return from(a.back(), 1); }},
    {"conf_hyperg", nowhere},
    {"conf_hyperg_u", negative_axis},
    {"hyperg", [](const Expr&, Arguments a) { return from(a.back(), 1); }},
    {"elliptic_K", [](const Expr&, Arguments a) { return from(a[0], 1); }},
    {"elliptic_E", [](const Expr&, Arguments a) { return a.size() != 1 || from(a[0], 1); }},
};

const Row* find(std::string_view name) {
  const auto* const at = std::find_if(std::begin(table), std::end(table), [&](const Row& r) { return r.name == name; });
  return at == std::end(table) ? nullptr : at;
}

}  // namespace

bool may_meet_cut(const Expr& call, std::span<const Ball> arguments) {
  if (!call.has_symbols()) return false;  // one value, whatever it is
  if (!call.function().analytic) return true;
  const Row* const row = find(call.function().name);
  return row == nullptr || row->may_meet(call, arguments);
}

Ball ball_around(std::complex<double> place, double half_width) {
  Ball b = Ball::from(place);
  mag_set_d(arb_radref(b.re()), half_width);
  mag_set_d(arb_radref(b.im()), half_width);
  return b;
}

bool may_meet_negative_axis(const Ball& z) { return up_to(z, 0); }

bool has_known_cuts(std::string_view function) { return find(function) != nullptr; }

}  // namespace boreon
