// SPDX-License-Identifier: MIT
// LaTeX for mathematics mode.
#include <fmt/format.h>

#include "boreon/catalogue.hpp"
#include "boreon/matrix.hpp"
#include "boreon/text.hpp"
#include "expr/numeric_rows.hpp"
#include "text/display.hpp"
#include "text/letters.hpp"
#include "text/linear.hpp"

namespace boreon {
namespace {

using Pieces = std::vector<Piece>;

std::string latex_number(const Number& n, bool coefficient = false) {
  std::string text = decimal_form(n, coefficient);
  if (n.is_exact() && text.empty()) {
    if (n.is_integer()) return n.to_string();
    return fmt::format("{}\\frac{{{}}}{{{}}}", n.sign() < 0 ? "-" : "", n.abs().numerator().to_string(),
                       n.denominator().to_string());
  }
  if (text.empty()) text = n.to_string();
  const std::size_t e = text.find('e');
  if (e == std::string::npos) return text;
  return fmt::format("{}\\cdot 10^{{{}}}", text.substr(0, e), std::stol(text.substr(e + 1)));
}

class LatexWriter {
 public:
  explicit LatexWriter(const PrintOptions& options) : options_(options) {}

  void operator()(const Expr& e, Tightness context, Pieces& out) const {
    switch (e.kind()) {
      case Kind::number: return number_of(e, context, out);
      case Kind::constant: out.emplace_back(constant_text(e.constant_code())); return;
      case Kind::symbol: out.emplace_back(latex_name(e.name())); return;
      case Kind::sum: return wrapped(Tightness::sum, context, out, [&] { write_sum(e, out); });
      case Kind::product:
      case Kind::power: return power_of(e, context, out);
      case Kind::call: return write_call(e, out);
      case Kind::unknown_call: return write_unknown(e, out);
      case Kind::relation: return relation_of(e, out);
      case Kind::logic:
        if (e.logic_op() == LogicOp::negation) {
          out.emplace_back("\\neg\\left(");
          out.emplace_back(e.operands()[0], Tightness::condition);
          out.emplace_back("\\right)");
          return;
        }
        return wrapped(Tightness::condition, context, out, [&] {
          for (std::size_t i = 0; i < e.operands().size(); ++i) {
            if (i > 0) out.emplace_back(e.logic_op() == LogicOp::conjunction ? " \\land " : " \\lor ");
            out.emplace_back(e.operands()[i], Tightness::relation);
          }
        });
      case Kind::piecewise: return piecewise_of(e, out);
      case Kind::derivative: return derivative_of(e, out);
      case Kind::integral:
        return wrapped(Tightness::product, context, out, [&] {
          out.emplace_back("\\int");
          limits(e, 2, out);
          out.emplace_back(" ");
          out.emplace_back(e.operands()[0], Tightness::product);
          out.emplace_back("\\,\\mathrm{d}" + latex_name(e.operands()[1].name()));
        });
      case Kind::reduction:
        return wrapped(Tightness::product, context, out, [&] {
          static constexpr const char* signs[] = {"\\sum_{", "\\prod_{", "\\min_{", "\\max_{"};
          out.emplace_back(signs[static_cast<std::size_t>(e.reduction_op())] + latex_name(e.operands()[1].name()) +
                           " = ");
          out.emplace_back(e.operands()[2], Tightness::condition);
          out.emplace_back("}^{");
          out.emplace_back(e.operands()[3], Tightness::condition);
          out.emplace_back("} ");
          out.emplace_back(e.operands()[0], Tightness::product);
        });
      case Kind::root:
        out.emplace_back("\\left\\{" + latex_name(e.operands()[1].name()) + " \\in [");
        out.emplace_back(e.operands()[2], Tightness::condition);
        out.emplace_back(", ");
        out.emplace_back(e.operands()[3], Tightness::condition);
        out.emplace_back("] : ");
        out.emplace_back(e.operands()[0], Tightness::sum);
        out.emplace_back(" = 0\\right\\}");
        return;
      case Kind::element: return element_of(e, out);
      case Kind::limit:
        return wrapped(Tightness::product, context, out, [&] {
          out.emplace_back("\\lim_{" + latex_name(e.operands()[1].name()) + " \\to ");
          out.emplace_back(e.operands()[2], Tightness::condition);
          out.emplace_back(e.limit_side() == LimitSide::both    ? "} "
                           : e.limit_side() == LimitSide::above ? "^{+}} "
                                                                : "^{-}} ");
          out.emplace_back(e.operands()[0], Tightness::product);
        });
    }
  }

 private:
  void number_of(const Expr& e, Tightness context, Pieces& out) const {
    const Number n = e.number();
    const bool fraction = n.is_exact() && !n.is_integer() && decimal_form(n, false).empty();
    return wrapped(n.sign() < 0 ? Tightness::unary
                   : fraction   ? Tightness::product
                                : Tightness::atom,
                   context, out, [&] { out.emplace_back(latex_number(n)); });
  }

  void power_of(const Expr& e, Tightness context, Pieces& out) const {
    const Number c = e.is(Kind::product) ? e.operands()[0].number() : Number(1);
    const DisplayProduct d = display_product(c.abs(), &e, options_.order.get());
    const bool lone = c.is_one() && d.lone_power();
    Tightness own = c.sign() < 0 ? Tightness::unary : Tightness::product;
    if (lone) own = is_root(d.numerator[0]) ? Tightness::atom : Tightness::power_base;
    return wrapped(own, context, out, [&] {
      if (c.sign() < 0) out.emplace_back("-");
      write_product(d, out);
    });
  }

  void relation_of(const Expr& e, Pieces& out) const {
    static constexpr const char* ops[] = {" < ", " \\le ", " = ", " \\ne "};
    out.emplace_back(e.operands()[0], Tightness::sum);
    out.emplace_back(ops[static_cast<std::size_t>(e.relation_op())]);
    out.emplace_back(e.operands()[1], Tightness::sum);
    return;
  }

  void piecewise_of(const Expr& e, Pieces& out) const {
    out.emplace_back("\\begin{cases} ");
    for (std::size_t i = 0; i < e.operands().size(); i += 2) {
      if (i > 0) out.emplace_back(" \\\\ ");
      out.emplace_back(e.operands()[i], Tightness::condition);
      if (i + 1 < e.operands().size()) {
        out.emplace_back(" & \\text{if } ");
        out.emplace_back(e.operands()[i + 1], Tightness::condition);
      } else {
        out.emplace_back(" & \\text{otherwise}");
      }
    }
    out.emplace_back(" \\end{cases}");
    return;
  }

  void derivative_of(const Expr& e, Pieces& out) const {
    const auto raised = [](const Number& n) { return n.is_one() ? std::string() : "^{" + n.to_string() + "}"; };
    const Differentials d = differentials(e);
    std::string below;
    for (const auto& [symbol, n] : d.by)
      below += (below.empty() ? "\\partial " : " \\, \\partial ") + latex_name(symbol->name()) + raised(n);
    out.emplace_back(fmt::format("\\frac{{\\partial{}}}{{{}}} ", raised(d.total), below));
    out.emplace_back(e.operands()[0], Tightness::unary);
    return;
  }

  void element_of(const Expr& e, Pieces& out) const {
    // \x01 marks where the indices go, which are pieces of their own
    const Expr& head = e.operands()[0];
    const bool call = head.is(Kind::unknown_call);
    const std::string name = latex_element(head.name(), "\x01");
    const std::size_t at = name.find('\x01');
    out.emplace_back(name.substr(0, at));
    list(e.operands().subspan(1), 1, out);
    out.emplace_back(name.substr(at + 1) + (call ? primes(head) : ""));
    if (!call || hides_argument(head, options_)) return;
    out.emplace_back("\\left(");
    list(head.operands().subspan(1), 2, out);
    out.emplace_back("\\right)");
    return;
  }

  template <class F>
  static void wrapped(Tightness own, Tightness context, Pieces& out, F write) {
    const bool parentheses = own < context;
    if (parentheses) out.emplace_back("\\left(");
    write();
    if (parentheses) out.emplace_back("\\right)");
  }

  static const char* constant_text(ConstantCode code) {
    switch (code) {
      case ConstantCode::pi: return "\\pi";
      case ConstantCode::egamma: return "\\gamma_{\\mathrm{E}}";
      case ConstantCode::imaginary: return "\\mathrm{i}";
      case ConstantCode::infinity: return "\\infty";
      case ConstantCode::undefined: return "\\text{undefined}";
      case ConstantCode::true_value: return "\\text{true}";
      case ConstantCode::false_value: return "\\text{false}";
    }
    return "";
  }

  static void limits(const Expr& e, std::size_t at, Pieces& out) {
    if (e.operands().size() <= at) return;
    out.emplace_back("_{");
    out.emplace_back(e.operands()[at], Tightness::condition);
    out.emplace_back("}^{");
    out.emplace_back(e.operands()[at + 1], Tightness::condition);
    out.emplace_back("}");
  }

  // x^(1/n) with a small n is written with a root sign.
  static bool is_root(const DisplayFactor& f) {
    if (!f.exponent.is_number() || !f.exponent.number().is_exact()) return false;
    const auto n = f.exponent.number().denominator().word();
    return f.exponent.number().numerator().is_one() && n && *n >= 2 && *n <= 4;
  }

  void write_sum(const Expr& e, Pieces& out) const {
    bool first = true;
    for (const DisplayTerm& t : display_terms(e, options_.order.get())) {
      out.emplace_back(t.negative ? (first ? "-" : " - ") : first ? "" : " + ");
      first = false;
      write_product(display_product(t.coefficient, t.term, options_.order.get()), out);
    }
  }

  static void write_factor(const DisplayFactor& f, bool alone, Pieces& out) {
    if (is_root(f)) {
      const std::string n = f.exponent.number().denominator().to_string();
      out.emplace_back(n == "2" ? "\\sqrt{" : "\\sqrt[" + n + "]{");
      out.emplace_back(*f.base, Tightness::condition);
      out.emplace_back("}");
    } else if (f.exponent.is_integer(1)) {
      out.emplace_back(*f.base, alone ? Tightness::condition : Tightness::unary);
    } else {
      out.emplace_back(*f.base, f.base->is(Kind::call) ? Tightness::unary : Tightness::atom);
      if (f.base->is(Kind::call)) {  // sin(x)^2 reads without doubt only in parentheses
        out.pop_back();
        out.emplace_back("\\left(");
        out.emplace_back(*f.base, Tightness::condition);
        out.emplace_back("\\right)");
      }
      out.emplace_back("^{");
      out.emplace_back(f.exponent, Tightness::condition);
      out.emplace_back("}");
    }
  }

  static void write_list(const Number& number, bool show_one, bool imaginary, const std::vector<DisplayFactor>& factors,
                         Pieces& out) {
    const bool alone = factors.size() == 1 && number.is_one() && !imaginary;
    bool first = true;
    if (!number.is_one() || (factors.empty() && !imaginary && show_one)) {
      out.emplace_back(latex_number(number, true));
      first = false;
    }
    if (imaginary) {
      out.emplace_back(first ? "\\mathrm{i}" : " \\mathrm{i}");
      first = false;
    }
    for (const DisplayFactor& f : factors) {
      if (!first) out.emplace_back(f.base->is_number() ? " \\cdot " : " \\, ");
      first = false;
      write_factor(f, alone, out);
    }
  }

  static void write_product(const DisplayProduct& d, Pieces& out) {
    const Number top = d.number_above();
    const Number bottom = d.number_below();
    if (const Expr* one = d.alone()) {
      out.emplace_back(*one, Tightness::product);
      return;
    }
    if (d.denominator.empty() && bottom.is_one()) {
      write_list(top, true, d.imaginary, d.numerator, out);
      return;
    }
    out.emplace_back("\\frac{");
    write_list(top, true, d.imaginary, d.numerator, out);
    out.emplace_back("}{");
    write_list(bottom, true, false, d.denominator, out);
    out.emplace_back("}");
  }

  static void write_call(const Expr& e, Pieces& out) {
    const FunctionRow& row = e.function();
    const auto args = e.operands();
    if (row.name == "abs") {
      out.emplace_back("\\left|");
      out.emplace_back(args[0], Tightness::condition);
      out.emplace_back("\\right|");
      return;
    }
    if (row.name == "exp") {
      out.emplace_back("\\mathrm{e}^{");
      out.emplace_back(args[0], Tightness::condition);
      out.emplace_back("}");
      return;
    }
    out.emplace_back(row.latex.empty() ? fmt::format("\\operatorname{{{}}}", latex_escape(row.name))
                                       : std::string(row.latex));
    out.emplace_back("\\left(");
    list(args, 1, out);
    out.emplace_back("\\right)");
  }

  static std::string latex_escape(std::string_view name) {
    std::string out;
    for (const char c : name) {
      if (c == '_') out += '\\';
      out += c;
    }
    return out;
  }

  static void list(std::span<const Expr> args, std::size_t step, Pieces& out) {
    for (std::size_t i = 0; i < args.size(); i += step) {
      if (i > 0) out.emplace_back(", ");
      out.emplace_back(args[i], Tightness::condition);
    }
  }

  // Of a function of one argument: f''.
  static std::string primes(const Expr& call) {
    const auto n = call.operands().size() == 3 ? call.operands()[2].word().value_or(0) : 0;
    return n <= 3 ? std::string(static_cast<std::size_t>(n), '\'') : fmt::format("^{{({})}}", n);
  }

  void write_unknown(const Expr& e, Pieces& out) const {
    const auto operands = e.operands();
    std::string head = latex_name(e.name());
    if (operands.size() == 3) {
      head += primes(e);
    } else {
      std::string orders;
      bool any = false;
      for (std::size_t i = 2; i < operands.size(); i += 2) {
        any = any || !operands[i].is_integer(0);
        orders += (orders.empty() ? "" : ",") + operands[i].number().to_string();
      }
      if (any) head += "^{(" + orders + ")}";
    }
    if (hides_argument(e, options_)) {
      out.emplace_back(head);
      return;
    }
    out.emplace_back(head + "\\left(");
    list(operands.subspan(1), 2, out);
    out.emplace_back("\\right)");
  }

  const PrintOptions& options_;
};

}  // namespace

std::string to_latex(const Expr& expression, const PrintOptions& options) {
  const Expr shown = with_unknown_calls(expression);
  return write_linear({Piece(shown, Tightness::condition)}, options.max_length, LatexWriter(options));
}

std::string to_latex(const Equation& e, const PrintOptions& options) {
  return to_latex(e.lhs, options) + " = " + to_latex(e.rhs, options);
}

std::string to_latex(const Matrix& m) {
  std::string out = "\\begin{pmatrix} ";
  for (Eigen::Index i = 0; i < m.rows(); ++i) {
    if (i > 0) out += " \\\\ ";
    for (Eigen::Index j = 0; j < m.cols(); ++j) out += (j == 0 ? "" : " & ") + to_latex(m(i, j));
  }
  return out + " \\end{pmatrix}";
}

}  // namespace boreon
