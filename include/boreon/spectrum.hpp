// SPDX-License-Identifier: MIT
// Spectra: harmonics of a signal over one period, from a formula or from equally spaced samples.
#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/transform.hpp"

namespace boreon BOREON_API {

/// a*cos(2*pi*frequency*t) + b*sin(2*pi*frequency*t) = amplitude*cos(2*pi*frequency*t - phase).
struct Harmonic {
  std::size_t n = 0;
  double frequency = 0;  ///< n/period
  double a = 0;          ///< of n = 0: the mean
  double b = 0;
  double amplitude = 0;
  double phase = 0;  ///< radians, in (-pi, pi]; 0 where the amplitude is 0
  double share =
      0.5;  ///< of the square of its amplitude in the mean square: 1 for the mean and for a wave of two samples
};

struct Spectrum {
  double period = 0;
  std::vector<Harmonic> harmonics;  ///< n = 0, 1, ..., without gaps
  bool closed = false;              ///< from coefficients in closed form, else by quadrature or from samples
  std::string method;
  double mean_square = 0;  ///< of the signal over the period, with the window if there is one
  /// Digits to which the harmonics, all there are, hold the mean square of the samples (Parseval); 0 for formulas,
  /// whose harmonics have no end.
  double parseval_digits = 0;

  /// The harmonic of the largest amplitude, the mean counted or not; nothing if all are zero.
  [[nodiscard]] std::optional<std::size_t> dominant(bool with_mean) const;
  /// The mean square of what the harmonics 0 to `last` leave of the signal, by Parseval's theorem; not below zero.
  [[nodiscard]] double mean_square_error(std::size_t last) const;
  /// The sum of all harmonics at one time.
  [[nodiscard]] double synthesis(double t) const;
};

/// The harmonics 0 to `most` of what f is for t from 0 to `period`, without other symbols: from coefficients in closed
/// form, else by quadrature. Throws Error(binding) for symbols without a value, Error(convergence) where quadrature
/// fails.
[[nodiscard]] Spectrum spectrum(const Expr& f, const Expr& t, const Expr& period, std::size_t most);

enum class Window { none, hann };

/// The harmonics up to half of the sampling rate, or to `most`, of samples at equal distances `step`, whose length is
/// taken as one period: discrete Fourier transform. With the Hann window the ends are faded out, for signals that do
/// not repeat with that length; amplitudes of waves that are far apart keep their size. Throws Error(usage) on fewer
/// than two samples or values that are not finite.
[[nodiscard]] Spectrum spectrum(const std::vector<double>& samples, double step, Window window = Window::none,
                                std::optional<std::size_t> most = {});

}  // namespace BOREON_API
