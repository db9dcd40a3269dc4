// SPDX-License-Identifier: MIT
// [data] and [fit]: measured columns, and the model of each.
#include "model/loader.hpp"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <limits>

#include "boreon/csv_table.hpp"
#include "boreon/traverse.hpp"

namespace boreon {
namespace {

// In a run in time a column may be called like the unknown it measures; then it needs a symbol of its own.
std::string measured(const std::string& name) { return name + "_measured"; }

}  // namespace

void Loader::data() {
  const auto* table = section("data");
  if (table == nullptr) return;
  reader_.require_keys(*table, "[data]", {"file", "columns", "missing"});
  DataTable d;
  const SourcePosition at = reader_.position(*table);
  enum class Missing { refuse, skip };
  d.skip_missing =
      choice<Missing>(*table, "missing", {{"refuse", Missing::refuse}, {"skip", Missing::skip}}) == Missing::skip;
  const auto* file = table->get("file");
  const auto* columns = table->get("columns");
  if ((file == nullptr) == (columns == nullptr))
    reader_.fail(ErrorKind::shape, "[data] has either file = \"decay.csv\" or columns = { t = [0, 1], n = [5, 3] }",
                 at);
  model_.data = std::move(d);
  if (columns != nullptr) {
    if (!columns->is_table())
      reader_.fail(ErrorKind::shape, "'columns' is a table of lists: columns = { t = [0, 1], n = [5, 3] }",
                   reader_.position(*columns));
    data_columns(*columns->as_table());
  } else {
    const std::string name = reader_.text(*file, "the file of the data");
    namespace fs = std::filesystem;
    const fs::path path = fs::path(model_.path).parent_path() / fs::path(name);
    std::error_code ignored;
    if (!fs::is_regular_file(path, ignored))
      reader_.fail(
          ErrorKind::io,
          fmt::format("the data file '{}' cannot be read; its path is relative to the model file", path.string()),
          reader_.position(*file));
    CsvTable t = read_csv(path.string());
    model_.data->file = name;
    model_.data->names = std::move(t.names);
    model_.data->units = std::move(t.units);
    model_.data->columns = std::move(t.columns);
    model_.data->lines = std::move(t.lines);
  }
  if (model_.data->rows() == 0)
    reader_.fail(ErrorKind::shape, "the data have no rows", reader_.position(file != nullptr ? *file : *columns));
  data_symbols(at);
}

void Loader::data_columns(const toml::table& columns) {
  for (const auto& [key, node] : in_file_order(columns)) {
    const std::string name(key->str());
    const auto* list = node->as_array();
    if (list == nullptr)
      reader_.fail(ErrorKind::shape, fmt::format("the column {} is a list of numbers: {} = [1, 2, 3]", name, name),
                   reader_.position(*key));
    std::vector<double> values;
    for (const auto& entry : *list) {
      const auto d = entry.value_exact<double>();
      const bool missing = d && std::isnan(*d);
      values.push_back(
          missing ? std::numeric_limits<double>::quiet_NaN()
                  : reader_.number(entry, fmt::format("row {} of the column {}", values.size() + 1, name)).to_double());
    }
    if (!model_.data->columns.empty() && values.size() != model_.data->rows())
      reader_.fail(ErrorKind::shape,
                   fmt::format("the column {} has {} values, {} has {}: columns are of one length", name, values.size(),
                               model_.data->names[0], model_.data->rows()),
                   reader_.position(*key));
    model_.data->names.push_back(name);
    model_.data->units.emplace_back();
    model_.data->columns.push_back(std::move(values));
  }
  if (model_.data->names.empty()) reader_.fail(ErrorKind::shape, "[data] has no columns", reader_.position(columns));
}

void Loader::data_symbols(const SourcePosition& at) {
  for (const std::string& name : model_.data->names) {
    if (name == model_.independent.name()) {
      model_.data->symbols.emplace_back(model_.independent);
      continue;
    }
    const auto other = declared_.find(name);
    const bool output = model_.find_output(name) != nullptr;
    const bool unknown = other != declared_.end() && other->second.first == "unknown";
    if (other != declared_.end() && !unknown) {
      reader_.fail(ErrorKind::name,
                   fmt::format("the data have a column '{}', and so is called a {} (line {}); rename one of them", name,
                               other->second.first, other->second.second.line),
                   at);
    }
    const bool plain = is_identifier(name) && !is_reserved_word(name);
    // what no expression can name needs a symbol all the same
    model_.data->symbols.emplace_back(Symbol(!plain ? fmt::format("column_{}", model_.data->symbols.size() + 1)
                                             : output || unknown ? measured(name)
                                                                 : name));
    if (output || unknown || !plain) continue;
    declare(name, "column of the data", at);
    context_.names.emplace(name, model_.data->symbols.back());
  }
}

void Loader::fits() {
  const auto* table = section("fit");
  if (table == nullptr) {
    if (model_.data)
      reader_.fail(ErrorKind::shape, "[data] needs a [fit] that says what its columns measure: n = { model = \"...\" }",
                   reader_.position(*section("data")));
    return;
  }
  if (!model_.data)
    reader_.fail(ErrorKind::shape, "[fit] needs [data]: file = \"decay.csv\", or columns = { t = [..], n = [..] }",
                 reader_.position(*table));
  // Outputs may be used in the model of a column; in its deviation a name that a column has is what was measured.
  ParseContext of_model = context_with_outputs();
  ParseContext of_data = context_;
  for (std::size_t i = 0; i < model_.data->names.size(); ++i)
    of_data.names.insert_or_assign(model_.data->names[i], model_.data->symbols[i]);
  for (const auto& [key, node] : in_file_order(*table)) {
    FitSeries f;
    f.name = key->str();
    f.position = reader_.position(*key);
    const auto column = model_.data->find(f.name);
    if (!column)
      reader_.fail(ErrorKind::name,
                   fmt::format("[fit]: the data have no column '{}'{} (they have {})", f.name,
                               suggestion(f.name, model_.data->names), fmt::join(model_.data->names, ", ")),
                   f.position);
    f.column = *column;
    f.deviation_given = 1;
    if (const auto* t = node->as_table()) {
      fit_table(*t, f, of_model, of_data);
    } else {
      f.model_given = expression(*node, fmt::format("the model of {}", f.name), of_model);
    }
    for (const Expr& e : {f.model_given, f.deviation_given}) {
      if (is_condition(e))
        reader_.fail(ErrorKind::shape,
                     fmt::format("[fit] {}: a condition or an equation stands where an expression is expected", f.name),
                     f.position);
    }
    model_.fits.push_back(std::move(f));
  }
  if (model_.fits.empty())
    reader_.fail(ErrorKind::shape, "[fit] is empty: n = { model = \"...\" }", reader_.position(*table));
}

void Loader::fit_table(const toml::table& t, FitSeries& f, ParseContext& of_model, ParseContext& of_data) {
  reader_.require_keys(t, fmt::format("[fit] {}", f.name), {"model", "sigma", "weight", "loss"});
  const auto* model = t.get("model");
  if (model == nullptr)
    reader_.fail(ErrorKind::shape, fmt::format("[fit] {} has no model: {} = {{ model = \"...\" }}", f.name, f.name),
                 f.position);
  f.model_given = expression(*model, fmt::format("the model of {}", f.name), of_model);
  const auto* sigma = t.get("sigma");
  const auto* weight = t.get("weight");
  if (sigma != nullptr && weight != nullptr)
    reader_.fail(
        ErrorKind::shape,
        fmt::format("[fit] {}: give sigma (a standard deviation) or weight (1/sigma^2 up to a factor), not both",
                    f.name),
        f.position);
  if (sigma != nullptr) {
    f.absolute = true;
    f.deviation_given = expression(*sigma, fmt::format("the sigma of {}", f.name), of_data);
  } else if (weight != nullptr) {
    f.deviation_given = pow(expression(*weight, fmt::format("the weight of {}", f.name), of_data), Number(-1, 2));
  }
  f.robust = choice<bool>(t, "loss", {{"squares", false}, {"robust", true}});
}

}  // namespace boreon
