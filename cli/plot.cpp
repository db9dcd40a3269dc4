// SPDX-License-Identifier: MIT
// plot: curves of expressions over a range.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>

#include "boreon/csv_table.hpp"
#include "command.hpp"
#include "option_groups.hpp"

namespace boreon::cli {
namespace {

struct PlotRequest : Request, FigureOptions {
  Option<std::string> against;
  Option<std::string> over;
  Option<std::size_t> points{0};

  void declare(Declaration& d) override {
    d.add("--against", against, "a table .csv whose columns are drawn as points over its first one").files();
    d.add("--over", over, "range: \"z from -2 to 8\"").formulas();
    d.add("--points", points, "points on each curve (600)").within(2, 1000000);
    declare_axes(d, "logarithmic range", "logarithmic values");
  }
};

// "a = 2, b = 0.5": what --set put in.
std::string values_put_in(const Request& r) {
  std::string out;
  for (const std::string& list : r.set) {
    for (const std::string& one : split(list)) {
      const std::size_t sign = one.find('=');
      if (sign == std::string::npos) continue;
      out +=
          fmt::format("{}{} = {}", out.empty() ? "" : ", ", typeset_label(one.substr(0, sign)), one.substr(sign + 1));
    }
  }
  return out.empty() ? out : "(" + out + ")";
}

// The columns of a table over its first one, as points; those outside the range are left out.
std::size_t add_measured(const PlotRequest& r, const std::string& variable, Figure& f) {
  const CsvTable table = read_csv(r.against.get());
  if (table.names.size() < 2)
    throw Error(ErrorKind::usage, fmt::format("'{}' has one column; --against takes a table of {} and values",
                                              r.against.get(), variable));
  std::size_t shown = 0;
  for (std::size_t k = 1; k < table.names.size(); ++k) {
    Curve c;
    c.label = typeset_label(table.units[k].empty() ? table.names[k] : table.names[k] + " [" + table.units[k] + "]");
    c.points = true;
    for (std::size_t i = 0; i < table.rows(); ++i) {
      const double at = table.columns[0][i];
      if (!(at >= f.x_low && at <= f.x_high) || !std::isfinite(table.columns[k][i])) continue;
      c.x.push_back(at);
      c.y.push_back(table.columns[k][i]);
    }
    shown += c.x.size();
    f.curves.push_back(std::move(c));
  }
  if (shown == 0)
    throw Error(ErrorKind::usage, fmt::format("no line of '{}' has its first column between {:.6g} and {:.6g}",
                                              r.against.get(), f.x_low, f.x_high));
  return shown;
}

// What the curves of a figure have in common.
struct Drawn {
  Figure figure;
  double from = 0;
  double to = 0;
  std::size_t points = 0;
  std::size_t missing = 0;
  std::size_t breaks = 0;
  bool clipped = false;
  double low = std::numeric_limits<double>::infinity();
  double high = -std::numeric_limits<double>::infinity();
};

void sample(const PlotRequest& r, const std::string& text, const std::function<double(double)>& value, Drawn& d,
            Curve& c) {
  SampledCurve sampled = sample_curve(value, d.from, d.to, r.log_x, r.log_y);
  if (!sampled.resolved)
    r.warn(fmt::format("{} bends more often than {} points can follow: take a shorter range", text, sampled.x.size()));
  d.low = std::min(d.low, sampled.low);
  d.high = std::max(d.high, sampled.high);
  if (sampled.clipped) {
    d.clipped = true;
    r.warn(fmt::format("{} is shown from {:.4g} to {:.4g} only; some values lie far beyond", text, sampled.low,
                       sampled.high));
  }
  d.missing += static_cast<std::size_t>(
                   std::count_if(sampled.y.begin(), sampled.y.end(), [](double y) { return !std::isfinite(y); })) -
               sampled.poles - sampled.jumps;
  d.breaks += sampled.poles + sampled.jumps;
  c.x = std::move(sampled.x);
  c.y = std::move(sampled.y);
}

void add_curve(const PlotRequest& r, const std::string& text, Expr e, const Symbol& variable, Drawn& d) {
  for (const Symbol& s : free_symbols(e)) {
    if (s.name() != variable.name())
      throw Error(ErrorKind::binding, fmt::format("{} has no value; give it with --set {}=1", s.name(), s.name()));
    if (!(s == variable)) e = substitute(e, Bindings{{s, variable}});
  }
  const Kernel kernel = compile({OutputGroup("y", {e})}, {{"x", {variable}}});
  const std::function<double(double)> value = [&kernel](double at) {
    double y = 0;
    const double* in[] = {&at};
    double* out[] = {&y};
    kernel(in, out);
    return y;
  };
  Curve c;
  c.label = typeset_label(text);
  const std::size_t n = r.points.get();
  if (n == 0) {
    sample(r, text, value, d, c);
  } else {
    for (std::size_t i = 0; i < n; ++i) {
      const double u = static_cast<double>(i) / static_cast<double>(n - 1);
      c.x.push_back(r.log_x ? d.from * std::pow(d.to / d.from, u) : d.from + (d.to - d.from) * u);
      c.y.push_back(value(c.x.back()));
      if (!std::isfinite(c.y.back())) ++d.missing;
    }
  }
  d.points += c.x.size();
  d.figure.curves.push_back(std::move(c));
}

Answer answer_to(const PlotRequest& r) {
  if (r.over.empty()) throw Error(ErrorKind::usage, "say over which range to plot: --over \"z from -2 to 8\"");
  if (r.out.empty()) throw Error(ErrorKind::usage, "say where to write the figure: --out figure.png (or .svg)");
  const Assumed assumed = assumptions_of(r);
  const Range range = range_in(r.over.get(), assumed.context, "--over");
  const Symbol x(range.variable.name());
  if (r.log_x && range.from <= 0) throw Error(ErrorKind::usage, "a logarithmic axis needs a positive range");
  Drawn d;
  d.from = range.from;
  d.to = range.to;
  Figure& f = d.figure;
  f.x_label = typeset_label(x.name());
  f.x_low = range.from;
  f.x_high = range.to;
  f.logarithmic_x = r.log_x;
  f.logarithmic_y = r.log_y;
  f.subtitle = values_put_in(r);
  std::vector<Expr> expressions;
  for (const std::string& text : r.inputs) {
    expressions.push_back(evaluate_derivatives(read_input(text, assumed.context)));
    if (is_condition(expressions.back()))
      throw Error(ErrorKind::shape, "an expression is expected, not an equation or a condition");
  }
  for (std::size_t k = 0; k < expressions.size(); ++k)
    add_curve(r, to_text(read_input(r.inputs[k], {}), {60}), expressions[k], x, d);
  if (d.clipped) {
    f.y_low = d.low;
    f.y_high = d.high;
  }
  std::size_t measured = 0;
  if (!r.against.empty()) measured = add_measured(r, x.name(), f);
  if (f.curves.size() == 1) std::swap(f.title, f.curves[0].label);  // several are named in the legend
  write_figure(f, r.out.get(), output_policy(r));
  const std::size_t curves = expressions.size();
  Answer a;
  a.text = fmt::format("figure written to {} ({} curve{}, {} points{}{}{})\n", r.out.get(), curves,
                       curves == 1 ? "" : "s", d.points, measured > 0 ? fmt::format(", {} measured", measured) : "",
                       d.missing > 0 ? fmt::format(", {} without a finite value left out", d.missing) : "",
                       d.breaks > 0 ? fmt::format(", broken at {} place{}", d.breaks, d.breaks == 1 ? "" : "s") : "");
  a.json["result"] = r.out.get();
  a.json["status"] = "approximate";
  a.json["missing_points"] = d.missing;
  return a;
}

}  // namespace

Command plot_command() {
  return command<PlotRequest>(
      "plot", "draw expressions over a range",
      "  boreon plot \"exp(1 - z - exp(-z))\" --over \"z from -2 to 8\" --out layer.png\n"
      "  boreon plot \"sin(a*x)/x\" \"cos(a*x)\" --over \"x from 0.1 to 20\" --set a=2 --out fig.svg\n",
      answer_to);
}

}  // namespace boreon::cli
