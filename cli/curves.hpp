// SPDX-License-Identifier: MIT
// Answers as curves: what plot draws, and solve and transform with --plot.
#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include "boreon/plot.hpp"
#include "option_groups.hpp"
#include "request.hpp"

namespace boreon::cli {

struct CurvesDrawn {
  std::string text;         ///< the line that says what was written
  std::size_t missing = 0;  ///< points without a value
};
/// The graphs over the range of --over, with the points of --against on top, written to `path`; warnings go among those
/// of the request. Where `variable` is given, the range must be one of it.
[[nodiscard]] CurvesDrawn draw_curves(const Request& r, const FigureOptions& axes, const RangeOptions& range,
                                      const std::string& path, const Assumed& assumed, const std::vector<Graph>& graphs,
                                      const std::string& variable = {}, std::size_t points = 0);

/// The same where --plot asks for it, as a line and fields of the answer.
void add_curves(const Request& r, const FigureOptions& axes, const RangeOptions& range, const Assumed& assumed,
                const std::vector<Graph>& graphs, const std::string& variable, Answer& a);

}  // namespace boreon::cli
