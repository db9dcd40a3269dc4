// SPDX-License-Identifier: MIT
// Fourier transforms over the line: rules for terms, half lines by Laplace transforms, definite integrals.
#include "boreon/fourier_integral.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "algebra/conjugated.hpp"
#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/integral.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/definite.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/signs.hpp"
#include "equations/roots.hpp"
#include "transforms/fourier_witness.hpp"
#include "transforms/laplace_rules.hpp"

namespace boreon {
namespace {

bool is_whole(const Expr& exponent) {
  return exponent.is_number() && exponent.number().is_integer() && exponent.number().sign() > 0;
}

// F(w) with exp(-i*w*t), no factor.
class FourierRules {
 public:
  using Found = std::optional<Expr>;

  FourierRules(Symbol t, Symbol w, std::vector<Expr> conditions)
      : t_(std::move(t)), w_(std::move(w)), given_(std::move(conditions)), signs_(given_) {}

  Found operator()(const Expr& f) {
    Expr sum = 0;
    for (const Expr& term : terms_of(expand(f))) {
      const Found image = of_term(term);
      if (!image) return std::nullopt;
      sum += *image;
    }
    return sum;
  }

  [[nodiscard]] const std::vector<Expr>& conditions() const { return conditions_; }
  [[nodiscard]] const std::vector<std::string>& steps() const { return steps_; }

 private:
  void step(const std::string& text) {
    if (std::find(steps_.begin(), steps_.end(), text) == steps_.end()) steps_.push_back(text);
  }
  void require(const Expr& condition) {
    if (std::find(conditions_.begin(), conditions_.end(), condition) == conditions_.end() &&
        std::find(given_.begin(), given_.end(), condition) == given_.end())
      conditions_.push_back(condition);
  }

  Found of_term(const Expr& term) {
    if (++depth_ > 12) return std::nullopt;
    Expr constant = 1;
    std::vector<std::pair<Expr, Expr>> factors;  // with t: base and exponent
    for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
      const Expr factor = power(base, exponent);
      if (depends_on(factor, t_)) {
        factors.emplace_back(base, exponent);
      } else {
        constant *= factor;
      }
    });
    constant *= leading_number(term);
    const Found image = of_factors(factors);
    --depth_;
    if (!image) return std::nullopt;
    return constant * *image;
  }

  static Expr product_of(const std::vector<std::pair<Expr, Expr>>& factors, std::size_t without) {
    Expr out = 1;
    for (std::size_t i = 0; i < factors.size(); ++i) {
      if (i != without) out *= power(factors[i].first, factors[i].second);
    }
    return out;
  }

  Found of_factors(const std::vector<std::pair<Expr, Expr>>& factors) {
    if (factors.empty()) {
      step("a constant: an impulse");
      return 2 * pi() * dirac_delta(w_);
    }
    const Expr whole = product_of(factors, factors.size());
    for (std::size_t i = 0; i < factors.size(); ++i) {
      const auto& [base, exponent] = factors[i];
      const Expr rest = product_of(factors, i);
      if (is_call_of(base, "dirac_delta") && exponent.is_integer(1)) return of_impulse(base.operands()[0], rest);
    }
    for (std::size_t i = 0; i < factors.size(); ++i) {
      const auto& [base, exponent] = factors[i];
      if (is_call_of(base, "exp") && exponent.is_integer(1)) {
        if (const Found image = with_carrier(base.operands()[0], product_of(factors, i))) return image;
      }
    }
    // a wave on a Gaussian function is a carrier
    if (std::any_of(factors.begin(), factors.end(),
                    [&](const auto& p) { return p.second.is_integer(1) && gaussian(p.first).has_value(); })) {
      if (const Found image = without_waves(factors)) return image;
    }
    marginal_ = false;
    const Found direct = of_base(whole);
    const bool marginal = marginal_;
    if (direct && !marginal) return direct;
    if (const Found image = without_waves(factors)) return image;
    if (direct) return direct;
    for (std::size_t i = 0; i < factors.size(); ++i) {
      const auto& [base, exponent] = factors[i];
      if (!(base == t_) || !is_whole(exponent)) continue;
      const Expr rest = product_of(factors, i) * power(t_, exponent - 1);
      const Found image = (*this)(rest);
      if (!image || has_impulse(*image)) return std::nullopt;
      step("a factor t: the derivative by the frequency");
      return imaginary_unit() * derivative(*image, w_);
    }
    return std::nullopt;
  }

  Found without_waves(const std::vector<std::pair<Expr, Expr>>& factors) {
    for (std::size_t i = 0; i < factors.size(); ++i) {
      const auto& [base, exponent] = factors[i];
      const bool wave = is_call_of(base, "sin") || is_call_of(base, "cos");
      if (!wave || !is_whole(exponent)) continue;
      step("waves by exponentials");
      return (*this)(in_exponentials(base) * product_of(factors, i) * power(base, exponent - 1));
    }
    return std::nullopt;
  }

  Found of_impulse(const Expr& argument, const Expr& rest) {
    const auto line = linear_in(argument, t_);
    if (!line || line->slope.is_integer(0)) return std::nullopt;
    const Expr place = -line->constant / line->slope;
    step("an impulse takes the value at its place");
    return substitute(rest * exp(-imaginary_unit() * w_ * t_), {{t_, place}}, Unused::allowed) / abs(line->slope);
  }

  // exp(i*a*t + b) times the rest: the frequency is shifted.
  Found with_carrier(const Expr& exponent, const Expr& rest) {
    const auto line = linear_in(exponent, t_);
    if (!line) return std::nullopt;
    const Expr rate = simplify(line->slope / imaginary_unit());
    if (line->slope.is_integer(0) || has_imaginary_unit(rate) || !has_imaginary_unit(line->slope)) return std::nullopt;
    const Found image = (*this)(rest);
    if (!image) return std::nullopt;
    step("a carrier shifts the frequency");
    return exp(line->constant) * substitute(*image, {{w_, w_ - rate}}, Unused::allowed);
  }

  Found of_base(const Expr& f) {
    if (is_call_of(f, "heaviside")) return of_step(f.operands()[0]);
    if (is_call_of(f, "sign")) {
      const auto line = linear_in(f.operands()[0], t_);
      const auto s = line ? signs_.known(line->slope) : std::nullopt;
      if (!s || *s == 0) return std::nullopt;
      step("a sign: a principal value");
      return Expr(*s) * 2 / (imaginary_unit() * w_) * exp(imaginary_unit() * w_ * line->constant / line->slope);
    }
    if (const Found image = reciprocal(f)) return image;
    if (has_imaginary_unit(f) && is_rational_in(f, t_)) return complex_poles(f);
    if (const Found image = gaussian(f)) return image;
    if (is_rational_in(f, t_)) {
      const Expr apart = partial_fractions(f, t_);
      if (terms_of(apart).size() > 1) return (*this)(apart);
    }
    if (is_rational_in(f, t_) || oscillates(f)) return by_integrals(f);
    if (const Found image = by_half_lines(f)) return image;
    return by_integrals(f);
  }

  static bool oscillates(const Expr& f) {
    bool wave = false;
    bool piece = false;
    postorder(f, [&](const Expr& n) {
      wave = wave || is_call_of(n, "sin") || is_call_of(n, "cos");
      piece = piece || is_call_of(n, "heaviside") || is_call_of(n, "exp") || n.is(Kind::piecewise);
    });
    return wave && !piece;
  }

  Found of_step(const Expr& argument) {
    const auto line = linear_in(argument, t_);
    const auto s = line ? signs_.known(line->slope) : std::nullopt;
    if (!s || *s == 0) return std::nullopt;
    step("a step: an impulse and a principal value");
    const Expr shift = exp(imaginary_unit() * w_ * line->constant / line->slope);
    return pi() * dirac_delta(w_) - Expr(*s) * imaginary_unit() * shift / w_;
  }

  // 1/(t - c) as a principal value.
  Found reciprocal(const Expr& f) {
    const Quotient q = quotient(f);
    const auto line = linear_in(q.denominator, t_);
    if (depends_on(q.numerator, t_) || !line || line->slope.is_integer(0)) return std::nullopt;
    const Expr place = -line->constant / line->slope;
    if (has_imaginary_unit(place)) return std::nullopt;
    step("a pole on the line: a principal value");
    return -imaginary_unit() * pi() * sign(w_) * exp(-imaginary_unit() * w_ * place) * q.numerator / line->slope;
  }

  // Powers of one linear function, or poles of first order: by residues, one half line for each side of the line.
  Found complex_poles(const Expr& f) {
    Expr constant = leading_number(f);
    std::optional<std::pair<Expr, Expr>> only;  // what depends on t, if it is one power
    bool several = false;
    for_each_factor(f, [&](const Expr& base, const Expr& exponent) {
      if (!depends_on(base, t_)) {
        constant *= power(base, exponent);
        return;
      }
      several = several || only;
      only = {base, -exponent};
    });
    const auto line = only && !several ? linear_in(only->first, t_) : std::nullopt;
    if (line && is_whole(only->second)) {
      const Expr z = -line->constant / line->slope;
      return beside_the_line(z, constant / power(line->slope, only->second) *
                                    power(-imaginary_unit() * w_, only->second - 1) / factorial(only->second - 1));
    }
    const Quotient q = quotient(f);
    const auto d = polynomial_in(q.denominator, t_);
    const auto n = polynomial_in(q.numerator, t_);
    if (!d || !n || n->size() >= d->size()) return std::nullopt;
    const auto roots = equations::roots_of(*d, signs_);
    if (!roots) return std::nullopt;
    Expr sum = 0;
    const Expr slope = derivative(q.denominator, t_);
    for (const Expr& z : *roots) {
      const Expr steep = simplify(substitute(slope, {{t_, z}}, Unused::allowed));
      if (steep.is_integer(0)) return std::nullopt;
      const Expr residue = simplify(substitute(q.numerator, {{t_, z}}, Unused::allowed) / steep);
      if (residue.is_integer(0)) continue;
      const Found part = beside_the_line(z, residue);
      if (!part) return std::nullopt;
      sum += *part;
    }
    return sum;
  }

  // 2*pi*i*c*exp(-i*w*z) on the half line of w on which it falls.
  Found beside_the_line(const Expr& z, const Expr& c) {
    const Expr above = simplify((z - conjugated(z)) / (2 * imaginary_unit()));
    const auto s = signs_.known(above);
    if (!s || *s == 0) return std::nullopt;
    step("poles off the line: residues");
    return Expr(*s) * 2 * pi() * imaginary_unit() * c * exp(-imaginary_unit() * w_ * z) * heaviside(-*s * w_);
  }

  // exp(-a*t^2 + b*t + c)
  Found gaussian(const Expr& f) {
    if (!is_call_of(f, "exp")) return std::nullopt;
    const auto c = polynomial_in(f.operands()[0], t_, 2);
    if (!c || c->size() != 3) return std::nullopt;
    const Expr a = -(*c)[2];
    const auto s = signs_.known(a);
    if (has_imaginary_unit(a) || (s && *s <= 0)) return std::nullopt;
    if (!s) require(condition_of({a, 1}));
    step("a Gaussian function");
    return sqrt(pi() / a) * exp(power((*c)[1] - imaginary_unit() * w_, 2) / (4 * a) + (*c)[0]);
  }

  // The two half lines are Laplace transforms on the imaginary axis, where these converge beyond it.
  Found by_half_lines(const Expr& f) {
    Expr sum = 0;
    const Symbol time("_t", {Assumption::positive});
    const Symbol s("_s");
    std::vector<Expr> needed;
    for (const int side : {1, -1}) {
      const Expr half = simplify(substitute(f, {{t_, side * time}}, Unused::allowed));
      if (half.is_integer(0)) continue;
      transforms::LaplaceRules rules(time, time, s, given_);
      std::optional<transforms::Image> image;
      try {
        image = rules(half);
      } catch (const Error& e) {
        if (e.kind() != ErrorKind::unsupported && e.kind() != ErrorKind::domain) throw;
      }
      if (!image) return std::nullopt;
      for (const Expr& bound : image->bounds) {
        const auto sign_of_bound = signs_.known(bound);
        // what ends has no bound, though its pieces have; of what does not the impulse is missed, and numbers tell
        if (sign_of_bound && *sign_of_bound > 0) return std::nullopt;
        marginal_ = marginal_ || (sign_of_bound && *sign_of_bound == 0);
        if (!sign_of_bound) needed.push_back(condition_of({expand(-bound), 1}));
      }
      for (const Expr& c : rules.assumed()) needed.push_back(c);
      sum += substitute(image->value, {{s, side * imaginary_unit() * w_}}, Unused::allowed);
    }
    for (const Expr& c : needed) require(c);
    step("each half line as a Laplace transform at i*w");
    return sum;
  }

  // Of something real that falls: its even and odd parts for positive frequencies.
  Found by_integrals(const Expr& f) {
    if (has_imaginary_unit(f)) return std::nullopt;
    const Symbol w("_w", {Assumption::positive});
    const auto part = [&](const Expr& wave) -> Found {
      IntegralOptions o;
      o.conditions = given_;
      o.points = 2;
      o.exceptions = false;
      const IntegralResult r = integrate(f * wave, t_, -infinity(), infinity(), o);
      if (r.status != IntegralStatus::exact) return std::nullopt;
      for (const Expr& c : r.conditions) {
        if (depends_on(c, w)) return std::nullopt;
        require(c);
      }
      return r.value;
    };
    const Found even = part(cos(w * t_));
    if (!even) return std::nullopt;
    const Found odd = part(sin(w * t_));
    if (!odd) return std::nullopt;
    step("integrals with cosine and sine");
    return of_both_signs(*even, w) - imaginary_unit() * with_sign(of_both_signs(*odd, w));
  }

  // For w > 0 given, as a function of abs(w): cos(k*abs(w)) = cos(k*w), sin(k*abs(w)) = sign(w)*sin(k*w).
  Expr of_both_signs(const Expr& e, const Symbol& w) const {
    return Rebuild(
        [&](const Expr& n, Expr& result) {
          if (n == w) {
            result = abs(w_);
            return true;
          }
          if (!n.is(Kind::call) || n.operands().size() != 1) return false;
          const auto line = linear_in(n.operands()[0], w);
          if (!line || !line->constant.is_integer(0)) return false;
          const auto name = n.function().name;
          const Expr argument = line->slope * w_;
          if (name == "cos") result = cos(argument);
          if (name == "cosh") result = cosh(argument);
          if (name == "sin") result = sign(w_) * sin(argument);
          if (name == "sinh") result = sign(w_) * sinh(argument);
          return name == "cos" || name == "cosh" || name == "sin" || name == "sinh";
        },
        [](const Expr& n) { return n; })(e);
  }
  Expr with_sign(const Expr& e) const {
    Expr sum = 0;
    for (const Expr& term : terms_of(expand(e))) {
      Expr signs = 0;
      for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
        if (base == sign(w_)) signs = exponent;
      });
      const bool even = signs.is_number() && signs.number().is_integer() && signs.word().value_or(1) % 2 != 0;
      sum += even ? term / power(sign(w_), signs) : term * sign(w_);
    }
    return sum;
  }

  Symbol t_;
  Symbol w_;
  std::vector<Expr> given_;
  Signs signs_;
  std::vector<Expr> conditions_;
  std::vector<std::string> steps_;
  bool marginal_ = false;  // half lines that converge on one side of the axis only
  int depth_ = 0;
};

// dirac_delta(a*w + b) as dirac_delta(w + b/a)/abs(a), and what stands beside an impulse at its place.
Expr with_plain_impulses(const Expr& e, const Symbol& w) {
  Expr sum = 0;
  for (const Expr& term : terms_of(expand(e))) {
    Expr out = term;
    for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
      if (!is_call_of(base, "dirac_delta") || !exponent.is_integer(1)) return;
      const auto line = linear_in(base.operands()[0], w);
      if (!line || line->slope.is_integer(0)) return;
      const Expr place = -line->constant / line->slope;
      out =
          simplify(substitute(term / base, {{w, place}}, Unused::allowed)) * dirac_delta(w - place) / abs(line->slope);
    });
    sum += out;
  }
  return sum;
}

Expr tidied_image(const Expr& e, const Symbol& w, const std::vector<Expr>& conditions) {
  Expr impulses = 0;
  Expr rest = 0;
  for (const Expr& term : terms_of(with_plain_impulses(e, w))) (has_impulse(term) ? impulses : rest) += term;
  SimplifyOptions o;
  o.conditions = conditions;
  return impulses + (rest.is_integer(0) ? rest : simplify(rest, o));
}

Symbol required_symbol(const Expr& e) {
  if (!e.is(Kind::symbol))
    throw Error(ErrorKind::usage, "a Fourier transform goes from one symbol to another, not " + to_text(e, {60, {}}));
  return Symbol::from(e);
}

TransformResult transformed(const Expr& f, const Expr& from, const Expr& to, FourierConvention convention, bool back,
                            const TransformOptions& options) {
  const Symbol t = required_symbol(from);
  const Symbol w = required_symbol(to);
  if (t == w || depends_on(f, w))
    throw Error(ErrorKind::usage,
                fmt::format("{} is the variable of the transform and must not occur in the function", w.name()));
  TransformResult out;
  FourierRules rules(t, w, options.conditions);
  std::optional<Expr> image;
  try {
    image = rules(f);
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::unsupported && e.kind() != ErrorKind::domain) throw;
    out.reason = e.message();
  }
  out.steps = rules.steps();
  out.value = undefined();
  if (!image) {
    if (out.reason.empty()) out.reason = "no rule applies";
    return out;
  }
  std::vector<Expr> conditions = options.conditions;
  conditions.insert(conditions.end(), rules.conditions().begin(), rules.conditions().end());
  const Expr plain = tidied_image(*image, w, conditions);
  out.conditions = rules.conditions();
  out.check = transforms::check_fourier_pair(f, t, plain, w, conditions, options);
  if (out.check.verdict != Verdict::agrees) {
    out.reason = out.check.verdict == Verdict::disagrees ? "the candidate disagrees with numbers"
                                                         : "no numbers confirm the candidate";
    return out;
  }
  Expr value = back ? substitute(plain, {{w, -w}}, Unused::allowed) / (2 * pi()) : plain;
  switch (convention) {
    case FourierConvention::angular: break;
    case FourierConvention::unitary: value = back ? value * sqrt(2 * pi()) : value / sqrt(2 * pi()); break;
    case FourierConvention::frequency:
      value = substitute(value, {{w, 2 * pi() * w}}, Unused::allowed) * (back ? 2 * pi() : Expr(1));
      break;
  }
  out.value = convention == FourierConvention::angular && !back ? plain : tidied_image(value, w, conditions);
  out.status = TransformStatus::exact;
  return out;
}

}  // namespace

const char* to_string(FourierConvention c) noexcept {
  switch (c) {
    case FourierConvention::angular: return "angular";
    case FourierConvention::unitary: return "unitary";
    default: return "frequency";
  }
}

TransformResult fourier_transform(const Expr& f, const Expr& t, const Expr& w, FourierConvention convention,
                                  const TransformOptions& options) {
  return transformed(f, t, w, convention, false, options);
}

TransformResult inverse_fourier_transform(const Expr& F, const Expr& w, const Expr& t, FourierConvention convention,
                                          const TransformOptions& options) {
  return transformed(F, w, t, convention, true, options);
}

}  // namespace boreon
