// SPDX-License-Identifier: MIT
// Dipole coordinates: their Jacobian determinant in one line, and the volume between two shells of field lines.
#include <cmath>
#include <cstdio>

#include "boreon/boreon.hpp"

using namespace boreon;

int main() {
  // q runs along the field line, p = L tells which line (where it crosses the equator), phi goes round the axis.
  const Coordinates dipole = Coordinates::dipole();
  const Expr& r = dipole.variables()[0];
  const Expr& theta = dipole.variables()[1];
  const std::vector<Expr> place{r, theta, dipole.variables()[2]};

  const Matrix J = jacobian(dipole.functions(), place);
  std::printf("d(q, L, phi)/d(r, theta, phi) =\n%s\n\n", to_unicode(J).c_str());
  const Expr raw = determinant(J);
  const Expr d = dipole.tidy(raw);
  std::printf("its determinant, %.0f operations as derived, %.0f simplified:\n%s\n\n", written_cost(raw),
              written_cost(d), to_unicode(d).c_str());
  std::printf("volume element dV/(dq dL dphi) =\n%s\n\n", to_unicode(dipole.volume_element()).c_str());

  // Two independent ways to the same thing: by scale factors, and by the spherical volume element over the determinant.
  const Expr spherical = pow(r, 2) * sin(theta);
  const EquivalenceResult same = equivalent(pow(dipole.volume_element(), 2), pow(spherical / d, 2));
  std::printf("scale factors against the determinant: %s (%s)\n\n", to_string(same.verdict), same.reason.c_str());

  // The volume between two shells: on a line r = L*sin(theta)^2, so at fixed theta dr = sin(theta)^2 dL, and
  // dV = L^2*sin(theta)^7 dL dtheta dphi. With c = cos(theta) the integral over theta is one of a polynomial.
  const Symbol L("L", {Assumption::positive}), L1("L1", {Assumption::positive}), L2("L2", {Assumption::positive}),
      c("c");
  const Expr on_line = substitute(spherical, {{r, L * pow(sin(theta), 2)}}) * derivative(L * pow(sin(theta), 2), L);
  std::printf("dV/(dL dtheta dphi) on a field line = %s\n", to_text(on_line).c_str());
  const std::vector<Expr> in_c = coefficients(expand(pow(1 - pow(c, 2), 3)), c);
  Expr whole = 0;
  for (std::size_t k = 0; k < in_c.size(); k += 2) whole += 2 * in_c[k] / Expr(k + 1);  // from c = -1 to 1
  const Expr volume = factor(2 * pi() * whole * (pow(L2, 3) - pow(L1, 3)) / 3);
  std::printf("volume between the shells L1 and L2 =\n%s\n\n", to_unicode(volume).c_str());

  // Compare with numbers: the trapezoidal rule, which for this integrand converges like a high power of the step.
  const Kernel density = compile({OutputGroup("dV", {on_line})}, {{"place", {L, theta}}});
  const double low = 4;
  const double high = 6;
  const int n = 400;
  double sum = 0;
  for (int i = 0; i < n; ++i) {
    for (int j = 1; j < n; ++j) sum += density.evaluate({{low + (high - low) * (i + 0.5) / n, M_PI * j / n}})[0][0];
  }
  const double numeric = 2 * M_PI * sum * (high - low) / n * M_PI / n;
  const double exact = evaluate(volume, {{L1, low}, {L2, high}});
  std::printf("between L = 4 and 6: %.6f by the closed form, %.6f by summation\n", exact, numeric);

  const Evidence evidence = cross_check(dipole.functions(), place, sparse_jacobian(dipole.functions(), place));
  std::printf("Jacobian: %s\n", evidence.to_string().c_str());
  return same.verdict == Equivalence::proved && std::abs(exact - numeric) < 1e-4 * exact &&
                 evidence.verdict == Verdict::agrees
             ? 0
             : 1;
}
