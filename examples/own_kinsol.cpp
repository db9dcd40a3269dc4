// SPDX-License-Identifier: MIT
// A generated function in solvers of your own: KINSOL.
#include <kinsol/kinsol.h>
#include <nvector/nvector_serial.h>
#include <sunlinsol/sunlinsol_dense.h>
#include <sunmatrix/sunmatrix_dense.h>

#include <cstdio>
#include <vector>

#include "boreon/boreon.hpp"

using namespace boreon;

namespace {

// Residuals and Jacobian of the ion chemistry, by columns as SUNDIALS has them.
struct Problem {
  System system = steady_system(load_model(BOREON_MODELS "/ion_chemistry.toml"));
  std::vector<InputGroup> inputs{{"y", system.states}, {"p", system.parameters}};
  Kernel dense = compile({OutputGroup("f", system.residuals), OutputGroup("j", entries())}, inputs,
                         NativeOptions{.amid_other_work = true});

  // column by column, zeros included
  [[nodiscard]] std::vector<Expr> entries() const {
    std::vector<Expr> all;
    for (const Expr& y : system.states)
      for (const Expr& f : system.residuals) all.push_back(derivative(f, y));
    return all;
  }
  void operator()(const double* y, double* f, double* j) const {
    const double* in[] = {y, system.parameter_values.data()};
    double* out[] = {f, j};
    dense(in, out);
  }
};

double with_kinsol(const Problem& p) {
  SUNContext context = nullptr;
  SUNContext_Create(nullptr, &context);
  N_Vector y = N_VNew_Serial(3, context);
  N_Vector scale = N_VNew_Serial(3, context);
  for (int i = 0; i < 3; ++i) {
    NV_Ith_S(y, i) = p.system.start[static_cast<std::size_t>(i)];
    NV_Ith_S(scale, i) = 1 / NV_Ith_S(y, i);
  }
  SUNMatrix a = SUNDenseMatrix(3, 3, context);
  SUNLinearSolver solver = SUNLinSol_Dense(y, a, context);
  void* mem = KINCreate(context);
  KINInit(
      mem,
      [](N_Vector at, N_Vector f, void* data) {
        double unused[9];
        (*static_cast<const Problem*>(data))(NV_DATA_S(at), NV_DATA_S(f), unused);
        return 0;
      },
      y);
  KINSetUserData(mem, const_cast<Problem*>(&p));
  KINSetLinearSolver(mem, solver, a);
  KINSetJacFn(mem, [](N_Vector at, N_Vector, SUNMatrix j, void* data, N_Vector, N_Vector) {
    double unused[3];
    (*static_cast<const Problem*>(data))(NV_DATA_S(at), unused, SUNDenseMatrix_Data(j));
    return 0;
  });
  KINSetFuncNormTol(mem, 1e-12);
  KINSetMaxNewtonStep(mem, 1e6);
  KINSol(mem, y, KIN_LINESEARCH, scale, scale);
  const double sum = NV_Ith_S(y, 0) + NV_Ith_S(y, 1) + NV_Ith_S(y, 2);
  KINFree(&mem);
  SUNLinSolFree(solver);
  SUNMatDestroy(a);
  N_VDestroy(scale);
  N_VDestroy(y);
  SUNContext_Free(&context);
  return sum;
}

}  // namespace

int main() {
  const Problem p;
  const double electrons = solve_steady(p.system).outputs[0];
  const double own = with_kinsol(p);
  std::printf("electrons: solve_steady %.10g, KINSOL %.10g\n", electrons, own);
  return std::abs(own / electrons - 1) < 1e-9 ? 0 : 1;
}
