// SPDX-License-Identifier: MIT
// Writes out definitions and functions of a model in terms of parameters and unknowns.
#pragma once

#include <map>
#include <set>
#include <string>
#include <vector>

#include "boreon/function.hpp"
#include "boreon/model.hpp"
#include "model/toml_reader.hpp"

namespace boreon {

/// A function of the file before its body is resolved.
struct FunctionHead {
  std::string name;
  std::vector<Symbol> arguments;
  const toml::node* node = nullptr;
  SourcePosition position;
  Expr body;
};

/// A formal argument: a symbol that differs from any parameter of the same name.
[[nodiscard]] Symbol argument_symbol(const std::string& name);
/// What stands for a definition until it is written out.
[[nodiscard]] Expr definition_symbol(const std::string& name);

class Resolver {
 public:
  Resolver(const TomlReader& reader, const std::vector<FunctionHead>& functions, const std::vector<ModelTable>& tables,
           const std::vector<NamedExpression>& definitions);

  /// Orders functions and definitions by use and writes each out; a circle is an error that shows it.
  void link();
  [[nodiscard]] Expr resolve(const Expr& expression);
  [[nodiscard]] const Expr& definition(const std::string& name) const { return values_.at(name); }
  [[nodiscard]] std::vector<Function> functions() const;
  /// Names of definitions, functions and parameters that something uses.
  [[nodiscard]] const std::set<std::string>& used() const noexcept { return used_; }

 private:
  struct Item {
    std::string name;
    Expr given;
    SourcePosition position;
    const FunctionHead* function = nullptr;
  };
  [[nodiscard]] std::vector<std::size_t> uses(const Expr& e);
  /// Whether integrals, sums, limits or derivatives have to be carried out here, or in a function that is called here.
  [[nodiscard]] bool has_operators(const Expr& expression) const;
  Expr call(const Expr& unknown_call);
  [[nodiscard]] Expr evaluate_known(const Expr& e);

  const TomlReader& reader_;
  std::vector<Item> items_;
  std::map<std::string, std::size_t> index_;
  std::map<std::string, Expr> values_;  // definitions written out, bodies of functions written out
  std::map<std::string, const FunctionHead*> heads_;
  std::map<std::string, NumericFunction> tables_;
  std::map<std::string, std::map<std::vector<std::int64_t>, Expr>> derivatives_;  // of functions, by orders
  std::set<std::string> with_operators_;  // functions in whose bodies has_operators()
  std::set<std::string> used_;
  std::size_t hidden_ = 0;
};

}  // namespace boreon
