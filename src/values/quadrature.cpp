// SPDX-License-Identifier: MIT
#include "boreon/quadrature.hpp"

#include <boost/math/quadrature/exp_sinh.hpp>
#include <boost/math/quadrature/gauss_kronrod.hpp>
#include <boost/math/quadrature/sinh_sinh.hpp>
#include <boost/math/quadrature/tanh_sinh.hpp>

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>

#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"
#include "boreon/traverse.hpp"
#include "values/domains.hpp"
#include "values/features.hpp"
#include "values/graph_evaluator.hpp"
#include "values/iterated_quadrature.hpp"
#include "values/wave_terms.hpp"

namespace boreon {
namespace {

constexpr double infinite = std::numeric_limits<double>::infinity();
constexpr long near_precision = 192;

// Integrals within integrals share one allowance of evaluations, set by the outermost call of the thread.
constexpr std::size_t most_evaluations = 8000000;
thread_local std::size_t evaluations_left = 0;
class Allowance {
 public:
  Allowance() : outermost_(evaluations_left == 0) {
    if (outermost_) evaluations_left = most_evaluations;
  }
  ~Allowance() {
    if (outermost_) evaluations_left = 0;
  }
  Allowance(const Allowance&) = delete;
  Allowance& operator=(const Allowance&) = delete;
  static void use() {
    if (evaluations_left <= 1)
      throw Error(ErrorKind::limit,
                  "quadrature needs more than eight million evaluations of the integrand; integrals within integrals "
                  "multiply them: find the inner ones in closed form, or lower "
                  "the dimension");
    --evaluations_left;
  }

 private:
  bool outermost_;
};

struct Undefined {};  // the integrand has no value at a point that counts

double end_value(const Expr& e, const Bindings& bindings) {
  if (e.is_constant(ConstantCode::infinity)) return infinite;
  if (e == -infinity()) return -infinite;
  return evaluate(substitute(e, bindings, Unused::allowed));
}

class Integrand {
 public:
  Integrand(const Expr& f, Expr x) : f_(f), plan_({&f_, 1}), x_(std::move(x)) {
    postorder(f_, [&](const Expr& e) { nested_ = nested_ || needs_numbers_inside(e); });
  }

  double at(double x) {
    ++count;
    Allowance::use();
    if (nested_) return inside(Expr(Number::exact(x)));
    std::optional<BriefFaults> brief;
    if (!reason.empty()) brief.emplace();
    try {
      return evaluator_.run(plan_, [&](const Expr& e, double& v) {
        if (!(e == x_))
          throw Error(ErrorKind::binding,
                      e.is(Kind::symbol) ? e.name() + " has no value" : "an unknown function has no value");
        v = x;
        return true;
      })[0];
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::binding || e.kind() == ErrorKind::unsupported || e.kind() == ErrorKind::limit ||
          e.kind() == ErrorKind::interrupted)
        throw;
      if (reason.empty()) reason = e.message();
      return undefined();
    }
  }

  // At end + distance, the end known to any precision, with as many bits as it takes: where parts of the integrand
  // cancel close to its ends, few are left of many.
  double near(const Ball& end, double distance) {
    ++count;
    Allowance::use();
    if (nested_) return inside(Expr(Number::exact(midpoint(end.re()) + distance)));
    const BriefFaults brief;
    constexpr long enough = 50;
    constexpr int most_in_vain = 10;  // it is zero all along
    try {
      double value = std::numeric_limits<double>::quiet_NaN();
      for (const long precision : {near_precision, 3 * near_precision, 9 * near_precision}) {
        Ball x = end;
        Ball d = Ball::from(std::complex<double>(distance));
        acb_add(x.get(), x.get(), d.get(), precision * 2);
        const auto r = GraphEvaluator<BallDomain>(BallDomain{precision}).run(plan_, [&](const Expr&, Ball& v) {
          v = x;
          return true;
        });
        if (!r[0].finite()) return std::numeric_limits<double>::quiet_NaN();
        // What is not real has no part in a real integral.
        if (arb_contains_zero(r[0].im()) == 0) return undefined();
        value = midpoint(r[0].re());
        if (arb_rel_accuracy_bits(r[0].re()) >= enough || arb_is_zero(r[0].re()) != 0 || in_vain_ > most_in_vain) break;
        if (precision == 9 * near_precision) ++in_vain_;
      }
      return value;
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
      return std::numeric_limits<double>::quiet_NaN();
    }
  }

  // Whether doubles do as well as balls beside this end: then they are taken, being a hundred times cheaper.
  bool plain_beside(const Ball& end, double place, int direction) {
    if (nested_) return true;
    constexpr double tolerance = 1e-14;
    for (const double d : {3e-3, 1e-5, 1e-7, 1e-9, 1e-11}) {
      const double exact = near(end, direction * d);
      if (!(std::abs(at(place + direction * d) - exact) <= tolerance * std::abs(exact))) return false;
    }
    return true;
  }

  // The same far out, where 1/x is lost beside 1: log(1 + 1/x^2) is zero there too early.
  bool plain_far(const Ball& end, double place, int direction) {
    if (nested_) return true;
    constexpr double tolerance = 1e-5;
    for (const double d : {1e4, 1e6, 1e8, 1e10}) {
      const double exact = near(end, direction * d);
      if (!std::isfinite(exact)) continue;
      if (!(std::abs(at(place + direction * d) - exact) <= tolerance * std::abs(exact))) return false;
    }
    return true;
  }

  std::size_t count = 0;
  std::string reason;  // why it has no value at the first place where it has none
  [[nodiscard]] bool nested() const { return nested_; }
  [[nodiscard]] const Expr& expression() const { return f_; }
  [[nodiscard]] const Expr& variable() const { return x_; }

 private:
  // A point at which there is no value. Single ones do no harm; an integrand that is not real on a part of its range is
  // not worth the thousands of points that it would take.
  double undefined() {
    constexpr std::size_t enough = 200;
    if (++undefined_ > enough) throw Undefined{};
    return std::numeric_limits<double>::quiet_NaN();
  }

  // An integral inside depends on the variable: it is taken anew at each point.
  double inside(const Expr& place) const {
    try {
      return evaluate(substitute(f_, {{x_, place}}, Unused::allowed));
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::binding || e.kind() == ErrorKind::unsupported || e.kind() == ErrorKind::limit ||
          e.kind() == ErrorKind::interrupted)
        throw;
      return std::numeric_limits<double>::quiet_NaN();
    }
  }

  Expr f_;
  std::size_t undefined_ = 0;
  int in_vain_ = 0;  // places at which all bits were not enough
  bool nested_ = false;
  EvaluationPlan plan_;
  Expr x_;
  GraphEvaluator<RealDomain> evaluator_;
};

struct Piece {
  double value = 0;
  double error = 0;
  double size = 0;  // the integral of the amount, where the rule tells

  [[nodiscard]] bool converged(double tolerance) const { return error <= 100 * tolerance * size; }
};

Piece finite_piece(Integrand& f, const Expr& from, const Expr& to, double tolerance) {
  const double a = end_value(from, {});
  const double b = end_value(to, {});
  if (!(a < b)) return {};
  const Ball low = ball_of(from, 18 * near_precision);
  const Ball high = ball_of(to, 18 * near_precision);
  // The noise of an inner integral stops the refinement of the outer one early.
  static boost::math::quadrature::tanh_sinh<double> fine(11);
  static boost::math::quadrature::tanh_sinh<double> coarse(6);
  auto& rule = f.nested() ? coarse : fine;
  if (f.nested()) tolerance = std::max(tolerance, 1e-10);
  double error = 0;
  double size = 0;
  std::size_t bad = 0;
  const bool plain_low = f.plain_beside(low, a, 1);
  const bool plain_high = f.plain_beside(high, b, -1);
  const auto g = [&](double x, double xc) {
    double v = 0;
    // x = end - xc: xc is negative in the lower half and positive in the upper
    if (std::abs(xc) < 1e-2 * (b - a) && !(xc < 0 ? plain_low : plain_high)) {
      v = f.near(xc < 0 ? low : high, -xc);
      if (!std::isfinite(v)) v = 0;  // at the very end
    } else {
      v = f.at(x);
      if (!std::isfinite(v) && std::abs(xc) < 1e-2 * (b - a)) {  // the square of a small number is zero too early
        v = f.near(xc < 0 ? low : high, -xc);
        if (!std::isfinite(v)) v = 0;
      }
    }
    if (!std::isfinite(v)) {
      ++bad;
      return 0.0;
    }
    return v;
  };
  Piece p;
  p.value = rule.integrate(g, a, b, tolerance, &error, &size);
  // the rule reports its error for the range from -1 to 1
  p.error = std::max(error * std::min(1.0, (b - a) / 2), 1e-15 * size);
  if (size < 1e-150 && bad == 0) return {p.value, 0};
  if (bad > 0 || p.error > 100 * tolerance * size) {  // kinks and jumps inside: subdivision
    double other = 0;
    double other_size = 0;
    bool finite = true;
    const auto plain = [&](double x) {
      const double v = f.at(x);
      finite = finite && std::isfinite(v);
      return std::isfinite(v) ? v : 0.0;
    };
    const double v = boost::math::quadrature::gauss_kronrod<double, 21>::integrate(plain, a, b, f.nested() ? 3 : 9,
                                                                                   tolerance, &other, &other_size);
    if (finite && (bad > 0 || other < p.error)) return {v, std::max(other, 1e-15 * other_size)};
  }
  if (bad > 0) throw Undefined{};
  if (!f.nested()) {
    // The same rule on two unequal parts looks at other places: what one has missed the other may see.
    static boost::math::quadrature::tanh_sinh<double> second(7);
    const double middle = a + 0.381966 * (b - a);
    if (middle > a && middle < b) {
      const auto part = [&](double left, double right, bool lower) {
        double part_error = 0;
        double part_size = 0;
        const auto h = [&](double x, double xc) {
          const bool at_end = lower ? xc < 0 : xc > 0;
          const double v = at_end && std::abs(xc) < 1e-2 * (b - a) && !(lower ? plain_low : plain_high)
                               ? f.near(lower ? low : high, -xc)
                               : f.at(x);
          return std::isfinite(v) ? v : 0.0;
        };
        return second.integrate(h, left, right, std::max(tolerance, 1e-10), &part_error, &part_size);
      };
      const double other = part(a, middle, true) + part(middle, b, false);
      const double apart = std::abs(other - p.value);
      if (apart > 1e-9 * std::max(size, std::abs(other))) p.error = std::max(p.error, apart);
    }
  }
  return p;
}

// From a finite place to infinity: a decaying integrand.
Piece half_line(Integrand& f, const Expr& from, int direction, double tolerance) {
  const double a = end_value(from, {});
  const Ball end = ball_of(from, 18 * near_precision);
  static boost::math::quadrature::exp_sinh<double> rule(10);
  double error = 0;
  double size = 0;
  std::size_t bad = 0;
  const bool plain = f.plain_beside(end, a, direction);
  const bool plain_far = f.plain_far(end, a, direction);
  const auto g = [&](double d) {
    const bool exactly = d < 1e-2 ? !plain : d > 1e3 && !plain_far;
    double v = exactly ? f.near(end, direction * d) : f.at(a + direction * d);
    // parts may overflow where the whole is small
    if (!std::isfinite(v) && d <= 1e3 && d >= 1e-2) v = f.near(end, direction * d);
    if (!std::isfinite(v)) v = d > 1e3 || d < 1e-2 ? 0 : (++bad, 0);
    return v;
  };
  Piece p;
  p.value = rule.integrate(g, tolerance, &error, &size);
  if (bad > 0) throw Undefined{};
  p.error = std::max(error, 1e-15 * size);
  p.size = size;
  return p;
}

// Wynn's epsilon algorithm on partial sums: the last estimate and its change.
Piece extrapolated(const std::vector<double>& sums) {
  const std::size_t n = sums.size();
  std::vector<double> older(n + 1, 0.0);
  std::vector<double> current(sums);
  double best = sums.back();
  double previous = best;
  double error = infinite;
  for (std::size_t k = 1; current.size() > 1; ++k) {
    std::vector<double> next(current.size() - 1);
    for (std::size_t i = 0; i + 1 < current.size(); ++i) {
      const double d = current[i + 1] - current[i];
      if (d == 0) return {current[i], 1e-16 * std::abs(current[i])};
      next[i] = older[i + 1] + 1 / d;
    }
    older = current;
    current = next;
    if (k % 2 == 0) {
      previous = best;
      best = current.back();
      const double change =
          std::abs(best - previous) +
          (current.size() > 1 ? std::abs(current[current.size() - 1] - current[current.size() - 2]) : 0);
      if (change < error) {
        error = change;
      } else if (k > 6) {
        return {previous, error};
      }
    }
  }
  return {best, error};
}

// An oscillating tail: between sign changes, then extrapolated.
Piece oscillating_tail(Integrand& f, double from, int direction) {
  std::vector<double> sums;
  double sum = 0;
  double left = from;
  const auto value = [&](double d) { return f.at(direction * d); };
  double step = 0.05;
  double first = 0;  // size of the first waves, and of the last
  double last = 0;
  const auto zero_after = [&](double start) {
    double x = start;
    double v = value(x);
    for (int i = 0; i < 4000; ++i) {
      const double y = x + step;
      const double w = value(y);
      if (v * w < 0) {
        double low = x;
        double high = y;
        for (int k = 0; k < 60; ++k) {
          const double m = (low + high) / 2;
          (value(m) * v > 0 ? low : high) = m;
        }
        return (low + high) / 2;
      }
      x = y;
      v = w;
    }
    return infinite;
  };
  for (int k = 0; k < 40; ++k) {
    const double right = zero_after(left + 1e-9 * std::max(1.0, left));
    if (!std::isfinite(right)) return {0, infinite};
    const double before = sum;
    sum += boost::math::quadrature::gauss_kronrod<double, 31>::integrate([&](double d) { return value(d); }, left,
                                                                         right, 6, 1e-13);
    if (k > 0) sums.push_back(sum);
    const double wave = std::abs(sum - before);
    if (k >= 1 && k <= 5) first += wave;
    if (k >= 35) last += wave;
    step = std::max(1e-4, (right - left) / 24);
    left = right;
  }
  if (last > 0.7 * first) return {0, infinite};  // the waves do not die down: there is no integral, only a mean
  return extrapolated(sums);
}

Piece to_split(Integrand& f, const Expr& from, const Expr& split, int direction, double tolerance) {
  return direction > 0 ? finite_piece(f, from, split, tolerance) : finite_piece(f, split, from, tolerance);
}

// What oscillates and what does not, each with its rule from some place on.
std::optional<Piece> tail_by_terms(Integrand& f, const Expr& from, const Expr& split, int direction, double tolerance) {
  const auto terms = wave_terms(f.expression(), f.variable());
  if (!terms) return std::nullopt;
  try {
    Integrand steady(terms->steady, f.variable());
    const Piece smooth = half_line(steady, split, direction, tolerance);
    Piece waves{0, 0};
    for (const Expr& one : terms->waving) {
      Integrand waving(one, f.variable());
      const Piece tail = oscillating_tail(waving, end_value(split, {}) * direction, direction);
      waves.value += tail.value;
      waves.error += tail.error;
    }
    if (!std::isfinite(smooth.error) || !std::isfinite(waves.error)) return std::nullopt;
    const Piece head = to_split(f, from, split, direction, tolerance);
    return Piece{head.value + smooth.value + waves.value, head.error + smooth.error + waves.error};
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
  } catch (const Undefined&) {
  } catch (const std::exception&) {  // Boost reports what does not converge by exceptions
  }
  return std::nullopt;
}

// Tails that fall as slowly as powers of the logarithm: beyond the range of doubles in x, not in u = log(x).
std::optional<Piece> slow_tail(Integrand& f, const Expr& from, const Expr& split, int direction, double tolerance) {
  if (f.nested() || end_value(split, {}) * direction <= 0) return std::nullopt;
  const Symbol u("_u");
  Integrand in_log(substitute(f.expression(), {{f.variable(), direction * exp(u)}}, Unused::allowed) * exp(u), u);
  try {
    const Piece tail = half_line(in_log, log(direction * split), 1, tolerance);
    if (!tail.converged(tolerance)) return std::nullopt;
    const Piece head = to_split(f, from, split, direction, tolerance);
    return Piece{head.value + tail.value, head.error + tail.error};
  } catch (const Undefined&) {
  } catch (const std::exception&) {  // Boost reports what does not converge by exceptions
  }
  return std::nullopt;
}

Piece to_infinity(Integrand& f, const Expr& from, int direction, double tolerance) {
  const double a = end_value(from, {});
  const double split = std::ceil(a * direction + 4.0) * 1.0;
  const Expr place = direction * Expr(Number::exact(split));
  if (const auto p = tail_by_terms(f, from, place, direction, tolerance)) return *p;
  // count sign changes far out: many of them mean an oscillating tail
  int changes = 0;
  double last = 0;
  for (int i = 0; i < 400; ++i) {
    const double v = f.at(a + direction * (3 + 0.173 * i));
    if (std::isfinite(v) && v != 0 && last != 0 && (v > 0) != (last > 0)) ++changes;
    if (std::isfinite(v) && v != 0) last = v;
  }
  const double far = std::abs(f.at(a + direction * 60.0));
  const double near =
      std::abs(f.at(a + direction * 6.5)) + std::abs(f.at(a + direction * 7.3)) + std::abs(f.at(a + direction * 8.1));
  if (changes < 6 || far < 1e-12 * near) {
    try {
      const Piece p = half_line(f, from, direction, tolerance);
      if (p.converged(tolerance)) return p;
      return slow_tail(f, from, place, direction, tolerance).value_or(p);
    } catch (const std::exception&) {
    }
  }
  Piece head = to_split(f, from, place, direction, tolerance);
  const Piece tail = oscillating_tail(f, split, direction);
  head.value += tail.value;
  head.error += tail.error;
  return head;
}

}  // namespace

namespace {

// A rigorous enclosure takes the place of what the rules found; where they disagree, they were wrong.
void enclose(const Expr& integral, QuadratureResult& out) {
  constexpr std::uint64_t most_work = 100'000'000;
  constexpr int digits = 16;
  try {
    const Enclosure c = with_budget(most_work, [&] { return certify(integral, {}, digits); });
    if (!c.imaginary.empty()) return;
    out.value = std::strtod(c.real.c_str(), nullptr);
    out.error = c.radius + std::abs(out.value) * std::numeric_limits<double>::epsilon();
    out.certified = out.converged = true;
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::interrupted) throw;
  }
}

QuadratureResult by_rules(const Expr& f, const Expr& x, const Expr& from, const Expr& to, const Bindings& bindings,
                          const QuadratureOptions& options) {
  const Allowance allowance;
  QuadratureResult out;
  const auto bound = [&](const Expr& e) { return substitute(e, bindings, Unused::allowed); };
  const Expr g = bound(f);
  Expr low = bound(from);
  Expr high = bound(to);
  double sign = 1;
  double a = end_value(low, {});
  double b = end_value(high, {});
  if (a == b) {
    out.converged = true;
    return out;
  }
  if (a > b) {
    std::swap(low, high);
    std::swap(a, b);
    sign = -1;
  }
  std::vector<std::pair<double, Expr>> places;
  for (const Expr& e : options.breaks) {
    const Expr p = bound(e);
    const double v = end_value(p, {});
    if (v > a && v < b) places.emplace_back(v, p);
  }
  if (const auto iterated = iterated_quadrature(g, x, a, b, options.tolerance)) {
    out = *iterated;
    out.value *= sign;
    return out;
  }
  for (const double v : narrow_places(g, x, a, b)) places.emplace_back(v, Expr(Number::exact(v)));
  if (std::isinf(a) && std::isinf(b) && places.empty()) places.emplace_back(0.0, Expr(0));
  std::sort(places.begin(), places.end(), [](const auto& p, const auto& q) { return p.first < q.first; });
  std::vector<Expr> ends{low};
  for (const auto& [v, p] : places) ends.push_back(p);
  ends.push_back(high);
  Integrand integrand(g, x);
  double size = 0;
  try {
    for (std::size_t i = 0; i + 1 < ends.size(); ++i) {
      const bool below = ends[i] == -infinity();
      const bool above = ends[i + 1].is_constant(ConstantCode::infinity);
      const Piece p = below   ? to_infinity(integrand, ends[i + 1], -1, options.tolerance)
                      : above ? to_infinity(integrand, ends[i], 1, options.tolerance)
                              : finite_piece(integrand, ends[i], ends[i + 1], options.tolerance);
      out.value += sign * p.value;
      out.error += p.error;
      size += std::abs(p.value);
    }
    out.converged = std::isfinite(out.value) && out.error <= std::max(100 * options.tolerance * size, 1e-13);
  } catch (const Undefined&) {
    out.error = infinite;
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::binding || e.kind() == ErrorKind::unsupported || e.kind() == ErrorKind::limit ||
        e.kind() == ErrorKind::interrupted)
      throw;
    out.error = infinite;
  } catch (const std::exception&) {  // Boost reports what does not converge by exceptions
    out.error = infinite;
  }
  if (!out.converged) out.reason = integrand.reason;
  out.evaluations = integrand.count;
  return out;
}

}  // namespace

QuadratureResult quadrature(const Expr& f, const Expr& x, const Expr& from, const Expr& to, const Bindings& bindings,
                            const QuadratureOptions& options) {
  QuadratureResult out = by_rules(f, x, from, to, bindings, options);
  if (options.certify && out.reason.empty())
    enclose(substitute(unevaluated_integral(f, x, from, to), bindings, Unused::allowed), out);
  return out;
}

}  // namespace boreon
