// SPDX-License-Identifier: MIT
// The same program in balls: what rounding does to each output.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "expr/ball.hpp"
#include "program/walk.hpp"

namespace boreon {
namespace {

struct Balls {
  using Value = Ball;
  const Program& whole;
  long precision;
  std::vector<Cancellation>& cancellations;
  bool undecided = false;  // a condition whose sides cannot be told apart

  [[nodiscard]] static Ball constant(double v) { return Ball::from(std::complex<double>(v)); }
  [[nodiscard]] static Ball truth(bool t) { return constant(t ? 1.0 : 0.0); }
  [[nodiscard]] static bool holds(const Ball& b) { return acb_is_zero(b.get()) == 0; }

  Ball compare(const Instruction& i, const Ball& a, const Ball& b) {
    if (i.op == OpCode::less || i.op == OpCode::less_equal) {
      const bool yes = i.op == OpCode::less ? arb_lt(a.re(), b.re()) != 0 : arb_le(a.re(), b.re()) != 0;
      const bool no = i.op == OpCode::less ? arb_ge(a.re(), b.re()) != 0 : arb_gt(a.re(), b.re()) != 0;
      undecided = undecided || (!yes && !no);
      return truth(yes || (!no && arf_cmp(arb_midref(a.re()), arb_midref(b.re())) < 0));
    }
    const bool same = arb_eq(a.re(), b.re()) != 0;
    const bool apart = arb_ne(a.re(), b.re()) != 0;
    undecided = undecided || (!same && !apart);
    return truth((i.op == OpCode::equal) == !apart);
  }

  Ball apply(const Instruction& i, const Ball& a, const Ball& b, const Ball& c) {
    Ball r;
    switch (i.op) {
      case OpCode::add: acb_add(r.get(), a.get(), b.get(), precision); break;
      case OpCode::subtract: acb_sub(r.get(), a.get(), b.get(), precision); break;
      case OpCode::multiply: acb_mul(r.get(), a.get(), b.get(), precision); break;
      case OpCode::divide: acb_div(r.get(), a.get(), b.get(), precision); break;
      case OpCode::negate: acb_neg(r.get(), a.get()); break;
      case OpCode::square_root: acb_sqrt(r.get(), a.get(), precision); break;
      case OpCode::power: acb_pow(r.get(), a.get(), b.get(), precision); break;
      case OpCode::call: {
        const Ball args[] = {a, b, c};
        const FunctionRow& row = row_of(i.function);
        if (row.ball == nullptr)
          throw Error(ErrorKind::unsupported, fmt::format("{} has no rigorous evaluation", row.name));
        ball_value(row, r, {args, i.operands}, precision);
        break;
      }
      case OpCode::conjunction: return truth(holds(a) && holds(b));
      case OpCode::disjunction: return truth(holds(a) || holds(b));
      case OpCode::negation: return truth(!holds(a));
      case OpCode::select: return holds(a) ? b : c;
      default: return compare(i, a, b);
    }
    // Real functions: what is not real is outside the domain.
    if (arb_contains_zero(r.im()) == 0) acb_indeterminate(r.get());
    arb_zero(r.im());
    return r;
  }
  void sine_cosine(const Ball& a, Ball& sine, Ball& cosine) const {
    acb_sin_cos(sine.get(), cosine.get(), a.get(), precision);
  }

  template <class Read>
  void done(const Step& step, const Ball& value, const Read& operand) {
    const Instruction& i = step.program->instructions[step.instruction];
    if (i.op != OpCode::add && i.op != OpCode::subtract) return;
    // Inputs and constants are exact: what cancels between them is no loss.
    if (i.a.space != 1 && i.b.space != 1) return;
    const double r = std::fabs(midpoint(value.re()));
    const double larger = std::max(std::fabs(midpoint(operand(i.a).re())), std::fabs(midpoint(operand(i.b).re())));
    if (!std::isfinite(larger) || larger == 0 || r >= 0.1 * larger) return;
    const double digits = r == 0 ? 16 : std::min(16.0, std::log10(larger / r));
    auto& list = cancellations;
    if (list.size() >= 5 && digits <= list.back().digits) return;
    list.push_back({subexpression_text(step, whole), digits, dependent_outputs(step, whole, 4)});
    std::stable_sort(list.begin(), list.end(), [](const auto& x, const auto& y) { return x.digits > y.digits; });
    if (list.size() > 5) list.pop_back();
  }
};

// log10 of the relative error of a double, in units of its rounding; 0 if it is right to rounding.
double digits_lost(double value, const Ball& exact) {
  if (!exact.finite()) return std::isfinite(value) ? 16 : 0;
  arf_t v;
  arf_init(v);
  arf_set_d(v, value);
  arb_t difference;
  arb_init(difference);
  arb_sub_arf(difference, exact.re(), v, 128);
  mag_t error;
  mag_init(error);
  arb_get_mag(error, difference);
  const double absolute = mag_get_d(error);
  const double size = std::fabs(midpoint(exact.re()));
  mag_clear(error);
  arb_clear(difference);
  arf_clear(v);
  if (!std::isfinite(value)) return 16;
  if (absolute == 0) return 0;
  if (size == 0) return 16;
  return std::clamp(std::log10(absolute / (size * 0x1p-53)), 0.0, 16.0);
}

}  // namespace

Certificate certify(const Program& program, const std::vector<std::vector<double>>& inputs, int digits) {
  Walk<Balls>::Groups in;
  for (const auto& g : inputs) {
    in.emplace_back();
    for (const double v : g) in.back().push_back(Balls::constant(v));
  }
  check_inputs(program, inputs);
  const auto wanted = static_cast<long>(std::ceil(digits * 3.33)) + 10;
  Certificate c;
  Walk<Balls>::Groups exact;
  // More bits until every output is known to the digits wanted; some never are (a condition on its boundary).
  for (c.precision = std::max(128L, 2 * wanted);; c.precision *= 2) {
    c.cancellations.clear();
    Balls domain{program, c.precision, c.cancellations};
    exact = Walk<Balls>(program, domain, in).run();
    c.undecided = domain.undecided;
    bool enough = true;
    for (const auto& g : exact) {
      for (const Ball& b : g)
        enough = enough && (!b.finite() || arb_contains_zero(b.re()) != 0 ? arb_is_exact(b.re()) != 0
                                                                          : arb_rel_accuracy_bits(b.re()) >= wanted);
    }
    if (enough || c.precision >= 4096) break;
  }
  const auto doubles = Kernel(program).evaluate(inputs);
  for (std::size_t g = 0; g < exact.size(); ++g) {
    for (std::size_t i = 0; i < exact[g].size(); ++i) {
      c.outputs.push_back({program.outputs[g].name, i, doubles[g][i], decimal(exact[g][i].re(), digits),
                           digits_lost(doubles[g][i], exact[g][i])});
      c.worst = std::max(c.worst, c.outputs.back().digits_lost);
    }
  }
  return c;
}

}  // namespace boreon
