// SPDX-License-Identifier: MIT
// Inequalities of one unknown: cells between the places where something may change.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <string>
#include <unordered_map>

#include "boreon/bindings.hpp"
#include "boreon/equations.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/breaks.hpp"
#include "calculus/integral/integrator.hpp"
#include "equations/domain_ends.hpp"
#include "equations/inequality.hpp"
#include "equations/real_line.hpp"
#include "equations/real_search.hpp"
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

constexpr int digits = 20;  // of ends without a closed form

struct Unsettled {
  std::string why;
};

struct Place {
  Expr exact;  // or a decimal number
  double value = 0;
  std::vector<Expr> zero_of = {};  // differences that were found to be zero at such a number
};

class Cells {
 public:
  Cells(const Expr& condition, const Expr& x, const InequalityOptions& options)
      : condition_(condition), x_(Symbol::from(x)), within_(options.within) {}

  IntervalSet run() {
    IntervalSet out;
    try {
      for_each_relation(condition_, [this](const Expr& c) { collect(c); });
      if (within_) clip();
      sort();
      out.intervals = intervals();
      out.solved = true;
      for (Interval& i : out.intervals) {
        for (Expr* end : {&i.low, &i.high}) {
          const auto decimal = decimals_.find(end->bits());
          if (decimal == decimals_.end()) continue;
          *end = Number::from_double(std::stod(decimal->second));
          out.status = SolveStatus::approximate;
        }
      }
    } catch (const Unsettled& u) {
      out.reason = u.why;
    } catch (const UnknownSign& u) {
      out.reason = "the sign of " + to_text(u.of, {60, {}}) + " is not known";
    }
    return out;
  }

 private:
  void collect(const Expr& c) {
    const Expr f = c.operands()[1] - c.operands()[0];
    if (depends_on(f, x_)) zeros_of(f, c);
    for (const Expr& side : c.operands()) ends_of_domain(side);
  }

  void zeros_of(const Expr& f, const Expr& c) {
    SingleSolver solver({});
    const auto roots = solver(f, x_);
    if (roots && solver.integers().empty() && solver.left_out().empty()) {
      for (const Root& r : *roots) add(r.value);
    } else if (const auto line = real_roots_of_line(f, x_, digits)) {
      for (const LineRoot& r : *line) r.decimal.empty() ? add(r.value) : enclosed(r.decimal, f);
    } else if (within_) {
      Signs signs;
      if (const auto exact = real_zeros(f, x_, signs, Number::exact(within_->first), Number::exact(within_->second))) {
        for (const Expr& r : *exact) add(r);
        return;
      }
      const RealSearch search = real_roots_within(f, x_, within_->first, within_->second, digits);
      if (!search.complete())
        throw Unsettled{fmt::format("whether both sides of {} are equal near {:.10g} is not decided",
                                    to_text(c, {80, {}}), search.undecided[0])};
      for (const CertifiedRoot& r : search.roots) enclosed(r.decimal, f);
    } else if (!by_pieces(f, c)) {
      throw Unsettled{"the places where both sides of " + to_text(c, {80, {}}) +
                      " are equal were not all found; within a range of numbers they may be"};
    }
  }

  // Where the form changes, and the zeros of each form; one that is zero all along has none to look at.
  bool by_pieces(const Expr& f, const Expr& c) {
    Signs signs;
    const auto breaks = breaks_of_pieces(f, x_, signs);
    if (!breaks || breaks->empty()) return false;
    for (std::size_t i = 0; i <= breaks->size(); ++i) {
      const auto piece = piece_between(f, x_, i == 0 ? -infinity() : (*breaks)[i - 1],
                                       i == breaks->size() ? infinity() : (*breaks)[i], signs);
      if (!piece || *piece == f) return false;
      if (depends_on(*piece, x_) && !vanishes(*piece)) zeros_of(*piece, c);
    }
    for (const Expr& b : *breaks) add(b);
    return true;
  }

  void ends_of_domain(const Expr& side) {
    const auto places = within_ ? domain_ends(side, x_, Number::exact(within_->first), Number::exact(within_->second))
                                : domain_ends(side, x_);
    if (!places)
      throw Unsettled{"the places where " + to_text(side, {80, {}}) +
                      " is singular or ceases to be real were not all found"};
    for (const Expr& p : *places) add(p);
  }

  void add(const Expr& v) {
    if (v.has_symbols()) throw Unsettled{"a place depends on other symbols"};
    const auto value = certified_value(v, {}, {});
    if (!value) throw Unsettled{"a place has no value"};
    if (std::abs(value->imag()) > 1e-14 * std::abs(*value)) return;
    places_.push_back({v, value->real(), {}});
  }

  void enclosed(const std::string& decimal, const Expr& zero_of) {
    const Expr value = Number::parse(decimal);
    if (decimal != "0") decimals_[value.bits()] = decimal;
    places_.push_back({value, std::stod(decimal), {zero_of}});
  }

  // Only what lies within the range, with its ends as places.
  void clip() {
    const auto [low, high] = *within_;
    std::erase_if(places_, [&, low = low, high = high](const Place& p) {
      return !decimals_.contains(p.exact.bits()) && (p.value < low || p.value > high);
    });
    for (const double end : {low, high}) places_.push_back({Number::exact(end), end, {}});
  }

  void sort() {
    std::sort(places_.begin(), places_.end(), [](const Place& a, const Place& b) { return a.value < b.value; });
    const auto same = [this](const Place& a, const Place& b) {
      return std::abs(a.value - b.value) <= 1e-9 * std::max(1.0, std::abs(a.value)) &&
             (a.exact == b.exact || coincide(a.exact, b.exact));
    };
    for (std::size_t i = 1; i < places_.size();) {
      if (!same(places_[i - 1], places_[i])) {
        ++i;
        continue;
      }
      auto& zeros = places_[i - 1].zero_of;
      zeros.insert(zeros.end(), places_[i].zero_of.begin(), places_[i].zero_of.end());
      places_.erase(places_.begin() + static_cast<std::ptrdiff_t>(i));
    }
  }

  // Two of which one is known by its digits only cannot be told to be the same.
  [[nodiscard]] bool coincide(const Expr& a, const Expr& b) const {
    if (!decimals_.contains(a.bits()) && !decimals_.contains(b.bits())) return vanishes(a - b);
    const auto d = certified_value(a - b, {}, {});
    const auto size = certified_value(a, {}, {});
    if (!d || !size || std::abs(*d) < std::pow(10.0, 2 - digits) * std::max(1.0, std::abs(*size)))
      throw Unsettled{"whether two places near " + to_text(a, {40, {}}) + " are the same is not known"};
    return false;
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
      // at two points: what is not real in a cell may have a real value at one of them, as log(x)/x + log(x) has at -1
      const bool here = holds_inside(k, 0.4375) && holds_inside(k, 0.5703125);
      if (here && !open) begin(low, false);
      if (!here && open) open = false;
      if (here) {
        out.back().high = k == n ? infinity() : places_[k].exact;
        out.back().high_closed = false;
      }
      if (k == n) break;
      const bool there = holds(places_[k]);
      if (there && !open) begin(places_[k].exact, true);
      if (there) {
        out.back().high = places_[k].exact;
        out.back().high_closed = true;
      }
      if (!there) open = false;
    }
    return out;
  }

  [[nodiscard]] bool holds_inside(std::size_t k, double share) const {
    const double at = between(k, share);
    return holds({Number::exact(at), at, {}});
  }

  [[nodiscard]] double between(std::size_t k, double share) const {
    if (places_.empty()) return share;
    if (k == 0) return places_[0].value - 2 * share * std::max(1.0, std::abs(places_[0].value));
    if (k == places_.size()) return places_.back().value + 2 * share * std::max(1.0, std::abs(places_.back().value));
    return places_[k - 1].value + share * (places_[k].value - places_[k - 1].value);
  }

  [[nodiscard]] bool holds(const Place& at) const {
    const Assumptions a = x_.assumptions();
    if (within_ && (at.value < within_->first || at.value > within_->second)) return false;
    const Signs signs;
    const auto sign = signs.known(at.exact);
    if (!sign) throw Unsettled{"a place could not be compared with zero"};
    if ((a.has(Assumption::positive) && *sign <= 0) || (a.has(Assumption::negative) && *sign >= 0) ||
        (a.has(Assumption::nonnegative) && *sign < 0) || (a.has(Assumption::nonpositive) && *sign > 0))
      return false;
    return holds(condition_, at, signs);
  }

  [[nodiscard]] bool holds(const Expr& c, const Place& at, const Signs& signs) const {
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
        sides[i] = substitute(c.operands()[static_cast<std::size_t>(i)], {{x_, at.exact}}, Unused::allowed);
        const auto v = certified_value(sides[i], {}, {});
        const bool zero = !v && vanishes(sides[i]);
        if (!zero && (!v || std::abs(v->imag()) > 1e-12 * std::abs(*v) || !std::isfinite(v->real()))) return false;
      }
      const auto s = sign_of_difference(c, sides[1] - sides[0], at, signs);
      if (!s)
        throw Unsettled{"whether " + to_text(c, {60, {}}) + " holds at " + to_text(at.exact, {60, {}}) +
                        " is not known"};
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

  // At a place that is known by its digits: zero where it was found as a zero, else the same for all these digits
  // allow.
  [[nodiscard]] std::optional<int> sign_of_difference(const Expr& c, const Expr& difference, const Place& at,
                                                      const Signs& signs) const {
    const auto decimal = decimals_.find(at.exact.bits());
    if (decimal == decimals_.end()) return signs.known(difference);
    const Expr f = c.operands()[1] - c.operands()[0];
    if (std::find(at.zero_of.begin(), at.zero_of.end(), f) != at.zero_of.end()) return 0;
    return sign_within(f, x_, decimal->second);
  }

  const Expr& condition_;
  Symbol x_;
  std::optional<std::pair<double, double>> within_;
  std::vector<Place> places_;
  std::unordered_map<std::uint64_t, std::string> decimals_;  // of places without a closed form
};

}  // namespace

IntervalSet solve_inequality(const Expr& condition, const Expr& x, const InequalityOptions& options) {
  require_inequality(condition, x);
  for (const Symbol& s : free_symbols(condition)) {
    if (s == x) continue;
    throw Error(ErrorKind::usage,
                "the inequality has the parameter " + s.name() + ": solve_inequality_cases() takes those");
  }
  if (options.within && !(options.within->first < options.within->second))
    throw Error(ErrorKind::usage, "the range begins at its smaller end");
  return Cells(condition, x, options).run();
}

}  // namespace boreon
