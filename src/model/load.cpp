// SPDX-License-Identifier: MIT
// From a TOML file to a Model: declarations first, then expressions, then the links between them.
#include "model/loader.hpp"

#include <algorithm>
#include <cmath>

#include "boreon/catalogue.hpp"
#include "boreon/traverse.hpp"
#include "model/units.hpp"

namespace boreon {

void Loader::declarations() {
  reader_.require_keys(
      reader_.root(), "a model file",
      {"title", "independent", "indices", "grid", "parameters", "correlations", "unknowns", "functions", "tables",
       "definitions", "equations", "outputs", "data", "fit", "optimise", "constraints", "run"});
  if (const auto* title = reader_.root().get("title")) model_.title = reader_.text(*title, "the title");
  independent();
  parameters();
  indices();
  grid();
  array_parameters();
  correlations();
  unknowns();
  function_heads();
  tables();
  names("definitions", model_.definitions);
  names("outputs", model_.outputs, false);
  data();
  const auto order = std::make_shared<OperandOrder>();
  model_.order = order;
  context_.order = order.get();
  context_.strict = true;
  context_.independent = model_.independent;
  context_.names.emplace(model_.independent.name(), model_.independent);
  context_.described.emplace(model_.independent.name(), "independent variable");
  function_bodies();
  array_formulas();
  bodies("definitions", model_.definitions);
  equations();
  bodies("outputs", model_.outputs);
  fits();
  optimise();
  run_settings();
}

Model Loader::run() {
  declarations();
  resolve();
  check();
  return std::move(model_);
}

const toml::table* Loader::section(const char* name) const {
  const auto* node = reader_.root().get(name);
  if (node == nullptr) return nullptr;
  if (!node->is_table())
    reader_.fail(ErrorKind::shape, fmt::format("[{}] must be a table", name), reader_.position(*node));
  return node->as_table();
}

// Keys in the order of the file, which is vector order.
std::vector<std::pair<const toml::key*, const toml::node*>> Loader::in_file_order(const toml::table& table) {
  std::vector<std::pair<const toml::key*, const toml::node*>> entries;
  for (const auto& [key, value] : table) entries.emplace_back(&key, &value);
  std::sort(entries.begin(), entries.end(), [](const auto& a, const auto& b) {
    const auto& p = a.first->source().begin;
    const auto& q = b.first->source().begin;
    return p.line != q.line ? p.line < q.line : p.column < q.column;
  });
  return entries;
}

void Loader::declare(const std::string& name, const char* what, const SourcePosition& at) {
  if (!is_identifier(name)) {
    reader_.fail(
        ErrorKind::name,
        fmt::format("'{}' cannot name a {}: use letters, digits and underscores, and do not start with a digit", name,
                    what),
        at);
  }
  if (is_reserved_word(name))
    reader_.fail(ErrorKind::name,
                 fmt::format("'{}' is a word of the expression grammar and cannot name a {}", name, what), at);
  const auto [first, fresh] = declared_.emplace(name, std::pair(std::string(what), at));
  if (!fresh) {
    reader_.fail(ErrorKind::name,
                 fmt::format("'{}' is already {} {} (line {}); each name may be given once", name,
                             first->second.first[0] == 'u' || first->second.first[0] == 'i' ? "an" : "a",
                             first->second.first, first->second.second.line),
                 at);
  }
  context_.described[name] = what;
}

std::string Loader::unit(const toml::table& t) const {
  const auto* node = t.get("unit");
  if (node == nullptr) return {};
  const std::string text = reader_.text(*node, "a unit");
  if (const std::string problem = problem_of_unit(text); !problem.empty()) {
    reader_.fail(ErrorKind::syntax,
                 fmt::format("the unit \"{}\" is malformed: {}; write for example \"kg*m/s^2\"", text, problem),
                 reader_.position(*node));
  }
  return text;
}

std::string Loader::note(const toml::table& t) const {
  const auto* node = t.get("note");
  return node == nullptr ? std::string() : reader_.text(*node, "a note");
}

// The text of an expression, or a plain number.
// `context` is told where the text starts; copying it for each expression would make loading quadratic.
Expr Loader::expression(const toml::node& node, const std::string& what, ParseContext& context) {
  const toml::node* value = &node;
  if (const auto* t = node.as_table()) {
    value = t->get("value");
    if (value == nullptr) reader_.fail(ErrorKind::shape, fmt::format("{} has no value", what), reader_.position(node));
  }
  if (value->is_number()) return {reader_.number(*value, what)};
  const std::string text = reader_.text(*value, what);
  context.origin = reader_.text_start(*value);
  return on_grid(parse(text, context), reader_.position(*value));
}

ParseContext Loader::context_with_outputs() const {
  ParseContext context = context_;
  for (const NamedExpression& o : model_.outputs) context.names.insert_or_assign(o.name, o.given);
  return context;
}

void Loader::function_bodies() {
  for (FunctionHead& f : heads_) {
    ParseContext c = context_;
    for (const Symbol& a : f.arguments) {
      if (const auto other = declared_.find(a.name()); other != declared_.end()) {
        warn(fmt::format("the argument {} of {} hides the {} of that name inside the function", a.name(), f.name,
                         other->second.first),
             f.position);
      }
      c.names.insert_or_assign(a.name(), a);
      c.described[a.name()] = "argument";
      c.functions.erase(a.name());
    }
    if (c.arrays) {  // an argument hides an array of its name as well
      c.arrays = [this, &f](const std::string& name) -> const NamedArray* {
        const bool own = std::any_of(f.arguments.begin(), f.arguments.end(),
                                     [&](const Symbol& a) { return a.name() == name; });
        return own ? nullptr : array_named(name);
      };
    }
    f.body = expression(*f.node, fmt::format("the body of {}", f.name), c);
    if (is_condition(f.body))
      reader_.fail(ErrorKind::shape,
                   fmt::format("the body of {} is a condition or an equation; an expression is expected", f.name),
                   f.position);
  }
}

void Loader::bodies(const char* section_name, std::vector<NamedExpression>& list) {
  const auto* table = section(section_name);
  if (!ranges_.empty() && &list == &model_.definitions) {
    for (const NamedExpression& e : list) unread_.emplace(e.name, table->get(e.name));
    for (NamedExpression& e : list) definition_body(e);
    std::erase_if(list, [&](const NamedExpression& e) { return scope_.find(e.name) != nullptr; });
    for (const NamedExpression& e : list) require_value(e);
    return;
  }
  for (NamedExpression& e : list) {
    const toml::node& node = *table->get(e.name);
    if (!ranges_.empty()) {
      output_body(e, node);
    } else {
      e.given = expression(node, e.name, context_);
    }
    require_value(e);
  }
  std::erase_if(list, [](const NamedExpression& e) { return e.name.empty(); });
}

void Loader::require_value(const NamedExpression& e) const {
  if (is_condition(e.given))
    reader_.fail(ErrorKind::shape, fmt::format("{} is a condition or an equation; an expression is expected", e.name),
                 e.position);
}

void Loader::equations() {
  const auto* table = section("equations");
  if (table == nullptr &&
      (section("fit") != nullptr || section("optimise") != nullptr || section("unknowns") == nullptr))
    return;
  if (table == nullptr)
    reader_.fail(ErrorKind::shape, "the model has no [equations]: one is needed for each unknown", {model_.path, 1, 1});
  for (const auto& [key, node] : in_file_order(*table)) {
    if (!ranges_.empty()) {
      equation(std::string(key->str()), *node, reader_.position(*key));
      continue;
    }
    ModelEquation e;
    e.name = key->str();
    e.position = reader_.position(*key);
    const Expr r = expression(*node, fmt::format("the equation {}", e.name), context_);
    if (r.is(Kind::relation) && r.relation_op() == RelationOp::equal) {
      e.given = {r.operands()[0], r.operands()[1]};
    } else if (is_condition(r)) {
      reader_.fail(
          ErrorKind::shape,
          fmt::format("the equation {} must be written left = right{}", e.name,
                      r.is(Kind::relation) ? "; bounds on unknowns belong into [unknowns] as lower and upper" : ""),
          reader_.position(*node));
    } else {
      e.given = {r, 0};
    }
    model_.equations.push_back(std::move(e));
  }
}

void Loader::run_settings() {
  const auto* table = section("run");
  if (table == nullptr) return;
  reader_.require_keys(*table, "[run]", {"from", "until", "samples", "relative_tolerance", "absolute_tolerance"});
  const auto get = [&](const char* key) -> std::optional<double> {
    const auto* node = table->get(key);
    if (node == nullptr) return std::nullopt;
    return reader_.number(*node, key).to_double();
  };
  model_.run.from = get("from").value_or(0);
  model_.run.until = get("until");
  if (model_.run.until && *model_.run.until <= model_.run.from)
    reader_.fail(ErrorKind::shape, "the run must end after it starts: until is too small",
                 reader_.position(*table->get("until")));
  if (const auto n = get("samples")) {
    if (*n < 2 || *n > 1e8 || *n != std::floor(*n))
      reader_.fail(ErrorKind::shape, "samples must be an integer of at least 2",
                   reader_.position(*table->get("samples")));
    model_.run.samples = static_cast<std::size_t>(*n);
  }
  for (const auto& [key, target] : {std::pair("relative_tolerance", &model_.run.relative_tolerance),
                                    std::pair("absolute_tolerance", &model_.run.absolute_tolerance)}) {
    const auto v = get(key);
    if (!v) continue;
    if (*v <= 0 || *v >= 1)
      reader_.fail(ErrorKind::shape, fmt::format("{} must lie between 0 and 1", key),
                   reader_.position(*table->get(key)));
    *target = *v;
  }
}

void Loader::resolve() {
  write_out_arrays();
  // Definitions by name as they were written; those that are resolved know of no open index.
  std::vector<NamedExpression> definitions = model_.definitions;
  if (write_out_ != nullptr) {
    for (NamedExpression& o : model_.outputs) o.resolved = written(o.given, {}, "the output " + o.name, o.position);
    for (std::size_t i = written_equations_; i < model_.equations.size(); ++i) {
      ModelEquation& e = model_.equations[i];
      e.resolved = {written(e.given.lhs, {}, "the equation " + e.name, e.position),
                    written(e.given.rhs, {}, "the equation " + e.name, e.position)};
    }
    write_definitions(definitions);
    parameters_in_use();
  } else {
    for (NamedExpression& o : model_.outputs) o.resolved = o.given;
    for (ModelEquation& e : model_.equations) e.resolved = e.given;
  }
  Resolver resolver(reader_, heads_, model_.tables, definitions);
  resolver.link();
  model_.functions = resolver.functions();
  for (std::size_t i = 0; i < definitions.size(); ++i) {
    if (i == model_.definitions.size()) model_.definitions.push_back(definitions[i]);
    model_.definitions[i].resolved = resolver.definition(definitions[i].name);
  }
  const auto apply = [&](const Expr& e, const SourcePosition& at) {
    try {
      return resolver.resolve(e);
    } catch (const Error& error) {
      if (error.position().known()) throw;
      reader_.fail(error.kind(), error.message(), at);
    }
  };
  for (ModelEquation& e : model_.equations)
    e.resolved = {apply(e.resolved.lhs, e.position), apply(e.resolved.rhs, e.position)};
  for (NamedExpression& o : model_.outputs) o.resolved = apply(o.resolved, o.position);
  for (FitSeries& f : model_.fits) {
    f.model = apply(f.model_given, f.position);
    f.deviation = apply(f.deviation_given, f.position);
  }
  if (model_.objective) model_.objective->resolved = apply(model_.objective->resolved, model_.objective->position);
  for (ModelConstraint& c : model_.constraints) {
    c.value = apply(c.value, c.position);
    c.limit = apply(c.limit, c.position);
    // b <= a, of which b is the limit
    if (c.kind == ModelConstraint::Kind::equal || !unknown_calls({&c.value, 1}).empty()) continue;
    if (unknown_calls({&c.limit, 1}).empty()) continue;
    std::swap(c.value, c.limit);
    c.kind = ModelConstraint::Kind::at_least;
  }
  if (write_out_ != nullptr) {
    put_in_starts(apply);
    for (DeclaredArray& a : scope_.all()) model_.arrays.push_back(std::move(a.info));
  }
  const std::set<std::string> used = resolver.used();
  used_.insert(used.begin(), used.end());
}

Model parse_model(std::string_view toml, const std::string& path, const ParameterValues& values) {
  Model model = Loader(toml, path, values).run();
  // Elements of arrays are parameters once the file is read.
  for (const auto& [name, value] : values) model.set_parameter(name, value);
  return model;
}

}  // namespace boreon
