// SPDX-License-Identifier: MIT
#include "model/units.hpp"

#include "boreon/text.hpp"

namespace boreon {
namespace {

// A product of powers of names, with an optional number in front ("1/s", "1e6/cm^3").
bool is_unit(const Expr& e) {
  switch (e.kind()) {
    case Kind::number:
    case Kind::symbol: return true;
    case Kind::power: return e.operands()[0].is(Kind::symbol) && e.operands()[1].is_number();
    case Kind::product:
      for (const auto [base, exponent] : Parts(e)) {
        if (!base.is(Kind::symbol) || !exponent.is_number()) return false;
      }
      return true;
    default: return false;
  }
}

}  // namespace

std::string problem_of_unit(std::string_view text) {
  if (text.empty() || text == "%" || text == "-") return {};
  // Unit names such as min or E are no functions here: every name in the text is declared.
  ParseContext context;
  std::string name;
  for (std::size_t i = 0; i <= text.size(); ++i) {
    const char c = i < text.size() ? text[i] : ' ';
    const bool letter =
        (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_' || (!name.empty() && c >= '0' && c <= '9');
    if (letter) {
      name += c;
    } else if (!name.empty()) {
      if (is_identifier(name) && !is_reserved_word(name)) context.names.emplace(name, Symbol(name));
      name.clear();
    }
  }
  try {
    return is_unit(parse(text, context)) ? "" : "a unit is a product of powers of names";
  } catch (const Error& e) {
    return e.message();
  }
}

}  // namespace boreon
