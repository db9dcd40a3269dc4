// SPDX-License-Identifier: MIT
// What solving inequalities with and without parameters shares.
#pragma once

#include "boreon/error.hpp"
#include "boreon/expr.hpp"
#include "boreon/text.hpp"
#include "calculus/signs.hpp"

namespace boreon::equations {

/// Throws Error(shape) for what is no condition, Error(usage) for complex numbers and for an unknown that is no symbol.
inline void require_inequality(const Expr& condition, const Expr& x) {
  if (!is_condition(condition))
    throw Error(ErrorKind::shape, "an inequality is expected, not " + to_text(condition, {60, {}}));
  if (has_imaginary_unit(condition))
    throw Error(ErrorKind::usage, "complex numbers have no order: compare their amounts (abs) or real parts (re)");
  if (!x.is(Kind::symbol))
    throw Error(ErrorKind::usage, "an inequality is solved for a symbol, not " + to_text(x, {60, {}}));
}

/// visit(relation) for all that a condition joins by and, or, not.
template <class Visit>
void for_each_relation(const Expr& condition, Visit&& visit) {
  if (condition.is(Kind::logic)) {
    for (const Expr& o : condition.operands()) for_each_relation(o, visit);
  } else if (condition.is(Kind::relation)) {
    visit(condition);
  }
}

}  // namespace boreon::equations
