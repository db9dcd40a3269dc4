// SPDX-License-Identifier: MIT
// What follows from the assumptions of symbols. Sound and cheap: every rule looks only a few levels deep.
#include "boreon/catalogue.hpp"
#include "boreon/symbol.hpp"

namespace boreon {
namespace {

constexpr int max_depth = 6;
constexpr int max_visits = 200;

// Facts as a set of Assumption bits; no bit means "not known".
class Facts {
 public:
  std::uint16_t of(const Expr& e, int depth = 0) {
    if (depth > max_depth || ++visits_ > max_visits) return 0;
    switch (e.kind()) {
      case Kind::number: return of_number(e.number());
      case Kind::constant:
        if (e.is_constant(ConstantCode::pi) || e.is_constant(ConstantCode::egamma)) return set(Assumption::positive);
        if (e.is_constant(ConstantCode::infinity)) return set(Assumption::positive);
        if (e.is_constant(ConstantCode::imaginary)) return static_cast<std::uint16_t>(Assumption::nonzero);
        return 0;
      case Kind::symbol: return assumptions_of(e).bits();
      case Kind::sum: return of_sum(e, depth);
      case Kind::product: return of_product(e, depth);
      case Kind::power: return of_power(e.operands()[0], e.operands()[1], depth);
      case Kind::call: {
        const FunctionRow& row = e.function();
        std::uint16_t arguments = 0xffff;
        for (const Expr& a : e.operands()) arguments &= of(a, depth + 1);
        return row.facts != nullptr ? close(row.facts(arguments)) : std::uint16_t{0};
      }
      case Kind::unknown_call: return set(Assumption::real);
      case Kind::element: return of(e.operands()[0], depth + 1);
      case Kind::piecewise: {
        if (e.operands().size() % 2 == 0) return 0;
        std::uint16_t all = of(e.operands().back(), depth + 1);
        for (std::size_t i = 0; i + 1 < e.operands().size(); i += 2) all &= of(e.operands()[i], depth + 1);
        return all;
      }
      default: return 0;
    }
  }

  static std::uint16_t set(Assumption a) { return Assumptions({a}).bits(); }

 private:
  static bool has(std::uint16_t facts, Assumption a) { return (facts & static_cast<std::uint16_t>(a)) != 0; }

  static std::uint16_t close(std::uint16_t bits) {
    std::uint16_t all = bits;
    for (std::uint16_t b = 1; b != 0 && b <= 64; b = static_cast<std::uint16_t>(b << 1U)) {
      if ((bits & b) != 0) {
        const Assumptions one({static_cast<Assumption>(b)});
        // `nonzero` alone does not make a number real
        all = static_cast<std::uint16_t>(all | (b == 16 ? 16 : one.bits()));
      }
    }
    return all;
  }

  static std::uint16_t of_number(const Number& n) {
    std::uint16_t facts = set(n.sign() > 0   ? Assumption::positive
                              : n.sign() < 0 ? Assumption::negative
                                             : Assumption::nonnegative);
    if (n.is_zero()) facts |= set(Assumption::nonpositive);
    if (n.is_integer()) facts |= set(Assumption::integer);
    return facts;
  }

  static std::uint16_t product_of(std::uint16_t a, std::uint16_t b) {
    std::uint16_t r = 0;
    const auto both = [&](Assumption x) { return has(a, x) && has(b, x); };
    for (const Assumption x : {Assumption::real, Assumption::integer, Assumption::nonzero}) {
      if (both(x)) r |= static_cast<std::uint16_t>(x);
    }
    if (both(Assumption::nonnegative) || both(Assumption::nonpositive))
      r |= static_cast<std::uint16_t>(Assumption::nonnegative);
    if ((has(a, Assumption::nonnegative) && has(b, Assumption::nonpositive)) ||
        (has(a, Assumption::nonpositive) && has(b, Assumption::nonnegative))) {
      r |= static_cast<std::uint16_t>(Assumption::nonpositive);
    }
    if (has(r, Assumption::nonzero)) {
      if (has(r, Assumption::nonnegative)) r |= static_cast<std::uint16_t>(Assumption::positive);
      if (has(r, Assumption::nonpositive)) r |= static_cast<std::uint16_t>(Assumption::negative);
    }
    return close(r);
  }

  std::uint16_t of_product(const Expr& e, int depth) {
    std::uint16_t facts = of_number(e.operands()[0].number());
    for (const auto [base, exponent] : Parts(e)) {
      facts = product_of(facts, of_power(base, exponent, depth));
      if (facts == 0) return 0;
    }
    return facts;
  }

  std::uint16_t of_power(const Expr& base, const Expr& exponent, int depth) {
    const std::uint16_t b = of(base, depth + 1);
    if (exponent.is_integer(1)) return b;
    const std::uint16_t x = of(exponent, depth + 1);
    if (has(b, Assumption::positive) && has(x, Assumption::real)) {
      std::uint16_t r = set(Assumption::positive);
      if (has(b, Assumption::integer) && has(x, Assumption::integer) && has(x, Assumption::nonnegative))
        r |= set(Assumption::integer);
      return r;
    }
    if (has(b, Assumption::nonnegative) && has(x, Assumption::positive)) return set(Assumption::nonnegative);
    if (has(x, Assumption::integer)) {
      std::uint16_t r = 0;
      const bool defined = has(b, Assumption::nonzero) || has(x, Assumption::nonnegative);
      if (has(b, Assumption::real) && defined) r |= static_cast<std::uint16_t>(Assumption::real);
      if (has(b, Assumption::nonzero)) r |= static_cast<std::uint16_t>(Assumption::nonzero);
      if (has(b, Assumption::integer) && has(x, Assumption::nonnegative))
        r |= static_cast<std::uint16_t>(Assumption::integer);
      if (const auto n = exponent.word(); n && has(b, Assumption::real)) {
        if (*n % 2 == 0) {
          if (defined) r |= set(Assumption::nonnegative);
          if (has(b, Assumption::nonzero)) r |= set(Assumption::positive);
        } else if (has(b, Assumption::negative)) {
          r |= set(Assumption::negative);
        } else if (has(b, Assumption::nonpositive) && *n > 0) {
          r |= set(Assumption::nonpositive);
        }
      }
      return close(r);
    }
    return has(b, Assumption::nonzero) ? static_cast<std::uint16_t>(Assumption::nonzero) : std::uint16_t{0};
  }

  std::uint16_t of_sum(const Expr& e, int depth) {
    if (e.operands().size() > 65) return 0;
    bool any_positive = false;
    bool any_negative = false;
    std::uint16_t common =
        static_cast<std::uint16_t>(Assumption::real) | static_cast<std::uint16_t>(Assumption::integer) |
        static_cast<std::uint16_t>(Assumption::nonnegative) | static_cast<std::uint16_t>(Assumption::nonpositive);
    const auto take = [&](std::uint16_t f) {
      common &= f;
      any_positive = any_positive || has(f, Assumption::positive);
      any_negative = any_negative || has(f, Assumption::negative);
    };
    take(of_number(e.operands()[0].number()));
    for (const auto [term, c] : Parts(e)) {
      take(product_of(of_number(c.number()), of(term, depth + 1)));
      if (common == 0) return 0;
    }
    if (has(common, Assumption::nonnegative) && any_positive) common |= set(Assumption::positive);
    if (has(common, Assumption::nonpositive) && any_negative) common |= set(Assumption::negative);
    return close(common);
  }

  int visits_ = 0;
};

bool known(const Expr& e, Assumption a) { return (Facts().of(e) & static_cast<std::uint16_t>(a)) != 0; }

}  // namespace

bool is_real(const Expr& e) { return known(e, Assumption::real); }
bool is_integer(const Expr& e) { return known(e, Assumption::integer); }
bool is_positive(const Expr& e) { return known(e, Assumption::positive); }
bool is_negative(const Expr& e) { return known(e, Assumption::negative); }
bool is_nonnegative(const Expr& e) { return known(e, Assumption::nonnegative); }
bool is_nonzero(const Expr& e) { return known(e, Assumption::nonzero); }

}  // namespace boreon
