// Figures through gnuplot: PNG and SVG files.
#pragma once

#include <string>
#include <vector>

#include "boreon/output_file.hpp"

namespace boreon {

struct Curve {
  std::string label;
  std::vector<double> x;
  std::vector<double> y;  ///< NaN leaves a gap
  bool points = false;    ///< marks instead of a line
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
  int width = 1280;
  int height = 800;
};

/// Several figures one below the other in one file, or one. The format follows the file name: .png or .svg. Throws
/// Error(usage) on another ending or nothing to draw, Error(io) if gnuplot is missing or the file cannot be written: the old
/// one stays then. No name of a file is seen by a shell or by gnuplot.
void write_figure(const Figure& figure, const std::string& path, const OutputPolicy& policy = {});
void write_figures(const std::vector<Figure>& panels, const std::string& path, const OutputPolicy& policy = {});

}  // namespace boreon
