// SPDX-License-Identifier: MIT
// check: every derivative of a model, or whether an equation always holds.
#include <fmt/format.h>

#include "derive.hpp"
#include "loops.hpp"

namespace boreon::cli {
namespace {

// The finding without the method, which the verdict names once.
std::string brief(const Evidence& e) {
  if (e.verdict != Verdict::agrees) return e.to_string();
  return fmt::format("agrees to {:.1f} digits at {} points{}", e.digits, e.points,
                     e.skipped > 0 ? fmt::format("; {} entries could be compared at no point", e.skipped) : "");
}

std::string entry_count(std::size_t n) { return fmt::format("{} {}", n, n == 1 ? "entry" : "entries"); }

Answer check_model(const CheckRequest& r) {
  const Model model = model_of(r);
  const System system = system_of(model);
  CheckOptions options = check_options(model, system);
  if (r.points.get() != 0) options.points = r.points.get();
  Answer a;
  std::vector<Expr> functions = system.residuals;
  std::vector<std::string> names = system.right_sides.empty() ? system.equation_names : system.state_names;
  if (!system.right_sides.empty()) {
    for (std::string& n : names) n = "rate of " + n;
  }
  const Evidence jacobian =
      cross_check(functions, system.states, sparse_jacobian(functions, system.states), options, names);
  const bool fit = model.equations.empty();
  a.text = model.called() + "\n";
  const bool equations = !model.equations.empty() || !model.fits.empty();
  if (jacobian.entries > 0 || equations)
    a.text += fmt::format("  Jacobian of the {}, {}: {}\n", fit ? "models of the fit" : "equations",
                          entry_count(jacobian.entries), brief(jacobian));
  Evidence overall = jacobian;
  std::vector<Expr> with_parameters = system.states;
  with_parameters.insert(with_parameters.end(), system.parameters.begin(), system.parameters.end());
  const auto part = [&](const char* what, const std::vector<Expr>& f, const std::vector<Expr>& v,
                        const std::vector<std::string>& row_names) {
    if (f.empty() || v.empty()) return;
    const Evidence e = cross_check(f, v, sparse_jacobian(f, v), options, row_names);
    a.text += fmt::format("  {}, {}: {}\n", what, entry_count(e.entries), brief(e));
    if (e.verdict != Verdict::agrees && overall.verdict == Verdict::agrees && e.entries > 0) overall = e;
    if (e.entries > 0 && (e.digits < overall.digits || (overall.entries == 0 && !equations))) overall = e;
  };
  part(fit ? "derivatives of the models by parameters and columns" : "derivatives of the equations by the parameters",
       functions, system.parameters, names);
  part("derivatives of the outputs", system.outputs, with_parameters, system.output_names);
  if (model.objective) {
    const OptimisationProblem p = optimisation_problem(model);
    std::vector<Expr> limits{p.objective};
    std::vector<std::string> limit_names{"objective"};
    for (std::size_t j = model.equations.size(); j < p.constraints.size(); ++j) {
      limits.push_back(p.constraints[j].value);
      limit_names.push_back(p.constraints[j].name);
    }
    part("slopes of the objective and the constraints", limits, with_parameters, limit_names);
    std::vector<std::string> slope_names;
    for (const std::string& n : p.names) slope_names.push_back("d(objective)/d" + n);
    part("curvature of the objective", gradient(p.objective, p.unknowns), p.unknowns, slope_names);
  }
  for (const Warning& w : model.warnings)
    a.text += fmt::format("  warning: {} (line {})\n", w.message, w.position.line);
  a.text += fmt::format("verdict: {}, {:.1f} digits at the worst entry ({})\n", to_string(overall.verdict),
                        overall.digits, overall.method);
  a.json["result"] = to_string(overall.verdict);
  a.json["status"] = "exact";
  a.json["check"] = json_of(overall);
  a.exit_code = overall.verdict == Verdict::agrees ? 0 : 1;
  return a;
}

// The order of differences on grids, observed on manufactured fields.
Answer orders_of_model(const CheckRequest& r) {
  if (!is_model(r.inputs.at(0))) throw Error(ErrorKind::usage, "--order takes a model with a [grid]");
  const Model model = model_of(r);
  if (model.grid.empty())
    throw Error(ErrorKind::usage,
                fmt::format("{} has no [grid]: coordinates, such as x = {{ index = \"i\", from = 0, to = "
                            "\"L\" }}, by which equations are derived",
                            model.called()));
  Answer a;
  a.text = model.called() + "\n";
  a.json["result"] = Json::array();
  bool all = true;
  std::string heading;
  const std::vector<GridOrder> orders = observed_orders(model);
  if (orders.empty()) throw Error(ErrorKind::usage, "no equation is derived by a coordinate of the grid");
  for (const GridOrder& o : orders) {
    all = all && o.agrees();
    const std::string derivative = to_text(plain_names(o.derivative), as_typed(model));
    const std::string above = fmt::format("  {}: {}\n", o.equation, derivative);
    if (above != heading) a.text += above;
    heading = above;
    a.text += fmt::format("    {}: {}\n", o.place,
                          o.exact ? "exact"
                                  : fmt::format("order {:.2f} observed, {} stated{}", o.observed, o.stated,
                                                o.agrees() ? "" : ": TOO LOW"));
    a.json["result"].push_back({{"equation", o.equation},
                                {"derivative", derivative},
                                {"place", o.place},
                                {"stated", o.stated},
                                {"observed", o.exact ? Json(nullptr) : Json(o.observed)},
                                {"verdict", o.agrees() ? "agrees" : "disagrees"}});
  }
  a.text += "by manufactured fields, with spacings halved from 2^-14 to 2^-20 of a length, in ball arithmetic\n";
  a.json["status"] = "approximate";
  a.json["check"] = {{"method", "manufactured fields at halved spacings"},
                     {"points", orders.size()},
                     {"digits", nullptr},
                     {"worst", nullptr},
                     {"verdict", all ? "agrees" : "disagrees"}};
  a.exit_code = all ? 0 : 1;
  return a;
}

Answer answer_to(const CheckRequest& r) {
  if (r.loops) return check_in_loops(r);
  if (r.order) {
    if (r.certify || !r.at.empty() || r.points.get() != 0)
      throw Error(ErrorKind::usage, "--order goes alone: it chooses its own places");
    return orders_of_model(r);
  }
  if (!r.certify && !r.at.empty())
    throw Error(ErrorKind::usage, "derivatives are compared at random points: --at goes with --certify");
  if (r.certify) return is_model(r.inputs.at(0)) ? certificate_of_model(r) : certificate_of_expressions(r);
  if (!is_model(r.inputs.at(0))) {
    const Expr e = read_input(r.inputs[0], assumptions_of(r).context);
    const bool truth = e.is_constant(ConstantCode::true_value) || e.is_constant(ConstantCode::false_value);
    if (r.inputs.size() == 1 && (truth || (e.is(Kind::relation) && e.relation_op() == RelationOp::equal)))
      return equivalence(r);
    CheckRequest derived = r;
    if (derived.what.empty()) derived.what = r.inputs.size() > 1 ? "jacobian" : "gradient";
    return derive_expressions(derived, r.points);
  }
  return check_model(r);
}

}  // namespace

void CheckRequest::declare(Declaration& d) {
  DeriveRequest::declare(d);
  d.add("--points", points, "random points to compare at (5)").within(1, 10000);
  d.add("--certify", certify,
        "digits that double precision loses at the start values, or at --at, by rigorous arithmetic");
  d.add("--order", order, "the order with which differences on the grid of a model approach its derivatives");
  d.add("--loops", loops, "the Jacobian of fields that are not written out, at full size, along random directions");
  d.add("--at", at, "with --certify: where an expression is looked at, \"x=1/3, y=2\"").formulas();
}

Command check_command() {
  return command<CheckRequest>("check", "cross-check every derivative of a model, or whether an equation always holds",
                               "  boreon check model.toml\n"
                               "  boreon check model.toml --points 20\n"
                               "  boreon check model.toml --certify\n"
                               "  boreon check model.toml --order\n"
                               "  boreon check plate.toml --loops\n"
                               "  boreon check \"(1 - cos(x))/x^2\" --certify --at \"x=1e-6\"\n"
                               "  boreon check \"x^2*sin(y)\"\n"
                               "  boreon check \"tan(x) = sin(x)/cos(x)\"\n",
                               answer_to);
}

}  // namespace boreon::cli
