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
#include "declaration.hpp"
#include "json.hpp"

namespace boreon::cli {

/// What every command has; the request of a command derives from it and adds its own options.
struct Request {
  Request() = default;
  Request(const Request&) = default;
  Request& operator=(const Request&) = default;
  virtual ~Request() = default;
  virtual void declare(Declaration&) {}
  /// Whether --set may give a value to a name that stands in the answer only.
  [[nodiscard]] virtual bool answer_may_name(const std::string&) const { return false; }

  std::string command;
  std::vector<std::string> inputs;  ///< a model file, or expressions
  bool json = false;
  Option<std::vector<std::string>> set;
  Option<std::vector<std::string>> assume;
  Option<std::vector<std::string>> unknown;  ///< functions that are meant to be unknown
  Option<std::string> out;
  Option<std::string> format{"text"};
  bool force = false;
  std::uint64_t work = default_work;
  std::uint64_t megabytes = 1500;
  std::vector<std::string> formulas;  ///< texts of options that hold formulas
  std::vector<std::string> files;     ///< that options name to be read

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
/// Which budget an error tells of.
enum class Limit : std::uint8_t { none, work, memory };
[[nodiscard]] Limit limit_reached(const Error& e);
[[nodiscard]] bool is_model(const std::string& input);
/// What --set gives.
[[nodiscard]] ParameterValues parameter_values(const Request& r);
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
}  // namespace boreon::cli
