// Names and units as figures show them.
#include <fmt/format.h>

#include <array>
#include <string>
#include <string_view>

#include "boreon/figure.hpp"

namespace boreon {
namespace {

constexpr std::array<const char*, 10> raised{"⁰", "¹", "²", "³", "⁴", "⁵", "⁶", "⁷", "⁸", "⁹"};
constexpr std::array<const char*, 10> lowered{"₀", "₁", "₂", "₃", "₄", "₅", "₆", "₇", "₈", "₉"};
constexpr std::pair<std::string_view, const char*> greek[] = {
    {"alpha", "α"}, {"beta", "β"},  {"gamma", "γ"}, {"delta", "δ"}, {"epsilon", "ε"}, {"zeta", "ζ"},  {"eta", "η"},   {"theta", "θ"}, {"kappa", "κ"}, {"lambda", "λ"}, {"mu", "μ"},    {"nu", "ν"},
    {"xi", "ξ"},    {"rho", "ρ"},   {"sigma", "σ"}, {"tau", "τ"},   {"phi", "φ"},     {"chi", "χ"},   {"psi", "ψ"},   {"omega", "ω"}, {"Gamma", "Γ"}, {"Delta", "Δ"},  {"Theta", "Θ"}, {"Lambda", "Λ"},
    {"Xi", "Ξ"},    {"Sigma", "Σ"}, {"Phi", "Φ"},   {"Psi", "Ψ"},   {"Omega", "Ω"},   {"pi", "π"}};

bool digit(char c) { return c >= '0' && c <= '9'; }
bool letter(char c) { return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z'); }

std::string with_digits(std::string_view number, const std::array<const char*, 10>& signs) {
  std::string out;
  for (const char c : number) out += signs[static_cast<std::size_t>(c - '0')];
  return out;
}

// A name: Greek letters, digits at its end lowered, other subscripts as they are.
std::string name_label(std::string_view name) {
  const std::size_t mark = name.find('_');
  std::string_view stem = name.substr(0, mark);
  std::string_view below = mark == std::string_view::npos ? std::string_view() : name.substr(mark + 1);
  if (mark == std::string_view::npos) {
    std::size_t end = stem.size();
    while (end > 0 && digit(stem[end - 1])) --end;
    if (end > 0 && end < stem.size()) {
      bool one_word = end == 1;
      for (const auto& [word, sign] : greek) one_word = one_word || stem.substr(0, end) == word;
      if (one_word) {
        below = stem.substr(end);
        stem = stem.substr(0, end);
      }
    }
  }
  std::string out(stem);
  for (const auto& [word, sign] : greek) {
    if (stem == word) out = sign;
  }
  if (below.empty()) return out;
  const bool number = below.find_first_not_of("0123456789") == std::string_view::npos;
  return number ? out + with_digits(below, lowered) : fmt::format("{}_{}", out, below);
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
      out += whole ? (negative ? "⁻" : "") + with_digits(text.substr(first, end - first), raised) : std::string(text.substr(i, end - i));
      i = end;
    } else if (c == '*') {
      out += "·";
      ++i;
    } else if (digit(c)) {  // with what belongs to a number: 1.5e-9
      while (i < text.size() && (digit(text[i]) || text[i] == '.')) out += text[i++];
      if (i + 1 < text.size() && (text[i] == 'e' || text[i] == 'E') && (digit(text[i + 1]) || text[i + 1] == '-' || text[i + 1] == '+')) {
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
