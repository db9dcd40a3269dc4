// SPDX-License-Identifier: MIT
// What the user asked for, and the answer in both forms: readable and JSON.
#pragma once

#include <complex>
#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "boreon/boreon.hpp"
#include "json.hpp"
#include "option.hpp"

namespace boreon::cli {

/// Options of all commands; each command uses some.
struct Request {
  std::string command;
  std::vector<std::string> inputs;  ///< a model file, or expressions
  bool json = false;
  Option<std::vector<std::string>> set;
  Option<std::vector<std::string>> assume;
  Option<std::vector<std::string>> unknown;  ///< functions that are meant to be unknown
  Option<std::string> out;
  Option<std::string> format{"text"};
  Option<std::string> what;
  Option<std::string> of;
  Option<std::vector<std::string>> wrt;
  Option<std::string> form;
  Option<std::vector<std::string>> rules;
  Option<std::vector<std::string>> rule_files;
  Option<std::string> order{"bottom-up"};
  Option<std::string> extent{"fixed-point"};
  Option<std::size_t> limit{0};
  Option<std::string> coordinates;
  Option<std::vector<std::string>> by;
  Option<std::string> at;
  Option<std::string> about;
  Option<int> series_order{6};
  Option<int> digits{0};
  Option<bool> complex{false};
  Option<std::optional<double>> until;
  Option<std::optional<std::size_t>> samples;
  Option<std::string> method{"bdf"};
  Option<double> tolerance{0};
  Option<std::string> linear_solver{"automatic"};
  Option<std::string> at_bound{"stop"};
  Option<std::string> plot;
  Option<std::vector<std::string>> show;
  Option<bool> no_check{false};
  Option<std::string> language{"c++"};
  Option<std::string> name;
  Option<std::vector<std::string>> over;  ///< plot takes one, integrate several
  Option<bool> principal_value{false};
  Option<bool> numeric{false};
  Option<bool> steps{false};
  Option<std::size_t> points{0};
  Option<bool> log_x{false};
  Option<bool> log_y{false};
  Option<bool> verbose{false};
  Option<bool> eigen{false};
  Option<bool> certify{false};
  Option<std::vector<std::string>> solve_for;
  Option<std::string> within;
  Option<std::vector<std::string>> given;
  Option<std::string> laplace;
  Option<std::string> inverse_laplace;
  Option<std::string> fourier;
  Option<std::string> against;
  Option<std::string> column;
  Option<std::string> window{"none"};
  Option<std::optional<int>> harmonics;
  Option<int> first{0};
  Option<bool> profile{false};
  Option<std::optional<int>> starts;
  Option<std::string> precision{"double"};
  Option<std::size_t> monte_carlo{0};
  Option<bool> roots{false};
  Option<bool> exact{false};
  Option<bool> compare_jacobian{false};
  Option<bool> second{false};
  Option<std::string> goal;
  Option<std::vector<std::string>> subject;
  Option<std::string> along;
  Option<std::string> from_value;
  Option<std::string> to_value;
  bool force = false;
  std::uint64_t work = default_work;
  std::uint64_t megabytes = 1500;

  /// Remarks on names in the texts that were read, and warnings of commands; copies of the request share them.
  std::shared_ptr<std::vector<Notice>> notices = std::make_shared<std::vector<Notice>>();
  std::shared_ptr<std::vector<std::string>> warnings = std::make_shared<std::vector<std::string>>();
  void warn(const std::string& text) const;

  /// Some ten seconds.
  static constexpr std::uint64_t default_work = 400'000'000U;
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
/// The names that --assume, --set and --unknown declare, for reading expressions: a name that --set gives a value
/// stands for that value in every text of the request.
struct Assumed {
  ParseContext context;
  std::vector<Expr> conditions;
  std::vector<std::string> texts;
  std::vector<std::pair<std::string, Expr>> values;  ///< of --set
};
[[nodiscard]] Assumed assumptions_of(const Request& r);
/// An expression as text, or content MathML from a file *.mml. `place` names the option it comes from in messages.
[[nodiscard]] Expr read_input(const std::string& input, const ParseContext& context, const char* place = "");
/// "x = 1/3, y = 2" as names and values.
[[nodiscard]] std::vector<std::pair<std::string, Expr>> assignments(const std::string& text, const char* option);
/// "z from -2 to 8". Nothing, or Error(usage), for what is none; Error(usage) for an empty or infinite one.
struct Range {
  Expr variable;
  double from = 0;
  double to = 0;
};
[[nodiscard]] std::optional<Range> parsed_range(const std::string& text, const ParseContext& context);
[[nodiscard]] Range range_in(const std::string& text, const ParseContext& context, const char* option);
/// Split at commas outside parentheses.
[[nodiscard]] std::vector<std::string> split(const std::string& text);
/// Error(usage) unless there is one input and it is no model: what the command takes, and what takes models.
void require_one_expression(const Request& r);
/// A model as a LaTeX fragment.
[[nodiscard]] std::string model_in_latex(const Model& m);
/// Definitions and functions carry marks that keep them apart from parameters; to be shown they are plain names.
[[nodiscard]] Expr plain_names(const Expr& e);
/// For printing what a model has given: operands in the order typed.
[[nodiscard]] PrintOptions as_typed(const Model& m);
/// In the format of the request, indented by two blanks.
[[nodiscard]] std::string typeset(const Request& r, const Expr& e);
[[nodiscard]] std::string typeset(const Request& r, const Expr& e, const PrintOptions& options);
[[nodiscard]] std::string typeset(const Request& r, const Equation& e);
[[nodiscard]] std::string typeset(const Request& r, const Matrix& m);
[[nodiscard]] std::string indented(const std::string& text, const std::string& by = "  ");
[[nodiscard]] Json json_of(const Evidence& e);
[[nodiscard]] Json json_of(const Comparison& c, const char* method = "ball arithmetic at random points");
/// "1.5 - 2i" with so many significant digits; a real number without its imaginary part.
[[nodiscard]] std::string complex_text(std::complex<double> z, int digits = 15);
/// The text without blanks at the ends of its lines.
[[nodiscard]] std::string tidy(const std::string& text);
[[nodiscard]] std::string read_file(const std::string& path);
/// What the files of this request may replace.
[[nodiscard]] OutputPolicy output_policy(const Request& r);
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
/// Equations, or the steady state of a model.
[[nodiscard]] Answer solve(const Request& r);
[[nodiscard]] Answer solve_model(const Request& r, const Model& m);
/// Whether unknowns such as y(t) are asked for: differential equations.
[[nodiscard]] bool asks_for_functions(const Request& r);
[[nodiscard]] Answer solve_differential_equations(const Request& r);
/// Laplace transforms and their inverse, Fourier coefficients.
[[nodiscard]] Answer transform_command(const Request& r);
/// Harmonics of a formula or of a column of a table, as a table and a figure.
[[nodiscard]] Answer spectrum_command(const Request& r);
[[nodiscard]] Answer simulate(const Request& r);
/// Least squares with [data] and [fit].
[[nodiscard]] Answer fit_command(const Request& r);
[[nodiscard]] Answer optimise_command(const Request& r);
/// The conditions of the optimum of a model, at their root, with the outputs of the model and, called minimum or
/// maximum, the objective if it is none of them. Error(convergence) where there is no optimum.
[[nodiscard]] System conditions_of_optimum(const Model& m);
[[nodiscard]] Answer fit_of_model(const Request& r, const Model& m);
/// A branch of steady states along a parameter.
[[nodiscard]] Answer trace_command(const Request& r);
/// solve --roots: all steady states within the bounds.
[[nodiscard]] Answer roots_of_model(const Request& r, const Model& m);
/// solve --compare-jacobian: the same solve with other Jacobians.
[[nodiscard]] Answer jacobians_of_model(const Request& r, const Model& m);
/// Derivatives of a steady state or of the end of a run.
[[nodiscard]] Answer sensitivity_command(const Request& r);
/// A model around its steady state as a linear system: poles, zeros, step and frequency response.
[[nodiscard]] Answer response_command(const Request& r);
[[nodiscard]] Answer generate(const Request& r);
[[nodiscard]] Answer plot(const Request& r);
[[nodiscard]] Answer demo(const Request& r);

}  // namespace boreon::cli
