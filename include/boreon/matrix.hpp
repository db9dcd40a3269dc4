// SPDX-License-Identifier: MIT
// Matrices of expressions: Eigen matrices whose scalar is Expr, so that numeric code templated on its scalar accepts
// it.
#pragma once

#include <Eigen/Core>
#include <type_traits>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/functions.hpp"
#include "boreon/fwd.hpp"
#include "boreon/scalar_traits.hpp"
#include "boreon/sparse_matrix.hpp"

inline boreon::Expr Eigen::NumTraits<boreon::Expr>::epsilon() { return 0; }  // exact arithmetic
inline boreon::Expr Eigen::NumTraits<boreon::Expr>::dummy_precision() { return 0; }

namespace boreon BOREON_API {

static_assert(std::is_same_v<Matrix, Eigen::Matrix<Expr, Eigen::Dynamic, Eigen::Dynamic>> &&
                  std::is_same_v<Vector, Eigen::Matrix<Expr, Eigen::Dynamic, 1>>,
              "boreon/fwd.hpp names them without Eigen");

// What Eigen asks of a real scalar.
inline Expr conj(const Expr& x) { return x; }
inline const Expr& real(const Expr& x) { return x; }
inline Expr imag(const Expr&) { return 0; }
inline Expr abs2(const Expr& x) { return x * x; }

}  // namespace boreon

// Eigen's decompositions choose pivots by comparing numbers, which expressions are not: the message names what to call.
namespace boreon::detail {
struct ChoosesPivotsByNumbers {
  ChoosesPivotsByNumbers() = default;
  template <class M>
  explicit ChoosesPivotsByNumbers(const M&) {
    static_assert(sizeof(M) == 0,
                  "Eigen's decompositions compare numbers; for matrices of expressions use boreon::solve_linear, "
                  "inverse, determinant or lu_decomposition");
  }
};
}  // namespace boreon::detail
namespace Eigen {
template <>
class PartialPivLU<boreon::Matrix> : boreon::detail::ChoosesPivotsByNumbers {
  using ChoosesPivotsByNumbers::ChoosesPivotsByNumbers;
};
template <>
class FullPivLU<boreon::Matrix> : boreon::detail::ChoosesPivotsByNumbers {
  using ChoosesPivotsByNumbers::ChoosesPivotsByNumbers;
};
template <>
class HouseholderQR<boreon::Matrix> : boreon::detail::ChoosesPivotsByNumbers {
  using ChoosesPivotsByNumbers::ChoosesPivotsByNumbers;
};
template <>
class ColPivHouseholderQR<boreon::Matrix> : boreon::detail::ChoosesPivotsByNumbers {
  using ChoosesPivotsByNumbers::ChoosesPivotsByNumbers;
};
template <int UpLo>
class LLT<boreon::Matrix, UpLo> : boreon::detail::ChoosesPivotsByNumbers {
  using ChoosesPivotsByNumbers::ChoosesPivotsByNumbers;
};
template <int UpLo>
class LDLT<boreon::Matrix, UpLo> : boreon::detail::ChoosesPivotsByNumbers {
  using ChoosesPivotsByNumbers::ChoosesPivotsByNumbers;
};
}  // namespace Eigen
