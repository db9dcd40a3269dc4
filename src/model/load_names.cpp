// SPDX-License-Identifier: MIT
// The names that a model declares, with their values and units.
#include "model/loader.hpp"

#include <algorithm>
#include <cmath>

#include "model/units.hpp"

namespace boreon {

void Loader::independent() {
  const auto* node = reader_.root().get("independent");
  std::string name = "t";
  SourcePosition at{model_.path, 1, 1};
  if (node == nullptr) {
    model_.independent_unit = "s";
  } else if (const auto* t = node->as_table()) {
    at = reader_.position(*node);
    reader_.require_keys(*t, "independent", {"name", "unit", "note"});
    if (const auto* n = t->get("name")) name = reader_.text(*n, "the name of the independent variable");
    model_.independent_unit = unit(*t);
  } else {
    at = reader_.position(*node);
    name = reader_.text(*node, "the independent variable");
  }
  declare(name, "independent variable", at);
  model_.independent = Symbol(name);
}

void Loader::parameters() {
  const auto* table = section("parameters");
  if (table == nullptr) return;
  for (const auto& [key, node] : in_file_order(*table)) {
    Parameter p;
    p.name = key->str();
    p.position = reader_.position(*key);
    if (p.name.find('[') != std::string::npos) continue;  // see array_parameters()
    if (p.name.ends_with("'"))
      reader_.fail(ErrorKind::name,
                   fmt::format("a prime on the parameter {}: parameters are constant and have no rate", p.name),
                   p.position);
    declare(p.name, "parameter", p.position);
    if (const auto* t = node->as_table()) {
      parameter_table(*t, p);
    } else {
      p.value = reader_.number(*node, fmt::format("the value of {}", p.name));
    }
    for (const auto& [name, value] : values_) {
      if (name == p.name) p.value = value;
    }
    p.symbol = Symbol(p.name);
    context_.names.emplace(p.name, p.symbol);
    model_.parameters.push_back(std::move(p));
  }
}

void Loader::parameter_table(const toml::table& t, Parameter& p) {
  reader_.require_keys(t, fmt::format("the parameter {}", p.name),
                       {"value", "unit", "note", "uncertainty", "fit", "lower", "upper"});
  const auto* value = t.get("value");
  if (value == nullptr)
    reader_.fail(ErrorKind::shape,
                 fmt::format("the parameter {} has no value: {} = {{ value = 1.0, unit = \"s\" }}", p.name, p.name),
                 p.position);
  p.value = reader_.number(*value, fmt::format("the value of {}", p.name));
  p.unit = unit(t);
  p.note = note(t);
  if (const auto* u = t.get("uncertainty")) {
    p.uncertainty = reader_.number(*u, fmt::format("the uncertainty of {}", p.name)).to_double();
    if (p.uncertainty < 0)
      reader_.fail(ErrorKind::domain,
                   fmt::format("the uncertainty of {} is negative; one standard deviation is expected", p.name),
                   reader_.position(*u));
  }
  p.fit = yes_or_no(t, "fit", p.name);
  double start = p.value.to_double();
  bounds(t, p.name, start, true, p.lower, p.upper, p.position);
  if (!p.fit && (t.get("lower") != nullptr || t.get("upper") != nullptr))
    warn(fmt::format("the bounds of {} have no meaning unless it is to be found: fit = true", p.name), p.position);
  if (start != p.value.to_double()) p.value = Number::shortest_decimal(start);
}

bool Loader::yes_or_no(const toml::table& t, const char* key, const std::string& name) const {
  const auto* node = t.get(key);
  if (node == nullptr) return false;
  const auto yes = node->value_exact<bool>();
  if (!yes)
    reader_.fail(ErrorKind::shape, fmt::format("'{}' of {} is true or false, without quotes", key, name),
                 reader_.position(*node));
  return *yes;
}

void Loader::bounds(const toml::table& t, const std::string& name, double& start, bool start_given, double& lower,
                    double& upper, const SourcePosition& at) {
  if (const auto* b = t.get("lower"))
    lower = reader_.number(*b, fmt::format("the lower bound of {}", name)).to_double();
  if (const auto* b = t.get("upper"))
    upper = reader_.number(*b, fmt::format("the upper bound of {}", name)).to_double();
  if (lower > upper)
    reader_.fail(ErrorKind::shape,
                 fmt::format("the bounds of {} exclude everything: lower {} is above upper {}", name, lower, upper),
                 at);
  if (start_given && (start < lower || start > upper)) {
    const double inside = std::clamp(start, lower, upper);
    warn(fmt::format("the start {} of {} lies outside its bounds {} to {}; it is moved to {}", start, name, lower,
                     upper, inside),
         at);
    start = inside;
  }
  if (!start_given && (lower > 0 || upper < 0))
    start = std::isfinite(lower) ? (std::isfinite(upper) ? 0.5 * (lower + upper) : lower) : upper;
}

// "k1, k2" = 0.8, of parameters with uncertainties.
void Loader::correlations() {
  const auto* table = section("correlations");
  if (table == nullptr) return;
  for (const auto& [key, node] : in_file_order(*table)) {
    const std::string names(key->str());
    const SourcePosition at = reader_.position(*key);
    const std::size_t comma = names.find(',');
    ParameterCorrelation c;
    const auto parameter = [&](std::string name) {
      name.erase(0, name.find_first_not_of(' '));
      name.erase(name.find_last_not_of(' ') + 1);
      std::vector<std::string> known;
      for (std::size_t i = 0; i < model_.parameters.size(); ++i) {
        if (model_.parameters[i].name == name) {
          if (model_.parameters[i].uncertainty > 0) return i;
          reader_.fail(ErrorKind::shape, fmt::format("{} has no uncertainty, so it is correlated with nothing", name),
                       at);
        }
        known.push_back(model_.parameters[i].name);
      }
      reader_.fail(ErrorKind::name, fmt::format("there is no parameter '{}'{}", name, suggestion(name, known)), at);
    };
    if (comma == std::string::npos)
      reader_.fail(ErrorKind::shape,
                   fmt::format("a correlation is written \"k1, k2\" = 0.8, with two parameters; '{}' is none", names),
                   at);
    c.first = parameter(names.substr(0, comma));
    c.second = parameter(names.substr(comma + 1));
    c.value = reader_.number(*node, fmt::format("the correlation of {}", names)).to_double();
    if (c.first == c.second || std::fabs(c.value) > 1)
      reader_.fail(ErrorKind::domain,
                   fmt::format("the correlation of {} must lie between -1 and 1 and join two parameters", names), at);
    model_.correlations.push_back(c);
  }
}

void Loader::unknowns() {
  const auto* table = section("unknowns");
  if (table == nullptr) {
    // Numbers and formulas alone can be evaluated.
    if (section("equations") == nullptr && section("fit") == nullptr && section("outputs") != nullptr) return;
    reader_.fail(ErrorKind::shape, "the model has no [unknowns]: at least one is needed", {model_.path, 1, 1});
  }
  const Expr args[] = {model_.independent};
  Entries rates;
  for (const auto& entry : in_file_order(*table)) {
    const auto& [key, node] = entry;
    Unknown u;
    u.name = key->str();
    u.position = reader_.position(*key);
    if (const auto head = array_head(u.name, u.position)) {
      if (head->primes > 0) {
        rates.push_back(entry);
      } else {
        array_unknown(*head, *node, u.position);
      }
      continue;
    }
    if (u.name.ends_with("'")) {
      rates.push_back(entry);
      continue;
    }
    declare(u.name, "unknown", u.position);
    if (const auto* t = node->as_table()) {
      reader_.require_keys(*t, fmt::format("the unknown {}", u.name),
                           {"start", "unit", "note", "lower", "upper", "fit"});
      u.fit = yes_or_no(*t, "fit", u.name);
      if (const auto* s = t->get("start")) {
        u.start = reader_.number(*s, fmt::format("the start of {}", u.name)).to_double();
        u.start_given = true;
      }
      bounds(*t, u.name, u.start, u.start_given, u.lower, u.upper, u.position);
      u.unit = unit(*t);
      u.note = note(*t);
    } else {
      u.start = reader_.number(*node, fmt::format("the start of {}", u.name)).to_double();
      u.start_given = true;
    }
    u.symbol = Symbol(u.name);
    u.function = UnknownFunction(u.name).call(args);
    context_.names.emplace(u.name, u.function);
    model_.unknowns.push_back(std::move(u));
  }
  initial_rates(rates);
  if (model_.unknowns.empty())
    reader_.fail(ErrorKind::shape, "[unknowns] is empty: at least one is needed", reader_.position(*table));
}

void Loader::initial_rates(const Entries& rates) {
  for (const auto& [key, node] : rates) {
    std::string name(key->str());
    const SourcePosition at = reader_.position(*key);
    if (const auto head = array_head(name, at)) {
      array_rates(*head, *node, at);
      continue;
    }
    if (name.ends_with("''"))
      reader_.fail(
          ErrorKind::name,
          fmt::format("an initial value is given for {}; only the value and the first rate can be started", name), at);
    name.pop_back();
    const auto u =
        std::find_if(model_.unknowns.begin(), model_.unknowns.end(), [&](const Unknown& x) { return x.name == name; });
    if (u == model_.unknowns.end()) {
      const auto other = declared_.find(name);
      reader_.fail(ErrorKind::name,
                   other == declared_.end()
                       ? fmt::format("an initial rate is given for '{}', which is no unknown{}", name,
                                     suggestion(name, unknown_names()))
                       : fmt::format("an initial rate is given for {}, which is a {}, not an unknown", name,
                                     other->second.first),
                   at);
    }
    const toml::node* value = node;
    if (const auto* t = node->as_table()) {
      reader_.require_keys(*t, fmt::format("the initial rate of {}", name),
                           {"start", "unit", "note", "lower", "upper"});
      value = t->get("start");
      (void)unit(*t);
      if (value == nullptr) continue;
    }
    u->rate_start = reader_.number(*value, fmt::format("the initial rate of {}", name)).to_double();
    u->rate_given = true;
  }
}

std::vector<std::string> Loader::unknown_names() const {
  std::vector<std::string> names;
  for (const Unknown& u : model_.unknowns) names.push_back(u.name);
  return names;
}

void Loader::function_heads() {
  const auto* table = section("functions");
  if (table == nullptr) return;
  for (const auto& [key, node] : in_file_order(*table)) {
    const std::string head(key->str());
    const SourcePosition at = reader_.position(*key);
    const std::size_t open = head.find('(');
    const std::size_t close = head.rfind(')');
    const auto trim = [](std::string s) {
      const std::size_t from = s.find_first_not_of(' ');
      if (from == std::string::npos) return std::string();
      return s.substr(from, s.find_last_not_of(' ') - from + 1);
    };
    if (open == std::string::npos || close == std::string::npos || close < open ||
        !trim(head.substr(close + 1)).empty()) {
      reader_.fail(ErrorKind::syntax,
                   fmt::format("a function is written \"name(x, y)\" = \"...\"; '{}' has no list of arguments", head),
                   at);
    }
    FunctionHead f;
    f.name = trim(head.substr(0, open));
    declare(f.name, "function", at);
    std::string list = head.substr(open + 1, close - open - 1);
    for (std::size_t from = 0; from <= list.size();) {
      const std::size_t comma = std::min(list.find(',', from), list.size());
      const std::string argument = trim(list.substr(from, comma - from));
      if (!is_identifier(argument) || is_reserved_word(argument))
        reader_.fail(ErrorKind::name,
                     fmt::format("'{}' cannot be an argument of {}: a plain name is needed", argument, f.name), at);
      if (std::any_of(f.arguments.begin(), f.arguments.end(), [&](const Symbol& s) { return s.name() == argument; })) {
        reader_.fail(ErrorKind::name, fmt::format("the function {} has two arguments named '{}'", f.name, argument),
                     at);
      }
      f.arguments.push_back(argument_symbol(argument));
      from = comma + 1;
    }
    f.node = node;
    f.position = at;
    context_.functions.emplace(f.name, f.arguments.size());
    model_.function_texts.emplace_back(head, reader_.text(*node, fmt::format("the body of {}", f.name)));
    heads_.push_back(std::move(f));
  }
}

std::vector<double> Loader::numbers(const toml::table& t, const char* key, const std::string& name) const {
  const auto* node = t.get(key);
  const auto* list = node == nullptr ? nullptr : node->as_array();
  if (list == nullptr) {
    reader_.fail(
        ErrorKind::shape,
        fmt::format("the table {} needs a list of {}: {} = {{ arguments = [1, 2, 4], values = [0.5, 0.8, 0.9] }}", name,
                    key, name),
        reader_.position(node == nullptr ? t : *node));
  }
  std::vector<double> values;
  for (const auto& entry : *list)
    values.push_back(reader_.number(entry, fmt::format("each of the {} of {}", key, name)).to_double());
  return values;
}

void Loader::tables() {
  const auto* all = section("tables");
  if (all == nullptr) return;
  for (const auto& [key, node] : in_file_order(*all)) {
    const std::string name(key->str());
    const SourcePosition at = reader_.position(*key);
    declare(name, "table", at);
    const auto* t = node->as_table();
    if (t == nullptr)
      reader_.fail(ErrorKind::shape,
                   fmt::format("the table {} is written {} = {{ arguments = [...], values = [...] }}", name, name), at);
    reader_.require_keys(*t, fmt::format("the table {}", name),
                         {"arguments", "values", "curve", "beyond", "unit", "note"});
    const auto arguments = numbers(*t, "arguments", name);
    const auto values = numbers(*t, "values", name);
    const auto curve =
        choice<TableCurve>(*t, "curve", {{"smooth", TableCurve::smooth}, {"monotone", TableCurve::monotone}});
    const auto beyond =
        choice<BeyondTable>(*t, "beyond", {{"refuse", BeyondTable::refuse}, {"hold", BeyondTable::hold}});
    try {
      model_.tables.push_back({table_function(name, arguments, values, curve, beyond), arguments, values, curve, beyond,
                               unit(*t), note(*t), at});
    } catch (const Error& e) {
      if (e.position().known()) throw;
      reader_.fail(e.kind(), e.message(), at);
    }
    context_.functions.emplace(name, 1);
  }
}

// Declares the names of a section of expressions.
void Loader::names(const char* section_name, std::vector<NamedExpression>& list, bool usable) {
  const auto* table = section(section_name);
  if (table == nullptr) return;
  const bool definition = std::string_view(section_name) == "definitions";
  for (const auto& [key, node] : in_file_order(*table)) {
    NamedExpression e;
    e.name = key->str();
    e.position = reader_.position(*key);
    if (const auto head = array_head(e.name, e.position)) {
      if (head->primes > 0)
        reader_.fail(ErrorKind::name, fmt::format("'{}' cannot be given: rates follow from the equations", e.name),
                     e.position);
      if (definition) {
        declare(head->name, "definition", e.position);
        const toml::node* text = node;
        if (const auto* t = node->as_table()) {
          reader_.require_keys(*t, e.name, {"value", "unit", "note"});
          text = t->get("value");
          if (text == nullptr) reader_.fail(ErrorKind::shape, fmt::format("{} has no value", e.name), e.position);
        }
        declare_array(*head, ModelArray::What::definition, *node, e.position);
        formulas_.emplace_back(head->name, text);
        continue;
      }
      output_heads_.emplace_back(e.name, *head);
    }
    if (definition) {
      if (e.name.find('(') != std::string::npos)
        reader_.fail(ErrorKind::name,
                     fmt::format("'{}' looks like a function; functions belong into [functions]", e.name), e.position);
      declare(e.name, "definition", e.position);
    } else if (const std::string plain = e.name.substr(0, e.name.find('['));
               !is_identifier(plain) || is_reserved_word(plain)) {
      reader_.fail(ErrorKind::name, fmt::format("'{}' cannot name an output", e.name), e.position);
    }
    if (const auto* t = node->as_table()) {
      reader_.require_keys(*t, e.name, {"value", "unit", "note"});
      e.unit = unit(*t);
      e.note = note(*t);
    }
    if (usable) context_.names.emplace(e.name, definition_symbol(e.name));
    list.push_back(std::move(e));
  }
}

}  // namespace boreon
