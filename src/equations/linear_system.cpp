// SPDX-License-Identifier: MIT
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/linear_algebra.hpp"
#include "boreon/simplify.hpp"
#include "boreon/traverse.hpp"
#include "equations/system.hpp"

#include <algorithm>

#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"

namespace boreon::equations {
namespace {

constexpr std::size_t most_dense = 40;

bool free_of(const Expr& e, std::span<const Expr> unknowns) {
  return std::none_of(unknowns.begin(), unknowns.end(), [&](const Expr& u) { return depends_on(e, u); });
}

}  // namespace

std::optional<Candidates> linear_system(std::span<const Expr> equations, std::span<const Expr> unknowns) {
  const ExprList equation_list(equations);
  const ExprList unknown_list(unknowns);
  const SparseMatrix j = sparse_jacobian(equation_list, unknown_list);
  for (const Expr& v : j.values) {
    if (!free_of(v, unknowns)) return std::nullopt;
  }
  Bindings zero;
  for (const Expr& u : unknowns) zero.set(u, 0);
  std::vector<Expr> right;
  for (const Expr& e : equations) right.push_back(expand(-substitute(e, zero, Unused::allowed)));
  Candidates out;
  out.steps.emplace_back("linear equations by elimination");
  const std::size_t n = unknowns.size();
  if (n > most_dense && equations.size() == n) {
    std::vector<std::optional<Expr>> values;
    for (Expr& v : solve_linear(j, right)) values.emplace_back(std::move(v));
    out.values.push_back(std::move(values));
    out.conditions.emplace_back();
    out.distinct = true;  // long ones stay as the elimination left them
    return out;
  }
  Matrix m(static_cast<Eigen::Index>(equations.size()), static_cast<Eigen::Index>(n + 1));
  m.setConstant(Expr(0));
  for (std::size_t i = 0; i < equations.size(); ++i) {
    for (auto k = static_cast<std::size_t>(j.pattern.row_start[i]);
         k < static_cast<std::size_t>(j.pattern.row_start[i + 1]); ++k)
      m(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(j.pattern.columns[k])) = j.values[k];
    m(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(n)) = right[i];
  }
  // where the determinant vanishes there are more solutions or none, whether or not it divides the answer
  constexpr std::size_t most_of_determinant = 8;
  if (equations.size() == n && n <= most_of_determinant) {
    const Expr d = determinant(Matrix(m.leftCols(static_cast<Eigen::Index>(n))));
    if (d.has_symbols()) out.nonzero.push_back(d);
  }
  const Matrix r = reduced_row_echelon_form(m);
  std::vector<std::optional<Expr>> values(n);
  for (Eigen::Index row = 0; row < r.rows(); ++row) {
    Eigen::Index pivot = 0;
    while (pivot < r.cols() && r(row, pivot).is_integer(0)) ++pivot;
    if (pivot == r.cols()) break;
    if (pivot == static_cast<Eigen::Index>(n)) {
      out.contradiction = "the equations contradict each other: a combination of them says 0 = 1";
      return out;
    }
    Expr value = r(row, static_cast<Eigen::Index>(n));
    for (Eigen::Index c = pivot + 1; c < static_cast<Eigen::Index>(n); ++c)
      value -= r(row, c) * unknowns[static_cast<std::size_t>(c)];
    if (const Expr d = quotient(value).denominator; d.has_symbols()) out.nonzero.push_back(d);
    values[static_cast<std::size_t>(pivot)] = value;
  }
  out.values.push_back(std::move(values));
  out.conditions.emplace_back();
  return out;
}

}  // namespace boreon::equations
