// SPDX-License-Identifier: MIT
// ProgramBuilder: value numbering with folding. Equal computations get the same result.
#pragma once

#include <cmath>
#include <complex>
#include <vector>

#include "boreon/program.hpp"
#include "program/id_table.hpp"

namespace boreon {

class ProgramBuilder {
 public:
  explicit ProgramBuilder(Program& program) : program_(program) {}

  [[nodiscard]] Operand constant(double value);
  [[nodiscard]] Operand add(Operand a, Operand b);
  [[nodiscard]] Operand subtract(Operand a, Operand b);
  [[nodiscard]] Operand multiply(Operand a, Operand b);
  [[nodiscard]] Operand divide(Operand a, Operand b);
  [[nodiscard]] Operand negate(Operand a);
  [[nodiscard]] Operand square_root(Operand a);
  [[nodiscard]] Operand power(Operand a, Operand b);
  /// a^n, n >= 1, by few multiplications.
  [[nodiscard]] Operand integer_power(Operand a, std::uint64_t n);
  [[nodiscard]] Operand call(std::uint16_t function, Operand a);
  [[nodiscard]] Operand call(std::uint16_t function, Operand a, Operand b);
  [[nodiscard]] Operand call(std::uint16_t function, Operand a, Operand b, Operand c);
  [[nodiscard]] Operand compare(OpCode op, Operand a, Operand b);
  [[nodiscard]] Operand logic(OpCode op, Operand a, Operand b);
  [[nodiscard]] Operand negation(Operand a);
  [[nodiscard]] Operand select(Operand condition, Operand yes, Operand no);

 private:
  Operand instruction(OpCode op, std::uint16_t function, std::uint8_t count, Operand a, Operand b = {}, Operand c = {});
  [[nodiscard]] const double* value(Operand a) const { return a.space == 0 ? &program_.constants[a.index] : nullptr; }
  /// What a negation negates; a + (-b) and a - b are the same number.
  [[nodiscard]] const Operand* negated(Operand a) const {
    return a.space == 1 && program_.instructions[a.index].op == OpCode::negate ? &program_.instructions[a.index].a
                                                                               : nullptr;
  }

  Program& program_;
  IdTable instructions_;
  IdTable constants_;
};

/// Arithmetic of one instruction on real or complex numbers; conditions look at real parts. call() gives the value of
/// a function of the catalogue.
template <class Value, class Call>
[[nodiscard]] Value execute(OpCode op, const Value& a, const Value& b, const Value& c, const Call& call) {
  const Value zero = 0.0;
  const auto truth = [](bool t) -> Value { return t ? 1.0 : 0.0; };
  switch (op) {
    case OpCode::add: return a + b;
    case OpCode::subtract: return a - b;
    case OpCode::multiply: return a * b;
    case OpCode::divide: return a / b;
    case OpCode::negate: return -a;
    case OpCode::square_root: return std::sqrt(a);
    case OpCode::power: return std::pow(a, b);
    case OpCode::call: return call();
    case OpCode::less: return truth(std::real(a) < std::real(b));
    case OpCode::less_equal: return truth(std::real(a) <= std::real(b));
    case OpCode::equal: return truth(a == b);
    case OpCode::not_equal: return truth(a != b);
    case OpCode::conjunction: return truth(a != zero && b != zero);
    case OpCode::disjunction: return truth(a != zero || b != zero);
    case OpCode::negation: return truth(a == zero);
    case OpCode::select: return a != zero ? b : c;
    case OpCode::sine_cosine: break;
  }
  return std::nan("");
}

/// The same on doubles, as the interpreter does it.
[[nodiscard]] double execute(OpCode op, std::uint16_t function, std::uint8_t count, double a, double b, double c);

}  // namespace boreon
