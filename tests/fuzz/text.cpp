// SPDX-License-Identifier: MIT
// Expression text: whatever reads must print and read back to the same expression, in every printer's hands.
#include "boreon/text.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/traverse.hpp"
#include "fuzz/harness.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size > 400) return 0;
  fuzz::within_budget(2'000'000, [&] {
    std::vector<boreon::Notice> notices;
    boreon::ParseContext context;
    context.notices = &notices;
    const boreon::Expr e = boreon::parse(fuzz::text_of(data, size), context);
    const std::string text = boreon::to_text(e);
    if (!(boreon::parse(text, boreon::ParseContext::of(e)) == e)) fuzz::fault();
    (void)boreon::to_latex(e);
    (void)boreon::to_unicode(e);
    if (boreon::is_condition(e)) return;
    for (const boreon::Symbol& s : boreon::free_symbols(e)) (void)boreon::derivative(e, s);
  });
  return 0;
}
