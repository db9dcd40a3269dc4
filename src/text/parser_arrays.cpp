// SPDX-License-Identifier: MIT
// Elements T[i, j], slices, and what operators and functions do to arrays as a whole.
#include <fmt/format.h>

#include <algorithm>

#include "arrays/placeholder.hpp"
#include "boreon/functions.hpp"
#include "boreon/traverse.hpp"
#include "text/parser.hpp"

namespace boreon {

const NamedArray* Parser::array_called(const Token& t) const {
  if (!context_.arrays || t.quoted || names_.bound(t.text)) return nullptr;
  try {
    return context_.arrays(t.text);
  } catch (const Error& e) {
    if (e.position().known()) throw;
    errors_.fail(e.kind(), e.message(), t.at);
  }
}

// T or T' of an unknown array, the plain symbol of another.
Expr Parser::head_of(const Token& t, const NamedArray* a) const {
  if (a == nullptr) return names_.value(t);
  if (t.primes == 0) return a->head;
  if (!a->head.is(Kind::unknown_call))
    errors_.fail(ErrorKind::name,
                 fmt::format("the array {} does not depend on {}, so it has no derivative; declare it as an unknown to "
                             "derive it",
                             t.text, context_.independent.name()),
                 t.at);
  return NameResolver::raised(a->head, t.primes);
}

Array Parser::whole(const NamedArray& a, const Token& t, const Expr& head) {
  std::vector<Expr> first;
  std::vector<Expr> extents;
  for (const IndexRange& d : a.dimensions) {
    first.push_back(d.from);
    extents.push_back(d.to - d.from + 1);
  }
  return Array::of(head, first, extents).called(t.text + std::string(static_cast<std::size_t>(t.primes), '\''));
}

Array Parser::value(const Token& t) {
  const NamedArray* a = array_called(t);
  if (a == nullptr) return names_.value(t);
  return guarded(t.at, [&] { return whole(*a, t, head_of(t, a)); });
}

// Behind a name, or behind an expression that is an array.
void Parser::open_element(const Token& t) {
  if (t.type == Token::Type::name) {
    frames_.push_back({Frame::Type::element, t, tokens_[at_ + 1].at, pending_.size()});
    at_ += 2;
  } else {
    Array& last = values_.back();
    if (last.rank() == 0)
      errors_.fail(ErrorKind::shape, "only arrays have elements, and what stands before this bracket is a number",
                   t.at);
    Frame f{Frame::Type::element, {}, t.at, pending_.size()};
    f.args.push_back(pop());
    frames_.push_back(std::move(f));
    ++at_;
  }
  expect_operand_ = true;
}

// The place, or the range of places, before a comma or bracket.
void Parser::place(Frame& f, std::size_t at) {
  Expr last = guarded(at, [&] { return pop_scalar("an index"); });
  if (f.stage == 1) {
    f.places.back() = Array::Range(f.places.back().from, std::move(last));
    f.stage = 0;
  } else {
    f.places.emplace_back(std::move(last));
  }
  expect_operand_ = true;
}

void Parser::close_element(const Token& t) {
  reduce_all();
  if (frames_.empty() || frames_.back().type != Frame::Type::element) {
    errors_.fail(ErrorKind::syntax,
                 t.is("]") ? "there is no open bracket to close"
                           : "a range of places belongs inside the brackets of an array: A[2..8]",
                 t.at);
  }
  Frame& f = frames_.back();
  ++at_;
  if (t.is("..")) {
    if (f.stage == 1) errors_.fail(ErrorKind::syntax, "a range has two ends: A[2..8]", t.at);
    place(f, t.at);
    f.stage = 1;
    return;
  }
  place(f, t.at);
  Array value = guarded(f.head.type == Token::Type::name ? f.head.at : f.at, [&] { return element_of(f); });
  finish(std::move(value));
  if (t.primes == 0 && !tokens_[at_].is("(")) return;
  // T[i, j]'(x): an element of a function
  const Expr e = values_.back().body();
  const bool function =
      values_.back().rank() == 0 && (e.is(Kind::element) ? e.operands()[0].is(Kind::symbol) : e.is(Kind::symbol));
  if (!function || !tokens_[at_].is("(") || f.head.primes > 0 || context_.strict)
    errors_.fail(ErrorKind::syntax,
                 "a prime behind the bracket needs an argument, T[i]'(x); by the independent variable write T'[i]",
                 t.at);
  Frame call{Frame::Type::call, t, tokens_[at_].at, pending_.size()};  // its head is the bracket
  call.args.push_back(pop());
  ++at_;
  frames_.push_back(std::move(call));
  expect_operand_ = true;
}

// An element that has been declared by its full name, T[3, 4], or that of an array nothing is said of.
Expr Parser::undeclared_element(const Frame& f) {
  std::vector<Expr> places;
  ElementName name{f.head.text, {}};
  for (const Array::Range& r : f.places) {
    places.push_back(r.from);
    if (const auto i = r.from.word()) name.indices.push_back(*i);
  }
  if (name.indices.size() == places.size()) {
    if (const auto known = context_.names.find(to_string(name)); known != context_.names.end()) {
      if (f.head.primes == 0) return known->second;
      if (known->second.is(Kind::unknown_call)) return NameResolver::raised(known->second, f.head.primes);
    }
  }
  const Expr head = names_.value(f.head);
  if (context_.strict) throw Error(ErrorKind::shape, fmt::format("{} is no array: it has no elements", f.head.text));
  return element(head, places);
}

Array Parser::element_of(const Frame& f) {
  if (!f.args.empty()) {
    const bool plain = std::all_of(f.places.begin(), f.places.end(), [](const auto& r) { return r.single; });
    if (!plain) return f.args[0].slice(f.places);
    std::vector<Expr> places;
    for (const Array::Range& r : f.places) places.push_back(r.from);
    return f.args[0].at(places);
  }
  const NamedArray* a = array_called(f.head);
  const bool slice = std::any_of(f.places.begin(), f.places.end(), [](const auto& r) { return !r.single; });
  if (a == nullptr) {
    if (slice)
      throw Error(ErrorKind::shape, fmt::format("{} has no shape here, so no part of it can be taken", f.head.text));
    return undeclared_element(f);
  }
  const Expr head = head_of(f.head, a);
  const std::string name = f.head.text;
  if (f.places.size() != a->dimensions.size()) {
    std::string form;
    for (const IndexRange& d : a->dimensions) form += (form.empty() ? "" : ", ") + d.name;
    throw Error(ErrorKind::shape, fmt::format("{} has {} {}, but {} {} given: {}[{}]", name, a->dimensions.size(),
                                              a->dimensions.size() == 1 ? "index" : "indices", f.places.size(),
                                              f.places.size() == 1 ? "is" : "are", name, form));
  }
  std::vector<Expr> places;
  std::vector<Expr> open;
  std::vector<Expr> extents;
  std::vector<Expr> given;
  for (const Array::Range& r : f.places) given.push_back(r.from);
  const std::size_t last = last_placeholder(given);
  for (std::size_t i = 0; i < f.places.size(); ++i) {
    const IndexRange& d = a->dimensions[i];
    const Array::Range& r = f.places[i];
    places.push_back(d.inside(r.from, name, i));
    if (r.single) continue;
    (void)d.inside(r.to, name, i);
    open.push_back(placeholder(last + 1 + i));
    places.back() = r.from + open.back();
    extents.push_back(r.to - r.from + 1);
  }
  if (!slice) return element(head, places);
  return Array::over(element(head, places), open, extents).called(name + "[...]");
}

Array Parser::reduced_arrays(const Pending& p) {
  const auto& items = p.items;
  switch (p.op) {
    case Op::sum: {
      Array s = items[0];
      for (std::size_t i = 1; i < items.size(); ++i) s = s + items[i];
      return s;
    }
    case Op::product: {
      Array s = items[0];
      for (std::size_t i = 1; i < items.size(); ++i) s = s * items[i];
      return s;
    }
    case Op::minus: return -items[0];
    case Op::power:
      throw Error(
          ErrorKind::shape,
          fmt::format("a power of the array {} could mean a product of matrices or powers of elements; write {} or "
                      "indices",
                      items[0].label(), items[0].rank() == 2 ? "A*A" : "A[i]^2"));
    case Op::relation: return map([&](std::span<const Expr> x) { return chain(p.relation, x); }, items);
    case Op::negation:
    case Op::conjunction:
    case Op::disjunction: return map([&](std::span<const Expr> x) { return reduced(p, {x.begin(), x.end()}); }, items);
  }
  return {0};
}

Expr Parser::call_of_element(const Frame& f) const {
  const Expr e = f.args[0].body();
  if (f.args.size() != 2 || f.args[1].rank() > 0)
    throw Error(ErrorKind::shape, "an element of an unknown function takes one argument: T[i](x)");
  const Expr argument[] = {f.args[1].body()};
  const int order[] = {f.head.primes};
  if (e.is(Kind::symbol)) return UnknownFunction(e.name()).derivative_at(argument, order);
  return element(UnknownFunction(e.operands()[0].name()).derivative_at(argument, order), e.operands().subspan(1));
}

bool Parser::is_array_function(const Token& t) const {
  static constexpr std::string_view words[] = {"transpose", "trace", "dot", "outer"};
  return context_.arrays && !t.quoted && t.primes == 0 && !names_.declared(t.text) &&
         std::find(std::begin(words), std::end(words), t.text) != std::end(words);
}

Array Parser::array_call(const Frame& f) {
  const std::string& name = f.head.text;
  const auto takes = [&](std::size_t n) {
    if (f.args.size() != n)
      throw Error(ErrorKind::shape,
                  fmt::format("{} takes {} array{}, got {} arguments", name, n, n == 1 ? "" : "s", f.args.size()));
  };
  if (is_array_function(f.head)) {
    if (name == "transpose") return takes(1), transpose(f.args[0]);
    if (name == "trace") return takes(1), Array(trace(f.args[0]));
    if (name == "dot") return takes(2), Array(dot(f.args[0], f.args[1]));
    if (name == "outer") return takes(2), outer(f.args[0], f.args[1]);
  }
  if ((name == "max" || name == "min") && f.args.size() == 1)
    throw Error(ErrorKind::shape,
                fmt::format("the {} of an array runs over its indices: {}({}[i], i)",
                            name == "max" ? "greatest element" : "least element", name, f.args[0].label()));
  std::string label = name + "(";
  for (const Array& a : f.args) label += (label.ends_with('(') ? "" : ", ") + a.label();
  return map([&](std::span<const Expr> x) { return call_of(f, x); }, f.args).called(label + ")");
}

}  // namespace boreon
