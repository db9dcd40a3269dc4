// SPDX-License-Identifier: MIT
#include "calculus/integral/breaks.hpp"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "algebra/kernel_ring.hpp"
#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "calculus/integral/integrator.hpp"
#include "expr/canonical.hpp"

namespace boreon {
namespace {

using Places = std::optional<std::vector<Expr>>;
constexpr int most_periods = 64;
constexpr int deepest = 8;

class ZeroFinder {
 public:
  ZeroFinder(Symbol x, Signs& signs, Expr from, Expr to)
      : x_(std::move(x)), signs_(signs), from_(std::move(from)), to_(std::move(to)) {}

  Places operator()(const Expr& e) {
    if (!depends_on(e, x_)) return std::vector<Expr>{};
    if (++depth_ > deepest) {
      --depth_;
      return std::nullopt;
    }
    Places r;
    try {
      r = find(e);
    } catch (const Error&) {
    }
    --depth_;
    return r;
  }

 private:
  Places find(const Expr& e) {
    if (e == x_) return std::vector<Expr>{0};
    if (e.is(Kind::power)) return is_negative(e.operands()[1]) ? Places(std::vector<Expr>{}) : (*this)(e.operands()[0]);
    if (is_call_of(e, "exp") || is_call_of(e, "cosh")) return std::vector<Expr>{};
    if (e.is(Kind::product)) {
      std::vector<Expr> all;
      for (const auto [base, exponent] : Parts(e)) {
        if (!depends_on(base, x_) || is_negative(exponent)) continue;
        const Places p = (*this)(base);
        if (!p) return std::nullopt;
        all.insert(all.end(), p->begin(), p->end());
      }
      return all;
    }
    if (e.is(Kind::call) && e.operands().size() == 1) return of_kernel(e, 0);
    if (e.is(Kind::sum) && is_positive(e)) return std::vector<Expr>{};
    const KernelRing ring(std::span<const Expr>(&e, 1));
    const Fraction f = ring.fraction_of(e);
    std::vector<unsigned> varying;
    for (unsigned v = 0; v < ring.vars(); ++v) {
      if (depends_on(ring.kernels()[v], x_) && f.numerator.degree(v) > 0) varying.push_back(v);
    }
    if (varying.empty()) return std::vector<Expr>{};
    if (varying.size() == 2) return of_sine_and_cosine(e, ring, varying);
    if (varying.size() != 1) return std::nullopt;
    const Expr& kernel = ring.kernels()[varying[0]];
    std::vector<Expr> all;
    for (const poly::Factor& p : poly::factor(f.numerator).list) {
      if (p.base.degree(varying[0]) == 0) continue;
      std::vector<Expr> c;
      for (const auto& k : poly::coefficients_in(p.base, varying[0])) c.push_back(ring.expression(k));
      const auto roots = roots_of(c);
      if (!roots) return std::nullopt;
      for (const Expr& r : *roots) {
        const Places places = kernel == x_ ? Places(std::vector<Expr>{r}) : of_kernel(kernel, r);
        if (!places) return std::nullopt;
        all.insert(all.end(), places->begin(), places->end());
      }
    }
    return all;
  }

  Places roots_of(const std::vector<Expr>& c) {
    if (c.size() == 2) return std::vector<Expr>{-c[0] / c[1]};
    if (c.size() == 3 && c[1].is_integer(0)) {  // x^2 = k, by the square root of k
      const Expr k = -c[0] / c[2];
      const int s = signs_.of(k);
      if (s < 0) return std::vector<Expr>{};
      const Expr r = tidied(sqrt(k), signs_);
      return std::vector<Expr>{r, -r};
    }
    return real_roots(c, signs_);
  }

  // kernel(x) = v
  Places of_kernel(const Expr& kernel, const Expr& v) {
    if (kernel.is(Kind::power)) {               // a root: only values that are not negative
      if (!kernel.operands()[1].is_number()) {  // base^(argument)
        if (signs_.of(v) <= 0) return std::vector<Expr>{};
        return (*this)(kernel.operands()[1] - log(v) / log(kernel.operands()[0]));
      }
      if (signs_.of(v) < 0) return std::vector<Expr>{};
      return (*this)(kernel.operands()[0] - power(v, 1 / kernel.operands()[1]));
    }
    if (!kernel.is(Kind::call) || kernel.operands().size() != 1) return std::nullopt;
    const auto name = kernel.function().name;
    const Expr& u = kernel.operands()[0];
    if (name == "log") return (*this)(u - exp(v));
    if (name == "exp") return signs_.of(v) > 0 ? (*this)(u - log(v)) : Places(std::vector<Expr>{});
    if (name == "sinh") return (*this)(u - asinh(v));
    if (name == "tanh") return signs_.of(1 - v * v) > 0 ? (*this)(u - atanh(v)) : Places(std::vector<Expr>{});
    if (name == "cosh") {
      const int s = signs_.of(v - 1);
      if (s < 0) return std::vector<Expr>{};
      return both((*this)(u - acosh(v)), s == 0 ? Places(std::vector<Expr>{}) : (*this)(u + acosh(v)));
    }
    if (name == "abs") {
      const int s = signs_.of(v);
      if (s < 0) return std::vector<Expr>{};
      return both((*this)(u - v), s == 0 ? Places(std::vector<Expr>{}) : (*this)(u + v));
    }
    if (name == "atan" || name == "asin") return (*this)(u - (name == "atan" ? tan(v) : sin(v)));
    if (name == "asinh") return (*this)(u - sinh(v));
    if (name == "acos") return (*this)(u - cos(v));
    if (name == "erf" || name == "Si" || name == "erfi") return v.is_integer(0) ? (*this)(u) : Places();
    if (name == "cbrt") return (*this)(u - power(v, 3));
    if (name == "tan") return periodic(u, {atan(v)}, pi());
    if (name == "sin" || name == "cos") {
      if (signs_.of(1 - v * v) < 0) return std::vector<Expr>{};
      if (name == "cos") return periodic(u, {acos(v), -acos(v)}, 2 * pi());
      return periodic(u, {asin(v), pi() - asin(v)}, 2 * pi());
    }
    return std::nullopt;
  }

  static Places both(const Places& a, const Places& b) {
    if (!a || !b) return std::nullopt;
    std::vector<Expr> all = *a;
    all.insert(all.end(), b->begin(), b->end());
    return all;
  }

  // u = base + k*period for all whole k between from and to
  Places periodic(const Expr& u, const std::vector<Expr>& bases, const Expr& period) {
    const auto l = linear_in(u, x_);
    if (!l) return std::nullopt;
    const auto low = double_of(from_);
    const auto high = double_of(to_);
    const auto a = double_of(l->slope);
    const auto b = double_of(l->constant);
    const auto p = double_of(period);
    std::vector<Expr> all;
    if (!a || !b || !low || !high) return none_within_a_period(*l, bases, period);
    for (const Expr& base : bases) {
      const auto b0 = double_of(base);
      if (!p || !b0) return std::nullopt;
      if (!std::isfinite(*low) || !std::isfinite(*high)) return std::nullopt;
      const double k1 = (*a * *low + *b - *b0) / *p;
      const double k2 = (*a * *high + *b - *b0) / *p;
      const double first = std::ceil(std::min(k1, k2) - 1e-9);
      const double last = std::floor(std::max(k1, k2) + 1e-9);
      if (last - first > most_periods) return std::nullopt;
      for (double k = first; k <= last; ++k)
        all.push_back((base + static_cast<std::int64_t>(k) * period - l->constant) / l->slope);
    }
    return all;
  }

  // With a parameter in the slope or in one end: no place at all where u keeps between the two next to where it starts;
  // what lies further away could be any number of places.
  Places none_within_a_period(const Linear& u, const std::vector<Expr>& bases, const Expr& period) {
    if (is_infinite(from_) || is_infinite(to_)) return std::nullopt;
    Expr start = expand(u.constant + u.slope * from_);
    Expr end = expand(u.constant + u.slope * to_);
    if (!double_of(start)) std::swap(start, end);
    const auto at = double_of(start);
    const auto p = double_of(period);
    if (!at && p) return none_with_a_phase(start, end, bases, period);
    if (!at || !p) return std::nullopt;
    std::optional<std::pair<double, Expr>> above;
    std::optional<std::pair<double, Expr>> below;
    for (const Expr& base : bases) {
      const auto b = double_of(base);
      if (!b) return std::nullopt;
      const double turns = (*at - *b) / *p;
      const bool there = std::abs(turns - std::round(turns)) < 1e-9;
      const double up = there ? std::round(turns) + 1 : std::ceil(turns);
      const double down = there ? std::round(turns) - 1 : std::floor(turns);
      const auto place = [&](double k) { return base + static_cast<std::int64_t>(k) * period; };
      if (!above || *b + up * *p < above->first) above = {*b + up * *p, place(up)};
      if (!below || *b + down * *p > below->first) below = {*b + down * *p, place(down)};
    }
    if (signs_.of(end - start) > 0 ? signs_.of(above->second - end) < 0 : signs_.of(end - below->second) < 0)
      return std::nullopt;
    return std::vector<Expr>{};
  }

  // With a parameter in the phase: u moves by less than a period, and a wave that vanishes at the places has the same
  // sign at both ends. The product of its values there is a difference of cosines.
  Places none_with_a_phase(const Expr& start, const Expr& end, std::vector<Expr> bases, Expr period) {
    if (bases.size() == 2 && vanishes(power(bases[0] - bases[1], 2) - power(period / 2, 2))) {
      bases.pop_back();
      period = period / 2;
    }
    const auto length = double_of(expand(end - start));
    const auto p = double_of(period);
    if (!length || !p || std::abs(*length) >= *p * (1 - 1e-9)) return std::nullopt;
    const auto wave = [&](const Expr& u) { return cos(expand(pi() * u / period)); };
    const auto turned = [&](const Expr& u, const Expr& base) {
      const auto half_turns = (2 * base / period).word();
      return half_turns ? (*half_turns % 2 == 0 ? wave(u) : -wave(u)) : wave(u - 2 * base);
    };
    for (std::size_t i = 0; i < bases.size(); ++i) {
      if (i > 0 && vanishes(bases[i] - bases[i - 1])) continue;
      const Expr same_sign = wave(end - start) - turned(start + end, bases[i]);
      // what was decided for the integrand often decides this as well
      if (!signs_.decisions().empty() && signs_.sampled(same_sign) == 1) continue;
      if (signs_.of(same_sign) <= 0) return std::nullopt;
    }
    return std::vector<Expr>{};
  }

  // sines and cosines of one angle together: by the tangent of half of it
  Places of_sine_and_cosine(const Expr& e, const KernelRing& ring, const std::vector<unsigned>& varying) {
    const Expr& k = ring.kernels()[varying[0]];
    const Expr& l = ring.kernels()[varying[1]];
    if (!k.is(Kind::call) || !l.is(Kind::call) || k.operands().size() != 1 || !(k.operands()[0] == l.operands()[0]))
      return std::nullopt;
    const Expr& u = k.operands()[0];
    if (!((is_call_of(k, "sin") && is_call_of(l, "cos")) || (is_call_of(k, "cos") && is_call_of(l, "sin"))))
      return std::nullopt;
    const Symbol t("_half");
    Rebuild pass([&](const Expr& n, Expr& result) {
      if (n == sin(u)) {
        result = 2 * t / (1 + power(t, 2));
      } else if (n == cos(u)) {
        result = (1 - power(t, 2)) / (1 + power(t, 2));
      } else {
        return false;
      }
      return true;
    });
    const Expr in_t = pass(e);
    const Places roots = ZeroFinder(t, signs_, -infinity(), infinity())(in_t);
    if (!roots) return std::nullopt;
    std::vector<Expr> bases;
    for (const Expr& r : *roots) bases.push_back(2 * atan(r));
    Rebuild at_pi([&](const Expr& n, Expr& result) {
      if (n == sin(u)) {
        result = 0;
      } else if (n == cos(u)) {
        result = -1;
      } else {
        return false;
      }
      return true;
    });
    if (vanishes(at_pi(e))) bases.push_back(pi());
    return periodic(u, bases, 2 * pi());
  }

  Symbol x_;
  Signs& signs_;
  Expr from_;
  Expr to_;
  int depth_ = 0;
};

// Gathers the zeros of several expressions, and whether all of them were found.
struct Zeros {
  const Symbol& x;
  Signs& signs;
  const Expr& from;
  const Expr& to;
  std::vector<Expr> all = {};
  bool complete = true;

  void operator()(const Expr& e) {
    const Places z = real_zeros(e, x, signs, from, to);
    complete = complete && z;
    if (z) all.insert(all.end(), z->begin(), z->end());
  }
};

bool jumps_at_zero(std::string_view name) {
  return name == "abs" || name == "sign" || name == "heaviside" || name == "dirac_delta";
}

}  // namespace

std::optional<double> double_of(const Expr& e) {
  if (e.is_constant(ConstantCode::infinity)) return INFINITY;
  if (e == -infinity()) return -INFINITY;
  if (e.has_symbols()) return std::nullopt;
  const auto v = value_at(e, {}, {});
  if (!v) return std::nullopt;
  return v->real();
}

std::optional<Fold> folded(const Expr& e) {
  if (!e.is(Kind::call) || e.operands().size() != 1) return std::nullopt;
  const Expr& inner = e.operands()[0];
  if (is_call_of(e, "acos") && is_call_of(inner, "cos")) return Fold{inner.operands()[0], sin(inner.operands()[0])};
  if (is_call_of(e, "asin") && is_call_of(inner, "sin")) return Fold{inner.operands()[0], cos(inner.operands()[0])};
  if (is_call_of(e, "atan") && is_call_of(inner, "tan")) return Fold{inner.operands()[0], cos(inner.operands()[0])};
  return std::nullopt;
}

Places real_zeros(const Expr& e, const Symbol& x, Signs& signs, const Expr& from, const Expr& to) {
  return ZeroFinder(x, signs, from, to)(e);
}

std::vector<Expr> in_order(std::vector<Expr> places, Signs& signs, const Expr& from, const Expr& to, bool* downwards) {
  std::vector<Expr> kept;
  bool down = false;
  const bool below = from == -infinity();
  const bool above = to.is_constant(ConstantCode::infinity);
  for (Expr& p : places) {
    bool real = true;
    if (!p.has_symbols()) {
      const auto v = value_at(p, {}, {});
      real = v && std::abs(v->imag()) <= 1e-12 * std::abs(v->real());
    }
    if (!real) continue;
    if (below || above) {
      if (!below && signs.of(p - from) <= 0) continue;
      if (!above && signs.of(to - p) <= 0) continue;
    } else {  // between the ends, whichever is the larger
      const int after = signs.of(p - from);
      if (after == 0 || signs.of(to - p) != after) continue;
      down = after < 0;
    }
    bool known = false;
    for (const Expr& k : kept) known = known || k == p || signs.of(p - k) == 0;
    if (!known) kept.push_back(std::move(p));
  }
  std::sort(kept.begin(), kept.end(), [&](const Expr& a, const Expr& b) { return !(a == b) && signs.of(b - a) > 0; });
  if (down) std::reverse(kept.begin(), kept.end());
  if (downwards != nullptr) *downwards = down;
  return kept;
}

Places breaks_of_pieces(const Expr& f, const Symbol& x, Signs& signs, const Expr& from, const Expr& to) {
  Zeros zeros{x, signs, from, to};
  const std::function<void(const Expr&)> conditions = [&](const Expr& c) {
    if (c.is(Kind::relation)) return zeros(c.operands()[1] - c.operands()[0]);
    for (const Expr& o : c.operands()) conditions(o);
  };
  postorder(f, [&](const Expr& n) {
    if (!zeros.complete || !depends_on(n, x)) return;
    if (n.is(Kind::piecewise)) {
      for (std::size_t i = 1; i < n.operands().size(); i += 2) conditions(n.operands()[i]);
    }
    if (!n.is(Kind::call)) return;
    const auto name = n.function().name;
    if (jumps_at_zero(name)) zeros(n.operands()[0]);
    if (const auto fold = folded(n)) zeros(fold->breaks);
    if (name == "min" || name == "max") {
      for (std::size_t i = 0; i < n.operands().size(); ++i) {
        for (std::size_t j = i + 1; j < n.operands().size(); ++j) zeros(n.operands()[i] - n.operands()[j]);
      }
    }
    if (name == "floor" || name == "ceil" || name == "trunc" || name == "round") {
      const Expr shifted = name == "round" ? n.operands()[0] + Expr(1) / 2 : n.operands()[0];
      zeros(sin(pi() * shifted));
    }
    if (name == "fmod") zeros.complete = false;
  });
  if (!zeros.complete) return std::nullopt;
  return in_order(std::move(zeros.all), signs, from, to);
}

std::optional<Expr> piece_between(const Expr& f, const Symbol& x, const Expr& from, const Expr& to, Signs& signs) {
  const bool below = from == -infinity();
  const bool above = to.is_constant(ConstantCode::infinity);
  const Expr middle = below && above ? Expr(0) : below ? to - 1 : above ? from + 1 : (from + to) / 2;
  const auto at = [&](const Expr& e) { return substitute(e, {{x, middle}}, Unused::allowed); };
  const auto sign_there = [&](const Expr& d) { return signs.of(at(d)); };
  bool complete = true;
  Rebuild pass(
      [&](const Expr& n, Expr& result) {
        if (depends_on(n, x)) return false;
        result = n;
        return true;
      },
      [&](const Expr& n) -> Expr {
        if (n.is(Kind::piecewise)) {
          const auto ops = n.operands();
          for (std::size_t i = 0; i + 1 < ops.size(); i += 2) {
            if (truth_by_signs(ops[i + 1], sign_there).value_or(false)) return ops[i];
          }
          if (ops.size() % 2 == 1) return ops.back();
          complete = false;
          return n;
        }
        if (!n.is(Kind::call) || !depends_on(n, x)) return n;
        const auto name = n.function().name;
        const Expr& u = n.operands()[0];
        if (name == "abs") return signs.of(at(u)) * u;
        if (name == "sign") return signs.of(at(u));
        if (name == "heaviside") return (1 + Expr(signs.of(at(u)))) / 2;
        if (name == "dirac_delta") return 0;
        if (const auto fold = folded(n)) {  // +-u plus a whole multiple of pi, the one right in the middle
          const auto value = value_at(at(n), {}, {});
          const auto inner = value_at(at(fold->angle), {}, {});
          if (!value || !inner) {
            complete = false;
            return n;
          }
          for (const int s : {1, -1}) {
            const double k = (value->real() - s * inner->real()) / std::numbers::pi;
            const bool even = name == "asin"   ? (std::lround(k) % 2 == 0) == (s > 0)
                              : name == "atan" ? s > 0
                                               : std::lround(k) % 2 == 0;
            if (std::abs(k - std::round(k)) < 1e-9 && even) return s * fold->angle + std::lround(k) * pi();
          }
          complete = false;
          return n;
        }
        if (name == "min" || name == "max") {
          Expr best = u;
          for (std::size_t i = 1; i < n.operands().size(); ++i) {
            const int s = signs.of(at(n.operands()[i] - best));
            if (name == "min" ? s < 0 : s > 0) best = n.operands()[i];
          }
          return best;
        }
        if (name == "floor" || name == "ceil" || name == "trunc" || name == "round") {
          Expr v = at(n);
          complete = complete && v.is_number();
          return v;
        }
        return n;
      });
  Expr g = pass(f);
  if (!complete) return std::nullopt;
  return g;
}

Places singular_places(const Expr& f, const Symbol& x, Signs& signs, const Expr& from, const Expr& to) {
  Zeros zeros{x, signs, from, to};
  postorder(f, [&](const Expr& n) {
    if (!depends_on(n, x)) return;
    const auto look = [&](const Expr& base, const Expr& exponent) {
      if (!depends_on(base, x)) return;
      const auto k = exponent.word();
      if (!k || *k < 0) zeros(base);
    };
    if (n.is(Kind::power) || n.is(Kind::product)) for_each_factor(n, look);
    if (!n.is(Kind::call)) return;
    const auto name = n.function().name;
    const Expr& u = n.operands()[0];
    for (const char* s : {"log", "E1", "Ei", "Ci", "Chi", "log10", "log2"}) {
      if (name == s) zeros(u);
    }
    if (name == "tan") zeros(cos(u));
    if (name == "dilog" || name == "li" || name == "atanh") zeros(u - 1);
    if (name == "atanh") zeros(u + 1);
    if (name == "log1p") zeros(1 + u);
  });
  const Places pieces = breaks_of_pieces(f, x, signs, from, to);
  if (!zeros.complete || !pieces) return std::nullopt;
  zeros.all.insert(zeros.all.end(), pieces->begin(), pieces->end());
  return in_order(std::move(zeros.all), signs, from, to);
}

}  // namespace boreon
