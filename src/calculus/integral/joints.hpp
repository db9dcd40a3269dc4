// SPDX-License-Identifier: MIT
// Antiderivatives without jumps on the whole line: where methods leave some, and what mends them.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"
#include "calculus/integral/integrator.hpp"

namespace boreon {

/// What is wrong with F as an antiderivative of f in x on the real line, by walks at points of the parameters that
/// the conditions allow.
struct LineFault {
  enum class Kind : std::uint8_t { none, unreal, jump };
  Kind kind = Kind::none;
  std::string text;  ///< "jumps near x = 2, where the integrand is regular"
};
[[nodiscard]] LineFault fault_on_the_line(const Expr& f, const Expr& F, const Symbol& x,
                                          std::span<const Expr> conditions, std::uint64_t seed);

/// Whether e is made of polynomials, exponentials, sines, ...: it has no place at which it could jump or be singular.
[[nodiscard]] bool smooth_everywhere(const Expr& e, const Symbol& x);

/// F with real values where its parts are complex for arguments of one sign: log(abs(u)), Ci(abs(u)), -Ei(-u) for E1.
[[nodiscard]] Expr with_real_parts(const Expr& F, const Symbol& x);

/// F without its jumps at finitely many places, where its limits from both sides are known.
[[nodiscard]] std::optional<Expr> steps_taken_back(Integrator& in, const Expr& F, const Symbol& x);

/// F with tangents of a linear argument, made continuous at their poles by steps of a floor. Throws as limits do.
[[nodiscard]] std::optional<Expr> tangents_joined(Integrator& in, const Expr& F, const Symbol& x);

/// f with the roots of 1 +- cos(u) and 1 +- sin(u) as amounts of a cosine or sine of half the angle.
[[nodiscard]] std::optional<Expr> half_angles(Integrator& in, const Expr& f, const Symbol& x);

}  // namespace boreon
