// SPDX-License-Identifier: MIT
#include "equations/real_line.hpp"

#include <algorithm>
#include <cmath>
#include <complex>
#include <cstdint>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/series.hpp"
#include "boreon/traverse.hpp"
#include "boreon/work.hpp"
#include "calculus/integral/breaks.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/signs.hpp"
#include "equations/domain_ends.hpp"
#include "equations/real_search.hpp"
#include "equations/single.hpp"
#include "equations/verify.hpp"
#include "expr/canonical.hpp"
#include "expr/work.hpp"

namespace boreon::equations {
namespace {

constexpr int deepest_halving = 8;              // derivatives of derivatives
constexpr std::size_t largest = 4000;           // nodes of a derivative
constexpr std::uint64_t most_work = 100000000;  // about a second
constexpr int halvings = 400;
constexpr std::size_t parts_of_witness = 4000;

struct NotProved {};

// The real value with at least its sign certain; nothing where it is not real or has none.
std::optional<double> real_value(const Expr& e, const Expr& x, double at) {
  const auto v = certified_value(e, {&x, 1}, {&at, 1});
  if (!v || v->imag() != 0 || !(std::abs(v->real()) > 1e-35)) return std::nullopt;
  return v->real();
}

int sign_of(double v) { return v > 0 ? 1 : v < 0 ? -1 : 0; }

// The largest amount of a sum of constants times sines and cosines; nothing for other terms.
std::optional<Expr> height_of(const Expr& term) {
  Expr height = 1;
  bool waves = false;
  bool other = false;
  for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
    if (!base.has_symbols() && !exponent.has_symbols()) {
      height *= power(base, exponent);
    } else if ((is_call_of(base, "sin") || is_call_of(base, "cos") || is_call_of(base, "tanh")) &&
               exponent.is_number() && exponent.number().is_integer()) {
      waves = true;
      other = other || !is_positive(exponent);
    } else {
      other = true;
    }
  });
  if (!waves || other) return std::nullopt;
  return abs(height);
}

class Line {
 public:
  Line(const Symbol& x, int digits) : x_(x), of_x_(x), digits_(digits) {
    const Assumptions a = x.assumptions();
    if (a.has(Assumption::nonnegative) || a.has(Assumption::positive)) low_ = 0;
    if (a.has(Assumption::nonpositive) || a.has(Assumption::negative)) high_ = 0;
  }

  std::vector<LineRoot> zeros(const Expr& e, int depth) {
    if (depth > deepest_halving || node_count(e) > largest) throw NotProved{};
    std::vector<LineRoot> out;
    for_each_factor(e, [&](const Expr& base, const Expr& exponent) {
      if (!depends_on(base, x_) && !depends_on(exponent, x_)) return;
      if (is_call_of(base, "exp")) return;
      if (!exponent.is_number()) throw NotProved{};
      if (!is_positive(exponent)) return;  // a pole at most
      for (const LineRoot& r : of_factor(base, depth)) out.push_back(r);
    });
    std::vector<LineRoot> real;
    for (LineRoot& r : out) {
      if (std::none_of(real.begin(), real.end(), [&](const LineRoot& o) { return same(o, r); }))
        real.push_back(std::move(r));
    }
    std::sort(real.begin(), real.end(), [](const LineRoot& a, const LineRoot& b) { return a.place < b.place; });
    return real;
  }

  // Halving a range about them finds no other: a witness that knows nothing of derivatives' zeros, limits and ends.
  [[nodiscard]] bool agrees(const Expr& e, const std::vector<LineRoot>& roots) const {
    constexpr double beside = 12.0625;
    const double low = std::max(low_, (roots.empty() ? 0 : roots.front().place) - beside);
    const double high = std::min(high_, (roots.empty() ? 0 : roots.back().place) + beside);
    const RealSearch search = real_roots_within(e, of_x_, low, high, 17, parts_of_witness);
    const auto near = [](double a, double b) { return std::abs(a - b) <= 1e-6 * std::max(1.0, std::abs(a)); };
    for (const CertifiedRoot& r : search.roots) {
      const double place = std::stod(r.decimal);
      if (std::none_of(roots.begin(), roots.end(), [&](const LineRoot& o) { return near(o.place, place); }))
        return false;
    }
    return true;
  }

 private:
  static bool same(const LineRoot& a, const LineRoot& b) {
    if (a.value == b.value) return true;
    if (std::abs(a.place - b.place) > 1e-9 * std::max(1.0, std::abs(a.place))) return false;
    if (!a.decimal.empty() || !b.decimal.empty()) throw NotProved{};
    return vanishes(a.value - b.value);
  }

  // Each form between the places where it changes, and those places.
  std::vector<LineRoot> by_pieces(const Expr& f, int depth) {
    Signs signs;
    const auto breaks = breaks_of_pieces(f, x_, signs);
    if (!breaks) throw NotProved{};
    std::vector<LineRoot> out;
    for (std::size_t i = 0; i <= breaks->size(); ++i) {
      const Expr from = i == 0 ? -infinity() : (*breaks)[i - 1];
      const Expr to = i == breaks->size() ? infinity() : (*breaks)[i];
      const auto piece = piece_between(f, x_, from, to, signs);
      if (!piece || has_piece(*piece) || vanishes(*piece)) throw NotProved{};
      const auto low = double_of(from);
      const auto high = double_of(to);
      if (!low || !high) throw NotProved{};
      for (LineRoot& r : zeros(*piece, depth + 1)) {
        const double margin = 1e-12 * std::max(1.0, std::abs(r.place));
        if (std::abs(r.place - *low) <= margin || std::abs(r.place - *high) <= margin) {
          if (!r.decimal.empty()) throw NotProved{};
          continue;  // looked at below
        }
        if (r.place > *low && r.place < *high) out.push_back(std::move(r));
      }
    }
    for (const Expr& b : *breaks) {
      const LineRoot root{b, double_of(b).value_or(NAN), {}};
      if (!outside(root) && sign_at(f, root) == 0) out.push_back(root);
    }
    return out;
  }

  std::vector<LineRoot> of_factor(const Expr& f, int depth) {
    charge(100);
    if (has_piece(f)) return by_pieces(f, depth);
    SingleSolver solver({});
    if (const auto roots = solver(f, x_); roots && solver.integers().empty() && solver.left_out().empty()) {
      std::vector<LineRoot> out;
      for (const Root& r : *roots) {
        if (!r.conditions.empty()) throw NotProved{};
        auto root = exact_place(r.value);
        if (root && !outside(*root) && sign_at(f, *root) == 0) out.push_back(std::move(*root));
      }
      return out;
    }
    if (definite(f, depth)) {
      const LineRoot zero{0, 0, {}};
      if (outside(zero) || sign_at(f, zero) != 0) return {};
      return {zero};
    }
    if (auto found = among_waves(f, depth)) return *found;
    return between_ends(f, depth);
  }

  [[nodiscard]] bool outside(const LineRoot& r) const {
    const Assumptions a = x_.assumptions();
    if (r.value.is_integer(0)) return a.has(Assumption::positive) || a.has(Assumption::negative);
    return r.place < low_ || r.place > high_;
  }

  // Whether f has one sign above zero and one below by the signs of its terms, or is not real there.
  bool definite(const Expr& f, int depth) {
    if (is_positive(f) || is_negative(f)) return true;
    const Symbol p("_p", {Assumption::positive});
    const auto signed_with = [&](const Expr& v) {
      const Expr there = substitute(f, {{of_x_, v}}, Unused::allowed);
      return is_positive(there) || is_negative(there);
    };
    if (high_ > 0 && !signed_with(p)) return false;
    if (low_ >= 0 || signed_with(-Expr(p))) return true;
    constexpr double inside = -0.8125;
    if (real_value(f, of_x_, inside)) return false;
    const std::vector<LineRoot> ends = ends_of(f);
    if (std::any_of(ends.begin(), ends.end(), [](const LineRoot& r) { return r.place < 0; })) return false;
    not_real(f, inside, -HUGE_VAL, 0, depth);
    return true;
  }

  // f = g + waves is zero only where |g| is at most their height: between the outermost zeros of |g| - height.
  std::optional<std::vector<LineRoot>> among_waves(const Expr& f, int depth) {
    if (!f.is(Kind::sum)) return std::nullopt;
    Expr height = 0;
    Expr rest = 0;
    for (const Expr& t : terms_of(f)) {
      if (const auto h = height_of(t)) {
        height += *h;
      } else {
        rest += t;
      }
    }
    if (height.is_integer(0) || !depends_on(rest, x_)) return std::nullopt;
    std::vector<double> ends;
    for (const Expr& g : {rest - height, rest + height}) {
      for (const LineRoot& r : zeros(g, depth + 1)) ends.push_back(r.place);
    }
    for (const LineRoot& r : ends_of(rest)) ends.push_back(r.place);
    if (ends.empty()) return std::nullopt;
    const auto [least, most] = std::minmax_element(ends.begin(), ends.end());
    const double low = std::max(low_, *least - 1e-3 * std::max(1.0, std::abs(*least)));
    const double high = std::min(high_, *most + 1e-3 * std::max(1.0, std::abs(*most)));
    const Expr excess = power(rest, 2) - power(height, 2);
    for (const double beyond : {low, high}) {
      if (beyond <= low_ || beyond >= high_) continue;
      const auto v = real_value(excess, of_x_, beyond);
      if (!v || *v <= 0) return std::nullopt;
    }
    const RealSearch search = real_roots_within(f, of_x_, low, high, digits_);
    if (!search.complete()) return std::nullopt;
    std::vector<LineRoot> out;
    for (const CertifiedRoot& r : search.roots) {
      LineRoot root = decimal_root(r.decimal);
      if (!outside(root)) out.push_back(std::move(root));
    }
    return out;
  }

  static LineRoot decimal_root(const std::string& decimal) {
    if (decimal == "0") return {0, 0, {}};
    return {Number::parse(decimal), std::stod(decimal), decimal};
  }

  // A place in closed form; nothing where it is not real.
  static std::optional<LineRoot> exact_place(const Expr& p) {
    const auto v = certified_value(p, {}, {});
    if (!v && !p.is_integer(0)) throw NotProved{};
    const std::complex<double> value = v.value_or(0.0);
    if (std::abs(value.imag()) > 1e-14 * std::abs(value)) return std::nullopt;
    return LineRoot{p, value.real(), {}};
  }

  // Where f is singular or ceases to be real.
  std::vector<LineRoot> ends_of(const Expr& f) {
    const auto places = domain_ends_and_breaks(f, x_);
    if (!places) throw NotProved{};
    std::vector<LineRoot> out;
    for (const Expr& p : *places) {
      if (p.has_symbols()) throw NotProved{};
      if (auto place = exact_place(p)) out.push_back(std::move(*place));
    }
    return out;
  }

  // The sign at a place that is exact or enclosed, 2 without a real value; throws where it cannot be told.
  [[nodiscard]] int sign_at(const Expr& f, const LineRoot& r) const {
    if (!r.decimal.empty()) {
      const auto s = sign_within(f, of_x_, r.decimal);
      if (!s) throw NotProved{};
      return *s;
    }
    Expr value;
    try {
      value = substitute(f, {{of_x_, r.value}}, Unused::allowed);
    } catch (const Error&) {
      return 2;  // no value there
    }
    const Zero zero = zero_test(value, {}, 1, 1).verdict;
    if (zero == Zero::yes) return 0;
    if (zero == Zero::undefined) return 2;
    const auto v = certified_value(value, {}, {});
    if (zero == Zero::unknown || !v) throw NotProved{};
    if (std::abs(v->imag()) > 1e-10 * std::abs(*v)) return 2;
    if (v->imag() != 0 && std::abs(v->imag()) > 1e-30) throw NotProved{};
    return sign_of(v->real());
  }

  // Where f may cease to be monotone: the zeros of its derivative. Of two terms the quotient is zero where it is -1,
  // and its logarithm has the simpler derivative.
  struct Monotone {
    Expr f;
    Expr slope;
  };
  [[nodiscard]] Monotone monotone_form(const Expr& f) const {
    const std::vector<Expr> terms = terms_of(f);
    if (terms.size() == 2 && depends_on(terms[0], of_x_) && depends_on(terms[1], of_x_)) {
      const Expr a = derivative(terms[0], of_x_) / terms[0];
      const Expr b = derivative(terms[1], of_x_) / terms[1];
      const Expr slope = numerator(expand(a - b));
      bool algebraic = true;
      postorder(slope, [&](const Expr& n) { algebraic = algebraic && !n.is(Kind::call); });
      if (algebraic) return {terms[0] / terms[1] + 1, slope};
    }
    return {f, numerator(derivative(f, of_x_))};
  }

  [[nodiscard]] static Expr numerator(const Expr& e) {
    const Expr one = combine_fractions(e);
    Expr out = 1;
    for_each_factor(one, [&](const Expr& base, const Expr& exponent) {
      if (!exponent.is_number() || is_positive(exponent)) out *= power(base, exponent);
    });
    return out;
  }

  std::vector<LineRoot> between_ends(const Expr& given, int depth) {
    const Monotone way = monotone_form(given);
    const Expr& f = way.f;
    std::vector<LineRoot> nodes = ends_of(f);
    if (!(f == given)) {
      for (LineRoot& r : ends_of(given)) nodes.push_back(std::move(r));
    }
    const std::size_t ends = nodes.size();
    for (LineRoot& r : zeros(way.slope, depth + 1)) nodes.push_back(std::move(r));
    std::vector<std::pair<LineRoot, bool>> marked;  // true: f is smooth there
    for (std::size_t i = 0; i < nodes.size(); ++i) {
      if (nodes[i].place < low_ || nodes[i].place > high_) continue;
      bool known = false;
      for (const auto& [other, smooth] : marked) known = known || same(other, nodes[i]);
      if (!known) marked.emplace_back(nodes[i], i >= ends);
    }
    const bool half = low_ == 0 || high_ == 0;
    if (half && std::none_of(marked.begin(), marked.end(), [](const auto& m) { return m.first.place == 0; }))
      marked.push_back({{0, 0, {}}, false});
    std::sort(marked.begin(), marked.end(), [](const auto& a, const auto& b) { return a.first.place < b.first.place; });
    std::vector<LineRoot> out;
    for (const auto& [r, smooth] : marked) {
      if (!outside(r) && sign_at(given, r) == 0) out.push_back(r);
    }
    for (std::size_t i = 0; i <= marked.size(); ++i) {
      const auto* below = i == 0 ? nullptr : &marked[i - 1];
      const auto* above = i == marked.size() ? nullptr : &marked[i];
      if ((!below && low_ == 0) || (!above && high_ == 0)) continue;
      if (auto r = between(f, below, above, depth)) out.push_back(std::move(*r));
    }
    return out;
  }

  using Node = std::pair<LineRoot, bool>;

  // The sign of f next to a node, or far out.
  [[nodiscard]] int sign_beside(const Expr& f, const Node* node, bool after) const {
    if (node && node->second) return sign_at(f, node->first);
    try {
      const Expr place = node ? node->first.value : after ? -infinity() : infinity();
      const Expr value = limit(f, of_x_, place, !node ? LimitSide::both : after ? LimitSide::above : LimitSide::below);
      if (value == infinity()) return 1;
      if (value == -infinity()) return -1;
      if (value.is_integer(0)) return 0;
      const auto v = certified_value(value, {}, {});
      if (v && v->imag() == 0 && std::isfinite(v->real()) && v->real() != 0) return sign_of(v->real());
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
    }
    throw NotProved{};
  }

  // Monotone in between: one zero or none.
  std::optional<LineRoot> between(const Expr& f, const Node* below, const Node* above, int depth) {
    const double low = below ? below->first.place : -HUGE_VAL;
    const double high = above ? above->first.place : HUGE_VAL;
    const double inside = below && above ? low + 0.4375 * (high - low)
                          : below        ? low + std::max(1.0, std::abs(low)) * 0.8125
                          : above        ? high - std::max(1.0, std::abs(high)) * 0.8125
                                         : 0.3125;
    const auto middle = real_value(f, of_x_, inside);
    if (!middle) {
      not_real(f, inside, low, high, depth);
      return std::nullopt;
    }
    const int first = sign_beside(f, below, true);
    const int last = sign_beside(f, above, false);
    const int here = sign_of(*middle);
    if (first == 2 || last == 2 || (first * last >= 0 && here != first && here != last)) throw NotProved{};
    if (first * last >= 0) return std::nullopt;
    const bool up = here == first;  // the zero lies above the middle
    const double end = up ? high : low;
    double a = inside;
    for (int k = 0; k < halvings; ++k) {
      const double b = std::isinf(end) ? a + (up ? 1 : -1) * std::max(1.0, std::abs(a))
                       : k < 40        ? a + 0.53 * (end - a)
                                       : end + (a - end) * 0x1p-8;
      const auto v = real_value(f, of_x_, b);
      if (!v || b == end || !std::isfinite(b)) throw NotProved{};
      if (sign_of(*v) != here) return enclosed(f, std::min(a, b), std::max(a, b));
      a = b;
    }
    throw NotProved{};
  }

  [[nodiscard]] LineRoot enclosed(const Expr& f, double a, double b) const {
    const RealSearch search = real_roots_within(f, of_x_, a, b, digits_);
    if (!search.complete() || search.roots.size() != 1) throw NotProved{};
    return decimal_root(search.roots[0].decimal);
  }

  // The imaginary part of a polynomial in the stand-in for the imaginary unit.
  [[nodiscard]] Expr odd_part(const Expr& g) const {
    Expr out = 0;
    try {
      const std::vector<Expr> c = coefficients(g, unit_);
      for (std::size_t k = 1; k < c.size(); k += 2) out += k % 4 == 1 ? c[k] : -c[k];
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
      throw NotProved{};
    }
    return out;
  }

  [[nodiscard]] double value_on_line(const Expr& u, double at) const {
    const auto v = real_value(u, of_x_, at);
    if (!v) throw NotProved{};
    return *v;
  }

  // A power of what is negative around the point, and a function on its branch cut: a real part and an imaginary one.
  [[nodiscard]] Expr turned_power(const Expr& u, const Expr& p, double at) const {
    if (!p.is_number() || p.number().is_integer() || !depends_on(u, of_x_) || value_on_line(u, at) > 0)
      return power(u, p);
    return power(-u, p) * (cos(pi() * p) + unit_ * sin(pi() * p));
  }

  [[nodiscard]] Expr on_the_cut(const Expr& n, double at) const {
    const Expr& u = n.operands()[0];
    const auto is = [&](const char* name) { return is_call_of(n, name); };
    if (!is("log") && !is("asin") && !is("acos") && !is("acosh") && !is("atanh")) return n;
    const double v = value_on_line(u, at);
    const Expr sign = v > 0 ? 1 : -1;
    if (is("log")) return v > 0 ? n : log(-u) + unit_ * pi();
    if ((is("asin") || is("acos")) && std::abs(v) > 1) {
      const Expr turned = sign * pi() / 2 + unit_ * acosh(sign * u);
      return is("asin") ? turned : pi() / 2 - turned;
    }
    if (is("acosh") && v < 1) return v > -1 ? unit_ * acos(u) : acosh(-u) + unit_ * pi();
    if (is("atanh") && std::abs(v) > 1) return atanh(1 / u) + unit_ * pi() / 2;
    return n;
  }

  // f has no real value at a point between two ends of its domain: nor has it elsewhere there, unless its imaginary
  // part has zeros.
  void not_real(const Expr& f, double at, double low, double high, int depth) {
    Rebuild pass([](const Expr&, Expr&) { return false; },
                 [&](const Expr& n) -> Expr {
                   if (!depends_on(n, x_)) return n;
                   if (n.is(Kind::call)) return on_the_cut(n, at);
                   if (!n.is(Kind::power) && !n.is(Kind::product)) return n;
                   Expr out = leading_number(n);
                   for_each_factor(n, [&](const Expr& base, const Expr& p) { out *= turned_power(base, p, at); });
                   return out;
                 });
    if (has_imaginary_unit(f)) throw NotProved{};
    const Expr g = pass(f);
    const Expr imaginary = odd_part(g);
    if (vanishes(imaginary)) throw NotProved{};
    if (!depends_on(imaginary, x_)) return;
    for (const LineRoot& r : zeros(imaginary, depth + 1)) {
      if (r.place > low && r.place < high && sign_at(f, r) == 0) throw NotProved{};
    }
  }

  Symbol x_;
  Expr of_x_;
  Expr unit_ = Symbol("_i", {Assumption::real});
  int digits_;
  double low_ = -HUGE_VAL;
  double high_ = HUGE_VAL;
};

}  // namespace

std::optional<std::vector<LineRoot>> real_roots_of_line(const Expr& e, const Symbol& x, int digits) {
  try {
    return with_budget(std::min(most_work, work_left() / 2), [&]() -> std::optional<std::vector<LineRoot>> {
      Line line(x, digits);
      auto roots = line.zeros(e, 0);
      if (!line.agrees(e, roots)) return std::nullopt;
      return roots;
    });
  } catch (const Error& error) {
    if (error.kind() == ErrorKind::interrupted) throw;
    return std::nullopt;
  } catch (const NotProved&) {
    return std::nullopt;
  } catch (const UnknownSign&) {
    return std::nullopt;
  }
}

}  // namespace boreon::equations
