// SPDX-License-Identifier: MIT
// MathML 3: presentation and content.
#include <fmt/format.h>

#include "boreon/catalogue.hpp"
#include "boreon/matrix.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"
#include "expr/numeric_rows.hpp"
#include "text/display.hpp"
#include "text/letters.hpp"
#include "text/linear.hpp"

namespace boreon {
namespace {

using Pieces = std::vector<Piece>;

std::string mo(const char* text) { return fmt::format("<mo>{}</mo>", text); }
constexpr const char* invisible_times = "<mo>&#x2062;</mo>";
constexpr const char* apply_function = "<mo>&#x2061;</mo>";

std::string presentation_number(const Number& n, bool coefficient = false) {
  std::string text = decimal_form(n.abs(), coefficient);
  std::string out;
  if (n.is_exact() && text.empty()) {
    out = n.is_integer() ? fmt::format("<mn>{}</mn>", n.abs().to_string())
                         : fmt::format("<mfrac><mn>{}</mn><mn>{}</mn></mfrac>", n.abs().numerator().to_string(),
                                       n.denominator().to_string());
  } else {
    if (text.empty()) text = n.abs().to_string();
    const std::size_t e = text.find('e');
    out = e == std::string::npos ? fmt::format("<mn>{}</mn>", text)
                                 : fmt::format("<mn>{}</mn><mo>&#xB7;</mo><msup><mn>10</mn><mn>{}</mn></msup>",
                                               text.substr(0, e), std::stol(text.substr(e + 1)));
  }
  return n.sign() < 0 ? mo("&#x2212;") + out : out;
}

std::string presentation_constant(ConstantCode code) {
  switch (code) {
    case ConstantCode::pi: return "<mi>&#x3C0;</mi>";
    case ConstantCode::egamma: return "<msub><mi>&#x3B3;</mi><mi mathvariant=\"normal\">E</mi></msub>";
    case ConstantCode::imaginary: return "<mi mathvariant=\"normal\">i</mi>";
    case ConstantCode::infinity: return "<mi mathvariant=\"normal\">&#x221E;</mi>";
    case ConstantCode::undefined: return "<mtext>undefined</mtext>";
    case ConstantCode::true_value: return "<mtext>true</mtext>";
    case ConstantCode::false_value: return "<mtext>false</mtext>";
  }
  return {};
}

class PresentationWriter {
 public:
  explicit PresentationWriter(const PrintOptions& options) : options_(options) {}

  void operator()(const Expr& e, Tightness context, Pieces& out) const {
    switch (e.kind()) {
      case Kind::number:
        return wrapped(e.number().sign() < 0 ? Tightness::unary : Tightness::product, context, out,
                       [&] { out.emplace_back(presentation_number(e.number())); });
      case Kind::constant: out.emplace_back(presentation_constant(e.constant_code())); return;
      case Kind::symbol: out.emplace_back(mathml_name(e.name())); return;
      case Kind::sum:
        return wrapped(Tightness::sum, context, out, [&] {
          bool first = true;
          for (const DisplayTerm& t : display_terms(e, options_.order.get())) {
            if (t.negative || !first) out.emplace_back(mo(t.negative ? "&#x2212;" : "+"));
            first = false;
            product(display_product(t.coefficient, t.term, options_.order.get()), out);
          }
        });
      case Kind::product:
      case Kind::power: return power_of(e, context, out);
      case Kind::call: return call(e, out);
      case Kind::unknown_call: return unknown(e, out);
      case Kind::relation: return relation_of(e, out);
      case Kind::logic:
        return wrapped(Tightness::condition, context, out, [&] {
          if (e.logic_op() == LogicOp::negation) out.emplace_back(mo("&#xAC;"));
          for (std::size_t i = 0; i < e.operands().size(); ++i) {
            if (i > 0) out.emplace_back(mo(e.logic_op() == LogicOp::conjunction ? "&#x2227;" : "&#x2228;"));
            out.emplace_back(e.operands()[i], Tightness::relation);
          }
        });
      case Kind::piecewise: return piecewise_of(e, out);
      case Kind::derivative: return derivative_of(e, out);
      case Kind::root:
        out.emplace_back("<mrow><mo>{</mo>" + mathml_name(e.operands()[1].name()) + "<mo>&#x2208;</mo><mo>[</mo>");
        out.emplace_back(e.operands()[2], Tightness::condition);
        out.emplace_back("<mo>,</mo>");
        out.emplace_back(e.operands()[3], Tightness::condition);
        out.emplace_back("<mo>]</mo><mo>:</mo>");
        out.emplace_back(e.operands()[0], Tightness::sum);
        out.emplace_back("<mo>=</mo><mn>0</mn><mo>}</mo></mrow>");
        return;
      case Kind::integral: return integral_of(e, context, out);
      case Kind::reduction: return reduction_of(e, context, out);
      case Kind::element: return element_of(e, out);
      case Kind::limit:
        return wrapped(Tightness::product, context, out, [&] {
          out.emplace_back("<munder><mo>lim</mo><mrow>" + mathml_name(e.operands()[1].name()) + mo("&#x2192;"));
          out.emplace_back(e.operands()[2], Tightness::condition);
          if (e.limit_side() != LimitSide::both)
            out.emplace_back(e.limit_side() == LimitSide::above ? "<mo>+</mo>" : "<mo>&#x2212;</mo>");
          out.emplace_back("</mrow></munder>");
          out.emplace_back(e.operands()[0], Tightness::product);
        });
    }
  }

 private:
  void reduction_of(const Expr& e, Tightness context, Pieces& out) const {
    return wrapped(Tightness::product, context, out, [&] {
      static constexpr const char* signs[] = {"<mo>&#x2211;</mo>", "<mo>&#x220F;</mo>", "<mi>min</mi>", "<mi>max</mi>"};
      out.emplace_back(fmt::format("<munderover>{}<mrow>{}{}", signs[static_cast<std::size_t>(e.reduction_op())],
                                   mathml_name(e.operands()[1].name()), mo("=")));
      out.emplace_back(e.operands()[2], Tightness::condition);
      out.emplace_back("</mrow><mrow>");
      out.emplace_back(e.operands()[3], Tightness::condition);
      out.emplace_back("</mrow></munderover>");
      out.emplace_back(e.operands()[0], Tightness::product);
    });
  }

  void integral_of(const Expr& e, Tightness context, Pieces& out) const {
    return wrapped(Tightness::product, context, out, [&] {
      if (e.operands().size() > 2) {
        out.emplace_back("<msubsup><mo>&#x222B;</mo><mrow>");
        out.emplace_back(e.operands()[2], Tightness::condition);
        out.emplace_back("</mrow><mrow>");
        out.emplace_back(e.operands()[3], Tightness::condition);
        out.emplace_back("</mrow></msubsup>");
      } else {
        out.emplace_back("<mo>&#x222B;</mo>");
      }
      out.emplace_back(e.operands()[0], Tightness::product);
      out.emplace_back("<mspace width=\"0.17em\"/><mi mathvariant=\"normal\">d</mi>" +
                       mathml_name(e.operands()[1].name()));
    });
  }

  void piecewise_of(const Expr& e, Pieces& out) const {
    out.emplace_back("<mo>{</mo><mtable columnalign=\"left left\">");
    for (std::size_t i = 0; i < e.operands().size(); i += 2) {
      out.emplace_back("<mtr><mtd>");
      out.emplace_back(e.operands()[i], Tightness::condition);
      out.emplace_back("</mtd><mtd>");
      if (i + 1 < e.operands().size()) {
        out.emplace_back("<mtext>if&#xA0;</mtext>");
        out.emplace_back(e.operands()[i + 1], Tightness::condition);
      } else {
        out.emplace_back("<mtext>otherwise</mtext>");
      }
      out.emplace_back("</mtd></mtr>");
    }
    out.emplace_back("</mtable>");
  }

  void power_of(const Expr& e, Tightness context, Pieces& out) const {
    const Number c = e.is(Kind::product) ? e.operands()[0].number() : Number(1);
    const DisplayProduct d = display_product(c.abs(), &e, options_.order.get());
    const bool lone = c.is_one() && d.lone_power();
    const Tightness own = c.sign() < 0                       ? Tightness::unary
                          : !lone                            ? Tightness::product
                          : is_half(d.numerator[0].exponent) ? Tightness::atom
                                                             : Tightness::power_base;
    return wrapped(own, context, out, [&] {
      if (c.sign() < 0) out.emplace_back(mo("&#x2212;"));
      product(d, out);
    });
  }

  void relation_of(const Expr& e, Pieces& out) const {
    static constexpr const char* ops[] = {"&lt;", "&#x2264;", "=", "&#x2260;"};
    out.emplace_back(e.operands()[0], Tightness::sum);
    out.emplace_back(mo(ops[static_cast<std::size_t>(e.relation_op())]));
    out.emplace_back(e.operands()[1], Tightness::sum);
    return;
  }

  void derivative_of(const Expr& e, Pieces& out) const {
    const auto raised = [](const std::string& base, const Number& n) {
      return n.is_one() ? base : fmt::format("<msup>{}<mn>{}</mn></msup>", base, n.to_string());
    };
    const Differentials d = differentials(e);
    std::string below;
    for (const auto& [symbol, n] : d.by) below += mo("&#x2202;") + raised(mathml_name(symbol->name()), n);
    const std::string above = raised(mo("&#x2202;"), d.total);
    out.emplace_back(fmt::format("<mfrac><mrow>{}</mrow><mrow>{}</mrow></mfrac>", above, below));
    out.emplace_back(e.operands()[0], Tightness::unary);
    return;
  }

  void element_of(const Expr& e, Pieces& out) const {
    const Expr& head = e.operands()[0];
    const bool call = head.is(Kind::unknown_call);
    out.emplace_back("<mrow><msub>" + mathml_name(head.name()) + "<mrow>");
    for (std::size_t i = 1; i < e.operands().size(); ++i) {
      if (i > 1) out.emplace_back(mo(","));
      out.emplace_back(e.operands()[i], Tightness::condition);
    }
    out.emplace_back("</mrow></msub>");
    for (std::int64_t k = 0; call && k < head.operands()[2].word().value_or(0); ++k) out.emplace_back(mo("&#x2032;"));
    if (call && !hides_argument(head, options_)) {
      out.emplace_back(apply_function);
      arguments(head.operands().subspan(1), 2, out);
    }
    out.emplace_back("</mrow>");
    return;
  }

  template <class F>
  static void wrapped(Tightness own, Tightness context, Pieces& out, F write) {
    const bool parentheses = own < context;
    out.emplace_back(parentheses ? "<mrow><mo>(</mo>" : "<mrow>");
    write();
    out.emplace_back(parentheses ? "<mo>)</mo></mrow>" : "</mrow>");
  }

  static void factor(const DisplayFactor& f, bool alone, Pieces& out) {
    if (is_half(f.exponent)) {
      out.emplace_back("<msqrt>");
      out.emplace_back(*f.base, Tightness::condition);
      out.emplace_back("</msqrt>");
    } else if (f.exponent.is_integer(1)) {
      out.emplace_back(*f.base, alone ? Tightness::condition : Tightness::unary);
    } else {
      // sin(x)^2 reads without doubt only in parentheses
      const bool fenced = f.base->is(Kind::call);
      out.emplace_back(fenced ? "<msup><mrow><mo>(</mo>" : "<msup><mrow>");
      out.emplace_back(*f.base, fenced ? Tightness::condition : Tightness::atom);
      out.emplace_back(fenced ? "<mo>)</mo></mrow><mrow>" : "</mrow><mrow>");
      out.emplace_back(f.exponent, Tightness::condition);
      out.emplace_back("</mrow></msup>");
    }
  }

  static void list(const Number& number, bool imaginary, const std::vector<DisplayFactor>& factors, Pieces& out) {
    const bool alone = factors.size() == 1 && number.is_one() && !imaginary;
    bool first = true;
    if (!number.is_one() || (factors.empty() && !imaginary)) {
      out.emplace_back(presentation_number(number, true));
      first = false;
    }
    if (imaginary) {
      out.emplace_back(presentation_constant(ConstantCode::imaginary));
      first = false;
    }
    for (const DisplayFactor& f : factors) {
      if (!first) out.emplace_back(f.base->is_number() ? "<mo>&#xB7;</mo>" : invisible_times);
      first = false;
      factor(f, alone, out);
    }
  }

  static void product(const DisplayProduct& d, Pieces& out) {
    const Number top = d.number_above();
    const Number bottom = d.number_below();
    if (const Expr* one = d.alone()) {
      out.emplace_back(*one, Tightness::product);
      return;
    }
    if (d.denominator.empty() && bottom.is_one()) {
      list(top, d.imaginary, d.numerator, out);
      return;
    }
    out.emplace_back("<mfrac><mrow>");
    list(top, d.imaginary, d.numerator, out);
    out.emplace_back("</mrow><mrow>");
    list(bottom, false, d.denominator, out);
    out.emplace_back("</mrow></mfrac>");
  }

  static void arguments(std::span<const Expr> args, std::size_t step, Pieces& out) {
    out.emplace_back("<mrow><mo>(</mo>");
    for (std::size_t i = 0; i < args.size(); i += step) {
      if (i > 0) out.emplace_back(mo(","));
      out.emplace_back(args[i], Tightness::condition);
    }
    out.emplace_back("<mo>)</mo></mrow>");
  }

  static void call(const Expr& e, Pieces& out) {
    const FunctionRow& row = e.function();
    if (row.name == "abs") {
      out.emplace_back("<mrow><mo>|</mo>");
      out.emplace_back(e.operands()[0], Tightness::condition);
      out.emplace_back("<mo>|</mo></mrow>");
      return;
    }
    if (row.name == "exp") {
      out.emplace_back("<msup><mi mathvariant=\"normal\">e</mi><mrow>");
      out.emplace_back(e.operands()[0], Tightness::condition);
      out.emplace_back("</mrow></msup>");
      return;
    }
    out.emplace_back(fmt::format("<mrow><mi>{}</mi>{}", row.unicode.empty() ? row.name : row.unicode, apply_function));
    arguments(e.operands(), 1, out);
    out.emplace_back("</mrow>");
  }

  void unknown(const Expr& e, Pieces& out) const {
    const auto operands = e.operands();
    std::string head = mathml_name(e.name());
    std::string orders;
    bool any = false;
    for (std::size_t i = 2; i < operands.size(); i += 2) {
      any = any || !operands[i].is_integer(0);
      orders += (orders.empty() ? "" : ",") + operands[i].number().to_string();
    }
    if (any && operands.size() == 3 && operands[2].word().value_or(9) <= 3) {
      std::string primes;
      for (std::int64_t k = 0; k < *operands[2].word(); ++k) primes += "&#x2032;";
      head = fmt::format("<msup>{}{}</msup>", head, mo(primes.c_str()));
    } else if (any) {
      head = fmt::format("<msup>{}<mrow><mo>(</mo><mn>{}</mn><mo>)</mo></mrow></msup>", head, orders);
    }
    out.emplace_back("<mrow>" + head);
    if (!hides_argument(e, options_)) {
      out.emplace_back(apply_function);
      arguments(operands.subspan(1), 2, out);
    }
    out.emplace_back("</mrow>");
  }

  const PrintOptions& options_;
};

std::string content_number(const Number& n) {
  if (n.is_double()) return fmt::format("<cn type=\"double\">{}</cn>", n.to_string());
  if (n.is_integer()) return fmt::format("<cn type=\"integer\">{}</cn>", n.to_string());
  return fmt::format("<cn type=\"rational\">{}<sep/>{}</cn>", n.numerator().to_string(), n.denominator().to_string());
}

const char* content_constant(ConstantCode code) {
  switch (code) {
    case ConstantCode::pi: return "<pi/>";
    case ConstantCode::egamma: return "<eulergamma/>";
    case ConstantCode::imaginary: return "<imaginaryi/>";
    case ConstantCode::infinity: return "<infinity/>";
    case ConstantCode::undefined: return "<notanumber/>";
    case ConstantCode::true_value: return "<true/>";
    case ConstantCode::false_value: return "<false/>";
  }
  return "";
}

// Content of one node; what stands below it is put back among the pieces.
class ContentWriter {
 public:
  explicit ContentWriter(Pieces& out) : out_(out) {}

  void operator()(const Expr& e) const {
    const auto ops = e.operands();
    switch (e.kind()) {
      case Kind::number: out_.emplace_back(content_number(e.number())); return;
      case Kind::constant: out_.emplace_back(content_constant(e.constant_code())); return;
      case Kind::symbol: out_.emplace_back(fmt::format("<ci>{}</ci>", e.name())); return;
      case Kind::sum:
        out_.emplace_back("<apply><plus/>");
        for (const DisplayTerm& t : display_terms(e, nullptr)) {
          const Number c = t.negative ? -t.coefficient : t.coefficient;
          if (t.term == nullptr) {
            out_.emplace_back(content_number(c));
          } else if (c.is_one()) {
            put(*t.term);
          } else {
            out_.emplace_back("<apply><times/>" + content_number(c));
            put(*t.term);
            out_.emplace_back("</apply>");
          }
        }
        out_.emplace_back("</apply>");
        return;
      case Kind::product:
        out_.emplace_back("<apply><times/>");
        if (!ops[0].is_integer(1)) put(ops[0]);
        for (const auto [base, exponent] : Parts(e)) raised(base, exponent);
        out_.emplace_back("</apply>");
        return;
      case Kind::power: return raised(ops[0], ops[1]);
      case Kind::call:
        out_.emplace_back(e.function().mathml.empty()
                              ? fmt::format("<apply><csymbol cd=\"boreon\">{}</csymbol>", e.function().name)
                              : fmt::format("<apply><{}/>", e.function().mathml));
        for (const Expr& x : ops) put(x);
        out_.emplace_back("</apply>");
        return;
      case Kind::unknown_call: {
        std::string orders;
        bool any = false;
        for (std::size_t i = 2; i < ops.size(); i += 2) {
          any = any || !ops[i].is_integer(0);
          orders += content_number(ops[i].number());
        }
        const std::string head = fmt::format("<ci type=\"function\">{}</ci>", e.name());
        out_.emplace_back(
            "<apply>" +
            (any ? fmt::format("<apply><csymbol cd=\"boreon\">partial_derivative</csymbol>{}{}</apply>", head, orders)
                 : head));
        for (std::size_t i = 1; i < ops.size(); i += 2) put(ops[i]);
        out_.emplace_back("</apply>");
        return;
      }
      default: condition(e);
    }
  }

 private:
  void condition(const Expr& e) const {
    const auto ops = e.operands();
    switch (e.kind()) {
      case Kind::relation: {
        static constexpr const char* names[] = {"lt", "leq", "eq", "neq"};
        out_.emplace_back(fmt::format("<apply><{}/>", names[static_cast<std::size_t>(e.relation_op())]));
        put(ops[0]);
        put(ops[1]);
        out_.emplace_back("</apply>");
        return;
      }
      case Kind::logic: {
        static constexpr const char* names[] = {"and", "or", "not"};
        out_.emplace_back(fmt::format("<apply><{}/>", names[static_cast<std::size_t>(e.logic_op())]));
        for (const Expr& x : ops) put(x);
        out_.emplace_back("</apply>");
        return;
      }
      case Kind::piecewise:
        out_.emplace_back("<piecewise>");
        for (std::size_t i = 0; i < ops.size(); i += 2) {
          const bool last = i + 1 == ops.size();
          out_.emplace_back(last ? "<otherwise>" : "<piece>");
          put(ops[i]);
          if (!last) put(ops[i + 1]);
          out_.emplace_back(last ? "</otherwise>" : "</piece>");
        }
        out_.emplace_back("</piecewise>");
        return;
      default: operation(e);
    }
  }

  // What binds a variable, and elements.
  void operation(const Expr& e) const {
    const auto ops = e.operands();
    switch (e.kind()) {
      case Kind::derivative:
        out_.emplace_back("<apply><diff/>");
        for (std::size_t i = 1; i < ops.size(); i += 2) {
          out_.emplace_back("<bvar>");
          put(ops[i]);
          if (!ops[i + 1].is_integer(1)) in("degree", ops[i + 1]);
          out_.emplace_back("</bvar>");
        }
        put(ops[0]);
        out_.emplace_back("</apply>");
        return;
      case Kind::integral:
      case Kind::reduction:
        static constexpr const char* heads[] = {"<apply><sum/>", "<apply><product/>", "<apply><min/>", "<apply><max/>"};
        out_.emplace_back(e.is(Kind::integral) ? "<apply><int/>" : heads[static_cast<std::size_t>(e.reduction_op())]);
        bvar(ops[1]);
        if (ops.size() > 2) {
          in("lowlimit", ops[2]);
          in("uplimit", ops[3]);
        }
        put(ops[0]);
        out_.emplace_back("</apply>");
        return;
      case Kind::root:
        out_.emplace_back("<apply><csymbol cd=\"boreon\">root</csymbol>");
        bvar(ops[1]);
        in("lowlimit", ops[2]);
        in("uplimit", ops[3]);
        put(ops[0]);
        out_.emplace_back("</apply>");
        return;
      case Kind::element:
        out_.emplace_back("<apply><selector/>");
        for (const Expr& x : ops) put(x);
        out_.emplace_back("</apply>");
        return;
      case Kind::limit: {
        out_.emplace_back("<apply><limit/>");
        bvar(ops[1]);
        const char* side = e.limit_side() == LimitSide::above   ? " type=\"above\""
                           : e.limit_side() == LimitSide::below ? " type=\"below\""
                                                                : "";
        out_.emplace_back(fmt::format("<condition><apply><tendsto{}/>", side));
        put(ops[1]);
        put(ops[2]);
        out_.emplace_back("</apply></condition>");
        put(ops[0]);
        out_.emplace_back("</apply>");
        return;
      }
      default: return;
    }
  }

  void put(const Expr& x) const { out_.emplace_back(x, Tightness::condition); }
  void bvar(const Expr& x) const {
    out_.emplace_back("<bvar>");
    put(x);
    out_.emplace_back("</bvar>");
  }
  void in(const char* tag, const Expr& x) const {
    out_.emplace_back(fmt::format("<{}>", tag));
    put(x);
    out_.emplace_back(fmt::format("</{}>", tag));
  }
  void raised(const Expr& base, const Expr& exponent) const {
    if (exponent.is_integer(1)) return put(base);
    out_.emplace_back("<apply><power/>");
    put(base);
    put(exponent);
    out_.emplace_back("</apply>");
  }

  Pieces& out_;
};

void content(const Expr& e, Tightness, Pieces& out) { ContentWriter{out}(e); }

constexpr const char* open_math = "<math xmlns=\"http://www.w3.org/1998/Math/MathML\" display=\"block\">";

std::string wrap(const std::string& presentation, const std::string& meaning, MathmlPart part) {
  switch (part) {
    case MathmlPart::presentation: return open_math + presentation + "</math>";
    case MathmlPart::content: return open_math + meaning + "</math>";
    case MathmlPart::both: break;
  }
  return fmt::format(
      "{}<semantics><mrow>{}</mrow><annotation-xml encoding=\"MathML-Content\">{}</annotation-xml></semantics></math>",
      open_math, presentation, meaning);
}

std::string present(const Expr& e, const PrintOptions& options) {
  const Expr shown = with_unknown_calls(e);
  return write_linear({Piece(shown, Tightness::condition)}, 0, PresentationWriter(options));
}
std::string mean(const Expr& e) {
  const Expr shown = with_unknown_calls(e);
  return write_linear({Piece(shown, Tightness::condition)}, 0, content);
}

}  // namespace

std::string to_mathml(const Expr& e, MathmlPart part, const PrintOptions& options) {
  return wrap(part == MathmlPart::content ? "" : present(e, options), part == MathmlPart::presentation ? "" : mean(e),
              part);
}

std::string to_mathml(const Equation& e, MathmlPart part, const PrintOptions& options) {
  return wrap(present(e.lhs, options) + mo("=") + present(e.rhs, options),
              "<apply><eq/>" + mean(e.lhs) + mean(e.rhs) + "</apply>", part);
}

std::string to_mathml(const Matrix& m, MathmlPart part) {
  std::string look = "<mrow><mo>(</mo><mtable>";
  std::string meaning = "<matrix>";
  for (Eigen::Index i = 0; i < m.rows(); ++i) {
    look += "<mtr>";
    meaning += "<matrixrow>";
    for (Eigen::Index j = 0; j < m.cols(); ++j) {
      look += "<mtd>" + present(m(i, j), {}) + "</mtd>";
      meaning += mean(m(i, j));
    }
    look += "</mtr>";
    meaning += "</matrixrow>";
  }
  return wrap(look + "</mtable><mo>)</mo></mrow>", meaning + "</matrix>", part);
}

}  // namespace boreon
