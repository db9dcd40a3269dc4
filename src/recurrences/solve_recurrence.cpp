// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <optional>
#include <set>
#include <utility>

#include "algebra/linear_terms.hpp"
#include "algebra/matrix/rows.hpp"
#include "algebra/put_in.hpp"
#include "algebra/reduced_conditions.hpp"
#include "algebra/simplify/transforms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/recurrence.hpp"
#include "boreon/simplify.hpp"
#include "boreon/sums.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/exceptional.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/signs.hpp"
#include "equations/verify.hpp"
#include "recurrences/sequences.hpp"

namespace boreon {
namespace {

constexpr std::int64_t highest_order = 24;
constexpr std::size_t readable = 400;  // characters, above which an answer is not searched for shorter forms

// c[0]*y(n) + c[1]*y(n + 1) + ... = forcing, for n >= from - order.
struct LinearRecurrence {
  std::vector<Expr> c;
  Expr forcing;
  std::int64_t from = 0;  ///< the smallest n that occurs where the equation is taken at n = 0
};

class RecurrenceSolver {
 public:
  RecurrenceSolver(const Expr& equation, const Expr& unknown, const RecurrenceOptions& options)
      : equation_(equation),
        options_(options),
        n_(variable_of(unknown)),
        name_(unknown.name()),
        signs_(options.conditions, true) {}

  RecurrenceSolution run(bool with_exceptions) {
    RecurrenceSolution out;
    const auto linear = linear_form(out.reason);
    if (!linear) return out;
    out.from = linear->from;
    const auto general = general_solution(*linear);
    if (!general) {
      out.reason = "no closed form was found for this equation";
      return out;
    }
    out.value = *general;
    out.constants = constants_;
    for (const Decision& d : signs_.decisions()) out.conditions.push_back(condition_of(d));
    out.steps = steps_;
    if (!options_.given.empty()) meet_values(*linear, out);
    if (!with_exceptions) {
      verify(*linear, out);
      return out;
    }
    if (to_text(out.value, {readable + 10, {}}).size() <= readable) out.value = shorter(out.value);
    verify(*linear, out);
    if (out.check.verdict == Verdict::agrees) exceptions(*linear, out);
    return out;
  }

 private:
  static Symbol variable_of(const Expr& unknown) {
    if (!unknown.is(Kind::unknown_call) || unknown.operands().size() != 3 || !unknown.operands()[1].is(Kind::symbol) ||
        !unknown.operands()[2].is_integer(0))
      throw Error(ErrorKind::usage,
                  "the unknown of a difference equation is a call such as y(n), not " + to_text(unknown, {60, {}}));
    return Symbol::from(unknown.operands()[1]);
  }

  [[nodiscard]] bool is_unknown(const Expr& e) const { return e.is(Kind::unknown_call) && e.name() == name_; }

  // y(n + k) as a symbol for each k.
  [[nodiscard]] std::optional<LinearRecurrence> linear_form(std::string& reason) const {
    std::map<std::int64_t, Symbol> shifted;
    Rebuild pass([&](const Expr& e, Expr& r) {
      if (!is_unknown(e)) return false;
      const auto k = e.operands().size() == 3 && e.operands()[2].is_integer(0) ? expand(e.operands()[1] - n_).word()
                                                                               : std::nullopt;
      if (!k)
        throw Error(ErrorKind::usage,
                    fmt::format("a difference equation takes {0} at {1} and a whole number, such as {0}({1} + 1), not "
                                "{2}",
                                name_, n_.name(), to_text(e, {60, {}})));
      r = shifted.try_emplace(*k, Symbol(fmt::format("_{}_{}", name_, shifted.size()))).first->second;
      return true;
    });
    const Expr e = pass(equation_);
    if (shifted.empty())
      throw Error(ErrorKind::usage, fmt::format("the unknown {}({}) does not occur", name_, n_.name()));
    const std::int64_t low = shifted.begin()->first;
    const std::int64_t order = shifted.rbegin()->first - low;
    if (order > highest_order)
      throw Error(ErrorKind::unsupported, fmt::format("order {} is beyond {}", order, highest_order));
    LinearRecurrence out{std::vector<Expr>(static_cast<std::size_t>(order) + 1, 0), e, std::max<std::int64_t>(low, 0)};
    Bindings none;
    for (const auto& [k, symbol] : shifted) none.set(symbol, 0);
    const auto moved = [&](const Expr& f) { return substitute(f, Bindings{{n_, n_ - low}}, Unused::allowed); };
    for (const auto& [k, symbol] : shifted) {
      const Expr slope = derivative(e, symbol);
      for (const auto& [other, s] : shifted) {
        if (!depends_on(slope, s)) continue;
        reason = "only linear difference equations are solved";
        return std::nullopt;
      }
      out.c[static_cast<std::size_t>(k - low)] = combine_fractions(moved(slope));
    }
    out.forcing = moved(-substitute(e, none, Unused::allowed));
    return out;
  }

  Expr constant() {
    std::set<std::string> taken;
    for (const Symbol& s : free_symbols(equation_)) taken.insert(s.name());
    for (const Expr& g : options_.given) {
      for (const Symbol& s : free_symbols(g)) taken.insert(s.name());
    }
    std::string name;
    do {
      name = fmt::format("C{}", ++next_);
    } while (taken.contains(name));
    constants_.emplace_back(Symbol(name));
    return constants_.back();
  }

  std::optional<Expr> general_solution(const LinearRecurrence& linear) {
    if (linear.c.size() == 1) return linear.forcing / linear.c[0];  // it stands at one place only
    const bool steady =
        std::none_of(linear.c.begin(), linear.c.end(), [&](const Expr& k) { return depends_on(k, n_); });
    if (!steady) return linear.c.size() == 2 ? of_first_order(linear) : std::nullopt;
    for (const Expr* end : {&linear.c.front(), &linear.c.back()}) {
      if (!end->is_number()) (void)signs_.nonzero(*end);
    }
    const auto basis = recurrences::homogeneous_sequences(linear.c, signs_);
    if (!basis) return std::nullopt;
    steps_.push_back("roots of the characteristic polynomial");
    Expr out = 0;
    for (const auto& term : *basis) out += constant() * term.expression(n_);
    if (linear.forcing.is_integer(0)) return out;
    if (auto forced = particular(linear)) return out + *forced;
    return out + as_sum(linear, *basis);
  }

  std::optional<Expr> particular(const LinearRecurrence& linear) {
    const auto terms = recurrences::sequence_terms(linear.forcing, n_);
    if (!terms) return std::nullopt;
    Expr out = 0;
    for (const auto& term : *terms) {
      const auto one = recurrences::forced_sequence(linear.c, term, n_);
      if (!one) return std::nullopt;
      out += *one;
    }
    steps_.push_back("a particular solution with undetermined coefficients");
    return out;
  }

  // The forcing met by what answers to a single impulse: h(0) = ... = h(r - 2) = 0, h(r - 1) = 1/c_r.
  Expr as_sum(const LinearRecurrence& linear, const std::vector<recurrences::SequenceTerm>& basis) {
    steps_.push_back("a sum over the forcing times the answer to an impulse");
    std::vector<Expr> weights;
    std::vector<Expr> equations;
    Expr h = 0;
    for (const auto& term : basis) {
      weights.push_back(Symbol(fmt::format("_w{}", weights.size())));
      h += weights.back() * term.expression(n_);
    }
    const std::size_t order = basis.size();
    for (std::size_t k = 0; k < order; ++k) {
      const Expr wanted = k + 1 == order ? 1 / linear.c.back() : Expr(0);
      equations.push_back(put(h, n_, Expr(k)) - wanted);
    }
    const SolutionSet s = solve(equations, weights);
    if (s.solutions.size() != 1) throw Error(ErrorKind::convergence, "the answer to an impulse was not found");
    h = simplify(substitute(h, s.solutions[0].values, Unused::allowed));
    return summed(put(h, n_, n_ - 1 - index()) * put(linear.forcing, n_, index()));
  }

  [[nodiscard]] Symbol index() const { return Symbol("k", {Assumption::integer}); }

  // Over k = 0, ..., n - 1.
  [[nodiscard]] Expr summed(const Expr& term) const { return sum(term, index(), 0, n_ - 1, options_.conditions); }

  // The product of a(k) over k = 0, ..., n - 1: of numbers, exponentials and linear factors.
  std::optional<Expr> product(const Expr& a) {
    Expr out = pow(leading_number(a), n_);
    bool known = true;
    for_each_factor(a, [&](const Expr& base, const Expr& exponent) {
      if (!known) return;
      if (!depends_on(base, n_) && !depends_on(exponent, n_)) {
        out *= pow(power(base, exponent), n_);
        return;
      }
      if (!depends_on(base, n_) || is_call_of(base, "exp")) {
        // base^(p(k)) with the sum of a polynomial
        const Expr e = is_call_of(base, "exp") ? expand(base.operands()[0] * exponent) : exponent;
        const auto p = polynomial_in(e, n_, 6);
        known = p.has_value();
        if (!known) return;
        const Expr total = summed(put(e, n_, index()));
        out *= is_call_of(base, "exp") ? exp(total) : pow(base, total);
        return;
      }
      const auto l = linear_in(base, n_);
      known = l && exponent.word();
      if (!known) return;
      // slope^n*gamma(n + r)/gamma(r), the other way round where the factors pass through zero
      const Expr r = simplify(l->constant / l->slope);
      if (r.word() && *r.word() <= 0) {
        known = false;
        return;
      }
      out *= power(pow(l->slope, n_) * gamma(n_ + r) / gamma(r), exponent);
    });
    if (!known) return std::nullopt;
    return out;
  }

  // y(n + 1) = a(n)*y(n) + b(n): the product h of the a(k), and the sum of b(k)/h(k + 1)
  std::optional<Expr> of_first_order(const LinearRecurrence& linear) {
    const Expr a = factor(combine_fractions(-linear.c[0] / linear.c[1]));
    const auto h = product(a);
    if (!h) return std::nullopt;
    steps_.push_back("of first order: the product of its coefficients");
    const Expr C = constant();
    const Expr b = combine_fractions(linear.forcing / linear.c[1]);
    if (b.is_integer(0)) return C * *h;
    steps_.push_back("the forcing over that product, summed");
    const Expr next = simplify(put(*h, n_, index() + 1));
    return *h * (C + summed(simplify(put(b, n_, index()) / next)));
  }

  // The z-transform of the answer is p(z)/d(z) where the first values are given one after another.
  bool by_first_values(const LinearRecurrence& linear, RecurrenceSolution& out) {
    const std::size_t order = linear.c.size() - 1;
    if (!linear.forcing.is_integer(0) || linear.from != 0 || options_.given.size() != order) return false;
    std::vector<std::optional<Expr>> values(order);
    for (const Expr& g : options_.given) {
      for (const Expr& call : unknown_calls({&g, 1})) {
        const auto place = call.operands()[1].word();
        if (!place || *place < 0 || static_cast<std::size_t>(*place) >= order) return false;
        const Expr rest = expand(call - g);
        if (depends_on(rest, n_) || !unknown_calls({&rest, 1}).empty()) return false;
        values[static_cast<std::size_t>(*place)] = rest;
      }
    }
    std::vector<Expr> p(order, 0);  // without one factor z
    for (std::size_t j = 1; j <= order; ++j) {
      for (std::size_t i = 0; i < j; ++i) {
        if (!values[i]) return false;
        p[j - i - 1] += linear.c[j] * *values[i];
      }
    }
    const auto sum = recurrences::sum_over_numbered_roots(p, linear.c, n_, signs_);
    if (!sum) return false;
    out.value = *sum;
    out.constants.clear();
    return true;
  }

  void meet_values(const LinearRecurrence& linear, RecurrenceSolution& out) {
    if (by_first_values(linear, out)) return;
    if (transforms::contains_call(out.value, {"polynomial_root"}))
      throw Error(
          ErrorKind::unsupported,
          fmt::format("with roots that have no closed form, values are put in where all of {0}(0), ..., {0}({1}) "
                      "are given and there is no forcing",
                      name_, linear.c.size() - 2));
    std::vector<Expr> equations;
    for (const Expr& g : options_.given) {
      Rebuild pass([&](const Expr& e, Expr& r) {
        if (!is_unknown(e)) return false;
        const auto place = e.operands()[1].word();
        if (e.operands().size() != 3 || !place || *place < linear.from)
          throw Error(ErrorKind::usage,
                      fmt::format("a value is given at a whole number from {} on, such as {}({}) = 1, not at {}",
                                  linear.from, name_, linear.from, to_text(e.operands()[1], {40, {}})));
        r = evaluate_operators(put(out.value, n_, Expr(*place)));
        return true;
      });
      equations.push_back(pass(g));
    }
    SolveOptions o;
    o.conditions = options_.conditions;
    std::vector<Expr> present;
    for (const Expr& c : constants_) {
      if (std::any_of(equations.begin(), equations.end(), [&](const Expr& e) { return depends_on(e, c); }))
        present.push_back(c);
    }
    const SolutionSet s = present.empty() ? SolutionSet{} : solve(equations, present, o);
    if (s.solutions.size() != 1)
      throw Error(ErrorKind::domain, "no solution has the values that are given: " + to_text(options_.given[0]) +
                                         " = 0" + (options_.given.size() > 1 ? ", ..." : ""));
    out.value = substitute(out.value, s.solutions[0].values, Unused::allowed);
    std::erase_if(out.constants, [&](const Expr& c) { return !depends_on(out.value, c); });
  }

  [[nodiscard]] Expr shorter(const Expr& e) const {
    const Expr s = simplify(e, {.conditions = options_.conditions});
    return to_text(s).size() < to_text(e).size() ? s : e;
  }

  // The residual at whole n, the values given, and the Casoratian of the constants.
  void verify(const LinearRecurrence& linear, RecurrenceSolution& out) {
    out.check.method = "put into the equation at whole " + n_.name();
    out.check.digits = 30;
    const auto at = [&](std::int64_t place) { return evaluate_operators(put(out.value, n_, Expr(place))); };
    const auto holds = [&](const Expr& e) {
      if (vanishes(e)) return true;
      const auto test = equations::zero_test(e, out.conditions, 2, options_.seed);
      if (test.verdict != equations::Zero::yes) return false;
      out.check.digits = std::min(out.check.digits, test.digits);
      return true;
    };
    out.check.entries = 1;
    for (const std::int64_t step : {0, 1, 2, 3, 4, 7, 12, 23}) {
      const std::int64_t place = linear.from + step;
      Expr residual = -put(linear.forcing, n_, Expr(place));
      for (std::size_t k = 0; k < linear.c.size(); ++k)
        residual += put(linear.c[k], n_, Expr(place)) * at(place + static_cast<std::int64_t>(k));
      if (!holds(residual)) {
        fail(out, fmt::format("what was found does not satisfy the equation at {} = {}", n_.name(), place));
        return;
      }
      ++out.check.points;
    }
    if (options_.given.empty() && !independent(linear, out)) {
      fail(out, "the solutions found are not independent");
      return;
    }
    out.check.verdict = Verdict::agrees;
    bool open = false;
    postorder(out.value, [&](const Expr& e) { open = open || e.is(Kind::reduction); });
    out.status = open ? SolveStatus::unevaluated : SolveStatus::exact;
    if (open) out.reason = "a sum without closed form";
  }

  // The parameters at which the answer has poles, its solutions are not independent or a sign was taken to be such or
  // such: there the equation is solved again.
  void exceptions(const LinearRecurrence& linear, RecurrenceSolution& out) {
    std::vector<Exceptional> places = exceptional_parameters(out.value, equation_, n_, options_.conditions);
    const auto add_zeros = [&](const Expr& e) {
      for (const Exceptional& place : zeros_of_parameters(e, n_, options_.conditions)) places.push_back(place);
    };
    for_each_factor(factor(combine_fractions(casoratian(linear, out))), [&](const Expr& base, const Expr&) {
      if (base.has_symbols()) add_zeros(base);
    });
    for (const Decision& d : signs_.decisions()) {
      add_zeros(d.of);
      if (d.sign != 1 && d.sign != -1) continue;
      const Expr other = condition_of({d.of, -d.sign});
      again(other, {}, {other}, out);
    }
    for (const Exceptional& place : places) {
      const bool own = [&] {
        for (const Expr& c : constants_) {
          if (depends_on(place.value, c) || place.parameter == c) return true;
        }
        return place.parameter == n_ || depends_on(place.value, n_);
      }();
      if (own) continue;
      const Bindings here{{place.parameter, place.value}};
      again(equal(place.parameter, place.value), here, {}, out);
      const bool implied = std::any_of(out.conditions.begin(), out.conditions.end(), [&](const Expr& c) {
        return substitute(c, here, Unused::allowed).is_constant(ConstantCode::false_value);
      });
      if (!implied) out.conditions.push_back(condition_of({place.parameter - place.value, 2}));
    }
    out.conditions = reduced_conditions(out.conditions, options_.conditions);
  }

  void again(const Expr& when, const Bindings& values, const std::vector<Expr>& extra, RecurrenceSolution& out) const {
    for (const SolveException& known : out.exceptions) {
      if (known.when == when) return;
    }
    const auto put = [&](const Expr& e) { return substitute(e, values, Unused::allowed); };
    try {
      RecurrenceOptions o = options_;
      std::transform(o.given.begin(), o.given.end(), o.given.begin(), put);
      std::transform(o.conditions.begin(), o.conditions.end(), o.conditions.begin(), put);
      o.conditions.insert(o.conditions.end(), extra.begin(), extra.end());
      const Expr unknown = UnknownFunction(name_)(n_);
      const RecurrenceSolution s = RecurrenceSolver(put(equation_), unknown, o).run(false);
      out.exceptions.push_back(
          {when, s.check.verdict == Verdict::agrees
                     ? fmt::format("{} = {}{}", to_text(unknown), to_text(s.value, {200, {}}),
                                   s.from > out.from ? fmt::format(" from {} = {} on", n_.name(), s.from) : "")
                     : "not solved"});
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
      out.exceptions.push_back({when, "not solved: " + e.message()});
    }
  }

  static void fail(RecurrenceSolution& out, std::string reason) {
    out.value = 0;
    out.reason = std::move(reason);
    out.check.verdict = Verdict::untested;
  }

  // det y_j(n + k) at the first n, for the solutions y_j that the constants stand with; 1 where none are left.
  [[nodiscard]] Expr casoratian(const LinearRecurrence& linear, const RecurrenceSolution& out) const {
    std::vector<std::vector<Expr>> rows;
    for (const Expr& c : out.constants) {
      const Expr y = derivative(out.value, c);
      rows.emplace_back();
      for (std::size_t k = 0; k < out.constants.size(); ++k)
        rows.back().push_back(put(y, n_, Expr(linear.from + static_cast<std::int64_t>(k))));
    }
    return determinant_of_rows(rows);
  }

  [[nodiscard]] bool independent(const LinearRecurrence& linear, const RecurrenceSolution& out) const {
    return out.constants.size() + 1 == linear.c.size() &&
           equations::zero_test(casoratian(linear, out), out.conditions, 2, options_.seed).verdict ==
               equations::Zero::no;
  }

  Expr equation_;
  const RecurrenceOptions& options_;
  Symbol n_;
  std::string name_;
  Signs signs_;
  std::vector<Expr> constants_;
  std::vector<std::string> steps_;
  int next_ = 0;
};

}  // namespace

RecurrenceSolution solve_recurrence(const Expr& equation, const Expr& unknown, const RecurrenceOptions& options) {
  try {
    return RecurrenceSolver(evaluate_derivatives(equation), unknown, options).run(true);
  } catch (const UnknownSign& u) {
    RecurrenceSolution out;
    out.reason = "it depends on the sign of " + to_text(u.of, {60, {}}) + "; say --assume";
    return out;
  }
}

}  // namespace boreon
