// SPDX-License-Identifier: MIT
// What else follows from equations: slopes of implicit functions, inverse functions, stationary points.
#include <fmt/format.h>

#include <algorithm>

#include "boreon/algebra.hpp"
#include "boreon/calculus.hpp"
#include "boreon/equations.hpp"
#include "boreon/error.hpp"
#include "boreon/function.hpp"
#include "boreon/linear_algebra.hpp"
#include "boreon/matrix.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/signs.hpp"

namespace boreon {
namespace {

// Signs of the leading principal minors; nothing if one is not known.
std::optional<std::vector<int>> minors(const Matrix& h, const Signs& signs) {
  std::vector<int> out;
  for (Eigen::Index n = 1; n <= h.rows(); ++n) {
    Matrix part(n, n);
    for (Eigen::Index i = 0; i < n; ++i) {
      for (Eigen::Index j = 0; j < n; ++j) part(i, j) = h(i, j);
    }
    const Expr d = simplify(determinant(part));
    auto s = signs.known(d);
    if (!s && !d.has_symbols()) {
      const auto v = certified_value(d, {}, {});
      if (v && v->imag() == 0 && v->real() != 0) s = v->real() > 0 ? 1 : -1;
    }
    if (!s) return std::nullopt;
    out.push_back(*s);
  }
  return out;
}

StationaryKind kind_of(const Matrix& h, const Signs& signs) {
  const auto d = minors(h, signs);
  if (!d) return StationaryKind::undecided;
  bool minimum = true;
  bool maximum = true;
  for (std::size_t k = 0; k < d->size(); ++k) {
    minimum = minimum && (*d)[k] > 0;
    maximum = maximum && (*d)[k] == (k % 2 == 0 ? -1 : 1);
  }
  if (minimum) return StationaryKind::minimum;
  if (maximum) return StationaryKind::maximum;
  // a Hessian without zero eigenvalue that is neither has both signs
  return d->back() != 0 ? StationaryKind::saddle : StationaryKind::undecided;
}

}  // namespace

const char* to_string(StationaryKind k) noexcept {
  switch (k) {
    case StationaryKind::minimum: return "minimum";
    case StationaryKind::maximum: return "maximum";
    case StationaryKind::saddle: return "saddle";
    default: return "undecided";
  }
}

Expr implicit_derivative(const Expr& equation, const Expr& y, const Expr& x) {
  for (const Expr& s : {y, x}) {
    if (!s.is(Kind::symbol)) throw Error(ErrorKind::usage, to_text(s, {60, {}}) + " is no symbol");
    if (!depends_on(equation, s))
      throw Error(ErrorKind::usage, fmt::format("{} does not occur in the equation", s.name()));
  }
  if (y == x) throw Error(ErrorKind::usage, "a symbol is no function of itself");
  const Expr by_y = derivative(equation, y);
  if (vanishes(by_y))
    throw Error(ErrorKind::domain, fmt::format("the equation does not fix {}: its derivative by it is 0", y.name()));
  return simplify(-derivative(equation, x) / by_y);
}

InverseFunctions inverse(const Function& f, const SolveOptions& options) {
  if (f.arguments().size() != 1)
    throw Error(ErrorKind::shape,
                fmt::format("{} has {} arguments; functions of one have an inverse", f.name(), f.arguments().size()));
  const Symbol& x = f.arguments()[0];
  const Symbol value(x.name() == "y" ? "y_value" : "y");
  InverseFunctions out;
  out.solutions = solve({f.body() - value}, {x}, options);
  for (const Solution& s : out.solutions.solutions) {
    const Expr body = *s.values.find(x);
    out.branches.emplace_back("inverse_" + f.name(), std::vector<Symbol>{value}, body, Unused::allowed);
  }
  return out;
}

StationarySet stationary_points(const Expr& f, const ExprList& unknowns, const SolveOptions& options) {
  const std::vector<Expr> variables(unknowns.begin(), unknowns.end());
  StationarySet out;
  const std::vector<Expr> slopes = gradient(f, variables);
  std::vector<Expr> open;
  for (const Expr& s : slopes) {
    if (!vanishes(s)) open.push_back(s);
  }
  if (open.empty()) throw Error(ErrorKind::usage, "the function does not depend on the unknowns");
  out.solutions = solve(open, variables, options);
  const Matrix h = hessian(f, variables);
  for (const Solution& s : out.solutions.solutions) {
    StationaryPoint p;
    p.at = s;
    p.value = simplify(substitute(f, s.values, Unused::allowed));
    std::vector<Expr> conditions = options.conditions;
    conditions.insert(conditions.end(), s.conditions.begin(), s.conditions.end());
    Matrix there(h.rows(), h.cols());
    for (Eigen::Index i = 0; i < h.rows(); ++i) {
      for (Eigen::Index j = 0; j < h.cols(); ++j)
        there(i, j) = simplify(substitute(h(i, j), s.values, Unused::allowed));
    }
    if (s.real) p.kind = kind_of(there, Signs(conditions));
    out.points.push_back(std::move(p));
  }
  return out;
}

}  // namespace boreon
