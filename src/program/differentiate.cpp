// SPDX-License-Identifier: MIT
#include "program/differentiate.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"
#include "program/passes.hpp"

namespace boreon {
namespace {

struct Rows {
  std::uint16_t exp = row_number("exp");
  std::uint16_t log = row_number("log");
  std::uint16_t sin = row_number("sin");
  std::uint16_t cos = row_number("cos");
  std::uint16_t tanh = row_number("tanh");
};
const Rows& rows() {
  static const Rows r;
  return r;
}

bool square(const Instruction& i) { return i.op == OpCode::multiply && i.a == i.b; }

// The operands that an instruction has derivatives by; the cosine of a pair has that of the sine.
std::size_t arguments(const Instruction& i) { return i.operands == 0 || square(i) ? 1 : i.operands; }

}  // namespace

Differentiation::Differentiation(const Program& p) : original_(p), build_(program_) {
  program_.inputs = p.inputs;
  program_.outputs = p.outputs;
  program_.constants = p.constants;
  program_.functions = p.functions;
  copy_.resize(p.instructions.size());
  for (std::size_t k = 0; k < p.instructions.size(); ++k) copy_[k] = copied(k);
  for (const auto& g : p.results) {
    std::vector<Operand> values;
    for (const Operand o : g) values.push_back(now(o));
    program_.results.push_back(std::move(values));
  }
}

std::uint32_t Differentiation::add_input(const std::string& name, std::size_t size) {
  Program::Group g{name, {}, size, std::nullopt};
  for (std::size_t i = 0; i < size; ++i) g.names.push_back(fmt::format("{}[{}]", name, i));
  program_.inputs.push_back(std::move(g));
  return static_cast<std::uint32_t>(1 + program_.inputs.size());
}

std::vector<std::optional<Operand>> Differentiation::forward(std::span<const Operand> values, const Seed& seed) {
  std::vector<std::optional<Signed>> dot(original_.instructions.size());
  const auto of = [&](Operand o) -> std::optional<Signed> {
    if (o.space == 1) return dot[o.index];
    if (o.space == 0) return std::nullopt;
    const std::optional<Operand> d = seed(o);
    return d ? std::optional(Signed{*d}) : std::nullopt;
  };
  for (std::size_t k = 0; k < original_.instructions.size(); ++k) {
    const Instruction& i = original_.instructions[k];
    if (i.op == OpCode::select) {
      const auto yes = of(i.b);
      const auto no = of(i.c);
      if (yes || no) dot[k] = Signed{build_.select(now(i.a), plain(yes).value_or(zero()), plain(no).value_or(zero()))};
      continue;
    }
    if (i.op == OpCode::divide) {
      // (a' - q b')/b
      std::optional<Signed> top = of(i.a);
      if (const auto b = of(i.b)) add_to(top, Signed{build_.multiply(copy_[k], b->value), !b->negative});
      if (top) dot[k] = Signed{build_.divide(top->value, now(i.b)), top->negative};
      continue;
    }
    for (std::size_t s = 0; s < arguments(i); ++s) {
      if (const auto d = of(argument(k, s))) add_to(dot[k], times(partial(k, s), *d));
    }
  }
  std::vector<std::optional<Operand>> result;
  for (const Operand o : values) result.push_back(o.space == Program::by_loop.space ? std::nullopt : plain(of(o)));
  return result;
}

std::vector<std::optional<Operand>> Differentiation::reverse(std::span<const Weighted> sum, std::size_t input) {
  std::vector<std::optional<Signed>> bar(original_.instructions.size());
  std::vector<std::optional<Signed>> gradient(original_.inputs[input].size);
  const auto add = [&](Operand to, const std::optional<Signed>& term) {
    if (to.space != 1 && to.space != 2 + input) return;
    add_to(to.space == 1 ? bar[to.index] : gradient[to.index], term);
  };
  for (const Weighted& w : sum) add(w.value, Signed{w.weight});
  for (std::size_t k = original_.instructions.size(); k-- > 0;) {
    if (!bar[k]) continue;
    const Instruction& i = original_.instructions[k];
    const Signed w = *bar[k];
    if (i.op == OpCode::select) {
      add(i.b, Signed{build_.select(now(i.a), w.value, zero()), w.negative});
      add(i.c, Signed{build_.select(now(i.a), zero(), w.value), w.negative});
    } else if (i.op == OpCode::divide) {
      const Signed by_a{build_.divide(w.value, now(i.b)), w.negative};
      add(i.a, by_a);
      if (i.b.space != 0) add(i.b, Signed{build_.multiply(by_a.value, copy_[k]), !by_a.negative});
    } else {
      for (std::size_t s = 0; s < arguments(i); ++s) {
        if (argument(k, s).space != 0) add(argument(k, s), times(partial(k, s), w));
      }
    }
  }
  std::vector<std::optional<Operand>> result;
  for (const auto& g : gradient) result.push_back(plain(g));
  return result;
}

Program Differentiation::finish() {
  tidy(program_);
  return std::move(program_);
}

std::optional<Operand> Differentiation::plain(const std::optional<Signed>& s) {
  if (!s) return std::nullopt;
  return s->negative ? build_.negate(s->value) : s->value;
}

void Differentiation::add_to(std::optional<Signed>& sum, const std::optional<Signed>& term) {
  if (!term) return;
  if (!sum) {
    sum = term;
  } else if (sum->negative == term->negative) {
    sum->value = build_.add(sum->value, term->value);
  } else {
    sum = sum->negative ? Signed{build_.subtract(term->value, sum->value)}
                        : Signed{build_.subtract(sum->value, term->value)};
  }
}

std::optional<Differentiation::Signed> Differentiation::times(const Factor& f, const Signed& d) {
  switch (f.kind) {
    case Factor::none: return std::nullopt;
    case Factor::one: return d;
    case Factor::minus_one: return Signed{d.value, !d.negative};
    case Factor::value: return Signed{build_.multiply(f.operand, d.value), d.negative};
    default: return Signed{build_.multiply(f.operand, d.value), !d.negative};
  }
}

Operand Differentiation::argument(std::size_t k, std::size_t s) const {
  const Instruction& i = original_.instructions[k];
  return i.operands == 0 ? original_.instructions[k - 1].a : s == 0 ? i.a : s == 1 ? i.b : i.c;
}

// sine_cosine is taken apart and joined again at the end.
Operand Differentiation::copied(std::size_t k) {
  const Instruction& i = original_.instructions[k];
  switch (i.op) {
    case OpCode::add: return build_.add(now(i.a), now(i.b));
    case OpCode::subtract: return build_.subtract(now(i.a), now(i.b));
    case OpCode::multiply: return build_.multiply(now(i.a), now(i.b));
    case OpCode::divide: return build_.divide(now(i.a), now(i.b));
    case OpCode::negate: return build_.negate(now(i.a));
    case OpCode::square_root: return build_.square_root(now(i.a));
    case OpCode::power: return build_.power(now(i.a), now(i.b));
    case OpCode::call:
      if (i.operands == 3) return build_.call(i.function, now(i.a), now(i.b), now(i.c));
      return i.operands == 1 ? build_.call(i.function, now(i.a)) : build_.call(i.function, now(i.a), now(i.b));
    case OpCode::sine_cosine:
      return i.operands == 1 ? build_.call(rows().sin, now(i.a))
                             : build_.call(rows().cos, now(original_.instructions[k - 1].a));
    case OpCode::conjunction:
    case OpCode::disjunction: return build_.logic(i.op, now(i.a), now(i.b));
    case OpCode::negation: return build_.negation(now(i.a));
    case OpCode::select: return build_.select(now(i.a), now(i.b), now(i.c));
    default: return build_.compare(i.op, now(i.a), now(i.b));
  }
}

// d(instruction)/d(operand s); of a square by the operand that is both.
Differentiation::Factor Differentiation::partial(std::size_t k, std::size_t s) {
  const Instruction& i = original_.instructions[k];
  const Operand a = now(i.a);
  const Operand b = now(i.b);
  const auto value = [](Operand o) { return Factor{Factor::value, o}; };
  switch (i.op) {
    case OpCode::add: return {Factor::one, {}};
    case OpCode::subtract: return {s == 0 ? Factor::one : Factor::minus_one, {}};
    case OpCode::negate: return {Factor::minus_one, {}};
    case OpCode::multiply: return value(square(i) ? build_.add(a, a) : s == 0 ? b : a);
    case OpCode::square_root: return value(build_.divide(build_.constant(0.5), copy_[k]));
    case OpCode::sine_cosine:
      return i.operands == 1
                 ? value(build_.call(rows().cos, a))
                 : Factor{Factor::minus_value, build_.call(rows().sin, now(original_.instructions[k - 1].a))};
    case OpCode::power:
      if (s == 1) return value(build_.multiply(copy_[k], build_.call(rows().log, a)));
      return value(build_.multiply(b, build_.power(a, build_.subtract(b, build_.constant(1)))));
    case OpCode::call:
      return i.function == rows().cos ? Factor{Factor::minus_value, build_.call(rows().sin, a)}
                                      : value(of_function(i, k, s));
    default: return {};
  }
}

Operand Differentiation::of_function(const Instruction& i, std::size_t k, std::size_t s) {
  const Operand a = now(i.a);
  if (i.function == rows().exp) return copy_[k];
  if (i.function == rows().log) return build_.divide(build_.constant(1), a);
  if (i.function == rows().sin) return build_.call(rows().cos, a);
  if (i.function == rows().tanh) return build_.subtract(build_.constant(1), build_.multiply(copy_[k], copy_[k]));
  // The rule of the catalogue, in symbols that stand for the arguments.
  const FunctionRow& f = row_of(i.function);
  const std::vector<Symbol> names = {Symbol("first_argument"), Symbol("second_argument"), Symbol("third_argument")};
  std::vector<Expr> arguments;
  NodeMap<Operand> values;
  for (std::size_t n = 0; n < i.operands; ++n) {
    arguments.emplace_back(names[n]);
    values[arguments.back()] = now(n == 0 ? i.a : n == 1 ? i.b : i.c);
  }
  const Expr rule[] = {partial_derivative(f, arguments, s)};
  std::vector<Operand> result;
  if (!lower(rule, values, false, program_, result).empty())
    throw Error(ErrorKind::unsupported, fmt::format("the derivative of {} cannot be computed", f.name));
  return result[0];
}

}  // namespace boreon
