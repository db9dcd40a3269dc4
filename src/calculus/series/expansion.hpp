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

/// How many terms of a series are wanted, and what stands for the bounded factor of the first power left out.
struct Cut {
  int terms;
  Expr rest;
};

/// Expands expressions in w up to w^target (exclusive); a result may know less where terms cancel or poles multiply.
class Expander {
 public:
  Expander(Expr w, Expr log_w, Signs& signs, int target)
      : w_(std::move(w)), log_w_(std::move(log_w)), signs_(signs), target_(target) {}

  [[nodiscard]] Expansion of(const Expr& e);
  /// The same with a leading coefficient that is certainly not zero.
  [[nodiscard]] Expansion with_leading(const Expr& e);

  /// From now on expansions are written down rather than compared: exponentials of what grows may cancel within
  /// products, and what falls faster than every power is left out. At infinity waves of what grows, such as sin(1/w),
  /// stay in the coefficients (as symbols, see with_waves()).
  void write_down(bool at_infinity) {
    writes_down_ = true;
    keeps_waves_ = at_infinity;
  }
  /// A coefficient with the waves in it as functions of w.
  [[nodiscard]] Expr with_waves(const Expr& coefficient) const;
  /// The growing part g of the exponent of an exponential factor, so that e*exp(-g) may have an expansion; 0 if there
  /// is none. Of a sum that of its largest terms.
  [[nodiscard]] Expr growth(const Expr& e);

 private:
  struct Wave {
    Expr angle;
    Expr sine;
    Expr cosine;
  };
  [[nodiscard]] const Wave& wave_of(const Expr& angle);
  [[nodiscard]] bool has_wave(const Expr& c) const;
  [[nodiscard]] bool is_remainder(const Expr& e) const;
  [[nodiscard]] Cut cut(const Number& step) const;
  [[nodiscard]] Expr growing_part(const Expansion& a, Expansion& rest) const;
  [[nodiscard]] Expr grouped(const Expr& e);
  [[nodiscard]] Expr with_forms(const Expr& e);
  [[nodiscard]] int sign_of_coefficient(const Expr& c);
  [[nodiscard]] Expansion beyond_all_orders() const;
  [[nodiscard]] bool has_log(const Expr& c) const;
  [[nodiscard]] Expansion compute(const Expr& e);
  [[nodiscard]] Expansion constant(const Expr& c) const;
  [[nodiscard]] Expansion add(std::vector<Expansion> parts) const;
  [[nodiscard]] Expansion multiply(const Expansion& a, const Expansion& b) const;
  [[nodiscard]] Expansion scaled(const Expansion& a, const Expr& c) const;
  [[nodiscard]] int side_of_axis(const Expansion& a, std::size_t first, bool complex) const;
  [[nodiscard]] bool mirrored(const Expr& e, std::size_t argument, const Expr& place, const Expansion& rest) const;
  [[nodiscard]] bool arrives_below_axis(const Expansion& a, bool complex) const;
  [[nodiscard]] Expansion power(Expansion a, const Number& r, bool complex = false);
  [[nodiscard]] Expansion differentiated(const Expansion& a) const;
  [[nodiscard]] Expansion integrated(const Expansion& a) const;
  [[nodiscard]] Expansion logarithm(Expansion a, bool complex);
  [[nodiscard]] Expansion exponential(const Expansion& a);
  [[nodiscard]] Expansion sine_or_cosine(const Expr& e, const Expansion& a, bool sine, bool hyperbolic);
  [[nodiscard]] Expansion call(const Expr& e);
  [[nodiscard]] std::optional<Expansion> elementary(const Expr& e);
  [[nodiscard]] std::optional<Expansion> by_sides(const Expr& e);
  [[nodiscard]] Expansion whole_part(const Expr& e);
  [[nodiscard]] Expansion zeta_at_pole(const Expr& argument);
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
  std::vector<Wave> waves_;
  bool writes_down_ = false;
  bool keeps_waves_ = false;
  int depth_ = 0;
};

/// For functions with a pole or logarithm at a place: an equal expression that expands there, or nothing.
[[nodiscard]] std::optional<Expr> regular_form(const Expr& e, const Expr& value_of_argument, const Cut& wanted);
/// The value of an integral-like function (erf, Si, asin, ...) less its logarithm at a place where its derivative has a
/// pole: E1(u) + log(u) at 0. Nothing if it is regular there.
[[nodiscard]] std::optional<Expr> finite_constant(const Expr& e, const Expr& value_of_argument);
/// Whether its derivative is simpler than itself.
[[nodiscard]] bool is_integral_like(const Expr& e);
/// A call whose last argument u goes to infinity, and how much of its expansion is wanted.
struct Tail {
  std::span<const Expr> a;  // all arguments
  const Expr& u;
  const Cut& cut;
};
/// For an argument that goes to infinity with the given sign: an equal, or asymptotically equal, expression in
/// exponentials, waves, logarithms and powers.
[[nodiscard]] std::optional<Expr> form_at_infinity(const Expr& e, int sign, const Cut& cut);

}  // namespace boreon
