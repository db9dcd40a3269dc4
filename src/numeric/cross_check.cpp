// SPDX-License-Identifier: MIT
#include "boreon/cross_check.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <optional>
#include <random>
#include <unordered_map>

#include "arrays/instances.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/text.hpp"
#include "expr/hash.hpp"
#include "expr/numeric_rows.hpp"
#include "values/domains.hpp"
#include "values/graph_evaluator.hpp"
#include "values/worst_entry.hpp"

namespace boreon {

namespace {

constexpr long first_precision = 320;  // bits: 60 digits beside the step
constexpr long last_precision = 5120;  // for entries far below the size of their function
constexpr double max_digits = 15;

using Point = std::vector<double>;

class Checker {
 public:
  Checker(std::span<const DerivativeClaim> claims, const CheckOptions& options) : claims_(claims), options_(options) {
    std::vector<Expr> all;
    for (const auto& c : claims) {
      all.push_back(c.function);
      all.push_back(c.derived);
      all.push_back(c.variable);
    }
    leaves_ = sampled_leaves(all);
    for (std::size_t i = 0; i < leaves_.size(); ++i) index_[leaves_[i]] = i;
    for (const auto& c : claims) {
      plans_.push_back(
          {Side(c.function), Side(c.derived), index_.at(c.variable), analytic(c.function), c.derived.is_integer(0)});
    }
  }

  Evidence run() {
    Evidence evidence;
    evidence.entries = claims_.size();
    evidence.digits = max_digits;
    Sampler sampler(leaves_, options_.ranges, options_.seed);
    std::vector<std::size_t> compared(claims_.size(), 0);
    const std::size_t attempts = options_.points * 12 + 20;
    for (std::size_t k = 0; k < attempts && evidence.points < options_.points; ++k) {
      const Point p = sampler.draw(options_.conditions);
      if (p.empty() && !leaves_.empty()) break;
      bool any = false;
      for (std::size_t i = 0; i < claims_.size(); ++i) {
        if (compared[i] >= options_.points) continue;
        if (compare(i, p, evidence)) {
          ++compared[i];
          any = true;
        }
      }
      if (any) evidence.points = *std::max_element(compared.begin(), compared.end());
      // go on drawing while some entry has never been compared
      if (evidence.points >= options_.points && std::count(compared.begin(), compared.end(), 0U) > 0 &&
          k + 1 < attempts)
        --evidence.points;
    }
    evidence.points = compared.empty() ? 0 : *std::max_element(compared.begin(), compared.end());
    evidence.skipped = static_cast<std::size_t>(std::count(compared.begin(), compared.end(), 0U));
    evidence.method = complex_steps_ > 0 ? "extrapolated differences in 60 digits, complex step"
                                         : "extrapolated differences in 60 digits";
    if (evidence.points == 0) {
      evidence.digits = 0;
      evidence.verdict = Verdict::untested;
    } else {
      evidence.verdict = evidence.digits >= options_.needed_digits ? Verdict::agrees : Verdict::disagrees;
    }
    return evidence;
  }

 private:
  struct Side {
    explicit Side(const Expr& e) : expression(e), plan({&e, 1}) {
      postorder(e, [&](const Expr& x) { operators = operators || needs_numbers_inside(x); });
    }
    Expr expression;
    EvaluationPlan plan;
    bool operators =
        false;  ///< integrals, sums, roots: they have values only when all other symbols are replaced by numbers
  };

  struct Plan {
    Side function;
    Side derived;
    std::size_t variable;
    bool analytic;
    bool derived_is_zero;
  };

  static bool analytic(const Expr& e) {
    bool yes = true;
    postorder(e, [&](const Expr& x) {
      if (x.is(Kind::piecewise) || x.is(Kind::relation) || (x.is(Kind::call) && !x.function().analytic)) yes = false;
    });
    return yes;
  }

  // The real value at the point with one coordinate moved by shift*2^exponent; none outside the real domain.
  std::optional<Ball> value(const Side& side, const Point& p, std::size_t moved, double shift, long precision) const {
    const BriefFaults brief;
    try {
      std::optional<EvaluationPlan> closed;
      if (side.operators) {
        Bindings numbers;
        for (std::size_t i = 0; i < leaves_.size(); ++i)
          numbers.set(leaves_[i], Expr(Number::exact(p[i]) + (i == moved ? Number::exact(shift) : Number(0))));
        const Expr put_in = substitute(side.expression, numbers, Unused::allowed);
        closed.emplace(std::span<const Expr>(&put_in, 1));
      }
      auto result = GraphEvaluator<BallDomain>(BallDomain{precision})
                        .run(closed ? *closed : side.plan, [&](const Expr& e, Ball& v) {
                          const std::size_t* i = index_.find(e);
                          if (i == nullptr) return false;
                          v = Ball::from(std::complex<double>(p[*i]));
                          if (*i == moved && shift != 0) {
                            Ball s = Ball::from(std::complex<double>(shift));
                            acb_add(v.get(), v.get(), s.get(), precision);
                          }
                          return true;
                        });
      Ball& b = result[0];
      if (!b.finite()) return std::nullopt;
      if (!b.real()) {
        if (arb_contains_zero(b.im()) == 0) return std::nullopt;
        arb_zero(b.im());
      }
      return std::move(b);
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::domain || e.kind() == ErrorKind::convergence || e.kind() == ErrorKind::unsupported)
        return std::nullopt;
      throw;
    }
  }

  // Whether the function has the same value on both sides, to the last of many bits.
  bool unmoved(const Plan& plan, const Point& p) const {
    const double x = p[plan.variable];
    const double h = std::ldexp(1.0, std::ilogb(x != 0 ? std::abs(x) : 1.0) - 40);
    for (const long precision : {first_precision, 4 * first_precision}) {
      const auto up = value(plan.function, p, plan.variable, h, precision);
      const auto down = value(plan.function, p, plan.variable, -h, precision);
      if (!up || !down || acb_equal(up->get(), down->get()) == 0) return false;
    }
    return true;
  }

  // A derivative that is nothing although no form of it says so: it and the way the function moves are both enclosed
  // within next to nothing beside the function.
  bool vanishes(const Plan& plan, const Point& p, const Ball& derived) const {
    constexpr long nothing = -200;  // as a power of two
    const double x = p[plan.variable];
    const double h = std::ldexp(1.0, std::ilogb(x != 0 ? std::abs(x) : 1.0) - 40);
    const auto up = value(plan.function, p, plan.variable, h, first_precision);
    const auto down = value(plan.function, p, plan.variable, -h, first_precision);
    if (!up || !down) return false;
    Ball small;  // what is nothing for the function
    arb_mul_2exp_si(small.re(), up->re(), nothing);
    Ball moved;
    arb_sub(moved.re(), up->re(), down->re(), first_precision);
    Ball slope;
    arb_set_d(slope.re(), x != 0 ? x : 1.0);
    arb_mul(slope.re(), slope.re(), derived.re(), first_precision);
    const auto within = [&](const Ball& b) {
      mag_t most, least;
      mag_init(most), mag_init(least);
      arb_get_mag(most, b.re());
      arb_get_mag_lower(least, small.re());
      const bool yes = mag_cmp(most, least) < 0;
      mag_clear(most), mag_clear(least);
      return yes;
    };
    return within(slope) && within(moved);
  }

  // Central differences with steps h, h/2, h/4, extrapolated to order 6 (Richardson). With h near 2^-40 of the scale
  // the remaining error is far below double precision, and 320 bits leave room for the cancellation.
  std::optional<double> differences(const Plan& plan, const Point& p) const {
    for (long precision = first_precision; precision <= last_precision; precision *= 4) {
      bool resolved = false;
      const auto d = differences(plan, p, precision, resolved);
      if (!d || resolved) return d;
    }
    return std::nullopt;  // lost in the last digits of the function even so: this point says nothing
  }

  // `resolved` tells whether rounding has left at least 12 digits of the difference.
  std::optional<double> differences(const Plan& plan, const Point& p, long precision, bool& resolved) const {
    const double x = p[plan.variable];
    const double h = std::ldexp(1.0, std::ilogb(x != 0 ? std::abs(x) : 1.0) - 40);
    Ball d[3];
    for (int k = 0; k < 3; ++k) {
      const double step = std::ldexp(h, -k);
      const auto up = value(plan.function, p, plan.variable, step, precision);
      const auto down = value(plan.function, p, plan.variable, -step, precision);
      if (!up || !down) return std::nullopt;
      acb_sub(d[k].get(), up->get(), down->get(), precision);
      Ball twice = Ball::from(std::complex<double>(2 * step));
      acb_div(d[k].get(), d[k].get(), twice.get(), precision);
    }
    const auto extrapolate = [precision](Ball& coarse, const Ball& fine, unsigned long factor) {
      Ball t;
      acb_mul_ui(t.get(), fine.get(), factor, precision);
      acb_sub(t.get(), t.get(), coarse.get(), precision);
      acb_div_ui(coarse.get(), t.get(), factor - 1, precision);
    };
    // A kink or jump at the point shows as differences that do not settle.
    const double first = midpoint(d[1].re());
    extrapolate(d[0], d[1], 4);
    extrapolate(d[1], d[2], 4);
    extrapolate(d[0], d[1], 16);
    const double result = midpoint(d[0].re());
    resolved = acb_is_zero(d[0].get()) != 0 || arb_rel_accuracy_bits(d[0].re()) >= 40 || plan.derived_is_zero;
    if (!std::isfinite(result) || std::abs(result - first) > 1e-6 * (std::abs(result) + std::abs(first)) + 1e-300)
      return std::nullopt;
    return result;
  }

  std::optional<double> complex_step(const Plan& plan, const Point& p) const {
    const double x = p[plan.variable];
    const double h = std::ldexp(1.0, std::ilogb(x != 0 ? std::abs(x) : 1.0) - 100);
    const BriefFaults brief;
    const auto at = [&](double imaginary) -> std::optional<std::complex<double>> {
      try {
        return GraphEvaluator<ComplexDomain>().run(plan.function.plan, [&](const Expr& e, std::complex<double>& v) {
          const std::size_t* i = index_.find(e);
          if (i == nullptr) return false;
          v = std::complex<double>(p[*i], *i == plan.variable ? imaginary : 0.0);
          return true;
        })[0];
      } catch (const Error&) {
        return std::nullopt;
      }
    };
    const auto z = at(h);
    const auto real = at(0);
    if (!z || !real || !std::isfinite(z->imag())) return std::nullopt;
    // On a branch cut the step leaves the real branch.
    if (std::abs(real->imag()) > 0 || std::abs(z->real() - real->real()) > 1e-8 * std::abs(real->real()) + 1e-300)
      return std::nullopt;
    return z->imag() / h;
  }

  // For a derivative that is claimed to vanish: rounding of the differences is measured against the function.
  double function_size(const Plan& plan, const Point& p) const {
    const auto v = value(plan.function, p, plan.variable, 0, first_precision);
    return v ? midpoint(v->re()) : 0;
  }

  static double agreement(double a, double b, double scale) {
    if (a == b) return max_digits;
    const double size = std::max({std::abs(a), std::abs(b), scale});
    return size == 0 || !std::isfinite(size) ? 0 : agreeing_digits(std::abs(a - b), size);
  }

  bool compare(std::size_t i, const Point& p, Evidence& evidence) {
    const Plan& plan = plans_[i];
    std::optional<Ball> derived;
    for (long precision = first_precision; precision <= last_precision; precision *= 4) {
      derived = value(plan.derived, p, plan.variable, 0, precision);
      if (!derived) return false;
      if (acb_is_zero(derived->get()) != 0 || arb_rel_accuracy_bits(derived->re()) >= 60)
        break;  // else digits cancel inside
      if (precision == first_precision && vanishes(plan, p, *derived)) return true;
    }
    // A branch of max or piecewise that does not hold the variable: nothing moves, whatever the precision.
    if (acb_is_zero(derived->get()) != 0 && unmoved(plan, p)) return true;
    const auto reference = differences(plan, p);
    if (!reference) return false;
    const double claim = midpoint(derived->re());
    if (plan.derived_is_zero && std::abs(*reference) < 1e-60 * std::abs(function_size(plan, p))) return true;
    double digits = agreement(claim, *reference, 0);
    double shown = *reference;
    if (plan.analytic) {
      if (const auto step = complex_step(plan, p)) {
        // Double precision loses digits to cancellation inside the function; the step counts where it confirms.
        const double by_step = agreement(claim, *step, 0);
        ++complex_steps_;
        if (by_step < 6 && digits < options_.needed_digits) shown = *step;
      }
    }
    if (digits < evidence.digits || evidence.worst_entry.empty()) {
      evidence.digits = std::min(evidence.digits, digits);
      keep_worst(evidence, claims_[i].name, claim, shown, leaves_, p);
    }
    return true;
  }

  std::span<const DerivativeClaim> claims_;
  const CheckOptions& options_;
  std::vector<Expr> leaves_;
  NodeMap<std::size_t> index_;
  std::vector<Plan> plans_;
  std::size_t complex_steps_ = 0;
};

}  // namespace

namespace {

// Where an unknown function depends on the variable, a concrete smooth function takes its place on both sides of the
// claim: the rules of differentiation must hold for every function.
class StandIns {
 public:
  explicit StandIns(const Expr& variable) : variable_(variable) {}
  [[nodiscard]] bool for_numeric() const { return numeric_; }

  Expr put_in(const Expr& e) {
    // Numeric functions have no digits beyond a double: the rules are tested as for unknown ones, the code of their
    // derivatives was when they were made.
    Rebuild rebuild(
        [](const Expr&, Expr&) { return false; },
        [&](const Expr& x) {
          if (x.is(Kind::call) && x.function().own != 0) {
            numeric_ = true;
            return replaced(as_unknown_call(x));
          }
          return variable_.is(Kind::symbol) && x.is(Kind::unknown_call) && depends_on(x, variable_) ? replaced(x) : x;
        });
    return rebuild(e);
  }

 private:
  static Expr replaced(const Expr& call) {
    // f(u1, u2, ...) = sin(a1*u1 + a2*u2 + b) + (c1*u1 + c2*u2)^2/4, constants from the name
    std::vector<Expr> formal;
    Expr angle = Expr(Number(static_cast<std::int64_t>(call.operands()[0].hash() % 97), 97));
    Expr linear;
    Bindings b;
    const std::size_t n = call.operands().size() / 2;
    for (std::size_t i = 0; i < n; ++i) {
      formal.push_back(Symbol("argument_" + std::to_string(i)));
      const auto a = static_cast<std::int64_t>((call.operands()[0].hash() >> (7 * i % 50)) % 61);
      angle += Expr(Number(30 + a, 70)) * formal.back();
      linear += Expr(Number(75 - a, 60)) * formal.back();
      b.set(formal.back(), call.operands()[1 + 2 * i]);
    }
    Expr body = sin(angle) + power(linear, 2) / 4;
    for (std::size_t i = 0; i < n; ++i)
      body = derivative(body, formal[i], static_cast<int>(call.operands()[2 + 2 * i].word().value_or(0)));
    return substitute(body, b, Unused::allowed);
  }

  const Expr& variable_;
  bool numeric_ = false;
};

}  // namespace

namespace {

// Claims in index notation become one claim for each of several choices of indices and sizes, written out.
std::vector<DerivativeClaim> instances_of(std::span<const DerivativeClaim> claims, std::uint64_t seed, bool& open) {
  std::vector<DerivativeClaim> all;
  for (const DerivativeClaim& c : claims) {
    const Expr parts[] = {c.function, c.derived, c.variable};
    if (!has_open_elements(parts)) {
      all.push_back(c);
      continue;
    }
    open = true;
    for (std::uint64_t k = 0; k < instances_to_try; ++k) {
      const std::vector<Expr> i = instance(parts, seed + k);
      if (!i.empty()) all.push_back({i[0], i[2], i[1], c.name + " as " + to_text(i[2])});
    }
  }
  return all;
}

}  // namespace

Evidence cross_check(std::span<const DerivativeClaim> claims, const CheckOptions& options) {
  bool open = false;
  std::vector<DerivativeClaim> concrete = instances_of(claims, options.seed, open);
  bool numeric = false;
  for (DerivativeClaim& c : concrete) {
    StandIns stand_ins(c.variable);
    c.function = stand_ins.put_in(c.function);
    c.derived = stand_ins.put_in(c.derived);
    numeric = numeric || stand_ins.for_numeric();
  }
  Evidence evidence = Checker(concrete, options).run();
  if (numeric) evidence.method += ", smooth functions in the place of numeric ones";
  if (open) evidence.method += ", small indices and sizes written out";
  return evidence;
}

namespace {

constexpr std::size_t most_entries = 2000;  // of a Jacobian that are checked one by one
constexpr std::size_t examples_of_form = 20;
constexpr std::size_t nodes_of_row = 20000;  // times the entries of the row

// What is left of an expression when elements of arrays are known by their array only: the rows of one formula have one
// such form, but for numbers that depend on the index.
std::uint64_t form_of(const Expr& root, NodeMap<std::uint64_t>& known) {
  postorder(
      std::span<const Expr>(&root, 1),
      [&](const Expr& e) {
        std::uint64_t h = hash_combine(0x51ed27, static_cast<std::uint64_t>(e.kind()));
        if (e.is(Kind::symbol)) {
          const std::string_view name = e.name();
          h = hash_combine(h, hash_text(name.substr(0, name.find('['))));
        } else if (e.operands().empty() && !e.is_number()) {
          h = e.hash();
        } else if (e.is(Kind::call)) {
          h = hash_combine(h, hash_text(e.function().name));
        }
        std::uint64_t sum = 0;  // whatever the order of the operands
        for (const Expr& o : e.operands()) sum += hash_combine(known.at(o), 1);
        known[e] = hash_combine(h, sum);
      },
      [&](const Expr& e) { return !known.contains(e); });
  return known.at(root);
}

// True in this part of all cases, the same on every machine.
bool by_chance(std::mt19937_64& random, double part) { return static_cast<double>(random() >> 11U) * 0x1p-53 < part; }

// All rows of a small Jacobian; of a large one some of each form, and others at random.
std::vector<std::size_t> rows_to_check(const ExprList& functions, const SparseMatrix& jacobian) {
  std::vector<std::size_t> rows(functions.size());
  std::iota(rows.begin(), rows.end(), std::size_t{0});
  const std::size_t entries = jacobian.pattern.columns.size();
  if (entries <= most_entries) return rows;
  NodeMap<std::uint64_t> known;
  std::unordered_map<std::uint64_t, std::size_t> seen;
  std::mt19937_64 random(1);
  std::shuffle(rows.begin(), rows.end(), random);
  const double part = static_cast<double>(most_entries) / static_cast<double>(entries);
  std::vector<std::size_t> chosen;
  for (const std::size_t i : rows) {
    std::size_t& examples = seen[form_of(functions[i], known)];
    const bool chance = by_chance(random, part);
    if (examples++ < examples_of_form || chance) chosen.push_back(i);
  }
  if (chosen.size() > rows.size() / 2 && chosen.size() * entries / rows.size() <= 2 * most_entries) chosen = rows;
  std::sort(chosen.begin(), chosen.end());
  return chosen;
}

}  // namespace

Evidence cross_check(const ExprList& functions, const ExprList& variables, const SparseMatrix& jacobian,
                     const CheckOptions& options, std::span<const std::string> row_names) {
  if (jacobian.pattern.rows != functions.size() || jacobian.pattern.cols != variables.size()) {
    throw Error(ErrorKind::shape,
                fmt::format("the Jacobian is {} by {}, but there are {} functions of {} variables",
                            jacobian.pattern.rows, jacobian.pattern.cols, functions.size(), variables.size()));
  }
  std::vector<DerivativeClaim> claims;
  const std::vector<std::size_t> rows = rows_to_check(functions, jacobian);
  NodeMap<std::size_t> columns;
  for (std::size_t j = 0; j < variables.size(); ++j) columns[variables[j]] = j;
  std::size_t left_out = 0;
  std::mt19937_64 random(2);
  for (const std::size_t i : rows) {
    const std::string row = i < row_names.size() ? row_names[i] : fmt::format("row {}", i + 1);
    std::map<std::size_t, Expr> entries;
    for (auto k = jacobian.pattern.row_start[i]; k < jacobian.pattern.row_start[i + 1]; ++k)
      entries[static_cast<std::size_t>(jacobian.pattern.columns[static_cast<std::size_t>(k)])] =
          jacobian.values[static_cast<std::size_t>(k)];
    // Zeros that the pattern leaves out are claims as well, wherever the variable occurs in the text of the row.
    std::size_t nodes = 0;
    postorder(functions[i], [&](const Expr& e) {
      ++nodes;
      if (!e.is(Kind::symbol) && !e.is(Kind::unknown_call)) return;
      if (const std::size_t* j = columns.find(e)) entries.emplace(*j, 0);
    });
    // Of a row as long as a field some entries at random.
    const std::size_t most = std::max<std::size_t>(3, nodes_of_row / std::max<std::size_t>(nodes, 1));
    const double part = static_cast<double>(most) / static_cast<double>(entries.size());
    for (const auto& [j, value] : entries) {
      if (part < 1 && !by_chance(random, part)) {
        ++left_out;
        continue;
      }
      claims.push_back({functions[i], variables[j], value, fmt::format("d({})/d({})", row, to_text(variables[j]))});
    }
  }
  Evidence evidence = cross_check(claims, options);
  if (rows.size() < functions.size())
    evidence.method += fmt::format(", {} of {} rows, with each form of row", rows.size(), functions.size());
  if (left_out > 0) evidence.method += fmt::format(", {} entries of long rows left out", left_out);
  return evidence;
}

Evidence cross_check_derivative(const Expr& function, const ExprList& variables, const Expr& derived,
                                const CheckOptions& options) {
  std::vector<DerivativeClaim> claims;
  Expr current = function;
  for (std::size_t i = 0; i < variables.size(); ++i) {
    const Expr next = i + 1 == variables.size() ? derived : derivative(current, variables[i]);
    claims.push_back(
        {current, variables[i], next, fmt::format("derivative by {} (step {})", to_text(variables[i]), i + 1)});
    current = next;
  }
  return cross_check(claims, options);
}

}  // namespace boreon
