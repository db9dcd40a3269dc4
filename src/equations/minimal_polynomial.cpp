// SPDX-License-Identifier: MIT
// The minimal polynomial of an algebraic number.
#include <fmt/format.h>

#include <algorithm>

#include "algebra/groebner/groebner.hpp"
#include "algebra/kernel_ring.hpp"
#include "boreon/algebra.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/equations.hpp"
#include "boreon/error.hpp"
#include "boreon/text.hpp"
#include "values/domains.hpp"
#include "values/graph_evaluator.hpp"

namespace boreon {
namespace {

// Whether a number without symbols may be zero, to `precision` bits.
bool may_be_zero(const Expr& e, long precision) {
  const Ball b = GraphEvaluator<BallDomain>(BallDomain{precision}).run(EvaluationPlan({&e, 1}), [](const Expr&, Ball&) {
    return false;
  })[0];
  return acb_contains_zero(b.get()) != 0;
}

Expr at(const poly::Poly& p, unsigned v, const Expr& value) {
  std::vector<Expr> terms;
  for (std::size_t i = 0; i < p.size(); ++i)
    terms.push_back(Expr(p.coefficients[i].number()) * power(value, Expr(static_cast<std::int64_t>(p.exponent(i, v)))));
  return add(terms);
}

}  // namespace

Expr minimal_polynomial(const Expr& number, const Symbol& x) {
  if (number.has_symbols())
    throw Error(ErrorKind::usage, to_text(number, {60, {}}) + " holds symbols; a minimal polynomial is of a number");
  const Expr root(number);
  const KernelRing ring({&root, 1});
  const unsigned kernels = ring.vars();
  std::vector<bool> algebraic(kernels, false);
  // the kernels first, then the number itself as the smallest variable
  const unsigned n = kernels + 1;
  std::vector<unsigned> place(kernels);
  for (unsigned v = 0; v < kernels; ++v) place[v] = v;
  std::vector<poly::Poly> generators;
  for (const KernelRing::Relation& r : ring.relations()) {
    algebraic[r.variable] = true;
    generators.push_back(poly::permuted(
        poly::subtract(poly::multiply(poly::variable(kernels, r.variable, r.degree), r.value.denominator),
                       r.value.numerator),
        place, n));
  }
  for (unsigned v = 0; v < kernels; ++v) {
    if (!algebraic[v])
      throw Error(ErrorKind::unsupported,
                  fmt::format("{} is not known to be algebraic", to_text(ring.kernels()[v], {60, {}})));
  }
  const Fraction f = ring.reduced(ring.fraction_of(root));
  generators.push_back(
      poly::subtract(poly::multiply(poly::variable(n, kernels), poly::permuted(f.denominator, place, n)),
                     poly::permuted(f.numerator, place, n)));
  const poly::GroebnerBasis basis = poly::groebner_basis(generators, poly::MonomialOrder::lexicographic);
  const poly::Poly& alone = basis.elements.front();
  const poly::Factors factors = poly::factor(alone);
  std::vector<poly::Poly> left;
  for (const poly::Factor& p : factors.list) left.push_back(p.base);
  // one factor is zero at the number; enough digits exclude all others
  for (long precision = 128; left.size() > 1 && precision <= 65536; precision *= 2)
    std::erase_if(left, [&](const poly::Poly& p) { return !may_be_zero(at(p, kernels, number), precision); });
  if (left.size() != 1)
    throw Error(ErrorKind::limit, "the conjugates of " + to_text(number, {60, {}}) + " are too near to each other");
  return at(left[0], kernels, x);
}

}  // namespace boreon
