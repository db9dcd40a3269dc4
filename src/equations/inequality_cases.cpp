// SPDX-License-Identifier: MIT
// Inequalities with parameters: regions of the parameters in which the ends of the intervals come in one order.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <random>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/equations.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/sampling.hpp"
#include "boreon/simplify.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/exceptional.hpp"
#include "calculus/integral/integrator.hpp"
#include "equations/inequality.hpp"
#include "equations/single.hpp"
#include "expr/canonical.hpp"

namespace boreon {
namespace {

using namespace equations;

struct Unsolved {
  std::string why;
};

constexpr std::size_t most_critical = 6;
constexpr std::size_t points = 4000;
constexpr std::size_t looked_at = 4;  // points of each region
constexpr int deepest = 3;            // parameters that are fixed one after the other

// An interval by its ends among the places, -1 for infinity.
struct End {
  int low;
  int high;
  bool low_closed;
  bool high_closed;
  friend bool operator==(const End&, const End&) = default;
};
using Shape = std::vector<End>;
using SignVector = std::vector<int>;  // 1, -1, not_real; 0 in a cube: any
constexpr int not_real = 2;

// c > 0 or c < 0, numbers to one side.
Expr signed_condition(const Expr& c, int sign) {
  const Expr positive = condition_of({c, 1});
  return sign > 0 ? positive : less(positive.operands()[1], positive.operands()[0]);
}

class Regions {
 public:
  Regions(const Expr& condition, const Symbol& x, std::vector<Expr> given, int depth)
      : condition_(condition), x_(x), given_(std::move(given)), depth_(depth) {}

  std::vector<InequalityCase> run() {
    if (!depends_on(condition_, x_)) return without_unknown();
    for_each_relation(condition_, [this](const Expr& c) { collect(c); });
    compare_places();
    std::vector<InequalityCase> out = open_regions();
    for (const Expr& c : critical_) borders(c, out);
    return out;
  }

 private:
  // Every x or none.
  std::vector<InequalityCase> without_unknown() const {
    const IntervalSet all{{{-infinity(), infinity(), false, false}}, true, {}};
    const IntervalSet none{{}, true, {}};
    if (!condition_.has_symbols()) return {{{}, is_false(condition_) ? none : all}};
    return {{{condition_}, all}, {{negation(condition_)}, none}};
  }

  void collect(const Expr& c) {
    const Expr f = c.operands()[1] - c.operands()[0];
    if (!depends_on(f, x_)) {
      critical(f);
      return;
    }
    zeros_of(f);
    postorder(f, [&](const Expr& n) { singular(n); });
  }

  // Where a node may be infinite or cease to be real.
  void singular(const Expr& n) {
    if (!depends_on(n, x_)) return;
    if (n.is(Kind::product) || n.is(Kind::power)) {
      for_each_factor(n, [this](const Expr& base, const Expr& exponent) { of_power(base, exponent); });
    } else if (n.is(Kind::call)) {
      static constexpr const char* entire[] = {"exp", "sinh", "cosh", "tanh", "atan", "asinh", "abs", "erf", "erfc"};
      const auto name = n.function().name;
      if (name == "log") static_cast<void>(zeros_of(n.operands()[0]));
      if (name != "log" && std::none_of(std::begin(entire), std::end(entire), [&](const char* e) { return name == e; }))
        throw Unsolved{fmt::format("where {} is singular is not known with parameters", to_text(n, {60, {}}))};
    } else if (!n.is(Kind::sum) && !n.is(Kind::symbol)) {
      throw Unsolved{fmt::format("{} stands in an inequality with parameters", to_text(n, {60, {}}))};
    }
  }
  void of_power(const Expr& base, const Expr& exponent) {
    if (!depends_on(base, x_)) return;
    if (!exponent.is_number())
      throw Unsolved{fmt::format("the power {} has the unknown in its base", to_text(power(base, exponent), {60, {}}))};
    if (exponent.number().is_integer() && exponent.number().sign() > 0) return;
    const std::vector<Expr> zeros = zeros_of(base);
    if (exponent.number().sign() < 0) holes_.insert(holes_.end(), zeros.begin(), zeros.end());
  }

  using Found = std::optional<std::vector<Root>>;

  // The real zeros of the factors of the numerator.
  Found of_polynomials(const Expr& f) {
    std::vector<Expr> factors;
    for_each_factor(factor(quotient(f).numerator), [&](const Expr& base, const Expr&) { factors.push_back(base); });
    std::vector<Root> out;
    for (const Expr& part : factors) {
      if (!depends_on(part, x_)) {
        critical(part);
        continue;
      }
      const auto c = polynomial_in(part, x_);
      if (!c) return std::nullopt;
      critical(c->back());
      const auto roots = real_roots_of(*c, Signs(given_));
      if (!roots) return std::nullopt;
      out.insert(out.end(), roots->begin(), roots->end());
    }
    return out;
  }

  Found of_functions(const Expr& f) {
    SingleSolver solver(given_);
    Found roots = solver(f, x_);
    if (!roots || !solver.integers().empty() || !solver.left_out().empty()) return std::nullopt;
    for (const Expr& c : solver.nonzero()) critical(c);
    for (const Expr& c : solver.free_factors()) critical(c);
    return roots;
  }

  std::vector<Expr> zeros_of(const Expr& f) {
    std::vector<Expr> out;
    if (!depends_on(f, x_)) return out;
    const auto roots = is_rational_in(f, x_) ? of_polynomials(f) : of_functions(f);
    if (!roots) throw Unsolved{"the places where " + to_text(f, {80, {}}) + " is zero were not all found"};
    for (const Root& r : *roots) {
      for (const Expr& c : r.conditions) critical(c.operands()[1] - c.operands()[0]);
      // a square root of what may be negative
      postorder(r.value, [&](const Expr& n) {
        for_each_factor(n, [&](const Expr& base, const Expr& exponent) {
          const bool everywhere =
              exponent.is_number() && exponent.number().is_integer() && exponent.number().sign() > 0;
          if (exponent.is_number() && !everywhere && base.has_symbols()) critical(base);
        });
        if (n.is(Kind::call) && n.function().name == "log") critical(n.operands()[0]);
      });
      // 1 - y for -(y - 1)
      const Expr apart = expand(r.value);
      const Expr value = written_cost(apart) < written_cost(r.value) ? apart : r.value;
      out.push_back(value);
      if (std::find(places_.begin(), places_.end(), value) == places_.end()) places_.push_back(value);
    }
    return out;
  }

  // The factors of e whose signs are not known.
  void critical(const Expr& e) {
    if (!e.has_symbols()) return;
    Expr f;
    try {
      const Quotient q = quotient(e);
      f = factor(q.numerator * q.denominator);
    } catch (const Error&) {
      f = e;
    }
    const Signs signs(given_);
    for_each_factor(f, [&](const Expr& c, const Expr&) {
      if (!c.has_symbols() || signs.known(c)) return;
      for (const Expr& same : {c, expand(-c)}) {
        if (std::find(critical_.begin(), critical_.end(), same) != critical_.end()) return;
      }
      critical_.push_back(c);
    });
    if (critical_.size() > most_critical) throw Unsolved{"too many signs of the parameters matter"};
  }

  void compare_places() {
    for (std::size_t i = 0; i < places_.size(); ++i) {
      for (std::size_t k = 0; k < i; ++k) critical(places_[i] - places_[k]);
    }
  }

  // Numbers for the parameters, of all sizes from 1/64 to 1000, that satisfy what is given.
  [[nodiscard]] std::optional<Bindings> numbers(std::mt19937_64& dice, const std::vector<Expr>& leaves) const {
    Bindings out;
    for (const Expr& leaf : leaves) {
      const Assumptions known = assumptions_of(leaf);
      const double size = std::exp2(static_cast<double>(dice() % 1024) / 64 - 6);
      auto n = std::max<std::int64_t>(1, std::llround(size * 64));
      if (known.has(Assumption::integer)) n = 64 * ((n + 63) / 64);
      const bool negative =
          known.has(Assumption::nonpositive) || (!known.has(Assumption::nonnegative) && (dice() & 1U) != 0);
      out.set(leaf, Number(negative ? -n : n, 64));
    }
    for (const Expr& c : given_) {
      if (is_false(substitute(c, out, Unused::allowed))) return std::nullopt;
    }
    return out;
  }
  static std::optional<double> real_value(const Expr& e, const Bindings& b) {
    try {
      const double v = evaluate(e, b, Unused::allowed);
      if (std::isfinite(v)) return v;
    } catch (const Error&) {
    }
    return std::nullopt;
  }
  [[nodiscard]] std::optional<SignVector> signs_at(const Bindings& b) const {
    SignVector out;
    for (const Expr& c : critical_) {
      const auto v = real_value(c, b);
      if (v && std::fabs(*v) < 1e-9) return std::nullopt;  // on a border
      out.push_back(!v ? not_real : *v > 0 ? 1 : -1);
    }
    return out;
  }

  // The intervals at numbers for the parameters, with their ends as places.
  [[nodiscard]] Shape shape_at(const Bindings& b) const {
    const Expr there = substitute(condition_, b, Unused::allowed);
    IntervalSet s;
    if (there.is_constant(ConstantCode::true_value)) {
      s.intervals.push_back({-infinity(), infinity(), false, false});
    } else if (!there.is_constant(ConstantCode::false_value)) {
      s = solve_inequality(there, x_);
      if (!s.solved) throw Unsolved{s.reason};
    }
    const auto place = [&](const Expr& end) {
      if (is_infinite(end)) return -1;
      const double v = evaluate(end);
      for (std::size_t k = 0; k < places_.size(); ++k) {
        const auto p = real_value(places_[k], b);
        if (p && std::fabs(*p - v) <= 1e-9 * (1 + std::fabs(v))) return static_cast<int>(k);
      }
      throw Unsolved{"an end of an interval was not found for all parameters"};
    };
    Shape out;
    for (const Interval& i : s.intervals) out.push_back({place(i.low), place(i.high), i.low_closed, i.high_closed});
    return out;
  }

  [[nodiscard]] IntervalSet set_of(const Shape& shape) const {
    IntervalSet out;
    out.solved = true;
    const auto end = [&](int k, bool low) {
      return k < 0 ? (low ? -infinity() : infinity()) : places_[static_cast<std::size_t>(k)];
    };
    for (const End& e : shape)
      out.intervals.push_back({end(e.low, true), end(e.high, false), e.low_closed, e.high_closed});
    return out;
  }

  std::vector<InequalityCase> open_regions() const {
    std::vector<Expr> all{condition_};
    all.insert(all.end(), given_.begin(), given_.end());
    std::vector<Expr> leaves = sampled_leaves(all);
    std::erase(leaves, Expr(x_));
    std::mt19937_64 dice(20261130);
    std::map<SignVector, Shape> found;
    std::map<SignVector, std::size_t> seen;
    for (std::size_t k = 0; k < points; ++k) {
      const auto b = numbers(dice, leaves);
      if (!b) continue;
      const auto signs = signs_at(*b);
      if (!signs || seen[*signs] >= looked_at) continue;
      ++seen[*signs];
      const Shape shape = shape_at(*b);
      const auto [at, fresh] = found.emplace(*signs, shape);
      if (!fresh && at->second != shape) throw Unsolved{"the order of the ends changes where no sign does"};
    }
    if (found.empty()) throw Unsolved{"no values of the parameters were found that satisfy the conditions"};
    return merged(found);
  }

  // As few conditions as tell the regions with different answers apart.
  std::vector<InequalityCase> merged(const std::map<SignVector, Shape>& found) const {
    std::vector<InequalityCase> out;
    std::vector<std::pair<SignVector, Shape>> cubes;
    const auto covers = [](const SignVector& cube, const SignVector& v) {
      for (std::size_t k = 0; k < v.size(); ++k) {
        if (cube[k] != 0 && cube[k] != v[k]) return false;
      }
      return true;
    };
    for (const auto& [signs, shape] : found) {
      const bool known = std::any_of(cubes.begin(), cubes.end(), [&, &s = signs, &h = shape](const auto& c) {
        return c.second == h && covers(c.first, s);
      });
      if (known) continue;
      SignVector cube = signs;
      std::vector<std::size_t> turn(cube.size());  // what is not real cannot be said: it goes first
      std::iota(turn.begin(), turn.end(), std::size_t{0});
      std::stable_partition(turn.begin(), turn.end(), [&](std::size_t k) { return cube[k] == not_real; });
      for (const std::size_t k : turn) {
        int& literal = cube[k];
        const int kept = literal;
        literal = 0;
        const bool other = std::any_of(found.begin(), found.end(), [&, &h = shape](const auto& f) {
          return f.second != h && covers(cube, f.first);
        });
        if (other) literal = kept;
      }
      cubes.emplace_back(cube, shape);
    }
    for (const auto& [cube, shape] : cubes) {
      InequalityCase one{{}, set_of(shape)};
      for (std::size_t k = 0; k < cube.size(); ++k) {
        if (cube[k] == not_real)
          throw Unsolved{"where " + to_text(critical_[k], {60, {}}) + " is not real no other sign tells"};
        if (cube[k] != 0) one.conditions.push_back(signed_condition(critical_[k], cube[k]));
      }
      out.push_back(std::move(one));
    }
    return out;
  }

  // Every x, or none, on the border of a region that says the same: the region includes the border.
  static bool widened(const Expr& c, const IntervalSet& set, std::vector<InequalityCase>& regions) {
    const auto same = [&](const IntervalSet& other) {
      if (set.intervals.size() != other.intervals.size()) return false;
      for (std::size_t k = 0; k < set.intervals.size(); ++k) {
        if (!(set.intervals[k].low == other.intervals[k].low) || !(set.intervals[k].high == other.intervals[k].high))
          return false;
      }
      return set.intervals.empty() || (is_infinite(set.intervals[0].low) && is_infinite(set.intervals[0].high));
    };
    for (InequalityCase& r : regions) {
      if (r.conditions.size() != 1 || !same(r.set)) continue;
      for (const int sign : {1, -1}) {
        const Expr strict = signed_condition(c, sign);
        if (!(r.conditions[0] == strict)) continue;
        r.conditions[0] = less_equal(strict.operands()[0], strict.operands()[1]);
        return true;
      }
    }
    return false;
  }

  // Where a sign changes, with one parameter fixed there.
  void borders(const Expr& c, std::vector<InequalityCase>& out) const {
    if (depth_ >= deepest) throw Unsolved{"too many parameters"};
    const std::vector<Exceptional> zeros = zeros_of_parameters(c, x_, given_);
    if (zeros.empty()) throw Unsolved{"where " + to_text(c, {60, {}}) + " is zero was not solved for a parameter"};
    for (const Exceptional& place : zeros) {
      const Bindings there{{place.parameter, place.value}};
      std::vector<Expr> given;
      bool possible = true;
      postorder(place.value, [&](const Expr& n) {  // the value is real
        for_each_factor(n, [&](const Expr& base, const Expr& exponent) {
          if (exponent.is_number() && !exponent.number().is_integer() && base.has_symbols())
            given.push_back(less_equal(0, base));
        });
      });
      for (const Expr& g : given_) {
        given.push_back(substitute(g, there, Unused::allowed));
        possible = possible && !is_false(given.back());
      }
      if (!possible) continue;
      Expr special;
      try {
        special = substitute(condition_, there, Unused::allowed);
        // what cancels there has no value where it did not cancel
        std::vector<Expr> all{special};
        for (const Expr& hole : holes_) all.push_back(not_equal(x_, substitute(hole, there, Unused::allowed)));
        if (all.size() > 1) special = conjunction(all);
      } catch (const Error&) {
        continue;  // no value there
      }
      std::vector<InequalityCase> cases = Regions(special, x_, given, depth_ + 1).run();
      if (zeros.size() == 1 && cases.size() == 1 && cases[0].conditions.empty() && widened(c, cases[0].set, out))
        continue;
      for (InequalityCase& one : cases) {
        one.conditions.insert(one.conditions.begin(), equal(place.parameter, place.value));
        const bool known = std::any_of(out.begin(), out.end(), [&](const InequalityCase& other) {
          return std::is_permutation(one.conditions.begin(), one.conditions.end(), other.conditions.begin(),
                                     other.conditions.end());
        });
        if (!known) out.push_back(std::move(one));
      }
    }
  }

  const Expr condition_;
  Symbol x_;
  std::vector<Expr> given_;
  int depth_;
  std::vector<Expr> places_;
  std::vector<Expr> holes_;  // the places where something is divided by zero
  std::vector<Expr> critical_;
};

}  // namespace

InequalityCases solve_inequality_cases(const Expr& condition, const Expr& x, std::span<const Expr> conditions) {
  require_inequality(condition, x);
  InequalityCases out;
  try {
    out.cases = Regions(condition, Symbol::from(x), {conditions.begin(), conditions.end()}, 0).run();
    out.solved = true;
  } catch (const Unsolved& u) {
    out.reason = u.why;
  }
  return out;
}

}  // namespace boreon
