// Sparse linear equations: Gaussian elimination with Markowitz pivots (Management Science 3, 1957).
#include <algorithm>
#include <limits>
#include <map>

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

std::vector<Expr> solve_linear(const SparseMatrix& a, std::span<const Expr> b) {
  const std::size_t n = a.pattern.rows;
  if (a.pattern.cols != n)
    throw Error(ErrorKind::shape, "a linear system needs a square matrix; this one has " + std::to_string(n) + " rows and " + std::to_string(a.pattern.cols) + " columns");
  if (b.size() != n) throw Error(ErrorKind::shape, "the right-hand side has " + std::to_string(b.size()) + " components, the matrix has " + std::to_string(n) + " rows");
  std::vector<std::map<std::size_t, Expr>> rows(n);
  std::vector<std::vector<std::size_t>> columns(n);  // rows that may have an entry
  for (std::size_t i = 0; i < n; ++i) {
    for (auto k = static_cast<std::size_t>(a.pattern.row_start[i]); k < static_cast<std::size_t>(a.pattern.row_start[i + 1]); ++k) {
      const auto j = static_cast<std::size_t>(a.pattern.columns[k]);
      if (a.values[k].is_integer(0)) continue;
      rows[i].emplace(j, a.values[k]);
      columns[j].push_back(i);
    }
  }
  std::vector<Expr> right(b.begin(), b.end());
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
    if (pivot_row == n) throw Error(ErrorKind::domain, "the linear system is singular: its matrix has rank " + std::to_string(step) + ", not " + std::to_string(n));
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
      right[i] = right[i] - m * right[pivot_row];
    }
  }
  std::vector<Expr> x(n);
  for (std::size_t k = n; k-- > 0;) {
    const auto [i, c] = pivots[k];
    Expr s = right[i];
    for (const auto& [j, e] : rows[i]) {
      if (j != c) s = s - e * x[j];
    }
    x[c] = s / rows[i].at(c);
  }
  return x;
}

}  // namespace boreon
