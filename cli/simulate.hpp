// SPDX-License-Identifier: MIT
// The request of simulate, and runs of fields that are never written out.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "option_groups.hpp"
#include "request.hpp"

namespace boreon::cli {

struct SimulateRequest : Request, SolverChoice, FigureOptions, LoopOptions, MonteCarloOption {
  Option<int> digits{0};
  Option<std::optional<double>> until;
  Option<std::optional<std::size_t>> samples;
  Option<std::string> method{"bdf"};
  Option<std::string> at_bound{"stop"};
  Option<bool> no_check{false};

  void declare(Declaration& d) override {
    declare_solver(d);
    d.add("--digits", digits, "significant digits of the values (6; --json and --out have all)").within(1, 17);
    d.add("--until", until, "end of the run (default: the model's)");
    d.add("--samples", samples, "number of output times").within(2, 100000000);
    d.add("--method", method, "bdf (stiff) or adams").one_of({"bdf", "adams"});
    d.add("--at-bound", at_bound, "where an unknown crosses its bound: stop, warn or ignore")
        .one_of({"stop", "warn", "ignore"});
    d.add("--plot", plot, "figure of the run, .png or .svg");
    d.add("--show", show, "unknowns and outputs in the figure: n_e,energy");
    declare_axes(d, "logarithmic time axis");
    d.add("--no-check", no_check, "skip the repetition with tighter tolerances");
    declare_loops(d);
    declare_draws(d);
  }
};

[[nodiscard]] Answer simulate_in_loops(const SimulateRequest& r);

}  // namespace boreon::cli
