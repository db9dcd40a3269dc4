// SPDX-License-Identifier: MIT
// Models around their steady state as linear systems: transfer functions, poles and zeros, frequency and step response.
#pragma once

#include <complex>
#include <cstddef>
#include <string>
#include <vector>

#include "boreon/evidence.hpp"
#include "boreon/export.hpp"
#include "boreon/system.hpp"

namespace boreon BOREON_API {

/// How one output answers small changes of one parameter around a steady state: x' = A x + b u, y = c x + d u with
/// derived A, b, c, d, all counted from the steady state. The transfer function is G(s) = c (s - A)^-1 b + d.
struct LinearResponse {
  bool found = false;   ///< whether there is a steady state
  std::string message;  ///< why not
  std::string output;
  std::string input;
  double output_value = 0;  ///< at the steady state
  double input_value = 0;
  std::vector<double> states;

  std::vector<double> a;  ///< by rows, size() by size(); states without a rate are eliminated
  std::vector<double> b;
  std::vector<double> c;
  double d = 0;
  [[nodiscard]] std::size_t size() const noexcept { return b.size(); }

  /// G(s) = gain*(s - zeros[0])*.../((s - poles[0])*...), where as_quotient says that this agrees with A, b, c, d.
  bool as_quotient = false;
  double gain = 0;
  std::vector<std::complex<double>> zeros;
  std::vector<std::complex<double>> poles;
  /// Eigenvalues of A that the input does not move or the output does not show.
  std::vector<std::complex<double>> hidden;
  bool stable = false;  ///< all eigenvalues, hidden ones too, have negative real parts
  double at_rest = 0;   ///< G(0), what a lasting change does in the end; infinite with a pole at 0

  Evidence evidence;

  /// G(s), by a linear solve. O(size()^3).
  [[nodiscard]] std::complex<double> operator()(std::complex<double> s) const;
  /// Whether the poles are apart well enough for step() and impulse(): then these are sums of exponentials.
  [[nodiscard]] bool in_closed_form() const noexcept { return !residues.empty() || (as_quotient && poles.empty()); }
  /// The output t after the input has moved by 1 for good, and after a unit impulse; the jump d of the first at once,
  /// the impulse d of the second left out.
  [[nodiscard]] double step(double t) const;
  [[nodiscard]] double impulse(double t) const;
  std::vector<std::complex<double>> residues;  ///< of G at its poles
};

/// Of rates at rest (rates_at_rest() makes them from a model). The evidence looks at G at places in the complex plane
/// by the quotient and by A, b, c, d; at G(0) beside difference quotients of steady states; and, if the system is
/// stable, at step() beside runs of the equations themselves after small steps to either side. Throws Error(name) for
/// names that are none, Error(unsupported) for systems without rates or with more than 400 states. O(size()^3).
/// Sources: Emami-Naeini and Van Dooren, Automatica 18 (1982) 415 (zeros as eigenvalues of the system's pencil);
/// Kailath, Linear Systems, 1980.
[[nodiscard]] LinearResponse linear_response(const System& system, const std::string& output, const std::string& input);

}  // namespace BOREON_API
