// SPDX-License-Identifier: MIT
// The commands of the tool: names, examples, options.
#pragma once

#include <CLI/CLI.hpp>

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "request.hpp"

namespace boreon::cli {

/// The request while the words of the command line are read, with all options that were declared.
struct Parsing {
  Request request;
  struct Declared {
    std::string name;
    CLI::Option* option;
    std::shared_ptr<bool> read;
  };
  std::vector<Declared> declared;
};

struct Command {
  const char* name;
  const char* summary;
  const char* examples;
  std::function<Answer(const Request&)> run;
  std::function<void(CLI::App&, Parsing&)> options;
};

[[nodiscard]] const std::vector<Command>& commands();
/// The options that all commands have.
void add_common_options(CLI::App& app, Parsing& parsing);

}  // namespace boreon::cli
