// SPDX-License-Identifier: MIT
// The search: parts first, then the whole; in each round every transformation is tried on the best form so far, and a
// form is taken only if it costs less and agrees with what it replaces at random points.
#include "boreon/simplify.hpp"

#include <algorithm>

#include "algebra/polynomial/work.hpp"
#include "algebra/simplify/transforms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/sampling.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"

namespace boreon {
namespace {

using transforms::Forms;

constexpr std::uint64_t work_of_attempt = 2000000;  // multiplications of coefficients

class Simplifier {
 public:
  explicit Simplifier(const SimplifyOptions& options)
      : options_(options), reasoner_(options.conditions), work_(options.work) {
    quick_ = options;
    quick_.points = std::min<std::size_t>(options.points, 3);
    quick_.seed = options.seed + 1;
  }

  // The whole expression: in its parts, then as it stands.
  Expr run(const Expr& e) {
    if (!has_points(e)) return e;
    Expr best = parts(e);
    const Expr again = improve(e);
    if (better(again, best)) best = again;
    // New forms have parts that nobody has looked at.
    for (int round = 0; round < 4; ++round) {
      const Expr next = parts(best);
      if (!better(next, best)) break;
      best = next;
    }
    return best;
  }
  [[nodiscard]] bool exhausted() const { return work_ == 0; }

 private:
  // Whether any point meets the conditions: where none does, each comparison would look for one in vain.
  [[nodiscard]] bool has_points(const Expr& e) const {
    if (options_.conditions.empty()) return true;
    std::vector<Expr> all = options_.conditions;
    all.push_back(e);
    const std::vector<Expr> leaves = sampled_leaves(all);
    Sampler sampler(leaves, options_.ranges, options_.seed);
    return leaves.empty() || !sampler.draw(options_.conditions).empty();
  }

  double cost(const Expr& e) {
    const auto [slot, fresh] = costs_.insert(e);
    if (fresh) {
      *slot = options_.cost(e);
      keep_.push_back(e);
    }
    return *slot;
  }

  bool better(const Expr& a, const Expr& b) {
    if (a == b) return false;
    const double ca = cost(a);
    const double cb = cost(b);
    if (ca != cb) return ca < cb;
    const std::size_t la = to_text(a, {.max_length = 4000}).size();
    const std::size_t lb = to_text(b, {.max_length = 4000}).size();
    return la < lb;
  }

  Expr parts(const Expr& root) {
    Rebuild rebuild([](const Expr&, Expr&) { return false; },
                    [&](const Expr& e) { return e.operands().empty() ? e : improve(e); });
    return rebuild(root);
  }

  Expr improve(const Expr& e) {
    if (e.is(Kind::relation) || e.is(Kind::logic) || e.operands().empty()) return e;
    const auto [slot, fresh] = done_.insert(e);
    if (!fresh) return *slot;
    *slot = e;
    keep_.push_back(e);
    if (work_ == 0 || cost(e) > static_cast<double>(options_.largest)) return e;
    Expr best = e;
    for (int round = 0; round < 6; ++round) {
      Forms forms;
      offer(best, forms);
      std::vector<Expr> candidates;
      for (const Expr& f : forms) {
        if (!(f == best) && std::find(candidates.begin(), candidates.end(), f) == candidates.end())
          candidates.push_back(f);
      }
      std::sort(candidates.begin(), candidates.end(), [&](const Expr& a, const Expr& b) {
        if (cost(a) != cost(b)) return cost(a) < cost(b);
        return order(a, b) < 0;
      });
      bool found = false;
      for (const Expr& c : candidates) {
        if (cost(c) > cost(best)) break;
        if (!better(c, best) || !verified(best, c)) continue;
        best = c;
        found = true;
      }
      if (!found || work_ == 0) break;
    }
    *done_.find(e) = best;
    return best;
  }

  // Agrees wherever both have values. Where nothing has one (unevaluated integrals, sums, limits) the transformations
  // stand on their own; where a value should be had and never is, the form is refused.
  bool verified(const Expr& from, const Expr& to) {
    const Comparison c = compare(from, to, quick_);
    if (c.points > 0 || !c.agrees) return c.agrees;
    bool opaque = false;
    postorder(from, [&](const Expr& x) { opaque = opaque || is_operator(x); });
    return opaque;
  }

  template <class Make>
  void attempt(Make make) {
    if (work_ == 0) return;
    --work_;
    try {
      const poly::WorkLimit limit(work_of_attempt);
      make();
    } catch (const Error&) {  // this form is not on offer: too large, or it meets a pole
    }
  }

  void tidy(const Expr& e, Forms& out) {
    out.push_back(e);
    attempt([&] {
      const Expr local = transforms::local_rules(e, reasoner_);
      const Expr gathered = transforms::gather_products(local);
      out.push_back(local);
      out.push_back(gathered);
      out.push_back(transforms::local_rules(gathered, reasoner_));
      out.push_back(transforms::signs_absorbed(gathered));
    });
  }

  void offer(const Expr& e, Forms& out) {
    if (cost(e) == 0) return;
    Forms raw;
    attempt([&] {
      const Expr local = transforms::local_rules(e, reasoner_);
      raw.push_back(local);
      const Expr roots = transforms::radical_rules(local, reasoner_);
      raw.push_back(roots);
      if (!(local == e) || !(roots == e)) {
        transforms::rational_forms(roots, raw);
        transforms::trigonometric_forms(roots, raw);
      }
    });
    attempt([&] { transforms::rational_forms(e, raw); });
    attempt([&] { raw.push_back(expand(e, {.terms = 5000})); });
    attempt([&] { transforms::trigonometric_forms(e, raw); });
    attempt([&] { transforms::exponential_forms(e, raw); });
    attempt([&] { transforms::special_forms(e, raw); });
    attempt([&] {
      const Expr list[] = {transforms::powers_to_exponentials(e), transforms::absolutes_apart(e),
                           transforms::inverse_hyperbolic_to_logarithms(e), transforms::angles_doubled(e)};
      for (const Expr& f : list) {
        if (!(f == e)) raw.push_back(f);
      }
      if (!(list[2] == e)) raw.push_back(transforms::logarithms_expanded(list[2], reasoner_));
    });
    attempt([&] {
      if (!transforms::contains_call(e, {"log"})) return;
      const Expr apart = transforms::logarithms_expanded(transforms::inverse_hyperbolic_to_logarithms(e), reasoner_);
      raw.push_back(apart);
      raw.push_back(transforms::logarithms_combined(e, reasoner_));
      raw.push_back(transforms::logarithms_combined(apart, reasoner_));
      transforms::rational_forms(apart, raw);
    });
    std::vector<Expr> seen;
    for (const Expr& f : raw) {
      if (std::find(seen.begin(), seen.end(), f) != seen.end()) continue;
      seen.push_back(f);
      // What is many times larger than the input will not become smaller by local rules.
      if (cost(f) <= 4 * cost(e) + 40) tidy(f, out);
    }
    // One symbol at a time in front: shorter sums of products.
    attempt([&] {
      if (!e.is(Kind::sum) || e.operands().size() > 41) return;
      for (const Symbol& s : free_symbols(e)) {
        const Expr c = collect(e, s);
        if (!(c == e)) out.push_back(c);
      }
    });
  }

  const SimplifyOptions& options_;
  SimplifyOptions quick_;
  Reasoner reasoner_;
  std::size_t work_;
  NodeMap<double> costs_;
  NodeMap<Expr> done_;
  std::vector<Expr> keep_;
};

}  // namespace

Simplified simplify_with_report(const Expr& expression, const SimplifyOptions& options) {
  Simplified out;
  out.cost_before = options.cost(expression);
  Simplifier simplifier(options);
  if (expression.is(Kind::relation)) {
    // Both sides; what they become may be one truth value, so their differences are compared, not the relations.
    const Expr& left = expression.operands()[0];
    const Expr& right = expression.operands()[1];
    const Expr simple_left = simplifier.run(left);
    const Expr simple_right = simplifier.run(right);
    out.expression = relation(expression.relation_op(), simple_left, simple_right);
    out.check = compare(left - right, simple_left - simple_right, options);
  } else {
    out.expression = simplifier.run(expression);
    out.check = compare(expression, out.expression, options);
  }
  out.work_exhausted = simplifier.exhausted();
  if (!out.check.agrees || options.cost(out.expression) > out.cost_before) {  // never wrong, never worse
    out.expression = expression;
    out.check = compare(expression, expression, options);
  }
  out.cost_after = options.cost(out.expression);
  return out;
}

Expr simplify(const Expr& expression, const SimplifyOptions& options) {
  return simplify_with_report(expression, options).expression;
}

Expr in_exponentials(const Expr& e) {
  return expand(transforms::circular_to_exponentials(transforms::hyperbolic_to_exponentials(e)));
}
Expr in_sines_and_cosines(const Expr& e) {
  return transforms::tangents_to_sines(transforms::exponentials_to_circular(e));
}
Expr expand_angles(const Expr& e) { return expand(transforms::angles_expanded(e, true)); }
Expr combine_angles(const Expr& e) { return transforms::angles_combined(e); }
Expr expand_logarithms(const Expr& e) { return transforms::logarithms_expanded(e, Reasoner()); }
Expr combine_logarithms(const Expr& e) { return transforms::logarithms_combined(e, Reasoner()); }

}  // namespace boreon
