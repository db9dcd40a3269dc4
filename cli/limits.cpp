// SPDX-License-Identifier: MIT
// limit and series.
#include <fmt/format.h>

#include <cmath>

#include "boreon/series.hpp"
#include "command.hpp"

namespace boreon::cli {
namespace {

struct LimitRequest : Request {
  Option<std::string> at;

  void declare(Declaration& d) override {
    d.add("--at", at, "the place: \"x to 0\", \"x to infinity\", \"x to a from below\"").formulas();
  }
};

struct SeriesRequest : Request {
  Option<std::string> about;
  Option<int> order{6};

  void declare(Declaration& d) override {
    d.add("--about", about, "the point: x=0, x=a, x=infinity").formulas();
    d.add("--order", order, "largest exponent (6)");
  }
};

Json texts_of(const std::vector<Expr>& conditions, std::vector<std::string> texts) {
  for (const Expr& c : conditions) texts.push_back(to_text(c));
  return texts;
}

Expr single_expression(const Request& r, const Assumed& assumed) {
  require_one_expression(r);
  return evaluate_operators(read_input(r.inputs[0], assumed.context), assumed.conditions);
}

struct Place {
  Expr x;
  Expr about;
  LimitSide side = LimitSide::both;
};

// "x=0", "x=1 from below", "x=infinity"
Place place_of_series(const SeriesRequest& r, const Assumed& assumed) {
  if (r.about.empty()) {
    throw Error(ErrorKind::usage,
                "say about which point: --about x=0, --about \"x=1 from below\", --about \"x=infinity\"");
  }
  std::string text = r.about.get();
  Place p;
  for (const auto& [words, side] : {std::pair{" from above", LimitSide::above}, {" from below", LimitSide::below}}) {
    if (!text.ends_with(words)) continue;
    p.side = side;
    text.resize(text.size() - std::string_view(words).size());
  }
  const std::size_t sign = text.find('=');
  if (sign == std::string::npos)
    throw Error(
        ErrorKind::usage,
        fmt::format("--about takes a point such as x=0, \"x=1 from below\" or x=infinity, not '{}'", r.about.get()));
  p.x = parse(text.substr(0, sign), assumed.context);
  p.about = parse(text.substr(sign + 1), assumed.context);
  if (!p.x.is(Kind::symbol))
    throw Error(ErrorKind::usage, fmt::format("--about takes a point such as x=0, not '{}'", r.about.get()));
  return p;
}

const char* word_of(LimitSide side) {
  return side == LimitSide::both ? "both" : side == LimitSide::above ? "above" : "below";
}

Answer answer_to(const LimitRequest& r) {
  const Assumed assumed = assumptions_of(r);
  const Expr f = single_expression(r, assumed);
  if (r.at.empty())
    throw Error(ErrorKind::usage, "say where: --at \"x to 0\", --at \"x to infinity\", --at \"x to 0 from above\"");
  Expr place;
  try {
    place = parse("limit(0, " + r.at.get() + ")", assumed.context);
  } catch (const Error& e) {
    throw Error(
        ErrorKind::usage,
        fmt::format("--at takes a place such as \"x to 0\", \"x to infinity\" or \"x to a from below\", not '{}' ({})",
                    r.at.get(), e.message()));
  }
  const LimitResult l =
      limit_with_report(f, place.operands()[1], place.operands()[2], place.limit_side(), assumed.conditions);
  Answer a;
  a.json["result"] = to_text(l.value);
  a.json["status"] = "exact";
  a.json["conditions"] = texts_of(l.conditions, assumed.texts);
  if (l.value.is_constant(ConstantCode::undefined)) {
    a.text = fmt::format("  there is no limit: {}\n", l.reason);
    a.json["reason"] = l.reason;
    a.json["check"] = {{"method", "none"}, {"points", 0}, {"digits", 0}, {"worst", nullptr}, {"verdict", "untested"}};
    return a;
  }
  a.text = typeset(r, l.value) + "\n";
  const bool digits = l.points > 0 && l.digits >= 1;
  const bool infinite = l.value.is_constant(ConstantCode::infinity) || l.value == -infinity();
  const bool tested = digits || l.approached;
  a.text += digits ? fmt::format("check: the nearest of {} points on the way agrees to {:.0f} digits\n", l.points,
                                 std::floor(l.digits))
            : l.approached && infinite ? fmt::format("check: values at {} points on the way grow on and on\n", l.points)
            : l.approached             ? "check: values on the way come slowly nearer, also at distances of 10^-40\n"
                                       : "";
  a.json["check"] = {{"method", "values on the way to the place, ball arithmetic"},
                     {"points", l.points},
                     {"digits", l.digits},
                     {"worst", nullptr},
                     {"verdict", tested ? "agrees" : "untested"}};
  return a;
}

Answer answer_to(const SeriesRequest& r) {
  const Assumed assumed = assumptions_of(r);
  const Expr f = single_expression(r, assumed);
  const Place at = place_of_series(r, assumed);
  const Expr& x = at.x;
  const Expr& about = at.about;
  const SeriesResult s = series(f, x, about, r.order.get(), assumed.conditions, at.side);
  Answer a;
  std::vector<Expr> in_order;
  Json terms = Json::array();
  for (const SeriesTerm& t : s.terms) {
    in_order.push_back(t.coefficient * s.power_of(t.exponent));
    terms.push_back({{"exponent", t.exponent.to_string()}, {"coefficient", to_text(t.coefficient)}});
  }
  const Expr sum = s.expression();
  const auto order = std::make_shared<OperandOrder>();
  order->note(sum / s.factor, in_order);
  const PrintOptions ascending{.order = order};
  const std::string order_term =
      s.exact ? ""
              : fmt::format("O({})", to_text(s.factor * (about == -infinity() ? power(-s.local, Expr(s.next))
                                                                              : s.power_of(s.next))));
  a.text = typeset(r, sum, ascending) + "\n";
  a.text += s.exact ? "exact: nothing is left out\n"
                    : fmt::format("left out: {}{}\n", order_term,
                                  a.text.find("log") == std::string::npos ? "" : " up to logarithms");
  a.json["result"] = to_text(sum);
  a.json["status"] = "exact";
  a.json["terms"] = terms;
  a.json["factor"] = to_text(s.factor);
  a.json["order_term"] = order_term;
  a.json["conditions"] = texts_of(s.conditions, assumed.texts);
  a.json["side"] = word_of(s.side);
  if (s.side != LimitSide::both) {
    a.text += fmt::format("holds {}: {}\n", word_of(s.side), to_text(s.conditions.back()));
  }
  // the remainder over the last power must stay small close to the point
  SeriesEvidence check = check_series(s, f, x, about, assumed.conditions);
  a.text += check.points == 0 ? "check: untested\n"
                              : fmt::format("check: agrees with values near the point to {:.0f} digits at {} points\n",
                                            std::floor(check.digits), check.points);
  a.json["check"] = {{"method", "values near the point, ball arithmetic"},
                     {"points", check.points},
                     {"digits", check.digits},
                     {"worst", nullptr},
                     {"verdict", check.points == 0 ? "untested" : "agrees"}};
  return a;
}

}  // namespace

Command limit_command() {
  return command<LimitRequest>("limit", "limits, one-sided, two-sided and at infinity",
                               "  boreon limit \"sin(x)/x\" --at \"x to 0\"\n"
                               "  boreon limit \"exp(1/x)\" --at \"x to 0 from below\"\n"
                               "  boreon limit \"x^a*exp(-x)\" --at \"x to infinity\" --assume \"a > 0\"\n",
                               answer_to);
}

Command series_command() {
  return command<SeriesRequest>("series", "power, Laurent and Puiseux series, and asymptotic expansions at infinity",
                                "  boreon series \"exp(x)\" --about x=0 --order 6\n"
                                "  boreon series \"1/sin(x)\" --about x=0\n"
                                "  boreon series \"lgamma(x)\" --about x=infinity --order 4\n",
                                answer_to);
}

}  // namespace boreon::cli
