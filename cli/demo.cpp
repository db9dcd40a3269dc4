// SPDX-License-Identifier: MIT
// demo: the whole story on the shipped models.
#include <fmt/format.h>

#include <cmath>
#include <filesystem>

#include "embedded_models.hpp"
#include "parsing.hpp"
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
    step({"show", "@ion_chemistry.toml", "--format", "unicode"});
    heading("2. Derive, and check against independent numerics");
    say("The Jacobian is derived symbolically; every entry is compared with extrapolated difference quotients.\n\n");
    step({"derive", "@ion_chemistry.toml", "--what", "jacobian"});
    say("\nThe same check for every shipped model:\n\n");
    for (const EmbeddedModel& m : embedded_models()) {
      if (is_model(m.name)) step({"check", "@" + m.name});
    }
    heading("3. Solve for the steady state");
    step({"solve", "@ion_chemistry.toml", "--verbose"});
    heading("4. Step in time: the arc switches on and off");
    step({"simulate", "@arc_switching.toml", "--out", "@arc_switching.csv", "--plot", "@arc_switching.png", "--show",
          "N2p,O2p,NOp,electrons", "--log-y"});
    heading("5. A proton on a field line, second order in time");
    step({"simulate", "@mirror_proton.toml", "--plot", "@mirror_proton.png", "--show", "s"});
    pulsation();
    layer();
    exactly();
    measure();
    fields();
    heading("19. Source text for your own program");
    step({"generate", "@ion_chemistry.toml", "--out", "@generated"});
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
    step({"simulate", "@pulsating_patch.toml", "--method", "adams", "--plot", "@pulsating_patch.png"});
    say("What an arc has left behind when it is gone, with error bars: integrals over time are states like "
        "others.\n\n");
    step({"simulate", "@closing_arc.toml"});
    heading("7. The dipole field from its potential");
    step({"solve", "@dipole_field.toml"});
  }

  void layer() {
    heading("8. A Chapman layer, drawn");
    step({"plot", "exp(1 - z - exp(-z))", "exp(1 - z - 2*exp(-z))", "derivative(exp(1 - z - exp(-z)), z)", "--over",
          "z from -2 to 8", "--out", "@chapman_layer.png"});
    heading("9. Its integrals: the column, and the mean altitude");
    const std::string everywhere = "z from -infinity to infinity";
    step({"integrate", "q0*exp(1 - (z - zm)/H - exp((zm - z)/H))", "--over", everywhere, "--assume", "q0 > 0, H > 0"});
    step({"integrate", "(z - zm)*exp(-(z - zm)/H - exp((zm - z)/H))/H", "--over", everywhere, "--assume", "H > 0"});
    say("The slant column at grazing incidence, elevation sine c over a sphere of radius R:\n\n");
    step({"integrate", "exp(-(c*s + s^2/(2*R))/H)", "--over", "s from 0 to infinity", "--assume", "R > 0, H > 0"});
  }

  void exactly() {
    heading("10. The balance of production and loss, solved for the electron density");
    step({"solve", "q = alpha*n^2 + beta*n", "--for", "n", "--assume", "alpha > 0, beta > 0, q > 0, n > 0"});
    heading("11. The oscillation of a field line with its initial values, and a current switched on late");
    step({"solve", "u'' + 2*b*u' + w^2*u = 0", "--for", "u(t)", "--given", "u(0)=1, u'(0)=0", "--assume",
          "b > 0, w > b"});
    step({"transform", "U*exp(-T*s)/(s*(L*s + R))", "--inverse-laplace", "s to t", "--assume",
          "U > 0, L > 0, R > 0, T > 0"});
    say("The light of a pulsating arc, in harmonics of its period T:\n\n");
    step({"transform", "exp(-t/tau)", "--fourier", "t over T", "--assume", "T > 0, tau > 0"});
  }

  void fields() {
    heading("16. Fields: a patch of plasma that drifts through the arc");
    step({"show", "@drifting_patch.toml"});
    step({"simulate", "@drifting_patch.toml", "--plot", "@drifting_patch.png", "--show", "n,profile,content"});
    heading("17. A network: currents that the arc drives in a power grid");
    step({"solve", "@ground_currents.toml"});
    heading("18. The best: currents that heat least, and air of least free energy");
    step({"optimise", "@least_heating.toml"});
    step({"optimise", "@air_mixture.toml"});
  }

  void measure() {
    heading("12. The recombination coefficient from what a (made-up) radar saw");
    step({"fit", "@density_decay.toml", "--plot", "@density_decay.png"});
    say("Production, recombination and the density before the arc came, from a run in time:\n\n");
    step({"fit", "@arc_onset.toml"});
    say("Two rates from steady states, one for each row of a table:\n\n");
    step({"fit", "@ion_ratio.toml"});
    heading("13. Which rate coefficient the electron density depends on most");
    step({"sensitivity", "@electron_density.toml", "--of", "n_e", "--plot", "@sensitivity.png"});
    heading("14. Error bars on the electron density");
    step({"solve", "@electron_density.toml", "--monte-carlo", "1000"});
    say("How the pulsating patch answers small changes of its supply:\n\n");
    step({"response", "@pulsating_patch.toml", "--of", "brightness", "--wrt", "supply", "--plot", "@response.png"});
    heading("15. A discharge that ignites: all its steady states, and the branch they lie on");
    step({"solve", "@arc_ignition.toml", "--roots"});
    step({"trace", "@arc_ignition.toml", "--along", "power", "--from", "0.005", "--to", "0.2", "--plot",
          "@arc_ignition.png"});
  }

  [[nodiscard]] std::string path(const std::string& name) const { return (folder_ / name).string(); }

  // Printed at once, so that one can read along while the next step runs.
  void say(const std::string& text) {
    if (!json_) print(stdout, harmless(text));
  }
  void heading(const std::string& text) { say("\n" + text + "\n" + std::string(text.size(), '-') + "\n"); }

  // As one would type it.
  static std::string command_line(const std::vector<std::string>& words) {
    std::string s = "$ boreon";
    for (const std::string& w : words) {
      const bool plain = w.find_first_of(" ()'\"*<>=^") == std::string::npos;
      s += plain ? " " + w : " \"" + w + "\"";
    }
    return s + "\n";
  }

  // One command; "@name" is a file in the folder of the demo.
  void step(std::vector<std::string> words) {
    for (std::string& w : words) {
      if (w.starts_with('@')) w = path(w.substr(1));
    }
    say(command_line(words));
    const Parsed p = parsed(words);
    p.request->force = force_;
    const WorkBudget budget(work_);  // each step may use as much as a command of its own
    const Answer a = p.command->run(*p.request);
    say(tidy(a.text));
    ++steps_;
    Json entry{{"command", p.request->command}, {"input", p.request->inputs}};
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

Command demo_command() {
  Command c =
      command<Request>("demo", "the whole story on the shipped models", "  boreon demo\n  boreon demo --out figures\n",
                       [](const Request& r) { return Story(r).tell(); });
  c.takes_inputs = false;
  return c;
}

}  // namespace boreon::cli
