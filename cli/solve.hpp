// SPDX-License-Identifier: MIT
// The request of solve, and the ways to answer it.
#pragma once

#include "boreon/equations.hpp"
#include "command.hpp"
#include "option_groups.hpp"

namespace boreon::cli {

struct SolveRequest : Request, SolverChoice, FigureOptions, LoopOptions, RangeOptions, MonteCarloOption {
  Option<std::vector<std::string>> solve_for;
  Option<std::vector<std::string>> given;
  Option<bool> approximate{false};
  Option<bool> exact{false};
  Option<bool> roots{false};
  Option<bool> compare_jacobian{false};
  Option<bool> complex{false};
  Option<bool> stationary{false};
  Option<bool> inverse{false};
  Option<std::string> within;
  Option<int> series{0};
  Option<std::string> about;
  Option<std::string> small;
  Option<bool> steps{false};
  Option<int> digits{0};
  Option<bool> verbose{false};

  void declare(Declaration& d) override;
  /// Constants of integration, C1, C2, ...
  [[nodiscard]] bool answer_may_name(const std::string& name) const override;
};

/// Whether unknowns such as y(t) are asked for: differential equations.
[[nodiscard]] bool asks_for_functions(const SolveRequest& r);
/// Whether an unknown such as u(x,t) is asked for: a partial differential equation.
[[nodiscard]] bool asks_for_field(const SolveRequest& r);
[[nodiscard]] Answer solve_partial_equation(const SolveRequest& r);
/// --series: by a power series about a place.
[[nodiscard]] Answer solve_by_series(const SolveRequest& r);
/// --small: by powers of a small parameter.
[[nodiscard]] Answer solve_by_perturbation(const SolveRequest& r);
/// --given with the constants of a function: "y(t) = A*exp(-t) + B" --for A,B.
[[nodiscard]] Answer solve_for_constants(const SolveRequest& r);
/// A set of solutions as it is printed, with all fields.
[[nodiscard]] Answer answer_of(const SolveRequest& r, const SolutionSet& s);
/// What is said after the solutions: whether they are all, conditions, exceptions, evidence, the route.
void conclude(const SolveRequest& r, const SolutionSet& s, Answer& a);
/// --stationary: each point with its kind and the value there.
[[nodiscard]] Answer stationary_points_of(const SolveRequest& r, const Expr& f, const std::vector<Expr>& unknowns,
                                          const SolveOptions& options);

/// Unknown functions of one variable, and what is asked of them.
struct FunctionProblem {
  std::vector<Expr> equations;
  std::vector<Expr> unknowns;
  std::vector<Expr> given;
  Assumed assumed;
  std::string variable;
};
[[nodiscard]] FunctionProblem function_problem(const SolveRequest& r);
[[nodiscard]] Answer solve_differential_equations(const SolveRequest& r, const FunctionProblem& p);
/// Whether the unknown stands at other whole numbers, such as y(n + 1): a difference equation.
[[nodiscard]] bool is_difference_equation(const FunctionProblem& p);
[[nodiscard]] Answer solve_difference_equation(const SolveRequest& r, const FunctionProblem& p);
/// One function and its value as the result.
void set_value(const FunctionProblem& p, const Expr& value, Answer& a);
/// What holds for exceptional parameters, as lines and as a field.
void add_exceptions(const std::vector<SolveException>& exceptions, Answer& a);

/// Left minus right of one equation; anything else is refused. `place` is the option it stands in, if any.
[[nodiscard]] Expr difference(const std::string& text, const ParseContext& context, const char* place);
/// The symbol of this name with what is assumed of it.
[[nodiscard]] Symbol symbol_named(const std::string& name, const Assumed& assumed);
/// --steps: the route as field and lines.
void add_route(const SolveRequest& r, const std::vector<std::string>& steps, Answer& a);
/// What is known of an answer before its value: status, reason, evidence; where nothing was found, all of it.
[[nodiscard]] Answer begun_answer(const char* status, const std::string& reason, const Evidence& check);

/// What --for names.
[[nodiscard]] std::vector<Expr> named_unknowns(const SolveRequest& r, const Assumed& assumed);
[[nodiscard]] std::vector<std::string> texts(const std::vector<Expr>& list);
/// Each solution as lines of the answer, and as an element of `result`. Those that differ in the root of one polynomial
/// alone are said once, in a name for the root, with a line of numbers for each; long ones are abbreviated in `result`
/// as well, by names whose meaning stands in `roots`.
void show_solutions(const SolveRequest& r, const SolutionSet& s, Answer& a);

/// --loops: the steady state of fields that are not written out.
[[nodiscard]] Answer solve_in_loops(const SolveRequest& r);
/// The steady state of a model.
[[nodiscard]] Answer solve_model(const SolveRequest& r, const Model& m);
/// --exact: the equations of a model for its unknowns, or for what --for names, in its parameters.
[[nodiscard]] Answer exact_solution_of_model(const SolveRequest& r, const Model& m);
/// --roots: all steady states within the bounds.
[[nodiscard]] Answer roots_of_model(const SolveRequest& r, const Model& m);
/// --compare-jacobian: the same solve with other Jacobians.
[[nodiscard]] Answer jacobians_of_model(const SolveRequest& r, const Model& m);

}  // namespace boreon::cli
