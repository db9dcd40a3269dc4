// SPDX-License-Identifier: MIT
#include "boreon/symbol.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>

#include "boreon/error.hpp"
#include "expr/node.hpp"

namespace boreon {

Assumptions::Assumptions(std::initializer_list<Assumption> given) {
  for (const Assumption a : given) add(a);
  if (given.size() == 1 && *given.begin() == Assumption::complex) bits_ = 0;
}

void Assumptions::add(Assumption a) {
  using enum Assumption;
  const auto bit = [](Assumption x) { return static_cast<std::uint16_t>(x); };
  bits_ = static_cast<std::uint16_t>(bits_ | bit(a));
  const auto imply = [&](Assumption from, Assumption to) {
    if (has(from)) bits_ = static_cast<std::uint16_t>(bits_ | bit(to));
  };
  if (has(nonnegative) && has(nonzero)) bits_ = static_cast<std::uint16_t>(bits_ | bit(positive));
  if (has(nonpositive) && has(nonzero)) bits_ = static_cast<std::uint16_t>(bits_ | bit(negative));
  for (const Assumption sign : {positive, negative}) imply(sign, nonzero);
  imply(positive, nonnegative);
  imply(negative, nonpositive);
  for (const Assumption x : {integer, nonnegative, nonpositive}) imply(x, real);
  if (has(positive) && has(nonpositive)) {
    throw Error(ErrorKind::usage, "contradicting assumptions: a symbol cannot be both positive and nonpositive");
  }
  if (has(negative) && has(nonnegative)) {
    throw Error(ErrorKind::usage, "contradicting assumptions: a symbol cannot be both negative and nonnegative");
  }
}

Assumptions Assumptions::from_bits(std::uint16_t bits) noexcept {
  Assumptions a;
  a.bits_ = bits;
  return a;
}

std::string Assumptions::to_string() const {
  using enum Assumption;
  std::string text;
  const auto say = [&](const char* word) { text += (text.empty() ? "" : " ") + std::string(word); };
  if (has(positive)) {
    say("positive");
  } else if (has(negative)) {
    say("negative");
  } else {
    if (has(nonnegative)) say("nonnegative");
    if (has(nonpositive)) say("nonpositive");
    if (has(nonzero)) say("nonzero");
  }
  if (has(integer)) say("integer");
  if (text.empty() || text == "nonzero") say(has(real) ? "real" : "complex");
  return text;
}

bool is_identifier(std::string_view name) noexcept {
  if (name.empty() || (std::isdigit(static_cast<unsigned char>(name[0])) != 0)) return false;
  return std::all_of(name.begin(), name.end(), [](char c) {
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_';
  });
}

bool is_reserved_word(std::string_view name) noexcept {
  static constexpr std::array<std::string_view, 20> words{
      "pi",  "egamma", "infinity", "undefined", "true",       "false",    "if",  "otherwise", "and",   "or",
      "not", "from",   "to",       "piecewise", "derivative", "integral", "sum", "limit",     "above", "below"};
  return std::find(words.begin(), words.end(), name) != words.end() && name != "above" && name != "below";
}

namespace {
void require_name(std::string_view name, const char* what) {
  if (const auto e = element_name(name); e && to_string(*e) == name) name = name.substr(0, e->array.size());
  if (!is_identifier(name)) {
    throw Error(ErrorKind::name,
                fmt::format("'{}' cannot name a {}: use letters, digits and underscores, and do not start "
                            "with a digit",
                            name, what));
  }
  if (is_reserved_word(name)) {
    throw Error(ErrorKind::name, fmt::format("'{}' is a word of the expression grammar and cannot name a {}; add a "
                                             "suffix, such as {}_0",
                                             name, what, name));
  }
}
}  // namespace

Symbol::Symbol(std::string_view name, Assumptions assumptions) {
  require_name(name, "symbol");
  static_cast<Expr&>(*this) = Node::intern_symbol(name, assumptions);
}

Symbol Symbol::from(const Expr& expr) {
  if (!expr.is(Kind::symbol))
    throw Error(ErrorKind::usage, "a symbol is expected here, not a compound expression or a number");
  return Symbol(expr);
}

Assumptions Symbol::assumptions() const { return assumptions_of(*this); }

std::vector<Symbol> Symbol::list(std::string_view names, Assumptions assumptions) {
  std::vector<Symbol> symbols;
  std::size_t i = 0;
  while (i < names.size()) {
    const std::size_t start = names.find_first_not_of(" ,", i);
    if (start == std::string_view::npos) break;
    i = std::min(names.find_first_of(" ,", start), names.size());
    symbols.emplace_back(names.substr(start, i - start), assumptions);
  }
  return symbols;
}

Assumptions assumptions_of(const Expr& symbol) {
  if (!symbol.is(Kind::symbol)) throw Error(ErrorKind::usage, "only symbols carry assumptions");
  return Node::of(symbol)->symbol().assumptions;
}

// The head of an unknown call is a symbol that no user can make, so no substitution can hit it.
static const Assumptions function_head = Assumptions::from_bits(0x8000);

bool is_function_head(const Expr& e) { return e.is(Kind::symbol) && assumptions_of(e) == function_head; }

bool are_namesakes(const Expr& a, const Expr& b) {
  // Symbols with marks beyond the assumptions (heads of functions, formal arguments of a model) are kept apart on
  // purpose.
  constexpr std::uint16_t all = 127;
  const auto plain = [](const Expr& e) { return e.is(Kind::symbol) && (assumptions_of(e).bits() & ~all) == 0; };
  return plain(a) && plain(b) && !(a == b) && a.name() == b.name();
}

void reject_namesakes(const Expr& a, const Expr& b) {
  throw Error(ErrorKind::binding, fmt::format("two different symbols are named '{}': one is {}, the other {}; use the "
                                              "same Symbol object, or give one of them another name",
                                              a.name(), assumptions_of(a).to_string(), assumptions_of(b).to_string()));
}

UnknownFunction::UnknownFunction(std::string_view name) : name_(name) { require_name(name, "function"); }

Expr UnknownFunction::call(std::span<const Expr> args) const {
  return derivative_at(args, std::vector<int>(args.size(), 0));
}

Expr UnknownFunction::derivative_at(std::span<const Expr> args, std::span<const int> orders) const {
  if (args.empty())
    throw Error(ErrorKind::shape, fmt::format("the unknown function {} needs at least one argument", name_));
  if (args.size() != orders.size()) {
    throw Error(ErrorKind::shape,
                fmt::format("{} arguments but {} derivative orders for {}", args.size(), orders.size(), name_));
  }
  std::vector<Expr> operands{Node::intern_symbol(name_, function_head)};
  for (std::size_t i = 0; i < args.size(); ++i) {
    operands.push_back(args[i]);
    operands.emplace_back(orders[i]);
  }
  return unknown_call(operands);
}

Expr unknown_call(std::span<const Expr> operands) {
  std::vector<Expr> copy(operands.begin(), operands.end());
  for (std::size_t i = 1; i < copy.size(); i += 2) {
    if (is_condition(copy[i])) {
      throw Error(ErrorKind::shape,
                  fmt::format("a condition stands where an argument of {} is expected", copy[0].name()));
    }
  }
  return Node::intern(Kind::unknown_call, 0, copy);
}

}  // namespace boreon
