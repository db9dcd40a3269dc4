// SPDX-License-Identifier: MIT
// solve --loops: steady states of fields that are never written out.
#include <fmt/format.h>

#include <algorithm>

#include "loops.hpp"
#include "solve.hpp"
#include "values.hpp"

namespace boreon::cli {

Answer solve_in_loops(const SolveRequest& r) {
  const FieldProblem p = fields_of(r);
  require_outputs(p, r, r);
  FieldRunOptions o;
  o.threads = static_cast<unsigned>(r.threads.get());
  const FieldSteady s = solve_fields(p, o, r.tolerance.get() > 0 ? r.tolerance.get() : 1e-11);
  if (!s.converged)
    throw Error(ErrorKind::convergence, fmt::format("no steady state of '{}' was found: {}", p.title, s.message));
  const std::vector<FieldValues> all = results_of(p, s.state, s.outputs);
  Answer a;
  a.text = fmt::format("{}\nsteady state: {} iterations ({}); {} rows in {} boxes\n", p.title, s.iterations,
                       s.linear_solver, s.state.size(), s.boxes);
  list_results(a, all, digits_of(r.digits));
  a.text += s.verified ? fmt::format("check: every equation is fulfilled to {:.1e} of its terms; {}\n", s.residual,
                                     s.determined
                                         ? fmt::format("one more Newton step changes no unknown by more than {:.1e} of "
                                                       "itself",
                                                       s.correction)
                                         : "whether the equations determine all unknowns was not tested at this size")
                       : std::string("check: untested, without a Jacobian by formula the size of terms is not known\n");
  a.json["result"] = a.json["values"];
  a.json["status"] = "approximate";
  a.json["iterations"] = s.iterations;
  a.json["check"] = {{"method", "each equation against the magnitudes of its terms"},
                     {"residual", s.residual},
                     {"correction", s.determined ? Json(s.correction) : Json(nullptr)},
                     {"verdict", s.verified ? "agrees" : "untested"}};
  save_fields(a, r, r, p, all);
  if (!r.plot.empty()) {
    std::vector<Figure> panels;
    for (const FieldValues& x : fields_shown(r, all)) {
      if (x.field->dimensions.empty()) continue;
      panels.push_back(figure_of(p, *x.field, x.unit, x.values));
    }
    if (!panels.empty()) panels[0].title = p.title;
    write_figures(panels, r.plot.get(), output_policy(r));
    a.text += fmt::format("figure written to {}\n", r.plot.get());
  }
  return a;
}

}  // namespace boreon::cli
