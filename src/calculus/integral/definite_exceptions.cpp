// SPDX-License-Identifier: MIT
#include "calculus/integral/definite_exceptions.hpp"

#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/exceptional.hpp"
#include "calculus/integral/tidy_result.hpp"
#include "calculus/series/limit_engine.hpp"

namespace boreon {
namespace {

class Exceptions {
 public:
  Exceptions(IntegralResult& result, const DefiniteProblem& p, const IntegralOptions& options,
             const SpecialIntegral& special)
      : result_(result), p_(p), options_(options), special_(special) {}

  void at(const Exceptional& place) {
    const Expr when = equal(place.parameter, place.value);
    for (const IntegralException& known : list_) {
      if (known.when == when) return;
    }
    const Bindings there{{place.parameter, place.value}};
    IntegralOptions inner = options_;
    inner.conditions.clear();
    IntegralResult r;
    try {
      for (const Expr& c : options_.conditions) {
        const Expr bound = substitute(c, there, Unused::allowed);
        if (bound.is_constant(ConstantCode::false_value)) return;
        if (!bound.is_constant(ConstantCode::true_value)) inner.conditions.push_back(bound);
      }
      r = special_({substitute(p_.integrand, there, Unused::allowed), p_.x, substitute(p_.from, there, Unused::allowed),
                    substitute(p_.to, there, Unused::allowed)},
                   inner);
    } catch (const Error&) {
      return;
    }
    if (r.status == IntegralStatus::unevaluated) {
      result_.conditions.push_back(not_equal(place.parameter, place.value));
      return;
    }
    // exceptions of the exception come first, being narrower
    for (const IntegralException& n : r.exceptions) {
      const Expr both[] = {n.when, when};
      list_.push_back({conjunction(both), n.value});
    }
    if (!holds_as_well(r, there)) {
      std::vector<Expr> all = r.conditions;
      all.push_back(when);
      list_.push_back(
          {all.size() == 1 ? when : conjunction(all), r.status == IntegralStatus::divergent ? undefined() : r.value});
    } else if (r.conditions.empty()) {
      covered_.push_back(place);
    }
  }

  void finish() {
    extend(result_.conditions, covered_, options_.conditions);
    result_.exceptions = std::move(list_);
  }

 private:
  // What the value says there anyway needs no mention.
  [[nodiscard]] bool holds_as_well(const IntegralResult& r, const Bindings& there) const {
    try {
      const Expr v = substitute(result_.value, there, Unused::allowed);
      if (r.status != IntegralStatus::exact || has_infinity(v) || !vanishes(v - r.value)) return false;
      // p*log(p) is 0 at 0 for who substitutes, and no number for who computes
      bool every_part = true;
      postorder(result_.value, [&](const Expr& n) {
        if (every_part && (n.is(Kind::call) || n.is(Kind::power)) && n.has_symbols())
          every_part = !has_infinity(substitute(n, there, Unused::allowed));
      });
      return every_part;
    } catch (const Error&) {
      return false;
    }
  }

  IntegralResult& result_;
  const DefiniteProblem& p_;
  const IntegralOptions& options_;
  const SpecialIntegral& special_;
  std::vector<IntegralException> list_;
  std::vector<Exceptional> covered_;  // places at which the value holds as well
};

}  // namespace

void add_exceptions(IntegralResult& result, const DefiniteProblem& p, const DefiniteCase& found,
                    const IntegralOptions& options, const SpecialIntegral& special) {
  Exceptions exceptions(result, p, options, special);
  const auto at_all = [&](const std::vector<Exceptional>& places) {
    for (const Exceptional& place : places) exceptions.at(place);
  };
  at_all(exceptional_parameters(result.value, p.integrand, p.x, options.conditions, result.conditions));
  for (const UsedAntiderivative& u : found.attempt.used) {
    at_all(exceptional_parameters(u.F, p.integrand, p.x, options.conditions));
  }
  for (const Decision& d : found.decisions) at_all(zeros_of_parameters(d.of, p.x, options.conditions));
  exceptions.finish();
}

}  // namespace boreon
