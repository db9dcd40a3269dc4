// SPDX-License-Identifier: MIT
// Differential equations with symbols in place of the unknown functions and their derivatives.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"

namespace boreon::odes {

/// The unknown functions of one variable; y_i^(k)(t) is a symbol of its own.
class Jet {
 public:
  /// Throws Error(usage) unless the unknowns are calls y(t) of one symbol.
  Jet(std::span<const Expr> equations, std::span<const Expr> unknowns);

  [[nodiscard]] const Symbol& variable() const { return t_; }
  [[nodiscard]] std::size_t size() const { return names_.size(); }
  [[nodiscard]] const std::string& name(std::size_t i) const { return names_[i]; }
  [[nodiscard]] Expr call(std::size_t i) const;
  /// The symbol of a derivative, made where it is new.
  [[nodiscard]] Symbol symbol(std::size_t i, int order) const;
  /// The highest derivative of each unknown in the equations.
  [[nodiscard]] const std::vector<int>& orders() const { return orders_; }
  [[nodiscard]] int total_order() const;
  /// Equations in symbols. Throws Error(unsupported) for calls at other places, such as y(t - 1).
  [[nodiscard]] const std::vector<Expr>& equations() const { return equations_; }
  /// Functions of t put in for the unknowns.
  [[nodiscard]] Expr with(const Expr& in_symbols, std::span<const Expr> functions) const;
  /// The same for calls at places, such as y'(0), by substitution, or as a limit where that fails.
  [[nodiscard]] Expr at_places(const Expr& given, std::span<const Expr> functions) const;
  /// In calls again.
  [[nodiscard]] Expr in_calls(const Expr& in_symbols) const;

 private:
  [[nodiscard]] Expr in_symbols(const Expr& e);
  [[nodiscard]] std::optional<std::size_t> index(const std::string& name) const;

  Symbol t_;
  std::vector<std::string> names_;
  std::vector<int> orders_;
  std::vector<Expr> equations_;
};

}  // namespace boreon::odes
