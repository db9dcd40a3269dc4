// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>

#include "algebra/groebner/groebner.hpp"
#include "algebra/kernel_ring.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "equations/single.hpp"
#include "equations/system.hpp"
#include "equations/univariate_solutions.hpp"

namespace boreon::equations {
namespace {

constexpr std::size_t most_candidates = 512;
constexpr std::size_t most_by_radicals = 8;  // solutions: beyond, nested roots are not tried

// Equations as polynomials, the unknowns the largest variables in their order.
class SystemRing {
 public:
  explicit SystemRing(std::span<const Expr> equations, std::span<const Expr> unknowns)
      : ring_(equations), equations_(equations), unknowns_(unknowns), place_(ring_.vars()), back_(ring_.vars()) {
    unsigned next = 0;
    for (const Expr& u : unknowns) {
      const auto v = ring_.index_of(u);
      if (v) place_[*v] = next++;
    }
    occurring_ = next;
    for (unsigned v = 0; v < ring_.vars(); ++v) {
      const Expr& k = ring_.kernels()[v];
      if (std::find(unknowns.begin(), unknowns.end(), k) != unknowns.end()) continue;
      polynomials_ = polynomials_ &&
                     std::none_of(unknowns.begin(), unknowns.end(), [&](const Expr& u) { return depends_on(k, u); });
      place_[v] = next++;
    }
    for (unsigned v = 0; v < ring_.vars(); ++v) back_[place_[v]] = v;
  }

  /// Whether the equations are quotients of polynomials in the unknowns.
  [[nodiscard]] bool polynomials() const { return polynomials_; }
  /// Whether all unknowns occur, and nothing but them: the coefficients are rational numbers.
  [[nodiscard]] bool rational() const {
    return polynomials_ && occurring_ == ring_.vars() && occurring_ == unknowns_.size();
  }
  [[nodiscard]] std::vector<poly::Poly> generators() const {
    std::vector<poly::Poly> out;
    for (const Expr& e : equations_)
      out.push_back(poly::permuted(ring_.reduced(ring_.fraction_of(e)).numerator, place_, ring_.vars()));
    for (const KernelRing::Relation& r : ring_.relations()) {  // sqrt(2)^2 = 2, the imaginary unit
      poly::Poly p = poly::subtract(
          poly::multiply(poly::variable(ring_.vars(), r.variable, r.degree), r.value.denominator), r.value.numerator);
      out.push_back(poly::permuted(p, place_, ring_.vars()));
    }
    return out;
  }
  [[nodiscard]] std::vector<Expr> expressions(const std::vector<poly::Poly>& polynomials) const {
    std::vector<Expr> out;
    for (const poly::Poly& p : polynomials) out.push_back(ring_.expression(poly::permuted(p, back_, ring_.vars())));
    return out;
  }

 private:
  KernelRing ring_;
  std::span<const Expr> equations_;
  std::span<const Expr> unknowns_;
  std::vector<unsigned> place_;  // by kernel
  std::vector<unsigned> back_;
  unsigned occurring_ = 0;
  bool polynomials_ = true;
};

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
