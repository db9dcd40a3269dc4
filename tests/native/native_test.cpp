// SPDX-License-Identifier: MIT
// Machine code against the interpreter, packed and one by one, on every instruction set of this processor.
#include <dlfcn.h>
#include <doctest/doctest.h>
#include <unistd.h>

#include <atomic>
#include <bit>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <thread>

#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/native.hpp"
#include "boreon/text.hpp"
#include "core/random_expression.hpp"

using namespace boreon;

namespace {

// Equal, or both not a number.
bool identical(double a, double b) { return a == b || (std::isnan(a) && std::isnan(b)); }

// A program of random instructions on what there is: every operation, values that overflow and are not numbers.
Program random_program(std::uint64_t seed, std::size_t size, bool only_c = false) {
  test::RandomExpression random(seed, {});
  Program p;
  p.constants = {0.5, -1.25, 3, 0, 1e-3};
  p.inputs = {{"x", {"x0", "x1", "x2", "x3", "x4"}, 5, std::nullopt}, {"p", {"p0", "p1"}, 2, std::nullopt}};
  const auto operand = [&]() -> Operand {
    const std::size_t kind = p.instructions.empty() ? 1 + random.pick(2) : random.pick(8);
    if (kind == 1) return {2, static_cast<std::uint32_t>(random.pick(5))};
    if (kind == 2)
      return random.pick(2) == 0 ? Operand{0, static_cast<std::uint32_t>(random.pick(5))}
                                 : Operand{3, static_cast<std::uint32_t>(random.pick(2))};
    const std::size_t n = p.instructions.size();
    return {1, static_cast<std::uint32_t>(random.pick(3) == 0 ? random.pick(n)
                                                              : n - 1 - random.pick(std::min<std::size_t>(n, 30)))};
  };
  const auto rows = catalogue();
  std::vector<std::uint16_t> functions;
  for (std::size_t r = 0; r < rows.size(); ++r) {
    // those with a rule for doubles: the others take a millisecond a call
    const bool in_c = !rows[r].c_name.empty() || !rows[r].c_template.empty();
    if (rows[r].real != nullptr && rows[r].min_args <= 2 && rows[r].max_args != 0 && (in_c || !only_c))
      functions.push_back(static_cast<std::uint16_t>(r));
  }
  while (p.instructions.size() < size) {
    Instruction i;
    const std::size_t dice = random.pick(100);
    if (dice < 70) {
      i = {static_cast<OpCode>(random.pick(3)), 0, 2, operand(), operand(), {}};
    } else if (dice < 75) {
      i = {OpCode::divide, 0, 2, operand(), operand(), {}};
    } else if (dice < 80) {
      i = {random.pick(2) == 0 ? OpCode::negate : OpCode::square_root, 0, 1, operand(), {}, {}};
    } else if (dice < 82) {
      i = {OpCode::power, 0, 2, operand(), operand(), {}};
    } else if (dice < 84) {
      i = {OpCode::sine_cosine, 0, 1, operand(), {}, {}};
    } else if (dice < 92) {
      const std::uint16_t f = functions[random.pick(functions.size())];
      i = {OpCode::call, f, static_cast<std::uint8_t>(std::max(1, rows[f].min_args)), operand(), {}, {}};
      if (rows[f].max_args < 0) i.operands = 2;
      if (i.operands > 1) i.b = operand();
    } else if (dice < 96) {
      i = {
          static_cast<OpCode>(static_cast<std::size_t>(OpCode::less) + random.pick(6)), 0, 2, operand(), operand(), {}};
    } else {
      i = {OpCode::select, 0, 3, operand(), operand(), operand()};
    }
    p.instructions.push_back(i);
    if (i.op == OpCode::sine_cosine) p.instructions.push_back({OpCode::sine_cosine, 0, 0, {}, {}, {}});
  }
  p.outputs.push_back({"f", {}, 8, std::nullopt});
  std::vector<Operand> results;
  for (int k = 0; k < 7; ++k)
    results.push_back({1, static_cast<std::uint32_t>(p.instructions.size() - 1 -
                                                     random.pick(std::min<std::size_t>(p.instructions.size(), 40)))});
  results.push_back({2, 3});
  p.results = {results};
  return p;
}

// Points with ordinary numbers, zeros, infinities and NaN.
std::vector<double> random_inputs(std::uint64_t seed, std::size_t n) {
  test::RandomExpression random(seed, {});
  std::vector<double> v;
  for (std::size_t i = 0; i < n; ++i) {
    switch (random.pick(12)) {
      case 0: v.push_back(0); break;
      case 1: v.push_back(random.pick(2) == 0 ? INFINITY : -INFINITY); break;
      case 2: v.push_back(NAN); break;
      case 3: v.push_back(std::exp(random.number(-700, 700))); break;
      default: v.push_back(random.number(-3, 3));
    }
  }
  return v;
}

constexpr std::size_t points = 21;  // two tiles of eight and a rest

struct Results {
  std::vector<double> one;   // point after point
  std::vector<double> many;  // the same from many()
};

Results run(const Kernel& k, const std::vector<double>& x, const std::vector<double>& p, bool side_by_side) {
  const std::size_t n = k.program().outputs[0].size;
  Results r{std::vector<double>(n * points), std::vector<double>(n * points)};
  for (std::size_t q = 0; q < points; ++q) {
    const double* in[] = {&x[q * 5], p.data()};
    double* out[] = {&r.one[q * n]};
    k(in, out);
  }
  if (!side_by_side) {
    k.many(points, std::vector<PointsIn>{{x.data(), 1, 5}, {p.data(), 1, 0}},
           std::vector<PointsOut>{{r.many.data(), 1, static_cast<std::ptrdiff_t>(n)}});
    return r;
  }
  std::vector<double> across(5 * points);
  std::vector<double> result(n * points);
  for (std::size_t q = 0; q < points; ++q) {
    for (std::size_t i = 0; i < 5; ++i) across[i * points + q] = x[q * 5 + i];
  }
  k.many(points, std::vector<PointsIn>{{across.data(), points, 1}, {p.data(), 1, 0}},
         std::vector<PointsOut>{{result.data(), points, 1}});
  for (std::size_t q = 0; q < points; ++q) {
    for (std::size_t i = 0; i < n; ++i) r.many[q * n + i] = result[i * points + q];
  }
  return r;
}

}  // namespace

TEST_CASE("2000 random programs of all operations: strict machine code is the interpreter bit for bit, packed or not") {
  if (machines().empty()) return;
  std::size_t compared = 0;
  for (std::uint64_t seed = 0; seed < 2000; ++seed) {
    const std::size_t size = seed % 100 == 0 ? 5000 : 5 + seed % 300;
    const Program program = random_program(seed, size);
    const std::vector<double> x = random_inputs(seed + 9000, 5 * points);
    const std::vector<double> p = random_inputs(seed + 90000, 2);
    const Results expected = run(Kernel(program), x, p, false);
    // each instruction set in turn, so that all see all kinds of programs
    const Machine machine = machines()[seed % machines().size()];
    const Results got = run(native_kernel(program, {.strict = true, .machine = machine}), x, p, seed % 2 == 0);
    for (std::size_t i = 0; i < expected.one.size(); ++i) {
      if (!identical(expected.one[i], expected.many[i]) || !identical(got.one[i], expected.one[i]) ||
          !identical(got.many[i], expected.one[i])) {
        CAPTURE(seed);
        CAPTURE(to_string(machine));
        CAPTURE(i);
        CHECK(identical(expected.many[i], expected.one[i]));
        CHECK(identical(got.one[i], expected.one[i]));
        CHECK(identical(got.many[i], expected.one[i]));
      }
      ++compared;
    }
  }
  CHECK(compared > 300000);
}

TEST_CASE(
    "the same programs with fused operations and vector functions: no crash on any machine, nearly all values near "
    "those of the interpreter") {
  // Values that cancel or grow without bounds may differ in every digit: a share of them is allowed to.
  std::size_t compared = 0;
  std::size_t near = 0;
  for (std::uint64_t seed = 0; seed < 2000; ++seed) {
    const Program program = random_program(seed, seed % 100 == 0 ? 5000 : 5 + seed % 300);
    const std::vector<double> x = random_inputs(seed + 9000, 5 * points);
    const std::vector<double> p = random_inputs(seed + 90000, 2);
    const Results expected = run(Kernel(program), x, p, false);
    for (const Machine machine : machines()) {
      const Results got = run(native_kernel(program, {.machine = machine}), x, p, seed % 2 == 0);
      for (std::size_t i = 0; i < expected.one.size(); ++i) {
        for (const double value : {got.one[i], got.many[i]}) {
          ++compared;
          near += identical(value, expected.one[i]) ||
                          std::fabs(value - expected.one[i]) <= 1e-9 * std::fabs(expected.one[i])
                      ? 1
                      : 0;
        }
      }
    }
  }
  MESSAGE(near, " of ", compared, " values agree to 9 digits");
  CHECK(static_cast<double>(near) > 0.999 * static_cast<double>(compared));
}

TEST_CASE("2000 random programs as emitted C compute what the interpreter computes, bit for bit") {
  const auto folder = std::filesystem::temp_directory_path() / ("boreon-native-" + std::to_string(::getpid()));
  std::filesystem::create_directories(folder);
  constexpr std::uint64_t count = 2000;
  constexpr std::uint64_t in_one_file = 50;
  const auto program = [](std::uint64_t seed) {
    return random_program(seed + 3000, seed % 100 == 7 ? 5000 : 5 + seed % 300, true);
  };
  std::string files;
  for (std::uint64_t first = 0; first < count; first += in_one_file) {
    const std::string path = (folder / ("programs" + std::to_string(first) + ".c")).string();
    std::ofstream file(path);
    for (std::uint64_t seed = first; seed < first + in_one_file; ++seed) {
      const EmittedSource source = emit(program(seed), {Language::c, "program" + std::to_string(seed), "random"});
      const std::size_t begin = source.source.find("#include <math.h>");
      const std::size_t many = source.source.find("void program" + std::to_string(seed) + "_many");
      file << source.source.substr(begin, many - begin);  // the function for one point
    }
    files += path + "\n";
  }
  std::ofstream(folder / "files") << files;
  const std::string library = (folder / "lib.so").string();
  const std::string at = folder.string();
  REQUIRE(std::system(("xargs -P 2 -I{} gcc -std=c99 -O0 -ffp-contract=off -fno-builtin -fPIC -c {} -o {}.o < " + at +
                       "/files && gcc -shared " + at + "/*.o -lm -o " + library)
                          .c_str()) == 0);
  void* const handle = ::dlopen(library.c_str(), RTLD_NOW);
  REQUIRE(handle != nullptr);
  std::size_t different = 0;
  std::size_t compared = 0;
  for (std::uint64_t seed = 0; seed < count; ++seed) {
    const Kernel kernel(program(seed));
    const auto compiled = reinterpret_cast<void (*)(const double*, const double*, double*)>(
        ::dlsym(handle, ("program" + std::to_string(seed)).c_str()));
    REQUIRE((compiled != nullptr));
    for (std::uint64_t point = 0; point < 5; ++point) {
      const std::vector<double> x = random_inputs(100 * seed + point, 5);
      const std::vector<double> p = random_inputs(seed + 90000, 2);
      const auto expected = kernel.evaluate({x, p})[0];
      std::vector<double> got(expected.size());
      compiled(x.data(), p.data(), got.data());
      for (std::size_t i = 0; i < got.size(); ++i) {
        ++compared;
        if (identical(got[i], expected[i])) continue;
        if (++different == 1) MESSAGE("first difference: program " << seed << ", output " << i);
      }
    }
  }
  CHECK(different == 0);
  CHECK(compared == 5 * 8 * count);
  ::dlclose(handle);
  std::filesystem::remove_all(folder);
}

TEST_CASE("fused and vector machine code agrees with the interpreter as far as the program is well-conditioned") {
  const auto s = Symbol::list("x y z u v");
  const std::vector<Expr> symbols(s.begin(), s.end());
  for (std::uint64_t seed = 0; seed < 60; ++seed) {
    test::RandomExpression random(seed + 500, symbols);
    std::vector<Expr> outputs;
    // bounded pieces, added up: no cancellation to speak of
    for (int k = 0; k < 6; ++k) {
      Expr sum = 2;
      for (int t = 0; t < 4; ++t)
        sum += exp(sin(random(6))) + sqrt(1 + pow(random(3), 2)) + atan(random(4)) / 4 + log(2 + cos(random(5)));
      outputs.push_back(sum);
    }
    const Program program = make_program(std::vector<OutputGroup>{{"f", outputs}},
                                         std::vector<InputGroup>{{"x", symbols}, {"p", {Symbol("p0"), Symbol("p1")}}});
    std::vector<double> x;
    for (std::size_t i = 0; i < 5 * points; ++i) x.push_back(random.number(-2, 2));
    const Results expected = run(Kernel(program), x, {1, 2}, false);
    for (const Machine machine : machines()) {
      const Results got = run(native_kernel(program, {.machine = machine}), x, {1, 2}, seed % 2 == 0);
      for (std::size_t i = 0; i < expected.one.size(); ++i) {
        CHECK(got.one[i] == doctest::Approx(expected.one[i]).epsilon(1e-11));
        CHECK(got.many[i] == doctest::Approx(expected.one[i]).epsilon(1e-11));
      }
    }
  }
}

namespace {

// A chain of cells with transport, reaction and an exponential rate; both ends differ.
struct Chain {
  std::vector<Expr> y;
  std::vector<Expr> f;
  std::vector<Expr> p;
  std::vector<double> at;
  explicit Chain(int cells) {
    const Symbol d("d"), k("k");
    p = {d, k};
    for (int i = 0; i < cells; ++i) {
      y.push_back(Symbol("a" + std::to_string(i)));
      y.push_back(Symbol("b" + std::to_string(i)));
    }
    for (int i = 0; i < cells; ++i) {
      for (int s = 0; s < 2; ++s) {
        const auto c = [&](int cell) { return y[static_cast<std::size_t>(2 * cell + s)]; };
        Expr r = s == 0 ? -k * y[static_cast<std::size_t>(2 * i)] * y[static_cast<std::size_t>(2 * i + 1)]
                        : exp(-k * c(i) / (1 + pow(y[static_cast<std::size_t>(2 * i)], 2)));
        if (i > 0) r += exp(-d) * (c(i - 1) - c(i));
        if (i + 1 < cells) r += exp(-d) * (c(i + 1) - c(i));
        f.push_back(r);
      }
    }
    for (std::size_t i = 0; i < y.size(); ++i) at.push_back(1 + 0.3 * std::sin(0.37 * static_cast<double>(i)));
  }
};

}  // namespace

TEST_CASE("rows of one shape become loops that compute what the written-out program computes") {
  const Chain chain(500);
  const SparseMatrix j = sparse_jacobian(chain.f, chain.y);
  const std::vector<InputGroup> inputs{{"y", chain.y}, {"p", chain.p}};
  const std::vector<OutputGroup> outputs{{"f", chain.f}, {"j", j}};
  const Program rolled = make_program(outputs, inputs);
  const Program flat = make_program(outputs, inputs, {.optimise = false, .rows = false});
  REQUIRE(!rolled.loops.empty());
  CHECK(rolled.code_size() < 300);
  CHECK(rolled.operation_count() < 1.2 * static_cast<double>(flat.operation_count()));
  const std::vector<double> p{0.4, 1.7};
  const auto expected = Kernel(flat).evaluate({chain.at, p});
  const auto interpreted = Kernel(rolled).evaluate({chain.at, p});
  const auto same_as = [&](const std::vector<std::vector<double>>& got, double epsilon) {
    for (std::size_t g = 0; g < expected.size(); ++g) {
      for (std::size_t i = 0; i < expected[g].size(); ++i)
        CHECK(got[g][i] == doctest::Approx(expected[g][i]).epsilon(epsilon));
    }
  };
  same_as(interpreted, 1e-12);
  for (const Machine machine : machines()) {
    const Kernel fast = native_kernel(rolled, {.machine = machine});
    same_as(fast.evaluate({chain.at, p}), 1e-12);
    CHECK(native_kernel(rolled, {.strict = true, .machine = machine}).evaluate({chain.at, p}) == interpreted);
    // threads share the rows
    std::vector<double> f(chain.f.size());
    std::vector<double> values(j.values.size());
    const double* in[] = {chain.at.data(), p.data()};
    double* out[] = {f.data(), values.data()};
    fast.in_threads(3, in, out);
    CHECK(f == fast.evaluate({chain.at, p})[0]);
    CHECK(values == fast.evaluate({chain.at, p})[1]);
  }
  // written out in other orders the grid still is a few shapes: by columns
  const Kernel by_columns =
      compile({OutputGroup("f", chain.f), OutputGroup::by_columns("j", j)}, inputs, NativeOptions{});
  const auto columns = by_columns.evaluate({chain.at, p});
  const auto order = j.columns();
  for (std::size_t k = 0; k < order.entry.size(); ++k)
    CHECK(columns[1][k] == doctest::Approx(expected[1][static_cast<std::size_t>(order.entry[k])]).epsilon(1e-12));
}

TEST_CASE("products with derivatives of loops: machine code and threads give what the interpreter gives") {
  const Chain chain(500);
  const Program program =
      make_program(std::vector<OutputGroup>{{"f", chain.f}}, std::vector<InputGroup>{{"y", chain.y}, {"p", chain.p}});
  REQUIRE(!program.loops.empty());
  const std::vector<double> p{0.4, 1.7};
  std::vector<double> w;
  std::vector<double> d;
  for (std::size_t i = 0; i < chain.f.size(); ++i) {
    w.push_back(std::sin(1.3 * static_cast<double>(i)));
    d.push_back(std::cos(0.7 * static_cast<double>(i)));
  }
  const struct {
    Program program;
    std::vector<std::vector<double>> at;
  } products[] = {{jacobian_vector(program, "f", "y"), {chain.at, p, d}},
                  {vector_jacobian(program, "f", "y"), {chain.at, p, w}},
                  {vector_jacobian(program, "f", "p"), {chain.at, p, w}},
                  {hessian_vector(program, "f", "y"), {chain.at, p, w, d}}};
  for (const auto& product : products) {
    const auto expected = Kernel(product.program).evaluate(product.at);
    for (const Machine machine : machines()) {
      CAPTURE(to_string(machine));
      CHECK(native_kernel(product.program, {.strict = true, .machine = machine}).evaluate(product.at) == expected);
      const Kernel fast = native_kernel(product.program, {.machine = machine});
      std::vector<std::vector<double>> got;
      std::vector<const double*> in;
      std::vector<double*> out;
      for (const auto& g : expected) got.emplace_back(g.size());
      for (const auto& g : product.at) in.push_back(g.data());
      for (auto& g : got) out.push_back(g.data());
      fast.in_threads(2, in, out);
      CHECK(got == fast.evaluate(product.at));
      double worst = 0;
      for (std::size_t g = 0; g < got.size(); ++g) {
        for (std::size_t i = 0; i < got[g].size(); ++i)
          worst = std::max(worst, std::fabs(got[g][i] - expected[g][i]) / (1 + std::fabs(expected[g][i])));
      }
      CHECK(worst < 1e-12);
    }
  }
}

TEST_CASE("all shapes of call: float, strides, in place, threads, complex numbers") {
  const auto s = Symbol::list("x y");
  const std::vector<Expr> v(s.begin(), s.end());
  const Symbol k("k");
  const std::vector<Expr> f{v[0] * v[1] + exp(-k * v[0]), sin(v[0]) / (2 + v[1])};
  const Kernel kernel = compile({OutputGroup("f", f)}, {{"v", v}, {"p", {k}}}, NativeOptions{});
  constexpr std::size_t n = 1003;
  std::vector<double> x(2 * n);
  for (std::size_t i = 0; i < x.size(); ++i) x[i] = 0.001 * static_cast<double>(i);
  const std::vector<double> p{0.7};
  std::vector<double> expected(2 * n);
  for (std::size_t q = 0; q < n; ++q) {
    const double* in[] = {&x[2 * q], p.data()};
    double* out[] = {&expected[2 * q]};
    kernel(in, out);
  }
  std::vector<double> got(2 * n);
  kernel.many(n, std::vector<PointsIn>{{x.data(), 1, 2}, {p.data(), 1, 0}}, std::vector<PointsOut>{{got.data(), 1, 2}},
              2);
  for (std::size_t i = 0; i < got.size(); ++i) CHECK(got[i] == doctest::Approx(expected[i]).epsilon(1e-14));
  std::vector<double> both = x;  // in place: outputs over inputs
  kernel.many(n, std::vector<PointsIn>{{both.data(), 1, 2}, {p.data(), 1, 0}},
              std::vector<PointsOut>{{both.data(), 1, 2}});
  for (std::size_t i = 0; i < both.size(); ++i) CHECK(both[i] == doctest::Approx(expected[i]).epsilon(1e-14));
  std::vector<double> across(2 * n);
  for (std::size_t q = 0; q < n; ++q) {
    across[q] = x[2 * q];
    across[n + q] = x[2 * q + 1];
  }
  kernel.many(n, std::vector<PointsIn>{{across.data(), n, 1}, {p.data(), 1, 0}},
              std::vector<PointsOut>{{across.data(), n, 1}});
  for (std::size_t q = 0; q < n; ++q) CHECK(across[n + q] == doctest::Approx(expected[2 * q + 1]).epsilon(1e-14));
  const std::vector<float> single(x.begin(), x.end());
  const float rate = 0.7F;
  std::vector<float> single_out(2 * n);
  kernel.many(n, std::vector<PointsIn>{{single.data(), 1, 2}, {&rate, 1, 0}},
              std::vector<PointsOut>{{single_out.data(), 1, 2}});
  for (std::size_t i = 0; i < expected.size(); ++i)
    CHECK(static_cast<double>(single_out[i]) == doctest::Approx(expected[i]).epsilon(1e-6));
  const std::complex<double> z[] = {{0.3, 0.2}, {1.1, -0.4}};
  const std::complex<double> kz[] = {0.7};
  std::complex<double> fz[2];
  const std::complex<double>* zin[] = {z, kz};
  std::complex<double>* zout[] = {fz};
  kernel(zin, zout);
  CHECK(std::abs(fz[0] - (z[0] * z[1] + std::exp(-0.7 * z[0]))) < 1e-15);
  CHECK(std::abs(fz[1] - std::sin(z[0]) / (2.0 + z[1])) < 1e-15);
}

TEST_CASE("complex numbers: machine code on parts gives what the interpreter gives, branches included") {
  using Complex = std::complex<double>;
  const auto s = Symbol::list("x y p");
  const std::vector<Expr> v(s.begin(), s.end());
  const Expr x = v[0], y = v[1], p = v[2];
  const std::vector<Expr> f{x * y - x / y,
                            sqrt(x) + sqrt(x * y),
                            exp(x - y) / (1 + p * x),
                            log(x) * log(p * y),
                            sin(x) * cos(y) + tan(x),
                            sinh(x) + cosh(y) * tanh(x),
                            pow(x, p),
                            pow(x, 3) - pow(y, -2),
                            pow(y, Expr(3) / 2),
                            pow(x, x),
                            1 / (x * x + y * y + p),
                            parse("piecewise(x if x < y, y^2 otherwise)"),
                            3 + 0 * x,
                            parse("piecewise(1 if x != y and x > 0, x otherwise)")};
  const std::vector<OutputGroup> outputs{{"f", f}};
  const std::vector<InputGroup> inputs{{"v", {x, y}}, {"p", {p}}};
  const Kernel interpreter = compile(outputs, inputs);
  std::vector<Complex> numbers{{1, 0},      {-1, 0}, {0, 1},      {0, -1},        {-2, 1e-9},
                               {-2, -1e-9}, {3, -4}, {1e-3, 2e3}, {1e150, 1e140}, {2.5, 700}};
  test::RandomExpression random(8, {});
  for (int i = 0; i < 30; ++i) numbers.emplace_back(random.number(-3, 3), random.number(-3, 3));
  for (const Machine machine : machines()) {
    const Kernel fast = compile(outputs, inputs, NativeOptions{.machine = machine});
    for (const Complex a : numbers) {
      for (const Complex b : numbers) {
        const Complex at[] = {a, b};
        const Complex parameter[] = {{1.25, 0.5}};
        const Complex* in[] = {at, parameter};
        std::vector<Complex> expected(f.size());
        std::vector<Complex> got(f.size());
        Complex* out[] = {expected.data()};
        interpreter(in, out);
        out[0] = got.data();
        fast(in, out);
        for (std::size_t i = 0; i < f.size(); ++i) {
          if (!std::isfinite(std::abs(expected[i])) || std::abs(expected[i]) > 1e150)
            continue;  // overflows on the way differ
          CAPTURE(to_string(machine));
          CAPTURE(to_text(f[i]));
          CAPTURE(a);
          CAPTURE(b);
          CHECK(std::abs(got[i] - expected[i]) <= 1e-11 * (std::abs(expected[i]) + 1e-3));
        }
      }
    }
  }
  // loops over rows, and functions without a rule on parts
  const Chain chain(300);
  const Program program =
      make_program(std::vector<OutputGroup>{{"f", chain.f}}, std::vector<InputGroup>{{"y", chain.y}, {"p", chain.p}});
  REQUIRE(!program.loops.empty());
  std::vector<Complex> place;
  for (std::size_t i = 0; i < chain.at.size(); ++i)
    place.emplace_back(chain.at[i], 0.1 * std::cos(static_cast<double>(i)));
  const Complex rates[] = {{0.4, 0.1}, {1.7, -0.2}};
  const Complex* in[] = {place.data(), rates};
  std::vector<Complex> expected(chain.f.size());
  std::vector<Complex> got(chain.f.size());
  Complex* out[] = {expected.data()};
  const Kernel written(program);
  written(in, out);
  out[0] = got.data();
  native_kernel(program)(in, out);
  for (std::size_t i = 0; i < got.size(); ++i) CHECK(std::abs(got[i] - expected[i]) < 1e-12);
  const Kernel special =
      compile({OutputGroup("f", std::vector<Expr>{erf(x) + atan(y)})}, {{"v", {x, y}}}, NativeOptions{});
  const Complex at[] = {{0.3, 0.4}, {0.1, -0.2}};
  const Complex* one[] = {at};
  Complex value;
  Complex* to[] = {&value};
  special(one, to);
  CHECK(value == [&] {
    Complex same;
    Complex* there[] = {&same};
    Kernel(special.program())(one, there);
    return same;
  }());
}
