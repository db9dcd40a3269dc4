// SPDX-License-Identifier: MIT
#include "calculus/series/most_rapid.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <complex>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/text.hpp"
#include "calculus/series/expansion.hpp"
#include "calculus/series/limit_engine.hpp"
#include "expr/canonical.hpp"

namespace boreon {
namespace {

constexpr int deepest_limit = 24;
constexpr const char* incommensurable = "growth rates whose ratio is no number";
constexpr int most_steps = 4000;
constexpr int terms_at_infinity = 7;  // of what is compared with values afterwards

struct Leading {
  Expr coefficient;
  Number exponent;  // of a positive quantity that goes to zero
};

// Limits as x goes to infinity.
class AtInfinity {
 public:
  AtInfinity(Symbol x, Signs& signs) : x_(std::move(x)), signs_(signs) {}

  Expr limit(const Expr& e) {
    const Expr prepared = prepare(e);
    Expr value = of(prepared);
    for (const Expr& b : bounded_) {
      if (depends_on(value, b)) throw NoLimit{"it oscillates", true};
    }
    return value;
  }

 private:
  struct Deeper {
    explicit Deeper(int& d, int& steps) : depth(d) {
      if (++depth > deepest_limit || ++steps > most_steps) {
        --depth;
        throw NoExpansion{"the limit needs too many steps"};
      }
    }
    ~Deeper() { --depth; }
    Deeper(const Deeper&) = delete;
    Deeper& operator=(const Deeper&) = delete;
    int& depth;
  };

  bool varies(const Expr& e) const { return depends_on(e, x_); }

  // --- forms that can be expanded -----------------------------------------------------------------------------------

  Expr oscillation(const Expr& of) {
    for (std::size_t i = 0; i < oscillating_.size(); ++i) {
      if (oscillating_[i] == of) return bounded_[i];
    }
    oscillating_.push_back(of);
    bounded_.push_back(Symbol(fmt::format("_bounded{}", bounded_.size() + 1)));
    return bounded_.back();
  }

  Expr prepare_node(const Expr& e) {
    if (!varies(e)) return e;
    if (e.is(Kind::power) && (varies(e.operands()[1]) || !e.operands()[1].is_number()))
      return exp(e.operands()[1] * log(e.operands()[0]));
    if (e.is(Kind::product)) {
      Expr out = e.operands()[0];
      for (const auto [base, exponent] : Parts(e)) {
        const bool general = varies(exponent) || (varies(base) && !exponent.is_number());
        out *= general ? exp(exponent * log(base)) : power(base, exponent);
      }
      return out;
    }
    if (e.is(Kind::piecewise)) {
      const auto ops = e.operands();
      for (std::size_t i = 0; i + 1 < ops.size(); i += 2) {
        if (truth(ops[i + 1])) return ops[i];
      }
      if (ops.size() % 2 == 1) return ops.back();
      throw NoExpansion{"no branch of the piecewise holds here"};
    }
    if (is_operator(e) || e.is(Kind::unknown_call)) {
      throw NoExpansion{fmt::format("nothing is known of {} here", to_text(e, {60, {}}))};
    }
    if (!e.is(Kind::call)) return e;
    const auto name = e.function().name;
    const auto a = e.operands();
    if (name == "exp" || name == "log") return e;
    if (name == "sinh") return (exp(a[0]) - exp(-a[0])) / 2;
    if (name == "cosh") return (exp(a[0]) + exp(-a[0])) / 2;
    if (name == "tanh") return 1 - 2 / (exp(2 * a[0]) + 1);
    if (name == "abs") return sign(a[0]) * a[0];
    if (name == "sign") return sign(a[0]);
    if (name == "heaviside") return (1 + Expr(sign(a[0]))) / 2;
    if (name == "dirac_delta") return 0;
    if (name == "min" || name == "max") {
      Expr best = a[0];
      for (std::size_t i = 1; i < a.size(); ++i) {
        const int s = sign(a[i] - best);
        if (name == "min" ? s < 0 : s > 0) best = a[i];
      }
      return best;
    }
    if (name == "cbrt") return sign(a[0]) < 0 ? -power(-a[0], Expr(1) / 3) : power(a[0], Expr(1) / 3);
    std::size_t varying = 0;
    for (std::size_t i = 0; i < a.size(); ++i) {
      if (varies(a[i])) varying = i;
    }
    const Expr to = of(a[varying]);
    for (const Expr& b : bounded_) {
      if (depends_on(to, b)) return bounded_or_fail(e);
    }
    if (name == "floor" || name == "ceil" || name == "round" || name == "trunc") {
      if (is_infinite(to)) return a[0] + oscillation(e - a[0]);
      if (name == "round" && is_integer(to - Expr(1) / 2))
        return sign(a[0] - to) < 0 ? to - Expr(1) / 2 : to + Expr(1) / 2;
      if (!is_integer(to)) return substitute(with_operands(e, {&to, 1}), {}, Unused::allowed);
      const int s = sign(a[0] - to);
      if (name == "floor") return s < 0 ? to - 1 : to;
      if (name == "ceil") return s > 0 ? to + 1 : to;
      if (name == "round") return to;
      throw NoExpansion{"a jump"};
    }
    if (!is_infinite(to)) return e;
    if (name == "legendre" || name == "hermite") {  // polynomials
      if (const auto form = regular_form(e, to, {})) return prepare(*form);
    }
    if (name == "sin" || name == "cos") return oscillation(e);
    if (name == "tan") return oscillation(sin(a[0])) / oscillation(cos(a[0]));
    if (const auto form = form_at_infinity(e, signs_.of(to), {terms_at_infinity, 0})) return prepare(*form);
    throw NoExpansion{fmt::format("nothing is known of {} at infinity", name)};
  }

  Expr bounded_or_fail(const Expr& e) {
    const auto name = e.function().name;
    if (name == "sin" || name == "cos") return oscillation(e);
    throw NoExpansion{fmt::format("{} of something that oscillates", name)};
  }

  Expr prepare(const Expr& e) {
    Rebuild pass(
        [&](const Expr& n, Expr& result) {
          if (varies(n)) return false;
          result = n;
          return true;
        },
        [&](const Expr& n) { return prepare_node(n); });
    return pass(e);
  }

  bool truth(const Expr& c) {
    if (const auto t = truth_by_signs(c, [&](const Expr& d) { return sign(d); })) return *t;
    throw NoExpansion{"a condition that cannot be decided"};
  }

  // --- the most rapidly varying subexpressions ----------------------------------------------------------------------

  using Set = std::vector<Expr>;

  static Expr log_of(const Expr& m) { return is_call_of(m, "exp") ? m.operands()[0] : log(m); }

  // -1, 0, 1: slower, of the same class, faster
  int compare_growth(const Expr& f, const Expr& g) {
    if (f == g) return 0;
    const Expr c = of(log_of(f) / log_of(g));
    if (c.is_integer(0)) return -1;
    return is_infinite(c) ? 1 : 0;
  }

  Set larger(const Set& a, const Set& b) {
    if (a.empty()) return b;
    if (b.empty()) return a;
    const int c = compare_growth(a[0], b[0]);
    if (c < 0) return b;
    if (c > 0) return a;
    Set all = a;
    for (const Expr& e : b) {
      if (std::find(all.begin(), all.end(), e) == all.end()) all.push_back(e);
    }
    return all;
  }

  Set fastest(const Expr& e) {
    if (!varies(e)) return {};
    if (e == x_) return {x_};
    if (const Set* known = sets_.find(e)) return *known;
    const Deeper guard(depth_, steps_);
    Set out;
    if (e.is(Kind::sum) || e.is(Kind::product)) {
      for (const Part p : Parts(e)) out = larger(out, fastest(p.key));
    } else if (is_call_of(e, "exp")) {
      out = fastest(e.operands()[0]);
      if (is_infinite(of(e.operands()[0]))) out = larger({e}, out);
    } else {
      for (const Expr& o : e.operands()) out = larger(out, fastest(o));
    }
    keep_.push_back(e);
    sets_[e] = out;
    return out;
  }

  Leading leading(const Expr& given) {
    Expr e = given;
    Set set = fastest(e);
    if (set.empty()) return {e, Number(0)};
    // x itself among the fastest: look at everything with exp(x) for x, which varies faster and keeps the order
    while (std::find(set.begin(), set.end(), x_) != set.end()) {
      e = up(e);
      for (Expr& m : set) m = up(m);
    }
    // w is the simplest of the class, or its reciprocal
    std::stable_sort(set.begin(), set.end(), [](const Expr& a, const Expr& b) { return tree_size(a) < tree_size(b); });
    const Expr h = set[0].operands()[0];
    const bool grows = signs_.of(of(h)) > 0;
    const Expr log_w = grows ? -h : h;
    const Symbol w("_w", {Assumption::positive});
    NodeMap<Expr> replaced;
    const std::function<Expr(const Expr&)> rewrite = [&](const Expr& in) {
      Rebuild pass([&](const Expr& n, Expr& result) {
        if (!varies(n)) {
          result = n;
          return true;
        }
        if (!is_call_of(n, "exp")) return false;
        // powers of a member have been merged into its argument
        if (std::none_of(set.begin(), set.end(),
                         [&](const Expr& m) { return (n.operands()[0] / m.operands()[0]).is_number(); }))
          return false;
        if (const Expr* r = replaced.find(n)) {
          result = *r;
          return true;
        }
        const Expr c = of(n.operands()[0] / log_w);
        if (!c.is_number()) throw NoExpansion{incommensurable};
        const Expr rest = expand(n.operands()[0] - c * log_w);
        result = exp(rewrite(rest)) * power(w, c);
        replaced[n] = result;
        return true;
      });
      return pass(in);
    };
    keep_.insert(keep_.end(), set.begin(), set.end());
    const Expr in_w = rewrite(e);
    for (const int target : {2, 5, 10, 20}) {
      try {
        Expander expander(w, log_w, signs_, target);
        const Expansion a = expander.with_leading(in_w);
        if (a.empty()) return {0, Number(0)};
        return {a.leading().coefficient, a.leading().exponent};
      } catch (const NoExpansion& n) {
        if (n.why != "cancellation") throw;
      }
    }
    throw NoExpansion{"leading terms cancel to a high order"};
  }

  Expr up(const Expr& e) const { return substitute(e, {{x_, exp(x_)}}, Unused::allowed); }

  void no_zero_below(const Expr& c) {
    postorder(c, [&](const Expr& n) {
      const auto look = [&](const Expr& base, const Expr& exponent) {
        if (!exponent.is_number() || exponent.number().sign() >= 0) return;
        for (const Expr& b : bounded_) {
          if (!depends_on(base, b) || bounded_sign(base) != 0) continue;
          if (depends_on(base, x_)) throw NoExpansion{"a denominator of which it is not known whether it vanishes"};
          throw NoLimit{"it oscillates without bound"};
        }
      };
      if (n.is(Kind::power)) look(n.operands()[0], n.operands()[1]);
      if (n.is(Kind::product)) {
        for (const auto [base, exponent] : Parts(n)) look(base, exponent);
      }
    });
  }

  // The sign of something that contains bounded quantities, 0 if it may be zero.
  int bounded_sign(const Expr& e) {
    std::vector<Expr> given = signs_.conditions();
    for (const Expr& b : bounded_) {
      given.push_back(less_equal(b, 1));
      given.push_back(less_equal(-1, b));
    }
    const Reasoner r(given);
    return r.positive(e) ? 1 : r.negative(e) ? -1 : 0;
  }

  bool has_bounded(const Expr& e) const {
    return std::any_of(bounded_.begin(), bounded_.end(), [&](const Expr& b) { return depends_on(e, b); });
  }

  int sign(const Expr& e) {
    if (!varies(e)) {
      if (!has_bounded(e)) return signs_.of(e);
      const int s = bounded_sign(e);
      if (s == 0) throw NoLimit{"it oscillates", true};
      return s;
    }
    const Deeper guard(depth_, steps_);
    if (is_call_of(e, "exp")) return 1;
    return sign(leading(e).coefficient);
  }

  Expr of(const Expr& e) {
    if (!varies(e)) return e;
    if (e == x_) return infinity();
    if (const Expr* known = limits_.find(e)) return *known;
    const Deeper guard(depth_, steps_);
    Expr value = computed(e);
    keep_.push_back(e);
    limits_[e] = value;
    return value;
  }

  // Exponentials such as 2^x and 3^x are powers of no common one by numbers: of sums the largest goes outside first,
  // and the others are small beside 1.
  Expr computed(const Expr& e) {
    try {
      return compute(e);
    } catch (const NoExpansion& n) {
      if (n.why != incommensurable) throw;
      const Expr other = largest_outside(e);
      return other == e ? by_parts(e) : of(other);
    }
  }

  // h and the rest of exp(h)*rest.
  std::pair<Expr, Expr> exponential_part(const Expr& e) const {
    Expr h = 0;
    Expr rest = leading_number(e);
    for_each_factor(e, [&](const Expr& base, const Expr& exponent) {
      const bool grows = is_call_of(base, "exp") && varies(base) && exponent.is_number();
      (grows ? h : rest) = grows ? h + exponent * base.operands()[0] : rest * power(base, exponent);
    });
    return {h, rest};
  }

  // By the limits of terms, of factors, and of what a logarithm is taken of, where none of them fights another.
  Expr by_parts(const Expr& e) {
    const auto finite = [&](const Expr& part) {
      const Expr v = of(part);
      if (is_infinite(v) || has_bounded(v)) throw NoExpansion{incommensurable};
      return v;
    };
    if (is_call_of(e, "log")) {
      const Expr v = finite(e.operands()[0]);
      return v.is_integer(0) ? throw NoExpansion{incommensurable} : log(v);
    }
    Expr out = 0;
    const std::vector<Expr> terms = terms_of(expand(e));
    if (terms.size() > 1) {
      for (const Expr& term : terms) out += finite(term);
      return out;
    }
    if (!e.is(Kind::product) && !e.is(Kind::power)) throw NoExpansion{incommensurable};
    out = leading_number(e);
    for_each_factor(e, [&](const Expr& base, const Expr& exponent) {
      if (!exponent.is_number() || varies(exponent)) throw NoExpansion{incommensurable};
      const bool below = exponent.number().sign() < 0;
      const Expr v = of(base);
      if (has_bounded(v) || (below ? v.is_integer(0) : is_infinite(v))) throw NoExpansion{incommensurable};
      out *= is_infinite(v) ? Expr(0) : power(v, exponent);
    });
    return out;
  }

  Expr largest_outside(const Expr& e) {
    return Rebuild(
        [&](const Expr& n, Expr& result) {
          result = n;
          return !varies(n);
        },
        [&](const Expr& n) -> Expr {
          if (is_call_of(n, "log")) {  // log(exp(h)*rest) = h + log(rest)
            const auto [h, rest] = exponential_part(n.operands()[0]);
            return h + log(rest);
          }
          if (!n.is(Kind::sum)) return n;
          std::vector<std::pair<Expr, Expr>> parts;  // argument of the exponentials, and the rest
          for (const Expr& term : terms_of(n)) parts.push_back(exponential_part(term));
          Expr largest = parts[0].first;
          for (const auto& [h, rest] : parts) {
            const Expr more = of(expand(h - largest));
            if (is_infinite(more) && signs_.of(more) > 0) largest = h;
          }
          if (largest.is_integer(0)) return n;
          Expr inside = 0;
          for (const auto& [h, rest] : parts) inside += rest * exp(expand(h - largest));
          return exp(largest) * inside;
        })(e);
  }

  Expr compute(const Expr& e) {
    if (e.is(Kind::sum)) {
      if (const auto v = by_terms(e)) return *v;
    }
    if (is_call_of(e, "exp")) return of_exponential(e.operands()[0]);
    if (e.is(Kind::product)) {  // constant factors stay outside
      Expr outside = e.operands()[0];
      Expr inside = 1;
      for (const auto [base, exponent] : Parts(e))
        (varies(base) || varies(exponent) ? inside : outside) *= power(base, exponent);
      if (!outside.is_integer(1) && !has_bounded(outside)) {
        const Expr v = of(inside);
        if (!is_infinite(v)) return outside * v;
        const int s = signs_.of(outside) * signs_.of(v);
        return s == 0 ? throw NoExpansion{"cancellation"} : s * infinity();
      }
    }
    if (e.is(Kind::product)) {  // of exponentials alone: by the sum of their arguments
      bool all = true;
      Expr sum = 0;
      for (const auto [base, exponent] : Parts(e)) {
        all = all && is_call_of(base, "exp") && exponent.is_number();
        if (all) sum += base.operands()[0] * exponent;
      }
      if (all) return e.operands()[0] * of_exponential(sum);
      if (const auto v = ruled_by_exponential(e)) return *v;
    }
    const Leading l = leading(e);
    if (has_bounded(l.coefficient)) no_zero_below(l.coefficient);
    if (l.exponent.sign() > 0) return 0;
    if (l.exponent.sign() < 0) {
      const int s = sign(l.coefficient);
      return s == 0 ? throw NoExpansion{"cancellation"} : s * infinity();
    }
    return of(l.coefficient);
  }

  Expr of_exponential(const Expr& argument) {
    const Expr h = of(argument);
    if (is_infinite(h)) return signs_.of(h) > 0 ? infinity() : Expr(0);
    return exp(h);
  }

  // exp(h)*r with a logarithm of r that is small against h: the exponential decides, whatever its rate is called.
  std::optional<Expr> ruled_by_exponential(const Expr& e) {
    Expr h = 0;
    Expr rest = e.operands()[0];
    for (const auto [base, exponent] : Parts(e)) {
      if (is_call_of(base, "exp") && exponent.is_number()) {
        h += base.operands()[0] * exponent;
      } else {
        rest *= power(base, exponent);
      }
    }
    if (!varies(h) || has_bounded(rest)) return std::nullopt;
    const Expr to = of(h);
    if (!is_infinite(to) || !of(log(sign(rest) * rest) / h).is_integer(0)) return std::nullopt;
    if (signs_.of(to) < 0) return Expr(0);
    const int s = sign(rest);
    if (s == 0) return std::nullopt;
    return s * infinity();
  }

  // Term by term, where no two terms fight: exact and much cheaper.
  std::optional<Expr> by_terms(const Expr& e) {
    Expr finite = e.operands()[0];
    int infinite = 0;
    for (const auto [term, coefficient] : Parts(e)) {
      const Expr v = of(term);
      if (is_infinite(v)) {
        const int s = signs_.of(v) * coefficient.number().sign();
        if (infinite != 0 && infinite != s) return std::nullopt;
        infinite = s;
      } else {
        finite += v * coefficient;
      }
    }
    if (infinite != 0) return infinite * infinity();
    return finite;
  }

  Symbol x_;
  Signs& signs_;
  NodeMap<Expr> limits_;
  NodeMap<Set> sets_;
  std::vector<Expr> keep_;
  std::vector<Expr> oscillating_;
  std::vector<Expr> bounded_;
  int depth_ = 0;
  int steps_ = 0;
};

}  // namespace

Expr limit_at_infinity(const Expr& e, const Symbol& x, Signs& signs) { return AtInfinity(x, signs).limit(e); }

}  // namespace boreon
