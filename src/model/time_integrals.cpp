// SPDX-License-Identifier: MIT
#include "model/time_integrals.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "boreon/error.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"

namespace boreon {

bool is_integral_of_unknowns(const Expr& e) {
  return e.is(Kind::integral) && !unknown_calls({&e.operands()[0], 1}).empty();
}

Expr TimeIntegrals::replaced(const Expr& e, const SourcePosition& place) {
  // Inner integrals first: those around them contain no unknown any more when nothing else in them did.
  const auto has_state = [&](const Expr& integrand) {
    return std::any_of(all_.begin(), all_.end(), [&](const Integral& i) { return depends_on(integrand, i.state); });
  };
  Rebuild rebuild([](const Expr&, Expr&) { return false; },
                  [&](const Expr& node) {
                    if (!node.is(Kind::integral)) return node;
                    const Expr& integrand = node.operands()[0];
                    if (!is_integral_of_unknowns(node) && !has_state(integrand)) return node;
                    return state_of(node, integrand, place);
                  });
  return rebuild(e);
}

Expr TimeIntegrals::state_of(const Expr& integral, const Expr& integrand, const SourcePosition& place) {
  const std::string t = model_.independent.name();
  const PrintOptions as_written{.max_length = 60, .independent = t};
  const Expr start(Number::shortest_decimal(model_.run.from));
  const auto operands = integral.operands();
  if (operands.size() < 4 || !(operands[1] == Expr(model_.independent)) || !(operands[3] == Expr(model_.independent)) ||
      !(operands[2] == start))
    throw Error(ErrorKind::unsupported,
                fmt::format("{} is an integral of unknowns: over time from the start of the run to now it is a state "
                            "like others, other ranges are not part of this version; write integral(f, {} from {} to "
                            "{})",
                            to_text(integral, as_written), t, to_text(start), t),
                place);
  const std::string text = to_text(integral, {.independent = t});
  const auto known = std::find_if(all_.begin(), all_.end(), [&](const Integral& i) { return i.text == text; });
  if (known != all_.end()) return known->state;
  std::string name = fmt::format("integral_{}", all_.size() + 1);
  const auto taken = [&](const std::string& n) {
    return model_.find_unknown(n) != nullptr || std::any_of(model_.parameters.begin(), model_.parameters.end(),
                                                            [&](const Parameter& p) { return p.name == n; });
  };
  while (taken(name)) name += "_";
  all_.push_back({text, Symbol(name), integrand});
  return all_.back().state;
}

}  // namespace boreon
