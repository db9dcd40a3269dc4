#include <algorithm>
#include <bit>
#include <cmath>
#include <queue>
#include <unordered_map>

#include "expr/hash.hpp"
#include "program/network.hpp"

namespace boreon {
namespace {

using Item = Network::Item;
constexpr std::size_t longest = 24;  // longer sums and products are split along their hashes instead

struct Pair {
  std::uint32_t a = 0;
  std::uint32_t b = 0;
  double ratio = 0;  // of the weights in sums; 0 for products
  friend bool operator==(const Pair&, const Pair&) = default;
};

struct PairHash {
  std::size_t operator()(const Pair& p) const noexcept {
    return static_cast<std::size_t>(hash_combine(mix((static_cast<std::uint64_t>(p.a) << 32U) | p.b), std::bit_cast<std::uint64_t>(p.ratio)));
  }
};

class Sharing {
 public:
  explicit Sharing(Network& network) : network_(network) {}

  void run(const std::vector<std::uint32_t>& order) {
    for (const std::uint32_t id : order) add_all(id);
    for (auto& [pair, users] : users_) {
      if (users.size() > 1) queue_.push({users.size(), pair});
    }
    while (!queue_.empty()) {
      const auto [count, pair] = queue_.top();
      queue_.pop();
      std::vector<std::uint32_t>& users = users_[pair];
      std::sort(users.begin(), users.end());
      users.erase(std::unique(users.begin(), users.end()), users.end());
      std::erase_if(users, [&](std::uint32_t u) { return !has(u, pair); });
      if (users.size() < 2) continue;
      if (users.size() < count) {
        queue_.push({users.size(), pair});
        continue;
      }
      extract(pair, std::vector<std::uint32_t>(users));
    }
  }

 private:
  struct Entry {
    std::size_t count;
    Pair pair;
    // the most frequent first; ties by the numbers of the nodes, so that the same input gives the same program
    friend bool operator<(const Entry& x, const Entry& y) {
      if (x.count != y.count) return x.count < y.count;
      return std::tuple(x.pair.a, x.pair.b, x.pair.ratio) > std::tuple(y.pair.a, y.pair.b, y.pair.ratio);
    }
  };

  [[nodiscard]] bool eligible(const Network::Node& n) const { return (n.kind == Network::Kind::sum || n.kind == Network::Kind::product) && n.items.size() >= 2 && n.items.size() <= longest; }

  static Pair pair_of(bool sum, const Item& x, const Item& y) {
    const Item& a = x.node < y.node ? x : y;
    const Item& b = x.node < y.node ? y : x;
    return {a.node, b.node, sum ? b.weight / a.weight : 0};
  }

  void add(std::uint32_t id, const Item& x, const Item& y) {
    const bool sum = network_.nodes[id].kind == Network::Kind::sum;
    if (!sum && (x.weight < 0 || y.weight < 0)) return;
    std::vector<std::uint32_t>& users = users_[pair_of(sum, x, y)];
    users.push_back(id);
  }

  void add_all(std::uint32_t id) {
    const Network::Node& n = network_.nodes[id];
    if (!eligible(n)) return;
    for (std::size_t i = 0; i < n.items.size(); ++i) {
      for (std::size_t j = 0; j < i; ++j) add(id, n.items[i], n.items[j]);
    }
  }

  const Item* item(std::uint32_t id, std::uint32_t node) const {
    for (const Item& i : network_.nodes[id].items) {
      if (i.node == node) return &i;
    }
    return nullptr;
  }

  [[nodiscard]] bool has(std::uint32_t id, const Pair& p) const {
    const Item* a = item(id, p.a);
    const Item* b = item(id, p.b);
    if (a == nullptr || b == nullptr) return false;
    return p.ratio == 0 ? a->weight > 0 && b->weight > 0 : b->weight / a->weight == p.ratio;
  }

  void extract(const Pair& pair, const std::vector<std::uint32_t>& users) {
    const bool sum = pair.ratio != 0;
    const std::uint32_t both = sum ? network_.sum(0, {{pair.a, 1}, {pair.b, pair.ratio}}) : network_.product(1, {{pair.a, 1}, {pair.b, 1}});
    for (const std::uint32_t id : users) {
      if (id == both) continue;
      std::vector<Item> items;
      const double weight = sum ? item(id, pair.a)->weight : std::min(item(id, pair.a)->weight, item(id, pair.b)->weight);
      for (const Item& i : network_.nodes[id].items) {
        if (i.node != pair.a && i.node != pair.b) {
          items.push_back(i);
        } else if (!sum && i.weight > weight) {
          items.push_back({i.node, i.weight - weight});
        }
      }
      Item added{both, weight};
      for (Item& i : items) {
        if (i.node != both) continue;
        i.weight += weight;
        added.weight = 0;
      }
      std::erase_if(items, [](const Item& i) { return i.weight == 0; });
      network_.nodes[id].items = items;
      if (added.weight != 0) network_.nodes[id].items.push_back(added);
      if (item(id, both) == nullptr) continue;
      for (const Item& i : items) {
        if (i.node == both) continue;
        add(id, i, *item(id, both));
        const Pair p = pair_of(sum, i, *item(id, both));
        if (const auto known = users_.find(p); known != users_.end() && known->second.size() > 1) queue_.push({known->second.size(), p});
      }
    }
  }

  Network& network_;
  std::unordered_map<Pair, std::vector<std::uint32_t>, PairHash> users_;
  std::priority_queue<Entry> queue_;
};

}  // namespace

void share_pairs(Network& network, const std::vector<std::uint32_t>& roots) { Sharing(network).run(network.order(roots)); }

}  // namespace boreon
