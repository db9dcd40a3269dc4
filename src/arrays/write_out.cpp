// SPDX-License-Identifier: MIT
#include "arrays/write_out.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "boreon/arrays.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"
#include "expr/work.hpp"

namespace boreon {
namespace {

constexpr int deepest = 400;

Expr combined(ReductionOp op, std::vector<Expr> terms) {
  switch (op) {
    case ReductionOp::sum: return add(terms);
    case ReductionOp::product: {
      terms.insert(terms.begin(), Expr(1));
      return multiply(terms);
    }
    case ReductionOp::minimum:
    case ReductionOp::maximum: break;
  }
  if (terms.empty())
    throw Error(ErrorKind::domain, "the least or greatest of no values at all has no value: its range is empty");
  // halves, so that the expression stays flat
  while (terms.size() > 1) {
    std::vector<Expr> next;
    for (std::size_t i = 0; i + 1 < terms.size(); i += 2)
      next.push_back(op == ReductionOp::minimum ? min(terms[i], terms[i + 1]) : max(terms[i], terms[i + 1]));
    if (terms.size() % 2 == 1) next.push_back(terms.back());
    terms = std::move(next);
  }
  return terms[0];
}

}  // namespace

WriteOut::WriteOut(Options options, Numbers sizes) : options_(std::move(options)) {
  for (const auto& [symbol, value] : sizes) sizes_.add(symbol, value);
}

Expr WriteOut::operator()(const Expr& e, const Numbers& indices) {
  keep_.push_back(e);
  depth_ = 0;
  Scope scope;
  for (const auto& [symbol, value] : indices) scope.add(symbol, value);
  return write(e, scope, false);
}

bool WriteOut::plain(const Expr& root) {
  if (const char* known = plain_.find(root)) return *known != 0;
  postorder(
      std::span<const Expr>(&root, 1),
      [&](const Expr& e) {
        if (plain_.contains(e)) return;
        bool is_plain = !e.is(Kind::element) && !e.is(Kind::reduction);
        if (is_plain && (e.is(Kind::symbol) || e.is(Kind::unknown_call)) && options_.element)
          is_plain = !e.name().ends_with(']');
        for (const Expr& o : e.operands()) is_plain = is_plain && plain_.at(o) != 0;
        plain_[e] = is_plain ? 1 : 0;
      },
      [&](const Expr& e) { return !plain_.contains(e); });
  return plain_.at(root) != 0;
}

bool WriteOut::uses(const Expr& e, const Scope& scope) {
  if ((e.symbol_filter() & scope.filter) == 0) return false;
  return std::any_of(scope.numbers.begin(), scope.numbers.end(), [&](const auto& n) { return depends_on(e, n.first); });
}

const Expr* WriteOut::value_of(const Expr& symbol, const Scope& scope) const {
  // what stands further in hides what stands outside
  for (const Scope* s : {&scope, &sizes_}) {
    if ((symbol.symbol_filter() & s->filter) == 0) continue;
    const auto at =
        std::find_if(s->numbers.rbegin(), s->numbers.rend(), [&](const auto& n) { return n.first == symbol; });
    if (at != s->numbers.rend()) return &at->second;
  }
  return nullptr;
}

Expr WriteOut::write(const Expr& e, const Scope& scope, bool as_number) {
  if (++depth_ > deepest) {
    depth_ = 0;
    throw Error(ErrorKind::limit, fmt::format("conditions, sums and indices are nested more than {} deep", deepest));
  }
  Rebuild pass([&](const Expr& x, Expr& result) { return replace(x, scope, as_number, result); });
  Expr result = pass(e);
  --depth_;
  return result;
}

bool WriteOut::replace(const Expr& e, const Scope& scope, bool as_number, Expr& result) {
  const bool in_scope = (e.symbol_filter() & (scope.filter | sizes_.filter)) != 0;
  if (e.is(Kind::symbol) && !is_function_head(e)) {
    if (const Expr* value = in_scope ? value_of(e, scope) : nullptr; value != nullptr) {
      result = *value;
      return true;
    }
    if (options_.element && e.name().ends_with(']')) {
      result = element_of(e, scope, as_number);
      return true;
    }
    return false;
  }
  if (!in_scope && plain(e)) {
    result = e;
    return true;
  }
  switch (e.kind()) {
    case Kind::unknown_call:
      if (!options_.element || !e.name().ends_with(']')) return false;
      result = element_of(e, scope, as_number);
      return true;
    case Kind::element: result = element_of(e, scope, as_number); return true;
    case Kind::relation: {
      // an index is compared with numbers only
      const auto& o = e.operands();
      const bool exact = e.relation_op() == RelationOp::equal || e.relation_op() == RelationOp::not_equal;
      result = relation(e.relation_op(), write(o[0], scope, exact), write(o[1], scope, exact));
      return true;
    }
    case Kind::piecewise: result = piecewise_of(e, scope, as_number); return true;
    case Kind::reduction: {
      // A sum that does not depend on the indices is the same for all of them.
      if (uses(e, scope)) {
        result = reduction(e, scope);
        return true;
      }
      if (const Expr* known = done_.find(e)) {
        result = *known;
        return true;
      }
      result = reduction(e, {});
      keep_.push_back(e);
      done_[e] = result;
      return true;
    }
    default:
      if (bound_symbol(e) == nullptr) return false;
      result = binder(e, scope);
      return true;
  }
}

Expr WriteOut::element_of(const Expr& e, const Scope& scope, bool as_number) {
  Expr head;
  std::vector<Expr> indices;
  if (e.is(Kind::element)) {
    head = e.operands()[0];
    for (const Expr& i : e.operands().subspan(1)) indices.push_back(write(i, scope, true));
  } else {
    const auto name = element_name(e.name());
    if (!name) return e;
    for (const std::int64_t i : name->indices) indices.emplace_back(i);
    if (e.is(Kind::symbol)) {
      head = Symbol(name->array, assumptions_of(e));
    } else {
      std::vector<Expr> operands(e.operands().begin(), e.operands().end());
      const Expr symbol[] = {operands[1]};
      operands[0] = UnknownFunction(name->array).call(symbol).operands()[0];
      head = unknown_call(operands);
    }
  }
  return options_.element ? options_.element(head, indices, as_number) : element(head, indices);
}

Expr WriteOut::reduction(const Expr& e, const Scope& scope) {
  const auto o = e.operands();
  const Expr from = write(o[2], scope, true);
  const Expr to = write(o[3], scope, true);
  std::int64_t terms = 0;
  for (const Expr* end : {&from, &to}) {
    if (end->is_number() && !end->word())
      throw Error(ErrorKind::shape,
                  fmt::format("{} is no bound of a sum over {}: it must be a whole number, an integer",
                              end->number().to_string(), o[1].name()));
  }
  const bool counted = from.word() && to.word() && !__builtin_sub_overflow(*to.word(), *from.word(), &terms);
  if (counted && terms >= options_.most && options_.element && !options_.long_ones_stay)
    throw Error(ErrorKind::limit, fmt::format("the range of {} from {} to {} has more than {} terms", o[1].name(),
                                              *from.word(), *to.word(), options_.most));
  Scope with = scope;
  if (!counted || terms >= options_.most) {
    with.add(o[1], o[1]);
    return unevaluated_reduction(e.reduction_op(), write(o[0], with, false), o[1], from, to);
  }
  spend(static_cast<std::uint64_t>(std::max<std::int64_t>(terms, 0) + 1));
  std::vector<Expr> list;
  with.add(o[1], 0);
  for (std::int64_t k = *from.word(); k <= *to.word(); ++k) {
    with.numbers.back().second = k;
    list.push_back(write(o[0], with, false));
  }
  return combined(e.reduction_op(), std::move(list));
}

// Only the branches that can be taken are looked at: elsewhere their elements need not exist.
Expr WriteOut::piecewise_of(const Expr& e, const Scope& scope, bool as_number) {
  const auto o = e.operands();
  std::vector<Expr> branches;
  for (std::size_t i = 0; i < o.size(); i += 2) {
    if (i + 1 == o.size()) {
      branches.push_back(write(o[i], scope, as_number));
      break;
    }
    const Expr condition = write(o[i + 1], scope, false);
    if (condition.is_constant(ConstantCode::false_value)) continue;
    branches.push_back(write(o[i], scope, as_number));
    if (condition.is_constant(ConstantCode::true_value)) break;
    branches.push_back(condition);
  }
  if (branches.empty()) return undefined();
  return branches.size() == 1 ? branches[0] : piecewise(branches);
}

Expr WriteOut::binder(const Expr& e, const Scope& scope) {
  std::vector<Expr> operands(e.operands().begin(), e.operands().end());
  Scope inner = scope;
  inner.add(operands[1], operands[1]);
  operands[0] = write(operands[0], inner, false);
  for (std::size_t i = 2; i < operands.size(); ++i) operands[i] = write(operands[i], scope, false);
  return with_operands(e, operands);
}

Expr written_out(const Expr& expression, std::int64_t most) { return WriteOut({{}, most})(expression); }

}  // namespace boreon
