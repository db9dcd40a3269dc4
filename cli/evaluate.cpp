// SPDX-License-Identifier: MIT
// evaluate: numbers in double precision beside rigorous enclosures, or to any number of digits.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <functional>

#include "boreon/evidence.hpp"
#include "command.hpp"
#include "option_groups.hpp"
#include "sensitivity.hpp"

namespace boreon::cli {
namespace {

struct EvaluateRequest : Request, MonteCarloOption {
  Option<std::string> at;
  Option<int> digits{0};
  Option<bool> complex{false};

  void declare(Declaration& d) override {
    d.add("--at", at, "values: \"x=1/3, y=2\"").formulas();
    d.add("--digits", digits, "significant digits, certified by ball arithmetic").within(1, 100000);
    d.add("--complex", complex, "complex values, principal branches");
    declare_draws(d);
  }
};

std::string number_text(double v) { return fmt::format("{:.15g}", v); }

Answer evaluate_model(const EvaluateRequest& r) {
  const Model model = model_of(r);
  const System system = system_of(model);
  Bindings b;
  for (std::size_t i = 0; i < system.parameters.size(); ++i) {
    b.set(system.parameters[i], i < model.parameters.size()
                                    ? Expr(model.parameters[i].value)
                                    : Expr(Number::shortest_decimal(system.parameter_values[i])));
  }
  for (std::size_t i = 0; i < system.states.size(); ++i)
    b.set(system.states[i], Expr(Number::shortest_decimal(system.start[i])));
  b.set(system.time, Expr(Number::shortest_decimal(model.run.from)));
  Answer a;
  a.text = "at the start values:\n";
  a.json["result"] = Json::object();
  const auto add = [&](const std::string& name, const Expr& e) {
    const double v = evaluate(e, b, Unused::allowed);
    a.text += fmt::format("  {} = {}\n", name, number_text(v));
    a.json["result"][name] = number_text(v);
  };
  for (std::size_t i = 0; i < system.residuals.size(); ++i) {
    const std::string where = system.parameters.size() > model.parameters.size() ? " in the middle of the data" : "";
    add(model.equations.empty()      ? "model of " + system.equation_names[i] + where
        : system.right_sides.empty() ? "residual of " + system.equation_names[i] + where
                                     : "rate of " + system.state_names[i],
        system.residuals[i]);
  }
  for (std::size_t i = 0; i < system.outputs.size(); ++i) add(system.output_names[i], system.outputs[i]);
  add_uncertainties(a, r, model, system, sensitivity_options(model, OutputsAt::start), r.monte_carlo);
  a.json["status"] = "approximate";
  a.json["check"] = {{"method", "none"}, {"points", 0}, {"digits", 0}, {"worst", nullptr}, {"verdict", "untested"}};
  return a;
}

// An expression with what has a closed form put in for its integrals, sums and limits; quadrature then confirms it.
struct Evaluated {
  Expr given;   // for double precision: limits and long sums by their closed form
  Expr closed;  // for enclosures
  Unused unused = Unused::error;
};

Evaluated with_operators(const Expr& e, const std::vector<Expr>& conditions) {
  bool operators = false;
  bool limits = false;
  postorder(e, [&](const Expr& x) {
    operators = operators || x.is(Kind::integral) || x.is(Kind::reduction) || x.is(Kind::limit);
    limits = limits || x.is(Kind::limit) ||
             (x.is(Kind::reduction) && (x.operands()[3].is_constant(ConstantCode::infinity) ||
                                        !x.operands()[3].word() || *x.operands()[3].word() > 100000));
  });
  if (!operators) return {e, e};
  const Expr closed = evaluate_operators(e, conditions);
  return {limits ? closed : e, closed, Unused::allowed};
}

bool contains(const Expr& e, const std::function<bool(const Expr&)>& what) {
  bool found = false;
  postorder(e, [&](const Expr& x) { found = found || what(x); });
  return found;
}
bool openly_complex(const Expr& e, const Bindings& b) {
  const auto unit = [](const Expr& x) { return x.is_constant(ConstantCode::imaginary); };
  return contains(e, unit) || std::any_of(b.entries().begin(), b.entries().end(),
                                          [&](const Bindings::Entry& entry) { return contains(entry.value, unit); });
}

Json enclosure_check(int points, Json digits, Json worst, const char* verdict) {
  return {{"method", "ball arithmetic, rigorous"},
          {"points", points},
          {"digits", std::move(digits)},
          {"worst", std::move(worst)},
          {"verdict", verdict}};
}

Answer to_many_digits(const Evaluated& e, const Bindings& b, int digits, bool imaginary) {
  const Enclosure c = certify(e.closed, b, digits, e.unused);
  if (!imaginary && !c.imaginary.empty()) (void)evaluate(e.given, b);  // explains where the real domain is left
  Answer a;
  a.json["status"] = "approximate";
  a.json["result"] = c.to_string();
  a.json["check"] = enclosure_check(1, digits, nullptr, "agrees");
  a.text = fmt::format("  {}\ncheck: rigorous enclosure by ball arithmetic, correct to one unit of the last digit\n",
                       c.to_string());
  return a;
}

std::complex<double> in_double_precision(const Expr& e, const Bindings& b, bool& imaginary) {
  std::complex<double> v;
  try {
    v = imaginary ? evaluate_complex(e, b) : std::complex<double>(evaluate(e, b));
  } catch (const Error& error) {
    // roots of polynomials are as openly complex as the imaginary unit is
    const bool roots = contains(e, [](const Expr& x) { return is_call_of(x, "polynomial_root"); });
    if (error.kind() != ErrorKind::domain || !roots) throw;
    imaginary = true;
    v = evaluate_complex(e, b);
  }
  if (std::isfinite(v.real()) && std::isfinite(v.imag())) return v;
  throw Error(
      ErrorKind::domain,
      "the value is beyond the range of double precision, about 1.8e308; ask for --digits 15 to get it all the same");
}

// What double precision cannot hold, or has lost, is told by the enclosure.
void set_beside_enclosure(Answer& a, const EvaluateRequest& r, const Evaluated& e, const Bindings& b,
                          std::complex<double> v, bool imaginary) {
  const Enclosure c = certify(e.closed, b, 20, e.unused);
  const auto number = [](const std::string& text) { return std::strtod(text.c_str(), nullptr); };
  const bool real = c.imaginary.empty() || (!imaginary && std::abs(number(c.imaginary)) <= 2 * c.radius);
  const std::complex<double> exact(number(c.real), real ? 0.0 : number(c.imaginary));
  const bool vanishes = c.real.find_first_of("123456789") == std::string::npos &&
                        c.imaginary.find_first_of("123456789") == std::string::npos;
  const double size = std::max(std::abs(exact), std::abs(v));
  const bool below = !vanishes && exact == 0.0;
  const double plain = below ? 0 : agreeing_digits(std::abs(v - exact), size);
  a.json["check"] = enclosure_check(
      1, 15,
      {{"reference", c.to_string()}, {"double_precision", complex_text(v)}, {"digits_of_double_precision", plain}},
      "agrees");
  if (below) {
    const Enclosure rounded = certify(e.closed, b, 15, e.unused);
    a.json["result"] = rounded.to_string();
    a.text = fmt::format(
        "  {}\ncheck: rigorous enclosure, correct to the last digit shown; it is below the range of double "
        "precision, about 4.9e-324\n",
        rounded.to_string());
  } else if (plain < 12) {
    a.json["result"] = complex_text(exact);
    a.text = fmt::format("  {}\ncheck: rigorous enclosure {}\n", complex_text(exact), c.to_string());
    r.warn(
        fmt::format("double precision gives {} for this expression: {:.0f} of 16 digits are lost by cancellation, so "
                    "a numeric function made of it loses them too",
                    complex_text(v), std::ceil(16 - plain)));
  } else {
    a.text +=
        fmt::format("check: {:.0f} digits agree with a rigorous enclosure ({})\n", std::floor(plain), c.to_string());
    a.json["check"]["digits"] = plain;
  }
}

Answer answer_to(const EvaluateRequest& r) {
  if (is_model(r.inputs.at(0))) return evaluate_model(r);
  if (r.inputs.size() != 1) throw Error(ErrorKind::usage, "evaluate takes one expression");
  const Assumed assumed = assumptions_of(r);
  const Evaluated e =
      with_operators(evaluate_derivatives(read_input(r.inputs[0], assumed.context)), assumed.conditions);
  Bindings b;
  if (!r.at.empty()) {
    for (const auto& [name, value] : assignments(r.at.get(), "--at")) b.set(name, value);
  }
  bool imaginary = r.complex;
  imaginary = imaginary || openly_complex(e.given, b);
  if (r.digits.get() != 0) return to_many_digits(e, b, r.digits.get(), imaginary);
  const std::complex<double> v = in_double_precision(e.given, b, imaginary);
  Answer a;
  a.json["status"] = "approximate";
  a.json["result"] = complex_text(v);
  a.text = fmt::format("  {}\n", complex_text(v));
  try {
    set_beside_enclosure(a, r, e, b, v, imaginary);
  } catch (const Error& why) {
    if (why.kind() == ErrorKind::limit || why.kind() == ErrorKind::interrupted) throw;
    a.text += "check: untested (no rigorous enclosure at this point)\n";
    a.json["check"] = enclosure_check(0, 0, nullptr, "untested");
  }
  return a;
}

}  // namespace

Command evaluate_command() {
  return command<EvaluateRequest>("evaluate", "numbers, in double precision or to any number of certified digits",
                                  "  boreon evaluate \"sin(x)/x\" --at \"x=1/3\"\n"
                                  "  boreon evaluate \"sin(x)/x\" --at \"x=1/3\" --digits 40\n"
                                  "  boreon evaluate \"exp(1i*pi)\"\n"
                                  "  boreon evaluate model.toml\n",
                                  answer_to);
}

}  // namespace boreon::cli
