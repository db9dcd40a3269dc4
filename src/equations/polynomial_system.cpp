// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>

#include "algebra/groebner/groebner.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "equations/single.hpp"
#include "equations/generic_system.hpp"
#include "equations/system.hpp"
#include "equations/system_ring.hpp"
#include "equations/univariate_solutions.hpp"

namespace boreon::equations {
namespace {

constexpr std::size_t most_candidates = 512;
constexpr std::size_t most_by_radicals = 8;  // solutions: beyond, nested roots are not tried

class Triangular {
 public:
  Triangular(std::vector<Expr> basis, std::span<const Expr> unknowns, const std::vector<Expr>& conditions)
      : basis_(std::move(basis)), unknowns_(unknowns), conditions_(conditions) {}

  /// What stood in the way, if it was an equation of one unknown.
  [[nodiscard]] const std::string& stuck() const { return stuck_; }

  bool run(Candidates& out) {
    out_ = &out;
    values_.assign(unknowns_.size(), std::nullopt);
    return from(unknowns_.size());
  }

 private:
  // The unknowns from index k on have their values.
  bool from(std::size_t k) {
    if (out_->values.size() > most_candidates) return false;
    if (k == 0) {
      out_->values.push_back(values_);
      out_->conditions.push_back(held_);
      return true;
    }
    const Expr& u = unknowns_[k - 1];
    Bindings known;
    for (std::size_t i = k; i < unknowns_.size(); ++i) {
      if (values_[i]) known.set(unknowns_[i], *values_[i]);
    }
    // of the polynomials in u and later unknowns, that of least degree in u once these have their values
    std::optional<Expr> best;
    std::size_t degree = 0;
    const Symbol s("_u");
    bool occurs = false;
    for (const Expr& p : basis_) {
      if (!depends_on(p, u)) continue;
      bool later_only = true;
      for (std::size_t i = 0; i + 1 < k; ++i) later_only = later_only && !depends_on(p, unknowns_[i]);
      if (!later_only) continue;
      occurs = true;
      Expr q = substitute(p, known, Unused::allowed);
      auto c = polynomial_in(substitute(q, {{u, s}}, Unused::allowed), s, 400);
      if (!c) return false;
      bool cut = false;
      while (!c->empty() && vanishes(c->back())) {
        c->pop_back();
        cut = true;
      }
      if (c->empty()) continue;
      if (c->size() == 1) return true;  // a number that is not zero: these values lead to nothing
      if (best && c->size() - 1 >= degree) continue;
      degree = c->size() - 1;
      if (cut) {
        q = 0;
        for (std::size_t i = 0; i < c->size(); ++i) q += (*c)[i] * power(u, Expr(i));
      }
      best = q;
    }
    if (!best) {
      if (occurs) return false;
      values_[k - 1] = std::nullopt;
      return from(k - 1);
    }
    SingleSolver solver(conditions_, longest_in_systems);
    const auto roots = solver(*best, Symbol::from(u));
    if (!roots) {
      stuck_ = fmt::format("{} satisfies a polynomial of degree {} that has no closed form here", to_text(u, {40, {}}),
                           degree);
      return false;
    }
    for (const Expr& c : solver.nonzero()) {
      if (std::find(out_->nonzero.begin(), out_->nonzero.end(), c) == out_->nonzero.end()) out_->nonzero.push_back(c);
    }
    for (const Root& r : *roots) {
      values_[k - 1] = r.value;
      const std::size_t before = held_.size();
      held_.insert(held_.end(), r.conditions.begin(), r.conditions.end());
      if (!from(k - 1)) return false;
      held_.resize(before);
    }
    values_[k - 1] = std::nullopt;
    return true;
  }

  std::vector<Expr> basis_;
  std::span<const Expr> unknowns_;
  const std::vector<Expr>& conditions_;
  std::vector<std::optional<Expr>> values_;
  std::vector<Expr> held_;
  std::string stuck_;
  Candidates* out_ = nullptr;
};

}  // namespace

namespace {

// The unknowns one after the other, from the lexicographic basis.
std::optional<Candidates> triangular(std::vector<Expr> basis, std::span<const Expr> unknowns,
                                     const std::vector<Expr>& conditions) {
  Candidates out;
  out.steps.emplace_back("polynomials by a Groebner basis");
  for (const Expr& p : basis) {
    if (std::any_of(unknowns.begin(), unknowns.end(), [&](const Expr& u) { return depends_on(p, u); })) continue;
    if (p.has_symbols()) {
      out.contradiction = "there is a solution only where " + to_text(p, {120, {}}) + " = 0";
      out.nonzero.push_back(p);
    } else if (!vanishes(p)) {
      out.contradiction = "the equations contradict each other: a combination of them says 0 = 1";
    } else {
      continue;
    }
    return out;
  }
  Triangular way(std::move(basis), unknowns, conditions);
  if (way.run(out)) return out;
  if (way.stuck().empty()) return std::nullopt;
  out.unsolved = way.stuck();
  return out;
}

}  // namespace

std::optional<Candidates> polynomial_system(std::span<const Expr> equations, std::span<const Expr> unknowns,
                                            const std::vector<Expr>& conditions) {
  const SystemRing ring(equations, unknowns);
  if (!ring.polynomials()) return std::nullopt;
  const std::vector<poly::Poly> generators = ring.generators();
  std::optional<poly::UnivariateZeros> zeros;
  if (ring.rational()) {
    zeros = poly::zeros_of_system(generators);
    const bool multiple = zeros && zeros->dimension != zeros->distinct;
    if (zeros && (multiple || zeros->dimension > most_by_radicals)) return by_one_polynomial(*zeros, conditions);
  }
  const auto basis = poly::groebner_basis(generators, poly::MonomialOrder::lexicographic);
  auto out = triangular(ring.expressions(basis.elements), unknowns, conditions);
  if (out && (out->unsolved.empty() || !zeros)) {
    if (!basis.verified) {
      out->complete = false;
      out->incomplete = "the Groebner basis holds modulo further primes, its proof is too much work";
    }
    if (!ring.rational() && out->unsolved.empty())
      out->multiplicities = multiplicities_with_parameters(equations, unknowns, conditions, out->values);
    return out;
  }
  if (!zeros) return std::nullopt;
  return by_one_polynomial(*zeros, conditions);
}

}  // namespace boreon::equations

namespace boreon {

std::vector<Expr> groebner_basis(const ExprList& polynomials, const ExprList& unknowns, BasisOrder order) {
  const equations::SystemRing ring(polynomials, unknowns);
  if (!ring.polynomials()) throw Error(ErrorKind::usage, "a Groebner basis is of polynomials in the unknowns");
  return ring.expressions(poly::groebner_basis(ring.generators(), order == BasisOrder::degree
                                                                      ? poly::MonomialOrder::degree
                                                                      : poly::MonomialOrder::lexicographic)
                              .elements);
}

std::vector<Expr> eliminate(const ExprList& polynomials, const ExprList& unknowns) {
  std::vector<Expr> out = groebner_basis(polynomials, unknowns);
  std::erase_if(out, [&](const Expr& p) {
    return std::any_of(unknowns.begin(), unknowns.end(), [&](const Expr& u) { return depends_on(p, u); });
  });
  return out;
}

}  // namespace boreon
