// SPDX-License-Identifier: MIT
// [grid]: coordinates that are counted by indices, and what derivatives by them are.
#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/traverse.hpp"
#include "model/loader.hpp"

namespace boreon {

// x = { index = "i", spacing = "h" }, or from = 0, to = "L"; order = 4
void Loader::grid() {
  const auto* table = section("grid");
  if (table == nullptr) return;
  context_.strict = true;  // spacings are made of parameters
  for (const auto& [key, node] : in_file_order(*table)) {
    const std::string name(key->str());
    const SourcePosition at = reader_.position(*key);
    declare(name, "coordinate", at);
    const auto* t = node->as_table();
    const auto example = [&](const std::string& why) {
      reader_.fail(ErrorKind::shape,
                   fmt::format("the coordinate {0} {1}: {0} = {{ index = \"i\", from = 0, to = \"L\" }}, or "
                               "{{ index = \"i\", spacing = \"h\" }}",
                               name, why),
                   at);
    };
    if (t == nullptr || t->get("index") == nullptr) example("needs the index that counts it");
    reader_.require_keys(*t, fmt::format("the coordinate {}", name),
                         {"index", "from", "to", "spacing", "order", "unit", "note"});
    const std::string index = reader_.text(*t->get("index"), "the index");
    const auto range = ranges_.find(index);
    if (range == ranges_.end()) {
      std::vector<std::string> known;
      for (const auto& [word, unused] : ranges_) known.push_back(word);
      reader_.fail(ErrorKind::name, fmt::format("'{}' is no index{}", index, suggestion(index, known)),
                   reader_.position(*t->get("index")));
    }
    for (const GridCoordinate& other : model_.grid) {
      if (other.index.name() == index)
        reader_.fail(ErrorKind::shape, fmt::format("the index {} counts {} already", index, other.coordinate.name()),
                     at);
    }
    GridCoordinate c{Symbol(name), Symbol(index, {Assumption::integer})};
    c.first = range->second.from;
    c.last = range->second.to;
    c.periodic = range->second.periodic;
    const auto value = [&](const char* word) -> std::optional<Expr> {
      const auto* n = t->get(word);
      if (n == nullptr) return std::nullopt;
      return expression(*n, fmt::format("{} of the coordinate {}", word, name), context_);
    };
    if (const auto from = value("from")) c.start = *from;
    const auto to = value("to");
    const auto spacing = value("spacing");
    if (spacing.has_value() == to.has_value()) example("has either a spacing or an end");
    const Expr steps = c.last - c.first + (c.periodic ? 1 : 0);  // the place after the last is the first again
    if (to && steps.is_integer(0)) example("has one place only, and no spacing");
    c.spacing = spacing ? *spacing : (*to - c.start) / steps;
    if (const auto* order = t->get("order")) {
      const Number n = reader_.number(*order, "the order");
      const auto word = n.word();
      if (!word || *word < 2 || *word > 12 || *word % 2 != 0)
        reader_.fail(ErrorKind::shape, "the order of differences is an even number from 2 to 12",
                     reader_.position(*order));
      c.order = static_cast<int>(*word);
    }
    c.unit = unit(*t);
    context_.names.emplace(name, c.coordinate);
    model_.grid.push_back(std::move(c));
  }
  context_.strict = false;
  if (model_.grid.empty()) return;
  context_.functions.emplace("laplacian", 1);
  context_.functions.emplace("diffusion", 2);
  context_.functions.emplace("upwind", 3);
}

// T[nx - 1, j] as T[19, j]: how far a place is from the ends decides which differences are taken there.
Expr Loader::with_places_as_numbers(const Expr& e) const {
  if (model_.grid.empty()) return e;  // the bindings below cost with the number of parameters
  Bindings values;
  for (const Parameter& p : model_.parameters) values.set(p.symbol, Expr(p.value));
  return Rebuild([&](const Expr& n, Expr& result) {
    if (!n.is(Kind::element)) return false;  // others have numbers already
    std::vector<Expr> places(n.operands().begin() + 1, n.operands().end());
    for (Expr& p : places) {
      const Expr number = substitute(p, values, Unused::allowed);
      if (number.word()) p = number;
    }
    result = element(n.operands()[0], places);
    return true;
  })(e);
}

Expr Loader::on_grid(const Expr& e, const SourcePosition& at) {
  if (model_.grid.empty() || !has_grid_operators(e, model_.grid)) return e;
  try {
    return discretised(with_places_as_numbers(e), model_.grid, dimensions_of_grid());
  } catch (const Error& error) {
    reader_.fail(error.kind(), error.message(), at);
  }
}

GridDimension Loader::dimensions_of_grid() {
  return [this](const Expr& head, const GridCoordinate& along) -> std::optional<std::size_t> {
    const DeclaredArray* const array = scope_.find(head.name());
    return array == nullptr ? std::nullopt : array->info.dimension_of(along.index.name());
  };
}

}  // namespace boreon
