// SPDX-License-Identifier: MIT
#include "odes/verify.hpp"

#include <algorithm>
#include <cmath>
#include <complex>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/sampling.hpp"
#include "boreon/simplify.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "equations/verify.hpp"
#include "values/graph_evaluator.hpp"

namespace boreon::odes {
namespace {

constexpr double digits_wanted = 10;

// Integrals without closed form as symbols: what they are multiplied by has to vanish whatever they are.
Expr with_integrals_named(const Expr& e) {
  std::vector<Expr> seen;
  return Rebuild([&](const Expr& n, Expr& result) {
    if (!n.is(Kind::integral)) return false;
    auto at = std::find(seen.begin(), seen.end(), n);
    if (at == seen.end()) at = seen.insert(seen.end(), n);
    result = Symbol("_I" + std::to_string(at - seen.begin()));
    return true;
  })(e);
}

Verified tested(const std::vector<Expr>& residuals, std::span<const Expr> conditions, std::size_t points,
                std::uint64_t seed) {
  Verified out{true, 0, 15, {}};
  for (const Expr& r : residuals) {
    if (r.is_integer(0)) {
      out.points = std::max(out.points, points);
      continue;
    }
    const Expr named = with_integrals_named(r);
    equations::ZeroTest z = equations::zero_test(named, conditions, points, seed);
    if (z.verdict != equations::Zero::yes && !(named == r)) z = equations::zero_test(r, conditions, points, seed);
    if (z.verdict != equations::Zero::yes || z.digits < digits_wanted) return {};
    out.points = std::max(out.points, z.points);
    out.digits = std::min(out.digits, z.digits);
  }
  return out;
}

bool is_step(const Expr& e) { return is_call_of(e, "heaviside"); }
bool is_impulse(const Expr& e) { return is_call_of(e, "dirac_delta"); }

// Steps as pieces, which have no impulses where they are derived; impulses are looked at apart.
Expr without_impulses(const Expr& e) {
  Rebuild pass([](const Expr&, Expr&) { return false; },
               [](const Expr& n) -> Expr {
                 if (is_impulse(n)) return 0;
                 if (!is_step(n)) return n;
                 const Expr branches[] = {1, greater(n.operands()[0], 0), 0};
                 return piecewise(branches);
               });
  return pass(e);
}

// Where steps and impulses of the functions and the equations are; nothing if an argument is not linear in t.
std::optional<std::vector<Expr>> places_of_steps(const Jet& jet, std::span<const Expr> functions) {
  const Symbol& t = jet.variable();
  std::vector<Expr> places;
  bool linear = true;
  const auto look = [&](const Expr& n) {
    if (!is_step(n) && !is_impulse(n)) return;
    const auto l = linear_in(n.operands()[0], t);
    if (!l || l->slope.is_integer(0)) {
      linear = linear && !depends_on(n, t);
      return;
    }
    const Expr place = factor(-l->constant / l->slope);
    if (std::find(places.begin(), places.end(), place) == places.end()) places.push_back(place);
  };
  postorder(functions, look);
  postorder(std::span<const Expr>(jet.equations()), look);
  if (!linear) return std::nullopt;
  return places;
}

// What y, y', ... below the highest derivative jump by at each step of the functions, against the impulses of the
// equations. True if all of it balances.
bool balanced(const Jet& jet, std::span<const Expr> functions, std::span<const Expr> conditions, std::uint64_t seed) {
  const Symbol& t = jet.variable();
  const auto found = places_of_steps(jet, functions);
  if (!found) return false;
  const std::vector<Expr>& places = *found;
  // a step or impulse at the place counts as 1 where `value` is, others are what they are
  const auto at_place = [&](const Expr& e, const Expr& place, bool after) {
    Rebuild pass([&](const Expr& n, Expr& result) {
      if (!is_step(n)) return false;
      const auto l = linear_in(n.operands()[0], t);
      if (!l || !vanishes(place + l->constant / l->slope)) return false;
      const Expr up = l->slope;
      result = is_negative(up) ? Expr(after ? 0 : 1) : Expr(after ? 1 : 0);
      return true;
    });
    return substitute(without_impulses(pass(e)), {{t, place}}, Unused::allowed);
  };
  for (const Expr& place : places) {
    std::vector<std::vector<Expr>> jumps;
    for (std::size_t i = 0; i < functions.size(); ++i) {
      std::vector<Expr> own;
      Expr smooth = functions[i];
      for (int k = 0; k < jet.orders()[i]; ++k) {
        own.push_back(at_place(smooth, place, true) - at_place(smooth, place, false));
        if (k + 1 == jet.orders()[i]) break;
        // derive with steps kept: their impulses do not count in the jump
        Rebuild frozen([](const Expr&, Expr&) { return false; },
                       [](const Expr& n) -> Expr { return is_impulse(n) ? Expr(0) : n; });
        smooth = frozen(derivative(smooth, t));
      }
      jumps.push_back(std::move(own));
    }
    for (const auto& own : jumps) {
      for (std::size_t k = 0; k + 1 < own.size(); ++k) {
        if (equations::zero_test(own[k], conditions, 2, seed).verdict != equations::Zero::yes) return false;
      }
    }
    for (const Expr& F : jet.equations()) {
      Expr balance = 0;
      for (std::size_t i = 0; i < functions.size(); ++i) {
        const Symbol highest = jet.symbol(i, jet.orders()[i]);
        if (jumps[i].empty()) continue;
        balance +=
            substitute(without_impulses(derivative(F, highest)), {{t, place}}, Unused::allowed) * jumps[i].back();
      }
      std::vector<Expr> impulses;
      postorder(F, [&](const Expr& n) {
        if (is_impulse(n)) impulses.push_back(n);
      });
      for (const Expr& n : impulses) {
        const auto l = linear_in(n.operands()[0], t);
        if (!l || !vanishes(place + l->constant / l->slope)) continue;
        const Symbol weight("_w");
        Rebuild named([&](const Expr& m, Expr& result) {
          if (!(m == n)) return false;
          result = weight;
          return true;
        });
        balance +=
            substitute(without_impulses(derivative(named(F), weight)), {{t, place}}, Unused::allowed) / abs(l->slope);
      }
      for (std::size_t i = 0; i < functions.size(); ++i) {
        for (int k = 0; k <= jet.orders()[i]; ++k) {
          if (depends_on(balance, jet.symbol(i, k))) return false;  // not linear
        }
      }
      if (equations::zero_test(balance, conditions, 2, seed).verdict != equations::Zero::yes) return false;
    }
  }
  return true;
}

}  // namespace

Verified verified(const Jet& jet, std::span<const Expr> functions, std::span<const Expr> conditions, std::size_t points,
                  std::uint64_t seed) {
  std::vector<Expr> residuals;
  bool steps = false;
  const auto look = [&](const Expr& n) { steps = steps || is_step(n) || is_impulse(n); };
  postorder(functions, look);
  postorder(std::span<const Expr>(jet.equations()), look);
  std::vector<Expr> smooth(functions.begin(), functions.end());
  if (steps) {
    if (!balanced(jet, functions, conditions, seed)) return {};
    for (Expr& f : smooth) f = without_impulses(f);
  }
  for (const Expr& e : jet.equations())
    residuals.push_back(evaluate_derivatives(jet.with(steps ? without_impulses(e) : e, smooth)));
  std::vector<std::vector<Expr>> attempts{{}, {greater(jet.variable(), 0)}};
  // amounts of what changes sign come from roots of squares: one sign each
  std::vector<Expr> amounts;
  postorder(std::span<const Expr>(residuals), [&](const Expr& n) {
    if (is_call_of(n, "abs")) amounts.push_back(n.operands()[0]);
    if (!n.is(Kind::power) || !n.operands()[1].is_number() || n.operands()[1].word()) return;
    for_each_factor(n.operands()[0], [&](const Expr& base, const Expr& exponent) {
      if (base.has_symbols() && exponent.word() && *exponent.word() % 2 == 0) amounts.push_back(base);
    });
  });
  std::sort(amounts.begin(), amounts.end(), [](const Expr& a, const Expr& b) { return order(a, b) < 0; });
  amounts.erase(std::unique(amounts.begin(), amounts.end()), amounts.end());
  if (!amounts.empty() && amounts.size() <= 3) {
    for (std::size_t signs = 0; signs < std::size_t{1} << amounts.size(); ++signs) {
      std::vector<Expr> one;
      for (std::size_t i = 0; i < amounts.size(); ++i)
        one.push_back((signs >> i & 1U) == 0 ? greater(amounts[i], 0) : less(amounts[i], 0));
      attempts.push_back(one);
    }
  }
  for (const std::vector<Expr>& extra : attempts) {
    std::vector<Expr> all(conditions.begin(), conditions.end());
    all.insert(all.end(), extra.begin(), extra.end());
    Verified v = tested(residuals, all, points, seed);
    if (!v.holds) continue;
    v.conditions = extra;
    return v;
  }
  return {};
}

Verified verified_relation(const Jet& jet, const Expr& relation, const std::optional<Expr>& constant,
                           std::span<const Expr> conditions, std::size_t points, std::uint64_t seed) {
  if (jet.size() != 1) return {};
  const Symbol y = jet.symbol(0, 0);
  const Symbol& t = jet.variable();
  // y' = -R_t/R_y, and so on; the points are not where signs in the relation change
  Bindings rates;
  const auto by = [](const Expr& e, const Symbol& x) { return without_impulses(derivative(e, x)); };
  const Expr first = -by(relation, t) / by(relation, y);
  Expr rate = first;
  for (int k = 1; k <= jet.orders()[0]; ++k) {
    if (k > 1) rate = by(rate, t) + by(rate, y) * first;
    rates.set(jet.symbol(0, k), rate);
  }
  Expr along = substitute(jet.equations()[0], rates, Unused::allowed);
  if (constant && depends_on(along, *constant)) {
    const Expr by_constant = derivative(relation, *constant);
    if (!depends_on(by_constant, *constant)) {
      along = substitute(along, {{*constant, -substitute(relation, {{*constant, 0}}, Unused::allowed) / by_constant}},
                         Unused::allowed);
    }
  }
  for (const bool positive : {false, true}) {
    std::vector<Expr> all(conditions.begin(), conditions.end());
    if (positive) {
      all.push_back(greater(t, 0));
      all.push_back(greater(y, 0));
    }
    Verified v = tested({evaluate_derivatives(along)}, all, points, seed);
    if (v.holds) return v;
  }
  return {};
}

std::size_t independent_constants(const Jet& jet, std::span<const Expr> functions, std::span<const Expr> constants,
                                  std::span<const Expr> conditions, std::uint64_t seed) {
  std::vector<Expr> state;
  for (std::size_t i = 0; i < functions.size(); ++i) {
    const Expr smooth = without_impulses(functions[i]);
    for (int k = 0; k < jet.orders()[i]; ++k) state.push_back(derivative(smooth, jet.variable(), k));
  }
  std::vector<Expr> entries;
  for (const Expr& f : state) {
    for (const Expr& c : constants) entries.push_back(derivative(f, c));
  }
  std::vector<Expr> all = entries;
  all.insert(all.end(), conditions.begin(), conditions.end());
  const std::vector<Expr> leaves = sampled_leaves(all);
  const SampleRanges ranges;
  Sampler sampler(leaves, ranges, seed + 5);
  std::size_t best = 0;
  const BriefFaults brief;
  for (int attempt = 0; attempt < 4 && best < constants.size(); ++attempt) {
    const std::vector<double> point = sampler.draw(conditions);
    if (point.size() != leaves.size()) break;
    Bindings at;
    for (std::size_t i = 0; i < leaves.size(); ++i) at.set(leaves[i], Expr(Number::exact(point[i])));
    std::vector<std::complex<double>> m;
    try {
      for (const Expr& e : entries) m.push_back(evaluate_complex(e, at, Unused::allowed));
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
      continue;
    }
    // rank by elimination with full pivoting
    const std::size_t columns = constants.size();
    const std::size_t rows = state.size();
    std::vector<bool> used(rows, false);
    std::size_t rank = 0;
    for (std::size_t c = 0; c < columns; ++c) {
      double size = 0;
      for (std::size_t r = 0; r < rows; ++r) size = std::max(size, std::abs(m[r * columns + c]));
      if (size == 0 || !std::isfinite(size)) continue;
      for (std::size_t r = 0; r < rows; ++r) m[r * columns + c] /= size;
    }
    for (std::size_t c = 0; c < columns; ++c) {
      std::size_t pivot = rows;
      double largest = 1e-9;
      for (std::size_t r = 0; r < rows; ++r) {
        if (!used[r] && std::abs(m[r * columns + c]) > largest) {
          largest = std::abs(m[r * columns + c]);
          pivot = r;
        }
      }
      if (pivot == rows) continue;
      used[pivot] = true;
      ++rank;
      for (std::size_t r = 0; r < rows; ++r) {
        if (r == pivot || used[r]) continue;
        const std::complex<double> f = m[r * columns + c] / m[pivot * columns + c];
        for (std::size_t k = c; k < columns; ++k) m[r * columns + k] -= f * m[pivot * columns + k];
      }
    }
    best = std::max(best, rank);
  }
  return best;
}

}  // namespace boreon::odes
