// SPDX-License-Identifier: MIT
#include "transforms/contour_inverse.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <numbers>
#include <optional>
#include <utility>
#include <vector>

#include "algebra/linear_terms.hpp"
#include "algebra/simplify/transforms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/evidence.hpp"
#include "boreon/functions.hpp"
#include "boreon/text.hpp"
#include "boreon/transform.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "transforms/witness.hpp"
#include "values/domains.hpp"

namespace boreon::transforms {
namespace {

constexpr double most_plain_terms = 5000;

}  // namespace

ContourInverse::ContourInverse(const Expr& F, const Symbol& s, const Bindings& parameters)
    : s_(s), plan_(std::vector<Expr>{substitute(F, parameters, Unused::allowed)}) {}

std::complex<double> ContourInverse::operator()(std::complex<double> s) const {
  const BriefFaults brief;
  try {
    return GraphEvaluator<ComplexDomain>().run(plan_, [&](const Expr& e, std::complex<double>& v) {
      if (!(e == s_)) return false;
      v = s;
      return true;
    })[0];
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::domain) throw;
    return std::numeric_limits<double>::quiet_NaN();
  }
}

double ContourInverse::talbot(double t, int nodes, double shift) const {
  // s = shift + r*theta*(cot(theta) + i)
  const double r = 2.0 * nodes / (5 * t);
  double sum = 0.5 * ((*this)(shift + r) * std::exp(r * t)).real();
  for (int k = 1; k < nodes; ++k) {
    const double theta = k * std::numbers::pi / nodes;
    const double cot = std::cos(theta) / std::sin(theta);
    const std::complex<double> z(r * theta * cot, r * theta);
    const double sigma = theta + (theta * cot - 1) * cot;
    sum += (std::exp(t * z) * (*this)(shift + z) * std::complex<double>(1, sigma)).real();
  }
  return sum * r / nodes * std::exp(shift * t);
}

double ContourInverse::reach() const {
  constexpr int farthest = 50;
  double out = 1;
  int steady = 0;  // steps at the end over which the power stayed what it was
  std::optional<double> before;
  double slope_before = std::numeric_limits<double>::quiet_NaN();
  for (int k = -1; k <= farthest; ++k) {
    const double value = std::log(std::abs((*this)(std::ldexp(1.0, k))));
    if (!std::isfinite(value)) {
      before.reset();
      continue;
    }
    const double slope = before ? (value - *before) / std::numbers::ln2 : std::numeric_limits<double>::quiet_NaN();
    if (std::abs(slope - slope_before) > 0.05) {
      out = std::ldexp(1.0, k);
      steady = 0;
    } else {
      ++steady;
    }
    if (before) slope_before = slope;
    before = value;
  }
  // exponentials of roots never come to rest, and say nothing of singular places
  return steady < 3 ? std::min(out, 1024.0) : out;
}

double ContourInverse::euler(double t, int order, double reach, double shift) const {
  // weights: 1/2, 1, ..., 1, then the tails of a binomial distribution
  const double passed = std::ceil(reach * t / std::numbers::pi);
  if (passed > most_plain_terms) return std::numeric_limits<double>::quiet_NaN();
  const int plain = static_cast<int>(passed);
  const int last = plain + 2 * order;
  std::vector<double> weights(static_cast<std::size_t>(last) + 1, 1.0);
  weights[0] = 0.5;
  double tail = std::pow(2.0, -order);
  double binomial = 1;
  weights.back() = tail;
  for (int k = 1; k < order; ++k) {
    binomial *= static_cast<double>(order - k + 1) / k;
    tail += std::pow(2.0, -order) * binomial;
    weights[static_cast<std::size_t>(last - k)] = tail;
  }
  const double line = order * std::numbers::ln10 / 3;
  double sum = 0;
  for (int k = 0; k <= last; ++k) {
    const double value = (*this)(std::complex<double>(shift + line / t, k * std::numbers::pi / t)).real();
    sum += (k % 2 == 0 ? 1 : -1) * weights[static_cast<std::size_t>(k)] * value;
  }
  return std::pow(10.0, order / 3.0) * std::exp(shift * t) / t * sum;
}

namespace {

// exp(-delay*s)*rest
struct DelayedPart {
  double delay = 0;
  ContourInverse rest;
  double reach = 1;
};

// The terms of F with their delays taken out, those with the same delay together.
std::vector<DelayedPart> parts_of(const Expr& F, const Symbol& s, const Bindings& parameters) {
  std::vector<std::pair<double, Expr>> sums;
  const Expr bound = substitute(F, parameters, Unused::allowed);
  for (const Expr& term : terms_of(contains_call(bound, {"exp"}) ? expand(bound) : bound)) {
    Expr rest = leading_number(term);
    double delay = 0;
    for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
      const auto l = is_call_of(base, "exp") ? linear_in(base.operands()[0] * exponent, s) : std::nullopt;
      if (!l || l->slope.has_symbols() || l->constant.has_symbols()) {
        rest *= power(base, exponent);
        return;
      }
      delay -= evaluate(l->slope);
      rest *= exp(l->constant);
    });
    const auto same = std::find_if(sums.begin(), sums.end(), [&](const auto& p) { return p.first == delay; });
    if (same == sums.end()) {
      sums.emplace_back(delay, rest);
    } else {
      same->second += rest;
    }
  }
  std::vector<DelayedPart> out;
  for (const auto& [delay, rest] : sums) {
    ContourInverse image(rest, s, {});
    const double reach = image.reach();
    out.push_back({delay, std::move(image), reach});
  }
  return out;
}

class Inversion {
 public:
  Inversion(const Expr& F, const Symbol& s, const Bindings& parameters) : parts_(parts_of(F, s, parameters)) {}

  /// Moves the contours to the right: what grows as exp(shift*t) has its singular places there.
  void move_to(double shift) { shift_ = shift; }

  [[nodiscard]] InvertedValue at(double t) const {
    InvertedValue out{t};
    for (const DelayedPart& p : parts_) {
      if (t <= p.delay) continue;
      const InvertedValue one = of_part(p.rest, p.reach, t - p.delay);
      out.value += one.value;
      out.error += one.error;
    }
    return out;
  }

  // The value along the line alone.
  [[nodiscard]] double along_line(double t) const {
    double sum = 0;
    for (const DelayedPart& p : parts_) {
      if (t > p.delay) sum += p.rest.euler(t - p.delay, 15, p.reach, shift_);
    }
    return sum;
  }

  // The integral of f(t)*exp(-s*t), five points on each of some pieces that are denser near 0. Nothing where the last
  // piece still counts.
  [[nodiscard]] std::optional<double> forward(double s) const {
    constexpr std::array<double, 5> nodes{0.0469100770306680, 0.2307653449471585, 0.5, 0.7692346550528415,
                                          0.9530899229693320};
    constexpr std::array<double, 5> weights{0.1184634425280945, 0.2393143352496832, 0.2844444444444444,
                                            0.2393143352496832, 0.1184634425280945};
    constexpr int pieces = 40;
    const double end = 30 / s;
    double sum = 0;
    double size = 0;
    double last = 0;
    for (int k = 0; k < pieces; ++k) {
      last = 0;
      for (std::size_t j = 0; j < nodes.size(); ++j) {
        const double u = (k + nodes[j]) / pieces;  // t = end*u^3
        const double t = end * u * u * u;
        const double value = along_line(t) * std::exp(-s * t) * 3 * u * u * end * weights[j] / pieces;
        sum += value;
        last += std::abs(value);
      }
      size += last;
    }
    if (!std::isfinite(sum) || last > 1e-6 * size) return std::nullopt;
    return sum;
  }

 private:
  [[nodiscard]] InvertedValue of_part(const ContourInverse& F, double reach, double t) const {
    const double line = F.euler(t, 15, reach, shift_);
    const double shorter = F.euler(t, 12, reach, shift_);
    InvertedValue out{t, line, std::abs(line - shorter)};
    const double bent = F.talbot(t, 20, shift_);
    const double noise = std::abs(bent - F.talbot(t, 16, shift_));
    const double size = std::max(std::abs(line), 1e-12);
    // the line sees what the bent contour may cross
    if (noise < out.error && std::abs(bent - line) <= std::max(10 * out.error, 1e-7 * size)) out = {t, bent, noise};
    out.error = std::max(out.error, 1e-12 * std::abs(out.value));
    return out;
  }

  std::vector<DelayedPart> parts_;
  double shift_ = 0;
};

// Digits that the forward transform must show: jumps between its points cost it all but these.
constexpr double needed_digits_forward = 2;

}  // namespace

}  // namespace boreon::transforms

namespace boreon {

namespace {

// Compares the numbers transformed forward with the image, at what belongs to the times asked for, and further out
// where what grows does not let the integral converge.
Evidence forward_check(const transforms::Inversion& inversion, const transforms::ContourInverse& image,
                       const Symbol& variable, double last_time) {
  Evidence out;
  out.method = "the numbers transformed forward again";
  out.entries = 1;
  const double first = 4 / last_time;
  for (double place = first; place < 1e4 * first && out.points < 3; place *= 1.9) {
    const double reference = image(place).real();
    const std::optional<double> found = inversion.forward(place);
    if (!found || !std::isfinite(reference)) continue;
    transforms::compare(out, *found, reference, 1e-300, Bindings{{variable, Number::exact(place)}});
  }
  if (out.points > 0)
    out.verdict = out.digits >= transforms::needed_digits_forward ? Verdict::agrees : Verdict::disagrees;
  return out;
}

}  // namespace

NumericInversion inverse_laplace_values(const Expr& F, const Expr& s, std::span<const double> times,
                                        const Bindings& bindings) {
  if (!s.is(Kind::symbol)) throw Error(ErrorKind::usage, "a transform is a function of a symbol, not of " + to_text(s));
  const Symbol variable = Symbol::from(s);
  for (const Symbol& p : free_symbols(substitute(F, bindings, Unused::allowed))) {
    if (!(p == variable))
      throw Error(ErrorKind::binding, p.name() + " has no value; numbers need one for each parameter");
  }
  for (const double t : times) {
    if (!(t > 0) || !std::isfinite(t)) throw Error(ErrorKind::usage, "times of an inverse transform are positive");
  }
  NumericInversion best;
  if (times.empty()) return best;
  const double last = *std::max_element(times.begin(), times.end());
  transforms::Inversion inversion(F, variable, bindings);
  const transforms::ContourInverse image(F, variable, bindings);
  // further to the right as long as the numbers do not give the image back
  for (const double growth : {0.0, 6.0, 12.0, 24.0, 48.0, 96.0}) {
    inversion.move_to(growth / last);
    NumericInversion out;
    for (const double t : times) out.values.push_back(inversion.at(t));
    out.check = forward_check(inversion, image, variable, last);
    if (growth == 0 || out.check.verdict == Verdict::agrees) best = std::move(out);
    if (best.check.verdict == Verdict::agrees) break;
  }
  return best;
}

}  // namespace boreon
