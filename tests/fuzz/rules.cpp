// SPDX-License-Identifier: MIT
// Rules of one's own, applied to a fixed expression.
#include "boreon/rewrite.hpp"
#include "boreon/text.hpp"
#include "fuzz/harness.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size > 400) return 0;
  fuzz::within_budget(2'000'000, [&] {
    const auto rules = boreon::parse_rules(fuzz::text_of(data, size), {});
    boreon::RewriteOptions options;
    options.limit = 50;
    (void)boreon::rewrite_with_report(boreon::parse("sin(x)^2 + cos(x)^2 + f(f(x)) + log(2*x*y) + a*(b + c)"), rules,
                                      options);
  });
  return 0;
}
