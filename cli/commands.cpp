// SPDX-License-Identifier: MIT
#include "commands.hpp"

#include <type_traits>

namespace boreon::cli {
namespace {

template <class T>
CLI::Option* option(CLI::App& app, Parsing& r, const char* name, Option<T>& target, const std::string& text) {
  CLI::Option* o = app.add_option(name, target.target(), text);
  if constexpr (std::is_same_v<T, std::vector<std::string>>)
    o->allow_extra_args(false);  // an expression behind it is an input
  r.declared.push_back({name, o, target.read()});
  return o;
}

CLI::Option* flag(CLI::App& app, Parsing& r, const char* name, Option<bool>& target, const std::string& text) {
  CLI::Option* o = app.add_flag(name, target.target(), text);
  r.declared.push_back({name, o, target.read()});
  return o;
}

void add_what(CLI::App& c, Parsing& r) {
  option(c, r, "--what", r.request.what,
         "derivative, gradient, jacobian, hessian, determinant, divergence, curl or laplacian");
  option(c, r, "--coordinates", r.request.coordinates,
         "cartesian, cylindrical, spherical or dipole (gradient, divergence, curl, laplacian)");
  option(c, r, "--of", r.request.of, "output of the model to derive (gradient, hessian)");
  option(c, r, "--wrt", r.request.wrt, "variables, one for each derivation: x,x,y");
  flag(c, r, "--no-check", r.request.no_check, "skip the comparison with independent numerics");
}

void add_quantity(CLI::App& c, Parsing& r) { option(c, r, "--of", r.request.of, "output or equation of the model"); }

void add_monte_carlo(CLI::App& c, Parsing& r) {
  option(c, r, "--monte-carlo", r.request.monte_carlo, "draws of the uncertain parameters, beside first order")
      ->check(CLI::Range(2, 100000000));
}

void add_solver(CLI::App& c, Parsing& r) {
  option(c, r, "--tolerance", r.request.tolerance, "relative tolerance")->check(CLI::Range(1e-15, 0.5));
  option(c, r, "--linear-solver", r.request.linear_solver, "automatic, dense or sparse (KLU)")
      ->check(CLI::IsMember({"automatic", "dense", "sparse"}));
}

}  // namespace

void add_common_options(CLI::App& app, Parsing& r) {
  app.add_flag("--json", r.request.json, "print one JSON object");
  option(app, r, "--set", r.request.set, "values of parameters or symbols: name=value");
  option(app, r, "--assume", r.request.assume, "facts of symbols: \"a > 0, n integer\"");
  option(app, r, "--unknown", r.request.unknown, "functions that are meant to be unknown: \"f,g\"");
  option(app, r, "--out", r.request.out, "file or folder to write");
  option(app, r, "--format", r.request.format, "how mathematics is shown: text, unicode, latex or mathml")
      ->check(CLI::IsMember({"text", "unicode", "latex", "mathml"}));
  app.add_flag("--force", r.request.force, "replace files that do not look like earlier output");
  app.add_option("--work", r.request.work, "budget of work, in units of a few nanoseconds (400000000)")
      ->check(CLI::Range(std::uint64_t{1000}, std::uint64_t{1} << 62U));
  app.add_option("--memory", r.request.megabytes, "budget of memory, in megabytes (1500)")
      ->check(CLI::Range(std::uint64_t{10}, std::uint64_t{1} << 40U));
}

const std::vector<Command>& commands() {
  static const std::vector<Command> all{
      {"show", "typeset a model or an expression",
       "  boreon show model.toml\n  boreon show model.toml --format unicode\n  boreon show "
       "\"exp(-x^2/(4*D*t))/sqrt(4*pi*D*t)\" --format latex\n",
       show, [](CLI::App&, Parsing&) {}},
      {"derive", "derivatives, checked against difference quotients",
       "  boreon derive \"x^3*y\" --wrt x,x,y\n  boreon derive \"x*y + sin(z)\" --what gradient\n  boreon derive "
       "\"r*cos(a)\" \"r*sin(a)\" --wrt r,a --format unicode\n"
       "  boreon derive \"r*cos(a)\" \"r*sin(a)\" --wrt r,a --what determinant\n  boreon derive \"0\" \"0\" "
       "\"B*r*sin(theta)\" --what curl --coordinates spherical\n"
       "  boreon derive model.toml --what jacobian\n  boreon derive model.toml --what gradient --of energy\n",
       derive, add_what},
      {"simplify", "the cheapest equal form, or the one asked for",
       "  boreon simplify \"sin(x)^2 + cos(x)^2\"\n  boreon simplify \"sqrt(x^2)\" --assume \"x > 0\"\n  boreon "
       "simplify \"(x^2 + 1)/(x^3 - x)\" --form partial-fractions\n"
       "  boreon simplify \"a*x + b*x + c\" --form collected --by x\n  boreon simplify model.toml --of energy\n",
       simplify_command,
       [](CLI::App& c, Parsing& r) {
         option(c, r, "--form", r.request.form,
                "expanded, factored, collected, fraction, partial-fractions, exponentials, sines, expanded-angles, "
                "combined-angles, expanded-logarithms, "
                "combined-logarithms");
         option(c, r, "--by", r.request.by, "symbols that --form collected and partial-fractions go by");
         add_quantity(c, r);
         option(c, r, "--points", r.request.points, "random points to compare at (6)")->check(CLI::Range(1, 10000));
       }},
      {"expand", "products and powers of sums written out", "  boreon expand \"(x + y)^3*(x - y)\"\n", expand_command,
       [](CLI::App& c, Parsing& r) { add_quantity(c, r); }},
      {"factor", "irreducible factors over the rationals",
       "  boreon factor \"x^10 - 1\"\n  boreon factor \"x^2*y^2 - x^2 - y^2 + 1\" --format unicode\n", factor_command,
       [](CLI::App& c, Parsing& r) { add_quantity(c, r); }},
      {"rewrite", "rules of your own",
       "  boreon rewrite \"2*sin(x)^2 + 2*cos(x)^2 + y\" --rule \"k*sin(u)^2 + k*cos(u)^2 becomes k for any u, k\"\n"
       "  boreon rewrite \"log(2*x*y)\" --assume \"x > 0, y > 0\" --rule \"log(a*b) becomes log(a) + log(b) for any a, "
       "rest b where a > 0, b > 0\"\n"
       "  boreon rewrite \"f(f(f(x)))\" --rule \"f(u) becomes u + 1 for any u\" --extent first\n",
       rewrite_command,
       [](CLI::App& c, Parsing& r) {
         option(c, r, "--rule", r.request.rules,
                "PATTERN becomes REPLACEMENT for any NAMES, rest NAME where CONDITIONS");
         option(c, r, "--rules", r.request.rule_files, "file of rules, one a line, # for comments");
         option(c, r, "--order", r.request.order, "bottom-up or top-down")
             ->check(CLI::IsMember({"bottom-up", "top-down"}));
         option(c, r, "--extent", r.request.extent, "first, pass or fixed-point")
             ->check(CLI::IsMember({"first", "pass", "fixed-point"}));
         option(c, r, "--limit", r.request.limit, "most applications (10000)")->check(CLI::Range(1, 100000000));
         add_quantity(c, r);
       }},
      {"integrate", "antiderivatives, definite, improper and iterated integrals, checked against quadrature",
       "  boreon integrate \"z*exp(-z/H)\" --over z\n  boreon integrate \"z*exp(-z/H)\" --over \"z from 0 to 5*H\" "
       "--assume \"H > 0\"\n"
       "  boreon integrate \"r^2*sin(theta)\" --over \"r from a to b\" --over \"theta from 0 to pi\" --over \"phi from "
       "0 to 2*pi\"\n"
       "  boreon integrate \"sin(x)*cos(n*x)\" --over \"x from 0 to pi\" --assume \"n integer\"\n"
       "  boreon integrate \"1/(x - 1)\" --over \"x from 0 to 3\" --principal-value\n  boreon integrate \"x^x\" --over "
       "\"x from 0 to 1\" --numeric --digits 30\n",
       integrate_command,
       [](CLI::App& c, Parsing& r) {
         option(c, r, "--over", r.request.over, "z, or \"z from 0 to 5*H\"; several nest, the first one innermost");
         flag(c, r, "--principal-value", r.request.principal_value,
              "Cauchy's principal value at poles inside the range");
         flag(c, r, "--numeric", r.request.numeric, "a number by quadrature");
         option(c, r, "--digits", r.request.digits, "digits of the number (15)")->check(CLI::Range(1, 1000));
         flag(c, r, "--steps", r.request.steps, "explain the route");
         option(c, r, "--coordinates", r.request.coordinates,
                "cylindrical, spherical or dipole: multiplies by the volume element");
       }},
      {"limit", "limits, one-sided, two-sided and at infinity",
       "  boreon limit \"sin(x)/x\" --at \"x to 0\"\n  boreon limit \"exp(1/x)\" --at \"x to 0 from below\"\n  boreon "
       "limit \"x^a*exp(-x)\" --at \"x to infinity\" --assume \"a > "
       "0\"\n",
       limit_command,
       [](CLI::App& c, Parsing& r) {
         option(c, r, "--at", r.request.at, "the place: \"x to 0\", \"x to infinity\", \"x to a from below\"");
       }},
      {"series", "power, Laurent and Puiseux series, and asymptotic expansions at infinity",
       "  boreon series \"exp(x)\" --about x=0 --order 6\n  boreon series \"1/sin(x)\" --about x=0\n  boreon series "
       "\"lgamma(x)\" --about x=infinity --order 4\n",
       series_command,
       [](CLI::App& c, Parsing& r) {
         option(c, r, "--about", r.request.about, "the point: x=0, x=a, x=infinity");
         option(c, r, "--order", r.request.series_order, "largest exponent (6)");
       }},
      {"transform", "Laplace transforms, their inverse, and Fourier coefficients, checked against quadrature",
       "  boreon transform \"t*exp(-a*t)\" --laplace \"t to s\"\n  boreon transform \"exp(-s)/(s^2 + 1)\" "
       "--inverse-laplace "
       "\"s to t\"\n  boreon transform \"abs(sin(t))\" --fourier \"t over 2*pi\"\n  boreon transform \"y'' + y\" "
       "--laplace "
       "\"t to s\"\n",
       transform_command,
       [](CLI::App& c, Parsing& r) {
         option(c, r, "--laplace", r.request.laplace, "from time to the image: \"t to s\"");
         option(c, r, "--inverse-laplace", r.request.inverse_laplace, "back: \"s to t\"");
         option(c, r, "--fourier", r.request.fourier, "coefficients over one period from 0: \"t over 2*pi\"");
         flag(c, r, "--steps", r.request.steps, "explain the route");
       }},
      {"spectrum", "harmonics of a signal: a table, and a figure with the signal put together again",
       "  boreon spectrum \"exp(-t)\" --over \"t over 1\" --harmonics 10 --plot spectrum.png\n  boreon spectrum "
       "run.csv "
       "--column n_e --window hann --out spectrum.csv\n",
       spectrum_command,
       [](CLI::App& c, Parsing& r) {
         option(c, r, "--over", r.request.over, "one period of a formula, from 0: \"t over 2*pi\"");
         option(c, r, "--column", r.request.column, "the column of a table; its first one is the time");
         option(c, r, "--harmonics", r.request.harmonics, "the last harmonic (10; of a table half of its samples)")
             ->check(CLI::Range(1, 100000));
         option(c, r, "--first", r.request.first, "the first harmonic, 0 (the mean) or 1")->check(CLI::Range(0, 1));
         option(c, r, "--window", r.request.window, "none, or hann for tables that do not repeat with their length")
             ->check(CLI::IsMember({"none", "hann"}));
         option(c, r, "--plot", r.request.plot, "figure: amplitudes, and the signal with its harmonics, .png or .svg");
       }},
      {"evaluate", "numbers, in double precision or to any number of certified digits",
       "  boreon evaluate \"sin(x)/x\" --at \"x=1/3\"\n  boreon evaluate \"sin(x)/x\" --at \"x=1/3\" --digits 40\n  "
       "boreon evaluate \"exp(1i*pi)\"\n  boreon evaluate model.toml\n",
       evaluate_command,
       [](CLI::App& c, Parsing& r) {
         option(c, r, "--at", r.request.at, "values: \"x=1/3, y=2\"");
         option(c, r, "--digits", r.request.digits, "significant digits, certified by ball arithmetic")
             ->check(CLI::Range(1, 100000));
         flag(c, r, "--complex", r.request.complex, "complex values, principal branches");
         add_monte_carlo(c, r);
       }},
      {"check", "cross-check every derivative of a model, or whether an equation always holds",
       "  boreon check model.toml\n  boreon check model.toml --points 20\n  boreon check model.toml --certify\n  "
       "boreon check \"(1 - cos(x))/x^2\" --certify --at \"x=1e-6\"\n  boreon check \"x^2*sin(y)\"\n  boreon check "
       "\"tan(x) = "
       "sin(x)/cos(x)\"\n",
       check,
       [](CLI::App& c, Parsing& r) {
         add_what(c, r);
         option(c, r, "--points", r.request.points, "random points to compare at (5)")->check(CLI::Range(1, 10000));
         flag(c, r, "--certify", r.request.certify,
              "digits that double precision loses at the start values, or at --at, by rigorous arithmetic");
         option(c, r, "--at", r.request.at, "with --certify: where an expression is looked at, \"x=1/3, y=2\"");
       }},
      {"solve", "equations and differential equations exactly, or the steady state of a model",
       "  boreon solve \"x^2 - a*x = 7\" --for x\n  boreon solve \"u + v = p\" \"u*v = q\" --for u,v\n  boreon solve "
       "\"sin(x) = 1/2\"\n  boreon solve \"x = cos(x)\" --within \"x from 0 to 2\"\n"
       "  boreon solve \"y'' + w^2*y = 0\" --for \"y(t)\" --given \"y(0)=1, y'(0)=0\" --assume \"w > 0\"\n"
       "  boreon solve model.toml\n  boreon solve model.toml --set k1=2e-7 --verbose\n  boreon solve model.toml "
       "--roots\n",
       solve,
       [](CLI::App& c, Parsing& r) {
         option(c, r, "--for", r.request.solve_for, "the unknowns: x,y; functions as \"y(t)\"");
         option(c, r, "--given", r.request.given, "values of unknown functions: \"y(0)=1, y'(0)=2\"");
         flag(c, r, "--exact", r.request.exact,
              "the equations of a model in closed form, in its parameters; for the unknowns or what --for names");
         flag(c, r, "--roots", r.request.roots, "all steady states of a model within its bounds");
         flag(c, r, "--compare-jacobian", r.request.compare_jacobian,
              "the solve of a model with the derived Jacobian, differences, single precision, an old one");
         option(c, r, "--plot", r.request.plot,
                "figure of the fields of a model; with --compare-jacobian of the convergence: .png or .svg");
         option(c, r, "--show", r.request.show, "fields in the figure: T,flux");
         flag(c, r, "--log-y", r.request.log_y, "logarithmic value axis");
         option(c, r, "--within", r.request.within, "all roots in a range of the unknown: \"x from 0 to 10\"");
         flag(c, r, "--steps", r.request.steps, "explain the route");
         add_solver(c, r);
         option(c, r, "--digits", r.request.digits, "significant digits of the values (6 for models, up to 17)")
             ->check(CLI::Range(1, 100000));
         flag(c, r, "--verbose", r.request.verbose, "print the iteration table");
         add_monte_carlo(c, r);
       }},
      {"simulate", "run a model in time",
       "  boreon simulate model.toml --until 600\n  boreon simulate model.toml --until 600 --out run.csv --plot "
       "run.png\n  boreon simulate model.toml --method adams --samples "
       "2001\n",
       simulate,
       [](CLI::App& c, Parsing& r) {
         add_solver(c, r);
         option(c, r, "--digits", r.request.digits, "significant digits of the values (6; --json and --out have all)")
             ->check(CLI::Range(1, 17));
         option(c, r, "--until", r.request.until, "end of the run (default: the model's)");
         option(c, r, "--samples", r.request.samples, "number of output times")->check(CLI::Range(2, 100000000));
         option(c, r, "--method", r.request.method, "bdf (stiff) or adams")->check(CLI::IsMember({"bdf", "adams"}));
         option(c, r, "--at-bound", r.request.at_bound, "where an unknown crosses its bound: stop, warn or ignore")
             ->check(CLI::IsMember({"stop", "warn", "ignore"}));
         option(c, r, "--plot", r.request.plot, "figure of the run, .png or .svg");
         option(c, r, "--show", r.request.show, "unknowns and outputs in the figure: n_e,energy");
         flag(c, r, "--log-x", r.request.log_x, "logarithmic time axis");
         flag(c, r, "--log-y", r.request.log_y, "logarithmic value axis");
         flag(c, r, "--no-check", r.request.no_check, "skip the repetition with tighter tolerances");
         add_monte_carlo(c, r);
       }},
      {"fit", "least squares with bounds: values, standard errors, correlation, a figure",
       "  boreon fit decay.toml\n  boreon fit decay.toml --plot fit.png --out rows.csv\n  boreon fit decay.toml "
       "--profile --starts 20\n",
       fit_command,
       [](CLI::App& c, Parsing& r) {
         option(c, r, "--digits", r.request.digits, "significant digits of the values (6)")->check(CLI::Range(1, 17));
         option(c, r, "--starts", r.request.starts, "searches in all, the first from the start values (by cost)")
             ->check(CLI::Range(1, 10000));
         flag(c, r, "--profile", r.request.profile, "intervals in which chi-square rises by at most 1");
         option(c, r, "--plot", r.request.plot, "figure: data, model with its band, residuals, .png or .svg");
         flag(c, r, "--log-x", r.request.log_x, "logarithmic x axis");
         flag(c, r, "--log-y", r.request.log_y, "logarithmic y axis");
       }},
      {"optimise", "the least or greatest value within bounds, equations and inequalities",
       "  boreon optimise model.toml\n  boreon optimise model.toml --of yield --goal maximum\n  boreon optimise "
       "\"2*pi*r^2 + 2*pi*r*h\" --subject \"pi*r^2*h = 1\" --subject \"r >= 0\" --at \"r=1, h=1\"\n",
       optimise_command,
       [](CLI::App& c, Parsing& r) {
         option(c, r, "--of", r.request.of, "output, definition or unknown of the model, instead of its [optimise]");
         option(c, r, "--goal", r.request.goal, "minimum or maximum (that of the model, or minimum)")
             ->check(CLI::IsMember({"minimum", "maximum"}));
         option(c, r, "--subject", r.request.subject,
                "what has to hold of expressions: \"x + y <= 3\"; may be repeated");
         option(c, r, "--at", r.request.at, "where the search for expressions begins: \"x=1, y=2\" (0)");
         option(c, r, "--starts", r.request.starts, "searches in all, the first from the start values (by size)")
             ->check(CLI::Range(1, 10000));
         option(c, r, "--digits", r.request.digits, "significant digits of the values (6)")->check(CLI::Range(1, 17));
       }},
      {"sensitivity", "derivatives of a steady state or of the end of a run, forward, adjoint and by differences",
       "  boreon sensitivity model.toml --of n_e --wrt alpha,q\n  boreon sensitivity model.toml --until 60 --plot "
       "bars.png\n  boreon sensitivity model.toml --of n_e --wrt \"n_e(0)\" --precision single\n",
       sensitivity_command,
       [](CLI::App& c, Parsing& r) {
         option(c, r, "--of", r.request.of, "outputs or unknowns: n_e,share (all outputs)");
         option(c, r, "--wrt", r.request.wrt, "parameters, and start values of runs as \"x(0)\" (all parameters)");
         option(c, r, "--until", r.request.until, "end of the run (default: the model's; without one: steady state)");
         option(c, r, "--precision", r.request.precision, "double, or single: what single precision would have lost")
             ->check(CLI::IsMember({"double", "single"}));
         flag(c, r, "--second", r.request.second,
              "second derivatives of a steady state too, and what they do to its mean");
         option(c, r, "--plot", r.request.plot, "figure: the most influential parameters, errors of differences");
         flag(c, r, "--no-check", r.request.no_check, "skip the difference quotients");
       }},
      {"trace", "a branch of steady states along a parameter, round its turning points",
       "  boreon trace model.toml --along k --from 0.1 --to 5\n  boreon trace model.toml --along k --from 0.1 --to 5 "
       "--plot "
       "branch.png --out branch.csv\n",
       trace_command,
       [](CLI::App& c, Parsing& r) {
         option(c, r, "--along", r.request.along, "the parameter");
         option(c, r, "--from", r.request.from_value, "its value at the beginning");
         option(c, r, "--to", r.request.to_value, "the end of its range");
         option(c, r, "--points", r.request.points, "most points of the branch (4000)")->check(CLI::Range(10, 1000000));
         option(c, r, "--plot", r.request.plot, "figure: the unknowns along the branch, .png or .svg");
         flag(c, r, "--log-x", r.request.log_x, "logarithmic parameter axis");
         flag(c, r, "--log-y", r.request.log_y, "logarithmic value axis");
       }},
      {"response", "how an output answers small changes of a parameter: transfer function, step and frequency response",
       "  boreon response model.toml --of n --wrt q\n  boreon response model.toml --of n --wrt q --plot response.png\n "
       " "
       "boreon response model.toml --of n --wrt q --over \"omega from 0.01 to 10\" --out response.csv\n",
       response_command,
       [](CLI::App& c, Parsing& r) {
         option(c, r, "--of", r.request.of, "the output or unknown (the first output)");
         option(c, r, "--wrt", r.request.wrt, "the parameter that is changed");
         option(c, r, "--over", r.request.over, "range of angular frequencies: \"omega from 0.01 to 10\"");
         option(c, r, "--points", r.request.points, "frequencies (401)")->check(CLI::Range(2, 100000));
         option(c, r, "--digits", r.request.digits, "digits of the numbers (6)")->check(CLI::Range(1, 17));
         option(c, r, "--plot", r.request.plot, "figure: magnitude and phase over frequency, step response");
       }},
      {"generate", "write residual, Jacobian and outputs as C or C++ source",
       "  boreon generate model.toml --language c++ --out generated\n  boreon generate model.toml --language c --name "
       "chemistry --out generated\n"
       "  boreon generate model.toml --show operations\n  boreon generate model.toml --show assembly\n",
       generate,
       [](CLI::App& c, Parsing& r) {
         option(c, r, "--language", r.request.language, "c++ or c")->check(CLI::IsMember({"c++", "cpp", "c"}));
         option(c, r, "--name", r.request.name, "name of files and functions (default: that of the model file)");
         flag(c, r, "--eigen", r.request.eigen, "C++: also functions on Eigen's vectors and sparse matrices");
         option(c, r, "--show", r.request.show, "print operations, program or assembly instead of writing files")
             ->check(CLI::IsMember({"operations", "program", "assembly"}));
         flag(c, r, "--no-check", r.request.no_check, "skip the comparison with independent numerics");
       }},
      {"plot", "draw expressions over a range",
       "  boreon plot \"exp(1 - z - exp(-z))\" --over \"z from -2 to 8\" --out layer.png\n  boreon plot \"sin(a*x)/x\" "
       "\"cos(a*x)\" --over \"x from 0.1 to 20\" --set a=2 --out "
       "fig.svg\n",
       plot,
       [](CLI::App& c, Parsing& r) {
         option(c, r, "--against", r.request.against,
                "a table .csv whose columns are drawn as points over its first one");
         option(c, r, "--over", r.request.over, "range: \"z from -2 to 8\"");
         option(c, r, "--points", r.request.points, "points on each curve (600)")->check(CLI::Range(2, 1000000));
         flag(c, r, "--log-x", r.request.log_x, "logarithmic range");
         flag(c, r, "--log-y", r.request.log_y, "logarithmic values");
       }},
      {"demo", "the whole story on the shipped models", "  boreon demo\n  boreon demo --out figures\n", demo,
       [](CLI::App&, Parsing&) {}},
  };
  return all;
}

}  // namespace boreon::cli
