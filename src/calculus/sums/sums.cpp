// SPDX-License-Identifier: MIT
#include "boreon/sums.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "algebra/linear_terms.hpp"
#include "algebra/polynomial/work.hpp"
#include "algebra/reduced_conditions.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/integral.hpp"
#include "boreon/series.hpp"
#include "boreon/simplify.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/series/expansion.hpp"
#include "calculus/series/limit_engine.hpp"
#include "calculus/sums/sum_methods.hpp"
#include "expr/canonical.hpp"
#include "values/infinite_sum.hpp"

namespace boreon {
namespace {

using namespace sums;

template <class F>
std::optional<Expr> guarded(const F& f) {
  try {
    const poly::WorkLimit limit(100000000U);
    return f();
  } catch (const Error&) {
  } catch (const UnknownSign&) {
  } catch (const NoLimit&) {
  } catch (const NoExpansion&) {
  }
  return std::nullopt;
}

// The base of a power with the index in its exponent.
std::optional<Expr> base_of_geometric(const Expr& term, const Symbol& k) {
  std::optional<Expr> base;
  postorder(term, [&](const Expr& e) {
    if (e.is(Kind::power) && depends_on(e.operands()[1], k) && !depends_on(e.operands()[0], k)) base = e.operands()[0];
    if (e.is(Kind::product)) {
      for (const auto [b, x] : Parts(e)) {
        if (depends_on(x, k) && !depends_on(b, k)) base = b;
      }
    }
  });
  return base;
}

SumResult closed_sum(const Expr& term, const Expr& index, const Expr& from, const Expr& to,
                     std::span<const Expr> conditions);

// One sum and the ways that are tried on it. What a way returns counts once it is confirmed on numbers.
class Summation {
 public:
  Summation(const Expr& term, const Expr& index, const Symbol& k, const Expr& from, const Expr& to,
            std::span<const Expr> conditions)
      : term_(term),
        index_(index),
        k_(k),
        from_(from),
        to_(to),
        conditions_(conditions),
        signs_(conditions, true),
        endless_(to.is_constant(ConstantCode::infinity)) {}

  SumResult run(SumResult unevaluated) {
    out_ = std::move(unevaluated);
    if (accept(guarded([&] { return by_antidifference(); }), "Gosper's algorithm")) return out_;
    out_.conditions.clear();
    if (accept(guarded([&] { return of_waves(); }), "the geometric sum of a complex exponential")) return out_;
    out_.conditions.clear();
    if (accept(guarded([&] { return rational_sum(term_, k_, from_, to_); }),
               "partial fractions and polygamma functions"))
      return out_;
    if (!endless_ && accept(guarded([&] { return binomial_sum(term_, k_, from_, to_); }), "the binomial theorem"))
      return out_;
    if (!endless_ &&
        accept(guarded([&] { return logarithm_sum(term_, k_, from_, to_, signs_); }), "logarithms of products"))
      return out_;
    if (endless_ && accept(guarded([&] { return alternating_sum(term_, k_, from_); }),
                           "two terms at a time, through polygamma functions"))
      return out_;
    if (endless_) {
      if (accept(guarded([&] { return classical_series(term_, k_, from_, signs_, out_.conditions); }),
                 "a classical series"))
        return out_;
      out_.conditions.clear();
      if (accept(guarded([&] { return series_of_odd_powers(term_, k_, from_, signs_, out_.conditions); }),
                 "the series of atanh and atan"))
        return out_;
      out_.conditions.clear();
    }
    if (accept(term_by_term(), "term by term")) return out_;
    out_.conditions.clear();
    return out_;
  }

 private:
  bool accept(const std::optional<Expr>& v, const char* method) {
    if (!v || has_undefined(*v)) return false;
    std::vector<Expr> all(conditions_.begin(), conditions_.end());
    for (const Decision& d : signs_.decisions()) all.push_back(condition_of(d));
    all.insert(all.end(), out_.conditions.begin(), out_.conditions.end());
    SimplifyOptions o;
    o.conditions = all;
    o.work = 800;
    const Expr value = simplify(*v, o);
    std::size_t points = 0;
    if (!confirmed(term_, k_, from_, to_, value, all, points)) return false;
    out_.value = substitute(value, {{k_, index_}}, Unused::allowed);
    out_.closed = true;
    out_.points = points;
    out_.method = method;
    for (const Decision& d : signs_.decisions()) out_.conditions.push_back(condition_of(d));
    return true;
  }

  std::optional<Expr> by_antidifference() {
    const auto s = antidifference(term_, k_);
    if (!s) return std::nullopt;
    const Expr start = substitute(*s, {{k_, from_}}, Unused::allowed);
    if (!endless_) return substitute(*s, {{k_, to_ + 1}}, Unused::allowed) - start;
    const Symbol n("_n", {Assumption::positive});
    Expr limit;
    try {
      limit = one_sided_limit(substitute(*s, {{k_, n}}, Unused::allowed), n, infinity(), true, signs_);
    } catch (const UnknownSign&) {
      limit = infinity();
    } catch (const NoExpansion&) {
      limit = infinity();
    }
    const bool known = limit.is_integer(0) || !depends_on(limit, n);
    if (known && !has_undefined(limit) && !is_infinite(limit)) return limit - start;
    // powers of a base of unknown size: it is assumed that they converge
    const auto base = base_of_geometric(term_, k_);
    if (!base || base->is_number()) return std::nullopt;
    out_.conditions.push_back(less(abs(*base), 1));
    return -start;
  }

  std::optional<Expr> of_waves() {
    const auto s = wave_antidifference(term_, k_);
    if (!s) return std::nullopt;
    const Expr start = substitute(*s, {{k_, from_}}, Unused::allowed);
    const auto base = base_of_geometric(term_, k_);
    if (!endless_) {
      if (!base) note_waves();
      return substitute(*s, {{k_, to_ + 1}}, Unused::allowed) - start;
    }
    if (!base) return std::nullopt;
    const Expr size = less(abs(*base), 1);
    if (signs_.known(1 - abs(*base)).value_or(0) <= 0) out_.conditions.push_back(size);
    return -start;
  }

  // What a closed form with waves divides by.
  void note_waves() {
    postorder(term_, [&](const Expr& e) {
      if (!is_call_of(e, "cos") && !is_call_of(e, "sin")) return;
      const auto l = linear_in(e.operands()[0], k_);
      if (!l || depends_on(l->slope, k_) || l->slope.is_integer(0) || !l->slope.has_symbols()) return;
      out_.conditions.push_back(not_equal(cos(l->slope), 1));
    });
  }

  std::optional<Expr> term_by_term() {
    const Expr g = expand(term_);
    if (!g.is(Kind::sum) || g.operands().size() >= 20) return std::nullopt;
    Expr value = 0;
    for (const Expr& e : terms_of(g)) {
      SumResult part;
      try {
        part = closed_sum(e, k_, from_, to_, conditions_);
      } catch (const Error&) {
        return std::nullopt;
      }
      if (!part.closed) return std::nullopt;
      value += part.value;
      for (const Expr& c : part.conditions) out_.conditions.push_back(c);
    }
    return value;
  }

  const Expr& term_;
  const Expr& index_;
  const Symbol& k_;
  const Expr& from_;
  const Expr& to_;
  std::span<const Expr> conditions_;
  Signs signs_;
  bool endless_;
  SumResult out_;
};

SumResult closed_sum(const Expr& term, const Expr& index, const Expr& from, const Expr& to,
                     std::span<const Expr> conditions) {
  if (!index.is(Kind::symbol)) throw Error(ErrorKind::usage, "a sum is taken over a symbol");
  if (depends_on(from, index) || depends_on(to, index))
    throw Error(ErrorKind::usage, "the limits of a sum must not contain its index");
  // the index stands for whole numbers, whatever it was declared to be
  const Symbol k(index.name(), {Assumption::integer});
  const Expr t = substitute(evaluate_derivatives(term), {{index, k}}, Unused::allowed);
  SumResult out;
  out.value = unevaluated_sum(term, index, from, to);
  const Expr count = expand(to - from + 1);
  if (count.is_number() && count.number().sign() <= 0) {
    out.value = 0;
    out.closed = true;
    out.method = "no terms";
    return out;
  }
  if (!depends_on(t, k)) {
    if (to.is_constant(ConstantCode::infinity))
      throw Error(ErrorKind::domain, "the sum diverges: its terms do not go to zero");
    out.value = t * (to - from + 1);
    out.closed = true;
    out.method = "a constant term";
    return out;
  }
  // Many terms between numbers: the closed form for a symbolic end is found and confirmed on short ranges.
  constexpr std::int64_t few_terms = 3000;
  if (from.word() && to.is_number() && to.number().is_integer() &&
      compare(to.number() - from.number(), Number(few_terms)) > 0) {
    const Symbol n("_end", {Assumption::integer});
    std::vector<Expr> with_end(conditions.begin(), conditions.end());
    with_end.push_back(greater_equal(n, from));
    SumResult general = closed_sum(term, index, from, n, with_end);
    if (!general.closed) return out;
    general.value = substitute(general.value, {{n, to}}, Unused::allowed);
    for (Expr& c : general.conditions) c = substitute(c, {{n, to}}, Unused::allowed);
    return has_undefined(general.value) ? out : general;
  }
  return Summation(t, index, k, from, to, conditions).run(std::move(out));
}

}  // namespace

SumResult sum_with_report(const Expr& term, const Expr& index, const Expr& from, const Expr& to,
                          std::span<const Expr> conditions) {
  SumResult result = closed_sum(term, index, from, to, conditions);
  if (!result.closed && to.is_constant(ConstantCode::infinity) && from.word()) {
    const std::vector<Symbol> symbols = free_symbols(term);
    const bool numbers = std::all_of(symbols.begin(), symbols.end(), [&](const Symbol& s) { return s == index; });
    const InfiniteSum sum = numbers ? infinite_sum(evaluate_derivatives(term), index, *from.word()) : InfiniteSum{};
    result.divergent = sum.diverges;
    if (sum.diverges) result.method = sum.reason;
  }
  result.conditions = reduced_conditions(result.conditions, conditions);
  return result;
}

Expr sum(const Expr& term, const Expr& k, const Expr& from, const Expr& to, std::span<const Expr> conditions) {
  return sum_with_report(term, k, from, to, conditions).value;
}

NumericSum numeric_sum(const Expr& term, const Expr& k, std::int64_t from, const Bindings& bindings) {
  if (!k.is(Kind::symbol)) throw Error(ErrorKind::usage, "a sum is taken over a symbol");
  const Expr bound = substitute(evaluate_derivatives(term), bindings, Unused::allowed);
  for (const Symbol& s : free_symbols(bound)) {
    if (!(s == k))
      throw Error(ErrorKind::binding, s.name() + " has no value; a sum in numbers needs one for each parameter");
  }
  const InfiniteSum sum = infinite_sum(bound, k, from);
  return {sum.value, sum.error, sum.terms, sum.converged, sum.diverges, sum.reason};
}

Expr evaluate_operators(const Expr& expression, std::span<const Expr> conditions) {
  Rebuild pass([](const Expr&, Expr&) { return false; },
               [&](const Expr& e) -> Expr {
                 const auto ops = e.operands();
                 try {
                   switch (e.kind()) {
                     case Kind::derivative: return evaluate_derivatives(e);
                     case Kind::integral: {
                       IntegralOptions o;
                       o.conditions.assign(conditions.begin(), conditions.end());
                       o.exceptions = false;
                       const IntegralResult r = ops.size() == 2 ? integrate(ops[0], ops[1], o)
                                                                : integrate(ops[0], ops[1], ops[2], ops[3], o);
                       if (r.status == IntegralStatus::divergent)
                         throw Error(ErrorKind::domain, fmt::format("an integral diverges: {}", r.reason));
                       return r.status == IntegralStatus::exact && r.conditions.empty() ? r.value : e;
                     }
                     case Kind::reduction: {
                       if (!e.is_summation()) return e;
                       const SumResult r = sum_with_report(ops[0], ops[1], ops[2], ops[3], conditions);
                       return r.closed && r.conditions.empty() ? r.value : e;
                     }
                     case Kind::limit: {
                       const LimitResult r = limit_with_report(ops[0], ops[1], ops[2], e.limit_side(), conditions);
                       return has_undefined(r.value) ? e : r.value;
                     }
                     default: return e;
                   }
                 } catch (const Error& error) {
                   if (error.kind() == ErrorKind::unsupported || error.kind() == ErrorKind::limit) return e;
                   throw;
                 }
               });
  return pass(expression);
}

}  // namespace boreon
