// SPDX-License-Identifier: MIT
// Proofs that there is no elementary antiderivative.
#pragma once

#include <optional>
#include <string>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"

namespace boreon {

/// For sums of R(x)*exp(u(x)) with rational R and u, sines and cosines of rational arguments among them: by Liouville's
/// theorem R*exp(u) has an elementary antiderivative only if h' + u'*h = R has a rational solution h (M. Rosenlicht,
/// Am. Math. Monthly 79, 1972), and terms whose exponents differ by more than a constant do not help each other. The
/// reason in words if it is proved that there is none; nothing if nothing is proved.
[[nodiscard]] std::optional<std::string> no_elementary_form(const Expr& f, const Symbol& x);

}  // namespace boreon
