// SPDX-License-Identifier: MIT
// Loops for the families of rows of one set.
#pragma once

#include <map>
#include <vector>

#include "boreon/program.hpp"
#include "program/row_families.hpp"

namespace boreon {

class LoopMaker {
 public:
  LoopMaker(const RowSet& set, const RowSources& sources, const ProgramOptions& options, Program& program)
      : set_(set), sources_(sources), options_(options), program_(program) {}

  /// Adds loops for a family; bundles that fit into none are appended to `left`.
  void add(const Family& f, std::vector<std::uint32_t>& left);

 private:
  std::uint64_t distances(const Family& f, std::size_t b);
  bool make_body(const Family& f, Program& body);
  RowLoop loop(const Family& f, const std::vector<std::uint32_t>& members, bool steady, const Program& body);

  const RowSet& set_;
  const RowSources& sources_;
  const ProgramOptions& options_;
  Program& program_;
  std::vector<bool> uniform_;
  std::vector<std::uint64_t> first_;
};

}  // namespace boreon
