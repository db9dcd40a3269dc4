// SPDX-License-Identifier: MIT
// The expander at calls of known functions: rows for singular places, integrals of derivatives, derivatives at a place.
#include <fmt/format.h>

#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"
#include "calculus/series/cut_sides.hpp"
#include "calculus/series/expansion.hpp"

namespace boreon {

// Whether the derivatives of a call at `place` are to be conjugated, because its argument comes from the other side of
// the cut than that on which the value there lies.
bool Expander::mirrored(const Expr& e, std::size_t argument, const Expr& place, const Expansion& rest) const {
  if (!e.is(Kind::call)) return false;
  if (!has_imaginary_unit(e.operands()[argument])) return false;  // real arguments stay on the axis, also on a cut
  const BesideCut above = beside_cut(e, argument, place, 1);
  const BesideCut below = beside_cut(e, argument, place, -1);
  if (above == BesideCut::regular && below == BesideCut::regular) return false;
  const int side = side_of_axis(rest, 0, true);
  if (side == 0) return false;
  const BesideCut met = side > 0 ? above : below;
  if (met == BesideCut::unknown)
    throw NoExpansion{fmt::format("of {} it is not known what it is beside its branch cut", e.function().name)};
  return met == BesideCut::mirrored;
}

// f' expanded and integrated: for functions whose derivative is simpler than they are.
Expansion Expander::by_derivative(const Expr& e) {
  std::size_t i = 0;
  while (!depends_on(e.operands()[i], w_)) ++i;
  const Expr& u = e.operands()[i];
  Expr place = 0;
  Expansion rest;
  place = finite_part(of(u), rest);
  if (has_log(place)) throw NoExpansion{"nested logarithms"};
  if (const auto turned = turned_onto_real_axis(e, place)) return of(*turned);
  Expr constant_term;
  if (const auto c = finite_constant(e, place)) {
    // f(u) = +-log(u - place) + c + ...: the derivative carries the logarithm of w, not that of u
    Expansion leading = rest;
    if (!drop_leading_zeros(leading)) throw NoExpansion{"cancellation"};
    constant_term = substitute(*c, {{Symbol("_scale"), leading.leading().coefficient}}, Unused::allowed);
    if (arrives_below_axis(leading, has_imaginary_unit(u)))
      constant_term += (e.function().name == "E1" ? 2 : -2) * pi() * imaginary_unit();
  } else {
    std::vector<Expr> args(e.operands().begin(), e.operands().end());
    args[i] = place;
    constant_term = boreon::call(e.function(), args);
    if (mirrored(e, i, place, rest)) constant_term = mirrored_value(constant_term, place);
    // li(x) = Ei(log(x)), whose logarithm is complex below zero
    if (e.function().name == "li" && place.is_integer(0) && sign_near(u) < 0) constant_term = imaginary_unit() * pi();
  }
  // f(u) = f(place) + int f'(u) du, where du is taken from the expansion of u: what stands in its coefficients in place
  // of log(w) does not vary here.
  const Symbol z("_argument");
  std::vector<Expr> args(e.operands().begin(), e.operands().end());
  args[i] = z;
  const Expr slope = substitute(derivative(boreon::call(e.function(), args), z), {{z, u}}, Unused::allowed);
  const Expansion du = differentiated(rest);
  return add({constant(constant_term), integrated(multiply(of(slope), du))});
}

// By derivatives at the constant term of one argument; the others do not vary.
Expansion Expander::taylor(const Expr& e, std::size_t argument) {
  Expansion rest;
  const Expr place = finite_part(of(e.operands()[argument]), rest);
  if (has_log(place)) throw NoExpansion{"nested logarithms"};
  const bool conjugates = mirrored(e, argument, place, rest);
  const Symbol z("_z", Assumptions::from_bits(Assumptions{Assumption::real}.bits()));
  std::vector<Expr> args(e.operands().begin(), e.operands().end());
  args[argument] = z;
  Expr f = with_operands(e, args);
  Number factorial(1);
  int at = 0;
  std::vector<Expr> values;
  const auto value = [&](const Expr& d) -> Expr {
    try {
      Expr v = substitute(d, {{z, place}}, Unused::allowed);
      if (v.is_constant(ConstantCode::undefined) || v.is_constant(ConstantCode::infinity))
        throw NoExpansion{"a singularity"};
      // elliptic_K(1) looks like a number and is none
      if (!v.is_number() && !v.has_symbols() && !certified_value(v, {}, {})) throw NoExpansion{"a singularity"};
      return conjugates ? mirrored_value(v, place) : v;
    } catch (const Error& error) {
      if (error.kind() == ErrorKind::limit || error.kind() == ErrorKind::interrupted) throw;
      throw NoExpansion{error.message()};
    }
  };
  return composed(
      [&](int k) -> Expr {
        if (k > 80) throw NoExpansion{"the expansion needs derivatives of too high an order"};
        for (; at < k; ++at) {
          try {
            f = derivative(f, z);
          } catch (const Error& error) {
            throw NoExpansion{error.message()};
          }
          factorial = factorial / Number(at + 1);
        }
        return Expr(factorial) * value(f);
      },
      rest);
}

// Exponentials, logarithms, circular and hyperbolic functions; nothing for others.
std::optional<Expansion> Expander::elementary(const Expr& e) {
  const auto name = e.function().name;
  const Expr& u = e.operands()[0];
  if (name == "exp") return exponential(of(u));
  if (name == "log") {
    const bool complex = has_imaginary_unit(u);
    if (!writes_down_ || complex) return logarithm(of(u), complex);
    try {
      return logarithm(of(u), complex);
    } catch (const NoExpansion&) {
      const Expr grows = growth(u);
      if (grows.is_integer(0) || !is_real(grows)) throw;
      return add({of(grows), logarithm(of(u * exp(-grows)), complex)});
    }
  }
  if (name == "sin" || name == "cos") return sine_or_cosine(e, of(u), name == "sin", false);
  if (name == "sinh" || name == "cosh") return sine_or_cosine(e, of(u), name == "sinh", true);
  if (name == "tan") return of(sin(u) / cos(u));
  if (name == "tanh" && writes_down_) {
    if (const Expr form = with_forms(e); !(form == e)) return of(form);
  }
  if (name == "tanh") return of(sinh(u) / cosh(u));
  return std::nullopt;
}

// What the side decides from which the place is approached; nothing for other functions.
std::optional<Expansion> Expander::by_sides(const Expr& e) {
  const auto name = e.function().name;
  const auto ops = e.operands();
  if (name == "abs") {
    const int s = sign_near(ops[0]);
    return scaled(of(ops[0]), s == 0 ? 1 : s);
  }
  if (name == "sign") return constant(sign_near(ops[0]));
  if (name == "heaviside") return constant(Expr(Number(1 + sign_near(ops[0]), 2)));
  if (name == "dirac_delta") return sign_near(ops[0]) == 0 ? throw NoExpansion{"an impulse"} : Expansion{};
  if (name == "min" || name == "max") {
    Expr best = ops[0];
    for (std::size_t i = 1; i < ops.size(); ++i) {
      const int s = sign_near(ops[i] - best);
      if (name == "min" ? s < 0 : s > 0) best = ops[i];
    }
    return of(best);
  }
  if (name == "fmod") return of(ops[0] - ops[1] * trunc(ops[0] / ops[1]));
  if (name == "atan2") {  // by the quadrant in which the point arrives
    const int x = sign_near(ops[1]);
    const int y = sign_near(ops[0]);
    if (x == 0 && y == 0) throw NoExpansion{"the angle of the origin"};
    if (x == 0) return constant(y * pi() / 2);
    const Expr turn = x > 0 ? Expr(0) : y < 0 ? -pi() : pi();
    return add({of(atan(ops[0] / ops[1])), constant(turn)});
  }
  if (name == "cbrt")
    return sign_near(ops[0]) < 0 ? scaled(power(of(-ops[0]), Number(1, 3)), -1) : power(of(ops[0]), Number(1, 3));
  if (name == "floor" || name == "ceil" || name == "round" || name == "trunc") return whole_part(e);
  return std::nullopt;
}

Expansion Expander::whole_part(const Expr& e) {
  const auto name = e.function().name;
  const Expr& u = e.operands()[0];
  Expansion rest;
  const Expr c = finite_part(of(u), rest);
  const auto whole = boreon::call(e.function(), {&c, 1});
  if (name == "round" || has_log(whole)) throw NoExpansion{"a jump"};
  if (!is_integer(c)) return constant(whole);
  const int s = sign_near(u - c);
  if (name == "floor") return constant(s < 0 ? c - 1 : c);
  if (name == "ceil") return constant(s > 0 ? c + 1 : c);
  const int above = signs_.of(c);
  if (above > 0) return constant(s < 0 ? c - 1 : c);
  if (above < 0) return constant(s > 0 ? c + 1 : c);
  return {};
}

// zeta where its argument goes to 1: NIST 25.2.4
Expansion Expander::zeta_at_pole(const Expr& argument) {
  const Expansion offset = with_leading(argument - 1);
  Number factorial(1);
  int at = 0;
  Expansion regular = composed(
      [&](int k) -> Expr {
        for (; at < k; ++at) factorial = factorial * Number(-(at + 1));
        return stieltjes(k) / Expr(factorial);
      },
      offset);
  return add({power(offset, Number(-1)), std::move(regular)});
}

Expansion Expander::call(const Expr& e) {
  if (auto a = elementary(e)) return std::move(*a);
  if (auto a = by_sides(e)) return std::move(*a);
  const auto name = e.function().name;
  const auto ops = e.operands();
  std::size_t varying = ops.size();
  for (std::size_t i = 0; i < ops.size(); ++i) {
    if (!depends_on(ops[i], w_)) continue;
    if (varying != ops.size()) throw NoExpansion{fmt::format("{} varies in two arguments", name)};
    varying = i;
  }
  const Expansion u = with_leading(ops[varying]);
  if (!u.empty() && u.leading().exponent.sign() < 0) {  // it grows
    const int s = signs_.of(u.leading().coefficient);
    if (const auto form = form_at_infinity(e, s, cut(-u.leading().exponent))) return of(*form);
    throw NoExpansion{fmt::format("{} at infinity has no expansion in powers", name)};
  }
  Expr place = u.empty() || u.leading().exponent.sign() > 0 ? Expr(0) : u.leading().coefficient;
  if (!place.is_number() && vanishes(place)) place = 0;
  if (place.is(Kind::call) || place.is(Kind::sum) || place.is(Kind::product)) {
    for (const int n : {1, -1}) {
      if (vanishes(place - n)) place = n;
    }
  }
  if (name == "zeta" && place.is_integer(1)) return zeta_at_pole(ops[varying]);
  if (const auto form =
          regular_form(e, place, cut(u.empty() || u.leading().exponent.sign() <= 0 ? Number(1) : u.leading().exponent)))
    return of(*form);
  if (is_integral_like(e)) return by_derivative(e);
  return taylor(e, varying);
}

}  // namespace boreon
