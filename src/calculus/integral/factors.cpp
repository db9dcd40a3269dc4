// SPDX-License-Identifier: MIT
#include "calculus/integral/factors.hpp"

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/functions.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/families.hpp"

namespace boreon {
namespace families {

Factors factors_of(const Expr& f, const Symbol& x) {
  Factors out;
  out.constant = leading_number(f);
  for_each_factor(f, [&](const Expr& base, const Expr& exponent) {
    if (base == x && !depends_on(exponent, x)) {
      out.power += exponent;
    } else if (!depends_on(base, x) && !depends_on(exponent, x)) {
      out.constant *= power(base, exponent);
    } else {
      out.others.emplace_back(base, exponent);
    }
  });
  // one exponential for all of them
  Expr argument = 0;
  std::erase_if(out.others, [&](const auto& o) {
    if (!is_call_of(o.first, "exp") || !o.second.word()) return false;
    argument += o.first.operands()[0] * o.second;
    return true;
  });
  if (argument.is(Kind::sum) && depends_on(argument, x)) {  // what is constant in it goes in front
    Expr fixed = argument.operands()[0];
    for (const auto [t, c] : Parts(argument)) {
      if (!depends_on(t, x)) fixed += c * t;
    }
    out.constant *= exp(fixed);
    argument -= fixed;
  }
  if (depends_on(argument, x)) {
    out.others.emplace_back(exp(argument), 1);
  } else if (!argument.is_integer(0)) {
    out.constant *= exp(argument);
  }
  return out;
}

std::optional<Binomial> binomial_of(const Expr& e, const Symbol& x) {
  if (!e.is(Kind::sum)) return std::nullopt;
  Binomial out{e.operands()[0], 0, 0};
  for (const auto [term, coefficient] : Parts(e)) {
    const Factors f = factors_of(term, x);
    if (!f.others.empty()) return std::nullopt;
    if (f.power.is_integer(0)) {
      out.a += coefficient * f.constant;
    } else {
      if (!out.p.is_integer(0) && !(out.p == f.power)) return std::nullopt;
      out.p = f.power;
      out.b += coefficient * f.constant;
    }
  }
  if (out.p.is_integer(0) || out.a.is_integer(0)) return std::nullopt;
  return out;
}

}  // namespace families

ComplexParts complex_parts(const Expr& given) {
  ComplexParts out{0, 0};
  const Expr e = expand(given);
  const auto term = [&](const Expr& t, const Expr& c) {
    const Expr turned = t / imaginary_unit();
    bool imaginary = t.is_constant(ConstantCode::imaginary);
    if (t.is(Kind::product)) {
      for (const auto [base, exponent] : Parts(t)) imaginary = imaginary || base.is_constant(ConstantCode::imaginary);
    }
    (imaginary ? out.im : out.re) += c * (imaginary ? turned : t);
  };
  if (e.is(Kind::sum)) {
    out.re = e.operands()[0];
    for (const auto [t, c] : Parts(e)) term(t, c);
  } else {
    term(e, 1);
  }
  return out;
}

}  // namespace boreon
