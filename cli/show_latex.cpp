// SPDX-License-Identifier: MIT
// A model as a LaTeX fragment: sections, tables of quantities, aligned equations. Needs amsmath.
#include <fmt/format.h>

#include <cmath>

#include "request.hpp"
#include "show_model.hpp"

namespace boreon::cli {
namespace {

std::string latex_text(std::string_view text) {
  std::string out;
  for (const char c : text) {
    switch (c) {
      case '%':
      case '&':
      case '#':
      case '_':
      case '$':
      case '{':
      case '}':
        out += '\\';
        out += c;
        break;
      case '\\': out += "\\textbackslash{}"; break;
      case '^': out += "\\textasciicircum{}"; break;
      case '~': out += "\\textasciitilde{}"; break;
      case '<':
      case '>':
        out += '$';
        out += c;
        out += '$';
        break;
      default: out += c;
    }
  }
  return out;
}

// "1/(m^3*s)" upright, powers raised.
std::string latex_unit(std::string_view unit) {
  if (unit.empty()) return {};
  std::string out = "\\mathrm{";
  for (std::size_t i = 0; i < unit.size(); ++i) {
    if (unit[i] == '*') {
      out += "\\,";
    } else if (unit[i] == '^') {
      std::size_t end = i + 1;
      while (end < unit.size() && (unit[end] == '-' || (unit[end] >= '0' && unit[end] <= '9'))) ++end;
      out += fmt::format("^{{{}}}", unit.substr(i + 1, end - i - 1));
      i = end - 1;
    } else {
      out += unit[i] == '%' ? std::string("\\%") : std::string(1, unit[i]);
    }
  }
  return out + "}";
}

std::string latex_number(double v) { return to_latex(Expr(Number::shortest_decimal(v))); }

std::string quantity(const Expr& name, const std::string& value, const std::string& unit, const std::string& note) {
  return fmt::format("  ${}$ & ${}{}$ & {} \\\\\n", to_latex(name), value, unit.empty() ? "" : "\\;" + latex_unit(unit),
                     latex_text(note));
}

std::string array_quantity(const ModelArray& a, const PrintOptions& options) {
  std::string range;
  for (const IndexRange& d : a.dimensions)
    range += fmt::format("{}${} = {}, \\ldots, {}$", range.empty() ? "" : ", ", to_latex(Symbol(d.name)),
                         to_latex(d.from), to_latex(d.to));
  const std::string value = a.source.empty() ? to_latex(plain_names(a.given), options)
                                             : fmt::format("\\text{{{}}}", latex_text(source_of(a, options)));
  return fmt::format("  ${}$ & ${}{}$ & {}{}{} \\\\\n", to_latex(head_of(a)), value,
                     a.unit.empty() ? "" : "\\;" + latex_unit(a.unit), range, a.note.empty() ? "" : "; ",
                     latex_text(a.note));
}

std::string table(std::string_view title, const std::string& rows) {
  return rows.empty()
             ? std::string()
             : fmt::format("\n\\subsection*{{{}}}\n\\begin{{tabular}}{{lll}}\n{}\\end{{tabular}}\n", title, rows);
}

std::string aligned(std::string_view title, const std::vector<std::string>& lines) {
  if (lines.empty()) return {};
  std::string out = fmt::format("\n\\subsection*{{{}}}\n\\begin{{align*}}\n", title);
  for (std::size_t i = 0; i < lines.size(); ++i) out += "  " + lines[i] + (i + 1 < lines.size() ? " \\\\\n" : "\n");
  return out + "\\end{align*}\n";
}

// What stands behind an equation: unit and note.
std::string aside(const std::string& unit, const std::string& note) {
  if (unit.empty() && note.empty()) return {};
  return fmt::format(" && {}{}", unit.empty() ? "" : fmt::format("[{}]", latex_unit(unit)),
                     note.empty() ? "" : fmt::format("\\quad\\text{{{}}}", latex_text(note)));
}

}  // namespace

std::string model_in_latex(const Model& m) {
  const PrintOptions options = as_typed(m);
  const auto latex = [&](const Expr& e) { return to_latex(plain_names(e), options); };
  std::string out = fmt::format("\\section*{{{}}}\n", latex_text(m.called()));
  std::string rows;
  for (const auto& p : m.parameters) {
    if (is_element(m, p.name)) continue;
    const std::string error = p.uncertainty > 0 ? " \\pm " + latex_number(p.uncertainty) : "";
    rows += quantity(Symbol(p.name), to_latex(Expr(p.value)) + error, p.unit, p.note);
  }
  for (const ModelArray& a : m.arrays) {
    if (a.what == ModelArray::What::parameter) rows += array_quantity(a, options);
  }
  out += table("Parameters", rows);
  rows.clear();
  for (const ModelArray& a : m.arrays) {
    if (a.what == ModelArray::What::unknown) rows += array_quantity(a, options);
  }
  for (const auto& u : m.unknowns) {
    if (is_element(m, u.name)) continue;
    rows += quantity(Symbol(u.name), latex_number(u.start), u.unit, u.note);
    if (std::isfinite(u.lower))
      rows += fmt::format("  & \\multicolumn{{2}}{{l}}{{${} \\ge {}$}} \\\\\n", to_latex(Symbol(u.name)),
                          latex_number(u.lower));
    if (std::isfinite(u.upper))
      rows += fmt::format("  & \\multicolumn{{2}}{{l}}{{${} \\le {}$}} \\\\\n", to_latex(Symbol(u.name)),
                          latex_number(u.upper));
    if (u.order == 2)
      rows += fmt::format("  ${}'$ & ${}$ & initial rate \\\\\n", to_latex(Symbol(u.name)), latex_number(u.rate_start));
  }
  out += table("Unknowns and where they start", rows);
  std::vector<std::string> lines;
  for (const auto& [head, body] : m.function_texts) {
    const auto order = std::make_shared<OperandOrder>();
    ParseContext typed;
    typed.order = order.get();
    const Expr e = parse(body, typed);
    lines.push_back(fmt::format("{} &= {}", to_latex(parse(head)), to_latex(e, {.order = order})));
  }
  out += aligned("Functions", lines);
  lines.clear();
  for (const auto& t : m.tables)
    lines.push_back(fmt::format("{} &= \\text{{{}}}{}", to_latex(Symbol(t.function.name())), latex_text(to_string(t)),
                                aside(t.unit, t.note)));
  out += aligned("Tables", lines);
  lines.clear();
  for (const ShownFormula& d : formulas_of(m, ModelArray::What::definition))
    lines.push_back(fmt::format("{} &= {}{}", to_latex(d.left), latex(d.given), aside(d.unit, d.note)));
  out += aligned("Definitions", lines);
  lines.clear();
  for (const ShownEquation& e : equations_of(m))
    lines.push_back(
        fmt::format("{} &= {} && \\text{{{}}}", latex(e.given.lhs), latex(e.given.rhs), latex_text(e.name + e.about)));
  out += aligned("Equations", lines);
  lines.clear();
  for (const ShownFormula& o : formulas_of(m, ModelArray::What::output))
    lines.push_back(fmt::format("{} &= {}{}", to_latex(o.left), latex(o.given), aside(o.unit, o.note)));
  out += aligned("Outputs", lines);
  lines.clear();
  for (const auto& f : m.fits) {
    lines.push_back(fmt::format("{} &\\approx {}", to_latex(Symbol(f.name)), latex(f.model_given)));
    if (!f.deviation_given.is_integer(1))
      lines.push_back(fmt::format("\\sigma_{{{}}} &= {}", to_latex(Symbol(f.name)), latex(f.deviation_given)));
  }
  out += aligned("Measured, and the models of it", lines);
  lines.clear();
  if (m.objective) {
    lines.push_back(fmt::format("&\\text{{{}}} && {}", m.objective->maximise ? "maximise" : "minimise",
                                latex(m.objective->given)));
    for (const auto& c : m.constraint_families)
      lines.push_back(fmt::format("&\\text{{{}}} && {}", latex_text(c.name), latex(c.given)));
  }
  return out + aligned("What is optimised, and what has to hold", lines);
}

}  // namespace boreon::cli
