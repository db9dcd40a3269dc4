// SPDX-License-Identifier: MIT
// The shipped models and their data, inside the tool.
#pragma once

#include <string>
#include <vector>

namespace boreon::cli {

struct EmbeddedModel {
  std::string name;
  std::string text;
};

[[nodiscard]] const std::vector<EmbeddedModel>& embedded_models();

}  // namespace boreon::cli
