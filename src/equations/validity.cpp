// SPDX-License-Identifier: MIT
#include "equations/validity.hpp"

#include <algorithm>
#include <cmath>
#include <optional>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/linear_algebra.hpp"
#include "boreon/sampling.hpp"
#include "boreon/simplify.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/signs.hpp"
#include "equations/real_search.hpp"
#include "equations/replaced.hpp"
#include "equations/roots.hpp"
#include "equations/verify.hpp"

namespace boreon::equations {
namespace {

constexpr std::size_t most_switches = 14;
constexpr std::size_t points_wanted = 80;
constexpr std::size_t lines_wanted = 12;
constexpr std::size_t enough = 3;  // points on each side
constexpr double far = 1e6;
constexpr double near = 10;

bool is_of_root(const Expr& exponent) {
  return exponent.is_number() && exponent.number().is_exact() && !exponent.number().is_integer();
}

// An expression whose sign may decide.
struct Switch {
  Expr of;
  bool strict = false;  ///< it stands in a denominator: zero is left out
};

class Switches {
 public:
  Switches(const Expr& residual, std::span<const Expr> own) {
    std::vector<Expr> all{residual};
    all.insert(all.end(), own.begin(), own.end());
    for (const Expr& c : own) {
      if (c.is(Kind::relation)) take(c.operands()[0] - c.operands()[1], false);
    }
    postorder(std::span<const Expr>(all), [&](const Expr& n) {
      for_each_factor(n, [&](const Expr& base, const Expr& exponent) {
        if (is_of_root(exponent)) take(base, exponent.number().sign() < 0);
      });
      if (is_call_of(n, "abs") || is_call_of(n, "sign")) take(n.operands()[0], false);
    });
    // what a root has to equal has its sign
    const std::vector<Expr> terms = terms_of(residual);
    for (const Expr& term : terms) {
      bool root = false;
      for_each_factor(term, [&](const Expr&, const Expr& exponent) {
        root = root || (exponent.is_number() && !exponent.number().is_integer());
      });
      if (root) take(residual - term, false);
    }
  }
  [[nodiscard]] const std::vector<Switch>& list() const { return list_; }

 private:
  void take(const Expr& argument, bool strict) {
    if (!argument.has_symbols()) return;
    const Expr f = factor(combine_fractions(argument));
    Expr odd = 1;
    for_each_factor(f, [&](const Expr& base, const Expr& exponent) {
      if (!base.has_symbols() || !exponent.is_number()) return;
      const bool below = exponent.number().sign() < 0;
      add({base, strict || below});
      if (!exponent.is_integer(2) && !exponent.is_integer(-2)) odd = odd * (below ? 1 / base : base);
    });
    const Quotient q = quotient(odd);
    add({expand(q.numerator * q.denominator), strict || q.denominator.has_symbols()});
  }

  void add(const Switch& s) {
    if (!s.of.has_symbols()) return;
    const auto same = std::find_if(list_.begin(), list_.end(), [&](const Switch& o) { return o.of == s.of; });
    if (same != list_.end()) {
      same->strict = same->strict || s.strict;
    } else if (list_.size() < most_switches) {
      list_.push_back(s);
    }
  }

  std::vector<Switch> list_;
};

// The places where an expression in one symbol with roots is zero, and perhaps others, as zeros of polynomials without
// multiple ones.
std::vector<Expr> zeros_of_norm(Expr e) {
  constexpr int most_roots = 4;
  for (int k = 0; k < most_roots; ++k) {
    const Symbol s("_s");
    std::vector<Expr> roots;
    postorder(e, [&](const Expr& n) {
      for_each_factor(n, [&](const Expr& base, const Expr& exponent) {
        if (base.has_symbols() && is_of_root(exponent)) roots.push_back(power(base, exponent));
      });
    });
    // one that stands in no other
    const auto root = std::find_if(roots.begin(), roots.end(), [&](const Expr& r) {
      return std::none_of(roots.begin(), roots.end(), [&](const Expr& other) {
        return !(other == r) && depends_on(replaced(other, {{r, s}}), s);
      });
    });
    if (root == roots.end()) break;
    const Expr p = quotient(replaced(e, {{*root, s}})).numerator;
    const auto q = root->operands()[1].number().denominator();
    const Quotient value = quotient(power(*root, Expr(q)));
    e = resultant(p, value.denominator * power(s, Expr(q)) - value.numerator, s);
  }
  std::vector<Expr> out;
  const Quotient f = quotient(factor(combine_fractions(e)));
  for (const Expr& part : {f.numerator, f.denominator}) {
    for_each_factor(factor(part), [&](const Expr& base, const Expr&) {
      if (base.has_symbols()) out.push_back(base);
    });
  }
  return out;
}

struct Look {
  std::vector<int> signs;
  bool own = false;    ///< its own conditions hold
  bool valid = false;  ///< and the residual is zero
};

class Search {
 public:
  Search(const Expr& residual, std::span<const Expr> own, std::span<const Expr> given, std::uint64_t seed)
      : residual_(residual), own_(own), given_(given), switches_(Switches(residual, own).list()) {
    std::vector<Expr> all{residual};
    all.insert(all.end(), own.begin(), own.end());
    all.insert(all.end(), given.begin(), given.end());
    leaves_ = sampled_leaves(all);
    if (switches_.empty() || leaves_.empty()) return;
    if (std::all_of(leaves_.begin(), leaves_.end(), [](const Expr& l) { return l.is(Kind::symbol); }))
      look_at_lines(seed);
    look_around(seed);
  }

  [[nodiscard]] Validity result() const {
    if (looks_.empty()) return {};
    const auto valid =
        static_cast<std::size_t>(std::count_if(looks_.begin(), looks_.end(), [](const Look& l) { return l.valid; }));
    if (valid == 0 && (every_interval_ || looks_.size() >= points_wanted)) return {Validity::Kind::nowhere};
    if (interval_) return {Validity::Kind::somewhere, *interval_};
    if (std::all_of(looks_.begin(), looks_.end(), [](const Look& l) { return l.valid || !l.own; }))
      return {Validity::Kind::everywhere};
    // with one parameter each interval has been looked at
    const std::size_t least = every_interval_ ? 1 : enough;
    if (valid >= least && looks_.size() - valid >= least) {
      if (auto v = by_signs()) return *v;
    }
    return {Validity::Kind::unclear};
  }

 private:
  using Choice = std::pair<std::size_t, int>;  // a switch and its sign

  [[nodiscard]] std::optional<Validity> by_signs() const {
    std::vector<Choice> holding;  // that all valid points share
    for (std::size_t i = 0; i < switches_.size(); ++i) {
      for (const int sign : {1, -1}) {
        if (std::all_of(looks_.begin(), looks_.end(), [&](const Look& l) { return !l.valid || l.signs[i] == sign; }))
          holding.emplace_back(i, sign);
      }
    }
    std::stable_sort(holding.begin(), holding.end(), [&](const Choice& a, const Choice& b) {
      return operation_count(switches_[a.first].of) < operation_count(switches_[b.first].of);
    });
    const auto separates = [&](const std::vector<Choice>& chosen) {
      return std::all_of(looks_.begin(), looks_.end(), [&](const Look& l) {
        return l.valid ||
               std::any_of(chosen.begin(), chosen.end(), [&](const Choice& c) { return l.signs[c.first] != c.second; });
      });
    };
    for (const Choice& one : holding) {
      if (separates({one})) return as_conditions({one});
    }
    for (std::size_t i = 0; i < holding.size(); ++i) {
      for (std::size_t k = i + 1; k < holding.size(); ++k) {
        if (separates({holding[i], holding[k]})) return as_conditions({holding[i], holding[k]});
      }
    }
    return std::nullopt;
  }

  [[nodiscard]] Validity as_conditions(const std::vector<Choice>& chosen) const {
    Validity v{Validity::Kind::somewhere};
    const Signs none;
    for (const auto& [i, sign] : chosen)
      (void)require_sign(sign > 0 ? switches_[i].of : expand(-switches_[i].of), switches_[i].strict, none,
                         v.conditions);
    return v;
  }

  void look_around(std::uint64_t seed) {
    const SampleRanges ranges;
    Sampler sampler(leaves_, ranges, seed + 11);
    std::size_t valid = 0;
    for (std::size_t k = 0; k < 4 * points_wanted; ++k) {
      const std::vector<double> point = sampler.draw(given_);
      if (point.size() != leaves_.size()) break;
      if (const auto l = look(point)) {
        looks_.push_back(*l);
        valid += l->valid ? 1 : 0;
      }
      if (looks_.size() >= points_wanted && (valid >= enough || every_interval_)) break;
    }
  }

  // Along one parameter, with numbers for the others: the places where a switch is zero, and a point between each two.
  struct Line {
    std::vector<double> zeros;
    std::vector<bool> holds;  ///< below the first zero, between, above the last one
    bool complete = true;
  };
  Line look_along(std::size_t parameter, std::vector<double> point) {
    Line line;
    const Expr& x = leaves_[parameter];
    Bindings others;
    for (std::size_t i = 0; i < leaves_.size(); ++i) {
      if (i != parameter) others.set(leaves_[i], Expr(Number::exact(point[i])));
    }
    for (const Expr& p : norms_) {
      const Expr with = substitute(p, others, Unused::allowed);
      if (!depends_on(with, x)) continue;
      // sin(a) - 1 has zeros without end
      const bool polynomial = polynomial_in(with, Symbol::from(x), 200).has_value();
      const double range = polynomial ? far : near;
      const RealSearch found = real_roots_within(with, x, -range, range, 17);
      line.complete = line.complete && polynomial && found.complete();
      for (const CertifiedRoot& r : found.roots) line.zeros.push_back(std::stod(r.decimal));
    }
    std::sort(line.zeros.begin(), line.zeros.end());
    line.zeros.erase(
        std::unique(line.zeros.begin(), line.zeros.end(), [](double u, double v) { return v - u <= 1e-9; }),
        line.zeros.end());
    for (std::size_t i = 0; i <= line.zeros.size(); ++i) {
      point[parameter] = line.zeros.empty()       ? 1.3125
                         : i == 0                 ? line.zeros[0] - 1.3125
                         : i == line.zeros.size() ? line.zeros.back() + 1.3125
                                                  : line.zeros[i - 1] + 0.4375 * (line.zeros[i] - line.zeros[i - 1]);
      others.set(x, Expr(Number::exact(point[parameter])));
      const bool open = std::none_of(given_.begin(), given_.end(),
                                     [&](const Expr& c) { return is_false(substitute(c, others, Unused::allowed)); });
      const auto l = open ? look(point) : std::nullopt;
      line.complete = line.complete && (l || !open);
      if (l) looks_.push_back(*l);
      line.holds.push_back(l && l->valid);
    }
    return line;
  }

  void look_at_lines(std::uint64_t seed) {
    for (const Switch& s : switches_) {
      for (const Expr& p : zeros_of_norm(s.of)) {
        if (std::find(norms_.begin(), norms_.end(), p) == norms_.end()) norms_.push_back(p);
      }
    }
    std::vector<std::size_t> continuous;  // whole numbers, such as n1 of a family, stay as they are drawn
    for (std::size_t i = 0; i < leaves_.size(); ++i) {
      if (!is_integer(leaves_[i])) continuous.push_back(i);
    }
    if (continuous.empty()) return;
    const SampleRanges ranges;
    Sampler sampler(leaves_, ranges, seed + 12);
    if (continuous.size() == 1) {
      parameter_ = continuous[0];
      base_ = sampler.draw(given_);
      if (base_.size() != leaves_.size()) return;
      const Line line = look_along(parameter_, base_);
      every_interval_ = line.complete && leaves_.size() == 1;
      if (line.complete) interval_ = interval_of(line.zeros, line.holds);
      return;
    }
    for (std::size_t k = 0; k < lines_wanted; ++k) {
      const std::vector<double> point = sampler.draw(given_);
      if (point.size() != leaves_.size()) break;
      (void)look_along(continuous[k % continuous.size()], point);
    }
  }

  // One interval with ends that are short fractions.
  [[nodiscard]] std::optional<std::vector<Expr>> interval_of(const std::vector<double>& zeros,
                                                             const std::vector<bool>& holds) const {
    const auto first = static_cast<std::size_t>(std::find(holds.begin(), holds.end(), true) - holds.begin());
    auto last = first;
    while (last + 1 < holds.size() && holds[last + 1]) ++last;
    if (first == holds.size() ||
        std::find(holds.begin() + static_cast<std::ptrdiff_t>(last) + 1, holds.end(), true) != holds.end())
      return std::nullopt;
    std::vector<Expr> out;
    // zeros inside may be left out of the interval
    for (std::size_t i = first; i < last; ++i) {
      const auto at = fraction(zeros[i]);
      if (!at) return std::nullopt;
      if (!valid_at(*at)) out.push_back(not_equal(leaves_[parameter_], *at));
    }
    for (const bool upper : {false, true}) {
      if (upper ? last == zeros.size() : first == 0) continue;
      const auto at = fraction(upper ? zeros[last] : zeros[first - 1]);
      if (!at) return std::nullopt;
      const bool closed = valid_at(*at);
      const Expr& x = leaves_[parameter_];
      out.push_back(upper ? (closed ? less_equal(x, *at) : less(x, *at))
                          : (closed ? greater_equal(x, *at) : greater(x, *at)));
    }
    return out;
  }

  // Within rounding of a number with a denominator of at most two digits.
  [[nodiscard]] static std::optional<Expr> fraction(double v) {
    for (std::int64_t d = 1; d < 100; ++d) {
      const double n = std::round(v * static_cast<double>(d));
      if (std::abs(n) < 1e12 && std::abs(v * static_cast<double>(d) - n) <= 1e-12 * std::max(1.0, std::abs(n)))
        return Expr(Number(static_cast<std::int64_t>(n), d));
    }
    return std::nullopt;
  }

  [[nodiscard]] bool valid_at(const Expr& place) const {
    Bindings there;
    for (std::size_t i = 0; i < leaves_.size(); ++i)
      there.set(leaves_[i], i == parameter_ ? place : Expr(Number::exact(base_[i])));
    return own_conditions(there) && zero(there).value_or(false);
  }

  [[nodiscard]] bool own_conditions(const Bindings& there) const {
    try {
      return std::none_of(own_.begin(), own_.end(),
                          [&](const Expr& c) { return is_false(substitute(c, there, Unused::allowed)); });
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
      return false;  // a division by zero
    }
  }

  // Nothing where it cannot be told.
  [[nodiscard]] std::optional<bool> zero(const Bindings& there) const {
    try {
      const Zero z = zero_test(substitute(residual_, there, Unused::allowed), {}, 1, 1).verdict;
      if (z == Zero::unknown) return std::nullopt;
      return z == Zero::yes;
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
      return false;  // a division by zero
    }
  }

  [[nodiscard]] std::optional<Look> look(const std::vector<double>& point) const {
    Look l;
    for (const Switch& s : switches_) {
      const auto v = certified_value(s.of, leaves_, point);
      const bool real = v && v->imag() == 0 && v->real() != 0;
      l.signs.push_back(!real ? 0 : v->real() > 0 ? 1 : -1);  // of sqrt(a) none where a < 0
    }
    Bindings there;
    for (std::size_t i = 0; i < leaves_.size(); ++i) there.set(leaves_[i], Expr(Number::exact(point[i])));
    l.own = own_conditions(there);
    if (!l.own) return l;
    const auto z = zero(there);
    if (!z) return std::nullopt;
    l.valid = *z;
    return l;
  }

  const Expr& residual_;
  std::span<const Expr> own_;
  std::span<const Expr> given_;
  std::vector<Switch> switches_;
  std::vector<Expr> leaves_;
  std::vector<Expr> norms_;  ///< polynomials that are zero where switches are
  std::vector<Look> looks_;
  bool every_interval_ = false;
  std::size_t parameter_ = 0;  ///< the one that is not a whole number, if there is one
  std::vector<double> base_;   ///< the whole numbers beside it
  std::optional<std::vector<Expr>> interval_;
};

}  // namespace

Validity where_valid(const Expr& residual, std::span<const Expr> own, std::span<const Expr> given, std::uint64_t seed) {
  return Search(residual, own, given, seed).result();
}

}  // namespace boreon::equations
