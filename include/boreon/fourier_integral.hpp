// SPDX-License-Identifier: MIT
// Fourier transforms of signals over the whole line, each tested against numbers.
#pragma once

#include <cstdint>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/transform.hpp"

namespace boreon BOREON_API {

/// Where the factors stand.
enum class FourierConvention : std::uint8_t {
  angular,    ///< integral of f(t)*exp(-i*w*t) over t; back with 1/(2*pi)
  unitary,    ///< the same with 1/sqrt(2*pi) both ways
  frequency,  ///< integral of f(t)*exp(-2*pi*i*w*t) over t; back without a factor
};
[[nodiscard]] const char* to_string(FourierConvention c) noexcept;

/// The Fourier transform of f(t) as a function of w: rational functions, exponentials on half lines and with abs(t),
/// Gaussian functions, pulses, waves, steps, impulses, constants, sign(t), 1/t (as a principal value); with factors
/// t^n, delays and carriers by their rules. Constants, waves and steps have impulses in their transforms, poles on the
/// line are principal values. Evidence: with a Gaussian function of random place under both integrals the two sides of
/// Parseval's identity agree, at random parameters; that sees impulses and principal values as well, which values at
/// points do not. What numbers do not confirm stays unevaluated. Throws Error(usage) unless t and w are different
/// symbols and w does not occur in f.
///
///     fourier_transform(exp(-a*abs(t)), t, w).value;   // 2*a/(a^2 + w^2), if a > 0
[[nodiscard]] TransformResult fourier_transform(const Expr& f, const Expr& t, const Expr& w,
                                                FourierConvention convention = FourierConvention::angular,
                                                const TransformOptions& options = {});

/// The function of t whose Fourier transform is F(w).
///
///     inverse_fourier_transform(exp(-power(w, 2)), w, t).value;   // exp(-t^2/4)/(2*sqrt(pi))
[[nodiscard]] TransformResult inverse_fourier_transform(const Expr& F, const Expr& w, const Expr& t,
                                                        FourierConvention convention = FourierConvention::angular,
                                                        const TransformOptions& options = {});

}  // namespace BOREON_API
