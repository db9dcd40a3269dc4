// SPDX-License-Identifier: MIT
// Indices, arrays, and their values and formulas as texts.
#include <algorithm>
#include <cmath>
#include <filesystem>

#include "boreon/array_file.hpp"
#include "boreon/bindings.hpp"
#include "boreon/csv_table.hpp"
#include "boreon/traverse.hpp"
#include "model/loader.hpp"

namespace boreon {
namespace {

constexpr std::size_t most_elements = 50'000'000;
constexpr std::size_t most_open_elements = std::size_t{1} << 44U;  // that are not written out
constexpr std::size_t deepest = 200;                               // definitions that are read because of each other

std::string trimmed(const std::string& s) {
  const std::size_t from = s.find_first_not_of(' ');
  return from == std::string::npos ? "" : s.substr(from, s.find_last_not_of(' ') - from + 1);
}

std::string counted(std::size_t n, const char* one, const char* many) {
  return fmt::format("{} {}", n, n == 1 ? one : many);
}

std::string shape_of(const std::vector<IndexRange>& dimensions) {
  std::vector<std::string> text;
  for (const IndexRange& d : dimensions) text.push_back(fmt::format("{}", *d.to.word() - *d.from.word() + 1));
  return fmt::format("{}", fmt::join(text, " x "));
}

}  // namespace

void Loader::indices() {
  const auto* table = section("indices");
  if (table == nullptr) return;
  for (const auto& [key, node] : in_file_order(*table)) {
    IndexRange r;
    r.name = key->str();
    const SourcePosition at = reader_.position(*key);
    declare(r.name, "index", at);
    const auto* t = node->as_table();
    if (t == nullptr || t->get("to") == nullptr)
      reader_.fail(ErrorKind::shape,
                   fmt::format("the index {} needs its range: {} = {{ from = 0, to = 9 }}", r.name, r.name), at);
    reader_.require_keys(*t, fmt::format("the index {}", r.name), {"from", "to", "periodic", "note"});
    if (const auto* from = t->get("from")) r.from = end_of_index(*from, r.name);
    r.to = end_of_index(*t->get("to"), r.name);
    r.periodic = yes_or_no(*t, "periodic", r.name);
    IndexRange numbers = r;
    Bindings values;
    for (Parameter& p : model_.parameters) {
      values.set(p.symbol, Expr(p.value));
      p.fixed = p.fixed || depends_on(r.from, p.symbol) || depends_on(r.to, p.symbol);
    }
    for (Expr* end : {&numbers.from, &numbers.to}) {
      const Expr given = *end;
      if (!values.empty()) *end = substitute(given, values, Unused::allowed);
      if (!end->word())
        reader_.fail(ErrorKind::shape,
                     fmt::format("the range of {} ends at {} = {}, which is no whole number (integer)", r.name,
                                 to_text(given), to_text(*end, {40})),
                     at);
    }
    if (*numbers.to.word() < *numbers.from.word())
      reader_.fail(ErrorKind::shape,
                   fmt::format("the index {} has no places: it runs from {} to {}", r.name, *numbers.from.word(),
                               *numbers.to.word()),
                   at);
    if (std::int64_t places = 0; __builtin_sub_overflow(*numbers.to.word(), *numbers.from.word(), &places) ||
                                 places >= static_cast<std::int64_t>(open_ ? most_open_elements : most_elements))
      reader_.fail(
          ErrorKind::limit,
          fmt::format("the index {} has more than {} places", r.name, open_ ? most_open_elements : most_elements), at);
    context_.names.emplace(r.name, Symbol(r.name, {Assumption::integer}));
    context_.indices.emplace(r.name, r);
    ranges_.emplace(r.name, numbers);
    model_.indices.push_back(std::move(r));
  }
  context_.arrays = [this](const std::string& name) { return array_named(name); };
}

Expr Loader::end_of_index(const toml::node& node, const std::string& name) {
  if (node.is_number()) return {reader_.number(node, fmt::format("the range of {}", name))};
  ParseContext sizes;
  sizes.origin = reader_.text_start(node);
  const Expr e = parse(reader_.text(node, fmt::format("the range of {}", name)), sizes);
  std::vector<std::string> known;
  for (const Parameter& p : model_.parameters) known.push_back(p.name);
  const toml::table* others = section("unknowns");
  const auto refuse = [&](const std::string& s) {
    if (std::find(known.begin(), known.end(), s) != known.end()) return;
    const bool unknown = others != nullptr && others->get(s) != nullptr;
    reader_.fail(ErrorKind::name,
                 unknown
                     ? fmt::format("the size of the index {} depends on the unknown {}: sizes are made of parameters "
                                   "and fixed when the model is loaded",
                                   name, s)
                     : fmt::format("the size of the index {} depends on '{}', which is no parameter with a number{}",
                                   name, s, suggestion(s, known)),
                 reader_.position(node));
  };
  for (const Symbol& s : free_symbols(e)) refuse(s.name());
  for (const Expr& call : unknown_calls({&e, 1})) refuse(call.name());
  return e;
}

std::optional<ArrayHead> Loader::array_head(const std::string& key, const SourcePosition& at) const {
  const std::size_t open = key.find('[');
  if (open == std::string::npos) return std::nullopt;
  const std::size_t close = key.rfind(']');
  if (close == std::string::npos || close < open || !trimmed(key.substr(close + 1)).empty())
    reader_.fail(ErrorKind::syntax,
                 fmt::format("an array is written \"T[i, j]\"; '{}' has no closing bracket at its end", key), at);
  ArrayHead h;
  h.name = trimmed(key.substr(0, open));
  while (h.name.ends_with('\'')) {
    ++h.primes;
    h.name.pop_back();
  }
  const std::string list = key.substr(open + 1, close - open - 1);
  std::vector<std::string> known;
  for (const auto& [name, range] : ranges_) known.push_back(name);
  for (std::size_t from = 0; from <= list.size();) {
    const std::size_t comma = std::min(list.find(',', from), list.size());
    const std::string place = trimmed(list.substr(from, comma - from));
    if (std::find(h.places.begin(), h.places.end(), place) != h.places.end())
      reader_.fail(ErrorKind::shape,
                   fmt::format("the index {} stands twice in {}: each place of a declaration needs an index of its own",
                               place, key),
                   at);
    if (!ranges_.contains(place))
      reader_.fail(
          ErrorKind::name,
          fmt::format("'{}' in {} is no declared index{}; [indices] gives its range: {} = {{ from = 0, to = 9 }}",
                      place, key, suggestion(place, known), place.empty() ? "i" : place),
          at);
    h.places.push_back(place);
    from = comma + 1;
  }
  return h;
}

DeclaredArray& Loader::declare_array(const ArrayHead& head, ModelArray::What what, const toml::node& node,
                                     const SourcePosition& at) {
  DeclaredArray a;
  a.info.name = head.name;
  a.info.what = what;
  a.info.position = at;
  std::size_t elements = 1;
  for (const std::string& p : head.places) {
    a.info.dimensions.push_back(ranges_.at(p));
    a.indices.push_back(context_.names.at(p));
    const IndexRange& d = a.info.dimensions.back();
    const auto extent = static_cast<std::size_t>(*d.to.word() - *d.from.word()) + 1;
    if (extent > (open_ ? most_open_elements : most_elements) / elements)
      reader_.fail(ErrorKind::limit,
                   fmt::format("{} has more than {} elements{}", head.name, open_ ? most_open_elements : most_elements,
                               open_ ? "" : "; simulate --loops does not write them out"),
                   at);
    elements *= extent;
  }
  if (const auto* t = node.as_table()) {
    a.info.unit = unit(*t);
    a.info.note = note(*t);
  }
  a.named.dimensions = a.info.dimensions;
  switch (what) {
    case ModelArray::What::parameter: a.named.head = Symbol(head.name); break;
    case ModelArray::What::unknown: {
      const Expr time[] = {model_.independent};
      a.named.head = UnknownFunction(head.name).call(time);
      break;
    }
    default: a.named.head = definition_symbol(head.name);
  }
  return scope_.add(std::move(a));
}

// Those of [parameters] with an index; plain ones, which sizes are made of, come first.
void Loader::array_parameters() {
  const auto* table = section("parameters");
  if (table == nullptr) return;
  for (const auto& [key, node] : in_file_order(*table)) {
    const SourcePosition at = reader_.position(*key);
    const auto head = array_head(std::string(key->str()), at);
    if (!head) continue;
    declare(head->name, "parameter", at);
    if (head->primes > 0)
      reader_.fail(ErrorKind::name,
                   fmt::format("a prime on the parameter {}: parameters are constant and have no rate", head->name),
                   at);
    DeclaredArray& a = declare_array(*head, ModelArray::What::parameter, *node, at);
    const auto* t = node->as_table();
    if (t == nullptr) {
      if (node->is_array())
        array_values(a, *node);
      else
        formulas_.emplace_back(a.info.name, node);
      continue;
    }
    reader_.require_keys(*t, fmt::format("the parameter {}", head->name), {"value", "values", "file", "unit", "note"});
    const toml::node* given[] = {t->get("value"), t->get("values"), t->get("file")};
    if (std::count(std::begin(given), std::end(given), nullptr) != 2)
      reader_.fail(ErrorKind::shape,
                   fmt::format("the parameter {} has one of value = \"a formula in its indices\", values = [...] and "
                               "file = \"table.csv\"",
                               head->name),
                   at);
    if (given[0] != nullptr) formulas_.emplace_back(a.info.name, given[0]);
    if (given[1] != nullptr) array_values(a, *given[1]);
    if (given[2] != nullptr) file_values(a, *given[2]);
  }
}

void Loader::array_values(DeclaredArray& a, const toml::node& node) {
  const auto& dimensions = a.info.dimensions;
  const auto read = [&](const auto& self, const toml::node& n, std::size_t depth) -> void {
    const auto extent = static_cast<std::size_t>(*dimensions[depth].to.word() - *dimensions[depth].from.word() + 1);
    const auto* list = n.as_array();
    if (list == nullptr)
      reader_.fail(
          ErrorKind::shape,
          fmt::format("the values of {} are {} of the shape {}; a number stands where a list of {} belongs",
                      a.info.name, dimensions.size() == 1 ? "a list" : "lists of lists", shape_of(dimensions), extent),
          reader_.position(n));
    if (list->size() != extent)
      reader_.fail(
          ErrorKind::shape,
          fmt::format("{} has {} along its index {} ({} to {}), but {} given", a.info.name,
                      counted(extent, "place", "places"), dimensions[depth].name, *dimensions[depth].from.word(),
                      *dimensions[depth].to.word(), counted(list->size(), "value is", "values are")),
          reader_.position(n));
    for (const auto& entry : *list) {
      if (depth + 1 < dimensions.size()) {
        self(self, entry, depth + 1);
      } else if (entry.is_array()) {
        reader_.fail(ErrorKind::shape,
                     fmt::format("{} has {}, but its values are nested deeper", a.info.name,
                                 counted(dimensions.size(), "index", "indices")),
                     reader_.position(entry));
      } else {
        a.values.push_back(reader_.number(entry, fmt::format("each of the values of {}", a.info.name)));
      }
    }
  };
  read(read, node, 0);
  a.info.source = "values";
  a.whole_numbers = std::all_of(a.values.begin(), a.values.end(), [](const Number& v) { return v.is_integer(); });
}

void Loader::file_values(DeclaredArray& a, const toml::node& node) {
  a.info.source = reader_.text(node, fmt::format("the file of {}", a.info.name));
  namespace fs = std::filesystem;
  const fs::path path = fs::path(model_.path).parent_path() / fs::path(a.info.source);
  std::error_code ignored;
  if (!fs::is_regular_file(path, ignored))
    reader_.fail(ErrorKind::io,
                 fmt::format("the file '{}' of {} cannot be read; its path is relative to the model file",
                             path.string(), a.info.name),
                 reader_.position(node));
  if (path.extension() == ".npy") {
    npy_values(a, path.string(), reader_.position(node));
    return;
  }
  std::vector<std::vector<double>> rows;
  try {
    rows = read_csv_numbers(path.string());
  } catch (const Error& e) {
    reader_.fail(e.kind(), e.message(), reader_.position(node));
  }
  const auto& d = a.info.dimensions;
  const auto lines = static_cast<std::size_t>(*d[0].to.word() - *d[0].from.word() + 1);
  const std::size_t across = a.info.elements() / lines;
  if (rows.size() != lines)
    reader_.fail(ErrorKind::shape,
                 fmt::format("{} needs one line for each of the {} values of its index {}; '{}' has {}", a.info.name,
                             lines, d[0].name, a.info.source, counted(rows.size(), "line", "lines")),
                 reader_.position(node));
  for (std::size_t i = 0; i < rows.size(); ++i) {
    if (rows[i].size() != across)
      reader_.fail(ErrorKind::shape,
                   fmt::format("{} needs {} in each line; line {} of '{}' has {}", a.info.name,
                               counted(across, "number", "numbers"), i + 1, a.info.source, rows[i].size()),
                   reader_.position(node));
    for (const double v : rows[i]) a.values.push_back(Number::shortest_decimal(v));
  }
  a.whole_numbers = std::all_of(a.values.begin(), a.values.end(), [](const Number& v) { return v.is_integer(); });
}

void Loader::npy_values(DeclaredArray& a, const std::string& path, const SourcePosition& at) {
  NumberArray read;
  try {
    read = read_npy(path);
  } catch (const Error& e) {
    reader_.fail(e.kind(), e.message(), at);
  }
  std::vector<std::size_t> wanted;
  for (const IndexRange& d : a.info.dimensions)
    wanted.push_back(static_cast<std::size_t>(*d.to.word() - *d.from.word() + 1));
  if (read.shape != wanted)
    reader_.fail(ErrorKind::shape,
                 fmt::format("{} has the shape {}, the array in '{}' {}", a.info.name, fmt::join(wanted, " x "),
                             a.info.source, fmt::join(read.shape, " x ")),
                 at);
  for (const double v : read.values) a.values.push_back(Number::shortest_decimal(v));
  a.whole_numbers = std::all_of(a.values.begin(), a.values.end(), [](const Number& v) { return v.is_integer(); });
}

void Loader::array_unknown(const ArrayHead& head, const toml::node& node, const SourcePosition& at) {
  declare(head.name, "unknown", at);
  DeclaredArray& a = declare_array(head, ModelArray::What::unknown, node, at);
  a.first_unknown = model_.unknowns.size();
  Unknown u;
  const toml::node* start = &node;
  if (const auto* t = node.as_table()) {
    reader_.require_keys(*t, fmt::format("the unknown {}", head.name),
                         {"start", "unit", "note", "lower", "upper", "fit"});
    start = t->get("start");
    u.fit = yes_or_no(*t, "fit", head.name);
    bounds(*t, head.name, u.start, false, u.lower, u.upper, at);
  }
  u.unit = a.info.unit;
  u.note = a.info.note;
  u.position = at;
  u.start_given = start != nullptr;
  if (start != nullptr) starts_.push_back({&a, formula(*start, fmt::format("the start of {}", head.name)), false, at});
  if (start != nullptr) a.info.given = starts_.back().given;
  const Expr args[] = {model_.independent};
  for (std::size_t n = 0; n < (open_ ? 1 : a.info.elements()); ++n) {
    u.name = open_ ? a.info.name : a.info.element(n);
    u.symbol = Symbol(u.name);
    u.function = UnknownFunction(u.name).call(args);
    model_.unknowns.push_back(u);
  }
}

void Loader::array_rates(const ArrayHead& head, const toml::node& node, const SourcePosition& at) {
  DeclaredArray* a = scope_.find(head.name);
  if (head.primes > 1)
    reader_.fail(ErrorKind::name,
                 fmt::format("an initial value is given for {}{}; only the value and the first rate can be started",
                             head.name, std::string(head.primes, '\'')),
                 at);
  if (a == nullptr || a->info.what != ModelArray::What::unknown)
    reader_.fail(ErrorKind::name,
                 fmt::format("an initial rate is given for '{}', which is no array of unknowns", head.name), at);
  std::vector<std::string> own;
  for (const IndexRange& d : a->info.dimensions) own.push_back(d.name);
  if (own != head.places)
    reader_.fail(ErrorKind::shape,
                 fmt::format("the rates of {} are given with other indices than the array", a->info.head()), at);
  const toml::node* start = &node;
  if (const auto* t = node.as_table()) {
    reader_.require_keys(*t, fmt::format("the initial rate of {}", head.name), {"start", "unit", "note"});
    start = t->get("start");
    if (start == nullptr) return;
  }
  starts_.push_back({a, formula(*start, fmt::format("the initial rate of {}", head.name)), true, at});
}

// A number, or a text that is read when all names are known: see array_formulas().
Expr Loader::formula(const toml::node& node, const std::string& what) {
  if (node.is_number()) return {reader_.number(node, what)};
  const std::string text = reader_.text(node, what);
  context_.origin = reader_.text_start(node);
  const Array a = parse_array(text, context_);
  if (a.rank() > 0 || is_condition(a.body()))
    reader_.fail(ErrorKind::shape,
                 fmt::format("{} is {}; a number for each element is expected", what,
                             a.rank() > 0 ? "an array of the shape " + shape_text(a) : "a condition"),
                 reader_.position(node));
  return on_grid(a.body(), reader_.position(node));
}

void Loader::require_bound_indices(const Expr& e, std::span<const Expr> allowed, const std::string& what,
                                   const SourcePosition& at) const {
  for (const Symbol& s : free_symbols(e)) {
    if (!ranges_.contains(s.name()) || !(context_.names.at(s.name()) == s)) continue;
    if (std::find(allowed.begin(), allowed.end(), s) != allowed.end()) continue;
    reader_.fail(
        ErrorKind::shape,
        fmt::format("the index {0} is open in {1}: give it a number, sum over it, sum(..., {0}), or make {1} an "
                    "array with that index",
                    s.name(), what),
        at);
  }
}

// The formulas of parameters and indexed definitions.
void Loader::array_formulas() {
  for (const auto& [name, node] : formulas_) {
    DeclaredArray& a = *scope_.find(name);
    a.info.given = formula(*node, a.info.head());
    require_bound_indices(a.info.given, a.indices, a.info.head(), reader_.position(*node));
    if (a.info.what == ModelArray::What::parameter && !unknown_calls({&a.info.given, 1}).empty())
      reader_.fail(
          ErrorKind::shape,
          fmt::format("the parameter {} depends on an unknown; what changes belongs into [definitions]", a.info.head()),
          reader_.position(*node));
  }
  formulas_.clear();
}

const NamedArray* Loader::array_named(const std::string& name) {
  if (DeclaredArray* a = scope_.find(name)) return &a->named;
  if (std::find(reading_.begin(), reading_.end(), name) != reading_.end()) {
    reading_.push_back(name);
    throw Error(ErrorKind::cycle,
                fmt::format("the definitions go in a circle: {}",
                            fmt::join(std::find(reading_.begin(), reading_.end() - 1, name), reading_.end(), " -> ")));
  }
  if (!unread_.contains(name)) return nullptr;
  // It stands further down: whether it is an array shows when it is read.
  const SourcePosition origin = context_.origin;
  for (NamedExpression& d : model_.definitions) {
    if (d.name == name) definition_body(d);
  }
  context_.origin = origin;
  DeclaredArray* a = scope_.find(name);
  return a == nullptr ? nullptr : &a->named;
}

void Loader::definition_body(NamedExpression& e) {
  const auto at = unread_.find(e.name);
  if (at == unread_.end()) return;
  const toml::node& node = *at->second;
  if (reading_.size() > deepest)
    reader_.fail(
        ErrorKind::limit,
        fmt::format("more than {} definitions each stand above one that they use; turn their order round", deepest),
        e.position);
  reading_.push_back(e.name);
  unread_.erase(at);
  const toml::node* value = &node;
  if (const auto* t = node.as_table()) value = t->get("value");
  if (value == nullptr) reader_.fail(ErrorKind::shape, fmt::format("{} has no value", e.name), reader_.position(node));
  if (value->is_number()) {
    e.given = reader_.number(*value, e.name);
  } else {
    const std::string text = reader_.text(*value, e.name);
    context_.origin = reader_.text_start(*value);
    const Array a = parse_array(text, context_);
    e.given = on_grid(a.body(), reader_.position(node));
    require_bound_indices(e.given, {}, e.name, reader_.position(node));
    if (a.rank() > 0) {
      DeclaredArray d;
      d.info.name = e.name;
      d.info.what = ModelArray::What::definition;
      d.info.unit = e.unit;
      d.info.note = e.note;
      d.info.position = e.position;
      d.info.given = e.given;
      d.indices = a.indices();
      for (std::size_t k = 0; k < a.rank(); ++k) {
        const Expr last = a.shape()[k] - 1;
        if (!last.word())
          reader_.fail(ErrorKind::shape, fmt::format("the size {} of {} is no number", to_text(a.shape()[k]), e.name),
                       reader_.position(node));
        d.info.dimensions.push_back({a.indices()[k].name(), 0, last, false});
      }
      d.named = {definition_symbol(e.name), d.info.dimensions};
      context_.names.erase(e.name);
      scope_.add(std::move(d));
    }
  }
  reading_.pop_back();
}

void Loader::output_body(NamedExpression& e, const toml::node& node) {
  const toml::node* text = &node;
  if (const auto* t = node.as_table()) text = t->get("value");
  if (text == nullptr) reader_.fail(ErrorKind::shape, fmt::format("{} has no value", e.name), reader_.position(node));
  const auto indexed =
      std::find_if(output_heads_.begin(), output_heads_.end(), [&](const auto& h) { return h.first == e.name; });
  if (text->is_number()) {
    e.given = reader_.number(*text, e.name);
    if (indexed == output_heads_.end()) return;
  } else {
    const std::string typed = reader_.text(*text, e.name);
    context_.origin = reader_.text_start(*text);
    const Array value = parse_array(typed, context_);
    e.given = on_grid(value.body(), reader_.position(*text));
    if (value.rank() > 0) {
      if (indexed != output_heads_.end())
        reader_.fail(ErrorKind::shape,
                     fmt::format("the output {} has indices, but its value is itself an array of the shape {}", e.name,
                                 shape_text(value)),
                     reader_.position(*text));
      DeclaredArray d;
      d.info = {e.name, ModelArray::What::output, {}, e.unit, e.note, e.given, "", e.position};
      d.indices = value.indices();
      for (std::size_t k = 0; k < value.rank(); ++k)
        d.info.dimensions.push_back({d.indices[k].name(), 0, value.shape()[k] - 1, false});
      d.named.dimensions = d.info.dimensions;
      scope_.add(std::move(d));
      e.name.clear();
      return;
    }
  }
  std::vector<Expr> own;
  if (indexed != output_heads_.end()) {
    for (const std::string& p : indexed->second.places) own.push_back(context_.names.at(p));
  }
  require_bound_indices(e.given, own, "the output " + e.name, reader_.position(*text));
  if (indexed == output_heads_.end()) return;
  DeclaredArray& a = declare_array(indexed->second, ModelArray::What::output, node, e.position);
  a.info.given = e.given;
  e.name.clear();
}

}  // namespace boreon
