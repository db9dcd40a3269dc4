// SPDX-License-Identifier: MIT
// The command-line tool: arguments in, one answer out.
#pragma once

namespace boreon::cli {

/// Carries out one command and prints its answer; the exit code.
int run_tool(int argc, char** argv);

}  // namespace boreon::cli
