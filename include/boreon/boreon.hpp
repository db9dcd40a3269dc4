// SPDX-License-Identifier: MIT
// All of Boreon.
#pragma once

#include "boreon/algebra.hpp"           // IWYU pragma: export
#include "boreon/bindings.hpp"          // IWYU pragma: export
#include "boreon/calculus.hpp"          // IWYU pragma: export
#include "boreon/catalogue.hpp"         // IWYU pragma: export
#include "boreon/coordinates.hpp"       // IWYU pragma: export
#include "boreon/cross_check.hpp"       // IWYU pragma: export
#include "boreon/csv_table.hpp"         // IWYU pragma: export
#include "boreon/equations.hpp"         // IWYU pragma: export
#include "boreon/error.hpp"             // IWYU pragma: export
#include "boreon/evaluate.hpp"          // IWYU pragma: export
#include "boreon/evidence.hpp"          // IWYU pragma: export
#include "boreon/expr.hpp"              // IWYU pragma: export
#include "boreon/figure.hpp"            // IWYU pragma: export
#include "boreon/function.hpp"          // IWYU pragma: export
#include "boreon/functions.hpp"         // IWYU pragma: export
#include "boreon/integral.hpp"          // IWYU pragma: export
#include "boreon/linear_algebra.hpp"    // IWYU pragma: export
#include "boreon/mathml.hpp"            // IWYU pragma: export
#include "boreon/matrix.hpp"            // IWYU pragma: export
#include "boreon/model.hpp"             // IWYU pragma: export
#include "boreon/names.hpp"             // IWYU pragma: export
#include "boreon/native.hpp"            // IWYU pragma: export
#include "boreon/number.hpp"            // IWYU pragma: export
#include "boreon/numeric_function.hpp"  // IWYU pragma: export
#include "boreon/ode.hpp"               // IWYU pragma: export
#include "boreon/operand_order.hpp"     // IWYU pragma: export
#include "boreon/program.hpp"           // IWYU pragma: export
#include "boreon/quadrature.hpp"        // IWYU pragma: export
#include "boreon/rewrite.hpp"           // IWYU pragma: export
#include "boreon/sampling.hpp"          // IWYU pragma: export
#include "boreon/series.hpp"            // IWYU pragma: export
#include "boreon/simplify.hpp"          // IWYU pragma: export
#include "boreon/solvers.hpp"           // IWYU pragma: export
#include "boreon/sparse_matrix.hpp"     // IWYU pragma: export
#include "boreon/spectrum.hpp"          // IWYU pragma: export
#include "boreon/sums.hpp"              // IWYU pragma: export
#include "boreon/symbol.hpp"            // IWYU pragma: export
#include "boreon/system.hpp"            // IWYU pragma: export
#include "boreon/text.hpp"              // IWYU pragma: export
#include "boreon/transform.hpp"         // IWYU pragma: export
#include "boreon/traverse.hpp"          // IWYU pragma: export
#include "boreon/work.hpp"              // IWYU pragma: export
