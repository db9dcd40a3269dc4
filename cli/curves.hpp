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

/// The graphs over the range of --over, with the points of --against on top, written to `path`: the line that says so,
/// warnings among those of the request, the number of points without a value. Where `variable` is given, the range must
/// be one of it.
struct CurvesDrawn {
  std::string text;
  std::size_t missing = 0;
};
[[nodiscard]] CurvesDrawn draw_curves(const Request& r, const FigureOptions& axes, const RangeOptions& range,
                                      const std::string& path, const Assumed& assumed,
                                      const std::vector<Graph>& graphs, const std::string& variable = {},
                                      std::size_t points = 0);

/// The same where --plot asks for it, as a line and a field of the answer; refuses --over and --against without it.
void add_curves(const Request& r, const FigureOptions& axes, const RangeOptions& range, const Assumed& assumed,
                const std::vector<Graph>& graphs, const std::string& variable, Answer& a);

}  // namespace boreon::cli
