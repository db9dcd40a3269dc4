// SPDX-License-Identifier: MIT
#include "algebra/polynomial/lattice.hpp"
#include "algebra/polynomial/work.hpp"

#include <algorithm>
#include <cmath>

namespace boreon::poly {
namespace {

using Real = long double;

Real dot(const std::vector<LatticeEntry>& a, const std::vector<LatticeEntry>& b) {
  Real s = 0;
  for (std::size_t i = 0; i < a.size(); ++i) s += static_cast<Real>(a[i]) * static_cast<Real>(b[i]);
  return s;
}

}  // namespace

std::vector<Real> reduce_lattice(LatticeBasis& b) {
  std::vector<std::vector<Real>> mu(b.size(), std::vector<Real>(b.size(), 0));
  std::vector<Real> length(b.size(), 0);
  std::vector<std::vector<Real>> r(b.size(), std::vector<Real>(b.size(), 0));
  const auto orthogonalise = [&](std::size_t k) {
    for (std::size_t j = 0; j <= k; ++j) {
      Real s = dot(b[k], b[j]);
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
    charge((k + 1) * b[k].size());
    orthogonalise(k);
    for (int round = 0; round < 40; ++round) {  // size reduction until nothing moves
      bool moved = false;
      for (std::size_t j = k; j-- > 0;) {
        const Real q = std::round(mu[k][j]);
        if (q == 0) continue;
        moved = true;
        const auto n = static_cast<LatticeEntry>(q);
        for (std::size_t i = 0; i < b[k].size(); ++i) b[k][i] -= n * b[j][i];
        for (std::size_t i = 0; i < j; ++i) mu[k][i] -= q * mu[j][i];
        mu[k][j] -= q;
      }
      if (!moved) break;
      orthogonalise(k);
    }
    if (std::all_of(b[k].begin(), b[k].end(), [](LatticeEntry x) { return x == 0; })) {
      b.erase(b.begin() + static_cast<std::ptrdiff_t>(k));
      k = k > 0 ? k - 1 : 0;
      continue;
    }
    if (k == 0 || length[k] >= (0.75L - mu[k][k - 1] * mu[k][k - 1]) * length[k - 1]) {
      ++k;
    } else {
      std::swap(b[k], b[k - 1]);
      --k;
    }
  }
  length.resize(b.size());
  return length;
}

}  // namespace boreon::poly
