#include "boreon/integral.hpp"
namespace boreon {
IntegralResult integrate(const Expr& f, const Expr& x, const Expr& from, const Expr& to, const IntegralOptions&) {
  IntegralResult r;
  r.value = unevaluated_integral(f, x, from, to);
  return r;
}
IntegralResult integrate(const Expr& f, std::span<const IntegralRange> ranges, const IntegralOptions& options) {
  const auto& r = ranges[0];
  return r.from ? integrate(f, r.variable, *r.from, *r.to, options) : integrate(f, r.variable, options);
}
}
