// SPDX-License-Identifier: MIT
// What derive and check share.
#pragma once

#include "command.hpp"

namespace boreon::cli {

struct DeriveRequest : Request {
  Option<std::string> what;
  Option<std::string> coordinates;
  Option<std::string> of;
  Option<std::vector<std::string>> wrt;
  Option<std::string> implicit;
  Option<bool> no_check{false};

  void declare(Declaration& d) override;
};

struct CheckRequest : DeriveRequest {
  Option<std::size_t> points{0};
  Option<bool> certify{false};
  Option<bool> order{false};
  Option<bool> loops{false};
  Option<std::string> at;

  void declare(Declaration& d) override;
};

/// Derivatives of expressions; `points` random points to compare at, 0 for as many as usual.
[[nodiscard]] Answer derive_expressions(const DeriveRequest& r, std::size_t points = 0);
/// determinant, divergence, curl, laplacian, and gradients in curvilinear coordinates.
[[nodiscard]] Answer derive_field(const DeriveRequest& r);
/// --implicit: derivatives along the curve that an equation gives.
[[nodiscard]] Answer implicit_slope(const DeriveRequest& r);
/// Whether the two sides of an equation are the same function.
[[nodiscard]] Answer equivalence(const CheckRequest& r);
/// check --certify: at the start values of a model, or for expressions at --at.
[[nodiscard]] Answer certificate_of_model(const CheckRequest& r);
[[nodiscard]] Answer certificate_of_expressions(const CheckRequest& r);

}  // namespace boreon::cli
