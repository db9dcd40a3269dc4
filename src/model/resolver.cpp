// SPDX-License-Identifier: MIT
#include "model/resolver.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/sums.hpp"
#include "boreon/traverse.hpp"
#include "expr/work.hpp"
#include "model/time_integrals.hpp"
#include "substitution/dependency_order.hpp"

namespace boreon {
namespace {

// Marks that keep these symbols apart from parameters of the same name.
constexpr std::uint16_t argument_mark = 0x4000;
constexpr std::uint16_t definition_mark = 0x2000;

bool is_definition_symbol(const Expr& e) {
  return e.is(Kind::symbol) && (assumptions_of(e).bits() & definition_mark) != 0 && !is_function_head(e);
}

}  // namespace

Symbol argument_symbol(const std::string& name) {
  return Symbol(name, Assumptions::from_bits(Assumptions().bits() | argument_mark));
}
Expr definition_symbol(const std::string& name) {
  return Symbol(name, Assumptions::from_bits(Assumptions().bits() | definition_mark));
}

Resolver::Resolver(const TomlReader& reader, const std::vector<FunctionHead>& functions,
                   const std::vector<ModelTable>& tables, const std::vector<NamedExpression>& definitions)
    : reader_(reader) {
  for (const FunctionHead& f : functions) {
    items_.push_back({f.name, f.body, f.position, &f});
    heads_.emplace(f.name, &f);
  }
  for (const ModelTable& t : tables) tables_.emplace(t.function.name(), t.function);
  for (const NamedExpression& d : definitions) items_.push_back({d.name, d.given, d.position, nullptr});
  for (std::size_t i = 0; i < items_.size(); ++i) index_.emplace(items_[i].name, i);
}

std::vector<std::size_t> Resolver::uses(const Expr& root) {
  std::vector<std::size_t> found;
  postorder(root, [&](const Expr& e) {
    if (is_definition_symbol(e) || (e.is(Kind::unknown_call) && heads_.contains(e.name())))
      found.push_back(index_.at(e.name()));
    if (e.is(Kind::symbol) || e.is(Kind::unknown_call)) used_.insert(e.name());
  });
  std::sort(found.begin(), found.end());
  found.erase(std::unique(found.begin(), found.end()), found.end());
  return found;
}

void Resolver::link() {
  std::vector<std::vector<std::size_t>> all;
  for (const Item& item : items_) all.push_back(uses(item.given));
  const DependencyOrder dependencies = dependency_order(all);
  if (!dependencies.circle.empty()) {
    std::vector<std::string> chain;
    for (const std::size_t i : dependencies.circle) chain.push_back(items_[i].name);
    reader_.fail(ErrorKind::cycle, fmt::format("the definitions go in a circle: {}", fmt::join(chain, " -> ")),
                 items_[dependencies.circle.front()].position);
  }
  for (const std::size_t i : dependencies.order) {
    const Item& item = items_[i];
    try {
      if (item.function != nullptr && has_operators(item.given)) with_operators_.insert(item.name);
      values_[item.name] = resolve(item.given);
    } catch (const Error& e) {
      if (e.position().known()) throw;
      reader_.fail(e.kind(), fmt::format("in {}: {}", item.name, e.message()), item.position);
    }
  }
}

bool Resolver::has_operators(const Expr& expression) const {
  bool found = false;
  postorder(expression, [&](const Expr& e) {
    found = found || is_operator(e) || (e.is(Kind::unknown_call) && with_operators_.contains(e.name()));
  });
  return found;
}

Expr Resolver::resolve(const Expr& expression) {
  (void)uses(expression);  // notes the names
  // What is put in for names has been carried out already; only what is written here, or in a function called here, is
  // new.
  const bool fresh_operators = has_operators(expression);
  Rebuild write_out(
      [&](const Expr& e, Expr& result) {
        if (!is_definition_symbol(e)) return false;
        result = values_.at(e.name());
        return true;
      },
      [&](const Expr& e) {
        if (!e.is(Kind::unknown_call)) return e;
        if (heads_.contains(e.name())) return call(e);
        const auto table = tables_.find(e.name());
        return table == tables_.end()
                   ? e
                   : table->second.derivative_at(
                         {&e.operands()[1], 1}, std::vector<int>{static_cast<int>(e.operands()[2].word().value_or(0))});
      });
  const Expr written = write_out(expression);
  if (!fresh_operators) return written;
  bool operators = false;
  postorder(written, [&](const Expr& e) {
    operators = operators || e.is(Kind::integral) || e.is(Kind::reduction) || e.is(Kind::limit);
  });
  // what has no closed form stays: numeric functions take it by quadrature
  // A search that takes long is not worth it where quadrature will do.
  const WorkLimit limit(50'000'000);
  const Expr derived = evaluate_derivatives(written);
  return operators ? evaluate_known(derived) : derived;
}

// Integrals over unknown functions stay: what belongs to a run is not found by rules.
Expr Resolver::evaluate_known(const Expr& e) {
  Bindings back;
  Rebuild hide([&](const Expr& node, Expr& result) {
    if (!is_integral_of_unknowns(node)) return false;
    std::vector<Expr> operands(node.operands().begin(), node.operands().end());
    operands[0] = evaluate_known(operands[0]);
    // no text gives a symbol both marks
    result = Symbol(fmt::format("integral_{}", hidden_++),
                    Assumptions::from_bits(Assumptions().bits() | argument_mark | definition_mark));
    back.set(result, operands.size() < 4 ? unevaluated_integral(operands[0], operands[1])
                                         : unevaluated_integral(operands[0], operands[1], operands[2], operands[3]));
    return true;
  });
  const Expr rest = hide(e);
  if (back.empty()) return evaluate_operators(rest);
  return substitute(evaluate_operators(rest), back, Unused::allowed);
}

Expr Resolver::call(const Expr& e) {
  const FunctionHead& f = *heads_.at(e.name());
  std::vector<std::int64_t> orders;
  Bindings b;
  for (std::size_t i = 0; i < f.arguments.size(); ++i) {
    b.set(f.arguments[i], e.operands()[1 + 2 * i]);
    orders.push_back(e.operands()[2 + 2 * i].word().value_or(0));
  }
  const auto [at, fresh] = derivatives_[f.name].emplace(orders, Expr());
  if (fresh) {
    Expr body = values_.at(f.name);
    for (std::size_t i = 0; i < orders.size(); ++i)
      body = derivative(body, f.arguments[i], static_cast<int>(orders[i]));
    at->second = body;
  }
  return substitute(at->second, b, Unused::allowed);
}

std::vector<Function> Resolver::functions() const {
  std::vector<Function> all;
  for (const Item& i : items_) {
    if (i.function != nullptr) all.emplace_back(i.name, i.function->arguments, values_.at(i.name));
  }
  return all;
}

}  // namespace boreon
