// SPDX-License-Identifier: MIT
#include "model/highest_rates.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <utility>

#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"

namespace boreon {
namespace {

class RateElimination {
 public:
  RateElimination(const Model& model, const std::vector<std::size_t>& equations, const std::vector<Expr>& residuals,
                  const std::vector<Expr>& rates)
      : model_(model), equations_(equations), rates_(rates), rows_(rates.size()), solution_(rates.size()) {
    for (std::size_t j = 0; j < rates.size(); ++j) index_[rates[j]] = j;
    const SparseMatrix a = sparse_jacobian(residuals, rates);
    for (const Expr& value : a.values) {
      if (const auto found = rates_in(value); !found.empty())
        throw Error(ErrorKind::unsupported,
                    fmt::format("the highest derivatives occur nonlinearly in the equations; solve them for {} first",
                                to_text(rates[found[0]])));
    }
    Bindings zero;
    for (const Expr& r : rates) zero.set(r, 0);
    rest_ = substitute(residuals, zero, Unused::allowed);
    for (std::size_t i = 0; i < rows_.size(); ++i)
      a.pattern.each(i, [&](std::size_t k, std::size_t column) { rows_[i].emplace_back(column, a.values[k]); });
  }

  std::vector<Expr> solve() {
    if (each_on_its_own()) {
      for (std::size_t i = 0; i < rows_.size(); ++i) solution_[rows_[i][0].first] = -rest_[i] / rows_[i][0].second;
      return std::move(solution_);
    }
    std::vector<char> done(rows_.size(), 0);
    for (std::size_t step = 0; step < rows_.size(); ++step) eliminate(shortest(done), done);
    put_in();
    return std::move(solution_);
  }

 private:
  using Entry = std::pair<std::size_t, Expr>;

  // The rates that occur in an expression.
  [[nodiscard]] std::vector<std::size_t> rates_in(const Expr& e) const {
    std::vector<std::size_t> found;
    for (const Expr& c : unknown_calls({&e, 1})) {
      if (const std::size_t* j = index_.find(c)) found.push_back(*j);
    }
    return found;
  }

  // Mostly each equation has a rate of its own, and nothing is to be eliminated.
  [[nodiscard]] bool each_on_its_own() const {
    std::vector<char> taken(rows_.size(), 0);
    for (const auto& row : rows_) {
      if (row.size() != 1 || taken[row[0].first] != 0) return false;
      taken[row[0].first] = 1;
    }
    return true;
  }

  // The row with the fewest rates left is solved next, so that chains and triangles need no elimination.
  [[nodiscard]] std::size_t shortest(const std::vector<char>& done) const {
    std::size_t best = rows_.size();
    for (std::size_t i = 0; i < rows_.size(); ++i) {
      if (done[i] == 0 && (best == rows_.size() || rows_[i].size() < rows_[best].size())) best = i;
    }
    if (!rows_[best].empty()) return best;
    const ModelEquation& e = model_.equations[equations_[best]];
    throw Error(ErrorKind::unsupported,
                fmt::format("the equations cannot be solved for the highest derivatives: {} contains none that is left",
                            e.name),
                e.position);
  }

  // Solves a row for its first rate and takes that out of the others.
  void eliminate(std::size_t best, std::vector<char>& done) {
    const auto [column, pivot] = rows_[best].front();
    done[best] = 1;
    const std::vector<Entry> pivot_row(rows_[best].begin() + 1, rows_[best].end());
    for (std::size_t i = 0; i < rows_.size(); ++i) {
      if (done[i] != 0) continue;
      const auto at = place(rows_[i], column);
      if (at == rows_[i].end()) continue;
      const Expr factor = at->second / pivot;
      rows_[i].erase(at);
      rest_[i] = rest_[i] - factor * rest_[best];
      for (const auto& [j, v] : pivot_row) subtract(rows_[i], j, factor * v);
    }
    Expr sum = -rest_[best];
    for (const auto& [j, v] : pivot_row) sum -= v * rates_[j];
    solution_[column] = sum / pivot;
  }

  static std::vector<Entry>::iterator place(std::vector<Entry>& row, std::size_t column) {
    return std::find_if(row.begin(), row.end(), [column](const Entry& e) { return e.first == column; });
  }
  static void subtract(std::vector<Entry>& row, std::size_t column, const Expr& value) {
    const auto at = place(row, column);
    if (at == row.end()) {
      row.emplace_back(column, -value);
      return;
    }
    at->second = at->second - value;
    if (at->second.is_integer(0)) row.erase(at);
  }

  // Rates that a solved row still refers to, last solved first.
  void put_in() {
    for (std::size_t round = 0; round < solution_.size(); ++round) {
      bool any = false;
      for (Expr& s : solution_) {
        Bindings b;
        for (const std::size_t j : rates_in(s)) b.set(rates_[j], solution_[j]);
        if (b.empty()) continue;
        const Expr next = substitute(s, b, Unused::allowed);
        any = any || !(next == s);
        s = next;
      }
      if (!any) return;
    }
  }

  const Model& model_;
  const std::vector<std::size_t>& equations_;
  const std::vector<Expr>& rates_;
  NodeMap<std::size_t> index_;
  std::vector<Expr> rest_;
  std::vector<std::vector<Entry>> rows_;
  std::vector<Expr> solution_;
};

}  // namespace

std::vector<Expr> solve_for_rates(const Model& model, const std::vector<std::size_t>& equations,
                                  const std::vector<Expr>& residuals, const std::vector<Expr>& rates) {
  return RateElimination(model, equations, residuals, rates).solve();
}

}  // namespace boreon
