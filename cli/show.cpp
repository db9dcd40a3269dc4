// SPDX-License-Identifier: MIT
// show: the model typeset.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "request.hpp"

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
std::string line(const Request& r, const PrintOptions& options, const std::string& left, const Expr& e) {
  const Expr clean = plain_names(e);
  const bool equation = clean.is(Kind::relation);
  if (r.format.get() == "unicode") {
    if (equation) return indented(to_unicode(Equation{clean.operands()[0], clean.operands()[1]}, options), "    ");
    return indented(to_unicode(Equation{Symbol(left), clean}, options));
  }
  if (r.format.get() == "mathml") {
    if (equation) return to_mathml(Equation{clean.operands()[0], clean.operands()[1]}, MathmlPart::both, options);
    return to_mathml(Equation{Symbol(left), clean}, MathmlPart::both, options);
  }
  const std::string body = to_text(clean, options);
  return equation ? "    " + body : "  " + left + " = " + body;
}

}  // namespace

namespace {

bool plain_symbol(const Expr& x, Expr& result) {
  if (!x.is(Kind::symbol) || is_function_head(x)) return false;
  result = Symbol(x.name());
  return true;
}

}  // namespace

PrintOptions as_typed(const Model& m) {
  Rebuild rebuild(plain_symbol);  // one for all: parts that texts share are rewritten once
  return {.independent = m.independent.name(),
          .order = std::make_shared<OperandOrder>(m.order->rewritten([&](const Expr& e) { return rebuild(e); }))};
}

Expr plain_names(const Expr& e) {
  Rebuild rebuild(plain_symbol);
  return rebuild(e);
}

namespace {

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
    t += line(r, options, f.name, f.model_given) + (f.robust ? "   (robust loss)" : "") + "\n";
    fits[f.name] = {{"model", to_text(plain_names(f.model_given))}};
    if (f.deviation_given.is_integer(1)) continue;
    t += line(r, options, "sigma_" + f.name, f.deviation_given) + (f.absolute ? "" : "   (up to a factor)") + "\n";
    fits[f.name]["sigma"] = to_text(plain_names(f.deviation_given));
  }
  return t;
}

std::string error_of(const Parameter& p) {
  return (p.uncertainty > 0 ? fmt::format(" +- {}", number(p.uncertainty)) : "") + (p.fit ? " (to be found)" : "");
}

}  // namespace

Answer show(const Request& r) {
  Answer a;
  if (!is_model(r.inputs.at(0))) {
    const Assumed assumed = assumptions_of(r);
    for (const std::string& text : r.inputs) {
      const auto order = std::make_shared<OperandOrder>();
      ParseContext context = assumed.context;
      context.order = order.get();
      const Expr e = read_input(text, context);
      a.text += typeset(r, e, {.order = order}) + "\n";
      a.json["result"].push_back(to_text(e));
      a.json["latex"].push_back(to_latex(e));
      a.json["mathml"].push_back(to_mathml(e));
    }
    if (r.inputs.size() == 1) a.json["result"] = a.json["result"][0];
    a.json["status"] = "exact";
    return a;
  }
  const Model m = model_of(r);
  const PrintOptions options = as_typed(m);
  std::string& t = a.text;
  t = m.called();
  t += "\n";
  std::size_t width = 0;
  for (const auto& p : m.parameters) width = std::max(width, p.name.size());
  for (const auto& u : m.unknowns) width = std::max(width, u.name.size() + 1);
  Json parameters = Json::object();
  if (!m.parameters.empty()) t += "\nparameters\n";
  for (const auto& p : m.parameters) {
    t += fmt::format("  {} = {} {}{}\n", padded(p.name, width), padded(number(p.value.to_double()) + error_of(p), 12),
                     padded(p.unit, 12), p.note.empty() ? "" : "  " + p.note);
    parameters[p.name] = {{"value", p.value.to_double()}, {"unit", p.unit}, {"note", p.note}};
  }
  Json unknowns = Json::object();
  if (!m.unknowns.empty()) t += "\nunknowns\n";
  for (const auto& u : m.unknowns) {
    std::string bounds;
    if (std::isfinite(u.lower) || std::isfinite(u.upper)) {
      bounds = !std::isfinite(u.upper)   ? fmt::format("  at least {}", number(u.lower))
               : !std::isfinite(u.lower) ? fmt::format("  at most {}", number(u.upper))
                                         : fmt::format("  from {} to {}", number(u.lower), number(u.upper));
    }
    t += fmt::format("  {} : {} {}{}{}\n", padded(u.name, width), padded(number(u.start), 12), padded(u.unit, 12),
                     u.note.empty() ? "" : "  " + u.note, bounds);
    if (u.order == 2) t += fmt::format("  {} : {} (initial rate)\n", padded(u.name + "'", width), number(u.rate_start));
    unknowns[u.name] = {{"start", u.start}, {"unit", u.unit}, {"order", u.order}};
  }
  if (!m.function_texts.empty()) t += "\nfunctions\n";
  for (const auto& [head, body] : m.function_texts) t += fmt::format("  {} = {}\n", head, body);
  Json tables = Json::object();
  if (!m.tables.empty()) t += "\ntables\n";
  for (const auto& table : m.tables) {
    const std::string& name = table.function.name();
    t += fmt::format("  {}: {}{}{}\n", name, to_string(table), table.unit.empty() ? "" : "   [" + table.unit + "]",
                     table.note.empty() ? "" : "   " + table.note);
    tables[name] = {{"points", table.arguments.size()},
                    {"from", table.arguments.front()},
                    {"to", table.arguments.back()},
                    {"unit", table.unit},
                    {"note", table.note}};
  }
  Json definitions = Json::object();
  if (!m.definitions.empty()) t += "\ndefinitions\n";
  for (const auto& d : m.definitions) {
    t += line(r, options, d.name, d.given) + (d.unit.empty() ? "" : "   [" + d.unit + "]") +
         (d.note.empty() ? "" : "   " + d.note) + "\n";
    definitions[d.name] = to_text(plain_names(d.given));
  }
  if (!m.equations.empty()) t += r.format.get() == "text" ? "\nequations\n" : "\nequations\n\n";
  Json equations = Json::object();
  for (const auto& e : m.equations) {
    const Expr sides[] = {e.given.lhs, e.given.rhs};
    const Expr relation = boreon::relation(RelationOp::equal, sides[0], sides[1]);
    t += fmt::format("  {}:\n{}\n", e.name, line(r, options, e.name, relation));
    equations[e.name] = to_text(plain_names(relation));
  }
  Json outputs = Json::object();
  if (!m.outputs.empty()) t += "\noutputs\n";
  for (const auto& o : m.outputs) {
    t += line(r, options, o.name, o.given) + (o.unit.empty() ? "" : "   [" + o.unit + "]") +
         (o.note.empty() ? "" : "   " + o.note) + "\n";
    outputs[o.name] = to_text(plain_names(o.given));
  }
  Json fits = Json::object();
  t += data_and_fits(r, m, options, fits);
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
  a.json["warnings"] = warnings;
  a.json["status"] = "exact";
  return a;
}

}  // namespace boreon::cli
