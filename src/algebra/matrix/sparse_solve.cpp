// SPDX-License-Identifier: MIT
// Linear equations whose answers share their parts: Gaussian elimination with Markowitz pivots (Management Science 3,
// 1957).
#include <algorithm>
#include <limits>
#include <map>

#include "algebra/matrix/shared_elimination.hpp"
#include "boreon/error.hpp"
#include "boreon/linear_algebra.hpp"
#include "boreon/simplify.hpp"

namespace boreon {
namespace {

// Whether the entry is the zero function, as far as numbers at random points tell; exact zeros are found at once.
bool vanishes(const Expr& e) {
  if (e.is_integer(0)) return true;
  if (e.is_number() || e.is(Kind::symbol)) return false;
  SimplifyOptions options;
  options.points = 2;
  const Comparison c = compare(e, 0, options);
  return c.agrees && c.points > 0;
}

}  // namespace

std::vector<std::vector<Expr>> eliminate_shared(std::vector<std::map<std::size_t, Expr>> rows,
                                                std::vector<std::vector<Expr>> right) {
  const std::size_t n = rows.size();
  std::vector<std::vector<std::size_t>> columns(n);  // rows that may have an entry
  for (std::size_t i = 0; i < n; ++i) {
    for (const auto& [j, e] : rows[i]) columns[j].push_back(i);
  }
  std::vector<char> done(n, 0);
  std::vector<std::pair<std::size_t, std::size_t>> pivots;
  for (std::size_t step = 0; step < n; ++step) {
    std::size_t pivot_row = n;
    std::size_t pivot_column = n;
    std::size_t best = std::numeric_limits<std::size_t>::max();
    std::vector<std::size_t> column_count(n, 0);
    for (std::size_t i = 0; i < n; ++i) {
      if (done[i] != 0) continue;
      for (const auto& [j, e] : rows[i]) ++column_count[j];
    }
    for (std::size_t i = 0; i < n; ++i) {
      if (done[i] != 0) continue;
      for (auto it = rows[i].begin(); it != rows[i].end();) {
        const std::size_t fill = (rows[i].size() - 1) * (column_count[it->first] - 1);
        if (fill < best) {
          if (vanishes(it->second)) {
            it = rows[i].erase(it);
            continue;
          }
          best = fill;
          pivot_row = i;
          pivot_column = it->first;
        }
        ++it;
      }
    }
    if (pivot_row == n)
      throw Error(ErrorKind::domain, "the linear system is singular: its matrix has rank " + std::to_string(step) +
                                         ", not " + std::to_string(n));
    done[pivot_row] = 1;
    pivots.emplace_back(pivot_row, pivot_column);
    const Expr p = rows[pivot_row].at(pivot_column);
    const auto affected = columns[pivot_column];
    for (const std::size_t i : affected) {
      if (done[i] != 0) continue;
      const auto at = rows[i].find(pivot_column);
      if (at == rows[i].end()) continue;
      const Expr m = at->second / p;
      rows[i].erase(at);
      for (const auto& [j, e] : rows[pivot_row]) {
        if (j == pivot_column) continue;
        const auto [slot, fresh] = rows[i].try_emplace(j, 0);
        slot->second = slot->second - m * e;
        if (fresh) columns[j].push_back(i);
        if (slot->second.is_integer(0)) rows[i].erase(slot);
      }
      for (auto& b : right) b[i] = b[i] - m * b[pivot_row];
    }
  }
  std::vector<std::vector<Expr>> answers;
  for (const auto& b : right) {
    std::vector<Expr>& x = answers.emplace_back(n);
    for (std::size_t k = n; k-- > 0;) {
      const auto [i, c] = pivots[k];
      Expr s = b[i];
      for (const auto& [j, e] : rows[i]) {
        if (j != c) s = s - e * x[j];
      }
      x[c] = s / rows[i].at(c);
    }
  }
  return answers;
}

std::vector<Expr> solve_linear(const SparseMatrix& a, const ExprList& b) {
  const std::size_t n = a.pattern.rows;
  if (a.pattern.cols != n)
    throw Error(ErrorKind::shape, "a linear system needs a square matrix; this one has " + std::to_string(n) +
                                      " rows and " + std::to_string(a.pattern.cols) + " columns");
  if (b.size() != n)
    throw Error(ErrorKind::shape, "the right-hand side has " + std::to_string(b.size()) +
                                      " components, the matrix has " + std::to_string(n) + " rows");
  std::vector<std::map<std::size_t, Expr>> rows(n);
  for (std::size_t i = 0; i < n; ++i) {
    for (auto k = static_cast<std::size_t>(a.pattern.row_start[i]);
         k < static_cast<std::size_t>(a.pattern.row_start[i + 1]); ++k) {
      if (!a.values[k].is_integer(0)) rows[i].emplace(static_cast<std::size_t>(a.pattern.columns[k]), a.values[k]);
    }
  }
  return eliminate_shared(std::move(rows), {{b.begin(), b.end()}})[0];
}

}  // namespace boreon
