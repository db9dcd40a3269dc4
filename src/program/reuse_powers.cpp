// SPDX-License-Identifier: MIT
#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
#include <tuple>
#include <unordered_map>

#include "boreon/catalogue.hpp"
#include "program/network.hpp"

namespace boreon {
namespace {

// The node becomes a product of others.
void become_product(Network::Node& n, std::vector<Network::Item> items) {
  n.kind = Network::Kind::product;
  n.constant = 1;
  n.items = std::move(items);
}

using Exponentials = std::unordered_map<std::uint32_t, std::uint32_t>;  // by their arguments

// exp(a) and exp(b) for the exponential of a + b.
std::optional<std::pair<std::uint32_t, std::uint32_t>> two_parts(Network& network, const Exponentials& by_argument,
                                                                 const Network::Node& argument) {
  constexpr std::size_t longest = 6;
  Network::Node sum = argument;
  if (argument.kind == Network::Kind::product && argument.items.size() == 1 && argument.items[0].weight == 1) {
    sum = network.nodes[argument.items[0].node];  // c*(a + b)
    for (Network::Item& i : sum.items) i.weight *= argument.constant;
  }
  const std::size_t n = sum.items.size();
  if (sum.kind != Network::Kind::sum || n < 2 || n > longest || sum.constant != 0) return std::nullopt;
  const auto part = [&](std::uint32_t chosen) -> const std::pair<const std::uint32_t, std::uint32_t>* {
    std::vector<Network::Item> items;
    for (std::size_t i = 0; i < n; ++i) {
      if (((chosen >> i) & 1U) != 0) items.push_back(sum.items[i]);
    }
    const auto found = by_argument.find(network.sum(0, std::move(items)));
    return found == by_argument.end() ? nullptr : &*found;
  };
  // the first term belongs to the first part
  for (std::uint32_t chosen = 1; chosen + 1 < (1U << n); chosen += 2) {
    const auto* const a = part(chosen);
    if (a == nullptr || network.nodes[a->first].sign == 0) continue;
    const auto* const b = part(~chosen);
    if (b != nullptr && network.nodes[a->first].sign == network.nodes[b->first].sign)
      return std::pair(a->second, b->second);
  }
  return std::nullopt;
}

// Exponentials of multiples c*x of one x.
class Multiples {
 public:
  Multiples(const Network& network, const Exponentials& by_argument) {
    for (const auto& [argument, id] : by_argument) {
      const Network::Item bare = network.unscaled(argument);
      list_.push_back({bare.node, bare.weight, id});
    }
    std::sort(list_.begin(), list_.end(),
              [](const Entry& a, const Entry& b) { return std::tie(a.node, a.weight) < std::tie(b.node, b.weight); });
  }
  /// exp(argument/factor).
  [[nodiscard]] const std::uint32_t* find(const Network& network, std::uint32_t argument, double factor) const {
    const Network::Item bare = network.unscaled(argument);
    const std::pair key(bare.node, bare.weight / factor);
    const auto at = std::lower_bound(list_.begin(), list_.end(), key, [](const Entry& e, const auto& k) {
      return std::tie(e.node, e.weight) < std::tie(k.first, k.second);
    });
    return at != list_.end() && at->node == key.first && at->weight == key.second ? &at->id : nullptr;
  }

 private:
  struct Entry {
    std::uint32_t node;
    double weight;
    std::uint32_t id;
  };
  std::vector<Entry> list_;
};

// exp of a sum divided by a factor.
const std::uint32_t* known_sum(Network& network, const Exponentials& by_argument, const Network::Node& sum,
                               double factor) {
  std::vector<Network::Item> items = sum.items;
  for (Network::Item& i : items) i.weight /= factor;
  const auto found = by_argument.find(network.sum(sum.constant / factor, std::move(items)));
  return found == by_argument.end() ? nullptr : &found->second;
}

void reuse_exponentials(Network& network, const std::vector<std::uint32_t>& order) {
  static const auto exponential = row_number("exp");
  Exponentials by_argument;
  for (const std::uint32_t id : order) {
    if (network.is_call(id, exponential)) by_argument.emplace(network.nodes[id].items[0].node, id);
  }
  if (by_argument.size() < 2) return;
  const Multiples multiples(network, by_argument);
  for (const std::uint32_t id : order) {
    if (!network.is_call(id, exponential)) continue;
    const std::uint32_t argument_id = network.nodes[id].items[0].node;
    const Network::Node argument = network.nodes[argument_id];  // a copy: nodes are added
    if (by_argument.size() > 2) {
      if (const auto parts = two_parts(network, by_argument, argument); parts) {
        become_product(network.nodes[id], {{parts->first, 1}, {parts->second, 1}});
        continue;
      }
    }
    // exp(n*x) beside exp(x) for small n
    for (const double factor : {-1.0, 2.0, -2.0, 3.0, -3.0}) {
      if (factor == -1 && network.unscaled(argument_id).weight == 1)
        continue;  // exp(-x) from exp(x), which needs no -x
      const auto* const found = argument.kind == Network::Kind::sum ? known_sum(network, by_argument, argument, factor)
                                                                    : multiples.find(network, argument_id, factor);
      if (found == nullptr || *found == id || !network.is_call(*found, exponential)) continue;
      become_product(network.nodes[id], {{*found, factor}});
      break;
    }
  }
}

}  // namespace

void reuse_powers(Network& network, const std::vector<std::uint32_t>& roots) {
  const std::vector<std::uint32_t> order = network.order(roots);
  reuse_exponentials(network, order);
  // Of the powers of one base the one nearest to exponent 0 is computed; those further out on the same side of it
  // multiply it with whole powers of the base (positive exponents) or divide it by them (negative ones). Then what
  // underflows, overflows or vanishes on the way does so in the result as well; the other way round x^(4/3) = x^(7/3)/x
  // has no value at 0.
  std::map<std::pair<std::uint32_t, double>, std::vector<std::pair<double, std::uint32_t>>> classes;
  for (const std::uint32_t id : order) {
    const Network::Node& n = network.nodes[id];
    if (n.kind != Network::Kind::apply || n.op != OpCode::power) continue;
    const double* x = network.value(n.items[1].node);
    if (x != nullptr && std::isfinite(*x))
      classes[{n.items[0].node, std::round((*x - std::floor(*x)) * 1e9)}].emplace_back(*x, id);
  }
  // x^-c beside x^c is one division.
  for (auto& [key, members] : classes) {
    for (const auto& [x, id] : members) {
      if (x >= 0) continue;
      const auto opposite = classes.find({key.first, std::round((-x - std::floor(-x)) * 1e9)});
      if (opposite == classes.end() || opposite == classes.find(key)) continue;
      for (const auto& [y, other] : opposite->second) {
        if (y == -x) become_product(network.nodes[id], {{other, -1}});
      }
    }
    std::erase_if(members, [&](const auto& m) { return network.nodes[m.second].kind == Network::Kind::product; });
  }
  for (auto& [key, members] : classes) {
    for (const bool positive : {true, false}) {
      const std::pair<double, std::uint32_t>* nearest = nullptr;
      for (const auto& m : members) {
        if ((m.first > 0) == positive && m.first != 0 &&
            (nearest == nullptr || std::fabs(m.first) < std::fabs(nearest->first)))
          nearest = &m;
      }
      if (nearest == nullptr) continue;
      for (const auto& [x, id] : members) {
        if ((x > 0) != positive || id == nearest->second) continue;
        const double steps = std::round(x - nearest->first);  // away from 0
        if (std::fabs(steps) > 4 || std::fabs(x - nearest->first - steps) > 4e-16 * std::fabs(x)) continue;
        become_product(network.nodes[id], {{key.first, steps}, {nearest->second, 1}});
      }
    }
  }
}

void merge_exponentials(Network& network, const std::vector<std::uint32_t>& roots) {
  static const auto exponential = row_number("exp");
  static const auto logarithm = row_number("log");
  const std::vector<std::uint32_t> order = network.order(roots);
  const std::vector<std::uint32_t> uses = network.uses(roots, order);
  const auto own = [&](std::uint32_t node) {
    return network.nodes[node].kind == Network::Kind::apply && uses[node] == 1;
  };
  const auto is_exponential = [&](std::uint32_t node) { return own(node) && network.is_call(node, exponential); };
  // The exponent of a power, if it is a number.
  const auto exponent = [&](std::uint32_t node) -> const double* {
    return own(node) && network.nodes[node].op == OpCode::power ? network.value(network.nodes[node].items[1].node)
                                                                : nullptr;
  };
  for (const std::uint32_t id : order) {
    if (network.nodes[id].kind != Network::Kind::product) continue;
    std::size_t exponentials = 0;
    std::size_t powers = 0;
    for (const Network::Item& i : network.nodes[id].items) {
      exponentials += is_exponential(i.node) ? 1U : 0U;
      powers += exponent(i.node) != nullptr ? 1U : 0U;
    }
    if (exponentials == 0 || exponentials + powers < 2) continue;
    std::vector<Network::Item> rest;
    std::vector<Network::Item> exponents;
    const std::vector<Network::Item> items = network.nodes[id].items;
    for (const Network::Item& i : items) {
      if (is_exponential(i.node)) {
        exponents.push_back({network.nodes[i.node].items[0].node, i.weight});
      } else if (const double* x = exponent(i.node); x != nullptr) {
        const double weight = i.weight * *x;  // before a node is added
        exponents.push_back({network.apply(OpCode::call, logarithm, {network.nodes[i.node].items[0].node}), weight});
      } else {
        rest.push_back(i);
      }
    }
    const std::uint32_t merged = network.apply(OpCode::call, exponential, {network.sum(0, std::move(exponents))});
    rest.push_back({merged, 1});
    network.nodes[id].items = std::move(rest);
  }
}

}  // namespace boreon
