// SPDX-License-Identifier: MIT
// Equations as polynomials in their unknowns.
#pragma once

#include <algorithm>
#include <span>
#include <vector>

#include "algebra/kernel_ring.hpp"
#include "algebra/polynomial/polynomial.hpp"
#include "boreon/expr.hpp"
#include "boreon/traverse.hpp"

namespace boreon::equations {

/// Equations as polynomials, the unknowns the largest variables in their order.
class SystemRing {
 public:
  explicit SystemRing(std::span<const Expr> equations, std::span<const Expr> unknowns)
      : ring_(equations), equations_(equations), unknowns_(unknowns), place_(ring_.vars()), back_(ring_.vars()) {
    unsigned next = 0;
    for (const Expr& u : unknowns) {
      const auto v = ring_.index_of(u);
      if (v) place_[*v] = next++;
    }
    occurring_ = next;
    for (unsigned v = 0; v < ring_.vars(); ++v) {
      const Expr& k = ring_.kernels()[v];
      if (std::find(unknowns.begin(), unknowns.end(), k) != unknowns.end()) continue;
      polynomials_ = polynomials_ &&
                     std::none_of(unknowns.begin(), unknowns.end(), [&](const Expr& u) { return depends_on(k, u); });
      place_[v] = next++;
    }
    for (unsigned v = 0; v < ring_.vars(); ++v) back_[place_[v]] = v;
  }

  /// Whether the equations are quotients of polynomials in the unknowns.
  [[nodiscard]] bool polynomials() const { return polynomials_; }
  /// Whether all unknowns occur, and nothing but them: the coefficients are rational numbers.
  [[nodiscard]] bool rational() const {
    return polynomials_ && occurring_ == ring_.vars() && occurring_ == unknowns_.size();
  }
  [[nodiscard]] std::vector<poly::Poly> generators() const {
    std::vector<poly::Poly> out;
    for (const Expr& e : equations_)
      out.push_back(poly::permuted(ring_.reduced(ring_.fraction_of(e)).numerator, place_, ring_.vars()));
    for (const KernelRing::Relation& r : ring_.relations()) {  // sqrt(2)^2 = 2, the imaginary unit
      poly::Poly p = poly::subtract(
          poly::multiply(poly::variable(ring_.vars(), r.variable, r.degree), r.value.denominator), r.value.numerator);
      out.push_back(poly::permuted(p, place_, ring_.vars()));
    }
    return out;
  }
  [[nodiscard]] std::vector<Expr> expressions(const std::vector<poly::Poly>& polynomials) const {
    std::vector<Expr> out;
    for (const poly::Poly& p : polynomials) out.push_back(ring_.expression(poly::permuted(p, back_, ring_.vars())));
    return out;
  }

 private:
  KernelRing ring_;
  std::span<const Expr> equations_;
  std::span<const Expr> unknowns_;
  std::vector<unsigned> place_;  // by kernel
  std::vector<unsigned> back_;
  unsigned occurring_ = 0;
  bool polynomials_ = true;
};

}  // namespace boreon::equations
