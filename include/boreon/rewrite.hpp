// SPDX-License-Identifier: MIT
// Rewrite rules: patterns with placeholders, matched modulo the order of sums and products.
#pragma once

#include <cstddef>
#include <functional>
#include <map>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"

namespace boreon BOREON_API {

/// What each placeholder stands for, by name.
using Matches = std::map<std::string, Expr, std::less<>>;

/// pattern becomes replacement, for any values of the placeholders that fulfil the condition.
///
/// A placeholder stands for one operand; all its occurrences must be the same. A rest placeholder in a sum (product)
/// stands for the sum (product) of all operands that nothing else matches, at least one. A pattern that is
/// a sum or product also applies to part of a longer one; what is left stays beside the replacement. Numbers in sums
/// and in front of products are operands like others: k*sin(u)^2 + k*cos(u)^2 finds 2*sin(x)^2 + 2*cos(x)^2 with k = 2.
struct Rule {
  Expr pattern;
  Expr replacement;
  std::vector<Expr> placeholders;  ///< symbols
  std::vector<Expr> rests;         ///< symbols, each an operand of a sum or product of the pattern
  /// Conditions in the placeholders that must be proved (relations), and tests; all must hold.
  std::vector<Expr> conditions;
  std::vector<std::function<bool(const Matches&)>> tests;
  std::string name;  ///< shown in reports; its text by default

  /// Throws Error(usage) when the pattern is only a placeholder, when the replacement uses a placeholder that the
  /// pattern does not have, or when a rest placeholder is no operand of a sum or product.
  Rule(Expr pattern, Expr replacement, std::vector<Expr> placeholders, std::vector<Expr> rests = {});

  /// "sin(u)^2 + cos(u)^2 becomes 1 for any u"
  /// "log(a*b) becomes log(a) + log(b) for any a, rest b where a > 0, b > 0"
  /// Conditions are separated by commas: relations, "n integer" (or real, positive, negative, nonnegative, nonzero),
  /// "n number", "x symbol", "c free of t". Throws Error(syntax) with the place and the remedy.
  [[nodiscard]] static Rule parse(std::string_view text, const ParseContext& context = {});
};

/// Rules separated by semicolons or line ends; # starts a comment.
[[nodiscard]] std::vector<Rule> parse_rules(std::string_view text, const ParseContext& context = {});

enum class RewriteOrder { bottom_up, top_down };
enum class RewriteExtent {
  first,       ///< one application, at the first place where a rule fits
  pass,        ///< every place once; what a rule returns is not looked at again
  fixed_point  ///< until no rule fits any more, or the limit is reached
};

struct RewriteOptions {
  RewriteOrder order = RewriteOrder::bottom_up;
  RewriteExtent extent = RewriteExtent::fixed_point;
  std::size_t limit = 10000;         ///< applications
  std::vector<Expr> given = {};      ///< relations that may be used to prove conditions
  std::size_t match_steps = 200000;  ///< for one rule at one place; matching a sum in all orders can be exponential
};

struct Rewritten {
  Expr expression;
  std::size_t applications = 0;
  std::vector<std::pair<std::string, std::size_t>> by_rule;  ///< how often each rule was used
  bool limit_reached = false;                                ///< of applications or of steps: the result is not final
};

[[nodiscard]] Expr rewrite(const Expr& expression, std::span<const Rule> rules, const RewriteOptions& options = {});
[[nodiscard]] Rewritten rewrite_with_report(const Expr& expression, std::span<const Rule> rules,
                                            const RewriteOptions& options = {});

/// Whether the whole expression matches the pattern of the rule; the placeholders' values if so.
[[nodiscard]] bool matches(const Expr& expression, const Rule& rule, Matches& found);

}  // namespace boreon
