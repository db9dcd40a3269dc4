// SPDX-License-Identifier: MIT
// check --certify: numeric functions in doubles and in balls, the digits that rounding takes.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <functional>

#include "derive.hpp"

namespace boreon::cli {
namespace {

using NameOf = std::function<std::string(const Certificate::Output&)>;

Answer report(const std::string& title, const std::string& place, const Program& program,
              const std::vector<std::vector<double>>& at, const NameOf& name) {
  for (const auto& group : Kernel(program).evaluate(at)) {
    if (std::all_of(group.begin(), group.end(), [](double v) { return std::isfinite(v); })) continue;
    const std::vector<DomainFault> faults = diagnose(program, at, 1);
    if (faults.empty()) throw Error(ErrorKind::domain, "there are no digits to lose: the value is not finite");
    throw Error(ErrorKind::domain,
                fmt::format("there are no digits to lose: {} is {} where {}", faults[0].subexpression,
                            std::isnan(faults[0].value) ? "undefined" : "infinite", faults[0].operands));
  }
  const Certificate c = certify(program, at, 20);
  Answer a;
  a.text = fmt::format("{}\n  at {}, against ball arithmetic of {} bits\n", title, place, c.precision);
  a.json["result"] = Json::array();
  std::vector<const Certificate::Output*> order;
  for (const auto& o : c.outputs) order.push_back(&o);
  std::stable_sort(order.begin(), order.end(),
                   [](const auto* x, const auto* y) { return x->digits_lost > y->digits_lost; });
  constexpr std::size_t most = 20;
  a.text += "  digits lost   double                  exact\n";
  for (std::size_t i = 0; i < order.size(); ++i) {
    const auto& o = *order[i];
    a.json["result"].push_back(
        {{"entry", name(o)}, {"digits_lost", o.digits_lost}, {"value", o.value}, {"exact", o.exact}});
    if (i < most)
      a.text += fmt::format("  {:>11.1f}   {:<22.16g}  {:<26}  {}\n", o.digits_lost, o.value, o.exact, name(o));
  }
  if (order.size() > most)
    a.text += fmt::format("  ... and {} entries that lose no more (--json lists all)\n", order.size() - most);
  a.json["cancellations"] = Json::array();
  for (const Cancellation& x : c.cancellations) {
    a.json["cancellations"].push_back(
        {{"subexpression", x.subexpression}, {"digits", x.digits}, {"outputs", x.outputs}});
  }
  if (!c.cancellations.empty()) {
    const Cancellation& x = c.cancellations[0];
    a.text += fmt::format("  worst cancellation: {:.1f} digits in {}\n", x.digits, x.subexpression);
  } else {
    a.text += "  no sum of computed values cancels more than one digit\n";
  }
  if (c.undecided)
    a.text += "  a condition lies on its boundary within rounding: its outcome was taken from the middle\n";
  const double left = std::max(0.0, 15.95 - c.worst);
  a.text += fmt::format("verdict: {:.1f} of 15.9 digits are right at the worst entry\n", left);
  a.json["status"] = "approximate";
  a.json["check"] = {{"method", "ball arithmetic"},
                     {"points", 1},
                     {"digits", left},
                     {"worst", order.empty() ? "" : name(*order[0])},
                     {"verdict", "agrees"}};
  return a;
}

}  // namespace

Answer certificate_of_model(const CheckRequest& r) {
  if (!r.at.empty())
    throw Error(ErrorKind::usage,
                "a model is certified at its start values: change them with --set, --at is for expressions");
  const Model model = model_of(r);
  const System system = system_of(model);
  const bool steady = system.right_sides.empty();
  const SparseMatrix j = sparse_jacobian(system.residuals, system.states);
  std::vector<OutputGroup> outputs{{"f", system.residuals}, {"jacobian", j}};
  if (!system.outputs.empty()) outputs.emplace_back("g", system.outputs);
  const std::vector<InputGroup> inputs{
      {"y", system.states, system.state_names}, {"p", system.parameters, system.parameter_names}, {"t", {system.time}}};
  const Program program = make_program(outputs, inputs);
  // Entries in the words of the model.
  const std::vector<std::string>& rows = steady ? system.equation_names : system.state_names;
  const auto row_name = [&](std::size_t i) { return (steady ? "equation " : "rate of ") + rows[i]; };
  std::vector<std::string> jacobian_names;
  for (std::size_t row = 0; row < j.pattern.rows; ++row) {
    for (auto k = static_cast<std::size_t>(j.pattern.row_start[row]);
         k < static_cast<std::size_t>(j.pattern.row_start[row + 1]); ++k) {
      jacobian_names.push_back(fmt::format("d({})/d({})", row_name(row),
                                           system.state_names[static_cast<std::size_t>(j.pattern.columns[k])]));
    }
  }
  return report(model.called(), "the start values", program, {system.start, system.parameter_values, {model.run.from}},
                [&](const Certificate::Output& o) {
                  return o.group == "f"   ? row_name(o.index)
                         : o.group == "g" ? system.output_names[o.index]
                                          : jacobian_names[o.index];
                });
}

Answer certificate_of_expressions(const CheckRequest& r) {
  const Assumed assumed = assumptions_of(r);
  std::vector<Expr> values;
  for (const std::string& text : r.inputs) values.push_back(read_input(text, assumed.context));
  std::vector<Expr> variables;
  std::vector<std::string> names;
  for (const Symbol& s : free_symbols(values)) {
    variables.emplace_back(s);
    names.push_back(s.name());
  }
  std::vector<double> at(variables.size());
  std::vector<bool> bound(variables.size(), false);
  for (const auto& [name, value] :
       r.at.empty() ? std::vector<std::pair<std::string, Expr>>{} : assignments(r.at.get(), "--at")) {
    const auto found = std::find(names.begin(), names.end(), name);
    if (found == names.end())
      throw Error(ErrorKind::binding,
                  fmt::format("'{}' does not occur in the expression{}", name, suggestion(name, names)));
    const auto i = static_cast<std::size_t>(found - names.begin());
    at[i] = evaluate(value, Bindings{});
    bound[i] = true;
  }
  std::vector<std::string> missing;
  for (std::size_t i = 0; i < names.size(); ++i) {
    if (!bound[i]) missing.push_back(names[i] + "=...");
  }
  if (!missing.empty()) {
    throw Error(ErrorKind::usage,
                fmt::format("digits are lost at a place: give one with --at \"{}\"", fmt::join(missing, ", ")));
  }
  const Matrix j = jacobian(values, variables);
  std::vector<Expr> derivatives;
  for (std::size_t row = 0; row < values.size(); ++row) {
    for (std::size_t column = 0; column < variables.size(); ++column)
      derivatives.push_back(j(static_cast<Eigen::Index>(row), static_cast<Eigen::Index>(column)));
  }
  const std::vector<OutputGroup> outputs{{"f", values}, {"jacobian", derivatives}};
  const std::vector<InputGroup> inputs{{"x", variables}};
  const Program program = make_program(outputs, inputs);
  const auto text = [&](std::size_t i) { return to_text(values[i], {60}); };
  return report(fmt::format("{}", fmt::join(r.inputs, "; ")), names.empty() ? "any place" : r.at.get(), program, {at},
                [&](const Certificate::Output& o) {
                  return o.group == "f" ? text(o.index)
                                        : fmt::format("d({})/d{}", text(o.index / variables.size()),
                                                      names[o.index % variables.size()]);
                });
}

}  // namespace boreon::cli
