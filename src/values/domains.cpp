// SPDX-License-Identifier: MIT
#include "values/domains.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "boreon/catalogue.hpp"
#include "values/graph_evaluator.hpp"

namespace boreon {
namespace {

std::string shown(const Expr& e) { return to_text(e, {120}); }

bool finite(double x) { return std::isfinite(x); }

thread_local int brief_depth = 0;

std::string left(const Expr& e, const std::string& reason) {
  return fmt::format("{} leaves its domain: {}", shown(e), reason);
}

// The message costs a hundred times what the value would have: it is made where somebody reads it.
template <class Message>
[[noreturn]] void domain_error(const Message& message) {
  throw Error(ErrorKind::domain, brief_depth > 0 ? std::string("a value outside the domain") : message());
}

template <class T>
bool compare_values(RelationOp op, const T& a, const T& b) {
  switch (op) {
    case RelationOp::less: return a < b;
    case RelationOp::less_equal: return a <= b;
    case RelationOp::equal: return a == b;
    case RelationOp::not_equal: return !(a == b);
  }
  return false;
}

}  // namespace

BriefFaults::BriefFaults() { ++brief_depth; }
BriefFaults::~BriefFaults() { --brief_depth; }

void no_numeric_value(const Expr& e) {
  if (e.is(Kind::unknown_call)) {
    throw Error(ErrorKind::binding,
                fmt::format("the unknown function {} has no value; put its definition in first", shown(e)));
  }
  if (e.is(Kind::derivative)) {
    throw Error(ErrorKind::unsupported, fmt::format("{} is an unevaluated derivative; carry it out first", shown(e)));
  }
  throw Error(ErrorKind::unsupported,
              fmt::format("{} has no numeric value: {}", shown(e),
                          e.is(Kind::limit) ? "find the limit first"
                          : e.is(Kind::integral) && e.operands().size() == 2
                              ? "an antiderivative has no value of its own; give the range, integral(f, x from a to b)"
                          : e.is(Kind::reduction) ? "only sums over a finite range of whole numbers have one"
                          : e.is(Kind::element)   ? "its indices need values"
                                                  : "its symbols need values"));
}

void left_domain(const Expr& e, const char* reason) {
  domain_error([&] { return left(e, reason); });
}

double RealDomain::constant(ConstantCode code) {
  switch (code) {
    case ConstantCode::pi: return std::numbers::pi;
    case ConstantCode::egamma: return std::numbers::egamma;
    case ConstantCode::infinity: return std::numeric_limits<double>::infinity();
    case ConstantCode::imaginary:
      throw Error(ErrorKind::domain, "the imaginary unit has no real value; ask for complex values");
    default:
      throw Error(ErrorKind::domain, "the expression is undefined (a division by zero was made when it was built)");
  }
}

double RealDomain::power(const Expr& base, const Expr& exponent, double b, double e) {
  if (b == 0 && e < 0) {
    domain_error(
        [&] { return fmt::format("division by zero: {} is 0 in {}^({})", shown(base), shown(base), shown(exponent)); });
  }
  if (e == 0.5) {
    if (b < 0)
      domain_error([&] {
        return fmt::format("sqrt leaves its real domain: {} = {} is negative; complex values are there when asked for",
                           shown(base), b);
      });
    return std::sqrt(b);
  }
  if (e == -1) return 1 / b;
  const double v = std::pow(b, e);
  if (std::isnan(v) && !std::isnan(b) && !std::isnan(e) && base.is_number()) {
    domain_error([&] {
      return fmt::format(
          "{} to the power {} is not real; ask for complex values to get the principal one, or write cbrt(x) for a "
          "real cube root",
          shown(base), shown(exponent));
    });
  }
  if (std::isnan(v) && !std::isnan(b) && !std::isnan(e)) {
    domain_error([&] {
      return fmt::format(
          "{} = {} is negative, so its power {} = {} is not real; complex values are there when asked for", shown(base),
          b, shown(exponent), e);
    });
  }
  return v;
}

double RealDomain::call(const Expr& e, const std::vector<double>& args) {
  const FunctionRow& row = e.function();
  const double v = evaluate_real(row, args);
  if (!std::isnan(v) && (!std::isinf(v) || row.overflows)) return v;
  if (std::any_of(args.begin(), args.end(), [](double a) { return std::isnan(a); })) return v;
  if (!std::isnan(v) && !std::all_of(args.begin(), args.end(), finite)) return v;
  domain_error([&] {
    std::string values;
    for (std::size_t i = 0; i < args.size(); ++i) {
      if (!e.operands()[i].is_number())
        values += fmt::format("{}{} = {}", values.empty() ? "" : ", ", shown(e.operands()[i]), args[i]);
    }
    if (row.name == "polynomial_root" &&
        evaluate_complex(row, std::vector<std::complex<double>>(args.begin(), args.end())).imag() != 0)
      return left(e, "this root is not real; ask for complex values");
    for (std::size_t i = 0; i < std::min(args.size(), static_cast<std::size_t>(row.orders)); ++i) {
      if (std::fabs(args[i]) > 0x1p30)
        return left(e, fmt::format("its order {:.6g} is too large: orders go up to 2^30, about 1e9", args[i]));
    }
    // a domain in words helps where the argument is outside; an infinite value is a pole or beyond the range of doubles
    if (std::isinf(v)) {
      return fmt::format("{} is infinite or beyond the range of double precision{}{}", shown(e),
                         values.empty() ? "" : " at " + values,
                         row.domain.empty() ? "" : fmt::format("; it needs {}", row.domain));
    }
    return left(e, fmt::format("it needs {}, but {}", row.domain.empty() ? "another argument" : row.domain,
                               values.empty() ? "its argument is outside" : values));
  });
}

bool RealDomain::compare(const Expr& e, double a, double b) { return compare_values(e.relation_op(), a, b); }

ComplexDomain::Value ComplexDomain::constant(ConstantCode code) {
  if (code == ConstantCode::imaginary) return {0, 1};
  return RealDomain::constant(code);
}

ComplexDomain::Value ComplexDomain::power(const Expr& base, const Expr& exponent, const Value& b, const Value& e) {
  if (b == 0.0 && e.real() < 0)
    domain_error(
        [&] { return fmt::format("division by zero: {} is 0 in {}^({})", shown(base), shown(base), shown(exponent)); });
  if (const auto n = exponent.word(); n && std::abs(*n) <= 64) {
    // exact integer powers keep real numbers real
    Value result = 1;
    Value square = b;
    for (auto k = static_cast<std::uint64_t>(std::abs(*n)); k != 0; k >>= 1U) {
      if ((k & 1U) != 0) result *= square;
      if (k > 1) square *= square;
    }
    return *n < 0 ? 1.0 / result : result;
  }
  if (b == 0.0) return e.real() > 0 ? Value(0) : Value(std::nan(""), 0);
  if (e == 0.5) return std::sqrt(b);
  if (b.imag() == 0 && e.imag() == 0 && b.real() > 0) return std::pow(b.real(), e.real());
  return std::exp(e * std::log(b));
}

ComplexDomain::Value ComplexDomain::call(const Expr& e, const std::vector<Value>& args) {
  const Value v = evaluate_complex(e.function(), args);
  if (!std::isnan(v.real()) && !std::isnan(v.imag())) return v;
  domain_error([&] {
    std::string values;
    for (std::size_t i = 0; i < args.size(); ++i)
      values +=
          fmt::format("{}{} = {}{:+}i", i > 0 ? ", " : "", shown(e.operands()[i]), args[i].real(), args[i].imag());
    return left(e, fmt::format("it has no value at {}", values));
  });
}

bool ComplexDomain::compare(const Expr& e, const Value& a, const Value& b) {
  // Tiny imaginary parts come from the complex step; order is decided by the real parts.
  return compare_values(e.relation_op(), a.real(), b.real());
}

BallDomain::Value BallDomain::constant(ConstantCode code) const {
  Ball b;
  switch (code) {
    case ConstantCode::pi: arb_const_pi(b.re(), precision); break;
    case ConstantCode::egamma: arb_const_euler(b.re(), precision); break;
    case ConstantCode::imaginary: acb_onei(b.get()); break;
    case ConstantCode::infinity: throw Error(ErrorKind::domain, "infinity has no enclosure");
    default:
      throw Error(ErrorKind::domain, "the expression is undefined (a division by zero was made when it was built)");
  }
  return b;
}

BallDomain::Value BallDomain::power(const Expr&, const Expr& exponent, const Value& b, const Value& e) const {
  Ball r;
  if (const auto n = exponent.word(); n && *n > -1000000 && *n < 1000000) {
    spend(static_cast<std::uint64_t>(std::abs(*n) < 2 ? 1 : std::ilogb(static_cast<double>(*n))) *
          static_cast<std::uint64_t>(60 + precision / 8));
    acb_pow_si(r.get(), b.get(), *n, precision);
  } else if (exponent.is_number() && exponent.number() == Number(1, 2)) {
    acb_sqrt(r.get(), b.get(), precision);
  } else {
    spend(300 + static_cast<std::uint64_t>(precision) * static_cast<std::uint64_t>(precision) / 64);
    acb_pow(r.get(), b.get(), e.get(), precision);
  }
  return r;
}

BallDomain::Value BallDomain::call(const Expr& e, const std::vector<Value>& args) const {
  const FunctionRow& row = e.function();
  if (row.ball == nullptr) throw Error(ErrorKind::unsupported, fmt::format("{} has no certified evaluation", row.name));
  Ball r;
  ball_value(row, r, args, precision);
  return r;
}

bool BallDomain::compare(const Expr& e, const Value& a, const Value& b) {
  const auto undecided = [&] {
    throw Error(
        ErrorKind::convergence,
        brief_depth > 0
            ? std::string("a condition that cannot be decided")
            : fmt::format("the condition {} cannot be decided: both sides agree to the working precision", shown(e)));
  };
  switch (e.relation_op()) {
    case RelationOp::less:
      if (arb_lt(a.re(), b.re()) != 0) return true;
      if (arb_ge(a.re(), b.re()) != 0) return false;
      break;
    case RelationOp::less_equal:
      if (arb_le(a.re(), b.re()) != 0) return true;
      if (arb_gt(a.re(), b.re()) != 0) return false;
      break;
    case RelationOp::equal:
    case RelationOp::not_equal: {
      const bool wanted = e.relation_op() == RelationOp::equal;
      if (acb_overlaps(a.get(), b.get()) == 0) return !wanted;
      if (acb_is_exact(a.get()) != 0 && acb_is_exact(b.get()) != 0) return (acb_equal(a.get(), b.get()) != 0) == wanted;
      break;
    }
  }
  undecided();
  return false;
}

Ball ball_of(const Expr& e, long precision) {
  const EvaluationPlan plan({&e, 1});
  return std::move(
      GraphEvaluator<BallDomain>(BallDomain{precision}).run(plan, [](const Expr&, Ball&) { return false; })[0]);
}

}  // namespace boreon
