// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <limits>

#include "boreon/text.hpp"

namespace boreon {

Expr IndexRange::inside(const Expr& place, const std::string& array, std::size_t dimension) const {
  if (!place.is_number() || !from.word() || !to.word()) return place;
  if (!place.word())
    throw Error(ErrorKind::shape, fmt::format("{:.40} is no place in {}: an index must be a whole number, an integer",
                                              place.number().to_string(), array));
  const std::int64_t first = *from.word();
  const std::int64_t last = *to.word();
  const std::int64_t at = *place.word();
  if (at >= first && at <= last) return place;
  if (!periodic || last < first)
    throw Error(ErrorKind::shape,
                fmt::format("{} is no place in {}, whose index number {}{} runs from {} to {}", at, array,
                            dimension + 1, name.empty() ? "" : " (" + name + ")", first, last));
  std::int64_t extent = 0;
  if (__builtin_sub_overflow(last, first, &extent) || extent == std::numeric_limits<std::int64_t>::max()) return place;
  ++extent;
  const std::int64_t steps = (at % extent - first % extent) % extent;
  return first + (steps + extent) % extent;
}

}  // namespace boreon
