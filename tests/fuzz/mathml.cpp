// SPDX-License-Identifier: MIT
// Content MathML: whatever is read can be printed as text and read back.
#include "boreon/mathml.hpp"
#include "boreon/text.hpp"
#include "fuzz/harness.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size > 2000) return 0;
  fuzz::within_budget(2'000'000, [&] {
    const boreon::Expr e = boreon::parse_mathml(fuzz::text_of(data, size));
    if (!(boreon::parse(boreon::to_text(e), boreon::ParseContext::of(e)) == e)) fuzz::fault();
  });
  return 0;
}
