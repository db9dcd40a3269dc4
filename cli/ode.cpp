// SPDX-License-Identifier: MIT
// solve: differential equations given as text, for unknowns such as y(t).
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cctype>
#include <cmath>

#include "boreon/ode.hpp"
#include "boreon/ode_series.hpp"
#include "curves.hpp"
#include "solve.hpp"

namespace boreon::cli {
namespace {

struct FunctionName {
  std::string name;
  std::string variable;
};

// "y(t)", or nothing
std::optional<FunctionName> unknown_of(const std::string& text) {
  const std::size_t open = text.find('(');
  if (open == std::string::npos || text.back() != ')') return std::nullopt;
  FunctionName u{text.substr(0, open), text.substr(open + 1, text.size() - open - 2)};
  if (!is_identifier(u.name) || !is_identifier(u.variable)) return std::nullopt;
  return u;
}

std::string without_blanks(std::string text) {
  std::erase(text, ' ');
  return text;
}

std::vector<std::string> asked(const SolveRequest& r) {
  std::vector<std::string> out;
  for (const std::string& list : r.solve_for.peek()) {
    for (const std::string& text : split(list)) out.push_back(text);
  }
  return out;
}

// The solutions as lines of the answer, and as fields.
void list_solutions(const SolveRequest& r, const OdeSolutionSet& s, Answer& a) {
  // where one is a relation, all are written as such
  const bool relations = std::any_of(s.solutions.begin(), s.solutions.end(),
                                     [](const OdeSolution& one) { return one.relation.has_value(); });
  for (const OdeSolution& one : s.solutions) {
    if (&one != &s.solutions.front()) a.text += "or\n";
    if (one.relation) {
      a.json["result"].push_back(to_text(*one.relation));
      a.text += typeset(r, *one.relation);
    } else {
      Json values = Json::object();
      const auto& entries = one.values.entries();
      for (std::size_t i = 0; i < entries.size(); ++i) {
        values[to_text(entries[i].target)] = to_text(entries[i].value);
        if (relations) a.json["result"].push_back(to_text(equation(entries[i].target, entries[i].value)));
        a.text += typeset(r, equation(entries[i].target, entries[i].value));
        if (i + 1 < entries.size()) a.text += ",\n";
      }
      if (!relations) a.json["result"].push_back(std::move(values));
    }
    if (one.parameter) {
      a.text += fmt::format("\nalong the curve, with the slope {} as parameter", to_text(*one.parameter));
      a.json["parameter"] = to_text(*one.parameter);
    }
    if (!one.conditions.empty()) a.text += fmt::format("   if {}", fmt::join(texts(one.conditions), " and "));
    a.text += "\n";
    a.json["solution_conditions"].push_back(Json(texts(one.conditions)));
  }
}

// Values that --set gives to constants of integration.
OdeSolutionSet with_constants(const SolveRequest& r, const Assumed& assumed, OdeSolutionSet s) {
  for (const auto& [name, value] : assumed.values) {
    if (!r.answer_may_name(name)) continue;
    const auto constant =
        std::find_if(s.constants.begin(), s.constants.end(), [&, n = name](const Expr& c) { return c.name() == n; });
    if (constant == s.constants.end())
      throw Error(ErrorKind::binding,
                  fmt::format("--set: '{}' does not occur in the solution{}", name,
                              s.constants.empty()
                                  ? ", which has no constants"
                                  : fmt::format(", whose constants are {}", fmt::join(texts(s.constants), ", "))));
    const Bindings here{{*constant, value}};
    const auto put = [&](Expr& e) { e = substitute(e, here, Unused::allowed); };
    for (OdeSolution& one : s.solutions) {
      Bindings values;
      for (const Bindings::Entry& e : one.values.entries())
        values.set(e.target, substitute(e.value, here, Unused::allowed));
      one.values = values;
      if (one.relation) put(*one.relation);
      std::for_each(one.conditions.begin(), one.conditions.end(), put);
    }
    s.constants.erase(constant);
  }
  return s;
}

// With numbers for everything: the same equations stepped in time
std::string run_beside(const SolveRequest& r, const FunctionProblem& p, const OdeSolutionSet& s, Answer& a) {
  std::string beside;
  if (s.solutions.size() == 1 && !s.solutions[0].relation && !s.solutions[0].parameter && s.constants.empty() &&
      !p.given.empty()) {
    const Evidence run = compare_with_run(p.equations, s.solutions[0].values, p.given);
    if (run.verdict == Verdict::agrees) {
      beside = fmt::format("; beside a run in time: {:.0f} digits at {} points", std::floor(run.digits), run.points);
    } else if (run.verdict == Verdict::disagrees) {
      r.warn(
          fmt::format("a run in time from the given values leads elsewhere ({} = {:.6g} at {} = {:.6g}, not {:.6g}): "
                      "does another solution start there too?",
                      run.worst_entry, run.worst_reference, p.variable, run.worst_point[0].second, run.worst_derived));
    }
    a.json["run"] = json_of(run);
  }
  return beside;
}

}  // namespace

void set_value(const FunctionProblem& p, const Expr& value, Answer& a) {
  Json values = Json::object();
  values[to_text(p.unknowns[0])] = to_text(value);
  a.json["result"] = Json::array();
  a.json["result"].push_back(std::move(values));
}

FunctionProblem function_problem(const SolveRequest& r) {
  FunctionProblem p;
  p.assumed = assumptions_of(r);
  const Assumed& assumed = p.assumed;
  std::vector<FunctionName> unknowns;
  for (const std::string& list : r.solve_for) {
    for (const std::string& text : split(list)) {
      const auto u = unknown_of(text);
      if (!u)
        throw Error(ErrorKind::usage, fmt::format("differential equations are solved for functions such as y(t), "
                                                  "not for '{}'",
                                                  text));
      unknowns.push_back(*u);
    }
  }
  if (unknowns.empty()) throw Error(ErrorKind::usage, "--for takes the unknowns: --for \"y(t)\"");
  const std::string& variable = unknowns[0].variable;
  const Symbol t = symbol_named(variable, assumed);
  ParseContext context = assumed.context;
  context.independent = t;
  ParseContext places = assumed.context;
  places.independent = t;
  p.variable = variable;
  for (const FunctionName& u : unknowns) {
    if (u.variable != variable)
      throw Error(ErrorKind::usage, fmt::format("{}({}) and {}({}) are functions of different variables",
                                                unknowns[0].name, variable, u.name, u.variable));
    if (assumed.context.names.contains(u.name))
      throw Error(ErrorKind::usage,
                  fmt::format("{} is an unknown function: --set and --assume do not take it", u.name));
    p.unknowns.push_back(UnknownFunction(u.name)(t));
    context.names.emplace(u.name, p.unknowns.back());
    context.functions.emplace(u.name, 1);
    places.functions.emplace(u.name, 1);
  }
  if (r.digits.get() > 0)
    throw Error(ErrorKind::usage,
                "--digits has no meaning here: solutions are functions; boreon evaluate gives numbers");
  if (!r.within.empty()) throw Error(ErrorKind::usage, "--within is for equations of one number, not of functions");
  for (const std::string& input : r.inputs) p.equations.push_back(difference(input, context, ""));
  for (const std::string& list : r.given) {
    for (const std::string& text : split(list)) {
      if (text.empty()) continue;
      const Expr e = difference(text, places, "--given");
      if (unknown_calls({&e, 1}).empty())
        throw Error(
            ErrorKind::usage,
            fmt::format("--given takes values of the unknown at places, such as \"{0}(0)=1, {0}'(0)=2\", not '{1}'",
                        unknowns[0].name, text));
      p.given.push_back(e);
    }
  }
  return p;
}

Expr difference(const std::string& text, const ParseContext& context, const char* place) {
  if (text.find("==") != std::string::npos)
    throw Error(ErrorKind::usage, "an equation has one equals sign: left = right, not '" + text + "'");
  const Expr e = read_input(text, context, place);
  if (e.is(Kind::relation) && e.relation_op() == RelationOp::equal) return e.operands()[0] - e.operands()[1];
  if (e.is_constant(ConstantCode::true_value)) return 0;
  if (e.is_constant(ConstantCode::false_value)) return 1;
  if (is_condition(e)) throw Error(ErrorKind::usage, "'" + text + "' is an inequality, where an equation is meant");
  return e;
}

Symbol symbol_named(const std::string& name, const Assumed& assumed) {
  const auto known = assumed.context.names.find(name);
  return known == assumed.context.names.end() ? Symbol(name) : Symbol::from(known->second);
}

void add_route(const SolveRequest& r, const std::vector<std::string>& steps, Answer& a) {
  if (!r.steps) return;
  a.json["steps"] = Json(steps);
  if (!steps.empty()) a.text += fmt::format("route:\n  {}\n", fmt::join(steps, "\n  "));
}

Answer begun_answer(const char* status, const std::string& reason, const Evidence& check) {
  Answer a;
  a.json["status"] = status;
  a.json["reason"] = reason;
  a.json["check"] = json_of(check);
  if (status != std::string_view("unevaluated")) return a;
  a.json["result"] = nullptr;
  a.text = fmt::format("unevaluated: {}\n", reason);
  return a;
}

bool SolveRequest::answer_may_name(const std::string& name) const {
  return name.size() > 1 && name[0] == 'C' &&
         std::all_of(name.begin() + 1, name.end(), [](unsigned char c) { return std::isdigit(c) != 0; }) &&
         asks_for_functions(*this);
}

bool asks_for_functions(const SolveRequest& r) {
  const auto asked_for = asked(r);
  return std::any_of(asked_for.begin(), asked_for.end(), [](const std::string& t) {
    const bool known = find_function(t.substr(0, t.find('('))) != nullptr;  // exp(x) stands for itself
    return !known && unknown_of(t).has_value();
  });
}

Answer solve_by_series(const SolveRequest& r) {
  const FunctionProblem p = function_problem(r);
  if (p.unknowns.size() != 1 || p.equations.size() != 1)
    throw Error(ErrorKind::usage, "--series takes one equation for one function");
  OdeSeriesOptions options;
  options.order = r.series.get();
  options.given = p.given;
  options.conditions = p.assumed.conditions;
  if (!r.about.empty()) options.about = read_input(r.about.get(), p.assumed.context, "--about");
  const OdeSeries s = series_solution(p.equations[0], p.unknowns[0], options);
  Answer a = begun_answer(s.found ? "approximate" : "unevaluated", s.reason, s.check);
  if (!s.found) return a;
  set_value(p, s.solution, a);
  a.json["independent"] = texts(s.independent);
  a.json["exponents"] = texts(s.exponents);
  a.json["constants"] = texts(s.constants);
  a.json["conditions"] = texts(s.conditions);
  if (s.independent.empty() || s.constants.size() < s.independent.size()) {
    a.text = typeset(r, equation(p.unknowns[0], s.solution)) + "\n";
  } else {
    std::string sum;
    std::string each;
    for (std::size_t k = 0; k < s.independent.size(); ++k) {
      const std::string name = fmt::format("{}{}", p.unknowns[0].name(), k + 1);
      sum += fmt::format("{}{}*{}", k == 0 ? "" : " + ", to_text(s.constants[k]), name);
      each += typeset(r, equation(Symbol(name), s.independent[k])) + "\n";
    }
    a.text = fmt::format("  {} = {}\n", to_text(p.unknowns[0]), sum) + each;
  }
  a.text +=
      fmt::format("left out: {} powers and more beyond the first term, about {} = {}, {}\n", s.order + 1, p.variable,
                  to_text(options.about), s.singular ? "a regular singular point" : "an ordinary point");
  if (!s.conditions.empty()) a.text += fmt::format("valid for {}\n", fmt::join(texts(s.conditions), ", "));
  a.text += fmt::format("check: {} ({} points)\n", s.check.method, s.check.points);
  add_curves(r, r, r, p.assumed, {{to_text(p.unknowns[0]), s.solution}}, p.variable, a);
  return a;
}

Answer solve_by_perturbation(const SolveRequest& r) {
  const FunctionProblem p = function_problem(r);
  if (p.unknowns.size() != 1 || p.equations.size() != 1)
    throw Error(ErrorKind::usage, "--small takes one equation for one function");
  PerturbationOptions options;
  if (r.series.peek() > 0) options.order = r.series.get();
  options.given = p.given;
  options.conditions = p.assumed.conditions;
  const Expr parameter = read_input(r.small.get(), p.assumed.context, "--small");
  const Perturbation s = perturbation_expansion(p.equations[0], p.unknowns[0], parameter, options);
  Answer a = begun_answer(s.found ? "approximate" : "unevaluated", s.reason, s.check);
  if (!s.found) return a;
  set_value(p, s.solution, a);
  a.json["terms"] = texts(s.terms);
  a.json["constants"] = texts(s.constants);
  a.text = typeset(r, equation(p.unknowns[0], s.solution)) + "\n";
  a.text += fmt::format("left out: {}^{} and more\n", to_text(parameter), options.order + 1);
  if (s.secular)
    a.text += fmt::format("good for short times only: terms with {0} times a wave grow with {0}\n", p.variable);
  a.json["secular"] = s.secular;
  a.text += fmt::format("check: {} ({} points)\n", s.check.method, s.check.points);
  add_route(r, s.steps, a);
  add_curves(r, r, r, p.assumed, {{to_text(p.unknowns[0]), s.solution}}, p.variable, a);
  return a;
}

Answer solve_for_constants(const SolveRequest& r) {
  const auto wrong = [] {
    throw Error(ErrorKind::usage,
                "--given is for differential equations, with --for \"y(t)\", or for the constants of one function: "
                "\"y(t) = A*exp(-t) + B\" --for A,B --given \"y(0)=1, y'(0)=2\"");
  };
  const std::size_t equals = r.inputs.at(0).find('=');
  const auto name =
      equals == std::string::npos ? std::nullopt : unknown_of(without_blanks(r.inputs[0].substr(0, equals)));
  if (r.inputs.size() != 1 || !name || find_function(name->name) != nullptr) wrong();
  const Assumed assumed = assumptions_of(r);
  const Symbol t = symbol_named(name->variable, assumed);
  const Expr body = read_input(r.inputs[0].substr(equals + 1), assumed.context);
  ParseContext places = assumed.context;
  places.independent = t;
  places.functions.emplace(name->name, 1);
  std::vector<Expr> given;
  for (const std::string& list : r.given) {
    for (const std::string& text : split(list)) {
      if (!text.empty()) given.push_back(difference(text, places, "--given"));
    }
  }
  const std::vector<Expr> constants = named_unknowns(r, assumed);
  if (constants.empty()) throw Error(ErrorKind::usage, "--for takes the constants: --for A,B");
  SolveOptions options;
  options.conditions = assumed.conditions;
  return answer_of(r, solve_constants(UnknownFunction(name->name), Function(name->name, {t}, body, Unused::allowed),
                                      given, constants, options));
}

Answer solve_differential_equations(const SolveRequest& r, const FunctionProblem& p) {
  const OdeSolutionSet s = with_constants(
      r, p.assumed, solve_ode(p.equations, p.unknowns, {.conditions = p.assumed.conditions, .given = p.given}));
  Answer a;
  a.json["result"] = Json::array();
  a.json["status"] = to_string(s.status);
  a.json["solution_conditions"] = Json::array();
  list_solutions(r, s, a);
  if (s.solutions.empty() || s.status == SolveStatus::unevaluated) {
    a.text +=
        fmt::format("unevaluated: {}{}\n", s.reason, p.unknowns.size() == 1 ? "; --series 6 gives a power series" : "");
  } else if (!s.reason.empty()) {
    a.text += s.reason + "\n";
  }
  std::vector<std::string> conditions = texts(s.conditions);
  if (!conditions.empty()) a.text += fmt::format("valid for {}\n", fmt::join(conditions, ", "));
  // what all solutions need belongs to the answer
  if (s.solutions.size() == 1) {
    for (const Expr& c : s.solutions[0].conditions) conditions.push_back(to_text(c));
  }
  a.json["conditions"] = conditions;
  add_exceptions(s.exceptions, a);
  a.json["constants"] = Json(texts(s.constants));
  a.json["reason"] = s.reason;
  a.json["check"] = json_of(s.check);
  const std::string beside = run_beside(r, p, s, a);
  if (s.check.verdict == Verdict::agrees)
    a.text += fmt::format("check: {} ({:.0f} digits at {} points){}\n", s.check.method,
                          std::floor(std::min(15.0, s.check.digits)), s.check.points, beside);
  add_route(r, s.steps, a);
  if (!r.plot.empty()) add_curves(r, r, r, p.assumed, graphs_of(s), p.variable, a);
  return a;
}

}  // namespace boreon::cli
