// SPDX-License-Identifier: MIT
// Names and units as figures show them.
#include <algorithm>
#include <array>
#include <string>
#include <string_view>

#include "boreon/figure.hpp"
#include "text/letters.hpp"

namespace boreon {
namespace {

constexpr std::array<const char*, 10> raised{"⁰", "¹", "²", "³", "⁴", "⁵", "⁶", "⁷", "⁸", "⁹"};
bool digit(char c) { return c >= '0' && c <= '9'; }
bool letter(char c) { return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z'); }

std::string raise(std::string_view number) {
  std::string out;
  for (const char c : number) out += raised[static_cast<std::size_t>(c - '0')];
  return out;
}

// A word of letters alone: Greek letters as they are written.
std::string word_label(std::string_view word) {
  if (word == "pi") return "π";
  return std::all_of(word.begin(), word.end(), letter) ? unicode_name(word) : std::string(word);
}

// A name: Greek letters, digits at the end of a letter lowered, other subscripts as they are.
std::string name_label(std::string_view name) {
  const std::size_t mark = name.find('_');
  std::string_view stem = name.substr(0, mark);
  std::string_view below = mark == std::string_view::npos ? std::string_view() : name.substr(mark + 1);
  if (mark == std::string_view::npos) {
    std::size_t end = stem.size();
    while (end > 0 && digit(stem[end - 1])) --end;
    if (end > 0 && end < stem.size() && (end == 1 || word_label(stem.substr(0, end)) != stem.substr(0, end))) {
      below = stem.substr(end);
      stem = stem.substr(0, end);
    }
  }
  std::string out = word_label(stem);
  if (below.empty()) return out;
  const bool number = std::all_of(below.begin(), below.end(), digit);
  return out + (number ? unicode_name("x" + std::string(below)).substr(1) : "_" + std::string(below));
}

}  // namespace

std::string typeset_label(std::string_view text) {
  std::string out;
  for (std::size_t i = 0; i < text.size();) {
    const char c = text[i];
    if (letter(c)) {
      std::size_t end = i;
      while (end < text.size() && (letter(text[end]) || digit(text[end]) || text[end] == '_')) ++end;
      out += name_label(text.substr(i, end - i));
      i = end;
    } else if (c == '^') {
      const bool negative = i + 1 < text.size() && text[i + 1] == '-';
      std::size_t end = i + (negative ? 2 : 1);
      const std::size_t first = end;
      while (end < text.size() && digit(text[end])) ++end;
      const bool whole = end > first && (end == text.size() || (text[end] != '.' && text[end] != '/'));
      out +=
          whole ? (negative ? "⁻" : "") + raise(text.substr(first, end - first)) : std::string(text.substr(i, end - i));
      i = end;
    } else if (c == '*') {
      out += "·";
      ++i;
    } else if (digit(c)) {  // with what belongs to a number: 1.5e-9
      while (i < text.size() && (digit(text[i]) || text[i] == '.')) out += text[i++];
      if (i + 1 < text.size() && (text[i] == 'e' || text[i] == 'E') &&
          (digit(text[i + 1]) || text[i + 1] == '-' || text[i + 1] == '+')) {
        out += text[i++];
        out += text[i++];
      }
    } else {
      out += c;
      ++i;
    }
  }
  return out;
}

}  // namespace boreon
