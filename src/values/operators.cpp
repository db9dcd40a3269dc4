// SPDX-License-Identifier: MIT
// Values of integrals, finite sums and roots without free symbols, in each number domain.
#include <acb_calc.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "boreon/arrays.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/quadrature.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "values/branch_cuts.hpp"
#include "values/domains.hpp"
#include "values/graph_evaluator.hpp"
#include "values/infinite_sum.hpp"
#include "values/root_value.hpp"

namespace boreon {
namespace {

constexpr std::int64_t most_summed = 1000000;

bool closed(const Expr& e) { return free_symbols(e).empty(); }

// A sum or another reduction over a finite range of whole numbers, in any domain.
template <class Domain, class Value>
bool finite_sum(const Domain& domain, const Expr& e, Value& value) {
  bool nested = false;  // with bounds that may depend on the index
  postorder(e.operands()[0], [&](const Expr& x) { nested = nested || x.is(Kind::reduction); });
  if (!e.is_summation() || nested) {
    const Expr terms = closed(e) ? written_out(e, most_summed) : e;
    if (terms.is(Kind::reduction)) return false;
    value =
        GraphEvaluator<Domain>(domain).run(EvaluationPlan({&terms, 1}), [](const Expr&, Value&) { return false; })[0];
    return true;
  }
  const auto from = e.operands()[2].word();
  const auto to = e.operands()[3].word();
  std::int64_t terms = 0;
  if (!closed(e) || !from || !to || __builtin_sub_overflow(*to, *from, &terms) || terms > most_summed) return false;
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

// Balls, but with a refusal wherever the function is not analytic on the whole ball.
struct AnalyticDomain : BallDomain {
  bool analytic = false;
  [[nodiscard]] Value power(const Expr& base, const Expr& exponent, const Value& b, const Value& e) const {
    if (analytic && !exponent.word() && may_meet_negative_axis(b)) throw Error(ErrorKind::domain, "a branch cut");
    return BallDomain::power(base, exponent, b, e);
  }
  [[nodiscard]] Value call(const Expr& e, const std::vector<Value>& args) const {
    if (analytic && may_meet_cut(e, args)) throw Error(ErrorKind::domain, "a branch cut");
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

namespace {

// A sum without end from a whole number on; false for another one.
bool endless_sum(const Expr& e, std::complex<double>& value) {
  if (!e.is(Kind::reduction) || !e.is_summation() || !closed(e)) return false;
  const auto from = e.operands()[2].word();
  if (!from || !e.operands()[3].is_constant(ConstantCode::infinity)) return false;
  const InfiniteSum sum = infinite_sum(e.operands()[0], e.operands()[1], *from);
  if (!sum.converged) throw Error(ErrorKind::convergence, fmt::format("{}: {}", to_text(e, {100, {}}), sum.reason));
  value = sum.value;
  return true;
}

}  // namespace

bool RealDomain::operator_value(const Expr& e, double& value) {
  if (std::complex<double> sum; endless_sum(e, sum)) {
    value = sum.real();
    return true;
  }
  if (e.is(Kind::root) && closed(e)) {
    value = root_in_doubles(e);
    return true;
  }
  if (e.is(Kind::reduction)) return finite_sum(RealDomain{}, e, value);
  if (!e.is(Kind::integral) || e.operands().size() != 4 || !closed(e)) return false;
  value = by_quadrature(e);
  return true;
}

bool ComplexDomain::operator_value(const Expr& e, Value& value) {
  if (endless_sum(e, value)) return true;
  if (e.is(Kind::root) && closed(e)) {
    value = root_in_doubles(e);
    return true;
  }
  if (e.is(Kind::reduction)) return finite_sum(ComplexDomain{}, e, value);
  if (!e.is(Kind::integral) || e.operands().size() != 4 || !closed(e)) return false;
  value = by_quadrature(e);
  return true;
}

bool BallDomain::operator_value(const Expr& e, Value& value) const {
  if (e.is(Kind::root) && closed(e)) {
    value = root_in_balls(e, precision);
    return true;
  }
  if (e.is(Kind::reduction)) return finite_sum(*this, e, value);
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
