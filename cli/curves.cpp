// SPDX-License-Identifier: MIT
#include "curves.hpp"

#include <fmt/format.h>

#include <cmath>
#include <utility>

#include "boreon/csv_table.hpp"

namespace boreon::cli {
namespace {

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
std::size_t add_measured(const std::string& file, const std::string& variable, Figure& f) {
  const CsvTable table = read_csv(file);
  if (table.names.size() < 2)
    throw Error(ErrorKind::usage,
                fmt::format("'{}' has one column; --against takes a table of {} and values", file, variable));
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
    throw Error(ErrorKind::usage,
                fmt::format("no line of '{}' has its first column between {:.6g} and {:.6g}", file, f.x_low, f.x_high));
  return shown;
}

}  // namespace

CurvesDrawn draw_curves(const Request& r, const FigureOptions& axes, const RangeOptions& range, const std::string& path,
                        const Assumed& assumed, const std::vector<Graph>& graphs, const std::string& variable,
                        std::size_t points) {
  const Range over = range_in(range.over.get(), assumed.context, "--over");
  const std::string name = over.variable.name();
  if (!variable.empty() && name != variable)
    throw Error(ErrorKind::usage, fmt::format("--over takes a range of {0}, of which the answer is a function: "
                                              "\"{0} from 0 to 10\"",
                                              variable));
  PlotOptions options;
  for (const auto& [symbol, value] : assumed.values) options.values.set(Symbol(symbol), value);
  options.points = points;
  options.logarithmic_x = axes.log_x.get();
  options.logarithmic_y = axes.log_y.get();
  Plot p = plot(graphs, over.variable, over.from, over.to, options);
  for (const std::string& w : p.warnings) r.warn(w);
  p.figure.subtitle = values_put_in(r);
  std::size_t measured = 0;
  if (!range.against.empty()) {
    if (p.figure.curves.size() == 1) p.figure.curves[0].label = p.figure.title;
    measured = add_measured(range.against.get(), name, p.figure);
  }
  write_figure(p.figure, path, output_policy(r));
  return {
      fmt::format("figure written to {} ({} curve{}, {} points{}{}{})\n", path, graphs.size(),
                  graphs.size() == 1 ? "" : "s", p.points, measured > 0 ? fmt::format(", {} measured", measured) : "",
                  p.missing > 0 ? fmt::format(", {} without a finite value left out", p.missing) : "",
                  p.breaks > 0 ? fmt::format(", broken at {} place{}", p.breaks, p.breaks == 1 ? "" : "s") : ""),
      p.missing};
}

void add_curves(const Request& r, const FigureOptions& axes, const RangeOptions& range, const Assumed& assumed,
                const std::vector<Graph>& graphs, const std::string& variable, Answer& a) {
  if (axes.plot.empty()) return;
  if (range.over.empty())
    throw Error(ErrorKind::usage, fmt::format("say over which range to plot: --over \"{} from 0 to 10\"", variable));
  const CurvesDrawn d = draw_curves(r, axes, range, axes.plot.get(), assumed, graphs, variable);
  a.text += d.text;
  a.json["figure"] = axes.plot.get();
  a.json["missing_points"] = d.missing;
}

}  // namespace boreon::cli
