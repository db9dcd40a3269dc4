// SPDX-License-Identifier: MIT
// Reading content MathML. Part of boreon::model, since it needs an XML parser; to_mathml is in text.hpp.
#pragma once

#include <string_view>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/text.hpp"

namespace boreon BOREON_API {

/// Reads a math element that is content MathML or carries it as an annotation, an apply element, or any other single
/// content element. What to_mathml writes reads back to the identical expression when the context knows the symbols
/// (ParseContext::of). Beyond that: minus, divide, root, log with logbase, quotients of the trigonometric functions
/// (sec, cot, ...), factorial, gt, geq, e-notation numbers. Elements nest at most 2000 deep. Throws Error(syntax) with
/// line and column, Error(unsupported) for elements that have no meaning here.
[[nodiscard]] Expr parse_mathml(std::string_view text, const ParseContext& context = {});

}  // namespace boreon
