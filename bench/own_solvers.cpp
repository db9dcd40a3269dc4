// SPDX-License-Identifier: MIT
// Kernels in solvers of one's own beside functions by hand in the same solvers: KINSOL, dense and sparse, and Ceres.
#include <ceres/cost_function.h>
#include <ceres/problem.h>
#include <ceres/solver.h>
#include <kinsol/kinsol.h>
#include <nvector/nvector_serial.h>
#include <sunlinsol/sunlinsol_dense.h>
#include <sunlinsol/sunlinsol_klu.h>
#include <sunmatrix/sunmatrix_dense.h>
#include <sunmatrix/sunmatrix_sparse.h>

#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <functional>

#include "boreon/boreon.hpp"
#include "fit_by_hand.hpp"
#include "own_solvers_by_hand.hpp"
#include "pairs.hpp"

using namespace boreon;

namespace {

// What is given to a solver: the way from numbers to numbers is all that differs between the two sides.
struct Functions {
  virtual ~Functions() = default;
  virtual void residuals(const double* y, double* out) const = 0;
  virtual void jacobian(const double* y, double* out) const = 0;
};
struct KernelFunctions final : Functions {
  KernelFunctions(Kernel residuals, Kernel jacobian) : f(std::move(residuals)), j(std::move(jacobian)) {}
  Kernel f;
  Kernel j;
  void residuals(const double* y, double* out) const override {
    const double* in[] = {y};
    double* to[] = {out};
    f(in, to);
  }
  void jacobian(const double* y, double* out) const override {
    const double* in[] = {y};
    double* to[] = {out};
    j(in, to);
  }
};
struct ChainFunctions final : Functions {
  bench::ChargeChain c;
  void residuals(const double* y, double* out) const override { bench::chain_residuals(c, y, out); }
  void jacobian(const double* y, double* out) const override { bench::chain_jacobian(c, y, out); }
};
struct LineFunctions final : Functions {
  explicit LineFunctions(bench::LossyLine line) : l(line) {}
  bench::LossyLine l;
  void residuals(const double* y, double* out) const override { bench::line_residuals(l, y, out); }
  void jacobian(const double* y, double* out) const override { bench::line_jacobian(l, y, out); }
};

// One and the same memory for both sides: where vectors happen to lie makes a difference of 5 %.
class Kinsol {
 public:
  // `pattern` of the Jacobian by rows, or null for a dense one by columns
  Kinsol(std::vector<double> start, const SparsityPattern* pattern) : start_(std::move(start)), pattern_(pattern) {
    const auto n = static_cast<sunindextype>(start_.size());
    SUNContext_Create(nullptr, &context_);
    y_ = N_VNew_Serial(n, context_);
    ones_ = N_VNew_Serial(n, context_);
    N_VConst(1, ones_);
    if (pattern_ == nullptr) {
      a_ = SUNDenseMatrix(n, n, context_);
      solver_ = SUNLinSol_Dense(y_, a_, context_);
    } else {
      a_ = SUNSparseMatrix(n, n, static_cast<sunindextype>(pattern_->nonzeros()), CSR_MAT, context_);
      solver_ = SUNLinSol_KLU(y_, a_, context_);
    }
    mem_ = KINCreate(context_);
    KINInit(
        mem_,
        [](N_Vector y, N_Vector f, void* self) {
          static_cast<const Kinsol*>(self)->functions_->residuals(NV_DATA_S(y), NV_DATA_S(f));
          return 0;
        },
        y_);
    KINSetUserData(mem_, this);
    KINSetLinearSolver(mem_, solver_, a_);
    KINSetJacFn(mem_, [](N_Vector y, N_Vector, SUNMatrix a, void* self, N_Vector, N_Vector) {
      static_cast<const Kinsol*>(self)->fill(NV_DATA_S(y), a);
      return 0;
    });
    KINSetFuncNormTol(mem_, 1e-10);
    KINSetMaxNewtonStep(mem_, 1e6);
    KINSetMaxSetupCalls(mem_, 1);
  }
  Kinsol(const Kinsol&) = delete;
  Kinsol& operator=(const Kinsol&) = delete;
  ~Kinsol() {
    KINFree(&mem_);
    SUNLinSolFree(solver_);
    SUNMatDestroy(a_);
    N_VDestroy(ones_);
    N_VDestroy(y_);
    SUNContext_Free(&context_);
  }

  void solve(const Functions& functions) {
    functions_ = &functions;
    std::copy(start_.begin(), start_.end(), NV_DATA_S(y_));
    if (const int flag = KINSol(mem_, y_, KIN_LINESEARCH, ones_, ones_); flag < 0) {
      std::fprintf(stderr, "KINSOL stops with code %d\n", flag);
      std::exit(1);
    }
  }
  [[nodiscard]] std::vector<double> solution() const { return {NV_DATA_S(y_), NV_DATA_S(y_) + start_.size()}; }

 private:
  void fill(const double* y, SUNMatrix a) const {
    if (pattern_ == nullptr) return functions_->jacobian(y, SUNDenseMatrix_Data(a));
    std::copy(pattern_->row_start.begin(), pattern_->row_start.end(), SUNSparseMatrix_IndexPointers(a));
    std::copy(pattern_->columns.begin(), pattern_->columns.end(), SUNSparseMatrix_IndexValues(a));
    functions_->jacobian(y, SUNSparseMatrix_Data(a));
  }

  const Functions* functions_ = nullptr;
  std::vector<double> start_;
  const SparsityPattern* pattern_;
  SUNContext context_ = nullptr;
  N_Vector y_ = nullptr;
  N_Vector ones_ = nullptr;
  SUNMatrix a_ = nullptr;
  SUNLinearSolver solver_ = nullptr;
  void* mem_ = nullptr;
};

void pair(benchmark::State& state, const Functions& kernels, const Functions& by_hand, const std::vector<double>& start,
          const SparsityPattern* pattern) {
  Kinsol solver(start, pattern);
  solver.solve(kernels);
  const std::vector<double> ours = solver.solution();
  solver.solve(by_hand);
  bench::require_equal(ours, solver.solution(), "y");
  bench::compare(
      state, [&] { solver.solve(kernels); }, [&] { solver.solve(by_hand); }, 1, 2e-3);
}

const NativeOptions often{.expected_calls = 1e6, .amid_other_work = true};

Expr exact(double v) { return Expr(Number::shortest_decimal(v)); }

std::vector<Expr> numbered(const char* name, std::size_t n) {
  std::vector<Expr> list;
  for (std::size_t i = 0; i < n; ++i) list.emplace_back(Symbol(name + std::to_string(i)));
  return list;
}

void kinsol_with_a_dense_jacobian(benchmark::State& state) {
  constexpr std::size_t m = bench::ChargeChain::size;
  ChainFunctions hand;
  for (std::size_t i = 0; i < m; ++i) {
    hand.c.q[i] = i < 3 ? 1 : 0.125;
    hand.c.b[i] = i + 1 < m ? 0.5 + 0.0625 * static_cast<double>(i) : 0;
    hand.c.a[i] = 0.25 + 0.03125 * static_cast<double>(i);
  }
  const std::vector<Expr> n = numbered("n", m);
  Expr electrons = 0;
  for (const Expr& k : n) electrons += k;
  std::vector<Expr> f;
  for (std::size_t i = 0; i < m; ++i) {
    f.push_back(exact(hand.c.q[i]) - exact(hand.c.b[i]) * n[i] - exact(hand.c.a[i]) * n[i] * electrons);
    if (i > 0) f[i] += exact(hand.c.b[i - 1]) * n[i - 1];
  }
  std::vector<Expr> columns;
  for (const Expr& by : n)
    for (const Expr& r : f) columns.push_back(derivative(r, by));
  const KernelFunctions kernels(compile({OutputGroup("f", f)}, {{"n", n}}, often),
                                compile({OutputGroup("j", columns)}, {{"n", n}}, often));
  pair(state, kernels, hand, std::vector<double>(m, 0.5), nullptr);
}

void kinsol_with_a_sparse_jacobian(benchmark::State& state) {
  const LineFunctions hand({2000, 64, 0.5, 2, 1.25});
  const std::vector<Expr> u = numbered("u", hand.l.size);
  std::vector<Expr> f;
  for (std::size_t i = 0; i < u.size(); ++i) {
    const Expr left = i > 0 ? u[i - 1] : exact(hand.l.end);
    const Expr right = i + 1 < u.size() ? u[i + 1] : exact(hand.l.end);
    f.push_back(exact(hand.l.d) * (left - 2 * u[i] + right) + exact(hand.l.q) - exact(hand.l.a) * pow(u[i], 2));
  }
  const SparseMatrix j = sparse_jacobian(f, u);
  const KernelFunctions kernels(compile({OutputGroup("f", f)}, {{"u", u}}, often),
                                compile({OutputGroup("j", j)}, {{"u", u}}, often));
  pair(state, kernels, hand, std::vector<double>(u.size(), 1), &j.pattern);
}

// Residuals and Jacobian by rows of a sum of two decays, over all rows in one block.
class Decays final : public ceres::CostFunction {
 public:
  using Rows = std::function<void(const double* x, double* r, double* j)>;
  Decays(int rows, Rows rows_of) : rows_of_(std::move(rows_of)), unused_(5 * static_cast<std::size_t>(rows)) {
    set_num_residuals(rows);
    mutable_parameter_block_sizes()->push_back(5);
  }
  bool Evaluate(double const* const* x, double* r, double** jacobians) const override {
    rows_of_(x[0], r, jacobians != nullptr && jacobians[0] != nullptr ? jacobians[0] : unused_.data());
    return true;
  }

 private:
  Rows rows_of_;
  mutable std::vector<double> unused_;
};

std::vector<double> fitted(ceres::CostFunction* cost) {
  std::vector<double> x{40, 1, 30, 4, 1};
  ceres::Problem::Options owns;
  owns.cost_function_ownership = ceres::DO_NOT_TAKE_OWNERSHIP;
  ceres::Problem problem(owns);
  problem.AddResidualBlock(cost, nullptr, x.data());
  ceres::Solver::Options options;
  options.linear_solver_type = ceres::DENSE_NORMAL_CHOLESKY;
  options.logging_type = ceres::SILENT;
  options.function_tolerance = 1e-14;
  ceres::Solver::Summary summary;
  ceres::Solve(options, &problem, &summary);
  return x;
}

using TwoLifetimes = void (*)(std::size_t, const double*, const double*, const double*, double*, double*);

void ceres_with_two_decays(benchmark::State& state, TwoLifetimes two_lifetimes) {
  const std::size_t rows = 5000;
  const Symbol a1("a1"), tau1("tau1"), a2("a2"), tau2("tau2"), c("c"), t("t"), y("y");
  const std::vector<Expr> unknowns{a1, tau1, a2, tau2, c};
  const Expr residual = a1 * exp(-t / tau1) + a2 * exp(-t / tau2) + c - y;
  const Kernel kernel =
      compile({OutputGroup("r", std::vector<Expr>{residual}), OutputGroup("J", gradient(residual, unknowns))},
              {{"x", unknowns}, {"c", {t, y}}}, often);
  std::vector<double> columns(2 * rows);
  for (std::size_t i = 0; i < rows; ++i) {
    const double at = 10 * static_cast<double>(i) / static_cast<double>(rows);
    columns[i] = at;
    columns[rows + i] =
        50 * std::exp(-at / 0.7) + 20 * std::exp(-at / 3.5) + 3 + 0.1 * std::cos(37 * static_cast<double>(i));
  }
  const auto n = static_cast<std::ptrdiff_t>(rows);
  Decays ours(static_cast<int>(rows), [&](const double* x, double* r, double* j) {
    const PointsIn in[] = {{x, 1, 0}, {columns.data(), n, 1}};
    const PointsOut out[] = {{r, 1, 1}, {j, 1, 5}};
    kernel.many(rows, in, out);
  });
  Decays by_hand(static_cast<int>(rows), [&](const double* x, double* r, double* j) {
    two_lifetimes(rows, x, columns.data(), columns.data() + rows, r, j);
  });
  const std::vector<double> a = fitted(&ours);
  const std::vector<double> b = fitted(&by_hand);
  for (std::size_t i = 0; i < a.size(); ++i) {
    if (!(std::fabs(a[i] - b[i]) < 1e-6 * std::fabs(b[i]))) {
      std::fprintf(stderr, "Ceres: unknown %zu is %.12g and by hand %.12g\n", i, a[i], b[i]);
      std::exit(1);
    }
  }
  bench::compare(
      state, [&] { (void)fitted(&ours); }, [&] { (void)fitted(&by_hand); }, 1, 1e-2);
}

}  // namespace

BENCHMARK(kinsol_with_a_dense_jacobian)->UseManualTime()->Iterations(200);
BENCHMARK(kinsol_with_a_sparse_jacobian)->UseManualTime()->Iterations(100)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(ceres_with_two_decays, by_hand, bench::two_lifetimes_strict)
    ->UseManualTime()
    ->Iterations(30)
    ->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(ceres_with_two_decays, by_hand_with_fast_math, bench::two_lifetimes)
    ->UseManualTime()
    ->Iterations(30)
    ->Unit(benchmark::kMillisecond);
