// SPDX-License-Identifier: MIT
#include <algorithm>

#include "algebra/kernel_ring.hpp"
#include "algebra/polynomial/groebner.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "equations/single.hpp"
#include "equations/system.hpp"

namespace boreon::equations {
namespace {

constexpr std::size_t most_candidates = 512;

// The polynomials of a basis as expressions, the unknowns the largest variables in their order.
std::optional<std::vector<Expr>> basis_of(std::span<const Expr> equations, std::span<const Expr> unknowns) {
  const KernelRing ring(equations);
  std::vector<unsigned> place(ring.vars());
  std::vector<Expr> kernel_at(ring.vars());
  unsigned next = 0;
  for (const Expr& u : unknowns) {
    const auto v = ring.index_of(u);
    if (v) place[*v] = next++;
  }
  for (unsigned v = 0; v < ring.vars(); ++v) {
    const Expr& k = ring.kernels()[v];
    if (std::find(unknowns.begin(), unknowns.end(), k) != unknowns.end()) continue;
    for (const Expr& u : unknowns) {
      if (depends_on(k, u)) return std::nullopt;
    }
    place[v] = next++;
  }
  std::vector<poly::Poly> generators;
  for (const Expr& e : equations)
    generators.push_back(poly::permuted(ring.reduced(ring.fraction_of(e)).numerator, place, ring.vars()));
  for (const KernelRing::Relation& r : ring.relations()) {  // sqrt(2)^2 = 2, the imaginary unit
    poly::Poly p = poly::subtract(
        poly::multiply(poly::variable(ring.vars(), r.variable, r.degree), r.value.denominator), r.value.numerator);
    generators.push_back(poly::permuted(p, place, ring.vars()));
  }
  std::vector<unsigned> back(ring.vars());
  for (unsigned v = 0; v < ring.vars(); ++v) back[place[v]] = v;
  std::vector<Expr> out;
  for (const poly::Poly& p : poly::groebner_basis(generators))
    out.push_back(ring.expression(poly::permuted(p, back, ring.vars())));
  return out;
}

class Triangular {
 public:
  Triangular(std::vector<Expr> basis, std::span<const Expr> unknowns, const std::vector<Expr>& conditions)
      : basis_(std::move(basis)), unknowns_(unknowns), conditions_(conditions) {}

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
    if (!roots) return false;
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
  Candidates* out_ = nullptr;
};

}  // namespace

std::optional<Candidates> polynomial_system(std::span<const Expr> equations, std::span<const Expr> unknowns,
                                            const std::vector<Expr>& conditions) {
  auto basis = basis_of(equations, unknowns);
  if (!basis) return std::nullopt;
  Candidates out;
  out.steps.emplace_back("polynomials by a Groebner basis");
  for (const Expr& p : *basis) {
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
  if (!Triangular(std::move(*basis), unknowns, conditions).run(out)) return std::nullopt;
  return out;
}

}  // namespace boreon::equations

namespace boreon {

std::vector<Expr> groebner_basis(const ExprList& polynomials, const ExprList& unknowns) {
  const auto basis = equations::basis_of(polynomials, unknowns);
  if (!basis) throw Error(ErrorKind::usage, "a Groebner basis is of polynomials in the unknowns");
  return *basis;
}

std::vector<Expr> eliminate(const ExprList& polynomials, const ExprList& unknowns) {
  std::vector<Expr> out = groebner_basis(polynomials, unknowns);
  std::erase_if(out, [&](const Expr& p) {
    return std::any_of(unknowns.begin(), unknowns.end(), [&](const Expr& u) { return depends_on(p, u); });
  });
  return out;
}

}  // namespace boreon
