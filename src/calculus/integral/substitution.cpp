// SPDX-License-Identifier: MIT
// Substitutions found by structure: u such that f/u' is a function of u alone.
#include <fmt/format.h>

#include <algorithm>

#include "algebra/linear_terms.hpp"
#include "algebra/simplify/transforms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/text.hpp"
#include "calculus/integral/integrator.hpp"

namespace boreon {
namespace {

constexpr std::size_t most_candidates = 24;

// h with u written as t wherever it occurs, also inside its powers and multiples.
Expr in_terms_of(const Expr& h, const Expr& u, const Symbol& t, const Symbol& x) {
  const bool exponential = is_call_of(u, "exp");
  const Expr base = u.is(Kind::power) ? u.operands()[0] : u;
  const Expr exponent = u.is(Kind::power) ? u.operands()[1] : Expr(1);
  const auto power_of = [&](const Expr& e) -> std::optional<Expr> {
    const Expr ratio = e / exponent;
    if (!ratio.is_number() || (!ratio.word() && !is_nonnegative(base))) return std::nullopt;
    return power(t, ratio);
  };
  Rebuild pass([&](const Expr& n, Expr& result) {
    if (!depends_on(n, x)) {
      result = n;
      return true;
    }
    if (n == u) {
      result = t;
      return true;
    }
    if (exponential && is_call_of(n, "exp")) {
      const Expr ratio = n.operands()[0] / u.operands()[0];
      if (ratio.is_number() && (ratio.word() || is_positive(t))) {
        result = power(t, ratio);
        return true;
      }
      return false;
    }
    if (n.is(Kind::power) && n.operands()[0] == base && !depends_on(n.operands()[1], x)) {
      if (const auto p = power_of(n.operands()[1])) {
        result = *p;
        return true;
      }
    }
    if (n.is(Kind::product)) {
      Expr out = n.operands()[0];
      bool any = false;
      for (const auto [b, e] : Parts(n)) {
        const auto p = b == base && !depends_on(e, x) ? power_of(e) : std::nullopt;
        any = any || p;
        out *= p ? *p : power(in_terms_of(b, u, t, x), depends_on(e, x) ? in_terms_of(e, u, t, x) : e);
      }
      if (!any) return false;
      result = out;
      return true;
    }
    if (n.is(Kind::sum) && u.is(Kind::sum) && n.operands().size() == u.operands().size()) {
      // a multiple of u plus a constant
      const Expr ratio = n.operands()[2] / u.operands()[2];
      if (ratio.is_number() && n.operands()[1] == u.operands()[1]) {
        const Expr rest = n - ratio * u;
        if (!depends_on(rest, x)) {
          result = ratio * t + rest;
          return true;
        }
      }
    }
    return false;
  });
  return pass(h);
}

std::vector<Expr> candidates(const Expr& f, const Symbol& x) {
  std::vector<Expr> list;
  const auto take = [&](const Expr& e) {
    if (!depends_on(e, x) || e == x || e == f || !is_real(e) || linear_in(e, x)) return;
    if (std::find(list.begin(), list.end(), e) == list.end()) list.push_back(e);
  };
  postorder(f, [&](const Expr& n) {
    if (!depends_on(n, x)) return;
    switch (n.kind()) {
      case Kind::call:
      case Kind::sum: take(n); return;
      case Kind::power: take(n); return;
      case Kind::product: {
        if (!(n == f)) take(n);
        for (const auto [base, exponent] : Parts(n)) {
          take(base);
          if (!exponent.is_integer(1) && !(exponent.is_integer(-1))) take(power(base, exponent));
          if (base == x && exponent.is_integer(-1)) take(power(x, -1));
        }
        return;
      }
      default: return;
    }
  });
  std::stable_sort(list.begin(), list.end(), [](const Expr& a, const Expr& b) { return tree_size(a) > tree_size(b); });
  if (list.size() > most_candidates) list.resize(most_candidates);
  return list;
}

// t = x^n: f*x^(1 - n) must be a function of x^n.
layers::Result by_power(Integrator& in, const Expr& f, const Symbol& x, std::int64_t n) {
  const Expr h = expand(f * power(x, 1 - n) / n);
  // x = u^(1/n) stands for positive x; for the others the form has to be even
  if (n % 2 == 0 && !is_nonnegative(x) && !(substitute(h, {{x, -x}}, Unused::allowed) == h)) return std::nullopt;
  const Symbol t = in.fresh({Assumption::positive});
  const Expr in_t = substitute(h, {{x, power(t, Expr(Number(1, n)))}}, Unused::allowed);
  bool whole = true;
  postorder(in_t, [&](const Expr& p) {
    if (p.is(Kind::power) && p.operands()[0] == t) whole = whole && p.operands()[1].word();
    if (p.is(Kind::product)) {
      for (const auto [b, e] : Parts(p)) whole = whole && (!(b == t) || e.word());
    }
  });
  if (!whole) return std::nullopt;
  // t need not be positive where n is odd
  const Symbol u = in.fresh(n % 2 == 0 ? Assumptions{Assumption::nonnegative} : Assumptions{});
  const auto inner = in(substitute(in_t, {{t, u}}, Unused::allowed), u);
  if (!inner) return std::nullopt;
  in.note(fmt::format("substitution u = {}^{}", x.name(), n));
  return substitute(*inner, {{u, power(x, n)}}, Unused::allowed);
}

layers::Result substituted(Integrator& in, const Expr& f, const Symbol& x) {
  // the largest power that all of f has in common, but for one factor of its derivative
  std::vector<std::int64_t> powers;
  postorder(f, [&](const Expr& n) {
    const auto look = [&](const Expr& base, const Expr& exponent) {
      if (!(base == x) || !exponent.word() || std::abs(*exponent.word()) > 24) return;
      const std::int64_t k = std::abs(*exponent.word());
      for (std::int64_t d = 2; d <= k; ++d) {
        if (k % d == 0) powers.push_back(d);
      }
    };
    if (n.is(Kind::power) || n.is(Kind::product)) for_each_factor(n, look);
  });
  std::sort(powers.rbegin(), powers.rend());
  powers.erase(std::unique(powers.begin(), powers.end()), powers.end());
  for (const std::int64_t n : powers) {
    if (auto r = by_power(in, f, x, n)) return r;
  }
  for (const Expr& u : candidates(f, x)) {
    const Expr slope = derivative(u, x);
    if (slope.is_integer(0) || has_piece(slope)) continue;
    const Symbol t = in.fresh(is_positive(u)      ? Assumptions{Assumption::positive}
                              : is_nonnegative(u) ? Assumptions{Assumption::nonnegative}
                                                  : Assumptions{});
    Expr h = f / slope;
    Expr in_t = in_terms_of(h, u, t, x);
    if (depends_on(in_t, x)) {
      if (operation_count(h) > 120) continue;
      try {
        h = combine_fractions(h);
      } catch (const Error&) {
        continue;
      }
      in_t = in_terms_of(h, u, t, x);
      if (depends_on(in_t, x)) continue;
    }
    const auto inner = in(in_t, t);
    if (!inner) continue;
    in.note(fmt::format("substitution u = {}", to_text(u, {80, {}})));
    return substitute(*inner, {{t, u}}, Unused::allowed);
  }
  return std::nullopt;
}

}  // namespace

layers::Result layers::by_substitution(Integrator& in, const Expr& f, const Symbol& x) {
  if (auto r = substituted(in, f, x)) return r;
  const Expr g = transforms::tangents_to_sines(f);
  return g == f ? std::nullopt : substituted(in, g, x);
}

}  // namespace boreon
