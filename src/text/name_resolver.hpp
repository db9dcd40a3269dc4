// SPDX-License-Identifier: MIT
// What a name in a text stands for: a declared symbol, an unknown function, a bound variable, a new symbol, or a
// mistake.
#pragma once

#include <set>
#include <span>
#include <string>
#include <vector>

#include "boreon/text.hpp"
#include "text/lexer.hpp"

namespace boreon {

class NameResolver {
 public:
  NameResolver(const ParseContext& context, const TextErrors& errors, const std::vector<Token>& tokens);

  /// The value of a name that is not called. Throws Error(name) for one that is not known or misused.
  [[nodiscard]] Expr value(const Token& t) const;
  /// Throws Error(name) unless the name may stand in front of a parenthesis.
  void check_callable(const Token& t) const;
  /// Remarks that the text is valid but may mean something else, if the context asks for them: a call of a function
  /// that nobody has declared, e^x, exp(i*x).
  void remark_call(const Token& t, std::span<const Expr> args, bool derived) const;
  void remark_power(const Expr& base, const Expr& exponent, std::size_t at) const;
  void remark_exponential(const Expr& argument, std::size_t at) const;
  /// The symbol of that name, with the assumptions it was declared with.
  [[nodiscard]] Expr symbol(const std::string& n) const;
  [[nodiscard]] bool declared(const std::string& n) const;
  /// Whether it is the variable of an open integral, sum or limit.
  [[nodiscard]] bool bound(const std::string& n) const;
  /// Whether it is the variable of an open integral, sum or limit.
  /// pi, infinity, ...; null for other names.
  [[nodiscard]] static const Expr* constant(const std::string& n);

  /// The call of an unknown function of one argument, derived so many times more.
  [[nodiscard]] static Expr raised(const Expr& call, int primes);

  /// Variables of the open integrals, sums and limits whose body is being read.
  void bind(std::string n) { bound_.push_back(std::move(n)); }
  void unbind() { bound_.pop_back(); }
  [[nodiscard]] std::size_t bound_count() const noexcept { return bound_.size(); }

 private:
  void remark(Notice::What what, const std::string& name, const std::string& message, std::size_t at) const;
  [[nodiscard]] bool undeclared_symbol(const Expr& e, std::string_view name) const;
  [[nodiscard]] std::vector<std::string> known_names(bool callable) const;

  const ParseContext& context_;
  const TextErrors& errors_;
  std::vector<std::string> bound_;
  std::set<std::string> primed_;   // names with a prime: unknown functions of the independent variable
  std::set<std::string> derived_;  // names with a prime anywhere
  std::set<std::string> called_;
};

}  // namespace boreon
