// SPDX-License-Identifier: MIT
// Words of the expression grammar.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "boreon/error.hpp"

namespace boreon {

struct Token {
  enum class Type : char { number, imaginary, name, op, end };
  Type type = Type::end;
  std::string text;  // operator characters, name without quotes, digits
  std::size_t at = 0;
  int primes = 0;             // of a name
  std::vector<int> orders{};  // f'[1,0](x, y)
  bool quoted = false;        // `name`: never a function, keyword or constant

  [[nodiscard]] bool is(std::string_view op) const { return type == Type::op && text == op; }
  [[nodiscard]] bool word(std::string_view w) const {
    return type == Type::name && !quoted && primes == 0 && text == w;
  }
};

/// Throws a positioned Error at a byte offset of a text.
class TextErrors {
 public:
  TextErrors(std::string_view text, const SourcePosition& origin) : text_(text), origin_(origin) {}
  [[noreturn]] void fail(ErrorKind kind, const std::string& message, std::size_t at) const;

 private:
  std::string_view text_;
  const SourcePosition& origin_;
};

[[nodiscard]] std::vector<Token> tokenize(std::string_view text, const TextErrors& errors);

}  // namespace boreon
