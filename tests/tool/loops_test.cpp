// SPDX-License-Identifier: MIT
// Models whose arrays stay loops: the same rates, Jacobians and runs as written out, files of fields, and what is
// refused.
#include <doctest/doctest.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <fstream>
#include <map>
#include <random>
#include <string>
#include <vector>

#include "boreon/boreon.hpp"
#include "effort.hpp"
#include "tool/tool.hpp"

using namespace boreon;

namespace loops_of_models {

const std::string plate = R"toml(
title = "A plate"
[indices]
i = { from = 0, to = "nx - 1" }
j = { from = 1, to = "ny", periodic = true }
[parameters]
nx = 11
ny = 8
D = 0.8
wall = 310
"depth[i]" = { value = "1 + i/9 + nx/7" }
[unknowns]
"T[i, j]" = { start = "300 + 10*exp(-((i - 4)/3)^2 - ((j - 4)/2)^2)" }
"c[i, j]" = { start = "1/(1 + i + j)" }
level = { start = 2 }
[functions]
"rate(T)" = "exp(-900/T)"
[definitions]
"flow[i, j]" = "D*depth[i]*(T[i, j] - T[i-1, j])"
loss = "wall/(200 + level)"
[equations]
heat = "2*T'[i, j] = flow[i+1, j] - flow[i, j] + D*(T[i, j-1] + T[i, j+1] - 2*T[i, j]) - loss*rate(T[i, j])*c[i, j]"
cold = "T[0, j] = wall + t"
far = "T[nx-1, j] = T[nx-2, j]"
used = "c'[i, j] = -rate(T[i, j])*c[i, j] + level/100"
source = { equation = "c'[i, j] = 1 - c[i, j]*T[i, j]/300", where = "i > 2 and i < 6 and j = 3" }
tank = "level' = 1 - level + T[2, 3]/300"
[outputs]
mean = "sum(sum(T[i, j], j), i)/(nx*ny)"
"through[j]" = "flow[5, j]"
[run]
until = 2
samples = 5
)toml";

const std::string string_model = R"toml(
[indices]
i = { from = 0, to = "n" }
[parameters]
n = 20
[unknowns]
"s[i]" = { start = "sin(pi*i/n)" }
"s'[i]" = { start = "i/n" }
[equations]
inner = "s''[i] = n^2*(s[i+1] - 2*s[i] + s[i-1]) - 0.1*s'[i]"
left = "s[0] = 0"
right = "s[n] = 0"
[outputs]
energy = "sum(s'[i]^2, i from 1 to n - 1)"
[run]
until = 1
)toml";

std::vector<double> somewhere(std::size_t n) {
  std::vector<double> y(n);
  for (std::size_t k = 0; k < n; ++k) y[k] = 1.7 + std::sin(0.9 * static_cast<double>(k) + 0.2);
  return y;
}

// The rates and the Jacobian of loops beside those of the model written out, at a place away from all that is special.
void same_rates(const std::string& text) {
  CAPTURE(text);
  const FieldProblem p = parse_field_problem(text);
  const System s = time_system(parse_model(text));
  const FieldPlan plan(p.rates, p.sizes);
  REQUIRE(plan.rows() == s.states.size());
  // fields one after the other, in the order of the file: arrays and plain unknowns as they come
  std::map<std::string, std::size_t> start;
  std::vector<std::size_t> state_of(plan.rows());
  for (std::size_t u = 0; u < p.rates.unknowns.size(); ++u) {
    const std::string& name = p.rates.unknowns[u].name;
    std::size_t at = plan.start(u);
    for (std::size_t k = 0; k < s.state_names.size(); ++k) {
      const std::string& own = s.state_names[k];
      if (own == name || own.starts_with(name + "[")) state_of[at++] = k;
    }
  }
  const std::vector<double> y = somewhere(plan.rows());
  std::vector<double> written(y.size());
  for (std::size_t k = 0; k < y.size(); ++k) written[state_of[k]] = y[k];
  const std::vector<InputGroup> inputs{{"y", s.states}, {"p", s.parameters}, {"t", {s.time}}};
  const double t = 0.7;
  const std::vector<double> f =
      compile({OutputGroup("f", s.right_sides)}, inputs).evaluate({written, s.parameter_values, {t}})[0];
  std::vector<double> mine(plan.rows());
  FieldKernel(plan, FieldOutput::values, executors(true))(y, p.parameters, t, mine);
  for (std::size_t k = 0; k < mine.size(); ++k) CHECK(mine[k] == doctest::Approx(f[state_of[k]]).epsilon(1e-11));
  const SparseMatrix j = sparse_jacobian(s.right_sides, s.states);
  const std::vector<double> entries =
      compile({OutputGroup("j", j)}, inputs).evaluate({written, s.parameter_values, {t}})[0];
  std::vector<double> values(plan.nonzeros());
  FieldKernel(plan, FieldOutput::jacobian, executors(true))(y, p.parameters, t, values);
  const SparsityPattern pattern = plan.pattern();
  for (std::size_t r = 0; r < plan.rows(); ++r) {
    std::map<std::size_t, double> theirs;
    j.pattern.each(state_of[r], [&](std::size_t k, std::size_t c) { theirs[c] = entries[k]; });
    // an entry that one of them does not have is zero in the other: a place may make a factor zero
    pattern.each(r, [&](std::size_t k, std::size_t c) {
      CHECK(values[k] == doctest::Approx(theirs[state_of[c]]).epsilon(1e-10));
      theirs.erase(state_of[c]);
    });
    for (const auto& [column, entry] : theirs) CHECK(entry == 0);
  }
  // starts, before the algebraic ones are made to fit
  const std::vector<double> begin = start_of(p);
  for (std::size_t k = 0; k < begin.size(); ++k)
    CHECK(begin[k] == doctest::Approx(s.start[state_of[k]]).epsilon(1e-13));
}

TEST_CASE("rates and Jacobians of loops are those of the model written out") {
  same_rates(plate);
  CHECK(check_field_jacobian(parse_field_problem(plate)).verdict == Verdict::agrees);
}

// Models of one to three indices: rings and walls, definitions, functions, long and short sums, places of their own.
class RandomModel {
 public:
  explicit RandomModel(std::uint64_t seed) : engine_(seed) {}

  std::string text() {
    const auto rank = static_cast<std::size_t>(whole(1, 3));
    std::string t = "title = \"random\"\n[indices]\nm = { from = 0, to = 3 }\n";
    std::string sizes;
    for (std::size_t k = 0; k < rank; ++k) {
      const std::string i(1, static_cast<char>('i' + k));
      names_.push_back(i);
      rings_.push_back(whole(0, 2) > 0);
      t += i + " = { from = 0, to = \"n" + i + " - 1\"" + (rings_.back() ? ", periodic = true" : "") + " }\n";
      sizes += "n" + i + " = " + std::to_string(whole(4, rank == 1 ? 90 : rank == 2 ? 9 : 5)) + "\n";
    }
    const std::string all = place(false);
    t += "[parameters]\n" + sizes + "a = 0.7\n\"w" + all + "\" = { value = \"1 + sin(i) + " + names_.back() +
         "/7\" }\n[unknowns]\n\"u" + all + "\" = { start = \"1 + cos(i)/3\" }\n\"v" + all +
         "\" = 0.5\nz = { start = 0.4 }\n[functions]\n\"f(x)\" = \"x/(1 + x^2)\"\n[definitions]\ntotal = \"z*a + "
         "1\"\n\"g" +
         all + "\" = \"u" + all + "*a - v" + all + "^2/5\"\n[equations]\n";
    t += "eu = \"u'" + all + " = " + body(2) + " - u" + all + "\"\n";
    t += "ev = \"(1 + a)*v'" + all + " = " + body(2) + " - v" + all + "\"\n";
    for (std::size_t k = 0; k < rank; ++k) {
      if (rings_[k]) continue;
      const std::string kept = names_[k];
      for (const std::string& end : {std::string("0"), "n" + kept + "-1"}) {
        if (whole(0, 2) == 0) continue;
        names_[k] = end;
        const std::string wall = place(false);
        t += "\"wall " + kept + end + "\" = \"" +
             (whole(0, 1) == 0 ? "u" + wall + "^2 + u" + wall + " = 1 + v" + wall
                               : "u'" + wall + " = sin(t) - u" + wall) +
             "\"\n";
        names_[k] = kept;
      }
      break;  // where two walls meet a corner would need an equation of its own
    }
    if (whole(0, 1) == 0)
      t += "source = { equation = \"v'" + all + " = 0.3 - v" + all + "\", where = \"i > 1 and i < 4\" }\n";
    names_.assign(rank, "1");
    t += "ez = \"z' = cos(t) - z^3 + u" + place(false) + "/9\"\n";
    return t;
  }

 private:
  std::int64_t whole(std::int64_t from, std::int64_t to) {
    return std::uniform_int_distribution<std::int64_t>(from, to)(engine_);
  }
  std::string place(bool shifted) {
    std::string t = "[";
    for (std::size_t k = 0; k < names_.size(); ++k) {
      const std::int64_t by = shifted && rings_[k] ? whole(-2, 2) : 0;
      t += (k == 0 ? "" : ", ") + names_[k] + (by == 0 ? "" : by < 0 ? std::to_string(by) : "+" + std::to_string(by));
    }
    return t + "]";
  }
  std::string term() {
    switch (whole(0, 8)) {
      case 0: return "a";
      case 1: return names_.back() + "/9";
      case 2: return "t/5";
      case 3: return "total";
      case 4: return "g" + place(true);
      case 5: return "w" + place(false);
      case 6: return "f(u" + place(false) + ")";
      case 7: return "v" + place(true);
      default: return "u" + place(true);
    }
  }
  std::string body(int depth) {
    if (depth == 0) return term();
    const std::string x = body(depth - 1);
    const std::string y = body(depth - 1);
    std::string rest;
    for (std::size_t k = 1; k < names_.size(); ++k) rest += ", " + names_[k];
    switch (whole(0, 7)) {
      case 0: return "(" + x + " - " + y + "/2)";
      case 1: return "(" + x + ")*(" + y + ")/4";
      case 2: return "sin(" + x + ")*" + y;
      case 3: return "exp(-(" + x + ")^2/8)";
      case 4: return "(" + x + ")/(3 + (" + y + ")^2)";
      case 5: return "piecewise(" + x + " if i > 2, " + y + " otherwise)";
      case 6: return "sum(w[m" + rest + "]*m, m)/9*(" + x + ")";
      default: return "(" + x + " + sum(w[i" + rest + "], i)/20)";
    }
  }
  std::mt19937_64 engine_;
  std::vector<std::string> names_;
  std::vector<bool> rings_;
};

TEST_CASE("random models in loops are what they are written out") {
  const int cases = test::cases(25, 200, 8);
  for (int n = 0; n < cases; ++n) same_rates(RandomModel(static_cast<std::uint64_t>(n) + 1).text());
}

TEST_CASE("runs in loops end where those written out do, also of second order in time") {
  for (const std::string& text : {plate, string_model}) {
    const FieldProblem p = parse_field_problem(text);
    FieldRunOptions o;
    o.relative_tolerance = 1e-10;
    o.threads = 2;
    const FieldRun run = run_fields(p, o);
    REQUIRE(run.completed);
    const Model m = parse_model(text);
    TimeOptions t;
    t.until = m.run.until.value();
    t.samples = 3;
    t.relative_tolerance = 1e-10;
    const TimeResult other = step_in_time(time_system(m), t);
    REQUIRE(other.completed);
    const System s = time_system(m);
    for (std::size_t k = 0; k < s.output_names.size(); ++k) {
      if (s.output_names[k].find('[') != std::string::npos) continue;
      CAPTURE(s.output_names[k]);
      CHECK(run.outputs[0] == doctest::Approx(other.outputs.back()[k]).epsilon(1e-5));
    }
    double least = 1e300;
    for (std::size_t k = 0; k < s.state_names.size(); ++k) {
      if (s.state_names[k].starts_with(p.rates.unknowns[0].name + "[")) least = std::min(least, other.states.back()[k]);
    }
    CHECK(run.summaries.back()[0].least == doctest::Approx(least).epsilon(1e-4));
  }
}

TEST_CASE("large grids: GMRES with and without factors, and what does not depend on the size") {
  const std::string text =
      "[indices]\ni = { from = 0, to = \"n - 1\", periodic = true }\nj = { from = 0, to = \"n - "
      "1\", periodic = true }\n[parameters]\nn = 8\nD = 30\n[unknowns]\n\"u[i, j]\" = { start = "
      "\"1 + cos(2*pi*i/n)\" }\n[equations]\nheat = \"u'[i, j] = D*(u[i+1, j] + u[i-1, j] + u[i, "
      "j+1] + u[i, j-1] - 4*u[i, j])\"\n[outputs]\ntotal = \"sum(sum(u[i, j], j), "
      "i)/n^2\"\n[run]\nuntil = 20\nsamples = 2\n";
  const FieldProblem p = parse_field_problem(text, "model", {{"n", 180}});
  const FieldRun run = run_fields(p);
  REQUIRE(run.completed);
  CHECK(run.linear_solver.find("GMRES with incomplete factors") != std::string::npos);
  CHECK(run.outputs[0] == doctest::Approx(1).epsilon(1e-7));
  // the wave decays at the rate of the differences
  const double rate = 30 * (2 - 2 * std::cos(2 * 3.14159265358979 / 180));
  CHECK(run.summaries.back()[0].greatest == doctest::Approx(1 + std::exp(-20 * rate)).epsilon(1e-5));
  const FieldProblem huge = parse_field_problem(text, "model", {{"n", 1'000'000}});
  const FieldPlan plan(huge.rates, huge.sizes);
  CHECK(plan.boxes().size() == 9);
  CHECK(plan.nonzeros() == std::size_t{5} * 1'000'000 * 1'000'000);
}

TEST_CASE("simulate, show and check --loops, and the files they write") {
  const test::Folder folder;
  const std::string file = folder.file("plate.toml", plate);
  const test::Output r = test::tool("simulate " + file + " --loops --threads 2 --json --save T=" + (folder / "T.npy") +
                                    " --save " + (folder / "all.vti") + " --out " + (folder / "run.csv"));
  CHECK(r.code == 0);
  const auto json = r.json();
  CHECK(json["values"]["T"]["shape"] == nlohmann::json({11, 8}));
  CHECK(json["check"]["verdict"] == "agrees");
  CHECK(json["outputs"]["mean"].get<double>() > 300);
  const NumberArray saved = read_npy(folder / "T.npy");
  CHECK(saved.shape == std::vector<std::size_t>{11, 8});
  CHECK(*std::max_element(saved.values.begin(), saved.values.end()) ==
        doctest::Approx(json["values"]["T"]["greatest"].get<double>()));
  std::ifstream vti(folder / "all.vti");
  const std::string image{std::istreambuf_iterator<char>(vti), {}};
  CHECK(image.find("WholeExtent=\"0 10 0 7 0 0\"") != std::string::npos);
  CHECK(image.find("Name=\"c\"") != std::string::npos);
  std::ifstream csv(folder / "run.csv");
  std::string head;
  std::getline(csv, head);
  CHECK(head == "t,T least,T greatest,c least,c greatest,level,mean,through least,through greatest");
  const test::Output shown = test::tool("show " + file + " --loops");
  CHECK(shown.says("T'[i, j] = "));
  CHECK(shown.says("by T[i - 1, j]: "));
  CHECK(shown.says("at most 7 in a row"));
  CHECK(test::tool("check " + file + " --loops").says("agrees"));
  // where a field that was saved begins again
  const std::string again =
      folder.file("again.toml",
                  "[indices]\ni = { from = 0, to = 10 }\nj = { from = 1, to = 8 }\n[parameters]\n\"T0[i, j]\" = { "
                  "file = \"T.npy\" }\n[unknowns]\n\"T[i, j]\" = { start = \"T0[i, j]\" }\n[equations]\nkept = "
                  "\"T'[i, j] = 0\"\n[run]\nuntil = 1\n");
  for (const char* how : {" --loops", ""}) {
    const auto kept = test::tool("simulate " + again + " --json" + how).json();
    const double greatest = how[0] == ' ' ? kept["values"]["T"]["greatest"].get<double>() : saved.values[0];
    CHECK(greatest >= saved.values[0]);
    CHECK(greatest == doctest::Approx(how[0] == ' ' ? json["values"]["T"]["greatest"].get<double>()
                                                    : kept["values"]["T[0, 1]"].get<double>()));
  }
}

TEST_CASE("what loops cannot do is refused with the reason, and options without loops too") {
  const test::Folder folder;
  const std::string file = folder.file("plate.toml", plate);
  struct Row {
    std::string arguments;
    const char* message;
  };
  const std::string ring =
      "[indices]\ni = { from = 0, to = 9, periodic = true }\n[unknowns]\n\"u[i]\" = 1\n[equations]\n";
  const std::string until = "[run]\nuntil = 1\n";
  const Row rows[] = {
      {file + " --threads 2", "--threads"},
      {file + " --save T=a.npy", "--save"},
      {file + " --loops --method adams", "--method"},
      {file + " --loops --save T=a.csv", "one field is written as .npy"},
      {file + " --loops --save Q=a.npy", "no unknown or output 'Q'"},
      {file + " --loops --show Q --plot " + (folder / "a.png"), "no unknown or output 'Q'"},
      {file + " --loops --set nx=11,nz=3", "no parameter 'nz'"},
      {"\"x^2\" --loops", "model file"},
      {folder.file("a.toml", ring + "e = \"u'[i] + u'[i+1] = u[i]\"\n" + until) + " --loops",
       "rates of several elements"},
      {folder.file("b.toml", ring + "e = \"u'[i]^2 = u[i]\"\n" + until) + " --loops", "not linear in its rate"},
      {folder.file("c.toml", ring + "e = \"u[i] = 1\"\n" + until) + " --loops", "nothing to step in time"},
      {folder.file("d.toml",
                   ring + "e = \"u'[i] = -u[i]\"\n[outputs]\nq = \"integral(u[3], t from 0 to t)\"\n" + until) +
           " --loops",
       "integral over unknowns"},
      {folder.file("e.toml", ring + "e = { equation = \"u'[i] = -u[i]\", where = \"i > 3\" }\n" + until) + " --loops",
       "u[0 .. 3] has no equation"},
      {folder.file("f.toml", ring + "e = \"u'''[i] = -u[i]\"\n" + until) + " --loops", "higher order than the second"},
      {folder.file("g.toml", ring + "e = \"u'[i] = sqrt(-u[i])\"\n" + until) + " --loops",
       "no finite value at the start"}};
  for (const Row& r : rows) {
    CAPTURE(r.arguments);
    const test::Output o = test::tool("simulate " + r.arguments);
    CHECK(o.code != 0);
    CAPTURE(o.text);
    CHECK(o.says(r.message));
  }
}

TEST_CASE("bounds end a run, and starts lie within them") {
  const std::string text =
      "[indices]\ni = { from = 0, to = 9 }\n[unknowns]\n\"u[i]\" = { start = \"i\", lower = 1, upper "
      "= 20 }\n[equations]\ne = \"u'[i] = i\"\n[run]\nuntil = 5\nsamples = 11\n";
  const FieldProblem p = parse_field_problem(text);
  CHECK(start_of(p)[0] == 1);
  const FieldRun run = run_fields(p);
  CHECK_FALSE(run.completed);
  CHECK(run.message.find("u is beyond its upper bound 20") != std::string::npos);
}

std::string npy(const std::string& type, const std::string& order, const std::string& shape, const std::string& bytes) {
  std::string head = "{'descr': '" + type + "', 'fortran_order': " + order + ", 'shape': " + shape + ", }\n";
  std::string all("\x93NUMPY\x01\x00", 8);
  all += static_cast<char>(head.size());
  all += '\0';
  return all + head + bytes;
}

TEST_CASE("arrays in .npy files: kinds of numbers, orders, and files that are broken") {
  const std::vector<double> values{1.5, -2, 3e300, 0, 5, 6};
  const std::vector<std::size_t> shape{2, 3};
  const NumberArray back = npy_array(npy_bytes(shape, values), "a.npy");
  CHECK(back.shape == shape);
  CHECK(back.values == values);
  const std::string shorts("\x01\x00\x02\x00\x03\x00\x04\x00\x05\x00\xff\xff", 12);
  CHECK(npy_array(npy("<i2", "False", "(2, 3)", shorts), "a").values == std::vector<double>{1, 2, 3, 4, 5, -1});
  CHECK(npy_array(npy("<u2", "True", "(2, 3)", shorts), "a").values == std::vector<double>{1, 3, 5, 2, 4, 65535});
  CHECK(npy_array(npy(">i2", "False", "(6,)", shorts), "a").values[1] == 512);
  CHECK(npy_array(npy("<f4", "False", "(1,)", std::string("\x00\x00\x20\x40", 4)), "a").values[0] == 2.5);
  CHECK(npy_array(npy("|u1", "False", "()", "\x07"), "a").values[0] == 7);
  for (const std::string& broken :
       {std::string("numbers"), npy("<f8", "False", "(2,)", "short"),
        npy("<c16", "False", "(1,)", std::string(16, ' ')), npy("<f8", "False", "(99999999999, 99999999999)", ""),
        npy("<f8", "False", "(1", ""), std::string("\x93NUMPY\x09\x00\x00\x00", 10),
        std::string("\x93NUMPY\x01\x00\xff\xff{", 11)})
    CHECK_THROWS_AS((void)npy_array(broken, "a.npy"), Error);
  CHECK_THROWS_AS((void)npy_bytes(shape, std::vector<double>(5)), Error);
  CHECK_THROWS_AS((void)read_npy("/nowhere/at/all.npy"), Error);
  const test::Folder folder;
  (void)folder.file("T.npy", npy_bytes(shape, values));
  const std::string model = folder.file("m.toml",
                                        "[indices]\ni = { from = 0, to = 2 }\n[parameters]\n\"a[i]\" = { file = "
                                        "\"T.npy\" }\n[outputs]\ns = \"sum(a[i], i)\"\n");
  CHECK(test::tool("evaluate " + model).says("a has the shape 3, the array in 'T.npy' 2 x 3"));
}

}  // namespace loops_of_models
