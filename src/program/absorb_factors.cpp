// SPDX-License-Identifier: MIT
#include <cmath>

#include "program/network.hpp"
#include "program/tally.hpp"

namespace boreon {

void absorb_factors(Network& network, const std::vector<std::uint32_t>& roots) {
  struct Use {
    bool good = true;  // never without a factor
    Tally factors;
    int negative = 0;  // uses that would have to negate it, less those that would have to if it were negative
    double chosen = 0;
  };
  const std::vector<std::uint32_t> order = network.order(roots);
  std::vector<Use> use(network.nodes.size());
  const auto see = [&](std::uint32_t node, double factor, bool signed_use) {
    Use& u = use[node];
    if (signed_use) u.negative += factor < 0 ? 1 : -1;
    factor = std::fabs(factor);
    u.good = u.good && factor != 1;
    if (u.good) u.factors.add(factor);
  };
  const auto scales = [](const Network::Node& n) {
    return n.kind == Network::Kind::product && n.items.size() == 1 && n.items[0].weight == 1;
  };
  for (const std::uint32_t root : roots) use[root].good = false;
  for (const std::uint32_t id : order) {
    const Network::Node& n = network.nodes[id];
    for (const Network::Item& i : n.items) {
      if (n.kind == Network::Kind::sum) {
        see(i.node, i.weight, false);  // sums subtract as easily as they add
      } else if (scales(n)) {
        see(i.node, n.constant, true);
      } else {
        use[i.node].good = false;
      }
    }
  }
  // The factor of most uses goes into the product; the other uses keep what is left of theirs.
  for (const std::uint32_t id : order) {
    Network::Node& n = network.nodes[id];
    Use& u = use[id];
    if (!u.good || u.factors.values() == 0 || n.kind != Network::Kind::product || n.constant != 1) continue;
    const auto [factor, count] = u.factors.most();
    if (u.factors.values() > 1 && count < 2) continue;
    u.chosen = u.negative > 0 ? -factor : factor;
  }
  for (const std::uint32_t id : order) {
    if (use[id].chosen == 0) continue;
    const std::uint32_t factor = network.number(use[id].chosen);
    network.nodes[id].items.push_back({factor, 1});
  }
  const auto without = [&](std::uint32_t node, double factor) {
    const double chosen = use[node].chosen;
    if (chosen == 0) return factor;
    return std::fabs(factor) == std::fabs(chosen) ? std::copysign(1.0, factor * chosen) : factor / chosen;
  };
  for (const std::uint32_t id : order) {
    Network::Node& n = network.nodes[id];
    if (n.kind == Network::Kind::sum) {
      for (Network::Item& i : n.items) i.weight = without(i.node, i.weight);
    } else if (scales(n)) {
      n.constant = without(n.items[0].node, n.constant);
    }
  }
}

}  // namespace boreon
