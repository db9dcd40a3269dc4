// SPDX-License-Identifier: MIT
#include "boreon/pde.hpp"

#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "pdes/pde_form.hpp"

namespace boreon {

PdeSolution solve_pde(const Expr& equation, const Expr& unknown, const PdeOptions& options) {
  using namespace pdes;
  PdeSolution none;
  const auto form = linear_form_of(equation, unknown);
  std::vector<OnLine> lines;
  for (const Expr& g : options.given) lines.push_back(on_line(g, unknown));
  if (!form) {
    none.reason = "the equation is not linear in the unknown";
    return none;
  }
  if (auto s = by_characteristics(*form, lines, options)) return *s;
  if (auto s = by_eigenfunctions(*form, lines, options)) return *s;
  none.reason = "neither of first order, nor one of heat, waves or potentials with constant coefficients";
  return none;
}

Expr PdeSolution::partial_sum(std::int64_t terms) const {
  if (!term) return value;
  Expr out = beside.value_or(0);
  for (std::int64_t n = from; n <= terms; ++n) out += substitute(*term, {{index, Expr(n)}}, Unused::allowed);
  return out;
}

}  // namespace boreon
