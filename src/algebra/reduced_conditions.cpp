// SPDX-License-Identifier: MIT
#include "algebra/reduced_conditions.hpp"

#include <algorithm>

#include "algebra/reasoner.hpp"
#include "boreon/algebra.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"

namespace boreon {
namespace {

bool is_logic(const Expr& e, LogicOp op) { return e.is(Kind::logic) && e.logic_op() == op; }

std::vector<Expr> parts_of(const Expr& e, LogicOp op) {
  if (!is_logic(e, op)) return {e};
  return {e.operands().begin(), e.operands().end()};
}

// The stronger says the more: what is weakest is asked first whether the rest says it already.
int strength(const Expr& e) {
  if (!e.is(Kind::relation)) return e.is(Kind::logic) ? 0 : 5;
  switch (e.relation_op()) {
    case RelationOp::not_equal: return 1;
    case RelationOp::less_equal: return 2;
    case RelationOp::less: return 3;
    case RelationOp::equal: return 4;
  }
  return 5;
}

// One comparison of a difference with zero: which of <0, =0, >0 it allows.
struct Sides {
  Expr difference;
  bool below = false;
  bool zero = false;
  bool above = false;
};

std::optional<Sides> sides_of(const Expr& e) {
  if (!e.is(Kind::relation)) return std::nullopt;
  Expr d = expand(e.operands()[0] - e.operands()[1]);
  const bool turned = order(-d, d) < 0;
  if (turned) d = expand(-d);
  if (!is_real(d)) return std::nullopt;
  switch (e.relation_op()) {
    case RelationOp::less: return Sides{d, !turned, false, turned};
    case RelationOp::less_equal: return Sides{d, !turned, true, turned};
    case RelationOp::equal: return Sides{d, false, true, false};
    case RelationOp::not_equal: return Sides{d, true, false, true};
  }
  return std::nullopt;
}

// The comparison that allows what either does; nothing if they are about different things.
std::optional<Expr> either(const Expr& a, const Expr& b) {
  const auto s = sides_of(a);
  const auto t = sides_of(b);
  if (!s || !t || !(s->difference == t->difference)) return std::nullopt;
  const bool below = s->below || t->below;
  const bool zero = s->zero || t->zero;
  const bool above = s->above || t->above;
  // in the words of the first
  const Expr& left = a.operands()[0];
  const Expr& right = a.operands()[1];
  if (below && zero && above) return truth(true);
  if (below && above) return not_equal(left.is_number() ? right : left, left.is_number() ? left : right);
  if (zero && !below && !above) return a;
  const bool a_is_first = sides_of(less(left, right))->below;  // whether left < right is difference < 0
  const bool less_than = below == a_is_first;
  const Expr& small = less_than ? left : right;
  const Expr& large = less_than ? right : left;
  return zero ? less_equal(small, large) : less(small, large);
}

// Alternatives, each a list of conditions: those that differ in one place are joined.
std::vector<std::vector<Expr>> joined(std::vector<std::vector<Expr>> ways) {
  const auto lacks = [](const std::vector<Expr>& list, const std::vector<Expr>& other) {
    std::vector<Expr> only;
    for (const Expr& e : list) {
      if (std::find(other.begin(), other.end(), e) == other.end()) only.push_back(e);
    }
    return only;
  };
  for (bool again = true; again;) {
    again = false;
    for (std::size_t i = 0; i < ways.size() && !again; ++i) {
      for (std::size_t k = i + 1; k < ways.size() && !again; ++k) {
        const auto mine = lacks(ways[i], ways[k]);
        const auto theirs = lacks(ways[k], ways[i]);
        if (mine.empty() || theirs.empty()) {  // the shorter list allows the longer one's cases too
          ways.erase(ways.begin() + static_cast<std::ptrdiff_t>(mine.empty() ? k : i));
          again = true;
          break;
        }
        if (mine.size() != 1 || theirs.size() != 1) continue;
        const auto both = either(mine[0], theirs[0]);
        if (!both) continue;
        std::erase(ways[i], mine[0]);
        if (!both->is_constant(ConstantCode::true_value)) ways[i].push_back(*both);
        ways.erase(ways.begin() + static_cast<std::ptrdiff_t>(k));
        again = true;
      }
    }
  }
  return ways;
}

// Whether the condition holds under the others; where they leave alternatives, in each of them.
bool follows(const Expr& condition, const std::vector<Expr>& others) {
  if (Reasoner(others).decide(condition) == Reasoner::Truth::yes) return true;
  const auto open =
      std::find_if(others.begin(), others.end(), [](const Expr& e) { return is_logic(e, LogicOp::disjunction); });
  if (open == others.end() || open->operands().size() > 8) return false;
  for (const Expr& way : open->operands()) {
    std::vector<Expr> taken(others.begin(), open);
    taken.insert(taken.end(), open + 1, others.end());
    taken.push_back(way);
    if (!follows(condition, taken)) return false;
  }
  return true;
}

}  // namespace

std::vector<Expr> reduced_conditions(std::span<const Expr> conditions, std::span<const Expr> given) {
  std::vector<Expr> list;
  const auto take = [&](const Expr& c) {
    if (!c.is_constant(ConstantCode::true_value) && std::find(list.begin(), list.end(), c) == list.end())
      list.push_back(c);
  };
  for (const Expr& c : conditions) {
    for (const Expr& part : parts_of(c, LogicOp::conjunction)) {
      if (!is_logic(part, LogicOp::disjunction)) {
        take(part);
        continue;
      }
      std::vector<std::vector<Expr>> ways;
      for (const Expr& way : part.operands())
        ways.push_back(reduced_conditions(parts_of(way, LogicOp::conjunction), given));
      ways = joined(std::move(ways));
      // what all alternatives ask for stands on its own
      std::vector<Expr> common;
      for (const Expr& e : ways.front()) {
        if (std::all_of(ways.begin(), ways.end(),
                        [&](const auto& w) { return std::find(w.begin(), w.end(), e) != w.end(); }))
          common.push_back(e);
      }
      std::vector<Expr> rest;
      for (auto& w : ways) {
        for (const Expr& e : common) std::erase(w, e);
        rest.push_back(conjunction(w));
      }
      for (const Expr& e : common) take(e);
      take(disjunction(rest));
    }
  }
  // from the weakest on: is it said by the others?
  std::vector<std::size_t> by_strength(list.size());
  for (std::size_t i = 0; i < list.size(); ++i) by_strength[i] = i;
  std::stable_sort(by_strength.begin(), by_strength.end(),
                   [&](std::size_t a, std::size_t b) { return strength(list[a]) < strength(list[b]); });
  std::vector<char> gone(list.size(), 0);
  for (const std::size_t i : by_strength) {
    std::vector<Expr> others(given.begin(), given.end());
    for (std::size_t k = 0; k < list.size(); ++k) {
      if (k != i && gone[k] == 0) others.push_back(list[k]);
    }
    gone[i] = follows(list[i], others) ? 1 : 0;
  }
  std::vector<Expr> kept;
  for (std::size_t i = 0; i < list.size(); ++i) {
    if (gone[i] == 0) kept.push_back(list[i]);
  }
  return kept;
}

}  // namespace boreon
