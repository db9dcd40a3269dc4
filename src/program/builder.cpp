// SPDX-License-Identifier: MIT
#include "program/builder.hpp"

#include <array>
#include <bit>
#include <cmath>
#include <utility>

#include "boreon/catalogue.hpp"
#include "expr/hash.hpp"
#include "program/operand.hpp"

namespace boreon {
namespace {

bool before(Operand a, Operand b) { return packed(a) <= packed(b); }

}  // namespace

double execute(OpCode op, std::uint16_t function, std::uint8_t count, double a, double b, double c) {
  return execute(op, a, b, c, [&] {
    const double args[] = {a, b, c};
    return evaluate_real(row_of(function), {args, count});
  });
}

Operand ProgramBuilder::constant(double value) {
  const auto bits = std::bit_cast<std::uint64_t>(value);
  const auto fresh = static_cast<std::uint32_t>(program_.constants.size());
  const std::uint32_t id = constants_.find_or_add(
      mix(bits), fresh, [&](std::uint32_t k) { return std::bit_cast<std::uint64_t>(program_.constants[k]) == bits; });
  if (id == fresh) program_.constants.push_back(value);
  return {0, id};
}

Operand ProgramBuilder::instruction(OpCode op, std::uint16_t function, std::uint8_t count, Operand a, Operand b,
                                    Operand c) {
  if (a.space == 0 && b.space == 0 && c.space == 0) {
    const auto get = [&](Operand o) { return program_.constants.empty() ? 0.0 : program_.constants[o.index]; };
    const double folded = execute(op, function, count, get(a), get(b), get(c));
    if (!std::isnan(folded)) return constant(folded);
  }
  const std::uint64_t head =
      (static_cast<std::uint64_t>(op) << 32U) | (static_cast<std::uint64_t>(function) << 8U) | count;
  const std::uint64_t hash = hash_combine(hash_combine(hash_combine(mix(head), packed(a)), packed(b)), packed(c));
  const auto fresh = static_cast<std::uint32_t>(program_.instructions.size());
  const std::uint32_t id = instructions_.find_or_add(hash, fresh, [&](std::uint32_t k) {
    const Instruction& i = program_.instructions[k];
    return i.op == op && i.function == function && i.operands == count && i.a == a && i.b == b && i.c == c;
  });
  if (id == fresh) program_.instructions.push_back({op, function, count, a, b, c});
  return {1, id};
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
  if (a.space == 1) {
    // An operation with the other sign costs no more, and may take the place of the one it is made from.
    const Instruction i = program_.instructions[a.index];
    if (i.op == OpCode::negate) return i.a;
    if (i.op == OpCode::subtract) return subtract(i.b, i.a);
    if (i.op == OpCode::multiply || i.op == OpCode::divide) {
      if (const double* v = value(i.a); v != nullptr) return instruction(i.op, 0, 2, constant(-*v), i.b);
      if (const double* v = value(i.b); v != nullptr) return instruction(i.op, 0, 2, i.a, constant(-*v));
    }
  }
  return instruction(OpCode::negate, 0, 1, a);
}

Operand ProgramBuilder::square_root(Operand a) { return instruction(OpCode::square_root, 0, 1, a); }
Operand ProgramBuilder::power(Operand a, Operand b) { return instruction(OpCode::power, 0, 2, a, b); }

namespace {

// The power tree (Knuth, "The Art of Computer Programming" 2, section 4.6.3): x^n is x^parent[n] times a power on the
// way to it. Optimal below 77, and never worse than repeated squaring.
constexpr std::size_t tree_size = 129;
const std::array<std::uint8_t, tree_size>& power_tree() {
  static const std::array<std::uint8_t, tree_size> parents = [] {
    std::array<std::uint8_t, tree_size> parent{};
    parent[1] = 1;
    std::vector<std::size_t> level{1};
    while (!level.empty()) {
      std::vector<std::size_t> next;
      for (const std::size_t n : level) {
        std::vector<std::size_t> way{n};
        while (way.back() != 1) way.push_back(parent[way.back()]);
        for (auto a = way.rbegin(); a != way.rend(); ++a) {
          if (n + *a >= tree_size || parent[n + *a] != 0) continue;
          parent[n + *a] = static_cast<std::uint8_t>(n);
          next.push_back(n + *a);
        }
      }
      level = std::move(next);
    }
    return parent;
  }();
  return parents;
}

}  // namespace

Operand ProgramBuilder::integer_power(Operand a, std::uint64_t n) {
  if (n == 1) return a;
  if (n < tree_size) {
    const std::uint64_t parent = power_tree()[n];
    return multiply(integer_power(a, parent), integer_power(a, n - parent));
  }
  const Operand half = integer_power(a, n / 2);
  const Operand square = multiply(half, half);
  return n % 2 == 0 ? square : multiply(square, a);
}

Operand ProgramBuilder::call(std::uint16_t function, Operand a) { return instruction(OpCode::call, function, 1, a); }
Operand ProgramBuilder::call(std::uint16_t function, Operand a, Operand b) {
  return instruction(OpCode::call, function, 2, a, b);
}
Operand ProgramBuilder::call(std::uint16_t function, Operand a, Operand b, Operand c) {
  return instruction(OpCode::call, function, 3, a, b, c);
}
Operand ProgramBuilder::compare(OpCode op, Operand a, Operand b) { return instruction(op, 0, 2, a, b); }
Operand ProgramBuilder::logic(OpCode op, Operand a, Operand b) { return instruction(op, 0, 2, a, b); }
Operand ProgramBuilder::negation(Operand a) { return instruction(OpCode::negation, 0, 1, a); }

Operand ProgramBuilder::select(Operand condition, Operand yes, Operand no) {
  if (yes == no) return yes;
  return instruction(OpCode::select, 0, 3, condition, yes, no);
}

}  // namespace boreon
