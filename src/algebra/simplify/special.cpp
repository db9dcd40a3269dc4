// SPDX-License-Identifier: MIT
// Special functions by their recurrences and relations: gamma (NIST Handbook 5.5), beta (5.12), digamma (5.5.2), error
// functions (7.2), and functions that are others in disguise (log10, expm1, hypot, ...).
#include <algorithm>

#include "algebra/kernel_ring.hpp"
#include "algebra/simplify/transforms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"
#include "expr/orientation.hpp"

namespace boreon::transforms {
namespace {

constexpr std::int64_t largest_shift = 30;

// Arguments that differ by whole numbers share the smallest of them.
class ShiftedArguments {
 public:
  void note(const Expr& x) {
    for (Class& c : classes_) {
      const auto d = (expand(x - c.base)).word();
      if (!d) continue;
      if (*d < 0) c.base = x;
      return;
    }
    classes_.push_back({x});
  }
  // The base and how far x is above it.
  std::pair<Expr, std::int64_t> find(const Expr& x) const {
    for (const Class& c : classes_) {
      const auto d = (expand(x - c.base)).word();
      if (d && *d >= 0 && *d <= largest_shift) return {c.base, *d};
    }
    return {x, 0};
  }

 private:
  struct Class {
    Expr base;
  };
  std::vector<Class> classes_;
};

Expr in_basic_functions(const Expr& e) {
  return everywhere(e, [](const Expr& x) {
    if (!x.is(Kind::call)) return x;
    const auto a = x.operands();
    const auto name = x.function().name;
    if (name == "log10") return log(a[0]) / log(10);
    if (name == "log2") return log(a[0]) / log(2);
    if (name == "log1p") return log(1 + a[0]);
    if (name == "expm1") return exp(a[0]) - 1;
    if (name == "exp2") return power(2, a[0]);
    if (name == "erfc") return 1 - erf(a[0]);
    if (name == "hypot") {
      Expr s = 0;
      for (const Expr& y : a) s += y * y;
      return sqrt(s);
    }
    if (name == "beta") return gamma(a[0]) * gamma(a[1]) / gamma(a[0] + a[1]);
    return x;
  });
}

Expr shifts_removed(const Expr& e, const char* name) {
  ShiftedArguments arguments;
  postorder(e, [&](const Expr& x) {
    if (is_call_of(x, name)) arguments.note(x.operands()[0]);
  });
  return everywhere(e, [&](const Expr& x) {
    if (!is_call_of(x, name)) return x;
    const auto [base, shift] = arguments.find(x.operands()[0]);
    if (shift == 0) return x;
    if (std::string_view(name) == "gamma") {
      Expr p = gamma(base);
      for (std::int64_t k = 0; k < shift; ++k) p *= base + Expr(k);
      return p;
    }
    Expr s = digamma(base);
    for (std::int64_t k = 0; k < shift; ++k) s += 1 / (base + Expr(k));
    return s;
  });
}

// gamma(x)*x = gamma(x + 1), where that is shorter; gamma(x)*gamma(1 - x) = pi/sin(pi*x).
Expr gammas_gathered(const Expr& e) {
  return everywhere(e, [](const Expr& x) {
    if (!x.is(Kind::product)) return x;
    for (const auto [b, n] : Parts(x)) {
      if (!is_call_of(b, "gamma")) continue;
      const Expr& u = b.operands()[0];
      for (const auto [c, m] : Parts(x)) {
        if (is_call_of(c, "gamma") && m == n && expand(c.operands()[0] + u).is_integer(1) && !(c == b)) {
          const Expr& v = points_backwards(u) ? c.operands()[0] : u;  // sin(pi*x), not sin(pi*(1 - x))
          return x / power(b, n) / power(c, n) * power(pi() / sin(pi() * v), n);
        }
        if (c == u && m == n) return x / power(b, n) / power(c, n) * power(gamma(u + 1), n);
        if (c == u - 1 && m == -n && !(n.is_integer(1) && u.is_number()))
          return x / power(b, n) / power(c, m) * power(gamma(u - 1), n);
      }
    }
    return x;
  });
}

}  // namespace

void special_forms(const Expr& e, Forms& out) {
  bool special = false;
  postorder(e, [&](const Expr& x) {
    if (!x.is(Kind::call)) return;
    static const char* const names[] = {"log10", "log2",  "log1p", "expm1", "exp2",
                                        "erfc",  "hypot", "beta",  "gamma", "digamma"};
    special = special ||
              std::any_of(std::begin(names), std::end(names), [&](const char* n) { return x.function().name == n; });
  });
  if (!special) return;
  const Expr basic = in_basic_functions(e);
  out.push_back(basic);
  const Expr shifted = shifts_removed(shifts_removed(basic, "gamma"), "digamma");
  out.push_back(shifted);
  rational_forms(shifted, out);
  const std::size_t n = out.size();
  for (std::size_t i = 0; i < n; ++i) out.push_back(gammas_gathered(out[i]));
}

}  // namespace boreon::transforms
