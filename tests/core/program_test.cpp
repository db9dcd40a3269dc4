// SPDX-License-Identifier: MIT
// Numeric functions: interpreter and emitted source against direct evaluation.
#include <dlfcn.h>
#include <doctest/doctest.h>
#include <unistd.h>

#include <cmath>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <thread>

#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/program.hpp"
#include "boreon/text.hpp"
#include "core/random_expression.hpp"

using namespace boreon;

namespace {

// Emitted source, compiled by the system compiler and loaded.
class Compiled {
 public:
  Compiled(const Program& program, Language language, const std::string& name) {
    folder_ = std::filesystem::temp_directory_path() / ("boreon-test-" + std::to_string(::getpid()) + "-" + name);
    std::filesystem::create_directories(folder_);
    const EmittedSource s = emit(program, {language, name, "a test"});
    std::ofstream(folder_ / s.header_name) << s.header;
    std::ofstream(folder_ / s.source_name) << s.source;
    if (!s.template_name.empty()) std::ofstream(folder_ / s.template_name) << s.template_text;
    const std::string strict = "-O2 -ffp-contract=off -fPIC -shared -Wall -Wextra -Wpedantic -Werror ";
    const std::string compiler = language == Language::c ? "gcc -std=c99 " : "g++ -std=c++17 ";
    const std::string library = (folder_ / "lib.so").string();
    const std::string command = compiler + strict + (folder_ / s.source_name).string() + " -o " + library + " -lm";
    REQUIRE(std::system(command.c_str()) == 0);
    handle_ = ::dlopen(library.c_str(), RTLD_NOW);
    REQUIRE(handle_ != nullptr);
    const std::string symbol =
        language == Language::c ? name : "_ZN" + std::to_string(name.size()) + name + "8evaluateEPKdPd";
    function_ = reinterpret_cast<void (*)(const double*, double*)>(::dlsym(handle_, symbol.c_str()));
    REQUIRE((function_ != nullptr));
  }
  ~Compiled() {
    ::dlclose(handle_);
    std::filesystem::remove_all(folder_);
  }
  Compiled(const Compiled&) = delete;
  Compiled& operator=(const Compiled&) = delete;
  void operator()(const double* in, double* out) const { function_(in, out); }

 private:
  std::filesystem::path folder_;
  void* handle_ = nullptr;
  void (*function_)(const double*, double*) = nullptr;
};

bool same(double a, double b) {
  if (std::isnan(a) && std::isnan(b)) return true;
  return a == b || std::nextafter(a, b) == b;  // the last bit may differ
}

// A made-up chemistry of 20 species in a ring of two-body reactions.
std::vector<Expr> chemistry(const std::vector<Expr>& n, const std::vector<Expr>& k) {
  std::vector<Expr> rate(n.size());
  for (std::size_t i = 0; i < n.size(); ++i) {
    const std::size_t a = (i + 1) % n.size();
    const std::size_t b = (7 * i + 3) % n.size();
    const Expr r = k[i] * exp(-(Expr(100) + 3 * Expr(i)) / (300 + n[0])) * n[i] * n[a] / (1 + n[b]);
    rate[i] -= r;
    rate[a] -= r;
    rate[b] += 2 * r;
  }
  return rate;
}

}  // namespace

TEST_CASE("random expressions: kernel, direct evaluation, emitted C and C++ agree") {
  const auto s = Symbol::list("x y z");
  const std::vector<Expr> v(s.begin(), s.end());
  test::RandomExpression random(31, v, false);
  std::vector<Expr> outputs;
  for (int i = 0; i < 200; ++i) outputs.push_back(random(3 + i % 20));
  outputs.push_back(sign(v[0]) * heaviside(v[1]) + min(v[0], v[1], v[2]) + hypot(v[0], v[1], v[2]) + round(v[0]) +
                    fmod(v[0], 2 + abs(v[1])));
  outputs.push_back(sin(v[0]) * cos(v[0]) + pow(abs(v[1]), Expr(5) / 2) + pow(2 + abs(v[0]), v[1]) + cbrt(v[2]) +
                    atan2(v[0], v[1]));
  const Kernel kernel = compile({OutputGroup("out", outputs)}, {{"in", v}});
  const Compiled c(kernel.program(), Language::c, "random_c");
  const Compiled cpp(kernel.program(), Language::cpp, "random_cpp");
  for (int round = 0; round < 20; ++round) {
    const std::vector<double> in{random.number(-3, 3), random.number(-3, 3), random.number(-3, 3)};
    const auto got = kernel.evaluate({in})[0];
    std::vector<double> by_c(outputs.size());
    std::vector<double> by_cpp(outputs.size());
    c(in.data(), by_c.data());
    cpp(in.data(), by_cpp.data());
    for (std::size_t i = 0; i < outputs.size(); ++i) {
      CAPTURE(to_text(outputs[i], {300}));
      CHECK(same(got[i], by_c[i]));
      CHECK(same(got[i], by_cpp[i]));
      double direct = 0;
      try {
        direct = evaluate(outputs[i], {{v[0], in[0]}, {v[1], in[1]}, {v[2], in[2]}}, Unused::allowed);
      } catch (const Error&) {
        continue;
      }
      CHECK(got[i] == doctest::Approx(direct).epsilon(1e-8));
    }
  }
}

TEST_CASE("the emitted Jacobian of a 20-species chemistry agrees with the kernel and with difference quotients") {
  std::vector<Expr> n;
  std::vector<Expr> k;
  for (int i = 0; i < 20; ++i) {
    n.push_back(Symbol("n" + std::to_string(i)));
    k.push_back(Expr(Number(i + 1, 7)));
  }
  const std::vector<Expr> rate = chemistry(n, k);
  const SparseMatrix j = sparse_jacobian(rate, n);
  const Kernel f = compile({OutputGroup("f", rate)}, {{"n", n}});
  const Kernel jacobian = compile({OutputGroup("jacobian", j)}, {{"n", n}});
  const Compiled emitted(jacobian.program(), Language::cpp, "chemistry_jacobian");
  std::vector<double> at(20);
  for (std::size_t i = 0; i < 20; ++i) at[i] = 0.5 + 0.1 * static_cast<double>(i % 7);
  const auto values = jacobian.evaluate({at})[0];
  std::vector<double> by_source(values.size());
  emitted(at.data(), by_source.data());
  for (std::size_t i = 0; i < values.size(); ++i) CHECK(same(values[i], by_source[i]));
  for (std::size_t row = 0; row < 20; ++row) {
    for (auto e = static_cast<std::size_t>(j.pattern.row_start[row]);
         e < static_cast<std::size_t>(j.pattern.row_start[row + 1]); ++e) {
      const auto col = static_cast<std::size_t>(j.pattern.columns[e]);
      const auto difference = [&](double h) {
        auto up = at;
        auto down = at;
        up[col] += h;
        down[col] -= h;
        return (f.evaluate({up})[0][row] - f.evaluate({down})[0][row]) / (2 * h);
      };
      const double extrapolated = (4 * difference(5e-4) - difference(1e-3)) / 3;
      CHECK(std::abs(values[e] - extrapolated) < 1e-8 * (1 + std::abs(values[e])));
    }
  }
}

TEST_CASE("what outputs share is computed once") {
  const auto s = Symbol::list("x y");
  const std::vector<Expr> v(s.begin(), s.end());
  const Expr common = exp(v[0] * v[1]) + sin(v[0]);
  const auto count = [&](const std::vector<Expr>& outputs) {
    return compile({OutputGroup("f", outputs)}, {{"v", v}}).program().operation_count();
  };
  CHECK(count({common * v[0], common * v[1]}) == count({common}) + 2);
  const std::vector<Expr> rows{common * common, v[0] / common};
  const SparseMatrix j = sparse_jacobian(rows, v);
  const std::size_t together =
      compile({OutputGroup("f", rows), OutputGroup("j", j)}, {{"v", v}}).program().operation_count();
  CHECK(together < count(rows) + compile({OutputGroup("j", j)}, {{"v", v}}).program().operation_count());
}

TEST_CASE("small powers, square roots, sine with cosine, constants") {
  const Symbol x("x");
  const auto program = [&](const Expr& e) {
    return make_program(std::vector<OutputGroup>{{"f", {e}}}, std::vector<InputGroup>{{"x", {x}}});
  };
  const auto uses = [](const Program& p, OpCode op) {
    std::size_t n = 0;
    for (const auto& i : p.instructions) n += i.op == op && i.operands > 0 ? 1U : 0U;
    return n;
  };
  CHECK(uses(program(pow(x, 7)), OpCode::power) == 0);
  CHECK(program(pow(x, 8)).operation_count() == 3);
  CHECK(uses(program(pow(x, Expr(-3) / 2)), OpCode::square_root) == 1);
  CHECK(uses(program(pow(x, Expr(-3) / 2)), OpCode::divide) == 1);
  CHECK(uses(program(sin(x) * cos(x)), OpCode::sine_cosine) == 1);
  CHECK(program(sqrt(Expr(2)) * sin(Expr(1)) + pi()).operation_count() == 0);
  CHECK(uses(program(x / (3 + x) - 1), OpCode::subtract) == 1);
}

TEST_CASE("registers are reused and calls from many threads agree") {
  const Symbol x("x");
  const auto chain = [&](int length) {
    Expr e = x;
    for (int i = 1; i < length; ++i) e = sin(e) * i + cos(e);
    return compile({OutputGroup("f", {e})}, {{"x", {x}}});
  };
  const Kernel kernel = chain(400);
  CHECK(kernel.workspace_size() == chain(40).workspace_size());
  const double expected = kernel.evaluate({{0.3}})[0][0];
  std::vector<std::thread> threads;
  std::atomic<int> wrong = 0;
  for (int t = 0; t < 4; ++t) {
    threads.emplace_back([&] {
      for (int i = 0; i < 300; ++i) {
        const double at = 0.3;
        double out = 0;
        const double* in[] = {&at};
        double* results[] = {&out};
        kernel(in, results);
        if (out != expected) ++wrong;
      }
    });
  }
  for (auto& t : threads) t.join();
  CHECK(wrong == 0);
}

TEST_CASE("unknown functions as inputs, several groups, constant outputs") {
  const Expr f = parse("y' + k*y(t)^2");
  const Kernel kernel = compile({OutputGroup("f", {f, 3, parse("k", {})})},
                                {{"y", {parse("y(t)")}}, {"rate", {parse("y'(t)")}}, {"p", {Symbol("k")}}});
  CHECK(kernel.evaluate({{2}, {5}, {3}})[0] == std::vector<double>{17, 3, 3});
}

TEST_CASE("a value outside a domain is NaN, not an exception") {
  const Symbol x("x");
  const Kernel kernel = compile({OutputGroup("f", {log(x), sqrt(x), 1 / x, asin(x)})}, {{"x", {x}}});
  const auto v = kernel.evaluate({{-2}})[0];
  CHECK(std::isnan(v[0]));
  CHECK(std::isnan(v[1]));
  CHECK(v[2] == -0.5);
  CHECK(std::isnan(v[3]));
}

TEST_CASE("mistakes in the request are named") {
  const Symbol x("x"), y("y");
  const auto message = [](auto f) {
    try {
      f();
    } catch (const Error& e) {
      return std::string(to_string(e.kind())) + ": " + e.what();
    }
    return std::string("no error");
  };
  CHECK(message([&] { (void)compile({OutputGroup("f", {x + y})}, {{"x", {x}}}); }).starts_with("binding: y occurs"));
  CHECK(message([&] { (void)compile({OutputGroup("f", {x})}, {{"x", {x}}, {"again", {x}}}); }).starts_with("name:"));
  CHECK(message([&] { (void)compile({OutputGroup("f", {x})}, {{"x", {x + 1}}}); }).starts_with("usage:"));
  CHECK(message([&] {
          (void)compile({OutputGroup("f", {parse("integral(x, x)")})}, {{"x", {x}}});
        }).starts_with("unsupported:"));
  CHECK(message([&] {
          (void)compile({OutputGroup("f", {imaginary_unit() * x})}, {{"x", {x}}});
        }).starts_with("unsupported:"));
  CHECK(message([&] {
          (void)compile({OutputGroup("f", {x})}, {{"x", {x}}}).evaluate({{1, 2}});
        }).starts_with("shape:"));
  CHECK(message([&] {
          (void)emit(compile({OutputGroup("f", {cyl_bessel_j(0, x)})}, {{"x", {x}}}).program());
        }).starts_with("unsupported: cyl_bessel_j"));
  CHECK(message([&] {
          (void)emit(compile({OutputGroup("f", {x})}, {{"x", {x}}}).program(), {Language::c, "2bad", ""});
        }).starts_with("name:"));
  CHECK(compile({OutputGroup("f", {cyl_bessel_j(0, x)})}, {{"x", {x}}}).evaluate({{1.0}})[0][0] ==
        doctest::Approx(0.7651976865579666));
}

TEST_CASE("emitted text is stable and documents its arguments") {
  const auto s = Symbol::list("x y");
  const std::vector<Expr> v(s.begin(), s.end());
  const std::vector<Expr> rows{v[0] * v[1], v[1]};
  const Program p =
      make_program(std::vector<OutputGroup>{{"j", sparse_jacobian(rows, v)}}, std::vector<InputGroup>{{"v", v}});
  const EmittedSource a = emit(p, {Language::c, "pair", "A pair"});
  const EmittedSource b = emit(p, {Language::c, "pair", "A pair"});
  CHECK(a.source == b.source);
  CHECK(a.header.find("v[1] = y") != std::string::npos);
  CHECK(a.header.find("pair_j_row_start[3] = {0, 2, 3}") != std::string::npos);
}
