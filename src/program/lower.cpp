// SPDX-License-Identifier: MIT
// From expressions to a program.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <set>
#include <string_view>

#include "boreon/bindings.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/matrix.hpp"
#include "boreon/program.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "program/network.hpp"
#include "program/passes.hpp"
#include "program/reductions.hpp"

namespace boreon {
namespace {

using Id = std::uint32_t;  // of a node of the network

// A number as so many halves, if they are few.
std::optional<std::int64_t> halves(const Number& n) {
  constexpr std::int64_t most = 128;
  if (const auto whole = n.word(); whole)
    return std::abs(*whole) <= most / 2 ? std::optional(2 * *whole) : std::nullopt;
  const auto twice = (n * Number(2)).word();
  return twice && std::abs(*twice) <= most ? twice : std::nullopt;
}

class Lowering {
 public:
  Lowering(const NodeMap<Operand>& inputs, std::size_t roots) : inputs_(inputs) {
    network.nodes.reserve(4 * roots + 256);
  }

  // Nodes for the roots.
  std::vector<Id> operator()(std::span<const Expr> roots) {
    postorder(
        roots,
        [&](const Expr& e) {
          if (!values_.contains(e)) {
            const Id v = lower(e);
            values_[e] = v;
          }
        },
        [&](const Expr& e) { return inputs_.find(e) == nullptr && !needs_numbers_inside(e); });
    std::vector<Id> ids;
    ids.reserve(roots.size());
    for (const Expr& e : roots) ids.push_back(values_.at(e));
    return ids;
  }

  Network network;
  std::vector<std::string> missing;  // symbols that are no inputs
  std::vector<NumericFunction> functions;
  bool operators = false;  // there are integrals, sums or roots, to be written out first

 private:
  Id lower(const Expr& e) {
    if (const Operand* o = inputs_.find(e); o != nullptr) return network.leaf(*o);
    switch (e.kind()) {
      case Kind::number: return network.number(e.number().to_double());
      case Kind::constant: return constant(e);
      case Kind::symbol:
        if (!is_function_head(e)) missing.push_back(e.name());
        return network.number(0);
      case Kind::unknown_call: missing.push_back(to_text(e)); return network.number(0);
      case Kind::sum: return sum(e);
      case Kind::product: return product(e);
      case Kind::power: return fraction(1, {{&e.operands()[0], &e.operands()[1]}});
      case Kind::call: return call(e);
      case Kind::relation: return relation(e);
      case Kind::logic: return logic(e);
      case Kind::piecewise: return piecewise(e);
      case Kind::integral:
      case Kind::root:
      case Kind::reduction: operators = true; return network.number(0);
      default:
        throw Error(ErrorKind::unsupported,
                    fmt::format("{} is unevaluated and cannot become part of a numeric function in this version",
                                to_text(e, {80})));
    }
  }

  Id constant(const Expr& e) {
    switch (e.constant_code()) {
      case ConstantCode::pi: return network.number(3.14159265358979323846);
      case ConstantCode::egamma: return network.number(0.57721566490153286061);
      case ConstantCode::infinity: return network.number(std::numeric_limits<double>::infinity());
      case ConstantCode::true_value: return network.number(1);
      case ConstantCode::false_value: return network.number(0);
      case ConstantCode::undefined: return network.number(std::nan(""));
      case ConstantCode::imaginary:
        throw Error(ErrorKind::unsupported, "a numeric function is real: the imaginary unit cannot be part of it");
    }
    return 0;
  }

  // The subsets of large sums and products meet when they are split along hashes of what stands in them.
  Id ordered(Id id, const Expr& e) {
    network.nodes[id].order = e.hash();
    return id;
  }

  Id sum(const Expr& e) {
    std::vector<Network::Item> items;
    for (const auto [term, c] : Parts(e)) items.push_back({values_.at(term), c.number().to_double()});
    return ordered(network.sum(e.operands()[0].number().to_double(), std::move(items)), e);
  }

  // A base and its exponent.
  using Factor = std::pair<const Expr*, const Expr*>;

  Id product(const Expr& e) {
    std::vector<Factor> factors;
    for (const auto [base, exponent] : Parts(e)) factors.emplace_back(&base, &exponent);
    return ordered(fraction(e.operands()[0].number().to_double(), factors), e);
  }

  // coefficient * product of powers: whole exponents stay, halves are roots.
  Id fraction(double coefficient, const std::vector<Factor>& factors) {
    std::vector<Network::Item> items;
    for (const auto& [b, x] : factors) {
      const Id base = values_.at(*b);
      if (x->is_number() && x->number().is_exact()) {
        if (const auto twice = halves(x->number()); twice) {
          if (const std::int64_t whole = *twice / 2; whole != 0) items.push_back({base, static_cast<double>(whole)});
          if (*twice % 2 != 0)
            items.push_back({network.apply(OpCode::square_root, 0, {base}), *twice < 0 ? -1.0 : 1.0});
          continue;
        }
      }
      items.push_back({network.apply(OpCode::power, 0, {base, values_.at(*x)}), 1});
    }
    return network.product(coefficient, std::move(items));
  }

  Id call(const Expr& e) {
    static const auto exponential = row_number("exp");
    const FunctionRow& row = e.function();
    const auto id = row_number(row);
    const auto ops = e.operands();
    if (row.own != 0) functions.push_back(numeric_call(row).function);
    if (id == exponential)
      network.nodes[values_.at(ops[0])].sign = is_nonnegative(ops[0])    ? std::int8_t{1}
                                               : is_nonnegative(-ops[0]) ? std::int8_t{-1}
                                                                         : std::int8_t{0};
    if (ops.size() == 1)
      return row.max_args < 0 ? values_.at(ops[0]) : network.apply(OpCode::call, id, {values_.at(ops[0])});
    if (ops.size() > 2 && row.min_args > 2) {
      if (!e.has_symbols()) return network.number(evaluate(e));  // polynomial_root and its kind
      if (ops.size() > 3)
        throw Error(ErrorKind::unsupported, fmt::format("{} has too many arguments for a numeric function", row.name));
      return network.apply(OpCode::call, id, {values_.at(ops[0]), values_.at(ops[1]), values_.at(ops[2])});
    }
    // min, max and hypot of several arguments are taken two at a time
    Id r = network.apply(OpCode::call, id, {values_.at(ops[0]), values_.at(ops[1])});
    for (std::size_t i = 2; i < ops.size(); ++i) r = network.apply(OpCode::call, id, {r, values_.at(ops[i])});
    return r;
  }

  Id relation(const Expr& e) {
    static constexpr OpCode codes[] = {OpCode::less, OpCode::less_equal, OpCode::equal, OpCode::not_equal};
    return network.apply(codes[static_cast<std::size_t>(e.relation_op())], 0,
                         {values_.at(e.operands()[0]), values_.at(e.operands()[1])});
  }

  Id logic(const Expr& e) {
    if (e.logic_op() == LogicOp::negation) return network.apply(OpCode::negation, 0, {values_.at(e.operands()[0])});
    const OpCode op = e.logic_op() == LogicOp::conjunction ? OpCode::conjunction : OpCode::disjunction;
    Id r = values_.at(e.operands()[0]);
    for (std::size_t i = 1; i < e.operands().size(); ++i) r = network.apply(op, 0, {r, values_.at(e.operands()[i])});
    return r;
  }

  Id piecewise(const Expr& e) {
    const auto ops = e.operands();
    std::size_t pairs = ops.size() / 2;
    Id r = ops.size() % 2 == 1 ? values_.at(ops.back()) : network.number(std::nan(""));
    while (pairs-- > 0)
      r = network.apply(OpCode::select, 0, {values_.at(ops[2 * pairs + 1]), values_.at(ops[2 * pairs]), r});
    return r;
  }

  const NodeMap<Operand>& inputs_;
  NodeMap<Id> values_;
};

}  // namespace

std::vector<std::string> lower(std::span<const Expr> roots, const NodeMap<Operand>& inputs, bool optimised,
                               Program& program, std::vector<Operand>& values,
                               const std::function<bool(Operand)>& fixed) {
  Lowering lowering(inputs, roots.size());
  const std::vector<Id> ids = lowering(roots);
  if (lowering.operators) {
    std::vector<Expr> written_out;
    written_out.reserve(roots.size());
    for (const Expr& e : roots) written_out.push_back(operators_as_sums(e));
    if (std::equal(roots.begin(), roots.end(), written_out.begin())) {
      throw Error(ErrorKind::unsupported,
                  "an integral or sum cannot be written out and cannot become part of a numeric function");
    }
    return lower(written_out, inputs, optimised, program, values, fixed);
  }
  if (!lowering.missing.empty()) return lowering.missing;
  for (NumericFunction& f : lowering.functions) {
    if (std::find(program.functions.begin(), program.functions.end(), f) == program.functions.end())
      program.functions.push_back(std::move(f));
  }
  Network& network = lowering.network;
  if (optimised) {
    reuse_powers(network, ids);
    share_reciprocals(network, ids);
    absorb_constants(network, ids);
    absorb_factors(network, ids);
    share_pairs(network, ids);
    const std::vector<char> changed = factor_sums(network, ids);
    share_pairs(network, ids, &changed);
    merge_exponentials(network, ids);
  }
  values = binarise(network, ids, program, fixed);
  return {};
}

namespace {

NodeMap<Operand> declare_inputs(Program& program, std::span<const InputGroup> inputs) {
  NodeMap<Operand> values;
  for (std::size_t g = 0; g < inputs.size(); ++g) {
    Program::Group group{inputs[g].name, {}, inputs[g].variables.size(), std::nullopt};
    group.names.reserve(group.size);
    for (std::size_t i = 0; i < inputs[g].variables.size(); ++i) {
      const Expr& v = inputs[g].variables[i];
      if (!v.is(Kind::symbol) && !v.is(Kind::unknown_call)) {
        throw Error(ErrorKind::usage,
                    fmt::format("an input of a function must be a symbol or a call of an unknown function, not {}",
                                to_text(v, {60})));
      }
      const auto [slot, fresh] = values.insert(v);
      if (!fresh) throw Error(ErrorKind::name, fmt::format("the input {} is listed twice", to_text(v)));
      *slot = {static_cast<std::uint32_t>(2 + g), static_cast<std::uint32_t>(i)};
      group.names.push_back(i < inputs[g].labels.size() ? inputs[g].labels[i] : to_text(v));
    }
    program.inputs.push_back(std::move(group));
  }
  return values;
}

// A group is found by its name: of two with one name the second could never be asked for.
template <class Group>
void check_names(std::span<const Group> groups, const char* kind) {
  std::set<std::string_view> names;
  for (const Group& g : groups) {
    if (!names.insert(g.name).second)
      throw Error(ErrorKind::name, fmt::format("two {} groups are named '{}'", kind, g.name));
  }
}

}  // namespace

Program make_program(std::span<const OutputGroup> outputs, std::span<const InputGroup> inputs,
                     const ProgramOptions& options) {
  if (inputs.size() > 1000) throw Error(ErrorKind::limit, "more than 1000 input groups");
  check_names(inputs, "input");
  check_names(outputs, "output");
  Program program;
  const NodeMap<Operand> input_values = declare_inputs(program, inputs);
  for (const OutputGroup& g : outputs) {
    if (g.pattern && g.pattern->nonzeros() != g.values.size()) {
      throw Error(ErrorKind::shape, fmt::format("the pattern of output '{}' has {} nonzeros, but there are {} values",
                                                g.name, g.pattern->nonzeros(), g.values.size()));
    }
    program.outputs.push_back({g.name, {}, g.values.size(), g.pattern});
    program.results.emplace_back(g.values.size(), Program::by_loop);
  }
  std::vector<Store> open;  // outputs that no loop writes
  RowSources sources;
  if (options.rows) {
    sources.inputs = inputs;
    sources.operands = input_values;
    open = find_rows(outputs, sources, options, program);
  } else {
    for (std::size_t g = 0; g < outputs.size(); ++g) {
      for (std::size_t i = 0; i < outputs[g].values.size(); ++i)
        open.push_back({static_cast<std::uint32_t>(g), static_cast<std::uint32_t>(i)});
    }
  }
  std::vector<Expr> roots;
  roots.reserve(open.size());
  for (const Store& s : open) roots.push_back(outputs[s.group].values[s.index]);
  std::vector<Operand> values;
  const std::vector<std::string> missing = lower(roots, input_values, options.optimise, program, values);
  if (!missing.empty()) {
    for (const InputGroup& g : inputs) {
      for (const Expr& v : g.variables) {
        for (const OutputGroup& o : outputs) {
          for (const Symbol& s : free_symbols(o.values)) {
            if (are_namesakes(v, s)) reject_namesakes(v, s);
          }
        }
      }
    }
    std::vector<std::string> known;
    for (const auto& g : program.inputs) known.insert(known.end(), g.names.begin(), g.names.end());
    throw Error(ErrorKind::binding, fmt::format("{} occurs in the outputs but is no input of the function{}",
                                                fmt::join(missing, ", "), suggestion(missing[0], known)));
  }
  for (std::size_t i = 0; i < open.size(); ++i) program.results[open[i].group][open[i].index] = values[i];
  for (RowLoop& l : program.loops) hoist_uniform(program, l);
  place_written(program, sources.written);
  if (!program.loops.empty()) merge_equal(program);
  remove_unused(program);
  join_sine_cosine(program);
  order_for_registers(program);
  for (RowLoop& l : program.loops) order_for_registers(l.body);
  return program;
}

namespace {

std::vector<Expr> by_rows(const Matrix& matrix) {
  std::vector<Expr> list;
  list.reserve(static_cast<std::size_t>(matrix.size()));
  for (Eigen::Index i = 0; i < matrix.rows(); ++i) {
    for (Eigen::Index j = 0; j < matrix.cols(); ++j) list.push_back(matrix(i, j));
  }
  return list;
}

}  // namespace

InputGroup::InputGroup(std::string group_name, const Matrix& matrix, std::vector<std::string> names)
    : InputGroup(std::move(group_name), by_rows(matrix), std::move(names)) {}

OutputGroup::OutputGroup(std::string group_name, const Vector& vector)
    : name(std::move(group_name)), values(vector.begin(), vector.end()) {}

OutputGroup::OutputGroup(std::string group_name, const Matrix& matrix)
    : name(std::move(group_name)), values(by_rows(matrix)) {}

OutputGroup OutputGroup::by_columns(std::string group_name, const SparseMatrix& matrix) {
  const SparseMatrix::Columns c = matrix.columns();
  OutputGroup g(std::move(group_name), std::vector<Expr>{});
  g.values.reserve(matrix.values.size());
  for (const auto entry : c.entry) g.values.push_back(matrix.values[static_cast<std::size_t>(entry)]);
  SparsityPattern p;
  p.rows = matrix.pattern.cols;
  p.cols = matrix.pattern.rows;
  p.row_start.assign(c.column_start.begin(), c.column_start.end());
  p.columns.assign(c.rows.begin(), c.rows.end());
  g.pattern = std::move(p);
  return g;
}

std::size_t Program::code_size() const {
  std::size_t n = 0;
  for (const Instruction& i : instructions) n += i.operands > 0 ? 1U : 0U;
  for (const RowLoop& l : loops) n += l.body.code_size();
  return n;
}

std::size_t Program::operation_count() const {
  std::size_t n = 0;
  for (const Instruction& i : instructions) n += i.operands > 0 ? 1U : 0U;
  for (const RowLoop& l : loops) n += l.rows * l.body.operation_count();
  return n;
}

}  // namespace boreon
