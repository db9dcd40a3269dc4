// SPDX-License-Identifier: MIT
// Differential operators on grids, as index notation: finite differences with coefficients that are solved for exactly,
// and fluxes between cells that conserve.
//
//     const Stencil s = stencil({-1, 0, 1}, 2);        // f'' = (f[-1] - 2*f[0] + f[1])/h^2 - h^2*f''''/12 ...
//     GridCoordinate x{Symbol("x"), i, 0, n - 1, false, h, 0, 4};
//     discretised(parse("derivative(T[i], x, 2)"), {{x}});   // differences of order 4, one-sided beside the ends
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/number.hpp"
#include "boreon/symbol.hpp"

namespace boreon BOREON_API {

/// h^derivative * f^(derivative)(x) = sum of weights[k]*f(x + offsets[k]*h), up to
/// error*h^(derivative + order)*f^(derivative + order)(x) and higher powers.
struct Stencil {
  std::vector<Number> offsets;
  std::vector<Number> weights;
  int derivative = 0;
  int order = 0;  ///< the power of h with which the error of the derivative falls
  Number error;   ///< weights minus derivative
};

/// The weights for which polynomials up to the degree offsets.size() - 1 are derived exactly, by elimination over the
/// rationals. Offsets are distinct rational numbers, halves for staggered grids. Throws Error(usage) where there are
/// fewer offsets than the derivative needs. O(n^3).
[[nodiscard]] Stencil stencil(std::span<const Number> offsets, int derivative);
[[nodiscard]] Stencil stencil(std::initializer_list<Number> offsets, int derivative);

/// A coordinate whose places are counted by an index: coordinate = start + (index - first)*spacing.
struct GridCoordinate {
  Symbol coordinate;
  Symbol index;
  Expr first = 0;
  Expr last = 0;
  bool periodic = false;
  Expr spacing = 1;
  Expr start = 0;
  int order = 2;          ///< of the differences: 2, 4, 6, ...
  std::string unit = {};  ///< shown beside figures
};

/// Which dimension of an array (the head of its elements) a coordinate counts; nothing for none.
using GridDimension = std::function<std::optional<std::size_t>(const Expr& head, const GridCoordinate& along)>;

/// The expression with derivatives by coordinates as differences of elements, coordinates as their places, and
///   laplacian(f)         the sum of second derivatives by all coordinates that f varies with,
///   diffusion(k, f)      the sum of derivative(k*derivative(f, x), x),
///   upwind(v, f, x)      v*derivative(f, x) from the side that v comes from, of first order.
/// Differences are central where there is room, else shifted with as many more points as the order needs, chosen by
/// conditions on the index. derivative(k*derivative(f, x), x) is taken between cells: the flux that leaves one enters
/// the next, to the last bit (order 2, coefficients as means of neighbours). Without `dimension` a coordinate counts
/// the dimension in whose place its index stands. Throws Error(shape) where a range is too short for the order.
[[nodiscard]] Expr discretised(const Expr& e, std::span<const GridCoordinate> grid,
                               const GridDimension& dimension = {});

/// A derivative by coordinates, laplacian, diffusion or upwind.
[[nodiscard]] bool is_grid_operator(const Expr& e, std::span<const GridCoordinate> grid);

/// Whether there is anything in it that discretised() changes.
[[nodiscard]] bool has_grid_operators(const Expr& e, std::span<const GridCoordinate> grid);

/// laplacian, diffusion and upwind in terms of derivatives: what the operators mean before anything is discretised.
[[nodiscard]] Expr as_derivatives(const Expr& e, std::span<const GridCoordinate> grid,
                                  const GridDimension& dimension = {});

}  // namespace BOREON_API
