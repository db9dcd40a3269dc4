// SPDX-License-Identifier: MIT
// sum: closed forms of sums, and sums without end as numbers.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <cmath>

#include "boreon/sums.hpp"
#include "command.hpp"

namespace boreon::cli {
namespace {

struct SumRequest : Request {
  Option<std::string> over;

  void declare(Declaration& d) override {
    d.add("--over", over, "the index and its range: \"k from 1 to n\", \"k from 0 to infinity\"").formulas();
  }
};

// A sum without end whose terms have values, as a number.
void add_number(const Request& r, const Expr& sum, Answer& a) {
  const auto from = sum.operands()[2].word();
  if (!sum.operands()[3].is_constant(ConstantCode::infinity) || !from) return;
  for (const Symbol& s : free_symbols(sum.operands()[0])) {
    if (!(s == sum.operands()[1])) return;
  }
  const NumericSum n = numeric_sum(sum.operands()[0], sum.operands()[1], *from);
  if (!n.converged) {
    r.warn("no number for it: " + n.reason);
    return;
  }
  a.json["value"] = n.value.real();
  a.json["error"] = n.error;
  a.text += fmt::format("  = {}   (error about {:.1e})\n", complex_text(n.value, 13), n.error);
}

Answer answer_to(const SumRequest& r) {
  const Assumed assumed = assumptions_of(r);
  require_one_expression(r);
  if (r.over.empty()) throw Error(ErrorKind::usage, "say over what: --over \"k from 1 to n\"");
  const Expr term = read_input(r.inputs[0], assumed.context);
  Expr range;
  try {
    range = parse("sum(0, " + r.over.get() + ")", assumed.context);
  } catch (const Error& e) {
    throw Error(ErrorKind::usage,
                fmt::format("--over takes an index and its range, such as \"k from 1 to n\", not '{}' ({})",
                            r.over.get(), e.message()));
  }
  const std::vector<Expr> ends(range.operands().begin(), range.operands().end());
  const Expr open = unevaluated_sum(term, ends[1], ends[2], ends[3]);
  Answer a;
  a.json["conditions"] = assumed.texts;
  a.json["exceptions"] = Json::array();
  SumResult s;
  try {
    s = sum_with_report(term, ends[1], ends[2], ends[3], assumed.conditions);
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::domain) throw;
    s.divergent = true;
    s.method = e.message();
  }
  if (s.divergent) {
    a.json["result"] = nullptr;
    a.json["status"] = "divergent";
    a.json["reason"] = s.method;
    a.text = fmt::format("divergent: {}\n", s.method);
    return a;
  }
  for (const Expr& c : s.conditions) a.json["conditions"].push_back(to_text(c));
  Evidence check;
  check.method = s.closed ? "adding up the terms" : "no closed form to check";
  check.points = s.points;
  check.entries = 1;
  if (s.closed)
    check.verdict =
        s.points > 0 || s.method == "a constant term" || s.method == "no terms" ? Verdict::agrees : Verdict::untested;
  a.json["status"] = s.closed ? "exact" : "unevaluated";
  a.json["result"] = s.closed ? Json(to_text(s.value)) : Json(nullptr);
  a.json["check"] = json_of(check);
  a.json["method"] = s.method;
  a.text = typeset(r, s.closed ? s.value : open) + "\n";
  if (!s.closed) {
    a.json["reason"] = "no closed form was found";
    a.text += "unevaluated: no closed form was found\n";
    add_number(r, open, a);
    return a;
  }
  std::vector<std::string> conditions;
  for (const Expr& c : s.conditions) conditions.push_back(to_text(c));
  if (!conditions.empty()) a.text += fmt::format("valid for {}\n", fmt::join(conditions, ", "));
  a.text += fmt::format("by {}; check: {} ({} point{})\n", s.method, check.method, s.points, s.points == 1 ? "" : "s");
  return a;
}

}  // namespace

Command sum_command() {
  return command<SumRequest>("sum", "sums in closed form, added up beside; sums without end as numbers",
                             "  boreon sum \"k^2\" --over \"k from 1 to n\"\n"
                             "  boreon sum \"1/(k^2 + a^2)\" --over \"k from 1 to infinity\" --assume \"a > 0\"\n"
                             "  boreon sum \"1/(k^3 + k + 1)\" --over \"k from 1 to infinity\"\n",
                             answer_to);
}

}  // namespace boreon::cli
