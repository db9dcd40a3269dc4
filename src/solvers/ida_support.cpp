// SPDX-License-Identifier: MIT
#include "solvers/ida_support.hpp"

#include <sunmatrix/sunmatrix_dense.h>
#include <sunmatrix/sunmatrix_sparse.h>

#include <new>

namespace boreon {

IdaMemory::IdaMemory(const SundialsContext& context) : mem_(IDACreate(context.get())) {
  if (mem_ == nullptr) throw std::bad_alloc();
  IDASetErrHandlerFn(
      mem_, [](int, const char*, const char*, char*, void*) {}, nullptr);
}

IdaMemory::~IdaMemory() { IDAFree(&mem_); }

std::vector<Expr> corrector_functions(const System& s) {
  std::vector<Expr> list;
  for (std::size_t i = 0; i < s.states.size(); ++i)
    list.push_back(s.algebraic[i] != 0 ? s.right_sides[i] : s.right_sides[i] - Symbol("_rate") * s.states[i]);
  return list;
}

bool fill_corrector(NumericJacobian& jacobian, std::span<const double* const> inputs, SUNMatrix target) {
  if (!jacobian.fill(inputs, target)) return false;
  const bool dense = SUNMatGetID(target) == SUNMATRIX_DENSE;
  double* const entries = dense ? SUNDenseMatrix_Data(target) : SUNSparseMatrix_Data(target);
  const std::size_t n = jacobian.pattern().rows;
  const std::size_t count = dense ? n * n : jacobian.pattern().nonzeros();
  for (std::size_t k = 0; k < count; ++k) entries[k] = -entries[k];
  return true;
}

}  // namespace boreon
