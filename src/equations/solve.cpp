// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <unordered_set>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/equations.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/sampling.hpp"
#include "boreon/simplify.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/exceptional.hpp"
#include "calculus/integral/integrator.hpp"
#include "equations/lambert_values.hpp"
#include "equations/real_line.hpp"
#include "equations/real_search.hpp"
#include "equations/replaced.hpp"
#include "equations/single.hpp"
#include "equations/system.hpp"
#include "equations/validity.hpp"
#include "equations/verify.hpp"
#include "expr/work.hpp"

namespace boreon {

const char* to_string(SolveStatus s) noexcept {
  switch (s) {
    case SolveStatus::exact: return "exact";
    case SolveStatus::approximate: return "approximate";
    default: return "unevaluated";
  }
}

namespace {

using namespace equations;

constexpr double default_range = 100;  // of numeric roots where no range is asked for

std::string listed(std::span<const Expr> list) {
  std::string out;
  for (const Expr& e : list) out += (out.empty() ? "" : ", ") + to_text(e, {60, {}});
  return out;
}

class Solve {
 public:
  Solve(std::span<const Expr> equations, std::span<const Expr> unknowns, const SolveOptions& options)
      : given_(equations.begin(), equations.end()), options_(options) {
    for (Expr& e : given_) e = evaluate_derivatives(e);
    name_unknowns(unknowns);
  }

  SolutionSet run(bool with_exceptions) {
    std::vector<Expr> open;
    for (const Expr& e : equations_) {
      // what has pieces may be zero at all places tried, and not elsewhere
      if (has_piece(e) ? !e.is_integer(0) : !vanishes(e)) open.push_back(e);
    }
    result_.check.method = "solutions substituted back, in ball arithmetic";
    if (open.empty()) {
      result_.free = unknowns_;
      result_.solutions.push_back({});
      result_.complete = true;
      result_.reason = "the equations hold for all values";
      finish_check();
      return named(std::move(result_));
    }
    for (const Expr& e : open) {
      if (!uses_unknown(e)) return contradiction(e);
    }
    const bool solved = open.size() == 1 && unknowns_.size() == 1 ? one(open[0]) : several(open);
    if (!solved) return named(std::move(result_));
    if (with_exceptions) exceptions();
    order();
    return named(std::move(result_));
  }

 private:
  // Symbols stand for calls such as y(0) meanwhile.
  void name_unknowns(std::span<const Expr> unknowns) {
    if (unknowns.empty()) throw Error(ErrorKind::usage, "there is no unknown to solve for");
    if (given_.empty()) throw Error(ErrorKind::usage, "there is no equation to solve");
    equations_ = given_;
    for (const Expr& e : given_) {
      if (is_condition(e)) {
        throw Error(ErrorKind::shape, "an equation is expected, not the condition " + to_text(e, {60, {}}) +
                                          "; solve_inequality() takes those");
      }
    }
    std::unordered_set<std::uintptr_t> occurring;  // which of the unknowns
    {
      std::unordered_set<std::uintptr_t> wanted;
      for (const Expr& u : unknowns) wanted.insert(u.bits());
      postorder(std::span<const Expr>(given_), [&](const Expr& n) {
        if (wanted.contains(n.bits())) occurring.insert(n.bits());
      });
    }
    for (std::size_t i = 0; i < unknowns.size(); ++i) {
      const Expr& u = unknowns[i];
      if (!u.is(Kind::symbol) && !u.is(Kind::unknown_call) && !(u.is(Kind::call) && u.has_symbols())) {
        throw Error(ErrorKind::usage,
                    "an unknown is a symbol or a call such as y(0) or exp(a*x), not " + to_text(u, {60, {}}));
      }
      if (std::find(unknowns.begin(), unknowns.begin() + static_cast<std::ptrdiff_t>(i), u) !=
          unknowns.begin() + static_cast<std::ptrdiff_t>(i)) {
        throw Error(ErrorKind::usage, "the unknown " + to_text(u) + " is given twice");
      }
      if (!occurring.contains(u.bits())) {
        std::vector<Symbol> symbols = free_symbols(given_);
        std::vector<Expr> list(symbols.begin(), symbols.end());
        throw Error(ErrorKind::usage, fmt::format("the unknown {} occurs in no equation{}", to_text(u),
                                                  list.empty() ? "" : "; they contain " + listed(list)));
      }
      if (u.is(Kind::symbol)) {
        unknowns_.push_back(u);
        shown_.push_back(u);
        continue;
      }
      const Symbol stand_in("_u" + std::to_string(i));
      for (Expr& e : equations_) e = replaced(e, {{u, stand_in}});
      unknowns_.push_back(stand_in);
      shown_.push_back(u);
    }
  }

  [[nodiscard]] bool uses_unknown(const Expr& e) const {
    return std::any_of(unknowns_.begin(), unknowns_.end(), [&](const Expr& u) { return depends_on(e, u); });
  }

  SolutionSet contradiction(const Expr& e) {
    result_.complete = true;
    result_.reason = e.has_symbols() ? fmt::format("there is a solution only where {} = 0", to_text(e, {80, {}}))
                                     : "the equations contradict each other";
    if (e.has_symbols()) result_.conditions.push_back(not_equal(e, 0));
    return named(std::move(result_));
  }

  bool one(const Expr& e) {
    const Symbol x = Symbol::from(unknowns_[0]);
    SingleSolver solver(options_.conditions);
    solver.allow_cubics();
    auto roots = solver(e, x);
    result_.steps = solver.steps();
    if (!roots) return numerically(e, x);
    result_.integers = solver.integers();
    result_.real_only = !solver.over_complex();
    for (const Root& r : *roots) add({{unknowns_[0], r.value}}, r.conditions, r.multiplicity, {e});
    for (const Expr& c : solver.nonzero()) note_nonzero(c);
    for (const Expr& c : solver.free_factors()) {
      if (reasoner_nonzero(c)) continue;
      result_.exceptions.push_back({equal(c, 0), "every value is a solution"});
    }
    result_.complete = undecided_ == 0 && solver.left_out().empty();
    result_.reason = solver.left_out();
    if (result_.solutions.empty() && result_.complete)
      result_.reason = "no value of the unknown satisfies the equation";
    finish_check();
    return true;
  }

  bool several(const std::vector<Expr>& open) {
    auto found = linear_system(open, unknowns_);
    if (!found) found = guarded([&] { return polynomial_system(open, unknowns_, options_.conditions); });
    result_.real_only = !found;
    if (!found) found = guarded([&] { return by_elimination(open, unknowns_, options_.conditions); });
    if (!found) {
      result_.status = SolveStatus::unevaluated;
      result_.reason = with_what_is_known("no closed form was found", open);
      return false;
    }
    result_.steps = found->steps;
    if (!found->unsolved.empty()) {
      result_.status = SolveStatus::unevaluated;
      result_.reason = with_what_is_known(found->unsolved, open);
      return false;
    }
    for (const Expr& c : found->nonzero) note_nonzero(c);
    if (!found->contradiction.empty()) {
      result_.complete = true;
      result_.reason = found->contradiction;
      finish_check();
      return true;
    }
    std::vector<bool> has_value(unknowns_.size(), true);
    for (std::size_t i = 0; i < found->values.size(); ++i) {
      Bindings values;
      for (std::size_t k = 0; k < unknowns_.size(); ++k) {
        if (found->values[i][k]) {
          values.set(unknowns_[k], *found->values[i][k]);
        } else {
          has_value[k] = false;
        }
      }
      add(values, found->conditions[i], found->multiplicities.empty() ? 1 : found->multiplicities[i], open,
          found->distinct);
    }
    for (std::size_t k = 0; k < unknowns_.size(); ++k) {
      if (!has_value[k]) result_.free.push_back(unknowns_[k]);
    }
    result_.complete = undecided_ == 0 && found->complete;
    result_.reason = found->incomplete;
    if (result_.solutions.empty() && result_.complete)
      result_.reason = "no values of the unknowns satisfy all equations";
    finish_check();
    return true;
  }

  [[nodiscard]] std::string with_what_is_known(const std::string& reason, const std::vector<Expr>& open) const {
    const std::string known = known_of_system(open, unknowns_, options_.conditions);
    return known.empty() ? reason : reason + "; " + known;
  }

  template <class F>
  static auto guarded(const F& f) -> decltype(f()) {
    try {
      return f();
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::limit && e.kind() != ErrorKind::unsupported && e.kind() != ErrorKind::usage &&
          e.kind() != ErrorKind::domain)
        throw;
      return std::nullopt;
    }
  }

  void checked_by_enclosure(std::size_t roots) {
    result_.check.method = "interval Newton method, in ball arithmetic";
    result_.check.entries = result_.check.points = roots;
    result_.check.digits = roots == 0 ? 0 : 15;
    result_.check.verdict = roots == 0 ? Verdict::untested : Verdict::agrees;
  }

  // All real roots, with a proof that these are all; false where that fails.
  bool on_the_whole_line(const Expr& e, const Symbol& x) {
    const auto roots = guarded([&] { return real_roots_of_line(e, x, 20); });
    if (!roots) return false;
    for (const LineRoot& r : *roots) {
      Solution s;
      s.values.set(x, r.value);
      s.decimal = r.decimal;
      if (!r.decimal.empty()) result_.status = SolveStatus::approximate;
      if (allowed(s.values, s.conditions)) result_.solutions.push_back(std::move(s));
    }
    result_.steps.push_back("the line cut at the zeros of derivatives: monotone in between");
    checked_by_enclosure(roots->size());
    result_.real_only = result_.complete = true;
    if (result_.solutions.empty()) result_.reason = "no real value of the unknown satisfies the equation";
    return true;
  }

  bool numerically(const Expr& e, const Symbol& x) {
    const std::vector<Symbol> symbols = free_symbols(e);
    const bool complex = !x.assumptions().has(Assumption::real);
    if (complex || symbols.size() != 1 || !unknown_calls({&e, 1}).empty()) {
      result_.status = SolveStatus::unevaluated;
      result_.reason = "no closed form over the complex numbers was found";
      if (complex) return false;
      std::vector<Expr> others;
      for (const Symbol& s : symbols) {
        if (!(s == x)) others.push_back(s);
      }
      const auto polynomial = polynomial_in(e, x);
      result_.reason =
          polynomial && polynomial->size() > 3
              ? fmt::format("no roots of this polynomial of degree {} were found that fit in {} characters",
                            polynomial->size() - 1, longest_radicals)
              : "no closed form was found";
      if (!others.empty())
        result_.reason += fmt::format("; with numbers for {} roots can be found numerically", listed(others));
      return false;
    }
    if (!options_.within && on_the_whole_line(e, x)) return true;
    double low = options_.within ? options_.within->first : -default_range;
    double high = options_.within ? options_.within->second : default_range;
    if (x.assumptions().has(Assumption::nonnegative)) low = std::max(low, 0.0);
    if (x.assumptions().has(Assumption::nonpositive)) high = std::min(high, 0.0);
    const RealSearch search = real_roots_within(e, x, low, high, 20);
    result_.status = SolveStatus::approximate;
    result_.steps.push_back(fmt::format("halving the range from {:g} to {:g}, with balls", low, high));
    for (const CertifiedRoot& r : search.roots) {
      Solution s;
      s.values.set(x, Number::parse(r.decimal));
      s.decimal = r.decimal;
      if (allowed(s.values, s.conditions)) result_.solutions.push_back(std::move(s));
    }
    checked_by_enclosure(search.roots.size());
    result_.complete = options_.within && search.complete();
    result_.reason = options_.within ? "" : fmt::format("roots from {:g} to {:g}; others are not excluded", low, high);
    if (!search.undecided.empty()) {
      result_.reason +=
          fmt::format("{}undecided near {:.10g}", result_.reason.empty() ? "" : "; ", search.undecided[0]);
      if (search.undecided.size() > 1)
        result_.reason += search.undecided.size() > 100
                              ? std::string(" and in many other places")
                              : fmt::format(" and at {} other places", search.undecided.size() - 1);
    }
    if (search.roots.empty() && !search.undecided.empty()) {
      result_.status = SolveStatus::unevaluated;
    }
    return true;
  }

  [[nodiscard]] Expr tidy_value(const Expr& value) const {
    const Expr v = without_exponentials_of_lambert(value);
    for (const Expr& n : result_.integers) {
      if (depends_on(v, n)) return expand(v);
    }
    SimplifyOptions o;
    o.work = 200;
    o.points = 2;
    o.conditions = options_.conditions;
    try {
      return operation_count(v) > 150 ? v : simplify(v, o);
    } catch (const Error&) {
      return v;
    }
  }

  // A candidate, if it satisfies the equations and what is assumed of the unknowns.
  void add(Bindings values, std::vector<Expr> conditions, unsigned multiplicity, const std::vector<Expr>& open,
           bool distinct = false) {
    Bindings tidied;
    for (const Bindings::Entry& v : values.entries()) tidied.set(v.target, distinct ? v.value : tidy_value(v.value));
    Solution s;
    s.multiplicity = multiplicity;
    for (const Bindings::Entry& v : tidied.entries()) s.real = s.real && looks_real(v.value);
    s.conditions = std::move(conditions);
    if (!allowed(tidied, s.conditions)) return;
    std::vector<Expr> under = options_.conditions;
    under.insert(under.end(), s.conditions.begin(), s.conditions.end());
    bool doubtful = false;
    std::vector<Expr> residuals;
    try {
      residuals = substitute(open, tidied, Unused::allowed);
    } catch (const Error&) {
      return;
    }
    for (const Expr& at : residuals) {
      if (at.has_symbols()) {
        const Validity where = validity_of(at, s.conditions);
        if (where.kind == Validity::Kind::nowhere) return;
        if (where.kind == Validity::Kind::unclear) doubtful = true;
        if (where.kind == Validity::Kind::somewhere) {
          s.conditions = where.conditions;
          under = options_.conditions;
          under.insert(under.end(), s.conditions.begin(), s.conditions.end());
        }
      }
      const ZeroTest t = zero_test(at, under, options_.points, options_.seed);
      if (t.verdict == Zero::no || t.verdict == Zero::undefined) {
        // with parameters it fails at those tried only
        if (at.has_symbols()) dropped_ = true;
        return;
      }
      if (t.points == 0) {
        doubtful = true;
        continue;
      }
      if (t.against > 0) doubtful = true;
      result_.check.points += t.points;
      ++result_.check.entries;
      result_.check.digits =
          std::min(result_.check.entries == 1 ? 15.0 : result_.check.digits, std::min(15.0, t.digits));
    }
    if (doubtful) {
      ++undecided_;
      ++result_.check.skipped;
      return;
    }
    s.values = std::move(tidied);
    if (!distinct && std::any_of(result_.solutions.begin(), result_.solutions.end(),
                                 [&](const Solution& known) { return same(known, s); }))
      return;
    result_.solutions.push_back(std::move(s));
  }

  // Unclear where it would be too much work to tell.
  [[nodiscard]] Validity validity_of(const Expr& residual, std::span<const Expr> own) const {
    constexpr std::uint64_t most_work = 20000000;  // some tenths of a second, with the numbers made
    try {
      const WorkLimit limit(most_work);
      return where_valid(residual, own, options_.conditions, options_.seed);
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::limit) throw;
      return {Validity::Kind::unclear, {}};
    }
  }

  [[nodiscard]] static bool same(const Solution& a, const Solution& b) {
    for (const Bindings::Entry& v : a.values.entries()) {
      const Expr* const other = b.values.find(v.target);
      if (other == nullptr || !(v.value == *other || vanishes(v.value - *other))) return false;
    }
    return true;
  }

  // What is assumed of the unknowns; a sign that depends on parameters becomes a condition.
  bool allowed(const Bindings& values, std::vector<Expr>& conditions) const {
    const Signs signs(options_.conditions);
    for (const Bindings::Entry& v : values.entries()) {
      const Assumptions a = assumptions_of(v.target);
      const bool real = looks_real(v.value);
      const auto needs = [&](Assumption which, int sign) {
        if (!a.has(which)) return true;
        if (!real) return false;
        if (const auto s = signs.known(v.value)) return sign == 2 ? *s != 0 : *s == sign || (*s == 0 && !strict(which));
        const Expr& e = v.value;
        conditions.push_back(sign == 2       ? not_equal(e, 0)
                             : strict(which) ? (sign > 0 ? greater(e, 0) : less(e, 0))
                                             : (sign > 0 ? greater_equal(e, 0) : less_equal(e, 0)));
        return true;
      };
      if (a.has(Assumption::positive) || a.has(Assumption::negative)) {
        if (!needs(Assumption::positive, 1) || !needs(Assumption::negative, -1)) return false;
      } else if (!needs(Assumption::nonnegative, 1) || !needs(Assumption::nonpositive, -1) ||
                 !needs(Assumption::nonzero, 2)) {
        return false;
      }
      if (a.has(Assumption::integer) && v.value.is_number() && !v.value.number().is_integer()) return false;
      if (a.has(Assumption::integer) && !v.value.has_symbols() && !is_integer(v.value)) {
        const auto n = certified_value(v.value, {}, {});
        if (!n || std::abs(n->real() - std::round(n->real())) > 1e-9) return false;
      }
      // relations that were given for the unknown
      for (const Expr& c : options_.conditions) {
        if (!depends_on(c, v.target)) continue;
        const Expr there = substitute(c, values, Unused::allowed);
        const std::optional<bool> known = is_sign_of(c, v.target) ? sign_holds(c, signs.known(v.value)) : std::nullopt;
        const std::optional<bool> fulfilled = known ? known : holds(there, signs);
        if (!fulfilled.value_or(true)) return false;
        if (!fulfilled && std::find(conditions.begin(), conditions.end(), there) == conditions.end())
          conditions.push_back(there);
      }
    }
    return true;
  }

  // x > 0, 0 >= x, ...: the sign of the value as it is written is known where that of a difference is not.
  static bool is_sign_of(const Expr& c, const Expr& x) {
    if (!c.is(Kind::relation)) return false;
    const auto o = c.operands();
    return (o[0] == x && o[1].is_integer(0)) || (o[1] == x && o[0].is_integer(0));
  }
  static std::optional<bool> sign_holds(const Expr& c, std::optional<int> sign) {
    if (!sign) return std::nullopt;
    const int left = c.operands()[0].is_integer(0) ? -*sign : *sign;
    switch (c.relation_op()) {
      case RelationOp::less: return left < 0;
      case RelationOp::less_equal: return left <= 0;
      case RelationOp::equal: return left == 0;
      case RelationOp::not_equal: return left != 0;
    }
    return std::nullopt;
  }

  static bool strict(Assumption a) { return a == Assumption::positive || a == Assumption::negative; }

  static std::optional<bool> holds(const Expr& c, const Signs& signs) {
    try {
      return truth_by_signs(c, [&](const Expr& d) -> int {
        const auto s = signs.known(d);
        if (!s) throw UnknownSign{d};
        return *s;
      });
    } catch (const UnknownSign&) {
      return std::nullopt;
    }
  }

  [[nodiscard]] bool reasoner_nonzero(const Expr& e) const {
    const auto s = Signs(options_.conditions).known(e);
    return (s && *s != 0) || Reasoner(options_.conditions).nonzero(e) || is_nonzero(e);
  }

  void note_nonzero(const Expr& e) {
    if (reasoner_nonzero(e)) return;
    for_each_factor(factor(e), [&](const Expr& b, const Expr&) {
      if (!b.has_symbols() || reasoner_nonzero(b)) return;
      const Expr c = condition_of({b, 2});  // a != b rather than a - b != 0
      if (std::find(result_.conditions.begin(), result_.conditions.end(), c) == result_.conditions.end()) {
        result_.conditions.push_back(c);
        pivots_.push_back(b);
      }
    });
  }

  // Where a leading coefficient vanishes, the equations are solved again.
  void exceptions() {
    for (const Expr& p : pivots_) {
      for (const Exceptional& place : zeros_of_parameters(p, Symbol("_none"), options_.conditions)) {
        if (std::find(unknowns_.begin(), unknowns_.end(), place.parameter) != unknowns_.end()) continue;
        try {
          const Bindings there{{place.parameter, place.value}};
          std::vector<Expr> special;
          for (const Expr& e : equations_) special.push_back(substitute(e, there, Unused::allowed));
          SolveOptions o = options_;
          o.conditions.clear();
          for (const Expr& c : options_.conditions) o.conditions.push_back(substitute(c, there, Unused::allowed));
          std::vector<Expr> left;
          for (const Expr& u : unknowns_) {
            if (std::any_of(special.begin(), special.end(), [&](const Expr& e) { return depends_on(e, u); }))
              left.push_back(u);
          }
          std::string what;
          if (left.empty()) {
            what = std::all_of(special.begin(), special.end(), [](const Expr& e) { return vanishes(e); })
                       ? "every value is a solution"
                       : "no solution";
          } else {
            what = described(Solve(special, left, o).run(false));
          }
          // further parameters may have exceptional values in their turn
          const bool parameters = free_symbols(special).size() > left.size();
          if (what == "no solution" && parameters) what = "in general no solution";
          result_.exceptions.push_back({equal(place.parameter, place.value), what});
        } catch (const Error&) {
        }
      }
    }
  }

  static std::string described(const SolutionSet& s) {
    if (s.status == SolveStatus::unevaluated) return "not solved";
    if (s.solutions.empty()) return "no solution";
    std::string out;
    for (const Solution& one : s.solutions) {
      std::string part;
      for (const Bindings::Entry& v : one.values.entries())
        part += (part.empty() ? "" : ", ") + to_text(v.target) + " = " + to_text(v.value, {80, {}});
      out += (out.empty() ? "" : "; or ") + (part.empty() ? std::string("every value is a solution") : part);
    }
    return out;
  }

  void order() {
    std::stable_sort(result_.solutions.begin(), result_.solutions.end(),
                     [](const Solution& a, const Solution& b) { return a.real && !b.real; });
  }

  void finish_check() {
    if (dropped_ && result_.complete) {
      result_.complete = false;
      if (result_.reason.empty() || result_.solutions.empty())
        result_.reason = "a candidate that fails for all parameters tried is left out";
    }
    Evidence& c = result_.check;
    c.verdict = c.entries == 0 || c.skipped > 0 ? Verdict::untested : Verdict::agrees;
    if (undecided_ > 0) {
      result_.reason = fmt::format("{} candidate{} could not be verified and {} left out", undecided_,
                                   undecided_ == 1 ? "" : "s", undecided_ == 1 ? "is" : "are");
      if (result_.solutions.empty()) result_.status = SolveStatus::unevaluated;
    }
  }

  // With the unknowns as they were given.
  SolutionSet named(SolutionSet s) const {
    Bindings back;
    for (std::size_t i = 0; i < unknowns_.size(); ++i) {
      if (!(unknowns_[i] == shown_[i])) back.set(unknowns_[i], shown_[i]);
    }
    if (back.empty()) return s;
    for (Solution& one : s.solutions) {
      Bindings values;
      for (const Bindings::Entry& v : one.values.entries())
        values.set(substitute(v.target, back, Unused::allowed), substitute(v.value, back, Unused::allowed));
      one.values = std::move(values);
    }
    for (Expr& e : s.free) e = substitute(e, back, Unused::allowed);
    return s;
  }

  std::vector<Expr> given_;
  std::vector<Expr> equations_;
  std::vector<Expr> unknowns_;
  std::vector<Expr> shown_;
  const SolveOptions& options_;
  SolutionSet result_;
  std::vector<Expr> pivots_;
  std::size_t undecided_ = 0;
  bool dropped_ = false;  // a candidate that fails at all parameters tried
};

}  // namespace

SolutionSet solve(const ExprList& equations, const ExprList& unknowns, const SolveOptions& options) {
  return Solve(equations, unknowns, options).run(true);
}

}  // namespace boreon
