// SPDX-License-Identifier: MIT
// Integrals over an ionisation layer: production per altitude, the column, its moments, energy deposition, and the
// path at grazing incidence. Closed forms come with conditions and evidence; a figure compares them with quadrature.
#include <cstdio>

#include "boreon/boreon.hpp"

using namespace boreon;

namespace {

// What came back, as a reader wants it.
bool show(const char* what, const IntegralResult& r) {
  std::printf("%s = %s\n", what, to_text(r.value).c_str());
  std::printf("    %s, %s\n", to_string(r.status), r.check.to_string().c_str());
  for (const Expr& c : r.conditions) std::printf("    valid for %s\n", to_text(c).c_str());
  for (const IntegralException& e : r.exceptions)
    std::printf("    where %s: %s\n", to_text(e.when).c_str(), to_text(e.value).c_str());
  return r.status == IntegralStatus::exact && r.check.verdict == Verdict::agrees;
}

}  // namespace

int main(int argc, char** argv) {
  bool good = true;
  const Symbol z("z"), zm("zm"), H("H", {Assumption::positive}), q0("q0", {Assumption::positive});
  const Expr u = (z - zm) / H;
  const Expr q = q0 * exp(1 - u - exp(-u));

  // Production between two altitudes from the antiderivative; the whole column; where it lies and how wide it is.
  const IntegralResult antiderivative = integrate(q, z);
  good = show("production below z", antiderivative) && good;
  const Expr column = integral(q, z, -infinity(), infinity());
  good = show("column", integrate(q, z, -infinity(), infinity())) && good;
  const Expr mean = simplify(integral((z - zm) * q, z, -infinity(), infinity()) / column);
  const Expr square = simplify(integral(power(z - zm, 2) * q, z, -infinity(), infinity()) / column);
  std::printf("mean altitude above the peak = %s\nspread^2 = %s\n", to_text(mean).c_str(),
              to_text(simplify(square - mean * mean)).c_str());

  // Electrons with a Maxwellian energy flux: number, mean energy, and the part above a threshold.
  const Symbol E("E", {Assumption::positive}), E0("E0", {Assumption::positive}), Et("Et", {Assumption::positive}),
      k("k");
  good = show("moment k of the energy", integrate(power(E, k) * exp(-E / E0), E, 0, infinity())) && good;
  good = show("energy flux above a threshold", integrate(power(E, 2) * exp(-E / E0), E, Et, infinity())) && good;

  // Grazing incidence: along a path of elevation sine c over a sphere of radius R the density falls as below, and the
  // slant column needs the complementary error function; at c = 0 nothing goes wrong.
  const Symbol s("s"), R("R", {Assumption::positive}), c("c");
  const Expr slant = exp(-(c * s + power(s, 2) / (2 * R)) / H);
  const IntegralResult grazing = integrate(slant, s, 0, infinity());
  good = show("slant column at grazing incidence", grazing) && good;
  const Bindings at{{R, 6471000}, {H, 8000}, {c, Expr(Number(1, 50))}};
  std::printf("at R = 6471 km, H = 8 km, c = 1/50: %.9g m; by quadrature %.9g m; certified %s m\n",
              evaluate(grazing.value, at), quadrature(slant, s, 0, infinity(), at).value,
              certify(grazing.value, at, 20).to_string().c_str());

  // A numeric function with an integral that has no closed form: dust that scatters along the path.
  const Expr dusty = unevaluated_integral(q * exp(-sin(sin(u) / 3)), z, zm - 2 * H, zm + 4 * H);
  const Kernel kernel = compile({OutputGroup("column", {dusty})}, {InputGroup{"p", {q0, H, zm}}});
  std::printf("dusty column = %.12g, by adaptive quadrature %.12g\n", kernel.evaluate({{1e9, 8e3, 1.1e5}})[0][0],
              evaluate(dusty, {{q0, 1000000000}, {H, 8000}, {zm, 110000}}));

  // The figure: integrand, antiderivative, and quadrature at some altitudes, all scaled to their largest values.
  const Bindings unit{{q0, 1}, {H, 1}, {zm, 0}};
  Figure f;
  f.title = "A layer, its antiderivative and quadrature";
  f.x_label = "(z - zm)/H";
  Curve profile{"production, q0 = 1", {}, {}}, below{"part of the column below z: closed form", {}, {}},
      points{"the same by quadrature", {}, {}, true};
  const double total = evaluate(column, unit, Unused::allowed);
  const double start = evaluate(substitute(antiderivative.value, {{z, -4}}), unit, Unused::allowed);
  for (int i = 0; i <= 240; ++i) {
    const Expr place = Expr(Number(i - 80, 20));
    profile.x.push_back((i - 80) / 20.0), below.x.push_back((i - 80) / 20.0);
    profile.y.push_back(evaluate(substitute(q, {{z, place}}), unit, Unused::allowed));
    below.y.push_back((evaluate(substitute(antiderivative.value, {{z, place}}), unit, Unused::allowed) - start) /
                      total);
    if (i % 16 == 0) {
      points.x.push_back((i - 80) / 20.0);
      points.y.push_back(quadrature(q, z, -4, place, unit).value / total);
    }
  }
  f.curves = {profile, below, points};
  const char* file = argc > 1 ? argv[1] : "layer_integrals.png";
  write_figure(f, file);
  std::printf("figure written to %s\n", file);
  return good ? 0 : 1;
}
