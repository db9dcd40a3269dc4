// SPDX-License-Identifier: MIT
#include "algebra/polynomial/lattice.hpp"
#include "algebra/polynomial/work.hpp"

#include <algorithm>
#include <cmath>
#include <cstdint>

namespace boreon::poly {
namespace {

using Real = long double;

// The rows with their scalar products, each computed once until one of its rows changes.
class Rows {
 public:
  explicit Rows(LatticeBasis& b) : b_(b), real_(b.size()), changed_(b.size(), 1), products_(b.size()) {
    for (std::size_t i = 0; i < b.size(); ++i) {
      real_[i].assign(b[i].begin(), b[i].end());
      products_[i].resize(b.size());
    }
  }
  [[nodiscard]] std::size_t size() const { return b_.size(); }
  [[nodiscard]] std::size_t width() const { return b_.empty() ? 0 : b_[0].size(); }

  Real dot(std::size_t i, std::size_t k) {
    Product& p = i < k ? products_[k][i] : products_[i][k];
    if (p.at < std::max(changed_[i], changed_[k])) {
      p.value = 0;
      for (std::size_t c = 0; c < width(); ++c) p.value += real_[i][c] * real_[k][c];
      p.at = clock_;
      charge(width());
    }
    return p.value;
  }
  // b[k] -= n*b[j]
  void subtract(std::size_t k, std::size_t j, LatticeEntry n) {
    for (std::size_t c = 0; c < width(); ++c) {
      b_[k][c] -= n * b_[j][c];
      real_[k][c] = static_cast<Real>(b_[k][c]);
    }
    changed_[k] = ++clock_;
  }
  void swap_with_previous(std::size_t k) {
    std::swap(b_[k], b_[k - 1]);
    std::swap(real_[k], real_[k - 1]);
    std::swap(changed_[k], changed_[k - 1]);
    for (std::size_t i = 0; i < size(); ++i) {
      if (i != k && i != k - 1)
        std::swap(i < k ? products_[k][i] : products_[i][k], i < k ? products_[k - 1][i] : products_[i][k - 1]);
    }
    std::swap(products_[k][k], products_[k - 1][k - 1]);
  }
  [[nodiscard]] bool is_zero(std::size_t k) const {
    return std::all_of(b_[k].begin(), b_[k].end(), [](LatticeEntry x) { return x == 0; });
  }
  void erase(std::size_t k) {
    const auto at = static_cast<std::ptrdiff_t>(k);
    b_.erase(b_.begin() + at);
    real_.erase(real_.begin() + at);
    changed_.erase(changed_.begin() + at);
    products_.erase(products_.begin() + at);
    for (auto& row : products_) row.erase(row.begin() + at);
  }

 private:
  struct Product {
    Real value = 0;
    std::uint64_t at = 0;  // when it was computed
  };
  LatticeBasis& b_;
  std::vector<std::vector<Real>> real_;
  std::vector<std::uint64_t> changed_;
  std::vector<std::vector<Product>> products_;  // of rows i >= k
  std::uint64_t clock_ = 1;
};

}  // namespace

std::vector<Real> reduce_lattice(LatticeBasis& b) {
  std::vector<std::vector<Real>> mu(b.size(), std::vector<Real>(b.size(), 0));
  std::vector<Real> length(b.size(), 0);
  std::vector<std::vector<Real>> r(b.size(), std::vector<Real>(b.size(), 0));
  Rows rows(b);
  const auto orthogonalise = [&](std::size_t k) {
    for (std::size_t j = 0; j <= k; ++j) {
      Real s = rows.dot(k, j);
      for (std::size_t i = 0; i < j; ++i) s -= mu[j][i] * r[k][i];
      r[k][j] = s;
      if (j < k) mu[k][j] = length[j] > 0 ? s / length[j] : 0;
    }
    length[k] = std::max<Real>(r[k][k], 0);
  };
  std::size_t k = 0;
  std::size_t steps = 0;
  const std::size_t most = 2000000;
  while (k < b.size() && ++steps < most) {
    charge((k + 1) * (k + 1));
    orthogonalise(k);
    for (int round = 0; round < 40; ++round) {  // size reduction until nothing moves
      bool moved = false;
      for (std::size_t j = k; j-- > 0;) {
        const Real q = std::round(mu[k][j]);
        if (q == 0) continue;
        moved = true;
        const auto n = static_cast<LatticeEntry>(q);
        rows.subtract(k, j, n);
        for (std::size_t i = 0; i < j; ++i) mu[k][i] -= q * mu[j][i];
        mu[k][j] -= q;
      }
      if (!moved) break;
      orthogonalise(k);
    }
    if (rows.is_zero(k)) {
      rows.erase(k);
      k = k > 0 ? k - 1 : 0;
      continue;
    }
    if (k == 0 || length[k] >= (0.75L - mu[k][k - 1] * mu[k][k - 1]) * length[k - 1]) {
      ++k;
    } else {
      rows.swap_with_previous(k);
      --k;
    }
  }
  length.resize(b.size());
  return length;
}

}  // namespace boreon::poly
