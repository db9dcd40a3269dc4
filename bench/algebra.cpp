// SPDX-License-Identifier: MIT
// Polynomials, factors, determinants, simplification, and the making of nodes against a bare intern loop.
#include <benchmark/benchmark.h>

#include <cstdlib>
#include <cstring>

#include "boreon/algebra.hpp"
#include "boreon/calculus.hpp"
#include "boreon/functions.hpp"
#include "boreon/linear_algebra.hpp"
#include "boreon/matrix.hpp"
#include "boreon/simplify.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"
#include "reaction_diffusion.hpp"

using namespace boreon;

namespace {

constexpr std::uint32_t leaves = 3163;  // pairs of them: 5 million nodes

// What interning costs at least: bump allocation, a table of 8-byte slots that grows, no order, no locks, no counts.
// Operands are nodes, whose hashes are read, as any content hash must.
class BareTable {
 public:
  struct Node {
    std::uint64_t hash;
    std::uint32_t kind, size;
    const Node* left;
    const Node* right;
  };
  BareTable() : slots_(1024, nullptr) {}
  ~BareTable() {
    for (char* b : blocks_) std::free(b);
  }
  BareTable(const BareTable&) = delete;
  BareTable& operator=(const BareTable&) = delete;
  const Node* make(std::uint32_t kind, const Node* left, const Node* right, std::uint64_t leaf = 0) {
    const std::uint64_t h = left == nullptr ? mixed(leaf) : mixed(kind + mixed(left->hash + mixed(right->hash)));
    if ((size_ + 1) * 4 > slots_.size() * 3) grow();
    std::size_t at = h & (slots_.size() - 1);
    while (slots_[at] != nullptr) {
      const Node* n = slots_[at];
      if (n->hash == h && n->kind == kind && n->left == left && n->right == right) return n;
      at = (at + 1) & (slots_.size() - 1);
    }
    if (used_ + sizeof(Node) > block_size) {
      blocks_.push_back(static_cast<char*>(std::malloc(block_size)));
      used_ = 0;
    }
    auto* n = new (blocks_.back() + used_) Node{h, kind, 2, left, right};
    used_ += sizeof(Node);
    slots_[at] = n;
    ++size_;
    return n;
  }

 private:
  static std::uint64_t mixed(std::uint64_t x) {
    x = (x ^ (x >> 30U)) * 0xbf58476d1ce4e5b9U;
    x = (x ^ (x >> 27U)) * 0x94d049bb133111ebU;
    return x ^ (x >> 31U);
  }
  void grow() {
    std::vector<const Node*> larger(slots_.size() * 2, nullptr);
    for (const Node* n : slots_) {
      if (n == nullptr) continue;
      std::size_t at = n->hash & (larger.size() - 1);
      while (larger[at] != nullptr) at = (at + 1) & (larger.size() - 1);
      larger[at] = n;
    }
    slots_ = std::move(larger);
  }
  static constexpr std::size_t block_size = 1U << 20U;
  std::vector<const Node*> slots_;
  std::vector<char*> blocks_;
  std::size_t used_ = block_size;
  std::size_t size_ = 0;
};

std::vector<Expr> symbols() {
  std::vector<Expr> x;
  for (std::uint32_t i = 0; i < leaves; ++i) x.push_back(Symbol("z" + std::to_string(i)));
  return x;
}

// Products or sums of all pairs, all alive.
template <class Make>
void make_nodes(benchmark::State& state, Make make) {
  const std::vector<Expr> x = symbols();
  for (auto _ : state) {
    std::vector<Expr> keep;
    keep.reserve(leaves * std::size_t{leaves});
    for (std::uint32_t i = 0; i < leaves; ++i) {
      for (std::uint32_t j = 0; j < i; ++j) keep.push_back(make(x[i], x[j]));
    }
    state.PauseTiming();
    const GraphStatistics g = graph_statistics();
    state.counters["bytes_per_node"] = static_cast<double>(g.bytes) / static_cast<double>(g.live_nodes);
    keep.clear();
    state.ResumeTiming();
  }
  state.counters["nodes_per_second"] =
      benchmark::Counter(static_cast<double>(leaves) * (leaves - 1) / 2, benchmark::Counter::kIsIterationInvariantRate);
}

}  // namespace

static void nodes_bare_table(benchmark::State& state) {
  for (auto _ : state) {
    BareTable table;
    std::vector<const BareTable::Node*> x;
    for (std::uint32_t i = 0; i < leaves; ++i) x.push_back(table.make(0, nullptr, nullptr, i + 1));
    for (std::uint32_t i = 0; i < leaves; ++i) {
      for (std::uint32_t j = 0; j < i; ++j) benchmark::DoNotOptimize(table.make(1, x[i], x[j]));
    }
  }
  state.counters["nodes_per_second"] =
      benchmark::Counter(static_cast<double>(leaves) * (leaves - 1) / 2, benchmark::Counter::kIsIterationInvariantRate);
}
BENCHMARK(nodes_bare_table)->Unit(benchmark::kMillisecond)->Iterations(2);

static void nodes_products(benchmark::State& state) {
  make_nodes(state, [](const Expr& a, const Expr& b) { return a * b; });
}
BENCHMARK(nodes_products)->Unit(benchmark::kMillisecond)->Iterations(2);

static void nodes_sums(benchmark::State& state) {
  make_nodes(state, [](const Expr& a, const Expr& b) { return a + b; });
}
BENCHMARK(nodes_sums)->Unit(benchmark::kMillisecond)->Iterations(2);

static void product_of_10626_terms(benchmark::State& state) {
  const Symbol x("x"), y("y"), z("z"), t("t");
  const Expr f = expand(pow(1 + x + y + z + t, 20));
  for (auto _ : state) benchmark::DoNotOptimize(expand(f * (f + 1)));
}
BENCHMARK(product_of_10626_terms)->Unit(benchmark::kMillisecond);

static void power_30(benchmark::State& state) {
  const Symbol x("x"), y("y"), z("z");
  for (auto _ : state) benchmark::DoNotOptimize(expand(pow(1 + x + y + z, 30)));
}
BENCHMARK(power_30)->Unit(benchmark::kMillisecond);

namespace {
// All monomials up to a total degree with coefficients that look random.
Expr dense_polynomial(const std::vector<Expr>& x, int degree, std::uint64_t seed) {
  std::vector<Expr> terms;
  std::vector<int> e(x.size(), 0);
  const auto grow = [&](const auto& self, std::size_t v, int left) -> void {
    if (v == x.size()) {
      seed = seed * 6364136223846793005U + 1442695040888963407U;
      Expr m = static_cast<std::int64_t>(seed >> 57U) - 60;
      for (std::size_t i = 0; i < x.size(); ++i) m *= pow(x[i], e[i]);
      terms.push_back(m);
      return;
    }
    for (int k = 0; k <= left; ++k) {
      e[v] = k;
      self(self, v + 1, left - k);
    }
    e[v] = 0;
  };
  grow(grow, 0, degree);
  return add(terms);
}
}  // namespace

static void gcd_5_variables_degree_10(benchmark::State& state) {
  const std::vector<Expr> x{Symbol("x1"), Symbol("x2"), Symbol("x3"), Symbol("x4"), Symbol("x5")};
  const Expr g = dense_polynomial(x, 5, 1);
  const Expr a = expand(g * dense_polynomial(x, 5, 2));
  const Expr b = expand(g * dense_polynomial(x, 5, 3));
  for (auto _ : state) benchmark::DoNotOptimize(greatest_common_divisor(a, b));
}
BENCHMARK(gcd_5_variables_degree_10)->Unit(benchmark::kMillisecond);

static void factor_x120_minus_1(benchmark::State& state) {
  const Symbol x("x");
  for (auto _ : state) benchmark::DoNotOptimize(factor(pow(x, 120) - 1));
}
BENCHMARK(factor_x120_minus_1)->Unit(benchmark::kMillisecond);

static void factor_3_variables_degree_8(benchmark::State& state) {
  const std::vector<Expr> x{Symbol("x"), Symbol("y"), Symbol("z")};
  const Expr p = expand(dense_polynomial(x, 8, 4) * dense_polynomial(x, 8, 5));
  for (auto _ : state) benchmark::DoNotOptimize(factor(p));
}
BENCHMARK(factor_3_variables_degree_8)->Unit(benchmark::kMillisecond);

static void determinant_of(benchmark::State& state) {
  const auto n = static_cast<int>(state.range(0));
  Matrix m(n, n);
  for (int i = 0; i < n; ++i) {
    for (int j = 0; j < n; ++j)
      m(i, j) =
          std::abs(i - j) <= state.range(1) ? Expr(Symbol("a" + std::to_string(i) + "_" + std::to_string(j))) : Expr(0);
  }
  for (auto _ : state) benchmark::DoNotOptimize(determinant(m));
}
BENCHMARK(determinant_of)
    ->ArgNames({"size", "band"})
    ->Args({8, 8})
    ->Args({12, 1})
    ->Args({12, 2})
    ->Args({12, 3})
    ->Unit(benchmark::kMillisecond);

static void simplify_determinant_of_4_sphere(benchmark::State& state) {
  const Symbol r("r"), a("a"), b("b"), c("c"), d("d");
  const std::vector<Expr> map{r * cos(a), r * sin(a) * cos(b), r * sin(a) * sin(b) * cos(c),
                              r * sin(a) * sin(b) * sin(c) * cos(d), r * sin(a) * sin(b) * sin(c) * sin(d)};
  for (auto _ : state) benchmark::DoNotOptimize(simplify(determinant(jacobian(map, std::vector<Expr>{r, a, b, c, d}))));
}
BENCHMARK(simplify_determinant_of_4_sphere)->Unit(benchmark::kMillisecond);

static void hessian_dense_and_sparse(benchmark::State& state) {
  // One row of the reaction-diffusion model as a scalar of all unknowns.
  const auto model = bench::reaction_diffusion(4);
  Expr f = 0;
  for (const Expr& r : model.residuals) f += r * r;
  for (auto _ : state) {
    if (state.range(0) != 0) {
      benchmark::DoNotOptimize(sparse_hessian(f, model.unknowns));
    } else {
      benchmark::DoNotOptimize(hessian(f, model.unknowns));
    }
  }
  const SparseMatrix h = sparse_hessian(f, model.unknowns);
  state.counters["fill"] =
      static_cast<double>(h.pattern.nonzeros()) / static_cast<double>(model.unknowns.size() * model.unknowns.size());
}
BENCHMARK(hessian_dense_and_sparse)->ArgName("sparse")->Arg(0)->Arg(1)->Unit(benchmark::kMillisecond);
