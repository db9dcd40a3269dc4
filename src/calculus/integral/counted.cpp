// SPDX-License-Identifier: MIT
#include "calculus/integral/counted.hpp"

#include <algorithm>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/functions.hpp"
#include "boreon/sums.hpp"
#include "boreon/text.hpp"
#include "calculus/integral/breaks.hpp"
#include "calculus/series/limit_engine.hpp"

namespace boreon {
namespace {

bool is_wave(const Expr& e) { return is_call_of(e, "sin") || is_call_of(e, "cos"); }

// Replaces the pieces of an integrand by n and (-1)^n, where n = floor(argument) of all of them.
class Counting {
 public:
  Counting(Integrator& in, const Symbol& x)
      : x_(x), number_(in.fresh({Assumption::integer})), sign_(in.fresh({Assumption::nonzero})) {}

  std::optional<CountedPieces> operator()(const Expr& f) {
    Rebuild pass(
        [&](const Expr& n, Expr& result) {
          if (depends_on(n, x_)) return false;
          result = n;
          return true;
        },
        [&](const Expr& n) { return replaced(n); });
    const Expr g = pass(f);
    if (!possible_ || !argument_ || has_piece(g)) return std::nullopt;
    Alternating parts = alternating(g, number_, sign_);
    if (depends_on(parts.even, sign_) || depends_on(parts.odd, sign_)) return std::nullopt;
    return CountedPieces{*argument_, number_, sign_, std::move(parts.even), std::move(parts.odd)};
  }

 private:
  Expr replaced(const Expr& n) {
    if (!n.is(Kind::call) || n.operands().size() > 2 || !depends_on(n, x_)) return n;
    const auto name = n.function().name;
    const Expr& u = n.operands()[0];
    if (name == "floor") return count(u);
    if (name == "ceil") return count(u) + 1;
    if (name == "round") return count(u + Expr(1) / 2);
    if ((name == "abs" || name == "sign" || name == "heaviside") && is_wave(u)) {
      const Expr& angle = u.operands()[0];
      count(angle / pi() + (is_call_of(u, "sin") ? Expr(0) : Expr(1) / 2));
      const Expr sign = alternates(shift_);
      if (name == "abs") return sign * u;
      return name == "sign" ? sign : (1 + sign) / 2;
    }
    if ((name == "min" || name == "max") && n.operands().size() == 2) {
      const auto terms = linear_terms((n.operands()[1] - u) / 2);
      if (terms.size() != 1 || !is_wave(terms[0].term)) return n;
      const Expr amount = abs(Expr(terms[0].coefficient)) * replaced(abs(terms[0].term));
      return (u + n.operands()[1]) / 2 + (name == "max" ? amount : -amount);
    }
    if (const auto fold = folded(n)) {
      const Expr k = count(fold->angle / pi() + (name == "acos" ? Expr(0) : Expr(1) / 2));
      const Expr sign = alternates(shift_);
      if (name == "atan") return fold->angle - k * pi();
      if (name == "asin") return sign * (fold->angle - k * pi());
      return sign * (fold->angle - k * pi()) + pi() * (1 - sign) / 2;
    }
    if ((name == "acos" && is_call_of(u, "sin")) || (name == "asin" && is_call_of(u, "cos"))) {
      const Expr other = name == "acos" ? asin(u) : acos(u);
      return pi() / 2 - replaced(other);
    }
    return n;
  }

  // floor(u) by the common number; the whole number between the two stays in shift_.
  Expr count(const Expr& u) {
    const auto l = linear_in(u, x_);
    if (!l || depends_on(u, number_)) return refuse(u);
    if (!argument_) {
      argument_ = u;
      shift_ = 0;
      return number_;
    }
    if (const auto k = whole(u - *argument_)) {
      shift_ = *k;
      return Expr(number_) + *k;
    }
    if (const auto k = whole(u + *argument_)) {  // floor(-u) = -floor(u) - 1 between the places
      shift_ = *k - 1;
      return *k - 1 - Expr(number_);
    }
    return refuse(u);
  }

  // (-1)^floor(u) for the u counted last
  Expr alternates(std::int64_t shift) const { return shift % 2 == 0 ? Expr(sign_) : -Expr(sign_); }

  static std::optional<std::int64_t> whole(const Expr& difference) {
    const Expr d = expand(difference);
    const auto k = d.word();
    return k ? std::optional<std::int64_t>(*k) : std::nullopt;
  }

  Expr refuse(const Expr& u) {
    possible_ = false;
    return u;
  }

  Symbol x_;
  Symbol number_;
  Symbol sign_;
  std::optional<Expr> argument_;
  std::int64_t shift_ = 0;
  bool possible_ = true;
};

// sin(m*pi*n + rest) = (-1)^(m*n) sin(rest), likewise cosines and powers of -1
Expr waves_carried_out(const Expr& e, const Symbol& n, const Symbol& sign) {
  Rebuild pass([](const Expr&, Expr&) { return false; },
               [&](const Expr& node) -> Expr {
                 if (!is_wave(node) || !depends_on(node, n)) return node;
                 const auto l = linear_in(node.operands()[0], n);
                 if (!l) return node;
                 const auto turns = expand(l->slope / pi()).word();
                 if (!turns) return node;
                 const Expr rest = is_call_of(node, "sin") ? sin(l->constant) : cos(l->constant);
                 return *turns % 2 == 0 ? rest : sign * rest;
               });
  return pass(e);
}

}  // namespace

Alternating alternating(const Expr& e, const Symbol& number, const Symbol& sign) {
  const Expr carried = waves_carried_out(e, number, sign);
  const Expr plus = substitute(carried, {{sign, 1}}, Unused::allowed);
  const Expr minus = substitute(carried, {{sign, -1}}, Unused::allowed);
  return {expand((plus + minus) / 2), expand((plus - minus) / 2)};
}

std::optional<CountedPieces> counted_pieces(Integrator& in, const Expr& f, const Symbol& x) {
  return Counting(in, x)(f);
}

std::optional<Expr> jumps_taken_back(Integrator& in, const Expr& even, const Expr& odd, const Symbol& number) {
  if (has_undefined(even) || has_undefined(odd)) return std::nullopt;
  const Symbol k = in.fresh({Assumption::integer});
  const Expr jump = substitute(even + odd * power(-1, number), {{number, k}}, Unused::allowed);
  if (jump.is_integer(0)) return Expr(0);
  if (!depends_on(jump, k)) return -jump * number;
  const SumResult total = sum_with_report(jump, k, 1, number, in.signs().conditions());
  if (!total.closed) return std::nullopt;
  return -total.value;
}

std::optional<Expr> joined_pieces(Integrator& in, const CountedPieces& p, const Expr& H, const Symbol& x) {
  const auto l = linear_in(p.argument, x);
  if (!l) return std::nullopt;
  const Expr place = (Expr(p.number) - l->constant) / l->slope;
  // H after the place less H before it, where the number is one less and the sign the other one
  const Expr after = substitute(H, {{x, place}}, Unused::allowed);
  const Expr before =
      substitute(H, {{x, place}, {p.number, Expr(p.number) - 1}, {p.sign, -Expr(p.sign)}}, Unused::allowed);
  const Alternating jump = alternating(after - before, p.number, p.sign);
  const auto taken_back = jumps_taken_back(in, jump.even, jump.odd, p.number);
  if (!taken_back) return std::nullopt;
  const Expr count = floor(p.argument);
  return substitute(H + *taken_back, {{p.number, count}, {p.sign, power(-1, count)}}, Unused::allowed);
}

std::optional<Expr> by_counted_pieces(Integrator& in, const Expr& f, const Symbol& x) {
  const auto pieces = counted_pieces(in, f, x);
  if (!pieces) return std::nullopt;
  const auto even = pieces->even.is_integer(0) ? std::optional<Expr>(0) : in(pieces->even, x);
  const auto odd = pieces->odd.is_integer(0) ? std::optional<Expr>(0) : in(pieces->odd, x);
  if (!even || !odd) return std::nullopt;
  const auto F = joined_pieces(in, *pieces, *even + pieces->sign * *odd, x);
  if (F) in.note("in pieces numbered by " + to_text(floor(pieces->argument)) + ", joined without jumps");
  return F;
}

}  // namespace boreon
