// SPDX-License-Identifier: MIT
#include "terminal.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>
#include <cstdint>
#include <cstring>

#include "boreon/error.hpp"
#include "boreon/work.hpp"

namespace boreon::cli {
namespace {

volatile std::sig_atomic_t last_signal = 0;

extern "C" void on_signal(int signal) {
  if (last_signal != 0) ::_exit(128 + signal);
  last_signal = signal;
  request_interrupt();
}

// The code point at text[at] and its length; length 0 if the bytes are no UTF-8.
struct CodePoint {
  std::uint32_t value = 0;
  std::size_t length = 0;
};

CodePoint decode(std::string_view text, std::size_t at) {
  const auto byte = [&](std::size_t i) { return static_cast<unsigned char>(text[i]); };
  const unsigned char first = byte(at);
  if (first < 0x80) return {first, 1};
  const std::size_t length = first >= 0xF0 && first < 0xF5 ? 4 : first >= 0xE0 ? 3 : first >= 0xC2 ? 2 : 0;
  if (length == 0 || first >= 0xF5 || at + length > text.size()) return {};
  std::uint32_t value = first & (0xFFU >> (length + 1));
  for (std::size_t i = 1; i < length; ++i) {
    if ((byte(at + i) & 0xC0U) != 0x80U) return {};
    value = (value << 6U) | (byte(at + i) & 0x3FU);
  }
  const std::uint32_t least = length == 2 ? 0x80 : length == 3 ? 0x800 : 0x10000;
  if (value < least || value > 0x10FFFF || (value >= 0xD800 && value < 0xE000)) return {};
  return {value, length};
}

bool dangerous(std::uint32_t c) {
  const bool control = (c < 0x20 && c != '\n' && c != '\t') || (c >= 0x7F && c < 0xA0);
  const bool direction =
      c == 0x061C || c == 0x200E || c == 0x200F || (c >= 0x202A && c <= 0x202E) || (c >= 0x2066 && c <= 0x2069);
  const bool line = c == 0x2028 || c == 0x2029 || c == 0xFEFF;
  return control || direction || line;
}

}  // namespace

std::string harmless(std::string_view text) {
  std::string out;
  out.reserve(text.size());
  for (std::size_t at = 0; at < text.size();) {
    const CodePoint c = decode(text, at);
    if (c.length == 0) {
      out += fmt::format("\\x{:02x}", static_cast<unsigned char>(text[at]));
      ++at;
      continue;
    }
    if (dangerous(c.value)) {
      out += fmt::format("\\u{{{:04x}}}", c.value);
    } else {
      out.append(text.substr(at, c.length));
    }
    at += c.length;
  }
  return out;
}

void print(std::FILE* where, std::string_view text) {
  errno = 0;
  const bool good = std::fwrite(text.data(), 1, text.size(), where) == text.size() && std::fflush(where) == 0;
  if (!good)
    throw Error(ErrorKind::io, fmt::format("standard output could not be written ({})",
                                           std::strerror(errno)));  // NOLINT: copied at once
}

void catch_signals() {
  struct sigaction action {};
  action.sa_handler = on_signal;
  sigemptyset(&action.sa_mask);
  ::sigaction(SIGINT, &action, nullptr);
  ::sigaction(SIGTERM, &action, nullptr);
}

int caught_signal() noexcept { return last_signal; }

}  // namespace boreon::cli
