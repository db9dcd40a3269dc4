// SPDX-License-Identifier: MIT
#include "equations/single.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "algebra/kernel_ring.hpp"
#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "calculus/integral/integrator.hpp"
#include "equations/inverses.hpp"
#include "equations/replaced.hpp"

namespace boreon::equations {
namespace {

constexpr int deepest_equation = 12;

std::string shown(const Expr& e) { return to_text(e, {80, {}}); }

// A node that is one of several expressions, one of them true at each place: where these are not negative.
struct Branch {
  Expr value;
  std::vector<Expr> nonnegative = {};
};
std::optional<std::vector<Branch>> branches_of(const Expr& n) {
  std::vector<Branch> out;
  const auto ops = n.operands();
  if (n.is(Kind::piecewise)) {
    for (std::size_t i = 0; i < ops.size(); i += 2) out.push_back({ops[i]});
    return out;
  }
  if (!n.is(Kind::call)) return std::nullopt;
  const auto name = n.function().name;
  if (name == "abs") return std::vector<Branch>{{ops[0], {ops[0]}}, {-ops[0], {-ops[0]}}};
  if (name == "sign") return std::vector<Branch>{{1}, {-1}, {0}};
  if (name == "heaviside") return std::vector<Branch>{{1}, {0}, {Expr(1) / 2}};
  if (name != "min" && name != "max") return std::nullopt;
  for (std::size_t i = 0; i < ops.size(); ++i) {
    Branch b{ops[i]};
    for (std::size_t k = 0; k < ops.size(); ++k) {
      if (k != i) b.nonnegative.push_back(name == "max" ? ops[i] - ops[k] : ops[k] - ops[i]);
    }
    out.push_back(std::move(b));
  }
  return out;
}

// Powers of whole numbers with x in the exponent by the least base: 4^x is 2^(2*x).
Expr with_prime_bases(const Expr& e, const Symbol& x) {
  Rebuild pass([](const Expr&, Expr&) { return false; },
               [&](const Expr& n) -> Expr {
                 if (!n.is(Kind::power) || !depends_on(n.operands()[1], x)) return n;
                 const auto base = n.operands()[0].word();
                 if (!base || *base < 4) return n;
                 for (std::int64_t root = 2; root * root <= *base && root < 1000; ++root) {
                   std::int64_t k = 1;
                   std::int64_t value = root;
                   for (; value < *base && value <= *base / root; ++k) value *= root;
                   if (value == *base) return power(Expr(root), k * n.operands()[1]);
                 }
                 return n;
               });
  return pass(e);
}

std::size_t distinct_waves(const Expr& e, const Symbol& x) {
  std::size_t waves = 0;
  postorder(e, [&](const Expr& n) {
    if ((is_call_of(n, "sin") || is_call_of(n, "cos") || is_call_of(n, "tan")) && depends_on(n, x)) ++waves;
  });
  return waves;
}

// Sines and cosines of multiples and sums by those of the parts, tangents and exponential forms by these.
Expr prepared(const Expr& e, const Symbol& x) {
  const bool complex = !x.assumptions().has(Assumption::real);
  int circular = 0;
  bool hyperbolic = false;
  bool tangent = false;
  int exponentials = 0;
  postorder(e, [&](const Expr& n) {
    if (!n.is(Kind::call) || !depends_on(n, x)) return;
    const auto name = n.function().name;
    circular += name == "sin" || name == "cos" || name == "tan" ? 1 : 0;
    tangent = tangent || name == "tan";
    hyperbolic = hyperbolic || name == "sinh" || name == "cosh" || name == "tanh";
    exponentials += name == "sinh" || name == "cosh" || name == "tanh" || name == "exp" ? 1 : 0;
  });
  Expr out = with_prime_bases(e, x);
  if (circular > 1) {
    // products of waves of one angle may be one wave of twice the angle
    const Expr combined = combine_angles(out);
    if (distinct_waves(combined, x) == 1) return combined;
  }
  if (circular > 1) out = expand_angles(tangent ? in_sines_and_cosines(out) : out);
  if (hyperbolic && (exponentials > 1 || (complex && circular > 0))) out = in_exponentials(out);
  return out;
}

}  // namespace

void SingleSolver::step(std::string text) {
  if (steps_.size() < 20 && std::find(steps_.begin(), steps_.end(), text) == steps_.end())
    steps_.push_back(std::move(text));
}

Symbol SingleSolver::integer_for(const Expr& v) {
  for (int k = 1;; ++k) {
    const Symbol n("n" + std::to_string(k), {Assumption::integer});
    if (depends_on(v, n)) continue;
    if (std::find(integers_.begin(), integers_.end(), Expr(n)) == integers_.end()) integers_.push_back(n);
    return n;
  }
}

SingleSolver::Found SingleSolver::operator()(const Expr& e, const Symbol& x) {
  rational_ = is_rational_in(e, x);
  complex_ = !x.assumptions().has(Assumption::real);
  Found found = zeros(e, x);
  if (!found) return found;
  std::vector<Root> out;
  for (Root& r : *found) {
    const auto same = std::find_if(out.begin(), out.end(), [&](const Root& o) {
      return o.value == r.value || (!r.value.has_symbols() && !o.value.has_symbols() && vanishes(o.value - r.value));
    });
    if (same != out.end()) {
      same->multiplicity += r.multiplicity;
    } else {
      out.push_back(std::move(r));
    }
  }
  return out;
}

SingleSolver::Found SingleSolver::zeros(const Expr& e, const Symbol& x) {
  struct Deeper {
    explicit Deeper(int& d) : depth(d) { ++depth; }
    ~Deeper() { --depth; }
    int& depth;
  } deeper{depth_};
  if (depth_ > deepest_equation) return std::nullopt;
  // on the way to an end, an equation that holds for every x has more solutions than can be listed
  const auto without_unknown = [&](const Expr& rest) -> Found {
    if (has_piece(rest) && !rest.is_integer(0)) return std::nullopt;
    if (!vanishes(rest)) {
      if (depth_ > 1 && rest.has_symbols()) left_out_ = fmt::format("where {} = 0 there may be more", shown(rest));
      return std::vector<Root>{};
    }
    if (depth_ > 1) return std::nullopt;
    identity_ = true;
    return std::vector<Root>{};
  };
  if (!depends_on(e, x)) return without_unknown(e);
  bool folded = false;
  postorder(e, [&](const Expr& n) { folded = folded || (depends_on(n, x) && branches_of(n)); });
  if (folded && complex_) return std::nullopt;  // signs and amounts split the real line, not the plane
  if (folded) return by_branches(e, x);
  try {
    const Expr ready = prepared(e, x);
    return depends_on(ready, x) ? of_factors(ready, x) : without_unknown(ready);
  } catch (const Error& error) {
    if (error.kind() == ErrorKind::domain) return std::vector<Root>{};
    if (error.kind() != ErrorKind::limit && error.kind() != ErrorKind::unsupported && error.kind() != ErrorKind::usage)
      throw;
    return std::nullopt;
  }
}

// Each place has one branch that holds; candidates of the others do not satisfy the equation.
SingleSolver::Found SingleSolver::by_branches(const Expr& e, const Symbol& x) {
  std::optional<Expr> node;
  postorder(e, [&](const Expr& n) {
    if (!node && depends_on(n, x) && branches_of(n)) node = n;
  });
  step(fmt::format("each branch of {}", shown(*node)));
  std::vector<Root> all;
  const std::vector<Branch> branches = *branches_of(*node);
  for (const Branch& branch : branches) {
    const Found part = zeros(replaced(e, {{*node, branch.value}}), x);
    if (!part) return std::nullopt;
    for (Root r : *part) {
      bool holds = true;
      for (const Expr& c : branch.nonnegative) {
        const Expr there = replaced(c, {{x, r.value}});
        // numbers and what is folded again are told by substituting the solution
        if (there.has_symbols() && !has_piece(there))
          holds = holds && require_sign(expand(there), false, signs_, r.conditions);
      }
      if (holds) all.push_back(std::move(r));
    }
  }
  return all;
}

SingleSolver::Found SingleSolver::of_factors(const Expr& e, const Symbol& x) {
  const KernelRing ring(std::span<const Expr>(&e, 1));
  const Fraction f = ring.reduced(ring.fraction_of(e));
  if (f.is_zero()) {
    if (depth_ > 1) return std::nullopt;
    identity_ = true;
    return std::vector<Root>{};
  }
  std::vector<Root> all;
  const poly::Factors factors = poly::factor(f.numerator);
  for (const poly::Factor& p : factors.list) {
    std::vector<Expr> varying;
    for (unsigned v = 0; v < ring.vars(); ++v) {
      if (p.base.degree(v) > 0 && depends_on(ring.kernels()[v], x)) varying.push_back(ring.kernels()[v]);
    }
    const Expr factor = ring.expression(p.base);
    if (varying.empty()) {
      if (depth_ == 1) free_factors_.push_back(factor);
      continue;
    }
    Found part;
    if (varying.size() == 1) {
      const unsigned v = *ring.index_of(varying[0]);
      std::vector<Expr> c;
      for (const poly::Poly& k : poly::coefficients_in(p.base, v)) c.push_back(ring.expression(k));
      part = in_kernel(c, varying[0], x);
    }
    if (!part) part = of_kernels(factor, varying, x);
    if (!part) return std::nullopt;
    for (Root& r : *part) {
      r.multiplicity *= p.multiplicity;
      all.push_back(std::move(r));
    }
  }
  return all;
}

SingleSolver::Found SingleSolver::of_kernels(const Expr& factor, const std::vector<Expr>& kernels, const Symbol& x) {
  using Way = Found (SingleSolver::*)(const Expr&, const std::vector<Expr>&, const Symbol&);
  if (complex_) {
    if (const Found found = without_root(factor, kernels, x)) return found;
    return in_exponential(factor, kernels, x);
  }
  for (const Way way : {&SingleSolver::without_root, &SingleSolver::of_logarithms, &SingleSolver::by_lambert,
                        &SingleSolver::of_power_times_exponential, &SingleSolver::of_two_powers,
                        &SingleSolver::of_waves, &SingleSolver::by_logarithm_of_unknown}) {
    if (const Found found = (this->*way)(factor, kernels, x)) return found;
  }
  return std::nullopt;
}

// Waves and hyperbolic functions of one angle over the complex numbers: a polynomial in one exponential.
SingleSolver::Found SingleSolver::in_exponential(const Expr& factor, const std::vector<Expr>& kernels,
                                                 const Symbol& x) {
  if (std::all_of(kernels.begin(), kernels.end(), [](const Expr& k) { return is_call_of(k, "exp"); }))
    return std::nullopt;
  const Expr in_exp = in_exponentials(factor);
  // the unknown itself stands in the exponents alone
  const Symbol hidden("_e");
  const Expr without = Rebuild(
      [&](const Expr& n, Expr& result) {
        const bool exponential = is_call_of(n, "exp") && depends_on(n, x);
        if (exponential) result = hidden;
        return exponential;
      },
      [](const Expr& n) { return n; })(in_exp);
  if (depends_on(without, x)) return std::nullopt;
  step("by exponentials");
  return of_factors(in_exp, x);
}

// A polynomial in one kernel: its roots, and where the kernel has those values.
SingleSolver::Found SingleSolver::in_kernel(const std::vector<Expr>& c, const Expr& kernel, const Symbol& x) {
  if (c.back().has_symbols()) nonzero_.push_back(c.back());
  if (rational_ && depth_ == 1) {
    auto values = roots_of(c, signs_, longest_);
    if (!values && cubics_ && c.size() == 4) {
      values = cubic_roots(c, longest_);
      if (values) nonzero_.push_back(third_of_linear(c));
    }
    if (!values || !(kernel == x)) return std::nullopt;
    std::vector<Root> all;
    for (const Expr& v : *values) all.push_back({v});
    return all;
  }
  // functions are inverted over the real numbers, unless the unknown is complex
  std::optional<std::vector<Root>> values;
  if (complex_) {
    const auto roots = roots_of(c, signs_, longest_);
    if (!roots) return std::nullopt;
    values.emplace();
    for (const Expr& v : *roots) values->push_back({v});
  } else {
    values = real_roots_of(c, signs_, longest_);
  }
  if (!values) return std::nullopt;
  std::vector<Root> all;
  for (const Root& v : *values) {
    const Found part = where_kernel_is(kernel, v.value, x);
    if (!part) return std::nullopt;
    for (Root r : *part) {
      r.conditions.insert(r.conditions.end(), v.conditions.begin(), v.conditions.end());
      all.push_back(std::move(r));
    }
  }
  return all;
}

SingleSolver::Found SingleSolver::where_kernel_is(const Expr& kernel, const Expr& v, const Symbol& x) {
  if (kernel == x) return std::vector<Root>{{v}};
  if (!complex_ && !looks_real(v)) return std::vector<Root>{};
  Expr argument;
  const auto ways = complex_ ? complex_inverses(kernel, v, argument) : inverses(kernel, v, signs_, argument);
  if (!ways) return std::nullopt;
  if (kernel.is(Kind::call)) step(fmt::format("inverse of {}", kernel.function().name));
  std::vector<Root> all;
  for (const Inverse& i : *ways) {
    Expr target = i.value;
    if (!i.period.is_integer(0)) target += i.period * integer_for(i.value);
    Found part = zeros(argument - target, x);
    if (!part) return std::nullopt;
    for (Root& r : *part) {
      if (!complex_ && !looks_real(r.value)) continue;
      r.conditions.insert(r.conditions.end(), i.conditions.begin(), i.conditions.end());
      all.push_back(std::move(r));
    }
  }
  return all;
}

// A root of something in x beside other kernels: gone with the resultant; what that adds does not satisfy the equation.
SingleSolver::Found SingleSolver::without_root(const Expr& factor, const std::vector<Expr>& kernels, const Symbol& x) {
  for (const Expr& kernel : kernels) {
    if (!kernel.is(Kind::power) || !kernel.operands()[1].is_number() || kernel.operands()[0] == x) continue;
    const Number& exponent = kernel.operands()[1].number();
    if (exponent.is_integer() || exponent.sign() <= 0) continue;
    const Symbol k("_k");
    const Expr p = quotient(replaced(factor, {{kernel, k}})).numerator;
    if (!depends_on(p, k)) continue;
    const Quotient base = quotient(kernel.operands()[0]);
    const Expr q = base.denominator * power(k, 1 / kernel.operands()[1]) - base.numerator;
    step(fmt::format("without {}", shown(kernel)));
    return zeros(resultant(p, q, k), x);
  }
  // a root of x itself beside x in another kernel: x = s^n
  for (const Expr& kernel : kernels) {
    if (!kernel.is(Kind::power) || !(kernel.operands()[0] == x) || !kernel.operands()[1].is_number() ||
        kernels.size() == 1)
      continue;
    const Symbol s("_s", {Assumption::nonnegative});
    const Expr n = 1 / kernel.operands()[1];
    const Found inner = zeros(substitute(factor, {{x, power(s, n)}}, Unused::allowed), s);
    if (!inner) return std::nullopt;
    std::vector<Root> all;
    for (const Root& r : *inner) all.push_back({power(r.value, n), r.multiplicity, r.conditions});
    return all;
  }
  return std::nullopt;
}

// c1*log(u1) + c2*log(u2) + ... + d with numbers c: the product of powers.
SingleSolver::Found SingleSolver::of_logarithms(const Expr& factor, const std::vector<Expr>& kernels, const Symbol& x) {
  if (!std::all_of(kernels.begin(), kernels.end(), [](const Expr& k) { return is_call_of(k, "log"); }))
    return std::nullopt;
  Expr product = 1;
  Expr rest = 0;
  Number common(1);
  std::vector<std::pair<Expr, Number>> logs;
  for (const LinearTerm& t : linear_terms(expand(factor))) {
    if (!depends_on(t.term, x)) {
      rest += Expr(t.coefficient) * t.term;
      continue;
    }
    if (!is_call_of(t.term, "log") || !t.coefficient.is_exact()) return std::nullopt;
    logs.emplace_back(t.term.operands()[0], t.coefficient);
    common = common * (common * t.coefficient).denominator();
  }
  for (const auto& [u, c] : logs) product *= power(u, Expr(c * common));
  step("logarithms as one");
  return zeros(product - exp(-rest * Expr(common)), x);
}

// A*p = B*q where p and q are powers with x in the exponent: logarithms of both sides.
SingleSolver::Found SingleSolver::of_two_powers(const Expr& factor, const std::vector<Expr>&, const Symbol& x) {
  const std::vector<Expr> terms = terms_of(expand(factor));
  if (terms.size() != 2) return std::nullopt;
  bool of_unknown = false;
  const auto logarithm = [&](const Expr& term) -> std::optional<Expr> {
    Expr sum = 0;
    bool good = true;
    bool exponential = false;
    for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
      exponential = exponential || depends_on(exponent, x) || (is_call_of(base, "exp") && depends_on(base, x));
      if (is_call_of(base, "exp")) {
        sum += base.operands()[0] * exponent;
      } else {
        sum += exponent * log(base);
      }
      // a power of the unknown with a number would lose its negative values
      good = good && (depends_on(exponent, x) ? is_positive(base) || depends_on(base, x)
                                              : !depends_on(base, x) || is_call_of(base, "exp"));
      of_unknown = of_unknown || (depends_on(exponent, x) && depends_on(base, x));
    });
    if (!good || !exponential) return std::nullopt;
    return sum + log(abs(leading_number(term)));
  };
  const auto plain = [&](const Expr& t) { return !depends_on(t, x); };
  const Expr& a = terms[0];
  const Expr& b = terms[1];
  auto la = logarithm(a);
  auto lb = logarithm(b);
  if (!la && !lb) return std::nullopt;
  if (!la && plain(a) && signs_.known(-a / leading_number(b)).value_or(0) > 0)
    la = log(-a * (leading_number(b).number().sign() > 0 ? 1 : -1));
  if (!lb && plain(b) && signs_.known(-b / leading_number(a)).value_or(0) > 0)
    lb = log(-b * (leading_number(a).number().sign() > 0 ? 1 : -1));
  if (!la || !lb || *la - *lb == factor) return std::nullopt;
  step("logarithms of both sides");
  if (of_unknown)
    left_out_ = fmt::format("powers of {} with {} in the exponent are taken where it is positive", x.name(), x.name());
  return zeros(expand(*la - *lb), x);
}

}  // namespace boreon::equations
