// SPDX-License-Identifier: MIT
// Factored, collected, over one denominator, in partial fractions.
#include <algorithm>
#include <map>

#include "algebra/kernel_ring.hpp"
#include "algebra/linear_terms.hpp"
#include "algebra/matrix/fraction_matrix.hpp"
#include "algebra/polynomial/work.hpp"
#include "boreon/algebra.hpp"
#include "boreon/error.hpp"
#include "boreon/matrix.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"

namespace boreon {
namespace {

using poly::Poly;

KernelRing ring_of(std::initializer_list<Expr> roots) {
  return KernelRing(std::span<const Expr>(roots.begin(), roots.size()));
}

template <class Apply>
Expr on_sides(const Expr& e, Apply apply) {
  if (e.is(Kind::relation)) return relation(e.relation_op(), apply(e.operands()[0]), apply(e.operands()[1]));
  return apply(e);
}

unsigned kernel_index(const KernelRing& ring, const Expr& x, const char* what) {
  if (const auto v = ring.index_of(x)) return *v;
  if (x.is(Kind::symbol) || x.is(Kind::unknown_call) || x.is(Kind::call))
    throw Error(ErrorKind::usage, "the expression does not depend on " + to_text(x) + " in a way that allows " + what);
  throw Error(ErrorKind::usage, to_text(x) + " is no symbol or function call");
}

// Whether a kernel other than x itself contains x.
bool hides(const KernelRing& ring, const Expr& x) {
  return std::any_of(ring.kernels().begin(), ring.kernels().end(), [&](const Expr& k) {
    if (k == x) return false;
    bool found = false;
    postorder(k, [&](const Expr& n) { found = found || n == x; });
    return found;
  });
}

}  // namespace

Expr factor(const Expr& expression) {
  const poly::WorkLimit limit(poly::work_of_call());
  return on_sides(expression, [](const Expr& e) {
    const KernelRing ring = ring_of({e});
    return ring.factored(ring.fraction_of(e));
  });
}

Expr combine_fractions(const Expr& expression) {
  const poly::WorkLimit limit(poly::work_of_call());
  return on_sides(expression, [](const Expr& e) {
    const KernelRing ring = ring_of({e});
    const Fraction f = ring.fraction_of(e);
    if (poly::is_one(f.denominator)) return ring.expression(f.numerator);
    // The sign goes to the numerator, so that equal fractions come out alike.
    const Expr d = ring.factored(f.denominator);
    const bool negative = d.is(Kind::product) && d.operands()[0].number().sign() < 0;
    return negative ? ring.expression(poly::negate(f.numerator)) / -d : ring.expression(f.numerator) / d;
  });
}

Quotient quotient(const Expr& e) {
  const poly::WorkLimit limit(poly::work_of_call());
  const KernelRing ring = ring_of({e});
  const Fraction f = ring.fraction_of(e);
  return {ring.expression(f.numerator), ring.expression(f.denominator)};
}

Expr collect(const Expr& expression, const Expr& symbol) {
  return collect(expression, std::span<const Expr>(&symbol, 1));
}

Expr collect(const Expr& expression, const ExprList& symbols) {
  if (symbols.empty()) throw Error(ErrorKind::usage, "collect needs at least one symbol to collect by");
  for (const Expr& x : symbols) {
    if (!x.is(Kind::symbol) && !x.is(Kind::unknown_call) && !x.is(Kind::call))
      throw Error(ErrorKind::usage, to_text(x) + " is no symbol or function call to collect by");
  }
  const Expr e = expand(expression);
  // The part of each term that consists of powers of the chosen symbols, and the sum of what stands beside it.
  std::vector<Expr> order;
  NodeMap<std::vector<Expr>> groups;
  const auto put = [&](const Expr& key, const Expr& rest) {
    const auto [slot, fresh] = groups.insert(key);
    if (fresh) order.push_back(key);
    slot->push_back(rest);
  };
  const auto chosen = [&](const Expr& base) {
    return std::find(symbols.begin(), symbols.end(), base) != symbols.end();
  };
  const auto split = [&](const Expr& term, const Expr& c) {
    Expr key = 1;
    Expr rest = c;
    if (term.is(Kind::product)) rest = rest * term.operands()[0];
    for_each_factor(
        term, [&](const Expr& base, const Expr& exponent) { (chosen(base) ? key : rest) *= power(base, exponent); });
    put(key, rest);
  };
  if (e.is(Kind::sum)) {
    if (!e.operands()[0].is_integer(0)) put(1, e.operands()[0]);
    for (const auto [term, c] : Parts(e)) split(term, c);
  } else {
    split(e, 1);
  }
  std::vector<Expr> terms;
  for (const Expr& key : order) {
    const Expr rest = add(*groups.find(key));
    Expr coefficient = rest;
    if (rest.is(Kind::sum)) {
      try {
        const Expr f = factor(rest);
        if (operation_count(f) < operation_count(rest)) coefficient = f;
      } catch (const Error&) {  // too large to factor: as it is
      }
    }
    terms.push_back(key.is_integer(1) ? coefficient : key * coefficient);
  }
  return add(terms);
}

std::vector<Expr> coefficients(const Expr& expression, const Expr& x) {
  const poly::WorkLimit limit(poly::work_of_call());
  const KernelRing ring = ring_of({expression, x});
  const Fraction f = ring.fraction_of(expression);
  const auto v = ring.index_of(x);
  if (!v || hides(ring, x) || f.denominator.degree(*v) > 0)
    throw Error(ErrorKind::usage, "the expression is no polynomial in " + to_text(x));
  std::vector<Expr> out;
  for (const Poly& c : poly::coefficients_in(f.numerator, *v))
    out.push_back(ring.expression(fraction(c, f.denominator)));
  return out;
}

Expr partial_fractions(const Expr& expression, const Expr& x) {
  const poly::WorkLimit limit(poly::work_of_call());
  const Expr roots[] = {expression, x};
  FractionMatrix system;  // undetermined coefficients, the right-hand side last
  system.ring = std::make_shared<const KernelRing>(roots);
  const KernelRing& ring = *system.ring;
  const Fraction f = ring.fraction_of(expression);
  const unsigned v = kernel_index(ring, x, "partial fractions");
  if (hides(ring, x)) throw Error(ErrorKind::usage, "the expression is not rational in " + to_text(x));
  const poly::Factors factors = poly::factor(f.denominator);
  std::vector<poly::Factor> parts;
  Poly outside = poly::constant(ring.vars(), factors.unit);  // factors of the denominator without x
  std::size_t unknowns = 0;
  for (const poly::Factor& p : factors.list) {
    if (p.base.degree(v) == 0) {
      outside = poly::multiply(outside, poly::power(p.base, p.multiplicity));
    } else {
      parts.push_back(p);
      unknowns += std::size_t{p.base.degree(v)} * p.multiplicity;
    }
  }
  if (unknowns > 200)
    throw Error(ErrorKind::limit, "the denominator has degree " + std::to_string(unknowns) +
                                      ", beyond the limit of 200 for partial fractions");
  // Polynomial part: division over the field of the other kernels.
  Poly d = poly::constant(ring.vars(), 1);
  for (const poly::Factor& p : parts) d = poly::multiply(d, poly::power(p.base, p.multiplicity));
  std::vector<Fraction> n;
  for (const Poly& c : poly::coefficients_in(f.numerator, v)) n.push_back(fraction(c));
  const std::vector<Poly> dc = poly::coefficients_in(d, v);
  const std::size_t degree = dc.size() - 1;
  std::vector<Expr> terms;
  const Fraction scale = fraction(poly::constant(ring.vars(), 1), outside);
  const auto show = [&](const Fraction& c) { return ring.factored(multiply(c, scale)); };
  while (n.size() > degree) {
    const std::size_t k = n.size() - 1 - degree;
    const Fraction q = divide(n.back(), fraction(dc.back()));
    for (std::size_t i = 0; i <= degree; ++i) n[k + i] = subtract(n[k + i], multiply(q, fraction(dc[i])));
    n.pop_back();
    if (!q.is_zero()) terms.push_back(show(q) * power(x, Expr(k)));
  }
  n.resize(degree, fraction(Poly(d.layout)));
  // Undetermined coefficients: sum over factors, powers and degrees of c*x^k*(d/p^j) = n.
  struct Unknown {
    std::size_t part;
    unsigned power;
    unsigned degree;
  };
  std::vector<Unknown> columns;
  system.rows = static_cast<Eigen::Index>(unknowns);
  system.cols = system.rows + 1;
  system.entries.assign(unknowns * (unknowns + 1), fraction(Poly(d.layout)));
  for (std::size_t i = 0; i < parts.size(); ++i) {
    for (unsigned j = 1; j <= parts[i].multiplicity; ++j) {
      const auto rest = poly::coefficients_in(*poly::divide_exactly(d, poly::power(parts[i].base, j)), v);
      for (unsigned k = 0; k < parts[i].base.degree(v); ++k) {
        columns.push_back({i, j, k});
        for (std::size_t r = k; r < unknowns && r - k < rest.size(); ++r) {
          system.at(static_cast<Eigen::Index>(r), static_cast<Eigen::Index>(columns.size()) - 1) =
              fraction(rest[r - k]);
        }
      }
    }
  }
  for (std::size_t r = 0; r < unknowns; ++r) system.at(static_cast<Eigen::Index>(r), system.rows) = n[r];
  (void)system.reduce_rows(system.rows);  // never singular
  for (std::size_t i = 0; i < columns.size();) {
    std::size_t j = i;
    Fraction numerator = fraction(Poly(d.layout));
    while (j < columns.size() && columns[j].part == columns[i].part && columns[j].power == columns[i].power) {
      numerator = add(numerator, multiply(system.at(static_cast<Eigen::Index>(j), system.rows),
                                          fraction(poly::variable(ring.vars(), v, columns[j].degree))));
      ++j;
    }
    if (!numerator.is_zero())
      terms.push_back(show(numerator) / power(ring.expression(parts[columns[i].part].base), Expr(columns[i].power)));
    i = j;
  }
  return terms.empty() ? Expr(0) : add(terms);
}

Expr greatest_common_divisor(const Expr& a, const Expr& b) {
  const poly::WorkLimit limit(poly::work_of_call());
  const KernelRing ring = ring_of({a, b});
  const Fraction x = ring.fraction_of(a);
  const Fraction y = ring.fraction_of(b);
  if (!x.is_polynomial() || !y.is_polynomial())
    throw Error(ErrorKind::usage, "a greatest common divisor is asked of what is no polynomial");
  return ring.expression(poly::gcd(poly::primitive_part(x.numerator), poly::primitive_part(y.numerator)));
}

Expr resultant(const Expr& a, const Expr& b, const Expr& x) {
  const poly::WorkLimit limit(poly::work_of_call());
  const KernelRing ring = ring_of({a, b, x});
  const Fraction f = ring.fraction_of(a);
  const Fraction g = ring.fraction_of(b);
  const unsigned v = kernel_index(ring, x, "a resultant");
  if (!f.is_polynomial() || !g.is_polynomial() || hides(ring, x))
    throw Error(ErrorKind::usage, "a resultant is asked of what is no polynomial in " + to_text(x));
  const Poly r = poly::resultant(f.numerator, g.numerator, v);
  const Poly scale = poly::multiply(poly::power(f.denominator, g.numerator.degree(v)),
                                    poly::power(g.denominator, f.numerator.degree(v)));
  return ring.expression(fraction(r, scale));
}

}  // namespace boreon
