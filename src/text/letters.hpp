// SPDX-License-Identifier: MIT
// Names as mathematicians write them: Greek letters and subscripts.
#pragma once

#include <string>
#include <string_view>

namespace boreon {

/// "alpha" gives \alpha, "Delta_n" gives \Delta_{n}, "k1" gives k_{1}, "E_perp" gives E_{\mathrm{perp}}.
[[nodiscard]] std::string latex_name(std::string_view name);
/// "alpha" gives <mi>α</mi>, "k1" gives <msub><mi>k</mi><mn>1</mn></msub>.
[[nodiscard]] std::string mathml_name(std::string_view name);
/// "alpha" gives α, "k1" gives k₁; a subscript without small characters keeps its underscore.
/// A name with indices as a subscript, behind the one it has.
[[nodiscard]] std::string latex_element(std::string_view name, std::string_view indices);
[[nodiscard]] std::string unicode_name(std::string_view name);

}  // namespace boreon
