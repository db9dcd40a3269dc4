// SPDX-License-Identifier: MIT
// Greatest common divisors. Images modulo primes, scaled so that their leading coefficient in the main variable is
// that of a known multiple of the answer, are interpolated variable by variable; from the second value of a variable on
// only the coefficients of the form already found are solved for (Zippel, Probabilistic algorithms for sparse
// polynomials, 1979; Brown, On Euclid's algorithm, 1971). Nothing is returned that does not divide both.
#include <algorithm>
#include <numeric>
#include <optional>

#include "algebra/polynomial/polynomial.hpp"
#include "algebra/polynomial/univariate_mod.hpp"
#include "algebra/polynomial/work.hpp"

namespace boreon::poly {
namespace {

// Exponents of the variables 1 ... n - 1, and the coefficient modulo the prime of the moment.
struct Form {
  std::vector<Degree> exponents;
  Residue value = 0;
};

// One polynomial, ready to be evaluated in all variables but variable 0.
class Evaluator {
 public:
  Evaluator(const Poly& a, const PrimeField& f) : field_(f), poly_(a) {
    residues_.reserve(a.size());
    for (const Integer& c : a.coefficients) residues_.push_back(c.mod(f.prime()));
    degree_ = a.vars() == 0 ? 0 : a.degree(0);
  }
  /// Prepares points whose variables 1 ... k run through powers base[i]^j and whose other variables are fixed.
  void prepare(unsigned k, const std::vector<Residue>& base, const std::vector<Residue>& fixed) {
    charge(8 * poly_.size() + 16);
    start_.resize(poly_.size());
    step_.resize(poly_.size());
    for (std::size_t i = 0; i < poly_.size(); ++i) {
      Residue s = residues_[i];
      Residue r = 1;
      for (unsigned v = 1; v < poly_.vars(); ++v) {
        const Degree e = poly_.exponent(i, v);
        if (e == 0) continue;
        if (v <= k) {
          r = field_.mul(r, field_.pow(base[v], e));
        } else {
          s = field_.mul(s, field_.pow(fixed[v], e));
        }
      }
      start_[i] = s;
      step_[i] = r;
    }
  }
  /// The image at the next point (j = 1, 2, ...), in variable 0.
  Uni next() {
    charge(2 * poly_.size());
    Uni out(degree_ + std::size_t{1}, 0);
    for (std::size_t i = 0; i < poly_.size(); ++i) {
      start_[i] = field_.mul(start_[i], step_[i]);
      Residue& slot = out[poly_.exponent(i, 0)];
      slot = field_.add(slot, start_[i]);
    }
    trim(out);
    return out;
  }
  [[nodiscard]] int degree() const { return static_cast<int>(degree_); }

 private:
  PrimeField field_;
  Poly poly_;
  std::vector<Residue> residues_;
  std::vector<Residue> start_;
  std::vector<Residue> step_;
  Degree degree_ = 0;
};

// Solves sum over m of c[m]*node[m]^j = value[j - 1], j = 1 ... n, by the master polynomial. O(n^2).
bool solve_vandermonde(const PrimeField& f, const std::vector<Residue>& nodes, const std::vector<Residue>& values,
                       std::vector<Residue>& c) {
  const std::size_t n = nodes.size();
  Uni master{1};
  for (const Residue x : nodes) {
    master.push_back(0);
    for (std::size_t i = master.size(); i-- > 0;) master[i] = f.sub(i > 0 ? master[i - 1] : 0, f.mul(x, master[i]));
  }
  c.assign(n, 0);
  for (std::size_t m = 0; m < n; ++m) {
    // q = master/(z - node)
    Uni q(n);
    Residue carry = 0;
    for (std::size_t i = n; i-- > 0;) {
      carry = f.add(master[i + 1], f.mul(carry, nodes[m]));
      q[i] = carry;
    }
    Residue at = 0;
    for (std::size_t i = n; i-- > 0;) at = f.add(f.mul(at, nodes[m]), q[i]);
    if (at == 0) return false;  // two nodes coincide
    Residue sum = 0;
    for (std::size_t i = 0; i < n; ++i) sum = f.add(sum, f.mul(q[i], values[i]));
    c[m] = f.mul(sum, f.inv(f.mul(at, nodes[m])));
  }
  return true;
}

enum class Outcome { good, unlucky, smaller_degree };

// The images of one gcd computation modulo one prime.
class Images {
 public:
  Images(const Poly& a, const Poly& b, const Poly& lead, Residue prime, std::uint64_t seed)
      : field_(prime), a_(a, field_), b_(b, field_), lead_(lead, field_), vars_(a.vars()), dice_(seed) {}

  [[nodiscard]] const PrimeField& field() const { return field_; }
  int degree = -1;                       // of the gcd in variable 0, an upper bound
  std::vector<std::vector<Form>> forms;  // by power of variable 0

  /// Values of the coefficients of the given forms in the variables 1 ... k, the others fixed.
  Outcome solve(unsigned k, const std::vector<std::vector<Form>>& shape, const std::vector<Residue>& fixed,
                std::vector<std::vector<Form>>& out) {
    std::vector<Residue> base(vars_, 0);
    for (Residue& x : base) x = random();
    a_.prepare(k, base, fixed);
    b_.prepare(k, base, fixed);
    lead_.prepare(k, base, fixed);
    std::size_t points = 1;
    for (const auto& s : shape) points = std::max(points, s.size());
    std::vector<Uni> images;
    for (std::size_t j = 0; j < points; ++j) {
      const Uni x = a_.next();
      const Uni y = b_.next();
      const Uni l = lead_.next();
      if (degree_of(x) != a_.degree() || degree_of(y) != b_.degree() || l.empty()) return Outcome::unlucky;
      Uni g = gcd(field_, x, y);
      if (degree >= 0 && degree_of(g) > degree) return Outcome::unlucky;
      if (degree < 0 || degree_of(g) < degree) {
        const bool first = degree < 0;
        degree = degree_of(g);
        if (!first) return Outcome::smaller_degree;
      }
      images.push_back(scale(field_, std::move(g), l[0]));
    }
    out = shape;
    std::vector<Residue> nodes;
    std::vector<Residue> values;
    std::vector<Residue> solution;
    for (std::size_t i = 0; i < shape.size(); ++i) {
      nodes.clear();
      for (const Form& m : shape[i]) {
        Residue node = 1;
        for (unsigned v = 1; v <= k; ++v) node = field_.mul(node, field_.pow(base[v], m.exponents[v]));
        nodes.push_back(node);
      }
      values.resize(nodes.size());
      for (std::size_t j = 0; j < nodes.size(); ++j) values[j] = i < images[j].size() ? images[j][i] : 0;
      if (!solve_vandermonde(field_, nodes, values, solution)) return Outcome::unlucky;
      for (std::size_t j = 0; j < nodes.size(); ++j) out[i][j].value = solution[j];
    }
    return Outcome::good;
  }

  /// All variables from scratch.
  Outcome interpolate(const std::vector<Degree>& bound) {
    std::vector<Residue> fixed(vars_, 0);
    for (Residue& x : fixed) x = random();
    forms.clear();
    // The degree first; then, with no variable yet, the form of each power of variable 0 is a number.
    if (const Outcome o = solve(0, {}, fixed, forms); o != Outcome::good || degree == 0) return o;
    const std::vector<std::vector<Form>> numbers(static_cast<std::size_t>(degree) + 1,
                                                 {Form{std::vector<Degree>(vars_, 0), 0}});
    if (const Outcome o = solve(0, numbers, fixed, forms); o != Outcome::good) return o;
    for (unsigned k = 1; k < vars_; ++k) {
      if (const Outcome o = add_variable(k, fixed, bound[k]); o != Outcome::good) return o;
    }
    return Outcome::good;
  }

  Residue random() { return 2 + dice_.below(field_.prime() - 3); }

 private:
  // From forms in variables 1 ... k - 1 to forms in 1 ... k, by Newton interpolation until a further point agrees.
  Outcome add_variable(unsigned k, std::vector<Residue>& fixed, Degree bound) {
    std::vector<Residue> points{fixed[k]};
    std::vector<Uni> newton;  // by coefficient: Newton's divided differences
    for (const auto& s : forms) {
      for (const Form& m : s) newton.push_back({m.value});
    }
    int failures = 0;
    while (points.size() <= std::size_t{bound} + 1) {
      std::vector<Residue> at = fixed;
      at[k] = random();
      if (std::find(points.begin(), points.end(), at[k]) != points.end()) continue;
      std::vector<std::vector<Form>> values;
      const Outcome o = solve(k - 1, forms, at, values);
      if (o == Outcome::smaller_degree) return o;
      if (o == Outcome::unlucky) {
        if (++failures > 20) return o;
        continue;
      }
      bool changed = false;
      Residue scale = 1;
      for (const Residue x : points) scale = field_.mul(scale, field_.sub(at[k], x));
      const Residue inverse = field_.inv(scale);
      std::size_t n = 0;
      for (const auto& s : values) {
        for (const Form& m : s) {
          Uni& d = newton[n++];
          Residue predicted = 0;
          for (std::size_t i = d.size(); i-- > 0;)
            predicted = field_.add(field_.mul(predicted, field_.sub(at[k], points[i])), d[i]);
          const Residue next = field_.mul(field_.sub(m.value, predicted), inverse);
          d.push_back(next);
          changed = changed || next != 0;
        }
      }
      points.push_back(at[k]);
      if (!changed) break;
    }
    std::size_t n = 0;
    for (auto& s : forms) {
      std::vector<Form> grown;
      for (const Form& m : s) {
        const Uni& d = newton[n++];
        Uni p;
        for (std::size_t i = d.size(); i-- > 0;) {  // Horner in (x - points[i])
          p.push_back(0);
          for (std::size_t j = p.size(); j-- > 0;) p[j] = field_.sub(j > 0 ? p[j - 1] : 0, field_.mul(points[i], p[j]));
          p[0] = field_.add(p[0], d[i]);
        }
        for (std::size_t e = 0; e < p.size(); ++e) {
          if (p[e] == 0) continue;
          Form f = m;
          f.exponents[k] = static_cast<Degree>(e);
          f.value = p[e];
          grown.push_back(std::move(f));
        }
      }
      s = std::move(grown);
    }
    return Outcome::good;
  }

  PrimeField field_;
  Evaluator a_;
  Evaluator b_;
  Evaluator lead_;
  unsigned vars_;
  Dice dice_;
};

Poly from_forms(const std::vector<std::vector<Form>>& forms, const std::vector<mpz_class>& values, unsigned vars) {
  Degree degree = static_cast<Degree>(forms.size());
  for (const auto& s : forms) {
    for (const Form& m : s) {
      for (const Degree e : m.exponents) degree = std::max(degree, e);
    }
  }
  Poly p(Layout::for_degree(vars, degree));
  std::vector<std::uint64_t> m(p.layout.words());
  std::size_t n = 0;
  for (std::size_t i = 0; i < forms.size(); ++i) {
    for (const Form& f : forms[i]) {
      std::fill(m.begin(), m.end(), 0);
      p.layout.set(m.data(), 0, static_cast<Degree>(i));
      for (unsigned v = 1; v < vars; ++v) p.layout.set(m.data(), v, f.exponents[v]);
      p.push(m.data(), Integer(values[n++]));
    }
  }
  p.normalise([](Integer& x, const Integer& y) { x += y; }, [](const Integer& x) { return x.is_zero(); });
  return p;
}

// Both primitive in variable 0, which occurs in both.
Poly modular_gcd(const Poly& a, const Poly& b) {
  const unsigned vars = a.vars();
  const Poly lead = gcd(leading_in(a, 0), leading_in(b, 0));
  std::vector<Degree> bound = lead.degrees();
  for (unsigned v = 0; v < vars; ++v) bound[v] += std::min(a.degree(v), b.degree(v));
  int degree = -1;
  std::vector<std::vector<Form>> shape;
  std::vector<mpz_class> values;
  mpz_class modulus = 0;
  for (unsigned attempt = 0;; ++attempt) {
    Images images(a, b, lead, large_prime(attempt), 77 + attempt);
    images.degree = degree;
    Outcome o = Outcome::unlucky;
    std::vector<std::vector<Form>> found;
    if (modulus != 0) {
      o = images.solve(vars - 1, shape, std::vector<Residue>(vars, 0), found);
    } else {
      o = images.interpolate(bound);
      found = images.forms;
    }
    degree = images.degree;
    if (o != Outcome::good) {
      if (o == Outcome::smaller_degree) modulus = 0;
      if (degree == 0) return constant(vars, 1);
      continue;
    }
    if (degree == 0) return constant(vars, 1);
    const Residue p = images.field().prime();
    bool changed = modulus == 0;
    if (modulus == 0) {
      shape = found;
      values.clear();
      for (const auto& s : shape) {
        for (const Form& m : s) values.emplace_back(static_cast<long>(images.field().balanced(m.value)));
      }
      modulus = static_cast<unsigned long>(p);
    } else {
      const Residue inverse = images.field().inv(mpz_fdiv_ui(modulus.get_mpz_t(), p));
      std::size_t n = 0;
      for (const auto& s : found) {
        for (const Form& m : s) {
          mpz_class& v = values[n++];
          const Residue difference =
              images.field().mul(images.field().sub(m.value, mpz_fdiv_ui(v.get_mpz_t(), p)), inverse);
          if (difference == 0) continue;
          changed = true;
          v += modulus * static_cast<long>(images.field().balanced(difference));
        }
      }
      modulus *= static_cast<unsigned long>(p);
    }
    // The first image is tried at once: most coefficients are small.
    if (changed && attempt != 0) continue;
    const Poly candidate = from_forms(shape, values, vars);
    const Poly lead_content = content_in(candidate, 0);
    const auto reduced = divide_exactly(candidate, lead_content);
    if (reduced) {
      const Poly g = primitive_part(*reduced);
      if (divide_exactly(a, g) && divide_exactly(b, g)) return g;
    }
    if (attempt != 0 && !changed) modulus = 0;  // a wrong form: start afresh
  }
}

// Upper bounds of the degree of the gcd in each variable, from one image each: exact whenever it is zero.
std::vector<Degree> degree_bounds(const Poly& a, const Poly& b) {
  std::vector<Degree> bound(a.vars(), 0);
  const auto da = a.degrees();
  const auto db = b.degrees();
  for (unsigned v = 0; v < a.vars(); ++v) {
    bound[v] = std::min(da[v], db[v]);
    if (bound[v] == 0) continue;
    std::vector<unsigned> place(a.vars());
    std::iota(place.begin(), place.end(), 0U);
    std::swap(place[0], place[v]);
    const Poly pa = v == 0 ? a : permuted(a, place, a.vars());
    const Poly pb = v == 0 ? b : permuted(b, place, b.vars());
    Images images(pa, pb, constant(a.vars(), 1), large_prime(0), 4242 + v);
    std::vector<std::vector<Form>> none;
    std::vector<Residue> fixed(a.vars());
    for (Residue& x : fixed) x = images.random();
    if (images.solve(0, {}, fixed, none) == Outcome::good) bound[v] = static_cast<Degree>(images.degree);
  }
  return bound;
}

// gcd of g with all coefficients of a in v.
Poly fold_coefficients(const Poly& a, unsigned v, Poly g) {
  auto list = coefficients_in(a, v);
  std::sort(list.begin(), list.end(), [](const Poly& x, const Poly& y) { return x.size() < y.size(); });
  for (const Poly& c : list) {
    if (c.is_zero()) continue;
    g = gcd(g, c);
    if (is_one(g)) break;
  }
  return g;
}

Poly positive(const Poly& a) { return !a.is_zero() && a.coefficients[0].sign() < 0 ? negate(a) : a; }

}  // namespace

Poly content_in(const Poly& a, unsigned v) { return fold_coefficients(a, v, Poly(a.layout)); }

Poly gcd(const Poly& a, const Poly& b) {
  if (a.is_zero()) return positive(b);
  if (b.is_zero()) return positive(a);
  const unsigned vars = a.vars();
  if (equal(a, b)) return positive(a);
  Integer ca;
  Integer cb;
  const std::vector<Degree> ma = monomial_content(a);
  const std::vector<Degree> mb = monomial_content(b);
  const Poly x = primitive_part(divide_monomial(a, ma), &ca);
  const Poly y = primitive_part(divide_monomial(b, mb), &cb);
  Poly simple = constant(vars, Integer::gcd(ca, cb));
  for (unsigned v = 0; v < vars; ++v) {
    if (const Degree d = std::min(ma[v], mb[v]); d != 0) simple = multiply(simple, variable(vars, v, d));
  }
  if (x.is_constant() || y.is_constant()) return simple;
  if (x.size() <= y.size()) {
    if (divide_exactly(y, x)) return multiply(simple, x);
  } else if (divide_exactly(x, y)) {
    return multiply(simple, y);
  }
  const std::vector<Degree> bound = degree_bounds(x, y);
  // A variable that the gcd does not have: its coefficients have the same gcd.
  for (unsigned v = 0; v < vars; ++v) {
    if (bound[v] != 0) continue;
    if (x.degree(v) == 0 && y.degree(v) == 0) continue;
    if (std::all_of(bound.begin(), bound.end(), [](Degree d) { return d == 0; })) return simple;
    const Poly cx = x.degree(v) == 0 ? x : Poly(x.layout);
    const Poly cy = y.degree(v) == 0 ? y : Poly(y.layout);
    Poly g = cx.is_zero() ? fold_coefficients(x, v, cy) : cx;
    if (!cx.is_zero()) {
      g = fold_coefficients(y, v, cx);
    } else if (cy.is_zero()) {
      g = fold_coefficients(y, v, std::move(g));
    }
    return multiply(simple, g);
  }
  // Main variable first: the one of highest degree bound, which leaves the least to interpolate; drop absent ones.
  std::vector<unsigned> present;
  for (unsigned v = 0; v < vars; ++v) {
    if (bound[v] != 0) present.push_back(v);
  }
  const auto main =
      std::max_element(present.begin(), present.end(), [&](unsigned p, unsigned q) { return bound[p] < bound[q]; });
  std::iter_swap(present.begin(), main);
  std::vector<unsigned> place(vars, 0);
  for (unsigned i = 0; i < present.size(); ++i) place[present[i]] = i;
  const auto n = static_cast<unsigned>(present.size());
  Poly px = permuted(x, place, n);
  Poly py = permuted(y, place, n);
  Poly g = constant(n, 1);
  if (n > 1) {
    const Poly cx = content_in(px, 0);
    const Poly cy = content_in(py, 0);
    g = gcd(cx, cy);
    if (!is_one(cx)) px = *divide_exactly(px, cx);
    if (!is_one(cy)) py = *divide_exactly(py, cy);
  }
  g = multiply(g, modular_gcd(px, py));
  return positive(multiply(simple, permuted(g, present, vars)));
}

}  // namespace boreon::poly
