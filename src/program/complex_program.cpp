// SPDX-License-Identifier: MIT
// A program on complex numbers as one on their real and imaginary parts, which stand side by side.
#include <algorithm>
#include <optional>
#include <string_view>

#include "boreon/catalogue.hpp"
#include "program/builder.hpp"
#include "program/passes.hpp"

namespace boreon {
namespace {

// x + i*y; nothing as the imaginary part stands for a number that is real whatever the inputs are.
struct RealAndImaginary {
  Operand x;
  std::optional<Operand> y;
};

class Arithmetic {
 public:
  explicit Arithmetic(Program& program) : b_(program) {}

  Operand constant(double v) { return b_.constant(v); }
  Operand imaginary(const RealAndImaginary& z) { return z.y.value_or(b_.constant(0)); }

  RealAndImaginary add(const RealAndImaginary& a, const RealAndImaginary& b) {
    return {b_.add(a.x, b.x), a.y && b.y ? std::optional(b_.add(*a.y, *b.y)) : a.y ? a.y : b.y};
  }
  RealAndImaginary negate(const RealAndImaginary& a) {
    return {b_.negate(a.x), a.y ? std::optional(b_.negate(*a.y)) : std::nullopt};
  }
  RealAndImaginary subtract(const RealAndImaginary& a, const RealAndImaginary& b) {
    if (!b.y) return {b_.subtract(a.x, b.x), a.y};
    return {b_.subtract(a.x, b.x), a.y ? b_.subtract(*a.y, *b.y) : b_.negate(*b.y)};
  }
  RealAndImaginary multiply(const RealAndImaginary& a, const RealAndImaginary& b) {
    if (!a.y && !b.y) return {b_.multiply(a.x, b.x), std::nullopt};
    if (!a.y) return {b_.multiply(a.x, b.x), b_.multiply(a.x, *b.y)};
    if (!b.y) return {b_.multiply(a.x, b.x), b_.multiply(*a.y, b.x)};
    return {b_.subtract(b_.multiply(a.x, b.x), b_.multiply(*a.y, *b.y)),
            b_.add(b_.multiply(a.x, *b.y), b_.multiply(*a.y, b.x))};
  }
  // Divided by the larger part first, so that no square overflows (Smith, "Algorithm 116: complex division", 1962).
  RealAndImaginary divide(const RealAndImaginary& a, const RealAndImaginary& b) {
    if (!b.y) return {b_.divide(a.x, b.x), a.y ? std::optional(b_.divide(*a.y, b.x)) : std::nullopt};
    const Operand size = call("max", call("abs", b.x), call("abs", *b.y));
    const Operand c = b_.divide(b.x, size);
    const Operand d = b_.divide(*b.y, size);
    const Operand square = b_.add(b_.multiply(b.x, c), b_.multiply(*b.y, d));
    const Operand y = imaginary(a);
    return {b_.divide(b_.add(b_.multiply(a.x, c), b_.multiply(y, d)), square),
            b_.divide(b_.subtract(b_.multiply(y, c), b_.multiply(a.x, d)), square)};
  }
  // The root in the right half plane; the part that does not cancel first.
  RealAndImaginary square_root(const RealAndImaginary& a) {
    const Operand y = imaginary(a);
    const Operand half = b_.multiply(constant(0.5), b_.add(call("hypot", a.x, y), call("abs", a.x)));
    const Operand t = b_.square_root(half);
    const Operand u = b_.select(equal(t, constant(0)), constant(0), b_.divide(b_.multiply(constant(0.5), y), t));
    const Operand right = b_.compare(OpCode::less_equal, constant(0), a.x);
    // -0 is below the branch cut: its reciprocal is
    const Operand below = b_.logic(OpCode::disjunction, b_.compare(OpCode::less, y, constant(0)),
                                   b_.compare(OpCode::less, b_.divide(constant(1), y), constant(0)));
    return {b_.select(right, t, call("abs", u)), b_.select(right, u, b_.select(below, b_.negate(t), t))};
  }

  RealAndImaginary exponential(const RealAndImaginary& z) {
    const Operand size = call("exp", z.x);
    if (!z.y) return {size, std::nullopt};
    return {b_.multiply(size, call("cos", *z.y)), b_.multiply(size, call("sin", *z.y))};
  }
  RealAndImaginary logarithm(const RealAndImaginary& z) {
    const Operand y = imaginary(z);
    return {call("log", call("hypot", z.x, y)), call("atan2", y, z.x)};
  }
  RealAndImaginary power(const RealAndImaginary& a, const RealAndImaginary& b) {
    return exponential(multiply(b, logarithm(a)));
  }
  RealAndImaginary sine(const RealAndImaginary& z) {
    if (!z.y) return {call("sin", z.x), std::nullopt};
    return {b_.multiply(call("sin", z.x), call("cosh", *z.y)), b_.multiply(call("cos", z.x), call("sinh", *z.y))};
  }
  RealAndImaginary cosine(const RealAndImaginary& z) {
    if (!z.y) return {call("cos", z.x), std::nullopt};
    return {b_.multiply(call("cos", z.x), call("cosh", *z.y)),
            b_.negate(b_.multiply(call("sin", z.x), call("sinh", *z.y)))};
  }
  // f(i*z) = i*g(z)
  RealAndImaginary hyperbolic_sine(const RealAndImaginary& z) { return turned_back(sine(turned(z))); }
  RealAndImaginary hyperbolic_cosine(const RealAndImaginary& z) { return cosine(turned(z)); }
  // (sin 2x + i sinh 2y)/(cos 2x + cosh 2y), whose limit is reached long before sinh overflows
  RealAndImaginary tangent(const RealAndImaginary& z) {
    if (!z.y) return {call("tan", z.x), std::nullopt};
    const Operand x = b_.add(z.x, z.x);
    const Operand y = call("max", constant(-600), call("min", constant(600), b_.add(*z.y, *z.y)));
    const Operand below = b_.add(call("cos", x), call("cosh", y));
    return {b_.divide(call("sin", x), below), b_.divide(call("sinh", y), below)};
  }
  RealAndImaginary hyperbolic_tangent(const RealAndImaginary& z) { return turned_back(tangent(turned(z))); }

  Operand equal(Operand a, Operand b) { return b_.compare(OpCode::equal, a, b); }
  // Conditions look at real parts; only equality looks at both.
  RealAndImaginary compared(OpCode op, const RealAndImaginary& a, const RealAndImaginary& b) {
    if ((op != OpCode::equal && op != OpCode::not_equal) || (!a.y && !b.y))
      return {b_.compare(op, a.x, b.x), std::nullopt};
    const Operand same = b_.logic(OpCode::conjunction, equal(a.x, b.x), equal(imaginary(a), imaginary(b)));
    return {op == OpCode::equal ? same : b_.negation(same), std::nullopt};
  }
  // Not zero.
  Operand truth(const RealAndImaginary& z) {
    if (!z.y) return z.x;
    const auto differs = [&](Operand o) { return b_.compare(OpCode::not_equal, o, constant(0)); };
    return b_.logic(OpCode::disjunction, differs(z.x), differs(*z.y));
  }
  RealAndImaginary logic(OpCode op, const RealAndImaginary& a, const RealAndImaginary& b) {
    return {b_.logic(op, truth(a), truth(b)), std::nullopt};
  }
  RealAndImaginary negation(const RealAndImaginary& a) { return {b_.negation(truth(a)), std::nullopt}; }
  RealAndImaginary select(const RealAndImaginary& c, const RealAndImaginary& a, const RealAndImaginary& b) {
    const Operand condition = truth(c);
    return {b_.select(condition, a.x, b.x),
            a.y || b.y ? std::optional(b_.select(condition, imaginary(a), imaginary(b))) : std::nullopt};
  }

 private:
  Operand call(std::string_view name, Operand a) { return b_.call(row_number(name), a); }
  Operand call(std::string_view name, Operand a, Operand b) { return b_.call(row_number(name), a, b); }
  RealAndImaginary turned(const RealAndImaginary& z) { return {z.y ? b_.negate(*z.y) : constant(0), z.x}; }  // i*z
  RealAndImaginary turned_back(const RealAndImaginary& z) { return {imaginary(z), b_.negate(z.x)}; }         // -i*z

  ProgramBuilder b_;
};

struct Rule {
  std::string_view function;
  RealAndImaginary (Arithmetic::*apply)(const RealAndImaginary&);
};
constexpr Rule rules[] = {
    {"exp", &Arithmetic::exponential},
    {"log", &Arithmetic::logarithm},
    {"sin", &Arithmetic::sine},
    {"cos", &Arithmetic::cosine},
    {"sinh", &Arithmetic::hyperbolic_sine},
    {"cosh", &Arithmetic::hyperbolic_cosine},
    {"tan", &Arithmetic::tangent},
    {"tanh", &Arithmetic::hyperbolic_tangent},
};
const Rule* rule_of(std::uint16_t function) {
  const auto* const at = std::find_if(std::begin(rules), std::end(rules),
                                      [&](const Rule& r) { return r.function == row_of(function).name; });
  return at == std::end(rules) ? nullptr : at;
}

bool all_have_rules(const Program& p) {
  return std::all_of(p.instructions.begin(), p.instructions.end(),
                     [](const Instruction& i) {
                       return i.op != OpCode::call || (i.operands == 1 && rule_of(i.function) != nullptr);
                     }) &&
         std::all_of(p.loops.begin(), p.loops.end(), [](const RowLoop& l) { return all_have_rules(l.body); });
}

std::vector<Program::Group> doubled(const std::vector<Program::Group>& groups) {
  std::vector<Program::Group> result;
  for (const auto& g : groups) result.push_back({g.name, {}, 2 * g.size, std::nullopt});
  return result;
}

// Instructions, results and scratch; loops are added by the caller.
Program of_parts(const Program& p) {
  Program made;
  made.inputs = doubled(p.inputs);
  made.outputs = doubled(p.outputs);
  Arithmetic z(made);
  std::vector<RealAndImaginary> values(p.instructions.size());
  const auto value = [&](Operand o) -> RealAndImaginary {
    if (o.space == 1) return values[o.index];
    if (o.space == 0) return {z.constant(p.constants[o.index]), std::nullopt};
    return {{o.space, 2 * o.index}, Operand{o.space, 2 * o.index + 1}};
  };
  for (std::size_t k = 0; k < p.instructions.size(); ++k) {
    const Instruction& i = p.instructions[k];
    const auto a = [&] { return value(i.a); };
    const auto b = [&] { return value(i.b); };
    switch (i.op) {
      case OpCode::add: values[k] = z.add(a(), b()); break;
      case OpCode::subtract: values[k] = z.subtract(a(), b()); break;
      case OpCode::multiply: values[k] = z.multiply(a(), b()); break;
      case OpCode::divide: values[k] = z.divide(a(), b()); break;
      case OpCode::negate: values[k] = z.negate(a()); break;
      case OpCode::square_root: values[k] = z.square_root(a()); break;
      case OpCode::power: values[k] = z.power(a(), b()); break;
      case OpCode::call: values[k] = (z.*rule_of(i.function)->apply)(a()); break;
      case OpCode::sine_cosine:
        values[k] = i.operands == 1 ? z.sine(a()) : z.cosine(value(p.instructions[k - 1].a));
        break;
      case OpCode::conjunction:
      case OpCode::disjunction: values[k] = z.logic(i.op, a(), b()); break;
      case OpCode::negation: values[k] = z.negation(a()); break;
      case OpCode::select: values[k] = z.select(a(), b(), value(i.c)); break;
      default: values[k] = z.compared(i.op, a(), b()); break;
    }
  }
  const auto both = [&](const std::vector<Operand>& list) {
    std::vector<Operand> result;
    for (const Operand o : list) {
      if (o == Program::by_loop) {
        result.insert(result.end(), 2, o);
        continue;
      }
      const RealAndImaginary v = value(o);
      result.push_back(v.x);
      result.push_back(z.imaginary(v));
    }
    return result;
  };
  for (const auto& g : p.results) made.results.push_back(both(g));
  made.scratch = both(p.scratch);
  made.written_scratch = 2 * p.written_scratch;
  tidy(made);
  return made;
}

}  // namespace

std::optional<Program> complex_program(const Program& program) {
  if (!all_have_rules(program)) return std::nullopt;
  Program made = of_parts(program);
  for (const RowLoop& l : program.loops) {
    RowLoop r;
    r.body = of_parts(l.body);
    r.rows = l.rows;
    for (IndexTable t : l.tables) {
      t.first *= 2;
      t.step *= 2;
      for (std::uint32_t& e : t.entries) e *= 2;
      r.tables.push_back(std::move(t));
    }
    const auto both = [](const std::vector<RowLoop::Place>& places) {
      std::vector<RowLoop::Place> result;
      for (const RowLoop::Place& p : places) {
        result.push_back({p.group, p.table, 2 * p.offset});
        result.push_back({p.group, p.table, 2 * p.offset + 1});
      }
      return result;
    };
    r.slots = both(l.slots);
    r.targets = both(l.targets);
    made.loops.push_back(std::move(r));
  }
  return made;
}

}  // namespace boreon
