// SPDX-License-Identifier: MIT
// Values of a TOML file with their places, for messages.
#pragma once

#ifndef NDEBUG
// Some of the parser's assertions are about the file, not about the parser.
namespace boreon {
[[noreturn]] void reject_toml(const char* expectation);
}
#define TOML_ASSERT(expr) (static_cast<bool>(expr) ? void() : boreon::reject_toml(#expr))
#endif
#include <toml++/toml.h>

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "boreon/error.hpp"
#include "boreon/number.hpp"

namespace boreon {

/// Throws errors that point into one TOML file.
class TomlReader {
 public:
  TomlReader(std::string_view text, std::string path);

  [[nodiscard]] const toml::table& root() const noexcept { return root_; }
  [[nodiscard]] SourcePosition position(const toml::node& node) const;
  [[nodiscard]] SourcePosition position(const toml::key& key) const;
  [[noreturn]] void fail(ErrorKind kind, const std::string& message, const SourcePosition& at) const;

  /// Where the text of a string value starts, behind its opening quotes.
  [[nodiscard]] SourcePosition text_start(const toml::node& node) const;

  /// A number as typed (4.2e-13 is exact), or an error that says what stands there.
  [[nodiscard]] Number number(const toml::node& node, std::string_view what) const;
  [[nodiscard]] std::string text(const toml::node& node, std::string_view what) const;
  /// Every key of the table must be one of these.
  void require_keys(const toml::table& table, std::string_view where, const std::vector<std::string>& allowed) const;

 private:
  [[nodiscard]] std::string line(std::size_t number) const;
  std::string text_;
  mutable std::vector<std::size_t> line_starts_;  // found when the first line is asked for
  std::string path_;
  toml::table root_;
};

}  // namespace boreon
