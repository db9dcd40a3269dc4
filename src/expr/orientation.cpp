// SPDX-License-Identifier: MIT
#include "expr/orientation.hpp"

#include <string_view>
#include <vector>

#include "boreon/symbol.hpp"
#include "expr/canonical.hpp"
#include "expr/name_order.hpp"

namespace boreon {
namespace {

constexpr std::size_t longest_sum = 64;  // powers of longer ones are common in discretised equations and never compared

// u9 before u10: neighbours on a grid are in the same order everywhere.
bool before(std::string_view a, std::string_view b) { return compare_names(a, b) < 0; }

// The symbol by which a term is found in the alphabet; empty for terms without a symbol near the top.
std::string_view first_name(const Expr& term) {
  if (term.is(Kind::symbol) && !is_function_head(term)) return term.name();
  std::string_view first;
  for (const Expr& o : term.operands()) {
    if (!o.is(Kind::symbol) || is_function_head(o)) continue;
    if (first.empty() || before(o.name(), first)) first = o.name();
  }
  return first;
}

bool odd(const Expr& exponent) {
  const auto n = exponent.word();
  return n && *n % 2 != 0;
}

}  // namespace

bool points_backwards(const Expr& e) {
  if (e.is_number()) return e.number().sign() < 0;
  if (e.is(Kind::product)) {
    bool negative = e.operands()[0].number().sign() < 0;
    for (const auto [base, exponent] : Parts(e)) {
      if (base.is(Kind::sum) && odd(exponent) && points_backwards(base)) negative = !negative;
    }
    return negative;
  }
  if (!e.is(Kind::sum) || e.operands().size() > 2 * longest_sum + 1) return false;
  int balance = e.operands()[0].number().sign();
  std::string_view first;
  bool first_negative = false;
  bool any = false;
  for (const auto [term, c] : Parts(e)) {
    const bool negative = c.number().sign() < 0;
    balance += negative ? -1 : 1;
    const std::string_view name = first_name(term);
    if (!any || (!name.empty() &&
                 (first.empty() || before(name, first)))) {  // among equals the first in the order of the graph
      first = name;
      first_negative = negative;
      any = true;
    }
  }
  return balance != 0 ? balance < 0 : first_negative;
}

Expr reversed(const Expr& e) {
  const Expr negated[] = {-e};
  return e.is(Kind::sum) ? sum_of(negated, Absorb::everything) : negated[0];
}

Oriented oriented(const Expr& e) {
  if (!e.is(Kind::product)) return points_backwards(e) ? Oriented{reversed(e), true} : Oriented{e, false};
  bool negative = e.operands()[0].number().sign() < 0;
  bool sums = false;
  std::vector<Expr> factors{Expr(e.operands()[0].number().abs())};
  for (const auto [base, exponent] : Parts(e)) {
    const bool turn = base.is(Kind::sum) && odd(exponent) && points_backwards(base);
    factors.push_back(power(turn ? reversed(base) : base, exponent));
    sums = sums || turn;
    negative = negative != turn;
  }
  if (!sums) return negative ? Oriented{-e, true} : Oriented{e, false};
  return {multiply(factors), negative};
}

}  // namespace boreon
