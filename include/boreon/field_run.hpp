// SPDX-License-Identifier: MIT
// Runs in time of fields that are never written out (see boreon/fields.hpp), through CVODES and IDAS.
//
//     const FieldProblem problem = field_problem("heat.toml");        // see boreon/model.hpp
//     const FieldRun run = run_fields(problem, {.until = 600});
//     run.state; run.outputs.back();                                  // all places at the end
#pragma once

#include <cstddef>
#include <functional>
#include <span>
#include <string>
#include <vector>

#include "boreon/evidence.hpp"
#include "boreon/export.hpp"
#include "boreon/fields.hpp"
#include "boreon/solvers.hpp"

namespace boreon BOREON_API {

/// Where the places of an index lie.
struct FieldAxis {
  std::string index;
  std::string label;  ///< of the coordinate; empty if the index counts none
  std::string unit;
  double start = 0;  ///< of place 0
  double spacing = 1;
};

/// Fields with their rates, starts and outputs.
struct FieldProblem {
  std::string title;
  FieldSystem rates;            ///< of all unknowns, solved for them; of those without a rate the residual
  std::vector<char> algebraic;  ///< by equation: 1 for a residual
  FieldSystem starts;           ///< the same unknowns
  FieldSystem outputs;          ///< results of any rank; no equations if there are none
  FieldSizes sizes;
  std::vector<std::string> units;         ///< of the unknowns
  std::vector<std::string> output_units;  ///< of the results
  std::vector<std::string> parameter_names;
  std::vector<double> parameters;
  std::string time_unit;
  double from = 0;
  double until = 0;  ///< 0: not given
  std::size_t samples = 101;
  double relative_tolerance = 1e-8;
  double absolute_tolerance = 0;
  std::vector<FieldAxis> axes;
  std::vector<std::pair<double, double>> bounds;  ///< of the unknowns, as they are stated
};

/// Numbers of one output or unknown at one time.
struct FieldSummary {
  double least = 0;
  double greatest = 0;
  bool finite = true;
};
[[nodiscard]] FieldSummary summary(std::span<const double> values);

struct FieldRunOptions {
  double until = 0;         ///< 0: that of the problem
  std::size_t samples = 0;  ///< 0: that of the problem
  double relative_tolerance = 0;
  unsigned threads = 1;
  bool native = true;  ///< machine code
  long max_steps = 500000;
  std::function<void(double)> progress = {};
  /// Called at each sample with the state and the outputs.
  std::function<void(double time, std::span<const double> state, std::span<const double> outputs)> at_sample = {};
};

struct FieldRun {
  bool completed = false;
  std::string message;  ///< what happened, if not completed
  std::vector<double> times;
  std::vector<std::vector<FieldSummary>> summaries;  ///< by sample: the unknowns, then the outputs
  std::vector<double> state;                         ///< at the end
  std::vector<double> outputs;                       ///< at the end
  std::string method;
  std::string linear_solver;
  std::size_t boxes = 0;
  long steps = 0;
  long right_side_calls = 0;
  long jacobian_calls = 0;
};

/// Steps from the starts. Sparse factors where the Jacobian has a formula and its factors fit, otherwise GMRES without
/// factors. Throws Error(usage) without an end, Error(unsupported) as FieldPlan does, Stopped.
[[nodiscard]] FieldRun run_fields(const FieldProblem& problem, const FieldRunOptions& options = {});

struct FieldSteady {
  bool converged = false;
  std::string message;  ///< what happened, if not converged
  std::vector<double> state;
  std::vector<double> outputs;
  double residual = 0;      ///< the largest, each relative to the sum of the magnitudes of its terms
  bool verified = false;    ///< false where there is no Jacobian by formula to tell these magnitudes
  bool determined = false;  ///< the Jacobian was factored and is regular; where it was not, neighbours may be solutions
  double correction = 0;    ///< then: of one more Newton step, relative to each unknown
  std::string linear_solver;
  std::size_t boxes = 0;
  long iterations = 0;
};

/// Where nothing changes any more: rates and residuals zero, time standing still at the start, by Newton's method with
/// line search from the starts. `tolerance` is that of the scaled residual. An answer fulfils every equation to 1e-7 of
/// its terms. Throws as run_fields().
[[nodiscard]] FieldSteady solve_fields(const FieldProblem& problem, const FieldRunOptions& options = {},
                                       double tolerance = 1e-11, int most_iterations = 200);

/// The Jacobian by formula beside central differences of the values along random directions, row by row, around the
/// starts.
[[nodiscard]] Evidence check_field_jacobian(const FieldProblem& problem, bool native = true);

/// Functions of a problem at work on numbers.
[[nodiscard]] ExecutorMaker executors(bool native);
[[nodiscard]] std::vector<double> start_of(const FieldProblem& problem, unsigned threads = 1);

}  // namespace BOREON_API
