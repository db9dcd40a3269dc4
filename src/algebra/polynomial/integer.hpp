// SPDX-License-Identifier: MIT
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
  explicit Integer(const mpz_class& v) : Integer(mpz_class(v)) {}
  explicit Integer(mpz_class&& v) {
    if (v.fits_slong_p() && fits(v.get_si())) {
      bits_ = tag(v.get_si());
    } else {
      set_big(std::move(v));
    }
  }
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
    return of(mpz_add, a, b);
  }
  friend Integer operator-(const Integer& a, const Integer& b) {
    if (a.is_small() && b.is_small()) return {a.small() - b.small()};
    return of(mpz_sub, a, b);
  }
  friend Integer operator*(const Integer& a, const Integer& b) {
    if (std::int64_t r = 0; a.is_small() && b.is_small() && !__builtin_mul_overflow(a.small(), b.small(), &r))
      return {r};
    return of(mpz_mul, a, b);
  }
  /// sum += a*b, without a copy of either.
  static void add_product(mpz_class& sum, const Integer& a, const Integer& b) {
    mpz_addmul(sum.get_mpz_t(), View(a), View(b));
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
    return mpz_cmp(View(a), View(b)) < 0;
  }
  /// Whether b divides a; the quotient if so.
  [[nodiscard]] static bool divide(const Integer& a, const Integer& b, Integer& quotient);
  [[nodiscard]] static Integer gcd(const Integer& a, const Integer& b);
  [[nodiscard]] Integer abs() const { return sign() < 0 ? -*this : *this; }

 private:
  // As GMP reads it: where it is, or the machine word as one limb.
  class View {
   public:
    explicit View(const Integer& i) {
      if (!i.is_small()) {
        at_ = i.big()->get_mpz_t();
        return;
      }
      limb_ = static_cast<mp_limb_t>(i.small() < 0 ? -i.small() : i.small());
      at_ = mpz_roinit_n(word_, &limb_, i.small() < 0 ? -1 : i.small() > 0 ? 1 : 0);
    }
    View(const View&) = delete;
    View& operator=(const View&) = delete;
    operator mpz_srcptr() const { return at_; }  // NOLINT(google-explicit-constructor)

   private:
    mp_limb_t limb_ = 0;
    mpz_t word_{};
    mpz_srcptr at_;
  };
  template <class Operation>
  static Integer of(Operation operation, const Integer& a, const Integer& b) {
    mpz_class r;
    operation(r.get_mpz_t(), View(a), View(b));
    return Integer(std::move(r));
  }
  static constexpr std::uint64_t zero_bits = 1;
  static constexpr bool fits(std::int64_t v) { return v >= -(std::int64_t{1} << 62) && v < (std::int64_t{1} << 62); }
  static constexpr std::uint64_t tag(std::int64_t v) { return (static_cast<std::uint64_t>(v) << 1U) | 1U; }
  [[nodiscard]] const mpz_class* big() const noexcept { return reinterpret_cast<const mpz_class*>(bits_); }
  void set_big(mpz_class v) { bits_ = reinterpret_cast<std::uint64_t>(new mpz_class(std::move(v))); }

  std::uint64_t bits_ = zero_bits;  // odd: twice the value and one; even: address of a GMP integer
};

[[nodiscard]] Integer power(const Integer& base, unsigned exponent);

}  // namespace boreon::poly
