// SPDX-License-Identifier: MIT
// A rectangle of characters with a baseline, the building block of two-dimensional output.
#pragma once

#include <string>
#include <vector>

namespace boreon {

class Box {
 public:
  Box() : Box(std::string()) {}
  explicit Box(const std::string& line);
  Box(std::vector<std::string> lines, std::size_t baseline);

  [[nodiscard]] std::size_t width() const noexcept { return width_; }
  [[nodiscard]] std::size_t height() const noexcept { return lines_.size(); }
  [[nodiscard]] std::size_t baseline() const noexcept { return baseline_; }
  [[nodiscard]] const std::vector<std::string>& lines() const noexcept { return lines_; }
  [[nodiscard]] std::string to_string() const;  ///< lines joined, trailing blanks removed

  /// Side by side, baselines aligned.
  [[nodiscard]] static Box row(const std::vector<Box>& parts);
  /// Numerator over a rule over denominator; the rule is the baseline.
  [[nodiscard]] static Box fraction(const Box& top, const Box& bottom);
  /// `raised` above and to the right of `base`.
  [[nodiscard]] static Box power(const Box& base, const Box& raised);
  /// Brackets that grow: ( ) [ ] | |, { with nothing on the right.
  [[nodiscard]] static Box bracketed(const Box& inside, char left, char right);
  [[nodiscard]] static Box root(const Box& inside, const std::string& index);
  /// One above the other, centred; the baseline is that of part `main`.
  [[nodiscard]] static Box stack(const std::vector<Box>& parts, std::size_t main);
  /// Columns of equal width, rows of equal height.
  [[nodiscard]] static Box grid(const std::vector<std::vector<Box>>& rows, bool left_aligned);

 private:
  std::vector<std::string> lines_;
  std::size_t baseline_;
  std::size_t width_;
};

/// Number of columns a UTF-8 text takes.
[[nodiscard]] std::size_t text_width(const std::string& text);

}  // namespace boreon
