// SPDX-License-Identifier: MIT
// Sensitivities by both ways beside difference quotients, and what they make of uncertain inputs.
#include "boreon/sensitivity.hpp"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <limits>
#include <random>

#include "boreon/error.hpp"
#include "solvers/checked_system.hpp"
#include "solvers/output_map.hpp"

namespace boreon {
namespace {

constexpr double missing = std::numeric_limits<double>::quiet_NaN();
constexpr std::size_t large = 200;  // states, from which differences are taken with few steps

double agreement(double a, double b, double floor) {
  const double size = std::max({std::fabs(a), std::fabs(b), floor});
  return a == b || size == 0 ? 15 : agreeing_digits(std::fabs(a - b), size);
}

double in_single(double v) { return static_cast<double>(static_cast<float>(v)); }

System checked_for(const System& s, OutputsAt at) {
  if (at == OutputsAt::start) {
    if (s.states.empty()) return s;
    System plain = s;  // its equations, if there are any, do not matter
    plain.residuals = plain.states;
    plain.equation_names.clear();
    plain.right_sides.clear();
    return checked(plain, Purpose::steady);
  }
  return checked(s, at == OutputsAt::end_of_run ? Purpose::in_time : Purpose::steady);
}

// Difference quotients of all outputs by one input over a sweep of steps.
void add_steps(OutputMap& map, const std::vector<double>& values, std::size_t input, bool few,
               SensitivityResult& result) {
  std::vector<double> at = map.input_values();
  const double size = at[input] != 0 ? std::fabs(at[input]) : 1;
  const double middle = at[input];
  for (int k = few ? 4 : 1; k <= (few ? 5 : 11); ++k) {
    const double by = size * std::pow(10.0, -k);
    at[input] = middle + by;
    const double above = at[input] - middle;
    const std::vector<double> up = map.values(at);
    at[input] = middle - by;
    const double below = middle - at[input];
    const std::vector<double> down = map.values(at);
    at[input] = middle;
    if (up.empty() || down.empty()) continue;  // a bound, a turning point
    for (std::size_t o = 0; o < values.size(); ++o) {
      DifferenceStep s;
      s.step = by;
      s.one_sided = (up[o] - values[o]) / above;
      s.central = (up[o] - down[o]) / (above + below);
      const double across = in_single(middle + by) - in_single(middle - by);
      s.single = across == 0 ? missing : (in_single(up[o]) - in_single(down[o])) / across;
      result.entries[o][input].steps.push_back(s);
    }
  }
}

void judge(SensitivityResult& r, bool adjoint, bool differences) {
  r.evidence.method = adjoint && differences ? "forward against adjoint, and against difference quotients"
                      : adjoint              ? "forward against adjoint"
                      : differences          ? "difference quotients over a sweep of steps"
                                             : "";
  r.evidence.digits = 15;
  double with_differences = 15;
  for (std::size_t o = 0; o < r.outputs.size(); ++o) {
    for (std::size_t i = 0; i < r.inputs.size(); ++i) {
      const Sensitivity& s = r.entries[o][i];
      const double size = std::fabs(r.input_values[i]);
      // what changes the output by less than a thousandth for all of the input need not agree to its own digits
      const double floor = 1e-3 * std::fabs(r.output_values[o]) / (size > 0 ? size : 1);
      if (adjoint || differences) ++r.evidence.entries;
      if (adjoint) {
        const double digits = agreement(s.forward, s.adjoint, floor);
        if (digits < r.evidence.digits || r.evidence.worst_entry.empty()) {
          r.evidence.digits = digits;
          r.evidence.worst_entry = fmt::format("d({})/d({})", r.outputs[o], r.inputs[i]);
          r.evidence.worst_derived = s.forward;
          r.evidence.worst_reference = s.adjoint;
        }
      }
      if (differences && std::isnan(s.difference) && s.forward != 0) ++r.evidence.skipped;
      if (differences && !std::isnan(s.difference))
        with_differences = std::min(with_differences, agreement(s.forward, s.difference, floor));
    }
  }
  r.evidence.points = r.evidence.entries;
  if (r.evidence.entries == 0) {
    r.evidence.digits = 0;
    return;
  }
  // no solution to one side of an input: the derivative may exist on the other side only
  if (r.evidence.skipped > 0) {
    r.evidence.verdict = Verdict::untested;
    return;
  }
  const bool good = (!adjoint || r.evidence.digits >= 6) && (!differences || with_differences >= 3);
  if (!adjoint) r.evidence.digits = with_differences;
  r.evidence.verdict = good ? Verdict::agrees : Verdict::disagrees;
}

// A matrix L with L L^T the covariance of the inputs.
Eigen::MatrixXd root_of_covariance(const std::vector<double>& deviations,
                                   const std::vector<std::vector<double>>& correlations) {
  const auto m = static_cast<Eigen::Index>(deviations.size());
  Eigen::MatrixXd c = Eigen::MatrixXd::Identity(m, m);
  for (std::size_t i = 0; i < correlations.size(); ++i) {
    for (std::size_t j = 0; j < correlations[i].size(); ++j)
      c(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(j)) = correlations[i][j];
  }
  const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> eigen(c);
  if (eigen.eigenvalues().size() > 0 && eigen.eigenvalues().minCoeff() < -1e-10)
    throw Error(ErrorKind::usage,
                "the correlations of the parameters contradict each other: no such distribution exists");
  const Eigen::Map<const Eigen::VectorXd> d(deviations.data(), m);
  return d.asDiagonal() * (eigen.eigenvectors() * eigen.eigenvalues().cwiseMax(0).cwiseSqrt().asDiagonal());
}

}  // namespace

SensitivityResult sensitivities(const System& given, const std::vector<std::string>& outputs,
                                const std::vector<std::string>& inputs, const SensitivityOptions& options) {
  const System system = checked_for(given, options.at);
  SensitivityResult r;
  r.outputs = outputs;
  r.inputs = inputs;
  OutputMap map(system, outputs, inputs, options);
  r.input_values = map.input_values();
  r.entries.assign(outputs.size(), std::vector<Sensitivity>(inputs.size()));
  r.output_values = map.values(map.input_values());
  r.states = map.states();
  r.message = map.message();
  if (r.output_values.empty() && !r.message.empty()) return r;
  const bool adjoint = options.adjoint && options.at != OutputsAt::start;
  if (!options.forward && !adjoint)
    throw Error(ErrorKind::usage, "sensitivities are asked for neither forward nor adjoint");
  const auto backward = adjoint ? map.adjoint() : std::vector<std::vector<double>>();
  const auto forward = options.forward && map.message().empty() ? map.forward() : backward;
  if (!map.message().empty()) {
    r.message = map.message();
    return r;
  }
  r.found = true;
  r.linear_solves = map.linear_solves();
  r.right_sides = map.right_sides();
  if (options.differences) {
    // runs a hundred times more exact: what differences divide by a small step is their error
    SensitivityOptions finer = options;
    finer.relative_tolerance = std::max(1e-13, options.relative_tolerance / 100);
    finer.absolute_tolerance = options.absolute_tolerance / 100;
    OutputMap precise(system, outputs, inputs, finer);
    const std::vector<double> middle = precise.values(precise.input_values());
    for (std::size_t i = 0; i < inputs.size() && !middle.empty(); ++i)
      add_steps(precise, middle, i, system.states.size() > large, r);
  }
  for (std::size_t o = 0; o < outputs.size(); ++o) {
    for (std::size_t i = 0; i < inputs.size(); ++i) {
      Sensitivity& s = r.entries[o][i];
      s.forward = forward[o][i];
      s.adjoint = adjoint ? backward[o][i] : options.adjoint ? s.forward : missing;
      s.difference = settled_difference(s.steps);
      const double size = r.input_values[i] != 0 ? std::fabs(r.input_values[i]) : 1;
      s.digits = std::isnan(s.difference)
                     ? 0
                     : agreement(s.forward, s.difference, 1e-12 * std::fabs(r.output_values[o]) / size);
      s.relative = r.output_values[o] != 0 ? s.forward * r.input_values[i] / r.output_values[o] : missing;
    }
  }
  judge(r, adjoint && options.forward, options.differences);
  return r;
}

Propagation propagate(const SensitivityResult& s, const std::vector<double>& deviations,
                      const std::vector<std::vector<double>>& correlations) {
  if (deviations.size() != s.inputs.size())
    throw Error(ErrorKind::shape,
                fmt::format("{} deviations for {} inputs; give one for each", deviations.size(), s.inputs.size()));
  const Eigen::MatrixXd root = root_of_covariance(deviations, correlations);
  Propagation p;
  for (const auto& row : s.entries) {
    Eigen::RowVectorXd g(static_cast<Eigen::Index>(row.size()));
    std::vector<double> parts;
    for (std::size_t i = 0; i < row.size(); ++i) {
      g[static_cast<Eigen::Index>(i)] = row[i].forward;
      parts.push_back(row[i].forward * deviations[i]);
    }
    p.deviations.push_back(row.empty() ? 0.0 : (g * root).stableNorm());
    p.contributions.push_back(std::move(parts));
  }
  return p;
}

MonteCarlo monte_carlo(const System& given, const std::vector<std::string>& outputs,
                       const std::vector<std::string>& inputs, const std::vector<double>& deviations,
                       const std::vector<std::vector<double>>& correlations, std::size_t draws,
                       const SensitivityOptions& options) {
  const System system = checked_for(given, options.at);
  OutputMap map(system, outputs, inputs, options);
  const Eigen::MatrixXd root = root_of_covariance(deviations, correlations);
  const std::vector<double> middle = map.input_values();
  (void)map.values(middle);
  MonteCarlo r;
  r.means.assign(outputs.size(), 0.0);
  std::vector<double> squares(outputs.size(), 0.0);
  std::mt19937_64 random(42);
  // Box and Muller, so that the numbers are the same with every library
  const auto normal = [&] {
    const double u = (static_cast<double>(random() >> 11U) + 1) * 0x1.0p-53;
    const double v = static_cast<double>(random() >> 11U) * 0x1.0p-53;
    return std::sqrt(-2 * std::log(u)) * std::cos(6.283185307179586 * v);
  };
  for (std::size_t k = 0; k < draws; ++k) {
    Eigen::VectorXd z(static_cast<Eigen::Index>(inputs.size()));
    for (double& v : z) v = normal();
    const Eigen::VectorXd shift = root * z;
    std::vector<double> at = middle;
    for (std::size_t i = 0; i < at.size(); ++i) at[i] += shift[static_cast<Eigen::Index>(i)];
    const std::vector<double> values = map.values(at);
    if (values.empty() || !std::all_of(values.begin(), values.end(), [](double v) { return std::isfinite(v); })) {
      ++r.failed;
      continue;
    }
    ++r.draws;
    for (std::size_t o = 0; o < values.size(); ++o) {
      const double d = values[o] - r.means[o];
      r.means[o] += d / static_cast<double>(r.draws);
      squares[o] += d * (values[o] - r.means[o]);
    }
  }
  for (const double s : squares)
    r.deviations.push_back(r.draws > 1 ? std::sqrt(s / static_cast<double>(r.draws - 1)) : missing);
  r.resolution = r.draws > 1 ? 1 / std::sqrt(2.0 * static_cast<double>(r.draws - 1)) : missing;
  return r;
}

}  // namespace boreon
