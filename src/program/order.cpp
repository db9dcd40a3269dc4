// The order of instructions decides how many values are alive at once, and with it how many leave the registers.
#include <algorithm>
#include <array>
#include <queue>

#include "program/passes.hpp"

namespace boreon {
namespace {

constexpr std::size_t registers = 14;  // of the processors with few of them

// Greedy list scheduling: of the instructions whose operands are there the one after which the fewest values are alive;
// of equals the first in the order that there was (as Goodman and Hsu, "Code scheduling and register allocation in large
// basic blocks", 1988, where registers are what is short).
class Ordering {
 public:
  explicit Ordering(const Program& p) : p_(p), n_(p.instructions.size()), missing_(n_, 0), left_(n_, 0), start_(n_ + 1, 0), done_(n_, 0) {
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
    for (std::size_t gain = ready_.size(); gain > 0;) {
      Ready& best = ready_[gain - 1];
      if (best.empty()) {
        --gain;
        continue;
      }
      const std::uint32_t k = best.top();
      best.pop();
      if (done_[k] != 0 || gain_of(k) != gain - 1) continue;  // or offered again since
      done_[k] = 1;
      order.push_back(k);
      if (pair(k)) order.push_back(k + 1);
      for_results(k, [&](std::uint32_t r) {
        if (--left_[r] != 1) return;
        for (std::uint32_t u = start_[r]; u < start_[r + 1]; ++u) {
          if (done_[users_[u]] == 0 && missing_[users_[u]] == 0) offer(users_[u]);
        }
      });
      for (std::uint32_t u = start_[k]; u < start_[pair(k) ? k + 2 : k + 1]; ++u) {
        if (--missing_[users_[u]] == 0) offer(users_[u]);
      }
      gain = ready_.size();
    }
    return order;
  }

 private:
  using Ready = std::priority_queue<std::uint32_t, std::vector<std::uint32_t>, std::greater<>>;

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
  void offer(std::uint32_t k) { ready_[gain_of(k)].push(k); }

  const Program& p_;
  std::size_t n_;
  std::vector<std::uint32_t> missing_;  // operands that are not there yet
  std::vector<std::uint32_t> left_;     // users of a result that are still to come
  std::vector<std::uint32_t> start_;    // of a result among the users
  std::vector<std::uint32_t> users_;
  std::vector<char> done_;
  std::array<Ready, 6> ready_;  // by gain
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
