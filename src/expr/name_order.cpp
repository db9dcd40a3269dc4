// SPDX-License-Identifier: MIT
#include "expr/name_order.hpp"

#include <cctype>

namespace boreon {
namespace {

bool digit(char c) { return c >= '0' && c <= '9'; }

// The digits from `at` on without leading zeros; `at` is behind them then.
std::string_view take_number(std::string_view text, std::size_t& at) {
  while (at < text.size() && text[at] == '0') ++at;
  const std::size_t begin = at;
  while (at < text.size() && digit(text[at])) ++at;
  return text.substr(begin, at - begin);
}

}  // namespace

int compare_names(std::string_view a, std::string_view b, bool fold_case) {
  std::size_t i = 0;
  std::size_t j = 0;
  while (i < a.size() && j < b.size()) {
    if (digit(a[i]) && digit(b[j])) {
      const std::string_view x = take_number(a, i);
      const std::string_view y = take_number(b, j);
      if (x.size() != y.size()) return x.size() < y.size() ? -1 : 1;
      if (const int c = x.compare(y); c != 0) return c;
      continue;
    }
    const auto letter = [&](char c) {
      return fold_case ? std::tolower(static_cast<unsigned char>(c)) : static_cast<unsigned char>(c);
    };
    if (letter(a[i]) != letter(b[j])) return letter(a[i]) < letter(b[j]) ? -1 : 1;
    ++i;
    ++j;
  }
  if (i < a.size() || j < b.size()) return i < a.size() ? 1 : -1;
  return a.compare(b);
}

}  // namespace boreon
