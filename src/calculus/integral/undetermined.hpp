// SPDX-License-Identifier: MIT
// Candidates for the method of undetermined coefficients.
#pragma once

#include <vector>

#include "algebra/kernel_ring.hpp"
#include "boreon/expr.hpp"
#include "calculus/integral/integrator.hpp"

namespace boreon {

/// A function that may occur in an antiderivative, and its derivative written in the functions of the integrand.
struct Candidate {
  Expr function;
  Expr slope;
};

/// What the integrand looks like in its kernels.
struct Shape {
  Expr integrand;
  Symbol x;
  std::vector<Expr> kernels;       ///< that depend on x
  std::vector<Expr> exponents;     ///< u of the products of exponentials exp(u) that occur
  std::vector<Expr> denominators;  ///< irreducible factors that depend on x
  unsigned degree_in_x = 0;        ///< of the numerator
};

/// Error functions, exponential, trigonometric and Fresnel integrals, dilogarithms that fit the shape.
[[nodiscard]] std::vector<Candidate> special_candidates(Integrator& in, const Shape& shape);

/// The antiderivative of 1/sqrt(q) for a quadratic q = a*x^2 + b*x + c.
[[nodiscard]] Expr integral_of_inverse_root(Integrator& in, const Expr& q, const std::vector<Expr>& coefficients,
                                            const Symbol& x);

/// How kernels are related where candidates are made and combined.
[[nodiscard]] RingOptions tower_options();

/// The combination of the candidates, with constant coefficients, whose derivative is f; nothing if there is none.
[[nodiscard]] std::optional<Expr> combination(const Expr& f, const std::vector<Candidate>& candidates, const Symbol& x);

}  // namespace boreon
