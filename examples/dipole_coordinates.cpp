// Dipole coordinates: derive the Jacobian of the map to spherical coordinates and its determinant.
#include <cstdio>

#include "boreon/boreon.hpp"

using namespace boreon;

int main() {
  // A place by distance r (in Earth radii) and angle a from the axis; a field line by its distance L at the equator, the
  // place along it by q.
  const Symbol r("r", {Assumption::positive}), a("a");
  const std::vector<Expr> map{r / pow(sin(a), 2), cos(a) / pow(r, 2)};
  const std::vector<Expr> variables{r, a};

  const Matrix J = jacobian(map, variables);
  std::printf("d(L, q)/d(r, a) =\n%s\n\n", to_unicode(J).c_str());

  // Eigen's own routines work on matrices of expressions.
  const Expr determinant = J(0, 0) * J(1, 1) - J(0, 1) * J(1, 0);
  std::printf("determinant =\n%s\n\n", to_unicode(determinant).c_str());
  const Matrix gram = J * J.transpose();
  std::printf("J*J^T, upper right entry = %s\n", to_text(gram(0, 1)).c_str());

  // The check compares each entry with extrapolated differences.
  const Evidence evidence = cross_check(map, variables, sparse_jacobian(map, variables));
  std::printf("check: %s\n", evidence.to_string().c_str());

  // As a function for numbers: the determinant at many places, in one call each.
  const Kernel kernel = compile({OutputGroup("determinant", {determinant})}, {{"place", variables}});
  for (const double angle : {0.4, 0.8, 1.2}) {
    const double known = -(1 + 3 * std::cos(angle) * std::cos(angle)) / (1.2 * 1.2 * std::pow(std::sin(angle), 3));
    std::printf("at r = 1.2, a = %.1f: %.12f (closed form by hand %.12f)\n", angle, kernel.evaluate({{1.2, angle}})[0][0], known);
  }
  return evidence.verdict == Verdict::agrees ? 0 : 1;
}
