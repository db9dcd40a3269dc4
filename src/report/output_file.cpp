// SPDX-License-Identifier: MIT
#include "boreon/output_file.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cctype>
#include <cerrno>
#include <cstring>
#include <filesystem>
#include <fstream>

#include "boreon/error.hpp"
#include "boreon/work.hpp"

namespace boreon {
namespace {

namespace fs = std::filesystem;

[[noreturn]] void fail(const std::string& path, const char* what, int code) {
  const std::string why =
      code != 0 ? fmt::format(" ({})", std::strerror(code)) : std::string();  // NOLINT: messages are copied at once
  throw Error(ErrorKind::io, fmt::format("'{}' {}{}", path, what, why));
}

std::string first_bytes(const fs::path& path, std::size_t count) {
  std::ifstream file(path, std::ios::binary);
  std::string text(count, '\0');
  file.read(text.data(), static_cast<std::streamsize>(count));
  text.resize(static_cast<std::size_t>(std::max<std::streamsize>(0, file.gcount())));
  return text;
}

// A line of names and then a line of numbers.
bool looks_like_table(const std::string& text) {
  const std::size_t end = text.find('\n');
  if (end == std::string::npos || end == 0) return false;
  const std::string head = text.substr(0, end);
  const bool names = std::all_of(head.begin(), head.end(), [](unsigned char c) {
    return std::isalnum(c) != 0 || c == '\r' || std::strchr("_,'[]\" /^-*().", c) != nullptr;  // units too
  });
  const std::string next = text.substr(end + 1, text.find('\n', end + 1) - end - 1);
  const bool numbers = std::all_of(next.begin(), next.end(), [](unsigned char c) {
    return std::isdigit(c) != 0 || std::strchr("+-.,eEnaif\r ", c) != nullptr;
  });
  return names && numbers;
}

bool is_own(const fs::path& path) {
  const std::string ending = path.extension().string();
  const std::string head = first_bytes(path, 4096);
  if (head.empty()) return true;
  if (ending == ".png") return head.starts_with("\x89PNG");
  if (ending == ".svg") return head.find("<svg") != std::string::npos;
  if (ending == ".csv") return looks_like_table(head);
  if (ending == ".json") return head[0] == '{' && head.find("\"ok\"") != std::string::npos;
  return head.substr(0, 600).find("Boreon") != std::string::npos;
}

}  // namespace

OutputFile::OutputFile(const std::string& path, const OutputPolicy& policy) : path_(path) {
  if (path.empty()) throw Error(ErrorKind::usage, "the name of a file to write is empty");
  std::error_code error;
  const fs::path given(path);
  const fs::path parent = given.parent_path().empty() ? fs::path(".") : given.parent_path();
  if (!fs::is_directory(parent, error))
    throw Error(ErrorKind::io, fmt::format("the folder of '{}' does not exist", path));
  const fs::file_status status = fs::status(given, error);
  if (fs::is_directory(status)) throw Error(ErrorKind::io, fmt::format("'{}' is a folder; name a file in it", path));
  if (fs::exists(status)) {
    for (const std::string& input : policy.inputs) {
      if (fs::exists(input, error) && fs::equivalent(given, input, error)) {
        throw Error(ErrorKind::io,
                    fmt::format("'{}' is an input of this command and stays as it is; write to another file", path));
      }
    }
    if (!fs::is_regular_file(status)) {
      descriptor_ = ::open(path.c_str(), O_WRONLY | O_CLOEXEC);
      if (descriptor_ < 0) fail(path, "cannot be written", errno);
      return;
    }
    if (::access(path.c_str(), W_OK) != 0) fail(path, "cannot be written", errno);
    if (!policy.force && !is_own(given)) {
      throw Error(ErrorKind::io, fmt::format("'{}' exists and does not look like output of this command; write to "
                                             "another file, or replace it with --force",
                                             path));
    }
  }
  const fs::path target = fs::exists(status) ? fs::canonical(given, error) : given;
  target_ = error ? path : target.string();
  fs::path pattern =
      fs::path(target_).parent_path() / fmt::format(".{}.XXXXXX", fs::path(target_).filename().string().substr(0, 200));
  temporary_ = pattern.string();
  descriptor_ = ::mkostemp(temporary_.data(), O_CLOEXEC);
  if (descriptor_ < 0) {
    const int code = errno;
    temporary_.clear();
    fail(path, "cannot be written", code);
  }
  struct stat old {};
  const mode_t mask = ::umask(0);
  ::umask(mask);
  const mode_t mode = ::stat(target_.c_str(), &old) == 0 ? (old.st_mode & 0777U) : (0666U & ~mask);
  (void)::fchmod(descriptor_, mode);
}

OutputFile::~OutputFile() { discard(); }

void OutputFile::discard() noexcept {
  if (descriptor_ >= 0) ::close(descriptor_);
  descriptor_ = -1;
  if (!temporary_.empty()) ::unlink(temporary_.c_str());
  temporary_.clear();
}

void OutputFile::write(std::string_view text) {
  while (!text.empty()) {
    if (interrupt_requested())
      throw Stopped(
          Error(ErrorKind::interrupted, fmt::format("'{}' was not written: stopped before it was done", path_)));
    const ssize_t n = ::write(descriptor_, text.data(), std::min<std::size_t>(text.size(), std::size_t{1} << 20U));
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) {
      const int code = errno;
      discard();
      fail(path_, "could not be written whole; what was there before is untouched", code);
    }
    text.remove_prefix(static_cast<std::size_t>(n));
  }
}

void OutputFile::finish() {
  const bool device = temporary_.empty();
  const bool synced = device || ::fsync(descriptor_) == 0;
  const int sync_code = errno;
  const bool closed = ::close(descriptor_) == 0;
  const int close_code = errno;
  descriptor_ = -1;
  if (!synced || !closed) {
    discard();
    fail(path_, "could not be written whole; what was there before is untouched", synced ? close_code : sync_code);
  }
  if (device) return;
  if (::rename(temporary_.c_str(), target_.c_str()) != 0) {
    const int code = errno;
    discard();
    fail(path_, "cannot be put in its place", code);
  }
  temporary_.clear();
}

std::string OutputFile::head(std::size_t bytes) const {
  std::string text(bytes, '\0');
  const ssize_t n = ::pread(descriptor_, text.data(), bytes, 0);
  text.resize(static_cast<std::size_t>(std::max<ssize_t>(0, n)));
  return text;
}

std::string OutputFile::tail(std::size_t bytes) const {
  const off_t size = ::lseek(descriptor_, 0, SEEK_END);
  std::string text(bytes, '\0');
  const ssize_t n = ::pread(descriptor_, text.data(), bytes, std::max<off_t>(0, size - static_cast<off_t>(bytes)));
  text.resize(static_cast<std::size_t>(std::max<ssize_t>(0, n)));
  return text;
}

void write_output(const std::string& path, std::string_view text, const OutputPolicy& policy) {
  OutputFile file(path, policy);
  file.write(text);
  file.finish();
}

void make_output_folder(const std::string& path) {
  std::error_code error;
  fs::create_directories(path, error);
  if (!fs::is_directory(path, error)) throw Error(ErrorKind::io, fmt::format("the folder '{}' cannot be made", path));
}

}  // namespace boreon
