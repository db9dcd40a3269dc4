// SPDX-License-Identifier: MIT
// Reads a model file: what it declares (load_names.cpp), its expressions and how they hang together (load.cpp), data
// and fits (load_fit.cpp), what must hold of the whole (load_check.cpp).
#pragma once

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <initializer_list>
#include <map>
#include <set>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "boreon/model.hpp"
#include "boreon/names.hpp"
#include "model/resolver.hpp"
#include "model/toml_reader.hpp"

namespace boreon {

class Loader {
 public:
  Loader(std::string_view text, const std::string& path) : reader_(text, path) { model_.path = path; }
  [[nodiscard]] Model run();

 private:
  using Entries = std::vector<std::pair<const toml::key*, const toml::node*>>;

  [[nodiscard]] const toml::table* section(const char* name) const;
  /// Keys in the order of the file, which is vector order.
  [[nodiscard]] static Entries in_file_order(const toml::table& table);
  void declare(const std::string& name, const char* what, const SourcePosition& at);
  [[nodiscard]] std::string unit(const toml::table& t) const;
  [[nodiscard]] std::string note(const toml::table& t) const;
  [[nodiscard]] std::vector<std::string> unknown_names() const;
  [[nodiscard]] std::vector<double> numbers(const toml::table& t, const char* key, const std::string& name) const;
  [[nodiscard]] bool yes_or_no(const toml::table& t, const char* key, const std::string& name) const;
  /// One of some words; the first of them where the key is missing.
  template <class Choice>
  [[nodiscard]] Choice choice(const toml::table& t, const char* key,
                              std::initializer_list<std::pair<const char*, Choice>> choices) const;
  /// `lower` and `upper`, and the start moved inside them with a warning.
  void bounds(const toml::table& t, const std::string& name, double& start, bool start_given, double& lower,
              double& upper, const SourcePosition& at);

  void independent();
  void parameters();
  void parameter_table(const toml::table& t, Parameter& p);
  void correlations();
  void unknowns();
  void initial_rates(const Entries& rates);
  void function_heads();
  void tables();
  /// Declares the names of a section of expressions.
  void names(const char* section_name, std::vector<NamedExpression>& list, bool usable = true);
  void data();
  void data_columns(const toml::table& columns);
  void data_symbols(const SourcePosition& at);

  /// The text of an expression, or a plain number. `context` is told where the text starts; copying it for each
  /// expression would make loading quadratic.
  [[nodiscard]] Expr expression(const toml::node& node, const std::string& what, ParseContext& context);
  void function_bodies();
  void bodies(const char* section_name, std::vector<NamedExpression>& list);
  void equations();
  void fits();
  void fit_table(const toml::table& t, FitSeries& f, ParseContext& of_model, ParseContext& of_data);
  void run_settings();
  void resolve();

  struct Uses {
    std::set<std::string> symbols;
    std::map<std::string, int> orders;  // of unknowns, by their highest derivative
    void add(const Expr& e);
  };
  void check();
  void check_equations(Uses& uses);
  void check_unknowns(const Uses& uses);
  void check_count() const;
  void check_fits(Uses& uses);
  void check_columns_stay_in_fits();
  void warn_of_unused(const Uses& uses);
  void warn(const std::string& message, const SourcePosition& at) { model_.warnings.push_back({message, at}); }

  TomlReader reader_;
  Model model_;
  ParseContext context_;
  std::map<std::string, std::pair<std::string, SourcePosition>> declared_;
  std::vector<FunctionHead> heads_;
  std::set<std::string> used_;
};

template <class Choice>
Choice Loader::choice(const toml::table& t, const char* key,
                      std::initializer_list<std::pair<const char*, Choice>> choices) const {
  const auto* node = t.get(key);
  if (node == nullptr) return choices.begin()->second;
  const std::string text = reader_.text(*node, key);
  std::vector<std::string> words;
  for (const auto& [word, value] : choices) {
    if (text == word) return value;
    words.emplace_back(word);
  }
  reader_.fail(
      ErrorKind::name,
      fmt::format("'{}' is no choice for {}{} (known: {})", text, key, suggestion(text, words), fmt::join(words, ", ")),
      reader_.position(*node));
}

}  // namespace boreon
