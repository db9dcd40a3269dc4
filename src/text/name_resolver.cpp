// SPDX-License-Identifier: MIT
#include "text/name_resolver.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <utility>

#include "boreon/catalogue.hpp"
#include "boreon/names.hpp"

namespace boreon {

// y' without an argument makes y an unknown function of the independent variable in the whole text.
NameResolver::NameResolver(const ParseContext& context, const TextErrors& errors, const std::vector<Token>& tokens)
    : context_(context), errors_(errors) {
  for (std::size_t i = 0; i < tokens.size(); ++i) {
    const Token& t = tokens[i];
    if (t.type != Token::Type::name || tokens[i + 1].is("(")) {
      if (t.type == Token::Type::name) called_.insert(t.text);
      continue;
    }
    if (t.primes > 0 && !context_.strict && !context_.names.contains(t.text)) primed_.insert(t.text);
  }
  for (const Token& t : tokens) {
    if (t.type == Token::Type::name && (t.primes > 0 || !t.orders.empty())) derived_.insert(t.text);
  }
}

bool NameResolver::declared(const std::string& n) const {
  return context_.names.contains(n) || context_.functions.contains(n) || bound(n);
}

bool NameResolver::bound(const std::string& n) const {
  return std::find(bound_.begin(), bound_.end(), n) != bound_.end();
}

const Expr* NameResolver::constant(const std::string& n) {
  static const auto* constants = new std::map<std::string, Expr>{
      {"pi", pi()},          {"egamma", egamma()},   {"infinity", infinity()}, {"undefined", undefined()},
      {"true", truth(true)}, {"false", truth(false)}};
  const auto at = constants->find(n);
  return at == constants->end() ? nullptr : &at->second;
}

std::vector<std::string> NameResolver::known_names(bool callable) const {
  std::vector<std::string> all;
  if (callable || context_.strict) {
    for (const FunctionRow& row : catalogue()) all.emplace_back(row.name);
    for (const char* word : {"piecewise", "derivative", "integral", "sum", "limit"}) all.emplace_back(word);
  }
  for (const auto& [n, f] : context_.functions) all.push_back(n);
  if (!callable) {
    for (const auto& [n, e] : context_.names) all.push_back(n);
    for (const char* word : {"pi", "egamma", "infinity"}) all.emplace_back(word);
  }
  return all;
}

Expr NameResolver::symbol(const std::string& n) const {
  const auto at = context_.names.find(n);
  if (at != context_.names.end() && at->second.is(Kind::symbol)) return at->second;
  return Symbol(n);
}

Expr NameResolver::value(const Token& t) const {
  if (bound(t.text)) {
    if (t.primes > 0)
      errors_.fail(ErrorKind::name, fmt::format("{} is the variable of an operator here and has no derivative", t.text),
                   t.at);
    return symbol(t.text);
  }
  if (!t.orders.empty())
    errors_.fail(ErrorKind::syntax, fmt::format("{}'[...] needs arguments: {}'[1,0](x, y)", t.text, t.text), t.at);
  if (const auto at = context_.names.find(t.text); at != context_.names.end()) {
    if (t.primes == 0) return at->second;
    if (at->second.is(Kind::unknown_call)) return raised(at->second, t.primes);
    const auto what = context_.described.find(t.text);
    errors_.fail(
        ErrorKind::name,
        fmt::format(
            "{} is a {} and does not depend on {}, so {}{} has no meaning; declare it as an unknown to derive it",
            t.text, what == context_.described.end() ? "plain symbol" : what->second, context_.independent.name(),
            t.text, std::string(static_cast<std::size_t>(t.primes), '\'')),
        t.at);
  }
  if (context_.functions.contains(t.text)) {
    errors_.fail(ErrorKind::name, fmt::format("{0} is a function and needs its arguments: {0}(...)", t.text), t.at);
  }
  const FunctionRow* row = t.quoted ? nullptr : find_function(t.text);
  if (row != nullptr && !(row->also_letter && !context_.strict && t.primes == 0)) {
    errors_.fail(ErrorKind::name, fmt::format("{0} is a function and needs an argument: {0}(...)", t.text), t.at);
  }
  if (const std::string now = t.quoted ? std::string() : former_name(t.text); !now.empty()) {
    errors_.fail(ErrorKind::name, fmt::format("'{0}' is called {1} now: {1}(...)", t.text, now), t.at);
  }
  if (context_.strict) {
    const auto names = known_names(false);
    errors_.fail(ErrorKind::name, fmt::format("the name '{}' is not known here{}", t.text, suggestion(t.text, names)),
                 t.at);
  }
  if (primed_.contains(t.text)) {
    const Expr args[] = {context_.independent};
    return raised(UnknownFunction(t.text).call(args), t.primes);
  }
  if (called_.contains(t.text) && row == nullptr && !t.quoted) {
    errors_.fail(ErrorKind::name, fmt::format("{0} is used both as a function, {0}(...), and as a plain name", t.text),
                 t.at);
  }
  if (!t.quoted) {
    for (const auto& [other, here] : {std::pair{"Pi", "pi"},
                                      {"PI", "pi"},
                                      {"Inf", "infinity"},
                                      {"inf", "infinity"},
                                      {"INF", "infinity"},
                                      {"Infinity", "infinity"},
                                      {"infty", "infinity"}}) {
      if (t.text == other)
        remark(Notice::What::symbol, t.text, fmt::format("{} is a symbol here; the constant is {}", t.text, here),
               t.at);
    }
  }
  return Symbol(t.text);
}

void NameResolver::remark(Notice::What what, const std::string& name, const std::string& message,
                          std::size_t at) const {
  if (context_.notices == nullptr) return;
  for (const Notice& n : *context_.notices) {
    if (n.name == name && n.what == what) return;
  }
  SourcePosition position = context_.origin;
  position.line = std::max<std::size_t>(1, position.line);
  position.column += at + (position.column == 0 ? 1 : 0);
  context_.notices->push_back({what, name, message, position});
}

bool NameResolver::undeclared_symbol(const Expr& e, std::string_view name) const {
  return e.is(Kind::symbol) && e.name() == name && !context_.names.contains(name) && !bound(std::string(name));
}

void NameResolver::remark_call(const Token& t, std::span<const Expr> args, bool derived) const {
  if (context_.notices == nullptr || t.quoted || t.primes > 0 || !t.orders.empty() || derived ||
      primed_.contains(t.text) || derived_.contains(t.text))
    return;
  if (context_.functions.contains(t.text) || context_.names.contains(t.text)) return;
  if (args.size() == 1 && args[0] == context_.independent) return;
  std::string arguments;
  for (const Expr& a : args) arguments += (arguments.empty() ? "" : ", ") + to_text(a, {40});
  std::string message;
  std::string here = synonym(t.text);
  if (here.empty()) {
    std::string lower = t.text;
    std::transform(lower.begin(), lower.end(), lower.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    if (lower != t.text && find_function(lower) != nullptr) here = lower;
  }
  if (t.text == "ln") {
    message = "ln is not known; the natural logarithm is log";
  } else if (!here.empty()) {
    message = fmt::format("{} is not known and is taken for an unknown function; here it is called {}", t.text, here);
  } else {
    const std::string near = nearest_name(t.text, known_names(true));
    message =
        fmt::format("{0}({1}) calls {0} as an unknown function; for a product write {0}*({1}){2}", t.text, arguments,
                    t.text.size() > 2 && near.size() > 2 ? fmt::format("; did you mean '{}'?", near) : "");
  }
  remark(Notice::What::unknown_function, t.text, message, t.at);
}

void NameResolver::remark_power(const Expr& base, const Expr& exponent, std::size_t at) const {
  if (context_.notices == nullptr || !undeclared_symbol(base, "e")) return;
  remark(Notice::What::symbol, "e", fmt::format("e is a symbol here; write exp({})", to_text(exponent, {40})), at);
}

void NameResolver::remark_exponential(const Expr& argument, std::size_t at) const {
  if (context_.notices == nullptr) return;
  for (const char* name : {"i", "j", "I"}) {
    bool found = undeclared_symbol(argument, name);
    for (const Expr& o : argument.operands()) found = found || undeclared_symbol(o, name);
    if (found)
      remark(Notice::What::symbol, name, fmt::format("{} is a symbol here; the imaginary unit is 1i", name), at);
  }
}

Expr NameResolver::raised(const Expr& call, int primes) {
  if (primes == 0) return call;
  std::vector<Expr> operands(call.operands().begin(), call.operands().end());
  operands[2] += primes;
  return unknown_call(operands);
}

void NameResolver::check_callable(const Token& t) const {
  if (context_.functions.contains(t.text)) return;
  const auto at = context_.names.find(t.text);
  if ((at != context_.names.end() && !at->second.is(Kind::unknown_call)) || bound(t.text)) {
    const auto what = context_.described.find(t.text);
    errors_.fail(ErrorKind::name,
                 fmt::format("{0} is a {1}, not a function; for a product write {0}*(...)", t.text,
                             what == context_.described.end() ? "symbol" : what->second),
                 t.at);
  }
  if (at != context_.names.end()) return;
  if (!t.quoted && find_function(t.text) != nullptr) {
    if (t.primes > 0) {
      errors_.fail(ErrorKind::syntax,
                   fmt::format("primes belong to unknown functions; write derivative({}(x), x)", t.text), t.at);
    }
    return;
  }
  if (t.quoted) return;
  if (const std::string now = former_name(t.text); !now.empty())
    errors_.fail(ErrorKind::name, fmt::format("the function '{}' is called {} now", t.text, now), t.at);
  // A word of another notation is remarked on, see remark_call.
  if (!context_.strict && !synonym(t.text).empty()) return;
  const auto names = known_names(true);
  const std::string hint = suggestion(t.text, names);
  if (context_.strict)
    errors_.fail(ErrorKind::name, fmt::format("the function '{}' is not known here{}", t.text, hint), t.at);
  // One letter from a known function is taken for a slip of the pen.
  const std::string near = nearest_name(t.text, names);
  if (t.primes == 0 && near.size() > 2 && t.text.size() > 2 && !near.empty()) {
    errors_.fail(
        ErrorKind::name,
        fmt::format("the function '{0}' is not known{1} (for an unknown function of that name write `{0}`(...))",
                    t.text, hint),
        t.at);
  }
}

}  // namespace boreon
