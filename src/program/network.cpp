// SPDX-License-Identifier: MIT
#include "program/network.hpp"

#include <algorithm>
#include <bit>
#include <cmath>

#include "boreon/catalogue.hpp"
#include "expr/hash.hpp"
#include "program/builder.hpp"

namespace boreon {

std::uint32_t Network::keep(Node node) {
  std::uint64_t h = mix((static_cast<std::uint64_t>(node.kind) << 40U) | (static_cast<std::uint64_t>(node.op) << 20U) |
                        node.function);
  h = hash_combine(h, (static_cast<std::uint64_t>(node.leaf.space) << 32U) | node.leaf.index);
  h = hash_combine(h, std::bit_cast<std::uint64_t>(node.constant));
  for (const Item& i : node.items) h = hash_combine(hash_combine(h, i.node), std::bit_cast<std::uint64_t>(i.weight));
  const auto fresh = static_cast<std::uint32_t>(nodes.size());
  const std::uint32_t id = known_.find_or_add(h, fresh, [&](std::uint32_t k) { return nodes[k] == node; });
  if (id != fresh) return id;
  if (node.order == 0) node.order = h;
  nodes.push_back(std::move(node));
  return id;
}

std::uint32_t Network::leaf(Operand operand) {
  Node n;
  n.leaf = operand;
  return keep(std::move(n));
}

std::uint32_t Network::number(double value) {
  Node n;
  n.constant = value;
  n.leaf = {0, 0};
  return keep(std::move(n));
}

const double* Network::value(std::uint32_t node) const {
  return nodes[node].kind == Kind::leaf && nodes[node].leaf.space == 0 ? &nodes[node].constant : nullptr;
}

namespace {

// Sorted by node, equal nodes merged.
void merge(std::vector<Network::Item>& items) {
  std::sort(items.begin(), items.end(), [](const auto& a, const auto& b) { return a.node < b.node; });
  std::size_t kept = 0;
  for (std::size_t i = 0; i < items.size();) {
    Network::Item sum = items[i++];
    while (i < items.size() && items[i].node == sum.node) sum.weight += items[i++].weight;
    if (sum.weight != 0) items[kept++] = sum;
  }
  items.resize(kept);
}

}  // namespace

std::uint32_t Network::sum(double constant, std::vector<Item> items) {
  merge(items);
  bool changed = false;
  std::vector<Item> kept = std::move(items);
  std::size_t count = 0;
  for (const Item i : kept) {
    if (const double* v = value(i.node); v != nullptr && std::isfinite(*v)) {
      constant += i.weight * *v;
      changed = true;
    } else if (const Item bare = unscaled(i.node); bare.node != i.node) {
      kept[count++] = {bare.node, i.weight * bare.weight};  // c*(d*x)
      changed = true;
    } else {
      kept[count++] = i;
    }
  }
  kept.resize(count);
  if (changed) merge(kept);
  if (kept.empty()) return number(constant);
  if (kept.size() == 1 && constant == 0)
    return kept[0].weight == 1 ? kept[0].node : product(kept[0].weight, {{kept[0].node, 1}});
  // a - b and b - a are one node: the first weight is positive.
  const bool opposite = kept[0].weight < 0;
  if (opposite) {
    constant = constant == 0 ? 0 : -constant;
    for (Item& i : kept) i.weight = -i.weight;
  }
  Node n;
  n.kind = Kind::sum;
  n.constant = constant;
  n.items = std::move(kept);
  const std::uint32_t id = keep(std::move(n));
  return opposite ? product(-1, {{id, 1}}) : id;
}

Network::Item Network::unscaled(std::uint32_t node) const {
  const Node& n = nodes[node];
  if (n.kind == Kind::product && n.constant != 1 && n.items.size() == 1 && n.items[0].weight == 1)
    return {n.items[0].node, n.constant};
  return {node, 1};
}

std::uint32_t Network::product(double constant, std::vector<Item> items) {
  merge(items);
  bool changed = false;
  std::vector<Item> kept = std::move(items);
  std::size_t count = 0;
  for (const Item i : kept) {
    if (const double* v = value(i.node); v != nullptr && i.weight == 1) {
      constant *= *v;
    } else if (const Item bare = unscaled(i.node); bare.node != i.node && (i.weight == 1 || bare.weight == -1)) {
      constant *= i.weight == 1 ? bare.weight : std::fmod(i.weight, 2) == 0 ? 1 : -1;
      kept[count++] = {bare.node, i.weight};
      changed = true;
    } else {
      kept[count++] = i;
    }
  }
  kept.resize(count);
  if (changed) merge(kept);
  if (kept.empty()) return number(constant);
  if (kept.size() == 1 && constant == 1 && kept[0].weight == 1) return kept[0].node;
  Node n;
  n.kind = Kind::product;
  if (constant != 1 && (kept.size() > 1 || kept[0].weight != 1)) {
    // the part without the coefficient is what others may share
    const std::uint32_t bare = product(1, std::move(kept));
    return product(constant, {{bare, 1}});
  }
  n.constant = constant;
  n.items = std::move(kept);
  return keep(std::move(n));
}

std::uint32_t Network::product_of(std::uint32_t a, std::uint32_t b) {
  const auto plain = [&](std::uint32_t node) { return std::fabs(unscaled(node).weight) == 1; };
  if (a == b || value(a) != nullptr || value(b) != nullptr || (plain(a) && plain(b)))
    return product(1, {{a, 1}, {b, 1}});
  Node n;
  n.kind = Kind::product;
  n.constant = 1;
  n.items = {{std::min(a, b), 1}, {std::max(a, b), 1}};
  return keep(std::move(n));
}

std::uint32_t Network::apply(OpCode op, std::uint16_t function, std::initializer_list<std::uint32_t> operands) {
  if (std::all_of(operands.begin(), operands.end(), [&](std::uint32_t o) { return value(o) != nullptr; })) {
    double arguments[3] = {0, 0, 0};
    std::transform(operands.begin(), operands.end(), arguments, [&](std::uint32_t o) { return *value(o); });
    const double folded =
        execute(op, function, static_cast<std::uint8_t>(operands.size()), arguments[0], arguments[1], arguments[2]);
    if (!std::isnan(folded)) return number(folded);
  }
  // f(-x) of even and odd functions
  if (op == OpCode::call && operands.size() == 1) {
    const Parity parity = row_of(function).parity;
    const Item bare = unscaled(*operands.begin());
    if (parity != Parity::none && bare.weight < 0) {
      const std::uint32_t value =
          apply(op, function, {bare.weight == -1 ? bare.node : product(-bare.weight, {{bare.node, 1}})});
      return parity == Parity::even ? value : product(-1, {{value, 1}});
    }
  }
  Node n;
  n.kind = Kind::apply;
  n.op = op;
  n.function = function;
  for (const std::uint32_t o : operands) n.items.push_back({o, 1});
  return keep(std::move(n));
}

std::vector<std::uint32_t> Network::order(const std::vector<std::uint32_t>& roots) const {
  std::vector<char> seen(nodes.size(), 0);
  std::vector<std::uint32_t> result;
  result.reserve(nodes.size());
  std::vector<std::pair<std::uint32_t, std::uint32_t>> stack;
  for (const std::uint32_t root : roots) {
    if (seen[root] != 0) continue;
    seen[root] = 1;
    stack.emplace_back(root, 0);
    while (!stack.empty()) {
      auto& [node, next] = stack.back();
      if (next < nodes[node].items.size()) {
        const std::uint32_t child = nodes[node].items[next++].node;
        if (seen[child] != 0) continue;
        seen[child] = 1;
        if (nodes[child].items.empty()) {
          result.push_back(child);
        } else {
          stack.emplace_back(child, 0);
        }
      } else {
        result.push_back(node);
        stack.pop_back();
      }
    }
  }
  return result;
}

std::vector<std::uint32_t> Network::uses(const std::vector<std::uint32_t>& roots,
                                         const std::vector<std::uint32_t>& order) const {
  std::vector<std::uint32_t> n(nodes.size(), 0);
  for (const std::uint32_t node : order) {
    for (const Item& i : nodes[node].items) ++n[i.node];
  }
  for (const std::uint32_t root : roots) ++n[root];
  return n;
}

}  // namespace boreon
