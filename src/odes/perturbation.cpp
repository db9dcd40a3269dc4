// SPDX-License-Identifier: MIT
// Regular perturbation: powers of a small parameter one after the other (A. H. Nayfeh, Perturbation Methods, 1973,
// chapter 2).
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "algebra/put_in.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/function.hpp"
#include "boreon/functions.hpp"
#include "boreon/ode.hpp"
#include "boreon/ode_series.hpp"
#include "boreon/sampling.hpp"
#include "boreon/simplify.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/signs.hpp"

namespace boreon {
namespace {

constexpr int highest_power_of_small = 8;
constexpr double missing_power = 0.4;  // what is left may fall a little more slowly than the power says

class Expansion {
 public:
  Expansion(const Expr& equation, const Expr& unknown, const Expr& parameter, const PerturbationOptions& options)
      : equation_(evaluate_derivatives(equation)),
        t_(Symbol::from(unknown.operands()[1])),
        name_(unknown.name()),
        parameter_(Symbol::from(parameter)),
        options_(options) {}

  Perturbation run() {
    if (is_singular()) {
      out_.reason = fmt::format(
          "{} stands before the highest derivative: without it the equation is of lower order and "
          "cannot meet all conditions (a boundary layer); a series in its powers does not exist",
          parameter_.name());
      return std::move(out_);
    }
    for (int k = 0; k <= options_.order; ++k) {
      if (!solve_power(k)) return std::move(out_);
    }
    for (std::size_t k = 0; k < out_.terms.size(); ++k)
      out_.solution += out_.terms[k] * power(parameter_, Expr(static_cast<std::int64_t>(k)));
    find_secular_terms();
    check();
    return std::move(out_);
  }

 private:
  // The order of the equation with the parameter at zero is lower.
  [[nodiscard]] bool is_singular() const {
    const auto order_of = [&](const Expr& e) {
      std::int64_t order = 0;
      for (const Expr& c : unknown_calls({&e, 1})) {
        if (c.name() == name_) order = std::max(order, c.operands()[2].word().value_or(0));
      }
      return order;
    };
    return order_of(put(equation_, parameter_, 0)) < order_of(equation_);
  }

  [[nodiscard]] Expr with_solution(const Expr& e, const Expr& y) const {
    return evaluate_derivatives(substitute(e, UnknownFunction(name_), Function(name_, {t_}, y, Unused::allowed)));
  }

  // e with y = y0 + ... + parameter^k*Y, its coefficient of parameter^k.
  [[nodiscard]] Expr coefficient(const Expr& e, int k, const UnknownFunction& Y) const {
    Expr sum = power(parameter_, k) * Y(t_);
    for (std::size_t i = 0; i < out_.terms.size(); ++i)
      sum += out_.terms[i] * power(parameter_, Expr(static_cast<std::int64_t>(i)));
    const Expr d = with_solution(e, sum);
    return simplify(put(derivative(d, parameter_, k), parameter_, 0)) / factorial(k);
  }

  bool solve_power(int k) {
    const UnknownFunction Y(name_);
    const UnknownFunction stand_in("_Y");
    const auto named = [&](const Expr& e) {  // back to the name of the unknown, so that messages speak of it
      return substitute(e, stand_in, Function("_Y", {t_}, Y(t_), Unused::allowed));
    };
    OdeOptions o;
    o.conditions = options_.conditions;
    o.seed = options_.seed;
    for (const Expr& g : options_.given) {
      const Expr of_k = evaluate_derivatives(named(coefficient(g, k, stand_in)));
      if (unknown_calls({&of_k, 1}).empty()) {
        if (vanishes(of_k)) continue;
        out_.reason = fmt::format("the condition {} = 0 cannot be met at power {}", to_text(g, {60, {}}), k);
        return false;
      }
      o.given.push_back(of_k);
    }
    const Expr of_k = evaluate_derivatives(named(coefficient(equation_, k, stand_in)));
    OdeSolutionSet s;
    try {
      s = solve_ode({of_k}, {Y(t_)}, o);
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::domain && e.kind() != ErrorKind::usage && e.kind() != ErrorKind::unsupported) throw;
      out_.reason = fmt::format("at power {}: {}", k, e.message());
      return false;
    }
    if (s.status != SolveStatus::exact || s.solutions.empty() || s.solutions[0].values.entries().empty() ||
        s.solutions[0].parameter) {
      out_.reason = fmt::format("the equation of power {} has no closed form: {} = 0", k, to_text(of_k, {100, {}}));
      return false;
    }
    if (s.solutions.size() > 1)
      out_.steps.push_back(fmt::format("power {} has {} solutions; the first is followed", k, s.solutions.size()));
    Expr value = *s.solutions[0].values.find(Y(t_));
    if (k == 0) {
      out_.constants = s.constants;
    } else {  // what the equation without forcing adds is in the first term already
      for (const Expr& c : s.constants) value = substitute(value, {{c, 0}}, Unused::allowed);
    }
    out_.steps.push_back(fmt::format("power {}: {} = 0", k, to_text(of_k, {100, {}})));
    out_.terms.push_back(simplify(value));
    return true;
  }

  // t*sin(t) beside cos(t)
  void find_secular_terms() {
    const auto grows = [&](const Expr& f) {
      bool found = false;
      postorder(expand(f), [&](const Expr& n) {
        if (!n.is(Kind::product)) return;
        bool power_of_t = false;
        bool wave = false;
        for (const auto [base, exponent] : Parts(n)) {
          power_of_t = power_of_t || (base == t_ && is_positive(exponent));
          wave = wave || is_call_of(base, "sin") || is_call_of(base, "cos");
        }
        found = found || (power_of_t && wave);
      });
      return found;
    };
    if (grows(out_.terms[0])) return;
    out_.secular = std::any_of(out_.terms.begin() + 1, out_.terms.end(), grows);
  }

  // What is left of the equation at a value of the parameter and at half of it: the power by which it falls.
  void check() {
    const Expr left = with_solution(equation_, out_.solution);
    out_.check.method =
        fmt::format("what is left of the equation at small {} falls with the power stated", parameter_.name());
    out_.check.entries = 1 + options_.given.size();
    for (const Expr& g : options_.given) {
      Expr d = with_solution(g, out_.solution);
      for (int k = 0; k <= options_.order; ++k) {
        if (!vanishes(put(d, parameter_, 0))) {
          out_.check.verdict = Verdict::disagrees;
          out_.reason = fmt::format("the condition {} = 0 is not met at power {}", to_text(g, {60, {}}), k);
          return;
        }
        d = derivative(d, parameter_);
      }
    }
    if (vanishes(left)) {
      out_.check.points = 4;
      out_.check.verdict = Verdict::agrees;
      out_.found = true;
      return;
    }
    std::vector<Expr> leaves;
    std::vector<Expr> all{left};
    all.insert(all.end(), options_.conditions.begin(), options_.conditions.end());
    for (const Expr& leaf : sampled_leaves(all)) {
      if (!(leaf == parameter_)) leaves.push_back(leaf);
    }
    SampleRanges ranges;
    for (const Expr& leaf : leaves) ranges[leaf.name()] = {0.3, 1.4};
    Sampler sampler(leaves, ranges, options_.seed);
    std::vector<Expr> with_parameter = leaves;
    with_parameter.push_back(parameter_);
    std::size_t slow = 0;
    for (int k = 0; k < 12 && out_.check.points < 6; ++k) {
      std::vector<double> point = sampler.draw(options_.conditions);
      if (point.size() != leaves.size()) break;
      constexpr double large = 0x1p-16;
      point.push_back(large);
      const auto far = certified_value(left, with_parameter, point);
      point.back() = large / 16;
      const auto near = certified_value(left, with_parameter, point);
      if (!far || !near || *far == 0.0) continue;
      ++out_.check.points;
      const double fall = near == 0.0 ? 1000 : std::log2(std::abs(*far) / std::abs(*near)) / 4;
      if (fall < options_.order + 1 - missing_power) ++slow;
    }
    out_.check.verdict = out_.check.points == 0 ? Verdict::untested : slow == 0 ? Verdict::agrees : Verdict::disagrees;
    out_.found = out_.check.verdict == Verdict::agrees;
    if (!out_.found) out_.reason = "what is left of the equation does not fall with the power stated";
  }

  Expr equation_;
  Symbol t_;
  std::string name_;
  Symbol parameter_;
  const PerturbationOptions& options_;
  Perturbation out_;
};

}  // namespace

Perturbation perturbation_expansion(const Expr& equation, const Expr& unknown, const Expr& parameter,
                                    const PerturbationOptions& options) {
  if (options.order < 1 || options.order > highest_power_of_small)
    throw Error(ErrorKind::usage, fmt::format("a perturbation goes to a power from 1 to {}", highest_power_of_small));
  if (!unknown.is(Kind::unknown_call) || unknown.operands().size() != 3 || !unknown.operands()[1].is(Kind::symbol))
    throw Error(ErrorKind::usage, "the unknown is a call such as y(t), not " + to_text(unknown));
  std::vector<Expr> all = options.given;
  all.push_back(equation);
  const bool occurs = parameter.is(Kind::symbol) &&
                      std::any_of(all.begin(), all.end(), [&](const Expr& e) { return depends_on(e, parameter); });
  if (!occurs || parameter == unknown.operands()[1])
    throw Error(ErrorKind::usage,
                "the small parameter is a symbol of the equation other than its variable, not " + to_text(parameter));
  const auto calls = unknown_calls({&equation, 1});
  if (std::none_of(calls.begin(), calls.end(), [&](const Expr& c) { return c.name() == unknown.name(); }))
    throw Error(ErrorKind::usage, "the unknown " + to_text(unknown) + " does not occur in the equation");
  return Expansion(equation, unknown, parameter, options).run();
}

}  // namespace boreon
