// SPDX-License-Identifier: MIT
#include <cstdio>
#include <exception>

#include "terminal.hpp"
#include "tool.hpp"

int main(int argc, char** argv) {
  try {
    boreon::cli::catch_signals();
    return boreon::cli::run_tool(argc, argv);
  } catch (const std::exception& e) {
    std::fputs(("error: " + boreon::cli::harmless(e.what()) + "\n").c_str(), stderr);
    return 1;
  }
}
