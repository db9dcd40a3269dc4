// SPDX-License-Identifier: MIT
// Figures through gnuplot: PNG and SVG files.
#pragma once

#include <functional>
#include <limits>
#include <string>
#include <string_view>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/output_file.hpp"

namespace boreon BOREON_API {

struct Curve {
  std::string label;
  std::vector<double> x;
  std::vector<double> y;  ///< NaN leaves a gap
  bool points = false;    ///< marks instead of a line
  /// How far the bar of an error reaches to either side of each point; empty: no bars.
  std::vector<double> errors = {};
  /// A shaded band between two values at each x; the line is not drawn then. Empty: no band.
  std::vector<double> low = {};
  std::vector<double> high = {};
};

/// Values over a grid with even steps, as colours; there is a scale beside it.
struct ColourField {
  std::string label;           ///< of the scale: name and unit
  std::vector<double> x;       ///< columns
  std::vector<double> y;       ///< rows
  std::vector<double> values;  ///< of the first row, then the second, ...; NaN is left white
};

struct Figure {
  std::string title;
  std::string x_label;
  std::string y_label;
  std::vector<Curve> curves;
  /// Names along the x axis: each curve has one value for each of them, drawn as bars side by side; x is not looked at.
  std::vector<std::string> categories = {};
  bool logarithmic_x = false;
  bool logarithmic_y = false;
  std::string subtitle = {};  ///< parameter values
  ColourField field = {};     ///< drawn in the place of curves if it has values
  /// What is shown; NaN leaves it to the numbers.
  double x_low = std::numeric_limits<double>::quiet_NaN();
  double x_high = std::numeric_limits<double>::quiet_NaN();
  double y_low = std::numeric_limits<double>::quiet_NaN();
  double y_high = std::numeric_limits<double>::quiet_NaN();
  int width = 1280;
  int height = 800;
};

/// Names and units as figures show them: "1/m^3" is 1/m³, "alpha_1*x" is α₁·x.
[[nodiscard]] std::string typeset_label(std::string_view text);

/// A function as a curve: points close together where it bends on a screen of 1200 by 700 dots, gaps where it jumps.
struct SampledCurve {
  std::vector<double> x;
  std::vector<double> y;
  bool resolved = true;   ///< false: it still bends between points 20,000 of them are not enough for
  std::size_t poles = 0;  ///< gaps at which it leaves the figure
  std::size_t jumps = 0;
  bool clipped = false;  ///< low and high leave out values far beyond the others
  double low = 0;
  double high = 0;
};
[[nodiscard]] SampledCurve sample_curve(const std::function<double(double)>& f, double from, double to,
                                        bool logarithmic_x, bool logarithmic_y);

/// Several figures one below the other in one file, or one. The format follows the file name: .png or .svg. Throws
/// Error(usage) on another ending or nothing to draw, Error(io) if gnuplot is missing or the file cannot be written:
/// the old one stays then. No name of a file is seen by a shell or by gnuplot.
void write_figure(const Figure& figure, const std::string& path, const OutputPolicy& policy = {});
void write_figures(const std::vector<Figure>& panels, const std::string& path, const OutputPolicy& policy = {});

}  // namespace BOREON_API
