// SPDX-License-Identifier: MIT
// What follows from equations: slopes of curves, stationary points.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

#include "boreon/equations.hpp"
#include "derive.hpp"
#include "solve.hpp"

namespace boreon::cli {

Answer implicit_slope(const DeriveRequest& r) {
  const Assumed assumed = assumptions_of(r);
  if (r.inputs.size() != 1) throw Error(ErrorKind::usage, "--implicit takes one equation");
  if (!r.what.empty()) throw Error(ErrorKind::usage, "--implicit and --what do not go together");
  const Expr input = read_input(r.inputs[0], assumed.context);
  const bool equation_given = input.is(Kind::relation) && input.relation_op() == RelationOp::equal;
  if (is_condition(input) && !equation_given)
    throw Error(ErrorKind::usage,
                fmt::format("--implicit takes an equation with one equals sign, not '{}'", r.inputs[0]));
  const Expr e = equation_given ? input.operands()[0] - input.operands()[1] : input;
  const Expr y = read_input(r.implicit.get(), assumed.context, "--implicit");
  std::vector<Expr> by;
  for (const std::string& list : r.wrt) {
    for (const std::string& part : split(list)) by.push_back(read_input(part, assumed.context, "--wrt"));
  }
  if (by.empty()) {
    for (const Symbol& s : free_symbols(e)) {
      if (!(s == y)) by.emplace_back(s);
    }
    if (by.size() != 1) throw Error(ErrorKind::usage, "--wrt says by which symbol: --implicit y --wrt x");
  }
  if (std::any_of(by.begin(), by.end(), [&](const Expr& x) { return !(x == by[0]); }))
    throw Error(ErrorKind::usage,
                "--implicit goes with one symbol in --wrt, several times for higher derivatives: x,x");
  std::vector<Expr> all;
  for (unsigned k = 1; k <= by.size(); ++k) all.push_back(implicit_derivative(e, y, by[0], k));
  Answer a;
  a.text = typeset(r, all.back()) + "\n";
  a.json["result"] = to_text(all.back());
  a.json["status"] = "exact";
  const Evidence evidence = r.no_check ? Evidence{} : check_implicit_derivatives(e, y, by[0], all, assumed.conditions);
  a.json["check"] = json_of(evidence);
  a.text += fmt::format("check: {}\n", evidence.to_string());
  if (evidence.verdict == Verdict::disagrees) a.exit_code = 1;
  return a;
}

Answer stationary_points_of(const SolveRequest& r, const Expr& f, const std::vector<Expr>& unknowns,
                            const SolveOptions& options) {
  const StationarySet s = stationary_points(f, unknowns, options);
  Answer a;
  show_solutions(r, s.solutions, a);  // the fields
  a.text.clear();
  a.json["points"] = Json::array();
  for (const StationaryPoint& p : s.points) {
    std::vector<std::string> at;
    for (const Bindings::Entry& v : p.at.values.entries())
      at.push_back(fmt::format("{} = {}", to_text(v.target), to_text(v.value)));
    const char* const kind = p.at.real ? to_string(p.kind) : "not real";
    a.text += fmt::format("  {}: {}, value {}", fmt::join(at, ", "), kind, to_text(p.value));
    if (!p.value.has_symbols() && !p.value.is_number() && p.at.real)
      a.text += fmt::format(" = {}", complex_text(evaluate_complex(p.value), r.digits.peek() > 0 ? r.digits.get() : 6));
    if (!p.at.conditions.empty()) a.text += fmt::format("   if {}", fmt::join(texts(p.at.conditions), " and "));
    a.text += "\n";
    a.json["points"].push_back({{"kind", kind}, {"value", to_text(p.value)}});
  }
  conclude(r, s.solutions, a);
  return a;
}

}  // namespace boreon::cli
