// SPDX-License-Identifier: MIT
// Writing an expression as a stream of pieces with an explicit stack, so that depth is limited by memory only.
#pragma once

#include <string>
#include <vector>

#include "boreon/expr.hpp"
#include "expr/work.hpp"

namespace boreon {

/// How tightly the surroundings bind.
enum class Tightness : char { condition, relation, sum, product, unary, power_base, atom };

/// A piece of output still to come: text, or an expression to be written in a context.
struct Piece {
  std::string text;
  Expr expr;
  Tightness context = Tightness::condition;
  bool is_expr = false;

  Piece(std::string t) : text(std::move(t)) {}  // NOLINT(google-explicit-constructor)
  Piece(const char* t) : text(t) {}             // NOLINT(google-explicit-constructor)
  Piece(Expr e, Tightness c) : expr(std::move(e)), context(c), is_expr(true) {}
};

/// Writes pieces until done or until the length limit; `expand` turns an expression into pieces.
template <class Expand>
std::string write_linear(std::vector<Piece> start, std::size_t max_length, Expand&& expand) {
  std::string out;
  std::vector<Piece> stack;
  for (std::size_t i = start.size(); i-- > 0;) stack.push_back(std::move(start[i]));
  std::vector<Piece> pieces;
  while (!stack.empty()) {
    Piece p = std::move(stack.back());
    stack.pop_back();
    if (!p.is_expr) {
      out += p.text;
    } else {
      spend(100);
      pieces.clear();
      expand(p.expr, p.context, pieces);
      for (std::size_t i = pieces.size(); i-- > 0;) stack.push_back(std::move(pieces[i]));
    }
    if (max_length != 0 && out.size() > max_length) {
      out.resize(max_length);
      return out + "...";
    }
  }
  return out;
}

}  // namespace boreon
