// SPDX-License-Identifier: MIT
// Expressions as quotients of polynomials in kernels: whatever is no sum, product or rational power (symbols, sin(x),
// exp(a*t), y'(t), sqrt(1 + x), the imaginary unit) becomes a variable.
//
// Powers of one base share a variable: x, sqrt(x) and x^(5/6) are powers of x^(1/6); exp(x) and exp(2*x + y) are built
// of exp(x) and exp(y); x^(n + 1) is x^n*x. All of this holds for principal values wherever both sides are defined.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "algebra/fraction.hpp"
#include "boreon/expr.hpp"
#include "boreon/traverse.hpp"

namespace boreon {

/// Which algebraic relations between kernels are used to reduce.
struct RingOptions {
  bool roots = true;             ///< sqrt(a)^2 = a, i^2 = -1, and denominators free of square roots of numbers and i
  bool rationalise_all = false;  ///< denominators free of all square roots
  /// Circular and hyperbolic squares: by bit k of `sine_stays`, the k-th pair keeps its sine and loses squares of its
  /// cosine, or the other way round.
  bool pythagoras = false;
  std::uint64_t sine_stays = 0;
  std::size_t term_limit = 200000;  ///< Error(limit) beyond
};

class KernelRing {
 public:
  explicit KernelRing(std::span<const Expr> roots, RingOptions options = {});

  [[nodiscard]] unsigned vars() const { return static_cast<unsigned>(kernels_.size()); }
  [[nodiscard]] const std::vector<Expr>& kernels() const { return kernels_; }
  [[nodiscard]] std::optional<unsigned> index_of(const Expr& kernel) const;
  /// Number of sine-cosine pairs found.
  [[nodiscard]] unsigned pairs() const { return pairs_; }

  /// Of one of the roots given at construction, or any node below that its sums and products are made of; of others
  /// Error(unsupported). Throws Error(domain) on a division by zero, Error(limit) when it grows beyond all bounds.
  [[nodiscard]] Fraction fraction_of(const Expr& e) const;
  [[nodiscard]] Fraction reduced(const Fraction& f) const;

  /// variable^degree = value: what `reduced` goes by. The value of a numbered root holds smaller powers of it.
  struct Relation {
    unsigned variable;
    unsigned degree;
    Fraction value;
    bool clears_denominators;
  };
  [[nodiscard]] const std::vector<Relation>& relations() const { return relations_; }

  [[nodiscard]] Expr expression(const poly::Poly& p) const;
  [[nodiscard]] Expr expression(const Fraction& f) const;
  /// Numerator and denominator as products of irreducible factors.
  [[nodiscard]] Expr factored(const Fraction& f) const;
  [[nodiscard]] Expr factored(const poly::Poly& p) const;

 private:
  void collect(std::span<const Expr> roots);
  void note_power(const Expr& base, const Expr& exponent, std::vector<Expr>& children);
  void note_root(const Expr& base, const Number& exponent, std::vector<Expr>& children);
  void note_exponential(const Expr& argument, std::vector<Expr>& children);
  [[nodiscard]] std::vector<Expr> children_of(const Expr& e);
  unsigned add_kernel(const Expr& value);
  [[nodiscard]] Fraction convert(const Expr& e) const;
  [[nodiscard]] Fraction convert_power(const Expr& base, const Expr& exponent) const;
  [[nodiscard]] Fraction convert_root(const Expr& base, const Number& exponent) const;
  [[nodiscard]] Fraction convert_exponential(const Expr& argument) const;
  [[nodiscard]] Fraction variable_power(unsigned v, std::int64_t n) const;
  void make_relations();
  [[nodiscard]] std::optional<Relation> relation_of_numbered_root(unsigned v) const;
  void guard(const Fraction& f) const;
  [[nodiscard]] Expr monomial(const std::uint64_t* m, const poly::Layout& layout, const Expr& coefficient,
                              std::vector<Expr>& factors) const;

  struct Root {
    Expr base;
    std::int64_t denominator = 1;  // the variable is base^(1/denominator)
    unsigned variable = 0;
  };
  struct Exponential {
    Expr base;  // of base^argument; the exponential function if it is the number 0
    Expr argument;
    std::int64_t denominator = 1;  // the variable is base^(argument*step/denominator)
    std::vector<Number> coefficients = {};  // of the argument, where it stands in an exponent
    std::int64_t step = 1;  // large powers have their common divisor taken out: exp(1000*x) is no 1000th power
    unsigned variable = 0;
  };
  Root* find_root(const Expr& base) const;
  [[nodiscard]] unsigned place_of(const Expr& kernel) const;  ///< Error(unsupported) for what is no kernel
  Exponential* find_exponential(const Expr& base, const Expr& argument) const;

  RingOptions options_;
  std::vector<Expr> keep_;
  std::vector<Expr> kernels_;
  NodeMap<unsigned> index_;
  mutable std::vector<Root> roots_;
  mutable std::vector<Exponential> exponentials_;
  std::vector<Expr> order_;  // nodes to convert, children first
  NodeMap<Fraction> fractions_;
  std::vector<Relation> relations_;
  unsigned pairs_ = 0;
  mutable std::vector<std::vector<Expr>> powers_;  // of kernels, for expression()
};

/// The integer factors of a number below 2^62 that are primes up to 1000, and the rest.
[[nodiscard]] std::vector<std::pair<std::int64_t, int>> small_prime_factors(std::int64_t n);

}  // namespace boreon
