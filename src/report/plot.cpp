// SPDX-License-Identifier: MIT
#include "boreon/plot.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>
#include <utility>

#include "boreon/error.hpp"
#include "boreon/ode.hpp"
#include "boreon/program.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"
#include "boreon/transform.hpp"
#include "boreon/traverse.hpp"

namespace boreon {
namespace {

class Plotter {
 public:
  Plotter(const Symbol& x, double from, double to, const PlotOptions& options)
      : x_(x), from_(from), to_(to), options_(options) {
    Figure& f = out_.figure;
    f.x_label = typeset_label(x.name());
    f.x_low = from;
    f.x_high = to;
    f.logarithmic_x = options.logarithmic_x;
    f.logarithmic_y = options.logarithmic_y;
  }

  void add(const Graph& g) {
    Expr e = g.value;
    Bindings here;
    for (const Symbol& s : free_symbols(e)) {
      if (s == x_) continue;
      here.set(s, s.name() == x_.name() ? Expr(x_) : value_of(s));
    }
    e = substitute(e, here);
    const Kernel kernel = compile({OutputGroup("y", {e})}, {{"x", {x_}}});
    const auto value = [&kernel](double at) {
      double y = 0;
      const double* in[] = {&at};
      double* out[] = {&y};
      kernel(in, out);
      return y;
    };
    Curve c;
    c.label = typeset_label(g.label);
    if (options_.points == 0) {
      where_it_bends(g.label, value, c);
    } else {
      evenly(value, c);
    }
    out_.points += c.x.size();
    out_.figure.curves.push_back(std::move(c));
  }

  Plot finish() {
    Figure& f = out_.figure;
    if (clipped_) {
      f.y_low = low_;
      f.y_high = high_;
    }
    if (f.curves.size() == 1) std::swap(f.title, f.curves[0].label);  // several are named in the legend
    return std::move(out_);
  }

 private:
  // By its name: what is assumed of a constant does not matter for its value.
  [[nodiscard]] Expr value_of(const Symbol& s) const {
    for (const Bindings::Entry& e : options_.values.entries()) {
      if (e.target.is(Kind::symbol) && e.target.name() == s.name()) return e.value;
    }
    throw Error(ErrorKind::binding, fmt::format("{} has no value; give it with --set {}=1", s.name(), s.name()));
  }

  void where_it_bends(const std::string& label, const std::function<double(double)>& value, Curve& c) {
    SampledCurve sampled = sample_curve(value, from_, to_, options_.logarithmic_x, options_.logarithmic_y);
    if (!sampled.resolved)
      out_.warnings.push_back(
          fmt::format("{} bends more often than {} points can follow: take a shorter range", label, sampled.x.size()));
    low_ = std::min(low_, sampled.low);
    high_ = std::max(high_, sampled.high);
    if (sampled.clipped) {
      clipped_ = true;
      out_.warnings.push_back(fmt::format("{} is shown from {:.4g} to {:.4g} only; some values lie far beyond", label,
                                          sampled.low, sampled.high));
    }
    out_.missing += static_cast<std::size_t>(
                        std::count_if(sampled.y.begin(), sampled.y.end(), [](double y) { return !std::isfinite(y); })) -
                    sampled.poles - sampled.jumps;
    out_.breaks += sampled.poles + sampled.jumps;
    c.x = std::move(sampled.x);
    c.y = std::move(sampled.y);
  }

  void evenly(const std::function<double(double)>& value, Curve& c) {
    for (std::size_t i = 0; i < options_.points; ++i) {
      const double u = options_.points == 1 ? 0 : static_cast<double>(i) / static_cast<double>(options_.points - 1);
      c.x.push_back(options_.logarithmic_x ? from_ * std::pow(to_ / from_, u) : from_ + (to_ - from_) * u);
      c.y.push_back(value(c.x.back()));
      if (!std::isfinite(c.y.back())) ++out_.missing;
    }
  }

  Symbol x_;
  double from_;
  double to_;
  const PlotOptions& options_;
  Plot out_;
  bool clipped_ = false;
  double low_ = std::numeric_limits<double>::infinity();
  double high_ = -std::numeric_limits<double>::infinity();
};

}  // namespace

Plot plot(const std::vector<Graph>& graphs, const Expr& x, double from, double to, const PlotOptions& options) {
  if (!x.is(Kind::symbol)) throw Error(ErrorKind::usage, "a plot is over a symbol, not over " + to_text(x));
  if (graphs.empty()) throw Error(ErrorKind::usage, "there is nothing to plot");
  if (!(from < to) || !std::isfinite(from) || !std::isfinite(to))
    throw Error(ErrorKind::usage, fmt::format("a plot from {:.6g} to {:.6g} has no range", from, to));
  if (options.logarithmic_x && from <= 0) throw Error(ErrorKind::usage, "a logarithmic axis needs a positive range");
  Plotter p(Symbol::from(x), from, to, options);
  for (const Graph& g : graphs) p.add(g);
  return p.finish();
}

std::vector<Graph> graphs_of(const OdeSolutionSet& solutions) {
  if (solutions.solutions.empty()) throw Error(ErrorKind::usage, "there is no solution to plot: " + solutions.reason);
  std::vector<Graph> out;
  const bool several = solutions.solutions.size() > 1;
  for (std::size_t k = 0; k < solutions.solutions.size(); ++k) {
    const OdeSolution& one = solutions.solutions[k];
    if (one.relation || one.parameter)
      throw Error(ErrorKind::usage, one.relation
                                        ? "an implicit solution is no function to plot: " + to_text(*one.relation)
                                        : "a solution with the slope as parameter is a curve, no function to plot");
    for (const Bindings::Entry& e : one.values.entries()) {
      const std::string name = to_text(e.target);
      out.push_back({several ? fmt::format("{} ({})", name, k + 1) : name, e.value});
    }
  }
  return out;
}

std::vector<Graph> graphs_of(const FourierCoefficients& coefficients, const Expr& t,
                             const std::vector<int>& harmonics) {
  std::vector<Graph> out;
  for (const int n : harmonics) {
    if (n < 0) throw Error(ErrorKind::usage, fmt::format("a Fourier sum goes up to a harmonic, not to {}", n));
    out.push_back({n == 1 ? "1 harmonic" : fmt::format("{} harmonics", n), coefficients.partial_sum(t, n)});
  }
  return out;
}

}  // namespace boreon
