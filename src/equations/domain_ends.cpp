// SPDX-License-Identifier: MIT
#include "equations/domain_ends.hpp"

#include "boreon/functions.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/breaks.hpp"
#include "calculus/signs.hpp"
#include "equations/single.hpp"

namespace boreon::equations {

std::optional<std::vector<Expr>> domain_ends(const Expr& side, const Symbol& x, const Expr& from, const Expr& to) {
  if (!depends_on(side, x)) return std::vector<Expr>{};
  Signs signs;
  std::optional<std::vector<Expr>> places;
  try {
    places = singular_places(side, x, signs, from, to);
  } catch (const UnknownSign&) {
  }
  if (!places) return std::nullopt;
  bool all = true;
  postorder(side, [&](const Expr& n) {
    if (!n.is(Kind::call) || !depends_on(n, x) || !all) return;
    const auto name = n.function().name;
    if (name != "asin" && name != "acos" && name != "acosh" && name != "atanh" && name != "lambert_W") return;
    for (const Expr& end : {Expr(1), Expr(-1), -exp(Expr(-1))}) {
      SingleSolver edge({});
      const auto at = edge(n.operands().back() - end, x);
      all = all && at && edge.integers().empty();
      if (!all) return;
      for (const Root& r : *at) places->push_back(r.value);
    }
  });
  if (!all) return std::nullopt;
  return places;
}

std::optional<std::vector<Expr>> domain_ends_and_breaks(const Expr& side, const Symbol& x) {
  auto places = domain_ends(side, x);
  if (!places) return std::nullopt;
  Signs signs;
  const auto breaks = breaks_of_pieces(side, x, signs);
  if (!breaks) return std::nullopt;
  places->insert(places->end(), breaks->begin(), breaks->end());
  return places;
}

}  // namespace boreon::equations
