// SPDX-License-Identifier: MIT
// Symbols with assumptions, and unknown functions such as y(t).
#pragma once

#include <cstdint>
#include <initializer_list>
#include <string>
#include <string_view>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"

namespace boreon BOREON_API {

/// What is assumed of a symbol. Each implies what it must: `positive` is also nonnegative, nonzero and real.
enum class Assumption : std::uint16_t {
  complex = 0,
  real = 1,
  integer = 2,
  nonnegative = 4,
  nonpositive = 8,
  nonzero = 16,
  positive = 32,
  negative = 64
};

/// A closed set of assumptions.
class Assumptions {
 public:
  Assumptions() = default;  ///< real
  Assumptions(std::initializer_list<Assumption> given);
  /// Adds one and what follows from it. Throws Error(usage) if they contradict each other (positive and negative).
  void add(Assumption a);
  [[nodiscard]] bool has(Assumption a) const noexcept { return (bits_ & static_cast<std::uint16_t>(a)) != 0; }
  [[nodiscard]] std::uint16_t bits() const noexcept { return bits_; }
  static Assumptions from_bits(std::uint16_t bits) noexcept;
  static Assumptions none() noexcept { return from_bits(0); }  ///< complex
  [[nodiscard]] std::string to_string() const;                 ///< "real", "positive integer", ...
  friend bool operator==(const Assumptions&, const Assumptions&) = default;

 private:
  std::uint16_t bits_ = static_cast<std::uint16_t>(Assumption::real);
};

/// A named variable. Two symbols are the same if name and assumptions agree.
class Symbol : public Expr {
 public:
  /// Throws Error(name) unless the name is letters, digits and underscores, starts with a letter or underscore, and
  /// is no word of the grammar (pi, if, true, ...); or that of an element, "T[3, 4]".
  explicit Symbol(std::string_view name, Assumptions assumptions = {});
  /// The symbol in an expression that is one; throws Error(usage) otherwise.
  static Symbol from(const Expr& expr);
  [[nodiscard]] Assumptions assumptions() const;
  /// Symbols x, y, z from "x y z" or "x, y, z".
  static std::vector<Symbol> list(std::string_view names, Assumptions assumptions = {});

 private:
  explicit Symbol(const Expr& e) : Expr(e) {}
};

/// Assumptions of a symbol node.
[[nodiscard]] Assumptions assumptions_of(const Expr& symbol);

/// Whether a text can be the name of a symbol or function: letters, digits, underscore, not starting with a digit.
[[nodiscard]] bool is_identifier(std::string_view name) noexcept;
/// Words of the grammar that can never be names: constants, keywords, operators such as `integral`.
[[nodiscard]] bool is_reserved_word(std::string_view name) noexcept;

/// A function without a known rule, such as y in y(t). Call it with expressions.
class UnknownFunction {
 public:
  explicit UnknownFunction(std::string_view name);
  [[nodiscard]] const std::string& name() const noexcept { return name_; }

  template <class... Args>
  [[nodiscard]] Expr operator()(const Args&... args) const {
    const Expr list[] = {Expr(args)...};
    return call(list);
  }
  [[nodiscard]] Expr call(std::span<const Expr> args) const;
  /// The partial derivative of the given order in each argument, taken at `args`.
  [[nodiscard]] Expr derivative_at(std::span<const Expr> args, std::span<const int> orders) const;

 private:
  std::string name_;
};

/// Whether this is the operand of an unknown call that carries its name; it is no variable.
[[nodiscard]] bool is_function_head(const Expr& e);

/// Whether these are two symbols of one name with different assumptions.
[[nodiscard]] bool are_namesakes(const Expr& a, const Expr& b);
/// Throws Error(binding) that names both with their assumptions: mixed up, one of them would silently be left alone.
[[noreturn]] void reject_namesakes(const Expr& a, const Expr& b);

/// Builds an unknown call from its operands (see Kind::unknown_call).
[[nodiscard]] Expr unknown_call(std::span<const Expr> operands);

// What is known of an expression from the assumptions of its symbols: true means proved, false means not known.
[[nodiscard]] bool is_real(const Expr& e);
[[nodiscard]] bool is_integer(const Expr& e);
[[nodiscard]] bool is_positive(const Expr& e);
[[nodiscard]] bool is_negative(const Expr& e);
[[nodiscard]] bool is_nonnegative(const Expr& e);
[[nodiscard]] bool is_nonzero(const Expr& e);

}  // namespace boreon
