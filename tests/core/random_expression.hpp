// SPDX-License-Identifier: MIT
// Random expressions with a fixed seed, for tests of identities.
#pragma once

#include <cstdint>
#include <random>
#include <vector>

#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"

namespace test {

/// Grows expressions of about `size` operations in the given symbols. `smooth` keeps to analytic functions.
class RandomExpression {
 public:
  RandomExpression(std::uint64_t seed, std::vector<boreon::Expr> symbols, bool smooth = true)
      : random_(seed), symbols_(std::move(symbols)), smooth_(smooth) {}

  boreon::Expr operator()(int size) {
    using namespace boreon;
    if (size <= 1)
      return pick(3) == 0
                 ? Expr(Number(static_cast<std::int64_t>(pick(19)) - 9, 1 + static_cast<std::int64_t>(pick(4))))
                 : symbols_[pick(symbols_.size())];
    const int left = 1 + static_cast<int>(pick(static_cast<std::size_t>(size - 1)));
    switch (pick(smooth_ ? 12 : 16)) {
      case 0:
      case 1:
      case 2: return (*this)(left) + (*this)(size - left);
      case 3:
      case 4:
      case 5: return (*this)(left) * (*this)(size - left);
      case 6: return (*this)(left) - (*this)(size - left);
      case 7: return (*this)(size - 1) / (2 + pow((*this)(1), 2));
      case 8: return sin((*this)(size - 1));
      case 9: return exp(cos((*this)(size - 1)));
      case 10: return sqrt(1 + pow((*this)(size - 1), 2));
      case 11: return atan((*this)(size - 1));
      case 12: return abs((*this)(size - 1));
      case 13: return max((*this)(left), (*this)(size - left));
      case 14: {
        const Expr branches[] = {(*this)(left), less((*this)(1), (*this)(2)), (*this)(size - left)};
        return piecewise(branches);
      }
      default: return pow((*this)(size - 1), static_cast<std::int64_t>(pick(4)) + 1);
    }
  }

  double number(double low, double high) {
    return low + (high - low) * (static_cast<double>(random_() >> 11U) * 0x1.0p-53);
  }
  std::size_t pick(std::size_t n) { return static_cast<std::size_t>(random_() % n); }

 private:
  std::mt19937_64 random_;
  std::vector<boreon::Expr> symbols_;
  bool smooth_;
};

}  // namespace test
