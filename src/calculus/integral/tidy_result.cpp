// SPDX-License-Identifier: MIT
#include "calculus/integral/tidy_result.hpp"

#include <algorithm>

#include "algebra/reasoner.hpp"
#include "algebra/reduced_conditions.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "calculus/integral/integrator.hpp"

namespace boreon {

void tidy(IntegralResult& result, std::span<const Expr> given) {
  result.conditions = reduced_conditions(result.conditions, given);
  for (IntegralException& e : result.exceptions) e.when = conjunction(reduced_conditions({&e.when, 1}, given));
  std::vector<IntegralException> kept;
  for (std::size_t i = 0; i < result.exceptions.size(); ++i) {
    const IntegralException& narrow = result.exceptions[i];
    std::vector<Expr> there(given.begin(), given.end());
    there.push_back(narrow.when);
    const Reasoner reasoner(there);
    bool covered = std::any_of(kept.begin(), kept.end(), [&](const IntegralException& k) {
      return k.when == narrow.when && k.value == narrow.value;
    });
    for (std::size_t k = i + 1; k < result.exceptions.size() && !covered; ++k) {
      const IntegralException& wide = result.exceptions[k];
      const Reasoner::Truth holds = reasoner.decide(wide.when);
      if (wide.value == narrow.value) {
        covered = holds == Reasoner::Truth::yes;
      } else if (holds != Reasoner::Truth::no) {
        break;  // between the two there may be another value
      }
    }
    if (!covered) kept.push_back(narrow);
  }
  result.exceptions = std::move(kept);
}

void extend(std::vector<Expr>& conditions, std::span<const Exceptional> places, std::span<const Expr> given) {
  if (places.empty()) return;
  const auto excludes = [&](const Expr& c) {
    if (!c.is(Kind::relation)) return false;
    const Expr d = c.operands()[1] - c.operands()[0];
    return std::any_of(places.begin(), places.end(), [&](const Exceptional& p) {
      const auto line = linear_in(d, Symbol::from(p.parameter));
      return line && line->slope.is_number() &&
             expand(substitute(d, {{p.parameter, p.value}}, Unused::allowed)).is_integer(0);
    });
  };
  std::vector<Expr> wider;
  for (const Expr& c : reduced_conditions(conditions, given)) {
    const bool excluded = excludes(c);
    if (excluded && c.relation_op() == RelationOp::not_equal) continue;
    wider.push_back(excluded && c.relation_op() == RelationOp::less ? less_equal(c.operands()[0], c.operands()[1]) : c);
  }
  conditions = std::move(wider);
}

}  // namespace boreon
