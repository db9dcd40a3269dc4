// SPDX-License-Identifier: MIT
// Reading the expression grammar: operator precedence with an explicit stack, so nesting is limited by memory only.
// Operators are in parser.cpp, what stands in parentheses in parser_frames.cpp, elements and whole arrays in
// parser_arrays.cpp.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "boreon/arrays.hpp"
#include "boreon/text.hpp"
#include "text/lexer.hpp"
#include "text/name_resolver.hpp"

namespace boreon {

class Parser {
 public:
  Parser(std::string_view text, const ParseContext& context);
  [[nodiscard]] Array run();

 private:
  enum class Op : char { disjunction, conjunction, negation, relation, sum, product, minus, power };

  struct Pending {
    Op op;
    std::size_t at;                 // of the first operator
    std::vector<Array> items = {};  // operands so far of an n-ary operator
    bool invert = false;            // the next operand is subtracted or divided by
    std::size_t invert_at = 0;
    std::string relation = {};
  };

  // An open parenthesis of some kind.
  struct Frame {
    enum class Type : char { group, call, piecewise, derivative, integral, reduction, root, limit, element };
    Type type;
    Token head;                // name of the function or array
    std::size_t at;            // of the parenthesis
    std::size_t pending_base;  // operators below belong to the frames outside
    std::vector<Array> args = {};
    int stage = 0;
    LimitSide side = LimitSide::both;
    ReductionOp reduction = ReductionOp::sum;
    std::vector<Array::Range> places = {};  // of an element
  };

  // parser.cpp
  void operand(const Token& t);
  [[noreturn]] void unexpected_end();
  void push(Array e);
  void name(const Token& t);
  void double_literal();
  void after_operand(const Token& t);
  [[noreturn]] void missing_operator(const Token& t);
  void binary(Op op, const Token& t);
  [[nodiscard]] std::size_t base() const { return frames_.empty() ? 0 : frames_.back().pending_base; }
  void take_item(Pending& p);
  void reduce_above(Op op);
  void reduce_all();
  void reduce();
  [[nodiscard]] Expr reduced(const Pending& p, const std::vector<Expr>& items);
  const Expr& as_typed(const Expr& made, const std::vector<Expr>& items);
  static void check_values(std::span<const Expr> items);
  static Expr chain(const std::string& operators, std::span<const Expr> items);
  Array pop();
  /// The last value, which must be no array.
  Expr pop_scalar(const char* where);

  // parser_frames.cpp
  [[nodiscard]] static const char* usage(Frame::Type type, ReductionOp op = ReductionOp::sum);
  [[nodiscard]] static const char* usage(const Frame& f) { return usage(f.type, f.reduction); }
  [[nodiscard]] static bool binds(Frame::Type type);
  void open(const Token& t, Frame::Type type, bool call_follows, ReductionOp op = ReductionOp::sum);
  [[nodiscard]] std::string variable_ahead(const Frame& f) const;
  /// Whether max(..., k) or max(..., k from a to b) follows: over a range, not over its arguments.
  [[nodiscard]] bool reduction_ahead() const;
  void comma(const Token& t);
  void range_variable(Frame& f);
  void derivative_variables(Frame& f);
  void finish(Array value);
  void piecewise_word(const Token& t);
  void range_word(const Token& t);
  void close(const Token& t);
  [[nodiscard]] Array finish_call(const Frame& f);
  [[nodiscard]] Expr call_of(const Frame& f, std::span<const Expr> args);

  // parser_arrays.cpp
  [[nodiscard]] const NamedArray* array_called(const Token& t) const;
  /// A name that stands alone: an array as a whole, or a value.
  [[nodiscard]] Array value(const Token& t);
  [[nodiscard]] static Array whole(const NamedArray& a, const Token& t, const Expr& head);
  void open_element(const Token& t);
  void close_element(const Token& t);
  void place(Frame& f, std::size_t at);
  [[nodiscard]] Array element_of(const Frame& f);
  [[nodiscard]] Expr undeclared_element(const Frame& f);
  [[nodiscard]] Expr call_of_element(const Frame& f) const;
  [[nodiscard]] Expr head_of(const Token& t, const NamedArray* a) const;
  [[nodiscard]] Array reduced_arrays(const Pending& p);
  [[nodiscard]] Array array_call(const Frame& f);
  /// transpose, trace, dot, outer, where arrays have been declared.
  [[nodiscard]] bool is_array_function(const Token& t) const;

  // Errors of the constructors get the place in the text.
  template <class F>
  auto guarded(std::size_t at, F make) -> decltype(make()) {
    try {
      return make();
    } catch (const Error& e) {
      if (e.position().known()) throw;
      errors_.fail(e.kind(), e.message(), at);
    }
  }

  const ParseContext& context_;
  TextErrors errors_;
  std::vector<Token> tokens_;
  std::size_t at_ = 0;
  bool expect_operand_ = true;
  std::vector<Array> values_;
  std::vector<Pending> pending_;
  std::vector<Frame> frames_;
  NameResolver names_;
};

}  // namespace boreon
