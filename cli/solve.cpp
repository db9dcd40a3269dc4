// SPDX-License-Identifier: MIT
// solve: equations given as text, exactly.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "boreon/equations.hpp"
#include "boreon/function.hpp"
#include "boreon/work.hpp"
#include "fit.hpp"
#include "solve.hpp"

namespace boreon::cli {

std::vector<Expr> named_unknowns(const SolveRequest& r, const Assumed& assumed) {
  std::vector<Expr> out;
  for (const std::string& list : r.solve_for) {
    for (const std::string& text : split(list)) {
      if (text.empty()) throw Error(ErrorKind::usage, "--for takes the unknowns: --for x,y");
      out.push_back(read_input(text, assumed.context, "--for"));
    }
  }
  return out;
}

namespace {

std::vector<Expr> equations_of(const SolveRequest& r, const Assumed& assumed) {
  std::vector<Expr> out;
  for (const std::string& input : r.inputs) {
    if (is_model(input)) throw Error(ErrorKind::usage, "equations and model files are not solved together");
    if (input.find("==") != std::string::npos)
      throw Error(ErrorKind::usage, "an equation has one equals sign: left = right, not '" + input + "'");
    const Expr e = read_input(input, assumed.context);
    if (e.is(Kind::relation) && e.relation_op() == RelationOp::equal) {
      out.push_back(e.operands()[0] - e.operands()[1]);
    } else if (e.is_constant(ConstantCode::true_value)) {
      out.emplace_back(0);
    } else if (e.is_constant(ConstantCode::false_value)) {
      out.emplace_back(1);
    } else if (is_condition(e)) {
      throw Error(ErrorKind::unsupported,
                  fmt::format("'{}' is an inequality; those are solved one at a time: join several with and", input));
    } else {
      out.push_back(e);
    }
  }
  return out;
}

std::vector<Expr> unknowns_of(const SolveRequest& r, const Assumed& assumed, const std::vector<Expr>& equations) {
  std::vector<Expr> out = named_unknowns(r, assumed);
  if (!out.empty()) return out;
  if (!r.solve_for.peek().empty()) throw Error(ErrorKind::usage, "--for takes the unknowns: --for x,y");
  const std::vector<Symbol> symbols = free_symbols(equations);
  if (symbols.empty() && std::all_of(equations.begin(), equations.end(), [](const Expr& e) { return e.is_integer(0); }))
    throw Error(ErrorKind::usage, "both sides are the same: the equation holds for every value of its symbols");
  if (symbols.size() == 1) return {symbols[0]};
  std::vector<std::string> names;
  for (const Symbol& s : symbols) names.push_back(s.name());
  throw Error(ErrorKind::usage,
              names.empty() ? "there is nothing to solve for: the equations contain no symbol"
                            : fmt::format("say for which of {} to solve: --for {}", fmt::join(names, ", "), names[0]));
}

std::optional<std::pair<double, double>> range_within(const SolveRequest& r, const Assumed& assumed,
                                                      const std::vector<Expr>& unknowns) {
  if (r.within.empty()) return std::nullopt;
  const auto wrong = [&] {
    throw Error(ErrorKind::usage,
                fmt::format("--within takes a range of numbers such as \"x from 0 to 10\", not '{}'", r.within.peek()));
  };
  const std::optional<Range> range = parsed_range(r.within.get(), assumed.context);
  if (!range) wrong();
  if (unknowns.size() != 1 || range->variable.name() != unknowns[0].name())
    throw Error(ErrorKind::usage, "--within gives the range of the one unknown");
  if (!(range->from < range->to) || !std::isfinite(range->from) || !std::isfinite(range->to)) wrong();
  return std::pair{range->from, range->to};
}

std::string conclusion(const SolutionSet& s) {
  const std::size_t n = s.solutions.size();
  if (s.status == SolveStatus::unevaluated) return fmt::format("unevaluated: {}\n", s.reason);
  std::string text;
  if (n == 0 && s.complete) return fmt::format("no solution: {}\n", s.reason);
  if (n == 0) return fmt::format("no solution was found: {}\n", s.reason);
  if (!s.free.empty()) {
    text += fmt::format("{} {} any value\n", fmt::join(texts(s.free), ", "), s.free.size() == 1 ? "has" : "have");
  }
  if (!s.integers.empty()) text += fmt::format("for every whole number {}\n", fmt::join(texts(s.integers), ", "));
  if (!s.reason.empty()) {
    text += s.reason + "\n";
  } else if (s.complete && s.free.empty()) {
    text += s.real_only                            ? "there are no other real ones\n"
            : s.status == SolveStatus::approximate ? "there are no others in the range\n"
                                                   : "there are no others\n";
  }
  return text;
}

// Cases of the parameters, each with its condition on the unknown.
Answer inequality_with_parameters(const SolveRequest& r, const Expr& c, const Expr& x,
                                  const std::vector<Expr>& conditions) {
  const InequalityCases s = solve_inequality_cases(c, x, conditions);
  Answer a;
  a.json["status"] = s.solved ? "exact" : "unevaluated";
  a.json["complete"] = s.solved;
  a.json["reason"] = s.reason;
  a.json["check"] = {{"method", "solved at numbers for the parameters in each region, in ball arithmetic"},
                     {"points", 4 * s.cases.size()},
                     {"digits", s.solved ? 15 : 0},
                     {"worst", nullptr},
                     {"verdict", s.solved ? "agrees" : "untested"}};
  a.json["result"] = Json::array();
  if (!s.solved) {
    a.json["result"] = nullptr;
    a.text = fmt::format("unevaluated: {}; with numbers for the parameters (--set) it is solved\n", s.reason);
    return a;
  }
  for (const InequalityCase& one : s.cases) {
    const Expr result = one.set.condition(x);
    const std::string name = to_text(x);
    a.text += one.set.intervals.empty()                      ? fmt::format("  no real {}", name)
              : result.is_constant(ConstantCode::true_value) ? fmt::format("  every real {}", name)
                                                             : typeset(r, result);
    if (!one.conditions.empty()) a.text += fmt::format("   if {}", fmt::join(texts(one.conditions), " and "));
    a.text += "\n";
    a.json["result"].push_back({{"condition", to_text(result)}, {"if", texts(one.conditions)}});
  }
  a.text += "check: solved at numbers for the parameters in each region, in ball arithmetic\n";
  return a;
}

// Numbers that are approximate are said to be so below, not at each place.
std::string plain_decimals(std::string text) {
  constexpr std::string_view open = "double(";
  for (std::size_t at = 0; (at = text.find(open, at)) != std::string::npos;) {
    text.erase(at, open.size());
    text.erase(text.find(')', at), 1);
  }
  return text;
}

// One condition of one unknown, if that is what was given.
std::optional<Answer> inequality(const SolveRequest& r, const Assumed& assumed) {
  if (r.inputs.size() != 1 || r.inputs[0].find("==") != std::string::npos) return std::nullopt;
  const Expr c = read_input(r.inputs[0], assumed.context);
  const bool plain = c.is(Kind::relation) && c.relation_op() == RelationOp::equal;
  if (!is_condition(c) || plain || c.is_constant(ConstantCode::true_value) || c.is_constant(ConstantCode::false_value))
    return std::nullopt;
  const std::vector<Expr> unknowns = unknowns_of(r, assumed, {c});
  if (unknowns.size() != 1) throw Error(ErrorKind::usage, "an inequality is solved for one unknown: --for x");
  if (!depends_on(c, unknowns[0]))
    throw Error(ErrorKind::usage, "the unknown " + to_text(unknowns[0]) + " does not occur in the inequality");
  for (const Symbol& other : free_symbols(c)) {
    if (!(Expr(other) == unknowns[0])) return inequality_with_parameters(r, c, unknowns[0], assumed.conditions);
  }
  std::vector<Expr> all{c};
  all.insert(all.end(), assumed.conditions.begin(), assumed.conditions.end());
  const auto within = range_within(r, assumed, unknowns);
  const IntervalSet s = solve_inequality(all.size() == 1 ? c : conjunction(all), unknowns[0], {within});
  Answer a;
  a.json["status"] = s.solved ? to_string(s.status) : "unevaluated";
  a.json["complete"] = s.solved;
  a.json["reason"] = s.reason;
  a.json["check"] = {{"method", "truth at and between all places where it may change, in ball arithmetic"},
                     {"points", 2 * s.intervals.size() + 1},
                     {"digits", s.solved ? 15 : 0},
                     {"worst", nullptr},
                     {"verdict", s.solved ? "agrees" : "untested"}};
  if (!s.solved) {
    a.json["result"] = nullptr;
    a.text = fmt::format("unevaluated: {}{}\n", s.reason,
                         within ? "" : fmt::format(" (--within \"{} from 0 to 10\")", to_text(unknowns[0])));
    return a;
  }
  const Expr result = s.condition(unknowns[0]);
  a.json["result"] = to_text(result);
  const std::string x = to_text(unknowns[0]);
  a.text = s.intervals.empty()                            ? fmt::format("no real {}\n", x)
           : result.is_constant(ConstantCode::true_value) ? fmt::format("every real {}\n", x)
                                                          : plain_decimals(typeset(r, result)) + "\n";
  if (s.status == SolveStatus::approximate)
    a.text += "approximate: ends without a closed form are numbers, certified to 16 digits; there are no others\n";
  a.text += "check: truth at and between the ends of the intervals, in ball arithmetic\n";
  return a;
}

// Those of the answer as a whole, and those that every solution has.
std::vector<std::string> common_conditions(const SolutionSet& s) {
  std::vector<std::string> out;
  const auto add = [&](const Expr& c) {
    const std::string text = to_text(c);
    if (std::find(out.begin(), out.end(), text) == out.end()) out.push_back(text);
  };
  for (const Expr& c : s.conditions) add(c);
  if (s.solutions.empty()) return out;
  for (const Expr& c : s.solutions[0].conditions) {
    const bool all = std::all_of(s.solutions.begin(), s.solutions.end(), [&](const Solution& other) {
      return std::find(other.conditions.begin(), other.conditions.end(), c) != other.conditions.end();
    });
    if (all) add(c);
  }
  return out;
}

}  // namespace

Answer answer_of(const SolveRequest& r, const SolutionSet& s) {
  Answer a;
  show_solutions(r, s, a);
  conclude(r, s, a);
  return a;
}

void conclude(const SolveRequest& r, const SolutionSet& s, Answer& a) {
  const bool numbers = r.approximate && s.status == SolveStatus::exact;
  a.json["status"] = numbers ? "approximate" : to_string(s.status);
  a.json["complete"] = s.complete;
  a.json["multiplicities"] = Json::array();
  a.json["solution_conditions"] = Json::array();
  for (const Solution& one : s.solutions) {
    a.json["multiplicities"].push_back(one.multiplicity);
    a.json["solution_conditions"].push_back(Json(texts(one.conditions)));
  }
  a.text += conclusion(s);
  if (!s.conditions.empty()) a.text += fmt::format("valid for {}\n", fmt::join(texts(s.conditions), ", "));
  a.json["conditions"] = Json(common_conditions(s));
  add_exceptions(s.exceptions, a);
  a.json["free"] = Json(texts(s.free));
  a.json["integers"] = Json(texts(s.integers));
  a.json["reason"] = s.reason;
  a.json["check"] = json_of(s.check);
  if (s.check.verdict == Verdict::agrees)
    a.text += fmt::format("check: {} ({} value{} at {} point{})\n", s.check.method, s.check.entries,
                          s.check.entries == 1 ? "" : "s", s.check.points, s.check.points == 1 ? "" : "s");
  if (r.steps && !s.steps.empty()) a.text += fmt::format("route:\n  {}\n", fmt::join(s.steps, "\n  "));
}

namespace {

// --complex: the unknowns are read as complex symbols.
Assumed assumptions_with_complex(const SolveRequest& r) {
  Assumed assumed = assumptions_of(r);
  if (!r.complex) return assumed;
  const bool named = !r.solve_for.peek().empty();
  const std::vector<Expr> unknowns =
      named ? named_unknowns(r, assumed) : unknowns_of(r, assumed, equations_of(r, assumed));
  for (const Expr& u : unknowns) {
    if (!u.is(Kind::symbol)) continue;
    if (const auto known = assumed.context.names.find(u.name()); known != assumed.context.names.end())
      throw Error(ErrorKind::usage,
                  fmt::format("--complex and what --assume or --set says of {} do not go together", u.name()));
    assumed.context.names.emplace(u.name(), Symbol(u.name(), {Assumption::complex}));
  }
  return assumed;
}

// --stationary and --inverse: of one expression.
Answer consequence_of(const SolveRequest& r) {
  if (r.stationary && r.inverse) throw Error(ErrorKind::usage, "--stationary and --inverse do not go together");
  const Assumed assumed = assumptions_with_complex(r);
  const char* const what = r.stationary ? "--stationary" : "--inverse";
  if (r.inputs.size() != 1) throw Error(ErrorKind::usage, fmt::format("{} takes one expression", what));
  const Expr f = read_input(r.inputs[0], assumed.context);
  if (is_condition(f))
    throw Error(ErrorKind::usage, fmt::format("{} takes an expression, not an equation or a condition", what));
  std::vector<Expr> unknowns;
  if (r.stationary && r.solve_for.peek().empty()) {
    for (const Symbol& s : free_symbols(f)) unknowns.emplace_back(s);
    if (unknowns.empty()) throw Error(ErrorKind::usage, "the expression contains no symbol");
  } else {
    unknowns = unknowns_of(r, assumed, {f});
  }
  SolveOptions options;
  options.conditions = assumed.conditions;
  if (r.stationary) return stationary_points_of(r, f, unknowns, options);
  if (unknowns.size() != 1) throw Error(ErrorKind::usage, "--inverse is of a function of one symbol: --for x");
  return answer_of(r, inverse(Function("f", {Symbol::from(unknowns[0])}, f, Unused::allowed), options).solutions);
}

// A model with more equations than unknowns is fitted; what solve was asked for goes on.
FitRequest fit_request(const SolveRequest& r) {
  FitRequest f;
  static_cast<Request&>(f) = r;
  static_cast<FigureOptions&>(f) = r;
  f.digits = r.digits;
  return f;
}

// With most of the budget: where that is used up, the answer is unevaluated and says so.
SolutionSet within_budget(const SolveRequest& r, const std::vector<Expr>& equations, const std::vector<Expr>& unknowns,
                          const SolveOptions& options) {
  const std::uint64_t most = r.work / 10 * 9;
  try {
    const WorkBudget budget(most);
    return boreon::solve(equations, unknowns, options);
  } catch (const Stopped& s) {
    if (limit_reached(s.error()) != Limit::work) throw;
    SolutionSet out;
    out.status = SolveStatus::unevaluated;
    out.reason = fmt::format(
        "{} equation{} for {} unknown{} take{} more work than the budget of {} units; raise it with "
        "--work {}{}",
        equations.size(), equations.size() == 1 ? "" : "s", unknowns.size(), unknowns.size() == 1 ? "" : "s",
        equations.size() == 1 ? "s" : "", r.work, 10 * r.work,
        free_symbols(equations).size() > unknowns.size() ? ", or give parameters numbers (--set)" : "");
    const std::string known = known_of_system(equations, unknowns, options.conditions);
    if (!known.empty()) out.reason += "; " + known;
    return out;
  }
}

Answer answer_to(const SolveRequest& r) {
  if (r.loops) return solve_in_loops(r);
  if (is_model(r.inputs.at(0))) {
    const Model m = model_of(r);
    if (m.objective && m.equations.size() < m.unknowns.size())
      throw Error(ErrorKind::usage,
                  fmt::format("'{}' leaves a choice ({} equations for {} unknowns): optimise finds the best one",
                              m.called(), m.equations.size(), m.unknowns.size()));
    if (r.exact) return exact_solution_of_model(r, m);
    if (r.roots) return roots_of_model(r, m);
    if (r.compare_jacobian) return jacobians_of_model(r, m);
    const bool more_equations = m.equations.size() > m.unknowns.size() && !m.in_time() && m.fits.empty();
    return more_equations ? fit_of_model(fit_request(r), m) : solve_model(r, m);
  }
  if (r.stationary || r.inverse) return consequence_of(r);
  if (asks_for_field(r)) return solve_partial_equation(r);
  if (asks_for_functions(r) && !r.small.peek().empty()) return solve_by_perturbation(r);
  if (asks_for_functions(r) && r.series.peek() > 0) return solve_by_series(r);
  if (asks_for_functions(r)) {
    const FunctionProblem p = function_problem(r);
    return is_difference_equation(p) ? solve_difference_equation(r, p) : solve_differential_equations(r, p);
  }
  if (r.series.peek() > 0)
    throw Error(ErrorKind::usage,
                "--series is for a differential equation: --for \"y(t)\"; boreon series expands "
                "a function");
  if (!r.given.empty()) return solve_for_constants(r);
  const Assumed assumed = assumptions_with_complex(r);
  if (auto a = inequality(r, assumed)) return *a;
  const std::vector<Expr> equations = equations_of(r, assumed);
  const bool named = !r.solve_for.peek().empty();
  std::vector<Expr> unknowns;
  if (named) unknowns = unknowns_of(r, assumed, equations);
  for (const Expr& call : unknown_calls(equations)) {
    if (std::find(unknowns.begin(), unknowns.end(), call) != unknowns.end()) continue;  // it is asked for itself
    if (call.operands().size() == 3 && !call.operands()[2].is_integer(0))
      throw Error(ErrorKind::usage, fmt::format("a derivative of {0} occurs: a differential equation is solved for the "
                                                "function, --for \"{0}({1})\"",
                                                call.name(), to_text(call.operands()[1])));
  }
  if (!named) unknowns = unknowns_of(r, assumed, equations);
  SolveOptions options;
  options.conditions = assumed.conditions;
  options.within = range_within(r, assumed, unknowns);
  return answer_of(r, within_budget(r, equations, unknowns, options));
}

}  // namespace

void SolveRequest::declare(Declaration& d) {
  d.add("--for", solve_for, "the unknowns: x,y; functions as \"y(t)\"").formulas();
  d.add("--given", given, "values of unknown functions, or of one whose constants are asked: \"y(0)=1, y'(0)=2\"")
      .formulas();
  d.add("--approximate", approximate, "numbers in place of exact solutions, with --digits of them (15)");
  d.add("--exact", exact,
        "the equations of a model in closed form, in its parameters; for the unknowns or what --for names");
  d.add("--roots", roots, "all steady states of a model within its bounds");
  d.add("--compare-jacobian", compare_jacobian,
        "the solve of a model with the derived Jacobian, differences, single precision, an old one");
  d.add(
      "--plot", plot,
      "figure of functions over --over, of the fields of a model; with --compare-jacobian of the convergence: .png or "
      ".svg");
  declare_range(d, "range of the figure of functions: \"t from 0 to 10\"");
  d.add("--show", show, "fields in the figure: T,flux");
  d.add("--log-y", log_y, "logarithmic value axis");
  d.add("--complex", complex, "over the complex numbers, functions inverted with all their branches");
  d.add("--stationary", stationary, "where all derivatives of an expression are zero: minima, maxima, saddles");
  d.add("--inverse", inverse, "the inverse function of an expression, all branches, as functions of y");
  d.add("--within", within, "all roots in a range of the unknown: \"x from 0 to 10\"").formulas();
  d.add("--series", series, "a differential equation by a power series up to this order").within(1, 60);
  d.add("--about", about, "the place of --series (0)").formulas();
  d.add("--small", small, "by powers of this small parameter, up to --series (2)");
  d.add("--steps", steps, "explain the route");
  declare_solver(d);
  d.add("--digits", digits, "significant digits of the values (6 for models, up to 17)").within(1, 100000);
  d.add("--verbose", verbose, "print the iteration table");
  declare_loops(d);
  declare_draws(d);
}

Command solve_command() {
  return command<SolveRequest>(
      "solve", "equations and differential equations exactly, or the steady state of a model",
      "  boreon solve \"x^2 - a*x = 7\" --for x\n"
      "  boreon solve \"u + v = p\" \"u*v = q\" --for u,v\n"
      "  boreon solve \"sin(x) = 1/2\"\n"
      "  boreon solve \"x = cos(x)\" --within \"x from 0 to 2\"\n"
      "  boreon solve \"exp(z) = -1\" --complex\n"
      "  boreon solve \"x^3 - 3*x + y^2\" --stationary\n"
      "  boreon solve \"y'' + w^2*y = 0\" --for \"y(t)\" --given \"y(0)=1, y'(0)=0\" --assume \"w > 0\"\n"
      "  boreon solve \"y'' + y'/5 + 4*y = 0\" --for \"y(t)\" --given \"y(0)=1, y'(0)=0\" --plot y.png "
      "--over \"t from 0 to 10\"\n"
      "  boreon solve \"y(n+1) = 2*y(n) + n\" --for \"y(n)\" --given \"y(0)=1\"\n"
      "  boreon solve \"y'' + t*y = 0\" --for \"y(t)\" --series 6\n"
      "  boreon solve \"y'' + y + eps*y^3 = 0\" --for \"y(t)\" --given \"y(0)=1, y'(0)=0\" --small eps --series 1\n"
      "  boreon solve model.toml\n"
      "  boreon solve model.toml --set k1=2e-7 --verbose\n"
      "  boreon solve model.toml --roots\n"
      "  boreon solve plate.toml --loops --save T=steady.npy\n",
      answer_to);
}

}  // namespace boreon::cli
