// SPDX-License-Identifier: MIT
// Circular and hyperbolic functions: angles taken apart and put together, squares reduced, quotients cancelled through
// the tangent of the half angle (NIST Handbook 4.21, 4.35).
#include <algorithm>
#include <map>
#include <numeric>
#include <optional>

#include "algebra/kernel_ring.hpp"
#include "algebra/simplify/transforms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"

namespace boreon::transforms {
namespace {

constexpr std::int64_t largest_multiple = 16;

// Angles whose sine and cosine are algebraic: multiples of them are always worth taking apart.
bool inverse_function(const Expr& e) {
  static const char* const names[] = {"asin", "acos", "atan", "atan2", "asinh", "acosh", "atanh", "log"};
  return std::any_of(std::begin(names), std::end(names), [&](const char* n) { return is_call_of(e, n); });
}

// The base angles of one family: for each term the largest angle of which all its angles are whole multiples, so that x
// and 2*x/3 share x/3, while 19/4 alone is its own base.
struct BaseAngles {
  std::vector<Expr> terms;
  std::vector<Number> units;  // the base is unit*term
  bool whole_terms = false;   // the terms themselves are multiples of their bases too: 2*x alone has the base x

  void note(const Expr& angle) {
    for (const LinearTerm& l : linear_terms(angle)) {
      if (!l.coefficient.is_exact() || l.coefficient.is_zero()) continue;
      const Number c = l.coefficient.abs();
      const auto at = std::find(terms.begin(), terms.end(), l.term);
      if (at == terms.end()) {
        terms.push_back(l.term);
        units.push_back(whole_terms || inverse_function(l.term) ? Number(1) / c.denominator() : c);
        continue;
      }
      Number& unit = units[static_cast<std::size_t>(at - terms.begin())];
      const auto a = unit.words();
      const auto b = c.words();
      if (a == nullptr || b == nullptr || a->den > 1000000 || b->den > 1000000 || a->num > 1000000 || b->num > 1000000)
        continue;
      const std::int64_t d = std::lcm(a->den, b->den);
      unit = Number(std::gcd(a->num * (d / a->den), b->num * (d / b->den)), d);
    }
  }
  [[nodiscard]] Number unit(const Expr& term) const {
    const auto at = std::find(terms.begin(), terms.end(), term);
    return at == terms.end() ? Number(1) : units[static_cast<std::size_t>(at - terms.begin())];
  }
};

struct Pair {
  Expr c;
  Expr s;
};

// Cosine and sine of a sum; for hyperbolic ones the sign of the product of sines changes.
Pair add_angles(const Pair& a, const Pair& b, bool circular) {
  const Expr ss = a.s * b.s;
  return {circular ? a.c * b.c - ss : a.c * b.c + ss, a.s * b.c + a.c * b.s};
}

Pair of_angle(const Expr& angle, const BaseAngles& bases, bool circular) {
  Pair total{1, 0};
  for (const LinearTerm& l : linear_terms(angle)) {
    Pair one;
    const bool turn = circular && l.term.is_constant(ConstantCode::pi);
    std::optional<std::int64_t> multiple;
    Expr base;
    if (!turn && l.coefficient.is_exact()) {
      const Number unit = bases.unit(l.term);
      multiple = (l.coefficient / unit).word();
      base = Expr(unit) * l.term;
    }
    if (!multiple || *multiple > largest_multiple || *multiple < -largest_multiple) {
      const Expr whole = Expr(l.coefficient) * l.term;
      one = circular ? Pair{cos(whole), sin(whole)} : Pair{cosh(whole), sinh(whole)};
    } else {
      const Pair step = circular ? Pair{cos(base), sin(base)} : Pair{cosh(base), sinh(base)};
      one = {1, 0};
      const std::int64_t n = *multiple < 0 ? -*multiple : *multiple;
      for (std::int64_t k = 0; k < n; ++k) {
        one = add_angles(one, step, circular);
        one = {expand(one.c), expand(one.s)};
      }
      if (*multiple < 0) one.s = -one.s;
    }
    total = add_angles(total, one, circular);
  }
  return total;
}

bool has_angles(const Expr& e) { return contains_call(e, {"sin", "cos", "tan", "sinh", "cosh", "tanh"}); }

// Every combination of which square goes, for few pairs; one after the other for many.
void reduced_forms(const Expr& e, Forms& out) {
  const Expr list[] = {e};
  RingOptions options{.pythagoras = true, .term_limit = 20000};
  const auto forms_of = [&](std::uint64_t stays) -> std::pair<Expr, unsigned> {
    options.sine_stays = stays;
    const KernelRing ring(list, options);
    const Fraction f = ring.fraction_of(e);
    const Expr plain = ring.expression(f);
    const Expr factored = ring.factored(f);
    out.push_back(plain);
    out.push_back(factored);
    out.push_back(ring.expression(f.numerator) / ring.factored(f.denominator));
    return {operation_count(plain) <= operation_count(factored) ? plain : factored, ring.pairs()};
  };
  const auto [first, pairs] = forms_of(0);
  if (pairs <= 3) {
    for (std::uint64_t k = 1; k < (std::uint64_t{1} << pairs); ++k) (void)forms_of(k);
    return;
  }
  std::uint64_t stays = 0;
  std::size_t best = operation_count(first);
  for (unsigned i = 0; i < std::min(pairs, 12U); ++i) {
    const std::uint64_t flipped = stays | (std::uint64_t{1} << i);
    const std::size_t n = operation_count(forms_of(flipped).first);
    if (n < best) {
      best = n;
      stays = flipped;
    }
  }
  (void)forms_of(~std::uint64_t{0});
}

// Full cancellation: sin = 2h/(1 + h^2), cos = (1 - h^2)/(1 + h^2) with h = tan(angle/2) makes every quotient rational.
void half_angle_forms(const Expr& expanded, Forms& out) {
  std::vector<Expr> angles;
  postorder(expanded, [&](const Expr& x) {
    if (!is_call_of(x, "sin") && !is_call_of(x, "cos")) return;
    if (std::find(angles.begin(), angles.end(), x.operands()[0]) == angles.end()) angles.push_back(x.operands()[0]);
  });
  if (angles.empty() || angles.size() > 4) return;
  std::vector<Expr> halves;
  for (const Expr& a : angles) halves.push_back(tan(a / 2));
  const auto index_of = [&](const Expr& angle) {
    return static_cast<std::size_t>(std::find(angles.begin(), angles.end(), angle) - angles.begin());
  };
  Rebuild halve([&](const Expr& x, Expr& result) {  // from above: angles inside angles stay as they are
    if (!is_call_of(x, "sin") && !is_call_of(x, "cos")) return false;
    const Expr& h = halves[index_of(x.operands()[0])];
    result = is_call_of(x, "sin") ? 2 * h / (1 + h * h) : (1 - h * h) / (1 + h * h);
    return true;
  });
  const Expr rational = halve(expanded);
  const Expr list[] = {rational};
  const KernelRing ring(list, {.term_limit = 20000});
  const Fraction f = ring.fraction_of(rational);
  out.push_back(ring.expression(f));
  out.push_back(ring.factored(f));
  // Back: numerator and denominator as forms of the same even degree in sin and cos of the half angle.
  std::vector<std::optional<unsigned>> index;
  std::vector<poly::Degree> degree;
  for (const Expr& h : halves) {
    index.push_back(ring.index_of(h));
    poly::Degree k =
        index.back() ? std::max(f.numerator.degree(*index.back()), f.denominator.degree(*index.back())) : 0;
    degree.push_back(k + k % 2);
  }
  const auto back = [&](const poly::Poly& p) {
    std::vector<Expr> terms;
    for (std::size_t i = 0; i < p.size(); ++i) {
      poly::Poly rest(p.layout);
      std::vector<std::uint64_t> m(p.monomial(i), p.monomial(i) + p.layout.words());
      std::vector<Expr> factors;
      for (std::size_t a = 0; a < halves.size(); ++a) {
        if (!index[a]) continue;
        const poly::Degree j = p.exponent(i, *index[a]);
        p.layout.set(m.data(), *index[a], 0);
        const Expr c = cos(angles[a]);
        const poly::Degree k = degree[a] - j;
        // sin(a/2)^j*cos(a/2)^k
        factors.push_back(power((1 - c) / 2, j / 2));
        factors.push_back(power((1 + c) / 2, k / 2));
        if (j % 2 == 1) factors.push_back(sin(angles[a]) / 2);
      }
      rest.push(m.data(), p.coefficients[i]);
      factors.push_back(ring.expression(rest));
      terms.push_back(multiply(factors));
    }
    return add(terms);
  };
  const Expr numerator = back(f.numerator);
  const Expr denominator = back(f.denominator);
  reduced_forms(numerator / denominator, out);
  // What came from powers of 1 + h^2 alone has become a number.
  const Expr whole = expand(denominator);
  if (whole.is_number() && !whole.is_integer(0)) reduced_forms(numerator / whole, out);
}

}  // namespace

Expr tangents_to_sines(const Expr& e) {
  return everywhere(e, [](const Expr& x) {
    if (is_call_of(x, "tan")) return sin(x.operands()[0]) / cos(x.operands()[0]);
    if (is_call_of(x, "tanh")) return sinh(x.operands()[0]) / cosh(x.operands()[0]);
    return x;
  });
}

Expr angles_expanded(const Expr& e, bool fully) {
  BaseAngles circular;
  BaseAngles hyperbolic;
  circular.whole_terms = fully;
  hyperbolic.whole_terms = fully;
  postorder(e, [&](const Expr& x) {
    if (is_call_of(x, "sin") || is_call_of(x, "cos") || is_call_of(x, "tan")) circular.note(x.operands()[0]);
    if (is_call_of(x, "sinh") || is_call_of(x, "cosh") || is_call_of(x, "tanh")) hyperbolic.note(x.operands()[0]);
  });
  return everywhere(e, [&](const Expr& x) {
    const bool c = is_call_of(x, "cos") || is_call_of(x, "sin") || is_call_of(x, "tan");
    if (!c && !is_call_of(x, "cosh") && !is_call_of(x, "sinh") && !is_call_of(x, "tanh")) return x;
    const Pair p = of_angle(x.operands()[0], c ? circular : hyperbolic, c);
    if (is_call_of(x, "cos") || is_call_of(x, "cosh")) return p.c;
    if (is_call_of(x, "sin") || is_call_of(x, "sinh")) return p.s;
    return p.s / p.c;
  });
}

namespace {

// A sum of coefficient*cos(angle) and coefficient*sin(angle), circular and hyperbolic apart.
struct Wave {
  Expr coefficient;
  Expr angle;
  bool sine;
};

std::vector<Wave> multiply_wave(const std::vector<Wave>& waves, const Expr& angle, bool sine, bool circular) {
  std::vector<Wave> out;
  for (const Wave& w : waves) {
    const Expr sum = w.angle + angle;
    const Expr difference = w.angle - angle;
    const Expr half = w.coefficient / 2;
    if (!w.sine && !sine) {
      out.push_back({half, difference, false});
      out.push_back({half, sum, false});
    } else if (w.sine && sine) {  // circular: (cos(a - b) - cos(a + b))/2, hyperbolic: (cosh(a + b) - cosh(a - b))/2
      out.push_back({circular ? half : -half, difference, false});
      out.push_back({circular ? -half : half, sum, false});
    } else if (w.sine) {
      out.push_back({half, sum, true});
      out.push_back({half, difference, true});
    } else {
      out.push_back({half, sum, true});
      out.push_back({-half, difference, true});
    }
  }
  return out;
}

Expr wave_sum(const std::vector<Wave>& waves, bool circular) {
  std::vector<Expr> terms;
  for (const Wave& w : waves) {
    if (circular) {
      terms.push_back(w.coefficient * (w.sine ? sin(w.angle) : cos(w.angle)));
    } else {
      terms.push_back(w.coefficient * (w.sine ? sinh(w.angle) : cosh(w.angle)));
    }
  }
  return add(terms);
}

Expr combine_term(const Expr& term) {
  std::vector<Wave> circular{{1, 0, false}};
  std::vector<Wave> hyperbolic{{1, 0, false}};
  std::vector<Expr> rest;
  if (term.is(Kind::product)) rest.push_back(term.operands()[0]);
  for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
    const bool c = is_call_of(base, "sin") || is_call_of(base, "cos");
    const bool h = is_call_of(base, "sinh") || is_call_of(base, "cosh");
    const auto n = exponent.word();
    if ((!c && !h) || !n || *n < 1 || *n > 12) {
      rest.push_back(power(base, exponent));
      return;
    }
    auto& waves = c ? circular : hyperbolic;
    for (std::int64_t k = 0; k < *n; ++k) {
      if (waves.size() > 4096)
        throw Error(ErrorKind::limit, "too many terms when products of sines are written as sums");
      waves = multiply_wave(waves, base.operands()[0], is_call_of(base, "sin") || is_call_of(base, "sinh"), c);
    }
  });
  return expand(multiply(rest) * wave_sum(circular, true) * wave_sum(hyperbolic, false));
}

}  // namespace

Expr angles_combined(const Expr& e) {
  const Expr written = expand(e);
  if (!written.is(Kind::sum)) return combine_term(written);
  std::vector<Expr> terms{written.operands()[0]};
  for (const auto [term, c] : Parts(written)) terms.push_back(c * combine_term(term));
  return expand(add(terms));
}

Expr angles_to_radicals(const Expr& e) {
  return everywhere(e, [](const Expr& x) {
    const bool s = is_call_of(x, "sin");
    const bool c = is_call_of(x, "cos");
    if (!s && !c && !is_call_of(x, "tan")) return x;
    const Expr q = x.operands()[0] / pi();
    if (!q.is_number() || !q.number().is_exact()) return x;
    // cos(k*pi/40) for the k that are multiples of 5 or 8, reduced to the first quadrant
    const auto cosine = [](Number turns) -> std::optional<Expr> {
      turns = turns - Number(2) * (turns * Number(1, 2)).floor();
      if (compare(turns, 1) > 0) turns = Number(2) - turns;
      const bool negative = compare(turns, Number(1, 2)) > 0;
      if (negative) turns = Number(1) - turns;
      const Expr r5 = sqrt(5);
      const Expr r2 = sqrt(2);
      std::optional<Expr> v;
      if (turns == Number(1, 5)) v = (1 + r5) / 4;
      if (turns == Number(2, 5)) v = (r5 - 1) / 4;
      if (turns == Number(1, 10)) v = sqrt(10 + 2 * r5) / 4;
      if (turns == Number(3, 10)) v = sqrt(10 - 2 * r5) / 4;
      if (turns == Number(1, 8)) v = sqrt(2 + r2) / 2;
      if (turns == Number(3, 8)) v = sqrt(2 - r2) / 2;
      if (v && negative) v = -*v;
      return v;
    };
    const Number n = q.number();
    if (s || c) {
      const auto v = cosine(s ? Number(1, 2) - n : n);
      return v ? *v : x;
    }
    Number m = n - n.floor();
    const bool negative = compare(m, Number(1, 2)) > 0;
    if (negative) m = Number(1) - m;
    std::optional<Expr> v;
    if (m == Number(1, 8)) v = sqrt(2) - 1;
    if (m == Number(3, 8)) v = sqrt(2) + 1;
    if (m == Number(1, 5)) v = sqrt(5 - 2 * sqrt(5));
    if (m == Number(2, 5)) v = sqrt(5 + 2 * sqrt(5));
    return !v ? x : negative ? -*v : *v;
  });
}

void trigonometric_forms(const Expr& e, Forms& out) {
  if (!has_angles(e)) return;
  const Expr plain = tangents_to_sines(e);
  const Expr apart = angles_expanded(plain);
  const auto attempt = [](const auto& what) {
    try {
      what();
    } catch (const Error&) {  // too large: this form is not on offer
    }
  };
  attempt([&] {
    const Expr radicals = angles_to_radicals(e);
    if (!(radicals == e)) {
      out.push_back(radicals);
      rational_forms(radicals, out);
    }
  });
  attempt([&] { reduced_forms(plain, out); });
  if (!(apart == plain)) attempt([&] { reduced_forms(apart, out); });
  attempt([&] { out.push_back(angles_combined(plain)); });
  attempt([&] { half_angle_forms(apart, out); });
  attempt([&] {
    // Numerator and denominator as sums of sines and cosines of multiples.
    const Quotient q = quotient(apart);
    if (!q.denominator.is_number()) out.push_back(angles_combined(q.numerator) / angles_combined(q.denominator));
  });
}

}  // namespace boreon::transforms
