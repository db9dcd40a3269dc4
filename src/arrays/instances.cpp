// SPDX-License-Identifier: MIT
#include "arrays/instances.hpp"

#include <algorithm>
#include <random>

#include "arrays/write_out.hpp"
#include "boreon/error.hpp"
#include "boreon/symbol.hpp"
#include "boreon/traverse.hpp"

namespace boreon {
namespace {

// Symbols in whose place a whole number belongs.
struct Roles {
  std::vector<Symbol> indices;
  std::vector<Symbol> sizes;  // in the bounds of reductions

  static bool add(std::vector<Symbol>& to, const Expr& e) {
    bool any = false;
    for (const Symbol& s : free_symbols(e)) {
      if (std::find(to.begin(), to.end(), s) != to.end()) continue;
      to.push_back(s);
      any = true;
    }
    return any;
  }
  [[nodiscard]] bool has(const Symbol& s) const {
    return std::find(indices.begin(), indices.end(), s) != indices.end() ||
           std::find(sizes.begin(), sizes.end(), s) != sizes.end();
  }
};

Roles roles_in(std::span<const Expr> expressions) {
  Roles roles;
  std::vector<Expr> bound;
  std::vector<Expr> relations;
  postorder(expressions, [&](const Expr& e) {
    if (e.is(Kind::element)) {
      for (const Expr& i : e.operands().subspan(1)) Roles::add(roles.indices, i);
    } else if (e.is(Kind::reduction)) {
      bound.push_back(e.operands()[1]);
      Roles::add(roles.sizes, e.operands()[2]);
      Roles::add(roles.sizes, e.operands()[3]);
    } else if (e.is(Kind::relation)) {
      relations.push_back(e);
    }
  });
  // An index is compared with other indices and sizes.
  for (bool more = true; more;) {
    more = false;
    for (const Expr& r : relations) {
      const auto free = free_symbols(r);
      const bool whole = std::any_of(free.begin(), free.end(), [&](const Symbol& s) {
        return roles.has(s) || std::find(bound.begin(), bound.end(), s) != bound.end();
      });
      if (whole && free.size() <= 3) more = Roles::add(roles.indices, r) || more;
    }
  }
  const auto is_bound = [&](const Symbol& s) { return std::find(bound.begin(), bound.end(), s) != bound.end(); };
  std::vector<Symbol> free = free_symbols(expressions);
  const auto inner_only = [&](const Symbol& s) {
    return is_bound(s) && std::find(free.begin(), free.end(), s) == free.end();
  };
  std::erase_if(roles.indices, inner_only);
  std::erase_if(roles.sizes, inner_only);
  return roles;
}

}  // namespace

bool has_open_elements(std::span<const Expr> expressions) {
  bool any = false;
  postorder(expressions, [&](const Expr& e) { any = any || e.is(Kind::element); });
  return any;
}

std::vector<Expr> instance(std::span<const Expr> expressions, std::uint64_t seed) {
  std::mt19937_64 random(seed);
  std::vector<Expr> now(expressions.begin(), expressions.end());
  // An index that is itself an element, T[edge[i]], becomes a symbol first and a number in the next round.
  for (int round = 0; round < 6; ++round) {
    if (!has_open_elements(now) && round > 0) return now;
    const Roles roles = roles_in(now);
    WriteOut::Numbers numbers;
    for (const Symbol& s : roles.sizes) numbers.emplace_back(s, static_cast<std::int64_t>(2 + random() % 4));
    for (const Symbol& s : roles.indices) {
      if (std::find(roles.sizes.begin(), roles.sizes.end(), s) == roles.sizes.end())
        numbers.emplace_back(s, static_cast<std::int64_t>(random() % 5));
    }
    try {
      WriteOut write({}, numbers);
      for (Expr& e : now) e = write(e);
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::shape && e.kind() != ErrorKind::domain) throw;
      return {};
    }
  }
  return has_open_elements(now) ? std::vector<Expr>() : now;
}

}  // namespace boreon
