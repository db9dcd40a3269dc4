// SPDX-License-Identifier: MIT
// The search for an optimum from several starts, and what is verified of the best.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <random>

#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/cross_check.hpp"
#include "boreon/error.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "expr/work.hpp"
#include "solvers/draws.hpp"
#include "solvers/optimum.hpp"

namespace boreon {
namespace {

constexpr double needed_balance = 1e-6;
constexpr double flat = 1e-9;  // relative curvature that is none

// A start within the bounds; for unknowns without two bounds around the given one, ever farther.
std::vector<double> another_start(const OptimisationProblem& q, const SmoothProblem::Sizes& sizes, int attempt,
                                  std::mt19937_64& random) {
  std::vector<double> x = q.start;
  for (std::size_t i = 0; i < x.size(); ++i) {
    const double r = either_side(random);
    if (std::isfinite(q.lower[i]) && std::isfinite(q.upper[i])) {
      x[i] = q.lower[i] + (q.upper[i] - q.lower[i]) * (r + 1) / 2;
    } else {
      x[i] = std::clamp(x[i] + 0.5 * attempt * r * sizes.unknowns[i], q.lower[i], q.upper[i]);
    }
  }
  return x;
}

bool same_place(const InteriorPoint& a, const InteriorPoint& b, const SmoothProblem::Sizes& sizes) {
  // at a flat optimum searches end all around it
  const bool equal = std::fabs(a.objective - b.objective) <= 1e-9 * sizes.objective;
  for (std::size_t i = 0; i < a.x.size(); ++i) {
    if (!(std::fabs(a.x[i] - b.x[i]) <= (equal ? 3e-2 : 1e-4) * sizes.unknowns[i])) return false;
  }
  return true;
}

struct Search {
  InteriorPoint end;
  int count = 1;
  bool first = false;  // from the given start
};

class Searches {
 public:
  Searches(const SmoothProblem& p, const OptimisationOptions& options)
      : p_(p), options_(options), sizes_(p.sizes_at(p.given().start)) {}

  void from(const std::vector<double>& start, bool first) {
    double f = 0;
    std::vector<double> g(p_.constraints());
    if (!p_.value(start.data(), f, g.data())) return;
    ++count_;
    Search s;
    s.first = first;
    s.end = interior_point(p_, start, first ? sizes_ : p_.sizes_at(start), options_.max_iterations);
    if (first) first_ = s.end;
    if (s.end.ending != InteriorPoint::Ending::converged) {
      // far away, and better: steps across a kink lead far away too
      if (s.end.ending == InteriorPoint::Ending::unbounded && s.end.objective < f && !unbounded_) unbounded_ = s.end;
      return;
    }
    for (Search& other : ended_) {
      if (!same_place(other.end, s.end, sizes_)) continue;
      ++other.count;
      other.first = other.first || first;
      return;
    }
    if (const double change = std::fabs(s.end.objective - f); change > 0 && std::isfinite(change))
      changes_.push_back(change);
    ended_.push_back(std::move(s));
    std::stable_sort(ended_.begin(), ended_.end(),
                     [](const Search& a, const Search& b) { return a.end.objective < b.end.objective; });
  }

  [[nodiscard]] std::vector<Search>& ended() { return ended_; }
  [[nodiscard]] const InteriorPoint& first() const { return first_; }
  [[nodiscard]] int count() const { return count_; }
  /// Where one went on for ever, if one did.
  [[nodiscard]] const std::optional<InteriorPoint>& unbounded() const { return unbounded_; }
  [[nodiscard]] const SmoothProblem::Sizes& sizes() const { return sizes_; }
  /// At the end of a search: the objective in units of what searches have gained, the median of them, which neither an
  /// offset nor a slope that is infinite at a bound can spoil.
  [[nodiscard]] SmoothProblem::Sizes sizes_at(const std::vector<double>& x) const {
    SmoothProblem::Sizes s = p_.sizes_at(x, &sizes_);
    if (changes_.empty()) return s;
    std::vector<double> sorted = changes_;
    std::sort(sorted.begin(), sorted.end());
    s.objective = sorted[sorted.size() / 2];
    return s;
  }

 private:
  const SmoothProblem& p_;
  const OptimisationOptions& options_;
  SmoothProblem::Sizes sizes_;
  std::vector<Search> ended_;
  InteriorPoint first_;
  std::vector<double> changes_;  // of the objective, from start to end
  int count_ = 0;
  std::optional<InteriorPoint> unbounded_;
};

std::string place_text(const OptimisationProblem& q, const std::vector<double>& x) {
  std::vector<std::string> parts;
  for (std::size_t i = 0; i < x.size() && i < 4; ++i) parts.push_back(fmt::format("{} = {:.6g}", q.names[i], x[i]));
  if (x.size() > 4) parts.emplace_back("...");
  return fmt::format("{}", fmt::join(parts, ", "));
}

// The constraint that is missed most where a search has ended, with what it stands against.
std::string infeasible_message(const SmoothProblem& p, const InteriorPoint& end, const SmoothProblem::Sizes& sizes) {
  const OptimisationProblem& q = p.given();
  std::vector<std::pair<double, std::string>> missed;
  for (std::size_t j = 0; j < p.constraints(); ++j) {
    const Constraint& c = q.constraints[j];
    const double v = end.constraints[j];
    const double by = c.missed_by(v) / sizes.constraints[j];
    if (!(by > 1e-7)) continue;
    missed.emplace_back(by, fmt::format("'{}' is missed by {:.6g}", c.name, c.missed_by(v)));
  }
  std::sort(missed.begin(), missed.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
  std::vector<std::string> texts;
  for (const auto& [by, text] : missed) {
    if (texts.size() < 3) texts.push_back(text);
  }
  std::vector<std::string> bounds;
  for (std::size_t i = 0; i < p.unknowns(); ++i) {
    if (end.x[i] <= q.lower[i] || end.x[i] >= q.upper[i])
      bounds.push_back(fmt::format("{} its {} bound", q.names[i], end.x[i] <= q.lower[i] ? "lower" : "upper"));
  }
  return fmt::format(
      "no place fulfils all constraints as far as was looked; where they are missed least ({}), {}{}; "
      "widen a limit, or start elsewhere",
      place_text(q, end.x), fmt::join(texts, " and "),
      bounds.empty() ? "" : fmt::format(", with {} in the way", fmt::join(bounds, " and ")));
}

std::string unbounded_message(const SmoothProblem& p, const InteriorPoint& end, const SmoothProblem::Sizes& sizes) {
  const OptimisationProblem& q = p.given();
  std::size_t far = 0;
  for (std::size_t i = 0; i < p.unknowns(); ++i) {
    if (std::fabs(end.x[i]) / sizes.unknowns[i] > std::fabs(end.x[far]) / sizes.unknowns[far]) far = i;
  }
  return fmt::format(
      "the objective goes on {} without end as {} {}: it is {:.6g} at {} = {:.6g}; a bound on {} or a "
      "constraint is missing",
      q.maximise ? "rising" : "falling", q.names[far], end.x[far] > 0 ? "grows" : "falls",
      q.maximise ? -end.objective : end.objective, q.names[far], end.x[far], q.names[far]);
}

// The first part of the objective or a constraint whose slope jumps.
std::string kinks_of(const SmoothProblem& p) {
  std::vector<Expr> all{p.given().objective};
  all.insert(all.end(), p.constraint_values().begin(), p.constraint_values().end());
  std::string found;
  for (const Expr& e : all) {
    postorder(e, [&](const Expr& x) {
      if (!found.empty() || !x.has_symbols()) return;
      bool jumps = x.is(Kind::piecewise);
      for (const char* name : {"abs", "max", "min", "sign", "floor", "ceil", "step"})
        jumps = jumps || is_call_of(x, name);
      if (jumps) found = to_text(x, {60});
    });
  }
  return found;
}

// The derivatives that everything rests on, against independent numerics around the optimum.
Evidence check_slopes(const SmoothProblem& p, const Optimum& at, const SmoothProblem::Sizes& sizes) {
  const OptimisationProblem& q = p.given();
  std::vector<Expr> functions{q.objective};
  std::vector<std::string> names{"objective"};
  for (std::size_t j = 0; j < p.constraints(); ++j) {
    functions.push_back(p.constraint_values()[j]);
    names.push_back(q.constraints[j].name);
  }
  CheckOptions options;
  options.points = 3;
  for (std::size_t i = 0; i < p.unknowns(); ++i) {
    SampleRange r;
    const double by = 1e-2 * sizes.unknowns[i];
    r.low = std::max(at.x[i] - by, q.lower[i]);
    r.high = std::min(at.x[i] + by, q.upper[i]);
    options.ranges[q.unknowns[i].name()] = r;
  }
  for (std::size_t i = 0; i < q.parameters.size(); ++i) {
    SampleRange r;
    r.low = r.high = r.typical = q.parameter_values[i];
    options.ranges[q.parameters[i].name()] = r;
  }
  return cross_check(functions, q.unknowns, sparse_jacobian(functions, q.unknowns), options, names);
}

struct Judged {
  Optimum optimum;
  Curvature curvature;
  Surroundings around;
  Evidence slopes;
  std::string fault;  // empty: it is an optimum

  [[nodiscard]] bool good() const { return fault.empty(); }
};

Judged judged(const SmoothProblem& p, const InteriorPoint& end, const Searches& all) {
  const char* const best = p.given().maximise ? "maximum" : "minimum";
  const SmoothProblem::Sizes sizes = all.sizes_at(end.x);
  Judged j;
  j.optimum = optimum_near(p, end, sizes);
  j.curvature = curvature_at(p, j.optimum, sizes);
  // where the conditions do not determine the place sharply, the best of it is known to some digits only
  j.around = look_around(p, j.optimum, sizes, j.optimum.regular ? 0 : 1e-9 * sizes.objective);
  const std::string where = place_text(p.given(), j.optimum.x);
  // an objective that falls ever more slowly has small slopes, too, but far to go
  bool far = false;
  for (std::size_t i = 0; !j.optimum.regular && i < j.curvature.step.size(); ++i)
    far = far || !(std::fabs(j.curvature.step[i]) <= 1e-2 * all.sizes().unknowns[i]);
  if (!j.optimum.settled || far || (!j.optimum.regular && j.optimum.imbalance > needed_balance)) {
    j.fault = fmt::format(
        "where the search ended ({}) the slopes do not vanish: the objective has no {} nearby, or a "
        "kink",
        where, best);
  } else if (j.curvature.known && j.curvature.least < -flat) {
    j.fault = fmt::format("where the slopes vanish ({}) there is no {} but a saddle", where, best);
  } else if (j.around.better_around) {
    j.fault = fmt::format("a place right beside where the search ended ({}) is better", where);
  } else {
    j.slopes = check_slopes(p, j.optimum, sizes);
    if (j.slopes.verdict == Verdict::disagrees)
      j.fault = fmt::format("a derivative disagrees with independent numerics at {} ({}), so that nothing is proved",
                            j.slopes.worst_entry, where);
  }
  return j;
}

// Places from which a search goes on where something is better than what was found.
std::vector<std::vector<double>> ways_on(const Judged& j) {
  std::vector<std::vector<double>> starts;
  if (!j.around.better.empty()) starts.push_back(j.around.better);
  if (!j.around.better_far.empty()) starts.push_back(j.around.better_far);
  if (j.curvature.known && j.curvature.least < -flat && !j.curvature.direction.empty()) {
    for (const double by : {0.05, -0.05}) {
      std::vector<double> x = j.optimum.x;
      for (std::size_t i = 0; i < x.size(); ++i) x[i] += by * j.curvature.direction[i];
      starts.push_back(std::move(x));
    }
  }
  return starts;
}

void add_prices(const SmoothProblem& p, const Judged& j, OptimisationResult& r) {
  const double sign = p.given().maximise ? -1 : 1;
  const Optimum& o = j.optimum;
  constexpr double unknown = std::numeric_limits<double>::quiet_NaN();
  const bool dependent = std::find(o.implied.begin(), o.implied.end(), 1) != o.implied.end();
  for (std::size_t k = 0; k < p.constraints(); ++k) {
    const bool together = o.implied[k] != 0 || o.shared[k] != 0;
    r.prices.push_back(o.active[k] == 0 ? 0 : together ? unknown : -sign * o.multipliers[k]);
  }
  for (std::size_t i = 0; i < p.unknowns(); ++i) {
    const double s = sign * o.slopes[i];
    r.bound_prices.push_back(o.at_bounds[i] == 0 || s == 0 ? 0 : dependent ? unknown : s);
  }
}

void add_evidence(const SmoothProblem& p, const Judged& j, OptimisationResult& r) {
  Evidence& e = r.evidence;
  const Optimum& o = j.optimum;
  e.method = "conditions of an optimum solved to rounding, derivatives by independent numerics, feasible points around";
  e.entries = p.unknowns();
  e.points = j.around.points;
  e.worst_entry = o.least_sure;
  // an unknown that is known to many digits is not in a flat direction, however flat
  const bool flat_there = !o.regular || (j.curvature.known && j.curvature.free_directions > 0 &&
                                         j.curvature.least <= flat && o.correction > 1e-6);
  const bool by_unknowns = o.regular && !flat_there;
  e.digits = std::clamp(-std::log10(std::max(by_unknowns ? o.correction : o.imbalance, 1e-300)), 0.0, 15.0);
  if (!by_unknowns) {
    e.method = "slopes balanced, derivatives by independent numerics, feasible points around";
    e.worst_entry.clear();
  }
  const bool seen = j.around.points > 0 || j.curvature.free_directions == 0;
  e.verdict = seen && j.slopes.verdict != Verdict::untested ? Verdict::agrees : Verdict::untested;
  r.flat = flat_there;
  if (flat_there) {
    r.warnings.push_back(
        fmt::format("the {} is flat: in one direction the objective hardly changes, so that the unknowns "
                    "are determined to few digits, or not at all",
                    p.given().maximise ? "maximum" : "minimum"));
  }
  std::vector<std::string> together;
  bool limits = false;
  for (std::size_t k = 0; k < p.constraints(); ++k) {
    const Constraint& c = p.given().constraints[k];
    if (o.implied[k] != 0) together.push_back(c.name);
    limits = limits || (o.active[k] != 0 && !c.is_equation());
  }
  for (const int b : o.at_bounds) limits = limits || b != 0;
  if (!together.empty())
    r.warnings.push_back(
        fmt::format("what {} asks for follows from other limits that hold there, so that their prices are "
                    "not determined one by one",
                    fmt::join(together, " and ")));
  if (j.curvature.free_directions == 0 && !limits)
    r.warnings.emplace_back("the equations leave nothing to choose: what is optimised makes no difference");
  if (!j.curvature.known)
    r.warnings.push_back(
        fmt::format("the curvature was not looked at: there are more than 400 unknowns ({})", p.unknowns()));
}

// Where the other searches have ended, if the slopes balance there; some have not quite arrived.
void add_others(const SmoothProblem& p, const Search& search, Searches& all, OptimisationResult& r) {
  InteriorPoint best;
  best.x = r.values;
  best.objective = p.given().maximise ? -r.objective : r.objective;
  for (const Search& s : all.ended()) {
    if (same_place(s.end, search.end, all.sizes())) continue;
    const Optimum o = optimum_near(p, s.end, all.sizes_at(s.end.x));
    if (!o.settled || (!o.regular && o.imbalance > needed_balance)) continue;
    InteriorPoint there;
    there.x = o.x;
    there.objective = o.objective;
    const bool as_good = r.flat && std::fabs(o.objective - best.objective) <= 1e-9 * all.sizes_at(best.x).objective;
    if (as_good || same_place(there, best, all.sizes())) {
      r.same_optimum += s.count;
      r.from_other_start = r.from_other_start && !s.first;
      continue;
    }
    r.others.push_back({o.x, p.given().maximise ? -o.objective : o.objective, s.count});
  }
}

OptimisationResult result_of(const SmoothProblem& p, Judged j, const Search& search, Searches& all,
                             const std::vector<InteriorPoint>& refuted) {
  OptimisationResult r;
  const OptimisationProblem& q = p.given();
  r.outcome = OptimisationOutcome::found;
  r.values = j.optimum.x;
  r.objective = q.maximise ? -j.optimum.objective : j.optimum.objective;
  r.active = j.optimum.active;
  r.at_bounds = j.optimum.at_bounds;
  r.constraint_values = j.optimum.constraints;
  add_prices(p, j, r);
  r.free_directions = j.curvature.free_directions;
  r.curvature = j.curvature.least;
  r.curvature_known = j.curvature.known;
  r.iterations = search.end.iterations;
  r.searches = all.count();
  r.same_optimum = search.count;
  r.from_other_start = !search.first;
  add_evidence(p, j, r);
  add_others(p, search, all, r);
  if (all.unbounded())
    r.warnings.push_back(fmt::format("it is only the best place nearby: from another start {}",
                                     unbounded_message(p, *all.unbounded(), all.sizes())));
  for (const InteriorPoint& other : refuted) {
    if (!(other.objective < search.end.objective - 1e-7 * all.sizes_at(search.end.x).objective)) continue;
    r.warnings.push_back(
        fmt::format("a search ended at a better place ({}: {:.6g}) that did not pass the tests of an optimum; "
                    "start there to learn why",
                    place_text(q, other.x), q.maximise ? -other.objective : other.objective));
    break;
  }
  r.conditions = std::move(j.optimum.conditions);
  return r;
}

OptimisationResult nothing(const SmoothProblem& p, Searches& all, const std::string& fault) {
  OptimisationResult r;
  r.values = all.first().x;
  r.searches = all.count();
  const std::string where = place_text(p.given(), all.first().x);
  const std::string kinks = kinks_of(p);
  const std::string kink = kinks.empty() ? "" : fmt::format("; {} has a kink, where slopes tell nothing", kinks);
  if (all.unbounded()) {
    r.outcome = OptimisationOutcome::unbounded;
    r.message = unbounded_message(p, *all.unbounded(), all.sizes());
  } else if (!fault.empty()) {
    r.message = fault + kink;
  } else if (all.first().ending == InteriorPoint::Ending::infeasible) {
    r.outcome = OptimisationOutcome::infeasible;
    r.message = infeasible_message(p, all.first(), all.sizes());
  } else if (all.first().ending == InteriorPoint::Ending::too_many_iterations) {
    r.message = fmt::format("the search did not end within its iterations ({}){}; start nearer, or bound the unknowns",
                            where, kink);
  } else {
    r.message = fmt::format("the search got stuck at {}{}; start elsewhere, or bound the unknowns", where, kink);
  }
  return r;
}

}  // namespace

OptimisationResult optimise(const OptimisationProblem& problem, const OptimisationOptions& options) {
  const OptimisationProblem q = completed(problem);
  const SmoothProblem p(q);
  Searches all(p, options);
  std::size_t equations = 0;
  for (const Constraint& c : q.constraints) equations += c.is_equation() ? 1 : 0;
  if (equations > q.unknowns.size())
    throw Error(ErrorKind::shape,
                fmt::format("{} equations for {} unknowns leave nothing to choose", equations, q.unknowns.size()));
  std::vector<double> start = q.start;
  std::vector<double> g(p.constraints());
  double f = 0;
  if (!p.value(start.data(), f, g.data())) {
    OptimisationResult r;
    r.outcome = OptimisationOutcome::left_domain;
    r.values = start;
    r.message = fmt::format("there is no value at the start: {}; start elsewhere", p.fault_at(start));
    return r;
  }
  all.from(start, true);
  const std::size_t n = q.unknowns.size();
  const int others = options.other_starts >= 0 ? options.other_starts : n <= 20 ? 12 : n <= 100 ? 4 : n <= 1000 ? 1 : 0;
  std::mt19937_64 random(42);
  for (int k = 1; k <= others; ++k) all.from(another_start(q, all.sizes(), k, random), false);
  // The best first; what is refuted shows where to go on.
  std::string fault;
  std::vector<InteriorPoint> refuted;
  int more = 8;
  for (std::size_t i = 0; i < all.ended().size();) {
    const Search search = all.ended()[i];
    const auto seen = [&](const InteriorPoint& other) { return same_place(other, search.end, all.sizes()); };
    if (std::any_of(refuted.begin(), refuted.end(), seen)) {
      ++i;
      continue;
    }
    Judged j = judged(p, search.end, all);
    const std::size_t before = all.ended().size();
    if (more > 0) {
      for (const std::vector<double>& s : ways_on(j)) {
        --more;
        all.from(s, false);
      }
    }
    const bool lower = all.ended().size() > before && all.ended()[0].end.objective < search.end.objective;
    if (j.good() && (!lower || more <= 0)) return result_of(p, std::move(j), search, all, refuted);
    if (!j.good()) {
      if (fault.empty()) fault = j.fault;
      refuted.push_back(search.end);
    }
    i = 0;
  }
  return nothing(p, all, fault);
}

}  // namespace boreon
