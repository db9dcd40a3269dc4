// SPDX-License-Identifier: MIT
// Expressions as text: reading, and printing in four ways.
#pragma once

#include <cstddef>
#include <functional>
#include <map>
#include <memory>
#include <set>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "boreon/error.hpp"
#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/fwd.hpp"
#include "boreon/symbol.hpp"

namespace boreon BOREON_API {

/// Something in a text that is valid but may not be what was meant: an undeclared function, a symbol that looks like a
/// constant of another notation.
struct Notice {
  enum class What { unknown_function, symbol };
  What what = What::symbol;
  std::string name;     ///< the function or symbol
  std::string message;  ///< one sentence with the remedy
  SourcePosition position;
};

/// The values of an index: from and to, both included.
struct IndexRange {
  std::string name = {};
  Expr from = 0;
  Expr to = 0;
  bool periodic = false;  ///< places outside wrap round
  /// The place as it is counted: one that is a number is wrapped, or must lie inside. Throws Error(shape).
  [[nodiscard]] Expr inside(const Expr& place, const std::string& array, std::size_t dimension) const;
};

/// An array that has been declared.
struct NamedArray {
  Expr head;  ///< the symbol or unknown call whose elements these are
  std::vector<IndexRange> dimensions;
};

/// What names mean while a text is read.
class OperandOrder;

struct ParseContext {
  /// Declared names: symbols with their assumptions, or any expression a name stands for, such as y for y(t).
  std::map<std::string, Expr, std::less<>> names;
  /// Declared functions by name with their number of arguments (0: any). Their calls become unknown calls, which the
  /// caller replaces.
  std::map<std::string, std::size_t, std::less<>> functions;
  /// Names that may be called only in the sense of multiplication, which there is none of: "k is a parameter; write
  /// k*(...)". Maps a name to what it is.
  std::map<std::string, std::string, std::less<>> described;
  /// Whether an undeclared name is an error (true) or a new real symbol or unknown function (false).
  bool strict = false;
  /// What a prime derives by: y' is the derivative of y(t).
  Symbol independent{"t"};
  /// Where the text starts: added to the positions in errors.
  SourcePosition origin{};
  /// Where remarks on undeclared names go, one for each name; null: nowhere. Declared functions, calls with primes and
  /// under derivative(...), and y(t) of the independent variable give none.
  std::vector<Notice>* notices = nullptr;
  /// The declared array of a name, or null; empty: there are none, and T[i] is an element of an array of any shape.
  std::function<const NamedArray*(const std::string& name)> arrays = {};
  /// Declared indices: sum(f, k) runs over the range of k.
  std::map<std::string, IndexRange, std::less<>> indices = {};
  /// Where the order of operands as typed goes; null: nowhere.
  OperandOrder* order = nullptr;

  /// A context that knows the symbols of an expression, so that parse(to_text(e), ParseContext::of(e)) == e whatever
  /// the assumptions of its symbols.
  [[nodiscard]] static ParseContext of(const Expr& expression);
};

/// Reads an expression, a condition or an equation (which gives a relation with RelationOp::equal). Numbers are exact.
/// Throws Error(syntax) or Error(name) with line, column, a caret line and, where one is likely, the remedy.
/// O(length); nesting is limited by memory only.
[[nodiscard]] Expr parse(std::string_view text, const ParseContext& context = {});

/// The same where a whole array may stand: operators on arrays are carried out in index notation.
[[nodiscard]] Array parse_array(std::string_view text, const ParseContext& context = {});

/// lhs = rhs.
struct Equation {
  Expr lhs;
  Expr rhs;
  [[nodiscard]] Expr residual() const { return lhs - rhs; }
};
[[nodiscard]] inline Equation equation(const Expr& lhs, const Expr& rhs) { return {lhs, rhs}; }
/// Reads "lhs = rhs"; a bare expression means "= 0". Throws Error(syntax) on an inequality.
[[nodiscard]] Equation parse_equation(std::string_view text, const ParseContext& context = {});

/// How to print.
struct PrintOptions {
  std::size_t max_length = 0;  ///< stop after about so many characters and end with "..."; 0: no limit
  /// Unknown functions of just this variable are written without it, y' for y'(t): how a model file has them.
  std::string independent = {};
  /// Sums and products that it knows are written in its order. Otherwise higher degrees and earlier names come first.
  std::shared_ptr<const OperandOrder> order = {};
};

/// Text that reads back to the identical expression. The same expression gives the same text on every run and machine.
[[nodiscard]] std::string to_text(const Expr& expression, const PrintOptions& options = {});
[[nodiscard]] std::string to_text(const Equation& equation, const PrintOptions& options = {});
[[nodiscard]] std::string to_text(const Matrix& matrix);

/// LaTeX for mathematics mode.
[[nodiscard]] std::string to_latex(const Expr& expression, const PrintOptions& options = {});
[[nodiscard]] std::string to_latex(const Equation& equation, const PrintOptions& options = {});
[[nodiscard]] std::string to_latex(const Matrix& matrix);

/// Several lines of Unicode: fractions, powers, roots, sums and matrices as in print. Expressions whose written-out
/// size is beyond about 2000 nodes are printed as one line of text instead.
[[nodiscard]] std::string to_unicode(const Expr& expression, const PrintOptions& options = {});
[[nodiscard]] std::string to_unicode(const Equation& equation, const PrintOptions& options = {});
[[nodiscard]] std::string to_unicode(const Matrix& matrix);

/// What a MathML element holds.
enum class MathmlPart {
  presentation,  ///< how it looks
  content,       ///< what it means; parse_mathml reads it back to the identical expression
  both           ///< presentation with the content as its annotation
};
/// A math element of MathML 3. Functions that content MathML has no element for are csymbol elements of the dictionary
/// "boreon", with their names in expression text.
[[nodiscard]] std::string to_mathml(const Expr& expression, MathmlPart part = MathmlPart::both,
                                    const PrintOptions& options = {});
[[nodiscard]] std::string to_mathml(const Equation& equation, MathmlPart part = MathmlPart::both,
                                    const PrintOptions& options = {});
[[nodiscard]] std::string to_mathml(const Matrix& matrix, MathmlPart part = MathmlPart::both);

std::ostream& operator<<(std::ostream& out, const Expr& expression);

}  // namespace boreon
