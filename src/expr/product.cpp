// Canonical products: a number times {base: exponent}, ordered by content hash.
#include <algorithm>
#include <vector>

#include "boreon/catalogue.hpp"
#include "boreon/symbol.hpp"
#include "expr/canonical.hpp"
#include "expr/node.hpp"

namespace boreon {
namespace {

struct Entry {
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
    for (const Entry& e : entries_) {
      if (e.base.is_constant(ConstantCode::undefined)) return undefined();
    }
    if (coefficient_.is_number() && coefficient_.number().is_zero()) {
      for (const Entry& e : entries_) {
        if (e.base.is_constant(ConstantCode::infinity)) return undefined();
      }
      return 0;
    }
    if (entries_.empty()) return coefficient_;
    drop_unit();
    if (Expr special; infinite(special)) return special;
    if (coefficient_.is_integer(1) && entries_.size() == 1) {
      const Entry& e = entries_.front();
      return e.exponent.is_integer(1) ? e.base : Node::make(Kind::power, 0, e.base, e.exponent);
    }
    std::vector<Expr> operands;
    operands.reserve(1 + 2 * entries_.size());
    operands.push_back(coefficient_);
    for (Entry& e : entries_) {
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
    if (!entries_.empty() && !Node::is_small(coefficient_) && coefficient_.number().is_double() && coefficient_.number().to_double() == 1) coefficient_ = 1;
  }

  bool merge() {
    std::sort(entries_.begin(), entries_.end(), [](const Entry& a, const Entry& b) { return order(a.base, b.base) < 0; });
    std::vector<Entry> merged;
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
        const bool plain = exponent.is_integer(1) ? !base.is(Kind::product) && !base.is(Kind::power) && !base.is_number()
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
  static bool is_exponential(const Entry& e) { return e.exponent.is_integer(1) && e.base.is(Kind::call) && &e.base.function() == &exponential(); }

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
    for (const Entry& e : entries_) count += is_exponential(e) ? 1U : 0U;
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
    std::vector<Entry> kept;
    for (std::size_t i = 0; i < entries_.size(); ++i) {
      if (gone[i] == 0) kept.push_back(std::move(entries_[i]));
    }
    entries_ = std::move(kept);
    for (const Expr& e : joined) multiply(e);
  }

  // sqrt(2)*sqrt(3) = sqrt(6): roots of positive whole numbers with one exponent are one root. Each round removes one.
  bool join_radicals() {
    const auto radical = [](const Entry& e) {
      return e.base.is_number() && e.base.number().is_exact() && e.base.number().sign() > 0 && e.exponent.is_number() && e.exponent.number().is_exact() && !e.exponent.number().is_integer();
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
    const auto whole = [](const Entry& e) { return e.exponent.is_integer(1) && as_gaussian(e.base).has_value(); };
    if (std::count_if(entries_.begin(), entries_.end(), whole) < 2) return;
    Gaussian all{1, 0};
    for (const Entry& e : entries_) {
      if (whole(e)) all = all * *as_gaussian(e.base);
    }
    std::erase_if(entries_, whole);
    multiply(all.expression());
  }

  // infinity times numbers and things of known sign
  bool infinite(Expr& result) const {
    const bool any = std::any_of(entries_.begin(), entries_.end(), [](const Entry& e) { return e.base.is_constant(ConstantCode::infinity); });
    if (!any) return false;
    int sign = coefficient_.number().sign();
    for (const Entry& e : entries_) {
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

  std::vector<Entry> entries_;
  Expr coefficient_ = 1;
};

}  // namespace

namespace {

// A factor that no rule of products takes apart or joins with a different factor.
bool plain_factor(const Expr& e) {
  switch (e.kind()) {
    case Kind::sum: return !as_gaussian(e);
    case Kind::symbol:
    case Kind::unknown_call:
    case Kind::piecewise: return true;
    case Kind::call: return e.function().power_rule == nullptr;
    default: return false;
  }
}

// The common products of two operands without the builder: a number times something, two different plain factors.
bool quick_product(const Expr& a, const Expr& b, Expr& result) {
  const Expr& c = b.is_number() ? b : a;
  const Expr& x = b.is_number() ? a : b;
  if (c.is_number()) {
    if (x.is_number() || c.is_integer(0) || x.is(Kind::constant) || c.number().is_double()) return false;
    if (x.is(Kind::product)) {
      const Number scaled = c.number() * x.operands()[0].number();
      if (scaled.is_one() || scaled.is_double() || is_infinite(x)) return false;
      std::vector<Expr> operands(x.operands().begin(), x.operands().end());
      operands[0] = scaled;
      result = Node::intern(Kind::product, 0, operands);
    } else if (x.is(Kind::power)) {
      if (x.operands()[0].is_number()) return false;
      result = Node::make(Kind::product, 0, c, x.operands()[0], x.operands()[1]);
    } else {
      result = Node::make(Kind::product, 0, c, x, 1);
    }
    return true;
  }
  if (a == b || !plain_factor(a) || !plain_factor(b)) return false;
  result = order(a, b) < 0 ? Node::make(Kind::product, 0, 1, a, 1, b, 1) : Node::make(Kind::product, 0, 1, b, 1, a, 1);
  return true;
}

}  // namespace

Expr multiply(std::span<const Expr> operands) {
  while (!operands.empty() && operands[0].is_integer(1)) operands = operands.subspan(1);
  if (operands.empty()) return 1;
  if (operands.size() == 1) return operands[0];
  if (operands.size() == 2) return operands[0] * operands[1];
  ProductBuilder builder;
  for (const Expr& e : operands) builder.multiply(e);
  return builder.finish();
}

Expr operator*(const Expr& a, const Expr& b) {
  if (a.is_integer(1)) return b;
  if (b.is_integer(1)) return a;
  if (a.is_number() && b.is_number()) return {a.number() * b.number()};
  if (Expr result; quick_product(a, b, result)) return result;
  ProductBuilder builder;
  builder.multiply(a);
  builder.multiply(b);
  return builder.finish();
}

Expr operator/(const Expr& a, const Expr& b) {
  if (a.is_number() && b.is_number() && !b.number().is_zero()) return {a.number() / b.number()};
  return a * power(b, -1);
}

Scaled split_coefficient(const Expr& e) {
  if (e.is_number()) return {e, 1};
  if (!e.is(Kind::product) || e.operands()[0].is_integer(1)) return {1, e};
  const auto operands = e.operands();
  if (operands.size() == 3) {
    Expr rest = operands[2].is_integer(1) ? operands[1] : Node::make(Kind::power, 0, operands[1], operands[2]);
    return {operands[0], std::move(rest)};
  }
  std::vector<Expr> rest(operands.begin(), operands.end());
  rest[0] = 1;
  return {operands[0], Node::intern(Kind::product, 0, rest)};
}

}  // namespace boreon
