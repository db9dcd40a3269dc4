// SPDX-License-Identifier: MIT
// Models: equations with names, units and values, read from a TOML file.
#pragma once

#include <concepts>
#include <limits>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "boreon/data_table.hpp"
#include "boreon/error.hpp"
#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/function.hpp"
#include "boreon/grid.hpp"
#include "boreon/numeric_function.hpp"
#include "boreon/operand_order.hpp"
#include "boreon/system.hpp"
#include "boreon/text.hpp"

namespace boreon BOREON_API {

struct CheckOptions;
struct FieldProblem;
struct FitProblem;
struct OptimisationProblem;

struct Parameter {
  std::string name;
  Number value;
  std::string unit;
  std::string note;
  double uncertainty = 0;  ///< one standard deviation
  bool fit = false;        ///< to be found by a fit of a run in time; the value is where the search begins
  bool fixed = false;      ///< a size or place of arrays, which the loaded model is made for
  double lower = -std::numeric_limits<double>::infinity();  ///< of a parameter to be found
  double upper = std::numeric_limits<double>::infinity();
  Expr symbol;
  SourcePosition position;
};

/// Of the uncertainties of two parameters, by their places.
struct ParameterCorrelation {
  std::size_t first = 0;
  std::size_t second = 0;
  double value = 0;
};

struct Unknown {
  std::string name;
  std::string unit;
  std::string note;
  double start = 0;  ///< guess, or initial value
  bool start_given = false;
  double rate_start = 0;  ///< initial rate, for second-order equations
  bool rate_given = false;
  double lower = -std::numeric_limits<double>::infinity();
  double upper = std::numeric_limits<double>::infinity();
  bool fit = false;  ///< its start is to be found by a fit of a run in time
  int order = 0;     ///< highest time derivative in the equations
  Expr function;     ///< y(t)
  Expr symbol;       ///< y, as a plain symbol
  SourcePosition position;
};

/// A definition or an output: an expression with a name.
struct NamedExpression {
  std::string name;
  std::string unit;
  std::string note;
  Expr given;     ///< as written: definitions by name, functions called by name
  Expr resolved;  ///< in parameters, unknowns y(t), their derivatives and the independent variable only
  SourcePosition position;
};

struct ModelEquation {
  std::string name;
  Equation given;
  Equation resolved;
  SourcePosition position;
};

/// An array as the file has it. The model itself holds its elements, T[0, 1], one by one: parameters and definitions that
/// something uses, all unknowns and outputs.
struct ModelArray {
  enum class What { parameter, unknown, definition, output };
  std::string name;
  What what = What::unknown;
  std::vector<IndexRange> dimensions;  ///< from and to are numbers
  std::string unit;
  std::string note;
  Expr given;          ///< the value, start or body in the indices; 0 where values are listed
  std::string source;  ///< "values" or the name of a file; empty for a formula
  SourcePosition position;

  [[nodiscard]] std::size_t elements() const;
  /// "T[i, j]".
  [[nodiscard]] std::string head() const;
  /// Which of its dimensions an index counts.
  [[nodiscard]] std::optional<std::size_t> dimension_of(std::string_view index) const;
  /// The name of an element by its number, the last index running fastest.
  [[nodiscard]] std::string element(std::size_t number) const;
};

/// An equation with open indices, as written; its members are among the equations of the model.
struct EquationFamily {
  std::string name;
  Equation given;
  Equation differential = {};  ///< as typed, with derivatives by coordinates of the grid
  bool on_grid = false;        ///< there are some
  Expr where = truth(true);    ///< for which indices
  std::size_t members = 0;   ///< elements that it is the equation of
  SourcePosition position;
};

/// A function given by points.
struct ModelTable {
  NumericFunction function;
  std::vector<double> arguments;
  std::vector<double> values;
  TableCurve curve = TableCurve::smooth;
  BeyondTable beyond = BeyondTable::refuse;
  std::string unit;  ///< of the values
  std::string note;
  SourcePosition position;
};

/// "smooth curve through 6 points from 1 to 100".
[[nodiscard]] std::string to_string(const ModelTable& table);

/// A measured column beside the model of it.
struct FitSeries {
  std::string name;        ///< of the column
  std::size_t column = 0;  ///< in the data
  Expr model_given;
  Expr model;            ///< resolved
  Expr deviation_given;  ///< one standard deviation; 1 if none is given
  Expr deviation;
  bool absolute = false;  ///< a standard deviation is given; weights are only relative to each other
  bool robust = false;    ///< values far away count little
  SourcePosition position;
};

/// What is to be least, or greatest.
struct ModelObjective {
  bool maximise = false;
  Expr given;
  Expr resolved;
  SourcePosition position;
};

/// An inequality or a further equation that an optimum has to keep: value is to be below its limit, above it, or equal
/// to it. The limit is the side without unknowns if there is one, else the right side of value <= limit.
struct ModelConstraint {
  enum class Kind { at_most, at_least, equal };
  std::string name;
  Expr given;  ///< the relation
  Kind kind = Kind::at_most;
  Expr value;  ///< resolved
  Expr limit;  ///< resolved
  SourcePosition position;
};

/// Constraints as written, with indices that are open.
struct ConstraintFamily {
  std::string name;
  Expr given;
  std::size_t members = 1;
};

/// Defaults for a run in time.
struct RunSettings {
  std::optional<double> until;
  double from = 0;
  std::size_t samples = 1001;
  double relative_tolerance = 1e-8;
  double absolute_tolerance = 0;  ///< 0: chosen from the sizes of the unknowns
};

struct Warning {
  std::string message;
  SourcePosition position;
};

/// A loaded model: every name resolved, every shape checked.
struct Model {
  std::string title;
  std::string path;
  Symbol independent{"t"};
  std::string independent_unit;
  std::vector<Parameter> parameters;
  std::vector<Unknown> unknowns;
  std::vector<Function> functions;                                  ///< bodies resolved
  std::vector<std::pair<std::string, std::string>> function_texts;  ///< "field(z)" and its body, as written
  std::vector<ModelTable> tables;
  std::vector<NamedExpression> definitions;
  std::vector<ModelEquation> equations;
  std::vector<NamedExpression> outputs;
  std::vector<IndexRange> indices;   ///< as written: from and to in sizes
  std::vector<GridCoordinate> grid;  ///< coordinates that indices count
  std::vector<ModelArray> arrays;
  std::vector<EquationFamily> families;
  std::vector<ParameterCorrelation> correlations;
  std::optional<DataTable> data;
  std::vector<FitSeries> fits;
  std::optional<ModelObjective> objective;
  std::vector<ModelConstraint> constraints;
  std::vector<ConstraintFamily> constraint_families;
  RunSettings run;
  std::vector<Warning> warnings;
  /// In which order the operands of the expressions `given` were typed, for printing them so.
  std::shared_ptr<const OperandOrder> order = std::make_shared<OperandOrder>();

  [[nodiscard]] const std::string& called() const { return title.empty() ? path : title; }  ///< in messages
  [[nodiscard]] bool in_time() const;  ///< whether a time derivative or the independent variable occurs
  [[nodiscard]] const Unknown* find_unknown(std::string_view name) const;
  [[nodiscard]] const NamedExpression* find_output(std::string_view name) const;
  [[nodiscard]] const ModelArray* find_array(std::string_view name) const;
  /// Changes the value of a parameter. Throws Error(name) with a suggestion if there is none of that name, Error(usage)
  /// for a size of arrays, which is fixed when the model is loaded.
  void set_parameter(std::string_view name, const Number& value);
  void set_parameter(std::string_view name, std::floating_point auto value) {
    set_parameter(name, Number::from_double(static_cast<double>(value)));
  }
};

/// Values of parameters that take the place of those in the file, before sizes are fixed.
using ParameterValues = std::vector<std::pair<std::string, Number>>;

/// Reads a model file. Throws Error with file, line and column for everything wrong in it. Arrays are written out: time
/// and memory go with the number of their elements.
[[nodiscard]] Model load_model(const std::string& path, const ParameterValues& values = {});
/// The same from a text; `path` is used in messages.
[[nodiscard]] Model parse_model(std::string_view toml, const std::string& path = "model",
                                const ParameterValues& values = {});

/// The fields of a model file without writing out a single element: time and memory for it do not depend on the sizes.
/// Throws Error(unsupported) for what only models that are written out can do: plain unknowns in equations with arrays
/// around them, second order in time, fits, optimisation, tables of data, integrals over time; each error says which.
[[nodiscard]] FieldProblem field_problem(const std::string& path, const ParameterValues& values = {});
[[nodiscard]] FieldProblem parse_field_problem(std::string_view toml, const std::string& path = "model",
                                               const ParameterValues& values = {});

/// How fast the differences of one operator in an equation approach its derivatives, at one kind of place.
struct GridOrder {
  std::string equation;
  Expr derivative;      ///< the operator as typed: derivative(T[i, j], x, 2), laplacian(T[i, j])
  std::string place;    ///< "inside", "i = 0", ...
  int stated = 0;       ///< that of the coordinates, 2 for fluxes between cells, 1 for upwind
  double observed = 0;  ///< power of the spacing with which the difference falls
  bool exact = false;   ///< there is no difference
  [[nodiscard]] bool agrees() const { return exact || observed > stated - 0.15; }
};

/// Each operator of each equation on a grid, alone, so that none hides behind one of lower order, with smooth functions
/// made for the purpose in place of its arrays: what the differences leave, against the derivatives of these functions,
/// as the spacing is halved again and again, in ball arithmetic; inside and at the places beside each end for which
/// differences are shifted. Cost does not depend on the sizes of the grid.
[[nodiscard]] std::vector<GridOrder> observed_orders(const Model& model);

/// All time derivatives zero, unknowns as states; an explicit time stands at the start of the run. Rates in outputs
/// become zero too. The number of equations may exceed the number of unknowns.
[[nodiscard]] System steady_system(const Model& model);
/// First order in time, solved for the highest derivatives, which must occur linearly. Unknowns without a rate are
/// algebraic states with an equation of their own (see System::algebraic). Throws Error(unsupported) where the numbers
/// of rates and of equations with rates differ, Error(shape) unless square.
[[nodiscard]] System time_system(const Model& model);
/// The rates of time_system() where time stands still at the start of the run, without integrals over time: for
/// steady states with their stability, and for linear_response(). Throws as time_system().
[[nodiscard]] System rates_at_rest(const Model& model);
/// time_system or steady_system, as the model asks; outputs alone for a model without equations.
[[nodiscard]] System system_of(const Model& model);

/// What [data] and [fit] ask for (see boreon/least_squares.hpp): formulas in the unknowns, or a run in time whose
/// parameters (and start values) with `fit = true` are found; without them, more equations than unknowns. Throws
/// Error(shape) where there is nothing to fit, Error(unsupported) for fits of steady states.
[[nodiscard]] FitProblem fit_problem(const Model& model);

/// What [optimise] and [constraints] ask for (see boreon/optimisation.hpp): the equations come first among the
/// constraints, then those of [constraints]. Throws Error(shape) where there is no objective, Error(unsupported) for
/// models in time.
[[nodiscard]] OptimisationProblem optimisation_problem(const Model& model);

/// The ranges a check samples from: bounds and typical values of unknowns and parameters (see boreon/cross_check.hpp).
[[nodiscard]] CheckOptions check_options(const Model& model, const System& system);

}  // namespace BOREON_API
