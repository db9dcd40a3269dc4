// SPDX-License-Identifier: MIT
// Reads a model file: what it declares (load_names.cpp), arrays and their indices (load_arrays.cpp), equations of
// arrays (load_families.cpp), coordinates of grids (load_grid.cpp), its expressions and how they hang together (load.cpp), data and fits (load_fit.cpp),
// objective and constraints (load_optimise.cpp), what must hold of the whole (load_check.cpp).
#pragma once

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <functional>
#include <initializer_list>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "arrays/write_out.hpp"
#include "boreon/arrays.hpp"
#include "boreon/fields.hpp"
#include "boreon/grid.hpp"
#include "boreon/model.hpp"
#include "boreon/names.hpp"
#include "model/array_scope.hpp"
#include "model/resolver.hpp"
#include "model/toml_reader.hpp"

namespace boreon {

struct FieldProblem;

class Loader {
 public:
  Loader(std::string_view text, const std::string& path, const ParameterValues& values)
      : reader_(text, path), values_(values) {
    model_.path = path;
  }
  [[nodiscard]] Model run();
  /// Arrays stay as they are: see load_open.cpp.
  [[nodiscard]] FieldProblem run_open();

 private:
  // An equation that holds for a range of indices, or for one element.
  struct Family {
    EquationFamily info;
    std::vector<Expr> free;          // index symbols
    std::vector<IndexRange> ranges;  // of them, in numbers
    DeclaredArray* target = nullptr;
    std::vector<Expr> places;  // of the target
    int literals = 0;

    [[nodiscard]] bool conditional() const { return !info.where.is_constant(ConstantCode::true_value); }
    /// Numbers among the places count first, then a condition.
    [[nodiscard]] int specificity() const { return 2 * literals + (conditional() ? 1 : 0); }
  };

  void declarations();
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

  // load_arrays.cpp
  void indices();
  [[nodiscard]] Expr end_of_index(const toml::node& node, const std::string& name);
  /// The array that a key such as "T'[i, j]" names; empty for a plain name.
  [[nodiscard]] std::optional<ArrayHead> array_head(const std::string& key, const SourcePosition& at) const;
  /// Declares the array of a key; a table in `node` gives its unit and note.
  DeclaredArray& declare_array(const ArrayHead& head, ModelArray::What what, const toml::node& node,
                               const SourcePosition& at);
  void array_parameters();
  void array_values(DeclaredArray& a, const toml::node& node);
  void file_values(DeclaredArray& a, const toml::node& node);
  void npy_values(DeclaredArray& a, const std::string& path, const SourcePosition& at);
  void array_unknown(const ArrayHead& head, const toml::node& node, const SourcePosition& at);
  void array_rates(const ArrayHead& head, const toml::node& node, const SourcePosition& at);
  void array_formulas();
  [[nodiscard]] Expr formula(const toml::node& node, const std::string& what);
  void require_bound_indices(const Expr& e, std::span<const Expr> allowed, const std::string& what,
                             const SourcePosition& at) const;
  /// The array of a name while texts are read; reads a definition that stands further down first.
  [[nodiscard]] const NamedArray* array_named(const std::string& name);
  void definition_body(NamedExpression& e);
  /// An output that is an array leaves its name empty: its elements take its place.
  void output_body(NamedExpression& e, const toml::node& node);

  // load_grid.cpp
  void grid();
  /// Derivatives by coordinates as differences.
  [[nodiscard]] Expr on_grid(const Expr& e, const SourcePosition& at);
  [[nodiscard]] GridDimension dimensions_of_grid();
  [[nodiscard]] Expr with_places_as_numbers(const Expr& e) const;

  // load_write_out.cpp
  void find_sizes();
  void write_out_arrays();
  void write_starts();
  void write_definitions(std::vector<NamedExpression>& all);
  /// " at i = 3, j = 4"; empty for no indices.
  [[nodiscard]] static std::string text_of(const WriteOut::Numbers& indices);
  [[nodiscard]] Expr written(const Expr& e, const WriteOut::Numbers& indices, const std::string& where,
                             const SourcePosition& at);
  void put_in_starts(const std::function<Expr(const Expr&, const SourcePosition&)>& resolve);
  void parameters_in_use();
  void write_optimum();

  // load_open.cpp
  [[nodiscard]] Expr with_plain_heads(const Expr& e) const;
  void require_open_sections() const;
  void open_formulas(FieldSystem& s, Resolver& resolver);
  void open_data(FieldSystem& s);
  void open_equations(FieldProblem& p, Resolver& resolver);
  void open_equation(FieldProblem& p, const Family& f, const Expr& residual, std::size_t target);
  void open_starts(FieldProblem& p, Resolver& resolver);
  void open_outputs(FieldProblem& p, Resolver& resolver);
  [[nodiscard]] static std::optional<std::size_t> target_of(const FieldSystem& s, const Family& f, const Expr& residual);

  // load_families.cpp
  /// The declared indices that are free in these, with their ranges.
  void add_open_indices(std::span<const Expr> parts, std::vector<Expr>& free, std::vector<IndexRange>& ranges) const;
  void equation(const std::string& name, const toml::node& node, const SourcePosition& at);
  void family(const std::string& name, const Array& value, const Expr& where, const SourcePosition& at);
  void find_target(Family& f) const;
  void write_families();
  void claim_elements(Family& f, std::size_t number);

  void data();
  void data_columns(const toml::table& columns);
  void data_symbols(const SourcePosition& at);

  /// The text of an expression, or a plain number. `context` is told where the text starts; copying it for each
  /// expression would make loading quadratic.
  [[nodiscard]] Expr expression(const toml::node& node, const std::string& what, ParseContext& context);
  /// Where outputs, which other sections do not know, may be used by name.
  [[nodiscard]] ParseContext context_with_outputs() const;
  void function_bodies();
  void bodies(const char* section_name, std::vector<NamedExpression>& list);
  void require_value(const NamedExpression& e) const;
  void equations();
  void fits();
  void optimise();
  void constraints(ParseContext& of_model);
  void add_constraint(const std::string& name, const Expr& relation, const SourcePosition& at);
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
  void check_optimum(Uses& uses);
  void check_columns_stay_in_fits();
  void warn_of_unused(const Uses& uses);
  void warn(const std::string& message, const SourcePosition& at) { model_.warnings.push_back({message, at}); }

  TomlReader reader_;
  ParameterValues values_;
  Model model_;
  ParseContext context_;
  ArrayScope scope_;
  std::map<std::string, IndexRange> ranges_;         // of indices, in numbers
  std::map<std::string, const toml::node*> unread_;  // definitions by name, while their texts are read one by one
  std::vector<std::string> reading_;
  std::vector<std::pair<std::string, const toml::node*>> formulas_;  // of arrays, by name
  std::vector<std::pair<std::string, ArrayHead>> output_heads_;      // "T[i]" among the outputs
  std::unique_ptr<WriteOut> write_out_;
  struct Start {  // of the elements of an unknown array
    DeclaredArray* array;
    Expr given;
    bool rate;
    SourcePosition position;
    std::vector<Expr> elements = {};  // written out
  };
  std::vector<Start> starts_;
  struct OpenConstraint {  // as read; with indices that are open
    std::string name;
    Expr relation;
    std::vector<Expr> free;
    std::vector<IndexRange> ranges;
    SourcePosition position;
  };
  std::vector<OpenConstraint> open_constraints_;
  std::vector<Family> families_;
  struct Owner {
    std::size_t family = 0;  // 1 is the first; 0: none
    std::size_t member = 0;
    int specificity = -1;
  };
  std::map<DeclaredArray*, std::vector<Owner>> owners_;
  std::size_t written_equations_ = 0;  // those of families come first
  bool open_ = false;                 // no element is written out
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
