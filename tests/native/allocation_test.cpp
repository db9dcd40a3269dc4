// SPDX-License-Identifier: MIT
// Calls allocate nothing once a thread has made its first one: counted at operator new, which this file replaces.
#include <doctest/doctest.h>

#include <atomic>
#include <complex>
#include <cstdlib>
#include <functional>
#include <new>

#include "boreon/functions.hpp"
#include "boreon/native.hpp"
#include "core/numbered.hpp"

namespace {
std::atomic<std::size_t> allocations{0};

void* counted(std::size_t size) {
  ++allocations;
  void* const memory = std::malloc(size == 0 ? 1 : size);
  if (memory == nullptr) throw std::bad_alloc();
  return memory;
}
}  // namespace

void* operator new(std::size_t size) { return counted(size); }
void* operator new[](std::size_t size) { return counted(size); }
void* operator new(std::size_t size, const std::nothrow_t&) noexcept {
  ++allocations;
  return std::malloc(size == 0 ? 1 : size);
}
void* operator new[](std::size_t size, const std::nothrow_t& tag) noexcept { return operator new(size, tag); }
void operator delete(void* p) noexcept { std::free(p); }
void operator delete[](void* p) noexcept { std::free(p); }
void operator delete(void* p, std::size_t) noexcept { std::free(p); }
void operator delete[](void* p, std::size_t) noexcept { std::free(p); }

using namespace boreon;

TEST_CASE("no call of any shape allocates") {
  const std::vector<Expr> x = test::numbered("x", 6);
  const Symbol k("k");
  std::vector<Expr> f;
  for (std::size_t i = 0; i < 6; ++i)
    f.push_back(exp(-k * x[i]) * sin(x[(i + 1) % 6]) + x[i] / (2 + pow(x[(i + 2) % 6], 2)) + log(3 + k));
  const std::vector<Expr> y = test::numbered("y", 3000);
  std::vector<Expr> rows;
  for (std::size_t i = 0; i < y.size(); ++i) rows.push_back(k * (y[(i + 1) % y.size()] - y[i]) + exp(-y[i]));
  constexpr std::size_t points = 4000;
  std::vector<double> at(6 * points, 0.3);
  std::vector<double> out(6 * points);
  std::vector<float> at_single(6, 0.3F);
  std::vector<float> out_single(6);
  std::vector<std::complex<double>> at_complex(6, {0.3, 0.1});
  std::vector<std::complex<double>> out_complex(6);
  std::vector<double> cells(y.size(), 0.4);
  std::vector<double> rates(y.size());
  const double parameter[] = {0.7};
  const float single_parameter[] = {0.7F};
  const std::complex<double> complex_parameter[] = {0.7};
  std::vector<Machine> all = machines();
  all.push_back(Machine::automatic);  // stands for the interpreter below
  for (const Machine machine : all) {
    const bool interpreted = machine == Machine::automatic;
    CAPTURE(to_string(machine));
    const std::vector<OutputGroup> outputs{{"f", f}};
    const std::vector<InputGroup> inputs{{"x", x}, {"p", {k}}};
    const Kernel small =
        interpreted ? compile(outputs, inputs) : compile(outputs, inputs, NativeOptions{.machine = machine});
    const std::vector<OutputGroup> large_outputs{{"rate", rows}};
    const std::vector<InputGroup> large_inputs{{"y", y}, {"p", {k}}};
    const Kernel large = interpreted ? compile(large_outputs, large_inputs)
                                     : compile(large_outputs, large_inputs, NativeOptions{.machine = machine});
    REQUIRE(!large.program().loops.empty());
    const double* in_one[] = {at.data(), parameter};
    double* out_one[] = {out.data()};
    const float* in_single[] = {at_single.data(), single_parameter};
    float* to_single[] = {out_single.data()};
    const std::complex<double>* in_complex[] = {at_complex.data(), complex_parameter};
    std::complex<double>* to_complex[] = {out_complex.data()};
    const double* in_rows[] = {cells.data(), parameter};
    double* out_rows[] = {rates.data()};
    const PointsIn side_by_side[] = {{at.data(), static_cast<std::ptrdiff_t>(points), 1}, {parameter, 1, 0}};
    const PointsOut to_side_by_side[] = {{out.data(), static_cast<std::ptrdiff_t>(points), 1}};
    const PointsIn structures[] = {{at.data(), 1, 6}, {parameter, 1, 0}};
    const PointsOut to_structures[] = {{out.data(), 1, 6}};
    std::vector<double> workspace(small.workspace_size());
    const struct {
      const char* name;
      std::function<void()> call;
    } calls[] = {
        {"one point", [&] { small(in_one, out_one); }},
        {"one point, workspace from the caller", [&] { small(in_one, out_one, workspace); }},
        {"single", [&] { small(in_single, to_single); }},
        {"complex", [&] { small(in_complex, to_complex); }},
        {"points side by side", [&] { small.many(points, side_by_side, to_side_by_side); }},
        {"points side by side, two threads", [&] { small.many(points, side_by_side, to_side_by_side, 2); }},
        {"structures", [&] { small.many(points, structures, to_structures); }},
        {"rows", [&] { large(in_rows, out_rows); }},
        {"rows in two threads", [&] { large.in_threads(2, in_rows, out_rows); }},
    };
    for (const auto& c : calls) {
      CAPTURE(c.name);
      if (interpreted && std::string(c.name) == "complex") continue;  // number by number, kept in vectors
      // A helper thread makes its memory with its first share, whenever that is; what allocates in every call always
      // does.
      std::size_t made = 1;
      for (int attempt = 0; attempt < 100 && made != 0; ++attempt) {
        const std::size_t before = allocations;
        for (int again = 0; again < 20; ++again) c.call();
        made = allocations - before;
      }
      CHECK(made == 0);
    }
  }
}
