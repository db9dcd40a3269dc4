#include "program/builder.hpp"

#include <bit>
#include <cmath>
#include <utility>

#include "boreon/catalogue.hpp"
#include "expr/hash.hpp"

namespace boreon {
namespace {

std::uint64_t packed(Operand a) { return (static_cast<std::uint64_t>(a.space) << 32U) | a.index; }
bool before(Operand a, Operand b) { return packed(a) <= packed(b); }

}  // namespace

double execute(OpCode op, std::uint16_t function, std::uint8_t count, double a, double b, double c) {
  return execute(op, a, b, c, [&] {
    const double args[] = {a, b};
    return evaluate_real(catalogue()[function], {args, count});
  });
}

std::size_t ProgramBuilder::KeyHash::operator()(const Key& k) const noexcept {
  return static_cast<std::size_t>(hash_combine(hash_combine(hash_combine(mix(k.head), k.a), k.b), k.c));
}

Operand ProgramBuilder::constant(double value) {
  const auto [at, fresh] = constants_.emplace(std::bit_cast<std::uint64_t>(value), static_cast<std::uint32_t>(program_.constants.size()));
  if (fresh) program_.constants.push_back(value);
  return {0, at->second};
}

Operand ProgramBuilder::instruction(OpCode op, std::uint16_t function, std::uint8_t count, Operand a, Operand b, Operand c) {
  if (a.space == 0 && b.space == 0 && c.space == 0) {
    const auto get = [&](Operand o) { return program_.constants.empty() ? 0.0 : program_.constants[o.index]; };
    const double folded = execute(op, function, count, get(a), get(b), get(c));
    if (!std::isnan(folded)) return constant(folded);
  }
  const Key key{(static_cast<std::uint64_t>(op) << 32U) | (static_cast<std::uint64_t>(function) << 8U) | count, packed(a), packed(b), packed(c)};
  const auto [at, fresh] = known_.emplace(key, static_cast<std::uint32_t>(program_.instructions.size()));
  if (fresh) program_.instructions.push_back({op, function, count, a, b, c});
  return {1, at->second};
}

Operand ProgramBuilder::add(Operand a, Operand b) {
  if (const double* v = value(a); v != nullptr && *v == 0) return b;
  if (const double* v = value(b); v != nullptr && *v == 0) return a;
  if (const Operand* n = negated(b); n != nullptr) return subtract(a, *n);
  if (const Operand* n = negated(a); n != nullptr) return subtract(b, *n);
  if (!before(a, b)) std::swap(a, b);
  return instruction(OpCode::add, 0, 2, a, b);
}

Operand ProgramBuilder::subtract(Operand a, Operand b) {
  if (const double* v = value(b); v != nullptr && *v == 0) return a;
  if (const double* v = value(a); v != nullptr && *v == 0) return negate(b);
  if (const Operand* n = negated(b); n != nullptr) return add(a, *n);
  return instruction(OpCode::subtract, 0, 2, a, b);
}

Operand ProgramBuilder::multiply(Operand a, Operand b) {
  for (const auto& [x, other] : {std::pair(a, b), std::pair(b, a)}) {
    const double* v = value(x);
    if (v != nullptr && *v == 1) return other;
    if (v != nullptr && *v == -1) return negate(other);
  }
  if (!before(a, b)) std::swap(a, b);
  return instruction(OpCode::multiply, 0, 2, a, b);
}

Operand ProgramBuilder::divide(Operand a, Operand b) {
  if (const double* v = value(b); v != nullptr && *v == 1) return a;
  return instruction(OpCode::divide, 0, 2, a, b);
}

Operand ProgramBuilder::negate(Operand a) {
  if (a.space == 1 && program_.instructions[a.index].op == OpCode::negate) return program_.instructions[a.index].a;
  return instruction(OpCode::negate, 0, 1, a);
}

Operand ProgramBuilder::square_root(Operand a) { return instruction(OpCode::square_root, 0, 1, a); }
Operand ProgramBuilder::power(Operand a, Operand b) { return instruction(OpCode::power, 0, 2, a, b); }

Operand ProgramBuilder::integer_power(Operand a, std::uint64_t n) {
  if (n == 1) return a;
  const Operand half = integer_power(a, n / 2);
  const Operand square = multiply(half, half);
  return n % 2 == 0 ? square : multiply(square, a);
}

Operand ProgramBuilder::call(std::uint16_t function, Operand a) { return instruction(OpCode::call, function, 1, a); }
Operand ProgramBuilder::call(std::uint16_t function, Operand a, Operand b) { return instruction(OpCode::call, function, 2, a, b); }
Operand ProgramBuilder::compare(OpCode op, Operand a, Operand b) { return instruction(op, 0, 2, a, b); }
Operand ProgramBuilder::logic(OpCode op, Operand a, Operand b) { return instruction(op, 0, 2, a, b); }
Operand ProgramBuilder::negation(Operand a) { return instruction(OpCode::negation, 0, 1, a); }

Operand ProgramBuilder::select(Operand condition, Operand yes, Operand no) {
  if (yes == no) return yes;
  return instruction(OpCode::select, 0, 3, condition, yes, no);
}

}  // namespace boreon
