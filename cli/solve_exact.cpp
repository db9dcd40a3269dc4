// SPDX-License-Identifier: MIT
// solve MODEL --exact: closed forms in the parameters of a model, beside its numeric steady state.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "boreon/traverse.hpp"
#include "boreon/work.hpp"
#include "solve.hpp"

namespace boreon::cli {
namespace {

struct Named {
  std::string name;
  Expr symbol;
  double value = 0;  // of a parameter
  bool unknown = false;
};

// Unknowns and parameters of the steady equations.
std::vector<Named> names_of(const System& s) {
  std::vector<Named> all;
  for (std::size_t i = 0; i < s.states.size(); ++i) all.push_back({s.state_names[i], s.states[i], 0, true});
  for (std::size_t i = 0; i < s.parameters.size(); ++i)
    all.push_back({s.parameter_names[i], s.parameters[i], s.parameter_values[i], false});
  return all;
}

std::vector<Expr> asked_for(const SolveRequest& r, const System& s, const std::vector<Named>& all) {
  std::vector<Expr> out;
  for (const std::string& list : r.solve_for) {
    for (const std::string& name : split(list)) {
      const auto at = std::find_if(all.begin(), all.end(), [&](const Named& n) { return n.name == name; });
      if (at == all.end()) {
        std::vector<std::string> names;
        for (const Named& n : all) names.push_back(n.name);
        throw Error(ErrorKind::name,
                    fmt::format("--for: the model has no unknown or parameter '{}'{}", name, suggestion(name, names)));
      }
      out.push_back(at->symbol);
    }
  }
  return out.empty() ? s.states : out;
}

// What is known of signs: of parameters by their values, of unknowns by their bounds. Quantities that are solved for
// keep only what bounds say.
Assumptions signs_of(const Named& n, bool wanted, const System& s) {
  if (!n.unknown)
    return wanted || n.value == 0 ? Assumptions()
                                  : Assumptions({n.value > 0 ? Assumption::positive : Assumption::negative});
  const auto i = static_cast<std::size_t>(std::find(s.states.begin(), s.states.end(), n.symbol) - s.states.begin());
  if (s.lower[i] >= 0) return Assumptions({wanted ? Assumption::nonnegative : Assumption::positive});
  if (s.upper[i] <= 0) return Assumptions({Assumption::nonpositive});
  return {};
}

// The solution with numbers for everything it contains; nothing where it is not real there.
std::optional<std::vector<double>> in_numbers(const Solution& one, const Bindings& values) {
  std::vector<double> out;
  for (const Bindings::Entry& v : one.values.entries()) {
    const std::complex<double> z = evaluate_complex(substitute(v.value, values, Unused::allowed));
    if (!std::isfinite(z.real()) || std::fabs(z.imag()) > 1e-9 * std::abs(z)) return std::nullopt;
    out.push_back(z.real());
  }
  return out;
}

bool within_bounds(const System& s, const Solution& one, const std::vector<double>& numbers) {
  for (std::size_t k = 0; k < numbers.size(); ++k) {
    const auto at = std::find(s.states.begin(), s.states.end(), one.values.entries()[k].target);
    if (at == s.states.end()) continue;
    const auto i = static_cast<std::size_t>(at - s.states.begin());
    if (numbers[k] < s.lower[i] || numbers[k] > s.upper[i]) return false;
  }
  return true;
}

// How many digits of all unknowns are those of the numeric steady state.
double digits_beside(const System& s, const SteadyResult& steady, const Solution& one,
                     const std::vector<double>& numbers) {
  double digits = 15;
  for (std::size_t k = 0; k < numbers.size(); ++k) {
    const auto at = std::find(s.states.begin(), s.states.end(), one.values.entries()[k].target);
    if (at == s.states.end()) return 0;
    const double other = steady.values[static_cast<std::size_t>(at - s.states.begin())];
    const double size = std::max(std::fabs(other), std::fabs(numbers[k]));
    if (numbers[k] != other) digits = std::min(digits, -std::log10(std::fabs(numbers[k] - other) / size));
  }
  return std::max(digits, 0.0);
}

// Within so much work; nothing where that does not suffice, or no closed form is found.
std::optional<SolutionSet> closed_form(const std::vector<Expr>& equations, const std::vector<Expr>& wanted,
                                       std::uint64_t units) {
  try {
    SolutionSet s = with_budget(units, [&] { return boreon::solve(equations, wanted); });
    if (s.status != SolveStatus::unevaluated) return s;
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::limit) throw;
  }
  return std::nullopt;
}

// What is left where neither all parameters nor their values lead to an answer.
SolutionSet nothing_found() {
  SolutionSet s;
  s.status = SolveStatus::unevaluated;
  s.reason = "no closed form was found, neither in the parameters nor with their values put in";
  return s;
}

}  // namespace

Answer exact_solution_of_model(const SolveRequest& r, const Model& m) {
  System s = steady_system(m);
  std::vector<Named> all = names_of(s);
  std::vector<Expr> wanted = asked_for(r, s, all);
  // the same quantities as symbols that know their signs
  Bindings known;
  for (Named& n : all) {
    const bool is_wanted = std::find(wanted.begin(), wanted.end(), n.symbol) != wanted.end();
    const Symbol signed_symbol(n.symbol.name(), signs_of(n, is_wanted, s));
    if (!(n.symbol == Expr(signed_symbol))) known.set(n.symbol, signed_symbol);
    n.symbol = signed_symbol;
  }
  for (auto* list : {&s.residuals, &s.outputs, &s.states, &s.parameters, &wanted})
    *list = substitute(*list, known, Unused::allowed);
  Bindings values;
  for (const Named& n : all) {
    if (!n.unknown && std::find(wanted.begin(), wanted.end(), n.symbol) == wanted.end())
      values.set(n.symbol, Expr(Number::shortest_decimal(n.value)));
  }
  std::optional<SolutionSet> set = closed_form(s.residuals, wanted, r.work / 3);
  const bool in_parameters = set.has_value();
  if (!in_parameters) set = closed_form(substitute(s.residuals, values, Unused::allowed), wanted, r.work / 3);
  const SolutionSet found = set ? *set : nothing_found();
  Answer a = answer_of(r, found);
  a.text =
      fmt::format("{}\n{}\n{}", m.called(),
                  in_parameters ? "steady state in closed form, with the signs that parameters and bounds have"
                                : "steady state for the values of the parameters: in all of them no closed form was "
                                  "found",
                  a.text);
  a.json["in_parameters"] = in_parameters;
  if (wanted != s.states) return a;
  const SteadyResult steady = solve_steady(s);
  a.json["values"] = Json::array();
  double best = -1;
  std::string numbers_text;
  for (const Solution& one : found.solutions) {
    const auto numbers = in_numbers(one, values);
    Json j = nullptr;
    if (numbers) {
      const bool inside = within_bounds(s, one, *numbers);
      if (inside && steady.converged) best = std::max(best, digits_beside(s, steady, one, *numbers));
      j = Json::object();
      std::string line;
      for (std::size_t k = 0; k < numbers->size(); ++k) {
        const std::string name = to_text(one.values.entries()[k].target);
        j[name] = (*numbers)[k];
        line += fmt::format("{}{} = {:.6g}", line.empty() ? "" : ", ", name, (*numbers)[k]);
      }
      numbers_text += fmt::format("  {}{}\n", line, inside ? "" : "   (outside the bounds)");
    }
    a.json["values"].push_back(j);
  }
  if (!numbers_text.empty()) a.text += "at the values of the parameters:\n" + numbers_text;
  if (best >= 0) {
    a.text += fmt::format("beside the numeric steady state: {:.1f} digits\n", best);
    a.json["steady_digits"] = best;
    // another branch than the one the start leads to is no contradiction, fewer digits than six of all of them are
    if (best < 6) r.warn("none of the closed forms is the steady state that the search from the start finds");
  }
  return a;
}

}  // namespace boreon::cli
