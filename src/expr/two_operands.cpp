// SPDX-License-Identifier: MIT
#include "expr/two_operands.hpp"

#include <array>
#include <cstdlib>
#include <utility>

#include "boreon/catalogue.hpp"
#include "expr/canonical.hpp"
#include "expr/node.hpp"
#include "expr/orientation.hpp"

namespace boreon {
namespace {

constexpr std::size_t most_operands = 65;  // 32 parts and a number

// Operands of a node to be made, in place.
class Operands {
 public:
  Operands() = default;
  Operands(const Operands&) = delete;
  Operands& operator=(const Operands&) = delete;
  ~Operands() {
    for (Expr& e : list()) e.~Expr();
  }
  void push(Expr e) { new (room_.data() + size_++ * sizeof(Expr)) Expr(std::move(e)); }
  void push(std::span<const Expr> all) {
    for (const Expr& e : all) push(e);
  }
  [[nodiscard]] std::span<Expr> list() { return {std::launder(reinterpret_cast<Expr*>(room_.data())), size_}; }

 private:
  alignas(Expr) std::array<std::byte, (most_operands + 2) * sizeof(Expr)> room_;
  std::size_t size_ = 0;
};

// Where a part with this key belongs among those of a sum or product, or nothing if it meets another with this hash.
std::size_t place_of(std::span<const Expr> operands, const Expr& key) {
  const std::uint64_t hash = key.hash();
  std::size_t at = 1;
  for (; at < operands.size(); at += 2) {
    const std::uint64_t other = operands[at].hash();
    if (other == hash) return 0;
    if (other > hash) break;
  }
  return at;
}

bool insert(Kind kind, const Expr& whole, const Expr& key, Expr factor, Expr& result) {
  const auto operands = whole.operands();
  if (operands.size() > most_operands) return false;
  const std::size_t at = place_of(operands, key);
  if (at == 0) return false;
  Operands all;
  all.push(operands.first(at));
  all.push(key);
  all.push(std::move(factor));
  all.push(operands.subspan(at));
  result = Node::intern(kind, 0, all.list());
  return true;
}

// A term of a sum: its number and the rest, which is no sum.
bool as_term(const Expr& e, Scaled& term) {
  switch (e.kind()) {
    case Kind::symbol:
    case Kind::power:
    case Kind::call:
    case Kind::unknown_call:
    case Kind::piecewise: term = {1, e}; return true;
    case Kind::product:
      term = split_coefficient(e);
      return !term.rest.is(Kind::sum) && !term.rest.is(Kind::constant) && !term.coefficient.number().is_double();
    default: return false;
  }
}

struct Raised {
  const Expr* base;
  Expr exponent;
};

bool as_raised(const Expr& e, Raised& factor) {
  if (e.is(Kind::power)) {
    factor = {&e.operands()[0], e.operands()[1]};
    return is_plain_factor(*factor.base);
  }
  factor = {&e, 1};
  return is_plain_factor(e);
}

// The product of a number and something else.
bool scaled(const Expr& c, const Expr& x, Expr& result) {
  if (x.is_number() || c.is_integer(0) || x.is(Kind::constant) || c.number().is_double()) return false;
  if (x.is(Kind::product)) {
    const auto operands = x.operands();
    const Number product = c.number() * operands[0].number();
    if (product.is_one() || product.is_double() || operands.size() > most_operands || is_infinite(x)) return false;
    Operands all;
    all.push(product);
    all.push(operands.subspan(1));
    result = Node::intern(Kind::product, 0, all.list());
  } else if (x.is(Kind::power)) {
    if (x.operands()[0].is_number()) return false;
    result = Node::make(Kind::product, 0, c, x.operands()[0], x.operands()[1]);
  } else {
    result = Node::make(Kind::product, 0, c, x, 1);
  }
  return true;
}

bool all_plain(std::span<const Expr> operands) {
  for (std::size_t i = 1; i < operands.size(); i += 2) {
    if (!is_plain_factor(operands[i])) return false;
  }
  return true;
}

// Two products without a common base, of which one has plain factors only.
bool merged(const Expr& a, const Expr& b, Expr& result) {
  const auto p = a.operands();
  const auto q = b.operands();
  const Number c = p[0].number() * q[0].number();
  if (p.size() + q.size() > most_operands || c.is_double() || is_infinite(a) || is_infinite(b) ||
      !(all_plain(p) || all_plain(q)))
    return false;
  Operands all;
  all.push(c);
  std::size_t i = 1;
  std::size_t k = 1;
  while (i < p.size() || k < q.size()) {
    if (i < p.size() && k < q.size() && p[i].hash() == q[k].hash()) return false;
    const bool first = k == q.size() || (i < p.size() && p[i].hash() < q[k].hash());
    std::size_t& at = first ? i : k;
    all.push((first ? p : q).subspan(at, 2));
    at += 2;
  }
  result = Node::intern(Kind::product, 0, all.list());
  return true;
}

}  // namespace

bool is_plain_factor(const Expr& e) {
  switch (e.kind()) {
    case Kind::sum: return e.operands().size() != 3 || !as_gaussian(e);
    case Kind::symbol:
    case Kind::unknown_call:
    case Kind::piecewise: return true;
    case Kind::call: return e.function().power_rule == nullptr;
    default: return false;
  }
}

bool sum_of_two(const Expr& a, const Expr& b, bool negate_b, Expr& result) {
  if (b.is(Kind::sum) && negate_b) return false;
  const bool swap = b.is_number() || b.is(Kind::sum);
  const Expr& first = swap ? b : a;  // the number or the sum, if there is one
  const Expr& other = swap ? a : b;
  const auto sign = [&](const Expr& c, bool negative) { return negative ? Expr(-c.number()) : c; };
  if (other.is(Kind::sum)) {
    if (!first.is_number()) return false;
    const auto operands = other.operands();
    const Number constant = operands[0].number() + sign(first, swap && negate_b).number();
    if (operands.size() > most_operands || (operands.size() == 3 && constant.is_zero())) return false;
    for (const auto [term, c] : Parts(other)) {
      if (term.is_constant(ConstantCode::infinity)) return false;  // which swallows numbers
    }
    Operands all;
    all.push(constant);
    all.push(operands.subspan(1));
    result = Node::intern(Kind::sum, 0, all.list());
    return true;
  }
  Scaled term;
  if (!as_term(other, term)) return false;
  const Expr c = sign(term.coefficient, !swap && negate_b);
  if (first.is_number()) {
    if (first.number().is_zero()) return false;
    result = Node::make(Kind::sum, 0, sign(first, swap && negate_b), term.rest, c);
    return true;
  }
  if (first.is(Kind::sum)) return insert(Kind::sum, first, term.rest, c, result);
  Scaled second;
  if (!as_term(first, second)) return false;
  const std::uint64_t m = term.rest.hash();
  const std::uint64_t n = second.rest.hash();
  if (m == n) return false;
  result = m < n ? Node::make(Kind::sum, 0, 0, term.rest, c, second.rest, second.coefficient)
                 : Node::make(Kind::sum, 0, 0, second.rest, second.coefficient, term.rest, c);
  return true;
}

bool product_of_two(const Expr& a, const Expr& b, Expr& result) {
  if (a.is_number()) return scaled(a, b, result);
  if (b.is_number()) return scaled(b, a, result);
  if (a.is(Kind::product) && b.is(Kind::product)) return merged(a, b, result);
  const Expr& whole = b.is(Kind::product) ? b : a;
  const Expr& other = b.is(Kind::product) ? a : b;
  Raised f;
  if (!as_raised(other, f)) return false;
  if (whole.is(Kind::product)) return !is_infinite(whole) && insert(Kind::product, whole, *f.base, f.exponent, result);
  Raised g;
  if (!as_raised(whole, g)) return false;
  const std::uint64_t m = f.base->hash();
  const std::uint64_t n = g.base->hash();
  if (m == n) return false;
  result = m < n ? Node::make(Kind::product, 0, 1, *f.base, f.exponent, *g.base, g.exponent)
                 : Node::make(Kind::product, 0, 1, *g.base, g.exponent, *f.base, f.exponent);
  return true;
}

bool power_of_plain_product(const Expr& base, const Expr& exponent, Expr& result) {
  const auto n = exponent.word();
  const auto operands = base.operands();
  if (!n || *n == 0 || std::abs(*n) > 64 || operands.size() > most_operands) return false;
  for (const auto [b, e] : Parts(base)) {
    const auto inner = e.word();
    if (!inner || std::abs(*inner) > 1024 || !is_plain_factor(b)) return false;
    if (b.is(Kind::sum) && *inner * *n % 2 == 0 && points_backwards(b)) return false;
  }
  const Expr c = power(operands[0], exponent);
  if (!c.is_number() || (c.is_integer(1) && operands.size() == 3)) return false;
  Operands all;
  all.push(c);
  for (const auto [b, e] : Parts(base)) {
    all.push(b);
    all.push(*e.word() * *n);
  }
  result = Node::intern(Kind::product, 0, all.list());
  return true;
}

}  // namespace boreon
