// SPDX-License-Identifier: MIT
#include "request.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <map>
#include <sstream>

namespace boreon::cli {
namespace {

std::string trimmed(const std::string& s) {
  const std::size_t from = s.find_first_not_of(" \t\n");
  if (from == std::string::npos) return {};
  return s.substr(from, s.find_last_not_of(" \t\n") - from + 1);
}

Assumption named_assumption(const std::string& word) {
  const std::vector<std::pair<std::string, Assumption>> words{{"real", Assumption::real},
                                                              {"integer", Assumption::integer},
                                                              {"positive", Assumption::positive},
                                                              {"negative", Assumption::negative},
                                                              {"nonnegative", Assumption::nonnegative},
                                                              {"nonpositive", Assumption::nonpositive},
                                                              {"nonzero", Assumption::nonzero},
                                                              {"complex", Assumption::complex}};
  std::vector<std::string> names;
  for (const auto& [name, a] : words) {
    if (name == word) return a;
    names.push_back(name);
  }
  throw Error(ErrorKind::usage, fmt::format("'{}' is no assumption{} (known: real, integer, positive, negative, "
                                            "nonnegative, nonpositive, nonzero, complex, or a comparison "
                                            "such as a > 0)",
                                            word, suggestion(word, names)));
}

}  // namespace

bool is_model(const std::string& input) { return input.ends_with(".toml"); }

void Request::warn(const std::string& text) const {
  if (std::find(warnings->begin(), warnings->end(), text) == warnings->end()) warnings->push_back(text);
}

Expr read_input(const std::string& input, const ParseContext& context, const char* place) {
  if (is_model(input))
    throw Error(ErrorKind::usage, fmt::format("'{}' is a model file, but expressions are expected here (solve, "
                                              "simulate, check, derive and show take models)",
                                              input));
  const std::size_t point = input.rfind('.');
  const bool like_a_file = point != std::string::npos && point > 0 && point + 2 < input.size() &&
                           input.find_first_of(" ()*+^=<>,") == std::string::npos &&
                           std::all_of(input.begin() + static_cast<std::ptrdiff_t>(point) + 1, input.end(),
                                       [](unsigned char c) { return std::isalpha(c) != 0; });
  if (like_a_file && !input.ends_with(".mml")) {
    throw Error(ErrorKind::usage, fmt::format("'{}' looks like a file; model files end in .toml, MathML files in .mml, "
                                              "and everything else is an expression",
                                              input));
  }
  if (input.ends_with(".mml")) return parse_mathml(read_file(input), context);
  if (*place == '\0') return parse(input, context);
  try {
    return parse(input, context);
  } catch (const Error& e) {
    // In options there is one line: its column is enough.
    const std::string at =
        e.position().known() ? fmt::format("{}, column {}: ", place, e.position().column) : fmt::format("{}: ", place);
    throw Error(e.kind(), at + e.message());
  }
}

OutputPolicy output_policy(const Request& r) {
  OutputPolicy policy{{}, r.force};
  for (const std::string& input : r.inputs) {
    if (is_model(input) || input.ends_with(".mml")) policy.inputs.push_back(input);
  }
  policy.inputs.insert(policy.inputs.end(), r.files.begin(), r.files.end());
  return policy;
}

std::vector<std::string> split(const std::string& text) {
  std::vector<std::string> parts;
  int depth = 0;
  std::string current;
  for (const char c : text) {
    depth += c == '(' || c == '[' ? 1 : c == ')' || c == ']' ? -1 : 0;
    if (c == ',' && depth == 0) {
      parts.push_back(trimmed(current));
      current.clear();
    } else {
      current += c;
    }
  }
  if (!trimmed(current).empty() || !parts.empty()) parts.push_back(trimmed(current));
  return parts;
}

std::vector<std::pair<std::string, Expr>> assignments(const std::string& text, const char* option) {
  std::vector<std::pair<std::string, Expr>> list;
  for (const std::string& part : split(text)) {
    const std::size_t sign = part.find('=');
    std::string name = trimmed(part.substr(0, std::min(sign, part.size())));
    const auto element = element_name(name);
    if (element) name = to_string(*element);
    if (sign == std::string::npos || (!element && !is_identifier(name))) {
      throw Error(ErrorKind::usage,
                  fmt::format("{} takes name=value pairs separated by commas, such as \"x=1/3, y=2\"; '{}' is none",
                              option, part));
    }
    const Expr value = read_input(part.substr(sign + 1), {}, option);
    if (value.has_symbols())
      throw Error(ErrorKind::usage, fmt::format("the value of {} in {} must be a number, not '{}'", name, option,
                                                trimmed(part.substr(sign + 1))));
    for (const auto& [other, v] : list) {
      if (other == name) throw Error(ErrorKind::usage, fmt::format("{} is given twice in {}", name, option));
    }
    list.emplace_back(name, value);
  }
  return list;
}

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

ParameterValues parameter_values(const Request& r) {
  ParameterValues values;
  for (const std::string& s : r.set) {
    for (const auto& [name, value] : assignments(s, "--set"))
      values.emplace_back(name, value.is_number() ? value.number() : Number::from_double(evaluate(value)));
  }
  return values;
}

Model model_of(const Request& r) {
  if (r.inputs.size() != 1) throw Error(ErrorKind::usage, fmt::format("{} takes one model file", r.command));
  Model model = load_model(r.inputs[0], parameter_values(r));
  for (const Warning& w : model.warnings)
    r.warn(fmt::format("{}:{}:{}: {}", w.position.file, w.position.line, w.position.column, w.message));
  return model;
}

namespace {

// Whether a name stands in a text as a word of its own.
bool occurs_in(const std::string& text, const std::string& name) {
  const auto letter = [&](std::size_t i) {
    return i < text.size() && (std::isalnum(static_cast<unsigned char>(text[i])) != 0 || text[i] == '_');
  };
  for (std::size_t at = text.find(name); at != std::string::npos; at = text.find(name, at + 1)) {
    if ((at == 0 || !letter(at - 1)) && !letter(at + name.size())) return true;
  }
  return false;
}

std::vector<std::string> texts_of(const Request& r) {
  std::vector<std::string> all = r.inputs;
  all.insert(all.end(), r.formulas.begin(), r.formulas.end());
  for (std::string& text : all) {
    if (text.ends_with(".mml")) text = read_file(text);
  }
  return all;
}

// Values of --set become what their names stand for; a name that occurs nowhere is a slip of the pen.
void put_in(const Request& r, Assumed& assumed) {
  for (const std::string& s : r.set) {
    for (auto& [name, value] : assignments(s, "--set")) {
      for (const auto& [other, v] : assumed.values) {
        if (other == name) throw Error(ErrorKind::usage, fmt::format("{} is given twice in --set", name));
      }
      const std::vector<std::string> texts = texts_of(r);
      if (!r.answer_may_name(name) &&
          std::none_of(texts.begin(), texts.end(), [&, n = name](const std::string& t) { return occurs_in(t, n); })) {
        std::vector<std::string> names;
        for (const std::string& input : r.inputs) {
          for (const Symbol& symbol : free_symbols(read_input(input, {}))) names.push_back(symbol.name());
        }
        throw Error(ErrorKind::binding,
                    fmt::format("--set: '{}' does not occur in the expression{}", name, suggestion(name, names)));
      }
      assumed.values.emplace_back(name, value);
    }
  }
}

}  // namespace

Limit limit_reached(const Error& e) {
  const auto says = [&](const char* words) { return e.message().find(words) != std::string::npos; };
  if (e.kind() != ErrorKind::limit) return Limit::none;
  if (says("more work than its budget")) return Limit::work;
  return says("more memory than its budget") ? Limit::memory : Limit::none;
}

Assumed assumptions_of(const Request& r) {
  Assumed result;
  result.context.notices = r.notices.get();
  for (const std::string& text : r.unknown) {
    for (const std::string& name : split(text)) {
      if (!is_identifier(name) || find_function(name) != nullptr)
        throw Error(ErrorKind::usage,
                    fmt::format("--unknown takes names of functions that are not known; '{}' is none", name));
      result.context.functions.emplace(name, 0);
    }
  }
  put_in(r, result);
  std::map<std::string, Assumptions> facts;
  std::vector<std::string> relations;
  for (const std::string& text : r.assume) {
    for (const std::string& part : split(text)) {
      if (part.empty()) continue;
      result.texts.push_back(part);
      const std::size_t blank = part.find(' ');
      const std::string first = part.substr(0, blank);
      if (part.find_first_of("<>=!") == std::string::npos) {
        if (blank == std::string::npos || !is_identifier(first)) {
          throw Error(ErrorKind::usage,
                      fmt::format("--assume takes statements such as \"a > 0, n integer\"; '{}' is none", part));
        }
        const Assumption a = named_assumption(trimmed(part.substr(blank)));
        if (a == Assumption::complex) {
          facts[first] = Assumptions::none();
        } else {
          facts[first].add(a);
        }
        continue;
      }
      const Expr c = read_input(part, {}, "--assume");
      if (!c.is(Kind::relation))
        throw Error(ErrorKind::usage,
                    fmt::format("--assume takes statements such as \"a > 0, n integer\"; '{}' is none", part));
      const Expr& a = c.operands()[0];
      const Expr& b = c.operands()[1];
      const bool strict = c.relation_op() == RelationOp::less;
      if (c.relation_op() == RelationOp::not_equal && a.is(Kind::symbol) && b.is_integer(0))
        facts[a.name()].add(Assumption::nonzero);
      if (c.relation_op() == RelationOp::not_equal && b.is(Kind::symbol) && a.is_integer(0))
        facts[b.name()].add(Assumption::nonzero);
      if (strict || c.relation_op() == RelationOp::less_equal) {
        // number < x and x < number tell the sign where the number does
        if (b.is(Kind::symbol) && a.is_number() && a.number().sign() >= 0)
          facts[b.name()].add(strict || a.number().sign() > 0 ? Assumption::positive : Assumption::nonnegative);
        if (a.is(Kind::symbol) && b.is_number() && b.number().sign() <= 0)
          facts[a.name()].add(strict || b.number().sign() < 0 ? Assumption::negative : Assumption::nonpositive);
      }
      relations.push_back(part);
    }
  }
  for (const auto& [name, a] : facts) result.context.names.emplace(name, Symbol(name, a));
  for (const auto& [name, value] : result.values) {
    // Facts of the name must hold for its value.
    if (const auto at = facts.find(name); at != facts.end() && value.is_number()) {
      const int sign = value.number().sign();
      const Assumptions& a = at->second;
      if ((a.has(Assumption::integer) && !value.number().is_integer()) || (a.has(Assumption::nonzero) && sign == 0) ||
          (a.has(Assumption::nonnegative) && sign < 0) || (a.has(Assumption::nonpositive) && sign > 0)) {
        throw Error(ErrorKind::usage, fmt::format("--set {}={} contradicts --assume, by which {} is {}", name,
                                                  to_text(value), name, a.to_string()));
      }
    }
    result.context.names.insert_or_assign(name, value);
  }
  for (const std::string& text : relations) {
    const Expr c = parse(text, result.context);
    if (c.is_constant(ConstantCode::false_value))
      throw Error(ErrorKind::usage,
                  fmt::format("--assume {} is false{}", text, result.values.empty() ? "" : " for the values of --set"));
    if (!c.is_constant(ConstantCode::true_value)) result.conditions.push_back(c);
  }
  return result;
}

std::string indented(const std::string& text, const std::string& by) {
  std::string out = by;
  for (const char c : text) {
    out += c;
    if (c == '\n') out += by;
  }
  return out;
}

namespace {
template <class T>
std::string typeset_any(const Request& r, const T& e, const auto&... options) {
  if (r.format.get() == "unicode") return indented(to_unicode(e, options...));
  if (r.format.get() == "latex") return indented(to_latex(e, options...));
  if (r.format.get() == "mathml") {
    if constexpr (sizeof...(options) > 0) return to_mathml(e, MathmlPart::both, options...);
    return to_mathml(e);
  }
  return indented(to_text(e, options...));
}
}  // namespace

void require_one_expression(const Request& r) {
  if (r.inputs.size() == 1 && is_model(r.inputs[0])) {
    throw Error(ErrorKind::usage, fmt::format("{} takes an expression, and '{}' is a model file (show, derive, check, "
                                              "evaluate, solve, simulate and generate take models)",
                                              r.command, r.inputs[0]));
  }
  if (r.inputs.size() != 1)
    throw Error(ErrorKind::usage,
                fmt::format("{} takes one expression, got {}; quote it as one word", r.command, r.inputs.size()));
}

std::string typeset(const Request& r, const Expr& e) { return typeset_any(r, e); }
std::string typeset(const Request& r, const Expr& e, const PrintOptions& options) { return typeset_any(r, e, options); }
std::string typeset(const Request& r, const Equation& e) { return typeset_any(r, e); }

std::string typeset(const Request& r, const Matrix& m) {
  if (r.format.get() != "text") return typeset_any(r, m);
  std::string out;
  for (Eigen::Index i = 0; i < m.rows(); ++i) {
    for (Eigen::Index j = 0; j < m.cols(); ++j)
      out += fmt::format("{}  [{}, {}] = {}", out.empty() ? "" : "\n", i + 1, j + 1, to_text(m(i, j)));
  }
  return out;
}

Json json_of(const Evidence& e) {
  Json worst = Json::object();
  worst["entry"] = e.worst_entry;
  worst["derived"] = e.worst_derived;
  worst["reference"] = e.worst_reference;
  for (const auto& [name, value] : e.worst_point) worst["at"][name] = value;
  return {{"method", e.method},
          {"points", e.points},
          {"digits", e.digits},
          {"worst", worst},
          {"verdict", to_string(e.verdict)},
          {"entries", e.entries}};
}

Json json_of(const Comparison& c, const char* method) {
  Json worst = nullptr;
  if (!c.worst_point.empty()) {
    worst = Json::object();
    for (const auto& [name, value] : c.worst_point) worst["at"][name] = value;
  }
  if (c.agrees && c.points == 0 && c.digits > 0)  // nothing was compared: the forms are one
    return {{"method", "the same canonical form"},
            {"points", 0},
            {"digits", nullptr},
            {"worst", nullptr},
            {"verdict", "agrees"}};
  return {{"method", method},
          {"points", c.points},
          {"digits", std::min(c.digits, 100.0)},
          {"worst", worst},
          {"verdict", !c.agrees                        ? "disagrees"
                      : c.points == 0 && c.digits == 0 ? "untested"
                                                       : "agrees"}};
}

std::string complex_text(std::complex<double> z, int digits) {
  if (z.imag() == 0) return fmt::format("{:.{}g}", z.real(), digits);
  return fmt::format("{:.{}g} {} {:.{}g}i", z.real(), digits, std::signbit(z.imag()) ? "-" : "+", std::abs(z.imag()),
                     digits);
}

std::string tidy(const std::string& text) {
  std::string out;
  for (const char c : text) {
    if (c == '\n') out.erase(out.find_last_not_of(' ') + 1);
    out += c;
  }
  return out;
}

std::string read_file(const std::string& path) {
  std::ifstream file(path, std::ios::binary);
  if (!file || std::filesystem::is_directory(path))
    throw Error(ErrorKind::io, fmt::format("'{}' cannot be read", path));
  std::stringstream text;
  text << file.rdbuf();
  return text.str();
}

}  // namespace boreon::cli
