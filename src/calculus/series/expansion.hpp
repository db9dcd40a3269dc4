// SPDX-License-Identifier: MIT
// Truncated series in a small positive quantity w: sums of coefficient*w^exponent with rational exponents. Coefficients
// are free of w but may contain log(w), which stands as an expression of its own.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/number.hpp"
#include "boreon/traverse.hpp"
#include "calculus/signs.hpp"

namespace boreon {

struct Power {
  Number exponent;
  Expr coefficient;
};

struct Expansion {
  std::vector<Power> terms;  // ascending
  bool exact = true;         // otherwise the rest is O(w^order)
  Number order;

  [[nodiscard]] bool empty() const { return terms.empty(); }
  [[nodiscard]] const Power& leading() const { return terms.front(); }
};

/// Thrown where there is no such expansion: an essential singularity, an oscillation, an unknown function.
struct NoExpansion {
  std::string why;
};

/// Expands expressions in w up to w^target (exclusive); a result may know less where terms cancel or poles multiply.
class Expander {
 public:
  Expander(Expr w, Expr log_w, Signs& signs, int target)
      : w_(std::move(w)), log_w_(std::move(log_w)), signs_(signs), target_(target) {}

  [[nodiscard]] Expansion of(const Expr& e);
  /// The same with a leading coefficient that is certainly not zero.
  [[nodiscard]] Expansion with_leading(const Expr& e);

 private:
  [[nodiscard]] bool has_log(const Expr& c) const;
  [[nodiscard]] Expansion compute(const Expr& e);
  [[nodiscard]] Expansion constant(const Expr& c) const;
  [[nodiscard]] Expansion add(std::vector<Expansion> parts) const;
  [[nodiscard]] Expansion multiply(const Expansion& a, const Expansion& b) const;
  [[nodiscard]] Expansion scaled(const Expansion& a, const Expr& c) const;
  [[nodiscard]] bool arrives_below_axis(const Expansion& a, bool complex) const;
  [[nodiscard]] Expansion power(Expansion a, const Number& r, bool complex = false);
  [[nodiscard]] Expansion integrated(const Expansion& a) const;
  [[nodiscard]] Expansion logarithm(Expansion a, bool complex);
  [[nodiscard]] Expansion exponential(const Expansion& a);
  [[nodiscard]] Expansion sine_or_cosine(const Expr& e, const Expansion& a, bool sine, bool hyperbolic);
  [[nodiscard]] Expansion call(const Expr& e);
  [[nodiscard]] Expansion taylor(const Expr& e, std::size_t argument);
  [[nodiscard]] Expansion by_derivative(const Expr& e);
  [[nodiscard]] Expansion piecewise(const Expr& e);
  /// Sum of coefficients[k]*u^k for a u without constant term.
  [[nodiscard]] Expansion composed(const std::function<Expr(int)>& coefficient, const Expansion& u) const;
  /// Splits off what does not go to 0; throws NoExpansion if it grows.
  [[nodiscard]] Expr finite_part(const Expansion& a, Expansion& rest) const;
  [[nodiscard]] bool drop_leading_zeros(Expansion& a) const;
  [[nodiscard]] int sign_near(const Expr& e);
  [[nodiscard]] bool truth_near(const Expr& condition);

  Expr w_;
  Expr log_w_;
  Signs& signs_;
  Number target_;
  NodeMap<Expansion> done_;
  std::vector<Expr> keep_;
  int depth_ = 0;
};

/// For functions with a pole or logarithm at a place: an equal expression that expands there, or nothing.
[[nodiscard]] std::optional<Expr> regular_form(const Expr& e, const Expr& value_of_argument);
/// The value of an integral-like function (erf, Si, asin, ...) less its logarithm at a place where its derivative has a
/// pole: E1(u) + log(u) at 0. Nothing if it is regular there.
[[nodiscard]] std::optional<Expr> finite_constant(const Expr& e, const Expr& value_of_argument);
/// Whether its derivative is simpler than itself.
[[nodiscard]] bool is_integral_like(const Expr& e);
/// For an argument that goes to infinity with the given sign: an equal, or asymptotically equal, expression in
/// exponentials, logarithms and powers.
[[nodiscard]] std::optional<Expr> form_at_infinity(const Expr& e, int sign);

}  // namespace boreon
