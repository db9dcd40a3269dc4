// SPDX-License-Identifier: MIT
// Heat, waves and potentials on a segment by separation of the variables: sums over the eigenfunctions that meet the
// conditions at both ends (R. Courant and D. Hilbert, Methods of Mathematical Physics I, 1953, chapter V).
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "algebra/put_in.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "boreon/transform.hpp"
#include "boreon/traverse.hpp"
#include "calculus/signs.hpp"
#include "equations/verify.hpp"
#include "pdes/pde_form.hpp"

namespace boreon::pdes {
namespace {

constexpr int most_apart = 12;  // terms that are written beside the sum

struct NotSolved {
  std::string why;
};

// A function on the segment by the eigenfunctions: mean, coefficient in n, other values at some n.
struct Expansion {
  Expr mean = 0;
  Expr of_n = 0;
  std::map<std::int64_t, Expr> apart;
  [[nodiscard]] Expr at(const Expr& n, std::int64_t k) const {
    const auto found = apart.find(k);
    return found != apart.end() ? found->second : put(of_n, n, k);
  }
};

class Segment {
 public:
  Segment(const LinearForm& form, std::span<const OnLine> lines, const PdeOptions& options)
      : form_(form), options_(options) {
    for (const OnLine& l : lines) (l.on_x ? on_x_ : on_y_).push_back(l);
    // the segment is the variable with two ends
    swapped_ = !(on_x_.size() == 2 && ends_apart(on_x_)) && on_y_.size() == 2 && ends_apart(on_y_);
    if (swapped_) std::swap(on_x_, on_y_);
  }

  PdeSolution run() {
    evidence_.digits = 15;
    PdeSolution out;
    try {
      solve(out);
    } catch (const NotSolved& n) {
      out.reason = n.why;
    }
    return out;
  }

 private:
  static bool ends_apart(const std::vector<OnLine>& lines) { return !vanishes(lines[0].place - lines[1].place); }

  [[nodiscard]] Expr at(int along, int over) const { return swapped_ ? form_.at(over, along) : form_.at(along, over); }
  // Orders along the segment and over it.
  [[nodiscard]] Orders turned(const Orders& o) const { return swapped_ ? Orders{o.second, o.first} : o; }
  [[nodiscard]] const Symbol& along() const { return swapped_ ? form_.y : form_.x; }
  [[nodiscard]] const Symbol& over() const { return swapped_ ? form_.x : form_.y; }

  void solve(PdeSolution& out) {
    require_constants();
    read_ends();
    steady_part();
    choose_functions();
    const Expr slope = at(2, 0);
    const Expr square = power(wave_number_, 2);
    if (at(0, 2).is_integer(0)) {
      diffusion(combine_fractions((at(0, 0) - slope * square) / at(0, 1)));
    } else if (at(0, 1).is_integer(0)) {
      second_order(combine_fractions((at(0, 0) - slope * square) / at(0, 2)));
    } else {
      throw NotSolved{"waves with damping have terms of different form for small and large n: not solved"};
    }
    put_together(out);
    check(out);
  }

  void require_constants() const {
    for (const auto& [orders, a] : form_.coefficients) {
      if (a.is_integer(0)) continue;
      if (depends_on(a, form_.x) || depends_on(a, form_.y))
        throw NotSolved{"coefficients that depend on the variables are not separated"};
      const Orders here = turned(orders);
      if (here != Orders{2, 0} && here != Orders{0, 0} && here != Orders{0, 1} && here != Orders{0, 2})
        throw NotSolved{"the equation is not one of heat, waves or potentials"};
    }
    if (at(2, 0).is_integer(0)) throw NotSolved{"there is no second derivative along the segment"};
    if (!form_.forcing.is_integer(0)) throw NotSolved{"equations with a source are not separated"};
    if (on_x_.size() != 2)
      throw NotSolved{fmt::format("two ends are needed: values or slopes at two places of {} or {}", form_.x.name(),
                                  form_.y.name())};
  }

  void read_ends() {
    std::sort(on_x_.begin(), on_x_.end(), [](const OnLine& a, const OnLine& b) {
      const Expr d = b.place - a.place;
      if (is_positive(d)) return true;
      const auto v = certified_value(d, {}, {});
      return v && v->real() > 0;
    });
    start_ = on_x_[0].place;
    length_ = simplify(on_x_[1].place - start_);
    const auto v = certified_value(length_, {}, {});
    if (!is_positive(length_) && !(v && v->real() > 0))
      throw NotSolved{fmt::format("the length {} of the segment is not known to be positive (--assume)",
                                  to_text(length_, {40, {}}))};
    for (int i = 0; i < 2; ++i) {
      const OnLine& l = on_x_[static_cast<std::size_t>(i)];
      const auto [order, other] = turned(l.orders);
      if (order > 1 || other != 0) throw NotSolved{"an end takes a value or the slope along the segment"};
      if (depends_on(l.value, form_.x) || depends_on(l.value, form_.y))
        throw NotSolved{"values at the ends that change are not separated"};
      slope_[i] = order == 1;
      end_[i] = l.value;
    }
  }

  // What stays: a straight line that meets both ends.
  void steady_part() {
    steady_ = 0;
    if (end_[0].is_integer(0) && end_[1].is_integer(0)) return;
    if (!at(0, 0).is_integer(0))
      throw NotSolved{"values at the ends that are not zero need an equation without u itself"};
    if (slope_[0] && slope_[1]) throw NotSolved{"slopes at both ends that are not zero leave nothing that is steady"};
    const Expr x = along() - start_;
    if (!slope_[0] && !slope_[1]) {
      steady_ = end_[0] + (end_[1] - end_[0]) * x / length_;
    } else {
      steady_ = slope_[0] ? end_[1] + end_[0] * (x - length_) : end_[0] + end_[1] * x;
    }
    steps_.push_back("what stays: " + to_text(steady_, {80, {}}));
  }

  void choose_functions() {
    const Expr half = slope_[0] == slope_[1] ? Expr(n_) : n_ - Expr(1) / 2;
    wave_number_ = half * pi() / length_;
    const Expr phase = wave_number_ * (along() - start_);
    function_ = slope_[0] ? cos(phase) : sin(phase);
    steps_.push_back("the functions that meet both ends: " + to_text(function_, {80, {}}));
  }

  [[nodiscard]] Expansion expanded(const Expr& f) {
    Expansion out;
    if (f.is_integer(0)) return out;
    const Symbol x("_x", {Assumption::real});
    Expr g = put(f, along(), start_ + x);
    Expr length = length_;
    const bool mixed = slope_[0] != slope_[1];
    if (mixed) {  // mirrored at the far end: waves of odd number only
      const Expr mirrored = put(g, x, 2 * length - x);
      const Expr branches[] = {g, less(x, length), slope_[0] ? -mirrored : mirrored};
      g = piecewise(branches);
      length = 2 * length;
    }
    TransformOptions o;
    o.conditions = options_.conditions;
    const FourierCoefficients c =
        fourier_coefficients(extended(g, x, length, slope_[0] ? Extension::even : Extension::odd), x, 2 * length, o);
    if (c.status != TransformStatus::exact)
      throw NotSolved{"the coefficients of " + to_text(f, {60, {}}) + " have no closed form: " + c.reason};
    const Expr in_own = slope_[0] ? c.a : c.b;
    const auto renamed = [&](const Expr& e) { return put(e, c.n, mixed ? 2 * Expr(n_) - 1 : Expr(n_)); };
    out.of_n = simplify(renamed(in_own));
    if (slope_[0] && !mixed) out.mean = c.mean;
    for (const FourierException& e : c.exceptions) {
      const std::int64_t k = e.n;
      if (mixed && k % 2 == 0) continue;
      out.apart[mixed ? (k + 1) / 2 : k] = slope_[0] ? e.a : e.b;
    }
    evidence_.points += c.check.points;
    evidence_.digits = std::min(evidence_.digits, c.check.digits);
    return out;
  }

  // The condition of this order at a place of the other variable; its value without the steady part.
  [[nodiscard]] std::optional<Expr> given_at(const Expr& place, int order) const {
    for (const OnLine& l : on_y_) {
      const auto [other, in] = turned(l.orders);
      if (in != order || other != 0 || !(l.place == place)) continue;
      return order == 0 ? l.value - steady_ : l.value;
    }
    return std::nullopt;
  }

  // u_t = -rate*u for each function
  void diffusion(const Expr& rate) {
    if (on_y_.size() != 1) throw NotSolved{"the heat equation takes one start: u at one time"};
    begin_ = on_y_[0].place;
    const auto f = given_at(begin_, 0);
    if (!f) throw NotSolved{"the heat equation takes u itself at the start"};
    const Expr s = over() - begin_;
    parts_.push_back({expanded(*f), exp(-rate * s), exp(-put(rate, n_, 0) * s)});
    steps_.push_back("each falls as " + to_text(parts_[0].factor, {80, {}}));
  }

  // T'' + rate*T = 0 for each function
  void second_order(const Expr& rate) {
    const bool waves = is_positive(rate);
    if (!waves && !is_negative(rate))
      throw NotSolved{fmt::format("the sign of {} for all n decides between waves and potentials and is not known",
                                  to_text(rate, {60, {}}))};
    if (slope_[0] && slope_[1] && !at(0, 0).is_integer(0))
      throw NotSolved{"slopes at both ends with a term in u itself are not separated here"};
    if (waves) {
      waves_of(sqrt(rate));
    } else {
      if (!steady_.is_integer(0)) throw NotSolved{"values at the ends of a potential that are not zero: not separated"};
      potential_of(sqrt(-rate));
    }
  }

  void waves_of(const Expr& root) {
    const Expr w = simplify(root);
    if (on_y_.empty()) throw NotSolved{"the wave equation takes u and its rate at the start"};
    begin_ = on_y_[0].place;
    const auto f = given_at(begin_, 0);
    const auto g = given_at(begin_, 1);
    if (!f || !g || on_y_.size() != 2) throw NotSolved{"the wave equation takes u and its rate at one start"};
    const Expr s = over() - begin_;
    parts_.push_back({expanded(*f), cos(w * s), 1});
    parts_.push_back({expanded(*g), sin(w * s) / w, s});
    steps_.push_back("each swings with the angular frequency " + to_text(w, {60, {}}));
  }

  void potential_of(const Expr& root) {
    const Expr k = simplify(root);
    if (on_y_.size() != 2)
      throw NotSolved{"a potential takes values on two sides of the segment, one may be at infinity"};
    std::size_t far = 1;
    if (on_y_[0].place == infinity()) far = 0;
    const OnLine& away = on_y_[far];
    const OnLine& near = on_y_[1 - far];
    begin_ = near.place;
    const auto f = given_at(near.place, 0);
    const auto h = given_at(away.place, 0);
    if (!f || !h) throw NotSolved{"the sides of a potential take values"};
    const Expr s = over() - begin_;
    if (away.place == infinity()) {
      if (!h->is_integer(0)) throw NotSolved{"at infinity the potential has to be 0"};
      if (slope_[0] && slope_[1]) throw NotSolved{"slopes at both ends leave a mean that does not vanish at infinity"};
      parts_.push_back({expanded(*f), exp(-k * s), 0});
    } else {
      const Expr height = simplify(away.place - begin_);
      // sinh(k*(height - s))/sinh(k*height), in exponentials that do not leave the range of doubles for large n
      const auto falling = [&](const Expr& from_far) {
        return (exp(-k * (height - from_far)) - exp(-k * (height + from_far))) / (1 - exp(-2 * k * height));
      };
      parts_.push_back({expanded(*f), falling(height - s), 1 - s / height});
      parts_.push_back({expanded(*h), falling(s), s / height});
    }
    steps_.push_back("each by exponentials of " + to_text(k, {60, {}}));
  }

  void put_together(PdeSolution& out) {
    Expr beside = steady_;
    Expr term = 0;
    std::int64_t last = 0;
    for (const Part& p : parts_) {
      beside += p.of.mean * p.of_mean;
      term += p.of.of_n * p.factor;
      for (const auto& [k, value] : p.of.apart) last = std::max(last, k);
    }
    if (last > most_apart) throw NotSolved{"too many coefficients stand apart from the formula"};
    for (std::int64_t k = 1; k <= last; ++k) {
      Expr one = 0;
      for (const Part& p : parts_) one += p.of.at(n_, k) * put(p.factor, n_, k);
      beside += simplify(one * put(function_, n_, k));
    }
    out.index = n_;
    out.from = last + 1;
    out.beside = beside;
    out.term = vanishes(term) ? Expr(0) : simplify(term) * function_;
    out.value = beside;
    if (!out.term->is_integer(0)) out.value += unevaluated_sum(*out.term, n_, out.from, infinity());
    out.steps = steps_;
  }

  // The general term in the equation and at the ends, the sum beside what is given at the start.
  void check(PdeSolution& out) {
    std::vector<Expr> zero{residual_of(form_, *out.term), residual_of(form_, *out.beside)};
    for (int i = 0; i < 2; ++i) {
      const Expr d = slope_[i] ? derivative(*out.term, along()) : *out.term;
      zero.push_back(put(d, along(), on_x_[static_cast<std::size_t>(i)].place));
      const Expr all = slope_[i] ? derivative(*out.beside, along()) : *out.beside;
      zero.push_back(put(all, along(), on_x_[static_cast<std::size_t>(i)].place) - end_[i]);
    }
    for (const Expr& e : zero) {
      if (e.is_integer(0)) continue;
      const equations::ZeroTest z = equations::zero_test(e, options_.conditions, 4, options_.seed);
      if (z.verdict != equations::Zero::yes)
        throw NotSolved{"what was found does not satisfy the equation at " + to_text(e, {60, {}})};
      evidence_.points += z.points;
      evidence_.digits = std::min(evidence_.digits, z.digits);
    }
    for (const OnLine& l : on_y_) compare_start(out, l);
    out.status = SolveStatus::exact;
    out.check = evidence_;
    out.check.method = "each term in the equation and at the ends, coefficients beside quadrature, sums at the start";
    out.check.entries = 1;
    out.check.verdict = Verdict::agrees;
  }

  // Mean squares over the segment: what the partial sum misses of the given function is small.
  void compare_start(const PdeSolution& out, const OnLine& l) const {
    if (l.place == infinity()) return;
    constexpr std::int64_t terms = 60;
    constexpr int places = 64;
    const int in = turned(l.orders).second;
    Expr sum = out.partial_sum(terms);
    if (in == 1) sum = derivative(sum, over());
    sum = put(sum, over(), l.place);
    Bindings numbers;
    std::vector<Expr> both{sum, l.value, length_, start_};
    for (const Symbol& s : free_symbols(both)) {
      if (!(s == along())) numbers.set(s, Expr(Number(11 + static_cast<std::int64_t>(numbers.entries().size()), 8)));
    }
    double missed = 0;
    double whole = 0;
    const Expr apart = in == 0 ? steady_ : Expr(0);
    for (int i = 0; i < places; ++i) {
      Bindings here = numbers;
      here.set(along(), substitute(start_ + length_ * Number(2 * i + 1, 2 * places), numbers, Unused::allowed));
      // coefficients may be real only as a whole: erf of complex arguments
      const double is = evaluate_complex(sum, here, Unused::allowed).real();
      const double wanted = evaluate(l.value, here, Unused::allowed);
      missed += (is - wanted) * (is - wanted);
      const double straight = evaluate(apart, here, Unused::allowed);
      whole += (wanted - straight) * (wanted - straight);
    }
    if (missed > 0.03 * whole + 1e-20) throw NotSolved{"the sum does not lead to what is given at the start"};
  }

  struct Part {
    Expansion of;
    Expr factor;   // of each function, in n
    Expr of_mean;  // of the constant one
  };
  const LinearForm& form_;
  const PdeOptions& options_;
  std::vector<OnLine> on_x_;  // at the ends
  std::vector<OnLine> on_y_;
  bool swapped_ = false;
  bool slope_[2] = {};
  Expr end_[2];
  Expr start_;
  Expr length_;
  Expr begin_;
  Expr steady_;
  Symbol n_{"n", {Assumption::integer, Assumption::positive}};
  Expr wave_number_;
  Expr function_;
  std::vector<Part> parts_;
  std::vector<std::string> steps_;
  Evidence evidence_;
};

}  // namespace

std::optional<PdeSolution> by_eigenfunctions(const LinearForm& form, std::span<const OnLine> lines,
                                             const PdeOptions& options) {
  bool second = false;
  for (const auto& [orders, a] : form.coefficients) second = second || orders.first + orders.second == 2;
  if (!second) return std::nullopt;
  return Segment(form, lines, options).run();
}

}  // namespace boreon::pdes
