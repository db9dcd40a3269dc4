// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <functional>
#include <map>
#include <pugixml.hpp>
#include <string>

#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/mathml.hpp"
#include "boreon/names.hpp"
#include "boreon/symbol.hpp"

namespace boreon {
namespace {

constexpr int deepest_mathml = 2000;

class ContentReader {
 public:
  ContentReader(std::string_view text, const ParseContext& context) : text_(text), context_(context) {}

  Expr read() {
    refuse_depth();
    pugi::xml_document document;
    const pugi::xml_parse_result r = document.load_buffer(text_.data(), text_.size(), pugi::parse_default);
    if (!r)
      fail_at(static_cast<std::size_t>(std::max<std::ptrdiff_t>(r.offset, 0)), ErrorKind::syntax,
              fmt::format("this is no well-formed XML: {}", r.description()));
    return element(content_of(document.document_element()));
  }

 private:
  [[noreturn]] void fail_at(std::size_t offset, ErrorKind kind, const std::string& message) const {
    offset = std::min(offset, text_.size());
    SourcePosition p;
    p.line = 1 + static_cast<std::size_t>(
                     std::count(text_.begin(), text_.begin() + static_cast<std::ptrdiff_t>(offset), '\n'));
    const std::size_t start = offset == 0 ? std::string_view::npos : text_.rfind('\n', offset - 1);
    p.column = offset - (start == std::string_view::npos ? 0 : start + 1) + 1;
    throw Error(kind, message, p);
  }
  [[noreturn]] void fail(const pugi::xml_node& n, const std::string& message,
                         ErrorKind kind = ErrorKind::syntax) const {
    const std::ptrdiff_t at = n.offset_debug();
    fail_at(at < 0 ? 0 : static_cast<std::size_t>(at), kind, message);
  }

  // The parser frees its tree by recursion: very deep input is refused before it is built. One pass over the text that
  // knows comments, character data, processing instructions and quoted attributes, in which < and > mean nothing.
  void refuse_depth() const {
    int depth = 0;
    const auto behind = [&](std::string_view end, std::size_t from) {
      const std::size_t at = text_.find(end, from);
      return at == std::string_view::npos ? text_.size() : at + end.size();
    };
    for (std::size_t i = text_.find('<'); i < text_.size(); i = text_.find('<', i)) {
      const std::string_view rest = text_.substr(i);
      if (rest.starts_with("<!--")) {
        i = behind("-->", i + 4);
      } else if (rest.starts_with("<![CDATA[")) {
        i = behind("]]>", i + 9);
      } else if (rest.starts_with("<?")) {
        i = behind("?>", i + 2);
      } else if (rest.starts_with("<!")) {
        fail_at(i, ErrorKind::unsupported, "declarations of document types are not read; begin with the math element");
      } else {
        const bool closing = rest.starts_with("</");
        char quote = 0;
        std::size_t end = i + 1;
        for (; end < text_.size(); ++end) {
          const char c = text_[end];
          if (quote != 0) {
            if (c == quote) quote = 0;
          } else if (c == '"' || c == '\'') {
            quote = c;
          } else if (c == '>') {
            break;
          } else if (c == '<') {
            fail_at(end, ErrorKind::syntax, "this is no well-formed XML: a tag begins inside another one");
          }
        }
        if (end == text_.size()) return;  // the parser says what is missing
        if (closing) {
          --depth;
        } else if (text_[end - 1] != '/') {
          ++depth;
        }
        if (depth > deepest_mathml)
          fail_at(i, ErrorKind::limit, fmt::format("the elements nest more than {} deep", deepest_mathml));
        i = end + 1;
      }
    }
  }

  // Below math and semantics to the content.
  pugi::xml_node content_of(pugi::xml_node n) const {
    for (int k = 0; k < 20; ++k) {
      const std::string name = local(n);
      if (name == "semantics") {
        pugi::xml_node found;
        for (const pugi::xml_node& a : n.children()) {
          if (local(a) == "annotation-xml" && std::string_view(a.attribute("encoding").value()) == "MathML-Content")
            found = a.first_child();
        }
        n = found ? found : elements(n).front();
      } else if (name == "math") {
        const auto list = elements(n);
        if (list.size() != 1)
          fail(n,
               "the math element must hold one content element; presentation alone says how it looks, not what it "
               "means");
        n = list.front();
      } else {
        break;
      }
    }
    return n;
  }

  static std::string local(const pugi::xml_node& n) {
    std::string name = n.name();
    if (const std::size_t colon = name.find(':'); colon != std::string::npos) name.erase(0, colon + 1);
    return name;
  }
  std::vector<pugi::xml_node> elements(const pugi::xml_node& n) const {
    std::vector<pugi::xml_node> out;
    for (const pugi::xml_node& c : n.children()) {
      if (c.type() == pugi::node_element) out.push_back(c);
    }
    if (out.empty()) fail(n, fmt::format("the element {} is empty", local(n)));
    return out;
  }
  static std::string trimmed(const char* s) {
    std::string t = s;
    t.erase(0, t.find_first_not_of(" \t\r\n") == std::string::npos ? t.size() : t.find_first_not_of(" \t\r\n"));
    t.erase(t.find_last_not_of(" \t\r\n") + 1);
    return t;
  }

  Number number(const pugi::xml_node& n) const {
    const std::string type = n.attribute("type").value();
    std::vector<std::string> parts{""};
    for (const pugi::xml_node& c : n.children()) {
      if (c.type() == pugi::node_element) {
        if (local(c) != "sep") fail(c, "inside a number only sep is expected");
        parts.emplace_back();
      } else {
        parts.back() += c.value();
      }
    }
    for (std::string& p : parts) p = trimmed(p.c_str());
    try {
      if (type == "rational" && parts.size() == 2) return Number::parse(parts[0]) / Number::parse(parts[1]);
      if (type == "e-notation" && parts.size() == 2) return Number::parse(parts[0] + "e" + parts[1]);
      if (parts.size() != 1) fail(n, fmt::format("a number of type '{}' has no separator", type));
      if (type == "double") return Number::from_double(Number::parse(parts[0]).to_double());
      if (type.empty() || type == "integer" || type == "real") return Number::parse(parts[0]);
    } catch (const Error& e) {
      fail(n, e.message());
    }
    fail(n, fmt::format("numbers of type '{}' are not known", type), ErrorKind::unsupported);
  }

  Expr symbol(const pugi::xml_node& n) const {
    const std::string name = trimmed(n.text().get());
    if (const auto at = context_.names.find(name); at != context_.names.end()) return at->second;
    if (context_.strict) throw Error(ErrorKind::name, fmt::format("'{}' is not declared", name));
    try {
      return Symbol(name);
    } catch (const Error& e) {
      fail(n, e.message());
    }
  }

  Expr element(const pugi::xml_node& n) {
    const std::string name = local(n);
    if (name == "cn") return Expr(number(n));
    if (name == "ci") return symbol(n);
    if (name == "apply") return apply(n);
    if (name == "piecewise") {
      std::vector<Expr> branches;
      for (const pugi::xml_node& c : elements(n)) {
        const auto parts = elements(c);
        if (parts.size() != (local(c) == "otherwise" ? 1U : 2U))
          fail(c, "a piece holds a value and a condition, otherwise one value");
        for (const pugi::xml_node& p : parts) branches.push_back(element(p));
      }
      return piecewise(branches);
    }
    static const std::map<std::string, ConstantCode> constants{{"pi", ConstantCode::pi},
                                                               {"eulergamma", ConstantCode::egamma},
                                                               {"imaginaryi", ConstantCode::imaginary},
                                                               {"infinity", ConstantCode::infinity},
                                                               {"notanumber", ConstantCode::undefined},
                                                               {"true", ConstantCode::true_value},
                                                               {"false", ConstantCode::false_value}};
    if (const auto at = constants.find(name); at != constants.end()) return constant(at->second);
    if (name == "exponentiale") return exp(1);
    if (name == "semantics" || name == "math") return element(content_of(n));
    if (name.starts_with("m") && name != "matrix")
      fail(n,
           fmt::format("{} is presentation: it says how something looks, not what it means; content MathML is needed",
                       name),
           ErrorKind::unsupported);
    fail(n, fmt::format("the element {} is not known here", name), ErrorKind::unsupported);
  }

  std::vector<Expr> values(std::span<const pugi::xml_node> list) {
    std::vector<Expr> out;
    for (const pugi::xml_node& n : list) out.push_back(element(n));
    return out;
  }

  void need(const pugi::xml_node& n, const std::vector<Expr>& args, std::size_t low, std::size_t high) const {
    if (args.size() >= low && args.size() <= high) return;
    fail(n, fmt::format("{} takes {} operand{}, not {}", local(n),
                        low == high ? std::to_string(low) : fmt::format("{} to {}", low, high),
                        low == 1 && high == 1 ? "" : "s", args.size()));
  }

  Expr apply(const pugi::xml_node& n) {
    std::vector<pugi::xml_node> list = elements(n);
    const pugi::xml_node head = list.front();
    const std::string name = local(head);
    // Qualifiers apart from operands.
    std::vector<pugi::xml_node> operands;
    std::map<std::string, std::vector<pugi::xml_node>> qualifiers;
    for (std::size_t i = 1; i < list.size(); ++i) {
      const std::string q = local(list[i]);
      if (q == "bvar" || q == "lowlimit" || q == "uplimit" || q == "condition" || q == "degree" || q == "logbase") {
        qualifiers[q].push_back(list[i]);
      } else {
        operands.push_back(list[i]);
      }
    }
    const auto qualifier = [&](const char* q) { return element(elements(qualifiers[q].front()).front()); };
    const bool reduced = (name == "min" || name == "max" || name == "product") && !qualifiers["bvar"].empty();
    if (name == "diff" || name == "int" || name == "sum" || name == "limit" || reduced)
      return operation(n, name, operands, qualifiers);
    if (name == "csymbol" && !qualifiers["bvar"].empty())
      return operation(n, trimmed(head.text().get()), operands, qualifiers);
    const std::vector<Expr> args = values(operands);
    const bool logical = name == "and" || name == "or" || name == "not";
    for (std::size_t i = 0; i < args.size(); ++i) {
      if (!logical && is_condition(args[i]))
        fail(operands[i], fmt::format("a condition stands where {} expects a number; write a piecewise", name),
             ErrorKind::shape);
    }
    if (name == "selector") {
      if (args.size() < 2) fail(n, "a selector takes an array and its indices");
      return boreon::element(args[0], std::span(args).subspan(1));
    }
    if (name == "plus") return add(args.empty() ? std::vector<Expr>{0} : args);
    if (name == "times") return multiply(args);
    if (name == "minus") {
      need(head, args, 1, 2);
      return args.size() == 1 ? -args[0] : args[0] - args[1];
    }
    if (name == "divide" || name == "power" || name == "lt" || name == "leq" || name == "gt" || name == "geq" ||
        name == "eq" || name == "neq") {
      need(head, args, 2, 2);
      if (name == "divide") return args[0] / args[1];
      if (name == "power") return power(args[0], args[1]);
      if (name == "lt") return less(args[0], args[1]);
      if (name == "leq") return less_equal(args[0], args[1]);
      if (name == "gt") return greater(args[0], args[1]);
      if (name == "geq") return greater_equal(args[0], args[1]);
      return name == "eq" ? equal(args[0], args[1]) : not_equal(args[0], args[1]);
    }
    if (name == "root") {
      need(head, args, 1, 1);
      return power(args[0], 1 / (qualifiers["degree"].empty() ? Expr(2) : qualifier("degree")));
    }
    if (name == "log") {
      need(head, args, 1, 1);
      return log(args[0]) / log(qualifiers["logbase"].empty() ? Expr(10) : qualifier("logbase"));
    }
    if (name == "and") return conjunction(args);
    if (name == "or") return disjunction(args);
    if (name == "not") {
      need(head, args, 1, 1);
      return negation(args[0]);
    }
    static const std::map<std::string, Expr (*)(const Expr&)> reciprocals{
        {"sech", [](const Expr& x) { return 1 / cosh(x); }},
        {"csch", [](const Expr& x) { return 1 / sinh(x); }},
        {"coth", [](const Expr& x) { return 1 / tanh(x); }}};
    if (const auto at = reciprocals.find(name); at != reciprocals.end()) {
      need(head, args, 1, 1);
      return at->second(args[0]);
    }
    if (name == "ci") return UnknownFunction(trimmed(head.text().get())).call(args);
    if (name == "apply") return derivative_of_unknown(head, args);
    const FunctionRow* row = nullptr;
    if (name == "csymbol") {
      const std::string function = trimmed(head.text().get());
      row = find_function(function);
      if (row == nullptr) fail(head, fmt::format("the symbol '{}' is not known", function), ErrorKind::unsupported);
    } else {
      for (const FunctionRow& r : catalogue()) {
        if (r.mathml == name) row = &r;
      }
    }
    if (row == nullptr) fail(head, fmt::format("the element {} is not known here", name), ErrorKind::unsupported);
    try {
      return call(*row, args);
    } catch (const Error& e) {
      fail(head, e.message(), e.kind());
    }
  }

  Expr derivative_of_unknown(const pugi::xml_node& head, const std::vector<Expr>& args) const {
    const auto parts = elements(head);
    if (local(parts[0]) != "csymbol" || trimmed(parts[0].text().get()) != "partial_derivative" ||
        parts.size() != args.size() + 2 || local(parts[1]) != "ci") {
      fail(head, "an operator that is itself applied is not known here", ErrorKind::unsupported);
    }
    std::vector<int> orders;
    for (std::size_t i = 2; i < parts.size(); ++i) {
      const auto k = number(parts[i]).word();
      if (!k || *k < 0 || *k > 1000) fail(parts[i], "an order of a derivative is a whole number from 0 to 1000");
      orders.push_back(static_cast<int>(*k));
    }
    return UnknownFunction(trimmed(parts[1].text().get())).derivative_at(args, orders);
  }

  Expr operation(const pugi::xml_node& n, const std::string& name, const std::vector<pugi::xml_node>& operands,
                 std::map<std::string, std::vector<pugi::xml_node>>& qualifiers) {
    if (operands.size() != 1) fail(n, fmt::format("{} takes one operand", name));
    if (qualifiers["bvar"].empty()) fail(n, fmt::format("{} needs a bvar", name));
    const auto variable = [&](const pugi::xml_node& bvar) {
      for (const pugi::xml_node& c : elements(bvar)) {
        if (local(c) == "ci") {
          Expr s = symbol(c);
          if (!s.is(Kind::symbol)) fail(c, "the variable of an operator must be a plain symbol");
          return s;
        }
      }
      fail(bvar, "a bvar holds a ci");
    };
    const Expr body = element(operands[0]);
    const Expr x = variable(qualifiers["bvar"][0]);
    const auto limit_of = [&](const char* q) {
      if (qualifiers[q].size() != 1) fail(n, fmt::format("{} needs one {}", name, q));
      return element(elements(qualifiers[q][0]).front());
    };
    if (name == "diff") {
      std::vector<Expr> list;
      for (const pugi::xml_node& b : qualifiers["bvar"]) {
        list.push_back(variable(b));
        Expr order = 1;
        for (const pugi::xml_node& c : elements(b)) {
          if (local(c) == "degree") {
            order = element(elements(c).front());
            if (!order.word() || *order.word() < 1 || *order.word() > 1000)
              fail(c, "an order of a derivative is a whole number from 1 to 1000");
          }
        }
        list.push_back(order);
      }
      return unevaluated_derivative(body, list);
    }
    if (name == "int") {
      if (qualifiers["lowlimit"].empty() && qualifiers["uplimit"].empty()) return unevaluated_integral(body, x);
      return unevaluated_integral(body, x, limit_of("lowlimit"), limit_of("uplimit"));
    }
    for (const auto& [word, op] : {std::pair("sum", ReductionOp::sum),
                                   {"product", ReductionOp::product},
                                   {"min", ReductionOp::minimum},
                                   {"max", ReductionOp::maximum}}) {
      if (name == word) return unevaluated_reduction(op, body, x, limit_of("lowlimit"), limit_of("uplimit"));
    }
    if (name == "root") return implicit_root(body, x, limit_of("lowlimit"), limit_of("uplimit"));
    if (name != "limit") fail(n, fmt::format("{} does not bind a variable", name));
    if (qualifiers["condition"].empty()) return unevaluated_limit(body, x, limit_of("lowlimit"));
    const pugi::xml_node condition = elements(qualifiers["condition"][0]).front();
    const auto parts = elements(condition);
    if (parts.size() != 3 || local(parts[0]) != "tendsto")
      fail(condition, "the condition of a limit is tendsto with a variable and a place");
    const std::string side = parts[0].attribute("type").value();
    return unevaluated_limit(body, x, element(parts[2]),
                             side == "above"   ? LimitSide::above
                             : side == "below" ? LimitSide::below
                                               : LimitSide::both);
  }

  std::string_view text_;
  const ParseContext& context_;
};

}  // namespace

Expr parse_mathml(std::string_view text, const ParseContext& context) { return ContentReader(text, context).read(); }

}  // namespace boreon
