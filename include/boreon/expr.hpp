// SPDX-License-Identifier: MIT
// Expr: a value handle to an immutable, interned expression node.
//
// Structural equality is pointer equality, hashing is free, equal subexpressions share one node, and memory comes back
// when the last handle goes. Handles may be copied between threads. Small integers live inside the handle.
//
// What construction simplifies (and nothing else does so unasked; all of it holds wherever both sides are defined):
//  - exact arithmetic on numbers; perfect powers of rationals (8^(2/3) = 4, sqrt(12) = 2*sqrt(3)), powers of i;
//  - sums and products are n-ary, ordered and merged by key: x + 2*x = 3*x, x^a*x^b = x^(a + b), 0*x = 0, x^0 = 1;
//  - (x*y)^n = x^n*y^n and (x^a)^n = x^(a*n) for integer n; for other exponents only where assumptions allow it;
//  - known functions at known places (sin(pi/6) = 1/2, log(1) = 0), odd and even symmetry (sin(-x) = -sin(x)), and
//    inverse pairs that hold under the assumptions (exp(log(x)) = x, log(exp(x)) = x for real x);
//  - exp(x)^n = exp(n*x) for integer n, and exp(a*u)*exp(b*u) = exp((a + b)*u) for numbers a and b;
//  - relations between numbers become true or false, piecewise drops branches that cannot be taken.
// A number times a single sum stays factored, 2*(x + y), until it is added to something. An operand that is itself a
// product of more than 32 factors, or a sum much larger than all it is added to, keeps its own node: that bounds the
// cost of long chains. `s += term` collects terms and puts them in order when s is next read, so that a loop over n
// terms takes O(n log n).
#pragma once

#include <atomic>
#include <concepts>
#include <cstdint>
#include <functional>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>
#if __has_include(<sys/single_threaded.h>)
#include <sys/single_threaded.h>
#define BOREON_KNOWS_OF_THREADS
#endif

#include "boreon/export.hpp"
#include "boreon/number.hpp"

namespace boreon BOREON_API {

class Node;
class Expr;
struct FunctionRow;

/// The shape of a node; the comment gives its operands.
enum class Kind : std::uint8_t {
  number,        ///< no operands; `number()`
  constant,      ///< no operands; `constant_code()`
  symbol,        ///< no operands; `name()`, `assumptions_of(expr)`
  sum,           ///< constant, term, coefficient, term, coefficient, ...
  product,       ///< coefficient, base, exponent, base, exponent, ...
  power,         ///< base, exponent
  call,          ///< arguments; `function()`
  unknown_call,  ///< head symbol, argument, derivative order, argument, derivative order, ...
  relation,      ///< left, right; `relation_op()`
  logic,         ///< operands of and/or/not; `logic_op()`
  piecewise,     ///< value, condition, value, condition, ..., and, if there is one, the value otherwise
  derivative,    ///< unevaluated: expression, symbol, order, symbol, order, ...
  integral,      ///< unevaluated: integrand, symbol [, from, to]
  reduction,     ///< unevaluated, over whole numbers: term, symbol, from, to; `reduction_op()`
  limit,         ///< unevaluated: expression, symbol, place; `limit_side()`
  root,          ///< where an expression changes its sign: expression, symbol, from, to
  element        ///< of an array, with an index that is no number yet: head (a symbol or unknown call), index, ...
};

enum class ConstantCode : std::uint16_t { pi, egamma, imaginary, infinity, undefined, true_value, false_value };
enum class RelationOp : std::uint16_t { less, less_equal, equal, not_equal };  ///< a > b is stored as b < a
enum class LogicOp : std::uint16_t { conjunction, disjunction, negation };
enum class LimitSide : std::uint16_t { both, above, below };
enum class ReductionOp : std::uint16_t { sum, product, minimum, maximum };

namespace detail {
/// Whether no second thread has been started yet: then counting needs no locked instructions, which cost more than all
/// else that copying a handle does.
inline bool single_threaded() noexcept {
#ifdef BOREON_KNOWS_OF_THREADS
  return __libc_single_threaded != 0;
#else
  return false;
#endif
}

/// The head of a node; the operands follow it in memory. Here so that reading a handle needs no call.
struct NodeHeader {
  std::uint64_t hash;
  mutable std::atomic<std::uint32_t> references;
  std::uint32_t size;           // number of operands
  std::uint32_t symbol_filter;  // Bloom filter of the symbols below
  std::uint16_t code;           // constant, function row, operator, ...
  Kind kind;
  std::uint8_t unused = 0;
  mutable const Node* next_dead = nullptr;  // list of nodes to free, so that freeing a deep chain needs no stack

  void retain() const noexcept {
    if (single_threaded()) {
      references.store(references.load(std::memory_order_relaxed) + 1, std::memory_order_relaxed);
    } else {
      references.fetch_add(1, std::memory_order_relaxed);
    }
  }
  /// Whether this was the last reference.
  [[nodiscard]] bool let_go() const noexcept {
    if (single_threaded()) {
      const std::uint32_t left = references.load(std::memory_order_relaxed) - 1;
      references.store(left, std::memory_order_relaxed);
      return left == 0;
    }
    return references.fetch_sub(1, std::memory_order_acq_rel) == 1;
  }
};
}  // namespace detail

class Expr {
 public:
  Expr() noexcept : bits_(small(0)) {}  ///< zero
  template <WholeNumber T>
  Expr(T value) : bits_(from_integer(value)) {}  // NOLINT(google-explicit-constructor)
  template <NotANumber T>
  requires(!std::floating_point<T>) Expr(T value)
  = delete;                   // a truth value is truth(b); a character is no number; a name is Symbol("x")
  Expr(double value);         // NOLINT(google-explicit-constructor): kept as a double, not made exact
  Expr(const Number& value);  // NOLINT(google-explicit-constructor)
  Expr(const Expr& other) : bits_(other.share()) {}
  Expr(Expr&& other) noexcept : bits_(other.take()) {}
  Expr& operator=(const Expr& other);
  Expr& operator=(Expr&& other) noexcept {
    if (this != &other) {
      const std::uintptr_t old = bits_.load(std::memory_order_relaxed);
      bits_.store(other.take(), std::memory_order_release);
      drop(old);
    }
    return *this;
  }
  ~Expr() {
    const std::uintptr_t b = bits_.load(std::memory_order_relaxed);
    if ((b & tag_mask) != tag_small) drop(b);
  }

  [[nodiscard]] Kind kind() const {
    const std::uintptr_t b = bits();
    return (b & tag_mask) == tag_small ? Kind::number : header(b)->kind;
  }
  [[nodiscard]] bool is(Kind k) const { return kind() == k; }
  [[nodiscard]] inline std::span<const Expr> operands()
      const;                                        ///< see Kind; empty for leaves. Valid as long as the handle.
  [[nodiscard]] inline std::uint64_t hash() const;  ///< by content: the same on every run and machine

  [[nodiscard]] bool is_number() const { return kind() == Kind::number; }
  [[nodiscard]] Number number() const;  ///< of a number node; throws Error(usage) otherwise
  [[nodiscard]] bool is_integer(std::int64_t value) const { return bits() == small(value); }
  [[nodiscard]] std::optional<std::int64_t> word() const;  ///< the value if this is a machine-word integer
  [[nodiscard]] bool is_constant(ConstantCode code) const;
  [[nodiscard]] ConstantCode constant_code() const;
  [[nodiscard]] const std::string& name() const;      ///< of a symbol or of the head of an unknown call
  [[nodiscard]] const FunctionRow& function() const;  ///< of a call
  [[nodiscard]] RelationOp relation_op() const;
  [[nodiscard]] LogicOp logic_op() const;
  [[nodiscard]] LimitSide limit_side() const;
  [[nodiscard]] ReductionOp reduction_op() const;
  /// Whether this is an unevaluated sum.
  [[nodiscard]] bool is_summation() const { return is(Kind::reduction) && reduction_op() == ReductionOp::sum; }
  [[nodiscard]] bool has_symbols() const;  ///< whether a symbol or unknown function occurs; O(1)
  /// A 32-bit Bloom filter of the symbols that occur: if (a.symbol_filter() & s.symbol_filter()) == 0 then symbol s
  /// does not occur in a. O(1).
  [[nodiscard]] std::uint32_t symbol_filter() const {
    const std::uintptr_t b = bits();
    return (b & tag_mask) == tag_small ? 0 : header(b)->symbol_filter;
  }

  Expr& operator+=(const Expr& term);
  Expr& operator-=(const Expr& term);
  Expr& operator*=(const Expr& factor);
  Expr& operator/=(const Expr& divisor);

  /// Structural identity. Mathematical equality is another question.
  friend bool operator==(const Expr& a, const Expr& b) { return a.bits() == b.bits(); }

  /// Identity of the node, for hash tables that live no longer than the expression.
  [[nodiscard]] std::uintptr_t bits() const {
    const std::uintptr_t b = bits_.load(std::memory_order_acquire);
    return (b & tag_mask) == tag_open ? settle() : b;
  }

 private:
  friend class Node;
  struct Accumulator;
  static constexpr std::uintptr_t tag_mask = 3;
  static constexpr std::uintptr_t tag_small = 1;
  static constexpr std::uintptr_t tag_open = 2;

  struct Adopt {};
  Expr(Adopt, std::uintptr_t bits) noexcept : bits_(bits) {}

  static constexpr std::uintptr_t small(std::int64_t v) noexcept {
    return (static_cast<std::uintptr_t>(v) << 2U) | tag_small;
  }
  template <WholeNumber T>
  static std::uintptr_t from_integer(T value) {
    if (std::in_range<std::int64_t>(value)) {
      const auto v = static_cast<std::int64_t>(value);
      if (v >= -(std::int64_t{1} << 61) && v < (std::int64_t{1} << 61)) return small(v);
    }
    return from_wide(static_cast<std::uint64_t>(value), std::cmp_less(value, 0));
  }
  static std::uintptr_t from_wide(std::uint64_t value, bool negative);
  [[nodiscard]] const Node* node() const { return reinterpret_cast<const Node*>(bits()); }
  // Writing a handle excludes all other use of it, so no exchange in one step is needed.
  std::uintptr_t take() noexcept {
    const std::uintptr_t b = bits_.load(std::memory_order_relaxed);
    bits_.store(small(0), std::memory_order_relaxed);
    return b;
  }
  [[nodiscard]] std::uintptr_t share() const {
    const std::uintptr_t b = bits();
    if ((b & tag_mask) == 0) header(b)->retain();
    return b;
  }
  static const detail::NodeHeader* header(std::uintptr_t b) { return reinterpret_cast<const detail::NodeHeader*>(b); }
  std::uintptr_t settle() const;  // put collected terms in order
  static void drop(std::uintptr_t bits) noexcept;

  // Mutable because reading a handle that collects terms (see +=) puts them in order first; guarded by a mutex.
  mutable std::atomic<std::uintptr_t> bits_;
};

inline std::span<const Expr> Expr::operands() const {
  const std::uintptr_t b = bits();
  if ((b & tag_mask) == tag_small) return {};
  return {reinterpret_cast<const Expr*>(header(b) + 1), header(b)->size};
}

inline std::uint64_t Expr::hash() const {
  const std::uintptr_t b = bits();
  if ((b & tag_mask) != tag_small) return header(b)->hash;
  std::uint64_t x = static_cast<std::uint64_t>(b) * 0xbf58476d1ce4e5b9U;  // small numbers spread over all bits
  x ^= x >> 29U;
  x *= 0x94d049bb133111ebU;
  return x ^ (x >> 32U);
}

[[nodiscard]] Expr operator+(const Expr& a, const Expr& b);
[[nodiscard]] Expr operator-(const Expr& a, const Expr& b);
[[nodiscard]] Expr operator*(const Expr& a, const Expr& b);
[[nodiscard]] Expr operator/(const Expr& a, const Expr& b);
[[nodiscard]] Expr operator-(const Expr& a);
[[nodiscard]] inline Expr operator+(const Expr& a) { return a; }

/// The sum or product of any number of operands; O(n log n) in the number of terms.
[[nodiscard]] Expr add(std::span<const Expr> operands);
[[nodiscard]] Expr multiply(std::span<const Expr> operands);
[[nodiscard]] Expr power(const Expr& base, const Expr& exponent);
[[nodiscard]] inline Expr pow(const Expr& base, const Expr& exponent) { return power(base, exponent); }

// Order as a truth value, for generic code written for numbers: decided for numbers and wherever assumptions settle the
// sign of the difference. Otherwise Error(usage): use less(a, b) for a symbolic condition.
[[nodiscard]] bool operator<(const Expr& a, const Expr& b);
[[nodiscard]] bool operator<=(const Expr& a, const Expr& b);
[[nodiscard]] inline bool operator>(const Expr& a, const Expr& b) { return b < a; }
[[nodiscard]] inline bool operator>=(const Expr& a, const Expr& b) { return b <= a; }

// Exact constants.
[[nodiscard]] Expr constant(ConstantCode code);
[[nodiscard]] inline Expr pi() { return constant(ConstantCode::pi); }
[[nodiscard]] inline Expr egamma() { return constant(ConstantCode::egamma); }
[[nodiscard]] inline Expr imaginary_unit() { return constant(ConstantCode::imaginary); }
[[nodiscard]] inline Expr infinity() { return constant(ConstantCode::infinity); }
[[nodiscard]] inline Expr undefined() { return constant(ConstantCode::undefined); }
[[nodiscard]] Expr truth(bool value);

// Conditions.
[[nodiscard]] Expr relation(RelationOp op, const Expr& left, const Expr& right);
[[nodiscard]] inline Expr less(const Expr& a, const Expr& b) { return relation(RelationOp::less, a, b); }
[[nodiscard]] inline Expr less_equal(const Expr& a, const Expr& b) { return relation(RelationOp::less_equal, a, b); }
[[nodiscard]] inline Expr greater(const Expr& a, const Expr& b) { return relation(RelationOp::less, b, a); }
[[nodiscard]] inline Expr greater_equal(const Expr& a, const Expr& b) { return relation(RelationOp::less_equal, b, a); }
[[nodiscard]] inline Expr equal(const Expr& a, const Expr& b) { return relation(RelationOp::equal, a, b); }
[[nodiscard]] inline Expr not_equal(const Expr& a, const Expr& b) { return relation(RelationOp::not_equal, a, b); }
[[nodiscard]] Expr conjunction(std::span<const Expr> conditions);
[[nodiscard]] Expr disjunction(std::span<const Expr> conditions);
[[nodiscard]] Expr negation(const Expr& condition);
/// Whether the expression is a truth value: a relation, a logical combination, true or false.
[[nodiscard]] bool is_condition(const Expr& expr);
/// value, condition, value, condition, ... and an optional last value for "otherwise". Without one the expression is
/// undefined where no condition holds. Throws Error(shape) on values where conditions belong and the reverse.
[[nodiscard]] Expr piecewise(std::span<const Expr> branches);

// Unevaluated operators. The symbol of a definite integral, a sum, a limit and a root is bound: it is not free in the result.
[[nodiscard]] Expr unevaluated_derivative(const Expr& of, std::span<const Expr> symbols_and_orders);
[[nodiscard]] Expr unevaluated_integral(const Expr& integrand, const Expr& symbol);
[[nodiscard]] Expr unevaluated_integral(const Expr& integrand, const Expr& symbol, const Expr& from, const Expr& to);
[[nodiscard]] Expr unevaluated_sum(const Expr& term, const Expr& symbol, const Expr& from, const Expr& to);
/// The same for products and for the least and greatest of a finite number of values.
[[nodiscard]] Expr unevaluated_reduction(ReductionOp op, const Expr& term, const Expr& symbol, const Expr& from,
                                         const Expr& to);
/// The place between two ends, at which `equation` (a relation left = right, or an expression that is to be zero) changes
/// its sign: an unknown that is defined by its equation. The range holds one such place; evaluate() refuses others.
[[nodiscard]] Expr implicit_root(const Expr& equation, const Expr& symbol, const Expr& from, const Expr& to);
[[nodiscard]] Expr unevaluated_limit(const Expr& of, const Expr& symbol, const Expr& place,
                                     LimitSide side = LimitSide::both);

// Elements of arrays. T[i, j + 1] is a node; with whole numbers for all indices it is the symbol named "T[3, 4]" with
// the assumptions of T, or the unknown function of that name, so all that is said of symbols holds for elements.
/// Throws Error(shape) on an index that is a number but no whole one, or a condition.
[[nodiscard]] Expr element(const Expr& head, std::span<const Expr> indices);
/// What T[3, 4] is made of.
struct ElementName {
  std::string array;
  std::vector<std::int64_t> indices;
};
/// Of a symbol, unknown call or text that names an element; empty for other names.
[[nodiscard]] std::optional<ElementName> element_name(std::string_view name);
[[nodiscard]] std::string to_string(const ElementName& name);

/// A node of the same shape as `expr` with other operands, put into canonical form by its constructor.
[[nodiscard]] Expr with_operands(const Expr& expr, std::span<const Expr> operands);

/// An arbitrary but reproducible total order (by content hash, ties by structure): -1, 0, 1.
[[nodiscard]] int order(const Expr& a, const Expr& b);

/// A (key, factor) pair of a sum (term, coefficient) or product (base, exponent).
struct Part {
  const Expr& key;
  const Expr& factor;
};

/// The parts of a sum or product node, without its leading number `operands()[0]`.
class Parts {
 public:
  explicit Parts(const Expr& e) : operands_(e.operands()) {}
  class Iterator {
   public:
    explicit Iterator(const Expr* at) : at_(at) {}
    Part operator*() const { return {at_[0], at_[1]}; }
    Iterator& operator++() {
      at_ += 2;
      return *this;
    }
    friend bool operator==(const Iterator& a, const Iterator& b) = default;

   private:
    const Expr* at_;
  };
  [[nodiscard]] Iterator begin() const { return Iterator(operands_.data() + 1); }
  [[nodiscard]] Iterator end() const { return Iterator(operands_.data() + operands_.size()); }
  [[nodiscard]] std::size_t size() const { return (operands_.size() - 1) / 2; }

 private:
  std::span<const Expr> operands_;
};

/// Figures of the intern table, for tests and benchmarks.
struct GraphStatistics {
  std::size_t live_nodes = 0;
  std::size_t bytes = 0;  ///< nodes and table
};
[[nodiscard]] GraphStatistics graph_statistics();

}  // namespace boreon

template <>
struct std::hash<boreon::Expr> {
  std::size_t operator()(const boreon::Expr& e) const { return static_cast<std::size_t>(e.hash()); }
};
