// SPDX-License-Identifier: MIT
// Second derivatives of steady states: the forward sensitivities of the adjoint ones.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/evidence.hpp"
#include "boreon/sensitivity.hpp"
#include "solvers/checked_system.hpp"
#include "solvers/fresh_symbols.hpp"
#include "solvers/output_map.hpp"

namespace boreon {
namespace {

constexpr double without_bound = std::numeric_limits<double>::infinity();

// F(y, p) = 0 and F_y^T a + g_y = 0 for y and a, with dg/dp = g_p + a F_p as outputs.
System with_adjoint(const System& s, const Expr& g, const std::vector<std::string>& inputs) {
  std::vector<Expr> taken = s.residuals;
  taken.push_back(g);
  taken.insert(taken.end(), s.states.begin(), s.states.end());
  taken.insert(taken.end(), s.parameters.begin(), s.parameters.end());
  const std::vector<Expr> adjoint = fresh_symbols("adjoint", s.states.size(), taken);
  System e = s;
  std::vector<Expr> terms{g};
  for (std::size_t i = 0; i < s.residuals.size(); ++i) terms.push_back(adjoint[i] * s.residuals[i]);
  const Expr lagrangian = add(terms);
  const std::vector<Expr> slopes = gradient(lagrangian, s.states);
  for (std::size_t i = 0; i < s.states.size(); ++i) {
    e.states.push_back(adjoint[i]);
    e.state_names.push_back(fmt::format("adjoint of {}", s.equation_names[i]));
    e.start.push_back(0);
    e.lower.push_back(-without_bound);
    e.upper.push_back(without_bound);
    e.residuals.push_back(slopes[i]);
    e.equation_names.push_back(fmt::format("adjoint equation of {}", s.state_names[i]));
  }
  e.outputs.clear();
  e.output_names.clear();
  for (const std::string& name : inputs) {  // known to be parameters
    const auto at = std::find(s.parameter_names.begin(), s.parameter_names.end(), name) - s.parameter_names.begin();
    e.outputs.push_back(derivative(lagrangian, s.parameters[static_cast<std::size_t>(at)]));
    e.output_names.push_back("d/d" + name);
  }
  return e;
}

}  // namespace

SecondSensitivity second_sensitivities(const System& given, const std::string& output,
                                       const std::vector<std::string>& inputs, const SensitivityOptions& options) {
  if (options.at != OutputsAt::steady_state)
    throw Error(ErrorKind::unsupported,
                "second derivatives are those of steady states; of runs in time they are not part of "
                "this version");
  const System s = checked(given, Purpose::steady);
  SecondSensitivity r;
  r.output = output;
  r.inputs = inputs;
  // The adjoint equations are linear: once the steady state is known, they have one solution.
  const SensitivityResult first = sensitivities(s, {output}, inputs, options);
  r.found = first.found;
  r.message = first.message;
  if (!first.found) return r;
  System extended = with_adjoint(s, outputs_named(s, {output})[0], inputs);
  std::copy(first.states.begin(), first.states.end(), extended.start.begin());
  const SensitivityResult second = sensitivities(extended, extended.output_names, inputs, options);
  r.found = second.found;
  r.message = second.message;
  if (!second.found) return r;
  r.value = first.output_values[0];
  r.evidence = second.evidence;
  const std::size_t n = inputs.size();
  for (std::size_t i = 0; i < n; ++i) {
    r.first.push_back(first.of(0, i).forward);
    r.second.emplace_back();
    for (std::size_t j = 0; j < n; ++j) r.second[i].push_back(second.of(i, j).forward);
  }
  // In units of the inputs: what does not matter beside the largest need not have its own digits.
  double largest = 0;
  const auto scaled = [&](std::size_t i, std::size_t j) {
    const auto size = [&](std::size_t k) {
      return first.input_values[k] != 0 ? std::fabs(first.input_values[k]) : 1.0;
    };
    return r.second[i][j] * size(i) * size(j);
  };
  for (std::size_t i = 0; i < n; ++i) {
    for (std::size_t j = 0; j < n; ++j) largest = std::max(largest, std::fabs(scaled(i, j)));
  }
  for (std::size_t i = 0; i < n; ++i) {
    for (std::size_t j = 0; j < i; ++j) {
      const double off = std::fabs(scaled(i, j) - scaled(j, i));
      const double digits = agreeing_digits(off, largest);
      if (digits < r.evidence.digits) {
        r.evidence.digits = digits;
        r.evidence.worst_entry = fmt::format("d2({})/d({})d({})", output, inputs[i], inputs[j]);
      }
      if (!(digits >= 6)) r.evidence.verdict = Verdict::disagrees;
    }
  }
  // and the first derivatives once more, as what the adjoint equations give
  for (std::size_t i = 0; i < n; ++i) {
    const double off = std::fabs(second.output_values[i] - r.first[i]);
    if (!(off <= 1e-6 * std::max(std::fabs(r.first[i]), std::fabs(second.output_values[i]))) &&
        off > 1e-12 * std::fabs(r.value))
      r.evidence.verdict = Verdict::disagrees;
  }
  r.evidence.method += ", and either order of derivation";
  return r;
}

}  // namespace boreon
