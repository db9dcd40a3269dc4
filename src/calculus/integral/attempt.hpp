// SPDX-License-Identifier: MIT
// What one method made of a definite integral, as a value: nothing of an attempt that failed stays behind.
#pragma once

#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"
#include "calculus/integral/families.hpp"
#include "calculus/signs.hpp"

namespace boreon {

/// An antiderivative and between which places it was taken; the first and last may be infinite.
struct UsedAntiderivative {
  Expr F;
  Symbol variable;
  std::vector<Expr> ends;
  Expr value;  ///< what it adds to the integral
};

struct Attempt {
  enum class Kind { none, value, divergent } kind = Kind::none;
  Expr value;
  std::string why;                 ///< it diverges
  std::vector<std::string> steps;  ///< that led to the value
  std::vector<UsedAntiderivative> used;
  bool by_antiderivatives = false;  ///< `used` and constants make up the whole value
  bool places_known = true;         ///< all places where the integrand is singular were located

  [[nodiscard]] static Attempt of(Expr value, std::string step) {
    Attempt a;
    a.kind = Kind::value;
    a.value = std::move(value);
    a.steps.push_back(std::move(step));
    return a;
  }
  [[nodiscard]] static Attempt divergent(std::string why) {
    Attempt a;
    a.kind = Kind::divergent;
    a.why = std::move(why);
    return a;
  }
  /// Adds factor times the value of a part, and how that was found.
  void include(const Attempt& part, const Expr& factor = 1);
  /// The same integral times a number, over another variable.
  [[nodiscard]] Attempt scaled(int factor, const Symbol& from, const Symbol& to) const;
};

/// How the search goes on below a method that changed the problem.
struct DefiniteSearch {
  Signs& signs;
  bool principal_value = false;
  bool only_antiderivatives = false;
  int depth = 0;
  [[nodiscard]] DefiniteSearch deeper() const {
    DefiniteSearch d = *this;
    ++d.depth;
    return d;
  }
};

/// All methods in their order, until one has an answer. Throws UnknownSign where a sign decides.
[[nodiscard]] Attempt attempt(const DefiniteProblem& p, const DefiniteSearch& search);

/// Powers of 1/(a + b*cos(x) + c*sin(x)) over whole periods, or that they diverge there.
[[nodiscard]] Attempt by_full_period(const DefiniteProblem& p, const DefiniteSearch& search);

/// The problem with the range of the variable known to its symbol: x > 0 on a range of positive numbers.
[[nodiscard]] DefiniteProblem with_sign_of_range(const DefiniteProblem& p, Signs& signs);

}  // namespace boreon
