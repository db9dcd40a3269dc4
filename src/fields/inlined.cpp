// SPDX-License-Identifier: MIT
#include "fields/inlined.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "boreon/symbol.hpp"
#include "fields/affine.hpp"

namespace boreon {
namespace {

constexpr int deepest_formula = 100;

}  // namespace

// Formulas without indices by what they stand for.
Expr Inliner::plain_names(const Expr& e) {
  Rebuild pass([&](const Expr& x, Expr& result) {
    if (!x.is(Kind::symbol) || is_function_head(x)) return false;
    for (const FieldFormula& f : system_.formulas) {
      if (!f.indices.empty() || !(f.head == x)) continue;
      if (++depth_ > deepest_formula)
        throw Error(ErrorKind::limit,
                    fmt::format("definitions are nested more than {} deep at {}", deepest_formula, f.head.name()));
      result = plain_names(f.body);
      --depth_;
      return true;
    }
    return false;
  });
  return pass(e);
}

Expr Inliner::operator()(const Expr& e, const WriteOut::Numbers& values) {
  WriteOut write({[this](const Expr& head, std::span<const Expr> indices, bool) { return element_of(head, indices); },
                  longest_, true},
                 layout_.sizes());
  return write(plain_names(e), values);
}

// The body with these places, from dimension k on: inside the ranges, wrapped into those that are periodic. Elsewhere
// there is no such member.
Expr Inliner::member(const FieldFormula& f, std::size_t k, std::span<const Expr> places, WriteOut::Numbers values) {
  if (k == places.size()) return (*this)(f.body, values);
  const Extent d =
      layout_.extent(f.dimensions[k], fmt::format("the dimension {} of {}", f.dimensions[k].name, f.head.name()));
  const auto at = [&](std::int64_t shift) {
    WriteOut::Numbers with = values;
    with.emplace_back(f.indices[k], places[k] + shift);
    return member(f, k + 1, places, std::move(with));
  };
  const auto inside = [&](std::int64_t shift) {
    const Expr place = places[k] + shift;
    const Expr both[] = {less_equal(d.from, place), less_equal(place, d.to)};
    return conjunction(both);
  };
  std::vector<Expr> branches;
  const auto [least, most] = wraps_of(places[k], d);
  for (std::int64_t wraps = least; wraps <= most; ++wraps) {
    const std::int64_t shift = -wraps * d.places();
    const Expr here = inside(shift);
    if (here.is_constant(ConstantCode::false_value)) continue;
    branches.insert(branches.end(), {at(shift), here});
    if (here.is_constant(ConstantCode::true_value)) break;
  }
  return branches.empty() ? undefined() : piecewise(branches);
}

// How often a place goes round the range.
std::pair<std::int64_t, std::int64_t> Inliner::wraps_of(const Expr& place, const Extent& range) const {
  if (!range.periodic) return {0, 0};
  constexpr std::pair<std::int64_t, std::int64_t> not_known{-2, 2};
  constexpr std::int64_t most_wraps = 100;
  const auto a = affine_in_places(place, places_.size());
  if (!a || a->divisor != 1) return not_known;
  std::vector<std::int64_t> from;
  std::vector<std::int64_t> to;
  for (const Extent& p : places_) {
    from.push_back(p.from);
    to.push_back(p.to);
  }
  const auto [least, greatest] = range_of(*a, from, to);
  const std::pair wraps(floor_divide(least - range.from, range.places()),
                        floor_divide(greatest - range.from, range.places()));
  if (wraps.second - wraps.first > most_wraps)
    throw Error(ErrorKind::unsupported,
                fmt::format("a place goes round {} more than {} times", range.name, most_wraps));
  return wraps;
}

Expr Inliner::element_of(const Expr& head, std::span<const Expr> indices) {
  for (const FieldFormula& f : system_.formulas) {
    if (f.indices.empty() || !(f.head == head)) continue;
    if (f.indices.size() != indices.size())
      throw Error(ErrorKind::shape,
                  fmt::format("{} has {} indices, but {} are given", head.name(), f.indices.size(), indices.size()));
    if (++depth_ > deepest_formula)
      throw Error(ErrorKind::limit,
                  fmt::format("definitions are nested more than {} deep at {}", deepest_formula, head.name()));
    Expr result = member(f, 0, indices, {});
    --depth_;
    return result;
  }
  return element(head, indices);
}

}  // namespace boreon
