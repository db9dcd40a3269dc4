// Products with derivatives, derived on the program: forward and reverse accumulation (Griewank and Walther, "Evaluating
// Derivatives", 2nd edition, chapters 3 and 4).
#include <fmt/format.h>

#include <algorithm>
#include <optional>

#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"
#include "program/builder.hpp"
#include "program/passes.hpp"

namespace boreon {
namespace {

std::size_t group_named(const std::vector<Program::Group>& groups, const std::string& name, const char* kind) {
  const auto at = std::find_if(groups.begin(), groups.end(), [&](const auto& g) { return g.name == name; });
  if (at == groups.end()) throw Error(ErrorKind::name, fmt::format("the function has no {} group '{}'", kind, name));
  return static_cast<std::size_t>(at - groups.begin());
}

class Differentiation {
 public:
  explicit Differentiation(const Program& p) : original_(p) {
    if (!p.loops.empty()) {
      throw Error(ErrorKind::unsupported, "products with derivatives are made for programs without loops over rows: make the program with ProgramOptions::rows = false");
    }
    program_.inputs = p.inputs;
    program_.outputs = p.outputs;
    program_.constants = p.constants;
    build_.emplace(program_);
    copy_.resize(p.instructions.size());
    for (std::size_t k = 0; k < p.instructions.size(); ++k) copy_[k] = copied(k);
    for (const auto& g : p.results) {
      std::vector<Operand> values;
      for (const Operand o : g) values.push_back(now(o));
      program_.results.push_back(std::move(values));
    }
  }

  // The derivative of an output group along a direction.
  Program forward(std::size_t output, std::size_t input, const std::string& name) {
    const std::uint32_t seed = add_input(name, original_.inputs[input].size);
    std::vector<std::optional<Signed>> dot(original_.instructions.size());
    const auto of = [&](Operand o) -> std::optional<Signed> {
      if (o.space == 1) return dot[o.index];
      if (o.space == 2 + input) return Signed{Operand{seed, o.index}};
      return std::nullopt;
    };
    for (std::size_t k = 0; k < original_.instructions.size(); ++k) {
      const Instruction& i = original_.instructions[k];
      if (i.op == OpCode::select) {
        const auto yes = of(i.b);
        const auto no = of(i.c);
        if (yes || no) dot[k] = Signed{build_->select(now(i.a), plain(yes), plain(no))};
        continue;
      }
      if (i.op == OpCode::divide) {
        // (a' - q b')/b
        std::optional<Signed> top = of(i.a);
        if (const auto b = of(i.b)) add_to(top, Signed{build_->multiply(copy_[k], b->value), !b->negative});
        if (top) dot[k] = Signed{build_->divide(top->value, now(i.b)), top->negative};
        continue;
      }
      for (std::size_t s = 0; s < arguments(i); ++s) {
        if (const auto d = of(argument(k, s))) add_to(dot[k], times(partial(k, s), *d));
      }
    }
    std::vector<Operand> product;
    for (const Operand o : original_.results[output]) product.push_back(plain(of(o)));
    return finish("product", std::move(product));
  }

  // The derivatives of a weighted sum of an output group by an input group.
  Program reverse(std::size_t output, std::size_t input, const std::string& name) {
    const std::uint32_t seed = add_input(name, original_.outputs[output].size);
    std::vector<std::optional<Signed>> bar(original_.instructions.size());
    std::vector<std::optional<Signed>> gradient(original_.inputs[input].size);
    const auto add = [&](Operand to, const std::optional<Signed>& term) {
      if (to.space == 0 || (to.space > 1 && to.space != 2 + input)) return;
      add_to(to.space == 1 ? bar[to.index] : gradient[to.index], term);
    };
    for (std::size_t i = 0; i < original_.results[output].size(); ++i) add(original_.results[output][i], Signed{Operand{seed, static_cast<std::uint32_t>(i)}});
    for (std::size_t k = original_.instructions.size(); k-- > 0;) {
      if (!bar[k]) continue;
      const Instruction& i = original_.instructions[k];
      const Signed w = *bar[k];
      if (i.op == OpCode::select) {
        add(i.b, Signed{build_->select(now(i.a), w.value, zero()), w.negative});
        add(i.c, Signed{build_->select(now(i.a), zero(), w.value), w.negative});
      } else if (i.op == OpCode::divide) {
        const Signed by_a{build_->divide(w.value, now(i.b)), w.negative};
        add(i.a, by_a);
        if (i.b.space != 0) add(i.b, Signed{build_->multiply(by_a.value, copy_[k]), !by_a.negative});
      } else {
        for (std::size_t s = 0; s < arguments(i); ++s) {
          if (argument(k, s).space != 0) add(argument(k, s), times(partial(k, s), w));
        }
      }
    }
    std::vector<Operand> product;
    for (const auto& g : gradient) product.push_back(plain(g));
    return finish("product", std::move(product));
  }

 private:
  // A factor of a chain rule: nothing (0), a sign, or a value.
  struct Factor {
    enum { none, one, minus_one, value, minus_value } kind = none;
    Operand operand{};
  };

  // Signs are kept apart until a sum or an output takes them in.
  struct Signed {
    Operand value;
    bool negative = false;
  };

  Operand zero() { return build_->constant(0); }
  [[nodiscard]] Operand now(Operand o) const { return o.space == 1 ? copy_[o.index] : o; }
  Operand plain(const std::optional<Signed>& s) { return !s ? zero() : s->negative ? build_->negate(s->value) : s->value; }

  void add_to(std::optional<Signed>& sum, const std::optional<Signed>& term) {
    if (!term) return;
    if (!sum) {
      sum = term;
    } else if (sum->negative == term->negative) {
      sum->value = build_->add(sum->value, term->value);
    } else {
      sum = sum->negative ? Signed{build_->subtract(term->value, sum->value)} : Signed{build_->subtract(sum->value, term->value)};
    }
  }

  std::optional<Signed> times(const Factor& f, const Signed& d) {
    switch (f.kind) {
      case Factor::none: return std::nullopt;
      case Factor::one: return d;
      case Factor::minus_one: return Signed{d.value, !d.negative};
      case Factor::value: return Signed{build_->multiply(f.operand, d.value), d.negative};
      default: return Signed{build_->multiply(f.operand, d.value), !d.negative};
    }
  }

  // The operands that an instruction has derivatives by; the cosine of a pair has that of the sine.
  static std::size_t arguments(const Instruction& i) { return i.operands == 0 || square(i) ? 1 : std::min<std::size_t>(i.operands, 2); }
  [[nodiscard]] Operand argument(std::size_t k, std::size_t s) const {
    const Instruction& i = original_.instructions[k];
    return i.operands == 0 ? original_.instructions[k - 1].a : s == 0 ? i.a : i.b;
  }

  std::uint32_t add_input(const std::string& name, std::size_t size) {
    Program::Group g{name, {}, size, std::nullopt};
    for (std::size_t i = 0; i < size; ++i) g.names.push_back(fmt::format("{}[{}]", name, i));
    program_.inputs.push_back(std::move(g));
    return static_cast<std::uint32_t>(1 + program_.inputs.size());
  }

  Program finish(const std::string& name, std::vector<Operand> product) {
    program_.outputs.push_back({name, {}, product.size(), std::nullopt});
    program_.results.push_back(std::move(product));
    merge_equal(program_);
    join_sine_cosine(program_);
    order_for_registers(program_);
    return std::move(program_);
  }

  // sine_cosine is taken apart and joined again at the end.
  Operand copied(std::size_t k) {
    const Instruction& i = original_.instructions[k];
    switch (i.op) {
      case OpCode::add: return build_->add(now(i.a), now(i.b));
      case OpCode::subtract: return build_->subtract(now(i.a), now(i.b));
      case OpCode::multiply: return build_->multiply(now(i.a), now(i.b));
      case OpCode::divide: return build_->divide(now(i.a), now(i.b));
      case OpCode::negate: return build_->negate(now(i.a));
      case OpCode::square_root: return build_->square_root(now(i.a));
      case OpCode::power: return build_->power(now(i.a), now(i.b));
      case OpCode::call: return i.operands == 1 ? build_->call(i.function, now(i.a)) : build_->call(i.function, now(i.a), now(i.b));
      case OpCode::sine_cosine: return i.operands == 1 ? build_->call(sin_row, now(i.a)) : build_->call(cos_row, now(original_.instructions[k - 1].a));
      case OpCode::conjunction:
      case OpCode::disjunction: return build_->logic(i.op, now(i.a), now(i.b));
      case OpCode::negation: return build_->negation(now(i.a));
      case OpCode::select: return build_->select(now(i.a), now(i.b), now(i.c));
      default: return build_->compare(i.op, now(i.a), now(i.b));
    }
  }

  static bool square(const Instruction& i) { return i.op == OpCode::multiply && i.a == i.b; }

  // d(instruction)/d(operand s); of a square by the operand that is both.
  Factor partial(std::size_t k, std::size_t s) {
    const Instruction& i = original_.instructions[k];
    const Operand a = now(i.a);
    const Operand b = now(i.b);
    const auto value = [](Operand o) { return Factor{Factor::value, o}; };
    switch (i.op) {
      case OpCode::add: return {Factor::one, {}};
      case OpCode::subtract: return {s == 0 ? Factor::one : Factor::minus_one, {}};
      case OpCode::negate: return {Factor::minus_one, {}};
      case OpCode::multiply: return value(square(i) ? build_->add(a, a) : s == 0 ? b : a);
      case OpCode::square_root: return value(build_->divide(build_->constant(0.5), copy_[k]));
      case OpCode::sine_cosine: return i.operands == 1 ? value(build_->call(cos_row, a)) : Factor{Factor::minus_value, build_->call(sin_row, now(original_.instructions[k - 1].a))};
      case OpCode::power:
        if (s == 1) return value(build_->multiply(copy_[k], build_->call(log_row, a)));
        return value(build_->multiply(b, build_->power(a, build_->subtract(b, build_->constant(1)))));
      case OpCode::call: return i.function == cos_row ? Factor{Factor::minus_value, build_->call(sin_row, a)} : value(of_function(i, k, s));
      default: return {};
    }
  }

  Operand of_function(const Instruction& i, std::size_t k, std::size_t s) {
    const Operand a = now(i.a);
    if (i.function == exp_row) return copy_[k];
    if (i.function == log_row) return build_->divide(build_->constant(1), a);
    if (i.function == sin_row) return build_->call(cos_row, a);
    if (i.function == tanh_row) return build_->subtract(build_->constant(1), build_->multiply(copy_[k], copy_[k]));
    // The rule of the catalogue, in symbols that stand for the arguments.
    const FunctionRow& f = catalogue()[i.function];
    if (f.derivative == nullptr) throw Error(ErrorKind::unsupported, fmt::format("no derivative of {} is known", f.name));
    const std::vector<Symbol> names = {Symbol("first_argument"), Symbol("second_argument")};
    std::vector<Expr> arguments;
    NodeMap<Operand> values;
    for (std::size_t n = 0; n < i.operands; ++n) {
      arguments.emplace_back(names[n]);
      values[arguments.back()] = now(n == 0 ? i.a : i.b);
    }
    const Expr rule[] = {f.derivative(arguments, s)};
    std::vector<Operand> result;
    if (!lower(rule, values, false, program_, result).empty()) throw Error(ErrorKind::unsupported, fmt::format("the derivative of {} cannot be computed", f.name));
    return result[0];
  }

  const std::uint16_t exp_row = row_number("exp");
  const std::uint16_t log_row = row_number("log");
  const std::uint16_t sin_row = row_number("sin");
  const std::uint16_t cos_row = row_number("cos");
  const std::uint16_t tanh_row = row_number("tanh");
  const Program& original_;
  Program program_;
  std::optional<ProgramBuilder> build_;
  std::vector<Operand> copy_;  // of the original's instructions
};

}  // namespace

Program jacobian_vector(const Program& program, const std::string& output, const std::string& input, const std::string& direction) {
  return Differentiation(program).forward(group_named(program.outputs, output, "output"), group_named(program.inputs, input, "input"), direction);
}

Program vector_jacobian(const Program& program, const std::string& output, const std::string& input, const std::string& weights) {
  return Differentiation(program).reverse(group_named(program.outputs, output, "output"), group_named(program.inputs, input, "input"), weights);
}

Program hessian_vector(const Program& program, const std::string& output, const std::string& input, const std::string& weights, const std::string& direction) {
  Program gradient = vector_jacobian(program, output, input, weights);
  gradient.outputs.back().name = "gradient";
  return jacobian_vector(gradient, "gradient", input, direction);
}

}  // namespace boreon
