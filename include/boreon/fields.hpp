// SPDX-License-Identifier: MIT
// Equations of fields in index notation as functions of whole grids: derived once, at a cost that does not depend on
// the number of places.
//
//     FieldSystem s;                                    // T'[i] = k*(T[i-1] - 2*T[i] + T[i+1]), ends kept
//     const Symbol i("i", {Assumption::integer}), n("n", {Assumption::integer}), k("k");
//     s.indices = {{i, {"i", 0, n - 1}}};
//     s.unknowns = {{"T", Symbol("T"), {{"i", 0, n - 1}}}};
//     s.equations = {{"heat", 0, {i}, k*(T(i - 1) - 2*T(i) + T(i + 1))}, {"left", 0, {0}, 0}, {"right", 0, {n - 1},
//     0}}; s.parameters = {k}; const FieldPlan plan(s, {{n, 1'000'000}}); plan.boxes().size() // 3: the inside and two
//     ends FieldKernel rates(plan, FieldOutput::values); rates(state, p, 0, f);                            // f[i] for
//     all places plan.nonzeros(); plan.pattern();                  // of the Jacobian, by formula
//
// Places with numbers, conditions on indices and wrapped indices cut the places into boxes on which no condition is
// left. On one box every equation is a straight-line body whose entries stand at affine addresses, and its derivatives
// by these entries, taken once, are the entries of the Jacobian in all its rows.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "boreon/error.hpp"
#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/sparse_matrix.hpp"
#include "boreon/text.hpp"

namespace boreon BOREON_API {

class Executor;
struct Program;

/// An array on the places of a grid.
struct Field {
  std::string name;
  Expr head;                           ///< what its elements are elements of
  std::vector<IndexRange> dimensions;  ///< ends in numbers and sizes
  /// Of data: the numbers, the last index running fastest. Whole numbers may be indices of other arrays.
  std::shared_ptr<const std::vector<double>> values = {};

  /// How many places each dimension has, and the name of an element by its number, where all ends are numbers.
  [[nodiscard]] std::vector<std::size_t> shape() const;
  [[nodiscard]] std::string element(std::size_t number) const;
};

/// Elements that stand for a formula of their indices; a plain name where there are no indices.
struct FieldFormula {
  Expr head;
  std::vector<Expr> indices;
  std::vector<IndexRange> dimensions;  ///< of the indices
  Expr body;
};

/// One value for each place of an unknown (its residual, or its rate), or of a result.
struct FieldEquation {
  std::string name;
  std::size_t target = 0;    ///< the unknown or result whose rows these are
  std::vector<Expr> places;  ///< for each dimension an index (plus a number), or a place in numbers and sizes
  Expr value;
  Expr where = truth(true);  ///< for which indices
  SourcePosition position = {};
};

/// Of several equations that hold at a place, the most specific one is its own: more numbers among the places first,
/// then a condition.
struct FieldSystem {
  std::vector<std::pair<Expr, IndexRange>> indices;  ///< that equations leave open
  std::vector<Field> unknowns;                       ///< the state, one field after the other
  std::vector<Field> results = {};                   ///< what is computed; empty: a value for each unknown
  std::vector<Field> data;
  std::vector<FieldFormula> formulas;
  std::vector<FieldEquation> equations;
  std::vector<Expr> parameters;  ///< numbers that come with each call
  Expr time = 0;
};

using FieldSizes = std::vector<std::pair<Expr, std::int64_t>>;

/// An entry that a body reads: number base + sum of strides[k]*r[k] of an array, for the place r; where `table` is
/// there, number (*table)[p] for the place with the number p in its box.
struct FieldEntry {
  static constexpr std::size_t state = 0;  ///< arrays: the unknowns, then the data, then sums
  std::size_t array = state;
  std::int64_t base = 0;
  std::vector<std::int64_t> strides;
  std::shared_ptr<const std::vector<std::int64_t>> table = {};
};

/// A derivative by an entry, which is one of the Jacobian in each row.
struct FieldTerm {
  std::size_t entry = 0;  ///< of the box
  Expr value;
};

/// Places r with from[k] <= r[k] <= to[k] on which the same bodies hold.
struct FieldBox {
  std::vector<std::string> names;  ///< of the indices, for messages
  std::vector<std::int64_t> from;
  std::vector<std::int64_t> to;
  struct Row {
    std::size_t target = 0;
    std::size_t equation = 0;  ///< of the system
    Expr value;                ///< in symbols of entries and of places, parameters and the time
    std::int64_t base = 0;     ///< its number among all rows, as that of an entry
    std::vector<std::int64_t> strides;
    std::vector<FieldTerm> terms = {};  ///< in the order of their columns
    std::int64_t first = 0;             ///< number of the first entry of the row in the Jacobian, likewise
    std::vector<std::int64_t> steps;
    /// Where columns are found in arrays, or change their order from place to place: for each place of the box the
    /// number of the first entry of its row, and for each of its terms that of its entry.
    struct Listed {
      std::vector<std::int64_t> first;
      std::vector<std::int64_t> entries;
    };
    std::shared_ptr<const Listed> listed = {};
  };
  std::vector<Row> rows;
  std::vector<FieldEntry> entries;
  std::vector<Expr> symbols;   ///< of the entries
  std::vector<Expr> elements;  ///< what was written for them, in the symbols of places
  [[nodiscard]] std::size_t places() const;
};

/// A sum (product, least, greatest value) over ranges too long for a body, for each place of those indices outside that
/// it depends on: an array that is computed before what reads it.
struct FieldSum {
  ReductionOp op = ReductionOp::sum;
  std::size_t elements = 1;
  std::size_t free = 0;         ///< so many dimensions of its boxes are outside, the others are summed over
  std::vector<FieldBox> boxes;  ///< each with one row, whose strides tell the element
};

/// A system with numbers for its sizes, cut into boxes and derived. All costs but that of pattern() go with the number
/// of boxes and the lengths of their bodies. Throws Error(shape) for places that no array has, places without an
/// equation or with two that are equally specific, Error(unsupported) for what has no boxes (conditions that join
/// several indices, places that are not affine).
class FieldPlan {
 public:
  /// `whole_diagonal`: the Jacobian of the unknowns has an entry for each place of its diagonal, also where it is 0.
  FieldPlan(FieldSystem system, FieldSizes sizes, bool whole_diagonal = false);

  [[nodiscard]] const FieldSystem& system() const { return *system_; }
  [[nodiscard]] std::shared_ptr<const FieldSystem> shared_system() const { return system_; }
  [[nodiscard]] std::span<const FieldBox> boxes() const { return boxes_; }
  /// In the order in which they are computed.
  [[nodiscard]] std::span<const FieldSum> sums() const { return sums_; }
  [[nodiscard]] std::size_t rows() const { return rows_; }        ///< values
  [[nodiscard]] std::size_t columns() const { return columns_; }  ///< of the state
  /// Throw Error(unsupported) where an equation contains a long sum over unknowns. Columns that have no formula are
  /// listed when the plan is made.
  [[nodiscard]] std::size_t nonzeros() const;
  void require_jacobian() const;
  /// Where the rows of a target begin.
  [[nodiscard]] std::size_t start(std::size_t target) const { return starts_[target]; }
  /// The values of a target among those of all rows.
  template <class T>
  [[nodiscard]] std::span<T> part(std::size_t target, std::span<T> values) const {
    const std::size_t end = target + 1 < starts_.size() ? starts_[target + 1] : rows_;
    return values.subspan(starts_[target], end - starts_[target]);
  }
  /// All entries of the Jacobian; written in parallel at the speed of memory.
  [[nodiscard]] SparsityPattern pattern(unsigned threads = 1) const;
  /// Entries of the row that has most of them.
  [[nodiscard]] std::size_t widest_row() const;
  /// A body or a term as it was written: elements with the names of indices.
  [[nodiscard]] Expr as_written(const FieldBox& box, const Expr& e) const;
  /// "[1 .. 9, 0]".
  [[nodiscard]] std::string text_of(const FieldBox& box) const;

 private:
  void require_no_derived_sums() const;
  std::shared_ptr<const FieldSystem> system_;
  std::vector<FieldBox> boxes_;
  std::vector<FieldSum> sums_;
  std::string no_formula_;  // why the Jacobian has none
  std::vector<std::size_t> starts_;
  std::size_t rows_ = 0;
  std::size_t columns_ = 0;
  std::size_t nonzeros_ = 0;
};

/// The derivatives of an expression (the energy of a lattice: sums over elements of unknowns) by all elements of all
/// unknowns, as a system with one result for each unknown: each element gathers what the terms that contain it give, so
/// that loops stay loops. Costs do not depend on the sizes. Throws Error(unsupported) for products and extremes over
/// ranges, sums within functions within sums, and places that are no index plus or minus a number.
[[nodiscard]] FieldSystem gradient_system(const FieldSystem& system, const Expr& expression, const FieldSizes& sizes);

/// Products of the Jacobian with a direction, J*v, without the Jacobian: the state is that of the system and behind it
/// v, of the same shape; one value for each row. Sums stay sums, so this works where no list of columns would. Throws
/// Error(unsupported) for products and extremes over ranges that contain unknowns.
[[nodiscard]] FieldSystem directional_system(const FieldSystem& system, const FieldSizes& sizes);

enum class FieldOutput : std::uint8_t {
  values,    ///< one for each row
  jacobian,  ///< the entries of the pattern
};

/// Makes what runs a body.
using ExecutorMaker = std::function<std::shared_ptr<const Executor>(std::shared_ptr<const Program>)>;

/// A plan as a numeric function: a nest of loops for each box. Immutable, cheap to copy, callable from many threads at
/// once.
class FieldKernel {
 public:
  /// Runs on the interpreter; see boreon/native.hpp for machine code.
  FieldKernel(const FieldPlan& plan, FieldOutput output);
  FieldKernel(const FieldPlan& plan, FieldOutput output, const ExecutorMaker& maker);

  /// `state` and `parameters` in the order of the system. Throws Error(shape) where a length is wrong.
  void operator()(std::span<const double> state, std::span<const double> parameters, double time,
                  std::span<double> output, unsigned threads = 1) const;
  [[nodiscard]] std::size_t outputs() const { return outputs_; }
  [[nodiscard]] std::string method() const;
  [[nodiscard]] std::size_t nests() const;
  [[nodiscard]] std::size_t code_size() const;  ///< instructions of all bodies together

 private:
  struct Nests;
  std::shared_ptr<const Nests> nests_;
  std::size_t outputs_ = 0;
};

}  // namespace BOREON_API
