// SPDX-License-Identifier: MIT
// From a TOML file to a Model: declarations first, then expressions, then the links between them.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <map>
#include <set>

#include "boreon/catalogue.hpp"
#include "boreon/model.hpp"
#include "boreon/traverse.hpp"
#include "model/resolver.hpp"
#include "model/toml_reader.hpp"
#include "model/units.hpp"

namespace boreon {
namespace {

class Loader {
 public:
  Loader(std::string_view text, const std::string& path) : reader_(text, path) { model_.path = path; }

  Model run() {
    reader_.require_keys(reader_.root(), "a model file",
                         {"title", "independent", "parameters", "unknowns", "functions", "tables", "definitions",
                          "equations", "outputs", "run"});
    if (const auto* title = reader_.root().get("title")) model_.title = reader_.text(*title, "the title");
    independent();
    parameters();
    unknowns();
    function_heads();
    tables();
    names("definitions", model_.definitions);
    names("outputs", model_.outputs, false);
    const auto order = std::make_shared<OperandOrder>();
    model_.order = order;
    context_.order = order.get();
    context_.strict = true;
    context_.independent = model_.independent;
    context_.names.emplace(model_.independent.name(), model_.independent);
    context_.described.emplace(model_.independent.name(), "independent variable");
    function_bodies();
    bodies("definitions", model_.definitions);
    equations();
    bodies("outputs", model_.outputs);
    run_settings();
    resolve();
    check();
    return std::move(model_);
  }

 private:
  const toml::table* section(const char* name) const {
    const auto* node = reader_.root().get(name);
    if (node == nullptr) return nullptr;
    if (!node->is_table())
      reader_.fail(ErrorKind::shape, fmt::format("[{}] must be a table", name), reader_.position(*node));
    return node->as_table();
  }

  // Keys in the order of the file, which is vector order.
  static std::vector<std::pair<const toml::key*, const toml::node*>> in_file_order(const toml::table& table) {
    std::vector<std::pair<const toml::key*, const toml::node*>> entries;
    for (const auto& [key, value] : table) entries.emplace_back(&key, &value);
    std::sort(entries.begin(), entries.end(), [](const auto& a, const auto& b) {
      const auto& p = a.first->source().begin;
      const auto& q = b.first->source().begin;
      return p.line != q.line ? p.line < q.line : p.column < q.column;
    });
    return entries;
  }

  void declare(const std::string& name, const char* what, const SourcePosition& at) {
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

  std::string unit(const toml::table& t) const {
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

  std::string note(const toml::table& t) const {
    const auto* node = t.get("note");
    return node == nullptr ? std::string() : reader_.text(*node, "a note");
  }

  void independent() {
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

  void parameters() {
    const auto* table = section("parameters");
    if (table == nullptr) return;
    for (const auto& [key, node] : in_file_order(*table)) {
      Parameter p;
      p.name = key->str();
      p.position = reader_.position(*key);
      if (p.name.ends_with("'"))
        reader_.fail(ErrorKind::name,
                     fmt::format("a prime on the parameter {}: parameters are constant and have no rate", p.name),
                     p.position);
      declare(p.name, "parameter", p.position);
      if (const auto* t = node->as_table()) {
        reader_.require_keys(*t, fmt::format("the parameter {}", p.name), {"value", "unit", "note"});
        const auto* value = t->get("value");
        if (value == nullptr)
          reader_.fail(
              ErrorKind::shape,
              fmt::format("the parameter {} has no value: {} = {{ value = 1.0, unit = \"s\" }}", p.name, p.name),
              p.position);
        p.value = reader_.number(*value, fmt::format("the value of {}", p.name));
        p.unit = unit(*t);
        p.note = note(*t);
      } else {
        p.value = reader_.number(*node, fmt::format("the value of {}", p.name));
      }
      p.symbol = Symbol(p.name);
      context_.names.emplace(p.name, p.symbol);
      model_.parameters.push_back(std::move(p));
    }
  }

  void unknowns() {
    const auto* table = section("unknowns");
    if (table == nullptr)
      reader_.fail(ErrorKind::shape, "the model has no [unknowns]: at least one is needed", {model_.path, 1, 1});
    const Expr args[] = {model_.independent};
    std::vector<std::pair<const toml::key*, const toml::node*>> rates;
    for (const auto& entry : in_file_order(*table)) {
      const auto& [key, node] = entry;
      Unknown u;
      u.name = key->str();
      u.position = reader_.position(*key);
      if (u.name.ends_with("'")) {
        rates.push_back(entry);
        continue;
      }
      declare(u.name, "unknown", u.position);
      if (const auto* t = node->as_table()) {
        reader_.require_keys(*t, fmt::format("the unknown {}", u.name), {"start", "unit", "note", "lower", "upper"});
        if (const auto* s = t->get("start")) {
          u.start = reader_.number(*s, fmt::format("the start of {}", u.name)).to_double();
          u.start_given = true;
        }
        if (const auto* b = t->get("lower"))
          u.lower = reader_.number(*b, fmt::format("the lower bound of {}", u.name)).to_double();
        if (const auto* b = t->get("upper"))
          u.upper = reader_.number(*b, fmt::format("the upper bound of {}", u.name)).to_double();
        u.unit = unit(*t);
        u.note = note(*t);
      } else {
        u.start = reader_.number(*node, fmt::format("the start of {}", u.name)).to_double();
        u.start_given = true;
      }
      if (u.lower > u.upper)
        reader_.fail(
            ErrorKind::shape,
            fmt::format("the bounds of {} exclude everything: lower {} is above upper {}", u.name, u.lower, u.upper),
            u.position);
      if (u.start_given && (u.start < u.lower || u.start > u.upper)) {
        reader_.fail(
            ErrorKind::shape,
            fmt::format("the start {} of {} lies outside its bounds {} to {}", u.start, u.name, u.lower, u.upper),
            u.position);
      }
      if (!u.start_given && (u.lower > 0 || u.upper < 0))
        u.start = std::isfinite(u.lower) ? (std::isfinite(u.upper) ? 0.5 * (u.lower + u.upper) : u.lower) : u.upper;
      u.symbol = Symbol(u.name);
      u.function = UnknownFunction(u.name).call(args);
      context_.names.emplace(u.name, u.function);
      model_.unknowns.push_back(std::move(u));
    }
    for (const auto& [key, node] : rates) {
      std::string name(key->str());
      const SourcePosition at = reader_.position(*key);
      if (name.ends_with("''"))
        reader_.fail(
            ErrorKind::name,
            fmt::format("an initial value is given for {}; only the value and the first rate can be started", name),
            at);
      name.pop_back();
      const auto u = std::find_if(model_.unknowns.begin(), model_.unknowns.end(),
                                  [&](const Unknown& x) { return x.name == name; });
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
        unit(*t);
        if (value == nullptr) continue;
      }
      u->rate_start = reader_.number(*value, fmt::format("the initial rate of {}", name)).to_double();
      u->rate_given = true;
    }
    if (model_.unknowns.empty())
      reader_.fail(ErrorKind::shape, "[unknowns] is empty: at least one is needed", reader_.position(*table));
  }

  std::vector<std::string> unknown_names() const {
    std::vector<std::string> names;
    for (const Unknown& u : model_.unknowns) names.push_back(u.name);
    return names;
  }

  void function_heads() {
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
        if (std::any_of(f.arguments.begin(), f.arguments.end(),
                        [&](const Symbol& s) { return s.name() == argument; })) {
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

  std::vector<double> numbers(const toml::table& t, const char* key, const std::string& name) const {
    const auto* node = t.get(key);
    const auto* list = node == nullptr ? nullptr : node->as_array();
    if (list == nullptr) {
      reader_.fail(
          ErrorKind::shape,
          fmt::format("the table {} needs a list of {}: {} = {{ arguments = [1, 2, 4], values = [0.5, 0.8, 0.9] }}",
                      name, key, name),
          reader_.position(node == nullptr ? t : *node));
    }
    std::vector<double> values;
    for (const auto& entry : *list)
      values.push_back(reader_.number(entry, fmt::format("each of the {} of {}", key, name)).to_double());
    return values;
  }

  template <class Choice>
  Choice choice(const toml::table& t, const char* key,
                std::initializer_list<std::pair<const char*, Choice>> choices) const {
    const auto* node = t.get(key);
    if (node == nullptr) return choices.begin()->second;
    const std::string text = reader_.text(*node, key);
    std::vector<std::string> words;
    for (const auto& [word, value] : choices) {
      if (text == word) return value;
      words.emplace_back(word);
    }
    reader_.fail(ErrorKind::name,
                 fmt::format("'{}' is no choice for {}{} (known: {})", text, key, suggestion(text, words),
                             fmt::join(words, ", ")),
                 reader_.position(*node));
  }

  void tables() {
    const auto* all = section("tables");
    if (all == nullptr) return;
    for (const auto& [key, node] : in_file_order(*all)) {
      const std::string name(key->str());
      const SourcePosition at = reader_.position(*key);
      declare(name, "table", at);
      const auto* t = node->as_table();
      if (t == nullptr)
        reader_.fail(ErrorKind::shape,
                     fmt::format("the table {} is written {} = {{ arguments = [...], values = [...] }}", name, name),
                     at);
      reader_.require_keys(*t, fmt::format("the table {}", name),
                           {"arguments", "values", "curve", "beyond", "unit", "note"});
      const auto arguments = numbers(*t, "arguments", name);
      const auto values = numbers(*t, "values", name);
      const auto curve =
          choice<TableCurve>(*t, "curve", {{"smooth", TableCurve::smooth}, {"monotone", TableCurve::monotone}});
      const auto beyond =
          choice<BeyondTable>(*t, "beyond", {{"refuse", BeyondTable::refuse}, {"hold", BeyondTable::hold}});
      try {
        model_.tables.push_back({table_function(name, arguments, values, curve, beyond), arguments, values, curve,
                                 beyond, unit(*t), note(*t), at});
      } catch (const Error& e) {
        if (e.position().known()) throw;
        reader_.fail(e.kind(), e.message(), at);
      }
      context_.functions.emplace(name, 1);
    }
  }

  // Declares the names of a section of expressions.
  void names(const char* section_name, std::vector<NamedExpression>& list, bool usable = true) {
    const auto* table = section(section_name);
    if (table == nullptr) return;
    const bool definition = std::string_view(section_name) == "definitions";
    for (const auto& [key, node] : in_file_order(*table)) {
      NamedExpression e;
      e.name = key->str();
      e.position = reader_.position(*key);
      if (definition) {
        if (e.name.find('(') != std::string::npos)
          reader_.fail(ErrorKind::name,
                       fmt::format("'{}' looks like a function; functions belong into [functions]", e.name),
                       e.position);
        declare(e.name, "definition", e.position);
      } else if (!is_identifier(e.name) || is_reserved_word(e.name)) {
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

  // The text of an expression, or a plain number.
  // `context` is told where the text starts; copying it for each expression would make loading quadratic.
  Expr expression(const toml::node& node, const std::string& what, ParseContext& context) {
    const toml::node* value = &node;
    if (const auto* t = node.as_table()) {
      value = t->get("value");
      if (value == nullptr)
        reader_.fail(ErrorKind::shape, fmt::format("{} has no value", what), reader_.position(node));
    }
    if (value->is_number()) return {reader_.number(*value, what)};
    const std::string text = reader_.text(*value, what);
    context.origin = reader_.text_start(*value);
    return parse(text, context);
  }

  void function_bodies() {
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
      f.body = expression(*f.node, fmt::format("the body of {}", f.name), c);
      if (is_condition(f.body))
        reader_.fail(ErrorKind::shape,
                     fmt::format("the body of {} is a condition or an equation; an expression is expected", f.name),
                     f.position);
    }
  }

  void bodies(const char* section_name, std::vector<NamedExpression>& list) {
    const auto* table = section(section_name);
    for (NamedExpression& e : list) {
      const toml::node& node = *table->get(e.name);
      e.given = expression(node, e.name, context_);
      if (is_condition(e.given))
        reader_.fail(ErrorKind::shape,
                     fmt::format("{} is a condition or an equation; an expression is expected", e.name),
                     reader_.position(node));
    }
  }

  void equations() {
    const auto* table = section("equations");
    if (table == nullptr)
      reader_.fail(ErrorKind::shape, "the model has no [equations]: one is needed for each unknown",
                   {model_.path, 1, 1});
    for (const auto& [key, node] : in_file_order(*table)) {
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

  void run_settings() {
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

  void resolve() {
    Resolver resolver(reader_, heads_, model_.tables, model_.definitions);
    resolver.link();
    model_.functions = resolver.functions();
    for (NamedExpression& d : model_.definitions) d.resolved = resolver.definition(d.name);
    const auto apply = [&](const Expr& e, const SourcePosition& at) {
      try {
        return resolver.resolve(e);
      } catch (const Error& error) {
        if (error.position().known()) throw;
        reader_.fail(error.kind(), error.message(), at);
      }
    };
    for (ModelEquation& e : model_.equations)
      e.resolved = {apply(e.given.lhs, e.position), apply(e.given.rhs, e.position)};
    for (NamedExpression& o : model_.outputs) o.resolved = apply(o.given, o.position);
    used_ = resolver.used();
  }

  void warn(const std::string& message, const SourcePosition& at) { model_.warnings.push_back({message, at}); }

  void check() {
    std::set<std::string> symbols;
    std::map<std::string, int> orders;
    const auto note_use = [&](const Expr& root) {
      postorder(root, [&](const Expr& e) {
        if (e.is(Kind::symbol) && !is_function_head(e)) symbols.insert(e.name());
        if (e.is(Kind::unknown_call)) {
          int& order = orders.emplace(e.name(), 0).first->second;
          order = std::max(order, static_cast<int>(e.operands()[2].word().value_or(0)));
        }
      });
    };
    for (const ModelEquation& e : model_.equations) {
      const Expr r = e.resolved.residual();
      if (r.is_constant(ConstantCode::undefined))
        reader_.fail(ErrorKind::domain, fmt::format("the equation {} is undefined: it divides by zero", e.name),
                     e.position);
      note_use(r);
      const auto calls = unknown_calls({&r, 1});
      if (calls.empty())
        reader_.fail(ErrorKind::shape,
                     fmt::format("the equation {} contains no unknown{}", e.name,
                                 r.is_integer(0) ? ": both sides are the same" : ""),
                     e.position);
    }
    for (Unknown& u : model_.unknowns) {
      const auto at = orders.find(u.name);
      if (at == orders.end())
        reader_.fail(ErrorKind::shape, fmt::format("the unknown {} occurs in no equation", u.name), u.position);
      u.order = at->second;
      if (u.order > 2)
        reader_.fail(ErrorKind::unsupported,
                     fmt::format("{} has a derivative of order {}; introduce an unknown for its second derivative",
                                 u.name, u.order),
                     u.position);
      if (u.rate_given && u.order < 2) {
        reader_.fail(ErrorKind::shape,
                     fmt::format("an initial rate is given for {}, but its equation is of {} order", u.name,
                                 u.order == 1 ? "first" : "zeroth"),
                     u.position);
      }
    }
    if (model_.equations.size() < model_.unknowns.size()) {
      reader_.fail(
          ErrorKind::shape,
          fmt::format("{} equation{} for {} unknowns ({}): one equation is missing for each unknown without one",
                      model_.equations.size(), model_.equations.size() == 1 ? "" : "s", model_.unknowns.size(),
                      fmt::join(unknown_names(), ", ")),
          model_.equations.empty() ? SourcePosition{model_.path, 1, 1} : model_.equations.back().position);
    }
    for (const NamedExpression& o : model_.outputs) note_use(o.resolved);
    for (const Parameter& p : model_.parameters) {
      if (!symbols.contains(p.name) && !used_.contains(p.name))
        warn(fmt::format("the parameter {} is not used", p.name), p.position);
    }
    for (const NamedExpression& d : model_.definitions) {
      if (!used_.contains(d.name)) warn(fmt::format("the definition {} is not used", d.name), d.position);
    }
    for (const ModelTable& t : model_.tables) {
      if (!used_.contains(t.function.name()))
        warn(fmt::format("the table {} is not used", t.function.name()), t.position);
    }
    for (const FunctionHead& f : heads_) {
      if (!used_.contains(f.name)) warn(fmt::format("the function {} is not used", f.name), f.position);
    }
  }

  TomlReader reader_;
  Model model_;
  ParseContext context_;
  std::map<std::string, std::pair<std::string, SourcePosition>> declared_;
  std::vector<FunctionHead> heads_;
  std::set<std::string> used_;
};

}  // namespace

Model parse_model(std::string_view toml, const std::string& path) { return Loader(toml, path).run(); }

}  // namespace boreon
