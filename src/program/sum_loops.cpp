// SPDX-License-Identifier: MIT
#include "program/sum_loops.hpp"

#include <utility>

#include "program/builder.hpp"
#include "program/passes.hpp"

namespace boreon {

std::size_t cut_into_columns(std::span<const std::uint32_t> list, std::vector<std::vector<std::uint32_t>>& columns) {
  const std::size_t rows = list.size() / columns.size();
  for (std::size_t k = 0; k < columns.size(); ++k) {
    const auto stretch = list.subspan(k * rows, rows);
    columns[k].insert(columns[k].end(), stretch.begin(), stretch.end());
  }
  return rows;
}

RowLoop sum_loop(std::vector<std::vector<std::uint32_t>> columns, std::uint32_t from, std::uint32_t group,
                 std::vector<std::uint32_t> to) {
  RowLoop l;
  l.rows = to.size();
  ProgramBuilder build(l.body);
  std::vector<Operand> sums;
  for (std::uint32_t k = 0; k < columns.size(); ++k) {
    l.tables.push_back(index_table(std::move(columns[k])));
    l.slots.push_back({from, k, 0});
    sums.push_back({2, k});
  }
  while (sums.size() > 1) {
    std::size_t half = 0;
    for (std::size_t i = 0; i + 1 < sums.size(); i += 2) sums[half++] = build.add(sums[i], sums[i + 1]);
    if (sums.size() % 2 == 1) sums[half++] = sums.back();
    sums.resize(half);
  }
  l.tables.push_back(index_table(std::move(to)));
  l.targets.push_back({group, static_cast<std::uint32_t>(l.tables.size() - 1), 0});
  l.body.inputs.push_back({"entry", {}, l.slots.size(), std::nullopt});
  l.body.outputs.push_back({"row", {}, 1, std::nullopt});
  l.body.results.push_back({sums[0]});
  return l;
}

}  // namespace boreon
