// SPDX-License-Identifier: MIT
// The order of instructions decides how many values are alive at once, and with it how many leave the registers.
#include <algorithm>
#include <array>
#include <bit>
#include <cstdint>
#include <vector>

#include "program/passes.hpp"

namespace boreon {
namespace {

constexpr std::size_t registers = 14;  // of the processors with few of them

// A set of numbers below a bound that finds its least one: bits, and bits for words that are not empty.
class FirstOf {
 public:
  void resize(std::size_t n) {
    levels_.clear();
    do {
      n = (n + 63) / 64;
      levels_.emplace_back(n, 0);
    } while (n > 1);
  }
  void insert(std::uint32_t k) {
    for (auto& level : levels_) {
      level[k / 64] |= std::uint64_t{1} << (k % 64);
      k /= 64;
    }
  }
  void erase(std::uint32_t k) {
    for (auto& level : levels_) {
      level[k / 64] &= ~(std::uint64_t{1} << (k % 64));
      if (level[k / 64] != 0) return;
      k /= 64;
    }
  }
  [[nodiscard]] bool empty() const { return levels_.back()[0] == 0; }
  [[nodiscard]] std::uint32_t least() const {
    std::uint32_t k = 0;
    for (std::size_t l = levels_.size(); l-- > 0;)
      k = 64 * k + static_cast<std::uint32_t>(std::countr_zero(levels_[l][k]));
    return k;
  }

 private:
  std::vector<std::vector<std::uint64_t>> levels_;
};

// Greedy list scheduling: of the instructions whose operands are there the one after which the fewest values are alive;
// of equals one that another waits for whose other operands are there, then the first in the order that there was (as
// Goodman and Hsu, "Code scheduling and register allocation in large basic blocks", 1988, where registers are short).
class Ordering {
 public:
  explicit Ordering(const Program& p)
      : p_(p),
        n_(p.instructions.size()),
        missing_(n_, 0),
        left_(n_, 0),
        start_(n_ + 1, 0),
        rank_(n_, none),
        awaited_(n_, 0) {
    for (FirstOf& r : ready_) r.resize(n_);
    for (std::size_t k = 0; k < n_; ++k) {
      for_results(k, [&](std::uint32_t r) { ++start_[r + 1]; });
    }
    for (std::size_t r = 0; r < n_; ++r) {
      left_[r] = start_[r + 1];
      start_[r + 1] += start_[r];
    }
    users_.resize(start_[n_]);
    std::vector<std::uint32_t> next(start_.begin(), start_.end() - 1);
    for (std::size_t k = 0; k < n_; ++k) {
      for_results(k, [&](std::uint32_t r) {
        users_[next[r]++] = static_cast<std::uint32_t>(k);
        ++missing_[k];
      });
    }
  }

  std::vector<std::uint32_t> run() {
    std::vector<std::uint32_t> order;
    order.reserve(n_);
    for (std::size_t k = 0; k < n_; ++k) {
      if (missing_[k] == 0 && p_.instructions[k].operands > 0) offer(static_cast<std::uint32_t>(k));
    }
    for (std::size_t rank = ready_.size(); rank > 0;) {
      if (ready_[rank - 1].empty()) {
        --rank;
        continue;
      }
      const std::uint32_t k = ready_[rank - 1].least();
      ready_[rank - 1].erase(k);
      rank_[k] = none;
      order.push_back(k);
      if (pair(k)) order.push_back(k + 1);
      for_results(k, [&](std::uint32_t r) {
        if (--left_[r] != 1) return;
        for (std::uint32_t u = start_[r]; u < start_[r + 1]; ++u) {
          if (rank_[users_[u]] != none) offer(users_[u]);
        }
      });
      for (std::uint32_t u = start_[k]; u < start_[pair(k) ? k + 2 : k + 1]; ++u) {
        const std::uint32_t user = users_[u];
        if (--missing_[user] == 0) offer(user);
        if (missing_[user] == 1) await_operands(user);
      }
      rank = ready_.size();
    }
    return order;
  }

 private:
  // The results that an instruction reads, each once.
  template <class F>
  void for_results(std::size_t k, F f) const {
    const Instruction& i = p_.instructions[k];
    const auto result = [](Operand o) { return o.space == 1; };
    if (i.operands > 0 && result(i.a)) f(i.a.index);
    if (i.operands > 1 && result(i.b) && !(i.b == i.a)) f(i.b.index);
    if (i.operands > 2 && result(i.c) && !(i.c == i.a) && !(i.c == i.b)) f(i.c.index);
  }
  [[nodiscard]] bool pair(std::size_t k) const { return k + 1 < n_ && p_.instructions[k + 1].operands == 0; }

  // How many values an instruction ends, less those that begin; from 0 on.
  [[nodiscard]] std::size_t gain_of(std::uint32_t k) const {
    std::size_t gain = 2;
    for_results(k, [&](std::uint32_t r) { gain += left_[r] == 1 ? 1U : 0U; });
    if (start_[k + 1] != start_[k]) --gain;
    if (pair(k) && start_[k + 2] != start_[k + 1]) --gain;
    return gain;
  }
  // Among those that are ready, where it belongs now.
  void offer(std::uint32_t k) {
    if (rank_[k] != none) ready_[rank_[k]].erase(k);
    rank_[k] = static_cast<std::uint8_t>(2 * gain_of(k) + awaited_[k]);
    ready_[rank_[k]].insert(k);
  }
  // What an instruction still misses of its operands, and what those miss.
  void await_operands(std::uint32_t user) {
    stack_.assign(1, user);
    while (!stack_.empty()) {
      const std::uint32_t top = stack_.back();
      stack_.pop_back();
      for_results(top, [&](std::uint32_t r) {
        const std::uint32_t k = p_.instructions[r].operands == 0 ? r - 1 : r;
        if (awaited_[k] != 0) return;
        awaited_[k] = 1;  // has no effect on what is done
        if (rank_[k] != none) {
          offer(k);
        } else if (missing_[k] > 0) {
          stack_.push_back(k);
        }
      });
    }
  }

  const Program& p_;
  std::size_t n_;
  std::vector<std::uint32_t> missing_;  // operands that are not there yet
  std::vector<std::uint32_t> left_;     // users of a result that are still to come
  std::vector<std::uint32_t> start_;    // of a result among the users
  std::vector<std::uint32_t> users_;
  static constexpr std::uint8_t none = 0xff;
  std::vector<std::uint8_t> rank_;     // of those that are ready
  std::vector<std::uint8_t> awaited_;  // another waits for it whose other operand is there
  std::vector<std::uint32_t> stack_;
  std::array<FirstOf, 12> ready_;  // by rank
};

// How far the values that are alive exceed the registers, added up over the program.
std::size_t excess(const Program& p, const std::vector<std::uint32_t>* order) {
  const std::size_t n = p.instructions.size();
  std::vector<std::uint32_t> last(n, 0);
  const auto at = [&](std::size_t t) { return order == nullptr ? static_cast<std::uint32_t>(t) : (*order)[t]; };
  for (std::size_t t = 0; t < n; ++t) {
    for_operands(p.instructions[at(t)], [&](Operand o) {
      if (o.space == 1) last[o.index] = static_cast<std::uint32_t>(t);
    });
  }
  std::size_t alive = 0;
  std::size_t sum = 0;
  for (std::size_t t = 0; t < n; ++t) {
    const std::uint32_t k = at(t);
    if (last[k] != 0) ++alive;
    for_operands(p.instructions[k], [&](Operand o) {
      if (o.space != 1 || last[o.index] != t) return;
      --alive;
      last[o.index] = 0;
    });
    if (alive > registers) sum += alive - registers;
  }
  return sum;
}

}  // namespace

void order_for_registers(Program& program) {
  const std::size_t before = excess(program, nullptr);
  if (before == 0) return;
  const std::vector<std::uint32_t> order = Ordering(program).run();
  if (excess(program, &order) < before) reorder(program, order);
}

}  // namespace boreon
