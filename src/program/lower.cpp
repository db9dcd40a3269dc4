// From expressions to a program.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <cmath>
#include <deque>

#include "boreon/bindings.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/program.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "program/builder.hpp"
#include "program/passes.hpp"

namespace boreon {
namespace {

// A value that may still have to be negated: sums absorb the sign as subtraction.
struct Signed {
  Operand value;
  bool negative = false;
};

class Lowering {
 public:
  Lowering(Program& program, std::span<const InputGroup> inputs) : program_(program), build_(program) {
    for (std::size_t g = 0; g < inputs.size(); ++g) {
      Program::Group group{inputs[g].name, {}, inputs[g].variables.size(), std::nullopt};
      for (std::size_t i = 0; i < inputs[g].variables.size(); ++i) {
        const Expr& v = inputs[g].variables[i];
        if (!v.is(Kind::symbol) && !v.is(Kind::unknown_call)) {
          throw Error(ErrorKind::usage, fmt::format("an input of a function must be a symbol or a call of an unknown function, not {}", to_text(v, {60})));
        }
        const auto [slot, fresh] = values_.insert(v);
        if (!fresh) throw Error(ErrorKind::name, fmt::format("the input {} is listed twice", to_text(v)));
        *slot = {static_cast<std::uint32_t>(2 + g), static_cast<std::uint32_t>(i)};
        group.names.push_back(i < inputs[g].labels.size() ? inputs[g].labels[i] : to_text(v));
      }
      program_.inputs.push_back(std::move(group));
    }
  }

  Operand operator()(const Expr& root) {
    postorder(
        std::span<const Expr>(&root, 1), [&](const Expr& e) { visit(e); }, [&](const Expr& e) { return !values_.contains(e); });
    return values_.at(root);
  }

  std::vector<std::string> missing;  // symbols that are no inputs

 private:
  void visit(const Expr& e) {
    if (values_.contains(e)) return;
    const Operand v = lower(e);
    values_[e] = v;
  }

  Operand lower(const Expr& e) {
    switch (e.kind()) {
      case Kind::number: return build_.constant(e.number().to_double());
      case Kind::constant: return constant(e);
      case Kind::symbol:
        if (!is_function_head(e)) missing.push_back(e.name());
        return build_.constant(0);
      case Kind::unknown_call: missing.push_back(to_text(e)); return build_.constant(0);
      case Kind::sum: return sum(e);
      case Kind::product: return product(e);
      case Kind::power: {
        const Factor only[] = {{&e.operands()[0], &e.operands()[1]}};
        return fraction(1, only);
      }
      case Kind::call: return call(e);
      case Kind::relation: return relation(e);
      case Kind::logic: return logic(e);
      case Kind::piecewise: return piecewise(e);
      default: throw Error(ErrorKind::unsupported, fmt::format("{} is unevaluated and cannot become part of a numeric function in this version", to_text(e, {80})));
    }
  }

  Operand constant(const Expr& e) {
    switch (e.constant_code()) {
      case ConstantCode::pi: return build_.constant(3.14159265358979323846);
      case ConstantCode::egamma: return build_.constant(0.57721566490153286061);
      case ConstantCode::infinity: return build_.constant(std::numeric_limits<double>::infinity());
      case ConstantCode::true_value: return build_.constant(1);
      case ConstantCode::false_value: return build_.constant(0);
      case ConstantCode::undefined: return build_.constant(std::nan(""));
      case ConstantCode::imaginary: throw Error(ErrorKind::unsupported, "a numeric function is real: the imaginary unit cannot be part of it");
    }
    return {};
  }

  // Operands are combined along the bits of their hashes: equal subsets of different sums meet in equal nodes, so that
  // sums and products which differ in a few operands share the rest.
  template <class T, class Combine>
  static T tree(std::span<const T> items, std::span<const std::uint64_t> hashes, unsigned bit, const Combine& combine) {
    if (items.size() == 1) return items[0];
    if (items.size() <= 3 || bit >= 64) {
      T r = items[0];
      for (std::size_t i = 1; i < items.size(); ++i) r = combine(r, items[i]);
      return r;
    }
    std::size_t split = 0;
    while (split < hashes.size() && ((hashes[split] >> (63U - bit)) & 1U) == 0) ++split;
    if (split == 0 || split == items.size()) return tree(items, hashes, bit + 1, combine);
    return combine(tree(items.first(split), hashes.first(split), bit + 1, combine), tree(items.subspan(split), hashes.subspan(split), bit + 1, combine));
  }

  Operand sum(const Expr& e) {
    std::vector<Signed> items;
    std::vector<std::uint64_t> hashes;
    for (const auto [term, c] : Parts(e)) {
      const Number n = c.number();
      items.push_back({build_.multiply(build_.constant(n.abs().to_double()), values_.at(term)), n.sign() < 0});
      hashes.push_back(term.hash());
    }
    const auto combine = [&](const Signed& a, const Signed& b) -> Signed {
      if (a.negative == b.negative) return {build_.add(a.value, b.value), a.negative};
      return a.negative ? Signed{build_.subtract(b.value, a.value), false} : Signed{build_.subtract(a.value, b.value), false};
    };
    Signed total = tree<Signed>(items, hashes, 0, combine);
    const Number c = e.operands()[0].number();
    if (!c.is_zero()) total = combine(total, {build_.constant(c.abs().to_double()), c.sign() < 0});
    return total.negative ? build_.negate(total.value) : total.value;
  }

  // A base and its exponent.
  using Factor = std::pair<const Expr*, const Expr*>;

  Operand product(const Expr& e) {
    std::vector<Factor> factors;
    for (const auto [base, exponent] : Parts(e)) factors.emplace_back(&base, &exponent);
    return fraction(e.operands()[0].number(), factors);
  }

  // coefficient * product of powers as one numerator over one denominator.
  Operand fraction(const Number& coefficient, std::span<const Factor> factors) {
    std::vector<Operand> above;
    std::vector<Operand> below;
    std::vector<std::uint64_t> hashes_above;
    std::vector<std::uint64_t> hashes_below;
    const auto place = [&](const Expr& b, const Expr& x) {
      const bool inverse = x.is_number() && x.number().sign() < 0;
      const Operand p = raised(b, inverse ? Expr(-x.number()) : x, x);
      (inverse ? below : above).push_back(p);
      (inverse ? hashes_below : hashes_above).push_back(b.hash());
    };
    for (const auto& [b, x] : factors) place(*b, *x);
    const auto combine = [&](Operand a, Operand b) { return build_.multiply(a, b); };
    Number c = coefficient;
    const bool negative = c.sign() < 0;
    c = c.abs();
    Operand top;
    if (above.empty()) {
      top = build_.constant(c.to_double());
    } else {
      top = tree<Operand>(above, hashes_above, 0, combine);
      if (!c.is_one()) top = build_.multiply(build_.constant(c.to_double()), top);
    }
    if (!below.empty()) top = build_.divide(top, tree<Operand>(below, hashes_below, 0, combine));
    return negative ? build_.negate(top) : top;
  }

  // b^x for x that is not a negative number; `original` is the exponent with its sign.
  Operand raised(const Expr& b, const Expr& x, const Expr& original) {
    const Operand base = values_.at(b);
    if (!x.is_number()) return build_.power(base, values_.at(original));
    const Number n = x.number();
    if (n.is_exact()) {
      const auto twice = (n * Number(2)).word();
      if (twice && *twice <= 128) {
        const auto whole = static_cast<std::uint64_t>(*twice / 2);
        if (*twice % 2 == 0) return whole == 0 ? build_.constant(1) : build_.integer_power(base, whole);
        const Operand root = build_.square_root(base);
        return whole == 0 ? root : build_.multiply(build_.integer_power(base, whole), root);
      }
    }
    return build_.power(base, build_.constant(n.to_double()));
  }

  Operand call(const Expr& e) {
    const FunctionRow& row = e.function();
    const auto id = static_cast<std::uint16_t>(&row - catalogue().data());
    const auto ops = e.operands();
    if (ops.size() == 1) return row.max_args < 0 ? values_.at(ops[0]) : build_.call(id, values_.at(ops[0]));
    // min, max and hypot of several arguments are taken two at a time
    if (ops.size() > 2 && row.min_args == 2 && row.max_args == 2) throw Error(ErrorKind::shape, "too many arguments");
    Operand r = build_.call(id, values_.at(ops[0]), values_.at(ops[1]));
    for (std::size_t i = 2; i < ops.size(); ++i) r = build_.call(id, r, values_.at(ops[i]));
    return r;
  }

  Operand relation(const Expr& e) {
    static constexpr OpCode codes[] = {OpCode::less, OpCode::less_equal, OpCode::equal, OpCode::not_equal};
    return build_.compare(codes[static_cast<std::size_t>(e.relation_op())], values_.at(e.operands()[0]), values_.at(e.operands()[1]));
  }

  Operand logic(const Expr& e) {
    if (e.logic_op() == LogicOp::negation) return build_.negation(values_.at(e.operands()[0]));
    const OpCode op = e.logic_op() == LogicOp::conjunction ? OpCode::conjunction : OpCode::disjunction;
    Operand r = values_.at(e.operands()[0]);
    for (std::size_t i = 1; i < e.operands().size(); ++i) r = build_.logic(op, r, values_.at(e.operands()[i]));
    return r;
  }

  Operand piecewise(const Expr& e) {
    const auto ops = e.operands();
    std::size_t pairs = ops.size() / 2;
    Operand r = ops.size() % 2 == 1 ? values_.at(ops.back()) : build_.constant(std::nan(""));
    while (pairs-- > 0) r = build_.select(values_.at(ops[2 * pairs + 1]), values_.at(ops[2 * pairs]), r);
    return r;
  }

  Program& program_;
  ProgramBuilder build_;
  NodeMap<Operand> values_;
};

}  // namespace

Program make_program(std::span<const OutputGroup> outputs, std::span<const InputGroup> inputs) {
  if (inputs.size() > 1000) throw Error(ErrorKind::limit, "more than 1000 input groups");
  Program program;
  Lowering lower(program, inputs);
  bool operators = false;
  std::deque<Expr> kept;  // what the integrals became; the lowering knows nodes by their addresses
  for (const OutputGroup& g : outputs) {
    postorder(std::span<const Expr>(g.values), [&](const Expr& e) { operators = operators || e.is(Kind::integral) || e.is(Kind::summation); });
  }
  for (const OutputGroup& g : outputs) {
    if (g.pattern && g.pattern->nonzeros() != g.values.size()) {
      throw Error(ErrorKind::shape, fmt::format("the pattern of output '{}' has {} nonzeros, but there are {} values", g.name, g.pattern->nonzeros(), g.values.size()));
    }
    std::vector<Operand> values;
    values.reserve(g.values.size());
    for (const Expr& e : g.values) {
      if (operators) kept.push_back(operators_as_sums(e));
      values.push_back(lower(operators ? kept.back() : e));
    }
    program.results.push_back(std::move(values));
    program.outputs.push_back({g.name, {}, g.values.size(), g.pattern});
  }
  if (!lower.missing.empty()) {
    std::vector<std::string> known;
    for (const auto& g : program.inputs) known.insert(known.end(), g.names.begin(), g.names.end());
    throw Error(ErrorKind::binding, fmt::format("{} occurs in the outputs but is no input of the function{}", fmt::join(lower.missing, ", "), suggestion(lower.missing[0], known)));
  }
  remove_unused(program);
  join_sine_cosine(program);
  return program;
}

std::size_t Program::operation_count() const {
  std::size_t n = 0;
  for (const Instruction& i : instructions) n += i.operands > 0 ? 1U : 0U;
  return n;
}

}  // namespace boreon
