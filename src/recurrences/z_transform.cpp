// SPDX-License-Identifier: MIT
// z-transforms of sequences (E. I. Jury 1964).
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <optional>
#include <utility>

#include "algebra/linear_terms.hpp"
#include "algebra/put_in.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/equations.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/evidence.hpp"
#include "boreon/functions.hpp"
#include "boreon/recurrence.hpp"
#include "boreon/simplify.hpp"
#include "boreon/sums.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/parameter_points.hpp"
#include "calculus/signs.hpp"
#include "equations/verify.hpp"
#include "recurrences/sequences.hpp"

namespace boreon {
namespace {

constexpr double needed_digits = 9;
constexpr std::size_t highest_degree = 24;

void require_symbols(const Expr& f, const Expr& from, const Expr& to) {
  if (!from.is(Kind::symbol) || !to.is(Kind::symbol) || from == to)
    throw Error(ErrorKind::usage, "a transform takes two different symbols");
  if (depends_on(f, to)) throw Error(ErrorKind::usage, to_text(to) + " occurs in what is to be transformed");
}

// base^n*wave: z*(z - c)/(z^2 - 2*c*z + base^2) and the like, then -z*d/dz for each power of n
Expr image_of(const recurrences::SequenceTerm& term, const Expr& z) {
  const auto ratio = term.ratio();
  Expr out;
  if (term.turn.is_integer(0)) {
    out = z / (z - ratio.re);
  } else {
    const Expr bottom = z * z - 2 * ratio.re * z + term.base * term.base;
    out = (term.sine ? z * ratio.im : z * (z - ratio.re)) / bottom;
  }
  const Symbol s = Symbol::from(z);
  for (std::int64_t k = 0; k < term.power; ++k) out = factor(combine_fractions(-z * derivative(out, s)));
  return term.coefficient * out;
}

// The sum beside the image at complex z beyond all radii.
Evidence check_image(const Expr& f, const Symbol& n, const Expr& F, const Symbol& z, const std::vector<Expr>& radii,
                     const TransformOptions& options) {
  Evidence out;
  out.method = "adding up the series";
  out.entries = 1;
  std::vector<Expr> both{f, put(F, z, n)};
  ParameterPoints points(both, n, options.conditions, options.seed);
  Sampler uniform({}, {}, options.seed + 5);
  for (std::size_t k = 0; k < options.points && points.next(); ++k) {
    const Bindings at = points.bindings();
    try {
      double radius = radii.empty() ? 1 : 0;
      for (const Expr& r : radii) radius = std::max(radius, std::abs(evaluate_complex(r, at, Unused::allowed)));
      const double size = std::max(radius, 0.1) * uniform.uniform(1.5, 3);
      const std::complex<double> place = std::polar(size, uniform.uniform(0.2, 2.9));
      std::complex<double> sum = 0;
      std::complex<double> factor = 1;
      double largest = 0;
      Bindings here = at;
      for (int j = 0; j < 400; ++j) {
        here.set(n, Expr(j));
        const std::complex<double> one = evaluate_complex(f, here, Unused::allowed) * factor;
        sum += one;
        largest = std::max(largest, std::abs(one));
        if (j > 30 && std::abs(one) < 1e-18 * largest) break;
        factor /= place;
      }
      Bindings b = at;
      b.set(z, Expr(Number::exact(place.real())) + imaginary_unit() * Expr(Number::exact(place.imag())));
      const std::complex<double> derived = evaluate_complex(F, b, Unused::allowed);
      const double error = std::abs(derived - sum) / std::max({std::abs(sum), std::abs(derived), 1e-6 * largest});
      const double digits = agreeing_digits(error);
      if (!std::isfinite(digits)) continue;
      if (out.points++ == 0 || digits < out.digits) out.digits = digits;
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
    }
  }
  if (out.points > 0) out.verdict = out.digits >= needed_digits ? Verdict::agrees : Verdict::disagrees;
  return out;
}

// Coefficients of 1/z^0, 1/z^1, ... of numerator/denominator, ascending in z.
class Expansion {
 public:
  Expansion(std::vector<Expr> numerator, std::vector<Expr> denominator)
      : n_(std::move(numerator)), d_(std::move(denominator)) {}

  const Expr& operator[](std::size_t k) {
    while (found_.size() <= k) {
      const std::size_t j = found_.size();
      // the numerator's coefficient of z^(deg d - j)
      Expr sum = j < d_.size() && d_.size() - 1 - j < n_.size() ? n_[d_.size() - 1 - j] : Expr(0);
      for (std::size_t i = 1; i < d_.size() && i <= j; ++i) sum -= d_[d_.size() - 1 - i] * found_[j - i];
      found_.push_back(combine_fractions(sum / d_.back()));
    }
    return found_[k];
  }

 private:
  std::vector<Expr> n_;
  std::vector<Expr> d_;
  std::vector<Expr> found_;
};

class InverseZ {
 public:
  InverseZ(const Symbol& n, const TransformOptions& options)
      : n_(n), options_(options), signs_(options.conditions, true) {}

  TransformResult run(const Expr& F, const Symbol& z) {
    TransformResult out;
    const Quotient q = quotient(combine_fractions(F));
    const auto top = polynomial_in(expand(q.numerator), z, highest_degree);
    const auto bottom = polynomial_in(expand(q.denominator), z, highest_degree);
    if (!top || !bottom) {
      out.reason = fmt::format("only quotients of polynomials in {} up to degree {} are transformed back", z.name(),
                               highest_degree);
      return out;
    }
    if (top->size() > bottom->size()) {
      out.reason = fmt::format("it grows with {}: no sequence from {} = 0 on has this transform", z.name(), n_.name());
      return out;
    }
    Expansion series(*top, *bottom);
    const auto zero = std::find_if(bottom->begin(), bottom->end(), [](const Expr& c) { return !c.is_integer(0); });
    const auto poles_at_zero = static_cast<std::size_t>(zero - bottom->begin());
    const std::vector<Expr> c(zero, bottom->end());
    const auto regular = from_recurrence(*top, c, poles_at_zero, series);
    if (!regular) {
      out.reason = "the poles have no closed form";
      return out;
    }
    out.value = with_first_values(*regular, poles_at_zero, series);
    out.steps.emplace_back("the recurrence of the denominator, from the expansion in 1/" + z.name());
    check(out, series);
    out.conditions = signs_.conditions();
    std::erase_if(out.conditions, [&](const Expr& given) {
      return std::find(options_.conditions.begin(), options_.conditions.end(), given) != options_.conditions.end();
    });
    return out;
  }

 private:
  // Holds from n = poles_at_zero on; the constant term of F may stand beside it at n = 0.
  std::optional<Expr> from_recurrence(const std::vector<Expr>& top, const std::vector<Expr>& c,
                                      std::size_t poles_at_zero, Expansion& series) {
    if (c.size() == 1) return Expr(0);
    // n = 0 may be an exception of its own, where the degrees are equal
    first_ = poles_at_zero + 1;
    if (auto sum = recurrences::sum_over_numbered_roots(top, c, n_ - Expr(first_), signs_)) {
      numbered_ = true;
      return sum;
    }
    const auto basis = recurrences::homogeneous_sequences(c, signs_);
    if (!basis) return std::nullopt;
    Expr out = 0;
    std::vector<Expr> weights;
    for (const auto& term : *basis) {
      weights.push_back(Symbol(fmt::format("_w{}", weights.size())));
      out += weights.back() * term.expression(n_);
    }
    std::vector<Expr> equations;
    for (std::size_t k = 0; k < weights.size(); ++k)
      equations.push_back(put(out, n_, Expr(first_ + k)) - series[first_ + k]);
    const SolutionSet s = solve(equations, weights);
    if (s.solutions.size() != 1) return std::nullopt;
    return simplify(substitute(out, s.solutions[0].values, Unused::allowed), {.conditions = options_.conditions});
  }

  // Values at the first n that the formula does not give.
  Expr with_first_values(const Expr& formula, std::size_t poles_at_zero, Expansion& series) {
    if (first_ == 0) first_ = poles_at_zero + 1;
    std::vector<Expr> branches;
    for (std::size_t k = 0; k < first_; ++k) {
      const Expr difference = put(formula, n_, Expr(k)) - series[k];
      if (!is_zero(difference)) branches.insert(branches.end(), {simplify(series[k]), equal(n_, Expr(k))});
    }
    if (branches.empty()) return formula;
    branches.push_back(formula);
    return piecewise(branches);
  }

  // Numbers decide where numbered roots stand in the way of exact arithmetic.
  [[nodiscard]] bool is_zero(const Expr& e) const {
    if (numbered_)
      return equations::zero_test(e, options_.conditions, 2, options_.seed).verdict == equations::Zero::yes;
    return vanishes(e);
  }

  void check(TransformResult& out, Expansion& series) const {
    out.check.method = "the expansion in powers of 1/z";
    out.check.entries = 1;
    for (std::size_t k = 0; k < first_ + 24; ++k) {
      const Expr difference = put(out.value, n_, Expr(k)) - series[k];
      if (!is_zero(difference)) {
        out.reason = fmt::format("the closed form found is not the expansion at {} = {}", n_.name(), k);
        out.value = 0;
        return;
      }
      ++out.check.points;
    }
    out.check.digits = 30;
    out.check.verdict = Verdict::agrees;
    out.status = TransformStatus::exact;
  }

  Symbol n_;
  const TransformOptions& options_;
  Signs signs_;
  std::size_t first_ = 0;
  bool numbered_ = false;
};

}  // namespace

TransformResult z_transform(const Expr& f, const Expr& n, const Expr& z, const TransformOptions& options) {
  require_symbols(f, n, z);
  const Symbol index = Symbol::from(n);
  TransformResult out;
  std::vector<Expr> radii;
  Expr value = 0;
  if (const auto terms = recurrences::sequence_terms(f, index)) {
    for (const auto& term : *terms) {
      value += image_of(term, z);
      const Expr radius = simplify(abs(term.base), {.conditions = options.conditions});
      if (std::find(radii.begin(), radii.end(), radius) == radii.end()) radii.push_back(radius);
    }
    value = factor(combine_fractions(value));
    out.steps.emplace_back("powers a^n give z/(z - a), each factor n gives -z*d/dz");
    for (const Expr& r : radii) out.conditions.push_back(less(r, abs(z)));
  } else {
    const Symbol k("k", {Assumption::integer, Assumption::nonnegative});
    const Expr term = put(f, index, k) * power(z, -Expr(k));
    const SumResult s = sum_with_report(term, k, 0, infinity(), options.conditions);
    if (!s.closed) {
      out.reason = "no closed form was found for the sum";
      return out;
    }
    value = s.value;
    out.conditions = s.conditions;
    out.steps.push_back(s.method);
  }
  out.check = check_image(f, index, value, Symbol::from(z), radii, options);
  if (out.check.verdict != Verdict::agrees) {
    out.reason = out.check.verdict == Verdict::disagrees ? "the closed form found does not agree with numbers"
                                                         : "the closed form found could not be compared with numbers";
    out.conditions.clear();
    return out;
  }
  out.value = value;
  out.status = TransformStatus::exact;
  return out;
}

TransformResult inverse_z_transform(const Expr& F, const Expr& z, const Expr& n, const TransformOptions& options) {
  require_symbols(F, z, n);
  try {
    return InverseZ(Symbol::from(n), options).run(F, Symbol::from(z));
  } catch (const UnknownSign& u) {
    TransformResult out;
    out.reason = "it depends on the sign of " + to_text(u.of, {60, {}}) + "; say --assume";
    return out;
  }
}

}  // namespace boreon
