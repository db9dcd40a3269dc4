// SPDX-License-Identifier: MIT
// Files that are written whole or not at all.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "boreon/export.hpp"

namespace boreon BOREON_API {

/// What may be replaced by a new file.
struct OutputPolicy {
  /// Files that were read for this answer: never replaced, not even by force.
  std::vector<std::string> inputs = {};
  /// Replaces files that do not look like earlier output of the same kind.
  bool force = false;
};

/// A file under construction: a temporary one beside its place, which takes it when it is complete. Whatever happens
/// before (an error, a full disk, an interrupt), the old file stays and nothing is left behind.
///
///     OutputFile file("run.csv");
///     file.write("t,x\n");
///     file.finish();
class OutputFile {
 public:
  /// Throws Error(io) if the folder does not exist or cannot be written, if the path is one of the inputs, or if a file
  /// stands there that is not of the kind that is written: the endings .png, .svg, .csv, .json are known by their
  /// contents, other text by the word Boreon in its first lines. Devices and pipes are written directly.
  explicit OutputFile(const std::string& path, const OutputPolicy& policy = {});
  ~OutputFile();
  OutputFile(const OutputFile&) = delete;
  OutputFile& operator=(const OutputFile&) = delete;

  void write(std::string_view text);  ///< throws Error(io)
  /// Everything on the disk, then in its place. Throws Error(io).
  void finish();
  [[nodiscard]] int descriptor() const noexcept { return descriptor_; }
  /// What has been written so far, for checks before finish(): the first and the last bytes.
  [[nodiscard]] std::string head(std::size_t bytes) const;
  [[nodiscard]] std::string tail(std::size_t bytes) const;

 private:
  void discard() noexcept;
  std::string path_;       // as the caller wrote it, for messages
  std::string target_;     // behind links
  std::string temporary_;  // empty for devices
  int descriptor_ = -1;
};

/// The whole file at once.
void write_output(const std::string& path, std::string_view text, const OutputPolicy& policy = {});

/// A folder, made if it is missing. Throws Error(io).
void make_output_folder(const std::string& path);

}  // namespace boreon
