// SPDX-License-Identifier: MIT
#include <algorithm>
#include <cmath>
#include <map>

#include "boreon/catalogue.hpp"
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

// Where a reciprocal may take the place of a division. That of a divisor below 2^-1024 is infinite, although a quotient
// with a small numerator is not.
class Magnitudes {
 public:
  explicit Magnitudes(const Network& network) : network_(network) {}

  /// Whether the node is a root, or above one by the signs of its terms: it is never so small.
  [[nodiscard]] bool never_tiny(std::uint32_t node) const {
    constexpr double small = 1e-290;
    const Network::Node& n = network_.nodes[node];
    switch (n.kind) {
      case Network::Kind::leaf: {
        const double* v = network_.value(node);
        return v != nullptr && std::abs(*v) >= small;
      }
      case Network::Kind::sum:
        return n.constant >= small && std::all_of(n.items.begin(), n.items.end(), [&](const Network::Item& i) {
                 return i.weight > 0 && nonnegative(i.node);
               });
      case Network::Kind::product:
        return n.items.size() == 1 && n.items[0].weight == 1 && std::abs(n.constant) >= 1e-10 &&
               never_tiny(n.items[0].node);
      case Network::Kind::apply: return n.op == OpCode::square_root || (n.op == OpCode::call && n.function == cosh_);
    }
    return false;
  }

  /// What a divisor is a power of: the node, or what it is the root of.
  [[nodiscard]] std::uint32_t base(std::uint32_t node) const {
    const Network::Node& n = network_.nodes[node];
    return n.kind == Network::Kind::apply && n.op == OpCode::square_root ? n.items[0].node : node;
  }
  /// To which power the divisors hold a base.
  [[nodiscard]] double exponent(const Items& divisors, std::uint32_t of) const {
    double sum = 0;
    for (const Network::Item& i : divisors) {
      if (i.node == of)
        sum += i.weight;
      else if (base(i.node) == of)
        sum += 0.5 * i.weight;
    }
    return sum;
  }
  /// A product of divisors that is as good as a power of one node, or of what is never tiny.
  [[nodiscard]] bool tame(const Items& divisors) const {
    return std::all_of(divisors.begin(), divisors.end(), [&](const Network::Item& i) { return never_tiny(i.node); }) ||
           std::all_of(divisors.begin(), divisors.end(),
                       [&](const Network::Item& i) { return base(i.node) == base(divisors[0].node); });
  }

 private:
  [[nodiscard]] bool nonnegative(std::uint32_t node) const {
    const Network::Node& n = network_.nodes[node];
    switch (n.kind) {
      case Network::Kind::leaf: {
        const double* v = network_.value(node);
        return v != nullptr && *v >= 0;
      }
      case Network::Kind::sum:
        return n.constant >= 0 && std::all_of(n.items.begin(), n.items.end(), [&](const Network::Item& i) {
                 return i.weight > 0 && nonnegative(i.node);
               });
      case Network::Kind::product:
        return n.constant >= 0 && std::all_of(n.items.begin(), n.items.end(), [&](const Network::Item& i) {
                 return std::fmod(i.weight, 2) == 0 || nonnegative(i.node);
               });
      case Network::Kind::apply:
        return n.op == OpCode::square_root ||
               (n.op == OpCode::call && (n.function == exp_ || n.function == abs_ || n.function == cosh_));
    }
    return false;
  }

  const Network& network_;
  std::uint16_t exp_ = row_number("exp");
  std::uint16_t abs_ = row_number("abs");
  std::uint16_t cosh_ = row_number("cosh");
};

}  // namespace

void share_reciprocals(Network& network, const std::vector<std::uint32_t>& roots) {
  struct Less {
    bool operator()(const Items& a, const Items& b) const {
      return std::lexicographical_compare(a.begin(), a.end(), b.begin(), b.end(), [](const auto& x, const auto& y) {
        return std::pair(x.node, x.weight) < std::pair(y.node, y.weight);
      });
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
  const Magnitudes magnitudes(network);
  // Divisors whose reciprocal may stand for them: all who divide by them divide by more than their first power, so that
  // their quotients leave the range of numbers before the reciprocal does, or the divisor is never that small.
  std::map<std::uint32_t, bool> safe;
  std::map<std::uint32_t, bool> safe_under_root;  // whoever divides by it or by its root
  for (const auto& [d, users] : whole) {
    for (const Network::Item& i : d) {
      const bool high = magnitudes.exponent(d, magnitudes.base(i.node)) > 1 || magnitudes.never_tiny(i.node);
      const auto [at, fresh] = safe.emplace(i.node, high);
      if (!fresh) at->second = at->second && high;
      const std::uint32_t base = magnitudes.base(i.node);
      const bool high_base = magnitudes.exponent(d, base) > 1 || magnitudes.never_tiny(base);
      const auto [root, first] = safe_under_root.emplace(base, high_base);
      if (!first) root->second = root->second && high_base;
    }
  }
  const auto reciprocal = [&](std::uint32_t node) { return network.product(1, {{node, -1}}); };
  // Divisors that occur only together are one product.
  for (auto& [d, users] : whole) {
    if (users.size() < 2 || (d.size() == 1 && d[0].weight == 1)) continue;
    bool together = true;
    for (const Network::Item& i : d) together = together && quotients[i.node] == users.size();
    if (!together || !magnitudes.tame(d)) continue;
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
      if (square != quotients.end() && square->second > 1 && safe_under_root[n.items[0].node])
        return network.apply(OpCode::square_root, 0, {reciprocal(n.items[0].node)});
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
        if (quotients[i.node] < 2 || !safe[i.node]) {
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
