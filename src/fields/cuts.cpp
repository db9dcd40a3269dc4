// SPDX-License-Identifier: MIT
#include "fields/cuts.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "arrays/element_parts.hpp"
#include "boreon/traverse.hpp"

namespace boreon {
namespace {

constexpr std::int64_t most_wraps = 1000;
constexpr std::size_t most_boxes = 20'000;

}  // namespace

Cuts::Cuts(std::span<const Extent> dimensions)
    : dimensions_(dimensions.begin(), dimensions.end()), starts_(dimensions.size()) {
  for (std::size_t k = 0; k < dimensions.size(); ++k) starts_[k].insert(dimensions[k].from);
}

void Cuts::at(std::size_t dimension, std::int64_t place) {
  if (place > dimensions_[dimension].from && place <= dimensions_[dimension].to) starts_[dimension].insert(place);
}

void Cuts::interval(std::size_t dimension, std::int64_t from, std::int64_t to) {
  at(dimension, from);
  at(dimension, to + 1);
}

void Cuts::relation(const Expr& e) {
  const auto a = affine_in_places(e.operands()[0] - e.operands()[1], dimensions_.size());
  const auto k = a ? a->single() : std::nullopt;
  if (!k) return;  // said where it is met, if it is not decided by the ranges of its places
  const std::int64_t c = a->factors[*k];
  const std::int64_t d = a->constant;
  // c*r + d changes its sign at -d/c
  const std::int64_t below = floor_divide(-d, c);
  const std::int64_t above = -floor_divide(d, c);
  switch (e.relation_op()) {
    case RelationOp::less: at(*k, c > 0 ? above : below + 1); break;
    case RelationOp::less_equal: at(*k, c > 0 ? below + 1 : above); break;
    case RelationOp::equal:
    case RelationOp::not_equal:
      if (below == above) interval(*k, below, below);
  }
}

void Cuts::wraps(const Expr& element, const FieldLayout& layout) {
  const auto parts = element_parts(element);
  if (!parts) return;
  const ArrayLayout* array = layout.find(parts->head);
  if (array == nullptr || array->dimensions.size() != parts->places.size()) return;
  for (std::size_t d = 0; d < array->dimensions.size(); ++d) {
    const Extent& range = array->dimensions[d];
    if (!range.periodic) continue;
    const auto a = affine_in_places(parts->places[d], dimensions_.size());
    const auto k = a && a->divisor == 1 ? a->single() : std::nullopt;
    if (!k) continue;
    const std::int64_t c = a->factors[*k];
    const Extent& own = dimensions_[*k];
    const std::int64_t ends[] = {c * own.from + a->constant, c * own.to + a->constant};
    const std::int64_t n = range.places();
    const std::int64_t first = floor_divide(std::min(ends[0], ends[1]) - range.from, n);
    const std::int64_t last = floor_divide(std::max(ends[0], ends[1]) - range.from, n);
    if (last - first > most_wraps) continue;  // said where it is met
    for (std::int64_t w = first + 1; w <= last; ++w) {
      // the first place with c*r + d >= from + n*w, for falling ones the last
      const std::int64_t distance = range.from + n * w - a->constant;
      at(*k, c > 0 ? -floor_divide(-distance, c) : floor_divide(distance, c) + 1);
    }
  }
}

void Cuts::add(const Expr& e, const FieldLayout& layout) {
  postorder(e, [&](const Expr& x) {
    if (x.is(Kind::relation)) relation(x);
    if (x.is(Kind::element)) wraps(x, layout);
  });
}

std::vector<Cuts::Interval> Cuts::intervals(std::size_t dimension) const {
  std::vector<Interval> list;
  for (auto s = starts_[dimension].begin(); s != starts_[dimension].end(); ++s) {
    const auto next = std::next(s);
    list.push_back({*s, next == starts_[dimension].end() ? dimensions_[dimension].to : *next - 1});
  }
  return list;
}

std::vector<FieldBox> boxes_of(const Cuts& cuts, const std::string& what) {
  const std::size_t dimensions = cuts.dimensions().size();
  std::vector<std::vector<Cuts::Interval>> intervals;
  std::size_t count = 1;
  for (std::size_t k = 0; k < dimensions; ++k) {
    intervals.push_back(cuts.intervals(k));
    count *= intervals.back().size();
    if (count > most_boxes)
      throw Error(ErrorKind::unsupported,
                  fmt::format("the places of {} fall into more than {} boxes", what, most_boxes));
  }
  std::vector<FieldBox> boxes(count);
  for (std::size_t n = 0; n < count; ++n) {
    std::size_t rest = n;
    for (const Extent& d : cuts.dimensions()) boxes[n].names.push_back(d.name);
    boxes[n].from.resize(dimensions);
    boxes[n].to.resize(dimensions);
    for (std::size_t k = dimensions; k-- > 0;) {
      const Cuts::Interval& i = intervals[k][rest % intervals[k].size()];
      rest /= intervals[k].size();
      boxes[n].from[k] = i.from;
      boxes[n].to[k] = i.to;
    }
  }
  return boxes;
}

}  // namespace boreon
