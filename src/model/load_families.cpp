// SPDX-License-Identifier: MIT
// Equations with open indices: which element each of them belongs to, and what they are for each.
#include <algorithm>

#include "arrays/element_parts.hpp"
#include "boreon/traverse.hpp"
#include "model/loader.hpp"

namespace boreon {
namespace {

// Array and rate of an element or of an unknown with its numbers.
struct Candidate {
  Expr head;
  std::vector<Expr> places;
  std::int64_t order = 0;
};

std::vector<Candidate> candidates_in(const Expr& left) {
  std::vector<Candidate> all;
  postorder(left, [&](const Expr& e) {
    const auto parts = element_parts(e);
    Candidate c{parts ? parts->head : e, parts ? parts->places : std::vector<Expr>{}};
    if (!c.head.is(Kind::unknown_call)) return;
    c.order = c.head.operands().size() == 3 ? c.head.operands()[2].word().value_or(0) : 0;
    all.push_back(std::move(c));
  });
  // The head of an element is no unknown of its own.
  std::erase_if(all, [&](const Candidate& c) {
    return c.places.empty() && std::any_of(all.begin(), all.end(), [&](const Candidate& other) {
             return !other.places.empty() && other.head == c.head;
           });
  });
  std::int64_t highest = 0;
  for (const Candidate& c : all) highest = std::max(highest, c.order);
  std::erase_if(all, [&](const Candidate& c) { return c.order < highest; });
  return all;
}

}  // namespace

void Loader::equation(const std::string& name, const toml::node& node, const SourcePosition& at) {
  const toml::node* text = &node;
  Expr where = truth(true);
  if (const auto* t = node.as_table()) {
    reader_.require_keys(*t, fmt::format("the equation {}", name), {"equation", "where", "note"});
    text = t->get("equation");
    if (text == nullptr)
      reader_.fail(ErrorKind::shape,
                   fmt::format("{0} has no equation: {0} = {{ equation = \"T'[i] = ...\", where = \"i > 3\" }}", name),
                   at);
    if (const auto* w = t->get("where")) {
      context_.origin = reader_.text_start(*w);
      where = parse(reader_.text(*w, fmt::format("the condition of {}", name)), context_);
      if (!is_condition(where))
        reader_.fail(ErrorKind::shape,
                     fmt::format("where = \"i > 3 and i < 9\" is a condition; {} has a number there", name),
                     reader_.position(*w));
    }
  }
  if (text->is_number()) {
    family(name, Array(Expr(reader_.number(*text, name))), where, at);
    return;
  }
  const std::string typed = reader_.text(*text, fmt::format("the equation {}", name));
  context_.origin = reader_.text_start(*text);
  family(name, parse_array(typed, context_), where, at);
}

void Loader::add_open_indices(std::span<const Expr> parts, std::vector<Expr>& free,
                              std::vector<IndexRange>& ranges) const {
  for (const Symbol& s : free_symbols(parts)) {
    const auto range = ranges_.find(s.name());
    if (range == ranges_.end() || !(context_.names.at(s.name()) == s)) continue;
    free.push_back(s);
    ranges.push_back(range->second);
  }
}

void Loader::family(const std::string& name, const Array& value, const Expr& where, const SourcePosition& at) {
  Family f;
  f.info.name = name;
  f.info.position = at;
  f.info.where = where;
  const Expr& r = value.body();
  if (r.is(Kind::relation) && r.relation_op() == RelationOp::equal) {
    f.info.given = {r.operands()[0], r.operands()[1]};
  } else if (is_condition(r)) {
    reader_.fail(
        ErrorKind::shape,
        fmt::format("the equation {} must be written left = right{}", name,
                    r.is(Kind::relation) ? "; bounds on unknowns belong into [unknowns] as lower and upper" : ""),
        at);
  } else {
    f.info.given = {r, 0};
  }
  f.info.differential = {with_places_as_numbers(f.info.given.lhs), with_places_as_numbers(f.info.given.rhs)};
  for (Expr* side : {&f.info.given.lhs, &f.info.given.rhs}) {
    f.info.on_grid = f.info.on_grid || has_grid_operators(*side, model_.grid);
    *side = on_grid(*side, at);
  }
  // Indices of whole arrays count from 0; declared ones have their range.
  for (std::size_t k = 0; k < value.rank(); ++k) {
    f.free.push_back(value.indices()[k]);
    f.ranges.push_back({value.indices()[k].name(), 0, value.shape()[k] - 1, false});
  }
  const std::vector<Expr> parts{f.info.given.lhs, f.info.given.rhs, where};
  add_open_indices(parts, f.free, f.ranges);
  find_target(f);
  const bool arrays = f.target != nullptr || !f.free.empty() || f.conditional();
  if (arrays) {
    families_.push_back(std::move(f));
  } else {
    model_.equations.push_back({name, f.info.given, {}, at});
  }
}

// An equation belongs to the element on its left side: that of a derivative, if there is one.
void Loader::find_target(Family& f) const {
  const std::vector<Candidate> candidates = candidates_in(f.info.differential.lhs);
  std::vector<const Candidate*> arrays;
  for (const Candidate& c : candidates) {
    if (!c.places.empty()) arrays.push_back(&c);
  }
  const bool open = !f.free.empty();
  if (arrays.empty()) {
    if (open)
      reader_.fail(
          ErrorKind::shape,
          fmt::format("the index {} is open in the equation {}, but no element with it stands on the left side: "
                      "which element it belongs to is read there",
                      f.free[0].name(), f.info.name),
          f.info.position);
    return;
  }
  if (!open && arrays.size() < candidates.size()) return;  // an equation of plain unknowns
  const auto missing = [&](const Candidate& c) -> const Expr* {
    for (const Expr& i : f.free) {
      if (std::none_of(c.places.begin(), c.places.end(), [&](const Expr& p) { return depends_on(p, i); })) return &i;
    }
    return nullptr;
  };
  // Of several the one whose places are the indices themselves.
  std::vector<const Candidate*> fitting;
  for (const bool plain : {true, false}) {
    if (!fitting.empty()) break;
    for (const Candidate* c : arrays) {
      const bool all_plain = std::all_of(c->places.begin(), c->places.end(), [&](const Expr& p) {
        return p.is_number() || std::find(f.free.begin(), f.free.end(), p) != f.free.end();
      });
      if (missing(*c) == nullptr && (!plain || all_plain)) fitting.push_back(c);
    }
  }
  if (fitting.empty())
    reader_.fail(
        ErrorKind::shape,
        fmt::format("the index {0} is open in the equation {1}, but not in the element of {2} on its left side: "
                    "sum over it, sum(..., {0}), or give it a number",
                    missing(*arrays[0])->name(), f.info.name, arrays[0]->head.name()),
        f.info.position);
  if (fitting.size() > 1)
    reader_.fail(
        ErrorKind::shape,
        fmt::format("{} elements stand on the left side of the equation {} ({} and {}): leave there the one it "
                    "determines, and take the others to the right",
                    fitting.size(), f.info.name, fitting[0]->head.name(), fitting[1]->head.name()),
        f.info.position);
  f.target = scope_.find(fitting[0]->head.name());
  f.places = fitting[0]->places;
  for (const Expr& p : f.places) {
    if (std::none_of(f.free.begin(), f.free.end(), [&](const Expr& i) { return depends_on(p, i); })) ++f.literals;
  }
}

void Loader::claim_elements(Family& f, std::size_t number) {
  std::vector<Owner>& owners = owners_[f.target];
  owners.resize(f.target->info.elements());
  const std::size_t members = places_in(f.ranges);
  const int specificity = f.specificity();
  const auto& dimensions = f.target->named.dimensions;
  for (std::size_t m = 0; m < members; ++m) {
    const WriteOut::Numbers at = place_of(f.ranges, f.free, m);
    if (f.conditional()) {
      const Expr holds = written(f.info.where, at, "the condition of " + f.info.name, f.info.position);
      if (holds.is_constant(ConstantCode::false_value)) continue;
      if (!holds.is_constant(ConstantCode::true_value))
        reader_.fail(
            ErrorKind::shape,
            fmt::format("whether {} holds is not known when the model is loaded: the condition {} must be made of "
                        "indices and parameters",
                        f.info.name, to_text(f.info.where, {80})),
            f.info.position);
    }
    std::vector<std::int64_t> places;
    for (std::size_t k = 0; k < f.places.size(); ++k) {
      const auto same = std::find_if(at.begin(), at.end(), [&](const auto& n) { return n.first == f.places[k]; });
      Expr p =
          same != at.end() ? same->second : written(f.places[k], at, "the equation " + f.info.name, f.info.position);
      try {
        p = dimensions[k].inside(p, f.target->info.name, k);
      } catch (const Error& e) {
        reader_.fail(e.kind(),
                     fmt::format("{} (the left side of the equation {}{})", e.message(), f.info.name, text_of(at)),
                     f.info.position);
      }
      if (!p.word())
        reader_.fail(ErrorKind::shape,
                     fmt::format("the place {} of {} on the left side of {} is not known when the model is loaded",
                                 to_text(p, {40, model_.independent.name()}), f.target->info.name, f.info.name),
                     f.info.position);
      places.push_back(*p.word());
    }
    const std::size_t element = f.target->number(places);
    Owner& o = owners[element];
    if (o.family != 0 && o.specificity == specificity) {
      reader_.fail(
          ErrorKind::shape,
          fmt::format("{} has two equations that are equally specific: {} and {}; give it one of its own, with "
                      "more numbers in its place on the left side",
                      f.target->info.element(element), families_[o.family - 1].info.name, f.info.name),
          f.info.position);
    }
    if (specificity > o.specificity) o = {number + 1, m, specificity};
  }
}

// Each element has the most specific of the equations that claim it.
void Loader::write_families() {
  // The more specific first: two that meet where a third one wins are no fault.
  std::vector<std::size_t> order;
  for (std::size_t i = 0; i < families_.size(); ++i) order.push_back(i);
  std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
    return families_[a].specificity() > families_[b].specificity();
  });
  for (const std::size_t i : order) claim_elements(families_[i], i);
  std::vector<ModelEquation> equations;
  for (DeclaredArray& a : scope_.all()) {
    if (a.info.what != ModelArray::What::unknown) continue;
    std::vector<Owner>& owners = owners_[&a];
    owners.resize(a.info.elements());
    std::size_t without = 0;
    std::size_t first = 0;
    for (std::size_t n = owners.size(); n-- > 0;) {
      if (owners[n].family != 0) continue;
      ++without;
      first = n;
    }
    const bool fitted = families_.empty() && model_.equations.empty() && !model_.fits.empty();
    if (without > 0 && !fitted && section("optimise") == nullptr)
      reader_.fail(ErrorKind::shape,
                   without == 1 ? fmt::format("{} has no equation", a.info.element(first))
                                : fmt::format("{} of the {} elements of {} have no equation; the first is {}", without,
                                              owners.size(), a.info.head(), a.info.element(first)),
                   a.info.position);
    for (std::size_t n = 0; n < owners.size() && !fitted; ++n) {
      if (owners[n].family == 0) continue;
      Family& f = families_[owners[n].family - 1];
      ++f.info.members;
      const WriteOut::Numbers at = place_of(f.ranges, f.free, owners[n].member);
      ModelEquation e;
      const std::string element = a.info.element(n);
      e.name = f.free.empty() ? f.info.name : f.info.name + element.substr(element.find('['));
      e.position = f.info.position;
      e.given = {written(f.info.given.lhs, at, "the equation " + f.info.name, f.info.position),
                 written(f.info.given.rhs, at, "the equation " + f.info.name, f.info.position)};
      e.resolved = e.given;
      equations.push_back(std::move(e));
    }
  }
  written_equations_ = equations.size();
  model_.equations.insert(model_.equations.begin(), std::make_move_iterator(equations.begin()),
                          std::make_move_iterator(equations.end()));
  for (Family& f : families_) {
    if (f.info.members == 0)
      warn(fmt::format("the equation {} belongs to no element: more specific ones take its place everywhere, or its "
                       "condition never holds",
                       f.info.name),
           f.info.position);
    model_.families.push_back(f.info);
  }
}

}  // namespace boreon
