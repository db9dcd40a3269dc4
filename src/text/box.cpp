// SPDX-License-Identifier: MIT
#include "text/box.hpp"

#include <algorithm>

namespace boreon {
namespace {

std::string repeat(const std::string& s, std::size_t n) {
  std::string out;
  for (std::size_t i = 0; i < n; ++i) out += s;
  return out;
}

std::string padded(const std::string& line, std::size_t left, std::size_t width) {
  const std::size_t used = left + text_width(line);
  return std::string(left, ' ') + line + std::string(width > used ? width - used : 0, ' ');
}

}  // namespace

std::size_t text_width(const std::string& text) {
  std::size_t n = 0;
  for (const char c : text) {
    const auto byte = static_cast<unsigned char>(c);
    if ((byte & 0xc0U) != 0x80U) ++n;
  }
  return n;
}

Box::Box(const std::string& line) : lines_{line}, baseline_(0), width_(text_width(line)) {}

Box::Box(std::vector<std::string> lines, std::size_t baseline)
    : lines_(std::move(lines)), baseline_(baseline), width_(0) {
  for (const auto& l : lines_) width_ = std::max(width_, text_width(l));
  for (auto& l : lines_) l = padded(l, 0, width_);
}

std::string Box::to_string() const {
  std::string out;
  for (std::size_t i = 0; i < lines_.size(); ++i) {
    if (i > 0) out += '\n';
    const std::size_t end = lines_[i].find_last_not_of(' ');
    out += end == std::string::npos ? "" : lines_[i].substr(0, end + 1);
  }
  return out;
}

Box Box::row(const std::vector<Box>& parts) {
  std::size_t above = 0;
  std::size_t below = 0;
  for (const Box& b : parts) {
    above = std::max(above, b.baseline_);
    below = std::max(below, b.height() - b.baseline_);
  }
  std::vector<std::string> lines(above + below);
  for (const Box& b : parts) {
    const std::size_t top = above - b.baseline_;
    for (std::size_t i = 0; i < lines.size(); ++i) {
      lines[i] += i >= top && i < top + b.height() ? b.lines_[i - top] : std::string(b.width_, ' ');
    }
  }
  return {lines, above};
}

Box Box::fraction(const Box& top, const Box& bottom) {
  const std::size_t width = std::max(top.width_, bottom.width_) + 2;
  std::vector<std::string> lines;
  for (const auto& l : top.lines_) lines.push_back(padded(l, (width - top.width_) / 2, width));
  lines.push_back(repeat("─", width));
  for (const auto& l : bottom.lines_) lines.push_back(padded(l, (width - bottom.width_) / 2, width));
  return {lines, top.height()};
}

Box Box::power(const Box& base, const Box& raised) {
  std::vector<std::string> lines;
  for (const auto& l : raised.lines_) lines.push_back(padded(l, base.width_, base.width_ + raised.width_));
  // A tall base takes the exponent at its upper edge.
  const std::size_t overlap = base.height() > 1 && raised.height() > 0 ? 1 : 0;
  const std::size_t first = lines.size() - overlap;
  if (overlap == 1) lines.back() = base.lines_[0] + raised.lines_.back();
  for (std::size_t i = overlap; i < base.height(); ++i)
    lines.push_back(padded(base.lines_[i], 0, base.width_ + raised.width_));
  return {lines, first + base.baseline_};
}

Box Box::bracketed(const Box& inside, char left, char right) {
  struct Bracket {
    const char* single;
    const char* top;
    const char* middle;
    const char* bottom;
    const char* waist;
  };
  const auto shape = [](char c) -> Bracket {
    switch (c) {
      case '(': return {"(", "⎛", "⎜", "⎝", "⎜"};
      case ')': return {")", "⎞", "⎟", "⎠", "⎟"};
      case '[': return {"[", "⎡", "⎢", "⎣", "⎢"};
      case ']': return {"]", "⎤", "⎥", "⎦", "⎥"};
      case '{': return {"{", "⎧", "⎪", "⎩", "⎨"};
      case '|': return {"│", "│", "│", "│", "│"};
      default: return {"", "", "", "", ""};
    }
  };
  const auto side = [&](char c) {
    const Bracket b = shape(c);
    std::vector<std::string> lines;
    const std::size_t n = inside.height();
    if (n == 1) return Box(std::string(b.single));
    for (std::size_t i = 0; i < n; ++i) {
      lines.emplace_back(i == 0 ? b.top : i + 1 == n ? b.bottom : i == inside.baseline_ ? b.waist : b.middle);
    }
    return Box(lines, inside.baseline_);
  };
  return row({side(left), inside, side(right)});
}

Box Box::root(const Box& inside, const std::string& index) {
  std::vector<std::string> lines;
  const std::size_t shift = text_width(index);
  const std::size_t n = inside.height();
  lines.push_back(std::string(shift + n, ' ') + repeat("_", inside.width_ + 1));
  for (std::size_t i = 0; i < n; ++i) {
    const bool last = i + 1 == n;
    const std::size_t indent = n - 1 - i;
    std::string head = last ? index + "√" : std::string(shift + indent, ' ') + "╱";
    head += std::string(n - text_width(head) + shift, ' ');
    lines.push_back(head + inside.lines_[i] + " ");
  }
  return {lines, inside.baseline_ + 1};
}

Box Box::stack(const std::vector<Box>& parts, std::size_t main) {
  std::size_t width = 0;
  for (const Box& b : parts) width = std::max(width, b.width_);
  std::vector<std::string> lines;
  std::size_t baseline = 0;
  for (std::size_t k = 0; k < parts.size(); ++k) {
    if (k == main) baseline = lines.size() + parts[k].baseline_;
    for (const auto& l : parts[k].lines_) lines.push_back(padded(l, (width - parts[k].width_) / 2, width));
  }
  return {lines, baseline};
}

Box Box::grid(const std::vector<std::vector<Box>>& rows, bool left_aligned) {
  std::vector<std::size_t> widths;
  for (const auto& r : rows) {
    widths.resize(std::max(widths.size(), r.size()), 0);
    for (std::size_t j = 0; j < r.size(); ++j) widths[j] = std::max(widths[j], r[j].width_);
  }
  std::vector<std::string> lines;
  for (std::size_t i = 0; i < rows.size(); ++i) {
    std::vector<Box> cells;
    for (std::size_t j = 0; j < rows[i].size(); ++j) {
      const Box& b = rows[i][j];
      std::vector<std::string> cell;
      for (const auto& l : b.lines_)
        cell.push_back(padded(l, left_aligned ? 0 : (widths[j] - b.width_) / 2, widths[j]));
      if (j > 0) cells.emplace_back("  ");
      cells.emplace_back(cell, b.baseline_);
    }
    const Box line = row(cells);
    const bool tall = line.height() > 1;
    if (i > 0 && (tall || rows[i - 1].empty())) lines.emplace_back();
    lines.insert(lines.end(), line.lines_.begin(), line.lines_.end());
  }
  const std::size_t middle = lines.empty() ? 0 : (lines.size() - 1) / 2;
  return {lines, middle};
}

}  // namespace boreon
