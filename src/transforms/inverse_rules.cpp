// SPDX-License-Identifier: MIT
// Rules of the inverse Laplace transform (Doetsch 1974; NIST Handbook, 1.14(iii)).
#include "transforms/inverse_rules.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "algebra/linear_terms.hpp"
#include "algebra/put_in.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/integral.hpp"
#include "boreon/series.hpp"
#include "boreon/simplify.hpp"
#include "boreon/sums.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/definite.hpp"
#include "calculus/integral/factors.hpp"
#include "calculus/integral/integrator.hpp"
#include "transforms/modes.hpp"

namespace boreon::transforms {
namespace {

constexpr int deepest_inverse = 6;

// Roots and logarithms of the time; those of parameters have their value at all times.
bool is_defined_before_zero(const Expr& f, const Symbol& t) {
  bool defined = true;
  postorder(f, [&](const Expr& n) {
    const auto whole = [](const Expr& e) { return e.word().has_value() || !e.is_number(); };
    if (n.is(Kind::power)) defined = defined && (whole(n.operands()[1]) || !depends_on(n.operands()[0], t));
    if (n.is(Kind::product)) {
      for (const auto [base, exponent] : Parts(n)) defined = defined && (whole(exponent) || !depends_on(base, t));
    }
    // exp(-1/t) is beyond all numbers before 0
    if (is_call_of(n, "exp") && depends_on(n, t)) defined = defined && polynomial_in(n.operands()[0], t).has_value();
    if (is_call_of(n, "log") || is_call_of(n, "E1") || is_call_of(n, "Ci")) defined = defined && !depends_on(n, t);
  });
  return defined;
}

bool has_hyperbolic_of(const Expr& e, const Symbol& s) {
  bool found = false;
  postorder(e, [&](const Expr& n) {
    found = found || ((is_call_of(n, "sinh") || is_call_of(n, "cosh") || is_call_of(n, "tanh")) && depends_on(n, s));
  });
  return found;
}

}  // namespace

std::vector<Expr> InverseRules::assumed() const {
  std::vector<Expr> out;
  for (const Decision& d : signs_.decisions()) {
    if (!depends_on(d.of, s_) && !depends_on(d.of, t_)) out.push_back(condition_of(d));
  }
  return out;
}

void InverseRules::step(std::string text) {
  if (std::find(steps_.begin(), steps_.end(), text) == steps_.end()) steps_.push_back(std::move(text));
}

// f(t - by) for t > by.
Expr InverseRules::delayed(const Expr& f, const Expr& by) const {
  std::vector<Expr> parts;
  for (const Expr& one : terms_of(expand(f))) {
    if (!has_impulse(one)) {
      const Expr later = substitute(one, {{t_, t_ - by}}, Unused::allowed);
      // a root or logarithm of what is negative before has no value that a step could take away
      const Expr branches[] = {later, greater(t_, by), 0};
      parts.push_back(is_defined_before_zero(one, t_) ? later * heaviside(t_ - by) : piecewise(branches));
      continue;
    }
    Rebuild pass([&](const Expr& n, Expr& result) {
      if (n.is(Kind::derivative)) {
        const Expr inside = substitute(n.operands()[0], {{given_time_, given_time_ - by}}, Unused::allowed);
        result = unevaluated_derivative(inside, n.operands().subspan(1));
        return true;
      }
      if (!is_call_of(n, "dirac_delta")) return false;
      result = substitute(n, {{given_time_, given_time_ - by}}, Unused::allowed);
      return true;
    });
    parts.push_back(pass(one));
  }
  return boreon::add(parts);
}

std::optional<Expr> InverseRules::operator()(const Expr& F) {
  try {
    Found f = whole(F);
    // of an attempt that was given up nothing stays
    open_ = false;
    if (f) postorder(*f, [this](const Expr& n) { open_ = open_ || n.is(Kind::integral); });
    return f;
  } catch (const UnknownSign&) {
    return std::nullopt;
  }
}

InverseRules::Found InverseRules::whole(const Expr& F) {
  if (depth_ >= deepest_inverse) return std::nullopt;
  struct Depth {
    int& depth;
    ~Depth() { --depth; }
  } const guard{++depth_};
  if (F.is_integer(0)) return Expr(0);
  if (Found r = rational(F)) return r;
  if (Found r = repeated(F)) return r;
  if (Found r = powers_of_gap(F)) return r;
  return with_delays(F);
}

// exp(-a*s) delays by a.
InverseRules::Found InverseRules::with_delays(const Expr& F) {
  std::vector<std::pair<Expr, std::vector<Expr>>> groups;
  std::vector<Expr> parts;
  for (const Expr& term : terms_of(expand(F))) {
    if (const Found f = special_pair(term / leading_number(term))) {  // exp(a*s)*E1(a*s) is no delay
      parts.push_back(leading_number(term) * *f);
      continue;
    }
    Expr delay = 0;
    std::vector<Expr> rest{leading_number(term)};
    for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
      if (is_call_of(base, "exp") && depends_on(base, s_) && !depends_on(exponent, s_)) {
        for (const Expr& part : terms_of(expand(base.operands()[0] * exponent))) {
          const auto l = linear_in(part, s_);
          if (l && depends_on(part, s_)) {
            delay -= l->slope;
            rest.push_back(exp(l->constant));
          } else {
            rest.push_back(exp(part));
          }
        }
      } else {
        rest.push_back(boreon::power(base, exponent));
      }
    });
    const auto known = std::find_if(groups.begin(), groups.end(), [&](const auto& g) { return g.first == delay; });
    if (known == groups.end()) {
      groups.push_back({delay, {multiply(rest)}});
    } else {
      known->second.push_back(multiply(rest));
    }
  }
  for (const auto& [delay, terms] : groups) {
    if (!delay.is_integer(0) && signs_.of(delay) < 0) return std::nullopt;
    const Expr sum = boreon::add(terms);
    Found g = rational(sum);
    if (!g) {
      // quotients of logarithms and the like belong together
      if (terms.size() > 1) g = by_derivative(sum);
      if (!g && terms.size() > 1) g = differences_of_powers(sum);
      if (!g && terms.size() > 1) g = powers_of_gap(sum);
      if (!g) {
        std::vector<Expr> each;
        for (const Expr& one : terms) {
          const Found f = rational(one);
          const Found h = f ? f : term(one);
          if (!h) return std::nullopt;
          each.push_back(*h);
        }
        g = boreon::add(each);
      }
    }
    if (delay.is_integer(0)) {
      parts.push_back(*g);
      continue;
    }
    step("a factor exp(-a*s) delays by a");
    parts.push_back(delayed(*g, delay));
  }
  return boreon::add(parts);
}

// G/(1 - q*exp(-T*s)): g repeated after every T.
InverseRules::Found InverseRules::repeated(const Expr& F) {
  const bool hyperbolic = has_hyperbolic_of(F, s_);
  if (F.is(Kind::sum) && !hyperbolic) return std::nullopt;
  const Expr G = hyperbolic ? combine_fractions(in_exponentials(F)) : F;
  Expr binomial = 1;
  Expr rest = leading_number(G);
  for_each_factor(G, [&](const Expr& base, const Expr& exponent) {
    bool exponential = false;
    postorder(base, [&](const Expr& n) { exponential = exponential || (is_call_of(n, "exp") && depends_on(n, s_)); });
    if (exponential && base.is(Kind::sum) && exponent.is_integer(-1)) {
      binomial *= base;
    } else {
      rest *= boreon::power(base, exponent);
    }
  });
  std::optional<Expr> period;
  Expr ratio = 0;
  const Expr b = expand(binomial);
  // c0*exp(k0*s) + c1*exp(k1*s)
  if (b.is(Kind::sum)) {
    std::vector<std::pair<Expr, Expr>> parts;  // factor and slope
    for (const Expr& term : terms_of(b)) {
      Expr factor_of_term = leading_number(term);
      Expr slope = 0;
      for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
        const auto l = is_call_of(base, "exp") ? linear_in(base.operands()[0] * exponent, s_) : std::nullopt;
        if (l) {
          slope += l->slope;
          factor_of_term *= exp(l->constant);
        } else {
          factor_of_term *= boreon::power(base, exponent);
        }
      });
      if (depends_on(factor_of_term, s_)) return std::nullopt;
      parts.emplace_back(factor_of_term, slope);
    }
    if (parts.size() == 2) {
      if (signs_.of(parts[1].second - parts[0].second) > 0) std::swap(parts[0], parts[1]);
      period = expand(parts[0].second - parts[1].second);
      ratio = -parts[1].first / parts[0].first;
      rest *= exp(-parts[0].second * s_) / parts[0].first;
    }
  }
  if (!period) return std::nullopt;
  const Found g = whole(rest);
  if (!g) return std::nullopt;
  const Symbol k("k", {Assumption::integer, Assumption::nonnegative});
  Expr sum = 0;
  for (const Expr& one : terms_of(expand(*g))) {
    if (has_impulse(one)) return std::nullopt;
    Expr delay = 0;
    Expr factor_of_step = one;
    for_each_factor(one, [&](const Expr& base, const Expr&) {
      if (!is_call_of(base, "heaviside")) return;
      delay = -linear_in(base.operands()[0], t_).value_or(Linear{0, 1}).constant;
      factor_of_step = one / base;
    });
    const Expr repeated_term =
        boreon::power(ratio, k) * substitute(factor_of_step, {{t_, t_ - k * *period}}, Unused::allowed);
    const Expr last = floor((t_ - delay) / *period);
    const Expr total = boreon::sum(repeated_term, k, 0, last);
    sum += delay.is_integer(0) ? total : total * heaviside(t_ - delay);
  }
  step(fmt::format("a factor 1/(1 - q*exp(-T*s)) repeats after every T = {}", to_text(*period)));
  return sum;
}

InverseRules::Found InverseRules::term(const Expr& F) {
  Expr constant = leading_number(F);
  Expr rest = 1;
  for_each_factor(F, [&](const Expr& base, const Expr& exponent) {
    const Expr f = boreon::power(base, exponent);
    (depends_on(f, s_) ? rest : constant) *= f;
  });
  if (!depends_on(rest, s_)) return constant * rest * dirac_delta(given_time_);
  if (rest.is(Kind::sum)) {
    const Found r = whole(rest);
    return r ? Found(constant * *r) : std::nullopt;
  }
  Expr power = 0;
  Expr kernel = 1;
  for_each_factor(rest, [&](const Expr& base, const Expr& exponent) {
    if (base == s_) {
      power += exponent;
    } else {
      kernel *= boreon::power(base, exponent);
    }
  });
  Found f = known(kernel, power);
  if (!f) f = special_pair(rest);
  if (!f) f = in_root(rest);
  if (!f) f = powers_of_gap(rest);
  if (!f) f = front(rest);
  if (!f) f = gamma_quotient(rest);
  if (!f) f = shifted_pole(rest);
  if (!f) f = by_derivative(rest);
  if (!f) f = by_factor(rest);
  if (!f) f = by_integral(rest);
  if (!f) f = by_convolution(rest);
  if (!f) return std::nullopt;
  return constant * *f;
}

bool InverseRules::vanishes_far_out(const Expr& F) const {
  std::vector<Expr> given = signs_.conditions();
  given.push_back(greater(s_, 0));
  try {
    return boreon::limit(F, s_, infinity(), LimitSide::both, given).is_integer(0);
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
    return false;
  }
}

// F(s - b) where F has a pole at -b, with its factor exp(-b*t).
InverseRules::Found InverseRules::shifted_pole(const Expr& F) {
  std::optional<Expr> b;
  bool rational_only = true;
  for_each_factor(F, [&](const Expr& base, const Expr& exponent) {
    const auto l = linear_in(base, s_);
    if (l && depends_on(base, s_) && exponent.word() && *exponent.word() < 0 && !l->constant.is_integer(0) && !b)
      b = l->constant / l->slope;
    rational_only = rational_only && is_rational_in(boreon::power(base, exponent), s_);
  });
  if (!b || rational_only) return std::nullopt;
  const Expr moved = moved_by(F, s_, -*b);
  const families::Factors there = families::factors_of(moved, s_);
  Expr kernel = 1;
  for (const auto& [base, exponent] : there.others) kernel *= boreon::power(base, exponent);
  Found f = known(kernel, there.power);
  if (!f) f = special_pair(kernel * boreon::power(s_, there.power));
  if (!f) return std::nullopt;
  step("s - b in place of s gives a factor exp(b*t)");
  return there.constant * exp(-*b * t_) * *f;
}

// F' = L[-t*f]
InverseRules::Found InverseRules::by_derivative(const Expr& F) {
  bool slow = false;
  postorder(F, [&](const Expr& n) {
    slow =
        slow || ((is_call_of(n, "log") || is_call_of(n, "atan") || is_call_of(n, "asinh") || is_call_of(n, "atanh")) &&
                 depends_on(n, s_));
  });
  if (!slow) return std::nullopt;
  if (!vanishes_far_out(F)) return std::nullopt;
  const Found f = whole(combine_fractions(derivative(F, s_)));
  if (!f) return std::nullopt;
  step("the derivative by s is the transform of -t*f(t)");
  return factor(-*f / t_);
}

// s*F = L[f'] + f(0)
InverseRules::Found InverseRules::by_factor(const Expr& F) {
  std::int64_t n = 0;
  Expr rest = leading_number(F);
  for_each_factor(F, [&](const Expr& base, const Expr& exponent) {
    if (base == s_ && exponent.word() && *exponent.word() > 0) {
      n = *exponent.word();
    } else {
      rest *= boreon::power(base, exponent);
    }
  });
  if (n == 0 || n > 6 || rest.is_number()) return std::nullopt;
  Found f = whole(rest);
  if (!f || has_impulse(*f)) return std::nullopt;
  Expr impulses = 0;
  for (std::int64_t k = 0; k < n; ++k) {
    if (k > 0 && !impulses.is_integer(0)) return std::nullopt;
    Expr start;
    try {
      start = boreon::limit(*f, t_, 0, LimitSide::above, signs_.conditions());
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
      return std::nullopt;
    }
    if (start.is_constant(ConstantCode::infinity) || start == -infinity() || start.is_constant(ConstantCode::undefined))
      return std::nullopt;
    impulses += start * dirac_delta(given_time_);
    f = derivative(*f, t_);
  }
  step("a factor s gives the derivative, and an impulse of the value at 0");
  return *f + impulses;
}

// F/s = L[integral of f from 0 to t]
InverseRules::Found InverseRules::by_integral(const Expr& F) {
  std::int64_t n = 0;
  Expr rest = leading_number(F);
  for_each_factor(F, [&](const Expr& base, const Expr& exponent) {
    if (base == s_ && exponent.word() && *exponent.word() < 0) {
      n = -*exponent.word();
    } else {
      rest *= boreon::power(base, exponent);
    }
  });
  if (n == 0 || n > 6) return std::nullopt;
  Found f = whole(rest);
  if (!f) return std::nullopt;
  const Symbol u("_u", {Assumption::positive});
  IntegralOptions options;
  options.conditions = signs_.conditions();
  options.exceptions = false;
  options.points = 3;
  for (std::int64_t k = 0; k < n; ++k) {
    const IntegralResult r = integrate(substitute(*f, {{t_, u}}, Unused::allowed), u, 0, t_, options);
    if (r.status != IntegralStatus::exact) return std::nullopt;
    f = r.value;
  }
  step("a factor 1/s integrates from 0 to t");
  return f;
}

// L^-1[F*G] is the integral of f(u)*g(t - u).
InverseRules::Found InverseRules::by_convolution(const Expr& F) {
  if (open_ || depth_ > 2) return std::nullopt;
  Expr rational_part = leading_number(F);
  Expr rest = 1;
  for_each_factor(F, [&](const Expr& base, const Expr& exponent) {
    const Expr f = boreon::power(base, exponent);
    (is_rational_in(f, s_) ? rational_part : rest) *= f;
  });
  if (!depends_on(rational_part, s_) || rest.is_integer(1)) return std::nullopt;
  const Found f = rational(rational_part);
  const Found g = f ? whole(rest) : std::nullopt;
  if (!g) return std::nullopt;
  const Symbol u("u", {Assumption::positive});
  const Expr integrand = substitute(*g, {{t_, u}}, Unused::allowed) * substitute(*f, {{t_, t_ - u}}, Unused::allowed);
  if (has_impulse(integrand)) return std::nullopt;
  IntegralOptions options;
  options.conditions = signs_.conditions();
  options.exceptions = false;
  options.points = 3;
  const IntegralResult r = integrate(integrand, u, 0, t_, options);
  step("the convolution of the inverses of two factors");
  if (r.status != IntegralStatus::exact) {
    open_ = true;
    return unevaluated_integral(integrand, u, 0, t_);
  }
  return r.value;
}

}  // namespace boreon::transforms
