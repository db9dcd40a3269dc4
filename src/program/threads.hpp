// SPDX-License-Identifier: MIT
// Work shared among threads.
#pragma once

#include <cstddef>

namespace boreon {

/// Calls work(context, 0), ..., work(context, count - 1) at the same time, the first in this thread; rethrows the first
/// exception once all have ended. Helpers sleep between calls, for a call should not pay for starting them; who finds
/// them at work starts threads of its own.
void run_in_threads(std::size_t count, void (*work)(const void* context, std::size_t i), const void* context);

/// The same with f(0), ..., f(count - 1).
template <class F>
void run_in_threads(std::size_t count, const F& f) {
  run_in_threads(
      count, [](const void* context, std::size_t i) { (*static_cast<const F*>(context))(i); }, &f);
}

}  // namespace boreon
