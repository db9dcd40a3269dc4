// SPDX-License-Identifier: MIT
// Linear equations of first order by characteristics (R. Courant and D. Hilbert, Methods of Mathematical Physics II,
// 1962, chapter II).
#include <algorithm>

#include "algebra/put_in.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/function.hpp"
#include "boreon/functions.hpp"
#include "boreon/ode.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/signs.hpp"
#include "equations/verify.hpp"
#include "pdes/pde_form.hpp"

namespace boreon::pdes {
namespace {

class Characteristics {
 public:
  Characteristics(const LinearForm& form, const PdeOptions& options)
      : form_(form),
        options_(options),
        swapped_(runs_over_second(form)),
        along_(swapped_ ? form.y : form.x),
        across_(swapped_ ? form.x : form.y) {}

  // The variable along the curves: the second one, a time as a rule, where its coefficient is constant.
  static bool runs_over_second(const LinearForm& form) {
    const auto constant = [&](const Expr& a) {
      return !a.is_integer(0) && !depends_on(a, form.x) && !depends_on(a, form.y);
    };
    if (constant(form.at(0, 1))) return true;
    return form.at(1, 0).is_integer(0);
  }

  // u by along, across and the value of F; nothing where the curves or the integral have no closed form.
  bool find() {
    const Expr a = form_.at(swapped_ ? 0 : 1, swapped_ ? 1 : 0);
    const Expr slope = combine_fractions(form_.at(swapped_ ? 1 : 0, swapped_ ? 0 : 1) / a);
    if (!find_curves(slope)) return false;
    steps_.push_back("constant along the characteristics: " + to_text(invariant_, {120, {}}));
    const Expr p = combine_fractions(form_.at(0, 0) / a);
    const Expr q = combine_fractions(form_.forcing / a);
    if (p.is_integer(0) && q.is_integer(0)) {
      factor_ = 1;
      added_ = 0;
      return true;
    }
    // an ordinary equation along each
    const UnknownFunction U("_U");
    const Expr on_curve = put(derivative(U(along_), along_) + p * U(along_) - q, across_, curve_);
    OdeOptions o;
    o.conditions = options_.conditions;
    const OdeSolutionSet s = solve_ode({on_curve}, {U(along_)}, o);
    if (s.status != SolveStatus::exact || s.solutions.size() != 1 || s.constants.size() != 1) return false;
    const Expr value = *s.solutions[0].values.find(U(along_));
    factor_ = back(derivative(value, s.constants[0]));
    added_ = back(put(value, s.constants[0], 0));
    steps_.emplace_back("an ordinary equation along each of them");
    return !depends_on(factor_, s.constants[0]);
  }

  [[nodiscard]] Expr with(const Expr& value_of_F) const { return factor_ * value_of_F + added_; }
  [[nodiscard]] const Expr& invariant() const { return invariant_; }
  [[nodiscard]] const std::vector<std::string>& steps() const { return steps_; }

  // F as a function of z from a value on a line; candidates, one for each branch.
  [[nodiscard]] std::vector<Expr> functions_from(const OnLine& line, const Symbol& z) const {
    const Symbol& fixed = line.on_x ? form_.x : form_.y;
    const Symbol& free = line.on_x ? form_.y : form_.x;
    const Expr invariant = put(invariant_, fixed, line.place);
    if (!depends_on(invariant, free)) return {};
    const Expr wanted = (line.value - put(added_, fixed, line.place)) / put(factor_, fixed, line.place);
    std::vector<Expr> out;
    try {
      const SolutionSet s = solve({invariant - z}, {free}, {.conditions = options_.conditions});
      if (s.status != SolveStatus::exact || !s.integers.empty()) return {};
      for (const Solution& one : s.solutions) out.push_back(put(wanted, free, *one.values.find(free)));
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
    }
    return out;
  }

 private:
  [[nodiscard]] Expr back(const Expr& e) const { return simplify(put(e, constant_, invariant_)); }

  bool find_curves(const Expr& slope) {
    constant_ = Symbol("_c");
    if (slope.is_integer(0)) {
      invariant_ = across_;
      curve_ = constant_;
      return true;
    }
    const UnknownFunction Y("_Y");
    OdeOptions o;
    o.conditions = options_.conditions;
    const OdeSolutionSet s =
        solve_ode({derivative(Y(along_), along_) - put(slope, across_, Y(along_))}, {Y(along_)}, o);
    if (s.status != SolveStatus::exact || s.constants.size() != 1) return false;
    for (const OdeSolution& one : s.solutions) {
      const Expr* curve = one.relation || one.parameter ? nullptr : one.values.find(Y(along_));
      if (!curve || !depends_on(*curve, s.constants[0])) continue;
      const SolutionSet c = solve({*curve - across_}, {s.constants[0]}, {.conditions = options_.conditions});
      if (c.status != SolveStatus::exact || c.solutions.empty() || !c.integers.empty()) continue;
      invariant_ = simplify(*c.solutions[0].values.find(s.constants[0]));
      curve_ = put(*curve, s.constants[0], constant_);
      return true;
    }
    return false;
  }

  const LinearForm& form_;
  const PdeOptions& options_;
  bool swapped_;
  Symbol along_;
  Symbol across_;
  Expr constant_;
  Expr invariant_;
  Expr curve_;
  Expr factor_;
  Expr added_;
  std::vector<std::string> steps_;
};

// Everywhere, or where both variables are positive.
struct Tested {
  bool holds = false;
  std::size_t points = 0;
  double digits = 15;
  std::vector<Expr> conditions;
};
Tested tested(const std::vector<Expr>& residuals, const LinearForm& form, const PdeOptions& options) {
  for (const bool positive : {false, true}) {
    std::vector<Expr> conditions = options.conditions;
    if (positive) {
      conditions.push_back(greater(form.x, 0));
      conditions.push_back(greater(form.y, 0));
    }
    Tested out{true, 0, 15, positive ? std::vector<Expr>{greater(form.x, 0), greater(form.y, 0)} : std::vector<Expr>{}};
    for (const Expr& r : residuals) {
      if (r.is_integer(0)) {
        out.points += 4;
        continue;
      }
      const equations::ZeroTest z = equations::zero_test(r, conditions, 4, options.seed);
      out.holds = out.holds && z.verdict == equations::Zero::yes;
      out.points += z.points;
      out.digits = std::min(out.digits, z.digits);
    }
    if (out.holds) return out;
  }
  return {};
}

std::string free_name(const LinearForm& form, const PdeOptions& options) {
  std::vector<Expr> all = options.given;
  for (const auto& [orders, a] : form.coefficients) all.push_back(a);
  all.push_back(form.forcing);
  std::string name = "F";
  for (int k = 1;; ++k) {
    bool taken = false;
    for (const Symbol& s : free_symbols(all)) taken = taken || s.name() == name;
    for (const Expr& c : unknown_calls(all)) taken = taken || c.name() == name;
    if (!taken) return name;
    name = "F" + std::to_string(k);
  }
}

void accept(PdeSolution& out, const Tested& t) {
  out.status = SolveStatus::exact;
  out.conditions = t.conditions;
  out.check.method = "put into the equation and what is given, in ball arithmetic";
  out.check.verdict = Verdict::agrees;
  out.check.points = t.points;
  out.check.entries = 1;
  out.check.digits = std::min(15.0, t.digits);
}

}  // namespace

std::optional<PdeSolution> by_characteristics(const LinearForm& form, std::span<const OnLine> lines,
                                              const PdeOptions& options) {
  for (const auto& [orders, a] : form.coefficients) {
    if (orders.first + orders.second > 1 && !a.is_integer(0)) return std::nullopt;
  }
  if (form.at(1, 0).is_integer(0) && form.at(0, 1).is_integer(0)) return std::nullopt;
  PdeSolution out;
  Characteristics way(form, options);
  if (!way.find()) {
    out.reason = "the characteristics, or the integral along them, have no closed form";
    return out;
  }
  out.steps = way.steps();
  const Symbol z("_z");
  if (lines.empty()) {
    const UnknownFunction F(free_name(form, options));
    out.arbitrary = F(way.invariant());
    out.value = way.with(*out.arbitrary);
    // what holds for these two holds for sums of them, and for no single power alone
    std::vector<Expr> residuals;
    for (const Expr& f : {power(z, 3) + sin(z), exp(z / 2)})
      residuals.push_back(residual_of(form, way.with(put(f, z, way.invariant()))));
    const Tested t = tested(residuals, form, options);
    if (t.holds) {
      accept(out, t);
    } else {
      out.reason = "what was found does not satisfy the equation";
    }
    return out;
  }
  if (lines.size() > 1 || lines[0].orders != Orders{0, 0}) {
    out.reason = "an equation of first order takes the values on one line";
    return out;
  }
  for (const Expr& f : way.functions_from(lines[0], z)) {
    const Expr u = simplify(way.with(put(f, z, way.invariant())));
    const Tested t = tested({residual_of(form, u), residual_of(lines[0], form, u)}, form, options);
    if (!t.holds) continue;
    out.value = u;
    accept(out, t);
    out.steps.emplace_back("the free function from the values on the line");
    return out;
  }
  out.reason = "the values on this line do not fix the free function in closed form (is the line a characteristic?)";
  return out;
}

}  // namespace boreon::pdes
