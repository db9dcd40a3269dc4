// SPDX-License-Identifier: MIT
// Derivatives: of any order, of vectors, sparse or dense. Who takes dense matrices includes boreon/matrix.hpp as well.
#pragma once

#include <cstdint>
#include <initializer_list>
#include <span>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/function.hpp"
#include "boreon/fwd.hpp"
#include "boreon/list.hpp"
#include "boreon/sparse_matrix.hpp"
#include "boreon/symbol.hpp"

namespace boreon BOREON_API {

// Wherever a variable is asked for, a symbol or a call of an unknown function such as y(t) or y'(t) may stand; calls
// are then taken as independent of everything else, which is what the derivative of a residual F(t, y, y') by y' means.

/// The derivative with respect to one variable, taken `order` times. Exact; the result is in canonical form and not
/// simplified further. Memoised forward sweep, O(distinct nodes) per order. Unevaluated integrals follow Leibniz' rule.
/// Throws Error(unsupported) where a function has no known rule (cyl_bessel_j by its order), Error(usage) for a
/// negative order or a variable that is none.
[[nodiscard]] Expr derivative(const Expr& expression, const Expr& variable, int order = 1);
/// Whether a piecewise in it jumps where its condition changes with the variable (or may: places that are not found
/// count). Derivatives of piecewise are taken branch by branch, so that the impulse there is no part of them, as it is of
/// that of heaviside; write the jump with heaviside to have it.
[[nodiscard]] bool has_piecewise_jump(const Expr& expression, const Expr& variable);
/// Mixed derivative: one order after the other, derivative(f, {x, x, y}).
[[nodiscard]] Expr derivative(const Expr& expression, std::span<const Expr> variables);
[[nodiscard]] Expr derivative(const Expr& expression, std::initializer_list<Expr> variables);
/// f', as a function of the same argument. `f` must take one argument.
[[nodiscard]] Function derivative(const Function& f, int order = 1);

/// All first derivatives of a scalar by one reverse sweep: a small multiple of the operations of the expression, for
/// any number of variables (Griewank and Walther, Evaluating Derivatives, 2008, section 3.3; here on expressions).
[[nodiscard]] std::vector<Expr> gradient(const Expr& expression, const ExprList& variables);

/// The matrix of all first derivatives, rows by expression, columns by variable. Every entry is derived on its own;
/// for more than a few dozen variables use sparse_jacobian.
[[nodiscard]] Matrix jacobian(const ExprList& expressions, const ExprList& variables);

/// Which variables occur in which expression.
[[nodiscard]] SparsityPattern sparsity(const ExprList& expressions, const ExprList& variables);

/// The Jacobian with only its nonzeros derived: the pattern first, then one reverse sweep for each row. Entries that
/// turn out to be zero are dropped from the pattern. O(total size of the rows).
[[nodiscard]] SparseMatrix sparse_jacobian(const ExprList& expressions, const ExprList& variables);

/// Second derivatives; symmetric. Only the entries of the upper triangle are derived.
[[nodiscard]] Matrix hessian(const Expr& expression, const ExprList& variables);
/// Both triangles of the Hessian, nonzeros only.
[[nodiscard]] SparseMatrix sparse_hessian(const Expr& expression, const ExprList& variables);

/// The expression with an unknown function replaced by a known one: u(t), u(2*t), u'(t) and derivatives of any order.
/// Throws Error(shape) where the numbers of arguments differ, Error(binding) if the function does not occur.
///
///     UnknownFunction u("u");
///     substitute(u.derivative_at({t}, {2}) + u(t), u, Function("wave", {t}, sin(t)));   // 0
[[nodiscard]] Expr substitute(const Expr& expression, const UnknownFunction& unknown, const Function& known);
/// Entry by entry; a binding must hit at least one entry.
[[nodiscard]] Matrix substitute(const Matrix& matrix, const Bindings& bindings, Unused unused = Unused::error);
/// Entry by entry.
[[nodiscard]] Matrix derivative(const Matrix& matrix, const Expr& variable, int order = 1);

/// Carries out every unevaluated derivative in the expression.
[[nodiscard]] Expr evaluate_derivatives(const Expr& expression);

}  // namespace boreon
