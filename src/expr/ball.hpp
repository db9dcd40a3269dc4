// SPDX-License-Identifier: MIT
// Ball: a complex ball of Arb behind a value type.
#pragma once

#include <acb.h>

#include <complex>
#include <string>

#include "boreon/number.hpp"

namespace boreon {

class Ball {
 public:
  Ball() { acb_init(value_); }
  Ball(const Ball& other) {
    acb_init(value_);
    acb_set(value_, other.value_);
  }
  Ball(Ball&& other) noexcept {
    acb_init(value_);
    acb_swap(value_, other.value_);
  }
  Ball& operator=(const Ball& other) {
    acb_set(value_, other.value_);
    return *this;
  }
  Ball& operator=(Ball&& other) noexcept {
    acb_swap(value_, other.value_);
    return *this;
  }
  ~Ball() { acb_clear(value_); }

  static Ball from(const Number& number, long precision);
  static Ball from(std::complex<double> value);

  [[nodiscard]] acb_ptr get() noexcept { return value_; }
  [[nodiscard]] acb_srcptr get() const noexcept { return value_; }
  [[nodiscard]] arb_ptr re() noexcept { return acb_realref(value_); }
  [[nodiscard]] arb_srcptr re() const noexcept { return acb_realref(value_); }
  [[nodiscard]] arb_ptr im() noexcept { return acb_imagref(value_); }
  [[nodiscard]] arb_srcptr im() const noexcept { return acb_imagref(value_); }
  [[nodiscard]] bool finite() const { return acb_is_finite(value_) != 0; }
  [[nodiscard]] bool real() const { return acb_is_real(value_) != 0; }

 private:
  acb_t value_;
};

/// Number of correct bits needed before a ball is rounded to a double.
inline constexpr long double_bits = 56;

/// Whether both parts are known to double precision.
[[nodiscard]] bool accurate(const Ball& ball, long bits);
[[nodiscard]] double midpoint(arb_srcptr x);
/// The digits of a real ball that are certain, at most so many.
[[nodiscard]] std::string decimal(arb_srcptr x, int digits);

}  // namespace boreon
