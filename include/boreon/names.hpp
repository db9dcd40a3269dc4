// Suggestions for misspelt names.
#pragma once

#include <span>
#include <string>
#include <string_view>

namespace boreon {

/// The candidate nearest to a misspelt name, or empty if none is near.
[[nodiscard]] std::string nearest_name(std::string_view name, std::span<const std::string> candidates);
/// "; did you mean 'alpha'?" or an empty text.
[[nodiscard]] std::string suggestion(std::string_view name, std::span<const std::string> candidates);

}  // namespace boreon
