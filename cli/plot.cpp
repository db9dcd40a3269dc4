// SPDX-License-Identifier: MIT
// plot: curves of expressions over a range.
#include "command.hpp"
#include "curves.hpp"
#include "option_groups.hpp"

namespace boreon::cli {
namespace {

struct PlotRequest : Request, FigureOptions, RangeOptions {
  Option<std::size_t> points{0};

  void declare(Declaration& d) override {
    declare_range(d, "range: \"z from -2 to 8\"");
    d.add("--points", points, "points on each curve (600)").within(2, 1000000);
    declare_axes(d, "logarithmic range", "logarithmic values");
  }
};

Answer answer_to(const PlotRequest& r) {
  if (r.over.empty()) throw Error(ErrorKind::usage, "say over which range to plot: --over \"z from -2 to 8\"");
  if (r.out.empty()) throw Error(ErrorKind::usage, "say where to write the figure: --out figure.png (or .svg)");
  const Assumed assumed = assumptions_of(r);
  std::vector<Graph> graphs;
  for (const std::string& text : r.inputs) {
    const Expr e = evaluate_derivatives(read_input(text, assumed.context));
    if (is_condition(e)) throw Error(ErrorKind::shape, "an expression is expected, not an equation or a condition");
    graphs.push_back({to_text(read_input(text, {}), {60}), e});
  }
  const CurvesDrawn d = draw_curves(r, r, r, r.out.get(), assumed, graphs, {}, r.points.get());
  Answer a;
  a.text = d.text;
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
