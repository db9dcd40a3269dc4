// SPDX-License-Identifier: MIT
// Rules that look at one node and its operands. Identities: NIST Handbook 4.16, 4.21, 4.24, 4.35, 4.38.
#include <algorithm>
#include <optional>

#include "algebra/simplify/transforms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"

namespace boreon::transforms {
namespace {

const Expr half = Expr(1) / Expr(2);

// The integer m when the angle is m*pi + rest; m may be symbolic.
struct Turns {
  Expr half_turns = 0;  // whole multiples of pi
  int quarters = 0;     // and of pi/2 beyond, 0 or 1
  Expr rest = 0;
};

Turns split_turns(const Expr& angle) {
  Turns t;
  // pi*(n + 1)/2 is one term until it is written out
  for (const LinearTerm& l : linear_terms(expand(angle))) {
    const Expr term = Expr(l.coefficient) * l.term;
    if (l.term.is_constant(ConstantCode::pi) && l.coefficient.is_exact()) {
      // quarter turns out, the remainder below a quarter stays
      const Number quarters = (l.coefficient * Number(2)).floor();
      const Number whole = (quarters * Number(1, 2)).floor();
      t.half_turns += Expr(whole);
      t.quarters = compare(quarters, whole * Number(2)) == 0 ? 0 : 1;
      t.rest += Expr(l.coefficient - quarters * Number(1, 2)) * pi();
      continue;
    }
    if (l.term.is(Kind::product)) {
      const Expr m = term / pi();
      if (is_integer(m)) {
        t.half_turns += m;
        continue;
      }
      // 3*pi*n/2 is 2*pi*n - pi*n/2
      if (const Expr n = l.term / pi(); l.coefficient.is_exact() && is_integer(n)) {
        const Number even = Number(2) * (l.coefficient * Number(1, 2) + Number(1, 2)).floor();
        t.half_turns += Expr(even) * n;
        t.rest += Expr(l.coefficient - even) * l.term;
        continue;
      }
    }
    t.rest += term;
  }
  return t;
}

// (-1)^m
Expr sign_of_turns(const Expr& m) {
  Expr odd = 0;
  for (const LinearTerm& l : linear_terms(m)) {
    const auto c = l.coefficient.word();
    if (c && *c % 2 == 0 && is_integer(l.term)) continue;
    if (c && is_integer(l.term)) {
      odd += l.term;
    } else {
      odd += Expr(l.coefficient) * l.term;
    }
  }
  return power(-1, odd);
}

Expr circular(const Expr& x) {
  const Expr& u = x.operands()[0];
  const bool s = is_call_of(x, "sin");
  const bool c = is_call_of(x, "cos");
  // of inverse functions
  if (u.is(Kind::call)) {
    const Expr& v = u.operands()[0];
    if (is_call_of(u, "asin")) return s ? v : c ? sqrt(1 - v * v) : v / sqrt(1 - v * v);
    if (is_call_of(u, "acos")) return c ? v : s ? sqrt(1 - v * v) : sqrt(1 - v * v) / v;
    if (is_call_of(u, "atan")) return s ? v / sqrt(1 + v * v) : c ? 1 / sqrt(1 + v * v) : v;
    if (is_call_of(u, "atan2")) {
      const Expr& w = u.operands()[1];
      const Expr r = sqrt(v * v + w * w);
      return s ? v / r : c ? w / r : v / w;
    }
  }
  if (!u.has_symbols()) return x;
  const Turns t = split_turns(u);
  if (t.half_turns.is_integer(0) && t.quarters == 0) return x;
  if (s || c) {
    const Expr sign = sign_of_turns(t.half_turns);
    // sin(v + pi/2) = cos(v), cos(v + pi/2) = -sin(v)
    if (t.quarters == 0) return sign * (s ? sin(t.rest) : cos(t.rest));
    return s ? sign * cos(t.rest) : -(sign * sin(t.rest));
  }
  return t.quarters == 0 ? tan(t.rest) : -1 / tan(t.rest);
}

Expr hyperbolic(const Expr& x) {
  const Expr& u = x.operands()[0];
  if (!u.is(Kind::call)) return x;
  const Expr& v = u.operands()[0];
  const bool s = is_call_of(x, "sinh");
  const bool c = is_call_of(x, "cosh");
  if (is_call_of(u, "asinh")) return s ? v : c ? sqrt(1 + v * v) : v / sqrt(1 + v * v);
  if (is_call_of(u, "acosh")) return c ? v : s ? sqrt(v - 1) * sqrt(v + 1) : sqrt(v - 1) * sqrt(v + 1) / v;
  if (is_call_of(u, "atanh")) return s ? v / sqrt(1 - v * v) : c ? 1 / sqrt(1 - v * v) : v;
  if (is_call_of(u, "log")) return s ? (v - 1 / v) / 2 : c ? (v + 1 / v) / 2 : (v * v - 1) / (v * v + 1);
  return x;
}

Expr exponential(const Expr& x) {
  const Expr& u = x.operands()[0];
  Expr outside = 1;
  Expr rest = 0;
  for (const LinearTerm& l : linear_terms(u)) {
    const Expr term = Expr(l.coefficient) * l.term;
    if (is_call_of(l.term, "log")) {
      outside *= power(l.term.operands()[0], Expr(l.coefficient));
      continue;
    }
    if (l.coefficient.is_integer() || l.coefficient == Number(1, 2) || l.coefficient == Number(-1, 2)) {
      const Expr& v = l.term.is(Kind::call) ? l.term.operands()[0] : l.term;
      if (is_call_of(l.term, "asinh")) {
        outside *= power(v + sqrt(1 + v * v), Expr(l.coefficient));
        continue;
      }
      if (is_call_of(l.term, "acosh")) {
        outside *= power(v + sqrt(v - 1) * sqrt(v + 1), Expr(l.coefficient));
        continue;
      }
      if (is_call_of(l.term, "atanh")) {
        outside *= power((1 + v) / sqrt(1 - v * v), Expr(l.coefficient));
        continue;
      }
    }
    if (l.term.is(Kind::product) || l.term.is_constant(ConstantCode::imaginary)) {
      // a log inside a product: exp(y*log(x)) = x^y
      bool taken = false;
      if (l.term.is(Kind::product)) {
        for (const auto [b, n] : Parts(l.term)) {
          if (!is_call_of(b, "log") || !n.is_integer(1)) continue;
          outside *= power(b.operands()[0], term / b);
          taken = true;
          break;
        }
      }
      if (taken) continue;
      const Expr m = term / (imaginary_unit() * pi());
      if (is_integer(m)) {
        outside *= sign_of_turns(m);
        continue;
      }
    }
    rest += term;
  }
  return outside.is_integer(1) ? x : outside * exp(rest);
}

Expr absolute(const Expr& x, const Reasoner& reasoner) {
  const Expr& u = x.operands()[0];
  if (reasoner.nonnegative(u)) return u;
  if (reasoner.nonpositive(u)) return -u;
  if (u.is(Kind::power) && u.operands()[1].word() && is_real(u.operands()[0]))
    return power(abs(u.operands()[0]), u.operands()[1]);
  if (!u.is(Kind::product)) return x;
  std::vector<Expr> outside{abs(u.operands()[0])};
  std::vector<Expr> inside;
  for (const auto [b, n] : Parts(u)) {
    const Expr factor = n.is_integer(1) ? b : power(b, n);
    if (reasoner.nonnegative(factor)) {
      outside.push_back(factor);
    } else if (reasoner.nonpositive(factor)) {
      outside.push_back(-factor);
    } else if (n.word() && *n.word() % 2 == 0 && is_real(b)) {
      outside.push_back(factor);
    } else {
      inside.push_back(factor);
    }
  }
  if (inside.empty()) return multiply(outside);
  return multiply(outside) * abs(multiply(inside));
}

Expr sign_rule(const Expr& x, const Reasoner& reasoner) {
  const Expr& u = x.operands()[0];
  if (reasoner.positive(u)) return 1;
  if (reasoner.negative(u)) return -1;
  if (!u.is(Kind::product)) return x;
  int sign = u.operands()[0].number().sign();
  Expr rest = 1;
  for (const auto [b, n] : Parts(u)) {
    const Expr factor = n.is_integer(1) ? b : power(b, n);
    if (reasoner.positive(factor)) continue;
    if (reasoner.negative(factor)) {
      sign = -sign;
    } else if (n.word() && *n.word() % 2 != 0 && is_real(b)) {
      rest *= b;
    } else {
      rest *= factor;
    }
  }
  if (rest == u) return x;
  return rest.is_integer(1) ? Expr(sign) : Expr(sign) * boreon::sign(rest);
}

Expr extremum(const Expr& x, const Reasoner& reasoner) {
  const bool largest = is_call_of(x, "max");
  std::vector<Expr> keep;
  const auto list = x.operands();
  for (std::size_t i = 0; i < list.size(); ++i) {
    bool dominated = false;
    for (std::size_t j = 0; j < list.size() && !dominated; ++j) {
      if (i == j) continue;
      const Expr d = largest ? list[j] - list[i] : list[i] - list[j];
      dominated = reasoner.nonnegative(d) && (j < i || !reasoner.nonnegative(-d));
    }
    if (!dominated) keep.push_back(list[i]);
  }
  if (keep.size() == list.size()) return x;
  return keep.size() == 1 ? keep[0] : call(x.function(), keep);
}

Expr branches(const Expr& x, const Reasoner& reasoner) {
  std::vector<Expr> out;
  const auto list = x.operands();
  for (std::size_t i = 0; i < list.size(); i += 2) {
    if (i + 1 == list.size()) {
      out.push_back(list[i]);
      break;
    }
    const auto truth = reasoner.decide(list[i + 1]);
    if (truth == Reasoner::Truth::no) continue;
    if (truth == Reasoner::Truth::yes) {
      out.push_back(list[i]);
      break;
    }
    out.push_back(list[i]);
    out.push_back(list[i + 1]);
  }
  // Equal neighbours become one branch.
  for (std::size_t i = 0; i + 2 < out.size();) {
    if (out[i] == out[i + 2]) {
      if (i + 3 < out.size()) {
        const Expr both[] = {out[i + 1], out[i + 3]};
        out[i + 3] = disjunction(both);
      }
      out.erase(out.begin() + static_cast<std::ptrdiff_t>(i), out.begin() + static_cast<std::ptrdiff_t>(i) + 2);
    } else {
      i += 2;
    }
  }
  if (out.size() == 1) return out[0];
  return out.empty() ? undefined() : piecewise(out);
}

// a*f(u)^2 + a*g(u)^2 and its relatives, and pairs of inverse functions.
Expr sum_rule(const Expr& x, const Reasoner& reasoner) {
  struct Square {
    Expr beside;
    Expr argument;
    const char* name;
    Number coefficient;
    Expr term;
  };
  std::vector<Square> squares;
  for (const auto [term, c] : Parts(x)) {
    const auto note = [&, &term = term, &c = c](const Expr& b, const Expr& n) {
      for (const char* name : {"sin", "cos", "sinh", "cosh", "tan", "tanh"}) {
        if (is_call_of(b, name) && n.is_integer(2))
          squares.push_back({term / power(b, n), b.operands()[0], name, c.number(), term});
      }
    };
    if (term.is(Kind::power)) note(term.operands()[0], term.operands()[1]);
    if (term.is(Kind::product)) {
      for (const auto [b, n] : Parts(term)) note(b, n);
    }
  }
  const auto coefficient_of = [&](const Expr& key) -> Number {
    if (key.is_integer(1)) return x.operands()[0].number();
    for (const auto [term, c] : Parts(x)) {
      if (term == key) return c.number();
    }
    return 0;
  };
  for (const Square& s : squares) {
    const std::string_view name = s.name;
    for (const Square& t : squares) {
      if (!(s.argument == t.argument) || !(s.beside == t.beside)) continue;
      if (name == "sin" && std::string_view(t.name) == "cos" && s.coefficient == t.coefficient) {
        return x - Expr(s.coefficient) * s.term - Expr(t.coefficient) * t.term + Expr(s.coefficient) * s.beside;
      }
      if (name == "cosh" && std::string_view(t.name) == "sinh" && s.coefficient == -t.coefficient) {
        return x - Expr(s.coefficient) * s.term - Expr(t.coefficient) * t.term + Expr(s.coefficient) * s.beside;
      }
    }
    const Number k = coefficient_of(s.beside);
    if (k.is_zero()) continue;
    const Expr without = x - Expr(s.coefficient) * s.term - Expr(k) * s.beside;
    const Expr outside = without + Expr(k) * s.beside * [&]() -> Expr {
      if (name == "sin" && k == -s.coefficient) return power(cos(s.argument), 2);
      if (name == "cos" && k == -s.coefficient) return power(sin(s.argument), 2);
      if (name == "sinh" && k == s.coefficient) return power(cosh(s.argument), 2);
      if (name == "cosh" && k == -s.coefficient) return -power(sinh(s.argument), 2);
      if (name == "tan" && k == s.coefficient) return power(cos(s.argument), -2);
      if (name == "tanh" && k == -s.coefficient) return power(cosh(s.argument), -2);
      return 0;
    }();
    if (!(outside == without)) return outside;
  }
  for (const auto [term, c] : Parts(x)) {
    const auto with = [&, &term = term, &c = c](const Expr& other, const Expr& value) -> std::optional<Expr> {
      if (other.is_number() || !(coefficient_of(other) == c.number())) return std::nullopt;
      return x - c * term - c * other + c * value;
    };
    if (is_call_of(term, "asin")) {
      if (const auto r = with(acos(term.operands()[0]), pi() / 2)) return *r;
    }
    if (is_call_of(term, "atan")) {
      const Expr& u = term.operands()[0];
      const bool up = reasoner.positive(u);
      if (up || reasoner.negative(u)) {
        if (const auto r = with(atan(1 / u), up ? pi() / 2 : -pi() / 2)) return *r;
      }
    }
    if (is_call_of(term, "cosh")) {
      const Expr& u = term.operands()[0];
      if (coefficient_of(sinh(u)) == c.number()) return x - c * term - c * sinh(u) + c * exp(u);
      if (coefficient_of(sinh(u)) == -c.number()) return x - c * term + c * sinh(u) + c * exp(-u);
    }
    if (is_call_of(term, "erf") && c.number() == -x.operands()[0].number())
      return x - c * term + c - c * erfc(term.operands()[0]);
    if (is_call_of(term, "erf") && coefficient_of(erfc(term.operands()[0])) == c.number())
      return x - c * term - c * erfc(term.operands()[0]) + c;
  }
  return x;
}

Expr product_rule(const Expr& x, const Reasoner& reasoner) {
  for (const auto [b, n] : Parts(x)) {
    if (!is_call_of(b, "abs") || !is_real(b.operands()[0])) continue;
    const Expr& u = b.operands()[0];
    const auto k = n.word();
    if (!k) continue;
    if (*k % 2 == 0) return x / power(b, n) * power(u, n);
    for (const auto [c, m] : Parts(x)) {
      const auto j = m.word();
      if (!j) continue;
      if (is_call_of(c, "sign") && c.operands()[0] == u && *j % 2 != 0 && *k > 0)
        return x / power(b, n) / power(c, m) * u * power(b, n - 1);
      if (c == u && *k > 0 && *j < 0) return x / b * u * sign(u);  // abs(u)/u = sign(u)
      if (c == u && *k < 0 && *j > 0) return x * b / u * sign(u);
      if (is_call_of(c, "abs") && !(c == b) && *j * *k > 0 && (*j == *k))
        return x / power(b, n) / power(c, m) * power(abs(u * c.operands()[0]), n);
    }
  }
  // sqrt(a)*sqrt(b) = sqrt(a*b) where one of them is not negative
  const auto& list = x.operands();
  for (std::size_t i = 1; i < list.size(); i += 2) {
    if (!list[i + 1].is_number() || list[i + 1].word() || list[i].is_number()) continue;
    for (std::size_t j = i + 2; j < list.size(); j += 2) {
      if (!(list[j + 1] == list[i + 1]) || list[j].is_number()) continue;
      if (!reasoner.nonnegative(list[i]) && !reasoner.nonnegative(list[j])) continue;
      if (list[i].is(Kind::symbol) && list[j].is(Kind::symbol)) continue;
      const Expr inside = expand(list[i] * list[j]);
      return x / power(list[i], list[i + 1]) / power(list[j], list[j + 1]) * power(inside, list[i + 1]);
    }
  }
  return x;
}

Expr call_rule(const Expr& x, const Reasoner& reasoner) {
  const auto name = x.function().name;
  if (name == "sin" || name == "cos" || name == "tan") return circular(x);
  if (name == "sinh" || name == "cosh" || name == "tanh") return hyperbolic(x);
  if (name == "exp") return exponential(x);
  if (name == "abs") return absolute(x, reasoner);
  if (name == "sign") return sign_rule(x, reasoner);
  if (name == "min" || name == "max") return extremum(x, reasoner);
  if (name == "heaviside") {
    if (reasoner.positive(x.operands()[0])) return 1;
    if (reasoner.negative(x.operands()[0])) return 0;
  }
  if (name == "floor" || name == "ceil" || name == "round" || name == "trunc") {
    if (is_integer(x.operands()[0])) return x.operands()[0];
  }
  if (name == "log") {
    const Expr& u = x.operands()[0];
    if (u.is(Kind::power) && reasoner.positive(u.operands()[0]) && u.operands()[1].is_number())
      return u.operands()[1] * log(u.operands()[0]);
    if (is_call_of(u, "exp") && is_real(u.operands()[0])) return u.operands()[0];
  }
  // Inverse functions of their functions, on the principal branch.
  if (x.operands().size() == 1 && x.operands()[0].is(Kind::call)) {
    const Expr& inner = x.operands()[0];
    const Expr& u = inner.operands()[0];
    const auto of = inner.function().name;
    if (((name == "asinh" && of == "sinh") || (name == "atanh" && of == "tanh")) && is_real(u)) return u;
    if (name == "acosh" && of == "cosh" && reasoner.nonnegative(u)) return u;
    if (name == "acosh" && of == "cosh" && is_real(u)) return abs(u);
    const Expr quarter = pi() / 2;
    if (((name == "asin" && of == "sin") || (name == "atan" && of == "tan")) && reasoner.positive(quarter - u) &&
        reasoner.positive(quarter + u))
      return u;
    if (name == "acos" && of == "cos" && reasoner.nonnegative(u) && reasoner.nonnegative(pi() - u)) return u;
  }
  return x;
}

}  // namespace

Expr signs_absorbed(const Expr& e) {
  return everywhere(e, [](const Expr& x) {
    if (!x.is(Kind::product) || x.operands()[0].number().sign() >= 0) return x;
    // Of several sums each may be the one that another form needs as it is.
    std::size_t sums = 0;
    for (const auto [b, n] : Parts(x)) sums += b.is(Kind::sum) ? 1U : 0U;
    if (sums != 1) return x;
    for (const auto [b, n] : Parts(x)) {
      if (!b.is(Kind::sum) || b.operands().size() > 61 || !n.word() || *n.word() % 2 == 0) continue;
      return -(x / power(b, n)) * power(expand(-b), n);
    }
    return x;
  });
}

Expr angles_doubled(const Expr& e) {
  return everywhere(e, [](const Expr& x) {
    if (!x.is(Kind::product)) return x;
    for (const auto [b, n] : Parts(x)) {
      const bool c = is_call_of(b, "sin");
      if ((!c && !is_call_of(b, "sinh")) || !n.word()) continue;
      const Expr& u = b.operands()[0];
      for (const auto [d, m] : Parts(x)) {
        if (!(m == n) || !(d == (c ? cos(u) : cosh(u)))) continue;
        return x / power(b, n) / power(d, n) * power((c ? sin(2 * u) : sinh(2 * u)) / 2, n);
      }
    }
    return x;
  });
}

Expr gather_products(const Expr& e) {
  return everywhere(e, [](const Expr& x) {
    if (!x.is(Kind::product)) return x;
    // sin^a*cos^-b = tan^min*...; the same for sinh and cosh
    for (const auto [b, n] : Parts(x)) {
      const bool c = is_call_of(b, "sin");
      if (!c && !is_call_of(b, "sinh")) continue;
      const Expr& u = b.operands()[0];
      const Expr other = c ? cos(u) : cosh(u);
      const auto k = n.word();
      if (!k) continue;
      for (const auto [d, m] : Parts(x)) {
        const auto j = m.word();
        if (!(d == other) || !j || *j * *k > 0) continue;
        const std::int64_t common = std::min(*k < 0 ? -*k : *k, *j < 0 ? -*j : *j) * (*k > 0 ? 1 : -1);
        return x / power(b, common) * power(other, common) * power(c ? tan(u) : tanh(u), common);
      }
    }
    for (const auto [b, n] : Parts(x)) {
      const bool c = is_call_of(b, "tan");
      if ((!c && !is_call_of(b, "tanh")) || !n.word()) continue;
      const Expr& u = b.operands()[0];
      const Expr under = c ? cos(u) : cosh(u);
      for (const auto [d, m] : Parts(x)) {
        if (d == under && m.word() && *m.word() * *n.word() > 0) {  // tan*cos = sin
          const std::int64_t k = std::abs(*m.word()) < std::abs(*n.word()) ? *m.word() : *n.word();
          return x / power(b, k) / power(d, k) * power(c ? sin(u) : sinh(u), k);
        }
      }
    }
    // exp(a)*exp(b) = exp(a + b)
    Expr exponent = 0;
    std::size_t count = 0;
    std::vector<Expr> rest{x.operands()[0]};
    for (const auto [b, n] : Parts(x)) {
      if (is_call_of(b, "exp") && is_integer(n)) {
        exponent += n * b.operands()[0];
        ++count;
      } else {
        rest.push_back(power(b, n));
      }
    }
    if (count > 1) return multiply(rest) * exp(exponent);
    // a^x*b^x = (a*b)^x for positive a and b
    for (const auto [b, n] : Parts(x)) {
      if (n.is_number() || !is_positive(b)) continue;
      for (const auto [d, m] : Parts(x)) {
        if (!(d == b) && m == n && is_positive(d) && is_real(n)) return x / power(b, n) / power(d, m) * power(b * d, n);
        if (!(d == b) && m == -n && is_positive(d) && is_real(n))
          return x / power(b, n) / power(d, m) * power(b / d, n);
      }
    }
    return x;
  });
}

Expr local_rules(const Expr& e, const Reasoner& reasoner) {
  return everywhere(e, [&](const Expr& given) {
    Expr x = given;
    for (int round = 0; round < 8; ++round) {
      Expr next = x;
      switch (x.kind()) {
        case Kind::call: next = call_rule(x, reasoner); break;
        case Kind::piecewise: next = branches(x, reasoner); break;
        case Kind::sum:
          if (x.operands().size() < 400) next = sum_rule(x, reasoner);
          break;
        case Kind::product:
          if (x.operands().size() < 100) next = product_rule(x, reasoner);
          break;
        case Kind::power: {
          // (x^a)^b and (a^x)^y for positive bases; abs(x)^2 = x^2
          const Expr& b = x.operands()[0];
          const Expr& n = x.operands()[1];
          if (b.is_integer(-1) && is_integer(n)) {
            next = sign_of_turns(n);
          } else if (is_call_of(b, "abs") && n.word() && *n.word() % 2 == 0 && is_real(b.operands()[0])) {
            next = power(b.operands()[0], n);
          } else if (b.is(Kind::power) && is_real(b.operands()[1]) && reasoner.positive(b.operands()[0])) {
            next = power(b.operands()[0], b.operands()[1] * n);
          } else if (is_call_of(b, "exp") && is_real(b.operands()[0]) && !n.word()) {
            next = exp(b.operands()[0] * n);
          }
          break;
        }
        default: break;
      }
      if (next == x) break;
      x = next;
    }
    return x;
  });
}

}  // namespace boreon::transforms
