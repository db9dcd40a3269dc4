// SPDX-License-Identifier: MIT
#include "calculus/series/expansion.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"

namespace boreon {
namespace {

constexpr int deepest = 60;
constexpr std::size_t most_terms = 4000;

bool before(const Number& a, const Number& b) { return compare(a, b) < 0; }

struct NumberOrder {
  bool operator()(const Number& a, const Number& b) const { return before(a, b); }
};

// exp(i*pi*r)
Expr half_turns(const Number& r) {
  if ((r * Number(2)).is_integer()) return boreon::power(imaginary_unit(), Expr(r * Number(2)));
  return exp(r * pi() * imaginary_unit());
}

}  // namespace

// An expression in place of log(w) varies by itself and needs no care.
bool Expander::has_log(const Expr& c) const { return log_w_.is(Kind::symbol) && depends_on(c, log_w_); }

Expansion Expander::constant(const Expr& c) const {
  Expansion out;
  if (!c.is_integer(0)) out.terms.push_back({Number(0), c});
  return out;
}

Expansion Expander::add(std::vector<Expansion> parts) const {
  Expansion out;
  std::map<Number, std::vector<Expr>, NumberOrder> by_exponent;
  for (const Expansion& p : parts) {
    if (!p.exact && (out.exact || before(p.order, out.order))) {
      out.exact = false;
      out.order = p.order;
    }
    for (const Power& t : p.terms) by_exponent[t.exponent].push_back(t.coefficient);
  }
  for (auto& [exponent, list] : by_exponent) {
    if (!out.exact && !before(exponent, out.order)) break;
    Expr c = list.size() == 1 ? list[0] : boreon::add(list);
    if (!c.is_integer(0)) out.terms.push_back({exponent, std::move(c)});
  }
  return out;
}

Expansion Expander::scaled(const Expansion& a, const Expr& c) const {
  Expansion out = a;
  for (Power& t : out.terms) t.coefficient *= c;
  return out;
}

Expansion Expander::multiply(const Expansion& a, const Expansion& b) const {
  Expansion out;
  if ((a.empty() && a.exact) || (b.empty() && b.exact)) return out;
  const auto bound = [&](const Expansion& x, const Expansion& y) {
    if (x.exact) return;
    const Number o = x.order + (y.empty() ? y.order : y.leading().exponent);
    if (out.exact || before(o, out.order)) {
      out.exact = false;
      out.order = o;
    }
  };
  bound(a, b);
  bound(b, a);
  // What lies beyond the target is of no use to anyone.
  const Number low_a = a.empty() ? a.order : a.leading().exponent;
  const Number low_b = b.empty() ? b.order : b.leading().exponent;
  const Number cut = [&] {
    const Number least =
        target_ + (before(low_a, Number(0)) ? -low_a : Number(0)) + (before(low_b, Number(0)) ? -low_b : Number(0));
    return least;
  }();
  std::map<Number, std::vector<Expr>, NumberOrder> by_exponent;
  std::size_t count = 0;
  bool cut_off = false;
  for (const Power& s : a.terms) {
    for (const Power& t : b.terms) {
      const Number e = s.exponent + t.exponent;
      if (!out.exact && !before(e, out.order)) break;
      if (!before(e, cut)) {
        cut_off = true;
        break;
      }
      if (++count > most_terms) throw NoExpansion{"the expansion grows too large"};
      by_exponent[e].push_back(s.coefficient * t.coefficient);
    }
  }
  if (cut_off && (out.exact || before(cut, out.order))) {
    out.exact = false;
    out.order = cut;
  }
  for (auto& [exponent, list] : by_exponent) {
    if (!out.exact && !before(exponent, out.order)) break;
    Expr c = list.size() == 1 ? list[0] : boreon::add(list);
    if (!c.is_integer(0)) out.terms.push_back({exponent, std::move(c)});
  }
  return out;
}

// True if a leading term that is not zero was found.
bool Expander::drop_leading_zeros(Expansion& a) const {
  std::size_t i = 0;
  while (i < a.terms.size() && vanishes(a.terms[i].coefficient)) ++i;
  a.terms.erase(a.terms.begin(), a.terms.begin() + static_cast<std::ptrdiff_t>(i));
  return !a.empty();
}

Expansion Expander::composed(const std::function<Expr(int)>& coefficient, const Expansion& u) const {
  if (u.empty() && u.exact) return constant(coefficient(0));
  const Number step = u.empty() ? u.order : u.leading().exponent;
  if (step.sign() <= 0) throw NoExpansion{"an inner expansion does not go to zero"};
  std::vector<Expansion> parts{constant(coefficient(0))};
  Expansion p = constant(1);
  Number reached = step;
  for (int k = 1; before(reached, target_) || k == 1; ++k, reached = reached + step) {
    if (k > 400) throw NoExpansion{"the expansion needs too many terms"};
    p = multiply(p, u);
    const Expr c = coefficient(k);
    if (!c.is_integer(0)) parts.push_back(scaled(p, c));
    if (p.empty() && p.exact) return add(std::move(parts));
  }
  Expansion rest;
  rest.exact = false;
  rest.order = reached;
  parts.push_back(rest);
  return add(std::move(parts));
}

// The sign of the imaginary part of what lies this close to a real place: 0 where it is real as far as it is known.
int Expander::side_of_axis(const Expansion& a, std::size_t first, bool complex) const {
  for (std::size_t i = first; i < a.terms.size(); ++i) {
    const Expr& c = a.terms[i].coefficient;
    if (is_real(c)) continue;
    const Expr y = im(c);
    if (y.is_integer(0)) continue;
    const auto sign = signs_.known(y);
    if (!sign) throw NoExpansion{"it is not known from which side a branch cut is met"};
    if (*sign != 0) return *sign;
  }
  if (complex && !a.exact) throw NoExpansion{"cancellation"};  // more terms may tell
  return 0;
}

// Roots and logarithms have their cut along the negative axis, on which they are continuous from above: what has a
// negative leading coefficient and then a negative imaginary part comes from the other side.
bool Expander::arrives_below_axis(const Expansion& a, bool complex) const {
  const auto lead = signs_.known(a.leading().coefficient);
  return lead && *lead < 0 && side_of_axis(a, 1, complex) < 0;
}

Expansion Expander::power(Expansion a, const Number& r, bool complex) {
  if (r.is_zero()) return constant(1);
  if (const auto n = r.word(); n && *n > 0 && *n <= 64) {
    Expansion out = a;
    for (std::int64_t k = 1; k < *n; ++k) out = multiply(out, a);
    return out;
  }
  if (!drop_leading_zeros(a)) {
    if (a.exact) {
      if (r.sign() > 0) return {};
      throw NoExpansion{"a division by zero"};
    }
    if (r.sign() > 0) {
      Expansion out;
      out.exact = false;
      out.order = a.order * r;
      return out;
    }
    throw NoExpansion{"cancellation"};
  }
  const Power lead = a.leading();
  if (has_wave(lead.coefficient)) throw NoExpansion{"a division by what oscillates"};
  Expansion u;
  u.exact = a.exact;
  if (!a.exact) u.order = a.order - lead.exponent;
  for (std::size_t i = 1; i < a.terms.size(); ++i)
    u.terms.push_back({a.terms[i].exponent - lead.exponent, a.terms[i].coefficient / lead.coefficient});
  const Number shift = lead.exponent * r;
  // (1 + u)^r to an order that leaves the target after the shift
  const Number keep = target_;
  if (shift.sign() < 0) target_ = target_ - shift;
  Number binomial(1);
  int at = 0;
  Expansion series = composed(
      [&](int k) -> Expr {
        for (; at < k; ++at) binomial = binomial * (r - Number(at)) / Number(at + 1);
        return binomial;
      },
      u);
  target_ = keep;
  // c^r = |c|^r*exp(-i*pi*r) for a negative c met from below
  const bool below = !r.is_integer() && arrives_below_axis(a, complex);
  const Expr c = below ? boreon::power(-lead.coefficient, r) * half_turns(-r) : boreon::power(lead.coefficient, r);
  for (Power& t : series.terms) {
    t.exponent = t.exponent + shift;
    t.coefficient *= c;
  }
  if (!series.exact) series.order = series.order + shift;
  return series;
}

Expr Expander::finite_part(const Expansion& a, Expansion& rest) const {
  rest = a;
  Expr c = 0;
  Expansion cleaned = a;
  while (!cleaned.empty() && cleaned.leading().exponent.sign() < 0) {
    if (!vanishes(cleaned.leading().coefficient)) throw NoExpansion{"an essential singularity"};
    cleaned.terms.erase(cleaned.terms.begin());
  }
  if (!a.exact && a.order.sign() <= 0) throw NoExpansion{"cancellation"};
  if (!cleaned.empty() && cleaned.leading().exponent.is_zero()) {
    c = cleaned.leading().coefficient;
    cleaned.terms.erase(cleaned.terms.begin());
  }
  rest = std::move(cleaned);
  return c;
}

Expansion Expander::logarithm(Expansion a, bool complex) {
  if (!drop_leading_zeros(a)) throw NoExpansion{a.exact ? "the logarithm of zero" : "cancellation"};
  const Power lead = a.leading();
  if (has_wave(lead.coefficient)) throw NoExpansion{"the logarithm of what oscillates"};
  Expansion u;
  u.exact = a.exact;
  if (!a.exact) u.order = a.order - lead.exponent;
  for (std::size_t i = 1; i < a.terms.size(); ++i)
    u.terms.push_back({a.terms[i].exponent - lead.exponent, a.terms[i].coefficient / lead.coefficient});
  Expansion out = composed([](int k) -> Expr { return k == 0 ? Expr(0) : Expr(Number(k % 2 == 1 ? 1 : -1, k)); }, u);
  const Expr turn = arrives_below_axis(a, complex) ? -2 * pi() * imaginary_unit() : Expr(0);
  return add({constant(log(lead.coefficient) + turn + Expr(lead.exponent) * log_w_), out});
}

// By powers of w, and of log(w) where that is a symbol.
Expansion Expander::differentiated(const Expansion& a) const {
  Expansion out;
  out.exact = a.exact;
  if (!a.exact) out.order = a.order - Number(1);
  for (const Power& t : a.terms) {
    Expr c = Expr(t.exponent) * t.coefficient;
    if (has_log(t.coefficient)) c += derivative(t.coefficient, log_w_);
    if (!c.is_integer(0)) out.terms.push_back({t.exponent - Number(1), std::move(c)});
  }
  return out;
}

// The integral over w, without a constant.
Expansion Expander::integrated(const Expansion& a) const {
  Expansion out;
  out.exact = a.exact;
  if (!a.exact) out.order = a.order + Number(1);
  std::vector<Power> terms;
  for (const Power& t : a.terms) {
    const Number n = t.exponent + Number(1);
    // powers of the logarithm by parts: w^m*L^j
    Expr c = t.coefficient;
    if (has_log(c)) {
      std::vector<Expr> by_power;
      try {
        by_power = coefficients(expand(c), log_w_);
      } catch (const Error&) {
        throw NoExpansion{"nested logarithms"};
      }
      Expr sum = 0;
      for (std::size_t j = 0; j < by_power.size(); ++j) {
        if (n.is_zero()) {
          sum += by_power[j] * boreon::power(log_w_, j + 1) / static_cast<int>(j + 1);
        } else {
          Expr part = 0;
          Expr coefficient = by_power[j] / Expr(n);
          for (std::size_t i = j + 1; i-- > 0;) {
            part += coefficient * boreon::power(log_w_, i);
            coefficient = -coefficient * static_cast<int>(i) / Expr(n);
          }
          sum += part;
        }
      }
      terms.push_back({n, sum});
    } else if (n.is_zero()) {
      terms.push_back({n, c * log_w_});
    } else {
      terms.push_back({n, c / Expr(n)});
    }
  }
  out.terms = std::move(terms);
  return out;
}

// Near the place, where log(w) goes to -infinity.
int Expander::sign_of_coefficient(const Expr& c) {
  if (!has_log(c)) return signs_.of(c);
  const std::vector<Expr> by_power = [&] {
    try {
      return coefficients(expand(c), log_w_);
    } catch (const Error&) {
      throw NoExpansion{"nested logarithms"};
    }
  }();
  for (std::size_t j = by_power.size(); j-- > 0;) {
    const int s = signs_.of(by_power[j]);
    if (s != 0) return j % 2 == 0 ? s : -s;
  }
  return 0;
}

int Expander::sign_near(const Expr& e) {
  const Expansion a = with_leading(e);
  return a.empty() ? 0 : sign_of_coefficient(a.leading().coefficient);
}

bool Expander::truth_near(const Expr& c) {
  if (const auto t = truth_by_signs(c, [&](const Expr& d) { return sign_near(d); })) return *t;
  throw NoExpansion{"a condition that cannot be decided"};
}

Expansion Expander::piecewise(const Expr& e) {
  const auto ops = e.operands();
  for (std::size_t i = 0; i + 1 < ops.size(); i += 2) {
    if (truth_near(ops[i + 1])) return of(ops[i]);
  }
  if (ops.size() % 2 == 1) return of(ops.back());
  throw NoExpansion{"no branch of the piecewise holds here"};
}

Expansion Expander::compute(const Expr& e) {
  if (!depends_on(e, w_)) return constant(e);
  switch (e.kind()) {
    case Kind::symbol: {
      Expansion out;
      out.terms.push_back({Number(1), 1});
      return out;
    }
    case Kind::sum: {
      std::vector<Expansion> parts{constant(e.operands()[0])};
      for (const auto [term, coefficient] : Parts(e)) parts.push_back(scaled(of(term), coefficient));
      return add(std::move(parts));
    }
    case Kind::product: {
      const auto one_by_one = [&] {
        Expansion out = constant(e.operands()[0]);
        for (const auto [base, exponent] : Parts(e)) out = multiply(out, of(boreon::power(base, exponent)));
        return out;
      };
      if (!writes_down_) return one_by_one();
      try {
        return one_by_one();
      } catch (const NoExpansion& n) {
        if (n.why == "cancellation") throw;
        const Expr together = grouped(e);
        if (together == e) throw;
        return of(together);
      }
    }
    case Kind::power: {
      const Expr& base = e.operands()[0];
      const Expr& exponent = e.operands()[1];
      if (exponent.is_number() && exponent.number().is_exact())
        return power(of(base), exponent.number(), has_imaginary_unit(base));
      return exponential(of(exponent * log(base)));
    }
    case Kind::call: return call(e);
    case Kind::piecewise: return piecewise(e);
    case Kind::unknown_call: {
      if (is_remainder(e)) {
        Expansion bounded;
        bounded.exact = false;
        return bounded;
      }
      std::size_t varying = 0;
      for (std::size_t i = 1; i < e.operands().size(); i += 2) {
        if (!depends_on(e.operands()[i], w_)) continue;
        if (varying != 0) throw NoExpansion{"an unknown function varies in two arguments"};
        varying = i;
      }
      return taylor(e, varying);
    }
    default: throw NoExpansion{fmt::format("{} has no expansion known here", to_text(e, {60, {}}))};
  }
}

Expansion Expander::of(const Expr& e) {
  if (const Expansion* known = done_.find(e)) return *known;
  if (++depth_ > deepest) {
    --depth_;
    throw NoExpansion{"the expression is nested too deep"};
  }
  struct Leave {
    int& depth;
    ~Leave() { --depth; }
  } leave{depth_};
  Expansion result = compute(e);
  keep_.push_back(e);
  done_[e] = result;
  return result;
}

Expansion Expander::with_leading(const Expr& e) {
  Expansion a = of(e);
  if (!drop_leading_zeros(a) && !a.exact) {
    if (vanishes(e)) return {};
    throw NoExpansion{"cancellation"};
  }
  return a;
}

}  // namespace boreon
