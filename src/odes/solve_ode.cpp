// SPDX-License-Identifier: MIT
// From equations and conditions to verified solutions.
#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "algebra/linear_terms.hpp"
#include "algebra/matrix/rows.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/ode.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/exceptional.hpp"
#include "calculus/integral/integrator.hpp"
#include "odes/conditions.hpp"
#include "odes/context.hpp"
#include "odes/find.hpp"
#include "odes/jet.hpp"
#include "odes/verify.hpp"

namespace boreon {
namespace {

using namespace odes;

class OdeSolve {
 public:
  OdeSolve(const ExprList& equations, const ExprList& unknowns, const OdeOptions& options)
      : given_equations_(equations.begin(), equations.end()),
        unknowns_(unknowns.begin(), unknowns.end()),
        jet_(given_equations_, unknowns_),
        options_(options),
        context_(options.conditions, taken_names()) {
    context_.set_start(start_place());
  }

  OdeSolutionSet run(bool with_exceptions) {
    require_shape();
    auto found = find_solutions(context_, jet_);
    if (!found) {
      result_.reason = "none of the known forms fits";
      return result_;
    }
    functions_ = std::move(found->functions);
    relations_ = std::move(found->relations);
    curve_ = std::move(found->curve);
    linear_ = found->linear;
    collect();
    result_.steps = context_.steps();
    for (const Decision& d : context_.signs().decisions()) {
      if (!depends_on(d.of, jet_.variable())) note(condition_of(d));
    }
    for (const Expr& e : context_.nonzero()) {
      for_each_factor(e, [&](const Expr& base, const Expr& exponent) {
        if (base.has_symbols() && exponent.is_number() && !(curve_ && depends_on(base, jet_.symbol(0, 1))))
          note_nonzero(base);
      });
    }
    conclude();
    find_poles();
    if (with_exceptions && result_.status != SolveStatus::unevaluated) find_dependence();
    if (with_exceptions && result_.status != SolveStatus::unevaluated) exceptions();
    return result_;
  }

 private:
  std::set<std::string> taken_names() const {
    std::set<std::string> out;
    for (const std::vector<Expr>& list : {given_equations_, options_.given, options_.conditions}) {
      for (const Symbol& s : free_symbols(list)) out.insert(s.name());
    }
    return out;
  }

  Expr start_place() const {
    for (const Expr& g : options_.given) {
      for (const Expr& c : unknown_calls({&g, 1})) {
        const Expr& place = c.operands()[1];
        if (!place.is_constant(ConstantCode::infinity) && !(place == -infinity())) return place;
      }
    }
    return 0;
  }

  void require_shape() const {
    if (given_equations_.size() != jet_.size())
      throw Error(ErrorKind::usage,
                  fmt::format("{} equation{} cannot determine {} unknown function{}", given_equations_.size(),
                              given_equations_.size() == 1 ? "" : "s", jet_.size(), jet_.size() == 1 ? "" : "s"));
    for (const Expr& e : given_equations_) {
      if (is_condition(e)) throw Error(ErrorKind::shape, "a differential equation is an equation, not an inequality");
    }
    if (jet_.total_order() == 0)
      throw Error(ErrorKind::usage,
                  "no derivative of the unknown occurs: this is no differential equation; give the "
                  "unknown as a symbol");
  }

  void collect() {
    const std::vector<Expr> under = context_.signs().conditions();
    for (const Member& m : functions_) add_explicit(m, under);
    for (const Family& r : relations_) add_relation(*r.relation, r.conditions, under);
    if (curve_) add_curve(under);
    if (jet_.size() == 1 && jet_.orders()[0] == 1 && !linear_) {
      if (options_.given.empty()) {
        add_singular(under);
        add_envelopes(under);
      } else {
        add_equilibrium(under);
      }
    }
    if (result_.solutions.empty() && !options_.given.empty() && failed_condition_) {
      throw Error(ErrorKind::domain,
                  fmt::format("no solution of the equation{} meets the condition{} {}", jet_.size() == 1 ? "" : "s",
                              options_.given.size() == 1 ? "" : "s", *failed_condition_));
    }
  }

  std::vector<Expr> constants_in(const std::vector<Expr>& functions) const {
    std::vector<Expr> out;
    for (const Expr& c : context_.constants()) {
      if (std::any_of(functions.begin(), functions.end(), [&](const Expr& f) { return depends_on(f, c); }))
        out.push_back(c);
    }
    return out;
  }

  std::string conditions_text() const {
    std::string out;
    for (const Expr& g : options_.given) out += (out.empty() ? "" : ", ") + to_text(g, {80, {}}) + " = 0";
    return out;
  }

  void add_explicit(const Member& family, const std::vector<Expr>& under) {
    std::vector<Member> members{family};
    if (!options_.given.empty()) {
      members = meeting_conditions(jet_, context_, family, options_.given, options_.conditions, start_place());
      if (members.empty()) {
        failed_condition_ = conditions_text();
        return;
      }
    }
    for (const Member& m : members) add_verified(m, under, false);
  }

  void add_verified(const Member& member, const std::vector<Expr>& under, bool singular) {
    const std::vector<Expr>& functions = member.functions;
    Verified v;
    try {
      v = verified(jet_, functions, under, options_.points, options_.seed);
    } catch (const Error& e) {
      // a derivative that does not exist, of an impulse or at a corner: nothing is proved
      if (e.kind() != ErrorKind::unsupported && e.kind() != ErrorKind::domain) throw;
    }
    if (!v.holds && !member.conditions.empty()) {
      std::vector<Expr> all = under;
      all.insert(all.end(), member.conditions.begin(), member.conditions.end());
      v = verified(jet_, functions, all, options_.points, options_.seed);
      v.conditions.insert(v.conditions.end(), member.conditions.begin(), member.conditions.end());
    }
    for (const Expr& c : v.conditions) {
      if (v.holds && !options_.given.empty() && start_place().is_number() &&
          fails_at(c, jet_.variable(), start_place(), context_.signs()))
        v.holds = false;
    }
    if (!v.holds) {
      ++failed_;
      return;
    }
    for (const OdeSolution& known : result_.solutions) {
      bool same = !known.values.empty();
      for (std::size_t i = 0; same && i < functions.size(); ++i)
        same = vanishes(known.values.entries()[i].value - functions[i]);
      if (same) return;
    }
    // conditions hold as well, also where a root was chosen
    for (const Expr& g : options_.given) {
      const Expr e = jet_.at_places(g, functions);
      if (!vanishes(e) && !vanishes(simplify(e))) {
        failed_condition_ = conditions_text();
        return;
      }
    }
    OdeSolution s;
    for (std::size_t i = 0; i < functions.size(); ++i) s.values.set(jet_.call(i), functions[i]);
    s.conditions = v.conditions;
    s.singular = singular;
    for (const Expr& c : constants_in(functions)) {
      if (std::find(result_.constants.begin(), result_.constants.end(), c) == result_.constants.end())
        result_.constants.push_back(c);
    }
    record(v);
    const std::vector<Expr> constants = constants_in(functions);
    if (options_.given.empty() && !constants.empty()) {
      const std::size_t rank = independent_constants(jet_, functions, constants, under, options_.seed);
      general_ = general_ || rank >= static_cast<std::size_t>(jet_.total_order());
    }
    result_.solutions.push_back(std::move(s));
  }

  void record(const Verified& v) {
    result_.check.digits = result_.check.entries == 0 ? v.digits : std::min(result_.check.digits, v.digits);
    result_.check.entries += 1;
    result_.check.points += v.points;
  }

  void add_relation(const Expr& relation, const std::vector<Expr>& conditions, const std::vector<Expr>& under) {
    std::optional<Expr> constant;
    for (const Expr& c : context_.constants()) {
      if (depends_on(relation, c)) constant = c;
    }
    std::vector<Expr> all = under;
    all.insert(all.end(), conditions.begin(), conditions.end());
    const Verified v = verified_relation(jet_, relation, constant, all, options_.points, options_.seed);
    if (!v.holds) {
      ++failed_;
      return;
    }
    Expr shown = relation;
    if (const Quotient q = quotient(relation);
        !constant || depends_on(derivative(relation, *constant), jet_.variable()))
      shown = q.numerator;
    if (!options_.given.empty()) {
      if (options_.given.size() != 1 || !constant) return;
      const auto given = place_and_value(options_.given[0]);
      if (!given) return;
      const Bindings there{{jet_.variable(), given->place}, {jet_.symbol(0, 0), given->value}};
      const SolutionSet s = solve({substitute(relation, there, Unused::allowed)}, {*constant});
      if (s.solutions.empty()) {
        failed_condition_ = conditions_text();
        return;
      }
      shown = substitute(relation, s.solutions[0].values, Unused::allowed);
      constant.reset();
    }
    OdeSolution s;
    // the constant alone on one side, where it is
    if (constant && !depends_on(derivative(shown, *constant), jet_.variable()) &&
        derivative(shown, *constant).is_integer(-1)) {
      s.relation = equal(context_.tidy(jet_.in_calls(shown + *constant)), *constant);
    } else {
      s.relation = equal(jet_.in_calls(shown), 0);
    }
    for (const Expr& c : constant ? constants_in({relation}) : std::vector<Expr>{}) {
      if (std::find(result_.constants.begin(), result_.constants.end(), c) == result_.constants.end())
        result_.constants.push_back(c);
    }
    s.conditions = conditions;
    general_ = true;
    record(v);
    result_.solutions.push_back(std::move(s));
  }

  // With the slope as parameter, named p or as it can be.
  void add_curve(const std::vector<Expr>& under) {
    const Symbol y = jet_.symbol(0, 0);
    const Symbol slope = jet_.symbol(0, 1);
    Curve curve = *curve_;
    if (!options_.given.empty() && !through_given_place(curve, slope)) return;
    const Verified v =
        verified_curve(jet_.equations()[0], curve, jet_.variable(), y, slope, under, options_.points, options_.seed);
    if (!v.holds) {
      ++failed_;
      return;
    }
    const Expr parameter = context_.parameter();
    const auto named = [&](const Expr& e) { return substitute(e, {{slope, parameter}}, Unused::allowed); };
    OdeSolution s;
    s.values.set(jet_.variable(), named(curve.t));
    s.values.set(jet_.call(0), named(curve.y));
    s.parameter = parameter;
    for (const Expr& c : constants_in({curve.t, curve.y})) result_.constants.push_back(c);
    general_ = true;
    record(v);
    result_.solutions.push_back(std::move(s));
    if (options_.given.empty()) {
      for (const Expr& line : curve.lines) add_verified({{line}, {}}, under, true);
    }
  }

  // y(a) = b, from what is to be zero; nothing for derivatives, several places, what is not linear.
  struct PlaceAndValue {
    Expr place;
    Expr value;
  };
  static std::optional<PlaceAndValue> place_and_value(const Expr& given) {
    const auto calls = unknown_calls({&given, 1});
    if (calls.size() != 1 || !calls[0].operands()[2].is_integer(0)) return std::nullopt;
    const Symbol value("_b");
    const auto l = linear_in(substitute(given, {{calls[0], value}}, Unused::allowed), value);
    if (!l) return std::nullopt;
    return PlaceAndValue{calls[0].operands()[1], -l->constant / l->slope};
  }

  // The curve through a given place: the constant and the slope there.
  bool through_given_place(Curve& curve, const Symbol& slope) {
    const std::vector<Expr> constants = constants_in({curve.t, curve.y});
    const auto given = options_.given.size() == 1 ? place_and_value(options_.given[0]) : std::nullopt;
    if (!given || constants.size() != 1) return false;
    const SolutionSet s = solve({curve.t - given->place, curve.y - given->value}, {constants[0], Expr(slope)});
    for (const Solution& one : s.solutions) {
      if (!one.real || !s.integers.empty() || s.status == SolveStatus::unevaluated) continue;
      const Bindings fixed{{constants[0], *one.values.find(constants[0])}};
      curve.t = substitute(curve.t, fixed, Unused::allowed);
      curve.y = substitute(curve.y, fixed, Unused::allowed);
      return true;
    }
    failed_condition_ = conditions_text();
    return false;
  }

  // y constant, where the family with constants has no member through the given place.
  void add_equilibrium(const std::vector<Expr>& under) {
    if (jet_.size() != 1) return;
    for (const Expr& g : options_.given) {
      const auto given = place_and_value(g);
      if (!given) continue;
      const std::vector<Expr> constant{given->value};
      if (!vanishes(jet_.with(jet_.equations()[0], constant))) continue;
      context_.step("a solution that stays where it is");
      add_verified({constant, {}}, under, true);
      return;
    }
  }

  // Constant solutions that no value of the constant gives.
  void add_singular(const std::vector<Expr>& under) {
    if (result_.solutions.empty()) return;
    const Symbol y = jet_.symbol(0, 0);
    const Expr still = substitute(jet_.equations()[0], {{jet_.symbol(0, 1), 0}}, Unused::allowed);
    try {
      const SolutionSet s = solve({quotient(still).numerator}, {y}, {.conditions = options_.conditions});
      if (s.solutions.size() > 6) return;
      for (const Solution& one : s.solutions) {
        const Expr& value = *one.values.find(y);
        if (!one.real || depends_on(value, jet_.variable()) || !s.integers.empty() || member_of_family(value)) continue;
        add_verified({{value}, {}}, under, true);
      }
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
    }
  }

  // Envelopes: where F(t, y, p) = 0 has a double root p, a curve may touch all members of the family.
  void add_envelopes(const std::vector<Expr>& under) {
    const Symbol y = jet_.symbol(0, 0);
    const Symbol p = jet_.symbol(0, 1);
    const Expr& F = jet_.equations()[0];
    const Expr by_p = derivative(F, p);
    if (result_.solutions.empty() || !depends_on(by_p, p)) return;
    try {
      const SolveOptions o{.conditions = options_.conditions};
      const auto usable = [](const SolutionSet& s) {
        return s.status == SolveStatus::exact && s.solutions.size() <= 6 && s.integers.empty();
      };
      std::vector<Expr> candidates;
      const auto take = [&](const SolutionSet& s) {
        for (const Solution& one : s.solutions) candidates.push_back(*one.values.find(y));
      };
      if (depends_on(by_p, y)) {
        if (const SolutionSet s = solve({F, by_p}, {y, p}, o); usable(s)) take(s);
      } else if (const SolutionSet slopes = solve({by_p}, {p}, o); usable(slopes)) {
        for (const Solution& one : slopes.solutions) {
          if (const SolutionSet s = solve({substitute(F, one.values, Unused::allowed)}, {y}, o); usable(s)) take(s);
        }
      }
      for (const Expr& candidate : candidates) {
        const Expr value = context_.tidy(candidate);
        if (depends_on(value, p) || !depends_on(value, jet_.variable()) || member_of_family(value)) continue;
        context_.step("the envelope of the family, where its slope is a double root");
        add_verified({{value}, {}}, under, true);
      }
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
    }
  }

  [[nodiscard]] bool member_of_family(const Expr& value) const {
    std::vector<Expr> families;
    for (const Member& m : functions_) families.push_back(m.functions[0] - value);
    for (const Family& r : relations_)
      families.push_back(substitute(*r.relation, {{jet_.symbol(0, 0), value}}, Unused::allowed));
    for (const Expr& f : families) {
      for (const Expr& c : context_.constants()) {
        if (!depends_on(f, c)) continue;
        try {
          const SolutionSet s = solve({f}, {c});
          for (const Solution& one : s.solutions) {
            if (!depends_on(*one.values.find(c), jet_.variable())) return true;
          }
          // one value of the constant that serves at a place may serve everywhere
          const SolutionSet there = solve({substitute(f, {{jet_.variable(), 1}}, Unused::allowed)}, {c});
          for (const Solution& one : there.solutions) {
            if (vanishes(substitute(f, one.values, Unused::allowed))) return true;
          }
        } catch (const Error& e) {
          if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
        }
      }
    }
    return false;
  }

  void note(const Expr& condition) {
    if (condition.is_constant(ConstantCode::true_value)) return;
    if (std::find(result_.conditions.begin(), result_.conditions.end(), condition) == result_.conditions.end())
      result_.conditions.push_back(condition);
  }

  void note_nonzero(const Expr& e) {
    if (is_nonzero(e) || context_.signs().known(e).value_or(0) != 0) return;
    for (const Expr& c : result_.conditions) {
      if (!c.is(Kind::relation) || c.relation_op() != RelationOp::not_equal) continue;
      const Expr gap = c.operands()[0] - c.operands()[1];
      if (vanishes(gap - e) || vanishes(gap + e)) return;
    }
    note(condition_of({e, 2}));
  }

  void conclude() {
    Evidence& c = result_.check;
    c.method = options_.given.empty() ? "put back into the equations, in ball arithmetic"
                                      : "put back into equations and conditions, in ball arithmetic";
    c.verdict = result_.solutions.empty() ? Verdict::untested : Verdict::agrees;
    if (result_.solutions.empty()) {
      result_.reason = failed_ > 0 ? "what was found does not satisfy the equation" : "none of the known forms fits";
      return;
    }
    bool open = false;
    for (const OdeSolution& s : result_.solutions) {
      for (const auto& v : s.values.entries())
        postorder(v.value, [&](const Expr& n) { open = open || n.is(Kind::integral); });
    }
    result_.status = open ? SolveStatus::unevaluated : SolveStatus::exact;
    if (open) result_.reason = "an integral in it has no closed form";
    if (options_.given.empty() && !general_) result_.reason = "solutions, but not with all constants";
  }

  // Where parameters were taken to be such or such, the other cases are solved again.
  void exceptions() {
    for (const Exceptional& place : poles_) {
      if (place.parameter == jet_.variable() || taken_as_constant(place.parameter)) continue;
      again(equal(place.parameter, place.value), {{place.parameter, place.value}}, {});
    }
    for (const Expr& e : context_.nonzero()) {
      for (const Exceptional& place : zeros_of_parameters(e, Symbol("_none"), options_.conditions)) {
        if (place.parameter == jet_.variable()) continue;
        again(equal(place.parameter, place.value), {{place.parameter, place.value}}, {});
      }
    }
    for (const Decision& d : context_.signs().decisions()) {
      if (depends_on(d.of, jet_.variable()) || d.sign == 2 || d.sign == 0) continue;
      if (std::any_of(result_.constants.begin(), result_.constants.end(),
                      [&](const Expr& c) { return depends_on(d.of, c); }))
        continue;
      const Expr other = condition_of({d.of, -d.sign});
      again(other, {}, {other});
      for (const Exceptional& place : zeros_of_parameters(d.of, Symbol("_none"), options_.conditions)) {
        again(equal(place.parameter, place.value), {{place.parameter, place.value}}, {});
        break;
      }
    }
  }

  [[nodiscard]] bool taken_as_constant(const Expr& e) const {
    if (curve_ && (e == jet_.symbol(0, 1) || e == context_.parameter())) return true;
    return std::find(context_.constants().begin(), context_.constants().end(), e) != context_.constants().end();
  }

  void note_exception(const Exceptional& e) {
    poles_.push_back(e);
    // b^2 < w^2 says that w is not b
    const auto& decisions = context_.signs().decisions();
    const bool implied = std::any_of(decisions.begin(), decisions.end(), [&](const Decision& d) {
      return substitute(condition_of(d), {{e.parameter, e.value}}, Unused::allowed)
          .is_constant(ConstantCode::false_value);
    });
    if (!implied) note_nonzero(e.parameter - e.value);
  }

  // Values of parameters at which the solutions have poles that the equations do not have.
  void find_poles() {
    for (const OdeSolution& s : result_.solutions) {
      for (const auto& v : s.values.entries()) {
        for (const Exceptional& e :
             exceptional_parameters(v.value, boreon::add(jet_.equations()), jet_.variable(), options_.conditions)) {
          if (e.parameter == jet_.variable() || taken_as_constant(e.parameter) || depends_on(e.value, jet_.variable()))
            continue;
          if (std::any_of(context_.constants().begin(), context_.constants().end(),
                          [&](const Expr& c) { return depends_on(e.value, c); }))
            continue;
          note_exception(e);
        }
      }
    }
  }

  // Values of parameters at which the solutions of a linear equation are no longer independent: the Wronskian has a
  // factor without t there.
  void find_dependence() {
    constexpr std::size_t most = 4;
    const std::vector<Expr>& constants = context_.constants();
    const std::size_t order = constants.size();
    if (!linear_ || !options_.given.empty() || order < 2 || order > most || functions_.size() != 1) return;
    std::vector<std::vector<Expr>> rows;
    for (const Expr& c : constants) {
      rows.push_back({derivative(functions_[0].functions[0], c)});
      while (rows.back().size() < order) rows.back().push_back(derivative(rows.back().back(), jet_.variable()));
    }
    const Expr wronskian = determinant_of_rows(rows);
    const auto symbols = free_symbols(wronskian);
    const bool parameters =
        std::any_of(symbols.begin(), symbols.end(), [&](const Symbol& s) { return !(s == jet_.variable()); });
    if (!parameters) return;
    for_each_factor(factor(combine_fractions(context_.tidy(wronskian))), [&](const Expr& base, const Expr&) {
      if (depends_on(base, jet_.variable()) || !base.has_symbols()) return;
      for (const Exceptional& e : zeros_of_parameters(base, jet_.variable(), options_.conditions)) note_exception(e);
    });
  }

  void again(const Expr& when, const Bindings& values, const std::vector<Expr>& extra) {
    for (const SolveException& known : result_.exceptions) {
      if (known.when == when) return;
    }
    try {
      std::vector<Expr> equations;
      for (const Expr& e : given_equations_) equations.push_back(substitute(e, values, Unused::allowed));
      OdeOptions o = options_;
      for (Expr& e : o.given) e = substitute(e, values, Unused::allowed);
      for (Expr& e : o.conditions) e = substitute(e, values, Unused::allowed);
      o.conditions.insert(o.conditions.end(), extra.begin(), extra.end());
      const OdeSolutionSet s = OdeSolve(equations, unknowns_, o).run(false);
      result_.exceptions.push_back({when, described(s)});
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
      result_.exceptions.push_back({when, "not solved: " + e.message()});
    }
  }

  static std::string described(const OdeSolutionSet& s) {
    if (s.solutions.empty()) return "not solved";
    std::string out;
    for (const OdeSolution& one : s.solutions) {
      std::string part;
      for (const auto& v : one.values.entries())
        part += (part.empty() ? "" : ", ") + to_text(v.target) + " = " + to_text(v.value, {200, {}});
      if (one.relation) part = to_text(*one.relation, {200, {}});
      out += (out.empty() ? "" : "; or ") + part;
    }
    return out;
  }

  std::vector<Expr> given_equations_;
  std::vector<Expr> unknowns_;
  Jet jet_;
  const OdeOptions& options_;
  Context context_;
  std::vector<Member> functions_;
  std::vector<Family> relations_;
  std::optional<Curve> curve_;
  std::vector<Exceptional> poles_;
  OdeSolutionSet result_;
  std::optional<std::string> failed_condition_;
  std::size_t failed_ = 0;
  bool general_ = false;
  bool linear_ = false;
};

}  // namespace

OdeSolutionSet solve_ode(const ExprList& equations, const ExprList& unknowns, const OdeOptions& options) {
  return OdeSolve(equations, unknowns, options).run(true);
}

}  // namespace boreon
