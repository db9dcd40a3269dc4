// SPDX-License-Identifier: MIT
// Fields in index notation: what it costs to derive them, and their loops against loops by hand and against the same
// equations written out.
#include "boreon/fields.hpp"

#include <benchmark/benchmark.h>

#include <Eigen/Core>
#include <chrono>
#include <cmath>
#include <string>

#include "boreon/calculus.hpp"
#include "boreon/native.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"
#include "fields_by_hand.hpp"
#include "pairs.hpp"
#include "reaction_diffusion.hpp"

using namespace boreon;

namespace {

const ExecutorMaker native = [](std::shared_ptr<const Program> p) { return native_executor(std::move(p)); };

double ms_since(std::chrono::steady_clock::time_point begin) {
  return std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - begin).count();
}

// An array on n places in each of `rank` directions, and its equation inside, `margin` places from the ends, which
// stay.
FieldSystem inside(int rank, int margin, bool ring, const std::string& body) {
  FieldSystem s;
  ParseContext context;
  const Symbol n("n", {Assumption::integer});
  std::vector<IndexRange> whole;
  std::vector<Expr> places;
  std::string open;
  for (int k = 0; k < rank; ++k) {
    const std::string name(1, static_cast<char>('i' + k));
    const Symbol index(name, {Assumption::integer});
    context.names.emplace(name, index);
    s.indices.emplace_back(index, IndexRange{name, margin, n - 1 - margin, ring});
    whole.push_back({name, 0, n - 1, ring});
    places.push_back(index);
    open += (k == 0 ? "" : ", ") + name;
  }
  s.unknowns = {{"u", Symbol("u"), whole}};
  s.parameters = {Symbol("a"), Symbol("b")};
  context.names.emplace("n", n);
  s.equations.push_back({"inside", 0, places, parse(body, context)});
  for (int k = 0; k < rank && margin > 0; ++k) {
    const std::string name(1, static_cast<char>('A' + k));
    const Symbol index(name, {Assumption::integer});
    s.indices.emplace_back(index, IndexRange{name, 0, n - 1, false});
  }
  if (margin > 0) {
    std::vector<Expr> all;
    for (int k = 0; k < rank; ++k) all.push_back(s.indices[static_cast<std::size_t>(rank + k)].first);
    FieldEquation e{"ends", 0, all, 0};
    e.where = truth(true);
    std::vector<Expr> near;
    for (const Expr& i : all) near.insert(near.end(), {less(i, margin), less(n - 1 - margin, i)});
    e.where = disjunction(near);
    s.equations.push_back(e);
  }
  return s;
}

struct Numbers {
  std::vector<double> y, f;
  std::vector<double> p{0.7, 0.4};
  Numbers(std::size_t in, std::size_t out) : y(in), f(out) {
    for (std::size_t k = 0; k < in; ++k) y[k] = 1 + 0.3 * std::sin(0.37 * static_cast<double>(k));
  }
};

struct Stencil {
  const char* name;
  int rank;
  int margin;
  std::int64_t n;
  const char* body;
  void (*by_hand)(std::int64_t, const double*, double, double*);
};

void stencil(benchmark::State& state, const Stencil& s) {
  const auto begin = std::chrono::steady_clock::now();
  const FieldPlan plan(inside(s.rank, s.margin, false, s.body), {{Symbol("n", {Assumption::integer}), s.n}});
  const FieldKernel kernel(plan, FieldOutput::values, native);
  state.counters["made_ms"] = ms_since(begin);
  Numbers x(plan.columns(), plan.rows());
  std::vector<double> hand(plan.rows());
  kernel(x.y, x.p, 0, x.f);
  s.by_hand(s.n, x.y.data(), x.p[0], hand.data());
  bench::require_equal(x.f, hand, s.name);
  bench::compare(
      state, [&] { kernel(x.y, x.p, 0, x.f); }, [&] { s.by_hand(s.n, x.y.data(), x.p[0], hand.data()); }, 1, 2e-3);
}

FieldSystem reaction() {
  FieldSystem s = inside(2, 0, true,
                         "a + u[i,j]^2*v[i,j] - (b + 1)*u[i,j] + d*(u[i+1,j] + u[i-1,j] + u[i,j+1] + u[i,j-1] - "
                         "4*u[i,j])");
  s.unknowns.push_back({"v", Symbol("v"), s.unknowns[0].dimensions});
  ParseContext context;
  for (const auto& [index, range] : s.indices) context.names.emplace(index.name(), index);
  s.equations.push_back(
      {"second", 1, s.equations[0].places,
       parse("b*u[i,j] - u[i,j]^2*v[i,j] + d*(v[i+1,j] + v[i-1,j] + v[i,j+1] + v[i,j-1] - 4*v[i,j])", context)});
  s.parameters = {Symbol("a"), Symbol("b"), Symbol("d")};
  return s;
}

FieldPlan reaction_plan(std::int64_t n) { return {reaction(), {{Symbol("n", {Assumption::integer}), n}}}; }

void made(benchmark::State& state) {
  for (auto _ : state) {
    const FieldPlan plan = reaction_plan(state.range(0));
    benchmark::DoNotOptimize(plan.nonzeros());
    const FieldKernel f(plan, FieldOutput::values, native);
    const FieldKernel j(plan, FieldOutput::jacobian, native);
    benchmark::DoNotOptimize(f.code_size() + j.code_size());
  }
}
BENCHMARK(made)->Name("fields/parse_derive_and_code")->Arg(64)->Arg(256)->Arg(16384)->Unit(benchmark::kMillisecond);

void pattern(benchmark::State& state) {
  const FieldPlan plan = reaction_plan(256);
  for (auto _ : state) benchmark::DoNotOptimize(plan.pattern(static_cast<unsigned>(state.range(0))).nonzeros());
}
BENCHMARK(pattern)->Name("fields/pattern_786432_nonzeros")->Arg(1)->Arg(2)->Unit(benchmark::kMillisecond);

// The same equations written out, their rows found again as loops.
void against_rows(benchmark::State& state, FieldOutput output) {
  constexpr int n = 256;
  const FieldPlan plan = reaction_plan(n);
  const FieldKernel kernel(plan, output, native);
  const auto model = bench::reaction_diffusion(n);
  const Kernel rows = output == FieldOutput::values
                          ? compile({OutputGroup("f", model.residuals)},
                                    {{"y", model.unknowns}, {"p", model.parameters}}, {.expected_calls = 1e9})
                          : compile({OutputGroup("j", sparse_jacobian(model.residuals, model.unknowns))},
                                    {{"y", model.unknowns}, {"p", model.parameters}}, {.expected_calls = 1e9});
  Numbers x(plan.columns(), kernel.outputs());
  x.p.push_back(0.2);
  std::vector<double> theirs(kernel.outputs());
  const double* in[] = {x.y.data(), x.p.data()};
  double* out[] = {theirs.data()};
  bench::compare(
      state, [&] { kernel(x.y, x.p, 0, x.f); }, [&] { rows(in, out); }, 1, 2e-3);
}

void against_memory(benchmark::State& state) {
  const FieldPlan plan = reaction_plan(1024);
  const FieldKernel kernel(plan, FieldOutput::values, native);
  Numbers x(plan.columns(), plan.rows());
  x.p.push_back(0.2);
  std::vector<double> to(plan.rows());
  bench::compare(
      state, [&] { kernel(x.y, x.p, 0, x.f); },
      [&] { bench::scaled(static_cast<std::int64_t>(to.size()), x.y.data(), 0.5, to.data()); }, 1, 4e-2);
}

void threads(benchmark::State& state) {
  const FieldPlan plan = reaction_plan(state.range(0));
  const FieldKernel kernel(plan, FieldOutput::values, native);
  Numbers x(plan.columns(), plan.rows());
  x.p.push_back(0.2);
  bench::compare(
      state, [&] { kernel(x.y, x.p, 0, x.f, 2); }, [&] { kernel(x.y, x.p, 0, x.f); }, 1, 4e-2);
}

// The gradient of an energy, against the energy itself.
void gradient(benchmark::State& state, bool by_hand) {
  constexpr std::int64_t n = 3163;  // 10^7 places
  const FieldSystem s = inside(2, 0, true, "0");
  ParseContext context;
  const Symbol size("n", {Assumption::integer});
  context.names.emplace("n", size);
  const Expr energy = parse(
      "sum(sum(a*u[k, l]^4 + b*((u[k+1, l] - u[k, l])^2 + (u[k, l+1] - u[k, l])^2), l from 0 to n-1), k from 0 to n-1)",
      context);
  const FieldSizes sizes{{size, n}};
  const FieldPlan slopes(gradient_system(s, energy, sizes), sizes);
  const FieldKernel g(slopes, FieldOutput::values, native);
  FieldSystem value = s;
  value.results = {{"energy", Symbol("energy"), {}}};
  value.equations = {{"energy", 0, {}, energy}};
  const FieldPlan total(value, sizes);
  const FieldKernel e(total, FieldOutput::values, native);
  Numbers x(slopes.columns(), slopes.rows());
  std::vector<double> one(1);
  std::vector<double> hand(slopes.rows());
  g(x.y, x.p, 0, x.f);
  bench::lattice_gradient(n, x.y.data(), x.p[0], x.p[1], hand.data());
  bench::require_equal(x.f, hand, "gradient");
  e(x.y, x.p, 0, one);
  bench::require_equal(one, {bench::lattice_energy(n, x.y.data(), x.p[0], x.p[1])}, "energy");
  const auto slope = [&] { g(x.y, x.p, 0, x.f); };
  const auto energy_alone = [&] { e(x.y, x.p, 0, one); };
  const auto slope_by_hand = [&] { bench::lattice_gradient(n, x.y.data(), x.p[0], x.p[1], hand.data()); };
  by_hand ? bench::compare(state, slope, slope_by_hand, 1, 5e-2) : bench::compare(state, slope, energy_alone, 1, 5e-2);
}

// Products of matrices in index notation, against Eigen.
void contraction(benchmark::State& state, int factors, std::int64_t n) {
  FieldSystem s;
  const Symbol i("i", {Assumption::integer});
  const Symbol j("j", {Assumption::integer});
  ParseContext context;
  context.names = {{"i", i}, {"j", j}};
  const IndexRange whole{"i", 0, n - 1, false};
  s.indices = {{i, whole}, {j, whole}};
  s.unknowns = {{"x", Symbol("x"), {whole}}, {"X", Symbol("X"), {whole, whole}}};
  std::vector<Eigen::MatrixXd> given;
  for (const char* name : {"A", "C"}) {
    auto values = std::make_shared<std::vector<double>>(static_cast<std::size_t>(n * n));
    for (std::size_t k = 0; k < values->size(); ++k) (*values)[k] = std::sin(0.37 * static_cast<double>(k));
    given.emplace_back(
        Eigen::Map<Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>>(values->data(), n, n));
    s.data.push_back({name, Symbol(name), {whole, whole}, std::move(values)});
  }
  const std::string last = std::to_string(n - 1);
  const std::string bodies[] = {
      "sum(A[i, k]*x[k], k from 0 to " + last + ")", "sum(A[i, k]*X[k, j], k from 0 to " + last + ")",
      "sum(sum(A[i, k]*X[k, l]*C[l, j], k from 0 to " + last + "), l from 0 to " + last + ")"};
  s.results = {
      {"y", Symbol("y"), factors == 1 ? std::vector<IndexRange>{whole} : std::vector<IndexRange>{whole, whole}}};
  s.equations = {
      {"y", 0, factors == 1 ? std::vector<Expr>{i} : std::vector<Expr>{i, j}, parse(bodies[factors - 1], context)}};
  const FieldPlan plan(s, {});
  const FieldKernel kernel(plan, FieldOutput::values, native);
  Numbers x(plan.columns(), plan.rows());
  const Eigen::VectorXd v = Eigen::Map<Eigen::VectorXd>(x.y.data(), n);
  const Eigen::MatrixXd m =
      Eigen::Map<Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>>(x.y.data() + n, n, n);
  Eigen::VectorXd y(n);
  Eigen::MatrixXd z(n, n);
  Eigen::MatrixXd between(n, n);
  const auto by_eigen = [&] {
    if (factors == 1) y.noalias() = given[0] * v;
    if (factors == 2) z.noalias() = given[0] * m;
    if (factors == 3) {
      between.noalias() = given[0] * m;
      z.noalias() = between * given[1];
    }
  };
  kernel(x.y, {}, 0, x.f);
  by_eigen();
  const Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor> rows = z;
  bench::require_equal(x.f,
                       factors == 1 ? std::vector<double>(y.data(), y.data() + n)
                                    : std::vector<double>(rows.data(), rows.data() + n * n),
                       "product");
  bench::compare(
      state, [&] { kernel(x.y, {}, 0, x.f); }, by_eigen, 1, 2e-2);
}

const int registered = [] {
  static constexpr Stencil stencils[] = {
      {"three_points_20000", 1, 1, 20000, "a*(u[i-1] - 2*u[i] + u[i+1])", bench::three_points},
      {"five_points_512x512", 2, 1, 512, "a*(u[i-1,j] + u[i+1,j] + u[i,j-1] + u[i,j+1] - 4*u[i,j])",
       bench::five_points},
      {"nine_points_512x512", 2, 1, 512,
       "a*(4*(u[i-1,j] + u[i+1,j] + u[i,j-1] + u[i,j+1]) + u[i-1,j-1] + u[i-1,j+1] + u[i+1,j-1] + u[i+1,j+1] - "
       "20*u[i,j])",
       bench::nine_points},
      {"seven_points_96x96x96", 3, 1, 96,
       "a*(u[i-1,j,k] + u[i+1,j,k] + u[i,j-1,k] + u[i,j+1,k] + u[i,j,k-1] + u[i,j,k+1] - 6*u[i,j,k])",
       bench::seven_points},
      {"fourth_order_512x512", 2, 2, 512,
       "a*(16*(u[i-1,j] + u[i+1,j] + u[i,j-1] + u[i,j+1]) - (u[i-2,j] + u[i+2,j] + u[i,j-2] + u[i,j+2]) - "
       "60*u[i,j])",
       bench::fourth_order}};
  const auto add = [](const std::string& name, const std::function<void(benchmark::State&)>& f) {
    return benchmark::RegisterBenchmark(name.c_str(), f)
        ->UseManualTime()
        ->Iterations(41)
        ->Unit(benchmark::kMicrosecond);
  };
  for (const Stencil& s : stencils)
    add(std::string("fields_vs_by_hand/") + s.name, [s](benchmark::State& state) { stencil(state, s); });
  add("fields_vs_rows/reaction_diffusion_256x256_values",
      [](benchmark::State& s) { against_rows(s, FieldOutput::values); });
  add("fields_vs_rows/reaction_diffusion_256x256_jacobian",
      [](benchmark::State& s) { against_rows(s, FieldOutput::jacobian); });
  add("fields_vs_memory/reaction_diffusion_1024x1024", against_memory);
  add("fields_two_threads_vs_one/reaction_diffusion", threads)->Arg(256)->Arg(1024);
  add("fields_gradient_vs_energy/lattice_10_million", [](benchmark::State& s) { gradient(s, false); });
  add("fields_gradient_vs_by_hand/lattice_10_million", [](benchmark::State& s) { gradient(s, true); });
  add("fields_vs_eigen/matrix_vector_1500", [](benchmark::State& s) { contraction(s, 1, 1500); });
  add("fields_vs_eigen/matrix_matrix_300", [](benchmark::State& s) { contraction(s, 2, 300); });
  add("fields_vs_eigen/three_factors_300", [](benchmark::State& s) { contraction(s, 3, 300); });
  return 0;
}();

}  // namespace
