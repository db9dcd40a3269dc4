// What the user asked for, and the answer in both forms: readable and JSON.
#pragma once

#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

#include "boreon/boreon.hpp"

namespace boreon::cli {

using Json = nlohmann::ordered_json;

/// Options of all commands; each command uses some.
struct Request {
  std::string command;
  std::vector<std::string> inputs;  ///< a model file, or expressions
  bool json = false;
  std::vector<std::string> set;
  std::vector<std::string> assume;
  std::string out;
  std::string format = "text";
  std::string what;
  std::string of;
  std::vector<std::string> wrt;
  std::string form;
  std::vector<std::string> rules;
  std::vector<std::string> rule_files;
  std::string order = "bottom-up";
  std::string extent = "fixed-point";
  std::size_t limit = 0;
  std::string coordinates;
  std::vector<std::string> by;
  std::string at;
  std::string about;
  int series_order = 6;
  int digits = 0;
  bool complex = false;
  std::optional<double> until;
  std::optional<std::size_t> samples;
  std::string method = "bdf";
  double tolerance = 0;
  std::string linear_solver = "automatic";
  std::string plot;
  std::vector<std::string> show;
  bool no_check = false;
  std::string language = "c++";
  std::string name;
  std::vector<std::string> over;  ///< plot takes one, integrate several
  bool principal_value = false;
  bool numeric = false;
  bool steps = false;
  std::size_t points = 0;
  bool log_x = false;
  bool log_y = false;
  bool verbose = false;
  bool eigen = false;
  bool certify = false;
};

/// An answer: `text` for people, `json` for programs, and the exit code.
struct Answer {
  std::string text;
  Json json = Json::object();
  int exit_code = 0;
};

// Shared pieces of the commands.
[[nodiscard]] bool is_model(const std::string& input);
/// The model of the request with --set applied.
[[nodiscard]] Model model_of(const Request& r);
/// The names that the assumptions of the request declare, for reading expressions.
struct Assumed {
  ParseContext context;
  std::vector<Expr> conditions;
  std::vector<std::string> texts;
};
[[nodiscard]] Assumed assumptions_of(const Request& r);
/// An expression as text, or content MathML from a file *.mml.
[[nodiscard]] Expr read_input(const std::string& input, const ParseContext& context);
/// "x = 1/3, y = 2" as names and values.
[[nodiscard]] std::vector<std::pair<std::string, Expr>> assignments(const std::string& text, const char* option);
/// Split at commas outside parentheses.
[[nodiscard]] std::vector<std::string> split(const std::string& text);
/// In the format of the request, indented by two blanks.
[[nodiscard]] std::string typeset(const Request& r, const Expr& e);
[[nodiscard]] std::string typeset(const Request& r, const Equation& e);
[[nodiscard]] std::string typeset(const Request& r, const Matrix& m);
[[nodiscard]] std::string indented(const std::string& text, const std::string& by = "  ");
[[nodiscard]] Json json_of(const Evidence& e);
[[nodiscard]] Json json_of(const Comparison& c, const char* method = "ball arithmetic at random points");
/// The text without blanks at the ends of its lines.
[[nodiscard]] std::string tidy(const std::string& text);
[[nodiscard]] std::string read_file(const std::string& path);
void write_file(const std::string& path, const std::string& text);
[[nodiscard]] LinearSolver linear_solver_of(const Request& r);

// The commands.
[[nodiscard]] Answer show(const Request& r);
[[nodiscard]] Answer simplify_command(const Request& r);
[[nodiscard]] Answer expand_command(const Request& r);
[[nodiscard]] Answer factor_command(const Request& r);
[[nodiscard]] Answer rewrite_command(const Request& r);
/// Whether the two sides of an equation are the same function.
[[nodiscard]] Answer equivalence(const Request& r);
[[nodiscard]] Answer derive(const Request& r);
/// determinant, divergence, curl, laplacian, and gradients in curvilinear coordinates.
[[nodiscard]] Answer derive_field(const Request& r);
[[nodiscard]] Answer evaluate_command(const Request& r);
[[nodiscard]] Answer limit_command(const Request& r);
[[nodiscard]] Answer series_command(const Request& r);
[[nodiscard]] Answer integrate_command(const Request& r);
[[nodiscard]] Answer check(const Request& r);
/// check --certify: at the start values of a model, or for expressions at --at.
[[nodiscard]] Answer certificate_of_model(const Request& r);
[[nodiscard]] Answer certificate_of_expressions(const Request& r);
[[nodiscard]] Answer solve(const Request& r);
[[nodiscard]] Answer simulate(const Request& r);
[[nodiscard]] Answer generate(const Request& r);
[[nodiscard]] Answer plot(const Request& r);
[[nodiscard]] Answer demo(const Request& r);

}  // namespace boreon::cli
