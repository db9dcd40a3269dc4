// Quadrature to many digits: the double exponential rule of Boost.Math over 110-digit numbers, with the integrand in balls.
#include <boost/math/quadrature/exp_sinh.hpp>
#include <boost/math/quadrature/sinh_sinh.hpp>
#include <boost/math/quadrature/tanh_sinh.hpp>
#include <boost/multiprecision/cpp_bin_float.hpp>
#include <boost/multiprecision/mpfr.hpp>

#include <algorithm>
#include <cmath>

#include "boreon/error.hpp"
#include "boreon/quadrature.hpp"
#include "boreon/traverse.hpp"
#include "values/domains.hpp"
#include "values/graph_evaluator.hpp"

namespace boreon {
namespace {

// The rules want a type whose exponent is a machine word; MPFR numbers are the bridge to balls.
using Real = boost::multiprecision::number<boost::multiprecision::cpp_bin_float<110>>;
using Bridge = boost::multiprecision::number<boost::multiprecision::mpfr_float_backend<110>>;

// A margin for cancellation at the ends, where the rule crowds its points.
constexpr long precision = 1000;

Ball to_ball(const Real& x) {
  Ball b;
  const Bridge m(x);
  arf_set_mpfr(arb_midref(b.re()), m.backend().data());
  return b;
}

Real to_real(const Ball& b) {
  Bridge x;
  arf_get_mpfr(x.backend().data(), arb_midref(b.re()), MPFR_RNDN);
  return Real(x);
}

Ball ball_of(const Expr& e) {
  const EvaluationPlan plan({&e, 1});
  return GraphEvaluator<BallDomain>(BallDomain{precision}).run(plan, [](const Expr&, Ball&) { return false; })[0];
}

}  // namespace

QuadratureDigits quadrature_to_digits(const Expr& f, const Expr& x, const Expr& from, const Expr& to, int digits, const Bindings& bindings, std::span<const Expr> breaks) {
  if (digits < 1 || digits > 90) throw Error(ErrorKind::usage, "quadrature gives 1 to 90 digits");
  const auto bound = [&](const Expr& e) { return substitute(e, bindings, Unused::allowed); };
  const Expr g = bound(f);
  const EvaluationPlan plan({&g, 1});
  std::size_t bad = 0;
  const auto value = [&](const Ball& at) -> Real {
    try {
      const auto r = GraphEvaluator<BallDomain>(BallDomain{precision}).run(plan, [&](const Expr& e, Ball& v) {
        if (!(e == x)) return false;
        v = at;
        return true;
      });
      if (r[0].finite()) return to_real(r[0]);
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::unsupported) throw;
    }
    ++bad;
    return 0;
  };
  const auto sum_of = [](const Ball& a, const Ball& b) {
    Ball s;
    acb_add(s.get(), a.get(), b.get(), precision);
    return s;
  };
  std::vector<Expr> ends{bound(from)};
  for (const Expr& b : breaks) ends.push_back(bound(b));
  ends.push_back(bound(to));
  const Real tolerance = pow(Real(10), -(digits + 3));
  Real total = 0;
  Real error = 0;
  try {
    for (std::size_t i = 0; i + 1 < ends.size(); ++i) {
      const bool below = ends[i] == -infinity();
      const bool above = ends[i + 1].is_constant(ConstantCode::infinity);
      Real e = 0;
      Real size = 0;
      if (below && above) {
        boost::math::quadrature::sinh_sinh<Real> rule(12);
        total += rule.integrate([&](const Real& t) { return value(to_ball(t)); }, tolerance, &e, &size);
      } else if (below || above) {
        const Ball end = ball_of(below ? ends[i + 1] : ends[i]);
        boost::math::quadrature::exp_sinh<Real> rule(12);
        total += rule.integrate([&](const Real& t) { return value(sum_of(end, to_ball(below ? Real(-t) : t))); }, tolerance, &e, &size);
      } else {
        const Ball low = ball_of(ends[i]);
        const Ball high = ball_of(ends[i + 1]);
        const Real a = to_real(low);
        const Real b = to_real(high);
        boost::math::quadrature::tanh_sinh<Real> rule(12);
        total += rule.integrate([&](const Real& t, const Real& c) { return value(abs(c) < (b - a) / 100 ? sum_of(c < 0 ? low : high, to_ball(Real(-c))) : to_ball(t)); }, a, b,
                                tolerance, &e, &size);
      }
      error += e + size * tolerance / 100;
    }
  } catch (const Error&) {
    throw;
  } catch (const std::exception& e) {
    throw Error(ErrorKind::convergence, std::string("quadrature does not converge: ") + e.what());
  }
  QuadratureDigits out;
  const Real scale = abs(total);
  const double reached = error == 0 ? 90 : scale == 0 ? 0 : -static_cast<double>(log10(error / scale));
  out.digits = static_cast<int>(std::clamp(reached, 0.0, 90.0));
  out.converged = out.digits >= digits;
  out.value = total.str(std::min(digits, std::max(out.digits, 1)), std::ios_base::fmtflags{});
  return out;
}

}  // namespace boreon
