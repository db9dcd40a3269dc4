// SPDX-License-Identifier: MIT
// response: a model around its steady state as a linear system.
#include "boreon/linear_response.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "command.hpp"
#include "sensitivity.hpp"
#include "values.hpp"

namespace boreon::cli {
namespace {

struct ResponseRequest : Request {
  Option<std::string> of;
  Option<std::vector<std::string>> wrt;
  Option<std::string> over;
  Option<std::size_t> points{0};
  Option<int> digits{0};
  Option<std::string> plot;

  void declare(Declaration& d) override {
    d.add("--of", of, "the output or unknown (the first output)");
    d.add("--wrt", wrt, "the parameter that is changed");
    d.add("--over", over, "range of angular frequencies: \"omega from 0.01 to 10\"").formulas();
    d.add("--points", points, "frequencies (401)").within(2, 100000);
    d.add("--digits", digits, "digits of the numbers (6)").within(1, 17);
    d.add("--plot", plot, "figure: magnitude and phase over frequency, step response");
  }
};

using Complex = std::complex<double>;

// "-0.0123, -0.5 +- 2.1*i": of a pair the one above the axis stands for both.
std::string listed(const std::vector<Complex>& list, int digits) {
  std::string text;
  for (const Complex& z : list) {
    if (z.imag() < 0) continue;
    text += text.empty() ? "" : ", ";
    text += z.imag() == 0 ? fmt::format("{:.{}g}", z.real() + 0.0, digits)
                          : fmt::format("{:.{}g} +- {:.{}g}i", z.real(), digits, z.imag(), digits);
  }
  return text;
}

std::string signed_term(const std::string& before, double factor, const std::string& rest, int digits) {
  const std::string number = fmt::format("{:.{}g}", std::fabs(factor), digits);
  const std::string sign = before.empty() ? (factor < 0 ? "-" : "") : (factor < 0 ? " - " : " + ");
  return sign + (rest.empty() ? number : number == "1" ? rest : number + "*" + rest);
}

// (s - a)*(s^2 - b*s + c)*... of real roots and pairs.
std::string factors(const std::vector<Complex>& roots, const std::string& s, int digits) {
  std::string text;
  for (const Complex& z : roots) {
    if (z.imag() < 0) continue;
    text += text.empty() ? "" : "*";
    if (z == Complex(0)) {
      text += s;
    } else if (z.imag() == 0) {
      text += fmt::format("({}{})", s, signed_term(s, -z.real(), "", digits));
    } else {
      std::string factor = s + "^2";
      if (z.real() != 0) factor += signed_term(factor, -2 * z.real(), s, digits);
      text += "(" + factor + signed_term(factor, std::norm(z), "", digits) + ")";
    }
  }
  return text;
}

std::string quotient_text(const LinearResponse& r, const std::string& s, int digits) {
  if (r.gain == 0) return "0";
  const std::string above = factors(r.zeros, s, digits);
  const std::string below = factors(r.poles, s, digits);
  std::string text = signed_term("", r.gain, above, digits);
  if (below.empty()) return text;
  const bool several = below.find(")*") != std::string::npos || below.find("*(") != std::string::npos;
  return text + "/" + (several ? "(" + below + ")" : below);
}

// d + sum of residues times (exp(p*t) - 1)/p, in real terms.
std::string step_text(const LinearResponse& r, const std::string& t, int digits) {
  double constant = r.d;
  std::string text;
  for (std::size_t k = 0; k < r.residues.size(); ++k) {
    const Complex p = r.poles[k];
    if (p.imag() < 0) continue;
    if (p == Complex(0)) {
      text += signed_term(text, r.residues[k].real(), t, digits);
      continue;
    }
    const Complex a = r.residues[k] / p * (p.imag() == 0 ? 1.0 : 2.0);
    constant -= a.real();
    const std::string decay = p.real() == 0 ? "" : "exp(" + signed_term("", p.real(), t, digits) + ")";
    if (p.imag() == 0) {
      text += signed_term(text, a.real(), decay, digits);
      continue;
    }
    const auto wave = [&](const char* name) {
      return fmt::format("{}{}({:.{}g}*{})", decay.empty() ? "" : decay + "*", name, p.imag(), digits, t);
    };
    if (a.real() != 0) text += signed_term(text, a.real(), wave("cos"), digits);
    if (a.imag() != 0) text += signed_term(text, -a.imag(), wave("sin"), digits);
  }
  // what is left of a sum that cancels is rounding
  double size = std::fabs(r.d);
  for (std::size_t k = 0; k < r.residues.size(); ++k)
    if (r.poles[k] != Complex(0)) size = std::max(size, std::abs(r.residues[k] / r.poles[k]));
  if (std::fabs(constant) > 1e-12 * size)
    text = signed_term("", constant, "", digits) + (text.starts_with("-") ? " - " + text.substr(1)
                                                    : text.empty()        ? ""
                                                                          : " + " + text);
  return text.empty() ? "0" : text;
}

struct Sweep {
  std::vector<double> omega;
  std::vector<double> magnitude;
  std::vector<double> phase;  // degrees, without jumps
};

Sweep swept(const LinearResponse& r, double from, double to, std::size_t points) {
  Sweep s;
  for (std::size_t k = 0; k < points; ++k) {
    const double u = static_cast<double>(k) / static_cast<double>(points - 1);
    const double omega = from * std::pow(to / from, u);
    const Complex g = r({0, omega});
    double phase = std::arg(g) * 180 / std::acos(-1.0);
    if (!s.phase.empty()) phase -= 360 * std::round((phase - s.phase.back()) / 360);
    s.omega.push_back(omega);
    s.magnitude.push_back(std::abs(g));
    s.phase.push_back(phase);
  }
  return s;
}

// Speeds of the system: frequencies at which something happens.
std::pair<double, double> natural_range(const LinearResponse& r) {
  double slow = std::numeric_limits<double>::infinity();
  double fast = 0;
  for (const auto* list : {&r.poles, &r.zeros}) {
    for (const Complex& z : *list) {
      if (std::abs(z) == 0) continue;
      slow = std::min(slow, std::abs(z));
      fast = std::max(fast, std::abs(z));
    }
  }
  if (fast == 0) return {0.01, 100};
  return {slow / 30, fast * 30};
}

// Where the magnitude falls below `level` for good, by halving an interval of the sweep.
double falls_below(const LinearResponse& r, const Sweep& s, double level) {
  for (std::size_t k = s.omega.size() - 1; k > 0; --k) {
    if (s.magnitude[k - 1] < level || s.magnitude[k] >= level) continue;
    double low = s.omega[k - 1];
    double high = s.omega[k];
    for (int i = 0; i < 60; ++i) {
      const double mid = std::sqrt(low * high);
      (std::abs(r({0, mid})) >= level ? low : high) = mid;
    }
    return low;
  }
  return std::numeric_limits<double>::quiet_NaN();
}

void draw_response(const ResponseRequest& r, const Model& m, const LinearResponse& g, const Sweep& s) {
  const std::string unit = m.independent_unit.empty() ? "" : " (rad/" + m.independent_unit + ")";
  Figure magnitude;
  magnitude.title = m.called();
  magnitude.subtitle = fmt::format("({} answers {})", g.output, g.input);
  magnitude.y_label = "magnitude";
  magnitude.logarithmic_x = true;
  magnitude.logarithmic_y = true;
  magnitude.curves = {{"", s.omega, s.magnitude}};
  Figure phase;
  phase.x_label = "angular frequency" + unit;
  phase.y_label = "phase (degrees)";
  phase.logarithmic_x = true;
  phase.curves = {{"", s.omega, s.phase}};
  for (Figure* f : {&magnitude, &phase}) {
    f->x_low = s.omega.front();
    f->x_high = s.omega.back();
  }
  std::vector<Figure> panels{magnitude, phase};
  if (g.in_closed_form() && g.stable) {
    Figure step;
    step.x_label = with_unit(m.independent.name(), m.independent_unit);
    step.y_label = "step response";
    double slowest = std::numeric_limits<double>::infinity();
    for (const Complex& p : g.poles) slowest = std::min(slowest, -p.real());
    const double end = std::isfinite(slowest) ? 7 / slowest : 1;
    Curve c{"", {}, {}};
    for (int k = 0; k <= 800; ++k) {
      c.x.push_back(end * k / 800);
      c.y.push_back(g.step(c.x.back()));
    }
    step.x_low = 0;
    step.x_high = end;
    step.curves = {c};
    panels.push_back(step);
  }
  write_figures(panels, r.plot.get(), output_policy(r));
}

Json json_of_list(const std::vector<Complex>& list) {
  Json j = Json::array();
  for (const Complex& z : list) j.push_back({{"real", z.real()}, {"imaginary", z.imag()}});
  return j;
}

// Where it is strongest, and where half of its power is lost.
void describe_frequencies(Answer& a, const LinearResponse& g, const Sweep& sweep, int digits) {
  const auto peak = std::max_element(sweep.magnitude.begin(), sweep.magnitude.end());
  a.json["resonance"] = nullptr;
  if (std::isfinite(g.at_rest) && *peak > 1.05 * std::fabs(g.at_rest) && peak != sweep.magnitude.begin() &&
      peak + 1 != sweep.magnitude.end()) {
    const double omega = sweep.omega[static_cast<std::size_t>(peak - sweep.magnitude.begin())];
    a.json["resonance"] = omega;
    a.text += fmt::format("  strongest near omega = {:.4g}, {:.4g} there\n", omega, *peak);
  }
  const double half = std::isfinite(g.at_rest) && g.at_rest != 0
                          ? falls_below(g, sweep, std::fabs(g.at_rest) / std::sqrt(2.0))
                          : std::numeric_limits<double>::quiet_NaN();
  a.json["half_power"] = std::isnan(half) ? Json(nullptr) : Json(half);
  if (!std::isnan(half)) a.text += fmt::format("  half of the power beyond omega = {:.{}g}\n", half, digits);
  a.json["frequencies"] = {{"omega", sweep.omega}, {"magnitude", sweep.magnitude}, {"phase", sweep.phase}};
}

void describe(Answer& a, const Request& r, const Model& m, const LinearResponse& g, const Sweep& sweep, int digits) {
  const std::string rate = m.independent_unit.empty() ? "" : "  1/" + m.independent_unit;
  const std::string quotient = g.as_quotient ? quotient_text(g, "s", digits) : std::string();
  a.text = fmt::format("{}\nhow {} answers small changes of {} around the steady state {} = {:.{}g}, {} = {:.{}g}\n",
                       m.called(), g.output, g.input, g.input, g.input_value, digits, g.output, g.output_value, digits);
  if (g.as_quotient) {
    a.text += fmt::format("  transfer function: {}\n", quotient);
    if (!g.poles.empty()) a.text += fmt::format("  poles: {}{}\n", listed(g.poles, digits), rate);
    if (!g.zeros.empty()) a.text += fmt::format("  zeros: {}{}\n", listed(g.zeros, digits), rate);
  } else {
    r.warn("poles and zeros do not give the transfer function back to six digits: only its values are shown");
  }
  if (!g.hidden.empty())
    a.text +=
        fmt::format("  not moved by {} or not seen in {}: {}{}\n", g.input, g.output, listed(g.hidden, digits), rate);
  a.text += std::isfinite(g.at_rest)
                ? fmt::format("  a lasting change of {} moves {} by {:.{}g} for each unit\n", g.input, g.output,
                              g.at_rest, digits)
                : fmt::format("  a lasting change of {} moves {} without end\n", g.input, g.output);
  const bool leaves = std::any_of(g.poles.begin(), g.poles.end(), [](const Complex& p) { return p.real() > 0; }) ||
                      std::any_of(g.hidden.begin(), g.hidden.end(), [](const Complex& p) { return p.real() > 0; });
  a.text += g.stable ? "  stable: what is disturbed comes back\n"
            : leaves ? "  not stable: what is disturbed leaves the steady state\n"
                     : "  not stable: what is disturbed does not come back\n";
  const std::string step = g.in_closed_form() ? step_text(g, m.independent.name(), digits) : std::string();
  if (!step.empty()) a.text += fmt::format("  after a unit step: {}\n", step);
  describe_frequencies(a, g, sweep, digits);
  a.json["result"] = g.as_quotient ? Json(quotient) : Json(nullptr);
  a.json["status"] = "approximate";
  a.json["output"] = g.output;
  a.json["parameter"] = g.input;
  a.json["gain"] = g.gain;
  a.json["poles"] = json_of_list(g.poles);
  a.json["zeros"] = json_of_list(g.zeros);
  a.json["hidden"] = json_of_list(g.hidden);
  a.json["at_rest"] = std::isfinite(g.at_rest) ? Json(g.at_rest) : Json(nullptr);
  a.json["stable"] = g.stable;
  a.json["step"] = step.empty() ? Json(nullptr) : Json(step);
  a.json["check"] = json_of(g.evidence);
  a.text += fmt::format("check: {}: {:.1f} digits{}\n", g.evidence.method, g.evidence.digits,
                        g.evidence.worst_entry.empty() ? "" : " (worst: " + g.evidence.worst_entry + ")");
  if (g.evidence.verdict == Verdict::disagrees) {
    a.text += "the ways to the response disagree\n";
    a.exit_code = 1;
  }
}

void write_frequencies(const Request& r, const Sweep& sweep) {
  if (!r.out.peek().ends_with(".csv"))
    throw Error(ErrorKind::usage,
                fmt::format("the response is written as .csv, the answer as .json; not '{}'", r.out.peek()));
  std::string text = "omega,magnitude,phase\n";
  for (std::size_t k = 0; k < sweep.omega.size(); ++k)
    text += fmt::format("{:.17g},{:.17g},{:.17g}\n", sweep.omega[k], sweep.magnitude[k], sweep.phase[k]);
  write_output(r.out.get(), text, output_policy(r));
}

Answer answer_to(const ResponseRequest& r) {
  if (!is_model(r.inputs.at(0))) throw Error(ErrorKind::usage, "response takes a model file (.toml)");
  const Model m = model_of(r);
  if (!m.in_time())
    throw Error(ErrorKind::usage,
                fmt::format("no equation of '{}' has a time derivative: every change acts at once, and "
                            "sensitivity tells how much",
                            m.called()));
  const System s = rates_at_rest(m);
  const std::vector<std::string> of = r.of.peek().empty() ? std::vector<std::string>() : split(r.of.get());
  const std::vector<std::string> by = names_in(r.wrt, "--wrt");
  if (by.size() != 1 || of.size() > 1)
    throw Error(ErrorKind::usage, "say which parameter is changed, and one output that answers: --wrt q --of n");
  const std::string output = !of.empty() ? of[0] : s.output_names.empty() ? s.state_names.at(0) : s.output_names[0];
  const LinearResponse g = linear_response(s, output, by[0]);
  if (!g.found)
    throw Error(ErrorKind::convergence,
                fmt::format("'{}' has no steady state to look around: {}", m.called(), g.message));
  auto [from, to] = natural_range(g);
  if (!r.over.empty()) {
    const Range range = range_in(r.over.get(), {}, "--over");
    if (range.from <= 0)
      throw Error(ErrorKind::usage, "angular frequencies are positive: --over \"omega from 0.01 to 10\"");
    from = range.from;
    to = range.to;
  }
  const Sweep sweep = swept(g, from, to, r.points.get() == 0 ? 401 : r.points.get());
  Answer a;
  describe(a, r, m, g, sweep, digits_of(r.digits));
  if (!r.out.peek().empty() && !r.out.peek().ends_with(".json")) {
    write_frequencies(r, sweep);
    a.text += fmt::format("written to {}\n", r.out.get());
  }
  if (!r.plot.empty()) {
    draw_response(r, m, g, sweep);
    a.text += fmt::format("figure written to {}\n", r.plot.get());
  }
  return a;
}

}  // namespace

Command response_command() {
  return command<ResponseRequest>(
      "response", "how an output answers small changes of a parameter: transfer function, step and frequency response",
      "  boreon response model.toml --of n --wrt q\n"
      "  boreon response model.toml --of n --wrt q --plot response.png\n"
      "  boreon response model.toml --of n --wrt q --over \"omega from 0.01 to 10\" --out response.csv\n",
      answer_to);
}

}  // namespace boreon::cli
