// SPDX-License-Identifier: MIT
// Rows of one shape: outputs that are the same expression of different entries.
#pragma once

#include <optional>
#include <unordered_map>
#include <vector>

#include "boreon/program.hpp"
#include "program/row_shapes.hpp"

namespace boreon {

/// All bundles of one shape.
struct Family {
  std::vector<std::uint64_t> tokens;
  std::size_t slots = 0;
  std::vector<std::uint32_t> bundles;
  std::vector<std::uint64_t> entries;  // slots of one bundle after the other
  // Which root of a bundle is root t of the first bundle, where bundles have them in different orders: the list of each
  // bundle, list 0 being the order as it is.
  std::vector<std::uint32_t> order_of;
  std::vector<std::vector<std::uint32_t>> orders{{}};

  [[nodiscard]] std::uint32_t order(std::size_t bundle) const { return order_of.empty() ? 0 : order_of[bundle]; }
  [[nodiscard]] std::uint32_t root(std::size_t bundle, std::uint32_t t) const {
    return order(bundle) == 0 ? t : orders[order(bundle)][t];
  }
};

class Families {
 public:
  std::vector<Family> list;
  std::vector<std::uint32_t> left;  ///< bundles without a shape

  std::uint32_t add(std::uint32_t bundle, const RowShape& shape);
  void merge(const Families& other);

 private:
  std::uint32_t family(const std::vector<std::uint64_t>& tokens, std::size_t slots);
  std::unordered_multimap<std::uint64_t, std::uint32_t> known_;
};

/// What rows are made of: entries of the input groups, and sums that loops before them have written to the scratch.
struct RowSources {
  std::span<const InputGroup> inputs;
  NodeMap<Operand> operands;  ///< sums are entries of one more group, by their places among what loops write
  std::unordered_map<std::uint32_t, Expr> sums;
  std::uint32_t written = 0;  ///< places of the scratch that loops write, so far

  [[nodiscard]] std::uint32_t sum_space() const { return static_cast<std::uint32_t>(inputs.size() + 2); }
  [[nodiscard]] const Expr& expression(std::uint64_t entry) const {
    const auto space = static_cast<std::uint32_t>(entry >> 32U);
    const auto index = static_cast<std::uint32_t>(entry);
    return space == sum_space() ? sums.at(index) : inputs[space - 2].variables[index];
  }
  /// Its group in a loop.
  [[nodiscard]] std::uint32_t group(std::uint64_t entry) const;
};

/// In loops that are being made: the scratch that loops write, its places counted from 0. It follows what instructions
/// keep there, which is not known yet.
inline constexpr std::uint32_t written_group = 0xfffffffdU;

/// The output groups that have the same number of rows, walked together in bundles of `period` rows.
struct RowSet {
  std::span<const OutputGroup> outputs;
  std::vector<std::uint32_t> groups;
  std::size_t rows = 0;
  std::size_t period = 1;
  std::optional<std::uint32_t> written_at;  ///< the rows go to the scratch, from here on

  [[nodiscard]] std::size_t bundles() const { return (rows + period - 1) / period; }
  [[nodiscard]] std::pair<std::size_t, std::size_t> range(std::uint32_t group, std::size_t bundle) const {
    const std::size_t begin = bundle * period;
    const std::size_t end = std::min(rows, begin + period);
    const auto& pattern = outputs[group].pattern;
    if (!pattern) return {begin, end};
    return {static_cast<std::size_t>(pattern->row_start[begin]), static_cast<std::size_t>(pattern->row_start[end])};
  }
  // The lengths of the rows belong to the shape: the values must not be told apart by their place alone.
  void roots(std::size_t bundle, std::vector<const Expr*>& list, std::uint64_t& lengths,
             std::vector<std::uint32_t>* groups_of_roots = nullptr) const;
};

/// The distance at which shapes repeat: several quantities at each place of a grid.
[[nodiscard]] std::size_t period_of(const RowSet& set, const NodeMap<Operand>& inputs);

/// All bundles by their shapes; shapes that differ in the order of terms, factors and roots alone are one.
[[nodiscard]] Families read_families(const RowSet& set, const NodeMap<Operand>& inputs);

}  // namespace boreon
