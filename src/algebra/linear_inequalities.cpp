// SPDX-License-Identifier: MIT
#include "algebra/linear_inequalities.hpp"

#include <algorithm>
#include <optional>

#include "algebra/linear_terms.hpp"
#include "boreon/symbol.hpp"
#include "boreon/traverse.hpp"

namespace boreon {
namespace {

constexpr std::size_t most_rows = 300;
constexpr std::size_t most_terms = 12;

struct Row {
  std::vector<Number> coefficients;
  Number constant;
  bool strict;
};

// The inequalities as rows over their terms; nothing if they are too many or not exact.
std::optional<std::vector<Row>> rows_of(const std::vector<Inequality>& inequalities) {
  std::vector<Expr> terms;
  const auto place = [&](const Expr& term) {
    const auto at = std::find(terms.begin(), terms.end(), term);
    if (at != terms.end()) return static_cast<std::size_t>(at - terms.begin());
    terms.push_back(term);
    return terms.size() - 1;
  };
  std::vector<Row> rows;
  for (const Inequality& q : inequalities) {
    Row row{{}, 0, q.strict};
    for (const LinearTerm& t : linear_terms(q.amount)) {
      if (!t.coefficient.is_exact()) return std::nullopt;
      if (t.term.is_integer(1)) {
        row.constant = row.constant + t.coefficient;
        continue;
      }
      const std::size_t k = place(t.term);
      if (terms.size() > most_terms) return std::nullopt;
      if (row.coefficients.size() <= k) row.coefficients.resize(k + 1, Number(0));
      row.coefficients[k] = row.coefficients[k] + t.coefficient;
    }
    rows.push_back(std::move(row));
  }
  for (Row& r : rows) r.coefficients.resize(terms.size(), Number(0));
  for (std::size_t k = 0; k < terms.size(); ++k) {
    for (const int sign : {1, -1}) {
      const Expr side = sign > 0 ? terms[k] : -terms[k];
      if (!is_nonnegative(side)) continue;
      Row r{std::vector<Number>(terms.size(), Number(0)), 0, is_positive(side)};
      r.coefficients[k] = Number(sign);
      rows.push_back(std::move(r));
    }
  }
  return rows;
}

}  // namespace

bool contradict(const std::vector<Inequality>& inequalities) {
  auto known = rows_of(inequalities);
  if (!known) return false;
  std::vector<Row> rows = std::move(*known);
  const std::size_t n = rows.empty() ? 0 : rows.front().coefficients.size();
  for (std::size_t k = 0; k < n; ++k) {
    std::vector<Row> rest;
    std::vector<Row> above;
    std::vector<Row> below;
    for (Row& r : rows) {
      const int s = r.coefficients[k].sign();
      (s == 0 ? rest : s > 0 ? above : below).push_back(std::move(r));
    }
    if (rest.size() + above.size() * below.size() > most_rows) return false;
    for (const Row& a : above) {
      for (const Row& b : below) {
        Row sum{std::vector<Number>(n, Number(0)), 0, a.strict || b.strict};
        const Number p = -b.coefficients[k];
        const Number& q = a.coefficients[k];
        for (std::size_t i = 0; i < n; ++i) sum.coefficients[i] = p * a.coefficients[i] + q * b.coefficients[i];
        sum.constant = p * a.constant + q * b.constant;
        rest.push_back(std::move(sum));
      }
    }
    rows = std::move(rest);
  }
  return std::any_of(rows.begin(), rows.end(),
                     [](const Row& r) { return r.constant.sign() < 0 || (r.strict && r.constant.is_zero()); });
}

}  // namespace boreon
