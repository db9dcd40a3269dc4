// SPDX-License-Identifier: MIT
// Canonical sums: a number plus {term: coefficient}, ordered by content hash.
#include <algorithm>
#include <array>
#include <memory_resource>
#include <vector>

#include "boreon/symbol.hpp"
#include "expr/canonical.hpp"
#include "expr/node.hpp"
#include "expr/two_operands.hpp"

namespace boreon {
namespace {

struct Summand {
  std::uint64_t hash;  // of the term, beside it because sorting needs nothing else
  Expr term;
  Expr coefficient;
};

// Above this many terms an operand keeps its own node unless the others together are at least an eighth of it.
constexpr std::size_t large_sum = 128;
constexpr std::size_t balance = 8;

std::size_t term_count(const Expr& e) {
  if (e.is(Kind::sum)) return e.operands().size() / 2;
  if (e.is(Kind::product) && e.operands().size() == 3 && e.operands()[1].is(Kind::sum) &&
      e.operands()[2].is_integer(1)) {
    return e.operands()[1].operands().size() / 2;
  }
  return 1;
}

class SumBuilder {
 public:
  explicit SumBuilder(std::size_t reserve) { entries_.reserve(reserve); }

  void add(const Expr& e, const Expr& scale, bool absorb) {
    switch (e.kind()) {
      case Kind::number: constant_ = add_numbers(constant_, multiply_numbers(e, scale)); return;
      case Kind::sum:
        if (absorb) {
          constant_ = add_numbers(constant_, multiply_numbers(e.operands()[0], scale));
          for (const auto [term, c] : Parts(e)) push(term, multiply_numbers(c, scale));
          return;
        }
        break;
      case Kind::product: {
        Scaled s = split_coefficient(e);
        if (s.coefficient.is_integer(1)) break;
        if (s.rest.is(Kind::sum) && absorb) {
          add(s.rest, multiply_numbers(s.coefficient, scale), true);
        } else {
          push(std::move(s.rest), multiply_numbers(s.coefficient, scale));
        }
        return;
      }
      default: break;
    }
    push(e, scale);
  }

  Expr finish() {
    std::sort(entries_.begin(), entries_.end(), [](const Summand& a, const Summand& b) {
      return a.hash != b.hash ? a.hash < b.hash : order(a.term, b.term) < 0;
    });
    std::pmr::vector<Expr> operands(&memory_);
    operands.reserve(1 + 2 * entries_.size());
    operands.push_back(constant_);
    for (std::size_t i = 0; i < entries_.size();) {
      Expr coefficient = std::move(entries_[i].coefficient);
      std::size_t j = i + 1;
      bool clash = false;
      for (; j < entries_.size() && entries_[j].term == entries_[i].term; ++j) {
        clash = clash || (coefficient.number().sign() != entries_[j].coefficient.number().sign());
        coefficient = add_numbers(coefficient, entries_[j].coefficient);
      }
      const Expr& term = entries_[i].term;
      if (term.is(Kind::constant)) {
        if (term.is_constant(ConstantCode::undefined)) return undefined();
        if (term.is_constant(ConstantCode::infinity)) {
          if (clash) return undefined();  // infinity - infinity
          infinite_ = coefficient.number().sign();
        }
      }
      if (!Node::is_small(coefficient) && coefficient.number().is_double() && coefficient.number().to_double() == 1)
        coefficient = 1;
      if (!coefficient.is_integer(0)) {
        operands.push_back(std::move(entries_[i].term));
        operands.push_back(std::move(coefficient));
      }
      i = j;
    }
    if (infinite_ != 0) return finish_infinite(operands);
    if (operands.size() == 1) return operands[0];
    if (operands.size() == 3 && operands[0].is_integer(0)) {
      if (operands[2].is_integer(1)) return operands[1];
      return operands[2] * operands[1];
    }
    return Node::intern(Kind::sum, 0, operands);
  }

  static Expr add_numbers(const Expr& a, const Expr& b) {
    if (Node::is_small(a) && Node::is_small(b)) return {Node::small_value(a) + Node::small_value(b)};
    return {a.number() + b.number()};
  }
  static Expr multiply_numbers(const Expr& a, const Expr& b) {
    if (b.is_integer(1)) return a;
    if (a.is_integer(1)) return b;
    return {a.number() * b.number()};
  }

 private:
  void push(Expr term, Expr coefficient) {
    const std::uint64_t hash = term.hash();
    entries_.push_back({hash, std::move(term), std::move(coefficient)});
  }

  // A finite number beside infinity is absorbed; symbolic terms might be infinite too and stay.
  Expr finish_infinite(std::span<Expr> operands) {
    if (operands.size() == 3) return infinite_ > 0 ? infinity() : -1 * infinity();
    operands[0] = 0;
    return Node::intern(Kind::sum, 0, operands);
  }

  // Small sums, which most are, need no memory of their own.
  std::array<std::byte, 1024> room_;
  std::pmr::monotonic_buffer_resource memory_{room_.data(), room_.size()};
  std::pmr::vector<Summand> entries_{&memory_};
  Expr constant_;
  int infinite_ = 0;
};

}  // namespace

Expr sum_of(std::span<const Expr> operands, Absorb absorb) {
  std::size_t total = 0;
  for (const Expr& e : operands) total += term_count(e);
  SumBuilder builder(total);
  for (const Expr& e : operands) {
    const std::size_t n = term_count(e);
    builder.add(
        e, 1,
        n <= large_sum || absorb == Absorb::everything || (absorb == Absorb::balanced && n <= balance * (total - n)));
  }
  return builder.finish();
}

Expr add(std::span<const Expr> operands) {
  if (operands.size() == 1) return operands[0];
  if (operands.size() == 2) return operands[0] + operands[1];
  return sum_of(operands, Absorb::balanced);
}

Expr operator+(const Expr& a, const Expr& b) {
  if (Node::is_small(a) && Node::is_small(b)) return SumBuilder::add_numbers(a, b);
  if (b.is_integer(0)) return a;
  if (a.is_integer(0)) return b;
  if (Expr result; sum_of_two(a, b, false, result)) return result;
  const Expr operands[] = {a, b};
  return sum_of(operands, Absorb::balanced);
}

// Without a node for -b, which nobody would keep.
Expr operator-(const Expr& a, const Expr& b) {
  if (Node::is_small(a) && Node::is_small(b)) return SumBuilder::add_numbers(a, -b);
  if (b.is_integer(0)) return a;
  if (a.is_integer(0)) return -b;
  if (Expr result; sum_of_two(a, b, true, result)) return result;
  const std::size_t m = term_count(a);
  const std::size_t n = term_count(b);
  const auto absorbed = [](std::size_t one, std::size_t other) { return one <= large_sum || one <= balance * other; };
  SumBuilder builder(m + n);
  builder.add(a, 1, absorbed(m, n));
  builder.add(b, -1, absorbed(n, m));
  return builder.finish();
}
Expr operator-(const Expr& a) { return -1 * a; }

bool is_infinite(const Expr& e) {
  if (e.is_constant(ConstantCode::infinity)) return true;
  if (!e.is(Kind::product)) return false;
  for (const auto [base, exponent] : Parts(e)) {
    if (base.is_constant(ConstantCode::infinity)) return true;
  }
  return false;
}

}  // namespace boreon
