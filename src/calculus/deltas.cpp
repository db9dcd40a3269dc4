// SPDX-License-Identifier: MIT
#include "calculus/deltas.hpp"

#include <optional>
#include <vector>

#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/symbol.hpp"
#include "boreon/traverse.hpp"

namespace boreon {
namespace {

// Array and indices of an element, open or not.
struct Place {
  Expr head;  // of an unknown call its call; of a symbol nothing but its name counts
  std::string array;
  std::vector<Expr> indices;
};

std::optional<Place> place_of(const Expr& e) {
  Place p;
  if (e.is(Kind::element)) {
    p.head = e.operands()[0];
    p.array = p.head.name();
    p.indices.assign(e.operands().begin() + 1, e.operands().end());
    return p;
  }
  if (!e.is(Kind::symbol) && !e.is(Kind::unknown_call)) return std::nullopt;
  if (e.is(Kind::symbol) && is_function_head(e)) return std::nullopt;
  const auto name = element_name(e.name());
  if (!name) return std::nullopt;
  p.head = e;
  p.array = name->array;
  for (const std::int64_t i : name->indices) p.indices.emplace_back(i);
  return p;
}

bool same_head(const Place& a, const Place& b) {
  if (a.array != b.array || a.head.kind() != b.head.kind()) return false;
  if (a.head.is(Kind::symbol)) return assumptions_of(a.head) == assumptions_of(b.head);
  const auto x = a.head.operands().subspan(1);
  const auto y = b.head.operands().subspan(1);
  return std::equal(x.begin(), x.end(), y.begin(), y.end());
}

// What k must be for the condition k = j to hold, if the condition says so; `rest` is what else it says.
struct Fixed {
  Expr value;
  Expr rest = truth(true);
};

std::optional<Fixed> fixed_by(const Expr& condition, const Expr& k) {
  std::vector<Expr> parts{condition};
  if (condition.is(Kind::logic) && condition.logic_op() == LogicOp::conjunction)
    parts.assign(condition.operands().begin(), condition.operands().end());
  for (std::size_t i = 0; i < parts.size(); ++i) {
    const Expr& p = parts[i];
    if (!p.is(Kind::relation) || p.relation_op() != RelationOp::equal) continue;
    const Expr difference = p.operands()[0] - p.operands()[1];
    bool gathered = false;  // k inside the index of another array can be no solution
    postorder(difference, [&](const Expr& e) { gathered = gathered || (e.is(Kind::element) && depends_on(e, k)); });
    if (gathered) continue;
    const Expr slope = derivative(difference, k);
    if (!slope.is_integer(1) && !slope.is_integer(-1)) continue;
    const Expr value = expand(substitute(slope.is_integer(1) ? -difference : difference, {{k, 0}}, Unused::allowed));
    if (depends_on(value, k)) continue;
    parts.erase(parts.begin() + static_cast<std::ptrdiff_t>(i));
    return Fixed{value, parts.empty() ? truth(true) : conjunction(parts)};
  }
  return std::nullopt;
}

// factor * piecewise(value if condition, 0 otherwise)
struct Delta {
  Expr factor;
  Expr value;
  Expr condition;
};

std::optional<Delta> delta_in(const Expr& term, const Expr& k) {
  const auto read = [&](const Expr& p, const Expr& others) -> std::optional<Delta> {
    if (!p.is(Kind::piecewise) || p.operands().size() != 3 || !p.operands()[2].is_integer(0)) return std::nullopt;
    if (!depends_on(p.operands()[1], k)) return std::nullopt;
    return Delta{others, p.operands()[0], p.operands()[1]};
  };
  if (term.is(Kind::piecewise)) return read(term, 1);
  if (!term.is(Kind::product)) return std::nullopt;
  for (const auto [base, exponent] : Parts(term)) {
    if (!exponent.is_integer(1)) continue;
    if (auto d = read(base, term / base)) return d;
  }
  return std::nullopt;
}

Expr where(const Expr& value, const Expr& condition) {
  if (value.is_integer(0)) return 0;
  const Expr branches[] = {value, condition, 0};
  return piecewise(branches);
}

// The terms of a sum, and of products with a sum that holds deltas: (delta - delta)*f.
void spread(const Expr& e, const Expr& k, std::vector<Expr>& terms) {
  constexpr std::size_t most = 1000;
  if (e.is(Kind::sum)) {
    for (const auto [t, c] : Parts(e)) spread(c * t, k, terms);
    if (!e.operands()[0].is_integer(0)) terms.push_back(e.operands()[0]);
    return;
  }
  if (e.is(Kind::product) && terms.size() < most) {
    for (const auto [base, exponent] : Parts(e)) {
      if (!exponent.is_integer(1) || !base.is(Kind::sum)) continue;
      bool deltas = false;
      for (const auto [t, c] : Parts(base)) deltas = deltas || delta_in(t, k).has_value();
      if (!deltas) continue;
      const Expr others = e / base;
      for (const auto [t, c] : Parts(base)) spread(c * t * others, k, terms);
      if (!base.operands()[0].is_integer(0)) spread(base.operands()[0] * others, k, terms);
      return;
    }
  }
  terms.push_back(e);
}

Expr fresh_symbol(const Expr& like, const Expr& a, const Expr& b) {
  std::string name = like.name() + "_";
  const auto free = free_symbols(std::vector<Expr>{a, b});
  while (std::any_of(free.begin(), free.end(), [&](const Symbol& s) { return s.name() == name; })) name += "_";
  return Symbol(name, assumptions_of(like));
}

}  // namespace

Expr same_place(const Expr& a, const Expr& b) {
  if (!a.is(Kind::element) && !b.is(Kind::element)) return truth(a == b);
  const auto x = place_of(a);
  const auto y = place_of(b);
  if (!x || !y || !same_head(*x, *y)) return truth(false);
  if (x->indices.size() != y->indices.size())
    throw Error(ErrorKind::shape, "the array " + x->array + " is used with " + std::to_string(x->indices.size()) +
                                      " and with " + std::to_string(y->indices.size()) + " indices");
  std::vector<Expr> conditions;
  for (std::size_t i = 0; i < x->indices.size(); ++i) {
    const Expr difference = x->indices[i] - y->indices[i];
    conditions.push_back(difference.is_number() ? truth(difference.is_integer(0))
                                                : equal(x->indices[i], y->indices[i]));
  }
  return conjunction(conditions);
}

Expr sum_over_deltas(const Expr& term, const Expr& k, const Expr& from, const Expr& to) {
  std::vector<Expr> terms;
  spread(term, k, terms);
  Expr result;
  Expr open;
  for (const Expr& t : terms) {
    const auto delta = delta_in(t, k);
    const auto fixed = delta ? fixed_by(delta->condition, k) : std::nullopt;
    if (!fixed) {
      open += t;
      continue;
    }
    const Bindings at{{k, fixed->value}};
    const Expr conditions[] = {less_equal(from, fixed->value), less_equal(fixed->value, to),
                               substitute(fixed->rest, at, Unused::allowed)};
    result += where(substitute(delta->factor * delta->value, at, Unused::allowed), conjunction(conditions));
  }
  if (!open.is_integer(0)) result += unevaluated_sum(open, k, from, to);
  return result;
}

Expr derivative_of_reduction(const Expr& e, const Expr& variable, const std::function<Expr(const Expr&)>& derive) {
  const auto o = e.operands();
  Expr k = o[1];
  Expr body = o[0];
  // d/dT[k] of a sum over another k, or one up to another k.
  if (depends_on(variable, k) || depends_on(o[2], k) || depends_on(o[3], k)) {
    k = fresh_symbol(k, e, variable);
    body = substitute(body, {{o[1], k}}, Unused::allowed);
  }
  const Expr inner = derive(body);
  if (inner.is_integer(0)) return 0;
  switch (e.reduction_op()) {
    case ReductionOp::sum: return sum_over_deltas(inner, k, o[2], o[3]);
    case ReductionOp::product: {
      // one factor derived, the others as they are: a quotient by the factor would fail where it is 0
      const Expr m = fresh_symbol(k, e, variable);
      const Expr branches[] = {1, equal(m, k), substitute(body, {{k, m}}, Unused::allowed)};
      return sum_over_deltas(inner * unevaluated_reduction(ReductionOp::product, piecewise(branches), m, o[2], o[3]), k,
                             o[2], o[3]);
    }
    default:
      throw Error(ErrorKind::unsupported,
                  "the least or greatest over an open range cannot be derived: write it out first (its range must be "
                  "numbers)");
  }
}

}  // namespace boreon
