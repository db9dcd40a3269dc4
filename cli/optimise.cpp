// SPDX-License-Identifier: MIT
// optimise: the least or greatest value of an output of a model, or of an expression.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "command.hpp"
#include "sensitivity.hpp"
#include "show_model.hpp"
#include "values.hpp"

namespace boreon::cli {
namespace {

struct OptimiseRequest : Request {
  Option<std::string> of;
  Option<std::string> goal;
  Option<std::vector<std::string>> subject;
  Option<std::string> at;
  Option<std::optional<int>> starts;
  Option<int> digits{0};

  void declare(Declaration& d) override {
    d.add("--of", of, "output, definition or unknown of the model, instead of its [optimise]");
    d.add("--goal", goal, "minimum or maximum (that of the model, or minimum)").one_of({"minimum", "maximum"});
    d.add("--subject", subject, "what has to hold of expressions: \"x + y <= 3\"; may be repeated").formulas();
    d.add("--at", at, "where the search for expressions begins: \"x=1, y=2\" (0)").formulas();
    d.add("--starts", starts, "searches in all, the first from the start values (by size)").within(1, 10000);
    d.add("--digits", digits, "significant digits of the values (6)").within(1, 17);
  }
};

// What is optimised, in words for the answer.
struct Task {
  OptimisationProblem problem;
  std::string objective;                 // its name or text
  std::string unit;                      // of it
  std::vector<std::string> constraints;  // as they were written
};

// An output, definition or unknown as the objective.
void take_objective(Task& t, const Model& m, const std::string& name, ModelObjective& o) {
  std::vector<std::string> all;
  const auto look = [&](const std::string& n, const Expr& e, const std::string& unit) {
    all.push_back(n);
    if (n != name || !t.objective.empty()) return;
    t.objective = n;
    t.unit = unit;
    o.resolved = e;
  };
  for (const NamedExpression& e : m.outputs) look(e.name, e.resolved, e.unit);
  for (const NamedExpression& e : m.definitions) look(e.name, e.resolved, e.unit);
  for (const Unknown& u : m.unknowns) look(u.name, u.function, u.unit);
  if (t.objective.empty())
    throw Error(ErrorKind::name, fmt::format("--of: the model has no output, definition or unknown '{}'{}", name,
                                             suggestion(name, all)));
}

// What the objective is called: by the name of an output or definition, else by its text.
void name_objective(Task& t, const Model& m) {
  const NamedExpression* const named = named_objective(m);
  t.objective = named != nullptr ? named->name : to_text(plain_names(m.objective->given), as_typed(m));
  if (named != nullptr) t.unit = named->unit;
}

std::string equation_text(const Model& m, const ModelEquation& e) {
  return fmt::format("{} = {}", to_text(plain_names(e.given.lhs), as_typed(m)),
                     to_text(plain_names(e.given.rhs), as_typed(m)));
}

Task task_of_model(const OptimiseRequest& r, Model& m) {
  if (!r.subject.peek().empty())
    throw Error(ErrorKind::usage, "--subject goes with expressions; a model has its [constraints]");
  if (!r.at.peek().empty())
    throw Error(ErrorKind::usage, "--at goes with expressions; a model has its starts: x = { start = 1 }");
  Task t;
  if (!r.of.peek().empty()) {
    ModelObjective o;
    take_objective(t, m, r.of.get(), o);
    o.maximise = m.objective && m.objective->maximise;
    m.objective = std::move(o);
  }
  if (m.objective && !r.goal.empty()) m.objective->maximise = r.goal.get() == "maximum";
  t.problem = optimisation_problem(m);
  if (t.objective.empty()) name_objective(t, m);
  for (const ModelEquation& e : m.equations) t.constraints.push_back(equation_text(m, e));
  for (const ModelConstraint& c : m.constraints) t.constraints.push_back(to_text(plain_names(c.given), as_typed(m)));
  return t;
}

// A relation between the unknowns; a number as the limit of one unknown is a bound of it.
void add_relation(OptimisationProblem& p, Task& t, const std::string& text, const Expr& c) {
  if (!c.is(Kind::relation) || c.relation_op() == RelationOp::not_equal)
    throw Error(ErrorKind::usage,
                fmt::format("--subject takes one relation, \"x + y <= 3\" or \"x*y = 2\", not '{}'", text));
  if (c.relation_op() == RelationOp::less)
    throw Error(ErrorKind::usage,
                fmt::format("'{}' is strict; an optimum may lie on the limit itself: write <= or >=", text));
  const Expr& left = c.operands()[0];
  const Expr& right = c.operands()[1];
  for (std::size_t i = 0; i < p.unknowns.size() && c.relation_op() == RelationOp::less_equal; ++i) {
    if (left == p.unknowns[i] && !right.has_symbols()) {
      p.upper[i] = std::min(p.upper[i], evaluate(right));
      return;
    }
    if (right == p.unknowns[i] && !left.has_symbols()) {
      p.lower[i] = std::max(p.lower[i], evaluate(left));
      return;
    }
  }
  Constraint k{text, left - right};
  k.upper = 0;
  if (c.relation_op() == RelationOp::equal) k.lower = 0;
  if (!left.has_symbols() && right.has_symbols()) {  // b <= a, of which b is the limit
    k.value = right - left;
    k.lower = 0;
    k.upper = std::numeric_limits<double>::infinity();
  }
  p.constraints.push_back(std::move(k));
  t.constraints.push_back(text);
}

Task task_of_expression(const OptimiseRequest& r) {
  require_one_expression(r);
  if (!r.of.peek().empty())
    throw Error(ErrorKind::usage, "--of names a part of a model; here the expression is optimised");
  const Assumed assumed = assumptions_of(r);
  Task t;
  OptimisationProblem& p = t.problem;
  p.objective = read_input(r.inputs[0], assumed.context);
  if (is_condition(p.objective))
    throw Error(ErrorKind::usage, "what is optimised is an expression; what has to hold: --subject");
  p.maximise = r.goal.get() == "maximum";
  t.objective = to_text(p.objective);
  std::vector<Expr> all{p.objective};
  std::vector<std::pair<std::string, Expr>> relations;
  for (const std::string& text : r.subject) {
    const Expr c = read_input(text, assumed.context, "--subject");
    if (c.is_constant(ConstantCode::true_value) || c.is_constant(ConstantCode::false_value))
      throw Error(ErrorKind::usage, fmt::format("--subject: '{}' {} in any case", text,
                                                c.is_constant(ConstantCode::true_value) ? "holds" : "does not hold"));
    relations.emplace_back(text, c);
    all.push_back(c);
  }
  for (const Expr& c : assumed.conditions) {
    relations.emplace_back(to_text(c), c);
    all.push_back(c);
  }
  for (const Symbol& s : free_symbols(all)) p.unknowns.emplace_back(s);
  if (p.unknowns.empty())
    throw Error(ErrorKind::usage, "there is nothing to choose: the expression contains no symbol");
  constexpr double infinite = std::numeric_limits<double>::infinity();
  p.start.assign(p.unknowns.size(), 0.0);
  p.lower.assign(p.unknowns.size(), -infinite);
  p.upper.assign(p.unknowns.size(), infinite);
  for (const auto& [text, c] : relations) add_relation(p, t, text, c);
  if (r.at.empty()) return t;
  for (const auto& [name, value] : assignments(r.at.get(), "--at")) {
    std::vector<std::string> names;
    for (const Expr& u : p.unknowns) names.push_back(u.name());
    const auto at = std::find(names.begin(), names.end(), name);
    if (at == names.end())
      throw Error(ErrorKind::name, fmt::format("--at: '{}' does not occur{}", name, suggestion(name, names)));
    p.start[static_cast<std::size_t>(at - names.begin())] = evaluate(value);
  }
  return t;
}

std::vector<double> evaluated(const System& s, const std::vector<double>& states) {
  if (s.outputs.empty()) return {};
  const Kernel k = compile({OutputGroup("outputs", s.outputs)}, {{"states", s.states}, {"parameters", s.parameters}});
  return k.evaluate({states, s.parameter_values})[0];
}

// What holds back the optimum, and what it would gain if that gave way.
void add_limits(Answer& a, const Task& t, const OptimisationResult& o) {
  const OptimisationProblem& p = t.problem;
  const auto price_text = [&](double price) {
    if (std::isnan(price)) return std::string("   (its price is not determined)\n");
    return fmt::format("\n    the {} changes by {:+.6g} for each unit by which its limit is raised\n",
                       p.maximise ? "maximum" : "minimum", price);
  };
  a.json["constraints"] = Json::object();
  a.json["bounds"] = Json::object();
  std::string text;
  std::size_t idle = 0;
  std::size_t listed = 0;
  constexpr std::size_t most = 20;
  for (std::size_t j = 0; j < p.constraints.size(); ++j) {
    const Constraint& c = p.constraints[j];
    const bool holds = o.active[j] != 0;
    a.json["constraints"][c.name] = {{"active", holds}, {"price", o.prices[j]}, {"value", o.constraint_values[j]}};
    if (!holds) {
      ++idle;
      continue;
    }
    if (++listed > most) continue;
    text +=
        c.name == t.constraints[j] ? fmt::format("  {}", c.name) : fmt::format("  {}: {}", c.name, t.constraints[j]);
    text += price_text(o.prices[j]);
  }
  for (std::size_t i = 0; i < p.unknowns.size(); ++i) {
    if (o.at_bounds[i] == 0) continue;
    const std::string name = to_text(p.unknowns[i]);
    const double bound = o.at_bounds[i] < 0 ? p.lower[i] : p.upper[i];
    a.json["bounds"][name] = {
        {"side", o.at_bounds[i] < 0 ? "lower" : "upper"}, {"bound", bound}, {"price", o.bound_prices[i]}};
    if (++listed > most) continue;
    text += fmt::format("  the {} bound {:.6g} of {}{}", o.at_bounds[i] < 0 ? "lower" : "upper", bound, name,
                        price_text(o.bound_prices[i]));
  }
  if (listed > most) text += fmt::format("  ... {} more (--json gives all)\n", listed - most);
  if (!text.empty()) a.text += "what holds there:\n" + text;
  if (idle > 0) a.text += fmt::format("{} constraint{} not in the way\n", idle, idle == 1 ? " is" : "s are");
}

void add_searches(Answer& a, const Task& t, const OptimisationResult& o, int digits) {
  a.json["searches"] = {{"all", o.searches}, {"here", o.same_optimum}, {"from_the_start", !o.from_other_start}};
  a.json["others"] = Json::array();
  for (const OtherOptimum& other : o.others) {
    Json values = Json::object();
    for (std::size_t i = 0; i < other.values.size(); ++i) values[to_text(t.problem.unknowns[i])] = other.values[i];
    a.json["others"].push_back({{"objective", other.objective}, {"values", values}, {"searches", other.searches}});
  }
  if (o.searches == 1) return;
  int arrived = o.same_optimum;
  for (const OtherOptimum& other : o.others) arrived += other.searches;
  const std::string lost = arrived == o.searches ? "" : fmt::format(", {} nowhere", o.searches - arrived);
  if (o.others.empty()) {
    a.text += fmt::format("{} of {} searches ended here{}\n", o.same_optimum, o.searches, lost);
    return;
  }
  a.text += fmt::format("{} of {} searches ended here{}, others where it is {:.{}g}{}{}\n", o.same_optimum, o.searches,
                        o.from_other_start ? ", not the one from the given start" : "", o.others[0].objective, digits,
                        o.others.size() == 1 ? "" : " and worse", lost);
}

// The conditions of the optimum with the outputs of `s`, and the objective if it is none of them.
System with_outputs(const OptimisationResult& o, const System& s, const Task& t) {
  System at = o.conditions;
  at.output_names = s.output_names;
  at.outputs = s.outputs;
  if (std::find(s.output_names.begin(), s.output_names.end(), t.objective) == s.output_names.end()) {
    at.output_names.insert(at.output_names.begin(), t.problem.maximise ? "maximum" : "minimum");
    at.outputs.insert(at.outputs.begin(), t.problem.objective);
  }
  return at;
}

// Throws where there is none.
OptimisationResult optimum_of(const Task& t, const OptimisationOptions& options) {
  OptimisationResult o = optimise(t.problem, options);
  if (!o.found())
    throw Error(
        ErrorKind::convergence,
        fmt::format("no {} of {} was found: {}", t.problem.maximise ? "maximum" : "minimum", t.objective, o.message));
  return o;
}

Answer answer_to(const OptimiseRequest& r) {
  const bool of_model = is_model(r.inputs.at(0));
  std::optional<Model> m;
  if (of_model) m = model_of(r);
  const Task t = of_model ? task_of_model(r, *m) : task_of_expression(r);
  OptimisationOptions options;
  if (r.starts.get()) options.other_starts = *r.starts.get() - 1;
  const OptimisationResult o = optimum_of(t, options);
  const char* const what = t.problem.maximise ? "maximum" : "minimum";
  const int digits = digits_of(r.digits);
  Answer a;
  if (of_model) a.text = m->called() + "\n";
  a.text +=
      fmt::format("{} of {} = {:.{}g}{}\n", what, t.objective, o.objective, digits, t.unit.empty() ? "" : " " + t.unit);
  System s;
  std::vector<double> outputs;
  if (of_model) {
    s = system_of(*m);
    outputs = evaluated(s, o.values);
    list_values(a, *m, s, o.values, outputs, digits);
  } else {
    for (std::size_t i = 0; i < o.values.size(); ++i) {
      const std::string name = to_text(t.problem.unknowns[i]);
      a.json["values"][name] = o.values[i];
      a.text += fmt::format("  {} = {:.{}g}\n", name, o.values[i], digits);
      s.state_names.push_back(name);
    }
  }
  add_limits(a, t, o);
  add_searches(a, t, o, digits);
  for (const std::string& w : o.warnings) r.warn(w);
  if (of_model && o.evidence.verdict == Verdict::agrees)
    add_uncertainties(a, r, *m, with_outputs(o, s, t), sensitivity_options(*m, OutputsAt::steady_state));
  const Evidence& e = o.evidence;
  a.text += fmt::format("check: {}; {}; {} feasible point{} around {} better\n",
                        e.worst_entry.empty()
                            ? fmt::format("the slopes balance to {:.0f} digits of their terms", std::floor(e.digits))
                            : fmt::format("the conditions of an optimum are solved, one more Newton step changes digit "
                                          "{:.0f} and beyond of {}",
                                          std::floor(e.digits) + 1, e.worst_entry),
                        !o.curvature_known       ? "the curvature was not looked at"
                        : o.free_directions == 0 ? "nothing is left to choose"
                        : o.flat                 ? "the curvature is next to nothing in one direction"
                                                 : fmt::format("the curvature is that of a {}", what),
                        e.points, e.points == 1 ? "" : "s", e.points == 1 ? "is not" : "are not");
  if (e.verdict != Verdict::agrees) {
    a.text += "verdict: untested\n";
    a.exit_code = 1;
  }
  a.json["result"] = a.json["values"];
  a.json["objective"] = o.objective;
  a.json["goal"] = what;
  a.json["status"] = "approximate";
  a.json["curvature"] = o.curvature_known ? Json(o.curvature) : Json(nullptr);
  a.json["check"] = json_of(e);
  write_values(a, r, s, o.values, outputs);
  return a;
}

}  // namespace

System conditions_of_optimum(const Model& m) {
  Task t;
  t.problem = optimisation_problem(m);
  name_objective(t, m);
  return with_outputs(optimum_of(t, {}), system_of(m), t);
}

Command optimise_command() {
  return command<OptimiseRequest>(
      "optimise", "the least or greatest value within bounds, equations and inequalities",
      "  boreon optimise model.toml\n"
      "  boreon optimise model.toml --of yield --goal maximum\n"
      "  boreon optimise \"2*pi*r^2 + 2*pi*r*h\" --subject \"pi*r^2*h = 1\" --subject \"r >= 0\" --at \"r=1, h=1\"\n",
      answer_to);
}

}  // namespace boreon::cli
