// SPDX-License-Identifier: MIT
#include "expr/memory.hpp"

#ifdef __linux__
#include <fcntl.h>
#include <unistd.h>

#include <array>
#include <charconv>
#endif

namespace boreon {

#ifdef __linux__

// The second number of /proc/self/statm is the resident size in pages. No stream: this is called where memory is short.
std::uint64_t occupied_bytes() noexcept {
  static const auto page = static_cast<std::uint64_t>(::sysconf(_SC_PAGESIZE));
  const int file = ::open("/proc/self/statm", O_RDONLY | O_CLOEXEC);
  if (file < 0) return 0;
  std::array<char, 128> text{};
  const ::ssize_t n = ::read(file, text.data(), text.size());
  ::close(file);
  if (n <= 0) return 0;
  const char* at = text.data();
  const char* const end = at + n;
  while (at < end && *at != ' ') ++at;
  std::uint64_t pages = 0;
  if (at == end || std::from_chars(at + 1, end, pages).ec != std::errc{}) return 0;
  return pages * page;
}

#else

std::uint64_t occupied_bytes() noexcept { return 0; }

#endif

}  // namespace boreon
