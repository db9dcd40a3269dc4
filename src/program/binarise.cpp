// SPDX-License-Identifier: MIT
// From a network to instructions.
#include <algorithm>
#include <cmath>
#include <span>

#include "program/builder.hpp"
#include "program/network.hpp"

namespace boreon {
namespace {

// A value that may still have to be negated: sums absorb the sign as subtraction.
struct Signed {
  Operand value;
  bool negative = false;
};

template <class T>
struct Part {
  T value;
  std::uint64_t hash;
};

// Operands are combined along the bits of their hashes: equal subsets of different sums meet in equal nodes, so that
// sums and products which differ in a few operands share the rest.
template <class T, class Combine>
T tree(std::span<const Part<T>> items, unsigned bit, const Combine& combine) {
  if (items.size() <= 3 || bit >= 64) {
    T r = items[0].value;
    for (std::size_t i = 1; i < items.size(); ++i) r = combine(r, items[i].value);
    return r;
  }
  std::size_t split = 0;
  while (split < items.size() && ((items[split].hash >> (63U - bit)) & 1U) == 0) ++split;
  if (split == 0 || split == items.size()) return tree(items, bit + 1, combine);
  return combine(tree(items.first(split), bit + 1, combine), tree(items.subspan(split), bit + 1, combine));
}

template <class T, class Combine>
T combined(std::vector<Part<T>>& items, const Combine& combine) {
  std::sort(items.begin(), items.end(), [](const auto& a, const auto& b) { return a.hash < b.hash; });
  return tree<T>(items, 0, combine);
}

class Binariser {
 public:
  Binariser(const Network& network, Program& program) : n_(network), build_(program) {}

  Operand value(std::uint32_t id) { return values_[id]; }

  void run(const std::vector<std::uint32_t>& order, const std::vector<std::uint32_t>& uses,
           const std::function<bool(Operand)>& fixed) {
    values_.resize(n_.nodes.size());
    flipped_.assign(n_.nodes.size(), 0);
    folded_.assign(n_.nodes.size(), 0);
    fixed_.assign(n_.nodes.size(), 0);
    // -(a - b) is b - a, and c*(x/y) is (c*x)/y, where nobody else needs what is inside.
    for (const std::uint32_t id : order) {
      const Network::Node& n = n_.nodes[id];
      if (fixed) {
        bool all = n.kind != Network::Kind::leaf || (n.leaf.space > 1 && fixed(n.leaf));
        for (const Network::Item& i : n.items) all = all && (fixed_[i.node] != 0 || n_.value(i.node) != nullptr);
        fixed_[id] = all ? 1 : 0;
      }
      if (n.kind != Network::Kind::product || n.items.size() != 1 || n.items[0].weight != 1 ||
          uses[n.items[0].node] != 1)
        continue;
      const std::uint32_t inner = n.items[0].node;
      if (n_.nodes[inner].kind == Network::Kind::sum && n.constant == -1) flipped_[inner] = 1;
      if (n_.nodes[inner].kind == Network::Kind::product && n_.nodes[inner].constant == 1) folded_[inner] = 1;
    }
    for (const std::uint32_t id : order) {
      if (folded_[id] == 0) values_[id] = node(id, n_.nodes[id]);
    }
  }

 private:
  Operand node(std::uint32_t id, const Network::Node& n) {
    switch (n.kind) {
      case Network::Kind::leaf: return n.leaf.space == 0 ? build_.constant(n.constant) : n.leaf;
      case Network::Kind::sum: return sum(id, n);
      case Network::Kind::product: return product(n);
      case Network::Kind::apply: break;
    }
    const auto at = [&](std::size_t i) { return values_[n.items[i].node]; };
    switch (n.op) {
      case OpCode::call:
        if (n.items.size() == 3) return build_.call(n.function, at(0), at(1), at(2));
        return n.items.size() == 1 ? build_.call(n.function, at(0)) : build_.call(n.function, at(0), at(1));
      case OpCode::power: return build_.power(at(0), at(1));
      case OpCode::square_root: return build_.square_root(at(0));
      case OpCode::conjunction:
      case OpCode::disjunction: return build_.logic(n.op, at(0), at(1));
      case OpCode::negation: return build_.negation(at(0));
      case OpCode::select: return build_.select(at(0), at(1), at(2));
      default: return build_.compare(n.op, at(0), at(1));
    }
  }

  Operand sum(std::uint32_t id, const Network::Node& n) {
    // A factor that all terms have is applied once.
    const double common = std::fabs(n.items[0].weight);
    const bool shared =
        n.items.size() > 1 && n.constant == 0 && common != 1 &&
        std::all_of(n.items.begin(), n.items.end(), [&](const auto& i) { return std::fabs(i.weight) == common; });
    const double sign = flipped_[id] != 0 ? -1 : 1;
    auto& items = terms_;
    auto& fixed = fixed_terms_;
    items.clear();
    fixed.clear();
    for (const Network::Item& i : n.items) {
      const double w = shared ? 1.0 : std::fabs(i.weight);
      (fixed_[i.node] != 0 ? fixed : items)
          .push_back({{build_.multiply(build_.constant(w), values_[i.node]), std::signbit(i.weight * sign)},
                      n_.nodes[i.node].order});
    }
    const auto combine = [&](const Signed& a, const Signed& b) -> Signed {
      if (a.negative == b.negative) return {build_.add(a.value, b.value), a.negative};
      return a.negative ? Signed{build_.subtract(b.value, a.value), false}
                        : Signed{build_.subtract(a.value, b.value), false};
    };
    const Signed constant{build_.constant(std::fabs(n.constant)), std::signbit(n.constant * sign)};
    Signed total;
    if (!fixed.empty()) {
      total = combined(fixed, combine);
      if (n.constant != 0) total = combine(total, constant);
      if (!items.empty()) total = combine(combined(items, combine), total);
    } else {
      total = combined(items, combine);
      if (n.constant != 0) total = combine(total, constant);
    }
    if (shared) return build_.multiply(build_.constant(total.negative ? -common : common), total.value);
    return total.negative ? build_.negate(total.value) : total.value;
  }

  Operand product(const Network::Node& n) {
    if (n.items.size() == 1 && n.items[0].weight == 1) {
      const std::uint32_t inner = n.items[0].node;
      if (flipped_[inner] != 0) return values_[inner];
      if (folded_[inner] != 0) return product(n_.nodes[inner], n.constant);
    }
    return product(n, n.constant);
  }

  Operand product(const Network::Node& n, double constant) {
    auto& above = above_;
    auto& fixed = fixed_factors_;
    auto& below = below_;
    above.clear();
    fixed.clear();
    below.clear();
    for (const Network::Item& i : n.items) {
      (i.weight < 0          ? below
       : fixed_[i.node] != 0 ? fixed
                             : above)
          .push_back({build_.integer_power(values_[i.node], static_cast<std::uint64_t>(std::fabs(i.weight))),
                      n_.nodes[i.node].order});
    }
    const auto times = [&](Operand a, Operand b) { return build_.multiply(a, b); };
    if (above.empty()) std::swap(above, fixed);
    if (above.empty()) return build_.divide(build_.constant(constant), combined(below, times));
    Operand top = combined(above, times);
    if (!fixed.empty()) top = times(times(build_.constant(constant), combined(fixed, times)), top);
    if (fixed.empty() && std::fabs(constant) != 1) top = times(build_.constant(constant), top);
    if (!below.empty()) top = build_.divide(top, combined(below, times));
    return fixed.empty() && constant == -1 ? build_.negate(top) : top;
  }

  const Network& n_;
  ProgramBuilder build_;
  std::vector<Operand> values_;
  std::vector<char> flipped_;  // sums whose negative is computed
  std::vector<char> folded_;   // products that are computed with the coefficient of their user
  std::vector<char> fixed_;
  // Operands of the node at hand; kept for their memory.
  std::vector<Part<Signed>> terms_, fixed_terms_;
  std::vector<Part<Operand>> above_, fixed_factors_, below_;
};

}  // namespace

std::vector<Operand> binarise(const Network& network, const std::vector<std::uint32_t>& roots, Program& program,
                              const std::function<bool(Operand)>& fixed) {
  Binariser b(network, program);
  const std::vector<std::uint32_t> order = network.order(roots);
  b.run(order, network.uses(roots, order), fixed);
  std::vector<Operand> result;
  result.reserve(roots.size());
  for (const std::uint32_t r : roots) result.push_back(b.value(r));
  return result;
}

}  // namespace boreon
