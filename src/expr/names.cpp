// SPDX-License-Identifier: MIT
// Suggestions for misspelt names.
#include <algorithm>
#include <cctype>
#include <utility>
#include <vector>

#include "boreon/names.hpp"

namespace boreon {
namespace {

// Edit distance with transpositions of neighbours (optimal string alignment); case differences cost half an edit.
std::size_t distance(std::string_view a, std::string_view b) {
  const auto cost = [](char x, char y) -> std::size_t {
    if (x == y) return 0;
    return std::tolower(static_cast<unsigned char>(x)) == std::tolower(static_cast<unsigned char>(y)) ? 1 : 2;
  };
  const std::size_t n = b.size();
  std::vector<std::size_t> before(n + 1);
  std::vector<std::size_t> last(n + 1);
  std::vector<std::size_t> row(n + 1);
  for (std::size_t j = 0; j <= n; ++j) last[j] = 2 * j;
  for (std::size_t i = 1; i <= a.size(); ++i) {
    row[0] = 2 * i;
    for (std::size_t j = 1; j <= n; ++j) {
      row[j] = std::min({last[j] + 2, row[j - 1] + 2, last[j - 1] + cost(a[i - 1], b[j - 1])});
      if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1]) row[j] = std::min(row[j], before[j - 2] + 2);
    }
    before.swap(last);
    last.swap(row);
  }
  return last[n];
}

}  // namespace

std::string synonym(std::string_view name) {
  // What other notations call the functions and constants of the grammar.
  static constexpr std::pair<std::string_view, std::string_view> table[] = {
      {"ln", "log"},
      {"lg", "log10"},
      {"ld", "log2"},
      {"tg", "tan"},
      {"ctg", "cot"},
      {"cotan", "cot"},
      {"cosec", "csc"},
      {"arcsin", "asin"},
      {"arccos", "acos"},
      {"arctan", "atan"},
      {"arctg", "atan"},
      {"arctan2", "atan2"},
      {"arcsinh", "asinh"},
      {"arccosh", "acosh"},
      {"arctanh", "atanh"},
      {"arsinh", "asinh"},
      {"arcosh", "acosh"},
      {"artanh", "atanh"},
      {"sh", "sinh"},
      {"ch", "cosh"},
      {"th", "tanh"},
      {"fabs", "abs"},
      {"modulus", "abs"},
      {"sgn", "sign"},
      {"signum", "sign"},
      {"ceiling", "ceil"},
      {"int", "floor"},
      {"mod", "fmod"},
      {"tgamma", "gamma"},
      {"loggamma", "lgamma"},
      {"gammaln", "lgamma"},
      {"psi", "digamma"},
      {"fact", "factorial"},
      {"choose", "binomial"},
      {"conj", "conjugate"},
      {"real", "re"},
      {"imag", "im"},
      {"step", "heaviside"},
      {"theta", "heaviside"},
      {"expint", "Ei"},
      {"erfinv", "inverse_erf"},
      {"square_root", "sqrt"},
      {"root", "sqrt"},
      {"pow", "x^y"},
      {"minimum", "min"},
      {"maximum", "max"},
  };
  for (const auto& [other, here] : table) {
    if (other == name) return std::string(here);
  }
  return {};
}

std::string former_name(std::string_view name) {
  static constexpr std::pair<std::string_view, std::string_view> table[] = {
      {"bessel_J", "cyl_bessel_j"}, {"bessel_Y", "cyl_neumann"}, {"bessel_I", "cyl_bessel_i"},
      {"bessel_K", "cyl_bessel_k"}, {"kummer_M", "conf_hyperg"}, {"legendre_P", "legendre"},  {"hermite_H", "hermite"},
      {"dirac", "dirac_delta"},
  };
  for (const auto& [before, now] : table) {
    if (before == name) return std::string(now);
  }
  return {};
}

std::string nearest_name(std::string_view name, std::span<const std::string> candidates) {
  if (name.size() > 200) return {};
  for (const std::string& s : {former_name(name), synonym(name)}) {
    if (!s.empty() && std::find(candidates.begin(), candidates.end(), s) != candidates.end()) return s;
  }
  std::size_t best = 0;
  std::size_t common = 0;  // among equals the one that begins alike
  const std::string* winner = nullptr;
  for (const std::string& c : candidates) {
    if (c.size() > name.size() + 4 || name.size() > c.size() + 4) continue;
    const std::size_t d = distance(name, c);
    // About one mistake for each three letters.
    if (d > 2 * std::max<std::size_t>(1, std::min(name.size(), c.size()) / 3)) continue;
    if (name.size() == 1 && c.size() == 1 && d > 1) continue;
    const auto prefix = static_cast<std::size_t>(
        std::mismatch(c.begin(), c.begin() + static_cast<std::ptrdiff_t>(std::min(c.size(), name.size())), name.begin())
            .first -
        c.begin());
    if (winner == nullptr || d < best || (d == best && (prefix > common || (prefix == common && c < *winner)))) {
      best = d;
      common = prefix;
      winner = &c;
    }
  }
  return winner == nullptr ? std::string() : *winner;
}

std::string suggestion(std::string_view name, std::span<const std::string> candidates) {
  const std::string near = nearest_name(name, candidates);
  return near.empty() || near == name ? std::string() : "; did you mean '" + near + "'?";
}

}  // namespace boreon
