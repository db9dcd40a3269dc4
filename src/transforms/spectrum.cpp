// SPDX-License-Identifier: MIT
#include "boreon/spectrum.hpp"
#include "boreon/evidence.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <limits>
#include <numbers>
#include <unsupported/Eigen/FFT>

#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/integral.hpp"
#include "boreon/quadrature.hpp"

namespace boreon {
namespace {

constexpr std::size_t most_harmonics = 100000;

Harmonic harmonic(std::size_t n, double period, double a, double b) {
  Harmonic h{n, static_cast<double>(n) / period, a, b, std::hypot(a, b), 0, n == 0 ? 1.0 : 0.5};
  if (h.amplitude > 0) h.phase = std::atan2(b, a);
  return h;
}

// Rounding noise beside the largest harmonic is zero.
void clean(Spectrum& s) {
  double largest = 0;
  for (const Harmonic& h : s.harmonics) largest = std::max(largest, h.amplitude);
  for (Harmonic& h : s.harmonics) {
    const auto noise = [&](double x) { return std::abs(x) < 1e-14 * largest; };
    if (!noise(h.a) && !noise(h.b)) continue;
    const double share = h.share;
    h = harmonic(h.n, s.period, noise(h.a) ? 0 : h.a, noise(h.b) ? 0 : h.b);
    h.share = share;
  }
}

// Infinite where the square has no integral.
double mean_square_of(const Expr& f, const Expr& t, const Expr& period) {
  QuadratureOptions o;
  o.breaks = places_to_split(f, t, 0, period);
  const QuadratureResult q = quadrature(f * f, t, 0, period, {}, o);
  return q.converged ? q.value / evaluate(period) : std::numeric_limits<double>::infinity();
}

}  // namespace

std::optional<std::size_t> Spectrum::dominant(bool with_mean) const {
  std::optional<std::size_t> best;
  for (std::size_t i = 0; i < harmonics.size(); ++i) {
    if (harmonics[i].amplitude == 0 || (harmonics[i].n == 0 && !with_mean)) continue;
    if (!best || harmonics[i].amplitude > harmonics[*best].amplitude) best = i;
  }
  return best;
}

double Spectrum::mean_square_error(std::size_t last) const {
  double held = 0;
  for (const Harmonic& h : harmonics) {
    if (h.n <= last) held += h.amplitude * h.amplitude * h.share;
  }
  return std::max(0.0, mean_square - held);
}

double Spectrum::synthesis(double t) const {
  double sum = 0;
  for (const Harmonic& h : harmonics) {
    const double phase = 2 * std::numbers::pi * h.frequency * t;
    sum += h.a * std::cos(phase) + h.b * std::sin(phase);
  }
  return sum;
}

Spectrum spectrum(const Expr& f, const Expr& t, const Expr& period, std::size_t most) {
  if (most > most_harmonics)
    throw Error(ErrorKind::usage, fmt::format("{} harmonics are asked for; {} are possible", most, most_harmonics));
  Spectrum out;
  out.period = evaluate(period);
  const FourierCoefficients c = fourier_coefficients(f, t, period);
  if (c.status == TransformStatus::exact) {
    out.closed = true;
    out.method = "coefficients in closed form, compared with quadrature";
    out.harmonics.push_back(harmonic(0, out.period, evaluate(c.mean), 0));
    for (std::size_t n = 1; n <= most; ++n) {
      const auto [a, b] = c.at(static_cast<std::int64_t>(n));
      out.harmonics.push_back(harmonic(n, out.period, evaluate(a), evaluate(b)));
    }
    clean(out);
    out.mean_square = mean_square_of(f, t, period);
    return out;
  }
  out.method = "quadrature";
  QuadratureOptions o;
  o.breaks = places_to_split(f, t, 0, period);
  for (std::size_t n = 0; n <= most; ++n) {
    const Expr phase = 2 * pi() * Expr(n) * t / period;
    double parts[2] = {0, 0};
    for (const int sine : {0, 1}) {
      if (n == 0 && sine == 1) continue;
      const QuadratureResult q = quadrature(f * (sine == 1 ? sin(phase) : cos(phase)), t, 0, period, {}, o);
      if (!q.converged)
        throw Error(ErrorKind::convergence, fmt::format("quadrature of harmonic {} does not converge", n));
      parts[sine] = q.value * (n == 0 ? 1 : 2) / out.period;
    }
    out.harmonics.push_back(harmonic(n, out.period, parts[0], parts[1]));
  }
  clean(out);
  out.mean_square = mean_square_of(f, t, period);
  return out;
}

Spectrum spectrum(const std::vector<double>& samples, double step, Window window, std::optional<std::size_t> most) {
  const std::size_t count = samples.size();
  if (count < 2) throw Error(ErrorKind::usage, "a spectrum takes two samples or more");
  if (!(step > 0)) throw Error(ErrorKind::usage, "the distance of samples has to be positive");
  for (std::size_t i = 0; i < count; ++i) {
    if (!std::isfinite(samples[i]))
      throw Error(ErrorKind::usage, fmt::format("sample {} is not a finite number", i + 1));
  }
  double mean = 0;
  for (const double x : samples) mean += x / static_cast<double>(count);
  std::vector<double> faded(count);
  for (std::size_t i = 0; i < count; ++i) {
    const double place = static_cast<double>(i) / static_cast<double>(count);
    // twice the square of the sine has the mean 1: waves keep their amplitudes
    const double weight = window == Window::hann ? 2 * std::pow(std::sin(std::numbers::pi * place), 2) : 1;
    faded[i] = (samples[i] - mean) * weight;
  }
  std::vector<std::complex<double>> transform;
  Eigen::FFT<double> fft;
  fft.fwd(transform, faded);
  Spectrum out;
  out.period = step * static_cast<double>(count);
  out.method = window == Window::hann ? "discrete Fourier transform with a Hann window" : "discrete Fourier transform";
  const std::size_t last = std::min(count / 2, most.value_or(count / 2));
  out.harmonics.push_back(harmonic(0, out.period, mean, 0));
  double held = mean * mean;
  for (std::size_t n = 1; n <= count / 2; ++n) {
    // the highest one of an even number of samples has no partner
    const bool alone = 2 * n == count;
    const double scale = (alone ? 1.0 : 2.0) / static_cast<double>(count);
    Harmonic h = harmonic(n, out.period, transform[n].real() * scale, -transform[n].imag() * scale);
    if (alone) h.share = 1;
    held += h.amplitude * h.amplitude * h.share;
    if (n <= last) out.harmonics.push_back(h);
  }
  clean(out);
  // fading moves a little of the waves into the mean, which the transform has in its first place
  const double faded_mean = transform[0].real() / static_cast<double>(count);
  held += 2 * mean * faded_mean + faded_mean * faded_mean;
  for (const double x : faded) out.mean_square += (mean + x) * (mean + x) / static_cast<double>(count);
  const double apart = std::abs(held - out.mean_square);
  out.parseval_digits = agreeing_digits(apart, out.mean_square);
  return out;
}

}  // namespace boreon
