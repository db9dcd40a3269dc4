// SPDX-License-Identifier: MIT
#include "boreon/traverse.hpp"

#include <algorithm>
#include <limits>

#include "boreon/catalogue.hpp"

namespace boreon {

const Expr* bound_symbol(const Expr& e) {
  const auto operands = e.operands();
  if (e.is(Kind::integral) && operands.size() == 4) return &operands[1];
  if (e.is(Kind::reduction) || e.is(Kind::limit) || e.is(Kind::root)) return &operands[1];
  return nullptr;
}

namespace {

void collect_free(std::span<const Expr> roots, std::vector<Expr>& free) {
  // Most expressions bind nothing: one pass. A binding node is a leaf of that pass and is looked into on its own.
  // The name of an array in front of its indices is no variable: its elements are.
  std::vector<Expr> binders;
  std::vector<Expr> elements;
  postorder(
      roots,
      [&](const Expr& e) {
        if (e.is(Kind::symbol) && !is_function_head(e)) free.push_back(e);
        if (bound_symbol(e) != nullptr) binders.push_back(e);
        if (e.is(Kind::element)) elements.push_back(e);
      },
      [](const Expr& e) { return bound_symbol(e) == nullptr && !e.is(Kind::element); });
  for (const Expr& e : elements) {
    collect_free(e.operands().subspan(1), free);
    const Expr& head = e.operands()[0];
    for (std::size_t i = 1; i < head.operands().size(); i += 2) collect_free({&head.operands()[i], 1}, free);
  }
  for (const Expr& b : binders) {
    std::vector<Expr> inside;
    collect_free({&b.operands()[0], 1}, inside);
    std::erase(inside, *bound_symbol(b));
    free.insert(free.end(), inside.begin(), inside.end());
    collect_free(b.operands().subspan(2), free);
  }
}

}  // namespace

Expr Rebuild::operator()(const Expr& root) {
  if (const Expr* known = done_.find(root)) return *known;
  keep_.push_back(root);
  struct Frame {
    const Expr* expr;
    std::size_t next;
  };
  std::vector<Frame> stack;
  std::vector<Expr> operands;
  const auto enter = [&](const Expr& e) {
    if (done_.contains(e)) return;
    if (Expr result; replace_(e, result)) {
      done_[e] = std::move(result);
    } else if (e.operands().empty()) {
      done_[e] = e;
    } else {
      stack.push_back({&e, 0});
    }
  };
  enter(root);
  while (!stack.empty()) {
    Frame& top = stack.back();
    const Expr& e = *top.expr;
    const auto old = e.operands();
    if (top.next < old.size()) {
      enter(old[top.next++]);
      continue;
    }
    operands.clear();
    bool changed = false;
    for (const Expr& child : old) {
      operands.push_back(done_.at(child));
      changed = changed || !(operands.back() == child);
    }
    Expr result = changed ? with_operands(e, operands) : e;
    if (finish_) result = finish_(result);
    stack.pop_back();
    done_[e] = std::move(result);
  }
  return *done_.find(root);
}

std::vector<Symbol> free_symbols(std::span<const Expr> expressions) {
  std::vector<Expr> all;
  collect_free(expressions, all);
  std::sort(all.begin(), all.end(),
            [](const Expr& a, const Expr& b) { return a.name() != b.name() ? a.name() < b.name() : order(a, b) < 0; });
  all.erase(std::unique(all.begin(), all.end()), all.end());
  std::vector<Symbol> symbols;
  symbols.reserve(all.size());
  for (const Expr& e : all) symbols.push_back(Symbol::from(e));
  return symbols;
}

std::vector<Symbol> free_symbols(const Expr& expression) { return free_symbols({&expression, 1}); }

std::vector<Expr> unknown_calls(std::span<const Expr> expressions) {
  std::vector<Expr> calls;
  postorder(expressions, [&](const Expr& e) {
    if (e.is(Kind::unknown_call)) calls.push_back(e);
  });
  std::sort(calls.begin(), calls.end(),
            [](const Expr& a, const Expr& b) { return a.name() != b.name() ? a.name() < b.name() : order(a, b) < 0; });
  return calls;
}

bool depends_on(const Expr& expression, const Expr& symbol) {
  const std::uint32_t filter = symbol.symbol_filter();
  if ((expression.symbol_filter() & filter) == 0) return false;
  bool found = false;
  bool binders = false;
  postorder(
      std::span<const Expr>(&expression, 1),
      [&](const Expr& e) {
        found = found || e == symbol;
        binders = binders || bound_symbol(e) != nullptr;
      },
      [&](const Expr& e) { return !found && (e.symbol_filter() & filter) != 0; });
  if (!found || !binders) return found;
  const auto free = free_symbols(expression);
  return std::any_of(free.begin(), free.end(), [&](const Symbol& s) { return s == symbol; });
}

std::size_t node_count(const Expr& expression) {
  std::size_t n = 0;
  postorder(expression, [&](const Expr&) { ++n; });
  return n;
}

std::uint64_t tree_size(const Expr& expression) {
  NodeMap<std::uint64_t> sizes;
  postorder(expression, [&](const Expr& e) {
    std::uint64_t n = 1;
    for (const Expr& child : e.operands()) {
      const std::uint64_t m = sizes.at(child);
      n = n > std::numeric_limits<std::uint64_t>::max() - m ? std::numeric_limits<std::uint64_t>::max() : n + m;
    }
    sizes[e] = n;
  });
  return sizes.at(expression);
}

std::size_t operation_count(std::span<const Expr> expressions) {
  std::size_t n = 0;
  postorder(expressions, [&](const Expr& e) {
    switch (e.kind()) {
      case Kind::sum:
        n += e.operands()[0].is_integer(0) ? 0U : 1U;
        for (const auto [term, c] : Parts(e)) n += c.is_integer(1) || c.is_integer(-1) ? 1U : 2U;
        --n;
        break;
      case Kind::product:
        n += e.operands()[0].is_integer(1) ? 0U : 1U;
        for (const auto [base, exponent] : Parts(e)) n += exponent.is_integer(1) || exponent.is_integer(-1) ? 1U : 2U;
        --n;
        break;
      case Kind::power:
      case Kind::call:
      case Kind::unknown_call:
      case Kind::relation: ++n; break;
      case Kind::logic: n += std::max<std::size_t>(1, e.operands().size() - 1); break;
      case Kind::piecewise: n += e.operands().size() / 2; break;
      case Kind::integral:
      case Kind::reduction:
      case Kind::limit:
      case Kind::root:
      case Kind::derivative: ++n; break;
      default: break;  // reading an element is no operation
    }
  });
  return n;
}

std::size_t operation_count(const Expr& expression) { return operation_count({&expression, 1}); }

}  // namespace boreon
