// SPDX-License-Identifier: MIT
#include "boreon/rewrite.hpp"

#include <algorithm>

#include "algebra/rewrite/matcher.hpp"
#include "boreon/error.hpp"
#include "boreon/traverse.hpp"

namespace boreon {
namespace {

class Rewriter {
 public:
  Rewriter(std::span<const Rule> rules, const RewriteOptions& options)
      : rules_(rules), options_(options), reasoner_(options.given) {
    for (const Rule& r : rules) report_.by_rule.emplace_back(r.name, 0);
  }

  Rewritten run(const Expr& e) {
    Expr current = e;
    if (options_.extent != RewriteExtent::fixed_point) {
      report_.expression = pass(current);
      return std::move(report_);
    }
    // Passes until nothing changes; going round in circles ends at the limit.
    while (!report_.limit_reached) {
      const Expr next = pass(current);
      if (next == current) break;
      current = next;
    }
    report_.expression = current;
    return std::move(report_);
  }

 private:
  Expr pass(const Expr& e) {
    const bool down = options_.order == RewriteOrder::top_down;
    Rebuild rebuild(
        [&](const Expr& x, Expr& result) {
          // Top down: a rewritten node is not entered in this pass. Bottom up, only leaves are met on the way down.
          return (down || x.operands().empty()) && apply(x, result);
        },
        [&](const Expr& x) {
          Expr result = x;
          if (!down && !x.operands().empty() && apply(x, result)) return result;
          return x;
        });
    return rebuild(e);
  }

  static bool is_placeholder(const Rule& rule, const Expr& e) {
    return e.is(Kind::symbol) &&
           (std::find(rule.placeholders.begin(), rule.placeholders.end(), e) != rule.placeholders.end() ||
            std::find(rule.rests.begin(), rule.rests.end(), e) != rule.rests.end());
  }
  bool stopped() const {
    return report_.limit_reached || (options_.extent == RewriteExtent::first && report_.applications > 0);
  }

  // A rule at this node, or at a term c*t of a sum or a factor b^n of a product, which are no nodes of their own.
  bool apply(const Expr& x, Expr& result) {
    if (is_function_head(x)) return false;
    for (std::size_t i = 0; i < rules_.size(); ++i) {
      if (apply_rule(i, x, result)) return true;
      const Kind pattern = rules_[i].pattern.kind();
      if (x.is(Kind::sum) && pattern == Kind::product) {
        for (const auto [term, c] : Parts(x)) {
          Expr value;
          if (c.is_integer(1) || !apply_rule(i, c * term, value)) continue;
          result = x - c * term + value;
          return true;
        }
      } else if (x.is(Kind::product) && pattern == Kind::power) {
        for (const auto [base, exponent] : Parts(x)) {
          Expr value;
          if (exponent.is_integer(1) || !apply_rule(i, power(base, exponent), value)) continue;
          result = x / power(base, exponent) * value;
          return true;
        }
      }
    }
    return false;
  }

  bool apply_rule(std::size_t i, const Expr& x, Expr& result) {
    if (stopped()) return false;
    const Rule& rule = rules_[i];
    Matcher matcher(rule, reasoner_, options_.match_steps);
    Expr left_over;
    if (!matcher.match(x, true, left_over)) {
      if (matcher.exhausted()) report_.limit_reached = true;
      return false;
    }
    // Plain replacement: a variable that an integral or sum of the pattern binds is meant to meet the one of the
    // replacement, so that what a placeholder holds of it must not be renamed.
    Rebuild fill([&](const Expr& e, Expr& filled) {
      if (!is_placeholder(rule, e)) return false;
      filled = matcher.values().at(e.name());
      return true;
    });
    Expr value = fill(rule.replacement);
    if (rule.pattern.is(Kind::sum)) value = value + left_over;
    if (rule.pattern.is(Kind::product)) value = value * left_over;
    if (value == x) return false;
    if (report_.applications >= options_.limit) {
      report_.limit_reached = true;
      return false;
    }
    ++report_.applications;
    ++report_.by_rule[i].second;
    result = value;
    return true;
  }

  std::span<const Rule> rules_;
  const RewriteOptions& options_;
  Reasoner reasoner_;
  Rewritten report_;
};

}  // namespace

Rule::Rule(Expr p, Expr r, std::vector<Expr> symbols, std::vector<Expr> rest_symbols)
    : pattern(std::move(p)),
      replacement(std::move(r)),
      placeholders(std::move(symbols)),
      rests(std::move(rest_symbols)),
      name(to_text(pattern) + " becomes " + to_text(replacement)) {
  const auto known = [](const std::vector<Expr>& list, const Expr& s) {
    return std::find(list.begin(), list.end(), s) != list.end();
  };
  for (const Expr& s : placeholders) {
    if (!s.is(Kind::symbol))
      throw Error(ErrorKind::usage, "a placeholder is a symbol, not " + to_text(s, {.max_length = 60}));
    if (!depends_on(pattern, s))
      throw Error(ErrorKind::usage, "the placeholder " + s.name() + " does not occur in the pattern " +
                                        to_text(pattern, {.max_length = 200}));
  }
  if (known(placeholders, pattern) || known(rests, pattern))
    throw Error(ErrorKind::usage, "a pattern that is only a placeholder matches everything; give it some structure");
  for (const Expr& s : rests) {
    bool operand = false;
    postorder(pattern, [&](const Expr& x) {
      if (x.is(Kind::sum) || x.is(Kind::product)) {
        for (const auto [key, factor] : Parts(x)) operand = operand || (key == s && factor.is_integer(1));
      }
    });
    if (!operand)
      throw Error(ErrorKind::usage, "the rest placeholder " + s.name() +
                                        " must stand alone as an operand of a sum or product of the pattern");
  }
}

Rewritten rewrite_with_report(const Expr& e, std::span<const Rule> rules, const RewriteOptions& options) {
  return Rewriter(rules, options).run(e);
}

Expr rewrite(const Expr& e, std::span<const Rule> rules, const RewriteOptions& options) {
  return rewrite_with_report(e, rules, options).expression;
}

bool matches(const Expr& e, const Rule& rule, Matches& found) {
  const Reasoner reasoner;
  Matcher m(rule, reasoner, RewriteOptions{}.match_steps);
  Expr left_over;
  if (!m.match(e, false, left_over)) return false;
  found = m.values();
  return true;
}

}  // namespace boreon
