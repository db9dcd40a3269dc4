// SPDX-License-Identifier: MIT
// Rules of the Laplace transform (G. Doetsch, Introduction to the Theory and Application of the Laplace Transformation,
// 1974; NIST Handbook of Mathematical Functions, 1.14(iii)).
#include "transforms/laplace_rules.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>

#include "algebra/linear_terms.hpp"
#include "algebra/simplify/transforms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/integral.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/breaks.hpp"
#include "calculus/integral/definite.hpp"
#include "calculus/integral/integrator.hpp"
#include "transforms/exponential_terms.hpp"

namespace boreon::transforms {
namespace {

constexpr int deepest = 8;

bool has_unknown_of(const Expr& e, const Symbol& t) {
  const auto calls = unknown_calls({&e, 1});
  return std::any_of(calls.begin(), calls.end(), [&](const Expr& c) { return depends_on(c, t); });
}

// sin(w*t + 2*pi) as sin(w*t), floor(u + 1) as floor(u) + 1, so that a shift by a period can be seen.
Expr shifts_taken_out(const Expr& e) {
  Rebuild pass([](const Expr&, Expr&) { return false; },
               [](const Expr& given) -> Expr {
                 if (!given.is(Kind::call) || given.operands().size() != 1) return given;
                 const Expr argument[] = {expand(given.operands()[0])};
                 const Expr n = call(given.function(), argument);
                 if (!is_call_of(n, "floor") && !is_call_of(n, "ceil") && !is_call_of(n, "round")) return n;
                 const Expr u = expand(n.operands()[0]);
                 if (!u.is(Kind::sum)) return n;
                 const Expr& c = u.operands()[0];
                 if (!c.is_number() || !c.number().is_integer() || c.is_integer(0)) return n;
                 const Expr inner[] = {u - c};
                 return call(n.function(), inner) + c;
               });
  return pass(e);
}

Image plus(const Image& a, const Image& b, const Signs& signs) {
  Image out{a.value + b.value, a.bounds};
  for (const Expr& e : b.bounds) add_bound(out.bounds, e, signs);
  return out;
}

}  // namespace

void add_bound(std::vector<Expr>& bounds, const Expr& bound, const Signs& signs) {
  for (const Expr& b : bounds) {
    const auto sign = signs.known(bound - b);
    if (sign && *sign <= 0) return;
  }
  std::erase_if(bounds, [&](const Expr& b) { return signs.known(bound - b).value_or(-1) > 0; });
  bounds.push_back(bound);
}

std::vector<Expr> LaplaceRules::assumed() const {
  std::vector<Expr> out;
  for (const Decision& d : signs_.decisions()) {
    if (!depends_on(d.of, s_)) out.push_back(condition_of(d));
  }
  return out;
}

void LaplaceRules::step(std::string text) {
  if (std::find(steps_.begin(), steps_.end(), text) == steps_.end()) steps_.push_back(std::move(text));
}

std::optional<Image> LaplaceRules::operator()(const Expr& f) {
  try {
    return whole(f);
  } catch (const UnknownSign&) {
    return std::nullopt;
  }
}

LaplaceRules::Found LaplaceRules::whole(const Expr& f) {
  if (depth_ >= deepest) return std::nullopt;
  struct Depth {
    int& depth;
    ~Depth() { --depth; }
  } const guard{++depth_};
  if (f.is_integer(0)) return Image{0};
  if (Found e = of_exponentials(f)) return e;
  // a sum may repeat although its terms do not
  if (f.is(Kind::power) || f.is(Kind::product) || f.is(Kind::sum)) {
    if (contains_call(f, {"floor", "ceil", "round"})) {
      if (Found p = periodic(f)) return p;
    }
  }
  // quotients by t belong together: one alone may diverge at 0
  std::vector<Expr> quotients;
  std::vector<Expr> others;
  std::int64_t most = 0;
  for (const Expr& term : terms_of(expand(f))) {
    std::int64_t n = 0;
    for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
      if (base == t_ && exponent.word() && *exponent.word() < 0) n = -*exponent.word();
    });
    const bool damped = contains_call(term, {"exp"}) && !exponential_terms(term, t_);
    if (n > 0 && !damped) {
      quotients.push_back(term);
      most = std::max(most, n);
    } else {
      others.push_back(term);
    }
  }
  Image sum{0};
  if (!quotients.empty()) {
    const Found q = divided_by_time(boreon::add(quotients), most);
    if (!q) return by_definition(f);
    sum = *q;
  }
  for (const Expr& term : others) {
    const Found one = this->term(term);
    if (!one) return others.size() + quotients.size() > 1 && !has_unknown_of(f, t_) ? by_definition(f) : std::nullopt;
    sum = plus(sum, *one, signs_);
  }
  return sum;
}

// Integrals of the transform: L[g/t] is the integral of L[g] from s to infinity.
LaplaceRules::Found LaplaceRules::divided_by_time(const Expr& f, std::int64_t n) {
  Found g = whole(expand(f * boreon::power(t_, n)));
  if (!g) return std::nullopt;
  const Symbol u("_u", {Assumption::positive});
  IntegralOptions options;
  options.conditions = signs_.conditions();
  options.exceptions = false;
  options.points = 3;
  options.conditions.push_back(greater(s_, 0));
  for (const Expr& b : g->bounds) options.conditions.push_back(greater(s_, b));
  for (std::int64_t k = 0; k < n; ++k) {
    const IntegralResult r = integrate(substitute(g->value, {{s_, u}}, Unused::allowed), u, s_, infinity(), options);
    if (r.status != IntegralStatus::exact) return std::nullopt;
    g->value = r.value;
  }
  add_bound(g->bounds, 0, signs_);
  step("division by t: integrate the transform from s to infinity");
  return g;
}

LaplaceRules::Found LaplaceRules::of_exponentials(const Expr& f) {
  if (has_impulse(f)) return std::nullopt;
  const auto terms = exponential_terms(f, t_);
  if (!terms) return std::nullopt;
  Image out{0};
  std::vector<Expr> values;
  for (const ExponentialTerm& e : *terms) {
    const Expr p = s_ - e.rate;
    const Expr& b = e.frequency;
    const auto n = e.power.word();
    if (n && *n < 0) return std::nullopt;
    if (!n && !e.power.is_number() && signs_.of(e.power + 1) <= 0) return std::nullopt;
    if (n && !b.is_integer(0)) {
      // n!*(p + i*b)^(n + 1)/(p^2 + b^2)^(n + 1)
      const ComplexPair top = power(ComplexPair{p, b}, static_cast<std::size_t>(*n) + 1);
      values.push_back(e.coefficient * factorial(*n) * factor(e.sine ? top.im : top.re) *
                       boreon::power(p * p + b * b, -*n - 1));
    } else if (b.is_integer(0)) {
      values.push_back(e.coefficient * (n ? factorial(*n) : gamma(e.power + 1)) * boreon::power(p, -e.power - 1));
    } else {
      const Expr angle = (e.power + 1) * atan(b / p);
      values.push_back(e.coefficient * gamma(e.power + 1) * boreon::power(p * p + b * b, -(e.power + 1) / 2) *
                       (e.sine ? sin(angle) : cos(angle)));
    }
    add_bound(out.bounds, has_imaginary_unit(e.rate) ? re(e.rate) : e.rate, signs_);
  }
  out.value = boreon::add(values);
  step("powers, exponentials and waves: t^n*exp(a*t) gives n!/(s - a)^(n + 1)");
  return out;
}

LaplaceRules::Found LaplaceRules::shifted(const Found& image, const Expr& rate) {
  if (!image || rate.is_integer(0)) return image;
  Image out{substitute(image->value, {{s_, s_ - rate}}, Unused::allowed), {}};
  for (const Expr& b : image->bounds) add_bound(out.bounds, b + rate, signs_);
  step("a factor exp(a*t) moves s to s - a");
  return out;
}

LaplaceRules::Found LaplaceRules::differentiated(const Found& image, std::int64_t times) {
  if (!image || times == 0) return image;
  Image out = *image;
  out.value = derivative(out.value, s_, static_cast<int>(times));
  if (times % 2 != 0) out.value = -out.value;
  step("a factor t: minus the derivative by s");
  return out;
}

// The argument may be in the time as it was given, of which nothing is assumed: an impulse at 0 would vanish for t > 0.
LaplaceRules::Found LaplaceRules::impulse(const Expr& place, const Expr& weight, const Expr& rest) {
  if (!place.is_integer(0) && signs_.of(place) < 0) return Image{0};
  step("an impulse at t = a gives exp(-a*s)");
  return Image{weight * exp(-place * s_) * substitute(rest, {{t_, place}}, Unused::allowed)};
}

LaplaceRules::Found LaplaceRules::term(const Expr& f) {
  Expr constant = leading_number(f);
  Expr rate = 0;
  std::int64_t times = 0;
  std::vector<Expr> rest;
  Expr impulses = 1;
  for_each_factor(f, [&](const Expr& base, const Expr& exponent) {
    if (is_call_of(base, "dirac_delta")) {
      impulses *= boreon::power(base, exponent);
    } else if (!depends_on(base, t_) && !depends_on(exponent, t_)) {
      constant *= boreon::power(base, exponent);
    } else if (base == t_ && exponent.word() && *exponent.word() > 0) {
      times += *exponent.word();
    } else if (is_call_of(base, "exp") && exponent.is_integer(1)) {
      for (const Expr& part : terms_of(expand(base.operands()[0]))) {
        const auto l = linear_in(part, t_);
        if (l) {
          constant *= exp(l->constant);
          rate += l->slope;
        } else {
          rest.push_back(exp(part));
        }
      }
    } else {
      rest.push_back(boreon::power(base, exponent));
    }
  });
  const Expr kernel = multiply(rest);
  if (!impulses.is_integer(1)) {
    const bool given = depends_on(impulses, given_time_);
    const auto l = is_call_of(impulses, "dirac_delta") ? linear_in(impulses.operands()[0], given ? given_time_ : t_)
                                                       : std::nullopt;
    if (!l || l->slope.is_integer(0)) return std::nullopt;
    const Expr others = kernel * exp(rate * t_) * boreon::power(t_, times);
    return impulse(-l->constant / l->slope, constant / abs(l->slope), others);
  }
  Found image = of_kernel(kernel);
  if (!image) return std::nullopt;
  image = differentiated(shifted(image, rate), times);
  image->value = constant * image->value;
  return image;
}

// What is left when constants, whole powers of t and exponentials of t are gone.
LaplaceRules::Found LaplaceRules::of_kernel(const Expr& f) {
  if (Found e = of_exponentials(f)) return e;
  if (has_unknown_of(f, t_)) return f.is(Kind::unknown_call) ? of_unknown(f) : std::nullopt;
  if (f.is(Kind::integral)) return of_integral(f);
  if (has_piece(f)) {
    if (Found p = pieces(f, infinity())) return p;
    if (Found p = periodic(f)) return p;
  }
  Expr power = 0;
  Expr kernel = 1;
  for_each_factor(f, [&](const Expr& base, const Expr& exponent) {
    if (base == t_) {
      power += exponent;
    } else {
      kernel *= boreon::power(base, exponent);
    }
  });
  if (Found k = of_function(kernel, power)) {
    step("a transform that is known as such");
    return k;
  }
  return by_definition(f);
}

// Pieces: the change at each break, delayed; up to `end`, after which there is nothing.
LaplaceRules::Found LaplaceRules::pieces(const Expr& f, const Expr& end) {
  const std::size_t decided = signs_.decisions().size();
  const bool ends = !end.is_constant(ConstantCode::infinity);
  std::optional<std::vector<Expr>> breaks;
  try {
    breaks = breaks_of_pieces(f, t_, signs_, 0, end);
  } catch (const UnknownSign&) {
    return std::nullopt;
  }
  if (!breaks) return std::nullopt;
  std::vector<Expr> places = in_order(*breaks, signs_, 0, end);
  std::erase_if(places, [&](const Expr& p) { return p.is_integer(0) || p == end; });
  places.insert(places.begin(), 0);
  Image out{0};
  std::vector<Expr> functions;
  for (std::size_t i = 0; i < places.size(); ++i) {
    const auto piece = piece_between(f, t_, places[i], i + 1 < places.size() ? places[i + 1] : end, signs_);
    if (!piece || has_piece(*piece)) return std::nullopt;
    functions.push_back(*piece);
  }
  if (ends) {
    places.push_back(end);
    functions.emplace_back(0);
  }
  Expr before = 0;
  for (std::size_t i = 0; i < places.size(); ++i) {
    const Expr change = functions[i] - before;
    before = functions[i];
    const Found one = whole(i == 0 ? change : expand(substitute(change, {{t_, t_ + places[i]}}, Unused::allowed)));
    if (!one) return ends ? std::nullopt : by_definition(f);
    out = plus(out, {exp(-places[i] * s_) * one->value, one->bounds}, signs_);
  }
  if (places.size() > 1) step("a change at t = a is the transform of what is added, seen from a, times exp(-a*s)");
  if (signs_.decisions().size() > decided) step("the order of the places is that of the conditions");
  return out;
}

// f(t + T) = f(t) + g(t): L[f]*(1 - exp(-s*T)) is the integral over the first period, plus exp(-s*T)*L[g].
LaplaceRules::Found LaplaceRules::periodic(const Expr& f) {
  std::vector<Expr> periods;
  postorder(f, [&](const Expr& n) {
    if (!n.is(Kind::call) || n.operands().size() != 1) return;
    const auto l = linear_in(n.operands()[0], t_);
    if (!l || l->slope.is_integer(0)) return;
    const auto name = n.function().name;
    if (name == "sin" || name == "cos") {
      periods.push_back(pi() / l->slope);
      periods.push_back(2 * pi() / l->slope);
    } else if (name == "tan") {
      periods.push_back(pi() / l->slope);
    } else if (name == "floor" || name == "ceil" || name == "round") {
      periods.push_back(1 / l->slope);
    }
  });
  for (Expr period : periods) {
    if (signs_.of(period) < 0) period = -period;
    const Expr gain = simplify(shifts_taken_out(substitute(f, {{t_, t_ + period}}, Unused::allowed)) - f);
    if (operation_count(gain) > 20 || (has_piece(gain) && operation_count(gain) >= operation_count(f))) continue;
    const Found first = pieces(f, period);
    const Found g = first ? whole(gain) : std::nullopt;
    if (!g) continue;
    Image out{(first->value + exp(-s_ * period) * g->value) / (1 - exp(-s_ * period)), g->bounds};
    add_bound(out.bounds, 0, signs_);
    step(fmt::format("a period of {}: the integral over one, divided by 1 - exp(-s*period)", to_text(period)));
    return out;
  }
  return std::nullopt;
}

// Derivatives of y(t) at t: s^n*Y(s) less the values at 0.
LaplaceRules::Found LaplaceRules::of_unknown(const Expr& call) {
  const auto operands = call.operands();
  if (operands.size() != 3 || !(operands[1] == t_)) return std::nullopt;
  const auto order = operands[2].word();
  if (!order || *order > 40) return std::nullopt;
  std::string name = call.name();
  const auto first = static_cast<unsigned char>(name[0]);
  if (std::islower(first) != 0) {
    name[0] = static_cast<char>(std::toupper(first));
  } else {
    name += "_image";
  }
  const UnknownFunction y(call.name());
  Expr value = boreon::power(s_, *order) * UnknownFunction(name)(s_);
  const Expr zero[] = {0};
  for (std::int64_t k = 0; k < *order; ++k) {
    const int orders[] = {static_cast<int>(k)};
    value -= boreon::power(s_, *order - 1 - k) * y.derivative_at(zero, orders);
  }
  step(fmt::format("the transform of {}(t) is called {}(s); a derivative gives a factor s less the value at 0",
                   call.name(), name));
  return Image{value};
}

// Convolutions and integrals from 0 to t.
LaplaceRules::Found LaplaceRules::of_integral(const Expr& node) {
  const auto o = node.operands();
  if (o.size() != 4 || !o[2].is_integer(0) || !(o[3] == t_)) return std::nullopt;
  const Symbol u = Symbol::from(o[1]);
  Expr first = 1;
  Expr delayed = 1;
  Expr constant = leading_number(o[0]);
  bool known = true;
  for_each_factor(o[0], [&](const Expr& base, const Expr& exponent) {
    const Expr factor = boreon::power(base, exponent);
    if (!depends_on(factor, t_)) {
      first *= factor;
      return;
    }
    const Expr moved = expand(substitute(factor, {{t_, u + t_}}, Unused::allowed));
    known = known && !depends_on(moved, u);
    delayed *= moved;
  });
  if (!known) return std::nullopt;
  const Found f = whole(substitute(first, {{u, t_}}, Unused::allowed));
  const Found g = f ? whole(delayed) : std::nullopt;
  if (!g) return std::nullopt;
  Image out{constant * f->value * g->value, f->bounds};
  for (const Expr& b : g->bounds) add_bound(out.bounds, b, signs_);
  step("a convolution gives the product of the transforms");
  return out;
}

LaplaceRules::Found LaplaceRules::by_definition(const Expr& f) {
  if (has_unknown_of(f, t_) || has_impulse(f)) return std::nullopt;
  IntegralOptions options;
  options.conditions = signs_.conditions();
  options.conditions.push_back(greater(s_, 0));
  options.exceptions = false;
  options.assume = true;
  const IntegralResult r = integrate(f * exp(-s_ * t_), t_, 0, infinity(), options);
  if (r.status != IntegralStatus::exact) return std::nullopt;
  Image out{r.value, {0}};
  for (const Expr& c : r.conditions) {
    if (!depends_on(c, s_)) {
      if (!c.is(Kind::relation)) return std::nullopt;
      const Expr gap = c.operands()[1] - c.operands()[0];
      if (c.relation_op() == RelationOp::not_equal) {
        (void)signs_.nonzero(gap);
      } else if (signs_.of(gap) <= 0) {
        return std::nullopt;
      }
      continue;
    }
    if (!c.is(Kind::relation) || c.relation_op() != RelationOp::less) continue;
    const auto l = linear_in(c.operands()[1] - c.operands()[0], s_);
    if (!l) return std::nullopt;
    if (signs_.of(l->slope) > 0) add_bound(out.bounds, -l->constant / l->slope, signs_);
  }
  step("the integral of the definition");
  return out;
}

}  // namespace boreon::transforms
