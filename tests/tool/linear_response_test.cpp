// SPDX-License-Identifier: MIT
// Models around their steady state: against transfer functions they were made from, and against their own runs.
#include "boreon/linear_response.hpp"

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <random>

#include "boreon/boreon.hpp"
#include "tool/tool.hpp"

namespace response_cases {

using namespace boreon;
using Complex = std::complex<double>;

double between(std::mt19937_64& random, double low, double high) {
  return low + (high - low) * (static_cast<double>(random() >> 11U) * 0x1.0p-53);
}

// Products of (s - root), highest power first.
std::vector<double> polynomial(const std::vector<Complex>& roots) {
  std::vector<Complex> p{1};
  for (const Complex& r : roots) {
    p.push_back(0);
    for (std::size_t k = p.size() - 1; k > 0; --k) p[k] -= r * p[k - 1];
  }
  std::vector<double> real;
  for (const Complex& c : p) real.push_back(c.real());
  return real;
}

std::vector<Complex> roots_of_a_system(std::mt19937_64& random, std::size_t n, bool left) {
  std::vector<Complex> list;
  while (list.size() < n) {
    const double size = std::pow(10.0, between(random, -1.5, 1.5));
    const double angle = between(random, left ? 1.7 : 0.3, 3.0);
    if (n - list.size() >= 2 && random() % 2 == 0) {
      list.push_back(std::polar(size, angle));
      list.push_back(std::conj(list.back()));
    } else {
      list.emplace_back(left || random() % 3 != 0 ? -size : size);
    }
  }
  return list;
}

// The nearest of a list, relative to its size.
double distance_to(const std::vector<Complex>& list, const Complex& z) {
  double best = 1e300;
  for (const Complex& w : list) best = std::min(best, std::abs(w - z) / std::max(std::abs(z), 1e-12));
  return best;
}

Expr number(double v) { return Expr(Number::exact(v)); }

}  // namespace response_cases

using namespace response_cases;

TEST_CASE("poles, zeros and gain are those a system was made from, in whatever units and mixture of states") {
  std::mt19937_64 random(4);
  for (int k = 0; k < 60; ++k) {
    CAPTURE(k);
    const std::size_t n = 1 + static_cast<std::size_t>(k) % 6;
    const std::size_t m = static_cast<std::size_t>(random() % (n + 1));
    const std::vector<Complex> poles = roots_of_a_system(random, n, true);
    const std::vector<Complex> zeros = roots_of_a_system(random, m, false);
    const double gain = between(random, 0.5, 2);
    const std::vector<double> below = polynomial(poles);
    std::vector<double> above = polynomial(zeros);
    // chain of integrals: x0' = x1, ..., the last one fed back; output from the numerator
    System s;
    s.time = Symbol("t");
    const Symbol u("u");
    s.parameters = {u};
    s.parameter_names = {"u"};
    s.parameter_values = {0.7};
    std::vector<double> scale;
    std::vector<Expr> z;
    for (std::size_t i = 0; i < n; ++i) {
      s.states.emplace_back(Symbol("x" + std::to_string(i)));
      scale.push_back(std::exp2(std::round(between(random, -20, 20))));
      z.push_back(number(scale[i]) * s.states[i]);
    }
    Expr last = u;
    for (std::size_t i = 0; i < n; ++i) last -= number(below[n - i]) * z[i];
    for (std::size_t i = 0; i < n; ++i) s.right_sides.push_back((i + 1 < n ? z[i + 1] : last) / number(scale[i]));
    const double direct = m == n ? above[0] : 0;
    while (above.size() < n + 1) above.insert(above.begin(), 0.0);
    Expr y = number(direct) * u;
    for (std::size_t i = 0; i < n; ++i) y += number(above[n - i] - direct * below[n - i]) * z[i];
    s.outputs = {number(gain) * y};
    s.output_names = {"y"};
    s.start.assign(n, 0.1);
    const LinearResponse r = linear_response(s, "y", "u");
    REQUIRE_MESSAGE(r.found, r.message);
    CHECK(r.stable);
    CHECK(r.evidence.verdict == Verdict::agrees);
    REQUIRE(r.as_quotient);
    CHECK(r.gain == doctest::Approx(gain).epsilon(1e-6));
    REQUIRE(r.poles.size() + r.hidden.size() == n);
    REQUIRE(r.zeros.size() + r.hidden.size() == m);
    for (const Complex& p : r.poles) CHECK(distance_to(poles, p) < 1e-5);
    for (const Complex& q : r.zeros) CHECK(distance_to(zeros, q) < 1e-5);
    const Complex at{0.3, 1.1};
    Complex g = gain;
    for (const Complex& q : zeros) g *= at - q;
    for (const Complex& p : poles) g /= at - p;
    CHECK(std::abs(r(at) - g) < 1e-8 * std::abs(g));
  }
}

TEST_CASE("a nonlinear model: what is hidden, what is eliminated, what does not settle") {
  // z follows at once; w is moved by nothing and seen by nobody
  const Model m = parse_model(
      "[parameters]\nq = 2\na = 0.5\n[unknowns]\nn = { start = 1, lower = 0 }\nz = 1\nw = 0.3\n[equations]\nn = \"n' = "
      "q - a*n*z\"\n"
      "z = \"z^2 = n^2 + 3*n\"\nw = \"w' = 1 - 4*w\"\n[outputs]\ny = \"n + z\"\n");
  const LinearResponse r = linear_response(rates_at_rest(m), "y", "q");
  REQUIRE_MESSAGE(r.found, r.message);
  REQUIRE(r.poles.size() == 1);
  REQUIRE(r.hidden.size() == 1);
  CHECK(r.hidden[0].real() == doctest::Approx(-4));
  const double n = r.states[0];
  const double z = std::sqrt(n * n + 3 * n);
  const double slope = (2 * n + 3) / (2 * z);
  const double pole = -0.5 * (z + n * slope);
  CHECK(r.poles[0].real() == doctest::Approx(pole).epsilon(1e-10));
  CHECK(r.at_rest == doctest::Approx(-(1 + slope) / pole).epsilon(1e-10));
  CHECK(r.evidence.verdict == Verdict::agrees);
  CHECK(r.evidence.method.find("runs after small steps") != std::string::npos);
  for (const double t : {0.1, 1.0, 5.0}) {
    CHECK(r.step(t) == doctest::Approx(r.at_rest * (1 - std::exp(pole * t))).epsilon(1e-9));
    CHECK(r.impulse(t) == doctest::Approx((1 + slope) * std::exp(pole * t)).epsilon(1e-9));
  }
  // critical damping has a double pole: the quotient, but no sum of exponentials
  const LinearResponse critical = linear_response(
      rates_at_rest(
          parse_model("[parameters]\nF = 1\n[unknowns]\nx = 0\n\"x'\" = 0\n[equations]\ne = \"x'' + 2*x' + x = F\"\n")),
      "x", "F");
  CHECK(critical.as_quotient);
  CHECK_FALSE(critical.in_closed_form());
  CHECK(critical.poles.size() == 2);
  CHECK(critical.at_rest == doctest::Approx(1));
  // an unstable steady state keeps its transfer function
  const LinearResponse unstable = linear_response(
      rates_at_rest(parse_model("[parameters]\nq = 0\n[unknowns]\nx = 0.01\n[equations]\ne = \"x' = x - x^3 + q\"\n")),
      "x", "q");
  CHECK_FALSE(unstable.stable);
  CHECK(unstable.poles[0].real() == doctest::Approx(1));
  // a parameter that does nothing
  const LinearResponse idle = linear_response(
      rates_at_rest(
          parse_model("[parameters]\nq = 1\nk = 2\n[unknowns]\nx = 1\n[equations]\ne = \"x' = q - x\"\n[outputs]\ny = "
                      "\"x\"\nz = \"k*x\"\n")),
      "y", "k");
  CHECK(idle.gain == 0);
  CHECK(idle.poles.empty());
  CHECK(idle.at_rest == 0);
  CHECK_THROWS_AS(
      (void)linear_response(steady_system(parse_model("[parameters]\nq = 1\n[unknowns]\nx = 1\n[equations]\ne = "
                                                      "\"x = q\"\n")),
                            "x", "q"),
      Error);
}

TEST_CASE("response on the command line") {
  const test::Folder folder;
  const std::string wave =
      folder.file("wave.toml",
                  "[parameters]\nw = 3\nb = 0.2\nF = 0\n[unknowns]\nx = 0\n\"x'\" = 0\n[equations]\ne = "
                  "\"x'' + 2*b*x' + w^2*x = F\"\n[outputs]\ny = \"x\"\nv = \"x'\"\n[run]\nuntil = 20\n");
  test::Output o = test::tool("response " + wave + " --of y --wrt F");
  CHECK(o.code == 0);
  for (const char* part : {"1/(s^2 + 0.4*s + 9)", "-0.2 +- 2.99333i", "by 0.111111 for each unit",
                           "strongest near omega", "stable: what is disturbed comes back", "digits"})
    CHECK_MESSAGE(o.says(part), o.text);
  CHECK(test::tool("response " + wave + " --of v --wrt F").says("transfer function: s/(s^2 + 0.4*s + 9)"));
  o = test::tool("response " + wave + " --wrt F --over 'omega from 1 to 9' --points 3 --json");
  const auto j = o.json();
  CHECK(j["frequencies"]["omega"] == nlohmann::json::array({1.0, 3.0000000000000000, 9.0}));
  for (std::size_t k = 0; k < 3; ++k) {
    const double omega = j["frequencies"]["omega"][k];
    const Complex g = 1.0 / (Complex(9 - omega * omega, 0.4 * omega));
    CHECK(j["frequencies"]["magnitude"][k].get<double>() == doctest::Approx(std::abs(g)).epsilon(1e-9));
    CHECK(j["frequencies"]["phase"][k].get<double>() ==
          doctest::Approx(std::arg(g) * 180 / std::acos(-1.0)).epsilon(1e-9));
  }
  CHECK(j["check"]["verdict"] == "agrees");
  // the step response reads back as an expression
  const double t = 1.7;
  const double step = std::stod(test::tool("evaluate '" + j["step"].get<std::string>() + "' --at t=1.7 --json")
                                    .json()["result"]
                                    .get<std::string>());
  const double root = std::sqrt(9 - 0.04);
  CHECK(step == doctest::Approx((1 - std::exp(-0.2 * t) * (std::cos(root * t) + 0.2 / root * std::sin(root * t))) / 9)
                    .epsilon(1e-5));
  CHECK(
      test::tool("response " + wave + " --wrt F --out " + (folder / "r.csv") + " --plot " + (folder / "r.png")).code ==
      0);
  CHECK(std::filesystem::file_size(folder / "r.png") > 10000);
  CHECK(test::tool("response " + wave + " --wrt F --out " + (folder / "r.csv")).code == 0);
  struct Bad {
    std::string words;
    const char* says;
  };
  for (const Bad& b :
       {Bad{wave, "--wrt q --of n"}, Bad{wave + " --wrt F,w", "--wrt q --of n"},
        Bad{wave + " --wrt G", "no parameter 'G'"}, Bad{wave + " --wrt F --of z", "no output or unknown 'z'"},
        Bad{wave + " --wrt F --over 'omega from -1 to 5'", "positive"},
        Bad{wave + " --wrt F --out " + (folder / "r.txt"), ".csv"},
        Bad{test::model("ion_chemistry.toml") + " --wrt k1", "sensitivity tells"}}) {
    CAPTURE(b.words);
    o = test::tool("response " + b.words);
    CHECK(o.code == 2);
    CHECK_MESSAGE(o.says(b.says), o.text);
  }
}
