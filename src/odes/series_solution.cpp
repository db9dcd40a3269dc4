// SPDX-License-Identifier: MIT
// Power series: the recurrence of a linear equation about ordinary and regular singular points, derivatives for others.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "algebra/conjugated.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/equations.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/ode_series.hpp"
#include "boreon/sampling.hpp"
#include "boreon/series.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/series/limit_engine.hpp"
#include "equations/roots.hpp"
#include "odes/context.hpp"
#include "odes/jet.hpp"

namespace boreon {
namespace {

using namespace odes;

struct NotFound {
  std::string why;
};

class SeriesSolver {
 public:
  SeriesSolver(const Expr& equation, const Expr& unknown, const OdeSeriesOptions& options)
      : jet_({&equation, 1}, {&unknown, 1}), options_(options), t_(jet_.variable()), s_("_s") {
    if (options.order < 1 || options.order > 60)
      throw Error(ErrorKind::usage, fmt::format("a series has an order from 1 to 60, not {}", options.order));
    n_ = static_cast<std::size_t>(jet_.orders()[0]);
    if (n_ == 0) throw Error(ErrorKind::usage, "no derivative of the unknown occurs: this is no differential equation");
    for (std::size_t k = 0; k <= n_; ++k) jets_.push_back(jet_.symbol(0, static_cast<int>(k)));
    F_ = substitute(jet_.equations()[0], {{t_, options.about + s_}}, Unused::allowed);
    out_.order = options.order;
    out_.local = options.about.is_integer(0) ? Expr(t_) : t_ - options.about;
  }

  OdeSeries run() {
    try {
      const auto form = linear_form(F_, jets_);
      const bool linear = form && form->a.size() == jets_.size();
      if (linear && form->forcing.is_integer(0)) {
        of_linear(*form);
      } else {
        by_derivatives(linear ? &*form : nullptr);
      }
      out_.found = true;
    } catch (const NotFound& n) {
      out_.reason = n.why;
    }
    return std::move(out_);
  }

 private:
  // Coefficients of s^0, s^1, ... of something regular; nothing if it is not.
  std::optional<std::vector<Expr>> expanded(const Expr& e) const {
    std::vector<Expr> out(static_cast<std::size_t>(options_.order) + n_ + 1, Expr(0));
    if (!depends_on(e, s_)) {
      out[0] = e;
      return out;
    }
    const SeriesResult r = series(e, s_, 0, static_cast<int>(out.size()) - 1, options_.conditions);
    if (!r.factor.is_integer(1)) return std::nullopt;
    for (const SeriesTerm& term : r.terms) {
      if (!term.exponent.is_integer() || term.exponent.sign() < 0 || depends_on(term.coefficient, s_))
        return std::nullopt;
      const auto k = Expr(term.exponent).word();
      if (k && static_cast<std::size_t>(*k) < out.size()) out[static_cast<std::size_t>(*k)] = term.coefficient;
    }
    return out;
  }

  static Expr falling(const Expr& r, std::size_t k) {
    Expr out = 1;
    for (std::size_t i = 0; i < k; ++i) out *= r - Expr(i);
    return out;
  }
  // The factor of a_(m-j) in the equation for the power s^(r + m): at rho = r + m - j.
  Expr factor_of(std::size_t j, const Expr& rho) const {
    Expr out = j == 0 ? falling(rho, n_) : Expr(0);
    for (std::size_t k = 0; k < n_; ++k) out += p_[k][j] * falling(rho, k);
    return out;
  }

  void of_linear(const LinearOde& form) {
    bool ordinary = true;
    for (std::size_t k = 0; k < n_; ++k) {
      const Expr q = combine_fractions(form.a[k] / form.a[n_]);
      std::optional<std::vector<Expr>> p;
      try {
        p = expanded(combine_fractions(q * power(s_, Expr(n_ - k))));
      } catch (const Error& e) {
        if (e.kind() != ErrorKind::unsupported && e.kind() != ErrorKind::domain) throw;
        throw NotFound{fmt::format("a coefficient has no expansion there: {}", e.message())};
      }
      if (!p) throw NotFound{"the place is an irregular singular point: no series of powers starts there"};
      for (std::size_t j = 0; j < n_ - k; ++j) ordinary = ordinary && (*p)[j].is_integer(0);
      p_.push_back(std::move(*p));
    }
    if (ordinary) {
      about_ordinary_point();
    } else {
      about_singular_point();
    }
    Expr sum = 0;
    for (const Expr& y : out_.independent) {
      out_.constants.push_back(constant());
      sum += out_.constants.back() * y;
    }
    out_.solution = sum;
    if (!options_.given.empty()) {
      if (!ordinary) throw Error(ErrorKind::usage, "values are given at a singular point of the equation; C1, C2 stay");
      with_given_values();
    }
    check(out_.independent, out_.exponents, form.a[n_]);
  }

  void about_ordinary_point() {
    for (std::size_t i = 0; i < n_; ++i) {
      std::vector<Expr> a(n_, Expr(0));
      a[i] = 1;
      for (std::size_t m = n_; m <= last(i); ++m) a.push_back(next(a, m, 0));
      out_.exponents.emplace_back(i);
      out_.independent.push_back(written(a, 0));
    }
  }
  // The solution that starts with s^i goes as far beyond it as the others do beyond their starts.
  [[nodiscard]] std::size_t last(std::size_t i) const { return i + static_cast<std::size_t>(options_.order); }

  // a_m from those before it.
  Expr next(const std::vector<Expr>& a, std::size_t m, const Expr& r) const {
    Expr sum = 0;
    for (std::size_t j = 1; j <= m && j < p_[0].size(); ++j) {
      if (a[m - j].is_integer(0)) continue;
      sum += factor_of(j, r + Expr(m - j)) * a[m - j];
    }
    if (sum.is_integer(0)) return 0;
    return combine_fractions(-sum / factor_of(0, r + Expr(m)));
  }

  Expr written(const std::vector<Expr>& a, const Expr& r) const {
    std::vector<Expr> terms;
    for (std::size_t m = 0; m < a.size(); ++m) {
      if (!a[m].is_integer(0)) terms.push_back(a[m] * power(out_.local, r + Expr(m)));
    }
    return add(terms);
  }

  void about_singular_point() {
    out_.singular = true;
    if (n_ != 2) {
      throw NotFound{
          fmt::format("the place is a singular point of an equation of order {}; series there are made of "
                      "second order ones",
                      n_)};
    }
    const Symbol r("_r");
    const SolutionSet roots = solve({expand(factor_of(0, r))}, {r}, {.conditions = options_.conditions});
    if (roots.solutions.empty()) throw NotFound{"the exponents were not found"};
    Expr first = *roots.solutions[0].values.find(r);
    Expr second = *roots.solutions.back().values.find(r);
    if (!equations::looks_real(first)) return complex_exponents(first);
    const Expr difference = simplify(first - second);
    if (difference.has_symbols()) {
      out_.conditions.push_back(not_equal(floor(difference), difference));
      frobenius(first);
      frobenius(second);
      return;
    }
    if (evaluate(difference) < 0) std::swap(first, second);
    frobenius(first);
    const Expr apart = simplify(first - second);
    if (!apart.is_number() || !apart.number().is_integer()) return frobenius(second);
    with_logarithm(second, static_cast<std::size_t>(apart.word().value_or(0)));
  }

  void frobenius(const Expr& r) {
    std::vector<Expr> a{1};
    for (std::size_t m = 1; m <= last(0); ++m) a.push_back(next(a, m, r));
    out_.exponents.push_back(r);
    out_.independent.push_back(written(a, r));
  }

  // Coefficients as functions of the exponent: the derivative by it solves the equation where two exponents meet, or
  // differ by a whole number (then with a factor that is zero at the smaller one).
  void with_logarithm(const Expr& r2, std::size_t apart) {
    const Symbol r("_r");
    std::vector<Expr> a{apart == 0 ? Expr(1) : r - r2};
    for (std::size_t m = 1; m <= last(0) + apart; ++m) a.push_back(next(a, m, r));
    std::vector<Expr> plain;
    std::vector<Expr> logarithmic;
    for (const Expr& c : a) {
      plain.push_back(simplify(substitute(derivative(c, r), {{r, r2}}, Unused::allowed)));
      logarithmic.push_back(simplify(substitute(c, {{r, r2}}, Unused::allowed)));
      if (has_undefined(plain.back()) || has_undefined(logarithmic.back()))
        throw NotFound{"the exponents differ by a whole number, and a coefficient was not found"};
    }
    out_.exponents.push_back(r2);
    out_.independent.push_back(written(plain, r2) + log(out_.local) * written(logarithmic, r2));
  }

  // s^(p + q*i) = s^p*(cos(q*log(s)) + i*sin(q*log(s))): the real and the imaginary part.
  void complex_exponents(const Expr& r) {
    const Expr re = simplify((r + conjugated(r)) / 2);
    const Expr im = simplify((r - conjugated(r)) / (2 * imaginary_unit()));
    std::vector<Expr> a{1};
    for (std::size_t m = 1; m <= last(0); ++m) a.push_back(next(a, m, r));
    std::vector<Expr> real;
    std::vector<Expr> imaginary;
    for (const Expr& c : a) {
      real.push_back(simplify((c + conjugated(c)) / 2));
      imaginary.push_back(simplify((c - conjugated(c)) / (2 * imaginary_unit())));
    }
    const Expr angle = im * log(out_.local);
    out_.independent.push_back(cos(angle) * written(real, re) - sin(angle) * written(imaginary, re));
    out_.independent.push_back(sin(angle) * written(real, re) + cos(angle) * written(imaginary, re));
    out_.exponents = {re, re};
  }

  Expr constant() const {
    for (int k = 1 + static_cast<int>(out_.constants.size());; ++k) {
      const Symbol c("C" + std::to_string(k));
      if (!depends_on(F_, c)) return c;
    }
  }

  void with_given_values() {
    std::vector<Expr> equations;
    for (const Expr& g : options_.given) {
      for (const Expr& call : unknown_calls({&g, 1})) {
        if (!(call.operands()[1] == options_.about))
          throw Error(ErrorKind::usage, fmt::format("values of a series are given at its place {}, not at {}",
                                                    to_text(options_.about), to_text(call.operands()[1])));
      }
      equations.push_back(jet_.at_places(g, std::vector<Expr>{out_.solution}));
    }
    const SolutionSet s = solve(equations, out_.constants);
    if (s.solutions.empty()) throw Error(ErrorKind::domain, "the values that are given contradict each other");
    out_.solution = substitute(out_.solution, s.solutions[0].values, Unused::allowed);
    std::erase_if(out_.constants, [&](const Expr& c) { return s.solutions[0].values.find(c) != nullptr; });
  }

  // y^(n) = f(s, y, ..., y^(n-1)) by derivatives at the place.
  void by_derivatives(const LinearOde* form) {
    Expr f;
    if (form != nullptr) {
      f = form->forcing;
      for (std::size_t k = 0; k < n_; ++k) f -= form->a[k] * jets_[k];
      f = f / form->a[n_];
    } else {
      const Expr slope = derivative(F_, jets_[n_]);
      if (depends_on(slope, jets_[n_]))
        throw NotFound{"the equation is not linear in the highest derivative, which a series needs"};
      f = -substitute(F_, {{jets_[n_], 0}}, Unused::allowed) / slope;
    }
    std::vector<Expr> a;
    Expr start = 0;
    for (std::size_t k = 0; k < n_; ++k) {
      out_.constants.push_back(constant());
      start += out_.constants.back() * power(out_.local, Expr(k));
    }
    out_.solution = start;
    if (!options_.given.empty()) with_given_values();
    const Expr known = substitute(out_.solution, {{t_, options_.about + s_}}, Unused::allowed);
    for (std::size_t k = 0; k < n_; ++k)
      a.push_back(substitute(derivative_of(known, k), {{s_, 0}}, Unused::allowed) / factorial(Expr(k)));
    require_regular(f, known);
    for (std::size_t m = n_; m <= static_cast<std::size_t>(options_.order); ++m) {
      Expr y = 0;
      for (std::size_t k = 0; k < a.size(); ++k) y += a[k] * power(s_, Expr(k));
      Bindings into;
      for (std::size_t k = 0; k < n_; ++k) into.set(jets_[k], derivative_of(y, k));
      Expr c;
      try {
        c = substitute(derivative_of(substitute(f, into, Unused::allowed), m - n_), {{s_, 0}}, Unused::allowed);
      } catch (const Error& e) {
        if (e.kind() != ErrorKind::domain) throw;
        throw NotFound{"the equation is singular at the place: " + e.message()};
      }
      if (has_undefined(c) || has_infinity(c)) throw NotFound{"the equation is singular at the place"};
      a.push_back(simplify(c / factorial(Expr(m))));
    }
    out_.solution = written(a, 0);
    out_.exponents = {Expr(0)};
    check({out_.solution}, {Expr(0)}, 1);
  }

  // Slopes by y, y', ... at the start: where one is infinite, as of sqrt(y) at y = 0, there is no series, and there may
  // be several solutions.
  void require_regular(const Expr& f, const Expr& known) const {
    Bindings start{{s_, 0}};
    for (std::size_t k = 0; k < n_; ++k)
      start.set(jets_[k], substitute(derivative_of(known, k), {{s_, 0}}, Unused::allowed));
    for (std::size_t k = 0; k < n_; ++k) {
      bool regular = true;
      try {
        const Expr slope = substitute(derivative(f, jets_[k]), start, Unused::allowed);
        regular = !has_undefined(slope) && !has_infinity(slope);
      } catch (const Error& e) {
        if (e.kind() != ErrorKind::domain) throw;
        regular = false;
      }
      if (!regular) throw NotFound{"the equation is singular at the values given: there may be several solutions"};
    }
  }

  [[nodiscard]] Expr derivative_of(const Expr& e, std::size_t times) const {
    return derivative(e, s_, static_cast<int>(times));
  }

  // What is left in the equation, divided by the factor of the highest derivative, at two distances: it falls with the
  // power r + order + 1 - n.
  void check(const std::vector<Expr>& solutions, const std::vector<Expr>& exponents, const Expr& by) {
    Evidence& e = out_.check;
    e.method = "what is left in the equation falls with the order stated";
    for (std::size_t i = 0; i < solutions.size(); ++i) {
      const Expr y = substitute(solutions[i], {{t_, options_.about + s_}}, Unused::allowed);
      Bindings into;
      for (std::size_t k = 0; k <= n_; ++k) into.set(jets_[k], derivative_of(y, k));
      const Expr left = substitute(F_, into, Unused::allowed) / by;
      ++e.entries;
      if (left.is_integer(0)) continue;
      std::vector<Expr> all{left, exponents[i]};
      all.insert(all.end(), options_.conditions.begin(), options_.conditions.end());
      std::vector<Expr> leaves = sampled_leaves(all);
      std::erase(leaves, Expr(s_));
      const SampleRanges ranges;
      Sampler sampler(leaves, ranges, options_.seed);
      for (int point = 0; point < (leaves.empty() ? 1 : 3); ++point) {
        const std::vector<double> at = sampler.draw(options_.conditions);
        if (at.size() != leaves.size()) break;
        Bindings numbers;
        for (std::size_t k = 0; k < leaves.size(); ++k)
          numbers.set(leaves[k], Number(std::llround(at[k] * 1024), 1024));
        const double expected = evaluate(exponents[i], numbers, Unused::allowed) + static_cast<double>(options_.order) +
                                1 - static_cast<double>(n_);
        for (const int side : {1, -1}) {
          if (side < 0 && out_.singular) continue;
          const auto slope = falls(left, numbers, side);
          if (!slope) continue;
          ++e.points;
          const double short_by = std::max(0.0, expected - *slope);
          if (short_by > tolerated) {
            e.verdict = Verdict::disagrees;
            e.worst_entry = to_text(solutions[i], {60, {}});
            e.worst_derived = expected;
            e.worst_reference = *slope;
            throw Error(ErrorKind::check,
                        fmt::format("a series does not satisfy its equation to the order stated: what "
                                    "is left falls with the power {:.2f}, not {:.2f}",
                                    *slope, expected));
          }
        }
      }
    }
    e.digits = 15;
    e.verdict = e.points > 0 || e.entries > 0 ? Verdict::agrees : Verdict::untested;
  }

  static constexpr double tolerated = 0.45;  // of a power: logarithms fall a little slower

  // With which power of the distance; nothing where it is zero, or has no value.
  std::optional<double> falls(const Expr& left, const Bindings& numbers, int side) const {
    double size[2];
    for (int k = 0; k < 2; ++k) {
      Bindings here = numbers;
      here.set(s_, Number(side, k == 0 ? 1 << 10 : 1 << 14));
      try {
        const Enclosure v = certify(left, here, 6, Unused::allowed);
        if (!v.imaginary.empty()) return std::nullopt;
        const Expr value(Number::parse(v.real));
        if (value.is_integer(0)) return std::nullopt;
        size[k] = log2_of(v.real);
      } catch (const Error& e) {
        if (e.kind() != ErrorKind::convergence && e.kind() != ErrorKind::domain) throw;
        return std::nullopt;
      }
    }
    return (size[0] - size[1]) / 4;
  }
  // Of a decimal that may be too small for a double.
  static double log2_of(const std::string& decimal) {
    const std::size_t e = decimal.find('e');
    const double mantissa = std::fabs(std::stod(decimal.substr(0, e)));
    const double exponent = e == std::string::npos ? 0 : std::stod(decimal.substr(e + 1));
    return std::log2(mantissa) + exponent * 3.3219280948873623;
  }

  Jet jet_;
  const OdeSeriesOptions& options_;
  Symbol t_;
  Symbol s_;
  std::size_t n_ = 0;
  std::vector<Symbol> jets_;
  Expr F_;
  std::vector<std::vector<Expr>> p_;  // of s^(n-k) times the coefficient of y^(k): its powers
  OdeSeries out_;
};

}  // namespace

OdeSeries series_solution(const Expr& equation, const Expr& unknown, const OdeSeriesOptions& options) {
  return SeriesSolver(equation, unknown, options).run();
}

}  // namespace boreon
