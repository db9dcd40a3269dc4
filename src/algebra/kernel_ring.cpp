// SPDX-License-Identifier: MIT
#include "algebra/kernel_ring.hpp"

#include <algorithm>
#include <numeric>

#include "algebra/linear_terms.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"
#include "expr/canonical.hpp"
#include "text/display.hpp"

namespace boreon {

using poly::Degree;
using poly::Integer;
using poly::Poly;

namespace {

std::int64_t word_denominator(const Number& n) {
  const auto d = n.denominator().word();
  if (!d || *d > 100000)
    throw Error(ErrorKind::limit, "an exponent has a denominator that is too large for polynomial arithmetic");
  return *d;
}

std::int64_t word_of(const Number& n) {
  const auto w = n.word();
  if (!w || *w > (std::int64_t{1} << 30) || *w < -(std::int64_t{1} << 30))
    throw Error(ErrorKind::limit, "an exponent is too large for polynomial arithmetic");
  return *w;
}

bool all_exact(const std::vector<LinearTerm>& parts) {
  return std::all_of(parts.begin(), parts.end(), [](const LinearTerm& p) { return p.coefficient.is_exact(); });
}

const Expr exponential_base = truth(true);  // stands for the base of exp(x); no base of a power is a truth value

}  // namespace

std::vector<std::pair<std::int64_t, int>> small_prime_factors(std::int64_t n) {
  std::vector<std::pair<std::int64_t, int>> out;
  for (std::int64_t p = 2; p <= 1000 && p * p <= n; ++p) {
    int k = 0;
    while (n % p == 0) {
      n /= p;
      ++k;
    }
    if (k > 0) out.emplace_back(p, k);
  }
  if (n > 1) out.emplace_back(n, 1);
  return out;
}

// The common divisor of the numerators over this denominator where some of them are large, else 1.
static std::int64_t step_of(const std::vector<Number>& coefficients, std::int64_t denominator) {
  constexpr std::int64_t plain = 64;
  std::int64_t common = 0;
  std::int64_t largest = 0;
  for (const Number& c : coefficients) {
    const std::int64_t n = std::abs(word_of(c * Number(denominator)));
    common = std::gcd(common, n);
    largest = std::max(largest, n);
  }
  return largest > plain ? std::max<std::int64_t>(common, 1) : 1;
}

KernelRing::KernelRing(std::span<const Expr> roots, RingOptions options)
    : options_(options), keep_(roots.begin(), roots.end()) {
  collect(roots);
  for (Root& r : roots_) r.variable = add_kernel(power(r.base, Expr(Number(1, r.denominator))));
  for (Exponential& x : exponentials_) {
    x.step = step_of(x.coefficients, x.denominator);
    const Expr argument = x.argument * Expr(x.step) / Expr(x.denominator);
    x.variable = add_kernel(x.base == exponential_base ? exp(argument) : power(x.base, argument));
  }
  powers_.resize(kernels_.size());
  make_relations();
  for (const Expr& e : order_) {
    fractions_[e] = convert(e);
    if (!options_.roots || e.is_number() || !(e.is(Kind::sum) || e.is(Kind::product) || e.is(Kind::power))) continue;
    if (const Root* r = find_root(e)) {  // from here on powers of the root can be reduced
      const Fraction value = *fractions_.find(e);
      const bool number = value.numerator.is_constant() && value.denominator.is_constant();
      relations_.push_back(
          {r->variable, static_cast<unsigned>(r->denominator), value, options_.rationalise_all || number});
    }
  }
}

namespace {

[[noreturn]] void unknown_kernel(const Expr& e) {
  throw Error(ErrorKind::unsupported, to_text(e, {60}) + " is no part of what the polynomials were made of");
}

template <class T>
const T* known(const T* found, const Expr& e) {
  if (found == nullptr) unknown_kernel(e);
  return found;
}

}  // namespace

KernelRing::Root* KernelRing::find_root(const Expr& base) const {
  for (Root& r : roots_) {
    if (r.base == base) return &r;
  }
  return nullptr;
}

KernelRing::Exponential* KernelRing::find_exponential(const Expr& base, const Expr& argument) const {
  for (Exponential& x : exponentials_) {
    if (x.base == base && x.argument == argument) return &x;
  }
  return nullptr;
}

unsigned KernelRing::add_kernel(const Expr& value) {
  const auto [slot, fresh] = index_.insert(value);
  if (fresh) {
    *slot = static_cast<unsigned>(kernels_.size());
    kernels_.push_back(value);
  }
  return *slot;
}

std::optional<unsigned> KernelRing::index_of(const Expr& kernel) const {
  const unsigned* at = index_.find(kernel);
  return at == nullptr ? std::nullopt : std::optional<unsigned>(*at);
}

unsigned KernelRing::place_of(const Expr& kernel) const {
  const auto at = index_of(kernel);
  if (!at) unknown_kernel(kernel);
  return *at;
}

void KernelRing::note_root(const Expr& base, const Number& exponent, std::vector<Expr>& children) {
  const std::int64_t q = word_denominator(exponent);
  if (const auto n = base.word(); n && *n > 1) {
    for (const auto& [p, k] : small_prime_factors(*n)) {
      Root* r = find_root(p);
      if (r == nullptr) {
        roots_.push_back({p, q, 0});
      } else {
        r->denominator = std::lcm(r->denominator, q);
      }
    }
    return;
  }
  Root* r = find_root(base);
  if (r == nullptr) {
    roots_.push_back({base, q, 0});
  } else {
    r->denominator = std::lcm(r->denominator, q);
  }
  if (r == nullptr && (base.is(Kind::sum) || base.is(Kind::product) || base.is(Kind::power))) children.push_back(base);
  if (find_root(base)->denominator > 100000)
    throw Error(ErrorKind::limit, "an exponent has a denominator that is too large for polynomial arithmetic");
}

void KernelRing::note_power(const Expr& base, const Expr& exponent, std::vector<Expr>& children) {
  if (exponent.word()) {
    children.push_back(base);
    return;
  }
  const auto parts = linear_terms(exponent);
  if (!all_exact(parts)) {
    add_kernel(power(base, exponent));
    return;
  }
  for (const LinearTerm& p : parts) {
    if (p.term.is_integer(1)) {
      if (p.coefficient.is_integer()) {
        children.push_back(base);
      } else {
        note_root(base, p.coefficient, children);
      }
      continue;
    }
    Exponential* x = find_exponential(base, p.term);
    const std::int64_t d = word_denominator(p.coefficient);
    if (x == nullptr) {
      exponentials_.push_back({base, p.term, d, {p.coefficient}});
    } else {
      x->denominator = std::lcm(x->denominator, d);
      x->coefficients.push_back(p.coefficient);
    }
  }
}

void KernelRing::note_exponential(const Expr& argument, std::vector<Expr>& children) {
  for (const LinearTerm& p : linear_terms(argument)) {
    if (is_call_of(p.term, "log")) {  // exp(c*log(w)) = w^c
      note_power(p.term.operands()[0], Expr(p.coefficient), children);
      continue;
    }
    Exponential* x = find_exponential(exponential_base, p.term);
    const std::int64_t d = word_denominator(p.coefficient);
    if (x == nullptr) {
      exponentials_.push_back({exponential_base, p.term, d, {p.coefficient}});
    } else {
      x->denominator = std::lcm(x->denominator, d);
      x->coefficients.push_back(p.coefficient);
    }
  }
}

// Notes what the node needs and gives the nodes that have to be converted before it.
std::vector<Expr> KernelRing::children_of(const Expr& e) {
  std::vector<Expr> children;
  switch (e.kind()) {
    case Kind::number:
      if (e.number().is_double()) add_kernel(e);
      break;
    case Kind::sum:
      if (e.operands()[0].number().is_double()) add_kernel(e.operands()[0]);
      for (const auto [term, c] : Parts(e)) {
        children.push_back(term);
        if (c.number().is_double()) add_kernel(c);
      }
      break;
    case Kind::product:
      if (e.operands()[0].number().is_double()) add_kernel(e.operands()[0]);
      for (const auto [base, exponent] : Parts(e)) note_power(base, exponent, children);
      break;
    case Kind::power: note_power(e.operands()[0], e.operands()[1], children); break;
    case Kind::constant:
      if (e.is_constant(ConstantCode::undefined) || e.is_constant(ConstantCode::infinity)) {
        throw Error(ErrorKind::domain, "infinity and undefined cannot be part of polynomial arithmetic");
      }
      add_kernel(e);
      break;
    case Kind::call:
      if (is_call_of(e, "exp") && all_exact(linear_terms(e.operands()[0]))) {
        note_exponential(e.operands()[0], children);
        break;
      }
      add_kernel(e);
      break;
    case Kind::relation:
    case Kind::logic: throw Error(ErrorKind::shape, "an expression is expected, not a condition");
    default: add_kernel(e);
  }
  return children;
}

void KernelRing::collect(std::span<const Expr> roots) {
  struct Frame {
    Expr expr;
    std::vector<Expr> children;
    std::size_t next = 0;
  };
  NodeMap<char> seen;
  std::vector<Frame> stack;
  for (const Expr& root : roots) {
    if (!seen.insert(root).second) continue;
    keep_.push_back(root);
    stack.push_back({root, children_of(root), 0});
    while (!stack.empty()) {
      Frame& top = stack.back();
      if (top.next < top.children.size()) {
        const Expr child = top.children[top.next++];
        if (seen.insert(child).second) {
          keep_.push_back(child);
          stack.push_back({child, children_of(child), 0});
        }
        continue;
      }
      order_.push_back(top.expr);
      stack.pop_back();
    }
  }
}

Fraction KernelRing::variable_power(unsigned v, std::int64_t n) const {
  if (n > (std::int64_t{1} << 30) || n < -(std::int64_t{1} << 30))
    throw Error(ErrorKind::limit, "an exponent is too large for polynomial arithmetic");
  const auto m = static_cast<Degree>(n < 0 ? -n : n);
  const Poly one = poly::constant(vars(), 1);
  const Poly p = m == 0 ? one : poly::variable(vars(), v, m);
  return n < 0 ? Fraction{one, p} : Fraction{p, one};
}

void KernelRing::guard(const Fraction& f) const {
  if (f.numerator.size() + f.denominator.size() > options_.term_limit)
    throw Error(ErrorKind::limit, "the polynomials grow beyond the limit of terms");
}

Fraction KernelRing::convert_root(const Expr& base, const Number& exponent) const {
  if (const auto n = base.word(); n && *n > 1) {
    Fraction out = fraction(Number(1), vars());
    for (const auto& [p, k] : small_prime_factors(*n)) {
      const Root* r = find_root(p);
      out = multiply(out, variable_power(r->variable, word_of(exponent * Number(k) * Number(r->denominator))));
    }
    return out;
  }
  const Root* r = find_root(base);
  return variable_power(r->variable, word_of(exponent * Number(r->denominator)));
}

Fraction KernelRing::convert_power(const Expr& base, const Expr& exponent) const {
  const auto integer_power = [&](std::int64_t n) {
    const Fraction& b = *fractions_.find(base);
    const auto m = static_cast<std::uint64_t>(n < 0 ? -n : n);
    const std::size_t t = std::max(b.numerator.size(), b.denominator.size());
    if (t > 1 && poly::terms_of_power(t, m) > static_cast<double>(options_.term_limit))
      throw Error(ErrorKind::limit, "a power has too many terms to be written out");
    if (m > (std::uint64_t{1} << 30))
      throw Error(ErrorKind::limit, "an exponent is too large for polynomial arithmetic");
    return power(b, n);
  };
  if (const auto n = exponent.word()) return integer_power(*n);
  const auto parts = linear_terms(exponent);
  if (!all_exact(parts)) return variable_power(place_of(power(base, exponent)), 1);
  Fraction out = fraction(Number(1), vars());
  for (const LinearTerm& p : parts) {
    if (p.term.is_integer(1)) {
      out = multiply(
          out, p.coefficient.is_integer() ? integer_power(word_of(p.coefficient)) : convert_root(base, p.coefficient));
      continue;
    }
    const Exponential* x = known(find_exponential(base, p.term), base);
    out = multiply(out, variable_power(x->variable, word_of(p.coefficient * Number(x->denominator, x->step))));
  }
  return out;
}

Fraction KernelRing::convert_exponential(const Expr& argument) const {
  Fraction out = fraction(Number(1), vars());
  for (const LinearTerm& p : linear_terms(argument)) {
    if (is_call_of(p.term, "log")) {
      out = multiply(out, convert_power(p.term.operands()[0], Expr(p.coefficient)));
      continue;
    }
    const Exponential* x = known(find_exponential(exponential_base, p.term), p.term);
    out = multiply(out, variable_power(x->variable, word_of(p.coefficient * Number(x->denominator, x->step))));
  }
  return out;
}

Fraction KernelRing::convert(const Expr& e) const {
  const auto number = [&](const Expr& n) {
    return n.number().is_double() ? variable_power(place_of(n), 1) : fraction(n.number(), vars());
  };
  Fraction out;
  switch (e.kind()) {
    case Kind::number: return number(e);
    case Kind::sum: {
      std::vector<Fraction> terms;
      terms.push_back(number(e.operands()[0]));
      for (const auto [term, c] : Parts(e)) {
        const Fraction& t = *fractions_.find(term);
        terms.push_back(c.is_integer(1) ? t : multiply(number(c), t));
      }
      out = sum(terms, vars());
      break;
    }
    case Kind::product:
      out = number(e.operands()[0]);
      for (const auto [base, exponent] : Parts(e)) {
        const Fraction f = convert_power(base, exponent);
        if (static_cast<double>(out.numerator.size()) * static_cast<double>(f.numerator.size()) > 4e9)
          throw Error(ErrorKind::limit, "a product has too many terms to be written out");
        out = multiply(out, f);
        guard(out);
      }
      break;
    case Kind::power: out = convert_power(e.operands()[0], e.operands()[1]); break;
    case Kind::call:
      if (is_call_of(e, "exp") && all_exact(linear_terms(e.operands()[0]))) {
        out = convert_exponential(e.operands()[0]);
        break;
      }
      [[fallthrough]];
    default:
      if (const Root* r = find_root(e)) return variable_power(r->variable, r->denominator);
      return variable_power(place_of(e), 1);
  }
  guard(out);
  return reduced(out);
}

// A numbered root as a variable: its n-th power by those below.
std::optional<KernelRing::Relation> KernelRing::relation_of_numbered_root(unsigned v) const {
  const auto c = kernels_[v].operands();
  if (!is_call_of(kernels_[v], "polynomial_root") || c.size() < 3) return std::nullopt;
  if (!std::all_of(c.begin(), c.end(), [](const Expr& k) { return k.is_number() && k.number().is_integer(); }))
    return std::nullopt;
  const auto n = static_cast<unsigned>(c.size() - 2);
  Poly below = poly::constant(vars(), 0);
  for (unsigned k = 0; k < n; ++k) {
    const Poly power = k == 0 ? poly::constant(vars(), 1) : poly::variable(vars(), v, k);
    below = poly::add(below, poly::scale(power, -poly::Integer::from(c[k + 1].number())));
  }
  return Relation{v, n, divide(fraction(below), fraction(c.back().number(), vars())), false};
}

void KernelRing::make_relations() {
  if (options_.roots) {
    for (unsigned v = 0; v < vars(); ++v) {
      if (auto r = relation_of_numbered_root(v)) relations_.push_back(std::move(*r));
    }
    if (const auto v = index_of(imaginary_unit())) relations_.push_back({*v, 2, fraction(Number(-1), vars()), true});
    for (const Root& r : roots_) {
      if (const auto n = r.base.word(); n && *n > 1) {
        relations_.push_back({r.variable, static_cast<unsigned>(r.denominator), fraction(Number(*n), vars()), true});
      }
    }
  }
  if (options_.pythagoras) {
    for (unsigned v = 0; v < vars(); ++v) {
      const Expr& k = kernels_[v];
      const bool circular = is_call_of(k, "sin");
      if (!circular && !is_call_of(k, "sinh")) continue;
      const auto other = index_of(circular ? cos(k.operands()[0]) : cosh(k.operands()[0]));
      if (!other) continue;
      const bool keep_sine = pairs_ < 64 && ((options_.sine_stays >> pairs_) & 1U) != 0;
      ++pairs_;
      const unsigned kept = keep_sine ? v : *other;
      const unsigned goes = keep_sine ? *other : v;
      const Poly one = poly::constant(vars(), 1);
      const Poly square = poly::variable(vars(), kept, 2);
      // cos^2 = 1 - sin^2, sin^2 = 1 - cos^2; cosh^2 = 1 + sinh^2, sinh^2 = cosh^2 - 1
      const Poly value = circular    ? poly::subtract(one, square)
                         : keep_sine ? poly::add(one, square)
                                     : poly::subtract(square, one);
      relations_.push_back({goes, 2, fraction(value), false});
    }
  }
}

Fraction KernelRing::reduced(const Fraction& f) const {
  Fraction out = f;
  for (int round = 0; round < 64; ++round) {
    bool changed = false;
    for (const Relation& r : relations_) {
      const auto lower = [&](const Poly& p) {
        if (r.value.numerator.degree(r.variable) > 0) {  // of a numbered root: the remainder by its polynomial
          const Poly of_root = poly::subtract(
              poly::multiply(poly::variable(vars(), r.variable, r.degree), r.value.denominator), r.value.numerator);
          const unsigned steps = p.degree(r.variable) - r.degree + 1;
          return divide(fraction(poly::pseudo_remainder(p, of_root, r.variable)),
                        fraction(poly::power(r.value.denominator, steps)));
        }
        // variable^(k) = variable^(k mod d)*value^(k div d)
        const auto c = poly::coefficients_in(p, r.variable);
        std::vector<Fraction> terms;
        for (std::size_t k = 0; k < c.size(); ++k) {
          if (c[k].is_zero()) continue;
          terms.push_back(
              multiply(multiply(fraction(c[k]), variable_power(r.variable, static_cast<std::int64_t>(k % r.degree))),
                       power(r.value, static_cast<std::int64_t>(k / r.degree))));
        }
        return sum(terms, vars());
      };
      if (out.numerator.degree(r.variable) >= r.degree) {
        out = divide(lower(out.numerator), fraction(out.denominator));
        changed = true;
      }
      if (out.denominator.degree(r.variable) >= r.degree) {
        out = divide(fraction(out.numerator), lower(out.denominator));
        changed = true;
      }
      if (r.clears_denominators && r.degree == 2 && out.denominator.degree(r.variable) == 1) {
        // 1/(a + b*g) = (a - b*g)/(a^2 - b^2*g^2)
        const auto c = poly::coefficients_in(out.denominator, r.variable);
        const Poly conjugate = poly::subtract(c[0], poly::multiply(c[1], poly::variable(vars(), r.variable)));
        const Fraction norm =
            subtract(fraction(poly::multiply(c[0], c[0])), multiply(fraction(poly::multiply(c[1], c[1])), r.value));
        out = divide(fraction(poly::multiply(out.numerator, conjugate)), norm);
        changed = true;
      } else if (r.clears_denominators && out.denominator.size() == 1 && out.denominator.degree(r.variable) > 0) {
        out = divide(multiply(out, variable_power(r.variable, r.degree)), r.value);
        changed = true;
      }
      guard(out);
    }
    if (!changed) return out;
  }
  return out;
}

Fraction KernelRing::fraction_of(const Expr& e) const {
  if (const Fraction* f = fractions_.find(e)) return *f;
  return convert(e);
}

Expr KernelRing::monomial(const std::uint64_t* m, const poly::Layout& layout, const Expr& coefficient,
                          std::vector<Expr>& factors) const {
  factors.clear();
  if (!coefficient.is_integer(1)) factors.push_back(coefficient);
  for (unsigned v = 0; v < layout.vars; ++v) {
    const Degree e = layout.get(m, v);
    if (e == 0) continue;
    if (e >= 4096) {
      factors.push_back(power(kernels_[v], Expr(e)));
      continue;
    }
    auto& cache = powers_[v];
    if (cache.size() <= e) cache.resize(e + std::size_t{1});
    if (cache[e].is_integer(0)) cache[e] = power(kernels_[v], Expr(e));
    factors.push_back(cache[e]);
  }
  return multiply(factors);
}

Expr KernelRing::expression(const Poly& p) const {
  std::vector<Expr> terms;
  terms.reserve(p.size());
  std::vector<Expr> factors;
  for (std::size_t i = 0; i < p.size(); ++i)
    terms.push_back(monomial(p.monomial(i), p.layout, Expr(p.coefficients[i].number()), factors));
  return sum_of(terms, Absorb::everything);
}

Expr KernelRing::expression(const Fraction& f) const {
  const Expr n = expression(f.numerator);
  return poly::is_one(f.denominator) ? n : n / expression(f.denominator);
}

Expr KernelRing::factored(const Poly& p) const {
  // whole rows of coefficients are made on the way: exp(1000000*x) is a power of exp(x)
  constexpr std::uint64_t highest = 20000;
  for (unsigned v = 0; v < p.vars(); ++v) {
    if (p.degree(v) > highest) return expression(p);
  }
  const poly::Factors fs = poly::factor(p);
  std::vector<Expr> factors{Expr(fs.unit.number())};
  for (const poly::Factor& x : fs.list) {
    Expr base = expression(x.base);
    // Of the terms of highest degree the one that is read first gets a plus: (4*x - 3*y), not (3*y - 4*x) with a minus.
    std::uint64_t top = 0;
    Expr first;
    bool negative = false;
    std::vector<Expr> scratch;
    for (std::size_t i = 0; i < x.base.size(); ++i) {
      std::uint64_t degree = 0;
      for (unsigned v = 0; v < vars(); ++v) degree += x.base.exponent(i, v);
      if (degree < top) continue;
      const Expr term = monomial(x.base.monomial(i), x.base.layout, 1, scratch);
      if (degree == top && i > 0 && reading_order(first, term) <= 0) continue;
      top = degree;
      first = term;
      negative = x.base.coefficients[i].sign() < 0;
    }
    if (negative) {
      base = expression(poly::negate(x.base));
      if (x.multiplicity % 2 != 0) factors[0] = -factors[0];
    }
    factors.push_back(power(base, Expr(x.multiplicity)));
  }
  return multiply(factors);
}

Expr KernelRing::factored(const Fraction& f) const {
  const Expr n = factored(f.numerator);
  return poly::is_one(f.denominator) ? n : n / factored(f.denominator);
}

}  // namespace boreon
