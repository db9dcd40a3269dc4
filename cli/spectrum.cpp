// SPDX-License-Identifier: MIT
// spectrum: harmonics of a formula or of a column of a table.
#include "boreon/spectrum.hpp"
#include "boreon/evidence.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <optional>

#include "boreon/csv_table.hpp"
#include "command.hpp"
#include "values.hpp"

namespace boreon::cli {
namespace {

struct SpectrumRequest : Request {
  Option<std::string> over;
  Option<std::string> column;
  Option<std::optional<int>> harmonics;
  Option<int> first{0};
  Option<std::string> window{"none"};
  Option<std::string> plot;
  Option<std::string> of;
  Option<std::optional<double>> until;
  Option<std::optional<double>> after;
  Option<std::optional<std::size_t>> samples;

  void declare(Declaration& d) override {
    d.add("--over", over, "one period of a formula, from 0: \"t over 2*pi\"").formulas();
    d.add("--column", column, "the column of a table; its first one is the time");
    d.add("--harmonics", harmonics, "the last harmonic (10; of a table half of its samples)").within(1, 100000);
    d.add("--first", first, "the first harmonic, 0 (the mean) or 1").within(0, 1);
    d.add("--window", window, "none, or hann for tables that do not repeat with their length").one_of({"none", "hann"});
    d.add("--of", of, "of a model: the output or unknown whose run is looked at (the first output)");
    d.add("--until", until, "end of the run (default: the model's)");
    d.add("--after", after, "when the part of the run begins that is looked at (the start)");
    d.add("--samples", samples, "samples of that part (1024)").within(2, 100000000);
    d.add("--plot", plot, "figure: amplitudes, and the signal with its harmonics, .png or .svg");
  }
};

constexpr std::size_t most_lines = 40;
constexpr int curve_points = 1000;

struct Signal {
  Spectrum spectrum;
  std::string name;
  std::string variable;
  std::string unit;       // of the values
  std::string time_unit;  // empty for formulas
  double start = 0;
  std::function<double(double)> value;  // of a formula, over one period
  std::vector<double> times;
  std::vector<double> samples;
  double digits = 0;  // of the check, where there is one
  std::string check;
};

Signal of_formula(const SpectrumRequest& r) {
  const Assumed assumed = assumptions_of(r);
  require_one_expression(r);
  if (!r.column.empty()) throw Error(ErrorKind::usage, "--column is for tables (.csv)");
  if (r.window.get() != "none")
    throw Error(ErrorKind::usage, "--window is for tables (.csv); a formula repeats exactly");
  const std::string text = r.over.get();
  const std::size_t at = text.find(" over ");
  if (at == std::string::npos) throw Error(ErrorKind::usage, "say what one period is: --over \"t over 2*pi\"");
  const Expr t = read_input(text.substr(0, at), assumed.context, "--over");
  const Expr period = read_input(text.substr(at + 6), assumed.context, "--over");
  const Expr f = read_input(r.inputs[0], assumed.context);
  for (const Symbol& s : free_symbols({&f, 1})) {
    if (!(s == t))
      throw Error(ErrorKind::binding, fmt::format("{} has no value; give it with --set {}=1", s.name(), s.name()));
  }
  Signal out;
  out.spectrum = spectrum(f, t, period, static_cast<std::size_t>(r.harmonics.get().value_or(10)));
  out.name = to_text(f, {60, {}});
  out.variable = t.name();
  const double length = out.spectrum.period;
  out.value = [f, t, length](double at_time) {
    double inside = std::fmod(at_time, length);
    if (inside < 0) inside += length;
    try {
      return evaluate(f, {{t, Expr(Number::exact(inside))}}, Unused::allowed);
    } catch (const Error&) {
      return std::nan("");
    }
  };
  return out;
}

Spectrum of_samples(const SpectrumRequest& r, const std::vector<double>& samples, double step) {
  const std::optional<std::size_t> most =
      r.harmonics.get() ? std::optional<std::size_t>(static_cast<std::size_t>(*r.harmonics.get())) : std::nullopt;
  return spectrum(samples, step, r.window.get() == "hann" ? Window::hann : Window::none, most);
}

Signal of_table(const SpectrumRequest& r) {
  if (r.inputs.size() != 1) throw Error(ErrorKind::usage, "spectrum takes one table");
  if (!r.over.empty()) throw Error(ErrorKind::usage, "--over is for formulas; the first column of a table is the time");
  if (!r.set.peek().empty() || !r.assume.peek().empty())
    throw Error(ErrorKind::usage, "--set and --assume are for formulas");
  const CsvTable table = read_csv(r.inputs[0]);
  if (table.names.size() < 2) throw Error(ErrorKind::usage, "a table needs a column of times and one of values");
  std::string name = r.column.get();
  if (name.empty()) {
    if (table.names.size() > 2)
      throw Error(ErrorKind::usage, fmt::format("say which column: --column {}", table.names[1]));
    name = table.names[1];
  }
  Signal out;
  out.samples = table.column(name);
  out.times = table.columns[0];
  if (name == table.names[0]) throw Error(ErrorKind::usage, "the first column is the time; --column takes another");
  const std::size_t n = out.times.size();
  if (n < 2) throw Error(ErrorKind::usage, "the table has fewer than two lines of numbers");
  const double step = (out.times.back() - out.times.front()) / static_cast<double>(n - 1);
  for (std::size_t i = 1; i < n; ++i) {
    const double here = out.times[i] - out.times[i - 1];
    if (!(std::abs(here - step) <= 1e-6 * std::abs(step)))
      throw Error(ErrorKind::usage, fmt::format("line {}: the times are not at equal distances ({:.6g} after {:.6g}), "
                                                "which a discrete transform needs",
                                                i + 2, out.times[i], out.times[i - 1]));
  }
  out.spectrum = of_samples(r, out.samples, step);
  out.name = name;
  out.variable = table.names[0];
  out.time_unit = table.units[0];
  const auto at = std::find(table.names.begin(), table.names.end(), name) - table.names.begin();
  out.unit = table.units[static_cast<std::size_t>(at)];
  out.start = out.times.front();
  return out;
}

// One sample after the other of an output or unknown, from `after` on, without the end, where the period begins again.
std::vector<double> run_of(const Model& m, const System& s, std::size_t which, double after, std::size_t count,
                           double until, double tolerance, std::vector<double>* times) {
  TimeOptions o;
  o.from = m.run.from;
  o.relative_tolerance = tolerance;
  o.absolute_tolerance = m.run.absolute_tolerance * tolerance / m.run.relative_tolerance;
  const double step = (until - after) / static_cast<double>(count);
  // samples lie on one grid from the start of the run
  const double before = std::ceil((after - o.from) / step - 1e-9);
  o.until = o.from + step * (before + static_cast<double>(count));
  o.samples = static_cast<std::size_t>(before) + count + 1;
  const TimeResult run = step_in_time(s, o);
  if (!run.completed)
    throw Error(ErrorKind::convergence, fmt::format("the run of '{}' stopped: {}", m.called(), run.message));
  std::vector<double> values;
  for (std::size_t i = static_cast<std::size_t>(before); i + 1 < run.times.size(); ++i) {
    if (times != nullptr) times->push_back(run.times[i]);
    values.push_back(which < s.states.size() ? run.states[i][which] : run.outputs[i][which - s.states.size()]);
  }
  return values;
}

Signal of_model(const SpectrumRequest& r) {
  if (!r.over.empty()) throw Error(ErrorKind::usage, "--over is for formulas; a run takes --after and --until");
  const Model m = model_of(r);
  const System s = time_system(m);
  const double until = end_of_run(m, r.until);
  const double after = r.after.get().value_or(m.run.from);
  if (!(after >= m.run.from && after < until))
    throw Error(ErrorKind::usage,
                fmt::format("--after lies between the start of the run, {}, and its end, {}", m.run.from, until));
  const std::string name = !r.of.empty()            ? r.of.get()
                           : s.output_names.empty() ? s.state_names.at(0)
                                                    : s.output_names[0];
  const std::size_t which = place_of_quantity(s, name, "--of");
  const std::size_t count = r.samples.get().value_or(1024);
  const double tolerance = std::min(m.run.relative_tolerance, 1e-8);
  Signal out;
  out.samples = run_of(m, s, which, after, count, until, tolerance, &out.times);
  const double step = (until - after) / static_cast<double>(count);
  out.spectrum = of_samples(r, out.samples, step);
  // the same from a run a hundred times tighter
  const Spectrum tighter =
      of_samples(r, run_of(m, s, which, after, count, until, std::max(1e-13, tolerance / 100), nullptr), step);
  double largest = 0;
  double apart = 0;
  for (std::size_t k = 0; k < tighter.harmonics.size(); ++k) {
    largest = std::max(largest, tighter.harmonics[k].amplitude);
    apart = std::max(apart, std::hypot(tighter.harmonics[k].a - out.spectrum.harmonics[k].a,
                                       tighter.harmonics[k].b - out.spectrum.harmonics[k].b));
  }
  out.digits = agreeing_digits(apart, largest);
  out.check = "the run repeated with tolerances a hundred times tighter";
  out.name = name;
  out.variable = m.independent.name();
  out.time_unit = m.independent_unit;
  out.unit = which < s.states.size() ? unit_of(m, name) : m.outputs[which - s.states.size()].unit;
  out.start = out.times.front();
  return out;
}

// What is in a run only has no meaning for other signals.
void require_no_run(const SpectrumRequest& r) {
  if (!r.of.peek().empty() || r.until.peek() || r.after.peek() || r.samples.peek())
    throw Error(ErrorKind::usage, "--of, --until, --after and --samples are for runs of models (.toml)");
}

std::string with_unit(const std::string& name, const std::string& unit) {
  return unit.empty() ? name : fmt::format("{} [{}]", name, unit);
}

void draw(const SpectrumRequest& r, const Signal& s, std::size_t first) {
  const Spectrum& p = s.spectrum;
  Figure stems;
  stems.title = fmt::format("Spectrum of {}", typeset_label(s.name));
  stems.x_label = fmt::format("frequency [1/{}]", typeset_label(s.time_unit.empty() ? s.variable : s.time_unit));
  stems.y_label = with_unit("amplitude", typeset_label(s.unit));
  Curve lines{"", {}, {}};
  Curve marks{"", {}, {}, true};
  for (const Harmonic& h : p.harmonics) {
    if (h.n < first) continue;
    // a stem: up from the axis, and a gap
    lines.x.insert(lines.x.end(), {h.frequency, h.frequency, h.frequency});
    lines.y.insert(lines.y.end(), {0, h.amplitude, std::nan("")});
    marks.x.push_back(h.frequency);
    marks.y.push_back(h.amplitude);
  }
  stems.curves = {lines};
  if (p.harmonics.size() <= 200) stems.curves.push_back(marks);
  stems.y_low = 0;
  // the first and the last stem stand clear of the frame
  const double margin = 0.5 / p.period;
  stems.x_low = static_cast<double>(first) / p.period - margin;
  stems.x_high = p.harmonics.back().frequency + margin;
  Figure signal;
  signal.title = fmt::format("The signal and the sum of its harmonics up to {}", p.harmonics.back().n);
  signal.x_label = with_unit(typeset_label(s.variable), typeset_label(s.time_unit));
  signal.y_label = with_unit(typeset_label(s.name), typeset_label(s.unit));
  Curve original{"signal", {}, {}};
  Curve sum{"harmonics", {}, {}};
  const double length = s.value ? 2 * p.period : p.period;
  if (s.value) {
    for (int k = 0; k <= curve_points; ++k) {
      const double t = length * k / curve_points;
      original.x.push_back(t);
      original.y.push_back(s.value(t));
    }
  } else {
    original.x = s.times;
    original.y = s.samples;
  }
  for (int k = 0; k <= curve_points; ++k) {
    const double t = length * k / curve_points;
    sum.x.push_back(s.start + t);
    sum.y.push_back(p.synthesis(t));
  }
  signal.curves = {original, sum};
  write_figures({stems, signal}, r.plot.get(), output_policy(r));
}

Answer answer_to(const SpectrumRequest& r) {
  const bool table = !r.inputs.empty() && r.inputs[0].ends_with(".csv");
  const bool run = !r.inputs.empty() && is_model(r.inputs[0]);
  if (!run) require_no_run(r);
  const Signal s = run ? of_model(r) : table ? of_table(r) : of_formula(r);
  const Spectrum& p = s.spectrum;
  const auto first = static_cast<std::size_t>(r.first.get());
  Answer a;
  a.json["status"] = "approximate";
  a.json["result"] = Json::array();
  const std::string per = s.time_unit.empty() ? "1/" + s.variable : "1/" + s.time_unit;
  a.text = fmt::format("{:>6}  {:>12}  {:>13}  {:>13}  {:>13}  {:>9}\n", "n", fmt::format("f [{}]", per), "a_n", "b_n",
                       "amplitude", "phase");
  std::string csv = "n,frequency,a,b,amplitude,phase\n";
  std::size_t lines = 0;
  for (const Harmonic& h : p.harmonics) {
    if (h.n < first) continue;
    a.json["result"].push_back({{"n", h.n},
                                {"frequency", h.frequency},
                                {"a", h.a},
                                {"b", h.b},
                                {"amplitude", h.amplitude},
                                {"phase", h.phase}});
    csv += fmt::format("{},{},{},{},{},{}\n", h.n, h.frequency, h.a, h.b, h.amplitude, h.phase);
    if (++lines > most_lines) continue;
    a.text += fmt::format("{:>6}  {:>12.6g}  {:>13.6g}  {:>13.6g}  {:>13.6g}  {:>9.4f}\n", h.n, h.frequency, h.a, h.b,
                          h.amplitude, h.phase);
  }
  if (lines > most_lines) a.text += fmt::format("... {} more; --out spectrum.csv has all\n", lines - most_lines);
  a.json["dominant"] = nullptr;
  if (const auto d = p.dominant(false)) {
    const Harmonic& h = p.harmonics[*d];
    a.json["dominant"] = {{"n", h.n}, {"frequency", h.frequency}, {"amplitude", h.amplitude}};
    const bool mean = std::abs(p.harmonics[0].amplitude) > h.amplitude;
    a.text += fmt::format("the largest harmonic is n = {} ({:.6g} {}, amplitude {:.6g}){}\n", h.n, h.frequency, per,
                          h.amplitude, mean ? "; the mean is larger" : "");
  } else {
    a.text += "there is nothing but the mean\n";
  }
  a.json["period"] = p.period;
  a.json["mean_square"] = p.mean_square;
  const double left = p.mean_square_error(p.harmonics.back().n);
  a.json["mean_square_error"] = left;
  if (std::isfinite(p.mean_square) && p.mean_square > 0)
    a.text +=
        fmt::format("the harmonics up to {} hold {:.6g} % of the mean square ({:.6g}); mean-square error {:.3g}\n",
                    p.harmonics.back().n, 100 * (1 - left / p.mean_square), p.mean_square, left);
  // of closed coefficients quadrature was the witness, of samples Parseval's theorem is
  const double digits = p.closed ? 7 : !s.check.empty() ? std::min(s.digits, p.parseval_digits) : p.parseval_digits;
  const std::string method = p.closed          ? p.method
                             : s.check.empty() ? p.method + "; the mean square of all harmonics (Parseval)"
                                               : p.method + "; the mean square (Parseval); " + s.check;
  a.json["check"] = {{"method", method},
                     {"points", p.harmonics.size()},
                     {"digits", digits},
                     {"worst", nullptr},
                     {"verdict", digits >= 3  ? "agrees"
                                 : digits > 0 ? "disagrees"
                                              : "untested"}};
  a.text += fmt::format("by {}; a harmonic is amplitude*cos(2*pi*f*{} - phase)\n", p.method, s.variable);
  if (!s.check.empty()) {
    a.text += fmt::format("check: {} agrees to {:.1f} digits\n", s.check, s.digits);
    if (digits < 3) a.exit_code = 1;
  }
  if (!r.out.empty()) {
    if (!r.out.get().ends_with(".csv"))
      throw Error(ErrorKind::usage, fmt::format("a spectrum is written as .csv, not '{}'", r.out.get()));
    write_output(r.out.get(), csv, output_policy(r));
    a.text += fmt::format("table written to {}\n", r.out.get());
  }
  if (!r.plot.empty()) {
    draw(r, s, first);
    a.text += fmt::format("figure written to {}\n", r.plot.get());
  }
  return a;
}

}  // namespace

Command spectrum_command() {
  return command<SpectrumRequest>(
      "spectrum", "harmonics of a signal: a table, and a figure with the signal put together again",
      "  boreon spectrum \"exp(-t)\" --over \"t over 1\" --harmonics 10 --plot spectrum.png\n"
      "  boreon spectrum run.csv --column n_e --window hann --out spectrum.csv\n"
      "  boreon spectrum model.toml --of brightness --after 100 --until 600\n",
      answer_to);
}

}  // namespace boreon::cli
