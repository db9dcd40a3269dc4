// The command-line tool: arguments in, one answer out.
#include <fmt/format.h>
#include <CLI/CLI.hpp>

#include <chrono>
#include <cstdio>
#include <exception>
#include <functional>
#include <map>

#include "request.hpp"

namespace {

using boreon::Error;
using boreon::ErrorKind;
using boreon::cli::Answer;
using boreon::cli::Json;
using boreon::cli::Request;

int exit_code_of(ErrorKind kind) {
  switch (kind) {
    case ErrorKind::unsupported:
    case ErrorKind::convergence:
    case ErrorKind::check:
    case ErrorKind::limit:
    case ErrorKind::domain: return 1;
    default: return 2;
  }
}

void print(std::FILE* where, const std::string& text) { std::fwrite(text.data(), 1, text.size(), where); }

int report_error(const Request& r, const char* kind, const std::string& message, const std::string& full, std::size_t line, std::size_t column, int code) {
  if (r.json) {
    const Json j{{"ok", false}, {"error", {{"kind", kind}, {"message", message}, {"line", line}, {"column", column}}}};
    print(stdout, j.dump(2, ' ', false, Json::error_handler_t::replace) + "\n");
  } else {
    print(stderr, "error: " + full + "\n");
  }
  return code;
}

struct Command {
  const char* name;
  const char* summary;
  const char* examples;
  std::function<Answer(const Request&)> run;
  std::function<void(CLI::App&, Request&)> options;
};

void add_what(CLI::App& c, Request& r) {
  c.add_option("--what", r.what, "derivative, gradient, jacobian, hessian, determinant, divergence, curl or laplacian");
  c.add_option("--coordinates", r.coordinates, "cartesian, cylindrical, spherical or dipole (gradient, divergence, curl, laplacian)");
  c.add_option("--of", r.of, "output of the model to derive (gradient, hessian)");
  c.add_option("--wrt", r.wrt, "variables, one for each derivation: x,x,y");
  c.add_flag("--no-check", r.no_check, "skip the comparison with independent numerics");
}

void add_quantity(CLI::App& c, Request& r) { c.add_option("--of", r.of, "output or equation of the model"); }

void add_solver(CLI::App& c, Request& r) {
  c.add_option("--tolerance", r.tolerance, "relative tolerance")->check(CLI::Range(1e-15, 0.5));
  c.add_option("--linear-solver", r.linear_solver, "automatic, dense or sparse (KLU)")->check(CLI::IsMember({"automatic", "dense", "sparse"}));
}

const std::vector<Command>& commands() {
  using namespace boreon::cli;
  static const std::vector<Command> all{
      {"show", "typeset a model or an expression",
       "  boreon show model.toml\n  boreon show model.toml --format unicode\n  boreon show \"exp(-x^2/(4*D*t))/sqrt(4*pi*D*t)\" --format latex\n", show,
       [](CLI::App&, Request&) {}},
      {"derive", "derivatives, checked against difference quotients",
       "  boreon derive \"x^3*y\" --wrt x,x,y\n  boreon derive \"x*y + sin(z)\" --what gradient\n  boreon derive \"r*cos(a)\" \"r*sin(a)\" --wrt r,a --format unicode\n"
       "  boreon derive \"r*cos(a)\" \"r*sin(a)\" --wrt r,a --what determinant\n  boreon derive \"0\" \"0\" \"B*r*sin(theta)\" --what curl --coordinates spherical\n"
       "  boreon derive model.toml --what jacobian\n  boreon derive model.toml --what gradient --of energy\n",
       derive, add_what},
      {"simplify", "the cheapest equal form, or the one asked for",
       "  boreon simplify \"sin(x)^2 + cos(x)^2\"\n  boreon simplify \"sqrt(x^2)\" --assume \"x > 0\"\n  boreon simplify \"(x^2 + 1)/(x^3 - x)\" --form partial-fractions\n"
       "  boreon simplify \"a*x + b*x + c\" --form collected --by x\n  boreon simplify model.toml --of energy\n",
       simplify_command,
       [](CLI::App& c, Request& r) {
         c.add_option("--form", r.form,
                      "expanded, factored, collected, fraction, partial-fractions, exponentials, sines, expanded-angles, combined-angles, expanded-logarithms, "
                      "combined-logarithms");
         c.add_option("--by", r.by, "symbols that --form collected and partial-fractions go by");
         add_quantity(c, r);
         c.add_option("--points", r.points, "random points to compare at (6)")->check(CLI::Range(1, 10000));
       }},
      {"expand", "products and powers of sums written out", "  boreon expand \"(x + y)^3*(x - y)\"\n", expand_command, [](CLI::App& c, Request& r) { add_quantity(c, r); }},
      {"factor", "irreducible factors over the rationals", "  boreon factor \"x^10 - 1\"\n  boreon factor \"x^2*y^2 - x^2 - y^2 + 1\" --format unicode\n", factor_command,
       [](CLI::App& c, Request& r) { add_quantity(c, r); }},
      {"rewrite", "rules of your own",
       "  boreon rewrite \"2*sin(x)^2 + 2*cos(x)^2 + y\" --rule \"k*sin(u)^2 + k*cos(u)^2 becomes k for any u, k\"\n"
       "  boreon rewrite \"log(2*x*y)\" --assume \"x > 0, y > 0\" --rule \"log(a*b) becomes log(a) + log(b) for any a, rest b where a > 0, b > 0\"\n"
       "  boreon rewrite \"f(f(f(x)))\" --rule \"f(u) becomes u + 1 for any u\" --extent first\n",
       rewrite_command,
       [](CLI::App& c, Request& r) {
         c.add_option("--rule", r.rules, "PATTERN becomes REPLACEMENT for any NAMES, rest NAME where CONDITIONS");
         c.add_option("--rules", r.rule_files, "file of rules, one a line, # for comments");
         c.add_option("--order", r.order, "bottom-up or top-down")->check(CLI::IsMember({"bottom-up", "top-down"}));
         c.add_option("--extent", r.extent, "first, pass or fixed-point")->check(CLI::IsMember({"first", "pass", "fixed-point"}));
         c.add_option("--limit", r.limit, "most applications (10000)")->check(CLI::Range(1, 100000000));
         add_quantity(c, r);
       }},
      {"integrate", "antiderivatives, definite, improper and iterated integrals, checked against quadrature",
       "  boreon integrate \"z*exp(-z/H)\" --over z\n  boreon integrate \"z*exp(-z/H)\" --over \"z from 0 to 5*H\" --assume \"H > 0\"\n"
       "  boreon integrate \"r^2*sin(theta)\" --over \"r from a to b\" --over \"theta from 0 to pi\" --over \"phi from 0 to 2*pi\"\n"
       "  boreon integrate \"sin(x)*cos(n*x)\" --over \"x from 0 to pi\" --assume \"n integer\"\n"
       "  boreon integrate \"1/(x - 1)\" --over \"x from 0 to 3\" --principal-value\n  boreon integrate \"x^x\" --over \"x from 0 to 1\" --numeric --digits 30\n",
       integrate_command,
       [](CLI::App& c, Request& r) {
         c.add_option("--over", r.over, "z, or \"z from 0 to 5*H\"; several nest, the first one innermost")->allow_extra_args(false);
         c.add_flag("--principal-value", r.principal_value, "Cauchy's principal value at poles inside the range");
         c.add_flag("--numeric", r.numeric, "a number by quadrature");
         c.add_option("--digits", r.digits, "digits of the number (15)")->check(CLI::Range(1, 1000));
         c.add_flag("--steps", r.steps, "explain the route");
         c.add_option("--coordinates", r.coordinates, "cylindrical, spherical or dipole: multiplies by the volume element");
       }},
      {"limit", "limits, one-sided, two-sided and at infinity",
       "  boreon limit \"sin(x)/x\" --at \"x to 0\"\n  boreon limit \"exp(1/x)\" --at \"x to 0 from below\"\n  boreon limit \"x^a*exp(-x)\" --at \"x to infinity\" --assume \"a > "
       "0\"\n",
       limit_command, [](CLI::App& c, Request& r) { c.add_option("--at", r.at, "the place: \"x to 0\", \"x to infinity\", \"x to a from below\""); }},
      {"series", "power, Laurent and Puiseux series, and asymptotic expansions at infinity",
       "  boreon series \"exp(x)\" --about x=0 --order 6\n  boreon series \"1/sin(x)\" --about x=0\n  boreon series \"lgamma(x)\" --about x=infinity --order 4\n", series_command,
       [](CLI::App& c, Request& r) {
         c.add_option("--about", r.about, "the point: x=0, x=a, x=infinity");
         c.add_option("--order", r.series_order, "largest exponent (6)");
       }},
      {"evaluate", "numbers, in double precision or to any number of certified digits",
       "  boreon evaluate \"sin(x)/x\" --at \"x=1/3\"\n  boreon evaluate \"sin(x)/x\" --at \"x=1/3\" --digits 40\n  boreon evaluate \"exp(1i*pi)\"\n  boreon evaluate model.toml\n",
       evaluate_command,
       [](CLI::App& c, Request& r) {
         c.add_option("--at", r.at, "values: \"x=1/3, y=2\"");
         c.add_option("--digits", r.digits, "significant digits, certified by ball arithmetic")->check(CLI::Range(1, 100000));
         c.add_flag("--complex", r.complex, "complex values, principal branches");
       }},
      {"check", "cross-check every derivative of a model, or whether an equation always holds",
       "  boreon check model.toml\n  boreon check model.toml --points 20\n  boreon check model.toml --certify\n  boreon check \"(1 - cos(x))/x^2\" --certify --at \"x=1e-6\"\n  boreon check \"x^2*sin(y)\"\n  boreon check \"tan(x) = "
       "sin(x)/cos(x)\"\n",
       check,
       [](CLI::App& c, Request& r) {
         add_what(c, r);
         c.add_option("--points", r.points, "random points to compare at (5)")->check(CLI::Range(1, 10000));
         c.add_flag("--certify", r.certify, "digits that double precision loses at the start values, or at --at, by rigorous arithmetic");
         c.add_option("--at", r.at, "with --certify: where an expression is looked at, \"x=1/3, y=2\"");
       }},
      {"solve", "steady state of a model", "  boreon solve model.toml\n  boreon solve model.toml --set k1=2e-7 --verbose\n", solve,
       [](CLI::App& c, Request& r) {
         add_solver(c, r);
         c.add_flag("--verbose", r.verbose, "print the iteration table");
       }},
      {"simulate", "run a model in time",
       "  boreon simulate model.toml --until 600\n  boreon simulate model.toml --until 600 --out run.csv --plot run.png\n  boreon simulate model.toml --method adams --samples "
       "2001\n",
       simulate,
       [](CLI::App& c, Request& r) {
         add_solver(c, r);
         c.add_option("--until", r.until, "end of the run (default: the model's)");
         c.add_option("--samples", r.samples, "number of output times")->check(CLI::Range(2, 100000000));
         c.add_option("--method", r.method, "bdf (stiff) or adams")->check(CLI::IsMember({"bdf", "adams"}));
         c.add_option("--plot", r.plot, "figure of the run, .png or .svg");
         c.add_option("--show", r.show, "unknowns and outputs in the figure: n_e,energy");
         c.add_flag("--log-x", r.log_x, "logarithmic time axis");
         c.add_flag("--log-y", r.log_y, "logarithmic value axis");
         c.add_flag("--no-check", r.no_check, "skip the repetition with tighter tolerances");
       }},
      {"generate", "write residual, Jacobian and outputs as C or C++ source",
       "  boreon generate model.toml --language c++ --out generated\n  boreon generate model.toml --language c --name chemistry --out generated\n"
       "  boreon generate model.toml --show operations\n  boreon generate model.toml --show assembly\n",
       generate,
       [](CLI::App& c, Request& r) {
         c.add_option("--language", r.language, "c++ or c")->check(CLI::IsMember({"c++", "cpp", "c"}));
         c.add_option("--name", r.name, "name of files and functions (default: that of the model file)");
         c.add_flag("--eigen", r.eigen, "C++: also functions on Eigen's vectors and sparse matrices");
         c.add_option("--show", r.show, "print operations, program or assembly instead of writing files")->check(CLI::IsMember({"operations", "program", "assembly"}));
         c.add_flag("--no-check", r.no_check, "skip the comparison with independent numerics");
       }},
      {"plot", "draw expressions over a range",
       "  boreon plot \"exp(1 - z - exp(-z))\" --over \"z from -2 to 8\" --out layer.png\n  boreon plot \"sin(a*x)/x\" \"cos(a*x)\" --over \"x from 0.1 to 20\" --set a=2 --out "
       "fig.svg\n",
       plot,
       [](CLI::App& c, Request& r) {
         c.add_option("--over", r.over, "range: \"z from -2 to 8\"");
         c.add_option("--points", r.points, "points on each curve (600)");
         c.add_flag("--log-x", r.log_x, "logarithmic range");
         c.add_flag("--log-y", r.log_y, "logarithmic values");
       }},
      {"demo", "the whole story on the shipped models", "  boreon demo\n  boreon demo --out figures\n", demo, [](CLI::App&, Request&) {}},
  };
  return all;
}

int run(int argc, char** argv) {
  Request r;
  for (int i = 1; i < argc; ++i) r.json = r.json || std::string_view(argv[i]) == "--json";
  CLI::App app{"Boreon: model equations in, checked derivatives and fast numbers out."};
  app.set_version_flag("--version", std::string("boreon ") + BOREON_VERSION);
  app.require_subcommand(1);
  app.footer("Each command explains itself by examples: boreon derive --help\nStart here: boreon demo");
  std::map<CLI::App*, const Command*> by_app;
  for (const Command& c : commands()) {
    CLI::App* sub = app.add_subcommand(c.name, c.summary);
    sub->footer(std::string("Examples:\n") + c.examples);
    if (std::string_view(c.name) != "demo") sub->add_option("input", r.inputs, "model file (.toml), or expressions")->required();
    sub->add_flag("--json", r.json, "print one JSON object");
    sub->add_option("--set", r.set, "values of parameters: name=value");
    sub->add_option("--assume", r.assume, "facts of symbols: \"a > 0, n integer\"");
    sub->add_option("--out", r.out, "file or folder to write");
    sub->add_option("--format", r.format, "how mathematics is shown: text, unicode, latex or mathml")->check(CLI::IsMember({"text", "unicode", "latex", "mathml"}));
    c.options(*sub, r);
    by_app[sub] = &c;
  }
  try {
    // An expression may start with a minus; the blank keeps it from being taken for an option and goes again below.
    std::vector<std::string> words;
    for (int i = argc - 1; i > 0; --i) {
      const std::string word = argv[i];
      const bool expression = word.size() > 1 && word[0] == '-' && word[1] != '-' && word != "-h";
      words.push_back(expression ? " " + word : word);
    }
    app.parse(words);
    for (std::string& input : r.inputs) {
      if (input.starts_with(" -")) input.erase(0, 1);
    }
  } catch (const CLI::CallForHelp& e) {
    return app.exit(e);
  } catch (const CLI::CallForAllHelp& e) {
    return app.exit(e);
  } catch (const CLI::CallForVersion& e) {
    return app.exit(e);
  } catch (const CLI::ParseError& e) {
    std::string message = e.what();
    std::vector<std::string> names;
    for (const Command& c : commands()) names.emplace_back(c.name);
    const bool unknown_command = argc > 1 && argv[1][0] != '-' && std::find(names.begin(), names.end(), argv[1]) == names.end();
    if (argc < 2) {
      message = "a command is needed; try boreon --help";
    } else if (unknown_command) {
      message = fmt::format("'{}' is no command of this version{} (boreon --help lists them)", argv[1], boreon::suggestion(argv[1], names));
    } else {
      message += fmt::format(" (boreon {} --help shows examples)", argv[1][0] == '-' ? "" : argv[1]);
    }
    return report_error(r, "usage", message, message, 0, 0, 2);
  }
  const Command& command = *by_app.at(app.get_subcommands().front());
  r.command = command.name;
  const auto start = std::chrono::steady_clock::now();
  try {
    Answer a = command.run(r);
    if (!r.json) {
      print(stdout, boreon::cli::tidy(a.text));
      return a.exit_code;
    }
    Json j{{"ok", a.exit_code == 0}, {"command", r.command}, {"input", r.inputs.size() == 1 ? Json(r.inputs[0]) : Json(r.inputs)}};
    for (auto& [key, value] : a.json.items()) j[key] = value;
    for (const char* key : {"conditions", "exceptions"}) {
      if (!j.contains(key)) j[key] = Json::array();
    }
    if (a.exit_code != 0) j["error"] = {{"kind", "check"}, {"message", "the cross-check disagrees"}, {"line", 0}, {"column", 0}};
    j["seconds"] = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    print(stdout, j.dump(2, ' ', false, Json::error_handler_t::replace) + "\n");
    return a.exit_code;
  } catch (const Error& e) {
    return report_error(r, to_string(e.kind()), e.message(), e.what(), e.position().line, e.position().column, exit_code_of(e.kind()));
  } catch (const std::exception& e) {
    if (dynamic_cast<const std::bad_alloc*>(&e) == nullptr) {
      const std::string message = std::string("this should not happen: ") + e.what();
      return report_error(r, "internal", message, message, 0, 0, 1);
    }
    return report_error(r, "limit", "there is not enough memory for this request", "there is not enough memory for this request", 0, 0, 1);
  }
}

}  // namespace

int main(int argc, char** argv) {
  try {
    return run(argc, argv);
  } catch (const std::exception& e) {
    print(stderr, std::string("internal error: ") + e.what() + "\n");
    return 1;
  }
}
