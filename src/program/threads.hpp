// Work shared among threads that start and end with it.
#pragma once

#include <cstddef>
#include <thread>
#include <vector>

namespace boreon {

/// Calls f(0), ..., f(count - 1), each in a thread of its own; f(0) in this one.
template <class F>
void run_in_threads(std::size_t count, const F& f) {
  std::vector<std::thread> others;
  for (std::size_t i = 1; i < count; ++i) others.emplace_back([&f, i] { f(i); });
  f(std::size_t{0});
  for (auto& t : others) t.join();
}

}  // namespace boreon
