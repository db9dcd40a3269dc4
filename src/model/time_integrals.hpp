// SPDX-License-Identifier: MIT
// Integrals of unknowns over time, from the start of a run: each is a state of its own with the integrand for its rate.
#pragma once

#include <string>
#include <vector>

#include "boreon/model.hpp"

namespace boreon {

/// Whether `e` is an integral whose integrand contains unknown functions.
[[nodiscard]] bool is_integral_of_unknowns(const Expr& e);

class TimeIntegrals {
 public:
  explicit TimeIntegrals(const Model& model) : model_(model) {}

  /// `e` with a symbol for each such integral. Throws Error(unsupported), at `place`, for one that is not
  /// integral(f, t from START to t) over the independent variable from the start of the run.
  [[nodiscard]] Expr replaced(const Expr& e, const SourcePosition& place);

  struct Integral {
    std::string text;  ///< as written
    Expr state;        ///< the symbol
    Expr integrand;    ///< in unknown functions, and in states of integrals before it
  };
  [[nodiscard]] const std::vector<Integral>& all() const noexcept { return all_; }

 private:
  [[nodiscard]] Expr state_of(const Expr& integral, const Expr& integrand, const SourcePosition& place);

  const Model& model_;
  std::vector<Integral> all_;
};

}  // namespace boreon
