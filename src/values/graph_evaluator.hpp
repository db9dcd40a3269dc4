// SPDX-License-Identifier: MIT
// One evaluation loop for all number domains.
#pragma once

#include <span>
#include <vector>

#include "boreon/bindings.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "expr/work.hpp"

namespace boreon {

/// Throws Error(unsupported) for a node without numeric value (unknown functions, unevaluated operators).
[[noreturn]] void no_numeric_value(const Expr& e);
/// Throws Error(binding) for a symbol without a value.
[[noreturn]] void unbound(const Expr& symbol, const Bindings& bindings);
/// Throws Error(domain): "log(x - 2) leaves its domain (a positive argument): x - 2 = -1".
[[noreturn]] void left_domain(const Expr& e, const char* reason);

/// While it lives, faults of this thread carry no message: for loops that evaluate at thousands of points and look at
/// the kind alone.
class BriefFaults {
 public:
  BriefFaults();
  ~BriefFaults();
  BriefFaults(const BriefFaults&) = delete;
  BriefFaults& operator=(const BriefFaults&) = delete;
};

/// The nodes below some expressions in an order in which operands come first, with the operands as indices: made once,
/// evaluated many times.
class EvaluationPlan {
 public:
  explicit EvaluationPlan(std::span<const Expr> roots) : roots_(roots.begin(), roots.end()) {
    NodeMap<std::size_t> index;
    postorder(std::span<const Expr>(roots_), [&](const Expr& e) {
      Step s{&e, operands_.size()};
      for (const Expr& child : e.operands()) operands_.push_back(index.at(child));
      index[e] = steps_.size();
      steps_.push_back(s);
    });
    for (const Expr& r : roots_) outputs_.push_back(index.at(r));
  }

  struct Step {
    const Expr* expr;
    std::size_t first_operand;
  };
  [[nodiscard]] const std::vector<Step>& steps() const { return steps_; }
  [[nodiscard]] const std::vector<std::size_t>& outputs() const { return outputs_; }
  [[nodiscard]] std::span<const std::size_t> operands(const Step& s) const {
    return {operands_.data() + s.first_operand, s.expr->operands().size()};
  }

 private:
  std::vector<Expr> roots_;
  std::vector<Step> steps_;
  std::vector<std::size_t> operands_;
  std::vector<std::size_t> outputs_;
};

/// Evaluates in a Domain, which provides: Value; number(Number); constant(ConstantCode); add(Value&, coefficient,
/// term); operator_value(e, Value&), which may know the value of an integral or sum without free symbols; multiply,
/// power(e, base, exponent); call(e, args); compare(e, op, a, b)
/// -> bool. `leaf(expr, value)` gives the values of symbols and unknown calls. Branches of piecewise that are not taken
/// may fail without harm: faults are kept with the value and raised only where the value is used.
template <class Domain>
class GraphEvaluator {
 public:
  using Value = typename Domain::Value;
  explicit GraphEvaluator(Domain domain = {}) : domain_(std::move(domain)) {}

  template <class Leaf>
  std::vector<Value> run(const EvaluationPlan& plan, Leaf&& leaf) {
    const std::size_t n = plan.steps().size();
    spend(n * domain_.cost());
    values_.assign(n, Value{});
    truth_.assign(n, 0);
    faults_.clear();
    fault_of_.assign(n, 0);
    for (std::size_t i = 0; i < n; ++i) step(plan, i, leaf);
    std::vector<Value> results;
    for (const std::size_t o : plan.outputs()) {
      if (fault_of_[o] != 0) throw faults_[fault_of_[o] - 1];
      results.push_back(values_[o]);
    }
    return results;
  }

 private:
  template <class Leaf>
  void step(const EvaluationPlan& plan, std::size_t i, Leaf& leaf) {
    const Expr& e = *plan.steps()[i].expr;
    const auto ops = plan.operands(plan.steps()[i]);
    if (e.is(Kind::piecewise)) return choose(e, ops, i);
    if (e.is(Kind::unknown_call) || e.is(Kind::symbol)) {
      if (is_function_head(e)) return;
      if (!leaf(e, values_[i]))
        fault(i, [&] { e.is(Kind::symbol) ? throw Error(ErrorKind::binding, e.name()) : no_numeric_value(e); });
      return;
    }
    if (is_operator(e)) {
      return fault(i, [&] {
        if (!domain_.operator_value(e, values_[i])) no_numeric_value(e);
      });
    }
    for (const std::size_t o : ops) {
      if (fault_of_[o] != 0) {
        fault_of_[i] = fault_of_[o];
        return;
      }
    }
    try {
      compute(e, ops, i);
    } catch (const Error& error) {
      faults_.push_back(error);
      fault_of_[i] = faults_.size();
    }
  }

  template <class F>
  void fault(std::size_t i, F raise) {
    try {
      raise();
    } catch (const Error& error) {
      faults_.push_back(error);
      fault_of_[i] = faults_.size();
    }
  }

  void choose(const Expr& e, std::span<const std::size_t> ops, std::size_t i) {
    for (std::size_t k = 0; k < ops.size(); k += 2) {
      const bool last = k + 1 == ops.size();
      if (!last && fault_of_[ops[k + 1]] != 0) {
        fault_of_[i] = fault_of_[ops[k + 1]];
        return;
      }
      if (last || truth_[ops[k + 1]] != 0) {
        values_[i] = values_[ops[k]];
        fault_of_[i] = fault_of_[ops[k]];
        return;
      }
    }
    fault(i, [&] { left_domain(e, "no condition of the piecewise holds and there is no 'otherwise'"); });
  }

  void compute(const Expr& e, std::span<const std::size_t> ops, std::size_t i) {
    switch (e.kind()) {
      case Kind::number: values_[i] = domain_.number(e.number()); return;
      case Kind::constant:
        if (e.is_constant(ConstantCode::true_value)) {
          truth_[i] = 1;
        } else if (!e.is_constant(ConstantCode::false_value)) {
          values_[i] = domain_.constant(e.constant_code());
        }
        return;
      case Kind::sum: {
        Value s = values_[ops[0]];
        for (std::size_t k = 1; k < ops.size(); k += 2)
          domain_.add_scaled(s, values_[ops[k + 1]], values_[ops[k]], e.operands()[k + 1].is_integer(1));
        values_[i] = std::move(s);
        return;
      }
      case Kind::product: {
        Value p = values_[ops[0]];
        for (std::size_t k = 1; k < ops.size(); k += 2) {
          if (e.operands()[k + 1].is_integer(1)) {
            domain_.multiply(p, values_[ops[k]]);
          } else {
            domain_.multiply(p,
                             domain_.power(e.operands()[k], e.operands()[k + 1], values_[ops[k]], values_[ops[k + 1]]));
          }
        }
        values_[i] = std::move(p);
        return;
      }
      case Kind::power:
        values_[i] = domain_.power(e.operands()[0], e.operands()[1], values_[ops[0]], values_[ops[1]]);
        return;
      case Kind::call: {
        std::vector<Value> args;
        for (const std::size_t o : ops) args.push_back(values_[o]);
        values_[i] = domain_.call(e, args);
        return;
      }
      case Kind::relation: truth_[i] = domain_.compare(e, values_[ops[0]], values_[ops[1]]) ? 1 : 0; return;
      case Kind::logic: {
        bool t = e.logic_op() == LogicOp::conjunction;
        for (const std::size_t o : ops)
          t = e.logic_op() == LogicOp::conjunction ? t && truth_[o] != 0 : t || truth_[o] != 0;
        if (e.logic_op() == LogicOp::negation) t = truth_[ops[0]] == 0;
        truth_[i] = t ? 1 : 0;
        return;
      }
      default: no_numeric_value(e);
    }
  }

  Domain domain_;
  std::vector<Value> values_;
  std::vector<char> truth_;
  std::vector<Error> faults_;
  std::vector<std::size_t> fault_of_;  // 0: none, otherwise place in faults_ + 1
};

}  // namespace boreon
