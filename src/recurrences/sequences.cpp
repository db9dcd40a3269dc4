// SPDX-License-Identifier: MIT
#include "recurrences/sequences.hpp"

#include <algorithm>
#include <utility>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/functions.hpp"
#include "boreon/simplify.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/signs.hpp"
#include "transforms/modes.hpp"

namespace boreon::recurrences {
namespace {

using transforms::ComplexPair;

constexpr std::size_t most_resonances = 40;

Expr tidied(const Expr& e) { return simplify(expand(e)); }

ComplexPair tidied(const ComplexPair& p) { return {tidied(p.re), tidied(p.im)}; }

ComplexPair over(const ComplexPair& a, const ComplexPair& b) {
  if (b.im.is_integer(0)) return {a.re / b.re, a.im / b.re};
  const Expr square = b.re * b.re + b.im * b.im;
  return {(a.re * b.re + a.im * b.im) / square, (a.im * b.re - a.re * b.im) / square};
}

Expr binomial_number(std::size_t n, std::size_t k) {
  Expr out = 1;
  for (std::size_t j = 0; j < k; ++j) out = out * Expr(n - j) / Expr(j + 1);
  return out;
}

// Of cos(turn*n) and cos((2*pi - turn)*n) the one with the smaller angle: the quarter and third turns are common.
Expr angle_of(const transforms::Mode& m, const Expr& size) {
  for (const auto& [cosine, angle] : std::initializer_list<std::pair<Expr, Expr>>{{0, pi() / 2},
                                                                                  {Expr(1) / 2, pi() / 3},
                                                                                  {-Expr(1) / 2, 2 * pi() / 3},
                                                                                  {1 / sqrt(2), pi() / 4},
                                                                                  {-1 / sqrt(2), 3 * pi() / 4},
                                                                                  {sqrt(3) / 2, pi() / 6},
                                                                                  {-sqrt(3) / 2, 5 * pi() / 6}}) {
    if (vanishes(m.rate - cosine * size)) return angle;
  }
  return acos(tidied(m.rate / size));
}

}  // namespace

Expr SequenceTerm::expression(const Expr& n) const {
  Expr e = coefficient * boreon::power(n, power) * pow(base, n);
  if (!turn.is_integer(0)) e *= sine ? boreon::sin(turn * n) : boreon::cos(turn * n);
  return e;
}

ComplexPair SequenceTerm::ratio() const {
  if (turn.is_integer(0)) return {base, 0};
  return {base * boreon::cos(turn), base * boreon::sin(turn)};
}

std::optional<std::vector<SequenceTerm>> sequence_terms(const Expr& f, const Symbol& n) {
  std::vector<SequenceTerm> out;
  for (const Expr& term : terms_of(expand(f))) {
    Expr base = 1;
    Expr rest = leading_number(term);
    bool known = true;
    for_each_factor(term, [&](const Expr& factor, const Expr& exponent) {
      if (!depends_on(exponent, n)) {
        rest *= power(factor, exponent);
        return;
      }
      const auto l = depends_on(factor, n) ? std::nullopt : linear_in(exponent, n);
      known = known && l.has_value();
      if (!known) return;
      base *= power(factor, l->slope);
      rest *= power(factor, l->constant);
    });
    const auto terms = known ? transforms::exponential_terms(rest, n) : std::nullopt;
    if (!terms) return std::nullopt;
    for (const transforms::ExponentialTerm& e : *terms) {
      const auto power = e.power.word();
      if (!power || *power < 0) return std::nullopt;
      out.push_back({e.coefficient, *power, base * exp(e.rate), e.frequency, e.sine});
    }
  }
  return out;
}

std::optional<std::vector<SequenceTerm>> homogeneous_sequences(const std::vector<Expr>& c, Signs& signs) {
  const auto modes = transforms::modes_of(c, signs);
  if (!modes) return std::nullopt;
  std::vector<SequenceTerm> out;
  for (const transforms::Mode& m : *modes) {
    SequenceTerm one;
    if (m.frequency.is_integer(0)) {
      one.base = m.rate;
    } else if (m.root) {
      one.base = abs(*m.root);
      one.turn = arg(*m.root);
    } else {
      one.base = transforms::plain_root(factor(tidied(m.rate * m.rate + m.frequency * m.frequency)));
      one.turn = angle_of(m, one.base);
    }
    for (unsigned k = 0; k < m.multiplicity; ++k) {
      one.power = k;
      for (const bool sine : {false, true}) {
        one.sine = sine;
        if (!sine || !m.frequency.is_integer(0)) out.push_back(one);
      }
    }
  }
  return out;
}

std::optional<Expr> sum_over_numbered_roots(const std::vector<Expr>& p, const std::vector<Expr>& d, const Expr& n,
                                            Signs& signs) {
  const auto modes = transforms::modes_of(d, signs);
  if (!modes) return std::nullopt;
  const bool numbered = std::any_of(modes->begin(), modes->end(), [](const transforms::Mode& m) {
    return m.root.has_value() || is_call_of(m.rate, "polynomial_root");
  });
  const bool simple =
      std::all_of(modes->begin(), modes->end(), [](const transforms::Mode& m) { return m.multiplicity == 1; });
  if (!numbered || !simple) return std::nullopt;
  const auto residue = [&](const Expr& r) {
    Expr top = 0;
    Expr bottom = 0;
    for (std::size_t k = p.size(); k-- > 0;) top = top * r + p[k];
    for (std::size_t k = d.size(); k-- > 1;) bottom = bottom * r + Expr(k) * d[k];
    return top / bottom;
  };
  Expr out = 0;
  for (const transforms::Mode& m : *modes) {
    if (m.frequency.is_integer(0)) {
      out += residue(m.rate) * pow(m.rate, n);
    } else {
      const Expr root = m.root ? *m.root : m.rate + imaginary_unit() * m.frequency;
      out += 2 * re(residue(root) * pow(root, n));
    }
  }
  return out;
}

std::optional<Expr> forced_sequence(const std::vector<Expr>& c, const SequenceTerm& forcing, const Expr& n) {
  // the equation for Q(n)*ratio^n: its action on n^k has the moments sum of c_j*j^i*ratio^j
  std::vector<ComplexPair> powers{{1, 0}};
  for (std::size_t j = 1; j < c.size(); ++j) powers.push_back(tidied(powers.back() * forcing.ratio()));
  std::vector<ComplexPair> moments;
  const auto moment = [&](std::size_t i) -> const ComplexPair& {
    while (moments.size() <= i) {
      ComplexPair sum{0, 0};
      for (std::size_t j = 0; j < c.size(); ++j) {
        const Expr weight =
            c[j] * (moments.empty() ? Expr(1) : power(Expr(j), static_cast<std::int64_t>(moments.size())));
        sum = sum + ComplexPair{weight * powers[j].re, weight * powers[j].im};
      }
      moments.push_back(tidied(sum));
    }
    return moments[i];
  };
  std::size_t resonance = 0;
  while (vanishes(moment(resonance).re) && vanishes(moment(resonance).im)) {
    if (++resonance > most_resonances) return std::nullopt;
  }
  const auto top = static_cast<std::size_t>(forcing.power);
  std::vector<ComplexPair> q(top + resonance + 1, {0, 0});
  for (std::size_t d = top + 1; d-- > 0;) {
    ComplexPair left{d == top ? forcing.coefficient : Expr(0), 0};
    for (std::size_t k = d + resonance + 1; k < q.size(); ++k) {
      const Expr weight = -binomial_number(k, k - d);
      const ComplexPair part = q[k] * moment(k - d);
      left = left + ComplexPair{weight * part.re, weight * part.im};
    }
    const ComplexPair& lead = moment(resonance);
    const Expr weight = binomial_number(d + resonance, resonance);
    q[d + resonance] = tidied(over(left, {weight * lead.re, weight * lead.im}));
  }
  Expr re = 0;
  Expr im = 0;
  for (std::size_t k = resonance; k < q.size(); ++k) {
    re += q[k].re * power(n, static_cast<std::int64_t>(k));
    im += q[k].im * power(n, static_cast<std::int64_t>(k));
  }
  const Expr size = pow(forcing.base, n);
  if (forcing.turn.is_integer(0)) return size * re;
  const Expr cosine = cos(forcing.turn * n);
  const Expr sine = sin(forcing.turn * n);
  return size * (forcing.sine ? im * cosine + re * sine : re * cosine - im * sine);
}

}  // namespace boreon::recurrences
