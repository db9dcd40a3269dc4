// SPDX-License-Identifier: MIT
#include "text/lexer.hpp"

#include <fmt/format.h>

#include <array>
#include <utility>

#include "boreon/symbol.hpp"

namespace boreon {

void TextErrors::fail(ErrorKind kind, const std::string& message, std::size_t at) const {
  std::size_t line = 1;
  std::size_t start = 0;
  for (std::size_t i = 0; i < at && i < text_.size(); ++i) {
    if (text_[i] == '\n') {
      ++line;
      start = i + 1;
    }
  }
  const std::size_t end = std::min(text_.find('\n', start), text_.size());
  SourcePosition position = origin_;
  const std::size_t column = at - start + 1;
  if (origin_.known()) {
    position.line = origin_.line + line - 1;
    position.column = line == 1 ? origin_.column + column - 1 : column;
  } else {
    position.line = line;
    position.column = column;
  }
  // Inside a file the text is shown alone; the caret stands under the place all the same.
  const std::string shown(text_.substr(start, end - start));
  throw Error(kind, message, position, shown, column);
}

namespace {

bool digit(char c) { return c >= '0' && c <= '9'; }
bool letter(char c) { return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_'; }

// Characters of other notations, and what to write instead.
constexpr std::array<std::pair<std::string_view, std::string_view>, 22> foreign{{
    {"**", "powers are written ^"},
    {"==", "an equation is written with a single ="},
    {"&&", "write 'and'"},
    {"||", "write 'or'"},
    {"<>", "write !="},
    {"!", "write 'not', or gamma(n + 1) for a factorial"},
    {"&", "write 'and'"},
    {"|", "write abs(x) for an absolute value, 'or' for alternatives"},
    {"{", "use parentheses ( )"},
    {"}", "use parentheses ( )"},
    {";", "separate arguments with commas"},
    {":", "write 'from ... to ...' for ranges and 'if' for conditions"},
    {"%", "write fmod(x, y) for a remainder"},
    {"\\", "names are plain words: alpha, Delta_n"},
    {"\"", "an expression needs no quotes inside"},
    {"·", "write * for a product"},
    {"×", "write * for a product"},
    {"−", "write a plain minus sign -"},
    {"π", "write pi"},
    {"²", "write ^2"},
    {"≤", "write <="},
    {"≥", "write >="},
}};

class Lexer {
 public:
  Lexer(std::string_view text, const TextErrors& errors) : text_(text), errors_(errors) {}

  std::vector<Token> run() {
    std::vector<Token> tokens;
    for (;;) {
      while (at_ < text_.size() &&
             (text_[at_] == ' ' || text_[at_] == '\t' || text_[at_] == '\n' || text_[at_] == '\r'))
        ++at_;
      if (at_ == text_.size()) break;
      tokens.push_back(next());
    }
    Token end;
    end.at = text_.size();
    tokens.push_back(end);
    return tokens;
  }

 private:
  [[nodiscard]] char peek(std::size_t ahead = 0) const {
    return at_ + ahead < text_.size() ? text_[at_ + ahead] : '\0';
  }

  Token next() {
    Token t;
    t.at = at_;
    if (digit(peek())) return number(t);
    if (peek() == '.' && peek(1) == '.') {
      t.type = Token::Type::op;
      t.text = "..";
      at_ += 2;
      return t;
    }
    if (peek() == '.') {
      if (digit(peek(1)))
        errors_.fail(ErrorKind::syntax, "a number cannot start with a point; write 0" + number_at(at_), at_);
      errors_.fail(ErrorKind::syntax, "a point belongs inside a number only", at_);
    }
    if (letter(peek())) return name(t);
    if (peek() == '`') return quoted_name(t);
    t.type = Token::Type::op;
    for (const auto& [wrong, remedy] : foreign) {
      if (text_.substr(at_, wrong.size()) == wrong && text_.substr(at_, 2) != "!=") {
        errors_.fail(ErrorKind::syntax, fmt::format("'{}' is not part of the expression grammar: {}", wrong, remedy),
                     at_);
      }
    }
    for (const std::string_view op :
         {"<=", ">=", "!=", "+", "-", "*", "/", "^", "(", ")", "[", "]", ",", "<", ">", "="}) {
      if (text_.substr(at_, op.size()) == op) {
        t.text = op;
        at_ += op.size();
        while (op == "]" && peek() == '\'') {  // T[i, j]'(x)
          ++t.primes;
          ++at_;
        }
        return t;
      }
    }
    if (peek() == '\'') errors_.fail(ErrorKind::syntax, "a prime belongs directly behind a name: y'", at_);
    const auto byte = static_cast<unsigned char>(peek());
    if (byte >= 0x80) {
      std::size_t n = 1;
      while (at_ + n < text_.size() && (static_cast<unsigned char>(text_[at_ + n]) & 0xc0U) == 0x80U) ++n;
      errors_.fail(
          ErrorKind::syntax,
          fmt::format("the character '{}' is not part of the expression grammar; Greek letters are written as plain "
                      "words (alpha, Delta_n)",
                      text_.substr(at_, n)),
          at_);
    }
    if (byte < 0x20)
      errors_.fail(ErrorKind::syntax, fmt::format("a control character (code {}) is not allowed", byte), at_);
    errors_.fail(ErrorKind::syntax, fmt::format("the character '{}' is not part of the expression grammar", peek()),
                 at_);
  }

  [[nodiscard]] std::string number_at(std::size_t from) const {
    std::size_t i = from + 1;
    while (i < text_.size() && digit(text_[i])) ++i;
    return std::string(text_.substr(from, i - from));
  }

  Token number(Token& t) {
    t.type = Token::Type::number;
    const std::size_t start = at_;
    while (digit(peek())) ++at_;
    if (peek() == '.' && peek(1) != '.') {
      if (!digit(peek(1))) {
        errors_.fail(
            ErrorKind::syntax,
            fmt::format("a number cannot end with a point; write {0} or {0}.0", text_.substr(start, at_ - start)),
            start);
      }
      ++at_;
      while (digit(peek())) ++at_;
    }
    if ((peek() == 'e' || peek() == 'E') &&
        (digit(peek(1)) || ((peek(1) == '-' || peek(1) == '+') && digit(peek(2))))) {
      at_ += 2;
      while (digit(peek())) ++at_;
    }
    t.text = text_.substr(start, at_ - start);
    if (peek() == 'i' && !letter(peek(1)) && !digit(peek(1))) {
      ++at_;
      t.type = Token::Type::imaginary;
    }
    if (letter(peek())) {
      std::size_t i = at_;
      while (i < text_.size() && (letter(text_[i]) || digit(text_[i]))) ++i;
      errors_.fail(ErrorKind::syntax,
                   fmt::format("there is no implied multiplication; write {}*{}", t.text, text_.substr(at_, i - at_)),
                   at_);
    }
    if (peek() == '.' && peek(1) != '.') errors_.fail(ErrorKind::syntax, "a number has two points", at_);
    return t;
  }

  Token name(Token& t) {
    t.type = Token::Type::name;
    const std::size_t start = at_;
    while (letter(peek()) || digit(peek())) ++at_;
    t.text = text_.substr(start, at_ - start);
    primes(t);
    return t;
  }

  Token quoted_name(Token& t) {
    const std::size_t close = text_.find('`', at_ + 1);
    if (close == std::string_view::npos) errors_.fail(ErrorKind::syntax, "the quoted name has no closing `", at_);
    t.type = Token::Type::name;
    t.quoted = true;
    t.text = text_.substr(at_ + 1, close - at_ - 1);
    if (!is_identifier(t.text))
      errors_.fail(ErrorKind::name, fmt::format("'{}' cannot be a name: use letters, digits and underscores", t.text),
                   at_);
    at_ = close + 1;
    primes(t);
    return t;
  }

  void primes(Token& t) {
    while (peek() == '\'') {
      ++t.primes;
      ++at_;
    }
    // f'[1,0](x^2, y): the order of the derivative in each argument of a function of several arguments; without
    // arguments behind it, T'[1, 0] is an element of T'.
    if (t.primes != 1 || peek() != '[') return;
    const std::size_t close = text_.find(']', at_);
    if (close == std::string_view::npos || text_.substr(close + 1, 1) != "(") return;
    for (const char c : text_.substr(at_ + 1, close - at_ - 1)) {
      if (!digit(c) && c != ',') return;
    }
    do {
      ++at_;
      int order = 0;
      const std::size_t start = at_;
      while (digit(peek()) && order < 1000) order = order * 10 + (text_[at_++] - '0');
      if (at_ == start) errors_.fail(ErrorKind::syntax, "derivative orders are written f'[1,0](x, y)", start);
      t.orders.push_back(order);
    } while (peek() == ',');
    if (peek() != ']') errors_.fail(ErrorKind::syntax, "derivative orders are written f'[1,0](x, y)", at_);
    ++at_;
  }

  std::string_view text_;
  const TextErrors& errors_;
  std::size_t at_ = 0;
};

}  // namespace

std::vector<Token> tokenize(std::string_view text, const TextErrors& errors) { return Lexer(text, errors).run(); }

}  // namespace boreon
