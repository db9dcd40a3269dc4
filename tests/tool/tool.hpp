// SPDX-License-Identifier: MIT
// Runs the real command-line tool.
#pragma once

#include <sys/wait.h>
#include <unistd.h>
#include <array>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <string>

namespace test {

struct Output {
  int code = 0;
  std::string text;  // standard output and standard error
  std::string out;   // standard output alone
  [[nodiscard]] bool says(const std::string& part) const { return text.find(part) != std::string::npos; }
  [[nodiscard]] nlohmann::json json() const { return nlohmann::json::parse(out); }
};

inline std::string read_all(std::FILE* pipe) {
  std::string text;
  std::array<char, 4096> buffer{};
  for (std::size_t n = 0; (n = std::fread(buffer.data(), 1, buffer.size(), pipe)) > 0;) text.append(buffer.data(), n);
  return text;
}

inline Output tool(const std::string& arguments) {
  Output o;
  const std::string errors =
      (std::filesystem::temp_directory_path() / ("boreon-errors-" + std::to_string(::getpid()))).string();
  std::FILE* pipe = ::popen((std::string(BOREON_TOOL) + " " + arguments + " 2>" + errors).c_str(), "r");
  o.out = read_all(pipe);
  o.code = WEXITSTATUS(::pclose(pipe));
  std::ifstream file(errors);
  o.text = o.out + std::string(std::istreambuf_iterator<char>(file), {});
  std::filesystem::remove(errors);
  return o;
}

/// A folder that is removed at the end of the test.
class Folder {
 public:
  Folder() : path_(std::filesystem::temp_directory_path() / ("boreon-tool-" + std::to_string(::getpid()))) {
    std::filesystem::create_directories(path_);
  }
  ~Folder() { std::filesystem::remove_all(path_); }
  Folder(const Folder&) = delete;
  Folder& operator=(const Folder&) = delete;
  [[nodiscard]] std::string file(const std::string& name, const std::string& text) const {
    std::ofstream(path_ / name) << text;
    return (path_ / name).string();
  }
  [[nodiscard]] std::string operator/(const std::string& name) const { return (path_ / name).string(); }

 private:
  std::filesystem::path path_;
};

inline std::string model(const std::string& name) { return std::string(BOREON_MODELS) + "/" + name; }

}  // namespace test
