// SPDX-License-Identifier: MIT
// Expressions, solutions of differential equations, transforms and Fourier sums as figures, without a detour over
// numbers.
#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include "boreon/bindings.hpp"
#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/figure.hpp"

namespace boreon BOREON_API {

struct OdeSolutionSet;
struct FourierCoefficients;

/// A function of one variable to be drawn, and its name in the legend.
struct Graph {
  std::string label;
  Expr value;
};

struct PlotOptions {
  Bindings values = {};    ///< of parameters and of constants of integration
  std::size_t points = 0;  ///< evenly spaced on each curve; 0: as many as its bends take
  bool logarithmic_x = false;
  bool logarithmic_y = false;
};

/// What became of a drawing beside the figure itself.
struct Plot {
  Figure figure;
  std::size_t points = 0;             ///< of all curves
  std::size_t missing = 0;            ///< without a finite real value, left out
  std::size_t breaks = 0;             ///< poles and jumps, where a curve is interrupted
  std::vector<std::string> warnings;  ///< what the figure does not show
};

/// The graphs over x from `from` to `to`, each compiled and sampled. One graph is named in the title, several in the
/// legend. Throws Error(binding) for a symbol without a value, with how to give one, Error(usage) for an empty range,
/// one that is not positive on a logarithmic axis, or nothing to draw.
///
///     const OdeSolutionSet s = solve_ode({derivative(y(t), t, 2) + y(t)}, {y(t)});
///     write_figure(plot(graphs_of(s), t, 0, 10, {.values = {{Symbol("C1"), 1}, {Symbol("C2"), 0}}}).figure, "y.png");
[[nodiscard]] Plot plot(const std::vector<Graph>& graphs, const Expr& x, double from, double to,
                        const PlotOptions& options = {});

/// Each function of each solution; where there are several solutions they are numbered. Throws Error(usage) for a set
/// without solutions, and for relations and curves with a parameter, which are no functions of the variable.
[[nodiscard]] std::vector<Graph> graphs_of(const OdeSolutionSet& solutions);

/// The partial sums up to each of these harmonics.
[[nodiscard]] std::vector<Graph> graphs_of(const FourierCoefficients& coefficients, const Expr& t,
                                           const std::vector<int>& harmonics);

}  // namespace BOREON_API
