// SPDX-License-Identifier: MIT
// Plain text that reads back to the identical expression.
#include <fmt/format.h>

#include <ostream>
#include <set>

#include "boreon/catalogue.hpp"
#include "boreon/matrix.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "expr/numeric_rows.hpp"
#include "text/display.hpp"
#include "text/linear.hpp"

namespace boreon {
namespace {

using Pieces = std::vector<Piece>;

std::string number_text(const Number& n) {
  if (!n.is_double()) return n.to_string();
  return n.sign() < 0 ? fmt::format("-double({})", n.abs().to_string()) : fmt::format("double({})", n.to_string());
}

class PlainWriter {
 public:
  PlainWriter(const Expr& root, const PrintOptions& options) : options_(options) {
    if (!root.has_symbols() || !options.independent.empty()) return;
    postorder(root, [&](const Expr& e) {
      if (e.is(Kind::unknown_call)) heads_.insert(e.name());
    });
  }

  void operator()(const Expr& e, Tightness context, Pieces& out) const {
    switch (e.kind()) {
      case Kind::number: {
        const Number n = e.number();
        const std::string decimal = decimal_form(n, false);
        const bool fraction = n.is_exact() && !n.is_integer() && decimal.empty();
        const Tightness own = n.sign() < 0 ? Tightness::unary : fraction ? Tightness::product : Tightness::atom;
        return wrapped(own, context, out, [&] { out.emplace_back(decimal.empty() ? number_text(n) : decimal); });
      }
      case Kind::constant: out.emplace_back(constant_text(e.constant_code())); return;
      case Kind::symbol:
        out.emplace_back(!e.name().ends_with(']') && (symbol_needs_quotes(e.name()) || heads_.contains(e.name()))
                             ? "`" + e.name() + "`"
                             : e.name());
        return;
      case Kind::sum: return wrapped(Tightness::sum, context, out, [&] { write_sum(e, out); });
      case Kind::product:
      case Kind::power: {
        const Expr* node = &e;
        Number c = 1;
        if (e.is(Kind::product)) c = e.operands()[0].number();
        const DisplayProduct d = display_product(c.abs(), node, options_.order.get());
        const bool lone_power = c.is_one() && d.lone_power();
        Tightness own = c.sign() < 0 ? Tightness::unary : Tightness::product;
        if (lone_power) own = is_half(d.numerator[0].exponent) ? Tightness::atom : Tightness::power_base;
        if (d.imaginary && d.numerator.empty() && d.denominator.empty() && c.sign() > 0 && c.is_integer())
          own = Tightness::atom;
        // A product that stands as a factor keeps its own node, so it needs its parentheses.
        const bool group = own == Tightness::product && context == Tightness::product;
        return wrapped(group ? Tightness::sum : own, context, out, [&] {
          if (c.sign() < 0) out.emplace_back("-");
          write_product(d, out);
        });
      }
      case Kind::call: out.emplace_back(std::string(e.function().name)); return arguments(e.operands(), 1, out);
      case Kind::unknown_call: return write_unknown(e, out);
      case Kind::relation: return wrapped(Tightness::relation, context, out, [&] { write_relation(e, out); });
      case Kind::logic:
        return wrapped(e.logic_op() == LogicOp::negation ? Tightness::relation : Tightness::condition, context, out,
                       [&] { write_logic(e, out); });
      case Kind::piecewise: return write_piecewise(e, out);
      case Kind::derivative:
        out.emplace_back("derivative(");
        out.emplace_back(e.operands()[0], Tightness::condition);
        for (std::size_t i = 1; i < e.operands().size(); i += 2) {
          out.emplace_back(", ");
          out.emplace_back(e.operands()[i], Tightness::atom);
          if (!e.operands()[i + 1].is_integer(1))
            out.emplace_back(fmt::format(", {}", e.operands()[i + 1].number().to_string()));
        }
        out.emplace_back(")");
        return;
      case Kind::integral: return range("integral(", e, out);
      case Kind::root: return range("root(", e, out);
      case Kind::reduction: {
        static constexpr const char* words[] = {"sum(", "product(", "min(", "max("};
        return range(words[static_cast<std::size_t>(e.reduction_op())], e, out);
      }
      case Kind::element: return write_element(e, out);
      case Kind::limit:
        out.emplace_back("limit(");
        out.emplace_back(e.operands()[0], Tightness::condition);
        out.emplace_back(", ");
        out.emplace_back(e.operands()[1], Tightness::atom);
        out.emplace_back(" to ");
        out.emplace_back(e.operands()[2], Tightness::sum);
        if (e.limit_side() != LimitSide::both)
          out.emplace_back(e.limit_side() == LimitSide::above ? " from above" : " from below");
        out.emplace_back(")");
        return;
    }
  }

 private:
  template <class F>
  static void wrapped(Tightness own, Tightness context, Pieces& out, F write) {
    const bool parentheses = own < context;
    if (parentheses) out.emplace_back("(");
    write();
    if (parentheses) out.emplace_back(")");
  }

  static const char* constant_text(ConstantCode code) {
    switch (code) {
      case ConstantCode::pi: return "pi";
      case ConstantCode::egamma: return "egamma";
      case ConstantCode::imaginary: return "1i";
      case ConstantCode::infinity: return "infinity";
      case ConstantCode::undefined: return "undefined";
      case ConstantCode::true_value: return "true";
      case ConstantCode::false_value: return "false";
    }
    return "";
  }

  void write_sum(const Expr& e, Pieces& out) const {
    bool first = true;
    for (const DisplayTerm& t : display_terms(e, options_.order.get())) {
      if (first) {
        if (t.negative) out.emplace_back("-");
      } else {
        out.emplace_back(t.negative ? " - " : " + ");
      }
      first = false;
      if (t.term == nullptr) {
        const std::string decimal = decimal_form(t.coefficient, false);
        out.emplace_back(decimal.empty() ? number_text(t.coefficient) : decimal);
      } else if (t.coefficient.is_one() && !t.term->is(Kind::product) && !t.term->is(Kind::power)) {
        out.emplace_back(*t.term, Tightness::product);
      } else {
        write_product(display_product(t.coefficient, t.term, options_.order.get()), out);
      }
    }
  }

  static void write_factor(const DisplayFactor& f, Pieces& out) {
    if (is_half(f.exponent)) {
      out.emplace_back("sqrt(");
      out.emplace_back(*f.base, Tightness::condition);
      out.emplace_back(")");
      return;
    }
    if (f.exponent.is_integer(1)) {
      // A factor that is itself a product or power came in as its own node.
      out.emplace_back(*f.base, f.base->is(Kind::product) ? Tightness::atom : Tightness::product);
      if (f.base->is(Kind::sum)) out.back().context = Tightness::unary;
      return;
    }
    out.emplace_back(*f.base, Tightness::atom);
    out.emplace_back("^");
    out.emplace_back(f.exponent, Tightness::atom);
  }

  static void write_product(const DisplayProduct& d, Pieces& out) {
    bool first = true;
    const auto star = [&] {
      if (!first) out.emplace_back("*");
      first = false;
    };
    const std::string decimal = decimal_form(d.coefficient, true);
    const Number top = d.number_above();
    const Number bottom = d.number_below();
    if (!top.is_one() || d.imaginary || d.numerator.empty()) {
      star();
      out.emplace_back((decimal.empty() ? number_text(top) : decimal) + (d.imaginary ? "i" : ""));
    }
    for (const DisplayFactor& f : d.numerator) {
      star();
      write_factor(f, out);
    }
    const std::size_t below = d.denominator.size() + (bottom.is_one() ? 0 : 1);
    if (below == 0) return;
    out.emplace_back("/");
    const bool one = below == 1;
    const bool grouped = !one && below <= 8;
    if (grouped) out.emplace_back("(");
    bool first_below = true;
    const auto joint = [&] {
      if (!first_below) out.emplace_back(grouped ? "*" : "/");
      first_below = false;
    };
    if (!bottom.is_one()) {
      joint();
      out.emplace_back(number_text(bottom));
    }
    for (const DisplayFactor& f : d.denominator) {
      joint();
      write_factor(f, out);
    }
    if (grouped) out.emplace_back(")");
  }

  static void arguments(std::span<const Expr> list, std::size_t step, Pieces& out) {
    out.emplace_back("(");
    for (std::size_t i = 0; i < list.size(); i += step) {
      if (i > 0) out.emplace_back(", ");
      out.emplace_back(list[i], Tightness::condition);
    }
    out.emplace_back(")");
  }

  // T[i, j + 1]; of an unknown function T'[i, j] or, with its argument, T[i, j]'(x)
  void write_element(const Expr& e, Pieces& out) const {
    const Expr& head = e.operands()[0];
    const bool call = head.is(Kind::unknown_call);
    const std::string primes = call ? std::string(primes_of(head), '\'') : "";
    const bool hidden = call && hides_argument(head, options_);
    out.emplace_back(head.name() + (hidden ? primes : "") + "[");
    for (std::size_t i = 1; i < e.operands().size(); ++i) {
      if (i > 1) out.emplace_back(", ");
      out.emplace_back(e.operands()[i], Tightness::sum);
    }
    out.emplace_back("]");
    if (!call || hidden) return;
    if (!primes.empty()) out.emplace_back(primes);
    arguments(head.operands().subspan(1), 2, out);
  }

  static std::size_t primes_of(const Expr& call) {
    return static_cast<std::size_t>(call.operands().size() == 3 ? call.operands()[2].word().value_or(0) : 0);
  }

  void write_unknown(const Expr& e, Pieces& out) const {
    const auto operands = e.operands();
    if (const std::size_t open = e.name().find('['); open != std::string::npos) {  // an element with its numbers
      const std::string primes(primes_of(e), '\'');
      const bool hidden = hides_argument(e, options_);
      out.emplace_back(hidden ? e.name().substr(0, open) + primes + e.name().substr(open) : e.name() + primes);
      if (!hidden) arguments(operands.subspan(1), 2, out);
      return;
    }
    std::string head = function_needs_quotes(e.name()) ? "`" + e.name() + "`" : e.name();
    if (operands.size() == 3 && operands[2].word().value_or(99) <= 4) {
      head += std::string(static_cast<std::size_t>(*operands[2].word()), '\'');
    } else {
      bool any = false;
      std::string orders;
      for (std::size_t i = 2; i < operands.size(); i += 2) {
        any = any || !operands[i].is_integer(0);
        orders += (orders.empty() ? "" : ",") + operands[i].number().to_string();
      }
      if (any) head += "'[" + orders + "]";
    }
    out.emplace_back(std::move(head));
    if (hides_argument(e, options_)) return;
    arguments(operands.subspan(1), 2, out);
  }

  static void write_relation(const Expr& e, Pieces& out) {
    const Expr* left = &e.operands()[0];
    const Expr* right = &e.operands()[1];
    std::string op;
    // x > 1 reads better than 1 < x
    const bool flip =
        left->is_number() && (e.relation_op() == RelationOp::less || e.relation_op() == RelationOp::less_equal);
    switch (e.relation_op()) {
      case RelationOp::less: op = flip ? " > " : " < "; break;
      case RelationOp::less_equal: op = flip ? " >= " : " <= "; break;
      case RelationOp::equal: op = " = "; break;
      case RelationOp::not_equal: op = " != "; break;
    }
    if (flip) std::swap(left, right);
    out.emplace_back(*left, Tightness::sum);
    out.emplace_back(op);
    out.emplace_back(*right, Tightness::sum);
  }

  static void write_logic(const Expr& e, Pieces& out) {
    if (e.logic_op() == LogicOp::negation) {
      out.emplace_back("not (");
      out.emplace_back(e.operands()[0], Tightness::condition);
      out.emplace_back(")");
      return;
    }
    const char* word = e.logic_op() == LogicOp::conjunction ? " and " : " or ";
    for (std::size_t i = 0; i < e.operands().size(); ++i) {
      if (i > 0) out.emplace_back(word);
      out.emplace_back(e.operands()[i], Tightness::relation);
    }
  }

  static void write_piecewise(const Expr& e, Pieces& out) {
    const auto operands = e.operands();
    out.emplace_back("piecewise(");
    for (std::size_t i = 0; i < operands.size(); i += 2) {
      if (i > 0) out.emplace_back(", ");
      out.emplace_back(operands[i], Tightness::sum);
      if (i + 1 < operands.size()) {
        out.emplace_back(" if ");
        out.emplace_back(operands[i + 1], Tightness::condition);
      } else {
        out.emplace_back(" otherwise");
      }
    }
    out.emplace_back(")");
  }

  static void range(const char* open, const Expr& e, Pieces& out) {
    const auto operands = e.operands();
    out.emplace_back(open);
    out.emplace_back(operands[0], Tightness::condition);
    out.emplace_back(", ");
    out.emplace_back(operands[1], Tightness::atom);
    if (operands.size() == 4) {
      out.emplace_back(" from ");
      out.emplace_back(operands[2], Tightness::sum);
      out.emplace_back(" to ");
      out.emplace_back(operands[3], Tightness::sum);
    }
    out.emplace_back(")");
  }

  const PrintOptions& options_;
  std::set<std::string> heads_;
};

}  // namespace

std::string to_text(const Expr& expression, const PrintOptions& options) {
  const Expr shown = with_unknown_calls(expression);
  const PlainWriter writer(shown, options);
  return write_linear({Piece(shown, Tightness::condition)}, options.max_length, writer);
}

std::string to_text(const Equation& e, const PrintOptions& options) {
  return to_text(e.lhs, options) + " = " + to_text(e.rhs, options);
}

std::string to_text(const Matrix& m) {
  std::string out = "[";
  for (Eigen::Index i = 0; i < m.rows(); ++i) {
    out += i == 0 ? "[" : ", [";
    for (Eigen::Index j = 0; j < m.cols(); ++j) out += (j == 0 ? "" : ", ") + to_text(m(i, j));
    out += "]";
  }
  return out + "]";
}

std::ostream& operator<<(std::ostream& out, const Expr& expression) { return out << to_text(expression); }

}  // namespace boreon
