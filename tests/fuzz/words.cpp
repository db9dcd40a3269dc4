// SPDX-License-Identifier: MIT
// The words of a command line, one a line. Words that name files or write them are left out; models are the shipped
// ones.
#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <string>
#include <string_view>
#include <vector>

#include "fuzz/harness.hpp"
#include "tool.hpp"

namespace {

bool harmless_word(const std::string& w) {
  static const char* const left_out[] = {"--out", "--force", "--work", "--memory", "--plot", "plot", "generate", "demo"};
  return w.find('/') == std::string::npos &&
         std::none_of(std::begin(left_out), std::end(left_out), [&](const char* l) { return w.starts_with(l); });
}

// What is printed meanwhile.
class Captured {
 public:
  Captured() : before_(stdout) { stdout = ::open_memstream(&text_, &size_); }
  ~Captured() {
    std::fclose(stdout);
    stdout = before_;
    std::free(text_);
  }
  Captured(const Captured&) = delete;
  Captured& operator=(const Captured&) = delete;
  [[nodiscard]] std::string_view text() const {
    std::fflush(stdout);
    return {text_, size_};
  }

 private:
  FILE* before_;
  char* text_ = nullptr;
  std::size_t size_ = 0;
};

const bool prepared = [] {
  std::filesystem::current_path(BOREON_MODELS);
  return true;
}();

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size > 300 || !prepared) return 0;
  std::vector<std::string> words{"boreon", ""};
  for (std::size_t i = 0; i < size; ++i) {
    if (data[i] == '\n') {
      words.emplace_back();
    } else if (data[i] != 0) {
      words.back() += static_cast<char>(data[i]);
    }
  }
  std::erase_if(words, [](const std::string& w) { return !harmless_word(w); });
  if (words.size() < 2) return 0;
  words.insert(words.end(), {"--work", "3000000", "--json"});
  std::vector<char*> pointers;
  for (std::string& w : words) pointers.push_back(w.data());
  // what is looked for below may stand in an input that is echoed
  if (std::any_of(words.begin(), words.end(),
                  [](const std::string& w) { return w.find("should not") != std::string::npos; }))
    return 0;
  const Captured captured;
  (void)boreon::cli::run_tool(static_cast<int>(pointers.size()), pointers.data());
  if (captured.text().find("this should not happen") != std::string_view::npos) fuzz::fault();
  return 0;
}
