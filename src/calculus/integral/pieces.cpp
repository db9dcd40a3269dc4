// SPDX-License-Identifier: MIT
// Integrands in pieces: piecewise, abs, sign, heaviside, min, max, floor. The antiderivative is made continuous where
// the places of the breaks are known.
#include <fmt/format.h>

#include <algorithm>

#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/text.hpp"
#include "calculus/integral/breaks.hpp"
#include "calculus/integral/counted.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/series/expansion.hpp"
#include "calculus/series/limit_engine.hpp"

namespace boreon {

bool has_piece(const Expr& e) {
  bool found = false;
  postorder(e, [&](const Expr& n) {
    found = found || n.is(Kind::piecewise) || folded(n);
    if (!n.is(Kind::call)) return;
    const auto name = n.function().name;
    for (const char* p :
         {"abs", "sign", "heaviside", "min", "max", "floor", "ceil", "round", "trunc", "dirac_delta", "fmod"})
      found = found || name == p;
  });
  return found;
}

layers::Result layers::by_pieces(Integrator& in, const Expr& f, const Symbol& x) {
  bool pieces = false;
  postorder(f, [&](const Expr& n) {
    if (depends_on(n, x) && has_piece(n)) pieces = true;
  });
  if (!pieces) return std::nullopt;
  // an impulse gives a step
  if (f.is(Kind::call) && f.function().name == "dirac_delta") {
    const auto l = linear_in(f.operands()[0], x);
    if (!l) return std::nullopt;
    return heaviside(f.operands()[0]) / l->slope;
  }
  const auto places = breaks_of_pieces(f, x, in.signs());
  if (!places) return by_counted_pieces(in, f, x);
  if (places->size() > 12) return std::nullopt;
  // integrate each piece, then shift each so that it continues the one before
  std::vector<Expr> parts;
  for (std::size_t i = 0; i <= places->size(); ++i) {
    const auto piece = piece_between(f, x, i == 0 ? -infinity() : (*places)[i - 1],
                                     i == places->size() ? infinity() : (*places)[i], in.signs());
    if (!piece) return std::nullopt;
    const auto F = in(*piece, x);
    if (!F) return std::nullopt;
    parts.push_back(*F);
  }
  std::vector<Expr> branches;
  Expr constant = 0;
  for (std::size_t i = 0; i < parts.size(); ++i) {
    if (i > 0) {
      const Expr& p = (*places)[i - 1];
      const auto value = [&](const Expr& F, bool above) -> std::optional<Expr> {
        try {
          Expr v = one_sided_limit(F, x, p, above, in.signs());
          return v;
        } catch (const NoLimit&) {
        } catch (const NoExpansion&) {
        }
        return std::nullopt;
      };
      const auto left = value(parts[i - 1], false);
      const auto right = value(parts[i], true);
      if (!left || !right) return std::nullopt;
      const Expr jump = *left - *right;
      // a pole between the pieces: each side keeps its own constant
      if (!has_infinity(jump)) constant += jump;
    }
    branches.push_back(parts[i] + constant);
    if (i < places->size()) branches.push_back(less(x, (*places)[i]));
  }
  in.note(fmt::format("in {} pieces, joined without jumps", parts.size()));
  return branches.size() == 1 ? branches[0] : piecewise(branches);
}

}  // namespace boreon
