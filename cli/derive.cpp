// SPDX-License-Identifier: MIT
// derive: from expressions and models to derivatives, each with its evidence.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "derive.hpp"

namespace boreon::cli {
namespace {

CheckOptions options_for(const Assumed& assumed, std::size_t points) {
  CheckOptions o;
  o.conditions = assumed.conditions;
  if (points != 0) o.points = points;
  return o;
}

std::vector<Expr> variables_of(const DeriveRequest& r, const std::vector<Expr>& functions,
                               const ParseContext& context) {
  std::vector<Expr> list;
  for (const std::string& w : r.wrt) {
    if (split(w).empty())
      throw Error(ErrorKind::usage, "--wrt is empty; it names what to derive by, such as --wrt x or --wrt x,x,y");
    for (const std::string& part : split(w)) {
      if (part.empty())
        throw Error(ErrorKind::usage,
                    fmt::format("--wrt '{}' has an empty place; names are separated by single commas: --wrt x,x,y", w));
      const Expr v = read_input(part, context, "--wrt");
      if (!v.is(Kind::symbol) && !v.is(Kind::unknown_call) && !v.is(Kind::element))
        throw Error(ErrorKind::usage, fmt::format("--wrt takes names, such as x,x,y; '{}' is none", part));
      list.push_back(v);
    }
  }
  for (const Expr& v : list) {
    if (std::any_of(functions.begin(), functions.end(), [&](const Expr& f) { return has_piecewise_jump(f, v); }))
      r.warn(
          fmt::format("a piecewise may jump where its condition changes with {}: the derivative is that of its "
                      "branches, without an impulse there; write jumps with heaviside to have them",
                      to_text(v)));
  }
  // A variable that does not occur is most likely a slip of the pen.
  for (const Expr& v : list) {
    if (!v.is(Kind::symbol) || v.name().ends_with(']') ||
        std::any_of(functions.begin(), functions.end(), [&](const Expr& f) { return depends_on(f, v); }))
      continue;
    std::vector<std::string> names;
    for (const Symbol& s : free_symbols(functions)) names.push_back(s.name());
    bool bound = false;
    postorder(std::span<const Expr>(functions), [&](const Expr& x) { bound = bound || x == v; });
    const std::string near = nearest_name(v.name(), names);
    if (!names.empty() && !bound && !near.empty())
      throw Error(ErrorKind::binding,
                  fmt::format("'{}' does not occur in the expression{}", v.name(), suggestion(v.name(), names)));
    if (!bound) r.warn(fmt::format("'{}' does not occur in the expression, so the derivative by it is 0", v.name()));
  }
  return list;
}

Json text_of(const Matrix& m) {
  Json rows = Json::array();
  for (Eigen::Index i = 0; i < m.rows(); ++i) {
    Json row = Json::array();
    for (Eigen::Index j = 0; j < m.cols(); ++j) row.push_back(to_text(m(i, j)));
    rows.push_back(row);
  }
  return rows;
}

void conclude(Answer& a, const Evidence& evidence) {
  a.json["status"] = "exact";
  a.json["check"] = json_of(evidence);
  a.text += fmt::format("check: {}\n", evidence.to_string());
  if (evidence.verdict == Verdict::disagrees) a.exit_code = 1;
}

SparseMatrix as_sparse(const std::vector<Expr>& row) {
  SparseMatrix m;
  m.pattern.rows = 1;
  m.pattern.cols = row.size();
  m.pattern.row_start = {0};
  for (std::size_t j = 0; j < row.size(); ++j) {
    if (row[j].is_integer(0)) continue;
    m.pattern.columns.push_back(static_cast<std::int64_t>(j));
    m.values.push_back(row[j]);
  }
  m.pattern.row_start.push_back(static_cast<std::int64_t>(m.values.size()));
  return m;
}

// Entries as they are shown: in a shorter form where a quick search finds one. The check then looks at these.
SparseMatrix shortened(SparseMatrix m) {
  constexpr std::size_t most_entries = 400;
  constexpr std::size_t most_operations = 60;
  if (m.values.size() > most_entries) return m;
  SimplifyOptions quick;
  quick.work = 200;
  quick.points = 2;
  for (Expr& e : m.values) {
    if (operation_count(std::span<const Expr>(&e, 1)) <= most_operations) e = simplify(e, quick);
  }
  return m;
}

Answer derive_model(const DeriveRequest& r) {
  const Model model = model_of(r);
  const System system = system_of(model);
  const CheckOptions options = check_options(model, system);
  const std::string what = r.what.empty() ? "jacobian" : r.what.get();
  Answer a;
  a.json["variables"] = system.state_names;
  std::vector<Expr> functions = system.residuals;
  std::vector<std::string> rows = system.right_sides.empty() ? system.equation_names : system.state_names;
  if (what == "gradient" || what == "hessian") {
    const std::string of = r.of.empty() && system.output_names.size() == 1 ? system.output_names[0] : r.of.get();
    const auto at = std::find(system.output_names.begin(), system.output_names.end(), of);
    if (at == system.output_names.end()) {
      throw Error(
          ErrorKind::usage,
          fmt::format(
              "--of names the output to derive{}{}",
              of.empty() ? "" : fmt::format("; there is no output '{}'{}", of, suggestion(of, system.output_names)),
              system.output_names.empty() ? "; the model has no [outputs]"
                                          : fmt::format(" (outputs: {})", fmt::join(system.output_names, ", "))));
    }
    functions = {system.outputs[static_cast<std::size_t>(at - system.output_names.begin())]};
    rows = {of};
  } else if (what != "jacobian") {
    throw Error(ErrorKind::usage, fmt::format("--what for a model is jacobian, gradient or hessian, not '{}'", what));
  }
  const auto list = [&](const SparseMatrix& m, const std::vector<std::string>& row_names) {
    a.json["rows"] = row_names;
    a.json["result"] = Json::array();
    for (std::size_t i = 0; i < m.pattern.rows; ++i) {
      for (auto k = static_cast<std::size_t>(m.pattern.row_start[i]);
           k < static_cast<std::size_t>(m.pattern.row_start[i + 1]); ++k) {
        const std::string& by = system.state_names[static_cast<std::size_t>(m.pattern.columns[k])];
        const std::string value = typeset(r, m.values[k]);
        const bool tall = value.find('\n') != std::string::npos;
        a.text += tall ? fmt::format("d({})/d({}):\n{}\n\n", row_names[i], by, value)
                       : fmt::format("d({})/d({}) = {}\n", row_names[i], by, value.substr(2));
        a.json["result"].push_back({{"row", row_names[i]}, {"column", by}, {"value", to_text(m.values[k])}});
      }
    }
    a.text += fmt::format("{} by {}, {} nonzeros\n", m.pattern.rows, m.pattern.cols, m.pattern.nonzeros());
  };
  if (what == "hessian") {
    const SparseMatrix h = shortened(sparse_hessian(functions[0], system.states));
    list(h, system.state_names);
    conclude(a, r.no_check ? Evidence{}
                           : cross_check(gradient(functions[0], system.states), system.states, h, options,
                                         system.state_names));
  } else {
    const SparseMatrix j = shortened(sparse_jacobian(functions, system.states));
    if (!system.right_sides.empty() && what == "jacobian") {
      for (std::string& n : rows) n = "rate of " + n;
    }
    list(j, rows);
    conclude(a, r.no_check ? Evidence{} : cross_check(functions, system.states, j, options, rows));
  }
  return a;
}

Answer answer_to(const DeriveRequest& r) {
  if (!r.implicit.empty()) {
    if (is_model(r.inputs.at(0))) throw Error(ErrorKind::usage, "--implicit takes an equation, not a model");
    return implicit_slope(r);
  }
  const bool field = r.what.get() == "determinant" || r.what.get() == "divergence" || r.what.get() == "curl" ||
                     r.what.get() == "laplacian" || (r.what.get() == "gradient" && !r.coordinates.empty());
  if (!field && !r.coordinates.empty())
    throw Error(ErrorKind::usage, "--coordinates goes with --what gradient, divergence, curl or laplacian");
  if (field && !is_model(r.inputs.at(0))) return derive_field(r);
  return is_model(r.inputs.at(0)) ? derive_model(r) : derive_expressions(r);
}

}  // namespace

Answer derive_expressions(const DeriveRequest& r, std::size_t points) {
  Assumed assumed = assumptions_of(r);
  std::vector<Expr> functions;
  for (const std::string& text : r.inputs) {
    const Expr e = evaluate_derivatives(read_input(text, assumed.context));
    if (is_condition(e))
      throw Error(ErrorKind::shape,
                  "an expression is expected, not an equation or a condition; derive its two sides one by one, or "
                  "dy/dx along the curve with --implicit y --wrt x");
    functions.push_back(e);
  }
  std::vector<Expr> variables = variables_of(r, functions, assumed.context);
  Answer a;
  const std::string what = r.what.empty() ? (functions.size() > 1 ? "jacobian" : "derivative") : r.what.get();
  if (variables.empty()) {
    if (what == "derivative" && free_symbols(functions).size() != 1)
      throw Error(ErrorKind::usage, "--wrt says what to derive by, such as --wrt x or --wrt x,x,y");
    for (const Symbol& s : free_symbols(functions)) variables.push_back(s);
  }
  if (what != "jacobian" && functions.size() != 1)
    throw Error(ErrorKind::usage, fmt::format("--what {} takes one expression, got {}", what, functions.size()));
  const CheckOptions options = options_for(assumed, points);
  if (what == "derivative") {
    const Expr d = derivative(functions[0], variables);
    a.text = typeset(r, d) + "\n";
    a.json["result"] = to_text(d);
    conclude(a, r.no_check ? Evidence{} : cross_check_derivative(functions[0], variables, d, options));
    return a;
  }
  std::vector<std::string> names;
  for (const Expr& v : variables) names.push_back(to_text(v));
  a.json["variables"] = names;
  if (what == "gradient") {
    const std::vector<Expr> g = gradient(functions[0], variables);
    for (std::size_t i = 0; i < g.size(); ++i) {
      a.text += fmt::format("by {}:\n{}\n", names[i], typeset(r, g[i]));
      a.json["result"].push_back(to_text(g[i]));
    }
    conclude(a, r.no_check ? Evidence{} : cross_check(functions, variables, as_sparse(g), options));
  } else if (what == "jacobian") {
    const SparseMatrix j = sparse_jacobian(functions, variables);
    a.text = typeset(r, j.dense()) + "\n";
    a.json["result"] = text_of(j.dense());
    conclude(a, r.no_check ? Evidence{} : cross_check(functions, variables, j, options));
  } else if (what == "hessian") {
    const SparseMatrix h = sparse_hessian(functions[0], variables);
    a.text = typeset(r, h.dense()) + "\n";
    a.json["result"] = text_of(h.dense());
    conclude(a, r.no_check ? Evidence{} : cross_check(gradient(functions[0], variables), variables, h, options));
  } else {
    throw Error(
        ErrorKind::usage,
        fmt::format(
            "--what is derivative, gradient, jacobian, hessian, determinant, divergence, curl or laplacian, not '{}'",
            what));
  }
  return a;
}

void DeriveRequest::declare(Declaration& d) {
  d.add("--what", what, "derivative, gradient, jacobian, hessian, determinant, divergence, curl or laplacian");
  d.add("--coordinates", coordinates,
        "cartesian, cylindrical, spherical or dipole (gradient, divergence, curl, laplacian)");
  d.add("--of", of, "output of the model to derive (gradient, hessian)");
  d.add("--wrt", wrt, "variables, one for each derivation: x,x,y").formulas();
  d.add("--implicit", implicit, "the symbol that an equation makes a function of the one in --wrt: dy/dx").formulas();
  d.add("--no-check", no_check, "skip the comparison with independent numerics");
}

Command derive_command() {
  return command<DeriveRequest>("derive", "derivatives, checked against difference quotients",
                                "  boreon derive \"x^3*y\" --wrt x,x,y\n"
                                "  boreon derive \"x*y + sin(z)\" --what gradient\n"
                                "  boreon derive \"r*cos(a)\" \"r*sin(a)\" --wrt r,a --format unicode\n"
                                "  boreon derive \"r*cos(a)\" \"r*sin(a)\" --wrt r,a --what determinant\n"
                                "  boreon derive \"0\" \"0\" \"B*r*sin(theta)\" --what curl --coordinates spherical\n"
                                "  boreon derive \"x^2 + y^2 = 25\" --implicit y --wrt x\n"
                                "  boreon derive model.toml --what jacobian\n"
                                "  boreon derive model.toml --what gradient --of energy\n",
                                answer_to);
}

}  // namespace boreon::cli
