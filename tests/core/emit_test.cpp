// SPDX-License-Identifier: MIT
// Emitted source: it compiles in strict C99 and C++, alone and together, whatever is in it.
#include <doctest/doctest.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <fstream>

#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/program.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"
#include "core/numbered.hpp"

using namespace boreon;

namespace {

struct Workshop {
  std::filesystem::path folder = std::filesystem::temp_directory_path() / ("boreon-emit-" + std::to_string(::getpid()));
  Workshop() { std::filesystem::create_directories(folder); }
  ~Workshop() { std::filesystem::remove_all(folder); }
  Workshop(const Workshop&) = delete;
  Workshop& operator=(const Workshop&) = delete;

  void put(const std::string& name, const std::string& text) const { std::ofstream(folder / name) << text; }
  void put(const EmittedSource& s) const {
    put(s.header_name, s.header);
    put(s.source_name, s.source);
    if (!s.template_name.empty()) put(s.template_name, s.template_text);
  }
  // Exit code of a program made of the given files.
  [[nodiscard]] int run(const std::string& compiler, const std::string& files) const {
    const std::string command = "cd " + folder.string() + " && " + compiler +
                                " -Wall -Wextra -Wpedantic -Wconversion -Werror -O1 -ffp-contract=off " + files +
                                " -lm -o program && ./program";
    return std::system(command.c_str());
  }
};

// A main program that calls the emitted function on `inputs` and compares bit for bit.
std::string main_program(const Kernel& k, const std::string& name, const std::vector<std::vector<double>>& inputs,
                         bool cpp) {
  const auto expected = k.evaluate(inputs);
  std::string text = "#include \"" + name + (cpp ? ".hpp" : ".h") + "\"\n#include <math.h>\nint main(void) {\n";
  std::string args;
  const auto array = [](const std::vector<double>& v) {
    std::string s;
    char buffer[40];
    for (const double x : v) {
      std::snprintf(buffer, sizeof buffer, "%.17g", x);
      s += (s.empty() ? "" : ", ") + (std::isnan(x)   ? std::string("NAN")
                                      : std::isinf(x) ? std::string(x > 0 ? "INFINITY" : "-INFINITY")
                                                      : std::string(buffer));
    }
    return s.empty() ? std::string("0") : s;
  };
  for (std::size_t g = 0; g < inputs.size(); ++g) {
    text += "  const double in" + std::to_string(g) + "[] = {" + array(inputs[g]) + "};\n";
    args += (args.empty() ? "in" : ", in") + std::to_string(g);
  }
  for (std::size_t g = 0; g < expected.size(); ++g) {
    text += "  const double expected" + std::to_string(g) + "[] = {" + array(expected[g]) + "};\n  double out" +
            std::to_string(g) + "[" + std::to_string(expected[g].size() + 1) + "] = {0};\n";
    args += (args.empty() ? "out" : ", out") + std::to_string(g);
  }
  text += std::string("  ") + (cpp ? name + "::evaluate" : name) + "(" + args + ");\n";
  for (std::size_t g = 0; g < expected.size(); ++g) {
    text += "  for (int i = 0; i < " + std::to_string(expected[g].size()) + "; ++i) {\n    if (!(out" +
            std::to_string(g) + "[i] == expected" + std::to_string(g) + "[i]) && !(isnan(out" + std::to_string(g) +
            "[i]) && isnan(expected" + std::to_string(g) + "[i]))) return 1 + i;\n  }\n";
  }
  // The batch function on the same point many times, more than fit one block.
  text += "  enum { copies = 67 };\n";
  std::string many = "copies";
  const auto declare = [&](const std::string& batch, std::size_t size) {
    text += "  static double " + batch + "[" + std::to_string(std::max<std::size_t>(1, size)) + "*copies];\n";
    many += ", " + batch;
  };
  for (std::size_t g = 0; g < inputs.size(); ++g) {
    const std::string n = std::to_string(g);
    declare("many_in" + n, inputs[g].size());
    text += "  for (int i = 0; i < " + std::to_string(inputs[g].size()) + "*copies; ++i) many_in" + n + "[i] = in" + n +
            "[i/copies];\n";
  }
  for (std::size_t g = 0; g < expected.size(); ++g) declare("many_out" + std::to_string(g), expected[g].size());
  text += std::string("  ") + (cpp ? name + "::evaluate_many" : name + "_many") + "(" + many + ");\n";
  for (std::size_t g = 0; g < expected.size(); ++g) {
    const std::string got = "many_out" + std::to_string(g) + "[i]";
    const std::string want = "expected" + std::to_string(g) + "[i/copies]";
    text += "  for (int i = 0; i < " + std::to_string(expected[g].size()) + "*copies; ++i) {\n    if (!(" + got +
            " == " + want + ") && !(isnan(" + got + ") && isnan(" + want + "))) return 100;\n  }\n";
  }
  return text + "  return 0;\n}\n";
}

}  // namespace

TEST_CASE("conditions, constants, not-a-numbers, empty groups, repeated outputs") {
  const Workshop shop;
  const Symbol x("x"), y("y");
  const std::vector<Expr> outputs{parse("piecewise(x if x < y, y^2 if x = y, 3 otherwise)"),
                                  parse("piecewise(1 if x > 0 and y > 0 or not (x < -1), 0 otherwise)"),
                                  parse("piecewise(x if x != 1)"),
                                  parse("sign(x) + heaviside(y - 1) + dirac_delta(x - 7)"),
                                  parse("pi*egamma + sqrt(2)"),
                                  x,
                                  7,
                                  parse("infinity"),
                                  parse("x*y"),
                                  parse("x*y"),
                                  parse("-x"),
                                  parse("4.2e-13*x/y"),
                                  parse("log(x)*sqrt(y)"),
                                  parse("sin(x*y)*cos(x*y)"),
                                  parse("min(x, y, 1/2) - max(x, 2*y)")};
  const Kernel k = compile({OutputGroup("out", outputs), OutputGroup("none", std::vector<Expr>{})},
                           {{"v", {x, y}}, {"idle", {Symbol("k")}}});
  for (const bool cpp : {false, true}) {
    const std::string name = cpp ? "things_cpp" : "things_c";
    shop.put(emit(k.program(), {cpp ? Language::cpp : Language::c, name, "title with */ a trap\nand a line"}));
    for (const auto& at : std::vector<std::vector<double>>{{1, 1}, {0.5, 2}, {-3, 0.25}, {7, -2}, {2, 0}}) {
      shop.put(std::string("main") + (cpp ? ".cpp" : ".c"), main_program(k, name, {at, {5}}, cpp));
      CHECK(shop.run(cpp ? "g++ -std=c++17" : "gcc -std=c99", name + (cpp ? ".cpp main.cpp" : ".c main.c")) == 0);
    }
  }
}

TEST_CASE("two functions in one program, a C header used from C++, names that could clash") {
  const Workshop shop;
  const Symbol v1("v1"), w("w");
  const Kernel a = compile({OutputGroup("v1", {v1 * sin(v1) + exp(v1) * sin(v1)})}, {{"w2", {v1}}});
  const Kernel b = compile({OutputGroup("value_1", {w * w})}, {{"v_in", {w}}});
  shop.put(emit(a.program(), {Language::c, "first", ""}));
  shop.put(emit(b.program(), {Language::c, "second", ""}));
  shop.put("both.cpp",
           "#include \"first.h\"\n#include \"second.h\"\nint main() {\n  const double x[] = {3};\n  double y[1];\n  "
           "double z[1];\n  first(x, y);\n  second(x, z);\n  return z[0] "
           "== 9 ? 0 : 1;\n}\n");
  CHECK(shop.run("gcc -std=c99 -c first.c second.c && g++ -std=c++17", "both.cpp first.o second.o") == 0);
  CHECK_THROWS_AS((void)emit(compile({OutputGroup("same", {w})}, {{"same", {w}}}).program()), Error);
  CHECK_THROWS_AS((void)emit(compile({OutputGroup("not a name", {w})}, {{"w", {w}}}).program()), Error);
}

TEST_CASE("every name of a source or an array compiles, or is refused with the reason") {
  const Workshop shop;
  const auto names = {"int",    "class",    "restrict", "typeof", "exp",   "exp2",   "expf",    "log2",   "gamma",
                      "y0",     "j1",       "printf",   "puts",   "main",  "std",    "Eigen",   "Scalar", "values",
                      "Values", "evaluate", "any",      "NAN",    "EOF",   "M_PI",   "_a",      "a__b",   "free",
                      "malloc", "errno",    "abs",      "row",    "point", "points", "v",       "first",  "end",
                      "size",   "f_size",   "block",    "stride", "once",  "differ", "linux",   "unix",   "time",
                      "index",  "bad",      "kernel",   "f",      "g",     "bool",   "complex", "I",      "isnan",
                      "test",   "sqrt",     "erf"};
  int refused = 0;
  const auto input = [](const std::string& name) {
    const Symbol a("a"), b("b");
    return make_program(std::vector<OutputGroup>{{"out", {exp(a) * pow(b, 2) + sqrt(a) + erf(b)}}},
                        std::vector<InputGroup>{{name, {a, b}}});
  };
  for (const bool cpp : {false, true}) {
    const std::string end = cpp ? ".cpp" : ".c";
    std::string all;
    for (const std::string name : names) {
      for (const bool array : {false, true}) {
        CAPTURE(name);
        const std::string source = array ? "with_" + name : name;
        try {
          shop.put(emit(input(array ? name : "in"), {cpp ? Language::cpp : Language::c, source, ""}));
          all += "#include \"" + source + end + "\"\n";
        } catch (const Error& e) {
          CHECK(e.kind() == ErrorKind::name);
          CHECK(e.message().find(name) != std::string::npos);
          ++refused;
        }
      }
    }
    shop.put("all" + end, all + "int main(void) { return 0; }\n");
    CHECK(shop.run(cpp ? "g++ -std=c++17" : "gcc -std=c99 -D_GNU_SOURCE", "all" + end) == 0);
  }
  CHECK(refused > 60);
  CHECK(refused < 130);
}

TEST_CASE("loops over rows in C and C++: one point and batches, bit for bit what the Kernel computes") {
  const Workshop shop;
  constexpr int n = 150;
  const std::vector<Expr> y = test::numbered("y", n);
  const Symbol d("D");
  const Symbol k("k");
  std::vector<Expr> f;
  for (std::size_t i = 0; i < n; ++i) {
    const std::size_t at = i * i * 11 % n;  // found through tables
    f.push_back(d * (y[(at + 1) % n] + y[(at + n - 1) % n] - 2 * y[at]) - exp(k) * y[at] * y[at] / (1 + k * k));
  }
  const Program p = make_program(std::vector<OutputGroup>{{"f", f}, {"j", sparse_jacobian(f, y)}},
                                 std::vector<InputGroup>{{"y", y}, {"p", {d, k}}});
  REQUIRE(!p.loops.empty());
  REQUIRE(!p.scratch.empty());
  std::vector<double> at(n);
  for (std::size_t i = 0; i < n; ++i) at[i] = std::sin(static_cast<double>(i));
  const std::vector<std::vector<double>> inputs{at, {0.3, 0.7}};
  const Kernel kernel(p);
  shop.put(emit(p, {.language = Language::c, .name = "rows_c"}));
  shop.put("main.c", main_program(kernel, "rows_c", inputs, false));
  CHECK(shop.run("gcc -std=c99", "rows_c.c main.c") == 0);
  shop.put(emit(p, {.language = Language::cpp, .name = "rows_cpp"}));
  shop.put("main.cpp", main_program(kernel, "rows_cpp", inputs, true));
  CHECK(shop.run("g++ -std=c++17", "rows_cpp.cpp main.cpp") == 0);
  // loops that read what others have written: products with derivatives, with little and with much to keep
  std::vector<double> weights(n);
  for (std::size_t i = 0; i < n; ++i) weights[i] = std::cos(2 * static_cast<double>(i));
  const Program q = make_program(std::vector<OutputGroup>{{"f", f}}, std::vector<InputGroup>{{"y", y}, {"p", {d, k}}});
  for (const std::string& by : {std::string("y"), std::string("p")}) {
    const Program product = hessian_vector(q, "f", by);
    REQUIRE(product.written_scratch > 0);
    const std::vector<std::vector<double>> places{
        at, {0.3, 0.7}, weights, by == "y" ? weights : std::vector<double>{1, -2}};
    const Kernel expected(product);
    shop.put(emit(product, {.language = Language::c, .name = "product_" + by}));
    shop.put("main.c", main_program(expected, "product_" + by, places, false));
    CHECK(shop.run("gcc -std=c99", "product_" + by + ".c main.c") == 0);
    shop.put(emit(product, {.language = Language::cpp, .name = "cpp_" + by}));
    shop.put("main.cpp", main_program(expected, "cpp_" + by, places, true));
    CHECK(shop.run("g++ -std=c++17", "cpp_" + by + ".cpp main.cpp") == 0);
  }
}

TEST_CASE("the sparse pattern in the header is that of the matrix") {
  const Workshop shop;
  const std::vector<Expr> n = test::numbered("n", 30);
  std::vector<Expr> f;
  for (std::size_t i = 0; i < n.size(); ++i) f.push_back(n[i] * n[(i + 1) % 30] - exp(-n[(i + 29) % 30]));
  const SparseMatrix j = sparse_jacobian(f, n);
  const Kernel k = compile({OutputGroup("f", f), OutputGroup("jac", j)}, {{"n", n}});
  shop.put(emit(k.program(), {Language::cpp, "ring", ""}));
  std::string text = "#include \"ring.hpp\"\nint main() {\n  static const int start[] = {";
  for (const auto s : j.pattern.row_start) text += std::to_string(s) + ", ";
  text += "};\n  static const int column[] = {";
  for (const auto c : j.pattern.columns) text += std::to_string(c) + ", ";
  text += "};\n  for (int i = 0; i <= 30; ++i) {\n    if (start[i] != ring::jac_row_start[i]) return 1;\n  }\n";
  text +=
      "  for (int i = 0; i < ring::jac_size; ++i) {\n    if (column[i] != ring::jac_columns[i]) return 2;\n  }\n  "
      "return ring::n_size == 30 && ring::f_size == 30 ? 0 : 3;\n}\n";
  shop.put("main.cpp", text);
  CHECK(shop.run("g++ -std=c++17", "ring.cpp main.cpp") == 0);
}
