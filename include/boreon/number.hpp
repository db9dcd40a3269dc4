// Exact rational numbers of any size, and doubles that C++ code handed in.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <variant>

namespace boreon {

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
  Number(std::int64_t value) noexcept : value_(Words{value, 1}) {}  // NOLINT(google-explicit-constructor)
  Number(std::int64_t num, std::int64_t den);                       ///< throws Error(domain) when den is 0
  static Number from_double(double value);                          ///< keeps the double; throws on NaN
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
  explicit Number(std::shared_ptr<const Big> big) noexcept : value_(std::move(big)) {}
  std::variant<Words, std::shared_ptr<const Big>, double> value_;
};

/// a^n for integer n; throws Error(domain) for 0 to a negative power. The caller bounds the size.
[[nodiscard]] Number power(const Number& a, std::int64_t n);
/// The exact n-th root of a non-negative rational if it is rational.
[[nodiscard]] std::optional<Number> exact_root(const Number& a, std::int64_t n);

}  // namespace boreon
