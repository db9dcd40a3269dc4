// SPDX-License-Identifier: MIT
#include "program/emit_body.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <cmath>

#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "program/emit_functions.hpp"
#include "program/passes.hpp"

namespace boreon {
namespace {

constexpr std::size_t inline_limit = 64;  // longest text that is written in place instead of a name

// Without the outer parentheses where the text stands alone.
std::string bare(const std::string& text) {
  if (text.size() < 2 || text.front() != '(' || text.back() != ')') return text;
  int depth = 0;
  for (std::size_t i = 0; i + 1 < text.size(); ++i) {
    depth += text[i] == '(' ? 1 : text[i] == ')' ? -1 : 0;
    if (depth == 0) return text;
  }
  return text.substr(1, text.size() - 2);
}

class Body {
 public:
  Body(const Program& p, const BodyStyle& s) : p_(p), s_(s), text_(p.instructions.size()) {}

  std::string run() {
    count_uses();
    const auto stores = stores_by_instruction(p_);
    std::string text;
    for (std::size_t k = 0; k < p_.instructions.size(); ++k) {
      const Instruction& i = p_.instructions[k];
      if (i.op == OpCode::sine_cosine) {
        if (i.operands == 1) {
          const std::string argument = bare(operand(i.a));
          text += fmt::format("{0}const {1} {2}{3} = sin({5});\n{0}const {1} {2}{4} = cos({5});\n", s_.indent,
                              s_.scalar, s_.temporary, k, k + 1, argument);
        }
      } else {
        const std::string right = right_side(i);
        const bool only_stored = uses_[k] == 0 && stores[k].size() == 1;
        const bool inlined = uses_[k] == 1 && stores[k].empty() && right.size() <= inline_limit;
        if (inlined || only_stored) {
          text_[k] = right;
        } else {
          text +=
              fmt::format("{}const {} {}{} = {};\n", s_.indent, s_.scalar, s_.temporary, k, converted(i, bare(right)));
        }
      }
      for (const Store& s : stores[k]) text += store(s);
      if (!stores[k].empty()) text_[k].clear();
    }
    for (const Store& s : stores.back()) text += store(s);
    return text;
  }

 private:
  void count_uses() {
    uses_.assign(p_.instructions.size(), 0);
    for (const Instruction& i : p_.instructions) {
      for_operands(i, [&](Operand o) {
        if (o.space == 1) ++uses_[o.index];
      });
    }
  }

  // Truth values are numbers: what a comparison gives in the language is an integer, which divides as integers do.
  static bool truth(const Instruction& i) { return i.op >= OpCode::less && i.op <= OpCode::negation; }
  [[nodiscard]] std::string converted(const Instruction& i, const std::string& text) const {
    if (!truth(i)) return text;
    return s_.scalar == "double" ? "(double)(" + bare(text) + ")" : fmt::format("{}({})", s_.scalar, bare(text));
  }

  [[nodiscard]] std::string literal(double v) const {
    return s_.scalar == "double" ? number_literal(v) : fmt::format("{}({})", s_.scalar, number_literal(v));
  }

  std::string operand(Operand v) {
    if (v.space == 0) return literal(p_.constants[v.index]);
    if (v.space == 1)
      return text_[v.index].empty() ? fmt::format("{}{}", s_.temporary, v.index)
                                    : converted(p_.instructions[v.index], text_[v.index]);
    return s_.input(v.space - 2, v.index);
  }

  // Where the language wants a condition.
  std::string condition(Operand v) {
    if (v.space == 1 && truth(p_.instructions[v.index]) && !text_[v.index].empty()) return text_[v.index];
    return operand(v) + " != 0";
  }

  std::string store(const Store& s) {
    const Operand o = stored(p_, s);
    return fmt::format("{}{} = {};\n", s_.indent, s_.output(s.group, s.index), bare(operand(o)));
  }

  [[nodiscard]] std::string function(std::uint16_t row_number, const std::vector<std::string>& args) const {
    const FunctionRow& row = row_of(row_number);
    if (!row.c_template.empty()) {
      std::string out;
      for (std::size_t i = 0; i < row.c_template.size(); ++i) {
        if (row.c_template[i] == '$') {
          out += args[static_cast<std::size_t>(row.c_template[++i] - '1')];
        } else {
          out += row.c_template[i];
        }
      }
      return out;
    }
    if (row.own != 0) return fmt::format("{}({})", c_name(row), fmt::join(args, ", "));
    if (row.c_name.empty()) {
      throw Error(ErrorKind::unsupported,
                  fmt::format("{} is not part of the C library, so no source without dependencies can be written; it "
                              "can be computed here, by evaluate, solve, simulate and in C++ by compile()",
                              row.name));
    }
    return fmt::format("{}({})", row.c_name, fmt::join(args, ", "));
  }

  std::string right_side(const Instruction& i) {
    const auto a = [&] { return operand(i.a); };
    const auto b = [&] { return operand(i.b); };
    switch (i.op) {
      case OpCode::add: return fmt::format("({} + {})", a(), b());
      case OpCode::subtract: return fmt::format("({} - {})", a(), b());
      case OpCode::multiply: return fmt::format("({}*{})", a(), b());
      case OpCode::divide: return fmt::format("({}/{})", a(), b());
      case OpCode::negate: return fmt::format("(-{})", a());
      case OpCode::square_root: return fmt::format("sqrt({})", bare(a()));
      case OpCode::power: return fmt::format("pow({}, {})", bare(a()), bare(b()));
      case OpCode::call:
        if (i.operands > 2) return function(i.function, {a(), b(), operand(i.c)});
        return i.operands == 1 ? function(i.function, {a()}) : function(i.function, {a(), b()});
      case OpCode::less: return fmt::format("({} < {})", a(), b());
      case OpCode::less_equal: return fmt::format("({} <= {})", a(), b());
      case OpCode::equal: return fmt::format("({} == {})", a(), b());
      case OpCode::not_equal: return fmt::format("({} != {})", a(), b());
      case OpCode::conjunction: return fmt::format("({} && {})", condition(i.a), condition(i.b));
      case OpCode::disjunction: return fmt::format("({} || {})", condition(i.a), condition(i.b));
      case OpCode::negation: return fmt::format("(!({}))", bare(condition(i.a)));
      case OpCode::select: return fmt::format("({} ? {} : {})", condition(i.a), b(), operand(i.c));
      case OpCode::sine_cosine: return fmt::format("sin({})", a());
    }
    return {};
  }

  const Program& p_;
  const BodyStyle& s_;
  std::vector<std::string> text_;  // of results that are written in place
  std::vector<std::uint32_t> uses_;
};

}  // namespace

std::string number_literal(double v) {
  if (std::isnan(v)) return "NAN";
  if (std::isinf(v)) return v > 0 ? "INFINITY" : "(-INFINITY)";
  std::string s = fmt::format("{}", v);
  if (s.find_first_of(".e") == std::string::npos) s += ".0";
  return v < 0 || std::signbit(v) ? "(" + s + ")" : s;
}

std::string body_text(const Program& program, const BodyStyle& style) { return Body(program, style).run(); }

}  // namespace boreon
