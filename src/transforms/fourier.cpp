// SPDX-License-Identifier: MIT
// Fourier coefficients in an integer n, with the harmonics for which the general formula does not hold.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <functional>
#include <map>
#include <optional>
#include <set>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/evidence.hpp"
#include "boreon/functions.hpp"
#include "boreon/integral.hpp"
#include "boreon/quadrature.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "boreon/transform.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/breaks.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/parameter_points.hpp"
#include "calculus/series/limit_engine.hpp"
#include "transforms/exponential_terms.hpp"
#include "values/graph_evaluator.hpp"

namespace boreon {
namespace {

constexpr std::int64_t most_harmonic = 200;
constexpr std::int64_t checked_harmonics = 8;
constexpr double agreed_digits = 7;

class Fourier {
 public:
  Fourier(const Expr& f, const Symbol& t, const Expr& period, const TransformOptions& options)
      : f_(f), t_(t), options_(options), omega_(2 * pi() / period) {
    out_.period = period;
  }

  FourierCoefficients run() {
    Expr rest = split_harmonics();
    if (!general(rest)) {
      out_.reason = "the integral of a coefficient has no closed form";
      return out_;
    }
    for (const auto& [n, pair] : harmonics_) {
      if (n != 0) suspects_.insert(n);
    }
    for (const std::int64_t n : suspects_) except(n);
    for (std::int64_t n = 1; n <= checked_harmonics; ++n) {
      if (!regular(n)) except(n);
    }
    note_places_of_parameters();
    if (failed_) {
      out_.reason = "the coefficient of one harmonic has no closed form";
      return out_;
    }
    std::sort(out_.exceptions.begin(), out_.exceptions.end(),
              [](const FourierException& a, const FourierException& b) { return a.n < b.n; });
    check();
    if (out_.check.verdict == Verdict::agrees) {
      out_.status = TransformStatus::exact;
    } else {
      out_.reason = out_.check.verdict == Verdict::untested ? "the coefficients could not be compared with numbers"
                                                            : "the coefficients found do not agree with quadrature";
    }
    return out_;
  }

 private:
  struct Pair {
    Expr a = 0;
    Expr b = 0;
  };

  // Waves that fit into the period have one coefficient each; what is left is returned.
  Expr split_harmonics() {
    const auto terms = transforms::exponential_terms(f_, t_);
    if (!terms) return f_;
    std::vector<transforms::ExponentialTerm> rest;
    for (const transforms::ExponentialTerm& e : *terms) {
      const Expr ratio = simplify(e.frequency / omega_);
      const auto n = ratio.word();
      if (!e.rate.is_integer(0) || !e.power.is_integer(0) || !n || std::abs(*n) > most_harmonic) {
        rest.push_back(e);
        continue;
      }
      Pair& h = harmonics_[std::abs(*n)];
      if (e.sine) {
        h.b += *n < 0 ? -e.coefficient : e.coefficient;
      } else {
        h.a += e.coefficient;
      }
    }
    return transforms::sum_of(rest, t_);
  }

  std::optional<IntegralResult> integrated(const Expr& g, bool exceptions) {
    IntegralOptions o;
    o.conditions = options_.conditions;
    o.conditions.push_back(greater(out_.period, 0));
    o.exceptions = exceptions;
    o.points = 3;
    const IntegralResult r = integrate(g, t_, 0, out_.period, o);
    if (r.status != IntegralStatus::exact) return std::nullopt;
    for (const Expr& c : r.conditions) {
      if (depends_on(c, out_.n)) continue;
      if (std::find(out_.conditions.begin(), out_.conditions.end(), c) == out_.conditions.end())
        out_.conditions.push_back(c);
    }
    return r;
  }

  Expr tidy(const Expr& e) const {
    SimplifyOptions o;
    o.work = 400;
    o.points = 3;
    o.conditions = options_.conditions;
    return operation_count(e) > 150 ? e : simplify(e, o);
  }

  bool general(const Expr& rest) {
    rest_ = rest;
    const auto known = harmonics_.find(0);
    out_.mean = known == harmonics_.end() ? Expr(0) : known->second.a;
    out_.a = out_.b = 0;
    if (rest.is_integer(0)) return true;
    if (by_pieces(rest)) return true;
    const auto mean = integrated(rest, false);
    if (!mean) return false;
    out_.mean = tidy(out_.mean + mean->value / out_.period);
    const Expr phase = out_.n * omega_ * t_;
    const auto a = integrated(rest * cos(phase), true);
    const auto b = a ? integrated(rest * sin(phase), true) : std::nullopt;
    if (!b) return false;
    out_.a = tidy(2 * a->value / out_.period);
    out_.b = tidy(2 * b->value / out_.period);
    for (const IntegralResult& r : {*a, *b}) {
      for (const IntegralException& e : r.exceptions) {
        if (!e.when.is(Kind::relation) || e.when.relation_op() != RelationOp::equal) continue;
        const auto n = e.when.operands()[e.when.operands()[0] == out_.n ? 1 : 0].word();
        if (n && *n > 0 && *n <= most_harmonic) suspects_.insert(*n);
      }
    }
    return true;
  }

  // Powers, exponentials and waves on each piece: their antiderivatives with any n are written down.
  bool by_pieces(const Expr& rest) {
    Signs signs(options_.conditions);
    std::vector<Expr> places;
    std::vector<std::vector<transforms::ExponentialTerm>> pieces;
    try {
      const auto breaks = breaks_of_pieces(rest, t_, signs, 0, out_.period);
      if (!breaks) return false;
      places = in_order(*breaks, signs, 0, out_.period);
      std::erase_if(places, [&](const Expr& p) { return p.is_integer(0) || p == out_.period; });
      places.insert(places.begin(), 0);
      places.push_back(out_.period);
      for (std::size_t i = 0; i + 1 < places.size(); ++i) {
        const auto piece = piece_between(rest, t_, places[i], places[i + 1], signs);
        const auto terms = piece ? transforms::exponential_terms(*piece, t_) : std::nullopt;
        if (!terms) return false;
        for (const transforms::ExponentialTerm& e : *terms) {
          if (!e.power.word() || *e.power.word() < 0) return false;
        }
        pieces.push_back(*terms);
      }
    } catch (const UnknownSign&) {
      return false;
    }
    total_ = [this, pieces, places](const Expr& frequency, bool sine) {
      Expr sum = 0;
      for (std::size_t i = 0; i < pieces.size(); ++i) {
        const Expr wave = frequency.is_integer(0) ? Expr(1) : sine ? sin(frequency * t_) : cos(frequency * t_);
        const auto product = transforms::exponential_terms(transforms::sum_of(pieces[i], t_) * wave, t_);
        if (!product) return undefined();
        for (const transforms::ExponentialTerm& e : *product) {
          const Expr F = antiderivative(e);
          sum +=
              substitute(F, {{t_, places[i + 1]}}, Unused::allowed) - substitute(F, {{t_, places[i]}}, Unused::allowed);
        }
      }
      return sum;
    };
    const Expr mean = total_(0, false) / out_.period;
    const Expr a = total_(out_.n * omega_, false);
    const Expr b = total_(out_.n * omega_, true);
    if (a.is_constant(ConstantCode::undefined) || b.is_constant(ConstantCode::undefined)) return false;
    out_.mean = tidy(out_.mean + mean);
    out_.a = tidy(2 * a / out_.period);
    out_.b = tidy(2 * b / out_.period);
    // where a wave of the signal meets a harmonic
    for (const auto& terms : pieces) {
      for (const transforms::ExponentialTerm& e : terms) {
        const auto n = simplify(e.frequency / omega_).word();
        if (n && *n != 0 && std::abs(*n) <= most_harmonic) suspects_.insert(std::abs(*n));
      }
    }
    return true;
  }

  // t^k*exp(c*t), c = rate + i*frequency: exp(c*t)*sum of (-1)^j*k!/(k - j)!*t^(k - j)/c^(j + 1).
  [[nodiscard]] Expr antiderivative(const transforms::ExponentialTerm& e) const {
    const auto k = static_cast<std::size_t>(*e.power.word());
    if (e.rate.is_integer(0) && e.frequency.is_integer(0))
      return e.coefficient * power(t_, e.power + 1) / (e.power + 1);
    const Expr size = e.rate * e.rate + e.frequency * e.frequency;
    const transforms::ComplexPair inverse{e.rate / size, -e.frequency / size};
    transforms::ComplexPair sum;
    transforms::ComplexPair step = inverse;
    for (std::size_t j = 0; j <= k; ++j) {
      const Expr c = Expr(j % 2 == 0 ? 1 : -1) * factorial(Expr(k)) / factorial(Expr(k - j)) * power(t_, Expr(k - j));
      sum = sum + transforms::ComplexPair{c * step.re, c * step.im};
      step = step * inverse;
    }
    const Expr front = e.coefficient * exp(e.rate * t_);
    if (e.frequency.is_integer(0)) return front * sum.re;
    const Expr wave = e.frequency * t_;
    return e.sine ? front * (sum.re * sin(wave) + sum.im * cos(wave))
                  : front * (sum.re * cos(wave) - sum.im * sin(wave));
  }

  [[nodiscard]] bool regular(std::int64_t n) const {
    for (const Expr& e : {out_.a, out_.b}) {
      try {
        const Expr at = substitute(e, {{out_.n, n}}, Unused::allowed);
        if (has_infinity(at)) return false;
      } catch (const Error& error) {
        if (error.kind() == ErrorKind::limit || error.kind() == ErrorKind::interrupted) throw;
        return false;
      }
    }
    return true;
  }

  // A parameter may be a harmonic itself: cos(a*t) has a coefficient of its own where a is n.
  void note_places_of_parameters() {
    const Signs signs(options_.conditions);
    for (const Expr& e : {out_.a, out_.b}) {
      for_each_factor(factor(quotient(combine_fractions(e)).denominator), [&](const Expr& base, const Expr&) {
        const auto l = linear_in(base, out_.n);
        if (!l || l->slope.is_integer(0) || depends_on(l->slope, t_)) return;
        const Expr place = tidy(-l->constant / l->slope);
        if (!place.has_symbols() || signs.known(place).value_or(1) <= 0) return;
        const Expr c = not_equal(out_.n, place);
        if (std::find(out_.conditions.begin(), out_.conditions.end(), c) == out_.conditions.end())
          out_.conditions.push_back(c);
      });
    }
  }

  // The coefficients at one n from their own integrals.
  void except(std::int64_t n) {
    for (const FourierException& e : out_.exceptions) {
      if (e.n == n) return;
    }
    FourierException e{n, 0, 0};
    if (const auto h = harmonics_.find(n); h != harmonics_.end()) {
      e.a = h->second.a;
      e.b = h->second.b;
    }
    if (!rest_.is_integer(0)) {
      const Expr frequency = Expr(n) * omega_;
      std::optional<Expr> a;
      std::optional<Expr> b;
      if (total_) {
        a = total_(frequency, false);
        b = total_(frequency, true);
      } else {
        const auto by_cosine = integrated(rest_ * cos(frequency * t_), false);
        const auto by_sine = integrated(rest_ * sin(frequency * t_), false);
        if (by_cosine) a = by_cosine->value;
        if (by_sine) b = by_sine->value;
      }
      if (!a || !b) {
        failed_ = true;
        return;
      }
      e.a = tidy(e.a + 2 * *a / out_.period);
      e.b = tidy(e.b + 2 * *b / out_.period);
    }
    // where the general formula says the same there is nothing to tell
    if (regular(n)) {
      const auto same = [&](const Expr& formula, const Expr& value) {
        return equivalent(substitute(formula, {{out_.n, n}}, Unused::allowed), value).verdict == Equivalence::proved;
      };
      if (same(out_.a, e.a) && same(out_.b, e.b)) return;
    }
    out_.exceptions.push_back(std::move(e));
  }

  void check() {
    Evidence& c = out_.check;
    c.method = "quadrature over the period";
    std::int64_t most = checked_harmonics;
    for (const FourierException& e : out_.exceptions) most = std::max(most, std::min<std::int64_t>(e.n + 1, 24));
    const std::vector<Expr> all{f_, out_.period, out_.mean, substitute(out_.a, {{out_.n, 1000003}}, Unused::allowed)};
    ParameterPoints points(all, t_, options_.conditions, options_.seed);
    const BriefFaults brief;
    const std::size_t wanted = points.leaves().empty() ? 1 : std::min<std::size_t>(options_.points, 2);
    for (std::size_t k = 0; k < wanted && points.next(); ++k) {
      const Bindings at = points.bindings();
      const double period = evaluate(out_.period, at, Unused::allowed);
      if (!(period > 0)) continue;
      const Expr f = substitute(f_, at, Unused::allowed);
      const Expr T = substitute(out_.period, at, Unused::allowed);
      QuadratureOptions quadrature_options;
      quadrature_options.breaks = places_to_split(f, t_, 0, T);
      // harmonics are small or not beside the signal itself
      const double size = std::sqrt(std::abs(quadrature(f * f, t_, 0, T, {}, quadrature_options).value) / period);
      for (std::int64_t n = 0; n <= most; ++n) {
        for (const bool sine : {false, true}) {
          if (n == 0 && sine) continue;
          const Expr phase = Expr(n) * 2 * pi() / T * t_;
          const QuadratureResult q = quadrature(f * (sine ? sin(phase) : cos(phase)), t_, 0, T, {}, quadrature_options);
          if (!q.converged) {
            ++c.skipped;
            continue;
          }
          const double reference = q.value * (n == 0 ? 1 : 2) / period;
          const Expr value = n == 0 ? out_.mean : sine ? out_.at(n).second : out_.at(n).first;
          // real as a whole, though parts may be complex: erf(a + i*b) with its conjugate
          const std::complex<double> whole = evaluate_complex(value, at, Unused::allowed);
          const double derived = whole.real();
          const double error = std::abs(whole - reference);
          const double scale = std::max({std::abs(reference), std::abs(derived), 1e-3 * size, 1e-300});
          const double digits = agreeing_digits(error, scale);
          ++c.entries;
          if (c.entries == 1 || digits < c.digits) {
            c.digits = digits;
            c.worst_entry = n == 0 ? "mean" : fmt::format("{}({})", sine ? "b" : "a", n);
            c.worst_derived = derived;
            c.worst_reference = reference;
          }
        }
      }
      ++c.points;
    }
    c.verdict = c.entries == 0 || c.skipped > c.entries ? Verdict::untested
                : c.digits >= agreed_digits             ? Verdict::agrees
                                                        : Verdict::disagrees;
  }

  Expr f_;
  Symbol t_;
  const TransformOptions& options_;
  Expr omega_;
  Expr rest_;
  std::map<std::int64_t, Pair> harmonics_;
  std::set<std::int64_t> suspects_;
  bool failed_ = false;
  std::function<Expr(const Expr&, bool)> total_;  // the integral against a wave, where pieces are written down
  FourierCoefficients out_;
};

}  // namespace

std::pair<Expr, Expr> FourierCoefficients::at(std::int64_t k) const {
  for (const FourierException& e : exceptions) {
    if (e.n == k) return {e.a, e.b};
  }
  return {substitute(a, {{n, k}}, Unused::allowed), substitute(b, {{n, k}}, Unused::allowed)};
}

Expr FourierCoefficients::complex() const { return (a - imaginary_unit() * b) / 2; }

Expr FourierCoefficients::partial_sum(const Expr& t, std::int64_t most) const {
  std::vector<Expr> terms{mean};
  for (std::int64_t k = 1; k <= most; ++k) {
    const auto [ak, bk] = at(k);
    const Expr phase = Expr(k) * 2 * pi() / period * t;
    terms.push_back(ak * cos(phase) + bk * sin(phase));
  }
  return add(terms);
}

Expr extended(const Expr& f, const Expr& t, const Expr& length, Extension extension) {
  if (!t.is(Kind::symbol)) throw Error(ErrorKind::usage, "a signal is a function of one symbol, the time");
  if (depends_on(length, t)) throw Error(ErrorKind::usage, "the length depends on " + t.name());
  const Expr mirrored = substitute(f, {{t, 2 * length - t}}, Unused::allowed);
  const Expr branches[] = {f, less(t, length), extension == Extension::even ? mirrored : -mirrored};
  return piecewise(branches);
}

FourierCoefficients fourier_coefficients(const Expr& f, const Expr& t, const Expr& period,
                                         const TransformOptions& options) {
  if (!t.is(Kind::symbol)) throw Error(ErrorKind::usage, "a signal is a function of one symbol, the time");
  if (depends_on(period, t)) throw Error(ErrorKind::usage, "the period depends on " + t.name());
  if (is_condition(f))
    throw Error(ErrorKind::shape, "a condition is no signal; write piecewise(1 if ..., 0 otherwise)");
  if (!period.has_symbols() && !(evaluate(period) > 0))
    throw Error(ErrorKind::domain, "the period has to be positive, not " + to_text(period));
  for (const Symbol& s : free_symbols({&f, 1})) {
    if (s.name() == "n")
      throw Error(ErrorKind::usage, "n numbers the coefficients: rename the parameter n of the signal");
  }
  return Fourier(f, Symbol::from(t), period, options).run();
}

}  // namespace boreon
