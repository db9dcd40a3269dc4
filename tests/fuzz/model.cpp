// SPDX-License-Identifier: MIT
// Model files.
#include "boreon/model.hpp"
#include "boreon/calculus.hpp"
#include "boreon/least_squares.hpp"
#include "fuzz/harness.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size > 3000) return 0;
  fuzz::within_budget(4'000'000, [&] {
    const boreon::Model m = boreon::parse_model(fuzz::text_of(data, size));
    const boreon::System s = boreon::system_of(m);
    (void)boreon::sparse_jacobian(s.residuals, s.states);
    if (m.data) (void)boreon::fit_problem(m);
  });
  return 0;
}
