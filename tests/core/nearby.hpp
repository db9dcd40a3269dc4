// SPDX-License-Identifier: MIT
// Values beside a place, complex ones too, by ball arithmetic.
#pragma once

#include <complex>
#include <optional>
#include <string>

#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/work.hpp"
#include "core/one_variable.hpp"

namespace test {

/// The value of f where x is the number given; nothing where balls do not enclose it.
inline std::optional<std::complex<long double>> nearby(const boreon::Expr& f, const boreon::Number& place,
                                                       int digits = 21) {
  try {
    const boreon::Enclosure v = boreon::with_budget(100'000'000, [&] {
      return boreon::certify(f, {{x, place}}, digits, boreon::Unused::allowed);
    });
    return std::complex<long double>{std::stold(v.real), v.imaginary.empty() ? 0 : std::stold(v.imaginary)};
  } catch (const boreon::Error&) {
    return std::nullopt;
  } catch (const std::out_of_range&) {  // beyond the range of long double
    return std::nullopt;
  }
}

}  // namespace test
