// SPDX-License-Identifier: MIT
#include "fields/sums.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <optional>

#include "arrays/placeholder.hpp"
#include "boreon/symbol.hpp"
#include "fields/body.hpp"
#include "fields/cuts.hpp"

namespace boreon {
namespace {

constexpr int deepest_sum = 20;

}  // namespace

// A product of three factors and more, summed over several indices: one of them is summed first where only some factors
// have it, which saves the product of the sizes of the others. The indices that are left are those of `all` then.
Expr SumPlanner::with_inner_sums(Expr body, std::vector<std::pair<Expr, Expr>>& names, std::vector<Extent>& all,
                                 std::size_t free) {
  while (all.size() > free + 1 && body.is(Kind::product)) {
    std::vector<Expr> factors;
    for (const auto [base, exponent] : Parts(body)) factors.push_back(power(base, exponent));
    if (factors.size() < 3) break;
    const auto bound = [&](std::size_t n) {  // the symbol of a summed dimension
      return std::find_if(names.begin(), names.end(), [&](const auto& s) { return s.second == place_symbol(n); })
          ->first;
    };
    std::optional<std::size_t> first;
    double least = 0;
    for (std::size_t n = free; n < all.size(); ++n) {
      double cost = 1;
      std::size_t with = 0;
      std::vector<Expr> inner;
      for (const Expr& f : factors) {
        if (!depends_on(f, bound(n))) continue;
        ++with;
        inner.push_back(f);
      }
      if (with < 2 || with == factors.size()) continue;
      bool smaller = false;  // whether the others have an index that these do not
      for (std::size_t d = 0; d < all.size(); ++d) {
        const bool here =
            std::any_of(inner.begin(), inner.end(), [&](const Expr& f) { return depends_on(f, bound(d)); });
        cost *= here ? static_cast<double>(all[d].places()) : 1;
        smaller = smaller || !here;
      }
      if (!smaller || (first && cost >= least)) continue;
      first = n;
      least = cost;
    }
    if (!first) break;
    const Expr symbol = bound(*first);
    std::vector<Expr> inner;
    std::vector<Expr> outer{body.operands()[0]};
    for (const Expr& f : factors) (depends_on(f, symbol) ? inner : outer).push_back(f);
    outer.push_back(unevaluated_sum(multiply(inner), symbol, all[*first].from, all[*first].to));
    body = multiply(outer);
    all.erase(all.begin() + static_cast<std::ptrdiff_t>(*first));
    std::erase_if(names, [&](const auto& s) { return s.first == symbol; });
    for (auto& s : names) {
      const auto d = dimension_of_place(s.second);
      if (d && *d > *first) s.second = place_symbol(*d - 1);
    }
  }
  return body;
}

FieldEntry SumPlanner::entry(const Expr& reduction, std::span<const Extent> dimensions) {
  const ReductionOp op = reduction.reduction_op();
  std::vector<std::pair<Expr, Expr>> names;
  std::vector<Extent> all;
  std::vector<std::size_t> outside;
  for (std::size_t k = 0; k < dimensions.size(); ++k) {
    if (!depends_on(reduction, place_symbol(k))) continue;
    names.emplace_back(place_symbol(k), place_symbol(outside.size()));
    all.push_back(dimensions[k]);
    outside.push_back(k);
  }
  const std::size_t free = outside.size();
  Expr body = reduction;
  while (body.is(Kind::reduction) && body.reduction_op() == op) {
    const auto o = body.operands();
    const auto from = o[2].word();
    const auto to = o[3].word();
    if (!from || !to) {
      if (all.size() > free) break;  // a sum of its own inside
      throw Error(ErrorKind::unsupported, fmt::format("the range of {} from {} to {} is not the same at all places",
                                                      o[1].name(), to_text(o[2], {40}), to_text(o[3], {40})));
    }
    // an inner symbol of the same name hides the outer one
    std::erase_if(names, [&](const auto& n) { return n.first == o[1]; });
    names.emplace_back(o[1], place_symbol(all.size()));
    all.push_back({*from, *to, false, o[1].name()});
    const Expr inner = o[0];
    body = inner;
  }
  if (op == ReductionOp::sum) body = with_inner_sums(body, names, all, free);
  body = renamed(body, names);
  const std::size_t number = plan(body, op, all, free);
  FieldEntry e;
  e.array = number;
  e.strides.assign(dimensions.size(), 0);
  std::int64_t stride = 1;
  for (std::size_t n = free; n-- > 0;) {
    e.strides[outside[n]] = stride;
    e.base -= stride * all[n].from;
    stride *= all[n].places();
  }
  return e;
}

// The number of the array that holds it.
std::size_t SumPlanner::plan(const Expr& body, ReductionOp op, std::span<const Extent> all, std::size_t free) {
  for (const Known& k : known_) {
    if (k.body == body && k.op == op && k.free == free &&
        std::equal(k.all.begin(), k.all.end(), all.begin(), all.end()))
      return k.number;
  }
  if (++depth_ > deepest_sum) throw Error(ErrorKind::limit, "sums within sums are nested too deep");
  FieldSum s;
  s.op = op;
  s.free = free;
  std::vector<std::int64_t> strides(all.size(), 0);
  std::int64_t elements = 1;
  for (std::size_t k = free; k-- > 0;) {
    strides[k] = elements;
    elements *= all[k].places();
  }
  s.elements = static_cast<std::size_t>(elements);
  Cuts cuts(all);
  cuts.add(body, layout_);
  s.boxes = boxes_of(cuts, "a sum");
  const BodyReader::SumEntry inner = [&](const Expr& e) { return entry(e, all); };
  for (FieldBox& box : s.boxes) {
    FieldBox::Row r;
    r.value = BodyReader(layout_, box, inner)(body);
    r.strides = strides;
    for (std::size_t k = 0; k < free; ++k) r.base -= strides[k] * all[k].from;
    box.rows.push_back(std::move(r));
  }
  sums_.push_back(std::move(s));
  --depth_;
  const std::size_t number = layout_.arrays() + sums_.size() - 1;
  known_.push_back({body, op, {all.begin(), all.end()}, free, number});
  return number;
}

}  // namespace boreon
