#include "model/resolver.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/traverse.hpp"

namespace boreon {
namespace {

// Marks that keep these symbols apart from parameters of the same name.
constexpr std::uint16_t argument_mark = 0x4000;
constexpr std::uint16_t definition_mark = 0x2000;

bool is_definition_symbol(const Expr& e) { return e.is(Kind::symbol) && (assumptions_of(e).bits() & definition_mark) != 0 && !is_function_head(e); }

}  // namespace

Symbol argument_symbol(const std::string& name) { return Symbol(name, Assumptions::from_bits(Assumptions().bits() | argument_mark)); }
Expr definition_symbol(const std::string& name) { return Symbol(name, Assumptions::from_bits(Assumptions().bits() | definition_mark)); }

Resolver::Resolver(const TomlReader& reader, const std::vector<FunctionHead>& functions, const std::vector<NamedExpression>& definitions) : reader_(reader) {
  for (const FunctionHead& f : functions) {
    items_.push_back({f.name, f.body, f.position, &f});
    heads_.emplace(f.name, &f);
  }
  for (const NamedExpression& d : definitions) items_.push_back({d.name, d.given, d.position, nullptr});
  for (std::size_t i = 0; i < items_.size(); ++i) index_.emplace(items_[i].name, i);
}

std::vector<std::size_t> Resolver::uses(const Expr& root) {
  std::vector<std::size_t> found;
  postorder(root, [&](const Expr& e) {
    if (is_definition_symbol(e) || (e.is(Kind::unknown_call) && heads_.contains(e.name()))) found.push_back(index_.at(e.name()));
    if (e.is(Kind::symbol) || e.is(Kind::unknown_call)) used_.insert(e.name());
  });
  std::sort(found.begin(), found.end());
  found.erase(std::unique(found.begin(), found.end()), found.end());
  return found;
}

void Resolver::link() {
  enum class State : char { fresh, open, done };
  std::vector<State> state(items_.size(), State::fresh);
  struct Frame {
    std::size_t item;
    std::vector<std::size_t> uses;
    std::size_t next = 0;
  };
  std::vector<Frame> stack;
  for (std::size_t root = 0; root < items_.size(); ++root) {
    if (state[root] != State::fresh) continue;
    state[root] = State::open;
    stack.push_back({root, uses(items_[root].given)});
    while (!stack.empty()) {
      Frame& top = stack.back();
      if (top.next < top.uses.size()) {
        const std::size_t u = top.uses[top.next++];
        if (state[u] == State::open) {
          auto from = std::find_if(stack.begin(), stack.end(), [&](const Frame& f) { return f.item == u; });
          std::string chain;
          for (; from != stack.end(); ++from) chain += items_[from->item].name + " -> ";
          reader_.fail(ErrorKind::cycle, fmt::format("the definitions go in a circle: {}{}", chain, items_[u].name), items_[u].position);
        }
        if (state[u] == State::fresh) {
          state[u] = State::open;
          stack.push_back({u, uses(items_[u].given)});
        }
        continue;
      }
      const Item& item = items_[top.item];
      try {
        values_[item.name] = resolve(item.given);
      } catch (const Error& e) {
        if (e.position().known()) throw;
        reader_.fail(e.kind(), fmt::format("in {}: {}", item.name, e.message()), item.position);
      }
      state[top.item] = State::done;
      stack.pop_back();
    }
  }
}

Expr Resolver::resolve(const Expr& expression) {
  (void)uses(expression);  // notes the names
  Rebuild write_out(
      [&](const Expr& e, Expr& result) {
        if (!is_definition_symbol(e)) return false;
        result = values_.at(e.name());
        return true;
      },
      [&](const Expr& e) { return e.is(Kind::unknown_call) && heads_.contains(e.name()) ? call(e) : e; });
  return evaluate_derivatives(write_out(expression));
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
    for (std::size_t i = 0; i < orders.size(); ++i) body = derivative(body, f.arguments[i], static_cast<int>(orders[i]));
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
