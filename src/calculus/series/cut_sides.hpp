// SPDX-License-Identifier: MIT
// Functions at places on their branch cuts: which side the value there belongs to, and what it is on the other side.
#pragma once

#include <optional>

#include "boreon/expr.hpp"

namespace boreon {

/// What the derivatives of a function at a place are for an argument that arrives from one side of the real axis.
enum class BesideCut {
  regular,   ///< those at the place: there is no cut, or it is continuous from that side
  mirrored,  ///< the conjugates of those at the place
  unknown    ///< neither, or nothing is known
};

/// For a call whose argument with this index goes to `place` with an imaginary part of the given sign. Read off values
/// beside the place, so that it holds for each function whose cuts are known (values/branch_cuts.hpp).
[[nodiscard]] BesideCut beside_cut(const Expr& call, std::size_t argument, const Expr& place, int side);

/// The conjugate of a function's value (or of a derivative, then without the call) at a real place, in the functions
/// that stand in it where that is possible.
[[nodiscard]] Expr mirrored_value(const Expr& value, const Expr& place);

/// asinh and atan, whose cuts lie on the imaginary axis, in terms of asin and atanh where the argument goes to a place
/// on them; nothing for others.
[[nodiscard]] std::optional<Expr> turned_onto_real_axis(const Expr& call, const Expr& place);

}  // namespace boreon
