// SPDX-License-Identifier: MIT
// Batches of calls: arguments and results stand in memory, so that nothing has to be saved one by one.
#include <algorithm>

#include "program/native/emitter.hpp"
#include "program/native/functions.hpp"

namespace boreon::native {

namespace x86 = asmjit::x86;
namespace Inst = x86::Inst;

void Emitter::call_address(const void* function) {
  a_.mov(x86::rax, asmjit::Imm(reinterpret_cast<std::uintptr_t>(function)));
  a_.call(x86::rax);
}

// A call on `width` numbers from entry `at` of the arguments on.
void Emitter::call_pack(const Batch& b, std::uint32_t half, unsigned width, std::uint32_t at, std::uint32_t result) {
  const LibraryFunction f = library_function(b.op, b.function, half == 0 ? Sine::sine : Sine::cosine);
  const bool single = width == 1;
  const Inst::Id move =
      single ? (options_.set == InstructionSet::sse2 ? Inst::kIdMovsd : Inst::kIdVmovsd) : Inst::kIdVmovupd;
  const std::uint32_t there = b.argument_place + static_cast<std::uint32_t>(b.targets.size());
  const std::uint32_t count = lanes_ == 1 ? std::min<std::uint32_t>(width, there - at) : width;
  if (count < width && width == 8) {
    // lanes without an argument repeat the first one
    a_.mov(x86::eax, static_cast<int>((1U << count) - 1));
    a_.kmovw(x86::k1, x86::eax);
    for (std::uint32_t k = 0; k < b.arity; ++k) {
      a_.vbroadcastsd(x86::zmm(k), work(at + k * b.size));
      a_.k(x86::k1).vmovupd(x86::zmm(k), work(at + k * b.size));
    }
  } else {
    a_.emit(move, wide(0, width), work(at));
    if (b.arity > 1) a_.emit(move, wide(1, width), work(at + b.size));
  }
  if (single && upper_dirty_) a_.vzeroupper();
  call_address(single ? f.one : width == 4 ? f.four : f.eight);
  if (!single) upper_dirty_ = true;
  a_.emit(move, work(machine_.argument_entries + result), wide(0, width));
}

void Emitter::batch(Batch& b) {
  // Arguments that were not stored when they were computed.
  const auto n = static_cast<std::uint32_t>(b.targets.size());
  const std::uint32_t size = b.size;
  for (unsigned k = 0; k < b.arity; ++k) {
    for (std::uint32_t j = 0; j < n; ++j) {
      const std::uint32_t v = b.arguments[k][j];
      if (v == never) continue;
      const std::uint32_t last = j + 1 == n && lanes_ == 1 && options_.set == InstructionSet::avx2 ? size : j + 1;
      const Vec r = vec(in_register(v));
      for (std::uint32_t place = j; place < last; ++place) store_numbers(work(b.argument_place + k * size + place), r);
    }
  }
  for (unsigned k = 0; k < b.arity; ++k) {  // only now: several calls may have the same argument
    for (std::uint32_t j = 0; j < n; ++j) {
      const std::uint32_t v = b.arguments[k][j];
      if (v == never) continue;
      where_[v].next = b.next[k][j];
      if (b.next[k][j] == never) release(v);
    }
  }
  lose_all();
  const bool library =
      library_function(b.op, b.function, Sine::sine).one != nullptr && !(options_.strict && b.op == OpCode::call);
  const bool packs =
      lanes_ > 1 ? library && !options_.strict : library && !options_.strict && options_.set != InstructionSet::sse2;
  // Measured: eight at once take as long as this many alone.
  const std::uint32_t least = options_.set != InstructionSet::avx512 ? 2 : b.op == OpCode::sine_cosine ? 2 : 3;
  for (std::uint32_t half = 0; half < (b.cosines.empty() ? 1U : 2U); ++half) {
    const std::uint32_t result = b.result_place + half * size;
    if (lanes_ > 1 && packs) {
      for (std::uint32_t j = 0; j < n; ++j) call_pack(b, half, lanes_, b.argument_place + j, result + j);
    } else if (lanes_ == 1 && library) {
      for (std::uint32_t j = 0; j < n;) {
        const std::uint32_t left = n - j;
        const unsigned width = !packs || left < least ? 1 : options_.set == InstructionSet::avx512 ? 8 : 4;
        call_pack(b, half, width, b.argument_place + j, result + j);
        j += width;
      }
    } else if (library && options_.strict && lanes_ > 1 && b.op != OpCode::call) {
      // one number after the other, as the interpreter does
      const LibraryFunction f = library_function(b.op, b.function, half == 0 ? Sine::sine : Sine::cosine);
      a_.vzeroupper();
      for (std::uint32_t j = 0; j < n * lanes_; ++j) {
        a_.vmovsd(x86::xmm0, x86::ptr(work_, static_cast<std::int32_t>((b.argument_place * lanes_ + j) * 8)));
        if (b.arity > 1)
          a_.vmovsd(x86::xmm1,
                    x86::ptr(work_, static_cast<std::int32_t>(((b.argument_place + size) * lanes_ + j) * 8)));
        call_address(f.one);
        a_.vmovsd(x86::ptr(work_, static_cast<std::int32_t>(((machine_.argument_entries + result) * lanes_ + j) * 8)),
                  x86::xmm0);
      }
    } else {
      a_.mov(x86::edi, static_cast<int>(b.function));
      a_.mov(x86::esi, static_cast<int>(b.arity));
      a_.lea(x86::rdx, work(b.argument_place));
      a_.lea(x86::rcx, work(b.argument_place + (b.arity > 1 ? size : 0)));
      a_.lea(x86::r8, work(machine_.argument_entries + result));
      a_.mov(x86::r9d, static_cast<int>(n * lanes_));
      if (options_.set != InstructionSet::sse2) a_.vzeroupper();
      call_address(reinterpret_cast<const void*>(&boreon_call_row));
    }
    const std::vector<std::uint32_t>& targets = half == 0 ? b.targets : b.cosines;
    for (std::uint32_t j = 0; j < n; ++j) {
      Where& w = where_[targets[j]];
      w.home = Home::result;
      w.place = result + j;
    }
  }
  forget_pointers(false);
  for (const auto* targets : {&b.targets, &b.cosines}) {
    for (const std::uint32_t v : *targets) {
      if (stores_.head[v] == never) continue;
      load(take(), v);
      finish_stores(v);
      if (where_[v].next == never) release(v);
    }
  }
}

}  // namespace boreon::native
