// SPDX-License-Identifier: MIT
// Errors: what went wrong, where in the text, and what to do about it.
#pragma once

#include <cstddef>
#include <stdexcept>
#include <string>

#include "boreon/export.hpp"

namespace boreon BOREON_API {

/// A place in a text or a file. Lines and columns count from 1; 0 means "not known". Columns count bytes.
struct SourcePosition {
  std::string file;
  std::size_t line = 0;
  std::size_t column = 0;

  [[nodiscard]] bool known() const noexcept { return line != 0; }
};

/// What class of mistake an Error reports.
enum class ErrorKind {
  syntax,       ///< text that does not follow the grammar
  name,         ///< a name that is unknown, repeated or used as what it is not
  shape,        ///< sizes that do not fit together
  domain,       ///< a value outside the domain of a function
  binding,      ///< a symbol without a value, or a value without a symbol
  cycle,        ///< definitions that go in circles
  unsupported,  ///< valid mathematics that this library cannot do
  convergence,  ///< a numeric method that did not reach its goal
  check,        ///< a cross-check that disagreed
  io,           ///< a file or a program that cannot be used
  usage,        ///< a call or a command line that makes no sense
  limit,        ///< work or size beyond a limit
  interrupted   ///< stopped by request_interrupt(), for instance at Ctrl-C
};

/// The word for a kind, as used in the JSON contract ("syntax", "name", ...).
[[nodiscard]] const char* to_string(ErrorKind kind) noexcept;

/// Every exception that Boreon throws. `what()` holds the whole message; where a position is known it starts with
/// "file:line:column: " and ends with the offending line and a caret under the place.
class Error : public std::runtime_error {
 public:
  Error(ErrorKind kind, const std::string& message);
  /// `caret` is the column under which the caret stands in `source_line` if that is not the whole line of the file;
  /// 0: the column of the position.
  Error(ErrorKind kind, const std::string& message, SourcePosition position, std::string source_line = {},
        std::size_t caret = 0);

  [[nodiscard]] ErrorKind kind() const noexcept { return kind_; }
  /// The message alone, without position and caret line.
  [[nodiscard]] const std::string& message() const noexcept { return message_; }
  [[nodiscard]] const SourcePosition& position() const noexcept { return position_; }
  /// The line of text the position points into, empty if not known.
  [[nodiscard]] const std::string& source_line() const noexcept { return source_line_; }

 private:
  ErrorKind kind_;
  std::string message_;
  SourcePosition position_;
  std::string source_line_;
};

}  // namespace boreon
