// SPDX-License-Identifier: MIT
#include "boreon/coordinates.hpp"

#include <cmath>

#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/linear_algebra.hpp"
#include "boreon/sampling.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"

namespace boreon {
namespace {

Eigen::Index at(std::size_t i) { return static_cast<Eigen::Index>(i); }

void require_symbols(std::span<const Expr> variables) {
  for (const Expr& v : variables) {
    if (!v.is(Kind::symbol))
      throw Error(ErrorKind::usage, "a coordinate is a symbol, not " + to_text(v, {.max_length = 80}));
  }
}

void require_orthogonal(const Coordinates& c) {
  if (!c.orthogonal())
    throw Error(
        ErrorKind::unsupported,
        "these coordinates are not orthogonal; gradient, divergence and curl are done for orthogonal ones only");
}

void require_components(std::span<const Expr> f, const Coordinates& c) {
  require_orthogonal(c);
  if (f.size() != c.dimension())
    throw Error(ErrorKind::shape, "the vector field has " + std::to_string(f.size()) + " components in " +
                                      std::to_string(c.dimension()) + " dimensions");
}

// The sign of an expression at a random point that meets the conditions; 0 if none could be had.
int sign_at_random(const Expr& e, std::span<const Expr> conditions) {
  std::vector<Expr> all{e};
  all.insert(all.end(), conditions.begin(), conditions.end());
  const std::vector<Expr> leaves = sampled_leaves(all);
  const SampleRanges ranges;
  Sampler sampler(leaves, ranges, 7);
  for (int k = 0; k < 50; ++k) {
    const std::vector<double> p = sampler.draw(conditions);
    if (p.size() != leaves.size()) return 0;
    Bindings b;
    for (std::size_t i = 0; i < p.size(); ++i) b.set(leaves[i], p[i]);
    try {
      const double v = evaluate(e, b, Unused::allowed);
      if (std::isfinite(v) && v != 0) return v > 0 ? 1 : -1;
    } catch (const Error&) {  // outside the domain: another point
    }
  }
  return 0;
}

}  // namespace

Expr Coordinates::tidy(const Expr& e) const {
  SimplifyOptions o;
  o.conditions = conditions_;
  return simplify(e, o);
}

// Scale factors, metric and orientation from the rates du/dx and the scale factors of x.
void Coordinates::finish(const Expr& determinant_of_rates) {
  const std::size_t n = functions_.size();
  Matrix gram(at(n), at(n));  // products of the gradients of u_i, u_j
  for (std::size_t i = 0; i < n; ++i) {
    for (std::size_t j = 0; j <= i; ++j) {
      Expr s = 0;
      for (std::size_t k = 0; k < n; ++k)
        s += (*rates_)(at(i), at(k)) * (*rates_)(at(j), at(k)) / power(base_scales_[k], 2);
      gram(at(i), at(j)) = tidy(s);
      gram(at(j), at(i)) = gram(at(i), at(j));
      if (i != j && !gram(at(i), at(j)).is_integer(0)) orthogonal_ = false;
    }
  }
  const Matrix covariant = inverse(gram);
  metric_ = std::make_shared<const Matrix>(covariant.unaryExpr([&](const Expr& e) { return tidy(e); }));
  for (std::size_t i = 0; i < n; ++i) scale_factors_.push_back(tidy(sqrt((*metric_)(at(i), at(i)))));
  if (orthogonal_) {
    volume_element_ = tidy(multiply(scale_factors_));
  } else {
    volume_element_ = tidy(sqrt(tidy(determinant(*metric_))));
  }
  const int sign = sign_at_random(determinant_of_rates, conditions_);
  orientation_ *= sign == 0 ? 1 : sign;
}

Coordinates Coordinates::cartesian(const Expr& x, const Expr& y, const Expr& z) {
  const Expr map[] = {x, y, z};
  return from_map({x, y, z}, map);
}

Coordinates Coordinates::cylindrical(const Expr& rho, const Expr& phi, const Expr& z) {
  const Expr map[] = {rho * cos(phi), rho * sin(phi), z};
  const Expr conditions[] = {greater(rho, 0)};
  return from_map({rho, phi, z}, map, conditions);
}

Coordinates Coordinates::spherical(const Expr& r, const Expr& theta, const Expr& phi) {
  const Expr map[] = {r * sin(theta) * cos(phi), r * sin(theta) * sin(phi), r * cos(theta)};
  const Expr conditions[] = {greater(r, 0), greater(sin(theta), 0)};
  return from_map({r, theta, phi}, map, conditions);
}

Coordinates Coordinates::dipole(const Expr& r, const Expr& theta, const Expr& phi) {
  return from_functions(spherical(r, theta, phi), {cos(theta) / power(r, 2), r / power(sin(theta), 2), phi});
}

Coordinates Coordinates::named(std::string_view name) {
  if (name == "cartesian") return cartesian();
  if (name == "cylindrical") return cylindrical();
  if (name == "spherical") return spherical();
  if (name == "dipole") return dipole();
  const std::vector<std::string> known{"cartesian", "cylindrical", "spherical", "dipole"};
  throw Error(ErrorKind::name, "'" + std::string(name) + "' are no known coordinates" +
                                   suggestion(std::string(name), known) +
                                   "; known: cartesian, cylindrical, spherical, dipole");
}

Coordinates Coordinates::from_map(std::vector<Expr> coordinates, const ExprList& cartesian,
                                  std::span<const Expr> conditions) {
  if (coordinates.size() != cartesian.size()) {
    throw Error(ErrorKind::shape, std::to_string(coordinates.size()) +
                                      " coordinates need as many Cartesian components, not " +
                                      std::to_string(cartesian.size()));
  }
  require_symbols(coordinates);
  Coordinates c;
  c.conditions_.assign(conditions.begin(), conditions.end());
  c.variables_ = coordinates;
  c.functions_ = coordinates;
  const Matrix j = jacobian(cartesian, coordinates);
  const std::size_t n = coordinates.size();
  c.metric_ =
      std::make_shared<const Matrix>((j.transpose() * j).eval().unaryExpr([&](const Expr& e) { return c.tidy(e); }));
  const Expr d = determinant(j);
  const Expr tidy_d = c.tidy(d);
  if (tidy_d.is_integer(0))
    throw Error(ErrorKind::domain, "the coordinates are not independent: the determinant of the map is zero");
  c.rates_ = std::make_shared<const Matrix>(identity_matrix(at(n)));
  for (std::size_t i = 0; i < n; ++i) {
    for (std::size_t k = 0; k < i; ++k) c.orthogonal_ = c.orthogonal_ && (*c.metric_)(at(i), at(k)).is_integer(0);
    c.scale_factors_.push_back(c.tidy(sqrt((*c.metric_)(at(i), at(i)))));
  }
  c.base_scales_ = c.scale_factors_;
  c.volume_element_ = c.orthogonal_ ? c.tidy(multiply(c.scale_factors_)) : c.tidy(abs(tidy_d));
  const int sign = sign_at_random(d, conditions);
  c.orientation_ = sign == 0 ? 1 : sign;
  return c;
}

Coordinates Coordinates::from_functions(const Coordinates& base, std::vector<Expr> functions,
                                        std::span<const Expr> conditions) {
  require_orthogonal(base);
  if (functions.size() != base.dimension()) {
    throw Error(ErrorKind::shape, std::to_string(base.dimension()) +
                                      " dimensions need as many coordinate functions, not " +
                                      std::to_string(functions.size()));
  }
  Coordinates c;
  c.variables_ = base.variables();
  c.functions_ = std::move(functions);
  c.base_scales_ = base.scale_factors();
  c.conditions_ = base.conditions();
  c.conditions_.insert(c.conditions_.end(), conditions.begin(), conditions.end());
  c.rates_ = std::make_shared<const Matrix>(jacobian(c.functions_, c.variables_));
  const Expr d = determinant(*c.rates_);
  if (c.tidy(d).is_integer(0))
    throw Error(ErrorKind::domain, "the coordinates are not independent: the determinant of their derivatives is zero");
  c.orientation_ = base.orientation();
  c.finish(d);
  return c;
}

Expr Coordinates::derivative_along(const Expr& f, std::size_t i) const {
  // df/du_i = h_i^2 * grad(u_i) . grad(f)
  Expr s = 0;
  for (std::size_t j = 0; j < variables_.size(); ++j) {
    const Expr& rate = (*rates_)(at(i), at(j));
    if (rate.is_integer(0)) continue;
    if (rate.is_integer(1) && functions_[i] == variables_[j]) {
      s += derivative(f, variables_[j]);
      continue;
    }
    s += power(scale_factors_[i], 2) * rate * derivative(f, variables_[j]) / power(base_scales_[j], 2);
  }
  return s;
}

std::vector<Expr> gradient(const Expr& f, const Coordinates& c) {
  require_orthogonal(c);
  std::vector<Expr> out;
  for (std::size_t i = 0; i < c.dimension(); ++i)
    out.push_back(c.tidy(c.derivative_along(f, i) / c.scale_factors()[i]));
  return out;
}

Expr divergence(const ExprList& f, const Coordinates& c) {
  require_components(f, c);
  const Expr volume = multiply(c.scale_factors());
  Expr s = 0;
  for (std::size_t i = 0; i < c.dimension(); ++i) s += c.derivative_along(volume / c.scale_factors()[i] * f[i], i);
  return c.tidy(s / volume);
}

std::vector<Expr> curl(const ExprList& f, const Coordinates& c) {
  require_components(f, c);
  if (c.dimension() != 3)
    throw Error(ErrorKind::shape, "the curl is defined in three dimensions, not " + std::to_string(c.dimension()));
  const auto& h = c.scale_factors();
  std::vector<Expr> out;
  for (std::size_t i = 0; i < 3; ++i) {
    const std::size_t j = (i + 1) % 3;
    const std::size_t k = (i + 2) % 3;
    const Expr circulation = c.derivative_along(h[k] * f[k], j) - c.derivative_along(h[j] * f[j], k);
    out.push_back(c.tidy(c.orientation() * circulation / (h[j] * h[k])));
  }
  return out;
}

Expr laplacian(const Expr& f, const Coordinates& c) {
  require_orthogonal(c);
  const Expr volume = multiply(c.scale_factors());
  Expr s = 0;
  for (std::size_t i = 0; i < c.dimension(); ++i)
    s += c.derivative_along(volume / power(c.scale_factors()[i], 2) * c.derivative_along(f, i), i);
  return c.tidy(s / volume);
}

Expr directional_derivative(const Expr& f, const ExprList& variables, const ExprList& direction) {
  if (variables.size() != direction.size()) {
    throw Error(ErrorKind::shape, "the direction has " + std::to_string(direction.size()) + " components for " +
                                      std::to_string(variables.size()) + " variables");
  }
  const std::vector<Expr> g = gradient(f, variables);
  Expr s = 0;
  for (std::size_t i = 0; i < g.size(); ++i) s += direction[i] * g[i];
  return s;
}

Expr total_differential(const Expr& f, const ExprList& variables) {
  const std::vector<Expr> g = gradient(f, variables);
  const Expr list[] = {f};
  const auto used = free_symbols(list);
  Expr s = 0;
  for (std::size_t i = 0; i < g.size(); ++i) {
    std::string name = "d" + variables[i].name();
    while (std::any_of(used.begin(), used.end(), [&](const Symbol& x) { return x.name() == name; })) name += "_";
    s += g[i] * Symbol(name);
  }
  return s;
}

Expr taylor_polynomial(const Expr& f, const ExprList& variables, const ExprList& place, int order) {
  if (variables.size() != place.size())
    throw Error(ErrorKind::shape, std::to_string(variables.size()) +
                                      " variables need as many coordinates of the place, not " +
                                      std::to_string(place.size()));
  if (order < 0) throw Error(ErrorKind::usage, "the order of a Taylor polynomial is not negative");
  Bindings b;
  for (std::size_t i = 0; i < variables.size(); ++i) b.set(variables[i], place[i]);
  struct Term {
    Expr derivative;
    Expr factor;        // product of (x - place)^k/k!
    std::size_t first;  // variables before this one are done with
    int power;          // of variable `first` so far
  };
  std::vector<Term> level{{f, 1, 0, 0}};
  std::vector<Expr> terms;
  for (int k = 0; k <= order; ++k) {
    if (level.size() > 200000) throw Error(ErrorKind::limit, "the Taylor polynomial has too many terms");
    std::vector<Term> next;
    for (const Term& t : level) {
      const Expr value = substitute(t.derivative, b, Unused::allowed);
      bool defined = true;
      postorder(value, [&](const Expr& x) {
        defined = defined && !x.is_constant(ConstantCode::undefined) && !x.is_constant(ConstantCode::infinity);
      });
      if (!defined)
        throw Error(ErrorKind::domain, "the expression or a derivative of order " + std::to_string(k) +
                                           " has no value at the place of expansion");
      terms.push_back(value * t.factor);
      if (k == order) continue;
      for (std::size_t i = t.first; i < variables.size(); ++i) {
        const int n = i == t.first ? t.power + 1 : 1;
        next.push_back({derivative(t.derivative, variables[i]), t.factor * (variables[i] - place[i]) / n, i, n});
      }
    }
    level = std::move(next);
  }
  return add(terms);
}

Expr change_variables(const Expr& e, const ExprList& old_variables, const ExprList& map,
                      const ExprList& new_variables) {
  const std::size_t n = old_variables.size();
  if (map.size() != n || new_variables.size() != n) {
    throw Error(
        ErrorKind::shape,
        "a change of variables needs as many new variables and expressions as old variables, " + std::to_string(n));
  }
  const Matrix j = jacobian(map, new_variables);
  const Matrix rates = simplify(inverse(j));  // d(new_k)/d(old_i) at (k, i)
  Bindings b;
  for (std::size_t i = 0; i < n; ++i) b.set(old_variables[i], map[i]);
  // Unknown functions of exactly the old variables.
  const auto target = [&](const Expr& x, Expr& result) {
    if (!x.is(Kind::unknown_call)) return false;
    const auto ops = x.operands();
    if (ops.size() != 1 + 2 * n) return false;
    for (std::size_t i = 0; i < n; ++i) {
      if (!(ops[1 + 2 * i] == old_variables[i])) return false;
    }
    std::vector<Expr> args(new_variables.begin(), new_variables.end());
    Expr f = UnknownFunction(x.name()).call(args);
    for (std::size_t i = 0; i < n; ++i) {
      for (std::int64_t k = 0; k < ops[2 + 2 * i].word().value_or(0); ++k) {
        Expr s = 0;
        for (std::size_t m = 0; m < n; ++m) s += rates(at(m), at(i)) * derivative(f, new_variables[m]);
        f = s;
      }
    }
    result = f;
    return true;
  };
  // Leaves are marked first so that the substitution does not look inside them.
  std::vector<std::pair<Expr, Expr>> calls;
  Rebuild hide([&](const Expr& x, Expr& result) {
    Expr value;
    if (!target(x, value)) return false;
    result = Symbol("change_variables_" + std::to_string(calls.size()), Assumptions::none());
    calls.emplace_back(result, value);
    return true;
  });
  const Expr hidden = substitute(hide(e), b, Unused::allowed);
  Bindings back;
  for (const auto& [mark, value] : calls) back.set(mark, value);
  return simplify(substitute(hidden, back, Unused::allowed));
}

}  // namespace boreon
