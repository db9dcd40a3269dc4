// SPDX-License-Identifier: MIT
// derive --what determinant, divergence, curl, laplacian: maps and vector fields in curvilinear coordinates.
#include <fmt/format.h>

#include <Eigen/LU>
#include <algorithm>
#include <cmath>

#include "boreon/evidence.hpp"
#include "derive.hpp"

namespace boreon::cli {
namespace {

struct Fields {
  Assumed assumed;
  std::vector<Expr> functions;
};

Fields fields_of(const Request& r, ParseContext extra) {
  Fields f{assumptions_of(r), {}};
  for (const auto& [name, e] : extra.names) f.assumed.context.names.emplace(name, e);
  for (const std::string& text : r.inputs) {
    const Expr e = evaluate_derivatives(read_input(text, f.assumed.context));
    if (is_condition(e)) throw Error(ErrorKind::shape, "an expression is expected, not an equation or a condition");
    f.functions.push_back(e);
  }
  return f;
}

void conclude(Answer& a, const Comparison& c, const char* method) {
  a.json["status"] = "exact";
  a.json["check"] = json_of(c, method);
  if (!c.agrees) {
    a.text += "check: DISAGREES\n";
    a.exit_code = 1;
  } else {
    const std::string exact = std::string(method).find("random points") != std::string::npos
                                  ? "nothing was left to simplify"
                                  : fmt::format("{}: holds identically", method);
    const std::string digits =
        fmt::format("agrees to {:.0f} digits at {} points ({})", std::min(c.digits, 99.0), c.points, method);
    a.text += fmt::format("check: {}\n", c.points > 0 ? digits : c.digits > 0 ? exact : "untested");
  }
}

// The determinant against numbers: the Jacobian's values at random points, eliminated in double precision.
Comparison by_elimination(const Matrix& jacobian, const Expr& determinant, const std::vector<Expr>& variables,
                          const std::vector<Expr>& conditions) {
  std::vector<Expr> all(jacobian.data(), jacobian.data() + jacobian.size());
  all.push_back(determinant);
  std::vector<Expr> sampled = all;
  sampled.insert(sampled.end(), variables.begin(), variables.end());
  sampled.insert(sampled.end(), conditions.begin(), conditions.end());
  const std::vector<Expr> leaves = sampled_leaves(sampled);
  const SampleRanges ranges;
  Sampler sampler(leaves, ranges, 20260101);
  constexpr std::size_t wanted = 6;
  Comparison out;
  out.digits = 15;
  for (std::size_t attempt = 0; attempt < 10 * wanted && out.points < wanted; ++attempt) {
    const std::vector<double> p = sampler.draw(conditions);
    if (p.size() != leaves.size()) break;
    Bindings at;
    for (std::size_t i = 0; i < leaves.size(); ++i) at.set(leaves[i], p[i]);
    std::vector<double> values;
    try {
      values = evaluate(all, at, Unused::allowed);
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
      continue;  // outside the domain
    }
    const Eigen::MatrixXd m = Eigen::Map<const Eigen::MatrixXd>(values.data(), jacobian.rows(), jacobian.cols());
    double rows = 1;  // Hadamard's bound, against which rounding is measured
    for (Eigen::Index i = 0; i < m.rows(); ++i) rows *= m.row(i).norm();
    const double error = std::abs(m.partialPivLu().determinant() - values.back());
    const double digits = rows == 0 ? 15 : agreeing_digits(error, rows);
    ++out.points;
    if (digits < out.digits) {
      out.digits = digits;
      out.worst_point.clear();
      for (std::size_t i = 0; i < leaves.size(); ++i) out.worst_point.emplace_back(to_text(leaves[i]), p[i]);
    }
  }
  out.agrees = out.points == 0 || out.digits >= 9;
  if (out.points == 0) out.digits = 0;
  return out;
}

Answer determinant_of(const DeriveRequest& r) {
  const Fields f = fields_of(r, {});
  std::vector<Expr> variables;
  for (const std::string& w : r.wrt) {
    for (const std::string& part : split(w)) variables.push_back(parse(part, f.assumed.context));
  }
  if (variables.empty()) {
    for (const Symbol& s : free_symbols(f.functions)) variables.push_back(s);
  }
  if (variables.size() != f.functions.size()) {
    throw Error(ErrorKind::shape, fmt::format("the determinant of a Jacobian needs as many variables as expressions; "
                                              "there are {} expressions and {} variables (--wrt names them)",
                                              f.functions.size(), variables.size()));
  }
  const SparseMatrix j = sparse_jacobian(f.functions, variables);
  CheckOptions check;
  check.conditions = f.assumed.conditions;
  const Evidence evidence = cross_check(f.functions, variables, j, check);
  const Expr d = determinant(j.dense());
  SimplifyOptions o;
  o.conditions = f.assumed.conditions;
  const Simplified s = simplify_with_report(d, o);
  Answer a;
  a.text = typeset(r, s.expression) + "\n";
  a.json["result"] = to_text(s.expression);
  a.json["conditions"] = f.assumed.texts;
  for (const Expr& v : variables) a.json["variables"].push_back(to_text(v));
  conclude(a, by_elimination(j.dense(), s.expression, variables, f.assumed.conditions),
           "elimination on the values of the Jacobian");
  a.text += fmt::format("its Jacobian: {}\n", evidence.to_string());
  if (evidence.verdict == Verdict::disagrees) a.exit_code = 1;
  return a;
}

// div(g*F) - g*div(F) - grad(g).F for g = x^2 + y^2 + z^2, which is zero.
Expr product_rule(const std::vector<Expr>& field, const Expr& divergence_of_field, const Coordinates& c,
                  const DeriveRequest& r) {
  const Expr& first = c.variables()[0];
  const Expr g = r.coordinates.get() == "cylindrical" ? power(first, 2) + power(c.variables()[2], 2)
                 : r.coordinates.empty() || r.coordinates.get() == "cartesian"
                     ? power(first, 2) + power(c.variables()[1], 2) + power(c.variables()[2], 2)
                     : power(first, 2);
  std::vector<Expr> scaled;
  for (const Expr& component : field) scaled.push_back(g * component);
  const std::vector<Expr> slope = gradient(g, c);
  Expr along = 0;
  for (std::size_t i = 0; i < 3; ++i) along += slope[i] * field[i];
  return divergence(scaled, c) - g * divergence_of_field - along;
}

}  // namespace

Answer derive_field(const DeriveRequest& r) {
  if (r.what.get() == "determinant") return determinant_of(r);
  const Coordinates c = Coordinates::named(r.coordinates.empty() ? "cartesian" : r.coordinates.get());
  ParseContext names;
  for (const Expr& v : c.variables()) names.names.emplace(v.name(), v);
  const Fields f = fields_of(r, names);
  for (const Expr& v : c.variables()) {
    if (!(f.assumed.context.names.at(v.name()) == v))
      throw Error(ErrorKind::usage,
                  fmt::format("{} is a coordinate here; its range is known and needs no --assume", v.name()));
  }
  Answer a;
  std::vector<std::string> directions;
  if (r.coordinates.get() == "dipole") {
    directions = {"q", "p", "phi"};
    a.text += "components along q (the field line), p (outward across it), phi\n";
  } else {
    for (const Expr& v : c.variables()) directions.push_back(v.name());
  }
  const auto list = [&](const std::vector<Expr>& components) {
    for (std::size_t i = 0; i < components.size(); ++i) {
      a.text += fmt::format("along {}:\n{}\n", directions[i], typeset(r, components[i]));
      a.json["result"].push_back(to_text(components[i]));
    }
  };
  const auto one = [&](const Expr& e) {
    a.text += typeset(r, e) + "\n";
    a.json["result"] = to_text(e);
  };
  const bool scalar = r.what.get() == "gradient" || r.what.get() == "laplacian";
  if (scalar && f.functions.size() != 1)
    throw Error(ErrorKind::usage,
                fmt::format("--what {} takes one expression, got {}", r.what.get(), f.functions.size()));
  if (!scalar && f.functions.size() != 3)
    throw Error(ErrorKind::shape, fmt::format("--what {} takes the three components of a vector field, got {}",
                                              r.what.get(), f.functions.size()));
  a.json["coordinates"] = directions;
  Comparison check;
  check.digits = 100;
  // An identity that only holds if all pieces are right: the divergence of a curl and the curl of a gradient vanish,
  // the Laplacian is the divergence of the gradient.
  SimplifyOptions o;
  o.conditions = c.conditions();
  const auto vanishes = [&](const Expr& e) {
    const Comparison k = compare(e, 0, o);
    if (!k.agrees || k.points == 0) check.agrees = check.agrees && k.agrees;
    check.points = std::max(check.points, k.points);
    if (k.points > 0) check.digits = std::min(check.digits, k.digits);
  };
  const char* method = "";
  if (r.what.get() == "gradient") {
    const std::vector<Expr> slope = gradient(f.functions[0], c);
    list(slope);
    method = "curl of the gradient vanishes";
    for (const Expr& e : curl(slope, c)) vanishes(e);
  } else if (r.what.get() == "laplacian") {
    const Expr result = laplacian(f.functions[0], c);
    one(result);
    method = "divergence of the gradient";
    vanishes(divergence(gradient(f.functions[0], c), c) - result);
  } else if (r.what.get() == "curl") {
    const std::vector<Expr> rotation = curl(f.functions, c);
    list(rotation);
    method = "divergence of the curl vanishes";
    vanishes(divergence(rotation, c));
  } else {
    const Expr result = divergence(f.functions, c);
    one(result);
    method = "product rule with the squared distance";
    vanishes(product_rule(f.functions, result, c, r));
  }
  conclude(a, check, method);
  return a;
}

}  // namespace boreon::cli
