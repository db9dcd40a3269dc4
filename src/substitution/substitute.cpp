// SPDX-License-Identifier: MIT
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <string>
#include <unordered_map>

#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"

namespace boreon {

Bindings::Bindings(std::initializer_list<std::pair<Expr, Expr>> entries) {
  for (const auto& [target, value] : entries) set(target, value);
}

Bindings& Bindings::set(const Expr& target, const Expr& value) {
  const bool call = target.is(Kind::call) && target.has_symbols();
  if (!target.is(Kind::symbol) && !target.is(Kind::unknown_call) && !call) {
    throw Error(ErrorKind::usage,
                "only symbols and calls of functions can be bound to a value, not numbers or compound expressions");
  }
  if (Entry* known = by_target(target)) {
    known->value = value;
    return *this;
  }
  entries_.push_back({target, {}, value});
  if (!index_.empty()) index_.emplace(target.bits(), entries_.size() - 1);
  return *this;
}

Bindings::Entry* Bindings::by_target(const Expr& target) {
  constexpr std::size_t few = 16;
  if (entries_.size() <= few) {
    const auto at = std::find_if(entries_.begin(), entries_.end(),
                                 [&](const Entry& e) { return e.name.empty() && e.target == target; });
    return at == entries_.end() ? nullptr : &*at;
  }
  if (index_.empty()) {
    for (std::size_t i = 0; i < entries_.size(); ++i) {
      if (entries_[i].name.empty()) index_.emplace(entries_[i].target.bits(), i);
    }
  }
  const auto at = index_.find(target.bits());
  return at == index_.end() ? nullptr : &entries_[at->second];
}

Bindings& Bindings::set(std::string_view name, const Expr& value) {
  const auto parts = element_name(name);
  const std::string canonical = parts ? to_string(*parts) : std::string(name);
  name = canonical;
  if (!parts && !is_identifier(name))
    throw Error(ErrorKind::name, fmt::format("'{}' cannot be the name of a symbol", name));
  for (Entry& e : entries_) {
    if (e.name == name) {
      e.value = value;
      return *this;
    }
  }
  entries_.push_back({Expr(), std::string(name), value});
  return *this;
}

const Expr* Bindings::find(const Expr& target) const {
  for (const Entry& e : entries_) {
    if (e.name.empty() ? e.target == target : target.is(Kind::symbol) && target.name() == e.name) return &e.value;
  }
  return nullptr;
}

namespace {

class Substitution {
 public:
  explicit Substitution(const Bindings& bindings) : bindings_(bindings), used_(bindings.entries().size(), 0) {
    for (const auto& e : bindings.entries()) {
      by_name_ = by_name_ || !e.name.empty();
      if (e.name.empty()) filter_ |= e.target.symbol_filter();
      if (e.name.empty() && e.target.is(Kind::symbol)) {
        direct_[e.target] = &e - bindings.entries().data();
        direct_names_.emplace(e.target.name(), e.target);
      }
      if (e.name.empty() && !e.target.is(Kind::symbol)) direct_[e.target] = &e - bindings.entries().data();
      calls_ = calls_ || (e.name.empty() && e.target.is(Kind::call));
    }
    if (by_name_) filter_ = ~0U;
  }

  Expr apply(const Expr& root) { return rebuild_(root); }
  [[nodiscard]] const std::vector<char>& used() const { return used_; }

 private:
  bool replace(const Expr& e, Expr& result) {
    if (e.operands().empty() && !e.is(Kind::symbol)) {
      result = e;
      return true;
    }
    if ((e.symbol_filter() & filter_) == 0) {
      result = e;
      return true;
    }
    switch (e.kind()) {
      case Kind::symbol:
      case Kind::unknown_call:
        if (const Expr* value = lookup(e)) {
          result = *value;
          return true;
        }
        if (e.is(Kind::unknown_call)) check_left_behind(e);
        return false;
      case Kind::call:
        if (const Expr* value = calls_ ? lookup(e) : nullptr) {
          result = *value;
          return true;
        }
        return false;
      case Kind::integral: return replace_in_binder(e, result);  // an indefinite one too, which refuses
      case Kind::derivative: check_derivative(e); return false;
      default: return bound_symbol(e) != nullptr && replace_in_binder(e, result);
    }
  }

  const Expr* lookup(const Expr& e) {
    if (const auto* at = direct_.find(e)) {
      used_[static_cast<std::size_t>(*at)] = 1;
      return &bindings_.entries()[static_cast<std::size_t>(*at)].value;
    }
    if (!e.is(Kind::symbol) || is_function_head(e)) return nullptr;
    if (const auto at = direct_names_.find(e.name()); at != direct_names_.end() && are_namesakes(at->second, e))
      reject_namesakes(at->second, e);
    if (!by_name_) return nullptr;
    for (std::size_t i = 0; i < used_.size(); ++i) {
      if (bindings_.entries()[i].name == e.name()) {
        used_[i] = 1;
        return &bindings_.entries()[i].value;
      }
    }
    return nullptr;
  }

  // u(t) replaced, but not u'(t) beside it.
  void check_left_behind(const Expr& e) const {
    bool derived = false;
    std::vector<Expr> operands(e.operands().begin(), e.operands().end());
    for (std::size_t i = 2; i < operands.size(); i += 2) {
      derived = derived || !operands[i].is_integer(0);
      operands[i] = 0;
    }
    if (!derived) return;
    const auto* at = direct_.find(unknown_call(operands));
    if (at == nullptr) return;
    throw Error(ErrorKind::binding,
                fmt::format("{0} is replaced, but its derivative {1} occurs too and has no value of its own; replace "
                            "the function with all its derivatives by "
                            "substitute(expression, UnknownFunction(\"{2}\"), Function(...)), or bind {1} as well",
                            to_text(unknown_call(operands)), to_text(e), e.name()));
  }

  // Inside, the bound symbol hides a binding of its own, and must not occur in any value that is put in.
  bool replace_in_binder(const Expr& e, Expr& result) {
    std::vector<Expr> operands(e.operands().begin(), e.operands().end());
    const Expr bound = operands[1];
    if (operands.size() == 2) {
      if (bindings_.find(bound) != nullptr) {
        throw Error(ErrorKind::unsupported,
                    fmt::format("the variable {0} of an indefinite integral cannot be replaced; give the "
                                "integral limits first: integral(..., {0} from a to b)",
                                bound.name()));
      }
    }
    Bindings inside;
    bool captured = false;
    const bool definite = operands.size() != 2;
    for (const auto& entry : bindings_.entries()) {
      const bool hidden = definite && (entry.name.empty() ? entry.target == bound || (entry.target.is(Kind::call) &&
                                                                                      depends_on(entry.target, bound))
                                                          : entry.name == bound.name());
      if (hidden) continue;
      if (entry.name.empty()) {
        inside.set(entry.target, entry.value);
      } else {
        inside.set(entry.name, entry.value);
      }
      captured = captured || depends_on(entry.value, bound);
    }
    Expr variable = bound;
    Expr body = operands[0];
    if (captured) {
      std::string fresh = bound.name() + "_";
      const auto taken = [&](const std::string& name) {
        std::vector<Expr> all{e};
        for (const auto& entry : bindings_.entries()) all.push_back(entry.value);
        const auto free = free_symbols(all);
        return std::any_of(free.begin(), free.end(), [&](const Symbol& s) { return s.name() == name; });
      };
      while (taken(fresh)) fresh += "_";
      variable = Symbol(fresh, assumptions_of(bound));
      body = substitute(body, Bindings{{bound, variable}}, Unused::allowed);
    }
    Substitution inner(inside);
    operands[0] = inner.apply(body);
    operands[1] = variable;
    for (std::size_t i = 0; i < inside.entries().size(); ++i) {
      if (inner.used_[i] == 0) continue;
      for (std::size_t j = 0; j < used_.size(); ++j) {
        const auto& entry = bindings_.entries()[j];
        if (entry.name == inside.entries()[i].name &&
            (!entry.name.empty() || entry.target == inside.entries()[i].target))
          used_[j] = 1;
      }
    }
    Substitution outer(bindings_);
    for (std::size_t i = 2; i < operands.size(); ++i) operands[i] = outer.apply(operands[i]);
    merge_used(outer);
    result = with_operands(e, operands);
    return true;
  }

  void check_derivative(const Expr& e) const {
    for (std::size_t i = 1; i < e.operands().size(); i += 2) {
      const Expr* value = bindings_.find(e.operands()[i]);
      if (value != nullptr && !value->is(Kind::symbol)) {
        throw Error(
            ErrorKind::unsupported,
            fmt::format("{0} cannot be replaced under an unevaluated derivative with respect to {0}; derive first",
                        e.operands()[i].name()));
      }
    }
  }

  void merge_used(const Substitution& other) {
    for (std::size_t i = 0; i < used_.size(); ++i) used_[i] = static_cast<char>(used_[i] | other.used_[i]);
  }

  const Bindings& bindings_;
  std::vector<char> used_;
  NodeMap<std::ptrdiff_t> direct_;
  std::unordered_map<std::string, Expr> direct_names_;  // of the symbols among them
  bool by_name_ = false;
  bool calls_ = false;  // of the catalogue are among them
  std::uint32_t filter_ = 0;
  Rebuild rebuild_{[this](const Expr& e, Expr& result) { return replace(e, result); }};
};

void report_unused(std::span<const Expr> expressions, const Bindings& bindings, const std::vector<char>& used) {
  for (std::size_t i = 0; i < used.size(); ++i) {
    if (used[i] != 0) continue;
    const auto& entry = bindings.entries()[i];
    const std::string name = !entry.name.empty()           ? entry.name
                             : entry.target.is(Kind::call) ? to_text(entry.target, {60, {}})
                                                           : entry.target.name();
    std::vector<std::string> present;
    for (const Symbol& s : free_symbols(expressions)) present.push_back(s.name());
    for (const Expr& c : unknown_calls(expressions)) present.push_back(c.name());
    std::sort(present.begin(), present.end());
    present.erase(std::unique(present.begin(), present.end()), present.end());
    std::string text = fmt::format("'{}' does not occur in the expression", name);
    if (present.empty()) {
      text += ", which has no symbols";
    } else {
      text += suggestion(name, present);
      text += fmt::format(
          " (its symbols: {}{})",
          fmt::join(present.begin(),
                    present.begin() + static_cast<std::ptrdiff_t>(std::min<std::size_t>(present.size(), 12)), ", "),
          present.size() > 12 ? ", ..." : "");
    }
    throw Error(ErrorKind::binding, text);
  }
}

}  // namespace

std::vector<Expr> substitute(const ExprList& expressions, const Bindings& bindings, Unused unused) {
  if (bindings.empty()) return {expressions.begin(), expressions.end()};
  Substitution s(bindings);
  std::vector<Expr> results;
  results.reserve(expressions.size());
  for (const Expr& e : expressions) results.push_back(s.apply(e));
  if (unused == Unused::error) report_unused(expressions, bindings, s.used());
  return results;
}

Expr substitute(const Expr& expression, const Bindings& bindings, Unused unused) {
  return substitute(std::span<const Expr>(&expression, 1), bindings, unused)[0];
}

}  // namespace boreon
