// SPDX-License-Identifier: MIT
// Canonical products: a number times {base: exponent}, ordered by content hash.
#include <algorithm>
#include <array>
#include <memory_resource>
#include <vector>

#include "boreon/catalogue.hpp"
#include "boreon/symbol.hpp"
#include "expr/canonical.hpp"
#include "expr/node.hpp"
#include "expr/two_operands.hpp"

namespace boreon {
namespace {

struct Factor {
  Expr base;
  Expr exponent;
};

// Operands with more factors than this stay one factor, which bounds the cost of long chains of products.
constexpr std::size_t large_product = 32;

class ProductBuilder {
 public:
  void multiply(const Expr& e) {
    switch (e.kind()) {
      case Kind::number: scale(e); return;
      case Kind::product:
        if (e.operands().size() / 2 <= large_product) {
          scale(e.operands()[0]);
          for (const auto [base, exponent] : Parts(e)) entries_.push_back({base, exponent});
          return;
        }
        if (!e.operands()[0].is_integer(1)) {  // the number comes out even of a large product
          Scaled s = split_coefficient(e);
          scale(s.coefficient);
          entries_.push_back({std::move(s.rest), 1});
          return;
        }
        break;
      case Kind::power: entries_.push_back({e.operands()[0], e.operands()[1]}); return;
      default: break;
    }
    entries_.push_back({e, 1});
  }

  Expr finish() {
    // Merging can make an exponent integral, which may take a power apart again: (x*y)^(1/2)*(x*y)^(1/2). Each round
    // removes at least one entry with a fractional exponent, so this ends.
    join_exponentials();
    join_gaussian();
    do {
      while (merge()) {
      }
    } while (join_radicals());
    for (const Factor& e : entries_) {
      if (e.base.is_constant(ConstantCode::undefined)) return undefined();
    }
    if (coefficient_.is_number() && coefficient_.number().is_zero()) {
      for (const Factor& e : entries_) {
        if (e.base.is_constant(ConstantCode::infinity)) return undefined();
      }
      return 0;
    }
    if (entries_.empty()) return coefficient_;
    drop_unit();
    if (Expr special; infinite(special)) return special;
    if (coefficient_.is_integer(1) && entries_.size() == 1) {
      const Factor& e = entries_.front();
      return e.exponent.is_integer(1) ? e.base : Node::make(Kind::power, 0, e.base, e.exponent);
    }
    std::pmr::vector<Expr> operands(&memory_);
    operands.reserve(1 + 2 * entries_.size());
    operands.push_back(coefficient_);
    for (Factor& e : entries_) {
      operands.push_back(std::move(e.base));
      operands.push_back(std::move(e.exponent));
    }
    return Node::intern(Kind::product, 0, operands);
  }

 private:
  void scale(const Expr& number) {
    if (number.is_integer(1)) return;
    coefficient_ = coefficient_.is_integer(1) ? number : Expr(coefficient_.number() * number.number());
  }

  // double(1)*x is x: there is nothing to round.
  void drop_unit() {
    if (!entries_.empty() && !Node::is_small(coefficient_) && coefficient_.number().is_double() &&
        coefficient_.number().to_double() == 1)
      coefficient_ = 1;
  }

  // Of sorted factors.
  [[nodiscard]] bool no_bases_meet() const {
    for (std::size_t i = 1; i < entries_.size(); ++i) {
      if (entries_[i].base == entries_[i - 1].base) return false;
    }
    return true;
  }

  bool merge() {
    std::sort(entries_.begin(), entries_.end(),
              [](const Factor& a, const Factor& b) { return order(a.base, b.base) < 0; });
    if (no_bases_meet()) return false;
    std::pmr::vector<Factor> merged(&memory_);
    merged.reserve(entries_.size());
    std::vector<Expr> again;
    for (std::size_t i = 0; i < entries_.size();) {
      std::size_t j = i + 1;
      while (j < entries_.size() && entries_[j].base == entries_[i].base) ++j;
      if (j == i + 1) {
        merged.push_back(std::move(entries_[i]));
      } else {
        std::vector<Expr> exponents;
        for (std::size_t k = i; k < j; ++k) exponents.push_back(entries_[k].exponent);
        Expr exponent = add(exponents);
        const Expr& base = entries_[i].base;
        const bool plain =
            exponent.is_integer(1)
                ? !base.is(Kind::product) && !base.is(Kind::power) && !base.is_number()
                : base.is(Kind::symbol) || (base.is(Kind::call) && base.function().power_rule == nullptr);
        if (exponent.is_integer(0) && !base.is(Kind::constant)) {
          // x^0 = 1
        } else if (plain && !exponent.is_integer(0)) {
          merged.push_back({base, std::move(exponent)});
        } else {
          Expr p = power(base, exponent);
          const bool unchanged = p.is(Kind::power) && p.operands()[0] == base && p.operands()[1] == exponent;
          if (unchanged) {
            merged.push_back({base, std::move(exponent)});
          } else {
            again.push_back(std::move(p));
          }
        }
      }
      i = j;
    }
    entries_ = std::move(merged);
    for (const Expr& e : again) multiply(e);
    return !again.empty() && entries_.size() > 1;
  }

  static const FunctionRow& exponential() {
    static const FunctionRow& row = *find_function("exp");
    return row;
  }
  static bool is_exponential(const Factor& e) {
    return e.exponent.is_integer(1) && e.base.is(Kind::call) && &e.base.function() == &exponential();
  }

  // u of exp(c*u), the same for all numbers c.
  static Expr direction(const Expr& argument) {
    Scaled s = split_coefficient(argument);
    if (!s.rest.is(Kind::sum)) return s.rest;
    const Expr scaled[] = {Expr(Number(1) / s.rest.operands()[2].number()) * s.rest};
    return sum_of(scaled, Absorb::everything);
  }

  // exp(a*u)*exp(b*u) = exp((a + b)*u) for numbers a, b, so that exp(u)/exp(u) = 1; exponentials of different things
  // stay apart and shared.
  void join_exponentials() {
    std::size_t count = 0;
    for (const Factor& e : entries_) count += is_exponential(e) ? 1U : 0U;
    if (count < 2) return;
    std::vector<std::pair<Expr, std::vector<std::size_t>>> groups;
    for (std::size_t i = 0; i < entries_.size(); ++i) {
      if (!is_exponential(entries_[i])) continue;
      const Expr u = direction(entries_[i].base.operands()[0]);
      auto at = std::find_if(groups.begin(), groups.end(), [&](const auto& g) { return g.first == u; });
      if (at == groups.end()) at = groups.insert(groups.end(), {u, {}});
      at->second.push_back(i);
    }
    std::vector<Expr> joined;
    std::vector<char> gone(entries_.size(), 0);
    for (const auto& [u, members] : groups) {
      if (members.size() < 2) continue;
      std::vector<Expr> arguments;
      for (const std::size_t i : members) {
        arguments.push_back(entries_[i].base.operands()[0]);
        gone[i] = 1;
      }
      const Expr argument[] = {sum_of(arguments, Absorb::everything)};
      joined.push_back(call(exponential(), argument));
    }
    if (joined.empty()) return;
    std::pmr::vector<Factor> kept(&memory_);
    for (std::size_t i = 0; i < entries_.size(); ++i) {
      if (gone[i] == 0) kept.push_back(std::move(entries_[i]));
    }
    entries_ = std::move(kept);
    for (const Expr& e : joined) multiply(e);
  }

  // sqrt(2)*sqrt(3) = sqrt(6): roots of positive whole numbers with one exponent are one root. Each round removes one.
  bool join_radicals() {
    const auto radical = [](const Factor& e) {
      return e.base.is_number() && e.base.number().is_exact() && e.base.number().sign() > 0 && e.exponent.is_number() &&
             e.exponent.number().is_exact() && !e.exponent.number().is_integer();
    };
    for (std::size_t i = 0; i < entries_.size(); ++i) {
      if (!radical(entries_[i])) continue;
      for (std::size_t k = i + 1; k < entries_.size(); ++k) {
        if (!radical(entries_[k]) || !(entries_[k].exponent == entries_[i].exponent)) continue;
        const Number both = entries_[i].base.number() * entries_[k].base.number();
        if (!both.word()) continue;  // squares are taken out of machine words only
        const Expr root = power(Expr(both), entries_[i].exponent);
        entries_.erase(entries_.begin() + static_cast<std::ptrdiff_t>(k));
        entries_.erase(entries_.begin() + static_cast<std::ptrdiff_t>(i));
        multiply(root);
        return true;
      }
    }
    return false;
  }

  // (2 + 3i)*(1 - i) = 5 + i
  void join_gaussian() {
    const auto whole = [](const Factor& e) { return e.exponent.is_integer(1) && as_gaussian(e.base).has_value(); };
    if (std::count_if(entries_.begin(), entries_.end(), whole) < 2) return;
    Gaussian all{1, 0};
    for (const Factor& e : entries_) {
      if (whole(e)) all = all * *as_gaussian(e.base);
    }
    std::erase_if(entries_, whole);
    multiply(all.expression());
  }

  // infinity times numbers and things of known sign
  bool infinite(Expr& result) const {
    const bool any = std::any_of(entries_.begin(), entries_.end(),
                                 [](const Factor& e) { return e.base.is_constant(ConstantCode::infinity); });
    if (!any) return false;
    int sign = coefficient_.number().sign();
    for (const Factor& e : entries_) {
      if (e.base.is_constant(ConstantCode::infinity)) continue;
      const Expr factor = power(e.base, e.exponent);
      if (is_positive(factor)) continue;
      if (is_negative(factor)) {
        sign = -sign;
        continue;
      }
      return false;
    }
    if (sign > 0) {
      result = infinity();
    } else {
      result = Node::make(Kind::product, 0, Expr(-1), infinity(), Expr(1));
    }
    return true;
  }

  // Small products, which most are, need no memory of their own.
  std::array<std::byte, 1024> room_;
  std::pmr::monotonic_buffer_resource memory_{room_.data(), room_.size()};
  std::pmr::vector<Factor> entries_{&memory_};
  Expr coefficient_ = 1;
};

}  // namespace

Expr product_of(std::span<const Expr> operands) {
  ProductBuilder builder;
  for (const Expr& e : operands) builder.multiply(e);
  return builder.finish();
}

Expr multiply(std::span<const Expr> operands) {
  while (!operands.empty() && operands[0].is_integer(1)) operands = operands.subspan(1);
  if (operands.empty()) return 1;
  if (operands.size() == 1) return operands[0];
  if (operands.size() == 2) return operands[0] * operands[1];
  return product_of(operands);
}

Expr operator*(const Expr& a, const Expr& b) {
  if (a.is_integer(1)) return b;
  if (b.is_integer(1)) return a;
  if (a.is_number() && b.is_number()) return {a.number() * b.number()};
  if (Expr result; product_of_two(a, b, result)) return result;
  const Expr operands[] = {a, b};
  return product_of(operands);
}

Expr operator/(const Expr& a, const Expr& b) {
  if (b.is_number() && !b.number().is_zero()) {
    if (a.is_number()) return {a.number() / b.number()};
    return a * Expr(Number(1) / b.number());
  }
  return a * power(b, -1);
}

namespace {

// What is left of a product when operands go: a number, one power, or still a product.
Expr remaining(const Expr& coefficient, std::span<const Expr> before, std::span<const Expr> after) {
  const std::size_t n = before.size() + after.size();
  if (n == 0) return coefficient;
  if (n == 2 && coefficient.is_integer(1)) {
    const auto pair = before.empty() ? after : before;
    return pair[1].is_integer(1) ? pair[0] : Node::make(Kind::power, 0, pair[0], pair[1]);
  }
  std::array<std::byte, 256> room;
  std::pmr::monotonic_buffer_resource memory(room.data(), room.size());
  std::pmr::vector<Expr> operands(&memory);
  operands.reserve(1 + n);
  operands.push_back(coefficient);
  operands.insert(operands.end(), before.begin(), before.end());
  operands.insert(operands.end(), after.begin(), after.end());
  return Node::intern(Kind::product, 0, operands);
}

}  // namespace

Expr product_without(const Expr& product, std::size_t at) {
  const auto operands = product.operands();
  return remaining(operands[0], operands.subspan(1, at - 1), operands.subspan(at + 2));
}

Scaled split_coefficient(const Expr& e) {
  if (e.is_number()) return {e, 1};
  if (!e.is(Kind::product) || e.operands()[0].is_integer(1)) return {1, e};
  return {e.operands()[0], remaining(1, {}, e.operands().subspan(1))};
}

}  // namespace boreon
