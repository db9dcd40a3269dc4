// SPDX-License-Identifier: MIT
// Standard output, standard error and signals.
#pragma once

#include <cstdio>
#include <string>
#include <string_view>

namespace boreon::cli {

/// What a terminal would carry out or reorder is written out: control characters, bidirectional marks, bytes that are
/// no UTF-8. Line breaks and tabs stay.
[[nodiscard]] std::string harmless(std::string_view text);

/// Throws Error(io) if the text could not be written (a full disk, a closed device).
void print(std::FILE* where, std::string_view text);

/// From now on Ctrl-C and SIGTERM ask the running command to stop; the second time they end the program at once.
void catch_signals();
/// The signal that has arrived, or 0.
[[nodiscard]] int caught_signal() noexcept;

}  // namespace boreon::cli
