// SPDX-License-Identifier: MIT
// Transfer functions from derived matrices, and the witnesses of them.
#include "boreon/linear_response.hpp"
#include "boreon/evidence.hpp"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>
#include <limits>
#include <random>
#include <tuple>

#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/sensitivity.hpp"
#include "boreon/solvers.hpp"
#include "expr/work.hpp"
#include "solvers/checked_system.hpp"
#include "solvers/draws.hpp"
#include "solvers/output_map.hpp"
#include "solvers/sundials_support.hpp"

namespace boreon {
namespace {

using Complex = std::complex<double>;
using DenseMatrix = Eigen::MatrixXd;
using DenseVector = Eigen::VectorXd;

constexpr std::size_t most_states_of_response = 400;
constexpr double together = 1e-6;  // relative distance at which a pole and a zero cancel

double digits_of(double error, double size) { return agreeing_digits(error, size); }

// Derivatives of the rates and of the output at a steady state.
struct Derivatives {
  DenseMatrix by_states;
  DenseVector by_input;
  DenseVector output_by_states;
  double output_by_input = 0;
};

Derivatives derivatives_at(const System& s, const Expr& output, const Expr& input, const std::vector<double>& y) {
  std::vector<Expr> wanted;
  std::vector<Expr> by = s.states;
  by.push_back(input);
  std::vector<Expr> functions = s.right_sides;
  functions.push_back(output);
  const SparseMatrix m = sparse_jacobian(functions, by);
  const Kernel k =
      compile({OutputGroup("m", m)}, {{"y", s.states}, {"p", s.parameters}, {"t", {s.time}}}, NativeOptions{});
  std::vector<double> values(m.pattern.nonzeros());
  const double t = 0;
  const double* in[] = {y.data(), s.parameter_values.data(), &t};
  double* out[] = {values.data()};
  k(in, out);
  const auto n = static_cast<Eigen::Index>(s.states.size());
  DenseMatrix all = DenseMatrix::Zero(n + 1, n + 1);
  for (std::size_t row = 0; row < m.pattern.rows; ++row) {
    m.pattern.each(row, [&](std::size_t at, std::size_t column) {
      all(static_cast<Eigen::Index>(row), static_cast<Eigen::Index>(column)) = values[at];
    });
  }
  return {all.topLeftCorner(n, n), all.topRightCorner(n, 1), all.bottomLeftCorner(1, n).transpose(), all(n, n)};
}

// Without the states that have an equation instead of a rate: 0 = g_x x + g_z z + g_u u.
void eliminate_algebraic(const System& s, Derivatives& d) {
  std::vector<Eigen::Index> x;
  std::vector<Eigen::Index> z;
  for (std::size_t i = 0; i < s.states.size(); ++i)
    (s.algebraic.empty() || s.algebraic[i] == 0 ? x : z).push_back(static_cast<Eigen::Index>(i));
  if (z.empty()) return;
  const DenseMatrix g_z = d.by_states(z, z);
  const Eigen::FullPivLU<DenseMatrix> lu(g_z);
  if (!lu.isInvertible())
    throw Error(ErrorKind::domain, "the algebraic equations do not determine their unknowns at the steady state");
  const DenseMatrix of_x = lu.solve(d.by_states(z, x));
  const DenseVector of_u = lu.solve(DenseVector(d.by_input(z)));
  const DenseMatrix f_z = d.by_states(x, z);
  const DenseVector c_z = d.output_by_states(z);
  Derivatives r;
  r.by_states = DenseMatrix(d.by_states(x, x)) - f_z * of_x;
  r.by_input = DenseVector(d.by_input(x)) - f_z * of_u;
  r.output_by_states = DenseVector(d.output_by_states(x)) - of_x.transpose() * c_z;
  r.output_by_input = d.output_by_input - c_z.dot(of_u);
  d = std::move(r);
}

// Powers of two on states, so that rows and columns of A are of like size: Parlett and Reinsch, Numer. Math. 13 (1969)
// 293.
void balance(Derivatives& d) {
  const Eigen::Index n = d.by_states.rows();
  for (int sweep = 0; sweep < 60; ++sweep) {
    bool moved = false;
    for (Eigen::Index i = 0; i < n; ++i) {
      const double own = std::fabs(d.by_states(i, i));
      const double row = d.by_states.row(i).cwiseAbs().sum() - own;
      const double column = d.by_states.col(i).cwiseAbs().sum() - own;
      if (!(row > 0) || !(column > 0)) continue;
      const double f = std::exp2(std::round(0.5 * std::log2(row / column)));
      if (f == 1 || !std::isfinite(f)) continue;
      moved = true;
      d.by_states.row(i) /= f;
      d.by_states.col(i) *= f;
      d.by_input[i] /= f;
      d.output_by_states[i] *= f;
    }
    if (!moved) return;
  }
}

std::vector<Complex> sorted(std::vector<Complex> list) {
  std::sort(list.begin(), list.end(), [](const Complex& a, const Complex& b) {
    return std::tuple(-a.real(), std::fabs(a.imag()), a.imag()) < std::tuple(-b.real(), std::fabs(b.imag()), b.imag());
  });
  return list;
}

// Zeros and gain: the first power k with c A^(k-1) b != 0 says how many zeros there are; they are the smallest
// generalised eigenvalues of [A b; c d] against [1 0; 0 0].
void add_zeros(const Derivatives& d, LinearResponse& r) {
  const Eigen::Index n = d.by_states.rows();
  const double size = d.by_states.cwiseAbs().maxCoeff();
  Eigen::Index beyond = 0;
  DenseVector moved = d.by_input;
  double reach = d.output_by_states.norm() * d.by_input.norm();
  r.gain = d.output_by_input;
  while (r.gain == 0 && beyond < n) {
    ++beyond;
    const double k = d.output_by_states.dot(moved);
    if (std::fabs(k) > 1e-12 * reach) r.gain = k;
    moved = d.by_states * moved;
    reach *= std::max(size, 1e-300);
  }
  if (r.gain == 0) return;  // the input does not reach the output
  const Eigen::Index count = n - beyond;
  if (count == 0) return;
  DenseMatrix left(n + 1, n + 1);
  // the column and the row of the same size as A, or roundings of it would drown them
  const double column = d.by_input.cwiseAbs().maxCoeff();
  const double row = d.output_by_states.cwiseAbs().maxCoeff();
  const double of_column = column > 0 ? std::max(size, 1e-300) / column : 1;
  const double of_row = row > 0 ? std::max(size, 1e-300) / row : 1;
  left << d.by_states, d.by_input * of_column, d.output_by_states.transpose() * of_row,
      d.output_by_input * of_column * of_row;
  DenseMatrix right = DenseMatrix::Identity(n + 1, n + 1);
  right(n, n) = 0;
  const Eigen::GeneralizedEigenSolver<DenseMatrix> solver(left, right, false);
  std::vector<Complex> all;
  for (Eigen::Index i = 0; i <= n; ++i) {
    const double below = solver.betas()[i];
    if (below != 0) all.push_back(solver.alphas()[i] / below);
  }
  std::sort(all.begin(), all.end(), [](const Complex& a, const Complex& b) { return std::abs(a) < std::abs(b); });
  if (all.size() > static_cast<std::size_t>(count)) all.resize(static_cast<std::size_t>(count));
  r.zeros = all;
}

// Pairs of a pole and a zero in the same place are what the input does not move or the output does not show.
void cancel(LinearResponse& r) {
  double size = 0;
  for (const Complex& p : r.poles) size = std::max(size, std::abs(p));
  for (auto p = r.poles.begin(); p != r.poles.end();) {
    const auto nearest = std::min_element(r.zeros.begin(), r.zeros.end(), [&](const Complex& a, const Complex& b) {
      return std::abs(a - *p) < std::abs(b - *p);
    });
    if (nearest == r.zeros.end() || std::abs(*nearest - *p) > together * std::max(std::abs(*p), 1e-9 * size)) {
      ++p;
      continue;
    }
    r.hidden.push_back(*p);
    r.zeros.erase(nearest);
    p = r.poles.erase(p);
  }
}

Complex quotient(const LinearResponse& r, Complex s) {
  Complex g = r.gain;
  const std::size_t most = std::max(r.zeros.size(), r.poles.size());
  for (std::size_t k = 0; k < most; ++k) {
    if (k < r.zeros.size()) g *= s - r.zeros[k];
    if (k < r.poles.size()) g /= s - r.poles[k];
  }
  return g;
}

// How fast and how slow the system is.
std::pair<double, double> speeds(const LinearResponse& r) {
  double slow = std::numeric_limits<double>::infinity();
  double fast = 0;
  for (const auto* list : {&r.poles, &r.hidden}) {
    for (const Complex& p : *list) {
      fast = std::max(fast, std::abs(p));
      if (std::abs(p) > 0) slow = std::min(slow, std::abs(p));
    }
  }
  return fast > 0 ? std::pair(std::max(slow, 1e-9 * fast), fast) : std::pair(1.0, 1.0);
}

// Digits to which the quotient is c (s - A)^-1 b + d, at places around and on the imaginary axis.
double digits_of_quotient(const LinearResponse& r) {
  std::mt19937_64 random(7);
  const auto [slow, fast] = speeds(r);
  double worst = 0;
  double b_square = 0;
  double c_square = 0;
  for (std::size_t i = 0; i < r.size(); ++i) {
    b_square += r.b[i] * r.b[i];
    c_square += r.c[i] * r.c[i];
  }
  const double reach = std::sqrt(b_square * c_square);
  for (int k = 0; k < 24; ++k) {
    const double size = slow * std::pow(fast / slow, 0.5 + 0.6 * either_side(random));
    const double angle = k % 2 == 0 ? std::acos(0.0) : 3.14159 * either_side(random);
    const Complex s = std::polar(size, angle);
    const Complex a = r(s);
    const Complex b = quotient(r, s);
    const double scale = std::max(std::abs(a), std::abs(b));
    if (scale <= 1e-13 * reach / std::abs(s)) continue;  // nothing but rounding
    if (scale > 0) worst = std::max(worst, std::abs(a - b) / scale);
    if (!std::isfinite(scale)) worst = 1;
  }
  return digits_of(worst, 1);
}

void add_residues(LinearResponse& r) {
  std::vector<Complex> residues;
  double size = 0;
  for (const Complex& p : r.poles) {
    Complex g = r.gain;
    double nearest = std::numeric_limits<double>::infinity();
    for (const Complex& z : r.zeros) g *= p - z;
    bool self = false;
    for (const Complex& q : r.poles) {
      if (!self && q == p) {
        self = true;
        continue;
      }
      g /= p - q;
      nearest = std::min(nearest, std::abs(p - q));
    }
    size = std::max(size, std::abs(p));
    if (nearest < 1e-5 * std::abs(p) || nearest == 0) return;  // as good as multiple: their parts cancel
    residues.push_back(g);
  }
  if (std::all_of(residues.begin(), residues.end(), [](const Complex& g) { return std::isfinite(std::abs(g)); }))
    r.residues = std::move(residues);
}

// Small steps of the input to either side, and what the equations make of them.
double digits_of_steps(const System& system, const std::vector<double>& rest, std::size_t input,
                       const LinearResponse& r) {
  System s = system;
  s.start = rest;
  TimeOptions o;
  o.until = 5 / speeds(r).first;
  o.samples = 11;
  o.relative_tolerance = 1e-11;
  o.at_bound = TimeOptions::AtBound::ignore;
  const double by = 1e-4 * (r.input_value != 0 ? std::fabs(r.input_value) : 1);
  std::vector<std::vector<double>> sides;
  for (const double side : {1.0, -1.0}) {
    s.parameter_values[input] = r.input_value + side * by;
    const TimeResult run = step_in_time(s, o);
    if (!run.completed) return std::numeric_limits<double>::quiet_NaN();
    sides.emplace_back();
    for (const auto& row : run.outputs) sides.back().push_back(row[0]);
    if (side > 0) continue;
    double size = 0;
    double worst = 0;
    for (std::size_t k = 1; k < run.times.size(); ++k) {
      const double seen = (sides[0][k] - sides[1][k]) / (2 * by);
      const double claimed = r.step(run.times[k]);
      size = std::max({size, std::fabs(seen), std::fabs(claimed)});
      worst = std::max(worst, std::fabs(seen - claimed));
    }
    return digits_of(worst, size);
  }
  return 0;
}

void judge_response(const System& s, const std::vector<double>& rest, std::size_t input, LinearResponse& r) {
  Evidence& e = r.evidence;
  e.method = r.as_quotient ? "the quotient against a linear solve at 24 places" : "";
  e.points = r.as_quotient ? 24 : 0;
  e.digits = r.as_quotient ? digits_of_quotient(r) : 15;
  bool good = true;
  const auto join = [&](const char* what, double digits, double enough, const std::string& where) {
    if (std::isnan(digits)) return;
    e.method += (e.method.empty() ? "" : ", ") + std::string(what);
    ++e.points;
    good = good && digits >= enough;
    if (digits < e.digits) {
      e.digits = digits;
      e.worst_entry = where;
    }
  };
  if (std::isfinite(r.at_rest)) {
    SensitivityOptions o;
    o.adjoint = false;
    System named = s;
    named.start = rest;
    const SensitivityResult slope = sensitivities(named, {named.output_names[0]}, {named.parameter_names[input]}, o);
    if (slope.found && !std::isnan(slope.of(0, 0).difference)) {
      const double d = slope.of(0, 0).difference;
      const double size = std::max(std::fabs(d), std::fabs(r.at_rest));
      join("G(0) against differences of steady states", digits_of(std::fabs(d - r.at_rest), size), 4, "G(0)");
    }
  }
  if (r.stable && r.in_closed_form())
    join("the step response against runs after small steps to either side", digits_of_steps(s, rest, input, r), 3,
         "step response");
  e.verdict = e.points == 0 ? Verdict::untested : good ? Verdict::agrees : Verdict::disagrees;
  if (e.points == 0) e.digits = 0;
}

}  // namespace

std::complex<double> LinearResponse::operator()(std::complex<double> s) const {
  const auto n = static_cast<Eigen::Index>(size());
  if (n == 0) return d;
  using RowMajor = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;
  Eigen::MatrixXcd m = -Eigen::Map<const RowMajor>(a.data(), n, n).cast<Complex>();
  m.diagonal().array() += s;
  const Eigen::VectorXcd x = m.partialPivLu().solve(Eigen::Map<const DenseVector>(b.data(), n).cast<Complex>());
  const Complex y = Eigen::Map<const DenseVector>(c.data(), n).cast<Complex>().transpose() * x;
  return y + d;
}

double LinearResponse::step(double t) const {
  Complex y = d;
  for (std::size_t k = 0; k < residues.size(); ++k) {
    const Complex p = poles[k];
    // (exp(p t) - 1)/p, also where p t is small
    const Complex z = p * t;
    const Complex grown = std::abs(z) < 1e-5 ? t * (1.0 + z / 2.0 + z * z / 6.0) : (std::exp(z) - 1.0) / p;
    y += residues[k] * grown;
  }
  return y.real();
}

double LinearResponse::impulse(double t) const {
  Complex y = 0;
  for (std::size_t k = 0; k < residues.size(); ++k) y += residues[k] * std::exp(poles[k] * t);
  return y.real();
}

LinearResponse linear_response(const System& given, const std::string& output, const std::string& input) {
  if (given.right_sides.empty())
    throw Error(ErrorKind::unsupported,
                "a transfer function needs rates: no equation has a time derivative, so every change acts at once");
  System s = checked(given, Purpose::in_time);
  s.residuals = s.right_sides;
  s.equation_names.clear();
  for (std::size_t i = 0; i < s.states.size(); ++i)
    s.equation_names.push_back((s.algebraic.empty() || s.algebraic[i] == 0 ? "rate of " : "equation of ") +
                               s.state_names[i]);
  if (s.states.size() > most_states_of_response)
    throw Error(ErrorKind::unsupported, fmt::format("a transfer function of {} states: at most {} are taken",
                                                    s.states.size(), most_states_of_response));
  LinearResponse r;
  r.output = output;
  r.input = input;
  const Expr of = outputs_named(s, {output})[0];
  s.outputs = {of};
  s.output_names = {output};
  const std::size_t at = parameter_named(s, input);
  const SteadyResult rest = solve_steady(s);
  if (!rest.converged) {
    r.message = rest.message;
    return r;
  }
  r.found = true;
  r.states = rest.values;
  r.input_value = s.parameter_values[at];
  spend(1000 * s.states.size() * s.states.size());
  Derivatives derived = derivatives_at(s, of, s.parameters[at], rest.values);
  if (!derived.by_states.allFinite() || !derived.by_input.allFinite() || !derived.output_by_states.allFinite() ||
      !std::isfinite(derived.output_by_input))
    throw Error(ErrorKind::domain,
                "a derivative of the rates or of the output has no finite value at the steady state");
  eliminate_algebraic(s, derived);
  balance(derived);
  const Eigen::Index n = derived.by_states.rows();
  for (Eigen::Index i = 0; i < n; ++i) {
    for (Eigen::Index j = 0; j < n; ++j) r.a.push_back(derived.by_states(i, j));
    r.b.push_back(derived.by_input[i]);
    r.c.push_back(derived.output_by_states[i]);
  }
  r.d = derived.output_by_input;
  r.output_value = rest.outputs.at(0);
  const Eigen::EigenSolver<DenseMatrix> eigen(derived.by_states, false);
  for (Eigen::Index i = 0; i < n; ++i) r.poles.push_back(eigen.eigenvalues()[i]);
  r.stable = std::all_of(r.poles.begin(), r.poles.end(), [](const Complex& p) { return p.real() < 0; });
  add_zeros(derived, r);
  if (r.gain == 0) {
    r.hidden = sorted(std::move(r.poles));
    r.poles.clear();
  }
  cancel(r);
  r.poles = sorted(std::move(r.poles));
  r.zeros = sorted(std::move(r.zeros));
  r.hidden = sorted(std::move(r.hidden));
  r.as_quotient = digits_of_quotient(r) >= 6;
  const auto [slow, fast] = speeds(r);
  const bool at_zero = std::any_of(r.poles.begin(), r.poles.end(),
                                   [fast = fast](const Complex& p) { return std::abs(p) < 1e-13 * fast; });
  r.at_rest = r.gain == 0 ? 0 : at_zero ? std::numeric_limits<double>::infinity() : r(0).real();
  if (r.as_quotient) add_residues(r);
  judge_response(s, rest.values, at, r);
  return r;
}

}  // namespace boreon
