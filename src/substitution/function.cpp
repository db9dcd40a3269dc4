// SPDX-License-Identifier: MIT
#include "boreon/function.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <unordered_map>

#include "boreon/error.hpp"
#include "boreon/traverse.hpp"
#include "substitution/dependency_order.hpp"

namespace boreon {

Function::Function(std::string_view name, std::vector<Symbol> arguments, Expr body, Unused unused)
    : name_(name), arguments_(std::move(arguments)), body_(std::move(body)) {
  if (!is_identifier(name) || is_reserved_word(name))
    throw Error(ErrorKind::name, fmt::format("'{}' cannot be the name of a function", name));
  for (std::size_t i = 0; i < arguments_.size(); ++i) {
    for (std::size_t j = i + 1; j < arguments_.size(); ++j) {
      if (arguments_[i].name() == arguments_[j].name()) {
        throw Error(ErrorKind::name,
                    fmt::format("the function {} has two arguments named '{}'", name, arguments_[i].name()));
      }
    }
    if (unused == Unused::error && !depends_on(body_, arguments_[i])) {
      throw Error(ErrorKind::binding,
                  fmt::format("the argument '{}' does not occur in the body of {}", arguments_[i].name(), name));
    }
  }
}

std::vector<Symbol> Function::parameters() const {
  std::vector<Symbol> all = free_symbols(body_);
  std::erase_if(
      all, [&](const Symbol& s) { return std::find(arguments_.begin(), arguments_.end(), s) != arguments_.end(); });
  return all;
}

Expr Function::call(std::span<const Expr> args) const {
  if (args.size() != arguments_.size()) {
    std::vector<std::string> names;
    for (const Symbol& s : arguments_) names.push_back(s.name());
    throw Error(ErrorKind::shape, fmt::format("{}({}) takes {} argument{}, got {}", name_, fmt::join(names, ", "),
                                              arguments_.size(), arguments_.size() == 1 ? "" : "s", args.size()));
  }
  Bindings b;
  for (std::size_t i = 0; i < args.size(); ++i) b.set(arguments_[i], args[i]);
  return substitute(body_, b, Unused::allowed);
}

Function compose(const Function& outer, const Function& inner) {
  if (outer.arguments().size() != 1) {
    throw Error(ErrorKind::shape, fmt::format("compose: {} takes {} arguments, but one value comes from {}",
                                              outer.name(), outer.arguments().size(), inner.name()));
  }
  return {outer.name() + "_of_" + inner.name(), inner.arguments(), outer(inner.body())};
}

void Definitions::add(std::string_view name, const Expr& value) {
  if (!is_identifier(name) || is_reserved_word(name))
    throw Error(ErrorKind::name, fmt::format("'{}' cannot be the name of a definition", name));
  if (std::find(names_.begin(), names_.end(), name) != names_.end()) {
    throw Error(ErrorKind::name, fmt::format("'{}' is defined twice", name));
  }
  names_.emplace_back(name);
  values_.push_back(value);
}

std::vector<Expr> Definitions::resolve() const {
  std::unordered_map<std::string_view, std::size_t> index;
  for (std::size_t i = 0; i < names_.size(); ++i) index.emplace(names_[i], i);
  std::vector<std::vector<std::size_t>> uses(names_.size());
  for (std::size_t i = 0; i < names_.size(); ++i) {
    for (const Symbol& s : free_symbols(values_[i])) {
      if (const auto at = index.find(s.name()); at != index.end()) uses[i].push_back(at->second);
    }
  }
  const DependencyOrder dependencies = dependency_order(uses);
  if (!dependencies.circle.empty()) {
    std::vector<std::string> chain;
    for (const std::size_t i : dependencies.circle) chain.push_back(names_[i]);
    throw Error(ErrorKind::cycle, fmt::format("the definitions go in a circle: {}", fmt::join(chain, " -> ")));
  }
  std::vector<Expr> resolved(names_.size());
  for (const std::size_t d : dependencies.order) {
    Bindings b;
    for (const std::size_t u : uses[d]) b.set(names_[u], resolved[u]);
    resolved[d] = substitute(values_[d], b, Unused::allowed);
  }
  return resolved;
}

Expr Definitions::resolve(const Expr& expression) const {
  const std::vector<Expr> values = resolve();
  Bindings b;
  for (std::size_t i = 0; i < names_.size(); ++i) b.set(names_[i], values[i]);
  return substitute(expression, b, Unused::allowed);
}

}  // namespace boreon
