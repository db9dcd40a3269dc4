// SPDX-License-Identifier: MIT
// Two-dimensional Unicode output.
#include <fmt/format.h>

#include <algorithm>

#include "boreon/catalogue.hpp"
#include "boreon/matrix.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "expr/numeric_rows.hpp"
#include "text/box.hpp"
#include "text/display.hpp"
#include "text/letters.hpp"
#include "text/linear.hpp"

namespace boreon {
namespace {

constexpr std::uint64_t max_nodes = 2000;
constexpr int max_depth = 100;

std::string number_line(const Number& n, bool coefficient) {
  std::string text = decimal_form(n, coefficient);
  if (text.empty()) text = n.to_string();
  const std::size_t e = text.find('e');
  if (e == std::string::npos) return text;
  static constexpr const char* raised[] = {"⁰", "¹", "²", "³", "⁴", "⁵", "⁶", "⁷", "⁸", "⁹"};
  std::string power;
  for (const char c : text.substr(e + 1)) power += c == '-' ? "⁻" : c == '+' ? "" : raised[c - '0'];
  return text.substr(0, e) + "·10" + power;
}

// Recursion is safe here: expressions beyond max_nodes never come this far, and deep parts fall back to one line.
class BoxWriter {
 public:
  explicit BoxWriter(const PrintOptions& options) : options_(options) {}

  Box write(const Expr& e, Tightness context, int depth = 0) const {
    if (depth > max_depth) return Box(to_text(e));
    switch (e.kind()) {
      case Kind::number: return number_of(e, context);
      case Kind::constant: return Box(constant_text(e.constant_code()));
      case Kind::symbol: return Box(unicode_name(e.name()));
      case Kind::sum: return grouped(sum(e, depth), Tightness::sum, context);
      case Kind::product:
      case Kind::power: return power_of(e, context, depth);
      case Kind::call: return call_box(e, depth);
      case Kind::unknown_call: return unknown_call_of(e, depth);
      case Kind::relation: {
        static constexpr const char* ops[] = {" < ", " ≤ ", " = ", " ≠ "};
        return Box::row({write(e.operands()[0], Tightness::sum, depth + 1),
                         Box(ops[static_cast<std::size_t>(e.relation_op())]),
                         write(e.operands()[1], Tightness::sum, depth + 1)});
      }
      case Kind::logic: return logic_of(e, depth);
      case Kind::piecewise: return piecewise_of(e, depth);
      case Kind::derivative: return derivative_of(e, depth);
      case Kind::integral: return integral_of(e, context, depth);
      case Kind::root: return root_of(e, depth);
      case Kind::element: return element_of(e, depth);
      case Kind::reduction: return reduction_of(e, context, depth);
      case Kind::limit: return limit_of(e, context, depth);
    }
    return Box(to_text(e));
  }

 private:
  Box number_of(const Expr& e, Tightness context) const {
    const Number n = e.number();
    if (n.is_exact() && !n.is_integer() && decimal_form(n, false).empty()) {
      const Box f = Box::fraction(Box(n.abs().numerator().to_string()), Box(n.denominator().to_string()));
      if (n.sign() > 0) return context > Tightness::unary ? Box::bracketed(f, '(', ')') : f;
      return grouped(Box::row({Box("-"), f}), Tightness::unary, context);
    }
    return grouped(Box(number_line(n, false)), n.sign() < 0 ? Tightness::unary : Tightness::atom, context);
  }

  Box power_of(const Expr& e, Tightness context, int depth) const {
    const Number c = e.is(Kind::product) ? e.operands()[0].number() : Number(1);
    const DisplayProduct d = display_product(c.abs(), &e, options_.order.get());
    const bool lone = c.is_one() && d.lone_power();
    Tightness own = c.sign() < 0 ? Tightness::unary : Tightness::product;
    if (lone) own = is_half(d.numerator[0].exponent) ? Tightness::atom : Tightness::power_base;
    Box b = product(d, depth);
    if (c.sign() < 0) b = Box::row({Box("-"), b});
    return grouped(b, own, context);
  }

  Box unknown_call_of(const Expr& e, int depth) const {
    const auto operands = e.operands();
    std::string head = unicode_name(e.name());
    if (operands.size() == 3) {
      const std::string primes(static_cast<std::size_t>(std::min<std::int64_t>(operands[2].word().value_or(0), 20)),
                               '\'');
      head.insert(std::min(head.find('['), head.size()), primes);
      if (hides_argument(e, options_)) return Box(head);
      return Box::row({Box(head), Box::bracketed(write(operands[1], Tightness::condition, depth + 1), '(', ')')});
    }
    std::vector<Box> arguments;
    std::string orders;
    bool derived = false;
    for (std::size_t i = 1; i < operands.size(); i += 2) {
      if (!arguments.empty()) arguments.emplace_back(", ");
      arguments.push_back(write(operands[i], Tightness::condition, depth + 1));
      orders += (orders.empty() ? "" : ",") + to_text(operands[i + 1]);
      derived = derived || !operands[i + 1].is_integer(0);
    }
    const Box name = derived ? Box::power(Box(head), Box("(" + orders + ")")) : Box(head);
    return Box::row({name, Box::bracketed(Box::row(arguments), '(', ')')});
  }

  Box logic_of(const Expr& e, int depth) const {
    if (e.logic_op() == LogicOp::negation)
      return Box::row({Box("not "), write(e.operands()[0], Tightness::atom, depth + 1)});
    std::vector<Box> parts;
    for (const Expr& part : e.operands()) {
      if (!parts.empty()) parts.emplace_back(e.logic_op() == LogicOp::conjunction ? " and " : " or ");
      const Box b = write(part, Tightness::condition, depth + 1);
      parts.push_back(part.is(Kind::logic) ? Box::bracketed(b, '(', ')') : b);
    }
    return Box::row(parts);
  }

  Box piecewise_of(const Expr& e, int depth) const {
    std::vector<std::vector<Box>> rows;
    for (std::size_t i = 0; i < e.operands().size(); i += 2) {
      std::vector<Box> line{write(e.operands()[i], Tightness::condition, depth + 1)};
      line.push_back(i + 1 < e.operands().size()
                         ? Box::row({Box("if "), write(e.operands()[i + 1], Tightness::condition, depth + 1)})
                         : Box("otherwise"));
      rows.push_back(std::move(line));
    }
    return Box::bracketed(Box::grid(rows, true), '{', '.');
  }

  Box derivative_of(const Expr& e, int depth) const {
    const auto raised = [](const std::string& base, const Number& n) {
      return n.is_one() ? Box(base) : Box::power(Box(base), Box(n.to_string()));
    };
    const Differentials d = differentials(e);
    std::vector<Box> below;
    for (const auto& [symbol, n] : d.by) {
      if (!below.empty()) below.emplace_back(" ");
      below.push_back(raised("∂" + unicode_name(symbol->name()), n));
    }
    const Box f = Box::fraction(raised("∂", d.total), Box::row(below));
    return Box::row({f, Box(" "), write(e.operands()[0], Tightness::unary, depth + 1)});
  }

  Box integral_of(const Expr& e, Tightness context, int depth) const {
    Box sign({"⌠", "⎮", "⌡"}, 1);
    if (e.operands().size() == 4) {
      sign = Box::stack({write(e.operands()[3], Tightness::condition, depth + 1), sign,
                         write(e.operands()[2], Tightness::condition, depth + 1)},
                        1);
    }
    return grouped(Box::row({sign, Box(" "), write(e.operands()[0], Tightness::product, depth + 1),
                             Box(" d" + unicode_name(e.operands()[1].name()))}),
                   Tightness::product, context);
  }

  Box root_of(const Expr& e, int depth) const {
    const Box x(unicode_name(e.operands()[1].name()));
    const Box range = Box::row({x, Box(" ∈ ["), write(e.operands()[2], Tightness::condition, depth + 1), Box(", "),
                                write(e.operands()[3], Tightness::condition, depth + 1), Box("]: ")});
    return Box::bracketed(Box::row({range, write(e.operands()[0], Tightness::sum, depth + 1), Box(" = 0")}), '{', '}');
  }

  Box element_of(const Expr& e, int depth) const {
    const Expr& head = e.operands()[0];
    const bool call = head.is(Kind::unknown_call);
    std::string name = unicode_name(head.name());
    if (call) name += std::string(static_cast<std::size_t>(head.operands()[2].word().value_or(0)), '\'');
    std::vector<Box> parts{Box(name + "[")};
    for (std::size_t i = 1; i < e.operands().size(); ++i) {
      if (i > 1) parts.emplace_back(", ");
      parts.push_back(write(e.operands()[i], Tightness::condition, depth + 1));
    }
    parts.emplace_back("]");
    if (call && !hides_argument(head, options_))
      parts.push_back(Box::bracketed(write(head.operands()[1], Tightness::condition, depth + 1), '(', ')'));
    return Box::row(parts);
  }

  Box reduction_of(const Expr& e, Tightness context, int depth) const {
    const Box from = Box::row(
        {Box(unicode_name(e.operands()[1].name()) + " = "), write(e.operands()[2], Tightness::condition, depth + 1)});
    const ReductionOp op = e.reduction_op();
    const Box to = write(e.operands()[3], Tightness::condition, depth + 1);
    if (op == ReductionOp::minimum || op == ReductionOp::maximum) {
      const Box range = Box::row({from, Box(" .. "), to});
      return grouped(Box::row({Box::stack({Box(op == ReductionOp::minimum ? "min" : "max"), range}, 0), Box(" "),
                               write(e.operands()[0], Tightness::product, depth + 1)}),
                     Tightness::product, context);
    }
    const Box big = op == ReductionOp::sum ? Box({"⎲", "⎳"}, 1) : Box({"┬─┬", "│ │"}, 1);
    const Box sign = Box::stack({to, big, from}, 1);
    return grouped(Box::row({sign, Box(" "), write(e.operands()[0], Tightness::product, depth + 1)}),
                   Tightness::product, context);
  }

  Box limit_of(const Expr& e, Tightness context, int depth) const {
    const char* side = e.limit_side() == LimitSide::both ? "" : e.limit_side() == LimitSide::above ? "⁺" : "⁻";
    const Box below = Box::row({Box(unicode_name(e.operands()[1].name()) + " → "),
                                write(e.operands()[2], Tightness::atom, depth + 1), Box(side)});
    return grouped(
        Box::row({Box::stack({Box("lim"), below}, 0), Box(" "), write(e.operands()[0], Tightness::product, depth + 1)}),
        Tightness::product, context);
  }

  static Box grouped(const Box& b, Tightness own, Tightness context) {
    return own < context ? Box::bracketed(b, '(', ')') : b;
  }

  static std::string constant_text(ConstantCode code) {
    switch (code) {
      case ConstantCode::pi: return "π";
      case ConstantCode::egamma: return "γ";
      case ConstantCode::imaginary: return "i";
      case ConstantCode::infinity: return "∞";
      case ConstantCode::undefined: return "undefined";
      case ConstantCode::true_value: return "true";
      case ConstantCode::false_value: return "false";
    }
    return {};
  }

  Box sum(const Expr& e, int depth) const {
    std::vector<Box> parts;
    for (const DisplayTerm& t : display_terms(e, options_.order.get())) {
      parts.emplace_back(t.negative ? (parts.empty() ? "-" : " - ") : parts.empty() ? "" : " + ");
      parts.push_back(product(display_product(t.coefficient, t.term, options_.order.get()), depth));
    }
    return Box::row(parts);
  }

  Box factor(const DisplayFactor& f, bool alone, int depth) const {
    if (is_half(f.exponent)) return Box::root(write(*f.base, Tightness::condition, depth + 1), "");
    if (f.exponent.is_integer(1)) return write(*f.base, alone ? Tightness::condition : Tightness::unary, depth + 1);
    return Box::power(write(*f.base, Tightness::atom, depth + 1), write(f.exponent, Tightness::condition, depth + 1));
  }

  Box factors(const Number& number, bool imaginary, const std::vector<DisplayFactor>& list, int depth) const {
    std::vector<Box> parts;
    const bool alone = list.size() == 1 && number.is_one() && !imaginary;
    if (!number.is_one() || (list.empty() && !imaginary)) parts.emplace_back(number_line(number, true));
    if (imaginary) parts.emplace_back("i");
    for (const DisplayFactor& f : list) {
      if (!parts.empty()) parts.emplace_back("·");
      parts.push_back(factor(f, alone, depth));
    }
    return Box::row(parts);
  }

  Box product(const DisplayProduct& d, int depth) const {
    const Number top = d.number_above();
    const Number bottom = d.number_below();
    if (const Expr* one = d.alone()) return write(*one, Tightness::product, depth + 1);
    if (d.denominator.empty() && bottom.is_one()) return factors(top, d.imaginary, d.numerator, depth);
    return Box::fraction(factors(top, d.imaginary, d.numerator, depth), factors(bottom, false, d.denominator, depth));
  }

  Box call_box(const Expr& e, int depth) const {
    const FunctionRow& row = e.function();
    if (row.name == "abs") return Box::bracketed(write(e.operands()[0], Tightness::condition, depth + 1), '|', '|');
    if (row.name == "exp") {
      return Box::power(Box("e"), write(e.operands()[0], Tightness::condition, depth + 1));
    }
    std::vector<Box> inside;
    for (const Expr& a : e.operands()) {
      if (!inside.empty()) inside.emplace_back(", ");
      inside.push_back(write(a, Tightness::condition, depth + 1));
    }
    return Box::row(
        {Box(std::string(row.unicode.empty() ? row.name : row.unicode)), Box::bracketed(Box::row(inside), '(', ')')});
  }

  const PrintOptions& options_;
};

Box box_of(const Expr& expression, const PrintOptions& options) {
  const Expr e = with_unknown_calls(expression);
  if (tree_size(e) > max_nodes) return Box(to_text(e, {4000, options.independent}));
  return BoxWriter(options).write(e, Tightness::condition);
}

}  // namespace

std::string to_unicode(const Expr& expression, const PrintOptions& options) {
  return box_of(expression, options).to_string();
}

std::string to_unicode(const Equation& e, const PrintOptions& options) {
  return Box::row({box_of(e.lhs, options), Box(" = "), box_of(e.rhs, options)}).to_string();
}

std::string to_unicode(const Matrix& m) {
  std::vector<std::vector<Box>> rows(static_cast<std::size_t>(m.rows()));
  for (Eigen::Index i = 0; i < m.rows(); ++i) {
    for (Eigen::Index j = 0; j < m.cols(); ++j) rows[static_cast<std::size_t>(i)].push_back(box_of(m(i, j), {}));
  }
  return Box::bracketed(Box::grid(rows, false), '[', ']').to_string();
}

}  // namespace boreon
