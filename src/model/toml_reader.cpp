// SPDX-License-Identifier: MIT
#include "model/toml_reader.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "boreon/bindings.hpp"

namespace boreon {
namespace {

// What the parser takes for granted although the file may not have it: nothing beyond ASCII outside of quotes and
// comments (its tables of Unicode are not made for that), and a name behind the bracket of a table.
struct Stray {
  std::size_t at = std::string_view::npos;
  const char* message = "";
};
Stray stray_character(std::string_view text) {
  const std::size_t mark = text.starts_with("\xEF\xBB\xBF") ? 3 : 0;
  char quote = 0;  // the one that is open
  bool triple = false;
  bool comment = false;
  bool fresh = true;  // nothing but blanks in this line so far
  for (std::size_t i = mark; i < text.size(); ++i) {
    const char c = text[i];
    if (c == '\n') {
      comment = false;
      if (!triple) quote = 0;
      fresh = quote == 0;
      continue;
    } else if (comment) {
      continue;
    } else if (quote != 0) {
      if (c == '\\' && quote == '"') {
        if (i + 1 < text.size() && static_cast<unsigned char>(text[i + 1]) >= 0x80U)
          return {i,
                  "a backslash in double quotes stands before one of b t n f r \" \\ u U; text in single quotes is "
                  "taken as it is"};
        ++i;
      } else if (c == quote && !triple) {
        quote = 0;
      } else if (c == quote && text.substr(i, 3) == std::string(3, quote)) {
        i += 2;
        while (i + 1 < text.size() && text[i + 1] == quote) ++i;  // quotes at the end of the text
        quote = 0;
        triple = false;
      }
    } else if (c == '#') {
      comment = true;
    } else if (c == '"' || c == '\'') {
      quote = c;
      triple = text.substr(i, 3) == std::string(3, c);
      if (triple) i += 2;
    } else if (static_cast<unsigned char>(c) >= 0x80U) {
      return {i, "a letter or sign outside of ASCII must stand in quotes, as in \"ρ\" = 1"};
    } else if (c == '[' && fresh) {
      std::size_t name = text.find_first_not_of(" \t", i + (i + 1 < text.size() && text[i + 1] == '[' ? 2 : 1));
      if (name < text.size()) {
        const char n = text[name];
        const bool good = (n >= 'a' && n <= 'z') || (n >= 'A' && n <= 'Z') || (n >= '0' && n <= '9') ||
                          std::string_view("_-\"'\n\r]").find(n) != std::string_view::npos;
        if (!good && static_cast<unsigned char>(n) < 0x80U)
          return {name, "the name of a table is made of letters, digits, _ and -, or stands in quotes"};
      }
    }
    fresh = fresh && (c == ' ' || c == '\t');
  }
  return {};
}

}  // namespace

#ifndef NDEBUG
void reject_toml(const char* expectation) {
  throw Error(ErrorKind::syntax, fmt::format("the file is not valid TOML: expected {}", expectation));
}
#endif

TomlReader::TomlReader(std::string_view text, std::string path) : text_(text), path_(std::move(path)) {
  if (const auto [at, message] = stray_character(text_); at != std::string_view::npos) {
    const auto start = text_.rfind('\n', at) + 1;  // 0 on the first line
    const auto begins = [](char c) { return (static_cast<unsigned char>(c) & 0xC0U) != 0x80U; };
    const SourcePosition p{
        path_,
        static_cast<std::size_t>(std::count(text_.begin(), text_.begin() + static_cast<std::ptrdiff_t>(at), '\n')) + 1,
        static_cast<std::size_t>(std::count_if(text_.begin() + static_cast<std::ptrdiff_t>(start),
                                               text_.begin() + static_cast<std::ptrdiff_t>(at), begins)) +
            1};
    throw Error(ErrorKind::syntax, fmt::format("the file is not valid TOML: {}", message), p, line(p.line));
  }
  try {
    root_ = toml::parse(text_, path_);
  } catch (const toml::parse_error& e) {
    const auto& at = e.source().begin;
    SourcePosition p{path_, at.line, at.column};
    std::string message(e.description());
    if (message.find("redefin") != std::string::npos || message.find("duplicate") != std::string::npos)
      message += " (each name may be given once)";
    throw Error(ErrorKind::syntax, fmt::format("the file is not valid TOML: {}", message), p, line(p.line));
  }
}

std::string TomlReader::line(std::size_t number) const {
  if (line_starts_.empty()) {
    line_starts_.push_back(0);
    for (std::size_t at = text_.find('\n'); at != std::string::npos; at = text_.find('\n', at + 1))
      line_starts_.push_back(at + 1);
  }
  if (number == 0 || number > line_starts_.size()) return {};
  const std::size_t start = line_starts_[number - 1];
  return text_.substr(start, text_.find('\n', start) - start);
}

SourcePosition TomlReader::position(const toml::node& node) const {
  return {path_, node.source().begin.line, node.source().begin.column};
}
SourcePosition TomlReader::position(const toml::key& key) const {
  return {path_, key.source().begin.line, key.source().begin.column};
}

void TomlReader::fail(ErrorKind kind, const std::string& message, const SourcePosition& at) const {
  throw Error(kind, message, at, line(at.line));
}

SourcePosition TomlReader::text_start(const toml::node& node) const {
  SourcePosition p = position(node);
  const std::string l = line(p.line);
  const std::size_t i = p.column - 1;
  const bool triple = i + 2 < l.size() && (l[i] == '"' || l[i] == '\'') && l[i + 1] == l[i] && l[i + 2] == l[i];
  p.column += triple ? 3 : 1;
  if (triple && i + 3 >= l.size()) {  // the text starts on the next line
    p.line += 1;
    p.column = 1;
  }
  return p;
}

Number TomlReader::number(const toml::node& node, std::string_view what) const {
  if (const auto i = node.value_exact<std::int64_t>()) return {*i};
  if (const auto d = node.value_exact<double>()) {
    if (!std::isfinite(*d)) fail(ErrorKind::domain, fmt::format("{} must be a finite number", what), position(node));
    return Number::shortest_decimal(*d);
  }
  if (node.is_string()) {
    fail(ErrorKind::shape,
         fmt::format("{} must be a number without quotes; expressions belong into [definitions]", what),
         position(node));
  }
  fail(ErrorKind::shape, fmt::format("{} must be a number", what), position(node));
}

std::string TomlReader::text(const toml::node& node, std::string_view what) const {
  if (const auto s = node.value_exact<std::string>()) return *s;
  fail(ErrorKind::shape, fmt::format("{} must be a text in quotes", what), position(node));
}

void TomlReader::require_keys(const toml::table& table, std::string_view where,
                              const std::vector<std::string>& allowed) const {
  for (const auto& [key, value] : table) {
    const std::string name(key.str());
    if (std::find(allowed.begin(), allowed.end(), name) != allowed.end()) continue;
    fail(ErrorKind::name,
         fmt::format("'{}' is not known in {}{} (known: {})", name, where, suggestion(name, allowed),
                     fmt::join(allowed, ", ")),
         position(key));
  }
}

}  // namespace boreon
