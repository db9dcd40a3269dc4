// SPDX-License-Identifier: MIT
// One machine operation after the other.
#include <algorithm>

#include "program/native/emitter.hpp"

namespace boreon::native {

namespace x86 = asmjit::x86;
namespace Inst = x86::Inst;

void Emitter::copy(Vec to, Vec from) {
  if (to.id() == from.id()) return;
  a_.emit(options_.set == InstructionSet::sse2 ? Inst::kIdMovapd : Inst::kIdVmovapd, to, from);
}

// target = a op b. The processor's older form overwrites its first operand.
void Emitter::emit3(Inst::Id sse, Inst::Id vex, Vec target, Vec a, const Op& b) {
  if (options_.set != InstructionSet::sse2) {
    a_.emit(vex, target, a, b);
    return;
  }
  if (b.isReg() && b.id() == target.id() && a.id() != target.id()) {
    copy(vec(0), b.as<Vec>());
    copy(target, a);
    a_.emit(sse, target, vec(0));
    return;
  }
  copy(target, a);
  a_.emit(sse, target, b);
}

// The operands have been read: those with no further use leave their registers.
void Emitter::pass(const MachineInstruction& i) {
  for (unsigned k = 0; k < i.operands; ++k) {
    where_[i.value[k]].next = i.next[k];
    if (i.next[k] == never) release(i.value[k]);
  }
  pinned_.fill(never);
}

void Emitter::define(std::uint32_t value, std::uint32_t reg) {
  where_[value].reg = reg;
  holder_[reg] = value;
}

// Stores a fresh result wherever it is wanted.
void Emitter::defined(std::uint32_t value) {
  Where& w = where_[value];
  const Vec reg = vec(w.reg);
  for (std::uint32_t s = machine_.argument_head[value]; s != never; s = machine_.argument_stores[s].next)
    store_numbers(work(machine_.argument_stores[s].place), reg);
  finish_stores(value);
  if (w.next == never) release(value);
}

void Emitter::finish_stores(std::uint32_t value) {
  Where& w = where_[value];
  for (std::uint32_t l = stores_.head[value]; l != never; l = stores_.links[l].next) {
    const auto& s = stores_.links[l];
    store(s.group, s.index, vec(w.reg));
    if (w.home == Home::none && options_.layout != Layout::rows) {
      w.home = Home::output;
      w.group = s.group;
      w.place = s.index;
    }
  }
}

void Emitter::instruction(const MachineInstruction& i) {
  const bool one = lanes_ == 1;
  const auto either = [&](Inst::Id scalar, Inst::Id packed) { return one ? scalar : packed; };
  switch (i.op) {
    case MachineOp::add: binary(Inst::kIdAddsd, either(Inst::kIdVaddsd, Inst::kIdVaddpd), i, true); break;
    case MachineOp::subtract: binary(Inst::kIdSubsd, either(Inst::kIdVsubsd, Inst::kIdVsubpd), i, false); break;
    case MachineOp::multiply: binary(Inst::kIdMulsd, either(Inst::kIdVmulsd, Inst::kIdVmulpd), i, true); break;
    case MachineOp::divide: binary(Inst::kIdDivsd, either(Inst::kIdVdivsd, Inst::kIdVdivpd), i, false); break;
    case MachineOp::negate: with_mask(Inst::kIdVxorpd, sign_bits, i); break;
    case MachineOp::absolute: with_mask(Inst::kIdVandpd, value_bits, i); break;
    case MachineOp::square_root: root(i); break;
    case MachineOp::multiply_add:
    case MachineOp::multiply_subtract:
    case MachineOp::negative_multiply_add: fused(i); break;
    case MachineOp::round_down: rounded(i, 9); break;
    case MachineOp::round_up: rounded(i, 10); break;
    case MachineOp::round_to_zero: rounded(i, 11); break;
    case MachineOp::exponential:
    case MachineOp::logarithm: inlined(i); break;
    case MachineOp::sine:
    case MachineOp::cosine:
    case MachineOp::sine_cosine: circular(i); break;
    case MachineOp::minimum:
    case MachineOp::maximum: extreme(i); break;
    case MachineOp::compare: compare(i); break;
    case MachineOp::conjunction:
    case MachineOp::disjunction:
    case MachineOp::negation: logic(i); break;
    case MachineOp::select: select(i); break;
    case MachineOp::batch: break;
  }
  defined(i.target);
  if (i.op == MachineOp::sine_cosine) defined(i.target + 1);
}

void Emitter::binary(Inst::Id sse, Inst::Id vex, const MachineInstruction& instruction, bool commutes) {
  MachineInstruction i = instruction;
  const auto held = [&](unsigned k) { return where_[i.value[k]].reg != never; };
  const auto swap = [&] {
    std::swap(i.value[0], i.value[1]);
    std::swap(i.next[0], i.next[1]);
  };
  // The first operand has to be in a register; let it be the one that is, or the one that is needed again.
  if (commutes && !held(0) && (held(1) || (i.next[0] == never && i.next[1] != never))) swap();
  if (held(1)) pinned_[1] = where_[i.value[1]].reg;
  const std::uint32_t a = in_register(i.value[0]);
  pinned_[0] = a;
  const Op b = anywhere(i.value[1], i.next[1], true);
  pass(i);
  const std::uint32_t target = take();
  emit3(sse, vex, vec(target), vec(a), b);
  define(i.target, target);
}

void Emitter::with_mask(Inst::Id vex, Mask mask, const MachineInstruction& i) {
  const std::uint32_t a = in_register(i.value[0]);
  pass(i);
  const std::uint32_t target = take();
  Mem m = constant_mask(mask);
  emit3(vex == Inst::kIdVxorpd ? Inst::kIdXorpd : Inst::kIdAndpd, vex, vec(target), vec(a), m);
  define(i.target, target);
}

void Emitter::root(const MachineInstruction& i) {
  const std::uint32_t a = in_register(i.value[0]);
  pass(i);
  const std::uint32_t target = take();
  if (options_.set == InstructionSet::sse2) {
    a_.emit(Inst::kIdSqrtsd, vec(target), vec(a));
  } else if (lanes_ == 1) {
    a_.emit(Inst::kIdVsqrtsd, vec(target), vec(a), vec(a));
  } else {
    a_.emit(Inst::kIdVsqrtpd, vec(target), vec(a));
  }
  define(i.target, target);
}

void Emitter::rounded(const MachineInstruction& i, int mode) {
  const std::uint32_t a = in_register(i.value[0]);
  pass(i);
  const std::uint32_t target = take();
  if (options_.set == InstructionSet::avx512) {
    if (lanes_ == 1) {
      a_.emit(Inst::kIdVrndscalesd, vec(target), vec(a), vec(a), asmjit::Imm(mode));
    } else {
      a_.emit(Inst::kIdVrndscalepd, vec(target), vec(a), asmjit::Imm(mode));
    }
  } else if (lanes_ == 1) {
    a_.emit(Inst::kIdVroundsd, vec(target), vec(a), vec(a), asmjit::Imm(mode));
  } else {
    a_.emit(Inst::kIdVroundpd, vec(target), vec(a), asmjit::Imm(mode));
  }
  define(i.target, target);
}

void Emitter::fused(const MachineInstruction& i) {
  struct Forms {
    Inst::Id f213, f231;
  };
  const bool one = lanes_ == 1;
  const Forms f = i.op == MachineOp::multiply_add        ? (one ? Forms{Inst::kIdVfmadd213sd, Inst::kIdVfmadd231sd}
                                                                : Forms{Inst::kIdVfmadd213pd, Inst::kIdVfmadd231pd})
                  : i.op == MachineOp::multiply_subtract ? (one ? Forms{Inst::kIdVfmsub213sd, Inst::kIdVfmsub231sd}
                                                                : Forms{Inst::kIdVfmsub213pd, Inst::kIdVfmsub231pd})
                                                         : (one ? Forms{Inst::kIdVfnmadd213sd, Inst::kIdVfnmadd231sd}
                                                                : Forms{Inst::kIdVfnmadd213pd, Inst::kIdVfnmadd231pd});
  unsigned a = 0;
  unsigned b = 1;
  constexpr unsigned c = 2;
  const auto held = [&](unsigned k) { return where_[i.value[k]].reg != never; };
  const auto dying = [&](unsigned k) { return held(k) && i.next[k] == never; };
  const auto pin = [&] {
    for (unsigned k = 0; k < 3; ++k) pinned_[k] = where_[i.value[k]].reg;
  };
  // A register that leaves its value and becomes the result's.
  const auto taken_over = [&](unsigned k) {
    const std::uint32_t r = where_[i.value[k]].reg;
    where_[i.value[k]].reg = never;
    holder_[r] = never;
    return r;
  };
  pin();
  std::uint32_t target = never;
  if (dying(c)) {
    if (!held(a) && held(b)) std::swap(a, b);
    const Vec x = vec(in_register(i.value[a]));
    pin();
    const Op y = anywhere(i.value[b], i.next[b], true);
    target = taken_over(c);
    a_.emit(f.f231, vec(target), x, y);
  } else if (dying(a) || dying(b)) {
    if (!dying(a)) std::swap(a, b);
    const Vec x = vec(in_register(i.value[b]));
    pin();
    const Op y = anywhere(i.value[c], i.next[c], true);
    target = taken_over(a);
    a_.emit(f.f213, vec(target), x, y);
  } else {
    const auto loadable = [&](unsigned k) { return !held(k) && where_[i.value[k]].home != Home::none; };
    if (!loadable(a) && loadable(b)) std::swap(a, b);
    const auto loaded = [&](unsigned k) {
      const std::uint32_t r = take();
      pinned_[3] = r;
      load_numbers(vec(r), home_of(i.value[k]),
                   where_[i.value[k]].home == Home::source && uniform(machine_.sources[i.value[k] - machine_.results]));
      return r;
    };
    if (loadable(a)) {
      const Vec x = vec(in_register(i.value[b]));
      pin();
      target = loaded(a);
      const Op y = anywhere(i.value[c], i.next[c], true);
      a_.emit(f.f213, vec(target), x, y);
    } else {
      const Vec x = vec(in_register(i.value[a]));
      pin();
      const Vec y = vec(in_register(i.value[b]));
      pin();
      if (loadable(c)) {
        target = loaded(c);
      } else {
        (void)in_register(i.value[c]);
        pin();
        target = take();
        copy(vec(target), vec(where_[i.value[c]].reg));
      }
      a_.emit(f.f231, vec(target), x, y);
    }
  }
  pinned_[3] = target;
  pass(i);
  define(i.target, target);
}

// A condition of the last comparison (mask register 1, or scratch register 0) as the number 1 or 0.
void Emitter::truth(std::uint32_t target) {
  const Mem one = constant_mask(ones);
  if (options_.set == InstructionSet::avx512) {
    if (lanes_ == 1) {
      a_.k(x86::k1).z().vmovsd(x86::xmm(target), one);
    } else {
      a_.k(x86::k1).z().vmovapd(x86::zmm(target), one);
    }
  } else {
    emit3(Inst::kIdAndpd, Inst::kIdVandpd, vec(target), vec(0), one);
  }
}

namespace {

// Which comparison of numbers: the processor's predicate, in the older form with its few predicates.
unsigned old_predicate(unsigned p) { return p & 7U; }

}  // namespace

void Emitter::compare(const MachineInstruction& i) {
  const std::uint32_t a = in_register(i.value[0]);
  pinned_[0] = a;
  const Op b = anywhere(i.value[1], i.next[1], options_.set == InstructionSet::avx512);
  pass(i);
  const std::uint32_t target = take();
  const asmjit::Imm predicate(i.detail);
  if (options_.set == InstructionSet::avx512) {
    a_.emit(lanes_ == 1 ? Inst::kIdVcmpsd : Inst::kIdVcmppd, x86::k1, vec(a), b, predicate);
  } else if (options_.set == InstructionSet::avx2) {
    a_.emit(lanes_ == 1 ? Inst::kIdVcmpsd : Inst::kIdVcmppd, vec(0), vec(a), b, predicate);
  } else {
    copy(vec(0), vec(a));
    a_.emit(Inst::kIdCmpsd, vec(0), b, asmjit::Imm(old_predicate(i.detail)));
  }
  truth(target);
  define(i.target, target);
}

void Emitter::logic(const MachineInstruction& i) {
  const std::uint32_t a = in_register(i.value[0]);
  pinned_[0] = a;
  std::uint32_t b = a;
  if (i.operands > 1) {
    b = in_register(i.value[1]);
    pinned_[1] = b;
  }
  pass(i);
  const std::uint32_t target = take();
  const Mem zero = constant_mask(zeros);
  const int differs = i.op == MachineOp::negation ? 0 : 4;  // equal, or unequal or not a number
  if (options_.set == InstructionSet::avx512) {
    const Inst::Id id = lanes_ == 1 ? Inst::kIdVcmpsd : Inst::kIdVcmppd;
    a_.emit(id, x86::k1, vec(a), zero, asmjit::Imm(differs));
    if (i.operands > 1) {
      a_.emit(id, x86::k2, vec(b), zero, asmjit::Imm(differs));
      i.op == MachineOp::conjunction ? a_.kandw(x86::k1, x86::k1, x86::k2) : a_.korw(x86::k1, x86::k1, x86::k2);
    }
  } else {
    const bool old = options_.set == InstructionSet::sse2;
    const auto test = [&](std::uint32_t into, std::uint32_t from) {
      if (old) {
        copy(vec(into), vec(from));
        a_.emit(Inst::kIdCmpsd, vec(into), zero, asmjit::Imm(differs));
      } else {
        a_.emit(lanes_ == 1 ? Inst::kIdVcmpsd : Inst::kIdVcmppd, vec(into), vec(from), zero, asmjit::Imm(differs));
      }
    };
    test(0, a);
    if (i.operands > 1) {
      indexed_table_ = never;  // scratch register 1
      test(1, b);
      const bool both = i.op == MachineOp::conjunction;
      emit3(both ? Inst::kIdAndpd : Inst::kIdOrpd, both ? Inst::kIdVandpd : Inst::kIdVorpd, vec(0), vec(0), vec(1));
    }
  }
  truth(target);
  define(i.target, target);
}

void Emitter::select(const MachineInstruction& i) {
  const std::uint32_t condition = in_register(i.value[0]);
  pinned_[0] = condition;
  const std::uint32_t yes = in_register(i.value[1]);
  pinned_[1] = yes;
  const std::uint32_t no = in_register(i.value[2]);
  pinned_[2] = no;
  pass(i);
  const std::uint32_t target = take();
  const Mem zero = constant_mask(zeros);
  if (options_.set == InstructionSet::avx512) {
    a_.emit(lanes_ == 1 ? Inst::kIdVcmpsd : Inst::kIdVcmppd, x86::k1, vec(condition), zero, asmjit::Imm(4));
    a_.k(x86::k1).emit(Inst::kIdVblendmpd, vec(target), vec(no), vec(yes));
  } else if (options_.set == InstructionSet::avx2) {
    a_.emit(lanes_ == 1 ? Inst::kIdVcmpsd : Inst::kIdVcmppd, vec(0), vec(condition), zero, asmjit::Imm(4));
    a_.emit(Inst::kIdVblendvpd, vec(target), vec(no), vec(yes), vec(0));
  } else {
    copy(vec(0), vec(condition));
    a_.emit(Inst::kIdCmpsd, vec(0), zero, asmjit::Imm(4));
    copy(vec(1), vec(0));
    a_.emit(Inst::kIdAndpd, vec(1), vec(yes));
    a_.emit(Inst::kIdAndnpd, vec(0), vec(no));
    a_.emit(Inst::kIdOrpd, vec(0), vec(1));
    copy(vec(target), vec(0));
  }
  define(i.target, target);
}

// As fmin and fmax: a number beside a NaN is the result. The instruction gives its second operand if either is NaN.
void Emitter::extreme(const MachineInstruction& i) {
  const bool least = i.op == MachineOp::minimum;
  const std::uint32_t a = in_register(i.value[0]);
  pinned_[0] = a;
  const std::uint32_t b = in_register(i.value[1]);
  pinned_[1] = b;
  indexed_table_ = never;
  const Inst::Id id =
      lanes_ == 1 ? (least ? Inst::kIdVminsd : Inst::kIdVmaxsd) : (least ? Inst::kIdVminpd : Inst::kIdVmaxpd);
  pass(i);
  const std::uint32_t target = take();
  if (options_.set == InstructionSet::avx512) {
    a_.emit(lanes_ == 1 ? Inst::kIdVcmpsd : Inst::kIdVcmppd, x86::k1, vec(b), vec(b), asmjit::Imm(3));
    a_.emit(id, vec(1), vec(a), vec(b));
    a_.k(x86::k1).emit(Inst::kIdVblendmpd, vec(target), vec(1), vec(a));
  } else if (options_.set == InstructionSet::avx2) {
    a_.emit(lanes_ == 1 ? Inst::kIdVcmpsd : Inst::kIdVcmppd, vec(0), vec(b), vec(b), asmjit::Imm(3));
    a_.emit(id, vec(1), vec(a), vec(b));
    a_.emit(Inst::kIdVblendvpd, vec(target), vec(1), vec(a), vec(0));
  } else {
    copy(vec(0), vec(b));
    a_.emit(Inst::kIdCmpsd, vec(0), vec(b), asmjit::Imm(3));
    copy(vec(1), vec(a));
    a_.emit(least ? Inst::kIdMinsd : Inst::kIdMaxsd, vec(1), vec(b));
    // (b is NaN) ? a : vec(1); `target` may be a's register, so it is written last
    Vec spare = vec(1);
    a_.emit(Inst::kIdXorpd, spare, vec(a));   // differing bits
    a_.emit(Inst::kIdAndnpd, vec(0), spare);  // kept where b is a number
    a_.emit(Inst::kIdXorpd, vec(0), vec(a));
    copy(vec(target), vec(0));
  }
  define(i.target, target);
}

}  // namespace boreon::native
