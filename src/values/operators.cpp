// SPDX-License-Identifier: MIT
// Values of integrals and finite sums without free symbols, in each number domain.
#include <acb_calc.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/quadrature.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "values/domains.hpp"
#include "values/graph_evaluator.hpp"

namespace boreon {
namespace {

constexpr std::int64_t most_terms = 1000000;

bool closed(const Expr& e) { return free_symbols(e).empty(); }

// A sum over a finite range of whole numbers, in any domain.
template <class Domain, class Value>
bool finite_sum(const Domain& domain, const Expr& e, Value& value) {
  const auto from = e.operands()[2].word();
  const auto to = e.operands()[3].word();
  std::int64_t terms = 0;
  if (!closed(e) || !from || !to || __builtin_sub_overflow(*to, *from, &terms) || terms > most_terms) return false;
  const EvaluationPlan plan({&e.operands()[0], 1});
  GraphEvaluator<Domain> evaluator(domain);
  value = Value{};
  for (std::int64_t k = *from; k <= *to; ++k) {
    const Value term = evaluator.run(plan, [&](const Expr& s, Value& v) {
      if (!(s == e.operands()[1])) return false;
      v = domain.number(Number(k));
      return true;
    })[0];
    domain.add_scaled(value, domain.number(Number(1)), term, true);
  }
  return true;
}

double by_quadrature(const Expr& e) {
  const auto ops = e.operands();
  const QuadratureResult q = quadrature(ops[0], ops[1], ops[2], ops[3]);
  if (!q.converged) {
    throw Error(ErrorKind::convergence,
                fmt::format("quadrature of {} does not converge (estimated error {:.2g}): it diverges, or has a "
                            "singularity inside its range, where it should be split",
                            to_text(e, {100, {}}), q.error));
  }
  return q.value;
}

// Whether a ball may meet a branch cut: then the integrand is not analytic on it.
bool meets(const Ball& z, bool (*cut)(double re_low, double re_high, double im_low, double im_high)) {
  const auto low = [](arb_srcptr x) { return midpoint(x) - mag_get_d(arb_radref(x)); };
  const auto high = [](arb_srcptr x) { return midpoint(x) + mag_get_d(arb_radref(x)); };
  return cut(low(z.re()), high(z.re()), low(z.im()), high(z.im()));
}
bool negative_axis(double a, double, double c, double d) { return a <= 0 && c <= 0 && d >= 0; }
bool imaginary_beyond_one(double a, double b, double c, double d) { return a <= 0 && b >= 0 && (d >= 1 || c <= -1); }
bool real_beyond_one(double a, double b, double c, double d) { return c <= 0 && d >= 0 && (b >= 1 || a <= -1); }

// Balls, but with a refusal wherever the function is not analytic on the whole ball.
struct AnalyticDomain : BallDomain {
  bool analytic = false;
  [[nodiscard]] Value power(const Expr& base, const Expr& exponent, const Value& b, const Value& e) const {
    if (analytic && !exponent.word() && meets(b, negative_axis)) throw Error(ErrorKind::domain, "a branch cut");
    return BallDomain::power(base, exponent, b, e);
  }
  [[nodiscard]] Value call(const Expr& e, const std::vector<Value>& args) const {
    if (analytic) {
      const auto& row = e.function();
      if (!row.analytic) throw Error(ErrorKind::domain, "not analytic");
      const auto name = row.name;
      static constexpr std::string_view entire[] = {
          "exp",       "sin",   "cos",     "sinh",     "cosh",    "tan",           "tanh",
          "erf",       "erfc",  "erfi",    "dawson",   "Si",      "Shi",           "fresnel_S",
          "fresnel_C", "gamma", "digamma", "airy_Ai",  "airy_Bi", "airy_Ai_prime", "airy_Bi_prime",
          "expm1",     "exp2",  "zeta",    "legendre", "hermite"};
      const bool whole = std::find(std::begin(entire), std::end(entire), name) != std::end(entire) ||
                         ((name == "cyl_bessel_j" || name == "cyl_bessel_i") && e.operands()[0].word());
      if (!whole) {
        const auto cut = name == "atan" || name == "asinh"                     ? imaginary_beyond_one
                         : name == "asin" || name == "acos" || name == "atanh" ? real_beyond_one
                                                                               : negative_axis;
        for (const Value& a : args) {
          Value shifted = a;
          if (name == "asinh") acb_mul_onei(shifted.get(), shifted.get());  // its cut is that of asin turned
          if (name == "log1p") acb_add_si(shifted.get(), shifted.get(), 1, precision);
          if (name == "dilog" || name == "polylog") {
            acb_neg(shifted.get(), shifted.get());
            acb_add_si(shifted.get(), shifted.get(), 1, precision);
          }
          if (meets(shifted, name == "asinh" ? real_beyond_one : cut)) throw Error(ErrorKind::domain, "a branch cut");
        }
      }
    }
    return BallDomain::call(e, args);
  }
  [[nodiscard]] bool compare(const Expr& e, const Value& a, const Value& b) const {
    if (analytic) throw Error(ErrorKind::domain, "not analytic");
    return BallDomain::compare(e, a, b);
  }
};

struct Problem {
  EvaluationPlan plan;
  Expr variable;
};

int integrand(acb_ptr out, const acb_t at, void* data, slong order, slong precision) {
  const auto& problem = *static_cast<const Problem*>(data);
  acb_indeterminate(out);
  const BriefFaults brief;
  try {
    AnalyticDomain domain;
    domain.precision = precision;
    domain.analytic = order != 0;
    auto r = GraphEvaluator<AnalyticDomain>(domain).run(problem.plan, [&](const Expr& s, Ball& v) {
      if (!(s == problem.variable)) return false;
      acb_set(v.get(), at);
      return true;
    });
    acb_swap(out, r[0].get());
  } catch (const Error&) {  // indeterminate: the integrator subdivides
  }
  return 0;
}

}  // namespace

bool RealDomain::operator_value(const Expr& e, double& value) {
  if (e.is(Kind::summation)) return finite_sum(RealDomain{}, e, value);
  if (!e.is(Kind::integral) || e.operands().size() != 4 || !closed(e)) return false;
  value = by_quadrature(e);
  return true;
}

bool ComplexDomain::operator_value(const Expr& e, Value& value) {
  if (e.is(Kind::summation)) return finite_sum(ComplexDomain{}, e, value);
  if (!e.is(Kind::integral) || e.operands().size() != 4 || !closed(e)) return false;
  value = by_quadrature(e);
  return true;
}

bool BallDomain::operator_value(const Expr& e, Value& value) const {
  if (e.is(Kind::summation)) return finite_sum(*this, e, value);
  if (!e.is(Kind::integral) || e.operands().size() != 4 || !closed(e)) return false;
  const auto ops = e.operands();
  const auto end = [&](const Expr& place) {
    const EvaluationPlan plan({&place, 1});
    return GraphEvaluator<BallDomain>(*this).run(plan, [](const Expr&, Ball&) { return false; })[0];
  };
  for (const int k : {2, 3}) {
    bool infinite = false;
    postorder(ops[static_cast<std::size_t>(k)],
              [&](const Expr& n) { infinite = infinite || n.is_constant(ConstantCode::infinity); });
    if (infinite) {
      throw Error(ErrorKind::unsupported,
                  fmt::format("{} cannot be enclosed rigorously over an infinite range; integrate --numeric --digits "
                              "gives digits with an error estimate",
                              to_text(e, {80, {}})));
    }
  }
  Problem problem{EvaluationPlan({&ops[0], 1}), ops[1]};
  const Ball a = end(ops[2]);
  const Ball b = end(ops[3]);
  mag_t tolerance;
  mag_init(tolerance);
  mag_set_ui_2exp_si(tolerance, 1, -precision);
  acb_calc_integrate_opt_t options;
  acb_calc_integrate_opt_init(options);
  options->eval_limit = 20000;
  acb_calc_integrate(value.get(), integrand, &problem, a.get(), b.get(), precision, tolerance, options, precision);
  mag_clear(tolerance);
  spend(1);  // what stopped inside the integrand stops here
  if (acb_is_finite(value.get()) == 0)
    throw Error(ErrorKind::unsupported,
                fmt::format("{} cannot be enclosed rigorously: a singularity in its range?", to_text(e, {80, {}})));
  // real integrands have real integrals
  if (a.real() && b.real() && arb_contains_zero(value.im()) != 0 && is_real(ops[0])) arb_zero(value.im());
  return true;
}

}  // namespace boreon
