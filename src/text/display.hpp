// SPDX-License-Identifier: MIT
// How sums and products are laid out for people: order, signs, fractions. Shared by all printers.
#pragma once

#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/operand_order.hpp"
#include "boreon/text.hpp"

namespace boreon {

/// A reading order that does not depend on hashes where names can decide: symbols by name (x2 before x10), then calls,
/// then compound expressions.
[[nodiscard]] int reading_order(const Expr& a, const Expr& b);

struct DisplayTerm {
  bool negative = false;
  Number coefficient;  // positive
  const Expr* term;    // null for the plain number
};
/// Terms of a sum: higher degree first, the plain number last; or in the order given.
[[nodiscard]] std::vector<DisplayTerm> display_terms(const Expr& sum, const OperandOrder* order);

struct DisplayFactor {
  const Expr* base;
  Expr exponent;  // without its sign when in the denominator
};
/// coefficient * node as a fraction. `node` may be null, a product, a power or anything else.
struct DisplayProduct {
  Number coefficient;  // positive
  bool imaginary = false;
  std::vector<DisplayFactor> numerator;
  std::vector<DisplayFactor> denominator;
  std::vector<std::shared_ptr<const Expr>> joined;  // bases that are made for display

  // The coefficient split over the fraction bar; one that reads as a decimal stays above it.
  [[nodiscard]] Number number_above() const;
  [[nodiscard]] Number number_below() const;
  /// The one thing there is, when there is no number, power or quotient about it; null otherwise.
  [[nodiscard]] const Expr* alone() const;
  /// Whether there is nothing but one base with its exponent.
  [[nodiscard]] bool lone_power() const {
    return coefficient.is_one() && !imaginary && denominator.empty() && numerator.size() == 1;
  }
};
[[nodiscard]] DisplayProduct display_product(const Number& coefficient, const Expr* node, const OperandOrder* order);

/// What a derivative is taken by, d^3/(dx^2 dy): neighbours of one name together.
struct Differentials {
  std::vector<std::pair<const Expr*, Number>> by;
  Number total = 0;
};
[[nodiscard]] Differentials differentials(const Expr& derivative);

/// Short decimal notation of an exact number that was most likely typed as one ("4.2e-13", "0.39", "1.6e20"), or empty
/// where a fraction or plain digits read better. It reads back to the same number. In front of factors (`coefficient`)
/// small denominators stay denominators: x/40.
[[nodiscard]] std::string decimal_form(const Number& number, bool coefficient);

/// Whether a number is 1/2, so that a power is a square root.
[[nodiscard]] bool is_half(const Expr& exponent);

/// Whether an unknown call is written without its argument, as the options ask.
[[nodiscard]] bool hides_argument(const Expr& unknown_call, const PrintOptions& options);

/// Whether the name of an unknown function must be quoted to be read back: it is, or nearly is, a known function.
[[nodiscard]] bool function_needs_quotes(std::string_view name);
[[nodiscard]] bool symbol_needs_quotes(std::string_view name);

}  // namespace boreon
