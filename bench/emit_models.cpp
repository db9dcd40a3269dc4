// SPDX-License-Identifier: MIT
// Writes the models as C source, which is compiled into the benchmarks with -O3 -march=native.
#include <fstream>
#include <iostream>

#include "models.hpp"

int main(int argc, char** argv) {
  if (argc != 2) return 2;
  auto models = bench::small_models();
  models.push_back(bench::grid(64));
  for (const bench::Model& m : models) {
    const boreon::EmittedSource s =
        boreon::emit(boreon::make_program(m.outputs, m.inputs), {boreon::Language::c, "emitted_" + m.name, m.name});
    std::ofstream(std::string(argv[1]) + "/" + s.header_name) << s.header;
    std::ofstream(std::string(argv[1]) + "/" + s.source_name) << s.source;
  }
  return 0;
}
