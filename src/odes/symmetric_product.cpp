// SPDX-License-Identifier: MIT
#include "odes/symmetric_product.hpp"

#include <cstdint>
#include <utility>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/functions.hpp"
#include "boreon/simplify.hpp"
#include "boreon/symbol.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/signs.hpp"
#include "odes/polynomial_solution.hpp"
#include "transforms/modes.hpp"

namespace boreon::odes {
namespace {

constexpr std::int64_t highest_product_degree = 24;
constexpr std::size_t most_poles_of_product = 6;

// A factor of the denominator of r and the numbers that each of its roots may contribute: w has base^(e/2).
struct Place {
  Expr base;
  std::int64_t degree = 1;
  std::vector<std::int64_t> numbers;
};

class Product {
 public:
  Product(Context& c, Expr r, const Symbol& t) : c_(c), r_(std::move(r)), t_(t) {}

  std::optional<std::vector<Expr>> run() {
    const Quotient q = quotient(r_);
    if (!find_places(q)) return std::nullopt;
    const std::vector<std::int64_t> far = at_infinity(q);
    std::vector<std::size_t> chosen(places_.size(), 0);
    do {
      std::int64_t taken = 0;
      for (std::size_t k = 0; k < places_.size(); ++k) taken += places_[k].degree * places_[k].numbers[chosen[k]];
      for (const std::int64_t end : far) {
        const std::int64_t twice = end - taken;
        if (twice < 0 || twice % 2 != 0 || twice / 2 > highest_product_degree) continue;
        if (auto u = with_front(chosen, static_cast<int>(twice / 2))) return u;
      }
    } while (next(chosen));
    return std::nullopt;
  }

 private:
  // 2 and 2 +- 2*sqrt(1 + 4*b) where they are whole
  [[nodiscard]] std::vector<std::int64_t> of_double_pole(const Expr& b) const {
    std::vector<std::int64_t> out{2};
    const auto step = c_.tidy(2 * transforms::plain_root(factor(1 + 4 * b))).word();
    if (step && *step != 0) out.insert(out.end(), {2 + *step, 2 - *step});
    return out;
  }

  // The coefficient of 1/(t - root)^2 for a double pole at the roots of base, if it is the same real one.
  [[nodiscard]] std::optional<Expr> of_square(const Expr& base, const Quotient& q) const {
    const auto c = polynomial_in(base, t_, 2);
    if (!c || c->size() < 2) return std::nullopt;
    const Expr root = c->size() == 2
                          ? -(*c)[0] / (*c)[1]
                          : (-(*c)[1] + sqrt(expand((*c)[1] * (*c)[1] - 4 * (*c)[0] * (*c)[2]))) / (2 * (*c)[2]);
    const Expr rest = combine_fractions(q.numerator * base * base / q.denominator);
    const Expr slope = derivative(base, t_);
    const Expr b = simplify(expand(substitute(rest / (slope * slope), {{t_, root}}, Unused::allowed)));
    return has_imaginary_unit(b) ? std::nullopt : std::optional(b);
  }

  bool find_places(const Quotient& q) {
    bool usable = true;
    for_each_factor(factor(q.denominator), [&](const Expr& base, const Expr& exponent) {
      if (!depends_on(base, t_) || !usable) return;
      const auto order = exponent.word();
      const auto c = polynomial_in(base, t_, 8);
      usable = order && c && places_.size() < most_poles_of_product;
      if (!usable) return;
      Place place{base, static_cast<std::int64_t>(c->size()) - 1, {}};
      if (*order == 2) {
        const auto b = of_square(base, q);
        usable = b.has_value();
        if (usable) place.numbers = of_double_pole(*b);
      } else {
        place.numbers = {*order == 1 ? 4 : *order};
      }
      places_.push_back(std::move(place));
    });
    return usable;
  }

  [[nodiscard]] std::vector<std::int64_t> at_infinity(const Quotient& q) const {
    const auto n = polynomial_in(q.numerator, t_);
    const auto d = polynomial_in(q.denominator, t_);
    if (!n || !d) return {};
    const auto order = static_cast<std::int64_t>(d->size()) - static_cast<std::int64_t>(n->size());
    if (order > 2) return {0, 2, 4};
    if (order < 2) return std::vector<std::int64_t>{order};
    return of_double_pole(c_.tidy(n->back() / d->back()));
  }

  bool next(std::vector<std::size_t>& chosen) const {
    for (std::size_t k = 0; k < chosen.size(); ++k) {
      if (++chosen[k] < places_[k].numbers.size()) return true;
      chosen[k] = 0;
    }
    return false;
  }

  // e, or -e where it is negative at a small positive t
  [[nodiscard]] Expr positive_near_zero(const Expr& e) const {
    return real_value_at(e, t_, 0.31).value_or(1) < 0 ? expand(-e) : e;
  }

  std::optional<std::vector<Expr>> with_front(const std::vector<std::size_t>& chosen, int degree) {
    Expr theta = 0;
    Expr half = 1;    // the front
    Expr square = 1;  // its square
    for (std::size_t k = 0; k < places_.size(); ++k) {
      const std::int64_t e = places_[k].numbers[chosen[k]];
      const Expr base = positive_near_zero(places_[k].base);
      theta += Expr(e) / 2 * derivative(base, t_) / base;
      half *= power(base, Expr(e) / 2);
      square *= power(base, e);
    }
    const Expr slope = derivative(theta, t_);
    const Expr equation[] = {combine_fractions(derivative(slope, t_) + 3 * theta * slope + power(theta, 3) -
                                               4 * r_ * theta - 2 * derivative(r_, t_)),
                             combine_fractions(3 * theta * theta + 3 * slope - 4 * r_), 3 * theta, 1};
    const auto polynomial = polynomial_solution(equation, t_, degree);
    if (!polynomial) return std::nullopt;
    const Expr u = positive_near_zero(*polynomial);
    const Expr phi = theta + derivative(u, t_) / u;
    const Expr k = c_.tidy(combine_fractions((4 * r_ - 2 * derivative(phi, t_) - phi * phi) * square * u * u));
    if (depends_on(k, t_)) return std::nullopt;
    const Expr w = c_.tidy(half * u);
    const Expr front = c_.tidy(sqrt(half) * sqrt(u));
    const auto area = c_.closed_integral(1 / w, t_);
    if (!area) return std::nullopt;
    c_.step("the product of two solutions from a linear equation of third order (Kovacic, second case)");
    const int sign = k.is_integer(0) ? 0 : c_.signs().of(k);
    if (sign == 0) return std::vector<Expr>{front, front * *area};
    const Expr phase = c_.tidy(transforms::plain_root(factor(sign > 0 ? k : -k)) / 2 * *area);
    if (sign > 0) return std::vector<Expr>{front * exp(phase), front * exp(-phase)};
    return std::vector<Expr>{front * cos(phase), front * sin(phase)};
  }

  Context& c_;
  Expr r_;
  Symbol t_;
  std::vector<Place> places_;
};

}  // namespace

std::optional<std::vector<Expr>> solutions_by_product(Context& c, const Expr& r, const Symbol& t) {
  return Product(c, r, t).run();
}

}  // namespace boreon::odes
