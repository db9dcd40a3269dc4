// SPDX-License-Identifier: MIT
// What the methods for differential equations share: signs, constants of integration, integrals, the route.
#pragma once

#include <optional>
#include <set>
#include <span>
#include <string>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/integral.hpp"
#include "boreon/symbol.hpp"
#include "calculus/signs.hpp"

namespace boreon::odes {

/// Candidates of one unknown function: an expression in the variable, or a relation that is to be zero, in the variable
/// and the symbol of the unknown.
struct Family {
  std::optional<Expr> value;
  std::optional<Expr> relation;
  std::vector<Expr> conditions = {};
};
using Families = std::optional<std::vector<Family>>;

class Context {
 public:
  Context(std::vector<Expr> conditions, std::set<std::string> taken)
      : signs_(std::move(conditions), true), taken_(std::move(taken)) {}

  [[nodiscard]] Signs& signs() { return signs_; }
  [[nodiscard]] const Signs& signs() const { return signs_; }
  /// The next of C1, C2, ... that the equations do not use.
  [[nodiscard]] Expr constant();
  /// p, or p1, p2, ... where the equations use that.
  [[nodiscard]] Expr parameter() const;
  [[nodiscard]] const std::vector<Expr>& constants() const { return constants_; }
  /// Forgets the constants made after the first n: for attempts that failed.
  void forget(std::size_t n);

  /// An antiderivative up to a constant; where there is no closed form an integral from
  /// `start`, and open() is set.
  [[nodiscard]] Expr integral(const Expr& f, const Symbol& x);
  /// The same, or nothing.
  [[nodiscard]] std::optional<Expr> closed_integral(const Expr& f, const Symbol& x);
  /// The same where signs of constants and parameters decide: each form with the conditions under which it holds.
  struct Case {
    Expr value;
    std::vector<Expr> conditions = {};
  };
  [[nodiscard]] std::vector<Case> closed_integrals(const Expr& f, const Symbol& x);
  /// exp of such an integral, with powers for logarithms.
  [[nodiscard]] Expr exponential_of(const Expr& integral) const;
  [[nodiscard]] bool open() const { return open_; }
  void set_open(bool open) { open_ = open; }
  void set_start(const Expr& place) { start_ = place; }

  /// All y with relation = 0 as families, if they can be written out in short; else the relation itself.
  [[nodiscard]] std::vector<Family> explicit_if_short(const Expr& relation, const Symbol& y, const Symbol& t,
                                                      std::span<const Expr> conditions = {});

  void step(std::string text);
  [[nodiscard]] const std::vector<std::string>& steps() const { return steps_; }
  /// Must not be zero for the answer to hold.
  void require_nonzero(const Expr& e);
  [[nodiscard]] const std::vector<Expr>& nonzero() const { return nonzero_; }
  [[nodiscard]] Expr tidy(const Expr& e) const;

 private:
  [[nodiscard]] IntegralResult integrated(const Expr& f, const Symbol& x, bool exceptions) const;

  Signs signs_;
  std::set<std::string> taken_;
  std::vector<Expr> constants_;
  std::vector<std::string> steps_;
  std::vector<Expr> nonzero_;
  Expr start_ = 0;
  bool open_ = false;
  int next_ = 1;
};

/// log(u) for log(abs(u)): a constant factor of what a logarithm is taken of changes the constant of integration only.
[[nodiscard]] Expr plain_logarithms(const Expr& e);

/// e with log(base) for x, and powers of the base for exp(a*x + b).
[[nodiscard]] Expr back_from_logarithm(const Expr& e, const Symbol& x, const Expr& base);

/// The value of e at a place of t, where it has no other symbols and is real there.
[[nodiscard]] std::optional<double> real_value_at(const Expr& e, const Symbol& t, double place);

// The methods, each in a file of its own. F is zero along solutions.

/// F(t, y, p) with p for y'.
[[nodiscard]] Families first_order(Context& c, const Expr& F, const Symbol& t, const Symbol& y, const Symbol& p);
/// F(t, y, p, q) with q for y''.
[[nodiscard]] Families second_order(Context& c, const Expr& F, const Symbol& t, const Symbol& y, const Symbol& p,
                                    const Symbol& q);

/// Linear: a[0]*y + a[1]*y' + ... = forcing.
struct LinearOde {
  std::vector<Expr> a;
  Expr forcing;
};
/// `jets` are the symbols of y, y', ...
[[nodiscard]] std::optional<LinearOde> linear_form(const Expr& F, const std::vector<Symbol>& jets);
/// General solution, C1*basis + ... + particular.
[[nodiscard]] std::optional<Expr> solve_linear_ode(Context& c, const LinearOde& ode, const Symbol& t);
/// Independent solutions without forcing, as many as the order; nothing if they are not found.
[[nodiscard]] std::optional<std::vector<Expr>> homogeneous_basis(Context& c, const std::vector<Expr>& a,
                                                                 const Symbol& t);
/// Two solutions of y'' + p*y' + q*y = 0.
[[nodiscard]] std::optional<std::vector<Expr>> second_order_basis(Context& c, const Expr& p, const Expr& q,
                                                                  const Symbol& t);

/// y'' and the like with the variable only in known places; F in symbols of all unknowns. Functions of t, in order.
[[nodiscard]] std::optional<std::vector<Expr>> linear_system(Context& c, const std::vector<Expr>& equations,
                                                             const std::vector<std::vector<Symbol>>& jets,
                                                             const Symbol& t);

}  // namespace boreon::odes
