// SPDX-License-Identifier: MIT
// Functions in place of calls, several numbers at once: no register is lost, nothing goes through memory. Reduction to
// a small range and a minimax polynomial, as in Muller, "Elementary Functions", 3rd edition, chapters 3 and 11; the
// coefficients were computed by exchange (Remez) in 60 digits for the relative error of the result.
#include <array>
#include <bit>

#include "program/native/emitter.hpp"
#include "program/native/functions.hpp"

namespace boreon::native {

namespace x86 = asmjit::x86;
namespace Inst = x86::Inst;

namespace {

// Adding it rounds to a whole number, which then stands in the low bits.
constexpr double magic = 0x1.8p52;

// exp(r) = 1 + r + r^2*q(r): for |r| <= log(2)/16 to 3e-18, for |r| <= log(2)/2 to 4e-18. The highest power first.
constexpr std::array<double, 6> exp_short = {0x1.a020798d4afd0p-13, 0x1.6c1cc14c6c1ffp-10, 0x1.11111107cba85p-7,
                                             0x1.55555547f88dap-5,  0x1.5555555555661p-3,  0x1.000000000010fp-1};
constexpr std::array<double, 10> exp_long = {
    0x1.ad7ffae58e1b1p-26, 0x1.28ad726abbc47p-22, 0x1.71df24fb7098cp-19, 0x1.a0199a0cbe82dp-16, 0x1.a01a012a7d925p-13,
    0x1.6c16c18429fe1p-10, 0x1.1111111127b7ap-7,  0x1.555555555087cp-5,  0x1.55555555554fap-3,  0x1.000000000000ap-1};
// 2^(k/8)
constexpr std::array<double, 8> eighths = {1,
                                           0x1.172b83c7d517bp+0,
                                           0x1.306fe0a31b715p+0,
                                           0x1.4bfdad5362a27p+0,
                                           0x1.6a09e667f3bcdp+0,
                                           0x1.8ace5422aa0dbp+0,
                                           0x1.ae89f995ad3adp+0,
                                           0x1.d5818dcfba487p+0};
// log((1 + s)/(1 - s)) = 2*s + s*(z*p(z)) with z = s^2 <= 1/25, to 3e-17 of s.
constexpr std::array<double, 7> log_coefficients = {0x1.3adab55dea2a2p-3, 0x1.384f294badb06p-3, 0x1.747511e8a2594p-3,
                                                    0x1.c71c003c9fbacp-3, 0x1.249249b3f36e3p-2, 0x1.99999998ee27fp-2,
                                                    0x1.5555555555780p-1};
// The first bits of log(2), so that products with whole exponents are exact, and the rest.
constexpr double log2_high = 0x1.62e42feep-1;
constexpr double log2_low = 0x1.a39ef35793c76p-33;
// sin(r) = r + r*z*s(z), cos(r) = 1 - z/2 + z^2*c(z) with z = r^2 for |r| <= pi/4, to 3e-18.
constexpr std::array<double, 6> sin_coefficients = {0x1.5d923e0427e0fp-33, -0x1.ae5e63ab7cff0p-26,
                                                    0x1.71de3574883abp-19, -0x1.a01a019c0e06dp-13,
                                                    0x1.111111110f85ep-7,  -0x1.5555555555549p-3};
constexpr std::array<double, 6> cos_coefficients = {-0x1.8fadd3fc2503dp-37, 0x1.1ee9ea73bb557p-29,
                                                    -0x1.27e4f807e08a1p-22, 0x1.a01a019caf01fp-16,
                                                    -0x1.6c16c16c15163p-10, 0x1.555555555554cp-5};
// pi/2 in three positive parts, so that -0 stays -0 (Cody and Waite, "Software Manual for the Elementary Functions",
// 1980).
constexpr std::array<double, 3> half_pi = {0x1.921fb54442d18p+0, 0x1.1a62633145c06p-54, 0x1.c1cd129024e08p-107};
constexpr double per_half_pi = 0x1.45f306dc9c883p-1;
constexpr double large = 0x1p27;  // beyond: the library, which reduces by many digits

constexpr double per_log2 = 0x1.71547652b82fep0;

}  // namespace

// A number as an operand of an instruction on all lanes.
Emitter::Mem Emitter::spread(double number) {
  const Mem m = x86::ptr(pool_, image(number));
  return lanes_ == 8 ? m._1to8() : m;
}

void Emitter::load_spread(std::uint32_t reg, double number) {
  load_numbers(vec(reg), x86::ptr(pool_, image(number)), true);
}

// target = (...(c0*x + c1)*x + ...)
void Emitter::polynomial(std::uint32_t target, std::uint32_t x, std::span<const double> coefficients) {
  load_spread(target, coefficients[0]);
  for (const double c : coefficients.subspan(1)) a_.emit(Inst::kIdVfmadd213pd, vec(target), vec(x), spread(c));
}

// The same with an even number of coefficients, in half as many steps after another: even and odd powers apart. Leaves
// x^2 in `square`.
void Emitter::two_polynomials(std::uint32_t target, std::uint32_t x, std::span<const double> coefficients,
                              std::uint32_t square, std::uint32_t odd) {
  a_.emit(Inst::kIdVmulpd, vec(square), vec(x), vec(x));
  load_spread(odd, coefficients[0]);
  load_spread(target, coefficients[1]);
  for (std::size_t k = 2; k < coefficients.size(); k += 2) {
    a_.emit(Inst::kIdVfmadd213pd, vec(odd), vec(square), spread(coefficients[k]));
    a_.emit(Inst::kIdVfmadd213pd, vec(target), vec(square), spread(coefficients[k + 1]));
  }
  a_.emit(Inst::kIdVfmadd231pd, vec(target), vec(odd), vec(x));
}

// The operand's register and three more, beside the scratch registers.
Emitter::Held Emitter::operand_and_spares(const MachineInstruction& i) {
  Held h{in_register(i.value[0]), {}};
  pinned_[0] = h.operand;
  for (std::size_t k = 0; k < h.spare.size(); ++k) pinned_[1 + k] = h.spare[k] = take();
  indexed_table_ = never;  // scratch register 1
  return h;
}

void Emitter::inlined(const MachineInstruction& i) {
  const auto [a, r] = operand_and_spares(i);
  if (i.op == MachineOp::logarithm) {
    logarithm(a, r[0], r[1], r[2]);
  } else if (lanes_ == 8) {
    exponential_of_eight(a, r[0], r[1], r[2]);
  } else {
    exponential_of_four(a, r[0], r[1], r[2]);
  }
  pass(i);
  define(i.target, r[0]);
  free_.push_back(r[1]);
  free_.push_back(r[2]);
}

// x = n*log(2) + k*log(2)/8 + r: 2^n*(2^(k/8) + 2^(k/8)*(exp(r) - 1)). Within 1.1 units in the last place.
void Emitter::exponential_of_eight(std::uint32_t x, std::uint32_t target, std::uint32_t u, std::uint32_t v) {
  const x86::Zmm r = x86::zmm0;
  const x86::Zmm bits = x86::zmm1;  // 8*n + k in its low bits
  const auto wide = [](std::uint32_t reg) { return x86::zmm(reg); };
  load_spread(1, magic);
  a_.vfmadd231pd(bits, wide(x), spread(8 * per_log2));
  a_.vsubpd(wide(u), bits, spread(magic));
  a_.vmovapd(r, wide(x));
  a_.vfnmadd231pd(r, wide(u), spread(log2_high / 8));
  a_.vfnmadd231pd(r, wide(u), spread(log2_low / 8));
  // Where x is so large that r is not small, or is infinite, the last step decides; it must not meet a NaN. Of a NaN
  // and a number this is the number.
  a_.vrangepd(r, r, spread(1), 6);
  two_polynomials(target, 0, exp_short, u, v);
  a_.vfmadd213pd(wide(target), wide(u), r);  // exp(r) - 1
  if (eighths_ == 0) {
    eighths_ = pool_size() + static_cast<std::int32_t>(images_.size() * 8);
    images_.insert(images_.end(), eighths.begin(), eighths.end());
  }
  a_.vpermpd(wide(v), bits, x86::ptr(pool_, eighths_));
  a_.vfmadd213pd(wide(target), wide(v), wide(v));
  a_.vmulpd(bits, bits, spread(0.125));
  a_.vsubpd(bits, bits, spread(magic / 8));
  a_.vscalefpd(wide(target), wide(target), bits);
}

void Emitter::exponential_of_four(std::uint32_t x, std::uint32_t target, std::uint32_t u, std::uint32_t v) {
  const x86::Ymm r = x86::ymm0;
  const x86::Ymm bits = x86::ymm1;
  const auto wide = [](std::uint32_t reg) { return x86::ymm(reg); };
  // Beyond these the result is infinity or zero; the second operand is the result if one is NaN.
  load_spread(u, 710.0);
  load_spread(v, -746.0);
  a_.vminpd(r, wide(u), wide(x));
  a_.vmaxpd(r, wide(v), r);
  load_spread(1, magic);
  a_.vfmadd231pd(bits, r, spread(per_log2));
  a_.vsubpd(wide(u), bits, spread(magic));
  a_.vfnmadd231pd(r, wide(u), spread(log2_high));
  a_.vfnmadd231pd(r, wide(u), spread(log2_low));
  two_polynomials(target, 0, exp_long, u, v);
  a_.vfmadd213pd(wide(target), wide(u), r);
  a_.vaddpd(wide(target), wide(target), spread(1));
  // 2^n in two factors, since n reaches beyond the exponents of one
  a_.vpsrad(r, bits, 1);
  a_.vpsubd(bits, bits, r);
  a_.vpsllq(r, r, 52);
  a_.vpsllq(bits, bits, 52);
  a_.vpaddq(wide(target), wide(target), r);
  a_.vpaddq(bits, bits, spread(1));
  a_.vmulpd(wide(target), wide(target), bits);
}

// target = sin, cos, -sin, -cos in turn, by the quadrant in scratch register 1.
void Emitter::quadrant(std::uint32_t target, std::uint32_t sine, std::uint32_t cosine) {
  const Vec bits = vec(1);
  if (lanes_ == 8) {
    a_.vptestmq(x86::k1, bits.zmm(), spread(std::bit_cast<double>(std::uint64_t{1})));
    a_.k(x86::k1).vblendmpd(vec(target).zmm(), vec(sine).zmm(), vec(cosine).zmm());
  } else {
    a_.vpsllq(x86::ymm0, bits.ymm(), 63);
    a_.vblendvpd(vec(target).ymm(), vec(sine).ymm(), vec(cosine).ymm(), x86::ymm0);
  }
  a_.emit(Inst::kIdVpsllq, vec(0), bits, asmjit::Imm(62));
  a_.emit(Inst::kIdVandpd, vec(0), vec(0), constant_mask(sign_bits));
  a_.emit(Inst::kIdVxorpd, vec(target), vec(target), vec(0));
}

// Within 1.3 units in the last place.
void Emitter::circular(const MachineInstruction& i) {
  const auto [a, spare] = operand_and_spares(i);
  const auto [s, c, u] = spare;
  large_.push_back({a_.newLabel(), a_.newLabel(), a, u, c});
  const Vec r = vec(0);
  const Vec bits = vec(1);  // the quadrant in its low bits
  a_.emit(Inst::kIdVandpd, r, vec(a), constant_mask(value_bits));
  if (lanes_ == 8) {
    a_.vcmppd(x86::k1, r.zmm(), spread(large), 0x1e);
    a_.kortestw(x86::k1, x86::k1);
  } else {
    a_.vcmppd(r.ymm(), r.ymm(), spread(large), 0x1e);
    a_.vtestpd(r.ymm(), r.ymm());
  }
  a_.jnz(large_.back().from);
  load_spread(1, magic);
  a_.emit(Inst::kIdVfmadd231pd, bits, vec(a), spread(per_half_pi));
  a_.emit(Inst::kIdVsubpd, vec(u), bits, spread(magic));
  copy(r, vec(a));
  for (const double part : half_pi) a_.emit(Inst::kIdVfnmadd231pd, r, vec(u), spread(part));
  a_.emit(Inst::kIdVmulpd, vec(u), r, r);
  polynomial(s, u, sin_coefficients);
  polynomial(c, u, cos_coefficients);
  a_.emit(Inst::kIdVmulpd, vec(s), vec(s), vec(u));
  a_.emit(Inst::kIdVfmadd213pd, vec(s), r, r);
  a_.emit(Inst::kIdVfmadd213pd, vec(c), vec(u), spread(-0.5));
  a_.emit(Inst::kIdVfmadd213pd, vec(c), vec(u), spread(1));
  // the sine of -0 is -0
  a_.emit(Inst::kIdVandpd, r, r, constant_mask(sign_bits));
  a_.emit(Inst::kIdVorpd, vec(s), vec(s), r);
  if (i.op != MachineOp::cosine) quadrant(u, s, c);
  if (i.op != MachineOp::sine) {
    a_.emit(Inst::kIdVaddpd, bits, bits, spread(1));
    quadrant(c, s, c);
  }
  a_.bind(large_.back().back);
  pass(i);
  if (i.op != MachineOp::cosine) define(i.target, u);
  if (i.op != MachineOp::sine) define(i.op == MachineOp::cosine ? i.target : i.target + 1, c);
  free_.push_back(s);
  if (i.op == MachineOp::cosine) free_.push_back(u);
  if (i.op == MachineOp::sine) free_.push_back(c);
}

// x = 2^k*(1 + f) with 3/4 <= 1 + f < 3/2, s = f/(2 + f): log(x) = k*log(2) + f - (f^2/2 - s*(f^2/2 + z*p(z))), which
// has no cancellation (as Tang, "Table-driven implementation of the logarithm function", 1990, without a table).
void Emitter::logarithm(std::uint32_t x, std::uint32_t target, std::uint32_t u, std::uint32_t v) {
  const x86::Zmm f = x86::zmm0;
  const x86::Zmm s = x86::zmm1;
  const x86::Zmm k = x86::zmm(target);
  a_.vgetmantpd(f, x86::zmm(x), 0x0b);  // NaN below zero
  a_.vgetexppd(k, x86::zmm(x));
  a_.vcmppd(x86::k1, f, spread(1), 0x11);
  a_.k(x86::k1).vaddpd(k, k, spread(1));
  a_.vsubpd(f, f, spread(1));
  a_.vaddpd(s, f, spread(2));
  a_.vdivpd(s, f, s);
  a_.vmulpd(x86::zmm(u), s, s);
  polynomial(v, u, log_coefficients);
  a_.vmulpd(x86::zmm(v), x86::zmm(v), x86::zmm(u));
  a_.vmulpd(x86::zmm(u), f, f);
  a_.vmulpd(x86::zmm(u), x86::zmm(u), spread(0.5));
  a_.vaddpd(x86::zmm(v), x86::zmm(v), x86::zmm(u));
  a_.vmulpd(s, s, x86::zmm(v));
  a_.vfmadd231pd(s, k, spread(log2_low));
  a_.vsubpd(x86::zmm(u), x86::zmm(u), s);
  a_.vsubpd(x86::zmm(u), x86::zmm(u), f);
  a_.vfmsub132pd(k, x86::zmm(u), spread(log2_high));
}

// Calls for arguments that the reduction above cannot take, out of the way and with all registers kept.
void Emitter::large_arguments() {
  if (large_.empty()) return;
  const std::uint32_t aside = first_slot() - aside_;
  asmjit::Label library = a_.newLabel();
  for (const LargeArgument& l : large_) {
    a_.bind(l.from);
    store_numbers(work(aside), vec(l.x));
    a_.call(library);
    load_numbers(vec(l.sine), work(aside + 1), false);
    load_numbers(vec(l.cosine), work(aside + 2), false);
    a_.jmp(l.back);
  }
  a_.bind(library);
  const Gp lost[] = {x86::rcx, x86::rdx, x86::rsi, x86::rdi, x86::r8, x86::r9, x86::r10, x86::r11};
  for (const Gp& g : lost) a_.push(g);
  a_.sub(x86::rsp, 8);
  for (std::uint32_t r = 2; r < registers_; ++r) store_numbers(work(aside + 3 + r), vec(r));
  for (const Sine half : {Sine::sine, Sine::cosine}) {
    const LibraryFunction f = library_function(OpCode::sine_cosine, 0, half);
    load_numbers(vec(0), work(aside), false);
    call_address(lanes_ == 8 ? f.eight : f.four);
    store_numbers(work(aside + (half == Sine::sine ? 1 : 2)), vec(0));
  }
  for (std::uint32_t r = 2; r < registers_; ++r) load_numbers(vec(r), work(aside + 3 + r), false);
  a_.add(x86::rsp, 8);
  for (std::size_t g = std::size(lost); g-- > 0;) a_.pop(lost[g]);
  a_.ret();
}

}  // namespace boreon::native
