// SPDX-License-Identifier: MIT
// An ionisation layer: state the production profile, derive it, look at it typeset, compare with numbers, find its
// peak.
#include <cstdio>

#include "boreon/boreon.hpp"

using namespace boreon;

int main() {
  // 1. Symbols and the profile of ion production over altitude for a beam that comes in at an angle.
  const Symbol z("z"), z0("z0"), H("H", {Assumption::positive}), q0("q0", {Assumption::positive}),
      c("c", {Assumption::positive});
  const Expr y = (z - z0) / H;
  const Function production("production", {z}, q0 * exp(1 - y - exp(-y) / c));
  std::printf("production(z) =\n%s\n\n", to_unicode(production.body()).c_str());

  // 2. Derive. The slope is a function as well; parameters stay free.
  const Function slope = derivative(production);
  std::printf("its slope =\n%s\n\n", to_unicode(slope.body()).c_str());

  // 3. Put numbers in and compare the derivative with independent numerics.
  const Expr claim_variables[] = {z};
  CheckOptions options;
  options.ranges["z"] = {90e3, 200e3, 110e3};
  options.ranges["z0"] = {90e3, 130e3, 105e3};
  options.ranges["H"] = {5e3, 20e3, 9e3};
  const Evidence evidence = cross_check_derivative(production.body(), claim_variables, slope.body(), options);
  std::printf("check: %s\n", evidence.to_string().c_str());

  // 4. The slope vanishes at z = z0 - H*log(c): exactly, not to rounding.
  const Expr peak = z0 - H * log(c);
  std::printf("slope at the peak = %s\n", to_text(slope(peak)).c_str());
  const Expr height = production(peak);
  std::printf("production at the peak = %s\n", to_text(height).c_str());

  // 5. A number at a place, in double precision and certified.
  const Bindings place{{z, 120000}, {z0, 105000}, {H, 9000}, {q0, 1000000000}, {c, Expr(Number(3, 4))}};
  std::printf("production at 120 km = %.15g per m^3 and s\n", evaluate(production.body(), place));
  std::printf("                     = %s (25 certified digits)\n",
              certify(production.body(), place, 25).to_string().c_str());
  return evidence.verdict == Verdict::agrees ? 0 : 1;
}
