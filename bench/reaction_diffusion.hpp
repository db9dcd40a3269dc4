// SPDX-License-Identifier: MIT
// Two species that react and diffuse on an n by n grid, built in plain C++.
#pragma once

#include <string>
#include <vector>

#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"

namespace bench {

struct ReactionDiffusion {
  std::vector<boreon::Expr> unknowns;
  std::vector<boreon::Expr> residuals;
  std::vector<boreon::Expr> parameters;
};

inline ReactionDiffusion reaction_diffusion(int n) {
  using namespace boreon;
  ReactionDiffusion r;
  const Symbol a("a"), b("b"), d("d");
  r.parameters = {a, b, d};
  const auto at = [n](int i, int j) { return static_cast<std::size_t>(2 * (i * n + j)); };
  for (int i = 0; i < n; ++i) {
    for (int j = 0; j < n; ++j) {
      const std::string place = std::to_string(i) + "_" + std::to_string(j);
      r.unknowns.push_back(Symbol("u" + place));
      r.unknowns.push_back(Symbol("v" + place));
    }
  }
  const auto& x = r.unknowns;
  for (int i = 0; i < n; ++i) {
    for (int j = 0; j < n; ++j) {
      for (int s = 0; s < 2; ++s) {
        const std::size_t k = at(i, j);
        const Expr& u = x[k];
        const Expr& v = x[k + 1];
        const auto side = static_cast<std::size_t>(s);
        const Expr& center = x[k + side];
        Expr laplacian = -4 * center;
        laplacian += x[at((i + 1) % n, j) + side];
        laplacian += x[at((i + n - 1) % n, j) + side];
        laplacian += x[at(i, (j + 1) % n) + side];
        laplacian += x[at(i, (j + n - 1) % n) + side];
        const Expr reaction = s == 0 ? a + u * u * v - (b + 1) * u : b * u - u * u * v;
        r.residuals.push_back(reaction + d * laplacian);
      }
    }
  }
  return r;
}

}  // namespace bench
