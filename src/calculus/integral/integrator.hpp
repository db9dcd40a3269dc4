// SPDX-License-Identifier: MIT
// The search for an antiderivative: methods that call each other through one object, which remembers what was tried,
// which signs were decided or assumed, and which steps led to the answer.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"
#include "boreon/traverse.hpp"
#include "calculus/signs.hpp"

namespace boreon {

class Integrator {
 public:
  /// Whether integrals of real integrands may be written with the imaginary unit.
  enum class Values : bool { complex, real };
  explicit Integrator(Signs& signs, Values values = Values::complex) : signs_(signs), values_(values) {}

  /// An antiderivative, or nothing. Not yet verified.
  [[nodiscard]] std::optional<Expr> operator()(const Expr& f, const Symbol& x);

  [[nodiscard]] Signs& signs() { return signs_; }
  /// A new symbol for a substitution, with what is known of it.
  [[nodiscard]] Symbol fresh(Assumptions assumptions = {});
  /// log(u), log(-u) or log(abs(u)), by what is known of the sign of u.
  [[nodiscard]] Expr real_log(const Expr& u);

  struct Step {
    int depth;
    std::string text;
  };
  void note(std::string text);
  /// The steps from the outermost in, indented by depth.
  [[nodiscard]] std::vector<std::string> route() const;
  [[nodiscard]] int depth() const { return depth_; }

 private:
  [[nodiscard]] std::optional<Expr> search(const Expr& f, const Symbol& x);

  struct Known {
    Expr integrand;
    Symbol variable;
    std::optional<Expr> value;
  };
  Signs& signs_;
  Values values_;
  std::vector<Known> known_;
  std::vector<Known> open_;  // being searched for, so that a circle of substitutions ends
  std::vector<Step> steps_;
  int depth_ = 0;
  int work_ = 0;
  int fresh_ = 0;
};

// The layers, each in a file of its own. `f` depends on x and has no constant factor.
namespace layers {

using Result = std::optional<Expr>;

Result by_rules(Integrator& in, const Expr& f, const Symbol& x);   // rules.cpp: powers, functions of a linear argument
Result rational(Integrator& in, const Expr& f, const Symbol& x);   // rational.cpp
Result by_pieces(Integrator& in, const Expr& f, const Symbol& x);  // pieces.cpp: piecewise, abs, sign, ...
Result by_substitution(Integrator& in, const Expr& f, const Symbol& x);  // substitution.cpp
Result trigonometric(Integrator& in, const Expr& f,
                     const Symbol& x);                               // trigonometric.cpp: rational in sines and cosines
Result exponential(Integrator& in, const Expr& f, const Symbol& x);  // exponential.cpp: rational in exponentials
Result radical(Integrator& in, const Expr& f, const Symbol& x);      // radical.cpp
Result by_undetermined_coefficients(Integrator& in, const Expr& f, const Symbol& x);  // undetermined.cpp
Result by_parts(Integrator& in, const Expr& f, const Symbol& x);                      // parts.cpp
Result special(Integrator& in, const Expr& f, const Symbol& x);  // special.cpp: families of special functions

}  // namespace layers

/// e = a + b*x with a and b free of x; nothing if it is not linear.
struct Linear {
  Expr constant;
  Expr slope;
};
[[nodiscard]] std::optional<Linear> linear_in(const Expr& e, const Symbol& x);
/// Coefficients by ascending powers if e is a polynomial in x of degree at most `most`.
[[nodiscard]] std::optional<std::vector<Expr>> polynomial_in(const Expr& e, const Symbol& x, std::size_t most = 40);
/// Whether e is a quotient of polynomials in x with coefficients free of x.
[[nodiscard]] bool is_rational_in(const Expr& e, const Symbol& x);
/// Whether it contains piecewise, abs, sign, floor, min, max, heaviside, ...
[[nodiscard]] bool has_piece(const Expr& e);
/// Simplification with little effort.
[[nodiscard]] Expr tidied(const Expr& e, const Signs& signs);

/// Roots of an irreducible polynomial with rational coefficients (ascending) by radicals or angles: real roots, and
/// of each conjugate pair p +- i*q the parts. Nothing beyond degree 4 and the special forms of closed_roots.cpp.
struct ClosedRoots {
  std::vector<Expr> real;
  struct Pair {
    Expr re;
    Expr im;
  };
  std::vector<Pair> pairs;
};
[[nodiscard]] std::optional<ClosedRoots> closed_roots(const std::vector<Expr>& coefficients, Signs& signs);
/// All roots of a polynomial with rational coefficients and no repeated root, of any degree, by polynomial_root; the
/// complex ones with their conjugates.
struct NumberedRoots {
  std::vector<Expr> real;
  std::vector<Expr> complex;
};
[[nodiscard]] std::optional<NumberedRoots> numbered_roots(const std::vector<Expr>& coefficients);
/// The real roots, in closed form or numbered.
[[nodiscard]] std::optional<std::vector<Expr>> real_roots(const std::vector<Expr>& coefficients, Signs& signs);

}  // namespace boreon
