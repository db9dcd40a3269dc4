// SPDX-License-Identifier: MIT
// Gradients of sums over fields: the places of each element that a term reads are turned round.
#include <fmt/format.h>

#include <algorithm>

#include "arrays/element_parts.hpp"
#include "arrays/placeholder.hpp"
#include "boreon/calculus.hpp"
#include "boreon/fields.hpp"
#include "boreon/symbol.hpp"
#include "boreon/traverse.hpp"
#include "fields/body.hpp"
#include "fields/inlined.hpp"

namespace boreon {
namespace {

constexpr std::int64_t longest_written = 4;  // terms of a sum that is none of the gradient's loops

// The place of the gradient in dimension k of an unknown.
Expr target_index(std::size_t k) { return place_symbol(most_dimensions_of_a_field + k); }

// A bound index and its range.
struct Bound {
  Expr symbol;
  Expr from;
  Expr to;
};

class GradientMaker {
 public:
  GradientMaker(const FieldSystem& system, const FieldLayout& layout)
      : system_(system), layout_(layout), values_(system.unknowns.size()) {}

  void add(const Expr& functional) {
    // dF/dS for each sum S, times what the terms of S give.
    std::vector<std::pair<Expr, Expr>> sums;
    const auto collect = [&](const Expr& e) {
      if (!e.is(Kind::reduction)) return;
      if (std::none_of(sums.begin(), sums.end(), [&](const auto& s) { return s.first == e; }))
        sums.emplace_back(e, entry_symbol(first_sum_ + sums.size()));
    };
    postorder(std::span<const Expr>(&functional, 1), collect, [](const Expr& e) { return !e.is(Kind::reduction); });
    const Expr outer = renamed(functional, sums);
    std::vector<std::pair<Expr, Expr>> back;
    for (const auto& [sum, symbol] : sums) back.emplace_back(symbol, sum);
    for (const auto& [sum, symbol] : sums) {
      const Expr factor = renamed(derivative(outer, symbol), back);
      if (factor.is_integer(0)) continue;
      std::vector<Bound> bounds;
      Expr body = sum;
      while (body.is(Kind::reduction)) {
        if (body.reduction_op() != ReductionOp::sum)
          throw Error(ErrorKind::unsupported, "gradients are made of sums, not of products or extremes over ranges");
        const auto o = body.operands();
        bounds.push_back({o[1], o[2], o[3]});
        const Expr inner = o[0];
        body = inner;
      }
      terms(body, factor, bounds);
    }
    terms(outer, 1, {}, back);
  }

  [[nodiscard]] const std::vector<Expr>& values() const { return values_; }

 private:
  // What the elements in a body give, summed over the bounds.
  void terms(const Expr& body, const Expr& factor, const std::vector<Bound>& bounds,
             const std::vector<std::pair<Expr, Expr>>& back = {}) {
    struct Read {
      std::size_t unknown;
      ElementParts parts;
    };
    std::vector<std::pair<Expr, Expr>> symbols;
    std::vector<Read> reads;
    const auto collect = [&](const Expr& e) {
      if (e.is(Kind::reduction))
        throw Error(ErrorKind::unsupported, "sums within functions within sums have no gradient here");
      if (e.is(Kind::symbol) && is_function_head(e)) return;
      const auto parts = element_parts(e);
      const Expr& head = parts ? parts->head : e;
      for (std::size_t u = 0; u < system_.unknowns.size(); ++u) {
        if (!(system_.unknowns[u].head == head) || (!parts && !system_.unknowns[u].dimensions.empty())) continue;
        symbols.emplace_back(e, entry_symbol(symbols.size()));
        reads.push_back({u, parts ? *parts : ElementParts{e, {}}});
      }
    };
    postorder(std::span<const Expr>(&body, 1), collect, [](const Expr& e) { return !e.is(Kind::element); });
    const Expr plain = renamed(body, symbols);
    std::vector<std::pair<Expr, Expr>> elements = back;
    for (const auto& [element, symbol] : symbols) elements.emplace_back(symbol, element);
    for (std::size_t n = 0; n < reads.size(); ++n) {
      const Expr value = renamed(derivative(plain, symbols[n].second), elements);
      if (value.is_integer(0)) continue;
      turned_round(reads[n].unknown, reads[n].parts.places, factor * value, bounds, 0, {}, {});
    }
  }

  // From dimension d on: for which indices of the sum the element is the one asked for.
  void turned_round(std::size_t u, const std::vector<Expr>& places, const Expr& value, const std::vector<Bound>& bounds,
                    std::size_t d, std::vector<std::pair<Expr, Expr>> found, std::vector<Expr> conditions) {
    const ArrayLayout& array = layout_.targets()[u];
    if (places.size() != array.dimensions.size())
      throw Error(ErrorKind::shape, fmt::format("{} has {} indices, but {} are given", array.name,
                                                array.dimensions.size(), places.size()));
    if (d == places.size()) {
      finish(u, value, bounds, found, conditions);
      return;
    }
    const Extent& range = array.dimensions[d];
    const Expr at = target_index(d);
    const Bound* with = nullptr;
    for (const Bound& b : bounds) {
      if (!depends_on(places[d], b.symbol)) continue;
      if (with != nullptr) fail(places[d]);
      with = &b;
    }
    const auto [least, most] = wraps_of(places[d], with, range);
    for (std::int64_t wraps = least; wraps <= most; ++wraps) {
      const Expr target = at + wraps * range.places();
      auto next = found;
      auto needed = conditions;
      if (with == nullptr) {
        needed.push_back(equal(places[d], target));
      } else {
        // place = s*k + c
        const Expr slope = derivative(places[d], with->symbol);
        if (!slope.is_integer(1) && !slope.is_integer(-1)) fail(places[d]);
        const Expr index = slope * (target - (places[d] - slope * with->symbol));
        const auto known =
            std::find_if(next.begin(), next.end(), [&](const auto& f) { return f.first == with->symbol; });
        if (known != next.end()) {
          needed.push_back(equal(known->second, index));
        } else {
          next.emplace_back(with->symbol, index);
        }
      }
      turned_round(u, places, value, bounds, d + 1, std::move(next), std::move(needed));
    }
  }

  // How often a place may have gone round a periodic dimension.
  std::pair<std::int64_t, std::int64_t> wraps_of(const Expr& place, const Bound* with, const Extent& range) const {
    if (!range.periodic) return {0, 0};
    constexpr std::int64_t most_wraps = 100;
    std::int64_t least = 0;
    std::int64_t greatest = 0;
    for (const bool last : {false, true}) {
      Expr end = place;
      if (with != nullptr) {
        const std::pair<Expr, Expr> value[] = {{with->symbol, last ? with->to : with->from}};
        end = renamed(place, value);
      }
      const std::int64_t w = floor_divide(layout_.number(end, "a place") - range.from, range.places());
      least = last ? std::min(least, w) : w;
      greatest = last ? std::max(greatest, w) : w;
    }
    if (greatest - least > most_wraps) fail(place);
    return {least, greatest};
  }

  void finish(std::size_t u, Expr value, const std::vector<Bound>& bounds,
              const std::vector<std::pair<Expr, Expr>>& found, std::vector<Expr> conditions) {
    for (auto b = bounds.rbegin(); b != bounds.rend(); ++b) {
      const auto known = std::find_if(found.begin(), found.end(), [&](const auto& f) { return f.first == b->symbol; });
      if (known == found.end()) {
        value = unevaluated_sum(value, b->symbol, b->from, b->to);
        continue;
      }
      conditions.push_back(less_equal(b->from, known->second));
      conditions.push_back(less_equal(known->second, b->to));
    }
    value = renamed(value, found);
    const Expr all = conjunction(conditions);
    if (all.is_constant(ConstantCode::false_value)) return;
    const Expr branches[] = {value, all, Expr(0)};
    values_[u] += all.is_constant(ConstantCode::true_value) ? value : piecewise(branches);
  }

  [[noreturn]] static void fail(const Expr& place) {
    throw Error(
        ErrorKind::unsupported,
        fmt::format("the place {} cannot be turned round: gradients are made of sums over elements whose places "
                    "are an index plus or minus a number",
                    to_text(place, {60})));
  }

  static constexpr std::size_t first_sum_ = 1'000'000;
  const FieldSystem& system_;
  const FieldLayout& layout_;
  std::vector<Expr> values_;
};

}  // namespace

FieldSystem gradient_system(const FieldSystem& system, const Expr& expression, const FieldSizes& sizes) {
  FieldSystem plain = system;
  plain.results.clear();
  const FieldLayout layout(plain, sizes);
  GradientMaker maker(plain, layout);
  maker.add(Inliner(plain, layout, longest_written)(expression, {}));
  FieldSystem g = plain;
  g.results = plain.unknowns;
  g.equations.clear();
  for (std::size_t u = 0; u < plain.unknowns.size(); ++u) {
    FieldEquation e;
    e.name = "the gradient by " + plain.unknowns[u].name;
    e.target = u;
    e.value = maker.values()[u];
    // the indices of this gradient alone, with the ranges of its dimensions
    std::vector<std::pair<Expr, Expr>> own;
    for (std::size_t k = 0; k < plain.unknowns[u].dimensions.size(); ++k) {
      const Expr index = place_symbol(most_dimensions_of_a_field * (2 + u) + k);
      own.emplace_back(target_index(k), index);
      e.places.push_back(index);
      g.indices.emplace_back(index, plain.unknowns[u].dimensions[k]);
    }
    e.value = renamed(e.value, own);
    g.equations.push_back(std::move(e));
  }
  return g;
}

}  // namespace boreon
