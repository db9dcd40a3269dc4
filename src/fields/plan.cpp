// SPDX-License-Identifier: MIT
// A system cut into boxes, each with its bodies and their derivatives.
#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "arrays/placeholder.hpp"
#include "boreon/calculus.hpp"
#include "boreon/fields.hpp"
#include "boreon/symbol.hpp"
#include "fields/body.hpp"
#include "fields/cuts.hpp"
#include "fields/inlined.hpp"
#include "fields/row_order.hpp"
#include "fields/sums.hpp"

namespace boreon {
namespace {

// An equation in the places of its rows.
struct Placed {
  std::size_t number = 0;
  std::vector<Cuts::Interval> places;  // where it may hold, by dimension
  Expr value;
  Expr where;
  int specificity = 0;
};

// The index that a place of an equation goes with, and what is added to it.
struct RowPlace {
  const Expr* index = nullptr;
  std::int64_t shift = 0;
};

class Planner {
 public:
  Planner(const FieldSystem& system, const FieldLayout& layout, std::vector<FieldSum>& sums)
      : system_(system), layout_(layout), sums_(layout, sums) {}

  // Boxes of the targets on one grid.
  void add(const std::vector<std::size_t>& targets, std::vector<FieldBox>& boxes) {
    const std::vector<Extent>& dimensions = layout_.targets()[targets[0]].dimensions;
    Cuts cuts(dimensions);
    std::map<std::size_t, std::vector<Placed>> equations;
    for (std::size_t e = 0; e < system_.equations.size(); ++e) {
      const std::size_t u = system_.equations[e].target;
      if (std::find(targets.begin(), targets.end(), u) == targets.end()) continue;
      equations[u].push_back(placed(e, dimensions));
      const Placed& p = equations[u].back();
      for (std::size_t k = 0; k < dimensions.size(); ++k) cuts.interval(k, p.places[k].from, p.places[k].to);
      cuts.add(p.value, layout_);
      cuts.add(p.where, layout_);
    }
    for (FieldBox& box : boxes_of(cuts, layout_.targets()[targets[0]].name)) {
      for (const std::size_t u : targets) box.rows.push_back(row(u, equations[u], box));
      boxes.push_back(std::move(box));
    }
  }

 private:
  [[noreturn]] static void fail(ErrorKind kind, const FieldEquation& e, const std::string& message) {
    throw Error(kind, fmt::format("{} (the equation {})", message, e.name), e.position);
  }

  RowPlace row_place(const FieldEquation& e, const Expr& place) const {
    for (const auto& [index, range] : system_.indices) {
      if (!depends_on(place, index)) continue;
      const std::int64_t shift = layout_.number(place - index, "a place of " + e.name);
      return {&index, shift};
    }
    return {nullptr, layout_.number(place, "a place of " + e.name)};
  }

  Placed placed(std::size_t number, const std::vector<Extent>& dimensions) {
    const FieldEquation& e = system_.equations[number];
    const ArrayLayout& target = layout_.targets()[e.target];
    Placed p;
    p.number = number;
    if (e.places.size() != dimensions.size())
      fail(ErrorKind::shape, e,
           fmt::format("{} has {} indices, but {} are given", target.name, dimensions.size(), e.places.size()));
    WriteOut::Numbers values;
    try {
      for (std::size_t k = 0; k < dimensions.size(); ++k) {
        const RowPlace r = row_place(e, e.places[k]);
        Cuts::Interval i{r.shift, r.shift};
        if (r.index == nullptr) {
          p.specificity += 2;
        } else {
          if (std::any_of(values.begin(), values.end(), [&](const auto& v) { return v.first == *r.index; }))
            throw Error(ErrorKind::unsupported,
                        fmt::format("the index {} stands twice in the place of {}", r.index->name(), target.name));
          values.emplace_back(*r.index, place_symbol(k) - r.shift);
          const Extent* range = layout_.index(*r.index);
          i = {range->from + r.shift, range->to + r.shift};
        }
        const Extent& d = dimensions[k];
        if (d.periodic && (i.from < d.from || i.to > d.to)) {
          // wrapped as a whole, or not at all
          const std::int64_t wrap = floor_divide(i.from - d.from, d.places());
          const std::int64_t by = wrap * d.places();
          if (i.to - by > d.to && i.to - i.from + 1 != d.places())
            throw Error(ErrorKind::unsupported, "its places wrap round in two parts");
          if (i.to - by > d.to) throw Error(ErrorKind::unsupported, "shifted places of a whole periodic dimension");
          i = {i.from - by, i.to - by};
          if (r.index != nullptr) values.back().second = place_symbol(k) - (r.shift - by);
        }
        if (i.from < d.from || i.to > d.to)
          throw Error(ErrorKind::shape, fmt::format("its places {} to {} are outside {}, which runs from {} to {}",
                                                    i.from, i.to, target.name, d.from, d.to));
        p.places.push_back(i);
      }
      Inliner inlined(system_, layout_, Inliner::longest_body_sum, dimensions);
      p.value = inlined(e.value, values);
      p.where = inlined(e.where, values);
    } catch (const Error& error) {
      if (error.position().known()) throw;
      fail(error.kind(), e, error.message());
    }
    if (!p.where.is_constant(ConstantCode::true_value)) ++p.specificity;
    return p;
  }

  FieldBox::Row row(std::size_t target_number, const std::vector<Placed>& equations, FieldBox& box) {
    const ArrayLayout& target = layout_.targets()[target_number];
    const BodyReader::SumEntry sum = [&](const Expr& e) { return sums_.entry(e, target.dimensions); };
    const BodyReader read(layout_, box, sum);
    const Placed* found = nullptr;
    const Placed* other = nullptr;
    for (const Placed& p : equations) {
      if (found != nullptr && p.specificity < found->specificity) continue;
      bool inside = true;
      for (std::size_t k = 0; k < box.from.size(); ++k)
        inside = inside && p.places[k].from <= box.from[k] && box.to[k] <= p.places[k].to;
      if (!inside) continue;
      try {
        if (!read.holds(p.where)) continue;
      } catch (const Error& error) {
        fail(error.kind(), system_.equations[p.number], error.message());
      }
      other = found != nullptr && found->specificity == p.specificity ? found : nullptr;
      found = &p;
    }
    const std::string where = target.name + (box.from.empty() ? "" : text_of_places(box.from, box.to));
    if (found == nullptr) throw Error(ErrorKind::shape, fmt::format("{} has no equation", where));
    if (other != nullptr)
      throw Error(ErrorKind::shape,
                  fmt::format("{} has two equations that are equally specific: {} and {}; give it one of its own, with "
                              "more numbers in its place on the left side",
                              where, system_.equations[other->number].name, system_.equations[found->number].name),
                  system_.equations[found->number].position);
    FieldBox::Row r;
    r.target = target_number;
    r.equation = found->number;
    try {
      r.value = read(found->value);
    } catch (const Error& error) {
      fail(error.kind(), system_.equations[found->number], error.message());
    }
    r.base = target.start;
    r.strides = target.strides;
    for (std::size_t k = 0; k < r.strides.size(); ++k) r.base -= r.strides[k] * target.dimensions[k].from;
    return r;
  }

  const FieldSystem& system_;
  const FieldLayout& layout_;
  SumPlanner sums_;
};

// Derivatives by the entries of the state.
void derive_box(FieldBox& box) {
  std::vector<Expr> values;
  std::vector<Expr> variables;
  std::vector<std::size_t> entries;
  for (const FieldBox::Row& r : box.rows) values.push_back(r.value);
  for (std::size_t n = 0; n < box.entries.size(); ++n) {
    if (box.entries[n].array != FieldEntry::state) continue;
    variables.push_back(box.symbols[n]);
    entries.push_back(n);
  }
  if (variables.empty()) return;
  const SparseMatrix j = sparse_jacobian(values, variables);
  for (std::size_t r = 0; r < box.rows.size(); ++r) {
    j.pattern.each(r, [&](std::size_t k, std::size_t column) {
      box.rows[r].terms.push_back({entries[column], j.values[k]});
    });
  }
}

// An entry of its own for each row, if only a 0.
void add_diagonal(FieldBox& box) {
  for (FieldBox::Row& r : box.rows) {
    const std::size_t n = entry_of(box, {FieldEntry::state, r.base, r.strides}, 0);
    if (std::any_of(r.terms.begin(), r.terms.end(), [&](const FieldTerm& t) { return t.entry == n; })) continue;
    r.terms.push_back({n, 0});
  }
}

}  // namespace

std::size_t FieldBox::places() const {
  std::size_t n = 1;
  for (std::size_t k = 0; k < from.size(); ++k) n *= static_cast<std::size_t>(to[k] - from[k] + 1);
  return n;
}

FieldPlan::FieldPlan(FieldSystem system, FieldSizes sizes, bool whole_diagonal)
    : system_(std::make_shared<const FieldSystem>(std::move(system))) {
  const FieldLayout layout(*system_, sizes);
  rows_ = static_cast<std::size_t>(layout.rows());
  columns_ = static_cast<std::size_t>(layout.columns());
  for (const ArrayLayout& u : layout.targets()) starts_.push_back(static_cast<std::size_t>(u.start));
  Planner planner(*system_, layout, sums_);
  std::vector<char> done(layout.targets().size(), 0);
  for (std::size_t u = 0; u < done.size(); ++u) {
    if (done[u] != 0) continue;
    std::vector<std::size_t> together;
    for (std::size_t v = u; v < done.size(); ++v) {
      if (layout.targets()[v].dimensions != layout.targets()[u].dimensions) continue;
      together.push_back(v);
      done[v] = 1;
    }
    planner.add(together, boxes_);
  }
  for (FieldBox& b : boxes_) {
    derive_box(b);
    if (whole_diagonal && system_->results.empty()) add_diagonal(b);
  }
  try {
    require_no_derived_sums();
    std::vector<char> ordered;
    for (FieldBox& b : boxes_) ordered.push_back(order_terms(b) ? 1 : 0);
    nonzeros_ = static_cast<std::size_t>(number_entries(boxes_, ordered, layout));
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::unsupported) throw;
    no_formula_ = e.message();
  }
}

// A row that depends on a sum over unknowns has entries that no list of its own holds.
void FieldPlan::require_no_derived_sums() const {
  const std::size_t first = 1 + system_->data.size();
  std::vector<char> moves;
  const auto reads = [&](const FieldBox& b) {
    return std::any_of(b.entries.begin(), b.entries.end(), [&](const FieldEntry& e) {
      return e.array == FieldEntry::state || (e.array >= first && moves[e.array - first] != 0);
    });
  };
  for (const FieldSum& s : sums_) moves.push_back(std::any_of(s.boxes.begin(), s.boxes.end(), reads) ? 1 : 0);
  for (const FieldBox& b : boxes_) {
    for (const FieldEntry& e : b.entries) {
      if (e.array >= first && moves[e.array - first] != 0)
        throw Error(ErrorKind::unsupported, "an equation contains a long sum over unknowns");
    }
  }
}

void FieldPlan::require_jacobian() const {
  if (no_formula_.empty()) return;
  throw Error(
      ErrorKind::unsupported,
      fmt::format("the Jacobian of these fields has no formula: {}; written out, it can be derived", no_formula_));
}

std::size_t FieldPlan::nonzeros() const {
  require_jacobian();
  return nonzeros_;
}

std::size_t FieldPlan::widest_row() const {
  std::size_t most = 0;
  for (const FieldBox& b : boxes_) {
    for (const FieldBox::Row& r : b.rows) most = std::max(most, r.terms.size());
  }
  return most;
}

Expr FieldPlan::as_written(const FieldBox& box, const Expr& e) const {
  std::vector<std::pair<Expr, Expr>> elements;
  for (std::size_t n = 0; n < box.symbols.size(); ++n) elements.emplace_back(box.symbols[n], box.elements[n]);
  return with_index_names(renamed(e, elements), box.names);
}

std::string FieldPlan::text_of(const FieldBox& box) const {
  return box.from.empty() ? "" : text_of_places(box.from, box.to);
}

}  // namespace boreon
