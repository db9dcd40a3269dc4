// SPDX-License-Identifier: MIT
// Function: a named rule with formal arguments and a body. Definitions: named quantities that use each other.
#pragma once

#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "boreon/bindings.hpp"
#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"

namespace boreon BOREON_API {

/// f(x, y) = body. Symbols of the body that are not formal arguments stay free: they are parameters.
class Function {
 public:
  /// Makes a function of an expression by naming which symbols become arguments. Throws Error(name) on a repeated
  /// argument and Error(binding) on an argument that does not occur in the body, unless `unused` allows it.
  Function(std::string_view name, std::vector<Symbol> arguments, Expr body, Unused unused = Unused::allowed);

  [[nodiscard]] const std::string& name() const noexcept { return name_; }
  [[nodiscard]] const std::vector<Symbol>& arguments() const noexcept { return arguments_; }
  [[nodiscard]] const Expr& body() const noexcept { return body_; }
  [[nodiscard]] std::vector<Symbol> parameters() const;  ///< free symbols of the body that are no arguments

  /// The body with the arguments replaced, all at once. Throws Error(shape) on a wrong number of arguments.
  template <class... Args>
  [[nodiscard]] Expr operator()(const Args&... args) const {
    const Expr list[] = {Expr(args)...};
    return call(list);
  }
  [[nodiscard]] Expr call(std::span<const Expr> args) const;

 private:
  std::string name_;
  std::vector<Symbol> arguments_;
  Expr body_;
};

/// outer(inner(...)): a function of the arguments of `inner`. `outer` must take one argument.
[[nodiscard]] Function compose(const Function& outer, const Function& inner);

/// Named quantities that may use each other in any order.
class Definitions {
 public:
  /// Throws Error(name) if the name is taken.
  void add(std::string_view name, const Expr& value);
  [[nodiscard]] const std::vector<std::string>& names() const noexcept { return names_; }

  /// Every definition written out in terms of what is not defined here, in the order they were added. Throws
  /// Error(cycle) that shows the cycle: "a -> b -> c -> a". Shared parts stay shared.
  [[nodiscard]] std::vector<Expr> resolve() const;
  /// The expression with all definitions written out.
  [[nodiscard]] Expr resolve(const Expr& expression) const;

 private:
  std::vector<std::string> names_;
  std::vector<Expr> values_;
};

}  // namespace boreon
