// SPDX-License-Identifier: MIT
// The number domains of GraphEvaluator: double, complex double, complex balls.
#pragma once

#include <complex>
#include <cstdint>
#include <vector>

#include "boreon/expr.hpp"
#include "expr/ball.hpp"

namespace boreon {

struct RealDomain {
  using Value = double;
  [[nodiscard]] static std::uint64_t cost() { return 8; }  ///< units of work for a node
  [[nodiscard]] static double number(const Number& n) { return n.to_double(); }
  [[nodiscard]] static double constant(ConstantCode code);
  static void add_scaled(double& s, double c, double t, bool) { s += c * t; }
  static void multiply(double& p, double f) { p *= f; }
  [[nodiscard]] static double power(const Expr& base, const Expr& exponent, double b, double e);
  [[nodiscard]] static double call(const Expr& e, const std::vector<double>& args);
  [[nodiscard]] static bool compare(const Expr& e, double a, double b);
  [[nodiscard]] static bool operator_value(const Expr& e, double& value);
};

struct ComplexDomain {
  using Value = std::complex<double>;
  [[nodiscard]] static std::uint64_t cost() { return 12; }
  [[nodiscard]] static Value number(const Number& n) { return n.to_double(); }
  [[nodiscard]] static Value constant(ConstantCode code);
  static void add_scaled(Value& s, const Value& c, const Value& t, bool) { s += c.real() * t; }
  static void multiply(Value& p, const Value& f) { p *= f; }
  [[nodiscard]] static Value power(const Expr& base, const Expr& exponent, const Value& b, const Value& e);
  [[nodiscard]] static Value call(const Expr& e, const std::vector<Value>& args);
  [[nodiscard]] static bool compare(const Expr& e, const Value& a, const Value& b);
  [[nodiscard]] static bool operator_value(const Expr& e, Value& value);
};

struct BallDomain {
  using Value = Ball;
  long precision = 64;
  /// Of sums and products; functions and powers add their own.
  [[nodiscard]] std::uint64_t cost() const { return 20 + static_cast<std::uint64_t>(precision) / 32; }
  [[nodiscard]] Value number(const Number& n) const { return Ball::from(n, precision); }
  [[nodiscard]] Value constant(ConstantCode code) const;
  void add_scaled(Value& s, const Value& c, const Value& t, bool unit) const {
    if (unit) {
      acb_add(s.get(), s.get(), t.get(), precision);
    } else {
      acb_addmul(s.get(), c.get(), t.get(), precision);
    }
  }
  void multiply(Value& p, const Value& f) const { acb_mul(p.get(), p.get(), f.get(), precision); }
  [[nodiscard]] Value power(const Expr& base, const Expr& exponent, const Value& b, const Value& e) const;
  [[nodiscard]] Value call(const Expr& e, const std::vector<Value>& args) const;
  [[nodiscard]] static bool compare(const Expr& e, const Value& a, const Value& b);
  /// Integrals over finite ranges of what is analytic around the range, rigorously; finite sums.
  [[nodiscard]] bool operator_value(const Expr& e, Value& value) const;
};

/// The value of an expression without symbols.
[[nodiscard]] Ball ball_of(const Expr& e, long precision);

}  // namespace boreon
