// SPDX-License-Identifier: MIT
#include "algebra/rewrite/matcher.hpp"

#include <algorithm>

#include "boreon/bindings.hpp"

namespace boreon {
namespace {

// The operands of a sum as whole terms, of a product as whole factors; numbers are operands too.
std::vector<Expr> members(const Expr& e, bool sum) {
  std::vector<Expr> out;
  if (sum && e.is(Kind::sum)) {
    if (!e.operands()[0].is_integer(0)) out.push_back(e.operands()[0]);
    for (const auto [term, c] : Parts(e)) out.push_back(c.is_integer(1) ? term : c * term);
  } else if (!sum && e.is(Kind::product)) {
    if (!e.operands()[0].is_integer(1)) out.push_back(e.operands()[0]);
    for (const auto [base, exponent] : Parts(e)) out.push_back(power(base, exponent));
  } else {
    out.push_back(e);
  }
  return out;
}

bool same_head(const Expr& a, const Expr& b) {
  if (a.kind() != b.kind() || a.operands().size() != b.operands().size()) return false;
  switch (a.kind()) {
    case Kind::call: return &a.function() == &b.function();
    case Kind::relation: return a.relation_op() == b.relation_op();
    case Kind::logic: return a.logic_op() == b.logic_op();
    case Kind::limit: return a.limit_side() == b.limit_side();
    case Kind::unknown_call: return a.name() == b.name();
    default: return true;
  }
}

}  // namespace

Matcher::Matcher(const Rule& rule, const Reasoner& reasoner, std::size_t steps)
    : rule_(rule), reasoner_(reasoner), steps_(steps) {}

bool Matcher::is_placeholder(const Expr& e) const {
  return std::find(rule_.placeholders.begin(), rule_.placeholders.end(), e) != rule_.placeholders.end();
}
bool Matcher::is_rest(const Expr& e) const {
  return std::find(rule_.rests.begin(), rule_.rests.end(), e) != rule_.rests.end();
}

bool Matcher::is_open(const Expr& e) const {
  const auto inside = [&](const Expr& p) { return depends_on(e, p); };
  return std::any_of(rule_.placeholders.begin(), rule_.placeholders.end(), inside) ||
         std::any_of(rule_.rests.begin(), rule_.rests.end(), inside);
}

bool Matcher::match(const Expr& subject, bool partial, Expr& left_over) {
  values_.clear();
  const bool sum = rule_.pattern.is(Kind::sum);
  const Next done = [&] { return conditions_hold(); };
  if (sum || rule_.pattern.is(Kind::product)) {
    left_over = sum ? 0 : 1;
    return unordered(members(rule_.pattern, sum), members(subject, sum), sum, partial, &left_over, done);
  }
  left_over = 0;
  return one(rule_.pattern, subject, done);
}

bool Matcher::bind(const Expr& placeholder, const Expr& value, const Next& next) {
  const auto at = values_.find(placeholder.name());
  if (at != values_.end()) return at->second == value && next();
  values_.emplace(placeholder.name(), value);
  if (next()) return true;
  values_.erase(placeholder.name());
  return false;
}

bool Matcher::one(const Expr& p, const Expr& s, const Next& next) {
  if (steps_ == 0) return false;
  --steps_;
  if (is_placeholder(p) || is_rest(p)) return bind(p, s, next);
  if (!is_open(p)) return p == s && next();
  if (p.is(Kind::sum) || p.is(Kind::product)) {
    const bool sum = p.is(Kind::sum);
    return unordered(members(p, sum), members(s, sum), sum, false, nullptr, next);
  }
  return same_head(p, s) && operands(p, s, 0, next);
}

bool Matcher::operands(const Expr& p, const Expr& s, std::size_t from, const Next& next) {
  if (from == p.operands().size()) return next();
  return one(p.operands()[from], s.operands()[from], [&, from] { return operands(p, s, from + 1, next); });
}

// Fixed operands first, then open ones from the most to the least particular, then the rest.
bool Matcher::unordered(std::vector<Expr> patterns, std::vector<Expr> subjects, bool sum, bool partial, Expr* left_over,
                        const Next& next) {
  Expr rest = undefined();
  for (auto it = patterns.begin(); it != patterns.end();) {
    if (!is_open(*it)) {
      const auto at = std::find(subjects.begin(), subjects.end(), *it);
      if (at == subjects.end()) {
        // -1 in front of a product is a factor of any negative number: -u finds -2*x with u = 2*x.
        if (!sum && it->is_number() && !subjects.empty() && subjects[0].is_number() && !it->number().is_zero()) {
          subjects[0] = subjects[0] / *it;
          it = patterns.erase(it);
          continue;
        }
        if (!sum && it->is_integer(-1) && partial) {
          subjects.insert(subjects.begin(), Expr(-1));
          it = patterns.erase(it);
          continue;
        }
        return false;
      }
      subjects.erase(at);
      it = patterns.erase(it);
    } else if (is_rest(*it)) {
      rest = *it;
      it = patterns.erase(it);
    } else {
      ++it;
    }
  }
  const auto rank = [&](const Expr& e) { return is_placeholder(e) ? 1 : 0; };
  std::stable_sort(patterns.begin(), patterns.end(), [&](const Expr& a, const Expr& b) { return rank(a) < rank(b); });
  const bool has_rest = !rest.is_constant(ConstantCode::undefined);
  if (patterns.size() > subjects.size()) return false;
  if (!has_rest && !partial && patterns.size() != subjects.size()) return false;
  std::vector<char> used(subjects.size(), 0);
  std::function<bool(std::size_t)> place = [&](std::size_t k) -> bool {
    if (steps_ == 0) return false;
    if (k == patterns.size()) {
      std::vector<Expr> over;
      for (std::size_t i = 0; i < subjects.size(); ++i) {
        if (used[i] == 0) over.push_back(subjects[i]);
      }
      const Expr remaining = sum ? add(over.empty() ? std::vector<Expr>{0} : over) : multiply(over);
      if (has_rest) return !over.empty() && bind(rest, remaining, next);
      if (!partial && !over.empty()) return false;
      if (left_over != nullptr) *left_over = remaining;
      return next();
    }
    for (std::size_t i = 0; i < subjects.size(); ++i) {
      if (used[i] != 0) continue;
      used[i] = 1;
      if (one(patterns[k], subjects[i], [&, k] { return place(k + 1); })) return true;
      used[i] = 0;
    }
    return false;
  };
  return place(0);
}

bool Matcher::conditions_hold() const {
  Bindings b;
  for (const Expr& p : rule_.placeholders) {
    if (const auto at = values_.find(p.name()); at != values_.end()) b.set(p, at->second);
  }
  for (const Expr& p : rule_.rests) {
    if (const auto at = values_.find(p.name()); at != values_.end()) b.set(p, at->second);
  }
  return std::all_of(rule_.conditions.begin(), rule_.conditions.end(),
                     [&](const Expr& c) {
                       return reasoner_.decide(substitute(c, b, Unused::allowed)) == Reasoner::Truth::yes;
                     }) &&
         std::all_of(rule_.tests.begin(), rule_.tests.end(), [&](const auto& test) { return test(values_); });
}

}  // namespace boreon
