// SPDX-License-Identifier: MIT
#include "calculus/integral/joints.hpp"

#include <fmt/format.h>

#include <cmath>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/functions.hpp"
#include "boreon/sampling.hpp"
#include "calculus/integral/breaks.hpp"
#include "calculus/integral/counted.hpp"
#include "calculus/integral/inside.hpp"
#include "calculus/series/expansion.hpp"
#include "calculus/series/limit_engine.hpp"

namespace boreon {

bool smooth_everywhere(const Expr& e, const Symbol& x) {
  bool smooth = true;
  postorder(e, [&](const Expr& n) {
    if (!smooth || !depends_on(n, x)) return;
    if (n.is(Kind::power) || n.is(Kind::product)) {
      for_each_factor(n, [&](const Expr& base, const Expr& exponent) {
        if (!depends_on(base, x)) return;
        const auto k = exponent.word();
        smooth = smooth && k && *k >= 0;
      });
      return;
    }
    if (n.is(Kind::sum) || n == x) return;
    bool known = false;
    if (n.is(Kind::call)) {
      for (const char* name : {"exp", "sin", "cos", "sinh", "cosh", "tanh", "erf", "asinh", "Si"})
        known = known || n.function().name == name;
    }
    smooth = smooth && known;
  });
  return smooth && !has_imaginary_unit(e);
}

LineFault fault_on_the_line(const Expr& f, const Expr& F, const Symbol& x, std::span<const Expr> conditions,
                            std::uint64_t seed) {
  if (has_imaginary_unit(f) || smooth_everywhere(F, x)) return {};
  std::vector<Expr> all{f, F};
  all.insert(all.end(), conditions.begin(), conditions.end());
  std::vector<Expr> leaves = sampled_leaves(all);
  std::erase(leaves, Expr(x));
  const SampleRanges ranges;
  Sampler sampler(leaves, ranges, seed);
  std::vector<Expr> of_parameters;
  for (const Expr& c : conditions) {
    if (!depends_on(c, x)) of_parameters.push_back(c);
  }
  const int walks = leaves.empty() ? 1 : 3;
  const Assumptions known = assumptions_of(x);
  const double low = known.has(Assumption::nonnegative) ? 0.01 : -9.7;
  const double high = known.has(Assumption::nonpositive) ? -0.01 : 11.3;
  LineFault worst;
  for (int walk = 0; walk < walks && worst.kind != LineFault::Kind::jump; ++walk) {
    const std::vector<double> point = sampler.draw(of_parameters);
    if (point.size() != leaves.size()) break;
    if (const auto found = broken_at(f, F, x, low, high, leaves, point)) {
      std::string at;
      for (std::size_t i = 0; i < leaves.size(); ++i) at += fmt::format(", {} = {:.3g}", leaves[i].name(), point[i]);
      worst.kind = found->unreal ? LineFault::Kind::unreal : LineFault::Kind::jump;
      worst.text =
          fmt::format("{} near {} = {:.4g}{}, where the integrand is {}", found->unreal ? "is not real" : "jumps",
                      x.name(), found->place, at, found->unreal ? "real" : "regular");
    }
  }
  return worst;
}

Expr with_real_parts(const Expr& F, const Symbol& x) {
  Rebuild pass([](const Expr&, Expr&) { return false; },
               [&](const Expr& n) -> Expr {
                 if (!n.is(Kind::call) || n.operands().size() != 1 || !depends_on(n, x) || has_imaginary_unit(n))
                   return n;
                 const Expr& u = n.operands()[0];
                 if (is_call_of(n, "log")) return log(abs(u));
                 if (is_call_of(n, "Ci")) return Ci(abs(u));
                 if (is_call_of(n, "Chi")) return Chi(abs(u));
                 if (is_call_of(n, "E1")) return -Ei(-u);
                 return n;
               });
  return pass(F);
}

std::optional<Expr> steps_taken_back(Integrator& in, const Expr& F, const Symbol& x) {
  const auto places = singular_places(F, x, in.signs(), -infinity(), infinity());
  if (!places || places->empty() || places->size() > 12) return std::nullopt;
  Expr steps = 0;
  for (const Expr& p : *places) {
    try {
      const Expr jump = one_sided_limit(F, x, p, true, in.signs()) - one_sided_limit(F, x, p, false, in.signs());
      if (!has_infinity(jump) && !vanishes(jump)) steps += jump / 2 * sign(x - p);
    } catch (const NoLimit&) {
    }
  }
  return F - steps;
}

std::optional<Expr> tangents_joined(Integrator& in, const Expr& F, const Symbol& x) {
  // c*atan(tan(w)) is c*w up to constants
  std::vector<Expr> terms;
  for (const LinearTerm& t : linear_terms(F)) {
    const bool folded_back = is_call_of(t.term, "atan") && is_call_of(t.term.operands()[0], "tan");
    terms.push_back(Expr(t.coefficient) * (folded_back ? t.term.operands()[0].operands()[0] : t.term));
  }
  const Expr unfolded = add(terms);
  std::optional<Expr> tangent;
  bool one = true;
  postorder(unfolded, [&](const Expr& n) {
    if (!is_call_of(n, "tan") || !depends_on(n, x)) return;
    one = one && (!tangent || *tangent == n);
    tangent = n;
  });
  if (!one) return std::nullopt;
  if (!tangent) return unfolded;
  const Expr& angle = tangent->operands()[0];
  const auto l = linear_in(angle, x);
  if (!l) return std::nullopt;
  const Symbol t = in.fresh();
  const Symbol number = in.fresh({Assumption::integer});
  const Symbol sign = in.fresh({Assumption::nonzero});
  Rebuild pass([&](const Expr& n, Expr& result) {
    if (!(n == *tangent)) return false;
    result = t;
    return true;
  });
  // pole n lies where angle/pi + 1/2 = n; the tangent comes back from minus infinity
  const Expr pole = (Expr(number) * pi() - pi() / 2 - l->constant) / l->slope;
  const Expr there = substitute(pass(unfolded), {{x, pole}}, Unused::allowed);
  const Expr after = one_sided_limit(there, t, -infinity(), true, in.signs());
  const Expr before = one_sided_limit(there, t, infinity(), false, in.signs());
  const Alternating jump = alternating(after - before, number, sign);
  const auto taken_back = jumps_taken_back(in, jump.even, jump.odd, number);
  if (!taken_back) return std::nullopt;
  return unfolded + substitute(*taken_back, {{number, floor(angle / pi() + Expr(1) / 2)}}, Unused::allowed);
}

namespace {

// base = size*(1 + s*wave) with wave the cosine or sine of angle
struct OneAndWave {
  Expr size;
  Expr angle;
  int s = 1;
  bool cosine = true;
};

std::optional<OneAndWave> one_and_wave(const Expr& base, const Symbol& x) {
  if (!base.is(Kind::sum)) return std::nullopt;
  std::optional<Expr> wave;
  postorder(base, [&](const Expr& n) {
    if ((is_call_of(n, "sin") || is_call_of(n, "cos")) && depends_on(n, x)) wave = n;
  });
  if (!wave || !linear_in(wave->operands()[0], x)) return std::nullopt;
  const Symbol w("_wave");
  Rebuild pass([&](const Expr& n, Expr& result) {
    if (!(n == *wave)) return false;
    result = w;
    return true;
  });
  const auto l = linear_in(pass(base), w);
  if (!l || depends_on(l->constant, x) || depends_on(l->slope, x)) return std::nullopt;
  for (const int s : {1, -1}) {
    if (vanishes(l->slope - s * l->constant))
      return OneAndWave{l->constant, wave->operands()[0], s, is_call_of(*wave, "cos")};
  }
  return std::nullopt;
}

}  // namespace

std::optional<Expr> half_angles(Integrator& in, const Expr& f, const Symbol& x) {
  std::optional<OneAndWave> root;
  postorder(f, [&](const Expr& n) {
    if (root || (!n.is(Kind::power) && !n.is(Kind::product))) return;
    for_each_factor(n, [&](const Expr& base, const Expr& exponent) {
      if (root || !exponent.is_number() || exponent.word() || !(2 * exponent).word() || !depends_on(base, x)) return;
      root = one_and_wave(base, x);
    });
  });
  if (!root || in.signs().of(root->size) <= 0) return std::nullopt;
  // 1 + cos(2v) = 2 cos(v)^2, 1 - cos(2v) = 2 sin(v)^2; 1 + s*sin(2v + s*pi/2) = 2 cos(v)^2
  const Expr half = root->cosine ? root->angle / 2 : root->angle / 2 - root->s * pi() / 4;
  const Expr c = cos(half);
  const Expr s = sin(half);
  const Expr wave = root->cosine && root->s < 0 ? s : c;
  Rebuild pass([](const Expr&, Expr&) { return false; },
               [&](const Expr& n) -> Expr {
                 if (n == sin(root->angle)) return root->cosine ? 2 * s * c : root->s * (2 * power(c, 2) - 1);
                 if (n == cos(root->angle)) return root->cosine ? 2 * power(c, 2) - 1 : -root->s * 2 * s * c;
                 return n;
               });
  Rebuild roots([](const Expr&, Expr&) { return false; },
                [&](const Expr& n) -> Expr {
                  if (!n.is(Kind::power) && !n.is(Kind::product)) return n;
                  Expr result = 1;
                  bool changed = false;
                  for_each_factor(n, [&](const Expr& base, const Expr& exponent) {
                    if (exponent.is_number() && !exponent.word() && (2 * exponent).word() && depends_on(base, x)) {
                      const auto r = one_and_wave(base, x);
                      if (r && r->angle == root->angle && r->cosine == root->cosine && r->s == root->s) {
                        result *= power(2 * r->size, exponent) * power(abs(wave), 2 * exponent);
                        changed = true;
                        return;
                      }
                    }
                    result *= power(base, exponent);
                  });
                  return changed ? result : n;
                });
  return pass(roots(f));
}

}  // namespace boreon
