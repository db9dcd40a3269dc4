// SPDX-License-Identifier: MIT
#include "boreon/expr.hpp"

#include <fmt/format.h>

#include <mutex>
#include <vector>

#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "expr/canonical.hpp"
#include "expr/node.hpp"

namespace boreon {

// Terms collected by `+=`, in the order they came. Only one handle owns it.
struct Expr::Accumulator {
  std::vector<Expr> operands;
  std::size_t compact_at = 4096;  // merge equal terms when this many have come, so repeated terms do not grow

  void push(Expr term) {
    operands.push_back(std::move(term));
    if (operands.size() < compact_at) return;
    Expr merged = sum_of(operands, Absorb::everything);
    const std::size_t terms = merged.operands().size() / 2;
    operands.clear();
    operands.push_back(std::move(merged));
    compact_at = std::max<std::size_t>(4096, 2 * terms);
  }
  static Accumulator* from(std::uintptr_t bits) { return reinterpret_cast<Accumulator*>(bits & ~tag_mask); }
};

namespace {
std::mutex& settle_mutex() {
  static std::mutex m;
  return m;
}
}  // namespace

Expr::Expr(double value) : Expr(Number::from_double(value)) {}

Expr::Expr(const Number& value) : bits_(small(0)) {
  if (const auto w = value.word()) {
    *this = Expr(*w);
  } else if (value.is_double() && std::abs(value.to_double()) > 1.7976931348623157e308) {
    *this = value.sign() > 0 ? infinity() : -infinity();
  } else {
    *this = Node::intern_number(value);
  }
}

std::uintptr_t Expr::from_wide(std::uint64_t value, bool negative) {
  const Number high(static_cast<std::int64_t>(value >> 32U));
  const Number low(static_cast<std::int64_t>(value & 0xffffffffU));
  Number n = high * Number(std::int64_t{1} << 32) + low;
  if (negative) n = n - Number(std::int64_t{1} << 32) * Number(std::int64_t{1} << 32);
  Expr e = Node::intern_number(n);
  return e.take();
}

Expr& Expr::operator=(const Expr& other) {
  if (this != &other) {
    const std::uintptr_t fresh = other.share();
    const std::uintptr_t old = bits_.load(std::memory_order_relaxed);
    bits_.store(fresh, std::memory_order_release);
    drop(old);
  }
  return *this;
}

std::uintptr_t Expr::settle() const {
  const std::scoped_lock lock(settle_mutex());
  const std::uintptr_t b = bits_.load(std::memory_order_acquire);
  if ((b & tag_mask) != tag_open) return b;  // another thread came first
  Accumulator* open = Accumulator::from(b);
  Expr result = sum_of(open->operands, Absorb::everything);
  const std::uintptr_t fresh = result.take();
  bits_.store(fresh, std::memory_order_release);
  delete open;
  return fresh;
}

void Expr::drop(std::uintptr_t bits) noexcept {
  if ((bits & tag_mask) == 0) {
    Node::release(reinterpret_cast<const Node*>(bits));
  } else if ((bits & tag_mask) == tag_open) {
    delete Accumulator::from(bits);
  }
}

Expr& Expr::operator+=(const Expr& term) {
  constexpr std::size_t open_from = 17;  // operands, that is eight terms
  const std::uintptr_t b = bits_.load(std::memory_order_acquire);
  if (&term != this) {
    if ((b & tag_mask) == tag_open) {
      Accumulator::from(b)->push(term);
      return *this;
    }
    if ((b & tag_mask) == 0) {
      const auto* n = reinterpret_cast<const Node*>(b);
      if (n->kind == Kind::sum && n->size >= open_from && n->reference_count() == 1) {
        auto open = std::make_unique<Accumulator>();
        open->operands.reserve(64);
        open->operands.push_back(*this);
        open->operands.push_back(term);
        bits_.store(reinterpret_cast<std::uintptr_t>(open.release()) | tag_open, std::memory_order_release);
        Node::release(n);
        return *this;
      }
    }
  }
  return *this = *this + term;
}

Expr& Expr::operator-=(const Expr& term) { return *this += -term; }
Expr& Expr::operator*=(const Expr& factor) { return *this = *this * factor; }
Expr& Expr::operator/=(const Expr& divisor) { return *this = *this / divisor; }

Number Expr::number() const {
  if (Node::is_small(*this)) return Number(Node::small_value(*this));
  if (kind() != Kind::number)
    throw Error(ErrorKind::usage, "a number is expected, not a symbolic expression; use evaluate() to get one");
  return node()->number();
}

std::optional<std::int64_t> Expr::word() const {
  if (Node::is_small(*this)) return Node::small_value(*this);
  if (kind() == Kind::number) return node()->number().word();
  return std::nullopt;
}

bool Expr::is_constant(ConstantCode code) const {
  return kind() == Kind::constant && node()->code == static_cast<std::uint16_t>(code);
}

ConstantCode Expr::constant_code() const {
  if (kind() != Kind::constant) throw Error(ErrorKind::usage, "not a constant");
  return static_cast<ConstantCode>(node()->code);
}

const std::string& Expr::name() const {
  if (kind() == Kind::symbol) return node()->symbol().name;
  if (kind() == Kind::unknown_call) return operands()[0].name();
  throw Error(ErrorKind::usage, "only symbols and unknown functions have a name; this is a compound expression");
}

const FunctionRow& Expr::function() const {
  if (kind() != Kind::call) throw Error(ErrorKind::usage, "not a call of a known function");
  return row_of(node()->code);
}

RelationOp Expr::relation_op() const {
  if (kind() != Kind::relation) throw Error(ErrorKind::usage, "not a relation");
  return static_cast<RelationOp>(node()->code);
}

LogicOp Expr::logic_op() const {
  if (kind() != Kind::logic) throw Error(ErrorKind::usage, "not a logical combination");
  return static_cast<LogicOp>(node()->code);
}

LimitSide Expr::limit_side() const {
  if (kind() != Kind::limit) throw Error(ErrorKind::usage, "not a limit");
  return static_cast<LimitSide>(node()->code);
}

ReductionOp Expr::reduction_op() const {
  if (kind() != Kind::reduction) throw Error(ErrorKind::usage, "not a sum or another reduction");
  return static_cast<ReductionOp>(node()->code);
}

bool Expr::has_symbols() const { return symbol_filter() != 0; }

int order(const Expr& left, const Expr& right) {
  // Different nodes of equal hash, kind, code and size differ in some operand: the first such pair decides.
  const Expr* a = &left;
  const Expr* b = &right;
  for (;;) {
    if (*a == *b) return 0;
    if (a->hash() != b->hash()) return a->hash() < b->hash() ? -1 : 1;
    if (a->kind() != b->kind()) return a->kind() < b->kind() ? -1 : 1;
    if (a->is_number()) return compare(a->number(), b->number());
    const Node* m = Node::of(*a);
    const Node* n = Node::of(*b);
    if (m->code != n->code) return m->code < n->code ? -1 : 1;
    if (a->kind() == Kind::symbol) {
      const int c = m->symbol().name.compare(n->symbol().name);
      if (c != 0) return c < 0 ? -1 : 1;
      return m->symbol().assumptions.bits() < n->symbol().assumptions.bits() ? -1 : 1;
    }
    if (m->size != n->size) return m->size < n->size ? -1 : 1;
    const auto p = a->operands();
    const auto q = b->operands();
    std::size_t i = 0;
    while (p[i] == q[i]) ++i;
    a = &p[i];
    b = &q[i];
  }
}

}  // namespace boreon
