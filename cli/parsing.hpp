// SPDX-License-Identifier: MIT
// From the words of a command line to a command and its request.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "command.hpp"

namespace boreon::cli {

struct Parsed {
  const Command* command = nullptr;  ///< null where only `help` was asked for
  std::unique_ptr<Request> request;
  std::string help;  ///< what --help or --version print

  /// An option that was given, and whether anybody asked for it.
  struct Given {
    std::string name;
    std::shared_ptr<bool> read;
  };
  std::vector<Given> given;
};

/// `words` without the name of the program. Error(usage) with what to do instead.
[[nodiscard]] Parsed parsed(const std::vector<std::string>& words);

}  // namespace boreon::cli
