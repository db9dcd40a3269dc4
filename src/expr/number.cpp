// SPDX-License-Identifier: MIT
#include "boreon/number.hpp"

#include <fmt/format.h>
#include <gmpxx.h>
#include <mpfr.h>

#include <bit>
#include <cmath>
#include <numeric>

#include "boreon/error.hpp"
#include "expr/big_number.hpp"
#include "expr/hash.hpp"
#include "expr/work.hpp"

namespace boreon {
namespace {

__extension__ using Wide = __int128;

Wide wide_gcd(Wide a, Wide b) {
  while (b != 0) {
    const Wide r = a % b;
    a = b;
    b = r;
  }
  return a < 0 ? -a : a;
}

mpz_class to_mpz(Wide value) {
  const bool negative = value < 0;
  __extension__ using UWide = unsigned __int128;
  const UWide magnitude = negative ? UWide{0} - static_cast<UWide>(value) : static_cast<UWide>(value);
  mpz_class high(static_cast<unsigned long>(magnitude >> 64U));
  mpz_class result = (high << 64U) + mpz_class(static_cast<unsigned long>(magnitude));
  if (negative) result = -result;
  return result;
}

bool fits(Wide value) { return value >= INT64_MIN + 1 && value <= INT64_MAX; }

}  // namespace

mpq_class to_mpq(const Number& number) {
  if (const auto* w = number.words()) {
    mpq_class q;
    mpz_set_si(q.get_num_mpz_t(), w->num);
    mpz_set_si(q.get_den_mpz_t(), w->den);
    return q;
  }
  if (const auto* big = number.big()) return big->value;
  return mpq_class(number.to_double());
}

Number from_mpq(mpq_class value) {
  value.canonicalize();
  if (value.get_num().fits_slong_p() && value.get_den().fits_slong_p() && value.get_num() != LONG_MIN) {
    return {value.get_num().get_si(), value.get_den().get_si()};
  }
  return Number::Big::wrap(std::move(value));
}

Number Number::Big::wrap(mpq_class value) { return Number(std::make_shared<const Big>(Big{std::move(value)})); }

const Number::Big* Number::big() const noexcept {
  const auto* p = std::get_if<std::shared_ptr<const Big>>(&value_);
  return p ? p->get() : nullptr;
}

Number::Number(std::int64_t num, std::int64_t den) {
  if (den == 0) throw Error(ErrorKind::domain, fmt::format("division by zero: {}/0 is not a number", num));
  if (num == INT64_MIN || den == INT64_MIN) {
    *this = from_mpq(mpq_class(to_mpz(num), to_mpz(den)));
    return;
  }
  if (den == 1) {
    value_ = Words{num, 1};
    return;
  }
  const std::int64_t g = std::gcd(num, den);
  num /= g;
  den /= g;
  if (den < 0) {
    num = -num;
    den = -den;
  }
  value_ = Words{num, den};
}

Number Number::from_unsigned(std::uint64_t value) {
  mpz_class z;
  mpz_import(z.get_mpz_t(), 1, -1, sizeof value, 0, 0, &value);
  return from_mpq(mpq_class(z));
}

Number Number::from_double(double value) {
  if (std::isnan(value)) throw Error(ErrorKind::domain, "not a number (NaN) cannot be part of an expression");
  Number n;
  n.value_ = value == 0.0 ? 0.0 : value;  // -0.0 and 0.0 are the same number
  return n;
}

Number Number::exact(double value) {
  if (!std::isfinite(value)) throw Error(ErrorKind::domain, fmt::format("{} is not a rational number", value));
  return from_mpq(mpq_class(value));
}

Number Number::shortest_decimal(double value) {
  if (!std::isfinite(value)) throw Error(ErrorKind::domain, fmt::format("{} is not a rational number", value));
  return parse(fmt::format("{}", value));
}

Number Number::parse(std::string_view text) {
  const auto bad = [&] { return Error(ErrorKind::syntax, fmt::format("'{}' is not a number", text)); };
  std::string digits;
  std::size_t i = 0;
  bool negative = false;
  if (i < text.size() && (text[i] == '-' || text[i] == '+')) negative = text[i++] == '-';
  long scale = 0;
  bool point = false;
  for (; i < text.size() && ((text[i] >= '0' && text[i] <= '9') || (text[i] == '.' && !point)); ++i) {
    if (text[i] == '.') {
      point = true;
    } else {
      digits += text[i];
      if (point) --scale;
    }
  }
  if (digits.empty()) throw bad();
  mpq_class value{mpz_class(digits, 10)};
  if (i < text.size() && text[i] == '/' && !point) {
    const std::string_view rest = text.substr(i + 1);
    if (rest.empty() || rest.find_first_not_of("0123456789") != std::string_view::npos) throw bad();
    const mpz_class den(std::string(rest), 10);
    if (den == 0) throw Error(ErrorKind::domain, fmt::format("division by zero in '{}'", text));
    value /= mpq_class(den);
    i = text.size();
  }
  if (i < text.size() && (text[i] == 'e' || text[i] == 'E')) {
    ++i;
    bool down = false;
    if (i < text.size() && (text[i] == '-' || text[i] == '+')) down = text[i++] == '-';
    if (i == text.size()) throw bad();
    long exponent = 0;
    for (; i < text.size(); ++i) {
      if (text[i] < '0' || text[i] > '9') throw bad();
      exponent = exponent * 10 + (text[i] - '0');
      if (exponent > 100000) throw Error(ErrorKind::limit, fmt::format("the exponent of '{}' is beyond 100000", text));
    }
    scale += down ? -exponent : exponent;
  }
  if (i != text.size()) throw bad();
  mpz_class ten;
  mpz_ui_pow_ui(ten.get_mpz_t(), 10, static_cast<unsigned long>(std::labs(scale)));
  if (scale < 0) {
    value /= mpq_class(ten);
  } else {
    value *= mpq_class(ten);
  }
  if (negative) value = -value;
  return from_mpq(std::move(value));
}

bool Number::is_integer() const noexcept {
  if (const auto* w = words()) return w->den == 1;
  if (const auto* b = big()) return b->value.get_den() == 1;
  return false;
}

bool Number::is_zero() const noexcept {
  if (const auto* w = words()) return w->num == 0;
  return is_double() && std::get<double>(value_) == 0.0;
}

bool Number::is_one() const noexcept {
  if (const auto* w = words()) return w->num == 1 && w->den == 1;
  return false;
}

int Number::sign() const noexcept {
  if (const auto* w = words()) return (w->num > 0) - (w->num < 0);
  if (const auto* b = big()) return sgn(b->value);
  const double d = std::get<double>(value_);
  return (d > 0) - (d < 0);
}

std::optional<std::int64_t> Number::word() const noexcept {
  if (const auto* w = words(); w && w->den == 1) return w->num;
  return std::nullopt;
}

double Number::to_double() const {
  if (is_double()) return std::get<double>(value_);
  if (const auto* w = words()) {
    constexpr std::int64_t exactly = std::int64_t{1} << 53;
    // Both words are exact doubles here, so one correctly rounded division gives the nearest double.
    if (w->num <= exactly && w->num >= -exactly && w->den <= exactly) {
      return static_cast<double>(w->num) / static_cast<double>(w->den);
    }
  }
  // mpq_get_d truncates; MPFR rounds to nearest, but its 53-bit format has a wider exponent range, so subnormals
  // are rounded once by mpfr_subnormalize.
  mpfr_t x;
  mpfr_init2(x, 53);
  const mpfr_exp_t emin = mpfr_get_emin();
  const mpfr_exp_t emax = mpfr_get_emax();
  mpfr_set_emin(-1073);
  mpfr_set_emax(1024);
  const mpq_class q = to_mpq(*this);
  int ternary = mpfr_set_q(x, q.get_mpq_t(), MPFR_RNDN);
  ternary = mpfr_check_range(x, ternary, MPFR_RNDN);
  mpfr_subnormalize(x, ternary, MPFR_RNDN);
  const double d = mpfr_get_d(x, MPFR_RNDN);
  mpfr_clear(x);
  mpfr_set_emin(emin);
  mpfr_set_emax(emax);
  return d;
}

std::string Number::to_string() const {
  if (const auto* w = words()) return w->den == 1 ? fmt::format("{}", w->num) : fmt::format("{}/{}", w->num, w->den);
  if (const auto* b = big()) {
    spend(bits() / 2);
    return b->value.get_str();
  }
  return fmt::format("{}", std::get<double>(value_));
}

std::uint64_t Number::hash() const noexcept {
  if (const auto* w = words()) {
    return hash_combine(mix(static_cast<std::uint64_t>(w->num)), static_cast<std::uint64_t>(w->den));
  }
  if (const auto* b = big()) {
    std::uint64_t h = sgn(b->value) < 0 ? 0x51ed270b9f652295U : 0x2127599bf4325c37U;
    for (const mpz_srcptr z : {b->value.get_num_mpz_t(), b->value.get_den_mpz_t()}) {
      const std::size_t n = mpz_size(z);
      h = hash_combine(h, n);
      for (std::size_t i = 0; i < n; ++i) h = hash_combine(h, mpz_getlimbn(z, static_cast<mp_size_t>(i)));
    }
    return h;
  }
  return hash_combine(0x9e3779b97f4a7c15U, std::bit_cast<std::uint64_t>(std::get<double>(value_)));
}

std::size_t Number::bits() const noexcept {
  if (const auto* b = big()) {
    return mpz_sizeinbase(b->value.get_num_mpz_t(), 2) + mpz_sizeinbase(b->value.get_den_mpz_t(), 2);
  }
  return 64;
}

Number Number::numerator() const {
  if (const auto* w = words()) return w->num;
  return from_mpq(mpq_class(to_mpq(*this).get_num()));
}

Number Number::denominator() const {
  if (const auto* w = words()) return w->den;
  return from_mpq(mpq_class(to_mpq(*this).get_den()));
}

Number Number::floor() const {
  if (is_double()) return from_double(std::floor(std::get<double>(value_)));
  if (is_integer()) return *this;
  if (const auto* w = words()) return w->num / w->den - (w->num < 0 ? 1 : 0);
  const mpq_class q = to_mpq(*this);
  mpz_class f;
  mpz_fdiv_q(f.get_mpz_t(), q.get_num_mpz_t(), q.get_den_mpz_t());
  return from_mpq(mpq_class(f));
}

Number Number::abs() const { return sign() < 0 ? -*this : *this; }

namespace {

// num/den for a positive den.
Number reduced(Wide num, Wide den) {
  if (fits(num) && fits(den)) return {static_cast<std::int64_t>(num), static_cast<std::int64_t>(den)};
  const Wide g = wide_gcd(num, den);
  if (g > 1) {
    num /= g;
    den /= g;
  }
  if (fits(num) && fits(den)) return {static_cast<std::int64_t>(num), static_cast<std::int64_t>(den)};
  return from_mpq(mpq_class(to_mpz(num), to_mpz(den)));
}

}  // namespace

Number operator+(const Number& a, const Number& b) {
  if (a.is_double() || b.is_double()) return Number::from_double(a.to_double() + b.to_double());
  const auto* x = a.words();
  const auto* y = b.words();
  if (x && y) {
    if (x->den == 1 && y->den == 1) return reduced(Wide{x->num} + y->num, 1);
    // Each product is below 2^126, so the sum cannot overflow.
    return reduced(Wide{x->num} * y->den + Wide{y->num} * x->den, Wide{x->den} * y->den);
  }
  return from_mpq(to_mpq(a) + to_mpq(b));
}

Number operator*(const Number& a, const Number& b) {
  if (a.is_double() || b.is_double()) return Number::from_double(a.to_double() * b.to_double());
  const auto* x = a.words();
  const auto* y = b.words();
  if (x && y) return reduced(Wide{x->num} * y->num, Wide{x->den} * y->den);
  spend((a.bits() + b.bits()) / 8);
  return from_mpq(to_mpq(a) * to_mpq(b));
}

Number operator-(const Number& a) {
  if (const auto* w = a.words(); w && w->num != INT64_MIN) return {-w->num, w->den};
  if (a.is_double()) return Number::from_double(-a.to_double());
  return from_mpq(-to_mpq(a));
}

Number operator-(const Number& a, const Number& b) { return a + (-b); }

Number operator/(const Number& a, const Number& b) {
  if (b.is_zero()) throw Error(ErrorKind::domain, fmt::format("division by zero: {}/0", a.to_string()));
  if (a.is_double() || b.is_double()) return Number::from_double(a.to_double() / b.to_double());
  const auto* x = a.words();
  const auto* y = b.words();
  if (x && y)
    return y->num < 0 ? reduced(-Wide{x->num} * y->den, -Wide{x->den} * y->num)
                      : reduced(Wide{x->num} * y->den, Wide{x->den} * y->num);
  return from_mpq(to_mpq(a) / to_mpq(b));
}

bool operator==(const Number& a, const Number& b) {
  if (a.is_double() != b.is_double()) return false;
  const auto* x = a.words();
  const auto* y = b.words();
  if (x && y) return x->num == y->num && x->den == y->den;
  return compare(a, b) == 0;
}

int compare(const Number& a, const Number& b) {
  const auto* x = a.words();
  const auto* y = b.words();
  if (x && y) {
    const Wide l = Wide{x->num} * y->den;
    const Wide r = Wide{y->num} * x->den;
    return (l > r) - (l < r);
  }
  for (const Number* n : {&a, &b}) {
    if (n->is_double() && std::isinf(n->to_double())) {
      const double l = a.to_double();
      const double r = b.to_double();
      return (l > r) - (l < r);
    }
  }
  const int c = cmp(to_mpq(a), to_mpq(b));
  return (c > 0) - (c < 0);
}

Number power(const Number& a, std::int64_t n) {
  if (a.is_double()) return Number::from_double(std::pow(a.to_double(), static_cast<double>(n)));
  if (n < 0) {
    if (a.is_zero()) throw Error(ErrorKind::domain, "division by zero: 0 to a negative power");
    return Number(1) / power(a, -n);
  }
  if (const auto* w = a.words(); w != nullptr && n <= 64) {  // no common factor comes in
    std::int64_t num = 1;
    std::int64_t den = 1;
    bool fit = true;
    for (std::int64_t k = 0; k < n && fit; ++k)
      fit = !__builtin_mul_overflow(num, w->num, &num) && !__builtin_mul_overflow(den, w->den, &den);
    if (fit && num != INT64_MIN) return {num, den};
  }
  const mpq_class q = to_mpq(a);
  mpq_class r;
  mpz_pow_ui(r.get_num_mpz_t(), q.get_num_mpz_t(), static_cast<unsigned long>(n));
  mpz_pow_ui(r.get_den_mpz_t(), q.get_den_mpz_t(), static_cast<unsigned long>(n));
  return from_mpq(std::move(r));
}

std::optional<Number> exact_root(const Number& a, std::int64_t n) {
  if (a.is_double() || a.sign() < 0 || n < 1) return std::nullopt;
  const mpq_class q = to_mpq(a);
  mpz_class num;
  mpz_class den;
  const auto k = static_cast<unsigned long>(n);
  if (mpz_root(num.get_mpz_t(), q.get_num_mpz_t(), k) == 0) return std::nullopt;
  if (mpz_root(den.get_mpz_t(), q.get_den_mpz_t(), k) == 0) return std::nullopt;
  return from_mpq(mpq_class(num, den));
}

}  // namespace boreon
