// SPDX-License-Identifier: MIT
#include "text/letters.hpp"

#include <fmt/format.h>

#include <array>
#include <cctype>
#include <utility>

namespace boreon {
namespace {

struct Greek {
  std::string_view word;
  std::string_view letter;
};

constexpr std::array<Greek, 48> greek{
    {{"alpha", "α"},   {"beta", "β"},    {"gamma", "γ"},   {"delta", "δ"},   {"epsilon", "ε"}, {"zeta", "ζ"},
     {"eta", "η"},     {"theta", "θ"},   {"iota", "ι"},    {"kappa", "κ"},   {"lambda", "λ"},  {"mu", "μ"},
     {"nu", "ν"},      {"xi", "ξ"},      {"omicron", "ο"}, {"rho", "ρ"},     {"sigma", "σ"},   {"tau", "τ"},
     {"upsilon", "υ"}, {"phi", "φ"},     {"chi", "χ"},     {"psi", "ψ"},     {"omega", "ω"},   {"Alpha", "Α"},
     {"Beta", "Β"},    {"Gamma", "Γ"},   {"Delta", "Δ"},   {"Epsilon", "Ε"}, {"Zeta", "Ζ"},    {"Eta", "Η"},
     {"Theta", "Θ"},   {"Iota", "Ι"},    {"Kappa", "Κ"},   {"Lambda", "Λ"},  {"Mu", "Μ"},      {"Nu", "Ν"},
     {"Xi", "Ξ"},      {"Omicron", "Ο"}, {"Pi", "Π"},      {"Rho", "Ρ"},     {"Sigma", "Σ"},   {"Tau", "Τ"},
     {"Upsilon", "Υ"}, {"Phi", "Φ"},     {"Chi", "Χ"},     {"Psi", "Ψ"},     {"Omega", "Ω"},   {"ell", "ℓ"}}};

std::string_view letter_of(std::string_view word) {
  for (const Greek& g : greek) {
    if (g.word == word) return g.letter;
  }
  return {};
}

// Capitals that look like Latin letters have no LaTeX command.
bool latin_capital(std::string_view word) {
  for (const std::string_view w : {"Alpha", "Beta", "Epsilon", "Zeta", "Eta", "Iota", "Kappa", "Mu", "Nu", "Omicron",
                                   "omicron", "Rho", "Tau", "Chi"}) {
    if (w == word) return true;
  }
  return false;
}

std::string latex_word(std::string_view word) {
  if (!letter_of(word).empty() && !latin_capital(word))
    return word == "epsilon" ? "\\varepsilon" : "\\" + std::string(word);
  if (word.size() == 1) return std::string(word);
  bool digits = true;
  for (const char c : word) digits = digits && (std::isdigit(static_cast<unsigned char>(c)) != 0);
  return digits ? std::string(word) : "\\mathrm{" + std::string(word) + "}";
}

// Stem and subscript parts: at underscores, or where trailing digits begin.
std::pair<std::string_view, std::string_view> split(std::string_view name) {
  const std::size_t bar = name.find('_', 1);
  if (bar != std::string_view::npos && bar + 1 < name.size()) return {name.substr(0, bar), name.substr(bar + 1)};
  std::size_t digits = name.size();
  while (digits > 0 && (std::isdigit(static_cast<unsigned char>(name[digits - 1])) != 0)) --digits;
  if (digits > 0 && digits < name.size() && name[digits - 1] != '_')
    return {name.substr(0, digits), name.substr(digits)};
  return {name, {}};
}

std::string escape(std::string text) {
  std::string out;
  for (const char c : text) {
    if (c == '_') out += '\\';
    out += c;
  }
  return out;
}

}  // namespace

std::string latex_name(std::string_view name) {
  if (const std::size_t open = name.find('['); open != std::string_view::npos)
    return latex_element(name.substr(0, open), name.substr(open + 1, name.size() - open - 2));
  const auto [stem, sub] = split(name);
  if (stem.find('_') != std::string_view::npos) return "\\mathrm{" + escape(std::string(name)) + "}";
  std::string out = latex_word(stem);
  if (sub.empty()) return out;
  out += "_{";
  std::string_view rest = sub;
  bool first = true;
  while (!rest.empty()) {
    const std::size_t bar = rest.find('_');
    const std::string_view part = rest.substr(0, bar);
    if (!first) out += ",";
    first = false;
    if (!part.empty()) out += latex_word(part);
    rest = bar == std::string_view::npos ? std::string_view{} : rest.substr(bar + 1);
  }
  return out + "}";
}

std::string latex_element(std::string_view name, std::string_view indices) {
  // a subscript of its own name comes first: T_{e;3,4}
  std::string head = latex_name(name);
  if (!head.ends_with('}') || head.find("_{") == std::string::npos) return head + "_{" + std::string(indices) + "}";
  head.pop_back();
  return head + ";" + std::string(indices) + "}";
}

std::string unicode_name(std::string_view name) {
  if (const std::size_t open = name.find('['); open != std::string_view::npos)
    return unicode_name(name.substr(0, open)) + std::string(name.substr(open));
  const auto [stem, sub] = split(name);
  std::string out(letter_of(stem).empty() ? stem : letter_of(stem));
  if (sub.empty()) return out;
  static constexpr std::array<std::string_view, 10> digits{"₀", "₁", "₂", "₃", "₄", "₅", "₆", "₇", "₈", "₉"};
  static constexpr std::array<std::pair<char, std::string_view>, 16> small{{{'a', "ₐ"},
                                                                            {'e', "ₑ"},
                                                                            {'h', "ₕ"},
                                                                            {'i', "ᵢ"},
                                                                            {'j', "ⱼ"},
                                                                            {'k', "ₖ"},
                                                                            {'l', "ₗ"},
                                                                            {'m', "ₘ"},
                                                                            {'n', "ₙ"},
                                                                            {'o', "ₒ"},
                                                                            {'p', "ₚ"},
                                                                            {'r', "ᵣ"},
                                                                            {'s', "ₛ"},
                                                                            {'t', "ₜ"},
                                                                            {'u', "ᵤ"},
                                                                            {'x', "ₓ"}}};
  std::string lowered;
  for (const char c : sub) {
    if (std::isdigit(static_cast<unsigned char>(c)) != 0) {
      lowered += digits[static_cast<std::size_t>(c - '0')];
      continue;
    }
    bool found = false;
    for (const auto& [ascii, letter] : small) {
      if (ascii == c) {
        lowered += letter;
        found = true;
      }
    }
    if (!found) return out + "_" + std::string(letter_of(sub).empty() ? sub : letter_of(sub));
  }
  return out + lowered;
}

std::string mathml_name(std::string_view name) {
  const auto word = [](std::string_view w) {
    const std::string_view letter = letter_of(w);
    bool digits = !w.empty();
    for (const char c : w) digits = digits && (std::isdigit(static_cast<unsigned char>(c)) != 0);
    const std::string tag = digits ? "mn" : "mi";
    return "<" + tag + ">" + std::string(letter.empty() ? w : letter) + "</" + tag + ">";
  };
  if (const std::size_t open = name.find('['); open != std::string_view::npos)
    return fmt::format("<msub>{}<mrow><mn>{}</mn></mrow></msub>", mathml_name(name.substr(0, open)),
                       name.substr(open + 1, name.size() - open - 2));
  const auto [stem, subscript] = split(name);
  if (subscript.empty()) return word(stem);
  return "<msub>" + word(stem) + word(subscript) + "</msub>";
}

}  // namespace boreon
