// plot: curves of expressions over a range.
#include <fmt/format.h>

#include <cmath>

#include "request.hpp"

namespace boreon::cli {

Answer plot(const Request& r) {
  if (r.over.size() != 1) throw Error(ErrorKind::usage, "say over which range to plot: --over \"z from -2 to 8\"");
  if (r.out.empty()) throw Error(ErrorKind::usage, "say where to write the figure: --out figure.png (or .svg)");
  const Assumed assumed = assumptions_of(r);
  // "z from a to b" is what stands behind the comma of an integral.
  Expr range;
  try {
    range = parse("integral(0, " + r.over[0] + ")", assumed.context);
  } catch (const Error&) {
    throw Error(ErrorKind::usage, fmt::format("--over takes a range such as \"z from -2 to 8\", not '{}'", r.over[0]));
  }
  if (range.operands().size() != 4) throw Error(ErrorKind::usage, fmt::format("--over takes a range such as \"z from -2 to 8\", not '{}'", r.over[0]));
  const Expr x = range.operands()[1];
  const double from = evaluate(range.operands()[2]);
  const double to = evaluate(range.operands()[3]);
  if (!(from < to) || !std::isfinite(from) || !std::isfinite(to)) throw Error(ErrorKind::usage, fmt::format("the range {} to {} is empty or infinite", from, to));
  if (r.log_x && from <= 0) throw Error(ErrorKind::usage, "a logarithmic axis needs a positive range");
  const std::size_t n = r.points.get() == 0 ? 600 : r.points.get();
  if (n < 2 || n > 1000000) throw Error(ErrorKind::usage, "--points takes 2 to 1000000");
  Figure f;
  f.x_label = x.name();
  f.logarithmic_x = r.log_x;
  f.logarithmic_y = r.log_y;
  std::vector<double> xs(n);
  for (std::size_t i = 0; i < n; ++i) {
    const double u = static_cast<double>(i) / static_cast<double>(n - 1);
    xs[i] = r.log_x ? from * std::pow(to / from, u) : from + (to - from) * u;
  }
  std::vector<Expr> expressions;
  for (const std::string& text : r.inputs) expressions.push_back(evaluate_derivatives(read_input(text, assumed.context)));
  for (const Expr& e : expressions) {
    if (is_condition(e)) throw Error(ErrorKind::shape, "an expression is expected, not an equation or a condition");
  }
  Answer a;
  const std::vector<Expr>& put_in = expressions;
  const Symbol symbol(x.name());
  std::size_t missing = 0;
  for (std::size_t k = 0; k < put_in.size(); ++k) {
    Expr e = put_in[k];
    for (const Symbol& s : free_symbols(e)) {
      if (s.name() != x.name()) throw Error(ErrorKind::binding, fmt::format("{} has no value; give it with --set {}=1", s.name(), s.name()));
      if (!(s == symbol)) e = substitute(e, Bindings{{s, symbol}});
    }
    const Kernel kernel = compile({OutputGroup("y", {e})}, {{"x", {symbol}}});
    Curve c;
    c.label = to_text(read_input(r.inputs[k], {}), {60});
    c.x = xs;
    c.y.resize(n);
    for (std::size_t i = 0; i < n; ++i) {
      const double* in[] = {&xs[i]};
      double* out[] = {&c.y[i]};
      kernel(in, out);
      if (!std::isfinite(c.y[i])) ++missing;
    }
    f.curves.push_back(std::move(c));
  }
  if (f.curves.size() == 1) f.y_label = f.curves[0].label;
  write_figure(f, r.out.get(), output_policy(r));
  a.text = fmt::format("figure written to {} ({} curve{}, {} points each{})\n", r.out.get(), f.curves.size(), f.curves.size() == 1 ? "" : "s", n,
                       missing > 0 ? fmt::format(", {} without a finite value left out", missing) : "");
  a.json["result"] = r.out.get();
  a.json["status"] = "approximate";
  a.json["missing_points"] = missing;
  return a;
}

}  // namespace boreon::cli
