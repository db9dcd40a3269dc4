// SPDX-License-Identifier: MIT
// simplify, expand, factor, rewrite: other forms of an expression, each compared with its input by numbers.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <complex>

#include "command.hpp"
#include "derive.hpp"

namespace boreon::cli {
namespace {

// Of an expression, or of a quantity of a model.
struct FormRequest : Request {
  Option<std::string> of;

  void declare(Declaration& d) override { d.add("--of", of, "output or equation of the model"); }
};

struct ExpandRequest : FormRequest {};
struct FactorRequest : FormRequest {};

struct SimplifyRequest : FormRequest {
  Option<std::string> form;
  Option<std::vector<std::string>> by;
  Option<std::size_t> points{0};

  void declare(Declaration& d) override {
    d.add("--form", form,
          "expanded, factored, collected, fraction, partial-fractions, exponentials, sines, expanded-angles, "
          "combined-angles, expanded-logarithms, combined-logarithms");
    d.add("--by", by, "symbols that --form collected and partial-fractions go by").formulas();
    FormRequest::declare(d);
    d.add("--points", points, "random points to compare at (6)").within(1, 10000);
  }
};

struct RewriteRequest : FormRequest {
  Option<std::vector<std::string>> rules;
  Option<std::vector<std::string>> rule_files;
  Option<std::string> order{"bottom-up"};
  Option<std::string> extent{"fixed-point"};
  Option<std::size_t> limit{0};

  void declare(Declaration& d) override {
    d.add("--rule", rules, "PATTERN becomes REPLACEMENT for any NAMES, rest NAME where CONDITIONS").formulas();
    d.add("--rules", rule_files, "file of rules, one a line, # for comments").files();
    d.add("--order", order, "bottom-up or top-down").one_of({"bottom-up", "top-down"});
    d.add("--extent", extent, "first, pass or fixed-point").one_of({"first", "pass", "fixed-point"});
    d.add("--limit", limit, "most applications (10000)").within(1, 100000000);
    FormRequest::declare(d);
  }
};

// One expression, or a quantity of a model with all its definitions written out.
Expr expression_of(const FormRequest& r, const Assumed& assumed, bool* carried_out = nullptr) {
  if (is_model(r.inputs.at(0))) {
    const Model model = model_of(r);
    const System system = system_of(model);
    std::vector<std::string> names = system.output_names;
    for (std::size_t i = 0; i < names.size(); ++i) {
      if (names[i] == r.of.get()) return system.outputs[i];
    }
    for (std::size_t i = 0; i < system.equation_names.size(); ++i) {
      if (system.equation_names[i] == r.of.get()) return system.residuals[i];
    }
    names.insert(names.end(), system.equation_names.begin(), system.equation_names.end());
    throw Error(ErrorKind::usage, fmt::format("--of names an output or an equation of the model{} (there are: {})",
                                              suggestion(r.of.get(), names), fmt::join(names, ", ")));
  }
  require_one_expression(r);
  const Expr e = read_input(r.inputs[0], assumed.context);
  if (carried_out != nullptr) {
    postorder(e, [&](const Expr& n) {
      *carried_out = *carried_out || n.is(Kind::integral) || n.is(Kind::reduction) || n.is(Kind::limit);
    });
  }
  return evaluate_operators(e, assumed.conditions);
}

std::string text_of(const Comparison& c) {
  if (!c.agrees) {
    std::string at;
    for (const auto& [name, value] : c.worst_point)
      at += fmt::format("{}{} = {:.6g}", at.empty() ? "" : ", ", name, value);
    return "DISAGREES with the input at " + at;
  }
  if (c.points == 0)
    return c.digits > 0 ? "the form is that of the input: the same canonical form"
                        : "untested: no point was found where the input has a value";
  return fmt::format("equal to the input to {:.0f} digits at {} random {} (ball arithmetic)",
                     std::floor(std::min(c.digits, 99.0)), c.points, c.points == 1 ? "point" : "points");
}

SimplifyOptions options_of(const Assumed& assumed, std::size_t points = 0) {
  SimplifyOptions o;
  o.conditions = assumed.conditions;
  if (points != 0) o.points = points;
  return o;
}

std::vector<Expr> by_of(const SimplifyRequest& r, const Assumed& assumed) {
  std::vector<Expr> list;
  for (const std::string& word : r.by) {
    for (const std::string& part : split(word)) list.push_back(parse(part, assumed.context));
  }
  return list;
}

Answer concluded(const Request& r, const Expr& result, const Comparison& c, const Assumed& assumed) {
  Answer a;
  a.text = typeset(r, result) + "\n";
  a.json["result"] = to_text(result);
  a.json["status"] = "exact";
  a.json["check"] = json_of(c);
  a.json["conditions"] = assumed.texts;
  a.text += fmt::format("check: {}\n", text_of(c));
  if (!c.agrees) a.exit_code = 1;
  return a;
}

// A form of e, compared with it.
Answer compared(const Request& r, const Expr& e, const Expr& result, const Assumed& assumed, std::size_t points = 0) {
  return concluded(r, result, compare(e, result, options_of(assumed, points)), assumed);
}

Answer answer_to(const SimplifyRequest& r) {
  const Assumed assumed = assumptions_of(r);
  bool carried_out = false;  // whether the input held integrals, sums or limits
  const Expr e = expression_of(r, assumed, &carried_out);
  const std::vector<Expr> by = by_of(r, assumed);
  if (!r.form.empty()) {
    const auto variable = [&]() -> Expr {
      if (!by.empty()) return by[0];
      const auto symbols = free_symbols(e);
      if (symbols.size() == 1) return symbols[0];
      throw Error(ErrorKind::usage, fmt::format("--form {} needs --by: the symbol it goes by", r.form.get()));
    };
    const auto collected = [&]() -> Expr { return by.empty() ? collect(e, variable()) : collect(e, by); };
    const std::map<std::string, std::function<Expr()>> forms{
        {"expanded", [&] { return expand(e); }},
        {"factored", [&] { return factor(e); }},
        {"collected", collected},
        {"fraction", [&] { return combine_fractions(e); }},
        {"partial-fractions", [&] { return partial_fractions(e, variable()); }},
        {"exponentials", [&] { return in_exponentials(e); }},
        {"sines", [&] { return in_sines_and_cosines(e); }},
        {"expanded-angles", [&] { return expand_angles(e); }},
        {"combined-angles", [&] { return combine_angles(e); }},
        {"expanded-logarithms", [&] { return expand_logarithms(e); }},
        {"combined-logarithms", [&] { return combine_logarithms(e); }}};
    const auto at = forms.find(r.form.get());
    if (at == forms.end()) {
      std::vector<std::string> names;
      for (const auto& [name, f] : forms) names.push_back(name);
      throw Error(ErrorKind::usage, fmt::format("'{}' is no form{} (known: {})", r.form.get(),
                                                suggestion(r.form.get(), names), fmt::join(names, ", ")));
    }
    return compared(r, e, at->second(), assumed, r.points);
  }
  if (!by.empty()) throw Error(ErrorKind::usage, "--by goes with --form collected or --form partial-fractions");
  const Simplified s = simplify_with_report(e, options_of(assumed, r.points));
  Answer a = concluded(r, s.expression, s.check, assumed);
  a.json["operations"] = {{"before", s.cost_before}, {"after", s.cost_after}};
  if (carried_out) a.text += "integrals, sums and limits were carried out first, each verified by its own check\n";
  a.text += fmt::format("operations: {} before, {} after{}\n", s.cost_before, s.cost_after,
                        s.work_exhausted ? "; the search stopped at its limit of work" : "");
  return a;
}

Answer answer_to(const ExpandRequest& r) {
  const Assumed assumed = assumptions_of(r);
  const Expr e = expression_of(r, assumed);
  return compared(r, e, expand(e), assumed);
}

Answer answer_to(const FactorRequest& r) {
  const Assumed assumed = assumptions_of(r);
  const Expr e = expression_of(r, assumed);
  return compared(r, e, factor(e), assumed);
}

Answer answer_to(const RewriteRequest& r) {
  const Assumed assumed = assumptions_of(r);
  const Expr e = expression_of(r, assumed);
  std::vector<Rule> rules;
  for (const std::string& file : r.rule_files) {
    for (Rule& rule : parse_rules(read_file(file), assumed.context)) rules.push_back(std::move(rule));
  }
  for (const std::string& text : r.rules) {
    for (Rule& rule : parse_rules(text, assumed.context)) rules.push_back(std::move(rule));
  }
  if (rules.empty())
    throw Error(ErrorKind::usage,
                "--rule gives a rule: --rule \"sin(u)^2 + cos(u)^2 becomes 1 for any u\", --rules a file of them");
  RewriteOptions o;
  o.order = r.order.get() == "top-down" ? RewriteOrder::top_down : RewriteOrder::bottom_up;
  o.extent = r.extent.get() == "first"  ? RewriteExtent::first
             : r.extent.get() == "pass" ? RewriteExtent::pass
                                        : RewriteExtent::fixed_point;
  if (r.limit.get() != 0) o.limit = r.limit.get();
  o.given = assumed.conditions;
  const Rewritten w = rewrite_with_report(e, rules, o);
  Answer a;
  a.text = typeset(r, w.expression) + "\n";
  a.json["result"] = to_text(w.expression);
  a.json["status"] = "exact";
  a.json["conditions"] = assumed.texts;
  a.json["applications"] = w.applications;
  a.json["limit_reached"] = w.limit_reached;
  for (const auto& [name, count] : w.by_rule) {
    a.json["rules"].push_back({{"rule", name}, {"applications", count}});
    a.text += fmt::format("{:>6}x  {}\n", count, name);
  }
  if (w.limit_reached)
    a.text += fmt::format(
        "stopped at the limit after {} applications: the rules may go round in circles (--limit raises it)\n",
        w.applications);
  if (w.applications == 0) a.text += "no rule fits anywhere\n";
  if (!is_condition(e) && !is_condition(w.expression)) {
    const Comparison c = compare(e, w.expression, options_of(assumed));
    a.json["check"] = json_of(c);
    a.text += c.agrees ? fmt::format("check: {}\n", text_of(c))
                       : "check: the rules change the value; the result is not equal to the input\n";
  }
  return a;
}

}  // namespace

Answer equivalence(const CheckRequest& r) {
  const Assumed assumed = assumptions_of(r);
  const Expr e = read_input(r.inputs.at(0), assumed.context);
  if (e.is(Kind::constant)) {  // both sides have one canonical form, or differ as numbers
    const bool holds = e.is_constant(ConstantCode::true_value);
    Answer a;
    a.text = holds ? "  proved: both sides have the same canonical form\n"
                   : "  refuted: the two sides are different numbers\n";
    a.json["result"] = holds ? "proved" : "refuted";
    a.json["status"] = "exact";
    a.json["check"] = {{"method", "canonical form"},
                       {"points", 0},
                       {"digits", 0},
                       {"worst", nullptr},
                       {"verdict", holds ? "agrees" : "disagrees"}};
    a.exit_code = holds ? 0 : 1;
    return a;
  }
  const EquivalenceResult q = equivalent(evaluate_derivatives(e.operands()[0]), evaluate_derivatives(e.operands()[1]),
                                         options_of(assumed, r.points));
  Answer a;
  a.text = fmt::format("  {}: {}\n", to_string(q.verdict), q.reason);
  a.json["result"] = to_string(q.verdict);
  a.json["status"] = "exact";
  a.json["reason"] = q.reason;
  if (q.verdict == Equivalence::proved && q.points > 0)
    a.text += fmt::format("  and the values agree to {:.0f} digits at {} points, of all signs\n",
                          std::floor(std::min(q.digits, 99.0)), q.points);
  Json worst = nullptr;
  if (q.verdict == Equivalence::refuted) {
    std::string at;
    worst = {{"left", complex_text(q.left, 10)}, {"right", complex_text(q.right, 10)}};
    for (const auto& [name, value] : q.counterexample) {
      at += fmt::format("{}{} = {:.10g}", at.empty() ? " at " : ", ", name, value);
      worst["at"][name] = value;
    }
    a.text += fmt::format("  left {}, right {}{}\n", complex_text(q.left, 10), complex_text(q.right, 10), at);
  }
  a.json["check"] = {{"method", "exact rewriting; ball arithmetic at random points"},
                     {"points", q.points},
                     {"digits", q.verdict == Equivalence::proved && q.points == 0 ? 100 : std::min(q.digits, 100.0)},
                     {"worst", worst},
                     {"verdict", q.verdict == Equivalence::proved    ? "agrees"
                                 : q.verdict == Equivalence::refuted ? "disagrees"
                                                                     : "untested"}};
  a.exit_code = q.verdict == Equivalence::refuted ? 1 : 0;
  return a;
}

Command simplify_command() {
  return command<SimplifyRequest>("simplify", "the cheapest equal form, or the one asked for",
                                  "  boreon simplify \"sin(x)^2 + cos(x)^2\"\n"
                                  "  boreon simplify \"sqrt(x^2)\" --assume \"x > 0\"\n"
                                  "  boreon simplify \"(x^2 + 1)/(x^3 - x)\" --form partial-fractions\n"
                                  "  boreon simplify \"a*x + b*x + c\" --form collected --by x\n"
                                  "  boreon simplify model.toml --of energy\n",
                                  answer_to);
}

Command expand_command() {
  return command<ExpandRequest>("expand", "products and powers of sums written out",
                                "  boreon expand \"(x + y)^3*(x - y)\"\n", answer_to);
}

Command factor_command() {
  return command<FactorRequest>("factor", "irreducible factors over the rationals",
                                "  boreon factor \"x^10 - 1\"\n"
                                "  boreon factor \"x^2*y^2 - x^2 - y^2 + 1\" --format unicode\n",
                                answer_to);
}

Command rewrite_command() {
  return command<RewriteRequest>(
      "rewrite", "rules of your own",
      "  boreon rewrite \"2*sin(x)^2 + 2*cos(x)^2 + y\" --rule \"k*sin(u)^2 + k*cos(u)^2 becomes k for any u, k\"\n"
      "  boreon rewrite \"log(2*x*y)\" --assume \"x > 0, y > 0\" --rule \"log(a*b) becomes log(a) + log(b) for any a, "
      "rest b where a > 0, b > 0\"\n"
      "  boreon rewrite \"f(f(f(x)))\" --rule \"f(u) becomes u + 1 for any u\" --extent first\n",
      answer_to);
}

}  // namespace boreon::cli
