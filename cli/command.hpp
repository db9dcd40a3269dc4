// SPDX-License-Identifier: MIT
// A command of the tool: what it is called, what it does, the options of its own. A new command is a file with a
// function `Command name_command()` and its name in the list of commands.cpp.
#pragma once

#include <functional>
#include <memory>
#include <vector>

#include "request.hpp"

namespace boreon::cli {

struct Command {
  const char* name;
  const char* summary;
  const char* examples;
  bool takes_inputs = true;
  std::function<std::unique_ptr<Request>()> request;  ///< an empty one, with its options
  std::function<Answer(const Request&)> run;
};

/// A command whose request is an R: a Request with the options of its own, which R::declare() names.
template <class R>
[[nodiscard]] Command command(const char* name, const char* summary, const char* examples, Answer (*run)(const R&)) {
  return {name,
          summary,
          examples,
          true,
          [] { return std::make_unique<R>(); },
          [run](const Request& r) { return run(static_cast<const R&>(r)); }};
}

/// In the order in which --help lists them.
[[nodiscard]] const std::vector<Command>& commands();

}  // namespace boreon::cli
