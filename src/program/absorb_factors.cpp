#include <cmath>

#include "program/network.hpp"

namespace boreon {

void absorb_factors(Network& network, const std::vector<std::uint32_t>& roots) {
  struct Use {
    double factor = 0;  // 0: none seen yet
    bool good = true;
  };
  const std::vector<std::uint32_t> order = network.order(roots);
  std::vector<Use> use(network.nodes.size());
  const auto see = [&](std::uint32_t node, double factor) {
    Use& u = use[node];
    factor = std::fabs(factor);
    if (u.factor == 0) u.factor = factor;
    u.good = u.good && u.factor == factor && factor != 1;
  };
  const auto scales = [](const Network::Node& n) { return n.kind == Network::Kind::product && n.items.size() == 1 && n.items[0].weight == 1; };
  for (const std::uint32_t root : roots) use[root].good = false;
  for (const std::uint32_t id : order) {
    const Network::Node& n = network.nodes[id];
    for (const Network::Item& i : n.items) {
      if (n.kind == Network::Kind::sum) {
        see(i.node, i.weight);
      } else if (scales(n)) {
        see(i.node, n.constant);
      } else {
        use[i.node].good = false;
      }
    }
  }
  const auto absorbed = [&](std::uint32_t node) {
    const Network::Node& n = network.nodes[node];
    return use[node].good && use[node].factor != 0 && n.kind == Network::Kind::product && n.constant == 1;
  };
  for (const std::uint32_t id : order) {
    if (!absorbed(id)) continue;
    const std::uint32_t factor = network.number(use[id].factor);
    network.nodes[id].items.push_back({factor, 1});
  }
  for (const std::uint32_t id : order) {
    Network::Node& n = network.nodes[id];
    if (n.kind == Network::Kind::sum) {
      for (Network::Item& i : n.items) {
        if (absorbed(i.node)) i.weight = std::copysign(1.0, i.weight);
      }
    } else if (scales(n) && absorbed(n.items[0].node)) {
      n.constant = std::copysign(1.0, n.constant);
    }
  }
}

}  // namespace boreon
