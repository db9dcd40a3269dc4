// SPDX-License-Identifier: MIT
#include <algorithm>
#include <cmath>
#include <unordered_map>

#include "program/network.hpp"

namespace boreon {

void absorb_constants(Network& network, const std::vector<std::uint32_t>& roots) {
  struct Shifted {
    std::uint32_t sum;
    double constant, weight;
  };
  const std::vector<std::uint32_t> order = network.order(roots);
  std::unordered_map<std::uint32_t, Shifted> shifted;  // x to the first c + w*x
  for (const std::uint32_t id : order) {
    const Network::Node& n = network.nodes[id];
    if (n.kind == Network::Kind::sum && n.items.size() == 1 && n.constant != 0)
      shifted.try_emplace(n.items[0].node, Shifted{id, n.constant, n.items[0].weight});
  }
  if (shifted.empty()) return;
  std::vector<std::pair<Network::Item*, Shifted>> chosen;
  for (const std::uint32_t id : order) {
    Network::Node& n = network.nodes[id];
    if (n.kind != Network::Kind::sum || n.items.size() < 2 || n.constant == 0) continue;
    double left = n.constant;
    chosen.clear();
    for (Network::Item& i : n.items) {
      const auto at = shifted.find(i.node);
      if (at == shifted.end()) continue;
      const double part = i.weight / at->second.weight * at->second.constant;
      if (std::signbit(part) != std::signbit(left) || std::fabs(part) > std::fabs(left)) continue;
      left -= part;
      chosen.emplace_back(&i, at->second);
    }
    if (left != 0) continue;
    n.constant = 0;
    for (const auto& [item, s] : chosen) *item = {s.sum, item->weight / s.weight};
    std::sort(n.items.begin(), n.items.end(), [](const auto& x, const auto& y) { return x.node < y.node; });
    // it may have been an operand already
    std::size_t kept = 0;
    for (const Network::Item& i : n.items) {
      if (kept > 0 && n.items[kept - 1].node == i.node) {
        n.items[kept - 1].weight += i.weight;
      } else {
        n.items[kept++] = i;
      }
    }
    n.items.resize(kept);
    std::erase_if(n.items, [](const auto& i) { return i.weight == 0; });
  }
}

}  // namespace boreon
