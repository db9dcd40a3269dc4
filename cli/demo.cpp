// SPDX-License-Identifier: MIT
// demo: the whole story on the shipped models.
#include <fmt/format.h>

#include <cmath>
#include <filesystem>

#include "embedded_models.hpp"
#include "request.hpp"
#include "terminal.hpp"

namespace boreon::cli {
namespace {

class Story {
 public:
  explicit Story(const Request& r)
      : folder_(r.out.empty() ? std::string("boreon-demo") : r.out.get()),
        json_(r.json),
        force_(r.force),
        work_(r.work) {
    make_output_folder(folder_.string());
    for (const EmbeddedModel& m : embedded_models())
      write_output(path(m.name), is_model(m.name) ? fmt::format("# Written by Boreon's demo.\n{}", m.text) : m.text,
                   {{}, r.force});
  }

  Answer tell() {
    say("An auroral arc over a polar observatory: from equations to numbers.\n"
        "All data are made up; the physics is real. Files go to " +
        folder_.string() + ".\n");
    heading("1. Write the equations down");
    say("The steady ion chemistry inside the arc is a text file (" + path("ion_chemistry.toml") + "):\n\n");
    Request r = request("show", "ion_chemistry.toml");
    r.format = std::string("unicode");
    step(r, show);
    heading("2. Derive, and check against independent numerics");
    say("The Jacobian is derived symbolically; every entry is compared with extrapolated difference quotients.\n\n");
    r = request("derive", "ion_chemistry.toml");
    r.what = std::string("jacobian");
    step(r, derive);
    say("\nThe same check for every shipped model:\n\n");
    for (const EmbeddedModel& m : embedded_models()) {
      if (is_model(m.name)) step(request("check", m.name), check);
    }
    heading("3. Solve for the steady state");
    r = request("solve", "ion_chemistry.toml");
    r.verbose = true;
    step(r, solve);
    heading("4. Step in time: the arc switches on and off");
    r = request("simulate", "arc_switching.toml");
    r.plot = path("arc_switching.png");
    r.out = path("arc_switching.csv");
    r.log_y = true;
    r.show = std::vector<std::string>{"N2p,O2p,NOp,electrons"};
    step(r, simulate);
    heading("5. A proton on a field line, second order in time");
    r = request("simulate", "mirror_proton.toml");
    r.plot = path("mirror_proton.png");
    r.show = std::vector<std::string>{"s"};
    step(r, simulate);
    pulsation();
    layer();
    exactly();
    measure();
    fields();
    heading("19. Source text for your own program");
    r = request("generate", "ion_chemistry.toml");
    r.out = (folder_ / "generated").string();
    step(r, generate);
    say(fmt::format("\nDone: {} steps, {} of them checked, {} disagreed. Figures, tables and source are in {}.\n",
                    steps_, checked_, failed_, folder_.string()));
    answer_.json["result"] = folder_.string();
    answer_.json["status"] = "approximate";
    answer_.json["steps"] = story_;
    answer_.json["check"] = {{"method", "the checks of all steps"},
                             {"points", checked_},
                             {"digits", digits_},
                             {"worst", nullptr},
                             {"verdict", failed_ == 0 ? "agrees" : "disagrees"}};
    answer_.exit_code = failed_ == 0 ? 0 : 1;
    return answer_;
  }

 private:
  void pulsation() {
    heading("6. A pulsating patch");
    Request r = request("simulate", "pulsating_patch.toml");
    r.plot = path("pulsating_patch.png");
    r.method = std::string("adams");
    step(r, simulate);
    say("What an arc has left behind when it is gone, with error bars: integrals over time are states like "
        "others.\n\n");
    step(request("simulate", "closing_arc.toml"), simulate);
    heading("7. The dipole field from its potential");
    step(request("solve", "dipole_field.toml"), solve);
  }

  void layer() {
    heading("8. A Chapman layer, drawn");
    Request r = request("plot", "");
    r.inputs = {"exp(1 - z - exp(-z))", "exp(1 - z - 2*exp(-z))", "derivative(exp(1 - z - exp(-z)), z)"};
    r.over = std::vector<std::string>{"z from -2 to 8"};
    r.out = path("chapman_layer.png");
    step(r, plot);
    heading("9. Its integrals: the column, and the mean altitude");
    r = request("integrate", "");
    r.inputs = {"q0*exp(1 - (z - zm)/H - exp((zm - z)/H))"};
    r.over = std::vector<std::string>{"z from -infinity to infinity"};
    r.assume = std::vector<std::string>{"q0 > 0, H > 0"};
    step(r, integrate_command);
    r.inputs = {"(z - zm)*exp(-(z - zm)/H - exp((zm - z)/H))/H"};
    r.assume = std::vector<std::string>{"H > 0"};
    step(r, integrate_command);
    say("The slant column at grazing incidence, elevation sine c over a sphere of radius R:\n\n");
    r.inputs = {"exp(-(c*s + s^2/(2*R))/H)"};
    r.over = std::vector<std::string>{"s from 0 to infinity"};
    r.assume = std::vector<std::string>{"R > 0, H > 0"};
    step(r, integrate_command);
  }

  void exactly() {
    heading("10. The balance of production and loss, solved for the electron density");
    Request r = request("solve", "");
    r.inputs = {"q = alpha*n^2 + beta*n"};
    r.solve_for = std::vector<std::string>{"n"};
    r.assume = std::vector<std::string>{"alpha > 0, beta > 0, q > 0, n > 0"};
    step(r, solve);
    heading("11. The oscillation of a field line with its initial values, and a current switched on late");
    r = request("solve", "");
    r.inputs = {"u'' + 2*b*u' + w^2*u = 0"};
    r.solve_for = std::vector<std::string>{"u(t)"};
    r.given = std::vector<std::string>{"u(0)=1, u'(0)=0"};
    r.assume = std::vector<std::string>{"b > 0, w > b"};
    step(r, solve);
    r = request("transform", "");
    r.inputs = {"U*exp(-T*s)/(s*(L*s + R))"};
    r.inverse_laplace = std::string("s to t");
    r.assume = std::vector<std::string>{"U > 0, L > 0, R > 0, T > 0"};
    step(r, transform_command);
    say("The light of a pulsating arc, in harmonics of its period T:\n\n");
    r = request("transform", "");
    r.inputs = {"exp(-t/tau)"};
    r.fourier = std::string("t over T");
    r.assume = std::vector<std::string>{"T > 0, tau > 0"};
    step(r, transform_command);
  }

  void fields() {
    heading("16. Fields: a patch of plasma that drifts through the arc");
    step(request("show", "drifting_patch.toml"), show);
    Request r = request("simulate", "drifting_patch.toml");
    r.show = std::vector<std::string>{"n,profile,content"};
    r.plot = path("drifting_patch.png");
    step(r, simulate);
    heading("17. A network: currents that the arc drives in a power grid");
    step(request("solve", "ground_currents.toml"), solve);
    heading("18. The best: currents that heat least, and air of least free energy");
    step(request("optimise", "least_heating.toml"), optimise_command);
    step(request("optimise", "air_mixture.toml"), optimise_command);
  }

  void measure() {
    heading("12. The recombination coefficient from what a (made-up) radar saw");
    Request r = request("fit", "density_decay.toml");
    r.plot = path("density_decay.png");
    step(r, fit_command);
    say("Production, recombination and the density before the arc came, from a run in time:\n\n");
    step(request("fit", "arc_onset.toml"), fit_command);
    say("Two rates from steady states, one for each row of a table:\n\n");
    step(request("fit", "ion_ratio.toml"), fit_command);
    heading("13. Which rate coefficient the electron density depends on most");
    r = request("sensitivity", "electron_density.toml");
    r.of = std::string("n_e");
    r.plot = path("sensitivity.png");
    step(r, sensitivity_command);
    heading("14. Error bars on the electron density");
    r = request("solve", "electron_density.toml");
    r.monte_carlo = 1000;
    step(r, solve);
    say("How the pulsating patch answers small changes of its supply:\n\n");
    r = request("response", "pulsating_patch.toml");
    r.of = std::string("brightness");
    r.wrt = std::vector<std::string>{"supply"};
    r.plot = path("response.png");
    step(r, response_command);
    heading("15. A discharge that ignites: all its steady states, and the branch they lie on");
    r = request("solve", "arc_ignition.toml");
    r.roots = true;
    step(r, solve);
    r = request("trace", "arc_ignition.toml");
    r.along = std::string("power");
    r.from_value = std::string("0.005");
    r.to_value = std::string("0.2");
    r.plot = path("arc_ignition.png");
    step(r, trace_command);
  }

  [[nodiscard]] std::string path(const std::string& name) const { return (folder_ / name).string(); }

  Request request(const std::string& command, const std::string& model) const {
    Request r;
    r.command = command;
    if (!model.empty()) r.inputs = {path(model)};
    r.force = force_;
    return r;
  }

  // Printed at once, so that one can read along while the next step runs.
  void say(const std::string& text) {
    if (!json_) print(stdout, harmless(text));
  }
  void heading(const std::string& text) { say("\n" + text + "\n" + std::string(text.size(), '-') + "\n"); }

  static std::string command_line(const Request& r) {
    std::string s = "$ boreon " + r.command;
    for (const auto& i : r.inputs) s += is_model(i) ? " " + i : " \"" + i + "\"";
    if (!r.what.empty()) s += " --what " + *r.what;
    const auto quoted = [&](const char* name, const std::string& value) {
      s += fmt::format(" {} \"{}\"", name, value);
    };
    for (const std::string& f : r.solve_for) {
      if (is_identifier(f)) {
        s += " --for " + f;
      } else {
        quoted("--for", f);
      }
    }
    for (const std::string& g : r.given) quoted("--given", g);
    if (!r.laplace.empty()) quoted("--laplace", *r.laplace);
    if (!r.inverse_laplace.empty()) quoted("--inverse-laplace", *r.inverse_laplace);
    if (!r.fourier.empty()) quoted("--fourier", *r.fourier);
    for (const std::string& o : r.over) s += " --over \"" + o + "\"";
    for (const std::string& a : r.assume) s += " --assume \"" + a + "\"";
    if (*r.method != "bdf") s += " --method " + *r.method;
    if (*r.format != "text") s += " --format " + *r.format;
    if (r.verbose) s += " --verbose";
    if (r.roots) s += " --roots";
    if (*r.monte_carlo > 0) s += fmt::format(" --monte-carlo {}", *r.monte_carlo);
    for (const auto& [name, value] :
         {std::pair("--of", &r.of), {"--along", &r.along}, {"--from", &r.from_value}, {"--to", &r.to_value}}) {
      if (!value->empty()) s += fmt::format(" {} {}", name, **value);
    }
    if (!r.out.empty()) s += " --out " + *r.out;
    if (!r.plot.empty()) s += " --plot " + *r.plot;
    for (const auto& x : r.show) s += " --show " + x;
    if (r.log_y) s += " --log-y";
    return s + "\n";
  }

  void step(const Request& r, Answer (*run)(const Request&)) {
    say(command_line(r));
    const WorkBudget budget(work_);  // each step may use as much as a command of its own
    const Answer a = run(r);
    say(tidy(a.text));
    ++steps_;
    Json entry{{"command", r.command}, {"input", r.inputs}};
    if (a.json.contains("check")) {
      entry["check"] = a.json.at("check");
      const std::string verdict = a.json.at("check").at("verdict").text();
      if (verdict != "untested") {
        ++checked_;
        digits_ = std::min(digits_, a.json.at("check").at("digits").number());
      }
      if (verdict == "disagrees") ++failed_;
    }
    story_.push_back(entry);
  }

  std::filesystem::path folder_;
  bool json_;
  bool force_;
  std::uint64_t work_;
  Answer answer_;
  Json story_ = Json::array();
  std::size_t steps_ = 0;
  std::size_t checked_ = 0;
  std::size_t failed_ = 0;
  double digits_ = 15;
};

}  // namespace

Answer demo(const Request& r) { return Story(r).tell(); }

}  // namespace boreon::cli
