// SPDX-License-Identifier: MIT
#include "boreon/error.hpp"

#include <fmt/format.h>

namespace boreon {
namespace {

std::string compose(const std::string& message, const SourcePosition& at, const std::string& line, std::size_t column) {
  std::string text;
  if (!at.file.empty()) text += at.file + ":";
  if (at.known()) text += fmt::format("{}:{}:", at.line, at.column);
  if (!text.empty()) text += ' ';
  text += message;
  if (!line.empty() && column != 0) {
    // Long lines are cut around the caret so that it stays in sight.
    constexpr std::size_t before = 60;
    constexpr std::size_t width = 100;
    const std::size_t caret = column - 1;
    const std::size_t start = caret > before ? caret - before : 0;
    const bool cut = line.size() > start + width;
    text += fmt::format("\n  {}{}{}", start > 0 ? "..." : "", line.substr(std::min(start, line.size()), width),
                        cut ? "..." : "");
    text += fmt::format("\n  {}^", std::string(caret - start + (start > 0 ? 3 : 0), ' '));
  }
  return text;
}

}  // namespace

const char* to_string(ErrorKind kind) noexcept {
  switch (kind) {
    case ErrorKind::syntax: return "syntax";
    case ErrorKind::name: return "name";
    case ErrorKind::shape: return "shape";
    case ErrorKind::domain: return "domain";
    case ErrorKind::binding: return "binding";
    case ErrorKind::cycle: return "cycle";
    case ErrorKind::unsupported: return "unsupported";
    case ErrorKind::convergence: return "convergence";
    case ErrorKind::check: return "check";
    case ErrorKind::io: return "io";
    case ErrorKind::usage: return "usage";
    case ErrorKind::limit: return "limit";
    case ErrorKind::interrupted: return "interrupted";
  }
  return "error";
}

Error::Error(ErrorKind kind, const std::string& message)
    : std::runtime_error(message), kind_(kind), message_(message) {}

Error::Error(ErrorKind kind, const std::string& message, SourcePosition position, std::string source_line,
             std::size_t caret)
    : std::runtime_error(compose(message, position, source_line, caret != 0 ? caret : position.column)),
      kind_(kind),
      message_(message),
      position_(std::move(position)),
      source_line_(std::move(source_line)) {}

}  // namespace boreon
