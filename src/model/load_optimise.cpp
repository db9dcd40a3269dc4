// SPDX-License-Identifier: MIT
// [optimise] and [constraints]: what is to be least or greatest, and what has to hold besides the equations.
#include "boreon/traverse.hpp"
#include "model/loader.hpp"

namespace boreon {

void Loader::optimise() {
  const auto* table = section("optimise");
  if (table == nullptr) {
    if (const auto* c = section("constraints"))
      reader_.fail(ErrorKind::shape,
                   "[constraints] need [optimise], which says what is to be least: minimise = \"cost\"; equations that "
                   "hold in any case belong into [equations]",
                   reader_.position(*c));
    return;
  }
  reader_.require_keys(*table, "[optimise]", {"minimise", "maximise"});
  const auto* least = table->get("minimise");
  const auto* greatest = table->get("maximise");
  if ((least == nullptr) == (greatest == nullptr))
    reader_.fail(ErrorKind::shape, "[optimise] has either minimise = \"cost\" or maximise = \"yield\"",
                 reader_.position(*table));
  const toml::node& node = least != nullptr ? *least : *greatest;
  ParseContext of_model = context_with_outputs();
  ModelObjective o;
  o.maximise = greatest != nullptr;
  o.position = reader_.position(node);
  o.given = expression(node, "what is optimised", of_model);
  if (is_condition(o.given))
    reader_.fail(ErrorKind::shape, "what is optimised is an expression; conditions belong into [constraints]",
                 o.position);
  o.resolved = o.given;
  model_.objective = std::move(o);
  constraints(of_model);
}

void Loader::constraints(ParseContext& of_model) {
  const auto* table = section("constraints");
  if (table == nullptr) return;
  for (const auto& [key, node] : in_file_order(*table)) {
    OpenConstraint c;
    c.name = key->str();
    c.position = reader_.position(*key);
    if (node->is_number())
      reader_.fail(ErrorKind::shape, fmt::format("the constraint {0} is a relation: {0} = \"x + y <= 3\"", c.name),
                   c.position);
    c.relation = expression(*node, fmt::format("the constraint {}", c.name), of_model);
    add_open_indices({&c.relation, 1}, c.free, c.ranges);
    model_.constraint_families.push_back({c.name, c.relation, places_in(c.ranges)});
    if (ranges_.empty() && scope_.empty()) add_constraint(c.name, c.relation, c.position);
    open_constraints_.push_back(std::move(c));
  }
}

void Loader::add_constraint(const std::string& name, const Expr& relation, const SourcePosition& at) {
  ModelConstraint c;
  c.name = name;
  c.given = relation;
  c.position = at;
  const bool relates = relation.is(Kind::relation);
  const RelationOp op = relates ? relation.relation_op() : RelationOp::not_equal;
  if (op == RelationOp::less)
    reader_.fail(
        ErrorKind::shape,
        fmt::format("the constraint {} is strict; an optimum may lie on the limit itself: write <= or >=", name), at);
  if (relation.is_constant(ConstantCode::true_value) || relation.is_constant(ConstantCode::false_value))
    reader_.fail(ErrorKind::shape,
                 fmt::format("the constraint {} {} whatever is chosen", name,
                             relation.is_constant(ConstantCode::true_value) ? "holds" : "never holds,"),
                 at);
  if (op == RelationOp::not_equal)
    reader_.fail(ErrorKind::shape,
                 fmt::format("the constraint {} is one relation, left <= right, left >= right or left = right", name),
                 at);
  c.value = relation.operands()[0];
  c.limit = relation.operands()[1];
  if (op == RelationOp::equal) c.kind = ModelConstraint::Kind::equal;
  model_.constraints.push_back(std::move(c));
}

// With arrays: one constraint for all values of its indices.
void Loader::write_optimum() {
  if (!model_.objective) return;
  model_.objective->resolved = written(model_.objective->given, {}, "what is optimised", model_.objective->position);
  for (const OpenConstraint& c : open_constraints_) {
    for (std::size_t m = 0; m < places_in(c.ranges); ++m) {
      const WriteOut::Numbers at = place_of(c.ranges, c.free, m);
      const Expr relation = written(c.relation, at, "the constraint " + c.name, c.position);
      if (!at.empty() && relation.is_constant(ConstantCode::true_value)) continue;
      add_constraint(at.empty() ? c.name : to_string(ElementName{c.name, place_of(c.ranges, m)}), relation, c.position);
    }
  }
}

}  // namespace boreon
