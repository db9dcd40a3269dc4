// SPDX-License-Identifier: MIT
#include "transforms/fourier_witness.hpp"

#include <algorithm>
#include <cmath>
#include <complex>
#include <optional>
#include <random>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/evidence.hpp"
#include "boreon/sampling.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "expr/work.hpp"

namespace boreon::transforms {
namespace {

using Complex = std::complex<double>;

constexpr double enough = 6;  // digits

// exp(-(x - place)^2/(2*width^2)) and its transform.
struct Bell {
  double place;
  double width;
  [[nodiscard]] double at(double t) const { return std::exp(-(t - place) * (t - place) / (2 * width * width)); }
  // of the complex conjugate, as it stands under the integral over w
  [[nodiscard]] Complex image(double w) const {
    const double two_pi = 6.283185307179586;
    return width * std::sqrt(two_pi) * std::exp(-w * w * width * width / 2) * std::exp(Complex(0, w * place));
  }
};

// Gauss's rule with 8 points on panels of 1/8: symmetric about each panel's end, so that poles of first order there
// cancel as a principal value does.
template <class G>
Complex over_line(const G& g, double far) {
  static constexpr double nodes[4] = {0.18343464249564980, 0.52553240991632899, 0.79666647741362674,
                                      0.96028985649753623};
  static constexpr double weights[4] = {0.36268378337836198, 0.31370664587788729, 0.22238103445337447,
                                        0.10122853629037626};
  constexpr double half = 1.0 / 16;
  Complex sum = 0;
  for (double middle = half; middle < far; middle += 2 * half) {
    for (int k = 0; k < 4; ++k) {
      for (const double side : {1.0, -1.0}) {
        const double x = middle + side * half * nodes[k];
        sum += half * weights[k] * (g(x) + g(-x));
      }
    }
  }
  return sum;
}

struct Impulse {
  double place;
  Complex weight;
};

// Numbers for everything but the variable: what is no impulse, and the impulses.
class WithoutImpulses {
 public:
  WithoutImpulses(const Expr& e, const Symbol& x, const Bindings& numbers) : x_(x), numbers_(numbers) {
    Expr rest = 0;
    for (const Expr& term : terms_of(expand(e))) {
      std::optional<Expr> impulse;
      postorder(term, [&](const Expr& n) {
        if (is_call_of(n, "dirac_delta")) impulse = n;
      });
      if (!impulse) {
        rest += term;
        continue;
      }
      const auto line = linear_in(impulse->operands()[0], x);
      const Expr weight = term / *impulse;
      bool more = false;
      postorder(weight, [&](const Expr& n) { more = more || is_call_of(n, "dirac_delta"); });
      if (!line || line->slope.is_integer(0) || more) {
        usable_ = false;
        return;
      }
      const double slope = evaluate(line->slope, numbers, Unused::allowed);
      const double place = -evaluate(line->constant, numbers, Unused::allowed) / slope;
      impulses_.push_back({place, value_of(weight, place) / std::fabs(slope)});
    }
    rest_ = rest;
  }
  [[nodiscard]] bool usable() const { return usable_; }
  [[nodiscard]] const std::vector<Impulse>& impulses() const { return impulses_; }
  [[nodiscard]] bool nothing_else() const { return rest_.is_integer(0); }
  [[nodiscard]] Complex at(double x) const { return value_of(rest_, x); }

 private:
  [[nodiscard]] Complex value_of(const Expr& e, double x) const {
    Bindings here = numbers_;
    here.set(x_, Number::exact(x));
    spend(200);
    return evaluate_complex(e, here, Unused::allowed);
  }
  Symbol x_;
  const Bindings& numbers_;
  bool usable_ = true;
  std::vector<Impulse> impulses_;
  Expr rest_;
};

std::optional<Bindings> numbers_for(const std::vector<Expr>& leaves, std::span<const Expr> conditions,
                                    std::mt19937_64& dice) {
  for (int trial = 0; trial < 200; ++trial) {
    Bindings out;
    for (const Expr& leaf : leaves) {
      const Assumptions known = assumptions_of(leaf);
      auto n = static_cast<std::int64_t>(1 + dice() % 9);
      if (known.has(Assumption::integer)) n *= 4;
      const bool negative =
          known.has(Assumption::nonpositive) || (!known.has(Assumption::nonnegative) && dice() % 2 == 0);
      out.set(leaf, Number(negative ? -n : n, 4));
    }
    if (std::none_of(conditions.begin(), conditions.end(),
                     [&](const Expr& c) { return is_false(substitute(c, out, Unused::allowed)); }))
      return out;
  }
  return std::nullopt;
}

}  // namespace

Evidence check_fourier_pair(const Expr& f, const Symbol& t, const Expr& F, const Symbol& w,
                            std::span<const Expr> conditions, const TransformOptions& options) {
  Evidence out;
  out.method = "Parseval's identity with Gaussian functions, by quadrature";
  out.entries = 1;
  out.digits = 15;
  std::vector<Expr> all{f, F};
  all.insert(all.end(), conditions.begin(), conditions.end());
  std::vector<Expr> leaves = sampled_leaves(all);
  std::erase_if(leaves, [&](const Expr& s) { return s == t || s == w; });
  std::mt19937_64 dice(options.seed);
  constexpr double far = 14;
  for (std::size_t point = 0; point < options.points; ++point) {
    const auto numbers = numbers_for(leaves, conditions, dice);
    if (!numbers) break;
    const Bell bell{static_cast<double>(dice() % 17) / 8 - 1, 0.75 + static_cast<double>(dice() % 5) / 8};
    try {
      const WithoutImpulses time(f, t, *numbers);
      const WithoutImpulses frequency(F, w, *numbers);
      if (!time.usable() || !frequency.usable()) return out;
      Complex left = 0;
      for (const Impulse& i : time.impulses()) left += i.weight * bell.at(i.place);
      if (!time.nothing_else()) left += over_line([&](double x) { return time.at(x) * bell.at(x); }, far);
      Complex right = 0;
      for (const Impulse& i : frequency.impulses()) right += i.weight * bell.image(i.place);
      if (!frequency.nothing_else()) right += over_line([&](double x) { return frequency.at(x) * bell.image(x); }, far);
      right /= 6.283185307179586;
      if (!std::isfinite(std::abs(left)) || !std::isfinite(std::abs(right))) continue;
      const double size = std::max({std::abs(left), std::abs(right), 1e-6});
      const double digits = agreeing_digits(std::abs(left - right), size);
      ++out.points;
      if (digits <= out.digits) {
        out.digits = digits;
        out.worst_derived = right.real();
        out.worst_reference = left.real();
      }
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::domain && e.kind() != ErrorKind::unsupported) throw;
    }
  }
  if (out.points == 0) out.digits = 0;
  out.verdict = out.points == 0 ? Verdict::untested : out.digits >= enough ? Verdict::agrees : Verdict::disagrees;
  return out;
}

}  // namespace boreon::transforms
