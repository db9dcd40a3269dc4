// SPDX-License-Identifier: MIT
#include "fields/place_values.hpp"

#include <fmt/format.h>

#include <cmath>
#include <vector>

#include "arrays/element_parts.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/evaluate.hpp"
#include "fields/affine.hpp"
#include "fields/places.hpp"

namespace boreon {

double PlaceValues::value(const Expr& e, std::span<const std::int64_t> place) const {
  const auto operands = e.operands();
  switch (e.kind()) {
    case Kind::number: return e.number().to_double();
    case Kind::symbol:
      if (const auto k = dimension_of_place(e); k && *k < place.size()) return static_cast<double>(place[*k]);
      break;
    case Kind::sum: {
      double total = operands[0].number().to_double();
      for (const auto [term, factor] : Parts(e)) total += value(term, place) * value(factor, place);
      return total;
    }
    case Kind::product: {
      double total = operands[0].number().to_double();
      for (const auto [base, exponent] : Parts(e)) total *= std::pow(value(base, place), value(exponent, place));
      return total;
    }
    case Kind::power: return std::pow(value(operands[0], place), value(operands[1], place));
    case Kind::call: {
      std::vector<double> arguments;
      for (const Expr& a : operands) arguments.push_back(value(a, place));
      return evaluate_real(e.function(), arguments);
    }
    case Kind::relation: {
      const double a = value(operands[0], place);
      const double b = value(operands[1], place);
      switch (e.relation_op()) {
        case RelationOp::less: return a < b ? 1 : 0;
        case RelationOp::less_equal: return a <= b ? 1 : 0;
        case RelationOp::equal: return a == b ? 1 : 0;
        case RelationOp::not_equal: return a != b ? 1 : 0;
      }
      break;
    }
    case Kind::piecewise:
      for (std::size_t i = 0; i < operands.size(); i += 2) {
        if (i + 1 == operands.size() || value(operands[i + 1], place) != 0) return value(operands[i], place);
      }
      break;
    default: break;
  }
  if (const auto parts = element_parts(e)) {
    const ArrayLayout* array = layout_.find(parts->head);
    if (array != nullptr && array->values != nullptr && array->dimensions.size() == parts->places.size()) {
      std::int64_t at = 0;
      for (std::size_t d = 0; d < parts->places.size(); ++d) {
        const Extent& range = array->dimensions[d];
        const double p = value(parts->places[d], place);
        auto here = static_cast<std::int64_t>(std::llround(p)) - range.from;
        if (range.periodic) here -= floor_divide(here, range.places()) * range.places();
        if (std::floor(p) != p || here < 0 || here >= range.places())
          throw Error(ErrorKind::shape, fmt::format("there is no element {} of {}", to_text(e, {60}), array->name));
        at += array->strides[d] * here;
      }
      return (*array->values)[static_cast<std::size_t>(at)];
    }
  }
  throw Error(ErrorKind::shape, fmt::format("{} cannot be part of an index: places are made of indices, whole numbers, "
                                            "sizes and arrays of whole numbers",
                                            to_text(e, {60})));
}

void PlaceValues::each(const Expr& e, std::span<const std::int64_t> from, std::span<const std::int64_t> to,
                       const std::function<void(std::size_t, std::int64_t)>& f) const {
  for_each_place(from, to, [&](std::span<const std::int64_t> place, std::size_t p) {
    const double v = value(e, place);
    if (std::floor(v) != v || std::fabs(v) > 1e12)
      throw Error(ErrorKind::shape, fmt::format("{} is {}, which is no place: indices are whole numbers (integers)",
                                                to_text(e, {60}), v));
    f(p, static_cast<std::int64_t>(v));
  });
}

}  // namespace boreon
