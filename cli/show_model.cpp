// SPDX-License-Identifier: MIT
#include "show_model.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace boreon::cli {
namespace {

std::string padded(const std::string& s, std::size_t width) {
  return s + std::string(width > s.size() ? width - s.size() : 0, ' ');
}

// As typed: six digits where they are the number, otherwise all it takes.
std::string number(double v) {
  const std::string six = fmt::format("{:.6g}", v);
  return std::stod(six) == v ? six : fmt::format("{:.15g}", v);
}

// "left = expression" in the format of the request; rates are written y', without their argument.
std::string line(const Request& r, const PrintOptions& options, const Expr& left, const Expr& e) {
  const Expr clean = plain_names(e);
  const bool equation = clean.is(Kind::relation);
  if (r.format.get() == "unicode") {
    if (equation) return indented(to_unicode(Equation{clean.operands()[0], clean.operands()[1]}, options), "    ");
    return indented(to_unicode(Equation{left, clean}, options));
  }
  if (r.format.get() == "mathml") {
    if (equation) return to_mathml(Equation{clean.operands()[0], clean.operands()[1]}, MathmlPart::both, options);
    return to_mathml(Equation{left, clean}, MathmlPart::both, options);
  }
  const std::string body = to_text(clean, options);
  return equation ? "    " + body : "  " + to_text(left, options) + " = " + body;
}

std::string remarks(const std::string& unit, const std::string& note) {
  return (unit.empty() ? "" : "   [" + unit + "]") + (note.empty() ? "" : "   " + note);
}

// What was measured, and its models.
std::string data_and_fits(const Request& r, const Model& m, const PrintOptions& options, Json& fits) {
  if (!m.data) return {};
  std::string t =
      fmt::format("\ndata: {} rows{}\n", m.data->rows(), m.data->file.empty() ? "" : " from " + m.data->file);
  for (std::size_t c = 0; c < m.data->names.size(); ++c) {
    const auto [low, high] = std::minmax_element(m.data->columns[c].begin(), m.data->columns[c].end());
    t += fmt::format("  {}{}: {} to {}\n", m.data->names[c],
                     m.data->units[c].empty() ? "" : " [" + m.data->units[c] + "]", number(*low), number(*high));
  }
  t += r.format.get() == "text" ? "\nfit\n" : "\nfit\n\n";
  for (const FitSeries& f : m.fits) {
    t += line(r, options, Symbol(f.name), f.model_given) + (f.robust ? "   (robust loss)" : "") + "\n";
    fits[f.name] = {{"model", to_text(plain_names(f.model_given))}};
    if (f.deviation_given.is_integer(1)) continue;
    t += line(r, options, Symbol("sigma_" + f.name), f.deviation_given) + (f.absolute ? "" : "   (up to a factor)") +
         "\n";
    fits[f.name]["sigma"] = to_text(plain_names(f.deviation_given));
  }
  return t;
}

std::string error_of(const Parameter& p) {
  return (p.uncertainty > 0 ? fmt::format(" +- {}", number(p.uncertainty)) : "") + (p.fit ? " (to be found)" : "");
}

std::string bounds_of(const Unknown& u) {
  if (!std::isfinite(u.lower) && !std::isfinite(u.upper)) return {};
  return !std::isfinite(u.upper)   ? fmt::format("  at least {}", number(u.lower))
         : !std::isfinite(u.lower) ? fmt::format("  at most {}", number(u.upper))
                                   : fmt::format("  from {} to {}", number(u.lower), number(u.upper));
}

// Names, values and formulas of arrays come in one column with those of plain quantities.
std::size_t name_width(const Model& m) {
  std::size_t width = 0;
  for (const auto& p : m.parameters) width = std::max(width, is_element(m, p.name) ? 0 : p.name.size());
  for (const auto& u : m.unknowns) width = std::max(width, is_element(m, u.name) ? 0 : u.name.size() + 1);
  for (const auto& a : m.arrays) {
    if (a.what == ModelArray::What::parameter || a.what == ModelArray::What::unknown)
      width = std::max(width, a.head().size());
  }
  return std::min<std::size_t>(width, 30);
}

std::string indices_text(const Model& m, Json& json) {
  if (m.indices.empty()) return {};
  std::string t = "\nindices\n";
  for (const IndexRange& i : m.indices) {
    t += "  " + text_of(i) + "\n";
    json[i.name] = {{"from", to_text(i.from)}, {"to", to_text(i.to)}, {"periodic", i.periodic}};
  }
  return t;
}

std::string grid_text(const Model& m, Json& json) {
  if (m.grid.empty()) return {};
  std::string t = "\ngrid\n";
  for (const GridCoordinate& c : m.grid) {
    const std::string start = to_text(c.start);
    t += fmt::format("  {} = {}{} in steps of {}, differences of order {}\n", c.coordinate.name(),
                     start == "0" ? "" : start + " on by ", c.index.name(), to_text(c.spacing), c.order);
    json[c.coordinate.name()] = {
        {"index", c.index.name()}, {"start", start}, {"spacing", to_text(c.spacing)}, {"order", c.order}};
  }
  return t;
}

std::string parameters_text(const Model& m, const PrintOptions& options, Json& json) {
  std::string t;
  const std::size_t width = name_width(m);
  for (const auto& p : m.parameters) {
    if (is_element(m, p.name)) continue;
    t += fmt::format("  {} = {} {}{}\n", padded(p.name, width), padded(number(p.value.to_double()) + error_of(p), 12),
                     padded(p.unit, 12), p.note.empty() ? "" : "  " + p.note);
    json[p.name] = {{"value", p.value.to_double()}, {"unit", p.unit}, {"note", p.note}};
  }
  for (const ModelArray& a : m.arrays) {
    if (a.what != ModelArray::What::parameter) continue;
    const std::string source = source_of(a, options);
    t += fmt::format("  {} = {}{}\n", padded(a.head(), width), source, remarks(a.unit, a.note));
    json[a.head()] = {{"value", source}, {"unit", a.unit}, {"note", a.note}, {"elements", a.elements()}};
  }
  return t.empty() ? t : "\nparameters\n" + t;
}

std::string unknowns_text(const Model& m, const PrintOptions& options, Json& json) {
  std::string t;
  const std::size_t width = name_width(m);
  for (const auto& u : m.unknowns) {
    if (is_element(m, u.name)) continue;
    t += fmt::format("  {} : {} {}{}{}\n", padded(u.name, width), padded(number(u.start), 12), padded(u.unit, 12),
                     u.note.empty() ? "" : "  " + u.note, bounds_of(u));
    if (u.order == 2) t += fmt::format("  {} : {} (initial rate)\n", padded(u.name + "'", width), number(u.rate_start));
    json[u.name] = {{"start", u.start}, {"unit", u.unit}, {"order", u.order}};
  }
  for (const ModelArray& a : m.arrays) {
    if (a.what != ModelArray::What::unknown) continue;
    const Unknown* first = m.find_unknown(a.element(0));
    const std::string start = source_of(a, options);
    t += fmt::format("  {} : {}{}{}   ({} unknowns)\n", padded(a.head(), width), start, remarks(a.unit, a.note),
                     first == nullptr ? "" : bounds_of(*first), a.elements());
    json[a.head()] = {{"start", start}, {"unit", a.unit}, {"elements", a.elements()}};
  }
  return t.empty() ? t : "\nunknowns\n" + t;
}

std::string formulas_text(const Request& r, const Model& m, const PrintOptions& options, ModelArray::What what,
                          Json& json) {
  std::string t;
  for (const ShownFormula& f : formulas_of(m, what)) {
    t += line(r, options, f.left, f.given) + remarks(f.unit, f.note) + "\n";
    json[to_text(f.left)] = to_text(plain_names(f.given));
  }
  return t.empty() ? t : (what == ModelArray::What::output ? "\noutputs\n" : "\ndefinitions\n") + t;
}

std::string equations_text(const Request& r, const Model& m, const PrintOptions& options, Json& json) {
  std::string t;
  for (const ShownEquation& e : equations_of(m)) {
    const Expr relation = boreon::relation(RelationOp::equal, e.given.lhs, e.given.rhs);
    t += fmt::format("  {}{}:\n{}\n", e.name, e.about, line(r, options, 0, relation));
    json[e.name] = to_text(plain_names(relation));
  }
  return t.empty() ? t : (r.format.get() == "text" ? "\nequations\n" : "\nequations\n\n") + t;
}

std::string functions_text(const Model& m, Json& tables) {
  std::string t;
  if (!m.function_texts.empty()) t += "\nfunctions\n";
  for (const auto& [head, body] : m.function_texts) t += fmt::format("  {} = {}\n", head, body);
  if (!m.tables.empty()) t += "\ntables\n";
  for (const auto& table : m.tables) {
    const std::string& name = table.function.name();
    t += fmt::format("  {}: {}{}\n", name, to_string(table), remarks(table.unit, table.note));
    tables[name] = {{"points", table.arguments.size()},
                    {"from", table.arguments.front()},
                    {"to", table.arguments.back()},
                    {"unit", table.unit},
                    {"note", table.note}};
  }
  return t;
}

}  // namespace

Expr head_of(const ModelArray& array) {
  std::vector<Expr> indices;
  for (const IndexRange& d : array.dimensions) indices.push_back(Symbol(d.name));
  return element(Symbol(array.name), indices);
}

const NamedExpression* named_objective(const Model& m) {
  for (const auto* list : {&m.outputs, &m.definitions}) {
    for (const NamedExpression& e : *list) {
      if (e.resolved == m.objective->resolved) return &e;
    }
  }
  return nullptr;
}

const ModelArray* array_of(const Model& m, std::string_view name) {
  return name.ends_with(']') ? m.find_array(name.substr(0, name.find('['))) : nullptr;
}

std::vector<ShownFormula> formulas_of(const Model& m, ModelArray::What what) {
  std::vector<ShownFormula> all;
  for (const NamedExpression& e : what == ModelArray::What::output ? m.outputs : m.definitions) {
    if (!is_element(m, e.name)) all.push_back({Symbol(e.name), e.given, e.unit, e.note});
  }
  for (const ModelArray& a : m.arrays) {
    if (a.what == what) all.push_back({head_of(a), a.given, a.unit, a.note});
  }
  return all;
}

std::vector<ShownEquation> equations_of(const Model& m) {
  std::vector<ShownEquation> all;
  for (const EquationFamily& f : m.families) {
    const bool conditional = !f.where.is_constant(ConstantCode::true_value);
    std::string about;
    if (conditional || f.members != 1)
      about = fmt::format(" ({}{} {})", conditional ? "where " + to_text(plain_names(f.where)) + ", " : "", f.members,
                          f.members == 1 ? "element" : "elements");
    all.push_back({f.name, f.on_grid ? f.differential : f.given, about});
  }
  for (const ModelEquation& e : m.equations) {
    const std::string family = e.name.substr(0, e.name.find('['));
    const bool member = std::any_of(m.families.begin(), m.families.end(),
                                    [&](const EquationFamily& f) { return f.name == family || f.name == e.name; });
    if (!member) all.push_back({e.name, e.given, ""});
  }
  return all;
}

std::string text_of(const IndexRange& index) {
  return fmt::format("{} = {} .. {}{}", index.name, to_text(index.from), to_text(index.to),
                     index.periodic ? ", periodic" : "");
}

std::string source_of(const ModelArray& array, const PrintOptions& options) {
  if (array.source.empty()) return to_text(plain_names(array.given), options);
  return fmt::format("{} values{}", array.elements(), array.source == "values" ? "" : " from " + array.source);
}

// What is to be least, and what has to hold.
std::string optimum_text(const Request& r, const Model& m, const PrintOptions& options, Json& optimise,
                         Json& constraints) {
  if (!m.objective) return {};
  const char* const goal = m.objective->maximise ? "maximise" : "minimise";
  // an output stands for what it is
  const NamedExpression* const named = named_objective(m);
  const Expr given = named != nullptr ? Expr(Symbol(named->name)) : plain_names(m.objective->given);
  optimise[goal] = to_text(given);
  std::string t = fmt::format("\n{}\n{}{}\n", goal, r.format.get() == "text" ? "" : "\n", typeset(r, given, options));
  if (m.constraints.empty()) return t;
  t += r.format.get() == "text" ? "\nconstraints\n" : "\nconstraints\n\n";
  for (const ConstraintFamily& c : m.constraint_families) {
    constraints[c.name] = to_text(plain_names(c.given));
    t += fmt::format("{}   ({}{})\n", typeset(r, plain_names(c.given), options), c.name,
                     c.members == 1 ? "" : fmt::format(", {} of them", c.members));
  }
  return t;
}

Answer show_model(const Request& r) {
  const Model m = model_of(r);
  const PrintOptions options = as_typed(m);
  Answer a;
  std::string& t = a.text;
  t = m.called() + "\n";
  Json indices = Json::object();
  Json parameters = Json::object();
  Json unknowns = Json::object();
  Json tables = Json::object();
  Json definitions = Json::object();
  Json equations = Json::object();
  Json outputs = Json::object();
  Json fits = Json::object();
  t += indices_text(m, indices);
  Json grid = Json::object();
  t += grid_text(m, grid);
  t += parameters_text(m, options, parameters);
  t += unknowns_text(m, options, unknowns);
  t += functions_text(m, tables);
  t += formulas_text(r, m, options, ModelArray::What::definition, definitions);
  t += equations_text(r, m, options, equations);
  t += formulas_text(r, m, options, ModelArray::What::output, outputs);
  t += data_and_fits(r, m, options, fits);
  Json optimise = Json::object();
  Json constraints = Json::object();
  t += optimum_text(r, m, options, optimise, constraints);
  if (r.format.get() == "latex") t = model_in_latex(m);
  Json warnings = Json::array();
  for (const auto& w : m.warnings) {
    t += fmt::format("\nwarning: {}:{}:{}: {}", w.position.file, w.position.line, w.position.column, w.message);
    warnings.push_back({{"message", w.message}, {"line", w.position.line}, {"column", w.position.column}});
  }
  if (!m.warnings.empty()) t += "\n";
  a.json["result"] = {
      {"title", m.title},           {"parameters", parameters}, {"unknowns", unknowns}, {"tables", tables},
      {"definitions", definitions}, {"equations", equations},   {"outputs", outputs},   {"fit", fits}};
  if (!m.indices.empty()) a.json["result"]["indices"] = indices;
  if (!m.grid.empty()) a.json["result"]["grid"] = grid;
  if (m.objective) {
    a.json["result"]["optimise"] = optimise;
    a.json["result"]["constraints"] = constraints;
  }
  a.json["warnings"] = warnings;
  a.json["status"] = "exact";
  return a;
}

}  // namespace boreon::cli
