// SPDX-License-Identifier: MIT
// A witness for integrals that looks inside: singular places and jumps are searched for along the range, their growth
// is measured, and what lies between is integrated piece by piece in double precision. It knows the integrand as
// numbers only and shares nothing with the library's own quadrature.
#pragma once

#include <functional>

namespace test {

struct Judgement {
  enum Kind { number, divergent, unknown };
  Kind kind = unknown;
  double value = 0;
};

/// The integral of f from a to b; either may be infinite. `unknown` where numbers do not decide: values that are not
/// real, growth near that of 1/x, an estimate of the error above 1e-7 of the size.
Judgement subdivided(const std::function<double(double)>& f, double a, double b);

}  // namespace test
