// SPDX-License-Identifier: MIT
// Methods for definite integrals: families, residues, limits of a continuous antiderivative between all places where
// something happens, symmetries, pieces of the range, other forms of the integrand.
#include <fmt/format.h>

#include <functional>

#include "algebra/simplify/transforms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "calculus/integral/attempt.hpp"
#include "calculus/integral/breaks.hpp"
#include "calculus/integral/counted.hpp"
#include "calculus/integral/forms.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/integral/joints.hpp"
#include "calculus/integral/verify.hpp"
#include "calculus/series/expansion.hpp"
#include "calculus/series/limit_engine.hpp"
#include "expr/canonical.hpp"

namespace boreon {

void Attempt::include(const Attempt& part, const Expr& factor) {
  value += factor * part.value;
  steps.insert(steps.end(), part.steps.begin(), part.steps.end());
  for (const UsedAntiderivative& u : part.used) used.push_back({factor * u.F, u.variable, u.ends, factor * u.value});
  by_antiderivatives = by_antiderivatives && part.by_antiderivatives;
  places_known = places_known && part.places_known;
}

Attempt Attempt::scaled(int factor, const Symbol& from, const Symbol& to) const {
  Attempt a = *this;
  const auto moved = [&](const Expr& e) { return substitute(factor * e, {{from, to}}, Unused::allowed); };
  a.value = moved(value);
  for (UsedAntiderivative& u : a.used) {
    u.F = substitute(factor * u.F, {{u.variable, to}}, Unused::allowed);
    u.variable = to;
    u.value = moved(u.value);
  }
  return a;
}

DefiniteProblem with_sign_of_range(const DefiniteProblem& p, Signs& signs) {
  const Assumptions old = p.x.assumptions();
  Assumptions a = old;
  const auto low = p.from == -infinity() ? std::optional<int>(-1) : signs.known(p.from);
  const auto high = is_infinite(p.to) ? std::optional<int>(1) : signs.known(p.to);
  try {
    if (low && *low >= 0) a.add(Assumption::positive);
    if (high && *high <= 0) a.add(Assumption::negative);
  } catch (const Error&) {
    return p;
  }
  if (a == old) return p;
  const Symbol y(p.x.name(), a);
  return {substitute(p.integrand, {{p.x, y}}, Unused::allowed), y, p.from, p.to};
}

namespace {

using AttemptKind = Attempt::Kind;

std::string shown(const Expr& e) { return to_text(e, {80, {}}); }

// A one-sided limit, or why there is none.
struct SideLimit {
  std::optional<Expr> value;
  std::string why;
};

// Whether waves of parameters stand in an absolute value at the place, which change their sign again and again: the
// absolute value is kept then, and the antiderivative, regular there for general parameters, has the value it says.
std::optional<Expr> value_with_waves(const Expr& F, const Symbol& x, const Expr& place, const Signs& signs) {
  if (is_infinite(place)) return std::nullopt;
  bool waves = false;
  bool smooth = true;
  postorder(F, [&](const Expr& n) {
    if (!n.is(Kind::call) || !depends_on(n, x)) return;
    const auto name = n.function().name;
    smooth = smooth && (name == "log" || name == "abs" || name == "sin" || name == "cos" || name == "tan");
    if (name != "abs") return;
    const Expr u = substitute(n.operands()[0], {{x, place}}, Unused::allowed);
    if (!u.has_symbols() || signs.known(u)) return;
    postorder(u, [&](const Expr& m) {
      waves = waves || (m.has_symbols() && (is_call_of(m, "sin") || is_call_of(m, "cos") || is_call_of(m, "tan")));
    });
  });
  if (!waves || !smooth) return std::nullopt;
  const Expr v = substitute(F, {{x, place}}, Unused::allowed);
  return has_infinity(v) ? std::nullopt : std::optional<Expr>(v);
}

SideLimit side_limit(const Expr& F, const Symbol& x, const Expr& place, bool above, Signs& signs) {
  if (auto v = value_with_waves(F, x, place, signs)) return {std::move(v), {}};
  try {
    return {one_sided_limit(F, x, place, above, signs), {}};
  } catch (const NoLimit& n) {
    return {std::nullopt, n.why};
  }
}

// Values of an antiderivative from place to place.
class BetweenPlaces {
 public:
  BetweenPlaces(const Expr& F, const Symbol& x, std::vector<Expr> ends, bool downwards, const DefiniteSearch& search)
      : F_(F), x_(x), ends_(std::move(ends)), downwards_(downwards), search_(search) {}

  /// The sum of the differences.
  [[nodiscard]] Attempt sum() const {
    Expr value = 0;
    for (std::size_t i = 0; i + 1 < ends_.size(); ++i) {
      for (const bool upper : {true, false}) {
        const Expr& place = upper ? ends_[i + 1] : ends_[i];
        const std::string where = fmt::format("at {} = {}", x_.name(), shown(place));
        const SideLimit v = side_limit(F_, x_, place, upper == downwards_, search_.signs);
        if (!v.value) {
          return Attempt::divergent(fmt::format("the antiderivative has no limit {} ({})", where, v.why));
        }
        if (has_infinity(*v.value)) {
          const bool inside = upper ? i + 2 < ends_.size() : i > 0;
          if (!(search_.principal_value && inside)) return Attempt::divergent(where);
          continue;
        }
        value += upper ? *v.value : -*v.value;
      }
    }
    if (!search_.principal_value) return Attempt::of(value, "");
    return with_poles(value);
  }

 private:
  // Adds what the two sides of each pole leave when they shrink together.
  [[nodiscard]] Attempt with_poles(Expr value) const {
    const Symbol h("_h", {Assumption::positive});
    for (std::size_t i = 1; i + 1 < ends_.size(); ++i) {
      const Expr& place = ends_[i];
      bool infinite = false;
      for (const bool above : {true, false}) {
        const SideLimit v = side_limit(F_, x_, place, above, search_.signs);
        if (!v.value) return Attempt::divergent(fmt::format("the antiderivative has no limit ({})", v.why));
        infinite = infinite || has_infinity(*v.value);
      }
      if (!infinite) continue;
      const Expr both =
          substitute(F_, {{x_, place - h}}, Unused::allowed) - substitute(F_, {{x_, place + h}}, Unused::allowed);
      const std::string where = fmt::format("{} = {}", x_.name(), shown(place));
      const SideLimit v = side_limit(both, h, 0, true, search_.signs);
      if (!v.value) {
        return Attempt::divergent(fmt::format("the antiderivative has no limit around {} ({})", where, v.why));
      }
      if (has_infinity(*v.value)) {
        return Attempt::divergent(fmt::format("even as a principal value, at {}", where));
      }
      value += *v.value;
    }
    return Attempt::of(value, "");
  }

  const Expr& F_;
  const Symbol& x_;
  std::vector<Expr> ends_;
  bool downwards_;
  const DefiniteSearch& search_;
};

// F at the ends and at every place in between where F or f may jump or be singular.
Attempt by_antiderivative(const DefiniteProblem& p, const DefiniteSearch& search) {
  Signs& signs = search.signs;
  Integrator in(signs);
  auto F = in(p.integrand, p.x);
  if (!F) return {};
  F = exponential_integrals_paired(*F);
  if (check_antiderivative(p.integrand, *F, p.x, signs.conditions(), 4, 20260102).verdict == Verdict::disagrees) {
    return {};
  }
  std::vector<Expr> places;
  const auto of_f = singular_places(p.integrand, p.x, signs, p.from, p.to);
  if (of_f) places = *of_f;
  if (const auto more = singular_places(*F, p.x, signs, p.from, p.to))
    places.insert(places.end(), more->begin(), more->end());
  // with an end that is a parameter, poles that were not located could lie anywhere
  if (!of_f && (p.from.has_symbols() || p.to.has_symbols())) return {};
  bool downwards = false;
  places = in_order(std::move(places), signs, p.from, p.to, &downwards);
  std::vector<Expr> ends{p.from};
  ends.insert(ends.end(), places.begin(), places.end());
  ends.push_back(p.to);
  Attempt a = BetweenPlaces(*F, p.x, ends, downwards, search).sum();
  a.steps = in.route();
  a.steps.push_back(fmt::format("antiderivative {}", to_text(*F, {200, {}})));
  if (a.kind != AttemptKind::value) return a;
  a.steps.push_back(places.empty()
                        ? "its one-sided values at the ends"
                        : fmt::format("its one-sided values at the ends and at {} places in between", places.size()));
  a.steps.emplace_back("value by the antiderivative");
  a.places_known = of_f.has_value();
  a.by_antiderivatives = true;
  a.used.push_back({*F, p.x, std::move(ends), a.value});
  return a;
}

// Over the line, exponentials of exponentials: u = exp(s*x) from 0 to infinity.
Attempt in_inner_exponential(const DefiniteProblem& p, const DefiniteSearch& search) {
  std::optional<Linear> inner;
  postorder(p.integrand, [&](const Expr& n) {
    if (inner || !is_call_of(n, "exp") || !depends_on(n, p.x)) return;
    postorder(n.operands()[0], [&](const Expr& m) {
      if (inner || !is_call_of(m, "exp") || !depends_on(m, p.x)) return;
      inner = linear_in(m.operands()[0], p.x);
    });
  });
  if (!inner || inner->slope.is_integer(0)) return {};
  const int sign = search.signs.of(inner->slope);
  if (sign == 0) return {};
  const Symbol u("_u", {Assumption::positive});
  const Expr x_of_u = (log(u) - inner->constant) / inner->slope;
  // dx = du/(slope*u); a negative slope reverses the range, which its sign makes good
  const Expr g =
      expand(simplify(substitute(p.integrand, {{p.x, x_of_u}}, Unused::allowed))) / (sign * inner->slope * u);
  Attempt a = attempt({g, u, 0, infinity()}, search.deeper());
  a.steps.insert(a.steps.begin(), fmt::format("substitution u = exp({})", shown(inner->constant + inner->slope * p.x)));
  return a;
}

Attempt by_pieces_of_range(const DefiniteProblem& p, const DefiniteSearch& search) {
  Signs& signs = search.signs;
  const auto places = breaks_of_pieces(p.integrand, p.x, signs, p.from, p.to);
  if (!places || places->size() > 64 || search.depth > 2) return {};
  std::vector<Expr> ends{p.from};
  ends.insert(ends.end(), places->begin(), places->end());
  ends.push_back(p.to);
  Attempt all = Attempt::of(0, fmt::format("in {} pieces", ends.size() - 1));
  all.by_antiderivatives = true;
  for (std::size_t i = 0; i + 1 < ends.size(); ++i) {
    const auto piece = piece_between(p.integrand, p.x, ends[i], ends[i + 1], signs);
    if (!piece) return {};
    if (piece->is_integer(0)) continue;
    if (!depends_on(*piece, p.x)) {
      if (is_infinite(ends[i]) || is_infinite(ends[i + 1])) return Attempt::divergent("at infinity");
      all.value += *piece * (ends[i + 1] - ends[i]);
      continue;
    }
    const Attempt part = attempt(with_sign_of_range({*piece, p.x, ends[i], ends[i + 1]}, signs), search.deeper());
    if (part.kind != AttemptKind::value) return part;
    all.include(part);
  }
  return all;
}

// Infinitely many pieces of one linear argument, how many of them depending on parameters: the antiderivative that is
// joined at all of them, and smooth between them.
Attempt by_joined_pieces(const DefiniteProblem& p, const DefiniteSearch& search) {
  if (is_infinite(p.from) || is_infinite(p.to)) return {};
  Integrator in(search.signs);
  const auto pieces = counted_pieces(in, p.integrand, p.x);
  if (!pieces) return {};
  // a known number of pieces is better added up one by one
  const auto at_end = [&](const Expr& e) {
    return double_of(substitute(pieces->argument, {{p.x, e}}, Unused::allowed));
  };
  if (at_end(p.from) && at_end(p.to)) return {};
  if (!smooth_everywhere(pieces->even, p.x) || !smooth_everywhere(pieces->odd, p.x)) return {};
  const auto F = by_counted_pieces(in, p.integrand, p.x);
  if (!F) return {};
  const auto at = [&](const Expr& place) { return substitute(*F, {{p.x, place}}, Unused::allowed); };
  Attempt a = Attempt::of(at(p.to) - at(p.from), fmt::format("antiderivative {}", to_text(*F, {200, {}})));
  a.by_antiderivatives = true;
  a.used.push_back({*F, p.x, {p.from, p.to}, a.value});
  return a;
}

// Odd integrands over symmetric ranges; and substitutions that map the range to itself: the mean of f and its image may
// be simpler.
Attempt by_symmetry(const DefiniteProblem& p, const DefiniteSearch& search) {
  const bool from_infinite = is_infinite(p.from);
  const bool to_infinite = is_infinite(p.to);
  SimplifyOptions o;
  o.conditions = search.signs.conditions();
  o.work = 1500;
  o.points = 2;
  std::vector<std::pair<Expr, std::string>> maps;
  if (!from_infinite && !to_infinite) maps.emplace_back(p.from + p.to - p.x, "reflection");
  if (p.from == -infinity() && to_infinite) maps.emplace_back(-p.x, "reflection");
  if (p.from.is_integer(0) && p.to.is_integer(1)) maps.emplace_back((1 - p.x) / (1 + p.x), "x -> (1 - x)/(1 + x)");
  if (p.from.is_integer(0) && to_infinite) maps.emplace_back(1 / p.x, "x -> 1/x");
  const auto cost = [&](const Expr& e) { return 3 * functions_of(e, p.x) + varying_operations(e, p.x); };
  for (const auto& [image, name] : maps) {
    // all of them reverse the range
    const Expr g = -substitute(p.integrand, {{p.x, image}}, Unused::allowed) * derivative(image, p.x);
    const Expr sum = expand_logarithms(transforms::everywhere(
        p.integrand + g, [](const Expr& n) { return is_call_of(n, "log") ? log(factor(n.operands()[0])) : n; }));
    const Expr mean = simplify(sum, o) / 2;
    if (cost(mean) >= cost(p.integrand)) continue;
    const std::string step = fmt::format("the mean of the integrand and its image under {}", name);
    Attempt a;
    if (mean.is_integer(0)) {
      a = Attempt::of(0, step);
    } else if (!depends_on(mean, p.x)) {
      if (from_infinite || to_infinite) return {};
      a = Attempt::of(mean * (p.to - p.from), step);
    } else {
      DefiniteSearch below = search.deeper();
      below.principal_value = false;
      a = attempt({mean, p.x, p.from, p.to}, below);
      if (a.kind == AttemptKind::none) continue;
      a.steps.insert(a.steps.begin(), step);
    }
    a.steps.emplace_back("symmetry");
    return a;
  }
  return {};
}

// A range below zero, mirrored; and an even integrand over the line, twice the half.
Attempt by_mirror(const DefiniteProblem& p, const DefiniteSearch& search) {
  const Expr mirrored = substitute(p.integrand, {{p.x, -p.x}}, Unused::allowed);
  if (p.from == -infinity() && is_infinite(p.to)) {
    if (!vanishes(mirrored - p.integrand)) return {};
    Attempt half = attempt(with_sign_of_range({p.integrand, p.x, 0, p.to}, search.signs), search.deeper());
    if (half.kind != AttemptKind::value) return {};
    Attempt a = Attempt::of(0, "twice the half of an even integrand");
    a.include(half, 2);
    a.by_antiderivatives = false;
    return a;
  }
  if (p.from.is_number() && p.to.is_number() && p.to.number().sign() <= 0) {
    const Symbol y(p.x.name(), {Assumption::real});
    const Expr positive = substitute(p.integrand, {{p.x, -y}}, Unused::allowed);
    Attempt a = attempt(with_sign_of_range({positive, y, -p.to, -p.from}, search.signs), search.deeper());
    if (a.kind != AttemptKind::value) return {};
    a.by_antiderivatives = false;
    a.used.clear();
    return a;
  }
  return {};
}

// log(u^2) = 2*log(abs(u)), fmod(u, c) = u - c*trunc(u/c).
Expr with_plain_logarithms(const Expr& e) {
  return Rebuild([](const Expr&, Expr&) { return false; },
                 [](const Expr& n) -> Expr {
                   if (is_call_of(n, "fmod")) {
                     const auto a = n.operands();
                     return a[0] - a[1] * trunc(a[0] / a[1]);
                   }
                   if (!is_call_of(n, "log") || !n.operands()[0].is(Kind::power)) return n;
                   const auto p = n.operands()[0].operands();
                   const auto k = p[1].word();
                   return k && *k % 2 == 0 && is_real(p[0]) ? p[1] * log(abs(p[0])) : n;
                 })(e);
}

Attempt term_by_term(const DefiniteProblem& p, const DefiniteSearch& search) {
  const Expr g = expand(p.integrand);
  if (!g.is(Kind::sum) || g.operands().size() >= 16) return {};
  Attempt all =
      Attempt::of(g.operands()[0].is_integer(0) ? Expr(0) : g.operands()[0] * (p.to - p.from), "term by term");
  if (has_infinity(all.value)) return {};
  all.by_antiderivatives = true;
  for (const auto [t, c] : Parts(g)) {
    // a term that diverges says nothing about the sum
    const Attempt part = attempt({t, p.x, p.from, p.to}, search.deeper());
    if (part.kind != AttemptKind::value) return {};
    all.include(part, c);
  }
  return all;
}

Attempt from(const std::optional<DefiniteValue>& v) { return v ? Attempt::of(v->value, v->method) : Attempt{}; }

// What a method gives; nothing where it meets what it cannot do, or where its value is infinite.
template <class Method>
Attempt guarded(const Method& method) {
  try {
    Attempt a = method();
    if (a.kind == AttemptKind::value && has_infinity(a.value)) return {};
    return a;
  } catch (const NoExpansion&) {
  } catch (const NoLimit&) {
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::limit && e.kind() != ErrorKind::unsupported && e.kind() != ErrorKind::domain &&
        e.kind() != ErrorKind::usage)
      throw;
  }
  return {};
}

}  // namespace

Attempt attempt(const DefiniteProblem& given, const DefiniteSearch& search) {
  const DefiniteProblem p{with_plain_logarithms(given.integrand), given.x, given.from, given.to};
  if (has_piece(p.integrand)) {
    Attempt a = guarded([&] { return by_joined_pieces(p, search); });
    return a.kind == AttemptKind::none ? guarded([&] { return by_pieces_of_range(p, search); }) : a;
  }
  const bool improper = is_infinite(p.from) || is_infinite(p.to);
  const bool over_the_line = p.from == -infinity() && is_infinite(p.to);
  const auto in_other_form = [&](const Expr& g) -> Attempt {
    if (g == p.integrand || has_infinity(g)) return {};
    return attempt({g, p.x, p.from, p.to}, search.deeper());
  };
  struct Method {
    bool applies;
    std::function<Attempt()> run;
  };
  const bool shallow = search.depth < 2;
  const Method methods[] = {
      {!search.only_antiderivatives, [&] { return by_full_period(p, search); }},
      {!search.only_antiderivatives && search.principal_value,
       [&] { return from(by_principal_family(p, search.signs)); }},
      {!search.only_antiderivatives, [&] { return from(by_family(p, search.signs)); }},
      {!search.only_antiderivatives && improper, [&] { return from(by_residues(p, search.signs)); }},
      {shallow && !search.only_antiderivatives && !search.principal_value && !is_rational_in(p.integrand, p.x),
       [&] { return by_mirror(p, search); }},
      {true, [&] { return by_antiderivative(p, search); }},
      {shallow, [&] { return by_symmetry(p, search); }},
      {shallow && over_the_line, [&] { return in_inner_exponential(p, search); }},
      {shallow, [&] { return in_other_form(expand(p.integrand)); }},
      {shallow, [&] { return in_other_form(polynomials_written_out(p.integrand)); }},
      {shallow, [&] { return term_by_term(p, search); }},
  };
  for (const Method& m : methods) {
    if (!m.applies) continue;
    if (Attempt a = guarded(m.run); a.kind != AttemptKind::none) return a;
  }
  return {};
}

}  // namespace boreon
