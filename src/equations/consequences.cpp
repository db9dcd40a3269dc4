// SPDX-License-Identifier: MIT
// What else follows from equations: slopes of implicit functions, inverse functions, stationary points.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "boreon/algebra.hpp"
#include "boreon/calculus.hpp"
#include "boreon/equations.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/evidence.hpp"
#include "boreon/function.hpp"
#include "boreon/linear_algebra.hpp"
#include "boreon/matrix.hpp"
#include "boreon/sampling.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/signs.hpp"

namespace boreon {
namespace {

// Signs of the leading principal minors; nothing if one is not known.
std::optional<std::vector<int>> minors(const Matrix& h, const Signs& signs) {
  std::vector<int> out;
  for (Eigen::Index n = 1; n <= h.rows(); ++n) {
    Matrix part(n, n);
    for (Eigen::Index i = 0; i < n; ++i) {
      for (Eigen::Index j = 0; j < n; ++j) part(i, j) = h(i, j);
    }
    const Expr d = simplify(determinant(part));
    auto s = signs.known(d);
    if (!s && !d.has_symbols()) {
      const auto v = certified_value(d, {}, {});
      if (v && v->imag() == 0 && v->real() != 0) s = v->real() > 0 ? 1 : -1;
    }
    if (!s) return std::nullopt;
    out.push_back(*s);
  }
  return out;
}

StationaryKind kind_of(const Matrix& h, const Signs& signs) {
  const auto d = minors(h, signs);
  if (!d) return StationaryKind::undecided;
  bool minimum = true;
  bool maximum = true;
  for (std::size_t k = 0; k < d->size(); ++k) {
    minimum = minimum && (*d)[k] > 0;
    maximum = maximum && (*d)[k] == (k % 2 == 0 ? -1 : 1);
  }
  if (minimum) return StationaryKind::minimum;
  if (maximum) return StationaryKind::maximum;
  // a Hessian without zero eigenvalue that is neither has both signs
  return d->back() != 0 ? StationaryKind::saddle : StationaryKind::undecided;
}

}  // namespace

const char* to_string(StationaryKind k) noexcept {
  switch (k) {
    case StationaryKind::minimum: return "minimum";
    case StationaryKind::maximum: return "maximum";
    case StationaryKind::saddle: return "saddle";
    default: return "undecided";
  }
}

Expr implicit_derivative(const Expr& equation, const Expr& y, const Expr& x, unsigned order) {
  for (const Expr& s : {y, x}) {
    if (!s.is(Kind::symbol)) throw Error(ErrorKind::usage, to_text(s, {60, {}}) + " is no symbol");
    if (!depends_on(equation, s))
      throw Error(ErrorKind::usage, fmt::format("{} does not occur in the equation", s.name()));
  }
  if (y == x) throw Error(ErrorKind::usage, "a symbol is no function of itself");
  if (order < 1 || order > 20)
    throw Error(ErrorKind::usage, fmt::format("the order of a derivative is 1 to 20, not {}", order));
  const Expr by_y = derivative(equation, y);
  if (vanishes(by_y))
    throw Error(ErrorKind::domain, fmt::format("the equation does not fix {}: its derivative by it is 0", y.name()));
  const Expr slope = simplify(-derivative(equation, x) / by_y);
  Expr out = slope;
  for (unsigned k = 1; k < order; ++k) out = simplify(derivative(out, x) + derivative(out, y) * slope);
  return out;
}

namespace {

// The curve through a point, followed by Newton's method.
class Curve {
 public:
  Curve(const Expr& equation, const Expr& y, const Expr& x, const std::vector<Expr>& leaves,
        const std::vector<double>& point)
      : equation_(equation), slope_(derivative(equation, y)), y_(y), x_(x) {
    for (std::size_t i = 0; i < leaves.size(); ++i) {
      if (leaves[i] == y_) {
        y0_ = point[i];
      } else if (leaves[i] == x_) {
        x0_ = point[i];
      } else {
        others_.set(leaves[i], Number::exact(point[i]));
      }
    }
    level_ = evaluate(equation_, at(x0_, y0_), Unused::allowed);
  }
  [[nodiscard]] double start() const { return x0_; }
  [[nodiscard]] Bindings at(double x, double y) const {
    Bindings out = others_;
    out.set(x_, Number::exact(x));
    out.set(y_, Number::exact(y));
    return out;
  }
  // NaN where it is lost.
  [[nodiscard]] double ordinate(double x) const {
    double y = y0_;
    for (int k = 0; k < 50; ++k) {
      const Bindings here = at(x, y);
      const double step =
          (evaluate(equation_, here, Unused::allowed) - level_) / evaluate(slope_, here, Unused::allowed);
      if (!std::isfinite(step)) break;
      y -= step;
      if (std::fabs(step) <= 1e-15 * std::fabs(y)) return y;
      if (k > 20 && std::fabs(step) <= 1e-13 * std::fabs(y)) return y;
    }
    return std::nan("");
  }

 private:
  const Expr& equation_;
  Expr slope_;
  Expr y_;
  Expr x_;
  Bindings others_;
  double x0_ = 0;
  double y0_ = 0;
  double level_ = 0;
};

// The slope of `before` along the curve at its start: central differences, extrapolated.
double difference_quotient(const Expr& before, const Curve& curve) {
  const double x = curve.start();
  const auto value = [&](double at) { return evaluate(before, curve.at(at, curve.ordinate(at)), Unused::allowed); };
  double best = std::nan("");
  double error = 1e300;
  double last = 0;
  double h = 0.02 * std::max(0.1, std::fabs(x));
  for (int k = 0; k < 7; ++k, h /= 2) {
    const auto central = [&](double step) { return (value(x + step) - value(x - step)) / (2 * step); };
    const double now = (4 * central(h / 2) - central(h)) / 3;
    if (k > 0 && std::fabs(now - last) < error) {
      error = std::fabs(now - last);
      best = now;
    }
    last = now;
  }
  return best;
}

}  // namespace

Evidence check_implicit_derivatives(const Expr& equation, const Expr& y, const Expr& x,
                                    std::span<const Expr> derivatives, std::span<const Expr> conditions) {
  constexpr std::size_t wanted = 4;
  constexpr double enough = 6;  // digits of a difference quotient
  Evidence out;
  out.method = "difference quotients along the curve, followed by Newton's method";
  out.entries = derivatives.size();
  std::vector<Expr> all{equation};
  all.insert(all.end(), conditions.begin(), conditions.end());
  const std::vector<Expr> leaves = sampled_leaves(all);
  const SampleRanges ranges;
  Sampler sampler(leaves, ranges, 20261130);
  double digits = 15;
  for (std::size_t trial = 0; trial < 10 * wanted && out.points < wanted; ++trial) {
    const std::vector<double> point = sampler.draw(conditions);
    if (point.size() != leaves.size()) break;
    try {
      const Curve curve(equation, y, x, leaves, point);
      Expr before = y;
      const Bindings here = curve.at(curve.start(), curve.ordinate(curve.start()));
      for (std::size_t k = 0; k < derivatives.size(); ++k) {
        const double claimed = evaluate(derivatives[k], here, Unused::allowed);
        const double found = difference_quotient(before, curve);
        if (!std::isfinite(found)) throw Error(ErrorKind::domain, "the curve ends");
        const double size = std::max({std::fabs(claimed), std::fabs(found), 1e-12});
        const double agreed = agreeing_digits(std::fabs(claimed - found), size);
        if (agreed < digits) {
          digits = agreed;
          out.worst_entry = fmt::format("derivative {}", k + 1);
          out.worst_derived = claimed;
          out.worst_reference = found;
        }
        before = derivatives[k];
      }
      ++out.points;
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::domain) throw;
    }
  }
  out.digits = out.points == 0 ? 0 : digits;
  out.verdict = out.points == 0 ? Verdict::untested : digits >= enough ? Verdict::agrees : Verdict::disagrees;
  return out;
}

InverseFunctions inverse(const Function& f, const SolveOptions& options) {
  if (f.arguments().size() != 1)
    throw Error(ErrorKind::shape,
                fmt::format("{} has {} arguments; functions of one have an inverse", f.name(), f.arguments().size()));
  const Symbol& x = f.arguments()[0];
  const Symbol value(x.name() == "y" ? "y_value" : "y");
  InverseFunctions out;
  out.solutions = solve({f.body() - value}, {x}, options);
  for (const Solution& s : out.solutions.solutions) {
    const Expr body = *s.values.find(x);
    out.branches.emplace_back("inverse_" + f.name(), std::vector<Symbol>{value}, body, Unused::allowed);
  }
  return out;
}

SolutionSet solve_constants(const UnknownFunction& name, const Function& general, const ExprList& given,
                            const ExprList& constants, const SolveOptions& options) {
  std::vector<Expr> equations;
  for (const Expr& e : given) {
    bool occurs = false;
    for (const Expr& call : unknown_calls({&e, 1})) occurs = occurs || call.name() == general.name();
    if (!occurs)
      throw Error(ErrorKind::usage,
                  fmt::format("{} says nothing of the function {}", to_text(e, {60, {}}), general.name()));
    equations.push_back(evaluate_derivatives(substitute(e, name, general)));
  }
  return solve(equations, constants, options);
}

StationarySet stationary_points(const Expr& f, const ExprList& unknowns, const SolveOptions& options) {
  const std::vector<Expr> variables(unknowns.begin(), unknowns.end());
  StationarySet out;
  const std::vector<Expr> slopes = gradient(f, variables);
  std::vector<Expr> open;
  for (const Expr& s : slopes) {
    if (!vanishes(s)) open.push_back(s);
  }
  if (open.empty()) throw Error(ErrorKind::usage, "the function does not depend on the unknowns");
  for (const Expr& s : open) {
    if (std::any_of(variables.begin(), variables.end(), [&](const Expr& v) { return depends_on(s, v); })) continue;
    out.solutions.complete = true;
    out.solutions.reason = fmt::format("a derivative is {} everywhere", to_text(s, {60, {}}));
    if (s.has_symbols()) out.solutions.conditions.push_back(not_equal(s, 0));
    return out;
  }
  out.solutions = solve(open, variables, options);
  const Matrix h = hessian(f, variables);
  for (const Solution& s : out.solutions.solutions) {
    StationaryPoint p;
    p.at = s;
    p.value = simplify(substitute(f, s.values, Unused::allowed));
    std::vector<Expr> conditions = options.conditions;
    conditions.insert(conditions.end(), s.conditions.begin(), s.conditions.end());
    Matrix there(h.rows(), h.cols());
    for (Eigen::Index i = 0; i < h.rows(); ++i) {
      for (Eigen::Index j = 0; j < h.cols(); ++j)
        there(i, j) = simplify(substitute(h(i, j), s.values, Unused::allowed));
    }
    if (s.real) p.kind = kind_of(there, Signs(conditions));
    out.points.push_back(std::move(p));
  }
  return out;
}

}  // namespace boreon
