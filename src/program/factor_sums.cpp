// SPDX-License-Identifier: MIT
#include <algorithm>
#include <cmath>
#include <deque>

#include "program/network.hpp"

namespace boreon {
namespace {

using Item = Network::Item;
constexpr std::size_t longest = 64;  // longer sums are left: the search is quadratic

struct Factoring {
  Network& network;
  std::vector<std::uint32_t> uses;
  std::deque<std::uint32_t> waiting;
  std::vector<char> changed;
  std::vector<std::uint32_t> stack = {};

  // What is no node's operand any more does not use its own operands.
  void used(std::uint32_t node) {
    if (uses.size() < network.nodes.size()) uses.resize(network.nodes.size(), 0);
    stack.assign(1, node);
    while (!stack.empty()) {
      const std::uint32_t top = stack.back();
      stack.pop_back();
      if (++uses[top] > 1) continue;
      for (const Item& i : network.nodes[top].items) stack.push_back(i.node);
    }
  }
  void dropped(std::uint32_t node) {
    stack.assign(1, node);
    while (!stack.empty()) {
      const std::uint32_t top = stack.back();
      stack.pop_back();
      if (--uses[top] > 0) continue;
      for (const Item& i : network.nodes[top].items) stack.push_back(i.node);
    }
  }

  // Products within a product that nobody else needs become part of it: their factors count.
  void flatten(std::uint32_t id) {
    for (bool again = true; again;) {
      again = false;
      const std::vector<Item> items = network.nodes[id].items;
      for (const Item& i : items) {
        const Network::Node inner = network.nodes[i.node];
        if (inner.kind != Network::Kind::product || inner.constant != 1 || i.weight != 1 || uses[i.node] != 1) continue;
        std::vector<Item>& mine = network.nodes[id].items;
        std::erase_if(mine, [&](const Item& m) { return m.node == i.node; });
        for (const Item& f : inner.items) {
          const auto known = std::find_if(mine.begin(), mine.end(), [&](const Item& m) { return m.node == f.node; });
          if (known == mine.end()) {
            mine.push_back(f);
          } else {
            known->weight += f.weight;
            --uses[f.node];  // now once where it was twice
          }
        }
        std::erase_if(mine, [](const Item& m) { return m.weight == 0; });
        if (id < changed.size()) changed[id] = 1;
        again = true;
        break;
      }
    }
  }

  // The factors of a term that nobody else needs.
  const std::vector<Item>* factors(const Item& term) {
    const bool own = network.nodes[term.node].kind == Network::Kind::product &&
                     network.nodes[term.node].constant == 1 && uses[term.node] == 1;
    if (own) flatten(term.node);
    return own ? &network.nodes[term.node].items : nullptr;
  }

  // The factor that most terms have (with the sign of its exponent), or none that two have.
  bool best(const std::vector<Item>& terms, Item& factor) {
    struct Count {
      std::uint32_t node;
      bool below;
      std::size_t terms;
      double weight;
    };
    std::vector<Count> counts;
    for (const Item& term : terms) {
      const auto* fs = factors(term);
      if (fs == nullptr) continue;
      for (const Item& f : *fs) {
        const auto known = std::find_if(counts.begin(), counts.end(),
                                        [&](const Count& c) { return c.node == f.node && c.below == (f.weight < 0); });
        if (known == counts.end()) {
          counts.push_back({f.node, f.weight < 0, 1, std::fabs(f.weight)});
        } else {
          ++known->terms;
          known->weight = std::min(known->weight, std::fabs(f.weight));
        }
      }
    }
    std::size_t most = 1;
    for (const Count& c : counts) {
      if (c.terms <= most) continue;
      most = c.terms;
      factor = {c.node, c.below ? -c.weight : c.weight};
    }
    return most > 1;
  }

  void run(std::uint32_t id) {
    Item factor;
    while (network.nodes[id].items.size() > 1 && best(network.nodes[id].items, factor)) {
      std::vector<Item> inside;
      std::vector<Item> outside;
      std::vector<std::uint32_t> replaced;
      double constant = 0;
      const std::vector<Item> terms = network.nodes[id].items;
      for (const Item& term : terms) {
        const auto* fs = factors(term);
        const auto at = fs == nullptr ? std::vector<Item>::const_iterator{}
                                      : std::find_if(fs->begin(), fs->end(), [&](const Item& f) {
                                          return f.node == factor.node && (f.weight < 0) == (factor.weight < 0);
                                        });
        if (fs == nullptr || at == fs->end()) {
          outside.push_back(term);
          continue;
        }
        replaced.push_back(term.node);
        std::vector<Item> rest = *fs;
        rest[static_cast<std::size_t>(at - fs->begin())].weight -= factor.weight;
        std::erase_if(rest, [](const Item& i) { return i.weight == 0; });
        if (rest.empty()) {
          constant += term.weight;
        } else {
          const Item bare = network.unscaled(network.product(1, std::move(rest)));
          inside.push_back({bare.node, term.weight * bare.weight});
        }
      }
      const Item sum = network.unscaled(network.sum(constant, std::move(inside)));
      const Item product = network.unscaled(network.product(1, {factor, {sum.node, 1}}));
      used(product.node);
      for (const std::uint32_t node : replaced) dropped(node);
      outside.push_back({product.node, sum.weight * product.weight});
      std::sort(outside.begin(), outside.end(), [](const Item& a, const Item& b) { return a.node < b.node; });
      network.nodes[id].items = std::move(outside);
      if (id < changed.size()) changed[id] = 1;
      if (network.nodes[sum.node].kind == Network::Kind::sum) waiting.push_back(sum.node);
    }
  }
};

}  // namespace

std::vector<char> factor_sums(Network& network, const std::vector<std::uint32_t>& roots) {
  const std::vector<std::uint32_t> order = network.order(roots);
  Factoring f{network, network.uses(roots, order), {}, std::vector<char>(network.nodes.size(), 0)};
  for (const std::uint32_t id : order) {
    if (network.nodes[id].kind == Network::Kind::sum && network.nodes[id].items.size() <= longest)
      f.waiting.push_back(id);
  }
  while (!f.waiting.empty()) {
    const std::uint32_t id = f.waiting.front();
    f.waiting.pop_front();
    f.run(id);
  }
  f.changed.resize(network.nodes.size(), 1);
  return std::move(f.changed);
}

}  // namespace boreon
