// integrate: antiderivatives, definite and iterated integrals.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>


#include "request.hpp"

namespace boreon::cli {
namespace {

IntegralRange range_of(const std::string& text, const Assumed& assumed) {
  Expr node;
  try {
    node = parse("integral(0, " + text + ")", assumed.context);
  } catch (const Error& e) {
    throw Error(ErrorKind::usage, fmt::format("--over takes a variable such as z, or a range such as \"z from 0 to 5*H\", not '{}' ({})", text, e.message()));
  }
  IntegralRange range{node.operands()[1], {}, {}};
  if (node.operands().size() == 4) {
    range.from = node.operands()[2];
    range.to = node.operands()[3];
  }
  return range;
}

std::string sentence(const IntegralResult& result) {
  if (result.check.verdict != Verdict::agrees) return "check: untested\n";
  return fmt::format("check: {} ({:.0f} digits at {} {})\n", result.check.method, std::floor(result.check.digits), result.check.points, result.check.points == 1 ? "point" : "points");
}

}  // namespace

Answer integrate_command(const Request& r) {
  const Assumed assumed = assumptions_of(r);
  if (r.inputs.size() != 1 || is_model(r.inputs[0])) throw Error(ErrorKind::usage, "integrate takes one expression; quote it as one word");
  if (r.over.empty()) throw Error(ErrorKind::usage, "say over what: --over z, or --over \"z from 0 to 5*H\"");
  const Expr f = read_input(r.inputs[0], assumed.context);
  std::vector<IntegralRange> ranges;
  for (const std::string& text : r.over) ranges.push_back(range_of(text, assumed));
  IntegralOptions o;
  o.conditions = assumed.conditions;
  o.principal_value = r.principal_value;
  const IntegralResult result = integrate(f, ranges, o);
  Answer a;
  a.json["result"] = to_text(result.value);
  a.json["status"] = result.status == IntegralStatus::divergent ? "exact" : to_string(result.status);
  std::vector<std::string> conditions = assumed.texts;
  std::vector<std::string> extra;
  for (const Expr& c : result.conditions) {
    conditions.push_back(to_text(c));
    extra.push_back(to_text(c));
  }
  a.json["conditions"] = conditions;
  a.json["exceptions"] = Json::array();
  for (const auto& [when, value] : result.exceptions) a.json["exceptions"].push_back({{"when", to_text(when)}, {"value", to_text(value)}});
  a.json["check"] = json_of(result.check);
  if (!result.reason.empty()) a.json["reason"] = result.reason;
  if (r.steps) a.json["steps"] = result.steps;
  switch (result.status) {
    case IntegralStatus::divergent: a.text = fmt::format("  the integral diverges: {}\n", result.reason); break;
    case IntegralStatus::unevaluated: a.text = fmt::format("{}\nunevaluated: {}\n", typeset(r, result.value), result.reason); break;
    default: a.text = typeset(r, result.value) + "\n";
  }
  if (!extra.empty()) a.text += fmt::format("valid for {}\n", fmt::join(extra, ", "));
  for (const auto& [when, value] : result.exceptions) {
    a.text += value.is_constant(ConstantCode::undefined) ? fmt::format("where {}: divergent\n", to_text(when)) : fmt::format("where {}: {}\n", to_text(when), to_text(value));
  }
  if (result.status == IntegralStatus::exact && !result.value.has_symbols() && !result.value.is(Kind::number)) {
    try {
      a.text += fmt::format("= {}\n", certify(result.value, {}, r.digits > 0 ? r.digits : 15).to_string());
    } catch (const Error&) {
    }
  }
  if (result.status == IntegralStatus::exact) a.text += sentence(result);
  if (r.steps) {
    a.text += "route:\n";
    for (const std::string& s : result.steps) a.text += "  " + s + "\n";
  }
  return a;
}

}  // namespace boreon::cli
