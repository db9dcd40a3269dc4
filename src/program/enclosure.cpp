// SPDX-License-Identifier: MIT
#include "program/enclosure.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "boreon/catalogue.hpp"
#include "expr/ball.hpp"
#include "program/walk.hpp"

namespace boreon {
namespace {

constexpr long bits = 64;
constexpr double endless = std::numeric_limits<double>::infinity();

double down(double v) { return std::nextafter(v, -endless); }
double up(double v) { return std::nextafter(v, endless); }

Ball ball_of(const RealInterval& i) {
  Ball b;
  arf_t low;
  arf_t high;
  arf_init(low);
  arf_init(high);
  arf_set_d(low, i.low);
  arf_set_d(high, i.high);
  arb_set_interval_arf(b.re(), low, high, bits);
  arf_clear(low);
  arf_clear(high);
  return b;
}

RealInterval interval_of(const Ball& b) {
  if (!b.finite()) return {-endless, endless};
  arf_t low;
  arf_t high;
  arf_init(low);
  arf_init(high);
  arb_get_interval_arf(low, high, b.re(), bits);
  const RealInterval i{arf_get_d(low, ARF_RND_FLOOR), arf_get_d(high, ARF_RND_CEIL)};
  arf_clear(low);
  arf_clear(high);
  return i;
}

struct Boxes {
  using Value = Ball;
  bool outside = false;
  bool branches = false;

  [[nodiscard]] static Ball constant(double v) { return Ball::from(std::complex<double>(v)); }
  [[nodiscard]] static Ball unknown() {
    Ball b;
    acb_indeterminate(b.get());
    return b;
  }
  [[nodiscard]] static Ball truth(bool yes, bool no) { return yes ? constant(1) : no ? constant(0) : unknown(); }
  // 1: true, 0: false, -1: not known
  [[nodiscard]] static int known(const Ball& b) { return !b.finite() ? -1 : acb_is_zero(b.get()) != 0 ? 0 : 1; }

  [[nodiscard]] Ball compare(const Instruction& i, const Ball& a, const Ball& b) const {
    if (!a.finite() || !b.finite()) return unknown();
    switch (i.op) {
      case OpCode::less: return truth(arb_lt(a.re(), b.re()) != 0, arb_ge(a.re(), b.re()) != 0);
      case OpCode::less_equal: return truth(arb_le(a.re(), b.re()) != 0, arb_gt(a.re(), b.re()) != 0);
      case OpCode::equal: return truth(arb_eq(a.re(), b.re()) != 0, arb_ne(a.re(), b.re()) != 0);
      default: return truth(arb_ne(a.re(), b.re()) != 0, arb_eq(a.re(), b.re()) != 0);
    }
  }

  Ball apply(const Instruction& i, const Ball& a, const Ball& b, const Ball& c) {
    Ball r;
    switch (i.op) {
      case OpCode::add: acb_add(r.get(), a.get(), b.get(), bits); break;
      case OpCode::subtract: acb_sub(r.get(), a.get(), b.get(), bits); break;
      case OpCode::multiply:
        if (i.a == i.b) {
          acb_sqr(r.get(), a.get(), bits);
        } else {
          acb_mul(r.get(), a.get(), b.get(), bits);
        }
        break;
      case OpCode::divide: acb_div(r.get(), a.get(), b.get(), bits); break;
      case OpCode::negate: acb_neg(r.get(), a.get()); break;
      case OpCode::square_root: acb_sqrt(r.get(), a.get(), bits); break;
      case OpCode::power: acb_pow(r.get(), a.get(), b.get(), bits); break;
      case OpCode::call: {
        const FunctionRow& row = row_of(i.function);
        if (row.ball == nullptr) return unknown();
        const Ball args[] = {a, b, c};
        ball_value(row, r, {args, i.operands}, bits);
        break;
      }
      case OpCode::conjunction:
        return known(a) == 0 || known(b) == 0 ? constant(0) : known(a) == 1 && known(b) == 1 ? constant(1) : unknown();
      case OpCode::disjunction:
        return known(a) == 1 || known(b) == 1 ? constant(1) : known(a) == 0 && known(b) == 0 ? constant(0) : unknown();
      case OpCode::negation: return known(a) == -1 ? unknown() : constant(known(a) == 0 ? 1 : 0);
      case OpCode::select: branches = true; return known(a) == -1 ? unknown() : known(a) == 1 ? b : c;
      default: return compare(i, a, b);
    }
    if (arb_is_finite(r.im()) != 0 && arb_contains_zero(r.im()) == 0) outside = true;
    if (arb_is_finite(r.im()) == 0) acb_indeterminate(r.get());
    arb_zero(r.im());
    return r;
  }
  static void sine_cosine(const Ball& a, Ball& sine, Ball& cosine) {
    acb_sin_cos(sine.get(), cosine.get(), a.get(), bits);
  }
  template <class Read>
  static void done(const Step&, const Ball&, const Read&) {}
};

}  // namespace

bool RealInterval::finite() const { return std::isfinite(low) && std::isfinite(high); }

RealInterval operator+(const RealInterval& a, const RealInterval& b) {
  return {down(a.low + b.low), up(a.high + b.high)};
}
RealInterval operator-(const RealInterval& a, const RealInterval& b) {
  return {down(a.low - b.high), up(a.high - b.low)};
}
RealInterval operator*(const RealInterval& a, const RealInterval& b) {
  const double p[] = {a.low * b.low, a.low * b.high, a.high * b.low, a.high * b.high};
  for (const double v : p) {
    if (std::isnan(v)) return {-endless, endless};
  }
  const auto [low, high] = std::minmax_element(std::begin(p), std::end(p));
  return {down(*low), up(*high)};
}

Enclosed enclose(const Program& program, const std::vector<std::vector<RealInterval>>& inputs) {
  Walk<Boxes>::Groups in;
  for (const auto& g : inputs) {
    in.emplace_back();
    for (const RealInterval& i : g) in.back().push_back(ball_of(i));
  }
  Boxes domain;
  const Walk<Boxes>::Groups out = Walk<Boxes>(program, domain, in).run();
  Enclosed e;
  for (const auto& g : out) {
    e.outputs.emplace_back();
    for (const Ball& b : g) e.outputs.back().push_back(interval_of(b));
  }
  // what only one branch of a condition needs may have no value
  e.outside = domain.outside && !domain.branches;
  return e;
}

}  // namespace boreon
