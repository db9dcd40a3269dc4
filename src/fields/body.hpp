// SPDX-License-Identifier: MIT
// An equation on one box: no condition on places is left, elements are entries with addresses.
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "boreon/traverse.hpp"
#include "fields/affine.hpp"
#include "fields/layout.hpp"

namespace boreon {

/// What stands for an entry of a box in its bodies.
[[nodiscard]] Expr entry_symbol(std::size_t number);

/// The number of an entry of a box, added if it is new; `written` is what people see for it.
std::size_t entry_of(FieldBox& box, FieldEntry e, const Expr& written);

class BodyReader {
 public:
  /// The entry that holds a sum too long for a body.
  using SumEntry = std::function<FieldEntry(const Expr& reduction)>;
  BodyReader(const FieldLayout& layout, FieldBox& box, const SumEntry& sum) : layout_(layout), box_(box), sum_(sum) {}
  /// Adds the entries that are met to the box. Throws Error(shape) for places that an array does not have,
  /// Error(unsupported) for what is undecided on the box.
  [[nodiscard]] Expr operator()(const Expr& e) const;
  /// Whether the condition holds on the box. Throws Error(unsupported) if that differs from place to place.
  [[nodiscard]] bool holds(const Expr& condition) const;

 private:
  [[nodiscard]] Rebuild::Replace rules() const;
  [[nodiscard]] Expr read(const Expr& e) const;
  [[nodiscard]] Expr element(const Expr& e) const;
  [[nodiscard]] Expr decided(const Expr& relation) const;
  [[nodiscard]] Expr piecewise(const Expr& e) const;
  [[nodiscard]] Expr entry(FieldEntry e, const Expr& written) const;
  [[nodiscard]] Expr sum(const Expr& e) const;
  [[nodiscard]] std::string shown(const Expr& e) const;
  [[nodiscard]] Expr gathered(const Expr& e, const ArrayLayout& array, std::span<const Expr> places) const;

  const FieldLayout& layout_;
  FieldBox& box_;
  const SumEntry& sum_;
};

/// For messages and people: the symbols of places as the indices that count them.
[[nodiscard]] Expr with_index_names(const Expr& e, std::span<const std::string> names);

/// Numbers with places from..to of a box, as for messages: "i = 1 .. 9" by dimension.
[[nodiscard]] std::string text_of_places(std::span<const std::int64_t> from, std::span<const std::int64_t> to);

}  // namespace boreon
