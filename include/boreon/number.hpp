// SPDX-License-Identifier: MIT
// Exact rational numbers of any size, and doubles that C++ code handed in.
#pragma once

#include <concepts>
#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <type_traits>
#include <utility>
#include <variant>

#include "boreon/export.hpp"

namespace boreon BOREON_API {

/// Whole numbers of C++: neither truth values nor characters.
template <class T>
concept WholeNumber =
    std::integral<T> && !std::same_as<T, bool> && !std::same_as<T, char> && !std::same_as<T, wchar_t> &&
    !std::same_as<T, char8_t> && !std::same_as<T, char16_t> && !std::same_as<T, char32_t>;
/// Arithmetic types that must not become exact numbers without a word: double and its kind, bool, char.
template <class T>
concept NotANumber = std::is_arithmetic_v<T> && !WholeNumber<T>;

/// A rational number (two machine words where that is enough, GMP beyond) or a double. Arithmetic on rationals is
/// exact; as soon as one operand is a double the result is a double. A NaN cannot be a Number.
class Number {
 public:
  struct Words {
    std::int64_t num;
    std::int64_t den;  ///< positive, no common factor with num
  };
  struct Big;  ///< a GMP rational behind an immutable shared pointer

  Number() noexcept : value_(Words{0, 1}) {}
  template <WholeNumber T>
  Number(T value) noexcept(sizeof(T) < 8 || std::signed_integral<T>) {  // NOLINT(google-explicit-constructor)
    if (std::in_range<std::int64_t>(value)) {
      value_ = Words{static_cast<std::int64_t>(value), 1};
    } else {
      *this = from_unsigned(static_cast<std::uint64_t>(value));
    }
  }
  /// A double, a truth value or a character is no exact number by itself: say Number::from_double(x) to keep the
  /// double, Number::exact(x) for the rational it equals, Number::shortest_decimal(x) for the decimal it was typed as.
  template <NotANumber T>
  Number(T value) = delete;  // write Number::from_double(x), Number::exact(x) or Number::shortest_decimal(x)
  Number(std::int64_t num, std::int64_t den);  ///< throws Error(domain) when den is 0
  template <class A, class B>
  requires(NotANumber<A> || NotANumber<B>) Number(A num, B den)
  = delete;  // a quotient of whole numbers; write Number::exact(x) / Number::exact(y) for doubles
  static Number from_double(double value);  ///< keeps the double; throws on NaN
  /// The exact rational that equals the double (every finite double is one).
  static Number exact(double value);
  /// The rational of the shortest decimal that reads back as this double: 0.1 gives 1/10.
  static Number shortest_decimal(double value);
  /// "12", "-3/4", "4.2e-13": exact. Throws Error(syntax) on anything else, Error(limit) for exponents beyond 100000.
  static Number parse(std::string_view text);

  [[nodiscard]] bool is_double() const noexcept { return std::holds_alternative<double>(value_); }
  [[nodiscard]] bool is_exact() const noexcept { return !is_double(); }
  [[nodiscard]] bool is_integer() const noexcept;  ///< exact and without a denominator
  [[nodiscard]] bool is_zero() const noexcept;
  [[nodiscard]] bool is_one() const noexcept;
  [[nodiscard]] int sign() const noexcept;                          ///< -1, 0 or 1
  [[nodiscard]] std::optional<std::int64_t> word() const noexcept;  ///< the value when it is a machine-word integer
  [[nodiscard]] const Words* words() const noexcept { return std::get_if<Words>(&value_); }
  [[nodiscard]] const Big* big() const noexcept;
  [[nodiscard]] double to_double() const;       ///< nearest double (ties to even)
  [[nodiscard]] std::string to_string() const;  ///< "3", "-3/4", "0.1" for a double (shortest that reads back)
  [[nodiscard]] std::uint64_t hash() const noexcept;
  [[nodiscard]] std::size_t bits() const noexcept;  ///< size of numerator and denominator together

  [[nodiscard]] Number numerator() const;    ///< of an exact number
  [[nodiscard]] Number denominator() const;  ///< of an exact number; positive
  [[nodiscard]] Number floor() const;
  [[nodiscard]] Number abs() const;

  friend Number operator+(const Number& a, const Number& b);
  friend Number operator-(const Number& a, const Number& b);
  friend Number operator*(const Number& a, const Number& b);
  friend Number operator/(const Number& a, const Number& b);  ///< throws Error(domain) when b is 0
  friend Number operator-(const Number& a);
  friend bool operator==(const Number& a, const Number& b);
  friend int compare(const Number& a, const Number& b);  ///< -1, 0, 1

 private:
  static Number from_unsigned(std::uint64_t value);
  explicit Number(std::shared_ptr<const Big> big) noexcept : value_(std::move(big)) {}
  std::variant<Words, std::shared_ptr<const Big>, double> value_;
};

/// a^n for integer n; throws Error(domain) for 0 to a negative power. The caller bounds the size.
[[nodiscard]] Number power(const Number& a, std::int64_t n);
/// The exact n-th root of a non-negative rational if it is rational.
[[nodiscard]] std::optional<Number> exact_root(const Number& a, std::int64_t n);

}  // namespace boreon
