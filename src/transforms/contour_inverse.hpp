// SPDX-License-Identifier: MIT
// Inverse Laplace transforms as numbers.
#pragma once

#include <complex>

#include "boreon/bindings.hpp"
#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"
#include "values/graph_evaluator.hpp"

namespace boreon::transforms {

/// F(s) with values for all its other symbols, along two kinds of contours.
class ContourInverse {
 public:
  ContourInverse(const Expr& F, const Symbol& s, const Bindings& parameters);

  /// NaN where it has no value.
  [[nodiscard]] std::complex<double> operator()(std::complex<double> s) const;
  /// How far from 0 F still changes its power of s, which is about where its last singular place lies; 1 at least.
  /// Looked for along the real axis up to 2^50.
  [[nodiscard]] double reach() const;
  /// A. Talbot, J. Inst. Math. Appl. 23 (1979), in the fixed form of J. Abate and P. Valko, Int. J. Numer. Meth. Engng
  /// 60 (2004), with `nodes` of them, 10 at least. F must have no delays and, with s counted
  /// from `shift`, no singular place beyond 4/t.
  [[nodiscard]] double talbot(double t, int nodes, double shift = 0) const;
  /// Along a line to the right of `shift`, where no singular place may lie: as many plain terms as it takes to pass the
  /// reach, then Euler's summation of 2*order + 1 terms: J. Abate and W. Whitt, INFORMS J. Computing 18 (2006). NaN
  /// where that takes more than 5000.
  [[nodiscard]] double euler(double t, int order, double reach, double shift = 0) const;

 private:
  Symbol s_;
  EvaluationPlan plan_;
};

}  // namespace boreon::transforms
