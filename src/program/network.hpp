// SPDX-License-Identifier: MIT
// Expressions on their way to a program: sums and products of many operands, in which what they share can still be
// chosen.
#pragma once

#include <cstdint>
#include <functional>
#include <vector>

#include "boreon/program.hpp"
#include "program/id_table.hpp"

namespace boreon {

struct Network {
  enum class Kind : std::uint8_t {
    leaf,     ///< a constant or an input
    sum,      ///< constant + sum of weight*node
    product,  ///< constant * product of node^weight, weights being whole numbers
    apply     ///< an instruction on up to three nodes
  };
  struct Item {
    std::uint32_t node = 0;
    double weight = 1;
    friend bool operator==(const Item&, const Item&) = default;
  };
  struct Node {
    Kind kind = Kind::leaf;
    OpCode op = OpCode::add;
    std::uint16_t function = 0;
    Operand leaf;
    std::int8_t sign = 0;  ///< of arguments of exp: 1 never below zero, -1 never above, 0 not known
    double constant = 0;
    std::vector<Item> items;
    std::uint64_t order = 0;  ///< from the expression: subsets of large sums meet when split along its bits
    friend bool operator==(const Node& x, const Node& y) {
      return x.kind == y.kind && x.op == y.op && x.function == y.function && x.leaf == y.leaf &&
             x.constant == y.constant && x.items == y.items;
    }
  };

  std::vector<Node> nodes;

  /// Node numbers; equal nodes are one.
  [[nodiscard]] std::uint32_t leaf(Operand operand);
  [[nodiscard]] std::uint32_t number(double value);
  [[nodiscard]] std::uint32_t sum(double constant, std::vector<Item> items);
  [[nodiscard]] std::uint32_t product(double constant, std::vector<Item> items);
  /// a*b as it stands: a coefficient inside, which others share, stays there.
  [[nodiscard]] std::uint32_t product_of(std::uint32_t a, std::uint32_t b);
  [[nodiscard]] std::uint32_t apply(OpCode op, std::uint16_t function, std::initializer_list<std::uint32_t> operands);

  /// c*x as {x, c}; any other node x as {x, 1}.
  [[nodiscard]] Item unscaled(std::uint32_t node) const;
  [[nodiscard]] const double* value(std::uint32_t node) const;  ///< of a constant leaf, else null
  [[nodiscard]] bool is_call(std::uint32_t node, std::uint16_t function) const {
    return nodes[node].kind == Kind::apply && nodes[node].op == OpCode::call && nodes[node].function == function;
  }

  /// Numbers of the nodes below the roots, operands first.
  [[nodiscard]] std::vector<std::uint32_t> order(const std::vector<std::uint32_t>& roots) const;
  /// How often each node is an operand or a root, given order(roots).
  [[nodiscard]] std::vector<std::uint32_t> uses(const std::vector<std::uint32_t>& roots,
                                                const std::vector<std::uint32_t>& order) const;

 private:
  std::uint32_t keep(Node node);
  IdTable known_;
};

/// The passes. Each keeps the values of the roots up to rounding.
///
/// exp(-x) beside exp(x) becomes 1/exp(x), exp(a + b) beside exp(a) and exp(b) their product if a and b are known to
/// have one sign (otherwise the parts may overflow where the whole does not); powers of one base whose exponents differ
/// by whole numbers become one power.
void reuse_powers(Network& network, const std::vector<std::uint32_t>& roots);
/// Divisors that several quotients have become one reciprocal.
void share_reciprocals(Network& network, const std::vector<std::uint32_t>& roots);
/// k + x + y becomes (c + x) + (d + y) where these are computed anyway and c + d = k: x is then needed once, and may be
/// multiplied and added in one operation.
void absorb_constants(Network& network, const std::vector<std::uint32_t>& roots);
/// a*x + b*x becomes (a + b)*x where the products have no other use; polynomials take Horner's form. For each node
/// whether it is another or a new one.
[[nodiscard]] std::vector<char> factor_sums(Network& network, const std::vector<std::uint32_t>& roots);
/// Pairs of factors or terms that several products or sums have become nodes of their own, the most frequent first
/// (greedy extraction, as in Breuer, "Generation of optimal code for expressions via factorization", 1969). Given which
/// nodes have changed since the last time, only their pairs are looked at.
void share_pairs(Network& network, const std::vector<std::uint32_t>& roots, const std::vector<char>* changed = nullptr);

/// Factors c that all users of a product apply become part of it, where several products may share c*x.
void absorb_factors(Network& network, const std::vector<std::uint32_t>& roots);
/// x^c*exp(u) becomes exp(c*log(x) + u) where nobody needs the parts.
void merge_exponentials(Network& network, const std::vector<std::uint32_t>& roots);

/// Instructions for the roots; value numbering and folding as ProgramBuilder does.
/// What depends only on leaves that are `fixed` is combined first, so that it can be taken out of a loop.
[[nodiscard]] std::vector<Operand> binarise(const Network& network, const std::vector<std::uint32_t>& roots,
                                            Program& program, const std::function<bool(Operand)>& fixed = {});

}  // namespace boreon
