// SPDX-License-Identifier: MIT
#include "program/emit_functions.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <set>

#include "boreon/catalogue.hpp"
#include "program/c_names.hpp"

namespace boreon {

std::string c_name(const FunctionRow& row) {
  const NumericCall c = numeric_call(row);
  if (std::all_of(c.orders.begin(), c.orders.end(), [](int o) { return o == 0; })) return c.function.name();
  return fmt::format("{}_d{}", c.function.name(), fmt::join(c.orders, "_"));
}

EmittedFunctions numeric_functions(const Program& program, std::string_view linkage) {
  std::set<std::uint16_t> rows;
  const auto collect = [&](const Program& p) {
    for (const Instruction& i : p.instructions) {
      if (i.op == OpCode::call && row_of(i.function).own != 0) rows.insert(i.function);
    }
  };
  collect(program);
  for (const RowLoop& l : program.loops) collect(l.body);
  EmittedFunctions all;
  for (const std::uint16_t number : rows) {
    const FunctionRow& row = row_of(number);
    const std::string name = c_name(row);
    require_none(objection_to_function(name));
    all.names.push_back(name);
    const NumericCall call = numeric_call(row);
    const std::string source = call.function.c_source(name, call.orders);
    if (!source.empty()) {
      all.definitions += fmt::format("{} {}\n", linkage, source);
      continue;
    }
    std::string arguments = "double";
    for (std::size_t i = 1; i < call.orders.size(); ++i) arguments += ", double";
    all.declarations += fmt::format("double {}({});\n", name, arguments);
  }
  return all;
}

}  // namespace boreon
