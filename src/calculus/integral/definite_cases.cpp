// SPDX-License-Identifier: MIT
#include "calculus/integral/definite_cases.hpp"

#include <algorithm>

#include "algebra/polynomial/work.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "calculus/integral/definite.hpp"
#include "calculus/integral/forms.hpp"
#include "calculus/series/expansion.hpp"
#include "calculus/series/limit_engine.hpp"
#include "expr/canonical.hpp"

namespace boreon {

std::vector<Expr> needed_conditions(const std::vector<Decision>& decisions) {
  std::vector<Expr> list;
  for (const Decision& d : decisions) list.push_back(condition_of(d));
  for (std::size_t i = list.size(); i-- > 0;) {
    std::vector<Expr> others = list;
    others.erase(others.begin() + static_cast<std::ptrdiff_t>(i));
    if (!others.empty() && Reasoner(others).decide(list[i]) == Reasoner::Truth::yes) list = std::move(others);
  }
  return list;
}

Expr joined_conditions(const std::vector<Decision>& decisions) {
  const std::vector<Expr> list = needed_conditions(decisions);
  return list.empty() ? truth(true) : list.size() == 1 ? list[0] : conjunction(list);
}

namespace {

constexpr std::uint64_t work_of_search = 200000000U;
constexpr std::size_t most_cases = 8;

// In this order: methods of the caller, all of the library, antiderivatives alone.
enum class Round { own_methods, all, antiderivatives };

Attempt by_own_methods(const DefiniteProblem& p, const IntegralOptions& options) {
  for (const IntegralMethod& method : options.methods) {
    if (const auto v = method(p.integrand, p.x, p.from, p.to)) return Attempt::of(*v, "a method given by the caller");
  }
  return {};
}

// Swaps the ends of a range that leads down; 0 for one of no width.
int turned_upwards(DefiniteProblem& p, const Signs& signs) {
  bool down = p.from.is_constant(ConstantCode::infinity) || p.to == -infinity();
  if (!is_infinite(p.from) && !is_infinite(p.to)) {
    const auto s = signs.known(p.to - p.from);
    if (s && *s == 0) return 0;
    down = s && *s < 0;
  }
  if (down) std::swap(p.from, p.to);
  return down ? -1 : 1;
}

Attempt by_library(const DefiniteProblem& p, const IntegralOptions& options, Signs& signs, Round round) {
  try {
    const poly::WorkLimit limit(work_of_search);
    DefiniteProblem q = p;
    const int sign = turned_upwards(q, signs);
    if (sign == 0) return Attempt::of(0, "a range of no width");
    q = with_sign_of_range(q, signs);
    const Attempt a = attempt(q, {signs, options.principal_value, round == Round::antiderivatives});
    return a.kind == Attempt::Kind::value ? a.scaled(sign, q.x, p.x) : a;
  } catch (const UnknownSign&) {
  } catch (const NoLimit&) {
  } catch (const NoExpansion&) {
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::limit && e.kind() != ErrorKind::unsupported && e.kind() != ErrorKind::domain) throw;
  }
  return {};
}

Expr shortened(const Expr& value, const std::vector<Expr>& conditions) {
  if (operation_count(value) > 200) return value;
  SimplifyOptions o;
  o.conditions = conditions;
  o.work = 900;
  o.points = 3;
  try {
    Expr best = simplify(value, o);
    if (best.is(Kind::product) && operation_count(best) < 40) {  // (-a - b)/(c - d) as (a + b)/(d - c)
      const Quotient q = quotient(best);
      const Expr turned = expand(-q.numerator) / expand(-q.denominator);
      const double gain = written_cost(best) - written_cost(turned);
      if (gain > 0 || (gain == 0 && to_text(turned).size() < to_text(best).size())) best = turned;
    }
    return best;
  } catch (const Error&) {
    return value;
  }
}

class Cases {
 public:
  Cases(const DefiniteProblem& p, const IntegralOptions& options) : p_(p), options_(options) {
    const std::vector<Symbol> parameters = free_symbols(unevaluated_integral(p.integrand, p.x, p.from, p.to));
    real_integrand_ = !parameters.empty() && !has_imaginary_unit(p.integrand) &&
                      std::all_of(parameters.begin(), parameters.end(), [](const Symbol& s) { return is_real(s); });
  }

  std::vector<DefiniteCase> all() {
    std::vector<DefiniteCase> cases;
    std::vector<std::vector<int>> open{{}};
    while (!open.empty() && cases.size() < most_cases) {
      const std::vector<int> script = std::move(open.back());
      open.pop_back();
      cases.push_back(one(script));
      // the other signs of what was decided beyond the script
      const std::vector<Decision>& decisions = cases.back().decisions;
      for (std::size_t i = decisions.size(); i-- > script.size();) {
        if (decisions[i].sign == 2) continue;
        std::vector<int> other;
        for (std::size_t k = 0; k < i; ++k) other.push_back(decisions[k].sign);
        other.push_back(-decisions[i].sign);
        open.push_back(std::move(other));
      }
    }
    return cases;
  }

 private:
  // What numbers cannot confirm gives way to the next round.
  DefiniteCase one(const std::vector<int>& script) const {
    DefiniteCase c;
    for (const Round round : {Round::own_methods, Round::all, Round::antiderivatives}) {
      if (round == Round::own_methods && options_.methods.empty()) continue;
      Signs signs(options_.conditions, options_.assume, script);
      c.check = {};
      c.attempt = round == Round::own_methods ? by_own_methods(p_, options_) : by_library(p_, options_, signs, round);
      c.decisions = signs.decisions();
      const std::vector<Expr> conditions = signs.conditions();
      if (c.attempt.kind == Attempt::Kind::divergent && contradicts(p_.integrand, p_.x, p_.from, p_.to, conditions)) {
        c.attempt = {};
      }
      if (c.attempt.kind != Attempt::Kind::value) {
        if (round == Round::own_methods) continue;
        break;
      }
      const bool last = !confirm(c, conditions);
      if (c.attempt.kind == Attempt::Kind::value || last) break;
    }
    return c;
  }

  // Compares the value with numbers and drops it if they do not confirm it. False if no other round can do better.
  bool confirm(DefiniteCase& c, const std::vector<Expr>& conditions) const {
    const DefiniteCheck how{std::min<std::size_t>(options_.points, 5), options_.seed};
    Expr parts;
    for (const UsedAntiderivative& u : c.attempt.used) parts += u.value;
    const Expr rest = c.attempt.value - parts;
    c.attempt.value = exponential_integrals_paired(shortened(c.attempt.value, conditions));
    const bool principal = options_.principal_value;
    bool not_real = false;
    if (principal) c.check = check_principal(p_.integrand, p_.x, p_.from, p_.to, c.attempt.value, conditions, how);
    // also a principal value without a pole inside
    if (!principal || c.check.verdict == Verdict::untested) {
      DefiniteCheck by_quadrature = how;
      by_quadrature.not_real = &not_real;
      c.check = check_definite(p_.integrand, p_.x, p_.from, p_.to, c.attempt.value, conditions, by_quadrature);
    }
    // a formula for an integrand that leaves the real numbers is no value of a real integral: its case is left out
    if (not_real && c.check.verdict == Verdict::untested && real_integrand_) {
      c.attempt = {};
      return false;
    }
    if (c.check.verdict == Verdict::untested && c.attempt.by_antiderivatives && !c.attempt.used.empty() && !principal) {
      // where quadrature fails, on slow or oscillating tails: the antiderivatives close to their limits
      c.check = check_limits(c.attempt.used, rest, p_, c.attempt.value, conditions, how);
    }
    // poles that move with a parameter and were not located: one failure of quadrature is one too many
    if (!c.attempt.places_known && (c.check.skipped > 0 || c.check.verdict != Verdict::agrees)) {
      c.check.verdict = Verdict::untested;
    }
    if (c.check.verdict != Verdict::agrees) c.attempt = {};
    return true;
  }

  const DefiniteProblem& p_;
  const IntegralOptions& options_;
  bool real_integrand_ = false;
};

}  // namespace

std::vector<DefiniteCase> definite_cases(const DefiniteProblem& p, const IntegralOptions& options) {
  return Cases(p, options).all();
}

}  // namespace boreon
