// SPDX-License-Identifier: MIT
#include "algebra/groebner/modular_basis.hpp"

#include <algorithm>
#include <deque>

#include "algebra/groebner/critical_pairs.hpp"
#include "algebra/groebner/elimination.hpp"
#include "algebra/polynomial/prime_field.hpp"

namespace boreon::poly {
namespace {

void make_monic(std::vector<std::uint32_t>& c, std::uint32_t p) {
  if (c[0] == 1) return;
  const std::uint64_t by = PrimeField(p).inv(c[0]);
  for (std::uint32_t& x : c) x = static_cast<std::uint32_t>(x * by % p);
}

}  // namespace

bool ModularBasis::generators_modulo(std::uint32_t prime, ModularCoefficients& out) const {
  out.clear();
  for (const IntegerPolynomial& g : generators_) {
    std::vector<std::uint32_t> c;
    for (const mpz_class& k : g.coefficients) {
      c.push_back(static_cast<std::uint32_t>(mpz_fdiv_ui(k.get_mpz_t(), prime)));
      if (c.back() == 0) return false;
    }
    make_monic(c, prime);
    out.push_back(std::move(c));
  }
  return true;
}

// The course of one prime, written down.
class BasisSearch {
 public:
  BasisSearch(ModularBasis& to, std::uint32_t prime) : to_(to), table_(to.table_), prime_(prime), pairs_(table_) {}

  bool run() {
    if (!to_.generators_modulo(prime_, values_)) return false;
    for (std::size_t i = 0; i < values_.size(); ++i) {
      const auto& m = to_.generators_[i].monomials;
      support_.emplace_back(m.begin(), m.end());
      std::uint32_t degree = 0;
      for (const MonomialId k : m) degree = std::max(degree, table_.degree(k));
      waiting_.push_back({degree, static_cast<std::uint32_t>(i)});
    }
    std::stable_sort(waiting_.begin(), waiting_.end());
    while (!pairs_.empty() || !waiting_.empty()) {
      std::uint32_t degree = pairs_.empty() ? ~std::uint32_t{0} : pairs_.least_degree();
      if (!waiting_.empty()) degree = std::min(degree, waiting_.front().degree);
      step(degree);
      if (is_everything()) break;
    }
    last_step();
    return true;
  }

 private:
  struct Waiting {
    std::uint32_t degree;
    std::uint32_t polynomial;
    bool operator<(const Waiting& o) const { return degree < o.degree; }
  };
  // A row before its columns are known.
  struct Multiple {
    std::uint32_t polynomial;
    std::vector<MonomialId> monomials;
  };

  [[nodiscard]] bool is_everything() const {
    return std::any_of(pairs_.active().begin(), pairs_.active().end(),
                       [&](std::uint32_t k) { return table_.degree(pairs_.leading(k)) == 0; });
  }

  void begin_matrix() {
    pivots_.clear();
    rows_.clear();
    seen_.clear();
  }

  // 0: not met, 1: a column, 2: a column that begins a row to reduce by
  std::uint8_t& mark(MonomialId m) {
    if (m >= marks_.size()) marks_.resize(std::max<std::size_t>(table_.size(), m + 1), 0);
    return marks_[m];
  }

  Multiple multiple(std::uint32_t polynomial, MonomialId by) {
    Multiple out{polynomial, {}};
    out.monomials.reserve(support_[polynomial].size());
    for (const MonomialId m : support_[polynomial]) {
      const MonomialId k = table_.product(m, by);
      out.monomials.push_back(k);
      if (mark(k) == 0) {
        mark(k) = 1;
        seen_.push_back(k);
      }
    }
    charge(4 * out.monomials.size());
    return out;
  }

  // Rows for all monomials that some leading monomial divides.
  void add_reducers() {
    for (std::size_t i = 0; i < seen_.size(); ++i) {
      const MonomialId m = seen_[i];
      if (mark(m) == 2) continue;
      if (const auto k = pairs_.divisor_of(m)) {
        mark(m) = 2;
        pivots_.push_back(multiple(*k, table_.quotient(m, pairs_.leading(*k))));
      }
    }
  }

  void step(std::uint32_t degree) {
    begin_matrix();
    while (!waiting_.empty() && waiting_.front().degree == degree) {
      rows_.push_back(multiple(waiting_.front().polynomial, table_.one()));
      waiting_.pop_front();
    }
    if (!pairs_.empty() && pairs_.least_degree() == degree) {
      for (const PairGroup& g : pairs_.take(degree)) {
        bool first = mark(g.lcm) != 2;
        for (const std::uint32_t k : g.polynomials) {
          Multiple row = multiple(k, table_.quotient(g.lcm, pairs_.leading(k)));
          (first ? pivots_ : rows_).push_back(std::move(row));
          if (first) mark(g.lcm) = 2;
          first = false;
        }
      }
    }
    add_reducers();
    const std::size_t before = support_.size();
    eliminate(false);
    std::vector<std::uint32_t> fresh;
    for (std::size_t k = before; k < support_.size(); ++k) fresh.push_back(static_cast<std::uint32_t>(k));
    std::sort(fresh.begin(), fresh.end(),
              [&](std::uint32_t a, std::uint32_t b) { return table_.larger(support_[b][0], support_[a][0]); });
    for (const std::uint32_t k : fresh) pairs_.insert(k, support_[k][0]);
  }

  // The elements that are needed, each free of the leading monomials of the others.
  void last_step() {
    begin_matrix();
    std::vector<std::uint32_t> last;
    for (const std::uint32_t k : pairs_.active()) {
      if (pairs_.divisor_of(pairs_.leading(k)) == k) last.push_back(k);
    }
    if (is_everything()) std::erase_if(last, [&](std::uint32_t k) { return table_.degree(pairs_.leading(k)) != 0; });
    std::sort(last.begin(), last.end(),
              [&](std::uint32_t a, std::uint32_t b) { return table_.larger(pairs_.leading(b), pairs_.leading(a)); });
    for (const std::uint32_t k : last) {
      rows_.push_back(multiple(k, table_.one()));
      mark(pairs_.leading(k)) = 2;
    }
    const std::size_t own = rows_.size();
    add_reducers();
    for (std::size_t i = 0; i < own; ++i) pivots_.push_back(rows_[i]);
    const std::size_t before = support_.size();
    eliminate(true);
    to_.supports_.assign(support_.begin() + static_cast<std::ptrdiff_t>(before), support_.end());
    to_.learned_.assign(values_.begin() + static_cast<std::ptrdiff_t>(before), values_.end());
  }

  void eliminate(bool tails) {
    std::sort(seen_.begin(), seen_.end(), [&](MonomialId a, MonomialId b) { return table_.larger(a, b); });
    charge(20 * seen_.size());
    if (column_.size() < table_.size()) column_.resize(table_.size());
    for (std::size_t c = 0; c < seen_.size(); ++c) {
      column_[seen_[c]] = static_cast<std::uint32_t>(c);
      marks_[seen_[c]] = 0;
    }
    const auto with_columns = [&](std::vector<Multiple>& from) {
      std::vector<ModularBasis::Row> out;
      out.reserve(from.size());
      for (Multiple& m : from) {
        for (MonomialId& k : m.monomials) k = column_[k];
        out.push_back({m.polynomial, std::move(m.monomials)});
      }
      return out;
    };
    ModularBasis::Step done;
    done.columns = static_cast<std::uint32_t>(seen_.size());
    done.tails = tails;
    std::vector<ModularBasis::Row> pivots = with_columns(pivots_);
    std::vector<ModularBasis::Row> rows = with_columns(rows_);
    RowElimination elimination(prime_, seen_.size());
    for (const auto& p : pivots) elimination.pivot(p.columns, values_[p.polynomial]);
    std::deque<std::vector<std::uint32_t>> columns;  // new rows are reduced by in their turn, where they are
    std::deque<std::vector<std::uint32_t>> values;
    std::vector<std::uint32_t> left;
    std::vector<std::uint32_t> left_values;
    for (ModularBasis::Row& r : rows) {
      elimination.reduce(r.columns, values_[r.polynomial], tails, left, left_values);
      if (left.empty()) continue;
      make_monic(left_values, prime_);
      columns.push_back(left);
      values.push_back(left_values);
      if (!tails) elimination.pivot(columns.back(), values.back());
      done.rows.push_back(std::move(r));
      done.result.push_back(left);
    }
    for (ModularBasis::Row& p : pivots) {
      if (elimination.used(p.columns[0])) done.pivots.push_back(std::move(p));
    }
    for (std::size_t i = 0; i < columns.size(); ++i) {
      std::vector<MonomialId> support;
      support.reserve(columns[i].size());
      for (const std::uint32_t c : columns[i]) support.push_back(seen_[c]);
      support_.push_back(std::move(support));
      values_.push_back(std::move(values[i]));
    }
    if (!done.rows.empty()) to_.steps_.push_back(std::move(done));
  }

  ModularBasis& to_;
  MonomialTable& table_;
  std::uint32_t prime_;
  CriticalPairs pairs_;
  std::deque<Waiting> waiting_;
  std::vector<std::vector<MonomialId>> support_;
  ModularCoefficients values_;
  std::vector<Multiple> pivots_;
  std::vector<Multiple> rows_;
  std::vector<MonomialId> seen_;
  std::vector<std::uint8_t> marks_;
  std::vector<std::uint32_t> column_;
};

bool ModularBasis::learn(std::uint32_t prime) {
  steps_.clear();
  return BasisSearch(*this, prime).run();
}

bool ModularBasis::follow(std::uint32_t prime, ModularCoefficients& out) const {
  ModularCoefficients values;
  if (!generators_modulo(prime, values)) return false;
  std::vector<std::uint32_t> left;
  std::vector<std::uint32_t> left_values;
  std::size_t before = values.size();
  for (const Step& s : steps_) {
    before = values.size();
    RowElimination elimination(prime, s.columns);
    values.reserve(values.size() + s.rows.size());  // the rows to reduce by stay where they are
    for (const Row& p : s.pivots) elimination.pivot(p.columns, values[p.polynomial]);
    for (std::size_t i = 0; i < s.rows.size(); ++i) {
      elimination.reduce(s.rows[i].columns, values[s.rows[i].polynomial], s.tails, left, left_values);
      const std::vector<std::uint32_t>& expected = s.result[i];
      if (left.empty() || left[0] != expected[0] || left.size() > expected.size()) return false;
      std::vector<std::uint32_t> c(expected.size(), 0);
      std::size_t k = 0;
      for (std::size_t at = 0; at < left.size(); ++at, ++k) {
        while (k < expected.size() && expected[k] != left[at]) ++k;
        if (k == expected.size()) return false;
        c[k] = left_values[at];
      }
      make_monic(c, prime);
      values.push_back(std::move(c));
      if (!s.tails) elimination.pivot(expected, values.back());
    }
  }
  out.assign(std::make_move_iterator(values.begin() + static_cast<std::ptrdiff_t>(before)),
             std::make_move_iterator(values.end()));
  return true;
}

}  // namespace boreon::poly
