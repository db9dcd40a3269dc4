// SPDX-License-Identifier: MIT
// Order: calls lose all vector registers, so all calls whose arguments are known are made together, and what is needed
// for their arguments comes before, everything else as late as its users allow.
#include <algorithm>
#include <map>
#include <unordered_map>

#include "boreon/catalogue.hpp"
#include "program/native/machine.hpp"
#include "program/passes.hpp"

namespace boreon::native {
namespace {

struct Simple {
  std::uint16_t function;
  MachineOp op;
  bool MachineChoice::*chosen;
};

// Functions of the catalogue that need no call.
const std::vector<Simple>& simple_functions() {
  static const std::vector<Simple> list = [] {
    std::vector<Simple> r;
    const auto add = [&](std::string_view name, MachineOp op, bool MachineChoice::*chosen) {
      r.push_back({row_number(name), op, chosen});
    };
    add("abs", MachineOp::absolute, nullptr);
    add("min", MachineOp::minimum, &MachineChoice::extremes);
    add("max", MachineOp::maximum, &MachineChoice::extremes);
    add("floor", MachineOp::round_down, &MachineChoice::rounding);
    add("ceil", MachineOp::round_up, &MachineChoice::rounding);
    add("trunc", MachineOp::round_to_zero, &MachineChoice::rounding);
    add("exp", MachineOp::exponential, &MachineChoice::exponential);
    add("log", MachineOp::logarithm, &MachineChoice::logarithm);
    add("sin", MachineOp::sine, &MachineChoice::circular);
    add("cos", MachineOp::cosine, &MachineChoice::circular);
    return r;
  }();
  return list;
}

class Scheduler {
 public:
  Scheduler(const Program& p, const MachineChoice& c) : p_(p), choice_(c), n_(p.instructions.size()) {}

  MachineProgram run() {
    find_calls();
    find_fused();
    find_phases();
    m_.results = static_cast<std::uint32_t>(n_);
    m_.argument_head.assign(n_, never);
    std::vector<std::vector<std::uint32_t>> by_phase(phases_ + 1);
    for (std::size_t k = 0; k < n_; ++k) {
      if (p_.instructions[k].operands > 0 && !fused_away_[k])
        by_phase[phase_[k]].push_back(static_cast<std::uint32_t>(k));
    }
    for (std::uint32_t phase = 0; phase <= phases_; ++phase) {
      for (const std::uint32_t k : by_phase[phase]) {
        if (!is_call(k)) emit(k);
      }
      gather(by_phase[phase], phase);
    }
    find_uses();
    return std::move(m_);
  }

 private:
  [[nodiscard]] bool is_call(std::size_t k) const { return call_[k] != 0; }
  // Asked for several times: found once.
  void find_calls() {
    call_.assign(n_, 0);
    for (std::size_t k = 0; k < n_; ++k) {
      const Instruction& i = p_.instructions[k];
      call_[k] = (i.op == OpCode::sine_cosine && !choice_.circular) || i.op == OpCode::power ||
                         (i.op == OpCode::call && simple(i.function) == nullptr)
                     ? 1
                     : 0;
    }
  }
  [[nodiscard]] const Simple* simple(std::uint16_t function) const {
    for (const Simple& s : simple_functions()) {
      if (s.function == function && (s.chosen == nullptr || choice_.*s.chosen)) return &s;
    }
    return nullptr;
  }

  void find_fused() {
    uses_.assign(n_, 0);
    fused_away_.assign(n_, 0);
    const auto count = [&](Operand o) {
      if (o.space == 1) ++uses_[o.index];
    };
    for (const Instruction& i : p_.instructions) for_operands(i, count);
    for (const auto& g : p_.results) std::for_each(g.begin(), g.end(), count);
    std::for_each(p_.scratch.begin(), p_.scratch.end(), count);
    if (!choice_.fuse) return;
    product_.assign(n_, never);
    const auto product = [&](Operand o) {
      return o.space == 1 && uses_[o.index] == 1 && p_.instructions[o.index].op == OpCode::multiply &&
             fused_away_[o.index] == 0;
    };
    for (std::size_t k = 0; k < n_; ++k) {
      const Instruction& i = p_.instructions[k];
      if (i.op != OpCode::add && i.op != OpCode::subtract) continue;
      const Operand chosen = product(i.b) ? i.b : i.a;  // the later one of two products: the earlier is ready as addend
      if (!product(chosen)) continue;
      const Operand other = product(i.a) && product(i.b) && i.a.index > i.b.index ? i.a : chosen;
      product_[k] = other.index;
      fused_away_[other.index] = 1;
    }
  }

  // phase of an instruction: how many rounds of calls come before it.
  void find_phases() {
    std::vector<std::uint32_t> depth(n_, 0);
    for (std::size_t k = 0; k < n_; ++k) {
      const Instruction& i = p_.instructions[k];
      if (i.operands == 0) {
        depth[k] = k > 0 ? depth[k - 1] : 0;
        continue;
      }
      std::uint32_t d = 0;
      for_operands(i, [&](Operand o) {
        if (o.space == 1) d = std::max(d, depth[o.index]);
      });
      depth[k] = d + (is_call(k) ? 1 : 0);
      phases_ = std::max(phases_, depth[k]);
    }
    // A call of depth d runs at the end of phase d - 1. Other instructions run as late as their users allow.
    phase_.assign(n_, never);
    for (std::size_t k = n_; k-- > 0;) {
      const Instruction& i = p_.instructions[k];
      if (i.operands == 0) continue;
      if (is_call(k)) {
        phase_[k] = depth[k] - 1;
      } else if (phase_[k] == never || phase_[k] < depth[k]) {
        phase_[k] = depth[k];
      }
      for_operands(i, [&](Operand o) {
        if (o.space != 1) return;
        const std::size_t at = p_.instructions[o.index].operands == 0 ? o.index - 1 : o.index;
        phase_[at] = std::min(phase_[at], phase_[k]);
      });
    }
  }

  std::uint32_t value(Operand o) {
    if (o.space == 1) return o.index;
    const std::uint64_t key = (static_cast<std::uint64_t>(o.space) << 32U) | o.index;
    const auto [at, fresh] = others_.emplace(key, static_cast<std::uint32_t>(n_ + m_.sources.size()));
    if (fresh) m_.sources.push_back(o);
    return at->second;
  }

  void emit(std::uint32_t k) {
    const Instruction& i = p_.instructions[k];
    MachineInstruction r;
    r.target = k;
    r.operands = i.operands;
    if (choice_.fuse && product_[k] != never) {
      const Instruction& p = p_.instructions[product_[k]];
      const bool first = i.a.space == 1 && i.a.index == product_[k];
      r.op = i.op == OpCode::add ? MachineOp::multiply_add
             : first             ? MachineOp::multiply_subtract
                                 : MachineOp::negative_multiply_add;
      r.operands = 3;
      r.value[0] = value(p.a);
      r.value[1] = value(p.b);
      r.value[2] = value(first ? i.b : i.a);
      m_.instructions.push_back(r);
      return;
    }
    switch (i.op) {
      case OpCode::add: r.op = MachineOp::add; break;
      case OpCode::subtract: r.op = MachineOp::subtract; break;
      case OpCode::multiply: r.op = MachineOp::multiply; break;
      case OpCode::divide: r.op = MachineOp::divide; break;
      case OpCode::negate: r.op = MachineOp::negate; break;
      case OpCode::square_root: r.op = MachineOp::square_root; break;
      case OpCode::less: r.op = MachineOp::compare, r.detail = 0x11; break;
      case OpCode::less_equal: r.op = MachineOp::compare, r.detail = 0x12; break;
      case OpCode::equal: r.op = MachineOp::compare, r.detail = 0x00; break;
      case OpCode::not_equal: r.op = MachineOp::compare, r.detail = 0x04; break;
      case OpCode::conjunction: r.op = MachineOp::conjunction; break;
      case OpCode::disjunction: r.op = MachineOp::disjunction; break;
      case OpCode::negation: r.op = MachineOp::negation; break;
      case OpCode::select: r.op = MachineOp::select; break;
      case OpCode::sine_cosine: r.op = MachineOp::sine_cosine; break;
      default: r.op = simple(i.function)->op; break;
    }
    r.value[0] = value(i.a);
    if (i.operands > 1) r.value[1] = value(i.b);
    if (i.operands > 2) r.value[2] = value(i.c);
    m_.instructions.push_back(r);
  }

  void gather(const std::vector<std::uint32_t>& phase, std::uint32_t number) {
    std::map<std::pair<OpCode, std::uint16_t>, std::size_t> of_function;
    std::vector<std::uint32_t> made;
    for (const std::uint32_t k : phase) {
      if (!is_call(k)) continue;
      const Instruction& i = p_.instructions[k];
      const auto [at, fresh] = of_function.emplace(std::pair(i.op, i.function), m_.batches.size());
      if (fresh) {
        made.push_back(static_cast<std::uint32_t>(m_.batches.size()));
        Batch b;
        b.op = i.op;
        b.function = i.function;
        b.arity = i.op == OpCode::sine_cosine ? std::uint8_t{1} : i.operands;
        m_.batches.push_back(b);
      }
      Batch& b = m_.batches[at->second];
      b.arguments[0].push_back(value(i.a));
      if (b.arity > 1) b.arguments[1].push_back(value(i.b));
      b.targets.push_back(k);
      if (i.op == OpCode::sine_cosine) b.cosines.push_back(k + 1);
    }
    std::uint32_t arguments = 0;
    for (const std::uint32_t id : made) {
      Batch& b = m_.batches[id];
      const std::uint32_t size = padded(b.targets.size(), choice_.pack);
      b.size = size;
      b.argument_place = arguments;
      arguments += size * b.arity;
      b.result_place = m_.result_entries;
      m_.result_entries += b.cosines.empty() ? size : 2 * size;
      // What this phase computes is stored among the arguments at once.
      for (unsigned a = 0; a < b.arity; ++a) {
        for (std::size_t j = 0; j < b.arguments[a].size(); ++j) {
          std::uint32_t& v = b.arguments[a][j];
          if (v >= n_ || is_call(p_.instructions[v].operands == 0 ? v - 1 : v) || phase_[v] != number) continue;
          const std::size_t last = j + 1 == b.arguments[a].size() && choice_.pack == 4
                                       ? size
                                       : j + 1;  // the last one also fills what is left of its pack
          for (std::size_t place = j; place < last; ++place) {
            m_.argument_stores.push_back(
                {b.argument_place + a * size + static_cast<std::uint32_t>(place), m_.argument_head[v]});
            m_.argument_head[v] = static_cast<std::uint32_t>(m_.argument_stores.size() - 1);
          }
          v = never;
        }
      }
      MachineInstruction r;
      r.op = MachineOp::batch;
      r.value[0] = id;
      m_.instructions.push_back(r);
    }
    m_.argument_entries = std::max(m_.argument_entries, arguments);
  }

  void find_uses() {
    m_.first_use.assign(n_ + m_.sources.size(), never);
    for (std::size_t t = m_.instructions.size(); t-- > 0;) {
      MachineInstruction& i = m_.instructions[t];
      const auto time = static_cast<std::uint32_t>(t);
      if (i.op == MachineOp::batch) {
        Batch& b = m_.batches[i.value[0]];
        for (unsigned a = 0; a < b.arity; ++a) {
          b.next[a].assign(b.arguments[a].size(), never);
          for (std::size_t j = b.arguments[a].size(); j-- > 0;) {
            const std::uint32_t v = b.arguments[a][j];
            if (v == never) continue;
            b.next[a][j] = m_.first_use[v];
          }
        }
        for (unsigned a = 0; a < b.arity; ++a) {
          for (const std::uint32_t v : b.arguments[a]) {
            if (v != never) m_.first_use[v] = time;
          }
        }
        continue;
      }
      for (unsigned a = 0; a < i.operands; ++a) i.next[a] = m_.first_use[i.value[a]];
      for (unsigned a = 0; a < i.operands; ++a) m_.first_use[i.value[a]] = time;
    }
  }

  const Program& p_;
  const MachineChoice& choice_;
  std::size_t n_;
  MachineProgram m_;
  std::vector<std::uint32_t> uses_;
  std::vector<char> fused_away_;
  std::vector<char> call_;
  std::vector<std::uint32_t> product_;
  std::vector<std::uint32_t> phase_;
  std::uint32_t phases_ = 0;
  std::unordered_map<std::uint64_t, std::uint32_t> others_;
};

}  // namespace

std::uint32_t padded(std::size_t n, unsigned pack) {
  const std::size_t rest = n % pack;
  // one call that is left over is made alone; eight at once read no more arguments than there are
  if (pack <= 1 || rest <= 1) return static_cast<std::uint32_t>(n);
  return static_cast<std::uint32_t>(n - rest + pack);
}

MachineProgram schedule(const Program& program, const MachineChoice& choice) {
  return Scheduler(program, choice).run();
}

}  // namespace boreon::native
