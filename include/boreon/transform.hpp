// SPDX-License-Identifier: MIT
// Laplace transforms and their inverse, Fourier coefficients, each checked against numbers.
#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "boreon/bindings.hpp"
#include "boreon/evidence.hpp"
#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"

namespace boreon BOREON_API {

struct TransformOptions {
  std::vector<Expr> conditions = {};  ///< relations that hold, beside the assumptions of the symbols
  std::size_t points = 4;             ///< at which the answer is compared with numbers
  std::uint64_t seed = 20260101;
};

enum class TransformStatus : std::uint8_t { exact, unevaluated };
[[nodiscard]] const char* to_string(TransformStatus s) noexcept;

/// A value of a parameter at which the general answer fails, and the answer there.
struct TransformException {
  Expr when;
  Expr value;  ///< `undefined` where none was found
};

struct TransformResult {
  Expr value;
  TransformStatus status = TransformStatus::unevaluated;
  std::vector<Expr> conditions;  ///< the half line on which a Laplace integral converges; of the parameters
  std::vector<TransformException> exceptions;
  Evidence check;
  std::vector<std::string> steps;  ///< the rules used
  std::string reason;              ///< why there is none
};

/// The Laplace transform, the integral of f(t)*exp(-s*t) over t from 0 to infinity, as a function of s, real in the
/// conditions. An impulse at t = 0 counts in full. Powers, exponentials, waves, logarithms, steps and delays, impulses,
/// pieces, periodic signals, error, Bessel and exponential-integral functions, quotients by t, convolutions, and
/// derivatives of unknown functions y(t), whose transform is called Y(s) with y(0), y'(0) as given. The value is
/// compared with quadrature of the definition at random s and parameters; what numbers do not confirm stays
/// unevaluated. Throws Error(usage) unless t and s are different symbols and s does not occur in f.
///
///     laplace_transform(t*exp(-a*t), t, s).value;   // 1/(s + a)^2, if s > -a
[[nodiscard]] TransformResult laplace_transform(const Expr& f, const Expr& t, const Expr& s,
                                                const TransformOptions& options = {});

/// A signal that is known on half of its period: f(t) for 0 < t < length, continued as an even function, f(-t) = f(t)
/// (its series has cosines only), or as an odd one (sines only). One period from 0 to 2*length, for
/// fourier_coefficients().
///
///     fourier_coefficients(extended(t, t, 1, Extension::odd), t, 2);   // sawtooth
enum class Extension : std::uint8_t { even, odd };
[[nodiscard]] Expr extended(const Expr& f, const Expr& t, const Expr& length, Extension extension);

/// The function of t > 0 whose Laplace transform is F(s): partial fractions (roots in closed form or numbered), delays,
/// powers, logarithms and arctangents (by the derivative), square roots of quadratics, exponentials of square roots,
/// convolution where nothing else holds. The transform of the answer, by quadrature at random s, is compared with F,
/// and, where F has no delays, a numeric inversion (Talbot 1979) with the answer.
///
///     inverse_laplace_transform(exp(-s)/(s + 2), s, t).value;   // exp(2 - 2*t)*heaviside(t - 1)
[[nodiscard]] TransformResult inverse_laplace_transform(const Expr& F, const Expr& s, const Expr& t,
                                                        const TransformOptions& options = {});

struct InvertedValue {
  double t = 0;
  double value = 0;
  double error = 0;  ///< by how much the contours and their orders differ
};

struct NumericInversion {
  std::vector<InvertedValue> values;
  Evidence check;  ///< the numbers transformed forward again, against F
};

/// The function of t > 0 whose transform is F, as numbers, where there is no closed form or beside one: along Talbot's
/// contour where that agrees with a line to the right of all singular places, else along that line with Euler's
/// summation (J. Abate and W. Whitt, INFORMS J. Computing 18, 2006), delays exp(-a*s) apart. What is transformed forward
/// again at three s must be F: a pole that the contours missed is seen there. Errors near jumps are large and said.
/// Throws Error(usage) unless s is a symbol and the times are positive, Error(binding) for parameters without a value.
///
///     const double times[] = {0.5, 1, 2};
///     inverse_laplace_values(1/(s + log(s + 2)), s, times);
[[nodiscard]] NumericInversion inverse_laplace_values(const Expr& F, const Expr& s, std::span<const double> times,
                                                      const Bindings& bindings = {});

/// Coefficients at one number n where the general formula fails or is not it.
struct FourierException {
  std::int64_t n = 0;
  Expr a;
  Expr b;
};

/// f(t) = mean + sum over n >= 1 of a*cos(2*pi*n*t/period) + b*sin(2*pi*n*t/period).
struct FourierCoefficients {
  Symbol n{"n", {Assumption::integer, Assumption::positive}};
  Expr period;
  Expr mean;  ///< also of n = 0 in the complex form
  Expr a;     ///< in n
  Expr b;
  std::vector<FourierException> exceptions;
  TransformStatus status = TransformStatus::unevaluated;
  std::vector<Expr> conditions;
  Evidence check;
  std::string reason;

  /// a and b at one n >= 1.
  [[nodiscard]] std::pair<Expr, Expr> at(std::int64_t k) const;
  /// (a - i*b)/2 at n, of exp(2*pi*i*n*t/period); exceptions as above.
  [[nodiscard]] Expr complex() const;
  /// mean and the terms up to `most`.
  [[nodiscard]] Expr partial_sum(const Expr& t, std::int64_t most) const;
};

/// Of the signal that repeats what f is for t from 0 to `period`. Compared with quadrature at n = 0, 1, ... Throws
/// Error(usage) unless t is a symbol and the period is positive.
[[nodiscard]] FourierCoefficients fourier_coefficients(const Expr& f, const Expr& t, const Expr& period,
                                                       const TransformOptions& options = {});

}  // namespace BOREON_API
