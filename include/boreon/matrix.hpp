// Matrices of expressions: Eigen matrices whose scalar is Expr, so that numeric code templated on its scalar accepts it.
#pragma once

#include <Eigen/Core>
#include <cstdint>
#include <limits>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/functions.hpp"

template <>
struct Eigen::NumTraits<boreon::Expr> : Eigen::GenericNumTraits<boreon::Expr> {
  using Real = boreon::Expr;
  using NonInteger = boreon::Expr;
  using Literal = boreon::Expr;
  using Nested = boreon::Expr;
  enum { IsComplex = 0, IsInteger = 0, IsSigned = 1, RequireInitialization = 1, ReadCost = 1, AddCost = 20, MulCost = 20 };
  static Real epsilon() { return 0; }  // exact arithmetic
  static Real dummy_precision() { return 0; }
  static int digits10() { return std::numeric_limits<int>::max(); }
};

namespace boreon {

using Matrix = Eigen::Matrix<Expr, Eigen::Dynamic, Eigen::Dynamic>;
using Vector = Eigen::Matrix<Expr, Eigen::Dynamic, 1>;

// What Eigen asks of a real scalar.
inline Expr conj(const Expr& x) { return x; }
inline const Expr& real(const Expr& x) { return x; }
inline Expr imag(const Expr&) { return 0; }
inline Expr abs2(const Expr& x) { return x * x; }

/// Where a matrix can be nonzero, by rows: columns[row_start[i]] ... columns[row_start[i + 1] - 1] are the columns of
/// row i in ascending order.
struct SparsityPattern {
  std::size_t rows = 0;
  std::size_t cols = 0;
  std::vector<std::int64_t> row_start;
  std::vector<std::int64_t> columns;
  [[nodiscard]] std::size_t nonzeros() const noexcept { return columns.size(); }
};

/// A sparse matrix of expressions in compressed rows: entry k belongs to column pattern.columns[k].
struct SparseMatrix {
  SparsityPattern pattern;
  std::vector<Expr> values;
  [[nodiscard]] Matrix dense() const;
  /// The same matrix by columns: starts, row indices, and for each entry its place in `values`.
  struct Columns {
    std::vector<std::int64_t> column_start;
    std::vector<std::int64_t> rows;
    std::vector<std::int64_t> entry;
  };
  [[nodiscard]] Columns columns() const;
};

}  // namespace boreon

// Eigen's decompositions choose pivots by comparing numbers, which expressions are not: the message names what to call.
namespace boreon::detail {
struct ChoosesPivotsByNumbers {
  ChoosesPivotsByNumbers() = default;
  template <class M>
  explicit ChoosesPivotsByNumbers(const M&) {
    static_assert(sizeof(M) == 0, "Eigen's decompositions compare numbers; for matrices of expressions use boreon::solve_linear, inverse, determinant or lu_decomposition");
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
