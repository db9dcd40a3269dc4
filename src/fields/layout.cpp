// SPDX-License-Identifier: MIT
#include "fields/layout.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "boreon/bindings.hpp"

namespace boreon {

std::vector<std::size_t> Field::shape() const {
  std::vector<std::size_t> shape;
  for (const IndexRange& d : dimensions)
    shape.push_back(static_cast<std::size_t>(d.to.word().value() - d.from.word().value() + 1));
  return shape;
}

std::string Field::element(std::size_t number) const {
  if (dimensions.empty()) return name;
  const std::vector<std::size_t> extents = shape();
  ElementName e{name, std::vector<std::int64_t>(extents.size())};
  for (std::size_t k = extents.size(); k-- > 0;) {
    e.indices[k] = dimensions[k].from.word().value() + static_cast<std::int64_t>(number % extents[k]);
    number /= extents[k];
  }
  return to_string(e);
}

std::int64_t ArrayLayout::elements() const {
  std::int64_t n = 1;
  for (const Extent& d : dimensions) n *= d.places();
  return n;
}

std::int64_t FieldLayout::number(const Expr& e, const std::string& what) const {
  Bindings values;
  for (const auto& [symbol, value] : sizes_) values.set(symbol, value);
  const Expr n = values.empty() ? e : substitute(e, values, Unused::allowed);
  if (const auto word = n.word()) return *word;
  throw Error(ErrorKind::shape,
              fmt::format("{} is {}, which is no whole number once the sizes are put in", what, to_text(n, {60})));
}

Extent FieldLayout::extent(const IndexRange& range, const std::string& what) const {
  const Extent e{number(range.from, "the first place of " + what), number(range.to, "the last place of " + what),
                 range.periodic, range.name};
  constexpr std::int64_t most = std::int64_t{1} << 40;
  if (e.to < e.from)
    throw Error(ErrorKind::shape, fmt::format("{} has no places: it runs from {} to {}", what, e.from, e.to));
  if (e.from < -most || e.to > most) throw Error(ErrorKind::limit, fmt::format("{} has more than 2^40 places", what));
  return e;
}

FieldLayout::FieldLayout(const FieldSystem& system, const FieldSizes& sizes) : unknowns_(system.unknowns.size()) {
  for (const auto& [symbol, value] : sizes) sizes_.emplace_back(symbol, Expr(value));
  for (const auto& [symbol, range] : system.indices)
    indices_.emplace_back(symbol, extent(range, "the index " + symbol.name()));
  for (const Field& f : system.unknowns) arrays_.push_back(layout(f, columns_));
  for (const Field& f : system.results) results_.push_back(layout(f, rows_));
  for (std::size_t d = 0; d < system.data.size(); ++d) {
    const Field& f = system.data[d];
    std::int64_t elements = 0;
    ArrayLayout a = layout(f, elements);
    a.start = 0;
    a.array = 1 + d;
    a.values = f.values.get();
    if (!f.values || static_cast<std::int64_t>(f.values->size()) != elements)
      throw Error(ErrorKind::shape,
                  fmt::format("{} has {} elements, but {} values", f.name, elements, f.values ? f.values->size() : 0));
    arrays_.push_back(std::move(a));
  }
}

ArrayLayout FieldLayout::layout(const Field& f, std::int64_t& start) const {
  ArrayLayout a;
  a.name = f.name;
  a.head = f.head;
  std::int64_t elements = 1;
  for (const IndexRange& d : f.dimensions) {
    a.dimensions.push_back(extent(d, fmt::format("the dimension {} of {}", d.name, f.name)));
    if (__builtin_mul_overflow(elements, a.dimensions.back().places(), &elements) || elements > (std::int64_t{1} << 44))
      throw Error(ErrorKind::limit, fmt::format("{} has more than 2^44 elements", f.name));
  }
  a.strides.assign(a.dimensions.size(), 1);
  for (std::size_t k = a.dimensions.size(); k-- > 1;) a.strides[k - 1] = a.strides[k] * a.dimensions[k].places();
  a.start = start;
  start += elements;
  return a;
}

const ArrayLayout* FieldLayout::find(const Expr& head) const {
  const auto at = std::find_if(arrays_.begin(), arrays_.end(), [&](const ArrayLayout& a) { return a.head == head; });
  return at == arrays_.end() ? nullptr : &*at;
}

const Extent* FieldLayout::index(const Expr& symbol) const {
  const auto at = std::find_if(indices_.begin(), indices_.end(), [&](const auto& i) { return i.first == symbol; });
  return at == indices_.end() ? nullptr : &at->second;
}

}  // namespace boreon
