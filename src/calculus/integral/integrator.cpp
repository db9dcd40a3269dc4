// SPDX-License-Identifier: MIT
#include "calculus/integral/integrator.hpp"

#include <fmt/format.h>

#include <array>

#include "algebra/polynomial/work.hpp"
#include "boreon/algebra.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "calculus/integral/verify.hpp"
#include "calculus/series/expansion.hpp"
#include "calculus/series/limit_engine.hpp"

namespace boreon {
namespace {

constexpr int deepest_inside = 9;
constexpr int most_integrals = 260;
constexpr std::size_t largest = 400;  // operations of an integrand that is still worth a search

}  // namespace

std::optional<Linear> linear_in(const Expr& e, const Symbol& x) {
  if (!depends_on(e, x)) return Linear{e, 0};
  const Expr slope = derivative(e, x);
  if (depends_on(slope, x)) {
    const auto c = polynomial_in(e, x, 1);
    if (!c) return std::nullopt;
    return Linear{(*c)[0], c->size() > 1 ? (*c)[1] : Expr(0)};
  }
  return Linear{substitute(e, {{x, 0}}), slope};
}

std::optional<std::vector<Expr>> polynomial_in(const Expr& e, const Symbol& x, std::size_t most) {
  if (!is_rational_in(e, x)) return std::nullopt;
  try {
    auto c = coefficients(e, x);
    if (c.size() > most + 1) return std::nullopt;
    for (const Expr& k : c) {
      if (depends_on(k, x)) return std::nullopt;
    }
    return c;
  } catch (const Error&) {
    return std::nullopt;
  }
}

Expr tidied(const Expr& e, const Signs& signs) {
  if (e.operands().empty()) return e;
  SimplifyOptions o;
  o.conditions = signs.conditions();
  o.work = 250;
  o.points = 2;
  try {
    return simplify(e, o);
  } catch (const Error&) {
    return e;
  }
}

Symbol Integrator::fresh(Assumptions assumptions) { return Symbol(fmt::format("_v{}", ++fresh_), assumptions); }

Expr Integrator::real_log(const Expr& u) {
  if (const auto s = signs_.known(u)) return log(*s >= 0 ? u : -u);
  if (!is_real(u)) {
    // a root or logarithm of something of unknown sign is real wherever the integrand is
    bool real = true;
    postorder(u, [&](const Expr& n) {
      if (n.is_constant(ConstantCode::imaginary)) real = false;
      if (n.is(Kind::symbol) && !assumptions_of(n).has(Assumption::real)) real = false;
    });
    if (!real) return log(u);
  }
  return log(abs(u));
}

void Integrator::note(std::string text) {
  for (std::size_t at = 0; (at = text.find("_v", at)) != std::string::npos;)
    text.replace(at, 2, "t");  // names of substitutions
  if (steps_.size() < 200) steps_.push_back({depth_, std::move(text)});
}

std::vector<std::string> Integrator::route() const {
  std::vector<std::string> out;
  for (auto s = steps_.rbegin(); s != steps_.rend(); ++s)
    out.push_back(std::string(2 * static_cast<std::size_t>(std::max(0, s->depth - 1)), ' ') + s->text);
  return out;
}

std::optional<Expr> Integrator::operator()(const Expr& f, const Symbol& x) {
  if (!depends_on(f, x)) return f * x;
  // constant factors stay outside
  Expr outside = 1;
  Expr inside = f;
  if (f.is(Kind::product)) {
    outside = f.operands()[0];
    inside = 1;
    for (const auto [base, exponent] : Parts(f))
      (depends_on(base, x) || depends_on(exponent, x) ? inside : outside) *= power(base, exponent);
  }
  for (const Known& k : known_) {
    if (k.integrand == inside && k.variable == x) {
      if (!k.value) return std::nullopt;
      return outside * *k.value;
    }
  }
  for (const Known& k : open_) {
    if (k.integrand == inside && k.variable == x) return std::nullopt;
  }
  if (depth_ >= deepest_inside || ++work_ > most_integrals || operation_count(inside) > largest) return std::nullopt;
  poly::charge(1000);
  open_.push_back({inside, x, {}});
  ++depth_;
  const std::size_t steps_before = steps_.size();
  std::optional<Expr> value;
  try {
    value = search(inside, x);
  } catch (const UnknownSign&) {
  } catch (...) {
    --depth_;
    open_.pop_back();
    throw;
  }
  --depth_;
  open_.pop_back();
  if (value && (has_undefined(*value) || (depends_on(*value, x) ? false : true))) value.reset();
  if (!value) steps_.resize(std::min(steps_.size(), steps_before));
  if (known_.size() < 2000) known_.push_back({inside, x, value});
  if (!value) return std::nullopt;
  return outside * *value;
}

std::optional<Expr> Integrator::search(const Expr& f, const Symbol& x) {
  const auto attempt = [&](layers::Result (*layer)(Integrator&, const Expr&, const Symbol&),
                           const Expr& g) -> layers::Result {
    try {
      auto r = layer(*this, g, x);
      if (r && values_ == Values::real && has_imaginary_unit(*r) && !has_imaginary_unit(g)) return std::nullopt;
      // a wrong answer of one method gives way to the next method
      if (r && depth_ <= 2 && !has_undefined(*r) &&
          check_antiderivative(g, *r, x, signs_.conditions(), 3, 20260104).verdict == Verdict::disagrees)
        return std::nullopt;
      return r;
    } catch (const Error& e) {  // too large, outside its domain: this layer has nothing to offer
      if (e.kind() == ErrorKind::limit && work_ > most_integrals) throw;
      return std::nullopt;
    } catch (const NoExpansion&) {
      return std::nullopt;
    }
  };
  if (auto r = attempt(layers::by_rules, f)) return r;
  if (auto r = attempt(layers::by_pieces, f)) return r;
  if (auto r = attempt(layers::rational, f)) return r;
  if (f.is(Kind::sum)) {  // term by term, if all of them can be done
    std::vector<Expr> terms{f.operands()[0] * x};
    bool all = f.operands().size() < 60;
    for (const auto [term, coefficient] : Parts(f)) {
      if (!all) break;
      const auto part = (*this)(term, x);
      all = part.has_value();
      if (all) terms.push_back(coefficient * *part);
    }
    if (all) return add(terms);
  }
  using Layer = layers::Result (*)(Integrator&, const Expr&, const Symbol&);
  static constexpr std::array<Layer, 8> all{
      layers::by_substitution, layers::trigonometric, layers::exponential, layers::by_undetermined_coefficients,
      layers::radical,         layers::special,       layers::by_parts,    nullptr};
  for (const Layer layer : all) {
    if (layer == nullptr) break;
    if (auto r = attempt(layer, f)) return r;
  }
  if (!f.is(Kind::sum)) {  // written out, term by term
    try {
      const Expr g = expand(f);
      if (g.is(Kind::sum) && !(g == f)) return (*this)(g, x);
    } catch (const Error&) {
    }
  }
  return std::nullopt;
}

}  // namespace boreon
