// SPDX-License-Identifier: MIT
// Branches of steady states along a parameter, round their turning points.
#pragma once

#include <cstddef>
#include <cstdint>
#include <string>
#include <vector>

#include "boreon/evidence.hpp"
#include "boreon/export.hpp"
#include "boreon/solvers.hpp"
#include "boreon/system.hpp"

namespace boreon BOREON_API {

struct TraceOptions {
  std::string along;  ///< name of the parameter
  double from = 0;
  double to = 1;
  std::size_t most_points = 4000;
  double longest_step = 0.03;  ///< of a step, in parts of the range of the parameter and of the sizes of the unknowns
};

enum class PointKind : std::uint8_t {
  regular,
  turning,  ///< the branch turns back in the parameter; two steady states meet
  branch,   ///< another branch crosses
  hopf      ///< a pair of eigenvalues crosses the imaginary axis: oscillations begin or end
};

struct TracePoint {
  double parameter = 0;
  std::vector<double> values;  ///< of the states
  std::vector<double> outputs;
  int unstable = -1;  ///< eigenvalues with positive real part; -1 where the equations have no time
  PointKind kind = PointKind::regular;
};

struct TraceResult {
  bool completed = false;          ///< the parameter has left its range, or the branch is closed
  bool closed = false;             ///< it came back to where it began
  std::string message;             ///< how it ended
  std::vector<TracePoint> points;  ///< along the branch, special points among them
  std::vector<TracePoint> turning_points;
  std::vector<TracePoint> branch_points;
  std::vector<TracePoint> hopf_points;
  std::size_t newton_steps = 0;
  Evidence evidence;
};

/// Follows the steady state of `residuals` (rates, where `right_sides` are there: then with its stability) that
/// solve_steady() finds at `from`, by steps along the arc of the branch with a Newton corrector on derived Jacobians,
/// until the parameter leaves the range between `from` and `to` at either end, or an unknown its bounds. Turning points
/// are where the parameter's part of the tangent vanishes, branch points where the determinant of the bordered Jacobian
/// changes sign. O(n^3) for a step; at most 2,000 unknowns. Throws Error(name) for a parameter that is none,
/// Error(convergence) if there is no steady state at `from`. Sources: Keller, in Applications of Bifurcation Theory,
/// 1977, 359; Allgower and Georg, Introduction to Numerical Continuation Methods, 2003.
[[nodiscard]] TraceResult trace(const System& system, const TraceOptions& options);

/// Where solve_steady() has `failed`, half, double, a tenth and ten times the value of one parameter after the other is
/// tried: the steady state that is found there is followed to the value wanted. The answer that this leads to, or what
/// had failed, with a turning point before that value in its message if there is one. At most 100 states and the first
/// 12 parameters; what failed at a bound, at its start or by dependent equations is given back as it is.
[[nodiscard]] SteadyResult follow_to_steady_state(const System& system, const SteadyResult& failed,
                                                  const SteadyOptions& options = {});

}  // namespace BOREON_API
