// Integers of any size for polynomial coefficients: one machine word inside the object, GMP beyond.
#pragma once

#include <gmpxx.h>

#include <cstdint>
#include <utility>

#include "boreon/number.hpp"

namespace boreon::poly {

class Integer {
 public:
  Integer() noexcept = default;
  Integer(std::int64_t v) {  // NOLINT(google-explicit-constructor)
    if (fits(v)) {
      bits_ = tag(v);
    } else {
      set_big(mpz_class(static_cast<long>(v)));
    }
  }
  explicit Integer(const mpz_class& v) { assign(v); }
  Integer(const Integer& o) {
    if (o.is_small()) {
      bits_ = o.bits_;
    } else {
      set_big(*o.big());
    }
  }
  Integer(Integer&& o) noexcept : bits_(std::exchange(o.bits_, zero_bits)) {}
  Integer& operator=(const Integer& o) {
    if (this != &o) *this = Integer(o);
    return *this;
  }
  Integer& operator=(Integer&& o) noexcept {
    std::swap(bits_, o.bits_);
    return *this;
  }
  ~Integer() {
    if (!is_small()) delete big();
  }
  /// Exact integer of a Number; the caller makes sure that it is one.
  static Integer from(const Number& n);

  [[nodiscard]] bool is_small() const noexcept { return (bits_ & 1U) != 0; }
  [[nodiscard]] std::int64_t small() const noexcept { return static_cast<std::int64_t>(bits_) >> 1; }
  [[nodiscard]] bool is_zero() const noexcept { return bits_ == zero_bits; }
  [[nodiscard]] bool is_one() const noexcept { return bits_ == tag(1); }
  [[nodiscard]] int sign() const noexcept { return is_small() ? (small() > 0) - (small() < 0) : sgn(*big()); }
  [[nodiscard]] std::size_t bit_length() const noexcept;  ///< of the absolute value
  [[nodiscard]] mpz_class mpz() const { return is_small() ? mpz_class(static_cast<long>(small())) : *big(); }
  [[nodiscard]] Number number() const;
  [[nodiscard]] std::uint64_t mod(std::uint64_t p) const;  ///< in 0 ... p - 1

  friend Integer operator+(const Integer& a, const Integer& b) {
    if (a.is_small() && b.is_small()) return {a.small() + b.small()};
    return Integer(a.mpz() + b.mpz());
  }
  friend Integer operator-(const Integer& a, const Integer& b) {
    if (a.is_small() && b.is_small()) return {a.small() - b.small()};
    return Integer(a.mpz() - b.mpz());
  }
  friend Integer operator*(const Integer& a, const Integer& b) {
    if (std::int64_t r = 0; a.is_small() && b.is_small() && !__builtin_mul_overflow(a.small(), b.small(), &r)) return {r};
    return Integer(a.mpz() * b.mpz());
  }
  Integer operator-() const {
    if (is_small()) return {-small()};
    return Integer(-*big());
  }
  Integer& operator+=(const Integer& b) { return *this = *this + b; }
  Integer& operator-=(const Integer& b) { return *this = *this - b; }
  Integer& operator*=(const Integer& b) { return *this = *this * b; }
  friend bool operator==(const Integer& a, const Integer& b) {
    if (a.is_small() || b.is_small()) return a.bits_ == b.bits_;  // the representation is unique
    return *a.big() == *b.big();
  }
  friend bool operator<(const Integer& a, const Integer& b) {
    if (a.is_small() && b.is_small()) return a.small() < b.small();
    return a.mpz() < b.mpz();
  }
  /// Whether b divides a; the quotient if so.
  [[nodiscard]] static bool divide(const Integer& a, const Integer& b, Integer& quotient);
  [[nodiscard]] static Integer gcd(const Integer& a, const Integer& b);
  [[nodiscard]] Integer abs() const { return sign() < 0 ? -*this : *this; }

 private:
  static constexpr std::uint64_t zero_bits = 1;
  static constexpr bool fits(std::int64_t v) { return v >= -(std::int64_t{1} << 62) && v < (std::int64_t{1} << 62); }
  static constexpr std::uint64_t tag(std::int64_t v) { return (static_cast<std::uint64_t>(v) << 1U) | 1U; }
  [[nodiscard]] const mpz_class* big() const noexcept { return reinterpret_cast<const mpz_class*>(bits_); }
  void set_big(const mpz_class& v) { bits_ = reinterpret_cast<std::uint64_t>(new mpz_class(v)); }
  void assign(const mpz_class& v);

  std::uint64_t bits_ = zero_bits;  // odd: twice the value and one; even: address of a GMP integer
};

[[nodiscard]] Integer power(const Integer& base, unsigned exponent);

}  // namespace boreon::poly
