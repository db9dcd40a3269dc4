// SPDX-License-Identifier: MIT
// Vector calculus in orthogonal coordinates, Taylor polynomials, differentials, change of variables.
#pragma once

#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/fwd.hpp"
#include "boreon/list.hpp"
#include "boreon/symbol.hpp"

namespace boreon BOREON_API {

/// Orthogonal coordinates u_1 ... u_n in Euclidean space. Expressions are written in `variables()`, which are the
/// coordinates themselves unless the system was made from functions of another one. Vectors are given by their
/// components along the unit vectors of the coordinate directions. Formulas: Arfken, Weber and Harris, Mathematical
/// Methods for Physicists, 7th edition, section 3.10.
class Coordinates {
 public:
  static Coordinates cartesian(const Expr& x = Symbol("x"), const Expr& y = Symbol("y"), const Expr& z = Symbol("z"));
  /// Distance from the axis, angle about it, height.
  static Coordinates cylindrical(const Expr& rho = Symbol("rho", {Assumption::positive}),
                                 const Expr& phi = Symbol("phi"), const Expr& z = Symbol("z"));
  /// Distance from the origin, angle from the axis (0 to pi), angle about it.
  static Coordinates spherical(const Expr& r = Symbol("r", {Assumption::positive}), const Expr& theta = Symbol("theta"),
                               const Expr& phi = Symbol("phi"));
  /// Of the field of a dipole at the origin along the axis: q = cos(theta)/r^2 along the field line, p =
  /// r/sin(theta)^2, the distance at which the line crosses the equator, and phi; written in the spherical r, theta,
  /// phi, since the inverse needs the roots of a quartic (Kageyama, Sugiyama, Watanabe and Sato, Computers &
  /// Geosciences 32, 2006).
  static Coordinates dipole(const Expr& r = Symbol("r", {Assumption::positive}), const Expr& theta = Symbol("theta"),
                            const Expr& phi = Symbol("phi"));
  /// Cartesian components as functions of the coordinates. `conditions` hold in the domain, such as sin(theta) > 0.
  /// Throws Error(shape) on sizes that do not fit, Error(domain) when the coordinates are not independent.
  static Coordinates from_map(std::vector<Expr> coordinates, const ExprList& cartesian,
                              std::span<const Expr> conditions = {});
  /// New coordinates as functions of the variables of another system.
  static Coordinates from_functions(const Coordinates& base, std::vector<Expr> functions,
                                    std::span<const Expr> conditions = {});
  /// "cartesian", "cylindrical", "spherical", "dipole" with symbols of their usual names. Throws Error(name) otherwise.
  static Coordinates named(std::string_view name);

  [[nodiscard]] std::size_t dimension() const { return functions_.size(); }
  [[nodiscard]] const std::vector<Expr>& variables() const { return variables_; }
  [[nodiscard]] const std::vector<Expr>& functions() const { return functions_; }  ///< u_i in the variables
  /// Products of the tangent vectors dr/du_i, dr/du_j.
  [[nodiscard]] const Matrix& metric() const { return *metric_; }
  [[nodiscard]] bool orthogonal() const { return orthogonal_; }
  [[nodiscard]] const std::vector<Expr>& scale_factors() const { return scale_factors_; }  ///< |dr/du_i|
  [[nodiscard]] const Expr& volume_element() const { return volume_element_; }             ///< dV = this*du_1*...*du_n
  [[nodiscard]] const std::vector<Expr>& conditions() const { return conditions_; }
  /// df/du_i, the other u held.
  [[nodiscard]] Expr derivative_along(const Expr& f, std::size_t i) const;
  [[nodiscard]] int orientation() const { return orientation_; }  ///< 1 if u_1, u_2, u_3 are right-handed, -1 if not
  /// Simplified under the conditions of these coordinates.
  [[nodiscard]] Expr tidy(const Expr& e) const;

 private:
  Coordinates() = default;
  void finish(const Expr& determinant_of_rates);
  std::vector<Expr> variables_;
  std::vector<Expr> functions_;
  std::vector<Expr> base_scales_;        // of the variables
  std::shared_ptr<const Matrix> rates_;  // d(u_i)/d(variable_j)
  std::vector<Expr> scale_factors_;
  Expr volume_element_;
  std::shared_ptr<const Matrix> metric_;
  std::vector<Expr> conditions_;
  bool orthogonal_ = true;
  int orientation_ = 1;
};

// All results are simplified. They throw Error(unsupported) for coordinates that are not orthogonal, Error(shape) for a
// wrong number of components.
[[nodiscard]] std::vector<Expr> gradient(const Expr& f, const Coordinates& c);
[[nodiscard]] Expr divergence(const ExprList& components, const Coordinates& c);
[[nodiscard]] std::vector<Expr> curl(const ExprList& components, const Coordinates& c);  ///< three dimensions
[[nodiscard]] Expr laplacian(const Expr& f, const Coordinates& c);

/// Derivative of f along the vector: sum of direction_i*df/dx_i. The direction is not normalised.
[[nodiscard]] Expr directional_derivative(const Expr& f, const ExprList& variables, const ExprList& direction);
/// Sum of df/dx*dx over the variables, with symbols dx, dy, ... for the differentials.
[[nodiscard]] Expr total_differential(const Expr& f, const ExprList& variables);
/// All terms up to the total order in (variable - place). Throws Error(domain) if f or a derivative has no value there.
[[nodiscard]] Expr taylor_polynomial(const Expr& f, const ExprList& variables, const ExprList& place, int order);

/// The expression in new variables: old_i = map_i(new). Unknown functions of all old variables, u(x, y), become
/// functions of the new ones, their derivatives by the chain rule.
[[nodiscard]] Expr change_variables(const Expr& e, const ExprList& old_variables, const ExprList& map,
                                    const ExprList& new_variables);

}  // namespace boreon
