// SPDX-License-Identifier: MIT
#include "calculus/signs.hpp"

#include <algorithm>
#include <cmath>
#include <complex>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/sampling.hpp"
#include "boreon/symbol.hpp"
#include "boreon/traverse.hpp"
#include "values/domains.hpp"
#include "values/graph_evaluator.hpp"

namespace boreon {
namespace {

std::optional<Ball> ball_at(const EvaluationPlan& plan, std::span<const Expr> leaves,
                            std::span<const std::complex<double>> point, long precision) {
  const BriefFaults brief;
  try {
    auto r = GraphEvaluator<BallDomain>(BallDomain{precision}).run(plan, [&](const Expr& e, Ball& v) {
      for (std::size_t i = 0; i < leaves.size(); ++i) {
        if (leaves[i] == e) {
          v = Ball::from(point[i]);
          return true;
        }
      }
      return false;
    });
    if (!r[0].finite()) return std::nullopt;
    return std::move(r[0]);
  } catch (const Error&) {
    return std::nullopt;
  }
}

constexpr long zero_precision = 192;
constexpr int zero_exponent = -150;  // 2^-150 is about 10^-45

}  // namespace

bool vanishes(const Expr& e) {
  if (e.is_integer(0)) return true;
  if (e.is_number() || e.is(Kind::symbol) || e.is(Kind::constant) || e.is(Kind::power)) return false;
  if (e.is(Kind::product)) {
    for (const auto [base, exponent] : Parts(e)) {
      if (is_positive(exponent) && vanishes(base)) return true;
    }
    return false;
  }
  const EvaluationPlan plan({&e, 1});
  const std::vector<Expr> leaves = sampled_leaves({&e, 1});
  const SampleRanges ranges;
  Sampler sampler(leaves, ranges, 20260101);
  int zeros = 0;
  for (int attempt = 0; attempt < 12; ++attempt) {
    std::vector<std::complex<double>> point;
    for (const double x : sampler.draw()) point.emplace_back(x);
    // off the real axis where the real values fail, as for log of what is negative
    if (attempt % 3 == 2) {
      for (auto& z : point) z += std::complex<double>(0, sampler.uniform(0.1, 0.4));
    }
    for (long precision = zero_precision; precision <= 8 * zero_precision; precision *= 4) {
      const auto b = ball_at(plan, leaves, point, precision);
      if (!b) break;
      if (acb_contains_zero(b->get()) == 0) return false;
      mag_t bound;
      mag_init(bound);
      acb_get_mag(bound, b->get());
      const bool small = mag_cmp_2exp_si(bound, zero_exponent) < 0;
      mag_clear(bound);
      if (small) {
        ++zeros;
        break;
      }
    }
    if (zeros >= (leaves.empty() ? 1 : 2)) return true;
  }
  return false;
}

std::optional<std::complex<double>> value_at(const Expr& e, std::span<const Expr> symbols,
                                             std::span<const double> point) {
  const EvaluationPlan plan({&e, 1});
  const BriefFaults brief;
  try {
    const auto r = GraphEvaluator<ComplexDomain>().run(plan, [&](const Expr& s, std::complex<double>& v) {
      for (std::size_t i = 0; i < symbols.size(); ++i) {
        if (symbols[i] == s) {
          v = point[i];
          return true;
        }
      }
      return false;
    });
    if (!std::isfinite(r[0].real()) || !std::isfinite(r[0].imag())) return std::nullopt;
    return r[0];
  } catch (const Error&) {
    return std::nullopt;
  }
}

std::optional<std::complex<double>> certified_value(const Expr& e, std::span<const Expr> symbols,
                                                    std::span<const double> point) {
  const EvaluationPlan plan({&e, 1});
  const std::vector<std::complex<double>> at(point.begin(), point.end());
  for (const long precision : {96L, 300L, 1000L}) {
    const auto ball = ball_at(plan, symbols, at, precision);
    if (!ball) continue;
    const std::complex<double> value(midpoint(ball->re()), midpoint(ball->im()));
    mag_t bound;
    mag_init(bound);
    mag_hypot(bound, arb_radref(ball->re()), arb_radref(ball->im()));
    const double error = mag_get_d(bound);
    mag_clear(bound);
    // beyond the range of doubles both are infinite, and a comparison of the two would pass anything
    if (acb_rel_accuracy_bits(ball->get()) >= 40 || error <= 1e-40) return value;
  }
  return std::nullopt;
}

bool has_imaginary_unit(const Expr& e) {
  bool found = false;
  postorder(e, [&](const Expr& n) { found = found || n.is_constant(ConstantCode::imaginary); });
  return found;
}

Expr condition_of(const Decision& d) {
  // p - 1 > 0 is said as p > 1
  Expr plus = 0;
  Expr minus = 0;
  const auto place = [&](const Expr& term) {
    const bool negative =
        term.is_number() ? term.number().sign() < 0 : term.is(Kind::product) && term.operands()[0].number().sign() < 0;
    (negative ? minus : plus) += negative ? -term : term;
  };
  if (d.of.is(Kind::sum)) {
    minus = -d.of.operands()[0];  // k + 1 > 0 as k > -1
    for (const auto [term, coefficient] : Parts(d.of)) place(coefficient * term);
  } else {
    place(d.of);
  }
  if (d.sign == 2) return not_equal(plus, minus);
  if (d.sign > 0) return less(minus, plus);
  if (d.sign < 0) return less(plus, minus);
  return equal(plus, minus);
}

std::vector<Expr> Signs::conditions() const {
  std::vector<Expr> all = given_;
  for (const Decision& d : decisions_) all.push_back(condition_of(d));
  return all;
}

namespace {

// Whether it is real and lies between -1 and 1: waves and what saturates, their products and powers.
bool within_one(const Expr& e) {
  if (e.is(Kind::call) && e.operands().size() == 1) {
    const auto name = e.function().name;
    return (name == "sin" || name == "cos" || name == "tanh" || name == "sign" || name == "erf") &&
           is_real(e.operands()[0]);
  }
  if (e.is(Kind::power)) {
    const auto n = e.operands()[1].word();
    return n && *n > 0 && within_one(e.operands()[0]);
  }
  if (!e.is(Kind::product) || !e.operands()[0].is_integer(1)) return false;
  bool all = true;
  for (const auto [base, exponent] : Parts(e)) all = all && within_one(power(base, exponent));
  return all;
}

// The sign of a number plus waves that are too small to change it, such as 2 - cos(u); `weak` where they may just
// cancel it, as in 1 + cos(u). Nothing else is known.
std::optional<int> sign_beside_waves(const Expr& e, bool& weak) {
  if (!e.is(Kind::sum) || !e.operands()[0].is_number() || !e.operands()[0].number().is_exact()) return std::nullopt;
  const Number& constant = e.operands()[0].number();
  Number size(0);
  for (const auto [term, coefficient] : Parts(e)) {
    if (!coefficient.is_number() || !coefficient.number().is_exact() || !within_one(term)) return std::nullopt;
    size = size + coefficient.number().abs();
  }
  const int c = compare(constant.abs(), size);
  weak = c == 0;
  return c < 0 ? std::nullopt : std::optional<int>(constant.sign());
}

}  // namespace

// sqrt(A) - B of opposite signs: by A - B^2.
std::optional<int> Signs::by_squares(const Expr& e) const {
  // the square may need the sign of a sum with a root again, and that of its square in turn
  constexpr int deepest = 6;
  static thread_local int depth = 0;
  if (depth >= deepest) return std::nullopt;
  ++depth;
  struct Leave {
    ~Leave() { --depth; }
  } leave;
  if (!e.is(Kind::sum)) return std::nullopt;
  const std::vector<Expr> terms = terms_of(e);
  if (terms.size() < 2 || terms.size() > 6) return std::nullopt;
  const auto is_root = [](const Expr& t) {
    bool found = false;
    for_each_factor(t, [&](const Expr&, const Expr& exponent) {
      found = found || (exponent.is_number() && exponent.number().denominator() == Number(2));
    });
    return found;
  };
  const auto root = std::find_if(terms.begin(), terms.end(), is_root);
  if (root == terms.end() || std::count_if(terms.begin(), terms.end(), is_root) != 1) return std::nullopt;
  const Expr rest = expand(e - *root);
  const auto a = known(*root);
  const auto b = known(rest);
  if (!a || !b) return std::nullopt;
  if (*a == 0 || *b == 0 || *a == *b) return *a == 0 ? *b : *a;
  const auto larger = known(expand(power(*root, 2) - power(rest, 2)));
  if (!larger) return std::nullopt;
  return *larger * *a;
}

std::optional<int> Signs::known(const Expr& e) const {
  if (e.is_integer(0)) return 0;
  if (e.is_number()) return e.number().sign();
  if (e.is_constant(ConstantCode::infinity)) return 1;
  if (e.is(Kind::product) && e.operands().size() == 3 && e.operands()[1].is_constant(ConstantCode::infinity))
    return e.operands()[0].number().sign();
  if (!e.has_symbols()) {
    const EvaluationPlan plan({&e, 1});
    for (const long precision : {64L, 256L, 1024L}) {
      const auto b = ball_at(plan, {}, {}, precision);
      if (!b) continue;  // roots of polynomials with large coefficients need more bits to be told apart
      if (arb_contains_zero(b->im()) == 0) return std::nullopt;
      if (arb_is_positive(b->re()) != 0) return 1;
      if (arb_is_negative(b->re()) != 0) return -1;
      if (precision >= 256 && vanishes(e)) return 0;
    }
    return std::nullopt;
  }
  if (reasoner_.positive(e)) return 1;
  if (reasoner_.negative(e)) return -1;
  for (const Decision& d : decisions_) {
    if (d.sign == 2) continue;
    if (d.of == e) return d.sign;
    if (d.of == -e) return -d.sign;
  }
  if (vanishes(e)) return 0;
  if (const auto s = by_squares(e)) return s;
  bool weak = false;
  if (const auto s = sign_beside_waves(e, weak); s && !weak) return s;
  if (e.is(Kind::sum)) {  // by its factors
    try {
      const Expr f = factor(e);
      if (f.is(Kind::product) || f.is(Kind::power)) return known(f);
    } catch (const Error&) {
    }
    return std::nullopt;
  }
  int sign = 1;
  const auto factor_sign = [&](const Expr& base, const Expr& exponent) -> std::optional<int> {
    const auto s = known(base);
    const auto n = exponent.word();
    if (n && *n % 2 == 0 && is_real(base) && (s || is_nonzero(base))) return 1;
    if (n && *n % 2 == 0 && is_real(base) && reasoner_.nonzero(base)) return 1;
    if (!s) return std::nullopt;
    if (*s == 1) return is_real(exponent) ? std::optional<int>(1) : std::nullopt;
    if (n) return *n % 2 == 0 ? *s * *s : *s;
    return std::nullopt;
  };
  if (e.is(Kind::product)) {
    sign = e.operands()[0].number().sign();
    for (const auto [base, exponent] : Parts(e)) {
      const auto s = factor_sign(base, exponent);
      if (!s) return std::nullopt;
      sign *= *s;
    }
    return sign;
  }
  if (e.is(Kind::power)) return factor_sign(e.operands()[0], e.operands()[1]);
  if (e.is(Kind::call) && e.operands().size() == 1) {
    const auto name = e.function().name;
    const Expr& u = e.operands()[0];
    if (name == "log") return known(u - 1);
    if (name == "exp" || name == "cosh") return is_real(u) ? std::optional<int>(1) : std::nullopt;
    if (name == "sinh" || name == "tanh" || name == "atan" || name == "asinh" || name == "erf" || name == "sign" ||
        name == "cbrt" || name == "erfi")
      return known(u);
    if (name == "abs") {
      const auto s = known(u);
      if (s) return *s * *s;
      if (is_nonzero(u) || reasoner_.nonzero(u)) return 1;
    }
  }
  return std::nullopt;
}

// Whether it is real wherever it is defined.
namespace {
bool formally_real(const Expr& e) {
  bool real = true;
  postorder(e, [&](const Expr& n) {
    switch (n.kind()) {
      case Kind::number:
      case Kind::sum:
      case Kind::product: break;
      case Kind::constant: real = real && !n.is_constant(ConstantCode::imaginary); break;
      case Kind::symbol: real = real && assumptions_of(n).has(Assumption::real); break;
      default: real = real && (is_real(n) || (n.is(Kind::power) && n.operands()[1].word()));
    }
    if (n.is(Kind::product)) {
      for (const auto [base, exponent] : Parts(n)) real = real && (exponent.word() || is_real(power(base, exponent)));
    }
  });
  return real;
}
}  // namespace

// The sign at random points under the conditions, if it is always the same.
std::optional<int> Signs::sampled(const Expr& e) const {
  const std::vector<Expr> given = conditions();
  std::vector<Expr> all = given;
  all.push_back(e);
  const std::vector<Expr> leaves = sampled_leaves(all);
  const SampleRanges ranges;
  Sampler sampler(leaves, ranges, 20260103);
  int sign = 0;
  int count = 0;
  for (int i = 0; i < 60 && count < 30; ++i) {
    const std::vector<double> p = sampler.draw(given);
    if (p.size() != leaves.size()) return std::nullopt;
    const auto v = value_at(e, leaves, p);
    if (!v || std::abs(v->imag()) > 1e-9 * std::abs(v->real())) continue;
    const int s = v->real() > 1e-9 ? 1 : v->real() < -1e-9 ? -1 : 0;
    if (s == 0 || (sign != 0 && s != sign)) return std::nullopt;
    sign = s;
    // far out as well, where the conditions allow: what waves is alike near the origin only
    std::vector<double> far = p;
    Bindings there;
    for (std::size_t k = 0; k < far.size(); ++k) {
      far[k] *= 11.7 + 3.1 * (i % 9);
      there.set(leaves[k], Expr(Number::exact(far[k])));
    }
    const bool allowed = std::all_of(given.begin(), given.end(), [&](const Expr& c) {
      return known_truth(substitute(c, there, Unused::allowed)) == true;
    });
    if (allowed) {
      const auto w = value_at(e, leaves, far);
      if (w && std::abs(w->imag()) <= 1e-9 * std::abs(w->real()) && w->real() * sign < -1e-9) return std::nullopt;
    }
    ++count;
  }
  if (count < 20) return std::nullopt;
  return sign;
}

bool Signs::nonzero(const Expr& e) {
  if (const auto s = known(e)) return *s != 0;
  if (is_nonzero(e) || reasoner_.nonzero(e)) return true;
  for (const Decision& d : decisions_) {
    if (d.sign == 2 && (d.of == e || d.of == -e)) return true;
  }
  if (!may_assume_ || !formally_real(e)) throw UnknownSign{e};
  if (e.is(Kind::product)) {
    bool all = true;
    for (const auto [base, exponent] : Parts(e)) all = all && nonzero(base);
    return all;
  }
  if (decisions_.size() >= 6) throw UnknownSign{e};
  decisions_.push_back({e, 2});
  reasoner_ = Reasoner(conditions());
  return true;
}

int Signs::of_whole(const Expr& e) {
  if (const auto s = known(e)) return *s;
  if (!e.is(Kind::sum)) return of(e);
  if (!may_assume_ || decisions_.size() >= 6) throw UnknownSign{e};
  decisions_.push_back({e, 1});
  reasoner_ = Reasoner(conditions());
  return 1;
}

int Signs::of(const Expr& e) {
  if (const auto s = known(e)) return *s;
  // what the given relations imply but the reasoner does not see
  if (may_assume_ && !given_.empty()) {
    const auto symbols = free_symbols(e);
    const bool bound = std::all_of(symbols.begin(), symbols.end(), [&](const Symbol& p) {
      return std::any_of(given_.begin(), given_.end(), [&](const Expr& c) { return depends_on(c, p); });
    });
    if (bound) {
      if (const auto s = sampled(e)) return *s;
    }
  }
  const bool real = is_real(e) || formally_real(e);
  if (e.is(Kind::product) && real) {  // only the factors that are not known are in question
    int sign = e.operands()[0].number().sign();
    for (const auto [base, exponent] : Parts(e)) {
      const auto n = exponent.word();
      if (const auto s = known(power(base, exponent))) {
        sign *= *s;
      } else if (n && *n % 2 == 0) {
        sign *= nonzero(base) ? 1 : 0;
      } else if (n) {
        sign *= of(base);
      } else {
        sign *= of(base) > 0 ? 1 : throw UnknownSign{power(base, exponent)};
      }
    }
    return sign;
  }
  if (e.is(Kind::power) && real && e.operands()[1].word()) {
    if (*e.operands()[1].word() % 2 == 0) return nonzero(e.operands()[0]) ? 1 : 0;
    return of(e.operands()[0]);
  }
  if (!may_assume_ || !real) throw UnknownSign{e};
  bool weak = false;
  if (const auto s = sign_beside_waves(e, weak)) return nonzero(e) ? *s : 0;
  if (e.is(Kind::sum)) {
    const Expr f = [&] {
      try {
        return factor(e);
      } catch (const Error&) {
        return e;
      }
    }();
    if (f.is(Kind::product)) {
      bool more = false;
      for (const auto [base, exponent] : Parts(f)) more = more || !(base == e);
      if (more && !(f.operands().size() == 3 && f.operands()[2].is_integer(1))) return of(f);
      if (more) return f.operands()[0].number().sign() * of(f.operands()[1]);
    }
  }
  if (decisions_.size() >= 6) throw UnknownSign{e};
  const std::size_t i = decisions_.size();
  decisions_.push_back({e, i < script_.size() && script_[i] != 2 ? script_[i] : 1});
  reasoner_ = Reasoner(conditions());
  return decisions_.back().sign;
}

}  // namespace boreon
