// SPDX-License-Identifier: MIT
#include <cmath>

#include "boreon/catalogue.hpp"
#include "boreon/simplify.hpp"
#include "boreon/traverse.hpp"

namespace boreon {
namespace {

double number_cost(const Number& n) { return n.is_double() || n.is_integer() ? 0 : 1; }

bool is_negative_number(const Expr& e) { return e.is_number() && e.number().sign() < 0; }

// What base^exponent costs without a minus in the exponent, which shows as a division.
double power_cost(const Expr& exponent, double base, double exponent_cost) {
  if (exponent.is_integer(1) || exponent.is_integer(-1)) return base;
  if (exponent.is_number())
    return base + 1 + (exponent.number().abs() == Number(1, 2) ? 0 : number_cost(exponent.number()));
  return base + 1 + exponent_cost;
}

}  // namespace

double written_cost(const Expr& root) {
  NodeMap<double> costs;
  const auto of = [&](const Expr& e) -> double { return costs.at(e); };
  postorder(root, [&](const Expr& e) {
    double total = 0;
    switch (e.kind()) {
      case Kind::number: total = number_cost(e.number()); break;
      case Kind::constant:
      case Kind::symbol: break;
      case Kind::sum: {
        bool all_negative = true;
        double terms = 0;
        if (!e.operands()[0].is_integer(0)) {
          ++terms;
          total += number_cost(e.operands()[0].number());
          all_negative = is_negative_number(e.operands()[0]);
          if (all_negative && e.operands()[0].number().is_integer()) all_negative = false;  // -1 + ... is free
        }
        for (const auto [term, c] : Parts(e)) {
          ++terms;
          total += of(term);
          const Number a = c.number().abs();
          const bool quotient = term.is(Kind::product) || term.is(Kind::power);
          if (!a.is_one()) {
            // 3/4*x is a product of two numbers and x; where the term is a quotient already they merge into it
            bool reciprocal = false;
            if (quotient) {
              reciprocal = term.is(Kind::power) ? is_negative_number(term.operands()[1]) : [&term = term] {
                for (const auto [b, x] : Parts(term)) {
                  if (!is_negative_number(x)) return false;
                }
                return true;
              }();
            }
            const bool has_numerator = a.is_double() || !a.numerator().is_one();
            total += has_numerator ? (reciprocal ? 0 : 1) : 0;
            total += number_cost(a);
          }
          all_negative = all_negative && c.number().sign() < 0 && a.is_one();
        }
        total += terms - 1 + (all_negative ? 1 : 0);
        break;
      }
      case Kind::product: {
        double above = 0;
        double below = 0;
        const Number c = e.operands()[0].number();
        const Number a = c.abs();
        if (!a.is_one()) {
          if (a.is_double() || !a.numerator().is_one()) ++above;
          if (!a.is_double() && !a.is_integer()) ++below;
        }
        for (const auto [base, exponent] : Parts(e)) {
          const bool down = is_negative_number(exponent);
          (down ? below : above) += 1;
          total += power_cost(exponent, of(base), of(exponent));
        }
        total += std::max(above, 1.0) - 1 + below;
        if (c.sign() < 0 && (a.is_one() && above > 0)) total += 1;
        break;
      }
      case Kind::power: {
        const Expr& exponent = e.operands()[1];
        total = power_cost(exponent, of(e.operands()[0]), of(exponent)) + (is_negative_number(exponent) ? 1 : 0);
        break;
      }
      case Kind::logic:
        for (const Expr& o : e.operands()) total += of(o);
        total += e.logic_op() == LogicOp::negation ? 1 : static_cast<double>(e.operands().size()) - 1;
        break;
      case Kind::piecewise:
        for (const Expr& o : e.operands()) total += of(o);
        total += static_cast<double>(e.operands().size() / 2);
        break;
      default:
        for (const Expr& o : e.operands()) total += of(o);
        total += 1;
    }
    costs[e] = total;
  });
  return of(root);
}

}  // namespace boreon
