// SPDX-License-Identifier: MIT
// plot: curves of expressions over a range.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>

#include "boreon/csv_table.hpp"
#include "request.hpp"

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
std::size_t add_measured(const Request& r, const std::string& variable, Figure& f) {
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

}  // namespace

std::optional<Range> parsed_range(const std::string& text, const ParseContext& context) {
  // "z from a to b" is what stands behind the comma of an integral.
  Expr range;
  try {
    range = parse("integral(0, " + text + ")", context);
  } catch (const Error&) {
    return std::nullopt;
  }
  if (range.operands().size() != 4) return std::nullopt;
  return Range{range.operands()[1], evaluate(range.operands()[2]), evaluate(range.operands()[3])};
}

Range range_in(const std::string& text, const ParseContext& context, const char* option) {
  const std::optional<Range> r = parsed_range(text, context);
  if (!r)
    throw Error(ErrorKind::usage, fmt::format("{} takes a range such as \"z from -2 to 8\", not '{}'", option, text));
  if (!(r->from < r->to) || !std::isfinite(r->from) || !std::isfinite(r->to))
    throw Error(ErrorKind::usage, fmt::format("the range {} to {} is empty or infinite", r->from, r->to));
  return *r;
}

Answer plot(const Request& r) {
  if (r.over.size() != 1) throw Error(ErrorKind::usage, "say over which range to plot: --over \"z from -2 to 8\"");
  if (r.out.empty()) throw Error(ErrorKind::usage, "say where to write the figure: --out figure.png (or .svg)");
  const Assumed assumed = assumptions_of(r);
  const Range range = range_in(r.over[0], assumed.context, "--over");
  const Expr& x = range.variable;
  const double from = range.from;
  const double to = range.to;
  if (r.log_x && from <= 0) throw Error(ErrorKind::usage, "a logarithmic axis needs a positive range");
  const std::size_t n = r.points.get();
  if (n != 0 && (n < 2 || n > 1000000)) throw Error(ErrorKind::usage, "--points takes 2 to 1000000");
  Figure f;
  f.x_label = typeset_label(x.name());
  f.x_low = from;
  f.x_high = to;
  f.logarithmic_x = r.log_x;
  f.logarithmic_y = r.log_y;
  f.subtitle = values_put_in(r);
  std::vector<Expr> expressions;
  for (const std::string& text : r.inputs)
    expressions.push_back(evaluate_derivatives(read_input(text, assumed.context)));
  for (const Expr& e : expressions) {
    if (is_condition(e)) throw Error(ErrorKind::shape, "an expression is expected, not an equation or a condition");
  }
  Answer a;
  const std::vector<Expr>& put_in = expressions;
  const Symbol symbol(x.name());
  std::size_t missing = 0;
  std::size_t breaks = 0;
  bool clipped = false;
  double low = std::numeric_limits<double>::infinity();
  double high = -low;
  std::size_t points = 0;
  for (std::size_t k = 0; k < put_in.size(); ++k) {
    Expr e = put_in[k];
    for (const Symbol& s : free_symbols(e)) {
      if (s.name() != x.name())
        throw Error(ErrorKind::binding, fmt::format("{} has no value; give it with --set {}=1", s.name(), s.name()));
      if (!(s == symbol)) e = substitute(e, Bindings{{s, symbol}});
    }
    const Kernel kernel = compile({OutputGroup("y", {e})}, {{"x", {symbol}}});
    Curve c;
    const std::string text = to_text(read_input(r.inputs[k], {}), {60});
    c.label = typeset_label(text);
    const std::function<double(double)> value = [&kernel](double at) {
      double y = 0;
      const double* in[] = {&at};
      double* out[] = {&y};
      kernel(in, out);
      return y;
    };
    if (n == 0) {
      SampledCurve sampled = sample_curve(value, from, to, r.log_x, r.log_y);
      if (!sampled.resolved)
        r.warn(
            fmt::format("{} bends more often than {} points can follow: take a shorter range", text, sampled.x.size()));
      low = std::min(low, sampled.low);
      high = std::max(high, sampled.high);
      if (sampled.clipped) {
        clipped = true;
        r.warn(fmt::format("{} is shown from {:.4g} to {:.4g} only; some values lie far beyond", text, sampled.low,
                           sampled.high));
      }
      missing += static_cast<std::size_t>(
                     std::count_if(sampled.y.begin(), sampled.y.end(), [](double y) { return !std::isfinite(y); })) -
                 sampled.poles - sampled.jumps;
      breaks += sampled.poles + sampled.jumps;
      c.x = std::move(sampled.x);
      c.y = std::move(sampled.y);
    } else {
      for (std::size_t i = 0; i < n; ++i) {
        const double u = static_cast<double>(i) / static_cast<double>(n - 1);
        c.x.push_back(r.log_x ? from * std::pow(to / from, u) : from + (to - from) * u);
        c.y.push_back(value(c.x.back()));
        if (!std::isfinite(c.y.back())) ++missing;
      }
    }
    points += c.x.size();
    f.curves.push_back(std::move(c));
  }
  if (clipped) {
    f.y_low = low;
    f.y_high = high;
  }
  std::size_t measured = 0;
  if (!r.against.empty()) measured = add_measured(r, x.name(), f);
  if (f.curves.size() == 1) std::swap(f.title, f.curves[0].label);  // several are named in the legend
  write_figure(f, r.out.get(), output_policy(r));
  const std::size_t curves = expressions.size();
  a.text = fmt::format("figure written to {} ({} curve{}, {} points{}{}{})\n", r.out.get(), curves,
                       curves == 1 ? "" : "s", points, measured > 0 ? fmt::format(", {} measured", measured) : "",
                       missing > 0 ? fmt::format(", {} without a finite value left out", missing) : "",
                       breaks > 0 ? fmt::format(", broken at {} place{}", breaks, breaks == 1 ? "" : "s") : "");
  a.json["result"] = r.out.get();
  a.json["status"] = "approximate";
  a.json["missing_points"] = missing;
  return a;
}

}  // namespace boreon::cli
