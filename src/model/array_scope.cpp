// SPDX-License-Identifier: MIT
#include "model/array_scope.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <tuple>

#include "model/resolver.hpp"

namespace boreon {

namespace {

std::size_t extent_of(const IndexRange& r) {
  return static_cast<std::size_t>(std::max<std::int64_t>(0, *r.to.word() - *r.from.word() + 1));
}

}  // namespace

std::size_t places_in(std::span<const IndexRange> ranges) {
  std::size_t n = 1;
  for (const IndexRange& r : ranges) n *= extent_of(r);
  return n;
}

std::vector<std::int64_t> place_of(std::span<const IndexRange> ranges, std::size_t number) {
  std::vector<std::int64_t> place(ranges.size());
  for (std::size_t k = ranges.size(); k-- > 0;) {
    place[k] = *ranges[k].from.word() + static_cast<std::int64_t>(number % extent_of(ranges[k]));
    number /= extent_of(ranges[k]);
  }
  return place;
}

std::vector<std::pair<Expr, Expr>> place_of(std::span<const IndexRange> ranges, std::span<const Expr> indices,
                                            std::size_t number) {
  const std::vector<std::int64_t> place = place_of(ranges, number);
  std::vector<std::pair<Expr, Expr>> values;
  for (std::size_t k = 0; k < place.size(); ++k) values.emplace_back(indices[k], place[k]);
  return values;
}

std::size_t DeclaredArray::number(std::span<const std::int64_t> place) const {
  std::size_t n = 0;
  for (std::size_t k = 0; k < place.size(); ++k)
    n = n * extent_of(named.dimensions[k]) + static_cast<std::size_t>(place[k] - *named.dimensions[k].from.word());
  return n;
}

std::vector<std::pair<Expr, Expr>> DeclaredArray::at(std::size_t number) const {
  return place_of(named.dimensions, indices, number);
}

DeclaredArray& ArrayScope::add(DeclaredArray array) {
  arrays_.push_back(std::move(array));
  DeclaredArray& a = arrays_.back();
  if (a.info.what != ModelArray::What::output) by_name_[a.info.name] = &a;
  return a;
}

DeclaredArray* ArrayScope::find(const std::string& name) const {
  const auto at = by_name_.find(name);
  return at == by_name_.end() ? nullptr : at->second;
}

Expr ArrayScope::element(const Expr& head, std::span<const Expr> indices, bool as_number) {
  DeclaredArray* a = find(head.name());
  if (a == nullptr) return boreon::element(head, indices);
  const auto& dimensions = a->named.dimensions;
  if (indices.size() != dimensions.size())
    throw Error(ErrorKind::shape,
                fmt::format("{} has {} indices, but {} are given", head.name(), dimensions.size(), indices.size()));
  std::vector<std::int64_t> places;
  for (std::size_t k = 0; k < indices.size(); ++k) {
    if (!indices[k].is_number()) return boreon::element(head, indices);
    const Expr inside = [&] {
      try {
        return dimensions[k].inside(indices[k], head.name(), k);
      } catch (const Error& e) {
        std::vector<std::string> text;
        for (const Expr& i : indices) text.push_back(to_text(i));
        throw Error(ErrorKind::shape,
                    fmt::format("there is no element {}[{}]: {}", head.name(), fmt::join(text, ", "), e.message()));
      }
    }();
    places.push_back(*inside.word());
  }
  const std::size_t number = a->number(places);
  a->used = true;
  if (as_number && a->whole_numbers) return a->values[number];
  if (a->wanted.empty()) a->wanted.assign(a->info.elements(), 0);
  const bool first = a->wanted[number] == 0;
  a->wanted[number] = 1;
  switch (a->info.what) {
    case ModelArray::What::parameter:
      if (!a->values.empty()) return Symbol(a->info.element(number));
      break;
    case ModelArray::What::unknown: {
      std::vector<Expr> exact;
      for (const std::int64_t p : places) exact.emplace_back(p);
      return boreon::element(head, exact);
    }
    case ModelArray::What::definition:
    case ModelArray::What::output: break;
  }
  if (first) wanted_.emplace_back(a, number);
  return definition_symbol(a->info.element(number));
}

bool ArrayScope::next_wanted(DeclaredArray*& array, std::size_t& number) {
  if (wanted_.empty()) return false;
  std::tie(array, number) = wanted_.front();
  wanted_.pop_front();
  return true;
}

}  // namespace boreon
