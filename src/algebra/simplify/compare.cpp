// SPDX-License-Identifier: MIT
// Two expressions at random points, in ball arithmetic.
#include <algorithm>
#include <cmath>
#include <functional>
#include <optional>

#include "algebra/kernel_ring.hpp"
#include "algebra/simplify/transforms.hpp"
#include "arrays/instances.hpp"
#include "boreon/bindings.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/simplify.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"
#include "values/domains.hpp"
#include "values/graph_evaluator.hpp"

namespace boreon {
namespace {

constexpr long first_precision = 128;
constexpr long last_precision = 2048;

class PointEvaluator {
 public:
  PointEvaluator(const Expr& a, const Expr& b, const SimplifyOptions& options) : a_({&a, 1}), b_({&b, 1}) {
    std::vector<Expr> all{a, b};
    all.insert(all.end(), options.conditions.begin(), options.conditions.end());
    leaves_ = sampled_leaves(all);
    for (std::size_t i = 0; i < leaves_.size(); ++i) index_[leaves_[i]] = i;
    postorder(std::span<const Expr>(all),
              [&](const Expr& e) { rounded_ = rounded_ || (e.is_number() && e.number().is_double()); });
    zero_claimed_ = a.is_integer(0) || b.is_integer(0);
  }
  [[nodiscard]] bool zero_claimed() const { return zero_claimed_; }
  /// Whether doubles occur: what is made of them is rounded at each step, in another order on each side.
  [[nodiscard]] bool rounded() const { return rounded_; }
  [[nodiscard]] const std::vector<Expr>& leaves() const { return leaves_; }

  // Values of both; an empty one where it is not defined.
  void evaluate(const std::vector<std::complex<double>>& point, long precision, std::optional<Ball>& x,
                std::optional<Ball>& y) const {
    x = one(a_, point, precision);
    y = one(b_, point, precision);
  }

 private:
  std::optional<Ball> one(const EvaluationPlan& plan, const std::vector<std::complex<double>>& point,
                          long precision) const {
    try {
      auto r = GraphEvaluator<BallDomain>(BallDomain{precision}).run(plan, [&](const Expr& e, Ball& v) {
        const std::size_t* i = index_.find(e);
        if (i == nullptr) return false;
        v = Ball::from(point[*i]);
        return true;
      });
      if (!r[0].finite()) return std::nullopt;
      return std::move(r[0]);
    } catch (const Error&) {
      return std::nullopt;
    }
  }

  EvaluationPlan a_;
  EvaluationPlan b_;
  std::vector<Expr> leaves_;
  NodeMap<std::size_t> index_;
  bool rounded_ = false;
  bool zero_claimed_ = false;
};

enum class PointResult { agree, differ, useless, lost };

// Digits of agreement; raises the precision until the balls are sharp or disjoint.
PointResult compare_at(const PointEvaluator& f, const std::vector<std::complex<double>>& point, double& digits,
                       std::complex<double>* values) {
  for (long precision = first_precision; precision <= last_precision; precision *= 4) {
    std::optional<Ball> x;
    std::optional<Ball> y;
    f.evaluate(point, precision, x, y);
    if (!x) {
      if (precision * 4 > last_precision) return PointResult::useless;
      continue;
    }
    if (!y) {
      if (precision * 4 > last_precision) return PointResult::lost;
      continue;
    }
    if (acb_overlaps(x->get(), y->get()) == 0) {
      const std::complex<double> one(midpoint(x->re()), midpoint(x->im()));
      const std::complex<double> other(midpoint(y->re()), midpoint(y->im()));
      const double apart = std::abs(one - other);
      if (f.rounded() && apart <= 1e-11 * std::abs(one)) {
        digits = -std::log10(apart / std::abs(one));
        return PointResult::agree;
      }
      values[0] = {midpoint(x->re()), midpoint(x->im())};
      values[1] = {midpoint(y->re()), midpoint(y->im())};
      return PointResult::differ;
    }
    // Where both are switched off, any factor would agree: such a point tells nothing, unless zero is what is claimed.
    if (!f.zero_claimed() && acb_is_zero(x->get()) != 0 && acb_is_zero(y->get()) != 0) return PointResult::useless;
    // The radius of the difference bounds what could still differ.
    Ball d;
    acb_sub(d.get(), x->get(), y->get(), precision);
    mag_t bound;
    mag_init(bound);
    acb_get_mag(bound, d.get());
    const double error = mag_get_d(bound);
    acb_get_mag(bound, x->get());
    const double size = std::max(mag_get_d(bound), 1e-6);
    mag_clear(bound);
    digits = error == 0 ? 100 : std::min(100.0, -std::log10(error / size));
    if (digits >= 15) return PointResult::agree;
  }
  return PointResult::useless;
}

std::vector<std::complex<double>> complex_point(const std::vector<Expr>& leaves, const std::vector<double>& p,
                                                Sampler& sampler) {
  std::vector<std::complex<double>> out;
  for (std::size_t i = 0; i < p.size(); ++i) {
    const bool real = !leaves[i].is(Kind::symbol) || assumptions_of(leaves[i]).has(Assumption::real);
    out.emplace_back(p[i], real ? 0 : sampler.uniform(-1.5, 1.5));
  }
  return out;
}

// What one point told, and whether it counts.
struct Visited {
  PointResult result;
  const std::vector<double>& point;
  double digits;
  const std::complex<double>* values;  // of both sides where they differ
};
enum class Next { counted, skipped, stop };

// A random point made telling: the k-th takes other signs than those before, every third has whole or half values
// (where powers and cuts differ), every fifth is large or small. Assumptions, ranges and conditions hold as before.
std::vector<double> telling_point(const PointEvaluator& f, const SimplifyOptions& options, std::size_t k,
                                  Sampler& sampler) {
  std::vector<double> p = sampler.draw(options.conditions);
  if (p.size() != f.leaves().size() || k == 0) return p;
  std::vector<double> q = p;
  for (std::size_t i = 0; i < q.size(); ++i) {
    const Expr& leaf = f.leaves()[i];
    if (options.ranges.contains(leaf.is(Kind::symbol) ? leaf.name() : to_text(leaf))) continue;
    const Assumptions a = leaf.is(Kind::symbol) ? assumptions_of(leaf) : Assumptions();
    if (a.has(Assumption::integer)) continue;
    const bool signed_one = !a.has(Assumption::nonnegative) && !a.has(Assumption::nonpositive);
    if (k % 3 == 2) q[i] = std::copysign(std::max(1.0, std::round(2 * std::fabs(q[i]))) / 2, q[i]);
    if (k % 5 == 4) q[i] *= i % 2 == (k / 5) % 2 ? 1000 : 0.001;
    // Patterns of signs: all alike, all others, then one by one.
    const std::size_t pattern = k % 8;
    const bool negative = pattern == 1 || (pattern > 1 && (((pattern * 5) >> (i % 3)) & 1U) != 0);
    if (signed_one) q[i] = negative ? -std::fabs(q[i]) : std::fabs(q[i]);
  }
  if (options.conditions.empty()) return q;
  Bindings b;
  for (std::size_t i = 0; i < q.size(); ++i) b.set(f.leaves()[i], q[i]);
  const bool good = std::all_of(options.conditions.begin(), options.conditions.end(), [&](const Expr& c) {
    return substitute(c, b, Unused::allowed).is_constant(ConstantCode::true_value);
  });
  return good ? q : p;
}

// Visits random points until `wanted` of them counted, in at most five times as many attempts.
template <class Visit>
void at_random_points(const PointEvaluator& f, const SimplifyOptions& options, std::size_t wanted, Visit&& visit) {
  if (f.leaves().empty()) wanted = 1;
  Sampler sampler(f.leaves(), options.ranges, options.seed);
  for (std::size_t k = 0, counted = 0; k < wanted * 5 && counted < wanted; ++k) {
    const std::vector<double> p = telling_point(f, options, k, sampler);
    if (p.size() != f.leaves().size()) return;
    double digits = 0;
    std::complex<double> values[2];
    const PointResult r = compare_at(f, complex_point(f.leaves(), p, sampler), digits, values);
    const Next next = visit(Visited{r, p, digits, values});
    if (next == Next::stop) return;
    counted += next == Next::counted ? 1U : 0U;
  }
}

std::vector<std::pair<std::string, double>> named_point(const PointEvaluator& f, const std::vector<double>& p) {
  std::vector<std::pair<std::string, double>> out;
  for (std::size_t i = 0; i < p.size(); ++i) out.emplace_back(to_text(f.leaves()[i]), p[i]);
  return out;
}

// Index notation: several choices of indices and sizes, each written out.
Comparison compare_instances(const Expr& a, const Expr& b, const SimplifyOptions& options) {
  Comparison out;
  out.digits = 100;
  const Expr both[] = {a, b};
  for (std::uint64_t k = 0; k < instances_to_try && out.agrees; ++k) {
    const std::vector<Expr> sides = instance(both, options.seed + k);
    if (sides.empty()) continue;
    const Comparison one = compare(sides[0], sides[1], options);
    out.agrees = one.agrees;
    out.points += std::max<std::size_t>(one.points, sides[0] == sides[1] ? 1 : 0);
    if (one.digits < out.digits) {
      out.digits = one.digits;
      out.worst_point = one.worst_point;
    }
  }
  if (out.points == 0) out.digits = 0;
  return out;
}

EquivalenceResult equivalent_instances(const Expr& a, const Expr& b, const SimplifyOptions& options) {
  EquivalenceResult out;
  out.digits = 100;
  const Expr both[] = {a, b};
  for (std::uint64_t k = 0; k < instances_to_try; ++k) {
    const std::vector<Expr> sides = instance(both, options.seed + k);
    if (sides.empty()) continue;
    EquivalenceResult one = equivalent(sides[0], sides[1], options);
    one.points = std::max<std::size_t>(one.points, 1);
    if (one.verdict == Equivalence::refuted) {
      one.reason += ", for small indices and sizes written out";
      return one;
    }
    out.points += one.points;
    out.digits = std::min(out.digits, one.verdict == Equivalence::proved ? 100 : one.digits);
  }
  if (out.points == 0) out.digits = 0;
  out.reason = out.points > 0 ? "small indices and sizes, written out, agree, but no proof for all was found"
                              : "no choice of indices and sizes was found where both have a value";
  return out;
}

}  // namespace

Comparison compare(const Expr& a, const Expr& b, const SimplifyOptions& options) {
  Comparison out;
  if (a == b) {
    out.digits = 100;
    return out;
  }
  if (a.is(Kind::relation) && b.is(Kind::relation)) {  // equations by the difference of their sides
    return compare(a.operands()[0] - a.operands()[1], b.operands()[0] - b.operands()[1], options);
  }
  if (is_condition(a) || is_condition(b)) return out;
  if (const Expr both[] = {a, b}; has_open_elements(both)) return compare_instances(a, b, options);
  const PointEvaluator f(a, b, options);
  out.digits = 100;
  at_random_points(f, options, options.points, [&](const Visited& v) {
    if (v.result == PointResult::useless) return Next::skipped;
    ++out.points;
    if (v.result == PointResult::agree && v.digits >= out.digits) return Next::counted;
    out.worst_point = named_point(f, v.point);
    out.agrees = v.result == PointResult::agree;
    out.digits = out.agrees ? v.digits : 0;
    return out.agrees ? Next::counted : Next::stop;
  });
  if (out.points == 0) out.digits = 0;
  return out;
}

const char* to_string(Equivalence e) noexcept {
  switch (e) {
    case Equivalence::proved: return "proved";
    case Equivalence::refuted: return "refuted";
    case Equivalence::undecided: return "undecided";
  }
  return "undecided";
}

EquivalenceResult equivalent(const Expr& a, const Expr& b, const SimplifyOptions& options) {
  EquivalenceResult out;
  if (a == b) {
    out.verdict = Equivalence::proved;
    out.reason = "both have the same canonical form";
    return out;
  }
  if (is_condition(a) || is_condition(b)) {
    out.reason = "conditions are compared by their canonical form only";
    return out;
  }
  if (const Expr both[] = {a, b}; has_open_elements(both)) return equivalent_instances(a, b, options);
  const PointEvaluator f(a, b, options);
  std::size_t agreeing = 0;
  at_random_points(f, options, std::max<std::size_t>(options.points, 16), [&](const Visited& v) {
    if (v.result == PointResult::agree) {
      ++agreeing;
      out.digits = agreeing == 1 ? v.digits : std::min(out.digits, v.digits);
      out.points = agreeing;
    }
    if (v.result != PointResult::differ) return v.result == PointResult::agree ? Next::counted : Next::skipped;
    out.verdict = Equivalence::refuted;
    out.reason = "rigorous enclosures of the two values are disjoint";
    out.counterexample = named_point(f, v.point);
    out.left = v.values[0];
    out.right = v.values[1];
    ++out.points;
    out.digits = 0;
    return Next::stop;
  });
  if (out.verdict == Equivalence::refuted) return out;
  const auto vanishes = [&](const Expr& d) {
    if (d.is_integer(0)) return true;
    try {
      const Expr list[] = {d};
      const KernelRing ring(list, {.rationalise_all = true, .pythagoras = true});
      return ring.fraction_of(d).is_zero();
    } catch (const Error&) {
      return false;
    }
  };
  const Expr d = a - b;
  // From the cheapest to the dearest.
  const std::function<Expr()> forms[] = {
      [&] { return d; },
      [&] {
        return transforms::angles_expanded(transforms::tangents_to_sines(transforms::hyperbolic_to_exponentials(d)));
      },
      [&] { return simplify(d, options); }};
  for (const auto& form : forms) {
    if (!vanishes(form())) continue;
    out.verdict = Equivalence::proved;
    out.reason = "the difference reduces to zero by exact rewriting";
    return out;
  }
  out.reason = agreeing > 0 ? "the values agree to at least 15 digits at " + std::to_string(agreeing) +
                                  " points, but no proof was found"
                            : "no point was found where both have a value";
  return out;
}

}  // namespace boreon
