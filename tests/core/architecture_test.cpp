// SPDX-License-Identifier: MIT
// The house as docs/architecture.md draws it: what may include what, and how long files are.
#include <doctest/doctest.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <map>
#include <regex>
#include <set>
#include <string>
#include <vector>

namespace {

namespace fs = std::filesystem;

const fs::path root = BOREON_SOURCE_DIR;

// From the ground up. A layer includes its own files and those before it.
const std::vector<std::string> layers{"expr",    "arrays",   "text",      "substitution", "values",
                                      "algebra", "calculus", "equations", "transforms",   "recurrences",
                                      "odes",    "pdes",     "numeric",   "program",      "fields",
                                      "solvers", "model",    "report",    "c",            "cli"};

// Which layer implements a public header.
const std::map<std::string, std::vector<std::string>> public_headers{
    {"expr",
     {"catalogue", "error", "export", "expr", "functions", "fwd", "list", "matrix", "names", "number",
      "numeric_function", "scalar_traits", "sparse_matrix", "symbol", "traverse", "work"}},
    {"arrays", {"arrays"}},
    {"text", {"mathml", "operand_order", "text"}},
    {"substitution", {"bindings", "function"}},
    {"values", {"data_table", "evaluate", "evidence", "quadrature", "sampling"}},
    {"algebra", {"algebra", "linear_algebra", "rewrite", "simplify"}},
    {"calculus", {"calculus", "coordinates", "grid", "integral", "series", "sums"}},
    {"equations", {"equations"}},
    {"transforms", {"fourier_integral", "spectrum", "transform"}},
    {"recurrences", {"recurrence"}},
    {"odes", {"ode", "ode_series"}},
    {"pdes", {"pde"}},
    {"numeric", {"cross_check"}},
    {"program", {"native", "program"}},
    {"fields", {"fields"}},
    {"solvers",
     {"continuation", "field_run", "jacobian_comparison", "least_squares", "linear_response", "optimisation", "roots", "sensitivity",
      "solvers", "system"}},
    {"model", {"array_file", "csv_table", "model"}},
    {"report", {"figure", "output_file", "plot"}},
    {"cli", {"boreon"}}};

std::string text_of(const fs::path& file) {
  std::ifstream in(file);
  return {std::istreambuf_iterator<char>(in), {}};
}

std::vector<fs::path> files(const std::vector<std::string>& folders) {
  std::vector<fs::path> all;
  for (const std::string& folder : folders) {
    for (const auto& entry : fs::recursive_directory_iterator(root / folder)) {
      const std::string end = entry.path().extension().string();
      if (end == ".cpp" || end == ".hpp" || end == ".h") all.push_back(fs::relative(entry.path(), root));
    }
  }
  std::sort(all.begin(), all.end());
  return all;
}

int rank(const std::string& layer) {
  const auto at = std::find(layers.begin(), layers.end(), layer);
  return at == layers.end() ? -1 : static_cast<int>(at - layers.begin());
}

std::string layer_of_public(const std::string& name) {
  for (const auto& [layer, headers] : public_headers) {
    if (std::find(headers.begin(), headers.end(), name) != headers.end()) return layer;
  }
  return "";
}

std::string layer_of(const fs::path& file) {
  auto part = file.begin();
  if (*part == "cli") return "cli";
  if (*part == "include") return layer_of_public(file.stem().string());
  return (++part)->string();
}

struct Include {
  std::string target;
  bool quoted;
};

std::vector<Include> includes(const fs::path& file) {
  static const std::regex line("\n#include ([<\"])([^>\"]+)[>\"]");
  const std::string text = "\n" + text_of(root / file);
  std::vector<Include> all;
  for (auto m = std::sregex_iterator(text.begin(), text.end(), line); m != std::sregex_iterator(); ++m)
    all.push_back({(*m)[2], (*m)[1] == "\""});
  return all;
}

}  // namespace

TEST_CASE("every include goes to the same layer or to one below") {
  int seen = 0;
  for (const fs::path& file : files({"include/boreon", "src", "cli"})) {
    if (file.filename() == "kernel.h") continue;
    const std::string layer = layer_of(file);
    CAPTURE(file.string());
    REQUIRE(rank(layer) >= 0);
    for (const Include& i : includes(file)) {
      if (!i.quoted) continue;
      const std::size_t slash = i.target.find('/');
      if (slash == std::string::npos || i.target == "boreon/kernel.h") continue;  // a neighbour in the same folder
      const std::string first = i.target.substr(0, slash);
      const std::string target = first == "boreon" ? layer_of_public(fs::path(i.target).stem().string()) : first;
      CAPTURE(i.target);
      CHECK(rank(target) >= 0);
      CHECK(rank(target) <= rank(layer));
      ++seen;
    }
  }
  CHECK(seen > 500);
}

TEST_CASE("headers do not include each other in a circle") {
  std::map<std::string, std::vector<std::string>> graph;
  for (const fs::path& file : files({"include/boreon", "src"})) {
    if (file.extension() != ".hpp") continue;
    std::string name = file.string();
    name = name.substr(name.find('/') + 1);
    for (const Include& i : includes(file)) {
      if (i.quoted) graph[name].push_back(i.target);
    }
  }
  std::map<std::string, int> state;  // 1: on the way, 2: done
  std::string circle;
  const auto visit = [&](const auto& self, const std::string& name) -> void {
    state[name] = 1;
    for (const std::string& next : graph[name]) {
      if (state[next] == 1) circle = name + " and " + next;
      if (state[next] == 0) self(self, next);
    }
    state[name] = 2;
  };
  for (const auto& [name, targets] : std::map(graph)) {
    if (state[name] == 0) visit(visit, name);
  }
  CHECK(circle == "");
}

TEST_CASE("heavy headers stay where they are") {
  // What costs a second and more to read, and the files that may read it.
  const std::map<std::string, std::set<std::string>> heavy{
      {"Eigen/",
       {"include/boreon/matrix.hpp", "include/boreon/scalar_traits.hpp", "src/values/table_function.cpp",
        "src/solvers/continuation.cpp", "src/solvers/fit_search.cpp", "src/solvers/fit_statistics.cpp",
        "src/solvers/linear_response.cpp", "src/solvers/roots.cpp", "src/solvers/sensitivity.cpp",
        "src/solvers/optimum.cpp", "src/solvers/look_around.cpp", "src/solvers/incomplete_factors.cpp",
        "src/fields/contraction.cpp", "cli/field.cpp"}},
      {"Ip", {"src/solvers/interior_point.cpp"}},
      {"ceres/", {"src/solvers/fit_search.cpp"}},
      {"unsupported/Eigen/", {"src/transforms/spectrum.cpp"}},
      {"csv.h", {"src/model/csv_table.cpp"}},
      {"nlohmann/", {"cli/json.cpp"}},
      {"CLI/", {"cli/parsing.cpp"}},
      {"toml++/", {"src/model/toml_reader.hpp"}},
      {"pugixml", {"src/model/array_file.cpp", "src/model/mathml_reader.cpp"}},
      {"asmjit/", {}},  // below src/program/native only
      {"boost/",
       {"src/values/quadrature.cpp", "src/values/table_function.cpp", "src/values/iterated_quadrature.cpp",
        "src/values/root_value.cpp", "src/program/integrals.cpp"}}};
  for (const fs::path& file : files({"include/boreon", "src", "cli"})) {
    for (const Include& i : includes(file)) {
      for (const auto& [prefix, allowed] : heavy) {
        if (!i.target.starts_with(prefix)) continue;
        CAPTURE(file.string());
        CAPTURE(i.target);
        const bool native = prefix == "asmjit/" && file.string().starts_with("src/program/native/");
        CHECK((native || allowed.contains(file.string())));
      }
    }
  }
}

TEST_CASE("no file is longer than about 600 lines") {
  for (const fs::path& file : files({"include/boreon", "src", "cli", "tests", "bench", "examples"})) {
    const std::string text = text_of(root / file);
    CAPTURE(file.string());
    CHECK(std::count(text.begin(), text.end(), '\n') <= 610);
  }
}

TEST_CASE("no function is longer than 80 lines, outside tables and the parser") {
  // From a line that opens a function to the brace in its column.
  static const std::regex opens(R"(^( *)[A-Za-z_\[][^=]*\)(?: const)?(?: noexcept)?(?: override)? \{$)");
  static const std::regex no_function(R"(^ *(?:if|for|while|switch|namespace|else|return|do|try|catch)\b.*)");
  const std::set<std::string> tables{"regular_form", "infinity_row"};
  const std::set<std::string> parsers{"src/model/mathml_reader.cpp"};
  std::size_t seen = 0;
  for (const fs::path& file : files({"src", "cli"})) {
    if (file.extension() != ".cpp" || file.string().find("/catalogue/") != std::string::npos ||
        parsers.contains(file.string()))
      continue;
    std::ifstream in(root / file);
    std::string head;  // of several lines, joined
    std::string closes;
    std::string before;
    int length = 0;
    int lines = 0;  // of the statement so far
    std::smatch m;
    for (std::string line; std::getline(in, line); before = line, ++length) {
      const bool starts = before.empty() || before.ends_with(';') || before.ends_with('}') || before.ends_with('{') ||
                          before.ends_with(':') || before.find("//") != std::string::npos;
      if (closes.empty()) {
        head = starts ? line : head + " " + line;
        lines = starts ? 1 : lines + 1;
      }
      if (closes.empty() && head.find("[&]") == std::string::npos && std::regex_match(head, m, opens) &&
          !std::regex_match(head, no_function)) {
        closes = m[1].str() + "}";
        length = lines;
      } else if (!closes.empty() && line == closes) {
        ++seen;
        const bool table = std::any_of(tables.begin(), tables.end(),
                                       [&](const std::string& t) { return head.find(t + "(") != std::string::npos; });
        CAPTURE(file.string());
        CAPTURE(head);
        CHECK((table || length <= 80));
        closes.clear();
      }
    }
  }
  CHECK(seen > 2000);
}

TEST_CASE("names of unnamed namespaces are unique within a folder") {
  // Unity builds put files of a folder into one unit, and which ones changes with every new file.
  static const std::regex constant("^(?:static )?constexpr .*?([A-Za-z_]\\w*)(?:\\[\\])?(?: = .*|\\{.*)$");
  static const std::regex type("^(?:class|struct) ([A-Z]\\w*).*\\{$");
  std::map<std::string, std::set<std::string>> where;
  for (const fs::path& file : files({"src", "cli"})) {
    if (file.extension() != ".cpp") continue;
    std::ifstream in(root / file);
    bool unnamed = false;
    std::smatch m;
    for (std::string line; std::getline(in, line);) {
      if (line == "namespace {") unnamed = true;
      if (line == "}  // namespace") unnamed = false;
      if (unnamed && (std::regex_match(line, m, constant) || std::regex_match(line, m, type)))
        where[file.parent_path().string() + " " + m[1].str()].insert(file.string());
    }
  }
  CHECK(where.size() > 200);
  for (const auto& entry : where) {
    CAPTURE(entry.first);
    CAPTURE(*entry.second.begin());
    CAPTURE(*entry.second.rbegin());
    CHECK(entry.second.size() == 1);
  }
}

TEST_CASE("no two headers define a class of one name in one namespace") {
  // Two of them in one program are one class to the linker, which takes the functions of either.
  static const std::regex opens("^(?:inline )?namespace ([A-Za-z_:]+)(?: [A-Z_]+)? \\{");
  static const std::regex defines(
      "^(?:struct|class|union) (?:[A-Z_]+ )?([A-Z][A-Za-z0-9_]*)(?: final)?(?: :[^:].*)? \\{.*");
  std::map<std::string, std::set<std::string>> where;
  for (const fs::path& file : files({"include/boreon", "src", "cli"})) {
    if (file.extension() == ".cpp") continue;
    std::ifstream in(root / file);
    std::string space;
    std::smatch m;
    for (std::string line; std::getline(in, line);) {
      if (std::regex_search(line, m, opens)) space = m[1];
      if (std::regex_match(line, m, defines)) where[space + "::" + m[1].str()].insert(file.string());
    }
  }
  CHECK(where.size() > 150);
  for (const auto& entry : where) {
    CAPTURE(entry.first);
    CAPTURE(*entry.second.begin());
    CAPTURE(*entry.second.rbegin());
    CHECK(entry.second.size() == 1);
  }
}
