// SPDX-License-Identifier: MIT
#include "expr/bernoulli.hpp"

#include <vector>

namespace boreon {

const Number& even_bernoulli(std::int64_t k) {
  static const std::vector<Number> table = [] {
    std::vector<Number> b{Number(1)};  // of all indices, by the recurrence of NIST 24.5.3
    for (std::int64_t n = 1; n <= 2 * most_bernoulli; ++n) {
      Number sum(0);
      Number choose(1);
      for (std::int64_t j = 0; j < n; ++j) {
        sum = sum + choose * b[static_cast<std::size_t>(j)];
        choose = choose * Number(n + 1 - j, j + 1);
      }
      b.push_back(-sum / Number(n + 1));
    }
    return b;
  }();
  return table.at(static_cast<std::size_t>(2 * k));
}

}  // namespace boreon
