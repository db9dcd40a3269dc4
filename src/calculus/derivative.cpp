// SPDX-License-Identifier: MIT
// Forward sweep: the derivative of every node below the expression, each found once.
#include "boreon/calculus.hpp"

#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/matrix.hpp"
#include "boreon/traverse.hpp"
#include "calculus/deltas.hpp"
#include "calculus/rules.hpp"

namespace boreon {
namespace {

void require_variable(const Expr& v) {
  if (!v.is(Kind::symbol) && !v.is(Kind::unknown_call) && !v.is(Kind::element)) {
    throw Error(ErrorKind::usage,
                "a derivative is taken with respect to a symbol, an element of an array or an unknown function, not a "
                "number or a compound expression");
  }
}

class ForwardSweep {
 public:
  explicit ForwardSweep(const Expr& variable) : variable_(variable), filter_(variable.symbol_filter()) {}

  Expr operator()(const Expr& root) {
    if ((root.symbol_filter() & filter_) == 0) return 0;
    postorder(
        std::span<const Expr>(&root, 1), [&](const Expr& e) { visit(e); },
        [&](const Expr& e) {
          return (e.symbol_filter() & filter_) != 0 && !(e == variable_) && !is_operator(e) && !done_.contains(e);
        });
    return value(root);
  }

 private:
  // u'(t) of u(t), by t.
  [[nodiscard]] Expr derivative_of_head(const Expr& head) const {
    if (!(head.operands()[1] == variable_) || head.operands().size() != 3) {
      if (!depends_on(head.operands()[1], variable_)) return 0;
      throw Error(ErrorKind::unsupported,
                  "elements of unknown functions of several or compound arguments cannot be derived yet");
    }
    std::vector<Expr> operands(head.operands().begin(), head.operands().end());
    operands[2] += 1;
    return unknown_call(operands);
  }

  [[nodiscard]] Expr value(const Expr& e) const {
    const Expr* v = done_.find(e);
    return v != nullptr ? *v : Expr(0);
  }

  void visit(const Expr& e) {
    if ((e.symbol_filter() & filter_) == 0 || done_.contains(e)) return;
    if (e == variable_) {
      done_[e] = 1;
      return;
    }
    if (are_namesakes(e, variable_)) reject_namesakes(variable_, e);
    if (const Expr same = same_place(e, variable_); !same.is_constant(ConstantCode::false_value)) {
      const Expr branches[] = {1, same, 0};
      done_[e] = piecewise(branches);
      return;
    }
    if (e.is(Kind::element)) {
      const Expr& head = e.operands()[0];
      for (const Expr& index : e.operands().subspan(1)) {
        if (depends_on(index, variable_))
          throw Error(ErrorKind::unsupported,
                      "an element has no derivative by its index " + variable_.name() + ", which is a whole number");
      }
      // by the independent variable: T[i]'(t)
      if (!head.is(Kind::unknown_call)) return;
      const Expr rate = derivative_of_head(head);
      if (!rate.is_integer(0)) done_[e] = rate.is(Kind::unknown_call) ? element(rate, e.operands().subspan(1)) : rate;
      return;
    }
    if (e.operands().empty() || e.is(Kind::relation) || e.is(Kind::logic)) return;
    terms_.clear();
    const auto wanted = [&](const Expr& child) {
      const Expr* d = done_.find(child);
      return d != nullptr && !d->is_integer(0);
    };
    const auto emit = [&](const Expr& child, Expr partial) { terms_.push_back(std::move(partial) * done_.at(child)); };
    Expr result;
    if (local_partials(e, wanted, emit)) {
      result = add(terms_);
    } else if (e.is(Kind::piecewise)) {
      result = derivative_of_operator(e, variable_, [&](const Expr& x) { return value(x); });
    } else {
      result = derivative_of_operator(e, variable_, [&](const Expr& x) { return derivative(x, variable_); });
    }
    if (!result.is_integer(0)) done_[e] = std::move(result);
  }

  Expr variable_;
  std::uint32_t filter_;
  NodeMap<Expr> done_;
  std::vector<Expr> terms_;
};

}  // namespace

Expr derivative(const Expr& expression, const Expr& variable, int order) {
  require_variable(variable);
  if (order < 0) throw Error(ErrorKind::usage, "the order of a derivative must not be negative");
  if (is_condition(expression)) throw Error(ErrorKind::shape, "a condition (true or false) has no derivative");
  Expr result = expression;
  for (int i = 0; i < order; ++i) result = ForwardSweep(variable)(result);
  return result;
}

bool has_piecewise_jump(const Expr& expression, const Expr& variable) {
  bool found = false;
  postorder(std::span<const Expr>(&expression, 1), [&](const Expr& n) {
    if (found || !n.is(Kind::piecewise)) return;
    const auto ops = n.operands();
    for (std::size_t i = 0; i + 2 < ops.size() && !found; i += 2) {
      const Expr& condition = ops[i + 1];
      if (!depends_on(condition, variable)) continue;
      found = true;
      if (!condition.is(Kind::relation)) continue;
      const Expr border = condition.operands()[0] - condition.operands()[1];
      const Expr slope = derivative(border, variable);
      if (slope.is_integer(0) || depends_on(slope, variable)) continue;
      const Bindings there{{variable, variable - border / slope}};
      const Expr step = substitute(ops[i], there, Unused::allowed) - substitute(ops[i + 2], there, Unused::allowed);
      found = !expand(step).is_integer(0);
    }
  });
  return found;
}

Expr derivative(const Expr& expression, std::span<const Expr> variables) {
  Expr result = expression;
  for (const Expr& v : variables) result = derivative(result, v);
  return result;
}

Expr derivative(const Expr& expression, std::initializer_list<Expr> variables) {
  return derivative(expression, std::span<const Expr>(variables.begin(), variables.size()));
}

Function derivative(const Function& f, int order) {
  if (f.arguments().size() != 1) {
    throw Error(ErrorKind::shape, "f' needs a function of one argument; " + f.name() + " has " +
                                      std::to_string(f.arguments().size()) + ", use derivative(f(x, y), x)");
  }
  std::string name = f.name();
  for (int i = 0; i < order; ++i) name += "_prime";
  return {name, f.arguments(), derivative(f.body(), f.arguments()[0], order)};
}

Matrix jacobian(const ExprList& expressions, const ExprList& variables) {
  Matrix result(static_cast<Eigen::Index>(expressions.size()), static_cast<Eigen::Index>(variables.size()));
  for (std::size_t j = 0; j < variables.size(); ++j) {
    require_variable(variables[j]);
    for (std::size_t i = 0; i < expressions.size(); ++i) {
      result(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(j)) = derivative(expressions[i], variables[j]);
    }
  }
  return result;
}

Expr evaluate_derivatives(const Expr& expression) {
  Expr current = expression;
  // An operator may hold another one; each round carries out the innermost ones.
  for (;;) {
    bool any = false;
    Rebuild pass([&](const Expr& e, Expr& result) {
      if (!e.is(Kind::derivative)) return false;
      bool inner = false;
      postorder(e.operands()[0], [&](const Expr& x) { inner = inner || x.is(Kind::derivative); });
      if (inner) return false;
      result = e.operands()[0];
      for (std::size_t i = 1; i < e.operands().size(); i += 2) {
        const auto n = e.operands()[i + 1].word();
        if (!n || *n > 1000) throw Error(ErrorKind::limit, "a derivative of order beyond 1000 is not carried out");
        result = derivative(result, e.operands()[i], static_cast<int>(*n));
      }
      any = true;
      return true;
    });
    Expr next = pass(current);
    if (!any || next == current) return next;  // a derivative of a limit stays as it is
    current = std::move(next);
  }
}

}  // namespace boreon
