// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include "boreon/text.hpp"

namespace boreon {

Expr IndexRange::inside(const Expr& place, const std::string& array, std::size_t dimension) const {
  if (!place.is_number() || !from.word() || !to.word()) return place;
  if (!place.word())
    throw Error(ErrorKind::shape, fmt::format("{} is no place in {}: an index must be a whole number, an integer",
                                              place.number().to_string(), array));
  const std::int64_t first = *from.word();
  const std::int64_t last = *to.word();
  const std::int64_t at = *place.word();
  if (at >= first && at <= last) return place;
  if (!periodic || last < first)
    throw Error(ErrorKind::shape,
                fmt::format("{} is no place in {}, whose index number {}{} runs from {} to {}", at, array,
                            dimension + 1, name.empty() ? "" : " (" + name + ")", first, last));
  const std::int64_t extent = last - first + 1;
  return first + ((at - first) % extent + extent) % extent;
}

}  // namespace boreon
