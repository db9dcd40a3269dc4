// SPDX-License-Identifier: MIT
// integrate: antiderivatives, definite and iterated integrals.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "command.hpp"

namespace boreon::cli {
namespace {

struct IntegrateRequest : Request {
  Option<std::vector<std::string>> over;
  Option<bool> principal_value{false};
  Option<bool> numeric{false};
  Option<int> digits{0};
  Option<bool> steps{false};
  Option<std::string> coordinates;

  void declare(Declaration& d) override {
    d.add("--over", over, "z, or \"z from 0 to 5*H\"; several nest, the first one innermost").formulas();
    d.add("--principal-value", principal_value, "Cauchy's principal value at poles inside the range");
    d.add("--numeric", numeric, "a number by quadrature");
    d.add("--digits", digits, "digits of the number (15)").within(1, 1000);
    d.add("--steps", steps, "explain the route");
    d.add("--coordinates", coordinates, "cylindrical, spherical or dipole: multiplies by the volume element");
  }
};

IntegralRange range_of(const std::string& text, const Assumed& assumed) {
  Expr node;
  try {
    node = parse("integral(0, " + text + ")", assumed.context);
  } catch (const Error& e) {
    throw Error(ErrorKind::usage,
                fmt::format("--over takes a variable such as z, or a range such as \"z from 0 to 5*H\", not '{}' ({})",
                            text, e.message()));
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
  return fmt::format("check: {} ({:.0f} digits at {} {})\n", result.check.method, std::floor(result.check.digits),
                     result.check.points, result.check.points == 1 ? "point" : "points");
}

// The volume element of named coordinates, in the variables of the ranges.
Expr volume_element(const IntegrateRequest& r, const std::vector<IntegralRange>& ranges) {
  const Coordinates c = Coordinates::named(r.coordinates.get());
  Bindings b;
  std::vector<std::string> missing;
  for (const Expr& v : c.variables()) {
    const auto at = std::find_if(ranges.begin(), ranges.end(),
                                 [&](const IntegralRange& range) { return range.variable.name() == v.name(); });
    if (at == ranges.end()) {
      missing.push_back(v.name());
    } else {
      b.set(v.name(), at->variable);
    }
  }
  if (!missing.empty()) {
    throw Error(ErrorKind::usage, fmt::format("the volume element of {} coordinates needs a range for {} too",
                                              r.coordinates.get(), fmt::join(missing, " and ")));
  }
  return substitute(c.volume_element(), b, Unused::allowed);
}

// A number, with parameters from --set; the inner integrals of an iterated one inside the outer ones.
Answer by_quadrature(const IntegrateRequest& r, const Expr& f, const std::vector<IntegralRange>& ranges) {
  const Bindings b;
  for (const IntegralRange& range : ranges) {
    if (!range.from)
      throw Error(ErrorKind::usage, "--numeric needs a range for every variable: --over \"x from 0 to 1\"");
  }
  Expr integrand = f;
  for (std::size_t i = 0; i + 1 < ranges.size(); ++i)
    integrand = unevaluated_integral(integrand, ranges[i].variable, *ranges[i].from, *ranges[i].to);
  const IntegralRange& last = ranges.back();
  QuadratureOptions o;
  o.breaks = places_to_split(integrand, last.variable, *last.from, *last.to, b);
  o.certify = true;
  Answer a;
  a.json["status"] = "approximate";
  if (r.digits.get() > 15) {
    const QuadratureDigits q =
        quadrature_to_digits(integrand, last.variable, *last.from, *last.to, r.digits.get(), b, o.breaks);
    if (!q.converged)
      throw Error(ErrorKind::convergence, fmt::format("quadrature reached {} digits of the {} asked for: {}", q.digits,
                                                      r.digits.get(), q.value));
    a.json["result"] = q.value;
    a.json["check"] = {{"method", "quadrature, estimated error"},
                       {"points", 1},
                       {"digits", q.digits},
                       {"worst", nullptr},
                       {"verdict", "untested"}};
    a.text = fmt::format("  {}\nquadrature; the error estimate vouches for {} digits\n", q.value, q.digits);
    return a;
  }
  const QuadratureResult q = quadrature(integrand, last.variable, *last.from, *last.to, b, o);
  if (!q.converged)
    throw Error(ErrorKind::convergence,
                q.reason.empty() ? fmt::format("quadrature does not converge (it found {:.6g} with an estimated error "
                                               "of {:.2g}); does the integral?",
                                               q.value, q.error)
                                 : fmt::format("the integrand has no real value somewhere in the range: {}", q.reason));
  const double digits =
      q.value == 0 ? 15 : std::min(15.0, -std::log10(std::max(q.error, 1e-16 * std::abs(q.value)) / std::abs(q.value)));
  a.json["result"] = fmt::format("{}", q.value);
  a.json["check"] = {{"method", q.certified ? "enclosed in ball arithmetic" : "quadrature, estimated error"},
                     {"points", q.evaluations},
                     {"digits", digits},
                     {"worst", {{"error", q.error}}},
                     {"verdict", q.certified ? "agrees" : "untested"}};
  a.text = fmt::format("  {:.15g}\nquadrature with {} evaluations, {} {:.2g}\n", q.value, q.evaluations,
                       q.certified ? "enclosed in ball arithmetic: the error is at most" : "estimated error", q.error);
  return a;
}

Answer answer_to(const IntegrateRequest& r) {
  const Assumed assumed = assumptions_of(r);
  require_one_expression(r);
  if (r.over.empty()) throw Error(ErrorKind::usage, "say over what: --over z, or --over \"z from 0 to 5*H\"");
  Expr f = evaluate_operators(read_input(r.inputs[0], assumed.context), assumed.conditions);
  std::vector<IntegralRange> ranges;
  for (const std::string& text : r.over) ranges.push_back(range_of(text, assumed));
  if (!r.coordinates.empty()) f *= volume_element(r, ranges);
  if (r.numeric) return by_quadrature(r, f, ranges);
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
  for (const auto& [when, value] : result.exceptions)
    a.json["exceptions"].push_back({{"when", to_text(when)}, {"value", to_text(value)}});
  a.json["check"] = json_of(result.check);
  if (!result.reason.empty()) a.json["reason"] = result.reason;
  if (r.steps) a.json["steps"] = result.steps;
  switch (result.status) {
    case IntegralStatus::divergent: a.text = fmt::format("  the integral diverges: {}\n", result.reason); break;
    case IntegralStatus::unevaluated:
      a.text = fmt::format("{}\nunevaluated: {}\n", typeset(r, result.value), result.reason);
      break;
    default: a.text = typeset(r, result.value) + "\n";
  }
  if (result.status == IntegralStatus::exact && !result.reason.empty()) a.text += result.reason + "\n";
  if (!extra.empty()) a.text += fmt::format("valid for {}\n", fmt::join(extra, ", "));
  for (const auto& [when, value] : result.exceptions) {
    a.text += value.is_constant(ConstantCode::undefined) ? fmt::format("where {}: divergent\n", to_text(when))
                                                         : fmt::format("where {}: {}\n", to_text(when), to_text(value));
  }
  if (result.status == IntegralStatus::exact && !result.value.has_symbols() && !result.value.is(Kind::number)) {
    try {
      const Enclosure c = certify(result.value, {}, r.digits.get() > 0 ? r.digits.get() : 15);
      // a real number written with complex parts keeps an imaginary ball around 0
      const bool real = c.imaginary.empty() || std::abs(std::strtod(c.imaginary.c_str(), nullptr)) <= 2 * c.radius;
      a.text += fmt::format("= {}\n", real ? c.real : c.to_string());
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

}  // namespace

Command integrate_command() {
  return command<IntegrateRequest>(
      "integrate", "antiderivatives, definite, improper and iterated integrals, checked against quadrature",
      "  boreon integrate \"z*exp(-z/H)\" --over z\n"
      "  boreon integrate \"z*exp(-z/H)\" --over \"z from 0 to 5*H\" --assume \"H > 0\"\n"
      "  boreon integrate \"r^2*sin(theta)\" --over \"r from a to b\" --over \"theta from 0 to pi\" --over \"phi from "
      "0 to 2*pi\"\n"
      "  boreon integrate \"sin(x)*cos(n*x)\" --over \"x from 0 to pi\" --assume \"n integer\"\n"
      "  boreon integrate \"1/(x - 1)\" --over \"x from 0 to 3\" --principal-value\n"
      "  boreon integrate \"x^x\" --over \"x from 0 to 1\" --numeric --digits 30\n",
      answer_to);
}

}  // namespace boreon::cli
