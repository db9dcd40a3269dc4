// SPDX-License-Identifier: MIT
// Exact numbers: the laws of a field, order, rounding to double, reading.
#include <doctest/doctest.h>

#include <cmath>
#include <cstdlib>
#include <limits>
#include <random>

#include "boreon/error.hpp"
#include "boreon/number.hpp"

using namespace boreon;

namespace {

// Small, large and huge rationals of both signs.
class RandomNumber {
 public:
  explicit RandomNumber(std::uint64_t seed) : random_(seed) {}
  Number operator()() {
    const auto word = [&] {
      const auto bits = static_cast<unsigned>(random_() % 63U);
      const auto magnitude = static_cast<std::int64_t>(random_() >> (63U - bits) >> 1U);
      return random_() % 2 == 0 ? magnitude : -magnitude;
    };
    Number n(word());
    std::int64_t d = word();
    if (d == 0) d = 1;
    n = n / Number(d);
    if (random_() % 4 == 0) n = n * power(Number(word() | 1), static_cast<std::int64_t>(random_() % 5));
    return n;
  }
  std::uint64_t bits() { return random_(); }

 private:
  std::mt19937_64 random_;
};

}  // namespace

TEST_CASE("rationals of any size obey the laws of a field") {
  RandomNumber random(101);
  for (int i = 0; i < 4000; ++i) {
    const Number a = random();
    const Number b = random();
    const Number c = random();
    REQUIRE(a + b == b + a);
    REQUIRE(a * b == b * a);
    REQUIRE((a + b) + c == a + (b + c));
    REQUIRE((a * b) * c == a * (b * c));
    REQUIRE(a * (b + c) == a * b + a * c);
    REQUIRE(a - a == Number(0));
    REQUIRE((a - b) + b == a);
    if (!b.is_zero()) {
      REQUIRE((a / b) * b == a);
      REQUIRE(b / b == Number(1));
    }
    REQUIRE((a + b).hash() == (b + a).hash());
    REQUIRE(-(-a) == a);
    REQUIRE(a.numerator() / a.denominator() == a);
    REQUIRE(a.denominator().sign() == 1);
  }
}

TEST_CASE("order, sign, floor and roots fit together") {
  RandomNumber random(102);
  for (int i = 0; i < 4000; ++i) {
    const Number a = random();
    const Number b = random();
    REQUIRE(compare(a, b) == -compare(b, a));
    REQUIRE(compare(a, b) == (a - b).sign());
    const Number f = a.floor();
    REQUIRE(f.is_integer());
    REQUIRE(compare(f, a) <= 0);
    REQUIRE(compare(f + Number(1), a) > 0);
    REQUIRE(a.abs().sign() >= 0);
    for (const std::int64_t n : {2, 3, 5}) {
      const Number p = power(a.abs(), n);
      const auto root = exact_root(p, n);
      REQUIRE(root.has_value());
      REQUIRE(*root == a.abs());
      if (a.sign() != 0) REQUIRE_FALSE(exact_root(p + p, n).has_value());
    }
  }
}

TEST_CASE("powers add their exponents") {
  RandomNumber random(103);
  for (int i = 0; i < 500; ++i) {
    const Number a = random();
    if (a.is_zero()) continue;
    const auto m = static_cast<std::int64_t>(random.bits() % 9) - 4;
    const auto n = static_cast<std::int64_t>(random.bits() % 9) - 4;
    REQUIRE(power(a, m) * power(a, n) == power(a, m + n));
    REQUIRE(power(power(a, m), n) == power(a, m * n));
  }
  CHECK_THROWS_AS((void)power(Number(0), -1), Error);
}

TEST_CASE("what is printed reads back, and what is typed is exact") {
  RandomNumber random(104);
  for (int i = 0; i < 2000; ++i) {
    const Number a = random();
    REQUIRE(Number::parse(a.to_string()) == a);
  }
  CHECK(Number::parse("0.125") == Number(1, 8));
  CHECK(Number::parse("-12.50e2") == Number(-1250));
  CHECK(Number::parse("1e-3") == Number(1, 1000));
  for (const char* bad : {"", "-", "1e", "1e+", "abc", "1.2.3", "1/0.5", "1/x", "0x10", "1 2"})
    CHECK_THROWS_AS((void)Number::parse(bad), Error);
  CHECK_THROWS_AS((void)Number::parse("1/0"), Error);
}

TEST_CASE("rounding to double is to nearest, as the C library reads decimals") {
  RandomNumber random(105);
  for (int i = 0; i < 5000; ++i) {
    std::string text = std::to_string(random.bits() % 1000000000U) + "." + std::to_string(random.bits()) + "e" +
                       std::to_string(static_cast<int>(random.bits() % 660) - 340);
    CAPTURE(text);
    REQUIRE(Number::parse(text).to_double() == std::strtod(text.c_str(), nullptr));
  }
  for (const char* edge : {"4.9e-324", "2.4703282292062327e-324", "2.4703282292062328e-324", "2.2250738585072011e-308",
                           "1.7976931348623157e308", "1.7976931348623159e308", "9007199254740993", "0.1"}) {
    CAPTURE(edge);
    CHECK(Number::parse(edge).to_double() == std::strtod(edge, nullptr));
  }
}

TEST_CASE("doubles convert exactly, and by their shortest decimal on request") {
  RandomNumber random(106);
  for (int i = 0; i < 2000; ++i) {
    const double x = std::ldexp(static_cast<double>(random.bits()), static_cast<int>(random.bits() % 200) - 150);
    REQUIRE(Number::exact(x).to_double() == x);
    REQUIRE(Number::shortest_decimal(x).to_double() == x);
  }
  CHECK(Number::exact(0.1) == Number::parse("0.1000000000000000055511151231257827021181583404541015625"));
  CHECK(Number::shortest_decimal(0.1) == Number(1, 10));
  CHECK_THROWS_AS((void)Number::exact(std::numeric_limits<double>::infinity()), Error);
  CHECK(Number::from_double(-0.0) == Number::from_double(0.0));
  CHECK((Number(1, 2) + Number::from_double(0.25)).is_double());
  CHECK_FALSE(Number::from_double(0.5) == Number(1, 2));
}
