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

// Roots and logarithms have their cut along the negative axis, on which they are continuous from above: what has a
// negative leading coefficient and then a negative imaginary part comes from the other side.
bool Expander::arrives_below_axis(const Expansion& a, bool complex) const {
  const auto lead = signs_.known(a.leading().coefficient);
  if (!lead || *lead >= 0) return false;
  for (std::size_t i = 1; i < a.terms.size(); ++i) {
    const Expr& c = a.terms[i].coefficient;
    if (is_real(c)) continue;
    const Expr y = im(c);
    if (y.is_integer(0)) continue;
    const auto sign = signs_.known(y);
    if (!sign) throw NoExpansion{"it is not known from which side a branch cut is met"};
    if (*sign != 0) return *sign < 0;
  }
  if (complex && !a.exact) throw NoExpansion{"cancellation"};  // more terms may tell
  return false;
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
  Expr c = boreon::power(lead.coefficient, r);
  if (!r.is_integer() && arrives_below_axis(a, complex)) c *= exp(-2 * r * pi() * imaginary_unit());
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

// f' expanded and integrated: for functions whose derivative is simpler than they are.
Expansion Expander::by_derivative(const Expr& e) {
  std::size_t i = 0;
  while (!depends_on(e.operands()[i], w_)) ++i;
  const Expr& u = e.operands()[i];
  Expr place = 0;
  Expansion rest;
  place = finite_part(of(u), rest);
  if (has_log(place)) throw NoExpansion{"nested logarithms"};
  Expr constant_term;
  if (const auto c = finite_constant(e, place)) {
    // f(u) = +-log(u - place) + c + ...: the derivative carries the logarithm of w, not that of u
    Expansion leading = rest;
    if (!drop_leading_zeros(leading)) throw NoExpansion{"cancellation"};
    constant_term = substitute(*c, {{Symbol("_scale"), leading.leading().coefficient}}, Unused::allowed);
  } else {
    std::vector<Expr> args(e.operands().begin(), e.operands().end());
    args[i] = place;
    constant_term = boreon::call(e.function(), args);
    // li(x) = Ei(log(x)), whose logarithm is complex below zero
    if (e.function().name == "li" && place.is_integer(0) && sign_near(u) < 0) constant_term = imaginary_unit() * pi();
  }
  const Number keep = target_;
  Expansion d = of(derivative(e, w_));
  target_ = keep;
  return add({constant(constant_term), integrated(d)});
}

// By derivatives at the constant term of one argument; the others do not vary.
Expansion Expander::taylor(const Expr& e, std::size_t argument) {
  Expansion rest;
  const Expr place = finite_part(of(e.operands()[argument]), rest);
  if (has_log(place)) throw NoExpansion{"nested logarithms"};
  const Symbol z("_z", Assumptions::from_bits(Assumptions{Assumption::real}.bits()));
  std::vector<Expr> args(e.operands().begin(), e.operands().end());
  args[argument] = z;
  Expr f = with_operands(e, args);
  Number factorial(1);
  int at = 0;
  std::vector<Expr> values;
  const auto value = [&](const Expr& d) -> Expr {
    try {
      Expr v = substitute(d, {{z, place}}, Unused::allowed);
      if (v.is_constant(ConstantCode::undefined) || v.is_constant(ConstantCode::infinity))
        throw NoExpansion{"a singularity"};
      // elliptic_K(1) looks like a number and is none
      if (!v.is_number() && !v.has_symbols() && !certified_value(v, {}, {})) throw NoExpansion{"a singularity"};
      return v;
    } catch (const Error& error) {
      if (error.kind() == ErrorKind::limit || error.kind() == ErrorKind::interrupted) throw;
      throw NoExpansion{error.message()};
    }
  };
  return composed(
      [&](int k) -> Expr {
        if (k > 80) throw NoExpansion{"the expansion needs derivatives of too high an order"};
        for (; at < k; ++at) {
          try {
            f = derivative(f, z);
          } catch (const Error& error) {
            throw NoExpansion{error.message()};
          }
          factorial = factorial / Number(at + 1);
        }
        return Expr(factorial) * value(f);
      },
      rest);
}

Expansion Expander::call(const Expr& e) {
  const auto name = e.function().name;
  const auto ops = e.operands();
  if (name == "exp") return exponential(of(ops[0]));
  if (name == "log") {
    const bool complex = has_imaginary_unit(ops[0]);
    if (!writes_down_ || complex) return logarithm(of(ops[0]), complex);
    try {
      return logarithm(of(ops[0]), complex);
    } catch (const NoExpansion&) {
      const Expr grows = growth(ops[0]);
      if (grows.is_integer(0) || !is_real(grows)) throw;
      return add({of(grows), logarithm(of(ops[0] * exp(-grows)), complex)});
    }
  }
  if (name == "sin" || name == "cos") return sine_or_cosine(e, of(ops[0]), name == "sin", false);
  if (name == "sinh" || name == "cosh") return sine_or_cosine(e, of(ops[0]), name == "sinh", true);
  if (name == "tan") return of(sin(ops[0]) / cos(ops[0]));
  if (name == "tanh" && writes_down_) {
    if (const Expr form = with_forms(e); !(form == e)) return of(form);
  }
  if (name == "tanh") return of(sinh(ops[0]) / cosh(ops[0]));
  if (name == "abs") {
    const int s = sign_near(ops[0]);
    return scaled(of(ops[0]), s == 0 ? 1 : s);
  }
  if (name == "sign") return constant(sign_near(ops[0]));
  if (name == "heaviside") return constant(Expr(Number(1 + sign_near(ops[0]), 2)));
  if (name == "dirac_delta") return sign_near(ops[0]) == 0 ? throw NoExpansion{"an impulse"} : Expansion{};
  if (name == "min" || name == "max") {
    Expr best = ops[0];
    for (std::size_t i = 1; i < ops.size(); ++i) {
      const int s = sign_near(ops[i] - best);
      if (name == "min" ? s < 0 : s > 0) best = ops[i];
    }
    return of(best);
  }
  if (name == "cbrt")
    return sign_near(ops[0]) < 0 ? scaled(power(of(-ops[0]), Number(1, 3)), -1) : power(of(ops[0]), Number(1, 3));
  if (name == "floor" || name == "ceil" || name == "round" || name == "trunc") {
    Expansion rest;
    const Expr c = finite_part(of(ops[0]), rest);
    const auto whole = boreon::call(e.function(), {&c, 1});
    if (name == "round" || has_log(whole)) throw NoExpansion{"a jump"};
    if (is_integer(c)) {
      const int s = sign_near(ops[0] - c);
      if (name == "floor") return constant(s < 0 ? c - 1 : c);
      if (name == "ceil") return constant(s > 0 ? c + 1 : c);
      const int above = signs_.of(c);
      if (above > 0) return constant(s < 0 ? c - 1 : c);
      if (above < 0) return constant(s > 0 ? c + 1 : c);
      return {};
    }
    return constant(whole);
  }
  // arguments that grow
  std::size_t varying = ops.size();
  for (std::size_t i = 0; i < ops.size(); ++i) {
    if (!depends_on(ops[i], w_)) continue;
    if (varying != ops.size()) throw NoExpansion{fmt::format("{} varies in two arguments", name)};
    varying = i;
  }
  const Expansion u = with_leading(ops[varying]);
  if (!u.empty() && u.leading().exponent.sign() < 0) {
    const int s = signs_.of(u.leading().coefficient);
    if (const auto form = form_at_infinity(e, s, cut(-u.leading().exponent))) return of(*form);
    throw NoExpansion{fmt::format("{} at infinity has no expansion in powers", name)};
  }
  Expr place = u.empty() || u.leading().exponent.sign() > 0 ? Expr(0) : u.leading().coefficient;
  if (!place.is_number() && vanishes(place)) place = 0;
  if (place.is(Kind::call) || place.is(Kind::sum) || place.is(Kind::product)) {
    for (const int n : {1, -1}) {
      if (vanishes(place - n)) place = n;
    }
  }
  if (name == "zeta" && place.is_integer(1)) {  // NIST 25.2.4, whose further coefficients have no name here
    const Expansion pole = with_leading(ops[varying] - 1);
    Expansion rest;
    rest.exact = false;
    rest.order = pole.empty() ? Number(1) : pole.leading().exponent;
    return add({power(pole, Number(-1)), constant(egamma()), rest});
  }
  if (const auto form =
          regular_form(e, place, cut(u.empty() || u.leading().exponent.sign() <= 0 ? Number(1) : u.leading().exponent)))
    return of(*form);
  if (is_integral_like(e)) return by_derivative(e);
  return taylor(e, varying);
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
