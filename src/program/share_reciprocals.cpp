#include <map>

#include "program/network.hpp"

namespace boreon {
namespace {

using Items = std::vector<Network::Item>;

Items divisors(const Network::Node& n) {
  Items result;
  if (n.kind != Network::Kind::product) return result;
  for (const Network::Item& i : n.items) {
    if (i.weight < 0) result.push_back({i.node, -i.weight});
  }
  return result;
}

void replace_divisors(Network::Node& n, const Items& by) {
  Items items;
  for (const Network::Item& i : n.items) {
    if (i.weight > 0) items.push_back(i);
  }
  for (const Network::Item& added : by) {
    bool met = false;
    for (Network::Item& i : items) {
      if (i.node == added.node) {
        i.weight += added.weight;
        met = true;
      }
    }
    if (!met) items.push_back(added);
  }
  n.items = std::move(items);
}

}  // namespace

void share_reciprocals(Network& network, const std::vector<std::uint32_t>& roots) {
  struct Less {
    bool operator()(const Items& a, const Items& b) const {
      return std::lexicographical_compare(a.begin(), a.end(), b.begin(), b.end(),
                                          [](const auto& x, const auto& y) { return std::pair(x.node, x.weight) < std::pair(y.node, y.weight); });
    }
  };
  const std::vector<std::uint32_t> order = network.order(roots);
  std::map<Items, std::vector<std::uint32_t>, Less> whole;  // quotients by all they are divided by
  std::map<std::uint32_t, std::uint32_t> quotients;         // how many divide by a node
  for (const std::uint32_t id : order) {
    const Items d = divisors(network.nodes[id]);
    if (d.empty()) continue;
    whole[d].push_back(id);
    for (const Network::Item& i : d) ++quotients[i.node];
  }
  const auto reciprocal = [&](std::uint32_t node) { return network.product(1, {{node, -1}}); };
  // Divisors that occur only together are one product.
  for (auto& [d, users] : whole) {
    if (users.size() < 2 || (d.size() == 1 && d[0].weight == 1)) continue;
    bool together = true;
    for (const Network::Item& i : d) together = together && quotients[i.node] == users.size();
    if (!together) continue;
    const std::uint32_t product = network.product(1, d);
    const std::uint32_t r = reciprocal(product);
    for (const std::uint32_t id : users) {
      if (id != r) replace_divisors(network.nodes[id], {{r, 1}});
    }
    users.clear();
  }
  // A root whose square has a reciprocal is the root of that.
  const auto inverse = [&](std::uint32_t node) {
    const Network::Node& n = network.nodes[node];
    if (n.kind == Network::Kind::apply && n.op == OpCode::square_root) {
      const auto square = quotients.find(n.items[0].node);
      if (square != quotients.end() && square->second > 1) return network.apply(OpCode::square_root, 0, {reciprocal(n.items[0].node)});
    }
    return reciprocal(node);
  };
  for (const auto& [d, users] : whole) {
    for (const std::uint32_t id : users) {
      if (network.nodes[id].items.size() == 1 && network.nodes[id].items[0].weight == -1) {
        const Network::Node& base = network.nodes[network.nodes[id].items[0].node];
        if (base.kind != Network::Kind::apply || base.op != OpCode::square_root) continue;  // is the reciprocal itself
      }
      Items by;
      Items left;
      for (const Network::Item& i : d) {
        if (quotients[i.node] < 2) {
          left.push_back({i.node, -i.weight});
          continue;
        }
        const std::uint32_t r = inverse(i.node);
        r == id ? left.push_back({i.node, -i.weight}) : by.push_back({r, i.weight});
      }
      if (by.empty()) continue;
      Network::Node& n = network.nodes[id];
      replace_divisors(n, by);
      n.items.insert(n.items.end(), left.begin(), left.end());
    }
  }
}

}  // namespace boreon
