// SPDX-License-Identifier: MIT
#include "command.hpp"

// One line for each command; its function stands in the file of the command.
#define BOREON_COMMANDS(COMMAND) \
  COMMAND(show)                  \
  COMMAND(derive)                \
  COMMAND(simplify)              \
  COMMAND(expand)                \
  COMMAND(factor)                \
  COMMAND(rewrite)               \
  COMMAND(integrate)             \
  COMMAND(sum)                   \
  COMMAND(limit)                 \
  COMMAND(series)                \
  COMMAND(transform)             \
  COMMAND(spectrum)              \
  COMMAND(evaluate)              \
  COMMAND(check)                 \
  COMMAND(solve)                 \
  COMMAND(simulate)              \
  COMMAND(fit)                   \
  COMMAND(optimise)              \
  COMMAND(sensitivity)           \
  COMMAND(trace)                 \
  COMMAND(response)              \
  COMMAND(generate)              \
  COMMAND(plot)                  \
  COMMAND(demo)

namespace boreon::cli {

#define BOREON_DECLARED(name) Command name##_command();
BOREON_COMMANDS(BOREON_DECLARED)
#undef BOREON_DECLARED

const std::vector<Command>& commands() {
#define BOREON_LISTED(name) name##_command(),
  static const std::vector<Command> all{BOREON_COMMANDS(BOREON_LISTED)};
#undef BOREON_LISTED
  return all;
}

}  // namespace boreon::cli
