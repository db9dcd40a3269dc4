// SPDX-License-Identifier: MIT
// Index notation written out: indices become numbers, elements what they stand for, reductions their terms.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <span>
#include <utility>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/traverse.hpp"

namespace boreon {

class WriteOut {
 public:
  /// Values of indices and sizes.
  using Numbers = std::vector<std::pair<Expr, Expr>>;
  struct Options {
    /// What an element stands for; empty: element(head, indices). `as_number`: it is an index, a bound or compared
    /// with a number.
    std::function<Expr(const Expr& head, std::span<const Expr> indices, bool as_number)> element = {};
    std::int64_t most = 1000000;  ///< terms of a reduction; longer ones stay
    bool long_ones_stay = false;  ///< also where `element` is given; otherwise they are an error there
  };

  explicit WriteOut(Options options, Numbers sizes = {});

  /// The expression with these indices. Work goes with the number of terms; what does not depend on the indices is
  /// written out once for all calls.
  [[nodiscard]] Expr operator()(const Expr& e, const Numbers& indices = {});

 private:
  struct Scope {
    Numbers numbers = {};      // indices, the innermost last; one that is bound and stays open stands for itself
    std::uint32_t filter = 0;  // of the symbols in it
    void add(const Expr& symbol, const Expr& value) {
      numbers.emplace_back(symbol, value);
      filter |= symbol.symbol_filter();
    }
  };
  [[nodiscard]] Expr write(const Expr& e, const Scope& scope, bool as_number);
  bool replace(const Expr& e, const Scope& scope, bool as_number, Expr& result);
  Expr element_of(const Expr& e, const Scope& scope, bool as_number);
  Expr reduction(const Expr& e, const Scope& scope);
  Expr piecewise_of(const Expr& e, const Scope& scope, bool as_number);
  Expr binder(const Expr& e, const Scope& scope);
  [[nodiscard]] const Expr* value_of(const Expr& symbol, const Scope& scope) const;
  /// Whether there is nothing to write out in it.
  [[nodiscard]] bool plain(const Expr& e);
  [[nodiscard]] static bool uses(const Expr& e, const Scope& scope);

  Options options_;
  Scope sizes_;
  NodeMap<Expr> done_;  // what depends on no index
  std::vector<Expr> keep_;
  NodeMap<char> plain_;
  int depth_ = 0;
};

}  // namespace boreon
