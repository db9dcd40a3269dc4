// SPDX-License-Identifier: MIT
// Linear systems with constant coefficients, or constant ones times a function: the resolvent (s*1 - A)^-1 brought back
// from the Laplace side is exp(A*t), also where eigenvalues repeat (F. R. Gantmacher, The Theory of Matrices I, 1959,
// chapter V).
#include <algorithm>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/linear_algebra.hpp"
#include "boreon/simplify.hpp"
#include "boreon/transform.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "odes/context.hpp"
#include "transforms/inverse_rules.hpp"

namespace boreon::odes {
namespace {

// y_i^(n_i) by the lower ones: rows of A and the forcing.
struct FirstOrderForm {
  Matrix A;
  std::vector<Expr> forcing;
  std::vector<Eigen::Index> place;  // of y_i in the state
};

// Exponentials term by term, unless parameters make one fraction shorter.
Expr shorter(const Expr& e) {
  const Expr apart = expand(e);
  if (free_symbols(e).size() < 2) return apart;
  const Expr together = factor(e);
  return written_cost(together) < written_cost(apart) ? together : apart;
}

std::optional<FirstOrderForm> first_order_form(const std::vector<Expr>& equations,
                                               const std::vector<std::vector<Symbol>>& jets) {
  const auto n = static_cast<Eigen::Index>(jets.size());
  if (static_cast<std::size_t>(n) != equations.size()) return std::nullopt;
  FirstOrderForm out;
  Eigen::Index size = 0;
  for (const auto& j : jets) {
    if (j.size() < 2) return std::nullopt;
    out.place.push_back(size);
    size += static_cast<Eigen::Index>(j.size()) - 1;
  }
  out.A = Matrix::Constant(size, size, Expr(0));
  out.forcing.assign(static_cast<std::size_t>(size), 0);
  Matrix highest(n, n);
  Matrix lower(n, size);
  std::vector<Expr> rest = equations;
  for (Eigen::Index e = 0; e < n; ++e) {
    Expr& r = rest[static_cast<std::size_t>(e)];
    for (Eigen::Index i = 0; i < n; ++i) {
      const auto& jet = jets[static_cast<std::size_t>(i)];
      for (std::size_t k = 0; k < jet.size(); ++k) {
        const Expr a = combine_fractions(derivative(equations[static_cast<std::size_t>(e)], jet[k]));
        for (const auto& other : jets) {
          for (const Symbol& s : other) {
            if (depends_on(a, s)) return std::nullopt;
          }
        }
        (k + 1 == jet.size() ? highest(e, i)
                             : lower(e, out.place[static_cast<std::size_t>(i)] + static_cast<Eigen::Index>(k))) = a;
        r = substitute(r, {{jet[k], 0}}, Unused::allowed);
      }
    }
  }
  Matrix inverse_highest;
  try {
    inverse_highest = inverse(highest, AnswerForm::written_out);
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::domain) throw;
    return std::nullopt;
  }
  for (Eigen::Index i = 0; i < n; ++i) {
    const Eigen::Index first = out.place[static_cast<std::size_t>(i)];
    const auto order = static_cast<Eigen::Index>(jets[static_cast<std::size_t>(i)].size()) - 1;
    for (Eigen::Index k = 0; k + 1 < order; ++k) out.A(first + k, first + k + 1) = 1;
    const Eigen::Index last = first + order - 1;
    for (Eigen::Index e = 0; e < n; ++e) {
      for (Eigen::Index j = 0; j < size; ++j) out.A(last, j) -= inverse_highest(i, e) * lower(e, j);
      out.forcing[static_cast<std::size_t>(last)] -= inverse_highest(i, e) * rest[static_cast<std::size_t>(e)];
    }
    for (Eigen::Index j = 0; j < size; ++j) out.A(last, j) = combine_fractions(out.A(last, j));
  }
  return out;
}

// A and the forcing without t in A.
std::optional<std::vector<Expr>> constant_system(Context& c, const FirstOrderForm& form, const Symbol& t) {
  const Eigen::Index size = form.A.rows();
  const Symbol s("_s");
  const Symbol time("_t", {Assumption::positive});
  Matrix shifted(size, size);
  for (Eigen::Index i = 0; i < size; ++i) {
    for (Eigen::Index j = 0; j < size; ++j) shifted(i, j) = (i == j ? Expr(s) : Expr(0)) - form.A(i, j);
  }
  const Matrix resolvent = inverse(shifted, AnswerForm::written_out);
  const auto back = [&](const Expr& F) -> std::optional<Expr> {
    transforms::InverseRules rules(s, time, t, c.signs().conditions());
    const auto f = rules(combine_fractions(F));
    if (!f || rules.open()) return std::nullopt;
    for (const Expr& a : rules.assumed()) (void)c.signs().of(a.operands()[1] - a.operands()[0]);
    return substitute(*f, {{time, t}}, Unused::allowed);
  };
  // the forcing on the Laplace side
  std::vector<Expr> images(static_cast<std::size_t>(size), 0);
  bool forced = false;
  for (std::size_t i = 0; i < images.size(); ++i) {
    if (form.forcing[i].is_integer(0)) continue;
    TransformOptions o;
    o.conditions = c.signs().conditions();
    const TransformResult g = laplace_transform(form.forcing[i], t, s, o);
    if (g.status != TransformStatus::exact || !unknown_calls({&g.value, 1}).empty()) return std::nullopt;
    images[i] = g.value;
    forced = true;
  }
  std::vector<Expr> constants;
  for (Eigen::Index j = 0; j < size; ++j) constants.push_back(c.constant());
  std::vector<Expr> out;
  for (std::size_t u = 0; u < form.place.size(); ++u) {
    const Eigen::Index i = form.place[u];
    std::vector<Expr> parts;
    Expr image = 0;
    for (Eigen::Index j = 0; j < size; ++j) {
      const auto f = back(resolvent(i, j));
      if (!f) return std::nullopt;
      parts.push_back(constants[static_cast<std::size_t>(j)] * shorter(*f));
      image += resolvent(i, j) * images[static_cast<std::size_t>(j)];
    }
    if (forced) {
      const auto f = back(image);
      if (!f) return std::nullopt;
      parts.push_back(expand(*f));
    }
    out.push_back(boreon::add(parts));
  }
  c.step(
      "linear with constant coefficients: exp(A*t) from the inverse of s - A; the constants are the values at t = 0");
  return out;
}

// The function of t that all of A is a multiple of; nothing if it is none.
std::optional<Expr> common_rate(const Matrix& A, const Symbol& t) {
  std::optional<Expr> rate;
  for (Eigen::Index k = 0; k < A.size(); ++k) {
    const Expr& a = A.data()[k];
    if (a.is_integer(0)) continue;
    if (!rate) {
      Expr of_t = 1;
      for_each_factor(factor(a), [&](const Expr& base, const Expr& exponent) {
        if (depends_on(base, t) || depends_on(exponent, t)) of_t *= power(base, exponent);
      });
      rate = of_t;
    }
    if (depends_on(combine_fractions(a / *rate), t)) return std::nullopt;
  }
  return rate;
}

}  // namespace

std::optional<std::vector<Expr>> linear_system(Context& c, const std::vector<Expr>& equations,
                                               const std::vector<std::vector<Symbol>>& jets, const Symbol& t) {
  auto form = first_order_form(equations, jets);
  if (!form) return std::nullopt;
  const auto rate = common_rate(form->A, t);
  if (!rate) return std::nullopt;
  if (!depends_on(*rate, t)) return constant_system(c, *form, t);
  // x' = h(t)*A*x: constant coefficients in the integral of h
  const Symbol s("_x");
  const auto integral = c.closed_integral(*rate, t);
  if (!integral) return std::nullopt;
  const Expr of_t = plain_logarithms(*integral);
  std::optional<Expr> base;  // of_t = amount*log(base)
  Expr amount = leading_number(of_t);
  for_each_factor(of_t, [&](const Expr& factor_of, const Expr& exponent) {
    if (is_call_of(factor_of, "log") && exponent.is_integer(1) && !base) {
      base = factor_of.operands()[0];
    } else {
      amount *= power(factor_of, exponent);
    }
  });
  if (depends_on(amount, t)) base.reset();
  for (Eigen::Index k = 0; k < form->A.size(); ++k) form->A.data()[k] = combine_fractions(form->A.data()[k] / *rate);
  const bool forced =
      std::any_of(form->forcing.begin(), form->forcing.end(), [](const Expr& f) { return !f.is_integer(0); });
  if (forced) {
    const auto place = base ? linear_in(*base, t) : std::nullopt;
    if (!place) return std::nullopt;
    const Expr back = (exp(s / amount) - place->constant) / place->slope;
    for (Expr& f : form->forcing) f = expand(substitute(f / *rate, {{t, back}}, Unused::allowed));
  }
  auto found = constant_system(c, *form, s);
  if (!found) return std::nullopt;
  c.step("the coefficients are multiples of one function of t: constant in its integral");
  for (Expr& f : *found) {
    f = base ? back_from_logarithm(substitute(f, {{s, amount * s}}, Unused::allowed), s, *base)
             : substitute(f, {{s, of_t}}, Unused::allowed);
  }
  return found;
}

}  // namespace boreon::odes
