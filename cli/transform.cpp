// SPDX-License-Identifier: MIT
// transform: Laplace, Fourier and z-transforms, their inverse, and Fourier coefficients.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "boreon/fourier_integral.hpp"
#include "boreon/recurrence.hpp"
#include "boreon/transform.hpp"
#include "command.hpp"
#include "curves.hpp"

namespace boreon::cli {
namespace {

struct TransformRequest : Request, FigureOptions, RangeOptions {
  Option<std::string> laplace;
  Option<std::string> inverse_laplace;
  Option<std::string> fourier;
  Option<std::string> extension;
  Option<std::string> fourier_transform;
  Option<std::string> inverse_fourier;
  Option<std::string> convention;
  Option<std::string> z;
  Option<std::string> inverse_z;
  Option<std::string> times;
  Option<std::vector<std::string>> harmonics;
  Option<bool> steps{false};

  void declare(Declaration& d) override {
    d.add("--laplace", laplace, "from time to the image: \"t to s\"").formulas();
    d.add("--inverse-laplace", inverse_laplace, "back: \"s to t\"").formulas();
    d.add("--fourier", fourier, "coefficients over one period from 0: \"t over 2*pi\"").formulas();
    d.add("--extension", extension, "even or odd: --fourier names half of the period, \"t over 1\"")
        .one_of({"even", "odd"});
    d.add("--fourier-transform", fourier_transform, "over the whole line: \"t to w\"").formulas();
    d.add("--inverse-fourier", inverse_fourier, "back: \"w to t\"").formulas();
    d.add("--convention", convention,
          "angular: exp(-i*w*t) and 1/(2*pi) on the way back; unitary: 1/sqrt(2*pi) both ways; frequency: "
          "exp(-2*pi*i*w*t) and no factor (angular)")
        .one_of({"angular", "unitary", "frequency"});
    d.add("--z", z, "of a sequence: \"n to z\"").formulas();
    d.add("--inverse-z", inverse_z, "back: \"z to n\"").formulas();
    d.add("--times", times, "with --inverse-laplace: numbers at these times, also without a closed form, \"0.5, 1, 2\"")
        .formulas();
    d.add("--harmonics", harmonics, "with --fourier and --plot: the partial sums in the figure, up to 1,5,20 (5)");
    d.add("--plot", plot,
          "figure of the transform over --over; with --fourier of the signal and its sums: .png or .svg");
    declare_range(d);
    d.add("--log-y", log_y, "logarithmic value axis");
    d.add("--steps", steps, "explain the route");
  }
};

// "t to s" as two names, "t over 2*pi" as a name and a text; the example shows the word in between.
std::pair<std::string, std::string> two_sides(const std::string& text, const char* option, std::string_view example) {
  const std::string word = example.find(" over ") == std::string_view::npos ? " to " : " over ";
  const std::size_t at = text.find(word);
  std::string left = at == std::string::npos ? "" : text.substr(0, at);
  std::string right = at == std::string::npos ? "" : text.substr(at + word.size());
  const auto trim = [](std::string& s) {
    s.erase(0, std::min(s.find_first_not_of(' '), s.size()));
    s.erase(s.find_last_not_of(' ') + 1);
  };
  trim(left);
  trim(right);
  if (left.empty() || right.empty())
    throw Error(ErrorKind::usage, fmt::format("{} takes \"{}\", not '{}'", option, example, text));
  return {left, right};
}

std::string digits_found(const Evidence& e) {
  return fmt::format("check: {} ({:.0f} digits at {} {})\n", e.method, std::floor(e.digits), e.points,
                     e.points == 1 ? "point" : "points");
}

Json texts_of(const std::vector<std::string>& given, const std::vector<Expr>& found) {
  std::vector<std::string> out = given;
  for (const Expr& c : found) out.push_back(to_text(c));
  return Json(out);
}

std::string validity(const std::vector<Expr>& conditions) {
  std::vector<std::string> texts;
  for (const Expr& c : conditions) texts.push_back(to_text(c));
  return texts.empty() ? "" : fmt::format("valid for {}\n", fmt::join(texts, ", "));
}

// A transform with its conditions, exceptions and evidence.
Answer shown(const TransformRequest& r, const Assumed& assumed, const TransformResult& t) {
  Answer answer;
  const bool exact = t.status == TransformStatus::exact;
  answer.json["result"] = exact || t.check.verdict == Verdict::agrees ? Json(to_text(t.value)) : Json(nullptr);
  answer.json["status"] = to_string(t.status);
  answer.json["conditions"] = texts_of(assumed.texts, t.conditions);
  answer.json["exceptions"] = Json::array();
  for (const TransformException& x : t.exceptions)
    answer.json["exceptions"].push_back({{"when", to_text(x.when)}, {"value", to_text(x.value)}});
  answer.json["check"] = json_of(t.check);
  if (!t.reason.empty()) answer.json["reason"] = t.reason;
  if (r.steps) answer.json["steps"] = Json(t.steps);
  if (exact || t.check.verdict == Verdict::agrees) answer.text = typeset(r, t.value) + "\n";
  if (!exact) answer.text += fmt::format("unevaluated: {}\n", t.reason);
  answer.text += validity(t.conditions);
  for (const TransformException& x : t.exceptions)
    answer.text += fmt::format("where {}: {}\n", to_text(x.when),
                               x.value.is_constant(ConstantCode::undefined) ? "not found" : to_text(x.value));
  if (t.check.verdict == Verdict::agrees) {
    answer.text += digits_found(t.check);
  } else if (exact) {
    answer.text += fmt::format("check: untested ({})\n", t.check.method);
  }
  if (r.steps && !t.steps.empty()) answer.text += fmt::format("route:\n  {}\n", fmt::join(t.steps, "\n  "));
  return answer;
}

// The transform as a figure, where --plot asks for it.
void add_transform_curve(const TransformRequest& r, const Assumed& assumed, const TransformResult& t,
                         const std::string& variable, Answer& answer) {
  if (r.plot.empty()) return;
  if (t.status != TransformStatus::exact)
    throw Error(ErrorKind::unsupported, "there is no closed form to plot: " + t.reason);
  add_curves(r, r, r, assumed, {{to_text(t.value, {60}), t.value}}, variable, answer);
}

// --times: the inverse transform as numbers.
void add_numbers(const TransformRequest& r, const ParseContext& context, const Expr& F, const Expr& s,
                 const std::string& t, Answer& answer) {
  std::vector<double> times;
  for (const std::string& text : split(r.times.get())) times.push_back(evaluate(read_input(text, context, "--times")));
  const NumericInversion n = inverse_laplace_values(F, s, times);
  answer.json["values"] = Json::array();
  answer.text += fmt::format("{:>14} {:>22} {:>10}\n", t, "value", "error");
  for (const InvertedValue& v : n.values) {
    answer.text += fmt::format("{:>14.8g} {:>22.12g} {:>10.1e}\n", v.t, v.value, v.error);
    answer.json["values"].push_back({{"at", v.t}, {"value", v.value}, {"error", v.error}});
  }
  answer.json["values_check"] = json_of(n.check);
  if (n.check.verdict == Verdict::agrees) {
    answer.text += digits_found(n.check);
  } else {
    answer.exit_code = 1;
    r.warn(n.check.verdict == Verdict::disagrees
               ? fmt::format("the numbers do not give the transform back: {:.6g} at {} = {:.6g}, which is {:.6g}",
                             n.check.worst_derived, n.check.worst_point[0].first, n.check.worst_point[0].second,
                             n.check.worst_reference)
               : "the numbers could not be transformed back, so nothing confirms them");
  }
}

Answer of_pair(const TransformRequest& r, const Assumed& assumed, const TransformOptions& options, bool inverse) {
  const char* option = inverse ? "--inverse-laplace" : "--laplace";
  const auto [from, to] =
      two_sides(inverse ? r.inverse_laplace.get() : r.laplace.get(), option, inverse ? "s to t" : "t to s");
  ParseContext context = assumed.context;
  context.independent = Symbol(inverse ? to : from);
  const Expr e = read_input(r.inputs[0], context);
  const Expr a = read_input(from, context, option);
  const Expr b = read_input(to, context, option);
  const TransformResult t = inverse ? inverse_laplace_transform(e, a, b, options) : laplace_transform(e, a, b, options);
  Answer answer = shown(r, assumed, t);
  if (inverse && !r.times.empty()) add_numbers(r, context, e, a, to, answer);
  add_transform_curve(r, assumed, t, to, answer);
  return answer;
}

// Over the whole line.
Answer of_line(const TransformRequest& r, const Assumed& assumed, const TransformOptions& options, bool inverse) {
  const char* option = inverse ? "--inverse-fourier" : "--fourier-transform";
  const auto [from, to] =
      two_sides(inverse ? r.inverse_fourier.get() : r.fourier_transform.get(), option, inverse ? "w to t" : "t to w");
  const std::string& name = r.convention.get();
  const FourierConvention convention = name == "unitary"     ? FourierConvention::unitary
                                       : name == "frequency" ? FourierConvention::frequency
                                                             : FourierConvention::angular;
  const Expr e = read_input(r.inputs[0], assumed.context);
  const Expr a = read_input(from, assumed.context, option);
  const Expr b = read_input(to, assumed.context, option);
  const TransformResult t = inverse ? inverse_fourier_transform(e, a, b, convention, options)
                                    : fourier_transform(e, a, b, convention, options);
  Answer answer = shown(r, assumed, t);
  answer.json["convention"] = to_string(convention);
  const char* const kernel = convention == FourierConvention::frequency ? "2*pi*i" : "i";
  const char* const factor = convention == FourierConvention::unitary              ? "1/sqrt(2*pi) times the "
                             : convention == FourierConvention::angular && inverse ? "1/(2*pi) times the "
                                                                                   : "the ";
  answer.text += fmt::format("convention {}: {}integral of f*exp({}{}*{}*{}) over {}\n", to_string(convention), factor,
                             inverse ? "" : "-", kernel, to_text(a), to_text(b), to_text(a));
  add_transform_curve(r, assumed, t, to, answer);
  return answer;
}

// Of a sequence.
Answer of_sequence(const TransformRequest& r, const Assumed& assumed, const TransformOptions& options, bool inverse) {
  const char* option = inverse ? "--inverse-z" : "--z";
  const auto [from, to] = two_sides(inverse ? r.inverse_z.get() : r.z.get(), option, inverse ? "z to n" : "n to z");
  const Expr e = read_input(r.inputs[0], assumed.context);
  const Expr a = read_input(from, assumed.context, option);
  const Expr b = read_input(to, assumed.context, option);
  return shown(r, assumed, inverse ? inverse_z_transform(e, a, b, options) : z_transform(e, a, b, options));
}

Answer of_signal(const TransformRequest& r, const Assumed& assumed, const TransformOptions& options) {
  const auto [name, period_text] = two_sides(r.fourier.get(), "--fourier", "t over 2*pi");
  Expr f = read_input(r.inputs[0], assumed.context);
  const Expr t = read_input(name, assumed.context, "--fourier");
  Expr period = read_input(period_text, assumed.context, "--fourier");
  if (!r.extension.empty()) {
    f = extended(f, t, period, r.extension.get() == "even" ? Extension::even : Extension::odd);
    period = 2 * period;
  }
  const FourierCoefficients c = fourier_coefficients(f, t, period, options);
  Answer answer;
  const bool exact = c.status == TransformStatus::exact;
  answer.json["status"] = to_string(c.status);
  answer.json["conditions"] = texts_of(assumed.texts, c.conditions);
  answer.json["check"] = json_of(c.check);
  answer.json["exceptions"] = Json::array();
  answer.json["result"] = nullptr;
  if (!exact) {
    answer.json["reason"] = c.reason;
    answer.text = fmt::format("unevaluated: {}\n", c.reason);
    return answer;
  }
  answer.json["result"] = {{"a0", to_text(c.mean)}, {"an", to_text(c.a)}, {"bn", to_text(c.b)}};
  const auto line = [&](const char* what, const Expr& e) { return typeset(r, equation(Symbol(what), e)) + "\n"; };
  answer.text = line("a0", c.mean) + line("an", c.a) + line("bn", c.b);
  for (const FourierException& e : c.exceptions) {
    answer.json["exceptions"].push_back(
        {{"when", fmt::format("n = {}", e.n)}, {"value", {{"an", to_text(e.a)}, {"bn", to_text(e.b)}}}});
    answer.text += fmt::format("where n = {}: an = {}, bn = {}\n", e.n, to_text(e.a), to_text(e.b));
  }
  answer.text += fmt::format("the signal is a0 + sum of an*cos({0}) + bn*sin({0}) over n = 1, 2, ...\n",
                             to_text(2 * pi() * c.n * t / period));
  answer.text += validity(c.conditions);
  answer.text +=
      fmt::format("check: {} (mean and harmonics 1 to {}, {:.0f} digits)\n", c.check.method,
                  (c.check.entries / std::max<std::size_t>(c.check.points, 1)) / 2, std::floor(c.check.digits));
  if (!r.plot.empty()) {
    std::vector<int> harmonics;
    for (const std::string& list : r.harmonics) {
      for (const std::string& text : split(list)) {
        const auto n = read_input(text, {}, "--harmonics").word();
        if (!n || *n < 0 || *n > 10000)
          throw Error(ErrorKind::usage, fmt::format("--harmonics takes whole numbers from 0 to 10000, not '{}'", text));
        harmonics.push_back(static_cast<int>(*n));
      }
    }
    const Expr within = t - period * floor(t / period);
    std::vector<Graph> graphs{
        {to_text(read_input(r.inputs[0], {}), {60}), substitute(f, Bindings{{t, within}}, Unused::allowed)}};
    for (Graph& g : graphs_of(c, t, harmonics.empty() ? std::vector<int>{5} : harmonics))
      graphs.push_back(std::move(g));
    add_curves(r, r, r, assumed, graphs, name, answer);
  }
  return answer;
}

Answer answer_to(const TransformRequest& r) {
  const Assumed assumed = assumptions_of(r);
  require_one_expression(r);
  int asked = 0;
  for (const auto* option :
       {&r.laplace, &r.inverse_laplace, &r.fourier, &r.fourier_transform, &r.inverse_fourier, &r.z, &r.inverse_z})
    asked += option->peek().empty() ? 0 : 1;
  if (asked != 1)
    throw Error(
        ErrorKind::usage,
        "say which transform: --laplace \"t to s\", --inverse-laplace \"s to t\", --fourier \"t over 2*pi\", "
        "--fourier-transform \"t to w\", --inverse-fourier \"w to t\", --z \"n to z\" or --inverse-z \"z to n\"");
  TransformOptions options;
  options.conditions = assumed.conditions;
  if (!r.fourier.peek().empty()) return of_signal(r, assumed, options);
  if (!r.fourier_transform.peek().empty()) return of_line(r, assumed, options, false);
  if (!r.inverse_fourier.peek().empty()) return of_line(r, assumed, options, true);
  if (!r.z.peek().empty()) return of_sequence(r, assumed, options, false);
  if (!r.inverse_z.peek().empty()) return of_sequence(r, assumed, options, true);
  return of_pair(r, assumed, options, !r.inverse_laplace.peek().empty());
}

}  // namespace

Command transform_command() {
  return command<TransformRequest>(
      "transform",
      "Laplace, Fourier and z-transforms, their inverse, and Fourier coefficients, checked against numbers",
      "  boreon transform \"t*exp(-a*t)\" --laplace \"t to s\"\n"
      "  boreon transform \"exp(-s)/(s^2 + 1)\" --inverse-laplace \"s to t\"\n"
      "  boreon transform \"1/(s + log(s + 2))\" --inverse-laplace \"s to t\" --times \"0.5, 1, 2\"\n"
      "  boreon transform \"exp(-t)\" --fourier \"t over 1\" --plot sums.png --over \"t from -1 to 2\" --harmonics "
      "3,20\n"
      "  boreon transform \"abs(sin(t))\" --fourier \"t over 2*pi\"\n"
      "  boreon transform \"t\" --fourier \"t over L\" --extension odd --assume \"L > 0\"\n"
      "  boreon transform \"n*a^n\" --z \"n to z\"\n"
      "  boreon transform \"z/(z^2 - z - 1)\" --inverse-z \"z to n\"\n"
      "  boreon transform \"y'' + y\" --laplace \"t to s\"\n"
      "  boreon transform \"exp(-abs(t))\" --fourier-transform \"t to w\"\n"
      "  boreon transform \"1/(1 + w^2)\" --inverse-fourier \"w to t\" --convention unitary\n",
      answer_to);
}

}  // namespace boreon::cli
