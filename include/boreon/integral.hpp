// SPDX-License-Identifier: MIT
// Integrals: antiderivatives, definite and improper integrals, iterated integrals. Every closed form has been compared
// with independent numerics before it is returned.
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "boreon/bindings.hpp"
#include "boreon/evidence.hpp"
#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"

namespace boreon BOREON_API {

enum class IntegralStatus {
  exact,        ///< a closed form that numbers confirm
  approximate,  ///< a number by quadrature, because it was asked for
  unevaluated,  ///< no closed form was found: the value holds an integral node
  divergent     ///< the integral has no finite value; the value is `undefined` or infinite
};
[[nodiscard]] const char* to_string(IntegralStatus s) noexcept;

/// A method of one's own for definite integrals: the value, or nothing.
using IntegralMethod =
    std::function<std::optional<Expr>(const Expr& f, const Expr& x, const Expr& from, const Expr& to)>;

struct IntegralOptions {
  std::vector<Expr> conditions = {};  ///< relations that hold, such as a > b; assumptions of symbols hold anyway
  bool principal_value = false;       ///< Cauchy's principal value at poles inside the range
  bool assume = true;                 ///< take signs that are not known as positive and say so in `conditions`
  bool exceptions = true;  ///< look for parameter values at which the closed form fails, and give their values
  std::vector<IntegralMethod> methods = {};  ///< tried first; their answers are verified like all others
  std::size_t points = 6;                    ///< of the comparison with numerics
  std::uint64_t seed = 20260101;
};

/// What holds where the main answer fails.
struct IntegralException {
  Expr when;   ///< an equation or inequality between parameters
  Expr value;  ///< the integral there; `undefined` where it diverges
};

struct IntegralResult {
  Expr value;
  IntegralStatus status = IntegralStatus::unevaluated;
  std::vector<Expr> conditions;  ///< under which the value holds, beyond those given
  std::vector<IntegralException> exceptions;
  Evidence check;
  std::vector<std::string> steps;  ///< the route, in words and formulas
  std::string reason;              ///< where it diverges, or what is proved of an integral without closed form
};

/// An antiderivative in x, continuous where the integrand is as far as its breaks are known; without a constant. The
/// layers are tried in this order, cheapest first: rules, rational functions, substitution, circular and exponential
/// functions, undetermined coefficients over the functions of the integrand, roots, special functions, by parts.
[[nodiscard]] IntegralResult integrate(const Expr& f, const Expr& x, const IntegralOptions& options = {});

/// The integral of f over x from a to b; either may be infinite.
[[nodiscard]] IntegralResult integrate(const Expr& f, const Expr& x, const Expr& from, const Expr& to,
                                       const IntegralOptions& options = {});

/// One step of an iterated integral.
struct IntegralRange {
  Expr variable;
  std::optional<Expr> from;  ///< both or none
  std::optional<Expr> to;
};
/// Ranges from the innermost out; limits may depend on variables further out. Two finite ranges are exchanged where
/// that helps and the limits allow it.
[[nodiscard]] IntegralResult integrate(const Expr& f, std::span<const IntegralRange> ranges,
                                       const IntegralOptions& options = {});

/// Places inside the range at which quadrature should be split: poles, branch points, kinks and jumps that were found,
/// in ascending order, with the bindings put in. Empty where the search finds nothing or not everything.
[[nodiscard]] std::vector<Expr> places_to_split(const Expr& f, const Expr& x, const Expr& from, const Expr& to,
                                                const Bindings& bindings = {});

/// The value alone; an unevaluated integral node where no closed form was found.
[[nodiscard]] Expr integral(const Expr& f, const Expr& x, const IntegralOptions& options = {});
[[nodiscard]] Expr integral(const Expr& f, const Expr& x, const Expr& from, const Expr& to,
                            const IntegralOptions& options = {});

}  // namespace boreon
