// SPDX-License-Identifier: MIT
// solve: difference equations given as text, for unknowns such as y(n).
#include "boreon/recurrence.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "solve.hpp"

namespace boreon::cli {

bool is_difference_equation(const FunctionProblem& p) {
  if (p.equations.size() != 1 || p.unknowns.size() != 1) return false;
  const Expr& n = p.unknowns[0].operands()[1];
  const std::vector<Expr> calls = unknown_calls(p.equations);
  const auto is_shifted = [&](const Expr& call) {
    return call.name() == p.unknowns[0].name() && call.operands().size() == 3 && !(call.operands()[1] == n) &&
           expand(call.operands()[1] - n).word().has_value();
  };
  const auto is_derived = [](const Expr& call) {
    return call.operands().size() == 3 && !call.operands()[2].is_integer(0);
  };
  return std::any_of(calls.begin(), calls.end(), is_shifted) && std::none_of(calls.begin(), calls.end(), is_derived);
}

Answer solve_difference_equation(const SolveRequest& r, const FunctionProblem& p) {
  const RecurrenceSolution s =
      solve_recurrence(p.equations[0], p.unknowns[0], {.conditions = p.assumed.conditions, .given = p.given});
  Answer a = begun_answer(to_string(s.status), s.reason, s.check);
  const bool found = s.check.verdict == Verdict::agrees;
  a.json["constants"] = Json(texts(s.constants));
  a.json["conditions"] = Json(texts(s.conditions));
  if (!found) return a;
  set_value(p, s.value, a);
  a.json["from"] = s.from;
  a.text = typeset(r, equation(p.unknowns[0], s.value)) + "\n" + a.text;
  a.text += fmt::format("for whole {} from {} on\n", p.variable, s.from);
  if (!s.conditions.empty()) a.text += fmt::format("valid for {}\n", fmt::join(texts(s.conditions), ", "));
  add_exceptions(s.exceptions, a);
  a.text += fmt::format("check: {} ({:.0f} digits at {} points)\n", s.check.method, std::floor(s.check.digits),
                        s.check.points);
  add_route(r, s.steps, a);
  return a;
}

}  // namespace boreon::cli
