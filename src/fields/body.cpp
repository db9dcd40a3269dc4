// SPDX-License-Identifier: MIT
#include "fields/body.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "arrays/element_parts.hpp"
#include "boreon/symbol.hpp"
#include "expr/node.hpp"
#include "fields/place_values.hpp"

namespace boreon {
namespace {

constexpr std::uint16_t entry_mark = 0x2000;
constexpr std::size_t most_gathered = 200'000'000;

}  // namespace

Expr entry_symbol(std::size_t number) {
  const Assumptions real;
  return Node::intern_symbol(fmt::format("e{}", number),
                             Assumptions::from_bits(static_cast<std::uint16_t>(real.bits() | entry_mark)));
}

Expr with_index_names(const Expr& e, std::span<const std::string> names) {
  Rebuild pass([&](const Expr& x, Expr& result) {
    const auto k = x.is(Kind::symbol) ? dimension_of_place(x) : std::nullopt;
    if (!k || *k >= names.size() || !is_identifier(names[*k]) || is_reserved_word(names[*k])) return false;
    result = Symbol(names[*k], {Assumption::integer});
    return true;
  });
  return pass(e);
}

std::string text_of_places(std::span<const std::int64_t> from, std::span<const std::int64_t> to) {
  std::string text;
  for (std::size_t k = 0; k < from.size(); ++k) {
    text += k == 0 ? "[" : ", ";
    text += from[k] == to[k] ? fmt::format("{}", from[k]) : fmt::format("{} .. {}", from[k], to[k]);
  }
  return text + "]";
}

std::string BodyReader::shown(const Expr& e) const { return to_text(with_index_names(e, box_.names), {80}); }

Rebuild::Replace BodyReader::rules() const {
  return [this](const Expr& e, Expr& result) {
    switch (e.kind()) {
      case Kind::element: result = element(e); return true;
      case Kind::unknown_call: result = element(e); return true;
      case Kind::symbol: {
        if (is_function_head(e)) return false;
        if (const auto k = dimension_of_place(e)) {
          result = box_.from[*k] == box_.to[*k] ? Expr(box_.from[*k]) : e;
          return true;
        }
        if (!e.name().ends_with(']')) return false;
        result = element(e);
        return true;
      }
      case Kind::relation: result = decided(e); return true;
      case Kind::piecewise: result = piecewise(e); return true;
      case Kind::reduction: result = sum(e); return true;
      default: return false;
    }
  };
}

Expr BodyReader::read(const Expr& e) const { return Rebuild(rules())(e); }

Expr BodyReader::operator()(const Expr& e) const {
  Expr value = read(e);
  if (value.is_constant(ConstantCode::undefined))
    throw Error(
        ErrorKind::shape,
        fmt::format("it has no value at the places {}: no branch holds there, or a definition has no such element",
                    text_of_places(box_.from, box_.to)));
  return value;
}

bool BodyReader::holds(const Expr& condition) const {
  const Expr c = read(condition);
  if (c.is_constant(ConstantCode::true_value)) return true;
  if (c.is_constant(ConstantCode::false_value)) return false;
  throw Error(ErrorKind::unsupported,
              fmt::format("whether {} holds differs among the places {}: conditions on one index at a time cut a grid "
                          "into boxes",
                          shown(condition), text_of_places(box_.from, box_.to)));
}

Expr BodyReader::decided(const Expr& e) const {
  const auto& o = e.operands();
  if (!depends_on_places(e)) return relation(e.relation_op(), read(o[0]), read(o[1]));
  const auto a = affine_in_places(o[0] - o[1], box_.from.size());
  if (a) {
    const auto [least, greatest] = range_of(*a, box_.from, box_.to);
    switch (e.relation_op()) {
      case RelationOp::less:
        if (greatest < 0 || least >= 0) return truth(greatest < 0);
        break;
      case RelationOp::less_equal:
        if (greatest <= 0 || least > 0) return truth(greatest <= 0);
        break;
      case RelationOp::equal:
      case RelationOp::not_equal: {
        const bool equal = e.relation_op() == RelationOp::equal;
        if (least > 0 || greatest < 0) return truth(!equal);
        if (least == 0 && greatest == 0) return truth(equal);
        // multiples of a number that the place misses
        if (const auto k = a->single(); k && a->constant % a->factors[*k] != 0) return truth(!equal);
      }
    }
  }
  // a condition on numbers that vary with the place
  return relation(e.relation_op(), read(o[0]), read(o[1]));
}

// Only the branches that are taken are looked at: elsewhere their elements need not exist.
Expr BodyReader::piecewise(const Expr& e) const {
  const auto o = e.operands();
  std::vector<Expr> branches;
  for (std::size_t i = 0; i < o.size(); i += 2) {
    if (i + 1 == o.size()) {
      branches.push_back(read(o[i]));
      break;
    }
    const Expr condition = read(o[i + 1]);
    if (condition.is_constant(ConstantCode::false_value)) continue;
    branches.push_back(read(o[i]));
    if (condition.is_constant(ConstantCode::true_value)) break;
    branches.push_back(condition);
  }
  if (branches.empty()) return undefined();
  return branches.size() == 1 ? branches[0] : boreon::piecewise(branches);
}

Expr BodyReader::element(const Expr& e) const {
  const auto parts = element_parts(e);
  const ArrayLayout* const array = parts ? layout_.find(parts->head) : layout_.find(e);
  if (array == nullptr)
    throw Error(ErrorKind::name, fmt::format("{} is no field of the system, nor a formula", shown(e)));
  const std::vector<Expr> none;
  const std::vector<Expr>& places = parts ? parts->places : none;
  if (places.size() != array->dimensions.size())
    throw Error(ErrorKind::shape, fmt::format("{} has {} indices, but {} are given", array->name,
                                              array->dimensions.size(), places.size()));
  FieldEntry found;
  found.array = array->array;
  found.base = array->start;
  found.strides.assign(box_.from.size(), 0);
  for (std::size_t d = 0; d < places.size(); ++d) {
    const auto a = affine_in_places(places[d], box_.from.size());
    if (!a) return gathered(e, *array, places);
    const Extent& range = array->dimensions[d];
    const auto [least, greatest] = range_of(*a, box_.from, box_.to);
    std::int64_t wrap = 0;
    if (range.periodic) {
      wrap = floor_divide(least - range.from, range.places());
      if (wrap != floor_divide(greatest - range.from, range.places())) return gathered(e, *array, places);
    }
    const std::int64_t shift = wrap * range.places();
    if (a->divisor != 1 || least - shift < range.from || greatest - shift > range.to)
      throw Error(ErrorKind::shape,
                  fmt::format("{} is outside its array at the places {}: its place {} runs from {} to {}, that of {} "
                              "from {} to {}",
                              shown(e), text_of_places(box_.from, box_.to), d + 1, least, greatest, array->name,
                              range.from, range.to));
    found.base += array->strides[d] * (a->constant - shift - range.from);
    for (std::size_t k = 0; k < found.strides.size(); ++k) found.strides[k] += array->strides[d] * a->factors[k];
  }
  return entry(std::move(found), e);
}

// Places that are found in arrays of whole numbers, or that several indices wrap: one number for each place of the box.
Expr BodyReader::gathered(const Expr& e, const ArrayLayout& array, std::span<const Expr> places) const {
  const std::size_t count = box_.places();
  if (count > most_gathered)
    throw Error(ErrorKind::limit, fmt::format("{} would need a table of {} places", shown(e), count));
  auto table = std::make_shared<std::vector<std::int64_t>>(count, array.start);
  const PlaceValues values(layout_);
  for (std::size_t d = 0; d < places.size(); ++d) {
    const Extent& range = array.dimensions[d];
    values.each(places[d], box_.from, box_.to, [&](std::size_t p, std::int64_t place) {
      std::int64_t at = place - range.from;
      if (range.periodic) at -= floor_divide(at, range.places()) * range.places();
      if (at < 0 || at >= range.places())
        throw Error(ErrorKind::shape, fmt::format("{} is outside its array: its place {} becomes {}, that of {} runs "
                                                  "from {} to {}",
                                                  shown(e), d + 1, place, array.name, range.from, range.to));
      (*table)[p] += array.strides[d] * at;
    });
  }
  FieldEntry found;
  found.array = array.array;
  found.strides.assign(box_.from.size(), 0);
  found.table = std::move(table);
  return entry(std::move(found), e);
}

Expr BodyReader::sum(const Expr& e) const {
  const auto o = e.operands();
  const auto from = o[2].word();
  const auto to = o[3].word();
  if (from && to && *to < *from) {
    if (e.reduction_op() == ReductionOp::sum) return 0;
    if (e.reduction_op() == ReductionOp::product) return 1;
    throw Error(ErrorKind::domain, "the least or greatest of no values at all has no value: its range is empty");
  }
  return entry(sum_(e), e);
}

std::size_t entry_of(FieldBox& box, FieldEntry e, const Expr& written) {
  // a dimension of one place goes into the number
  for (std::size_t k = 0; k < e.strides.size(); ++k) {
    if (box.from[k] != box.to[k]) continue;
    e.base += e.strides[k] * box.from[k];
    e.strides[k] = 0;
  }
  const std::size_t count = box.entries.size();
  for (std::size_t n = 0; n < count; ++n) {
    const FieldEntry& known = box.entries[n];
    if (known.array == e.array && known.base == e.base && known.strides == e.strides &&
        (known.table == e.table || (known.table && e.table && *known.table == *e.table)))
      return n;
  }
  box.entries.push_back(std::move(e));
  box.symbols.push_back(entry_symbol(count));
  box.elements.push_back(written);
  return count;
}

Expr BodyReader::entry(FieldEntry e, const Expr& written) const {
  return box_.symbols[entry_of(box_, std::move(e), written)];
}

}  // namespace boreon
