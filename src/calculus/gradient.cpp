// SPDX-License-Identifier: MIT
// Reverse sweep: from one expression to the derivatives by all variables at once.
#include "boreon/calculus.hpp"

#include <algorithm>
#include <numeric>
#include <string>
#include <unordered_map>

#include "boreon/error.hpp"
#include "boreon/matrix.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/rules.hpp"

namespace boreon {
namespace {

// Which of a fixed set of variables an expression is, and which of them occur in it.
class Variables {
 public:
  explicit Variables(std::span<const Expr> variables)
      : all_(variables.begin(), variables.end()), index_(variables.size()) {
    for (std::size_t i = 0; i < all_.size(); ++i) {
      if (!all_[i].is(Kind::symbol) && !all_[i].is(Kind::unknown_call) && !all_[i].is(Kind::element)) {
        throw Error(ErrorKind::usage,
                    "a derivative is taken with respect to a symbol, an element of an array or an unknown function, "
                    "not a number or a compound expression");
      }
      const auto [slot, fresh] = index_.insert(all_[i]);
      if (!fresh) throw Error(ErrorKind::name, "the variable " + to_text(all_[i]) + " is listed twice");
      *slot = i;
      if (all_[i].is(Kind::symbol)) {
        const auto [at, first] = names_.emplace(all_[i].name(), i);
        if (!first) reject_namesakes(all_[at->second], all_[i]);
      }
      filter_ |= all_[i].symbol_filter();
      if (all_[i].is(Kind::element)) {
        open_ = true;
      } else if (const auto name = element_name(all_[i].name())) {
        of_array_[name->array].push_back(i);
      }
    }
  }
  /// The variables that an element with an open index may be.
  [[nodiscard]] std::span<const std::size_t> same_array(const Expr& element) const {
    if (of_array_.empty()) return {};
    const auto at = of_array_.find(element.operands()[0].name());
    return at == of_array_.end() ? std::span<const std::size_t>() : at->second;
  }
  [[nodiscard]] bool open() const { return open_; }  ///< whether one is an element with an open index
  [[nodiscard]] const std::size_t* find(const Expr& e) const {
    return e.is(Kind::symbol) || e.is(Kind::unknown_call) ? index_.find(e) : nullptr;
  }
  /// Throws Error(binding) for a symbol that has the name of a variable but is none.
  void check(const Expr& symbol) const {
    if (const auto at = names_.find(symbol.name()); at != names_.end() && are_namesakes(all_[at->second], symbol))
      reject_namesakes(all_[at->second], symbol);
  }
  [[nodiscard]] std::uint32_t filter() const { return filter_; }
  [[nodiscard]] const std::vector<Expr>& all() const { return all_; }

 private:
  std::vector<Expr> all_;
  NodeMap<std::size_t> index_;
  std::unordered_map<std::string, std::size_t> names_;
  std::unordered_map<std::string, std::vector<std::size_t>> of_array_;
  bool open_ = false;
  std::uint32_t filter_ = 0;
};

// Entries (variable, derivative) of one row, ascending in the variable.
struct Entry {
  std::size_t variable;
  Expr value;
};

bool differentiable_inside(const Expr& e) {
  switch (e.kind()) {
    case Kind::sum:
    case Kind::product:
    case Kind::power:
    case Kind::call:
    case Kind::unknown_call: return true;
    default: return false;
  }
}

// The variables that occur below a node, bound ones included (their derivatives come out as zero).
std::vector<std::size_t> occurring(const Expr& root, const Variables& variables) {
  std::vector<std::size_t> found;
  postorder(
      std::span<const Expr>(&root, 1),
      [&](const Expr& e) {
        if (const std::size_t* v = variables.find(e)) {
          found.push_back(*v);
        } else if (e.is(Kind::element)) {
          const auto all = variables.same_array(e);
          found.insert(found.end(), all.begin(), all.end());
        }
      },
      [&](const Expr& e) { return (e.symbol_filter() & variables.filter()) != 0 && variables.find(e) == nullptr; });
  std::sort(found.begin(), found.end());
  found.erase(std::unique(found.begin(), found.end()), found.end());
  return found;
}

// One reverse sweep after another over rows of a system; what they allocate is kept from row to row.
class ReverseSweep {
 public:
  explicit ReverseSweep(const Variables& variables) : variables_(variables) {}

  /// The nonzero entries of the row of `root`; with `derive` false only their places.
  std::vector<Entry> operator()(const Expr& root, bool derive) {
    std::vector<Entry> row;
    if (variables_.open()) {  // one element may be several of the variables
      for (std::size_t i = 0; i < variables_.all().size(); ++i) {
        Expr d = derivative(root, variables_.all()[i]);
        if (!d.is_integer(0)) row.push_back({i, std::move(d)});
      }
      return row;
    }
    if (!touches(root)) return row;
    if (is_condition(root)) throw Error(ErrorKind::shape, "a condition (true or false) has no derivative");
    collect(root);
    const std::int32_t top = index_.at(root);
    if (top >= 0) {
      if (adjoints_.size() < nodes_.size()) adjoints_.resize(nodes_.size());
      adjoints_[static_cast<std::size_t>(top)].emplace_back(1);
      for (std::size_t k = nodes_.size(); k-- > 0;) propagate(k, derive, row);
    }
    index_.clear();
    nodes_.clear();
    return merged(std::move(row), derive);
  }

 private:
  [[nodiscard]] bool touches(const Expr& e) const { return (e.symbol_filter() & variables_.filter()) != 0; }
  [[nodiscard]] bool enters(const Expr& e) const {
    return touches(e) && differentiable_inside(e) && variables_.find(e) == nullptr;
  }

  // Numbers the nodes that lead to a variable, operands first; the others get -1.
  void collect(const Expr& root) {
    stack_.clear();
    stack_.push_back({&root, 0, false});
    index_[root] = -1;
    while (!stack_.empty()) {
      Frame& frame = stack_.back();
      const Expr& e = *frame.expr;
      const auto operands = e.operands();
      if (frame.next == 0 && !enters(e)) frame.next = operands.size();
      if (frame.next < operands.size()) {
        const Expr& child = operands[frame.next++];
        if (!touches(child)) continue;
        const auto [slot, fresh] = index_.insert(child);
        if (fresh) {
          *slot = -1;
          stack_.push_back({&child, 0, false});
        } else if (*slot >= 0) {
          frame.active = true;
        }
        continue;
      }
      if (e.is(Kind::symbol)) variables_.check(e);
      const bool active = frame.active || is_end(e);
      if (active) {
        index_.at(e) = static_cast<std::int32_t>(nodes_.size());
        nodes_.push_back(&e);
      }
      stack_.pop_back();
      if (active && !stack_.empty()) stack_.back().active = true;
    }
  }

  // A variable, or a node that is derived as a whole and holds one.
  [[nodiscard]] bool is_end(const Expr& e) const {
    if (variables_.find(e) != nullptr) return true;
    return !differentiable_inside(e) && !e.operands().empty() && !e.is(Kind::relation) && !e.is(Kind::logic) &&
           !occurring(e, variables_).empty();
  }

  [[nodiscard]] bool active(const Expr& e) const {
    const std::int32_t* i = index_.find(e);
    return i != nullptr && *i >= 0;
  }

  void propagate(std::size_t k, bool derive, std::vector<Entry>& row) {
    const Expr& e = *nodes_[k];
    std::vector<Expr>& contributions = adjoints_[k];
    Expr adjoint;
    if (derive) {
      if (contributions.empty()) return;
      adjoint = contributions.size() == 1 ? contributions[0] : add(contributions);
      contributions.clear();
      if (adjoint.is_integer(0)) return;
    } else {
      contributions.clear();
    }
    if (const std::size_t* v = variables_.find(e)) {
      row.push_back({*v, adjoint});
      return;
    }
    if (differentiable_inside(e)) {
      if (!derive) return;
      local_partials(
          e, [&](const Expr& child) { return active(child); },
          [&](const Expr& child, Expr partial) {
            adjoints_[static_cast<std::size_t>(index_.at(child))].push_back(
                adjoint.is_integer(1) ? std::move(partial) : std::move(partial) * adjoint);
          });
      return;
    }
    // Piecewise and operators: few variables as a rule; each one is derived forward through the node.
    for (const std::size_t i : occurring(e, variables_)) {
      if (!derive) {
        row.push_back({i, 0});
        continue;
      }
      Expr d = derivative(e, variables_.all()[i]);
      if (!d.is_integer(0)) row.push_back({i, adjoint * d});
    }
  }

  static std::vector<Entry> merged(std::vector<Entry> row, bool derive) {
    std::sort(row.begin(), row.end(), [](const Entry& a, const Entry& b) { return a.variable < b.variable; });
    std::size_t kept = 0;
    for (std::size_t i = 0; i < row.size(); ++i) {
      if (kept > 0 && row[kept - 1].variable == row[i].variable) {
        row[kept - 1].value += row[i].value;
      } else {
        if (kept != i) row[kept] = std::move(row[i]);
        ++kept;
      }
    }
    row.resize(kept);
    if (derive) std::erase_if(row, [](const Entry& entry) { return entry.value.is_integer(0); });
    return row;
  }

  struct Frame {
    const Expr* expr;
    std::size_t next;
    bool active;  // some operand leads to a variable
  };
  const Variables& variables_;
  NodeMap<std::int32_t> index_;
  std::vector<const Expr*> nodes_;
  std::vector<std::vector<Expr>> adjoints_;  // contributions by node, summed when the node is reached
  std::vector<Frame> stack_;
};

SparseMatrix assemble(std::span<const Expr> expressions, const Variables& variables, bool derive, bool upper_only) {
  SparseMatrix m;
  m.pattern.rows = expressions.size();
  m.pattern.cols = variables.all().size();
  m.pattern.row_start.push_back(0);
  ReverseSweep sweep(variables);
  for (std::size_t i = 0; i < expressions.size(); ++i) {
    for (Entry& entry : sweep(expressions[i], derive)) {
      if (upper_only && entry.variable < i) continue;
      m.pattern.columns.push_back(static_cast<std::int64_t>(entry.variable));
      if (derive) m.values.push_back(std::move(entry.value));
    }
    m.pattern.row_start.push_back(static_cast<std::int64_t>(m.pattern.columns.size()));
  }
  return m;
}

}  // namespace

std::vector<Expr> gradient(const Expr& expression, const ExprList& variables) {
  const Variables v(variables);
  std::vector<Expr> result(variables.size());
  for (Entry& entry : ReverseSweep(v)(expression, true)) result[entry.variable] = std::move(entry.value);
  return result;
}

SparsityPattern sparsity(const ExprList& expressions, const ExprList& variables) {
  return assemble(expressions, Variables(variables), false, false).pattern;
}

SparseMatrix sparse_jacobian(const ExprList& expressions, const ExprList& variables) {
  return assemble(expressions, Variables(variables), true, false);
}

SparseMatrix sparse_hessian(const Expr& expression, const ExprList& variables) {
  const Variables v(variables);
  std::vector<Expr> first(variables.size());
  for (Entry& entry : ReverseSweep(v)(expression, true)) first[entry.variable] = std::move(entry.value);
  const SparseMatrix upper = assemble(first, v, true, true);
  // Mirror the strict upper triangle into the rows below.
  const std::size_t n = variables.size();
  std::vector<std::vector<std::pair<std::int64_t, const Expr*>>> rows(n);
  for (std::size_t i = 0; i < n; ++i) {
    for (auto k = static_cast<std::size_t>(upper.pattern.row_start[i]);
         k < static_cast<std::size_t>(upper.pattern.row_start[i + 1]); ++k) {
      const auto j = static_cast<std::size_t>(upper.pattern.columns[k]);
      if (j != i) rows[j].emplace_back(static_cast<std::int64_t>(i), &upper.values[k]);
    }
  }
  SparseMatrix h;
  h.pattern.rows = h.pattern.cols = n;
  h.pattern.row_start.push_back(0);
  for (std::size_t i = 0; i < n; ++i) {
    for (const auto& [j, value] : rows[i]) {
      h.pattern.columns.push_back(j);
      h.values.push_back(*value);
    }
    for (auto k = static_cast<std::size_t>(upper.pattern.row_start[i]);
         k < static_cast<std::size_t>(upper.pattern.row_start[i + 1]); ++k) {
      h.pattern.columns.push_back(upper.pattern.columns[k]);
      h.values.push_back(upper.values[k]);
    }
    h.pattern.row_start.push_back(static_cast<std::int64_t>(h.pattern.columns.size()));
  }
  return h;
}

Matrix hessian(const Expr& expression, const ExprList& variables) {
  return sparse_hessian(expression, variables).dense();
}

}  // namespace boreon
