// SPDX-License-Identifier: MIT
// Evidence for definite integrals.
#pragma once

#include <optional>
#include <span>

#include "boreon/integral.hpp"
#include "calculus/integral/attempt.hpp"
#include "calculus/signs.hpp"

namespace boreon {

/// Whether dirac_delta occurs.
[[nodiscard]] bool has_impulse(const Expr& e);
/// What the impulses inside the range contribute, and the integrand without them; nothing if a place is not known.
struct Impulses {
  Expr value;
  Expr rest;
};
[[nodiscard]] std::optional<Impulses> split_impulses(const Expr& f, const Symbol& x, const Expr& from, const Expr& to,
                                                     Signs& signs);

struct DefiniteCheck {
  std::size_t points = 3;
  std::uint64_t seed = 20260101;
  bool* not_real = nullptr;  ///< set where quadrature failed because the integrand has no real value somewhere
};
/// Compares the value with quadrature at random parameters under the conditions.
[[nodiscard]] Evidence check_definite(const Expr& f, const Symbol& x, const Expr& from, const Expr& to,
                                      const Expr& value, std::span<const Expr> conditions,
                                      const DefiniteCheck& how = {});

/// The same for a principal value with poles inside the range: the integrand is folded around each,
/// f(p + t) + f(p - t).
[[nodiscard]] Evidence check_principal(const Expr& f, const Symbol& x, const Expr& from, const Expr& to,
                                       const Expr& value, std::span<const Expr> conditions,
                                       const DefiniteCheck& how = {});

/// The same for an integrand with impulses, which stand as narrow Gaussians for it: some seven digits at most.
[[nodiscard]] Evidence check_impulses(const Expr& f, const Symbol& x, const Expr& from, const Expr& to,
                                      const Expr& value, std::span<const Expr> conditions);

/// Compares the value with the rest and differences of the antiderivatives, closer and closer to the ends of each part
/// of their ranges (ascending, the first and last may be infinite): the difference has to shrink. In between they have
/// to grow as the integral does.
[[nodiscard]] Evidence check_limits(std::span<const UsedAntiderivative> parts, const Expr& rest,
                                    const DefiniteProblem& p, const Expr& value, std::span<const Expr> conditions,
                                    const DefiniteCheck& how = {});

/// Whether quadrature finds a finite value of what is said to diverge.
[[nodiscard]] bool contradicts(const Expr& f, const Symbol& x, const Expr& from, const Expr& to,
                               std::span<const Expr> conditions);

}  // namespace boreon
