// SPDX-License-Identifier: MIT
// Rules as text: PATTERN becomes REPLACEMENT [for any NAMES [, rest NAMES]] [where CONDITIONS].
#include <fmt/format.h>
#include <algorithm>
#include <cctype>

#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/names.hpp"
#include "boreon/rewrite.hpp"
#include "boreon/traverse.hpp"

namespace boreon {
namespace {

std::string trimmed(std::string_view s) {
  while (!s.empty() && std::isspace(static_cast<unsigned char>(s.front())) != 0) s.remove_prefix(1);
  while (!s.empty() && std::isspace(static_cast<unsigned char>(s.back())) != 0) s.remove_suffix(1);
  return std::string(s);
}

// The place of a whole word outside parentheses, or npos.
std::size_t find_word(std::string_view text, std::string_view word, std::size_t from = 0) {
  int depth = 0;
  for (std::size_t i = 0; i + word.size() <= text.size(); ++i) {
    if (text[i] == '(') ++depth;
    if (text[i] == ')') --depth;
    if (i < from || depth != 0 || text.substr(i, word.size()) != word) continue;
    const auto letter = [&](std::size_t k) {
      return k < text.size() && (std::isalnum(static_cast<unsigned char>(text[k])) != 0 || text[k] == '_');
    };
    if ((i > 0 && letter(i - 1)) || letter(i + word.size())) continue;
    return i;
  }
  return std::string_view::npos;
}

std::vector<std::pair<std::string, std::size_t>> split_commas(std::string_view text, std::size_t offset) {
  std::vector<std::pair<std::string, std::size_t>> out;
  int depth = 0;
  std::size_t start = 0;
  for (std::size_t i = 0; i <= text.size(); ++i) {
    if (i < text.size() && text[i] == '(') ++depth;
    if (i < text.size() && text[i] == ')') --depth;
    if (i == text.size() || (text[i] == ',' && depth == 0)) {
      const std::string part = trimmed(text.substr(start, i - start));
      if (!part.empty()) out.emplace_back(part, offset + start);
      start = i + 1;
    }
  }
  return out;
}

class RuleReader {
 public:
  RuleReader(std::string_view text, const ParseContext& context) : text_(text), context_(context) {}

  Rule read() {
    const std::size_t becomes = find_word(text_, "becomes");
    if (becomes == std::string_view::npos)
      fail(0, "a rule needs the word 'becomes': sin(u)^2 + cos(u)^2 becomes 1 for any u");
    std::size_t where = find_word(text_, "where", becomes);
    const std::size_t end = where == std::string_view::npos ? text_.size() : where;
    std::size_t names = find_word(text_, "for", becomes);
    if (names == std::string_view::npos || names > end) names = end;
    // Placeholders are symbols of their own, so that they never meet the symbols of an expression.
    ParseContext inner = context_;
    std::vector<Expr> placeholders;
    std::vector<Expr> rests;
    if (names != end) read_names(names, end, inner, placeholders, rests);
    const Expr pattern = part(0, becomes, inner);
    const Expr replacement = part(becomes + 7, names, inner);
    for (const Symbol& s : free_symbols(replacement)) {
      const auto& n = s.name();
      if (n.starts_with(mark) && !depends_on(pattern, s))
        fail(becomes + 7,
             fmt::format("the replacement uses {}, which the pattern does not have", n.substr(mark.size())));
    }
    for (const std::vector<Expr>* list : {&placeholders, &rests}) {
      for (const Expr& p : *list) {
        if (!depends_on(pattern, p))
          fail(names, fmt::format("the placeholder {} does not occur in the pattern", p.name().substr(mark.size())));
      }
    }
    Rule rule(pattern, replacement, placeholders, rests);
    rule.name = trimmed(text_);
    if (where != std::string_view::npos) {
      for (const auto& [condition, at] : split_commas(text_.substr(where + 5), where + 5))
        add_condition(condition, at, inner, rule);
    }
    return rule;
  }

 private:
  static constexpr std::string_view mark = "placeholder_";

  [[noreturn]] void fail(std::size_t at, const std::string& message) const {
    SourcePosition p;
    p.line = 1;
    p.column = std::min(at, text_.size()) + 1;
    throw Error(ErrorKind::syntax, message, p, std::string(text_));
  }

  Expr part(std::size_t from, std::size_t to, const ParseContext& context) const {
    const std::string piece = trimmed(text_.substr(from, to - from));
    if (piece.empty()) fail(from, from == 0 ? "the pattern is missing" : "the replacement is missing");
    return boreon::parse(piece, context);
  }

  void read_names(std::size_t from, std::size_t to, ParseContext& inner, std::vector<Expr>& placeholders,
                  std::vector<Expr>& rests) const {
    std::size_t at = from + 3;
    const std::size_t any = find_word(text_, "any", at);
    if (any == std::string_view::npos || any > to || !trimmed(text_.substr(at, any - at)).empty())
      fail(from, "placeholders are named after 'for any': for any u, v, rest r");
    at = any + 3;
    for (auto [name, place] : split_commas(text_.substr(at, to - at), at)) {
      const bool rest = name.starts_with("rest ");
      if (rest) name = trimmed(std::string_view(name).substr(5));
      if (!is_identifier(name) || is_reserved_word(name))
        fail(place + 1,
             fmt::format("'{}' cannot be the name of a placeholder; names are letters, digits and underscores", name));
      const Symbol s(std::string(mark) + name, Assumptions::none());
      if (!inner.names.insert_or_assign(name, s).second && context_.names.find(name) == context_.names.end())
        fail(place, fmt::format("the placeholder {} is named twice", name));
      (rest ? rests : placeholders).push_back(s);
    }
  }

  void add_condition(const std::string& text, std::size_t at, const ParseContext& inner, Rule& rule) const {
    if (text.find_first_of("<>=") != std::string::npos) {
      rule.conditions.push_back(boreon::parse(text, inner));
      return;
    }
    const std::size_t free = text.find(" free of ");
    if (free != std::string::npos) {
      const Expr of = boreon::parse(text.substr(0, free), inner);
      const Expr what = boreon::parse(text.substr(free + 9), inner);
      rule.tests.push_back([=](const Matches& m) { return !occurs(value(what, m), value(of, m)); });
      return;
    }
    const std::size_t blank = text.rfind(' ');
    if (blank == std::string::npos)
      fail(at, fmt::format("'{}' is no condition; write u > 0, n integer, c number, x symbol, c free of t", text));
    const Expr subject = boreon::parse(text.substr(0, blank), inner);
    const std::string word = text.substr(blank + 1);
    using Test = bool (*)(const Expr&);
    static const std::vector<std::pair<std::string, Test>> tests{
        {"integer", [](const Expr& e) { return is_integer(e); }},
        {"real", [](const Expr& e) { return is_real(e); }},
        {"positive", [](const Expr& e) { return is_positive(e); }},
        {"negative", [](const Expr& e) { return is_negative(e); }},
        {"nonnegative", [](const Expr& e) { return is_nonnegative(e); }},
        {"nonzero", [](const Expr& e) { return is_nonzero(e); }},
        {"number", [](const Expr& e) { return e.is_number(); }},
        {"symbol", [](const Expr& e) { return e.is(Kind::symbol); }}};
    std::vector<std::string> names;
    for (const auto& [name, test] : tests) {
      names.push_back(name);
      if (name == word) {
        rule.tests.push_back([subject, test = test](const Matches& m) { return test(value(subject, m)); });
        return;
      }
    }
    fail(at, fmt::format("'{}' is no kind of value{}; known: integer, real, positive, negative, nonnegative, nonzero, "
                         "number, symbol",
                         word, suggestion(word, names)));
  }

  static Expr value(const Expr& e, const Matches& m) {
    Bindings b;
    for (const Symbol& s : free_symbols(e)) {
      if (const auto at = m.find(s.name()); at != m.end()) b.set(s, at->second);
    }
    return substitute(e, b, Unused::allowed);
  }
  static bool occurs(const Expr& what, const Expr& in) {
    bool found = false;
    postorder(in, [&](const Expr& x) { found = found || x == what; });
    return found;
  }

  std::string_view text_;
  const ParseContext& context_;
};

}  // namespace

Rule Rule::parse(std::string_view text, const ParseContext& context) { return RuleReader(text, context).read(); }

std::vector<Rule> parse_rules(std::string_view text, const ParseContext& context) {
  std::vector<Rule> out;
  std::size_t line = 1;
  std::size_t start = 0;
  for (std::size_t i = 0; i <= text.size(); ++i) {
    if (i != text.size() && text[i] != '\n' && text[i] != ';') continue;
    std::string piece(text.substr(start, i - start));
    if (const std::size_t comment = piece.find('#'); comment != std::string::npos) piece.erase(comment);
    piece = trimmed(piece);
    try {
      if (!piece.empty()) out.push_back(Rule::parse(piece, context));
    } catch (const Error& e) {
      SourcePosition p = e.position();
      p.line = line;
      throw Error(e.kind(), e.message() + " (in the rule '" + piece + "')", p);
    }
    if (i != text.size() && text[i] == '\n') ++line;
    start = i + 1;
  }
  return out;
}

}  // namespace boreon
