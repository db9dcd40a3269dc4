// SPDX-License-Identifier: MIT
#include "calculus/integral/exceptional.hpp"

#include <algorithm>

#include "algebra/linear_terms.hpp"
#include "algebra/reasoner.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/signs.hpp"

namespace boreon {
namespace {

constexpr std::size_t most = 8;

// Whether the assumptions of the parameter and the conditions let it take the value.
bool allowed(const Symbol& p, const Expr& value, std::span<const Expr> conditions) {
  const Assumptions a = p.assumptions();
  const Reasoner reasoner(conditions);
  if (a.has(Assumption::real) && has_imaginary_unit(value)) return false;
  if (a.has(Assumption::integer) && value.is_number() && !value.number().is_integer()) return false;
  if (a.has(Assumption::positive) && (reasoner.nonpositive(value) || is_negative(value))) return false;
  if (a.has(Assumption::negative) && (reasoner.nonnegative(value) || is_positive(value))) return false;
  if (a.has(Assumption::nonnegative) && (reasoner.negative(value) || is_negative(value))) return false;
  if (a.has(Assumption::nonzero) && value.is_integer(0)) return false;
  const Signs signs(conditions);
  if (a.has(Assumption::positive)) {
    if (const auto s = signs.known(value); s && *s <= 0) return false;
  }
  for (const Expr& c : conditions) {
    const Expr there = substitute(c, {{p, value}}, Unused::allowed);
    if (there.is_constant(ConstantCode::false_value)) return false;
    if (there.is(Kind::relation)) {
      const auto s = signs.known(there.operands()[1] - there.operands()[0]);
      if (s && *s == 0 && (there.relation_op() == RelationOp::less || there.relation_op() == RelationOp::not_equal))
        return false;
      if (s && *s < 0 && (there.relation_op() == RelationOp::less || there.relation_op() == RelationOp::less_equal))
        return false;
    }
  }
  return true;
}

// The first term of a sum with an even root in it; nothing if there is none.
std::optional<Expr> term_with_root(const Expr& e) {
  for (const Expr& term : terms_of(e)) {
    bool root = false;
    for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
      root = root || (base.has_symbols() && exponent.is_number() && !exponent.number().is_integer() &&
                      (exponent.number() * Number(2)).is_integer());
    });
    if (root) return term;
  }
  return std::nullopt;
}

void solve(const Expr& e, const Symbol& x, std::span<const Expr> conditions, std::vector<Exceptional>& out, int depth);

// sqrt(A) + B: zeros of A - B^2, of which those are kept at which the sum itself vanishes.
void solve_with_root(const Expr& e, const Symbol& x, std::span<const Expr> conditions, std::vector<Exceptional>& out,
                     int depth) {
  const auto root = term_with_root(e);
  if (!root) return;
  std::vector<Exceptional> candidates;
  solve(expand(power(*root, 2) - power(e - *root, 2)), x, conditions, candidates, depth + 1);
  for (const Exceptional& c : candidates) {
    const Expr there = substitute(e, {{c.parameter, c.value}}, Unused::allowed);
    const bool known = std::any_of(
        out.begin(), out.end(), [&](const Exceptional& o) { return o.parameter == c.parameter && o.value == c.value; });
    if (!known && vanishes(there)) out.push_back(c);
  }
}

void solve(const Expr& e, const Symbol& x, std::span<const Expr> conditions, std::vector<Exceptional>& out, int depth) {
  if (out.size() >= most || depth > 4 || !e.has_symbols()) return;
  if (e.is(Kind::product)) {
    for (const auto [base, exponent] : Parts(e)) {
      if (!is_negative(exponent)) solve(base, x, conditions, out, depth + 1);
    }
    return;
  }
  if (e.is(Kind::power)) {
    if (!is_negative(e.operands()[1])) solve(e.operands()[0], x, conditions, out, depth + 1);
    return;
  }
  if (is_call_of(e, "log")) return solve(e.operands()[0] - 1, x, conditions, out, depth + 1);
  if (is_call_of(e, "abs") || is_call_of(e, "sinh") || is_call_of(e, "atan"))
    return solve(e.operands()[0], x, conditions, out, depth + 1);
  const Signs signs(conditions);
  if (const auto s = signs.known(e); s && *s != 0) return;
  // the last parameter by name is solved for, as one says "at n = 0", "at b = a"
  auto symbols = free_symbols(e);
  std::reverse(symbols.begin(), symbols.end());
  // integers first: their exceptional values are the ones met in practice
  std::stable_sort(symbols.begin(), symbols.end(),
                   [](const Symbol& a, const Symbol& b) { return is_integer(a) && !is_integer(b); });
  for (const Symbol& p : symbols) {
    if (p == x) return;
    if (const auto l = linear_in(e, p)) {
      if (l->slope.is_integer(0)) continue;
      const Expr value = -l->constant / l->slope;
      if (!allowed(p, value, conditions)) return;
      for (const Exceptional& known : out) {
        if (known.parameter == p && known.value == value) return;
      }
      out.push_back({p, value});
      return;
    }
    try {
      const Expr f = factor(e);
      if (f.is(Kind::product) || f.is(Kind::power)) return solve(f, x, conditions, out, depth + 1);
    } catch (const Error&) {
    }
  }
  if (e.is(Kind::sum)) solve_with_root(e, x, conditions, out, depth);
}

}  // namespace

std::vector<Exceptional> zeros_of_parameters(const Expr& e, const Symbol& x, std::span<const Expr> conditions) {
  std::vector<Exceptional> out;
  solve(e, x, conditions, out, 0);
  return out;
}

std::vector<Exceptional> exceptional_parameters(const Expr& F, const Expr& f, const Symbol& x,
                                                std::span<const Expr> conditions, std::span<const Expr> found) {
  std::vector<Exceptional> out;
  std::vector<Expr> all(conditions.begin(), conditions.end());
  all.insert(all.end(), found.begin(), found.end());
  const auto denominators = [&](const Expr& e, const auto& take) {
    postorder(e, [&](const Expr& n) {
      const auto look = [&](const Expr& base, const Expr& exponent) {
        if (is_negative(exponent) && !depends_on(base, x) && base.has_symbols()) take(base);
      };
      if (n.is(Kind::power) || n.is(Kind::product)) for_each_factor(n, look);
      // coefficients in front of what must not vanish
      if (n.is(Kind::call) && (n.function().name == "log" || n.function().name == "Ei" || n.function().name == "Ci" ||
                               n.function().name == "E1")) {
        const Expr& u = n.operands()[0];
        if (u.is(Kind::product)) {
          for (const auto [b, e2] : Parts(u)) {
            if (!depends_on(b, x) && b.has_symbols()) take(b);
          }
        }
        if (!depends_on(u, x) && u.has_symbols()) take(u);
      }
    });
  };
  // Poles of a function of parameters at whole numbers, ascending from 0 in the given direction.
  const auto poles = [&](const Expr& u, int from, int step) {
    constexpr int most_poles = 6;
    for (int k = 0; k < (step == 0 ? 1 : most_poles); ++k)
      solve(expand(u - (from + k * step)), x, k == 0 ? conditions : all, out, 0);
  };
  postorder(F, [&](const Expr& n) {
    if (!n.is(Kind::call) || depends_on(n, x) || !n.has_symbols()) return;
    const auto name = n.function().name;
    if (name == "gamma" || name == "lgamma" || name == "digamma" || name == "polygamma") {
      poles(n.operands().back(), 0, -1);
    } else if (name == "beta") {
      poles(n.operands()[0], 0, -1);
      poles(n.operands()[1], 0, -1);
    } else if (name == "zeta") {
      poles(n.operands()[0], 1, 0);
    }
  });
  std::vector<Expr> in_f;
  denominators(f, [&](const Expr& base) { in_f.push_back(base); });
  denominators(F, [&](const Expr& base) {
    if (std::find(in_f.begin(), in_f.end(), base) == in_f.end()) solve(base, x, conditions, out, 0);
  });
  // what an integral or a sum binds is no parameter
  const std::vector<Symbol> free = free_symbols(std::vector<Expr>{F, f});
  std::erase_if(out, [&](const Exceptional& e) {
    return std::none_of(free.begin(), free.end(), [&](const Symbol& s) { return Expr(s) == e.parameter; });
  });
  return out;
}

}  // namespace boreon
