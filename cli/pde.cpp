// SPDX-License-Identifier: MIT
// solve --for "u(x,t)": partial differential equations.
#include <fmt/format.h>

#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/names.hpp"
#include "boreon/pde.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "json.hpp"
#include "solve.hpp"
#include "values.hpp"

namespace boreon::cli {
namespace {

struct TwoVariables {
  std::string name;
  std::string first;
  std::string second;
};

// u(x,t), blanks away
std::optional<TwoVariables> of_two(std::string text) {
  std::erase(text, ' ');
  const std::size_t open = text.find('(');
  const std::size_t comma = text.find(',');
  if (open == std::string::npos || comma == std::string::npos || comma < open || text.back() != ')')
    return std::nullopt;
  TwoVariables u{text.substr(0, open), text.substr(open + 1, comma - open - 1),
                 text.substr(comma + 1, text.size() - comma - 2)};
  if (!is_identifier(u.name) || !is_identifier(u.first) || !is_identifier(u.second)) return std::nullopt;
  return u;
}

std::optional<TwoVariables> asked_for(const SolveRequest& r) {
  const auto& lists = r.solve_for.peek();
  return lists.size() == 1 ? of_two(lists[0]) : std::nullopt;
}

// "derivative(u(x,t), x) = 0 at x = 1", or with the place in the call: "u(x,0) = sin(x)"
Expr condition_of(const std::string& text, const ParseContext& context) {
  const std::size_t at = text.find(" at ");
  const Expr e = difference(text.substr(0, at), context, "--given");
  if (at == std::string::npos) return e;
  const std::string place = text.substr(at + 4);
  const Expr where = read_input(place, context, "--given");
  if (!where.is(Kind::relation) || where.relation_op() != RelationOp::equal || !where.operands()[0].is(Kind::symbol))
    throw Error(ErrorKind::usage, fmt::format("after 'at' a place is expected, such as x = 1, not '{}'", place));
  return substitute(evaluate_derivatives(e), {{where.operands()[0], where.operands()[1]}}, Unused::allowed);
}

}  // namespace

bool asks_for_field(const SolveRequest& r) { return asked_for(r).has_value(); }

Answer solve_partial_equation(const SolveRequest& r) {
  const TwoVariables u = *asked_for(r);
  (void)r.solve_for.get();
  if (u.first == u.second) throw Error(ErrorKind::usage, "the two variables of " + u.name + " are the same");
  const Assumed assumed = assumptions_of(r);
  ParseContext context = assumed.context;
  context.functions.emplace(u.name, 2);
  const Expr unknown = UnknownFunction(u.name)(symbol_named(u.first, assumed), symbol_named(u.second, assumed));
  if (r.inputs.size() != 1) throw Error(ErrorKind::usage, "a partial differential equation is solved by itself");
  const Expr equation = difference(r.inputs[0], context, "");
  PdeOptions options;
  options.conditions = assumed.conditions;
  for (const std::string& list : r.given) {
    for (const std::string& text : split(list)) options.given.push_back(condition_of(text, context));
  }
  const PdeSolution s = solve_pde(equation, unknown, options);
  Answer a = begun_answer(to_string(s.status), s.reason, s.check);
  if (s.status == SolveStatus::unevaluated) return a;
  a.json["result"] = to_text(s.value);
  if (s.term) {
    a.json["term"] = to_text(*s.term);
    a.json["beside"] = to_text(*s.beside);
    a.json["from"] = s.from;
  }
  a.text = typeset(r, relation(RelationOp::equal, unknown, s.value)) + "\n";
  if (s.arbitrary) a.text += fmt::format("{} is any function of one variable\n", s.arbitrary->name());
  if (!s.conditions.empty()) a.text += fmt::format("looked at where {}\n", fmt::join(texts(s.conditions), " and "));
  a.text += fmt::format("check: {} ({:.0f} digits at {} points)\n", s.check.method, s.check.digits, s.check.points);
  add_route(r, s.steps, a);
  return a;
}

}  // namespace boreon::cli
