// Two expressions at random points, in ball arithmetic.
#include <algorithm>
#include <cmath>
#include <functional>
#include <optional>

#include "algebra/kernel_ring.hpp"
#include "algebra/simplify/transforms.hpp"
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
  }
  [[nodiscard]] const std::vector<Expr>& leaves() const { return leaves_; }

  // Values of both; an empty one where it is not defined.
  void evaluate(const std::vector<std::complex<double>>& point, long precision, std::optional<Ball>& x, std::optional<Ball>& y) const {
    x = one(a_, point, precision);
    y = one(b_, point, precision);
  }

 private:
  std::optional<Ball> one(const EvaluationPlan& plan, const std::vector<std::complex<double>>& point, long precision) const {
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
};

enum class PointResult { agree, differ, useless, lost };

// Digits of agreement; raises the precision until the balls are sharp or disjoint.
PointResult compare_at(const PointEvaluator& f, const std::vector<std::complex<double>>& point, double& digits, std::complex<double>* values = nullptr) {
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
      if (values != nullptr) {
        values[0] = {midpoint(x->re()), midpoint(x->im())};
        values[1] = {midpoint(y->re()), midpoint(y->im())};
      }
      return PointResult::differ;
    }
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

std::vector<std::complex<double>> complex_point(const std::vector<Expr>& leaves, const std::vector<double>& p, Sampler& sampler) {
  std::vector<std::complex<double>> out;
  for (std::size_t i = 0; i < p.size(); ++i) {
    const bool real = !leaves[i].is(Kind::symbol) || assumptions_of(leaves[i]).has(Assumption::real);
    out.emplace_back(p[i], real ? 0 : sampler.uniform(-1.5, 1.5));
  }
  return out;
}

}  // namespace

Comparison compare(const Expr& a, const Expr& b, const SimplifyOptions& options) {
  Comparison out;
  if (a == b) {
    out.digits = 100;
    return out;
  }
  const PointEvaluator f(a, b, options);
  Sampler sampler(f.leaves(), options.ranges, options.seed);
  out.digits = 100;
  const std::size_t wanted = f.leaves().empty() ? 1 : options.points;
  for (std::size_t k = 0; k < wanted * 5 && out.points < wanted; ++k) {
    const std::vector<double> p = sampler.draw(options.conditions);
    if (p.size() != f.leaves().size()) break;
    double digits = 0;
    const PointResult r = compare_at(f, complex_point(f.leaves(), p, sampler), digits);
    if (r == PointResult::useless) continue;
    ++out.points;
    if (r == PointResult::agree && digits >= out.digits) continue;
    out.worst_point.clear();
    for (std::size_t i = 0; i < p.size(); ++i) out.worst_point.emplace_back(to_text(f.leaves()[i]), p[i]);
    if (r == PointResult::agree) {
      out.digits = digits;
      continue;
    }
    out.digits = 0;
    out.agrees = false;
    return out;
  }
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
  if (a.is(Kind::relation) || b.is(Kind::relation) || is_condition(a) || is_condition(b)) {
    out.reason = "conditions are compared by their canonical form only";
    return out;
  }
  const PointEvaluator f(a, b, options);
  Sampler sampler(f.leaves(), options.ranges, options.seed);
  std::size_t agreeing = 0;
  const std::size_t wanted = f.leaves().empty() ? 1 : std::max<std::size_t>(options.points, 8);
  for (std::size_t k = 0; k < wanted * 5 && agreeing < wanted; ++k) {
    const std::vector<double> p = sampler.draw(options.conditions);
    if (p.size() != f.leaves().size()) break;
    double digits = 0;
    std::complex<double> values[2];
    const PointResult r = compare_at(f, complex_point(f.leaves(), p, sampler), digits, values);
    if (r == PointResult::agree) ++agreeing;
    if (r != PointResult::differ) continue;
    out.verdict = Equivalence::refuted;
    out.reason = "rigorous enclosures of the two values are disjoint";
    for (std::size_t i = 0; i < p.size(); ++i) out.counterexample.emplace_back(to_text(f.leaves()[i]), p[i]);
    out.left = values[0].real();
    out.right = values[1].real();
    return out;
  }
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
  const std::function<Expr()> forms[] = {[&] { return d; }, [&] { return transforms::angles_expanded(transforms::tangents_to_sines(transforms::hyperbolic_to_exponentials(d))); },
                                         [&] { return simplify(d, options); }};
  for (const auto& form : forms) {
    if (!vanishes(form())) continue;
    out.verdict = Equivalence::proved;
    out.reason = "the difference reduces to zero by exact rewriting";
    return out;
  }
  out.reason =
      agreeing > 0 ? "the values agree to at least 15 digits at " + std::to_string(agreeing) + " points, but no proof was found" : "no point was found where both have a value";
  return out;
}

}  // namespace boreon
