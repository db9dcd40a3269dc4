// SPDX-License-Identifier: MIT
#include "values/iterated_quadrature.hpp"

#include <boost/math/quadrature/gauss_kronrod.hpp>

#include <cmath>
#include <limits>
#include <vector>

#include "boreon/error.hpp"
#include "boreon/traverse.hpp"
#include "values/domains.hpp"
#include "values/graph_evaluator.hpp"

namespace boreon {
namespace {

constexpr std::size_t most_nested_evaluations = 4'000'000;

// Thrown where the numbers do not allow an answer; the general method takes over.
struct NotSmooth {};

class Iterated {
 public:
  Iterated(const Expr& f, const Expr& x) {
    levels_.push_back({x, {}, {}});
    Expr body = f;
    while (body.is(Kind::integral) && body.operands().size() == 4) {
      const auto ops = body.operands();
      levels_.push_back({ops[1], EvaluationPlan({&ops[2], 1}), EvaluationPlan({&ops[3], 1})});
      body = ops[0];
    }
    body_ = EvaluationPlan({&body, 1});
    postorder(body, [&](const Expr& e) { plain_ = plain_ && !needs_numbers_inside(e); });
    values_.resize(levels_.size());
  }
  [[nodiscard]] bool usable() const { return plain_ && levels_.size() > 1; }

  template <unsigned Points>
  double over(std::size_t level, double a, double b, double tolerance) {
    double error = 0;
    double size = 0;
    const double v = boost::math::quadrature::gauss_kronrod<double, Points>::integrate(
        [&](double at) {
          values_[level] = at;
          if (level + 1 == levels_.size()) return evaluate(body_);
          const double low = evaluate(*levels_[level + 1].from);
          const double high = evaluate(*levels_[level + 1].to);
          if (!std::isfinite(low) || !std::isfinite(high)) throw NotSmooth{};
          if (low == high) return 0.0;
          const double inner = low < high ? over<Points>(level + 1, low, high, tolerance / 10)
                                          : -over<Points>(level + 1, high, low, tolerance / 10);
          values_[level] = at;
          return inner;
        },
        a, b, 7, tolerance, &error, &size);
    return v;
  }
  std::size_t count = 0;

 private:
  struct Level {
    Expr variable;
    std::optional<EvaluationPlan> from;
    std::optional<EvaluationPlan> to;
  };

  double evaluate(const EvaluationPlan& plan) {
    if (++count > most_nested_evaluations) throw NotSmooth{};
    const double v = evaluator_.run(plan, [&](const Expr& e, double& value) {
      for (std::size_t i = 0; i < levels_.size(); ++i) {
        if (levels_[i].variable == e) {
          value = values_[i];
          return true;
        }
      }
      return false;
    })[0];
    if (!std::isfinite(v)) throw NotSmooth{};
    return v;
  }

  std::vector<Level> levels_;
  EvaluationPlan body_{std::span<const Expr>{}};
  std::vector<double> values_;
  GraphEvaluator<RealDomain> evaluator_;
  bool plain_ = true;
};

}  // namespace

std::optional<QuadratureResult> iterated_quadrature(const Expr& f, const Expr& x, double a, double b,
                                                    double tolerance) {
  if (!f.is(Kind::integral) || !std::isfinite(a) || !std::isfinite(b)) return std::nullopt;
  Iterated integral(f, x);
  if (!integral.usable()) return std::nullopt;
  try {
    const double wanted = std::max(tolerance, 1e-9);
    const double first = integral.over<31>(0, a, b, wanted);
    const double second = integral.over<41>(0, a, b, wanted);
    QuadratureResult out;
    out.value = second;
    out.error = std::max(std::fabs(first - second), 1e-14 * std::fabs(second));
    out.evaluations = integral.count;
    out.converged = out.error <= 1e-8 * std::fabs(second) + 1e-13;
    if (out.converged) return out;
  } catch (const NotSmooth&) {
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted || e.kind() == ErrorKind::binding) throw;
  }
  return std::nullopt;
}

}  // namespace boreon
