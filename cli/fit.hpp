// SPDX-License-Identifier: MIT
// Least squares of a model with [fit], or of one with more equations than unknowns.
#pragma once

#include "command.hpp"
#include "option_groups.hpp"

namespace boreon::cli {

struct FitRequest : Request, FigureOptions {
  Option<int> digits{0};
  Option<std::optional<int>> starts;
  Option<bool> profile{false};

  void declare(Declaration& d) override;
};

[[nodiscard]] Answer fit_of_model(const FitRequest& r, const Model& m);

}  // namespace boreon::cli
