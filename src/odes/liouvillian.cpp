// SPDX-License-Identifier: MIT
#include "odes/liouvillian.hpp"

#include <algorithm>
#include <optional>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/functions.hpp"
#include "boreon/simplify.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/signs.hpp"
#include "transforms/modes.hpp"

namespace boreon::odes {
namespace {

constexpr std::size_t most_poles = 5;

// One way in which a place, a pole or infinity, may contribute: its part of w integrated and exponentiated, and its
// part of the degree.
struct Way {
  Expr front;
  Expr alpha;
};

using Coefficients = std::vector<Expr>;

class Fronts {
 public:
  Fronts(Context& c, const Expr& r, const Symbol& t) : c_(c), t_(t) {
    const Quotient q = quotient(combine_fractions(r));
    numerator_ = q.numerator;
    denominator_ = q.denominator;
  }

  std::vector<Front> run() {
    std::vector<std::vector<Way>> places;
    bool usable = true;
    for_each_factor(factor(denominator_), [&](const Expr& base, const Expr& exponent) {
      if (!depends_on(base, t_)) return;
      const auto l = linear_in(base, t_);
      const auto order = exponent.word();
      usable = usable && order && places.size() < most_poles;
      if (!usable) return;
      const auto ways = l ? at_pole(c_.tidy(-l->constant / l->slope), *order) : at_pair(base, *order);
      usable = ways.has_value();
      if (usable) places.push_back(*ways);
    });
    const auto far = usable ? at_infinity() : std::nullopt;
    if (!far) return {};
    std::vector<Front> out;
    const std::size_t choices = std::size_t{1} << places.size();
    for (const Way& end : *far) {
      for (std::size_t bits = 0; bits < choices; ++bits) {
        Expr front = end.front;
        Expr degree = end.alpha;
        bool repeated = false;
        for (std::size_t k = 0; k < places.size(); ++k) {
          const std::size_t which = (bits >> k) & 1U;
          repeated = repeated || which >= places[k].size();
          if (repeated) break;
          front = front * places[k][which].front;
          degree = degree - places[k][which].alpha;
        }
        if (repeated) continue;
        const auto d = c_.tidy(expand(degree)).word();
        if (d && *d >= 0) out.push_back({front, *d});
      }
    }
    return out;
  }

 private:
  // The first coefficients of a quotient of power series.
  Coefficients divided(const Coefficients& n, const Coefficients& d, std::size_t count) const {
    Coefficients out;
    for (std::size_t k = 0; k < count; ++k) {
      Expr sum = k < n.size() ? n[k] : Expr(0);
      for (std::size_t j = 1; j <= k && j < d.size(); ++j) sum -= d[j] * out[k - j];
      out.push_back(c_.tidy(combine_fractions(sum / d[0])));
    }
    return out;
  }

  // The first coefficients of the root of a power series that begins with a constant.
  Coefficients root_of(const Coefficients& r, std::size_t count) const {
    Coefficients s{transforms::plain_root(factor(r[0]))};
    for (std::size_t k = 1; k < count; ++k) {
      Expr sum = k < r.size() ? r[k] : Expr(0);
      for (std::size_t j = 1; j < k; ++j) sum -= s[j] * s[k - j];
      s.push_back(c_.tidy(combine_fractions(sum / (2 * s[0]))));
    }
    return s;
  }

  static Expr coefficient_of_square(const Coefficients& s, std::size_t k) {
    Expr sum = 0;
    for (std::size_t j = 0; j <= k; ++j) {
      if (j < s.size() && k - j < s.size()) sum += s[j] * s[k - j];
    }
    return sum;
  }

  // 1/2 + root/2 and 1/2 - root/2.
  [[nodiscard]] std::pair<Expr, Expr> exponents(const Expr& b) const {
    const Expr root = transforms::plain_root(factor(1 + 4 * b));
    return {c_.tidy((1 + root) / 2), c_.tidy((1 - root) / 2)};
  }

  [[nodiscard]] std::optional<std::vector<Way>> at_pole(const Expr& place, std::int64_t order) const {
    const Expr distance = t_ - place;
    if (order == 1) return std::vector<Way>{{distance, 1}};
    if (order % 2 != 0) return std::nullopt;
    const Symbol x("_x");
    const Bindings there{{t_, x + place}};
    const auto n = polynomial_in(expand(substitute(numerator_, there, Unused::allowed)), x);
    const auto d = polynomial_in(expand(substitute(denominator_, there, Unused::allowed)), x);
    if (!n || !d || static_cast<std::int64_t>(d->size()) <= order) return std::nullopt;
    const auto nu = static_cast<std::size_t>(order / 2);
    const Coefficients r = divided(*n, Coefficients(d->begin() + order, d->end()), nu + 1);
    if (order == 2) {
      const auto [plus, minus] = exponents(r[0]);
      if (plus == minus) return std::vector<Way>{{power(distance, plus), plus}};
      return std::vector<Way>{{power(distance, plus), plus}, {power(distance, minus), minus}};
    }
    const Coefficients s = root_of(r, nu - 1);  // of 1/x^nu, ..., 1/x^2
    const Expr b = c_.tidy(expand(r[nu - 1] - coefficient_of_square(s, nu - 1)));
    std::vector<Way> out;
    for (const int sign : {1, -1}) {
      const Expr alpha = c_.tidy((sign * b / s[0] + Expr(nu)) / 2);
      Expr argument = 0;
      for (std::size_t i = 0; i < s.size(); ++i) {
        const auto power_of_pole = static_cast<std::int64_t>(nu - i);
        argument -= sign * s[i] / ((power_of_pole - 1) * power(distance, power_of_pole - 1));
      }
      out.push_back({exp(argument) * power(distance, alpha), alpha});
    }
    return out;
  }

  // Two conjugate poles of order 1 or 2 contribute alike.
  [[nodiscard]] std::optional<std::vector<Way>> at_pair(const Expr& base, std::int64_t order) const {
    const auto c = polynomial_in(base, t_, 2);
    if (!c || c->size() != 3 || order > 2) return std::nullopt;
    if (order == 1) return std::vector<Way>{{base, 2}};
    const Expr root =
        (-(*c)[1] + imaginary_unit() * sqrt(expand(4 * (*c)[0] * (*c)[2] - (*c)[1] * (*c)[1]))) / (2 * (*c)[2]);
    const Expr rest = combine_fractions(numerator_ * base * base / denominator_);
    const Expr slope = derivative(base, t_);
    const Expr b = simplify(expand(substitute(rest / (slope * slope), {{t_, root}}, Unused::allowed)));
    if (has_imaginary_unit(b)) return std::nullopt;
    const auto [plus, minus] = exponents(b);
    if (plus == minus) return std::vector<Way>{{power(base, plus), 2 * plus}};
    return std::vector<Way>{{power(base, plus), 2 * plus}, {power(base, minus), 2 * minus}};
  }

  [[nodiscard]] std::optional<std::vector<Way>> at_infinity() const {
    auto n = polynomial_in(numerator_, t_);
    auto d = polynomial_in(denominator_, t_);
    if (!n || !d) return std::nullopt;
    const auto order = static_cast<std::int64_t>(d->size()) - static_cast<std::int64_t>(n->size());
    if (order > 2) return std::vector<Way>{{1, 0}, {1, 1}};
    if (order == 2) {
      const auto [plus, minus] = exponents(c_.tidy(n->back() / d->back()));
      return std::vector<Way>{{1, plus}, {1, minus}};
    }
    if (order % 2 != 0) return std::nullopt;
    const auto nu = static_cast<std::size_t>(-order / 2);
    std::reverse(n->begin(), n->end());
    std::reverse(d->begin(), d->end());
    const Coefficients r = divided(*n, *d, nu + 2);
    const Coefficients s = root_of(r, nu + 1);  // of t^nu, ..., 1
    const Expr b = c_.tidy(expand(r[nu + 1] - coefficient_of_square(s, nu + 1)));
    std::vector<Way> out;
    for (const int sign : {1, -1}) {
      Expr argument = 0;
      for (std::size_t i = 0; i < s.size(); ++i) {
        const auto k = static_cast<std::int64_t>(nu - i) + 1;
        argument += sign * s[i] * power(t_, k) / k;
      }
      out.push_back({exp(argument), c_.tidy((sign * b / s[0] - Expr(nu)) / 2)});
    }
    return out;
  }

  Context& c_;
  Symbol t_;
  Expr numerator_;
  Expr denominator_;
};

}  // namespace

std::vector<Front> liouvillian_fronts(Context& c, const Expr& r, const Symbol& t) { return Fronts(c, r, t).run(); }

}  // namespace boreon::odes
