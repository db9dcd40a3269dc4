// SPDX-License-Identifier: MIT
#include "algebra/reasoner.hpp"

#include <algorithm>
#include <cstdlib>

#include "boreon/algebra.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"
#include "boreon/traverse.hpp"

namespace boreon {

namespace {

// 1 or -1 where a rigorous enclosure settles the sign of an expression without symbols, 0 where it does not.
int sign_of_constant(const Expr& e) {
  if (e.is(Kind::relation) || e.is(Kind::logic) || operation_count(e) > 200) return 0;
  try {
    const Enclosure c = certify(e, {}, 15);
    if (!c.imaginary.empty()) return 0;
    const double v = std::strtod(c.real.c_str(), nullptr);
    return v > 2 * c.radius ? 1 : v < -2 * c.radius ? -1 : 0;
  } catch (const Error&) {
    return 0;
  }
}

}  // namespace

Reasoner::Reasoner(std::span<const Expr> conditions) {
  const auto add = [&](const auto& self, const Expr& c) -> void {
    if (c.is(Kind::logic) && c.logic_op() == LogicOp::conjunction) {
      for (const Expr& part : c.operands()) self(self, part);
      return;
    }
    if (!c.is(Kind::relation)) return;
    const Expr d = expand(c.operands()[1] - c.operands()[0]);
    switch (c.relation_op()) {
      case RelationOp::less: facts_.push_back({d, true}); break;
      case RelationOp::less_equal: facts_.push_back({d, false}); break;
      case RelationOp::equal:
        facts_.push_back({d, false});
        facts_.push_back({-d, false});
        break;
      case RelationOp::not_equal: nonzero_.push_back(d); break;
    }
  };
  for (const Expr& c : conditions) add(add, c);
}

// Products, powers, calls: from the signs of their parts.
bool Reasoner::known(const Expr& e, bool strict, int depth) const {
  if (strict ? is_positive(e) : is_nonnegative(e)) return true;
  if (depth > 6) return false;
  if (e.is(Kind::call) && e.operands().size() == 1) {
    const auto name = e.function().name;
    const Expr& u = e.operands()[0];
    // between their zeros
    if (name == "sin") return prove(u, strict, depth + 2) && prove(pi() - u, strict, depth + 2);
    if (name == "cos") return prove(pi() / 2 - u, strict, depth + 2) && prove(pi() / 2 + u, strict, depth + 2);
    if (name == "tan") return prove(u, strict, depth + 2) && prove(pi() / 2 - u, true, depth + 2);
    if (name == "log") return prove(u - 1, strict, depth + 2);
    if (name == "sinh" || name == "tanh" || name == "asinh" || name == "atan" || name == "erf")
      return prove(u, strict, depth + 2);
    return false;
  }
  if (e.is(Kind::product)) {
    int sign = e.operands()[0].number().sign();
    for (const auto [base, exponent] : Parts(e)) {
      const Expr factor = exponent.is_integer(1) ? base : power(base, exponent);
      if (prove(factor, strict, depth + 2)) continue;
      if (prove(-factor, strict, depth + 2)) {
        sign = -sign;
        continue;
      }
      return false;
    }
    return sign > 0;
  }
  if (e.is(Kind::power)) {
    const Expr& base = e.operands()[0];
    const Expr& exponent = e.operands()[1];
    if (!is_real(exponent)) return false;
    if (prove(base, true, depth + 2)) return true;
    if (const auto n = exponent.word(); n && *n % 2 == 0 && is_real(base))
      return !strict && *n > 0 ? true : nonzero(base, depth + 2);
    return !strict && is_positive(exponent) && prove(base, false, depth + 2);
  }
  return false;
}

bool Reasoner::prove(const Expr& e, bool strict, int depth) const {
  if (e.is_number()) return strict ? e.number().sign() > 0 : e.number().sign() >= 0;
  if (!e.has_symbols()) return sign_of_constant(e) > 0;
  if (known(e, strict, depth)) return true;
  if (facts_.empty() || depth > 4 || operation_count(e) > 60) return false;
  const Expr written = depth == 0 ? expand(e) : e;
  for (const Fact& f : facts_) {
    // e = k*fact + rest with k > 0 chosen so that a term of e goes.
    const auto terms_of = [](const Expr& x) {
      std::vector<std::pair<Expr, Number>> out;
      if (x.is(Kind::sum)) {
        for (const auto [t, c] : Parts(x)) out.emplace_back(t, c.number());
      } else if (x.is(Kind::product) && !x.operands()[0].is_integer(1)) {
        out.emplace_back(x / x.operands()[0], x.operands()[0].number());
      } else if (!x.is_number()) {
        out.emplace_back(x, Number(1));
      }
      return out;
    };
    const auto mine = terms_of(written);
    for (const auto& [term, c] : terms_of(f.amount)) {
      const auto at = std::find_if(mine.begin(), mine.end(), [&term = term](const auto& m) { return m.first == term; });
      if (at == mine.end() || at->second.sign() * c.sign() <= 0) continue;
      const Expr rest = written - Expr(at->second / c) * f.amount;
      if (prove(rest, strict && !f.strict, depth + 1)) return true;
    }
  }
  if (depth > 0 || facts_.size() > 12) return false;
  std::vector<Inequality> otherwise = facts_;
  otherwise.push_back({-written, !strict});
  return contradict(otherwise);
}

bool Reasoner::positive(const Expr& e) const { return prove(e, true, 0); }
bool Reasoner::nonnegative(const Expr& e) const { return prove(e, false, 0); }

bool Reasoner::nonzero(const Expr& e) const { return nonzero(e, 0); }

bool Reasoner::nonzero(const Expr& e, int depth) const {
  if (is_nonzero(e)) return true;
  const Expr d = expand(e);
  if (std::any_of(nonzero_.begin(), nonzero_.end(), [&](const Expr& n) { return n == d || n == -d; })) return true;
  return prove(e, true, depth) || prove(-e, true, depth);
}

// abs(u*v) < 1 where abs(u) < 1 and abs(v) < 1.
bool Reasoner::small_product(const Expr& c) const {
  const Expr& size = c.operands()[0];
  if (!c.operands()[1].is_integer(1) || !is_call_of(size, "abs") || !size.operands()[0].is(Kind::product)) return false;
  const Expr& product = size.operands()[0];
  const Expr& number = product.operands()[0];
  if (compare(number.number().abs(), Number(1)) > 0) return false;
  for (const auto [base, exponent] : Parts(product)) {
    if (!exponent.is_number() || exponent.number().sign() <= 0 || !positive(1 - abs(base))) return false;
  }
  return true;
}

Reasoner::Truth Reasoner::decide(const Expr& c) const {
  if (c.is_constant(ConstantCode::true_value)) return Truth::yes;
  if (c.is_constant(ConstantCode::false_value)) return Truth::no;
  if (c.is(Kind::relation)) {
    const Expr d = c.operands()[1] - c.operands()[0];
    switch (c.relation_op()) {
      case RelationOp::less:
        if (positive(d) || small_product(c)) return Truth::yes;
        return nonpositive(d) ? Truth::no : Truth::unknown;
      case RelationOp::less_equal:
        if (nonnegative(d)) return Truth::yes;
        return negative(d) ? Truth::no : Truth::unknown;
      case RelationOp::equal:
        if (d.is_integer(0) || expand(d).is_integer(0)) return Truth::yes;
        return nonzero(d) ? Truth::no : Truth::unknown;
      case RelationOp::not_equal:
        if (nonzero(d)) return Truth::yes;
        return expand(d).is_integer(0) ? Truth::no : Truth::unknown;
    }
  }
  if (c.is(Kind::logic)) {
    if (c.logic_op() == LogicOp::negation) {
      const Truth t = decide(c.operands()[0]);
      return t == Truth::unknown ? t : t == Truth::yes ? Truth::no : Truth::yes;
    }
    const bool all = c.logic_op() == LogicOp::conjunction;
    bool open = false;
    for (const Expr& part : c.operands()) {
      const Truth t = decide(part);
      if (t == (all ? Truth::no : Truth::yes)) return t;
      open = open || t == Truth::unknown;
    }
    return open ? Truth::unknown : all ? Truth::yes : Truth::no;
  }
  return Truth::unknown;
}

}  // namespace boreon
