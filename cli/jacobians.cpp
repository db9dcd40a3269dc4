// SPDX-License-Identifier: MIT
// solve --compare-jacobian: what difference quotients, single precision and an old Jacobian cost.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "boreon/evidence.hpp"
#include "boreon/jacobian_comparison.hpp"
#include "solve.hpp"

namespace boreon::cli {

Answer jacobians_of_model(const SolveRequest& r, const Model& m) {
  const System s = steady_system(m);
  const JacobianComparison c = compare_jacobians(s);
  Answer a;
  a.text = fmt::format("{}\nlargest residual relative to its terms, after each iteration\n{:>11}", m.called(), "");
  std::size_t rows = 0;
  for (const JacobianTrial& t : c.trials) {
    a.text += fmt::format("  {:>16}", t.name);
    rows = std::max(rows, t.residuals.size());
  }
  a.text += "\n";
  for (std::size_t k = 0; k < rows; ++k) {
    a.text += fmt::format("{:>11}", k);
    for (const JacobianTrial& t : c.trials)
      a.text += k < t.residuals.size() ? fmt::format("  {:>16.1e}", t.residuals[k]) : fmt::format("  {:>16}", "");
    a.text += "\n";
  }
  a.text += fmt::format("{:>11}", "converged");
  a.json["result"] = Json::array();
  for (const JacobianTrial& t : c.trials) {
    a.text += fmt::format("  {:>16}", t.converged ? "yes" : "no");
    a.json["result"].push_back({{"jacobian", t.name},
                                {"converged", t.converged},
                                {"iterations", t.residuals.empty() ? 0 : t.residuals.size() - 1},
                                {"residuals", t.residuals},
                                {"worst_entry", t.worst_entry},
                                {"worst_name", t.worst_name}});
  }
  a.text += "\nlargest relative difference of an entry from the derived one, at the end:\n";
  for (const JacobianTrial& t : c.trials) {
    if (&t != &c.trials.front())
      a.text +=
          fmt::format("  {:<16}  {:.1e}{}\n", t.name, t.worst_entry, t.worst_name.empty() ? "" : "  " + t.worst_name);
  }
  a.json["status"] = "approximate";
  const JacobianTrial& derived = c.trials.front();
  const double left = derived.residuals.empty() ? 1 : derived.residuals.back();
  a.json["check"] = {{"method", "largest residual of the solve with the derived Jacobian, relative to its terms"},
                     {"points", derived.residuals.size()},
                     {"digits", agreeing_digits(left)},
                     {"worst", nullptr},
                     {"verdict", derived.converged ? "agrees" : "disagrees"}};
  if (!derived.converged) {
    r.warn("from this start not even the derived Jacobian leads to a solution; solve tries other starts as well");
    a.exit_code = 1;
  }
  if (!r.plot.empty()) {
    Figure f;
    f.title = m.title;
    f.x_label = "iteration";
    f.y_label = "largest residual, relative to its terms";
    f.logarithmic_y = true;
    for (const JacobianTrial& t : c.trials) {
      Curve line{t.name, {}, {}};
      for (std::size_t k = 0; k < t.residuals.size(); ++k) {
        line.x.push_back(static_cast<double>(k));
        line.y.push_back(std::max(t.residuals[k], 1e-17));
      }
      f.curves.push_back(std::move(line));
    }
    write_figure(f, r.plot.get(), output_policy(r));
    a.text += fmt::format("figure written to {}\n", r.plot.get());
  }
  return a;
}

}  // namespace boreon::cli
