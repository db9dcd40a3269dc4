// SPDX-License-Identifier: MIT
// Inequalities of one unknown: cells between the places where something may change.
#include <algorithm>
#include <cmath>

#include "boreon/bindings.hpp"
#include "boreon/equations.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/breaks.hpp"
#include "calculus/integral/integrator.hpp"
#include "equations/inequality.hpp"
#include "equations/single.hpp"
#include "expr/canonical.hpp"

namespace boreon {

Expr IntervalSet::condition(const Expr& x) const {
  std::vector<Expr> parts;
  for (const Interval& i : intervals) {
    if (i.low == i.high) {
      parts.push_back(equal(x, i.low));
      continue;
    }
    std::vector<Expr> both;
    if (!is_infinite(i.low)) both.push_back(i.low_closed ? less_equal(i.low, x) : less(i.low, x));
    if (!is_infinite(i.high)) both.push_back(i.high_closed ? less_equal(x, i.high) : less(x, i.high));
    parts.push_back(both.empty() ? truth(true) : both.size() == 1 ? both[0] : conjunction(both));
  }
  return parts.empty() ? truth(false) : parts.size() == 1 ? parts[0] : disjunction(parts);
}

namespace {

using namespace equations;

struct Unsettled {
  std::string why;
};

class Cells {
 public:
  Cells(const Expr& condition, const Expr& x) : condition_(condition), x_(Symbol::from(x)) {}

  IntervalSet run() {
    IntervalSet out;
    try {
      for_each_relation(condition_, [this](const Expr& c) { collect(c); });
      sort();
      out.intervals = intervals();
      out.solved = true;
    } catch (const Unsettled& u) {
      out.reason = u.why;
    }
    return out;
  }

 private:
  void collect(const Expr& c) {
    const Expr f = c.operands()[1] - c.operands()[0];
    if (depends_on(f, x_)) {
      SingleSolver solver({});
      const auto roots = solver(f, x_);
      if (!roots || !solver.integers().empty() || !solver.left_out().empty())
        throw Unsettled{"the places where both sides of " + to_text(c, {80, {}}) + " are equal were not all found"};
      for (const Root& r : *roots) add(r.value);
    }
    for (const Expr& side : c.operands()) ends_of_domain(side);
  }

  // Where a side is singular, or ceases to be real.
  void ends_of_domain(const Expr& side) {
    if (!depends_on(side, x_)) return;
    Signs signs;
    std::optional<std::vector<Expr>> places;
    try {
      places = singular_places(side, x_, signs, -infinity(), infinity());
    } catch (const UnknownSign&) {
    }
    if (!places) throw Unsettled{"the places where " + to_text(side, {80, {}}) + " is singular were not all found"};
    for (const Expr& p : *places) add(p);
    postorder(side, [&](const Expr& n) {
      if (!n.is(Kind::call) || !depends_on(n, x_)) return;
      const auto name = n.function().name;
      if (name != "asin" && name != "acos" && name != "acosh" && name != "atanh" && name != "lambert_W") return;
      for (const Expr& end : {Expr(1), Expr(-1), -exp(Expr(-1))}) {
        SingleSolver edge({});
        const auto at = edge(n.operands().back() - end, x_);
        if (!at || !edge.integers().empty()) throw Unsettled{"where " + to_text(n, {60, {}}) + " is real is not known"};
        for (const Root& r : *at) add(r.value);
      }
    });
  }

  void add(const Expr& v) {
    if (v.has_symbols()) throw Unsettled{"a place depends on other symbols"};
    const auto value = certified_value(v, {}, {});
    if (!value) throw Unsettled{"a place has no value"};
    if (std::abs(value->imag()) > 1e-14 * std::abs(*value)) return;
    places_.push_back({v, value->real()});
  }

  void sort() {
    std::sort(places_.begin(), places_.end(), [](const Place& a, const Place& b) { return a.value < b.value; });
    const auto same = [](const Place& a, const Place& b) {
      return std::abs(a.value - b.value) <= 1e-9 * std::max(1.0, std::abs(a.value)) &&
             (a.exact == b.exact || vanishes(a.exact - b.exact));
    };
    places_.erase(std::unique(places_.begin(), places_.end(), same), places_.end());
  }

  // Cells in turn: the open one before the first place, the place, the open one after it, ...
  std::vector<Interval> intervals() const {
    std::vector<Interval> out;
    bool open = false;
    const auto begin = [&](const Expr& low, bool closed) {
      out.push_back({low, low, closed, closed});
      open = true;
    };
    const std::size_t n = places_.size();
    for (std::size_t k = 0; k <= n; ++k) {
      const Expr low = k == 0 ? -infinity() : places_[k - 1].exact;
      const bool here = holds(Expr(Number::exact(between(k))));
      if (here && !open) begin(low, false);
      if (!here && open) open = false;
      if (here) {
        out.back().high = k == n ? infinity() : places_[k].exact;
        out.back().high_closed = false;
      }
      if (k == n) break;
      const bool there = holds(places_[k].exact);
      if (there && !open) begin(places_[k].exact, true);
      if (there) {
        out.back().high = places_[k].exact;
        out.back().high_closed = true;
      }
      if (!there) open = false;
    }
    return out;
  }

  [[nodiscard]] double between(std::size_t k) const {
    if (places_.empty()) return 0.3125;
    if (k == 0) return places_[0].value - std::max(1.0, std::abs(places_[0].value));
    if (k == places_.size()) return places_.back().value + std::max(1.0, std::abs(places_.back().value));
    return places_[k - 1].value + 0.4375 * (places_[k].value - places_[k - 1].value);
  }

  [[nodiscard]] bool holds(const Expr& at) const {
    const Assumptions a = x_.assumptions();
    const Signs signs;
    const auto sign = signs.known(at);
    if (!sign) throw Unsettled{"a place could not be compared with zero"};
    if ((a.has(Assumption::positive) && *sign <= 0) || (a.has(Assumption::negative) && *sign >= 0) ||
        (a.has(Assumption::nonnegative) && *sign < 0) || (a.has(Assumption::nonpositive) && *sign > 0))
      return false;
    return holds(condition_, at, signs);
  }

  [[nodiscard]] bool holds(const Expr& c, const Expr& at, const Signs& signs) const {
    if (c.is(Kind::logic)) {
      if (c.logic_op() == LogicOp::negation) return !holds(c.operands()[0], at, signs);
      const bool all = c.logic_op() == LogicOp::conjunction;
      for (const Expr& o : c.operands()) {
        if (holds(o, at, signs) != all) return !all;
      }
      return all;
    }
    if (!c.is(Kind::relation)) return c.is_constant(ConstantCode::true_value);
    try {
      Expr sides[2];
      for (int i = 0; i < 2; ++i) {
        sides[i] = substitute(c.operands()[static_cast<std::size_t>(i)], {{x_, at}}, Unused::allowed);
        const auto v = certified_value(sides[i], {}, {});
        const bool zero = !v && vanishes(sides[i]);
        if (!zero && (!v || std::abs(v->imag()) > 1e-12 * std::abs(*v) || !std::isfinite(v->real()))) return false;
      }
      const Expr d = sides[1] - sides[0];
      const auto s = signs.known(d);
      if (!s)
        throw Unsettled{"whether " + to_text(c, {60, {}}) + " holds at " + to_text(at, {60, {}}) + " is not known"};
      switch (c.relation_op()) {
        case RelationOp::less: return *s > 0;
        case RelationOp::less_equal: return *s >= 0;
        case RelationOp::equal: return *s == 0;
        default: return *s != 0;
      }
    } catch (const Error&) {
      return false;  // no value there
    }
  }

  struct Place {
    Expr exact;
    double value;
  };
  const Expr& condition_;
  Symbol x_;
  std::vector<Place> places_;
};

}  // namespace

IntervalSet solve_inequality(const Expr& condition, const Expr& x) {
  require_inequality(condition, x);
  for (const Symbol& s : free_symbols(condition)) {
    if (s == x) continue;
    throw Error(ErrorKind::usage,
                "the inequality has the parameter " + s.name() + ": solve_inequality_cases() takes those");
  }
  return Cells(condition, x).run();
}

}  // namespace boreon
