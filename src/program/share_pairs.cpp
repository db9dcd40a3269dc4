// SPDX-License-Identifier: MIT
#include <algorithm>
#include <bit>
#include <cmath>
#include <queue>
#include <tuple>

#include "expr/hash.hpp"
#include "program/network.hpp"
#include "program/tally.hpp"

namespace boreon {
namespace {

using Item = Network::Item;
constexpr std::size_t longest_shared = 24;  // longer sums and products are split along their hashes instead

struct Pair {
  std::uint32_t a = 0;
  std::uint32_t b = 0;
  double ratio = 0;  // of the weights in sums; 0 for products
  friend bool operator==(const Pair&, const Pair&) = default;
};

// For each pair the nodes that have it: a table with open addressing, the lists in one vector.
class Users {
 public:
  explicit Users(std::size_t pairs) : slots_(std::bit_ceil(2 * pairs + 64)) { links_.reserve(pairs); }

  std::uint32_t add(const Pair& p, std::uint32_t user) {
    if (2 * (used_ + 1) > slots_.size()) grow();
    const std::size_t at = locate(p);
    Slot& s = slots_[at];
    if (s.count == 0 && s.head == none) {
      s.pair = p;
      ++used_;
    }
    return link(s, user);
  }
  void add_if_known(const Pair& p, std::uint32_t user) {
    Slot& s = slots_[locate(p)];
    if (s.head != none) link(s, user);
  }
  void list(const Pair& p, std::vector<std::uint32_t>& users) const {
    users.clear();
    for (std::uint32_t l = slots_[locate(p)].head; l != none; l = links_[l].next) users.push_back(links_[l].user);
  }
  template <class F>
  void each(F f) const {
    for (const Slot& s : slots_) {
      if (s.count > 1) f(s.pair, s.count);
    }
  }

 private:
  static constexpr std::uint32_t none = 0xffffffffU;
  struct Slot {
    Pair pair;
    std::uint32_t head = none;
    std::uint32_t count = 0;
  };
  struct Link {
    std::uint32_t user;
    std::uint32_t next;
  };
  std::uint32_t link(Slot& s, std::uint32_t user) {
    links_.push_back({user, s.head});
    s.head = static_cast<std::uint32_t>(links_.size() - 1);
    return ++s.count;
  }
  [[nodiscard]] std::size_t locate(const Pair& p) const {
    std::size_t at = static_cast<std::size_t>(mix(((static_cast<std::uint64_t>(p.a) << 32U) | p.b) ^
                                                  (std::bit_cast<std::uint64_t>(p.ratio) * 0x9e3779b97f4a7c15ULL))) &
                     (slots_.size() - 1);
    while (slots_[at].head != none && !(slots_[at].pair == p)) at = (at + 1) & (slots_.size() - 1);
    return at;
  }
  void grow() {
    std::vector<Slot> old(slots_.size() * 2);
    old.swap(slots_);
    for (const Slot& s : old) {
      if (s.head != none) slots_[locate(s.pair)] = s;
    }
  }
  std::vector<Slot> slots_;
  std::vector<Link> links_;
  std::size_t used_ = 0;
};

class Sharing {
 public:
  Sharing(Network& network, const std::vector<std::uint32_t>& order, const std::vector<char>* changed)
      : network_(network), users_(pairs(network, order, changed)) {
    for (const std::uint32_t id : order) {
      if (changed == nullptr || (*changed)[id] != 0) pairs_of(id, [&](const Pair& p) { users_.add(p, id); });
    }
    if (changed == nullptr) return;
    for (const std::uint32_t id : order) {
      if ((*changed)[id] == 0) pairs_of(id, [&](const Pair& p) { users_.add_if_known(p, id); });
    }
  }

  void run() {
    users_.each([&](const Pair& pair, std::uint32_t count) { queue_.push({count, pair}); });
    std::vector<std::uint32_t> users;
    while (!queue_.empty()) {
      const auto [count, pair] = queue_.top();
      queue_.pop();
      users_.list(pair, users);
      std::erase_if(users, [this, &pair = pair](std::uint32_t u) { return !has(u, pair); });
      if (users.size() < 2) continue;  // most of them: others were taken out first
      std::sort(users.begin(), users.end());
      users.erase(std::unique(users.begin(), users.end()), users.end());
      if (users.size() < 2) continue;
      if (users.size() < count) {
        queue_.push({static_cast<std::uint32_t>(users.size()), pair});
        continue;
      }
      extract(pair, users);
    }
  }

 private:
  struct Entry {
    std::uint32_t count;
    Pair pair;
    // the most frequent first; ties by the numbers of the nodes, so that the same input gives the same program
    friend bool operator<(const Entry& x, const Entry& y) {
      if (x.count != y.count) return x.count < y.count;
      return std::tuple(x.pair.b, x.pair.a, x.pair.ratio) < std::tuple(y.pair.b, y.pair.a, y.pair.ratio);
    }
  };

  static std::size_t pairs(const Network& network, const std::vector<std::uint32_t>& order,
                           const std::vector<char>* changed) {
    std::size_t count = 0;
    for (const std::uint32_t id : order) {
      const Network::Node& n = network.nodes[id];
      if (eligible(n) && (changed == nullptr || (*changed)[id] != 0))
        count += n.items.size() * (n.items.size() - 1) / 2;
    }
    return count;
  }

  [[nodiscard]] static bool eligible(const Network::Node& n) {
    return (n.kind == Network::Kind::sum || n.kind == Network::Kind::product) && n.items.size() >= 2 &&
           n.items.size() <= longest_shared;
  }

  static Pair pair_of(bool sum, const Item& x, const Item& y) {
    const Item& a = x.node < y.node ? x : y;
    const Item& b = x.node < y.node ? y : x;
    return {a.node, b.node, sum ? b.weight / a.weight : 0};
  }

  // How many nodes may have the pair now.
  std::uint32_t add(std::uint32_t id, const Item& x, const Item& y) {
    const bool sum = network_.nodes[id].kind == Network::Kind::sum;
    if (!sum && (x.weight < 0 || y.weight < 0)) return 0;
    return users_.add(pair_of(sum, x, y), id);
  }

  template <class F>
  void pairs_of(std::uint32_t id, const F& f) const {
    const Network::Node& n = network_.nodes[id];
    if (!eligible(n)) return;
    const bool sum = n.kind == Network::Kind::sum;
    for (std::size_t i = 0; i < n.items.size(); ++i) {
      for (std::size_t j = 0; j < i; ++j) {
        if (sum || (n.items[i].weight > 0 && n.items[j].weight > 0)) f(pair_of(sum, n.items[i], n.items[j]));
      }
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

  // The coefficients that most users have, so that they take the sum as it is.
  double scale_of(const Pair& pair, const std::vector<std::uint32_t>& users) {
    weights_.clear();
    for (const std::uint32_t id : users) weights_.add(std::fabs(item(id, pair.a)->weight));
    return weights_.most().first;
  }

  // The powers of both factors that all users have.
  std::pair<double, double> common_powers(const Pair& pair, const std::vector<std::uint32_t>& users) {
    double a = item(users[0], pair.a)->weight;
    double b = item(users[0], pair.b)->weight;
    for (const std::uint32_t id : users) {
      a = std::min(a, item(id, pair.a)->weight);
      b = std::min(b, item(id, pair.b)->weight);
    }
    return {a, b};
  }

  void extract(const Pair& pair, const std::vector<std::uint32_t>& users) {
    const bool sum = pair.ratio != 0;
    const double scale = sum ? scale_of(pair, users) : 1;
    // (a*b)^k where the powers are alike, and of x*y^3 and x*y^4 the first, whose power takes the shortest way.
    auto [power_a, power_b] = sum ? std::pair(1.0, 1.0) : common_powers(pair, users);
    if (power_a == power_b) power_a = power_b = 1;
    const std::uint32_t both = sum ? network_.sum(0, {{pair.a, scale}, {pair.b, scale * pair.ratio}})
                               : power_a == 1 && power_b == 1
                                   ? network_.product_of(pair.a, pair.b)
                                   : network_.product(1, {{pair.a, power_a}, {pair.b, power_b}});
    for (const std::uint32_t id : users) {
      if (id == both) continue;
      std::vector<Item>& items = network_.nodes[id].items;
      const double times =
          sum ? item(id, pair.a)->weight / scale
              : std::floor(std::min(item(id, pair.a)->weight / power_a, item(id, pair.b)->weight / power_b));
      bool known = false;
      for (Item& i : items) {
        if (i.node == pair.a) i.weight = sum ? 0 : i.weight - times * power_a;
        if (i.node == pair.b) i.weight = sum ? 0 : i.weight - times * power_b;
        if (i.node == both) i.weight += times;
        known = known || i.node == both;
      }
      std::erase_if(items, [](const Item& i) { return i.weight == 0; });
      if (!known) items.push_back({both, times});
      if (item(id, both) == nullptr) continue;
      const Item shared = *item(id, both);
      for (const Item& i : items) {
        if (i.node == both) continue;
        if (const std::uint32_t count = add(id, i, shared); count > 1) queue_.push({count, pair_of(sum, i, shared)});
      }
    }
  }

  Network& network_;
  Tally weights_;
  Users users_;
  std::priority_queue<Entry> queue_;
};

}  // namespace

void share_pairs(Network& network, const std::vector<std::uint32_t>& roots, const std::vector<char>* changed) {
  Sharing(network, network.order(roots), changed).run();
}

}  // namespace boreon
