// SPDX-License-Identifier: MIT
// Bindings: which symbol gets which value. Substitution replaces all of them at once.
#pragma once

#include <cstddef>
#include <cstdint>
#include <initializer_list>
#include <span>
#include <string>
#include <string_view>
#include <unordered_map>
#include <utility>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/list.hpp"
#include "boreon/names.hpp"  // IWYU pragma: export
#include "boreon/symbol.hpp"

namespace boreon BOREON_API {

/// What happens to a binding whose symbol occurs nowhere.
enum class Unused { error, allowed };

/// An ordered map from symbols (or calls of functions, unknown ones such as y(t) or known ones such as exp(a*x)) to
/// expressions or numbers. A call stands for itself alone, not for what contains the same arguments otherwise.
///
/// A bare name stands for every symbol of that name, whatever its assumptions.
class Bindings {
 public:
  struct Entry {
    Expr target;       ///< a symbol or a call; meaningless if `name` is set
    std::string name;  ///< set when the binding was given by name
    Expr value;
  };

  Bindings() = default;
  Bindings(std::initializer_list<std::pair<Expr, Expr>> entries);
  /// Binds or rebinds. Throws Error(usage) unless the target is a symbol, or a call that holds symbols.
  Bindings& set(const Expr& target, const Expr& value);
  /// Throws Error(name) unless the text is an identifier.
  Bindings& set(std::string_view name, const Expr& value);

  [[nodiscard]] const std::vector<Entry>& entries() const noexcept { return entries_; }
  [[nodiscard]] bool empty() const noexcept { return entries_.empty(); }
  /// The value bound to this symbol or call, or null.
  [[nodiscard]] const Expr* find(const Expr& target) const;

 private:
  [[nodiscard]] Entry* by_target(const Expr& target);
  std::vector<Entry> entries_;
  /// Of many entries with a target, by node; the entries keep the nodes alive.
  std::unordered_map<std::uintptr_t, std::size_t> index_;
};

/// Simultaneous substitution: {x: y, y: x} swaps. Bound variables of integrals, sums and limits are respected (and
/// renamed where a value would be captured). A substitution into an unevaluated derivative with respect to the
/// replaced symbol throws Error(unsupported). A binding that hits nothing throws Error(binding) with the names that do
/// occur, unless `unused` allows it. O(distinct nodes).
[[nodiscard]] Expr substitute(const Expr& expression, const Bindings& bindings, Unused unused = Unused::error);
/// The same over several expressions; a binding must hit at least one of them.
[[nodiscard]] std::vector<Expr> substitute(const ExprList& expressions, const Bindings& bindings,
                                           Unused unused = Unused::error);

}  // namespace boreon
