// SPDX-License-Identifier: MIT
// trace: a branch of steady states along a parameter; solve --roots: all steady states within the bounds.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "boreon/continuation.hpp"
#include "boreon/roots.hpp"
#include "command.hpp"
#include "option_groups.hpp"
#include "solve.hpp"

namespace boreon::cli {
namespace {

struct TraceRequest : Request, FigureOptions {
  Option<std::string> along;
  Option<std::string> from_value;
  Option<std::string> to_value;
  Option<std::size_t> points{0};

  void declare(Declaration& d) override {
    d.add("--along", along, "the parameter");
    d.add("--from", from_value, "its value at the beginning");
    d.add("--to", to_value, "the end of its range");
    d.add("--points", points, "most points of the branch (4000)").within(10, 1000000);
    d.add("--plot", plot, "figure: the unknowns along the branch, .png or .svg");
    declare_axes(d, "logarithmic parameter axis");
  }
};

double number_of(const Option<std::string>& option, const char* name) {
  if (option.empty()) throw Error(ErrorKind::usage, fmt::format("trace needs --along, --from and --to: {} 0.1", name));
  const Expr e = read_input(option.get(), {}, name);
  if (e.has_symbols()) throw Error(ErrorKind::usage, fmt::format("{} takes a number, not '{}'", name, option.get()));
  return evaluate(e);
}

// Rates where there are any, so that stability is known.
System system_to_trace(const Model& m) { return m.in_time() ? rates_at_rest(m) : steady_system(m); }

Json values_of(const std::vector<std::string>& names, const std::vector<double>& values) {
  Json j = Json::object();
  for (std::size_t i = 0; i < names.size(); ++i) j[names[i]] = values[i];
  return j;
}

Json json_of_point(const System& s, const TracePoint& p) {
  Json j{{"parameter", p.parameter}};
  j["values"] = values_of(s.state_names, p.values);
  if (!s.outputs.empty()) j["outputs"] = values_of(s.output_names, p.outputs);
  if (p.unstable >= 0) j["stable"] = p.unstable == 0;
  return j;
}

Json json_of_points(const System& s, const std::vector<TracePoint>& points) {
  Json all = Json::array();
  for (const TracePoint& p : points) all.push_back(json_of_point(s, p));
  return all;
}

const char* word(PointKind kind) {
  switch (kind) {
    case PointKind::turning: return "turning point";
    case PointKind::branch: return "branch point";
    case PointKind::hopf: return "Hopf point";
    default: return "";
  }
}

// One panel for each of the first unknowns: unstable parts as a line of its own, special points marked.
void draw(const TraceRequest& r, const Model& m, const System& s, const TraceResult& t) {
  std::vector<Figure> panels;
  for (std::size_t i = 0; i < std::min<std::size_t>(3, s.states.size()); ++i) {
    Figure f;
    f.title = i == 0 ? m.title : "";
    const Unknown* const u = m.find_unknown(s.state_names[i]);
    const bool unit = u != nullptr && !u->unit.empty();
    f.y_label = typeset_label(unit ? fmt::format("{} [{}]", s.state_names[i], u->unit) : s.state_names[i]);
    f.logarithmic_x = r.log_x;
    f.logarithmic_y = r.log_y;
    Curve stable{t.points.front().unstable < 0 ? "steady states" : "stable", {}, {}};
    Curve unstable{"unstable", {}, {}};
    Curve marks{"special points", {}, {}, true};
    for (std::size_t k = 0; k < t.points.size(); ++k) {
      const TracePoint& p = t.points[k];
      const bool here = p.unstable > 0;
      const bool before = k > 0 && t.points[k - 1].unstable > 0;
      for (Curve* c : {&stable, &unstable}) {
        const bool mine = (c == &unstable) == here || (k > 0 && (c == &unstable) == before && before != here);
        c->x.push_back(p.parameter);
        c->y.push_back(mine ? p.values[i] : std::numeric_limits<double>::quiet_NaN());
      }
      if (p.kind == PointKind::regular) continue;
      marks.x.push_back(p.parameter);
      marks.y.push_back(p.values[i]);
    }
    f.curves = {stable};
    if (std::any_of(unstable.y.begin(), unstable.y.end(), [](double v) { return std::isfinite(v); }))
      f.curves.push_back(unstable);
    if (!marks.x.empty()) f.curves.push_back(marks);
    panels.push_back(std::move(f));
  }
  panels.back().x_label = typeset_label(r.along.get());
  write_figures(panels, r.plot.get(), output_policy(r));
}

std::string table_of(const TraceRequest& r, const System& s, const TraceResult& t) {
  std::string text = csv_field(r.along.get());
  for (const std::string& n : s.state_names) text += "," + csv_field(n);
  for (const std::string& n : s.output_names) text += "," + csv_field(n);
  text += ",unstable,kind\n";
  for (const TracePoint& p : t.points) {
    text += fmt::format("{:.17g}", p.parameter);
    for (const double v : p.values) text += fmt::format(",{:.17g}", v);
    for (const double v : p.outputs) text += fmt::format(",{:.17g}", v);
    text += p.unstable < 0 ? "," : fmt::format(",{}", p.unstable);
    text += fmt::format(",{}\n", word(p.kind));
  }
  return text;
}

std::string line_of(const System& s, const TracePoint& p, const std::string& along) {
  std::string text = fmt::format("{} = {:.10g}", along, p.parameter);
  for (std::size_t i = 0; i < std::min<std::size_t>(4, p.values.size()); ++i)
    text += fmt::format(", {} = {:.8g}", s.state_names[i], p.values[i]);
  return text + (p.values.size() > 4 ? ", ..." : "");
}

Answer answer_to(const TraceRequest& r) {
  if (!is_model(r.inputs.at(0))) throw Error(ErrorKind::usage, "trace takes a model file (.toml)");
  const Model m = model_of(r);
  const System s = system_to_trace(m);
  TraceOptions o;
  o.along = r.along.get();
  if (o.along.empty()) throw Error(ErrorKind::usage, "trace needs the parameter to go along: --along k");
  o.from = number_of(r.from_value, "--from");
  o.to = number_of(r.to_value, "--to");
  if (r.points.get() > 0) o.most_points = r.points.get();
  const TraceResult t = trace(s, o);
  if (!t.completed)
    throw Error(ErrorKind::convergence, fmt::format("the branch of '{}' has no end: {}", m.called(), t.message));
  Answer a;
  a.text = fmt::format("{}\nbranch along {} from {:.6g}: {} points; {}\n", m.called(), o.along, o.from, t.points.size(),
                       t.message);
  for (const TracePoint& p : t.points) {
    if (p.kind != PointKind::regular) a.text += fmt::format("  {}: {}\n", word(p.kind), line_of(s, p, o.along));
  }
  a.text += fmt::format("  begins at {}\n  ends at   {}\n", line_of(s, t.points.front(), o.along),
                        line_of(s, t.points.back(), o.along));
  if (t.points.front().unstable >= 0) {
    std::string parts;
    bool first = true;
    int last = -1;
    for (const TracePoint& p : t.points) {
      if (p.kind != PointKind::regular || p.unstable < 0) continue;
      const int stable = p.unstable == 0 ? 1 : 0;
      if (stable == last) continue;
      parts += fmt::format("{}{} from {} = {:.6g}", first ? "" : ", ", stable != 0 ? "stable" : "unstable", o.along,
                           p.parameter);
      first = false;
      last = stable;
    }
    a.text += fmt::format("  along the branch: {}\n", parts);
  }
  a.text +=
      fmt::format("check: {}: {:.1f} digits at {} points\n", t.evidence.method, t.evidence.digits, t.evidence.points);
  a.json["branch"] = json_of_points(s, t.points);
  a.json["turning_points"] = json_of_points(s, t.turning_points);
  a.json["branch_points"] = json_of_points(s, t.branch_points);
  a.json["hopf_points"] = json_of_points(s, t.hopf_points);
  a.json["result"] = a.json["turning_points"];
  a.json["status"] = "approximate";
  a.json["statistics"] = {{"newton_steps", t.newton_steps}};
  a.json["check"] = json_of(t.evidence);
  if (!r.out.peek().empty() && !r.out.peek().ends_with(".json")) {
    if (!r.out.peek().ends_with(".csv"))
      throw Error(ErrorKind::usage, fmt::format("a branch is written as .csv or .json, not '{}'", r.out.peek()));
    write_output(r.out.get(), table_of(r, s, t), output_policy(r));
    a.text += fmt::format("points written to {}\n", r.out.get());
  }
  if (!r.plot.empty()) {
    draw(r, m, s, t);
    a.text += fmt::format("figure written to {}\n", r.plot.get());
  }
  return a;
}

}  // namespace

Answer roots_of_model(const SolveRequest& r, const Model& m) {
  const System s = steady_system(m);
  const RootsResult found = find_roots(s);
  const int digits = r.digits.get() == 0 ? 10 : std::min(r.digits.get(), 17);
  Answer a;
  a.text = fmt::format("{}\n{} steady state{}{}\n", m.called(), found.roots.size(), found.roots.size() == 1 ? "" : "s",
                       found.complete ? ": there are no others within the bounds" : "");
  a.json["roots"] = Json::array();
  a.json["certified"] = Json::array();
  std::size_t width = 0;
  for (const std::string& n : s.state_names) width = std::max(width, n.size());
  for (const std::string& n : s.output_names) width = std::max(width, n.size());
  for (const Root& root : found.roots) {
    if (&root != &found.roots.front()) a.text += "\n";
    for (std::size_t i = 0; i < root.values.size(); ++i) {
      const Unknown* const u = m.find_unknown(s.state_names[i]);
      a.text += fmt::format("  {:<{}} = {:<18.{}g} {}\n", s.state_names[i], width, root.values[i], digits,
                            u == nullptr ? "" : u->unit);
    }
    for (std::size_t i = 0; i < root.outputs.size(); ++i)
      a.text += fmt::format("  {:<{}} = {:<18.{}g} {}(output)\n", s.output_names[i], width, root.outputs[i], digits,
                            m.outputs[i].unit.empty() ? "" : m.outputs[i].unit + " ");
    if (!root.certified) a.text += "  (not certified: perhaps a multiple root)\n";
    a.json["roots"].push_back(values_of(s.state_names, root.values));
    a.json["certified"].push_back(root.certified);
  }
  a.json["complete"] = found.complete;
  a.json["result"] = a.json["roots"];
  a.json["status"] = "approximate";
  a.json["statistics"] = {{"starts", found.starts}, {"boxes", found.boxes}};
  a.json["check"] = json_of(found.evidence);
  if (!found.message.empty()) {
    a.text += "not shown to be all: " + found.message + "\n";
    a.json["reason"] = found.message;
  }
  a.text += fmt::format("check: {}; {} searches, {} boxes\n", found.evidence.method, found.starts, found.boxes);
  if (found.roots.empty() && !found.complete)
    throw Error(ErrorKind::convergence, fmt::format("no steady state of '{}' was found from {} starts: {}", m.called(),
                                                    found.starts, found.message));
  return a;
}

Command trace_command() {
  return command<TraceRequest>(
      "trace", "a branch of steady states along a parameter, round its turning points",
      "  boreon trace model.toml --along k --from 0.1 --to 5\n"
      "  boreon trace model.toml --along k --from 0.1 --to 5 --plot branch.png --out branch.csv\n",
      answer_to);
}

}  // namespace boreon::cli
