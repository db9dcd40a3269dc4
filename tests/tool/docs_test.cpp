// SPDX-License-Identifier: MIT
// What the pages show is what the tool answers.
#include <doctest/doctest.h>

#include <cctype>
#include <cmath>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <sstream>

#include "tool/tool.hpp"

namespace {

struct Shown {
  std::string page;
  int line = 0;
  std::string arguments;
  std::vector<std::string> output;
  std::string
      model;  // the last model that the page has shown, with the change that a remark "with: old => new" asks for
};

// Commands and their output in the fenced blocks of a page.
std::vector<Shown> shown_in(const std::filesystem::path& page) {
  std::vector<Shown> list;
  std::ifstream file(page);
  std::string line;
  bool fenced = false;
  bool open = false;
  bool toml = false;
  std::string model;
  std::string changed;
  for (int number = 1; std::getline(file, line); ++number) {
    if (line.starts_with("```")) {
      fenced = !fenced;
      open = false;
      toml = fenced && line == "```toml";
      if (toml) model.clear();
    } else if (toml) {
      model += line + "\n";
      changed = model;
    } else if (line.starts_with("<!-- with: ")) {
      const std::size_t arrow = line.find(" => ");
      const std::string before = line.substr(11, arrow - 11);
      const std::string after = line.substr(arrow + 4, line.find(" -->") - arrow - 4);
      changed = model;
      changed.replace(changed.find(before), before.size(), after);
    } else if (fenced && line.starts_with("$ ")) {
      open = line.starts_with("$ boreon ");
      if (open) list.push_back({page.filename().string(), number, line.substr(9), {}, changed});
    } else if (open) {
      list.back().output.push_back(line);
    }
  }
  for (Shown& s : list) {
    while (!s.output.empty() && s.output.back().empty()) s.output.pop_back();
  }
  return list;
}

std::vector<std::string> words_of(const std::string& text) {
  std::vector<std::string> words;
  std::string word;
  for (const char c : text) {
    if (std::isspace(static_cast<unsigned char>(c)) != 0 || std::strchr("(),;:=", c) != nullptr) {
      if (!word.empty()) words.push_back(word);
      word.clear();
    } else {
      word += c;
    }
  }
  if (!word.empty()) words.push_back(word);
  return words;
}

bool same_word(const std::string& a, const std::string& b, bool about_evidence) {
  if (a == b) return true;
  char* end_a = nullptr;
  char* end_b = nullptr;
  const double x = std::strtod(a.c_str(), &end_a);
  const double y = std::strtod(b.c_str(), &end_b);
  if (*end_a != '\0' || *end_b != '\0' || a.empty() || b.empty()) return false;
  // Counts of digits, steps and operations may move a little, values must not.
  return std::fabs(x - y) <=
         (about_evidence ? 0.5 : 1e-6) * std::max(std::fabs(x), std::fabs(y)) + (about_evidence ? 1e-9 : 0);
}

bool same_line(const std::string& expected, const std::string& got) {
  const auto a = words_of(expected);
  const auto b = words_of(got);
  bool about_evidence = false;
  for (const char* w : {"check", "digits", "operations", "quadrature", "steps", "iteration", "statistics", "residual"})
    about_evidence = about_evidence || expected.find(w) != std::string::npos;
  for (std::size_t i = 0; i < a.size(); ++i) {
    if (a[i] == "...") return true;
    if (i >= b.size() || !same_word(a[i], b[i], about_evidence)) return false;
  }
  return a.size() == b.size();
}

}  // namespace

TEST_CASE("every command that a page shows gives the output that it shows") {
  const std::filesystem::path root = std::filesystem::canonical(std::filesystem::path(BOREON_MODELS) / ".." / "..");
  std::vector<std::filesystem::path> pages{root / "README.md"};
  for (const auto& entry : std::filesystem::recursive_directory_iterator(root / "docs")) {
    if (entry.path().extension() == ".md") pages.push_back(entry.path());
  }
  std::size_t commands = 0;
  const auto here = std::filesystem::current_path();
  const test::Folder folder;
  std::filesystem::create_directory_symlink(std::filesystem::canonical(root / "examples"), folder / "examples");
  std::filesystem::current_path(folder / ".");
  for (const auto& page : pages) {
    for (const Shown& s : shown_in(page)) {
      ++commands;
      if (!s.model.empty()) {
        for (const char* name : {"two_ions.toml", "plate.toml"}) std::ofstream(name) << s.model;
      }
      const test::Output o = test::tool(s.arguments);
      std::istringstream lines(o.text);
      std::vector<std::string> got;
      for (std::string line; std::getline(lines, line);) {
        if (!line.empty()) got.push_back(line);
      }
      std::vector<std::string> expected;
      for (const std::string& line : s.output) {
        if (!line.empty()) expected.push_back(line);
      }
      bool same = !expected.empty();
      for (std::size_t i = 0; same && i < expected.size(); ++i) {
        if (expected[i].find_first_not_of(" .") == std::string::npos && expected[i].find("...") != std::string::npos)
          break;  // the rest is left out
        same = i < got.size() && same_line(expected[i], got[i]);
        if (same && i + 1 == expected.size()) same = got.size() == expected.size();
      }
      CHECK_MESSAGE(same, s.page << ":" << s.line << ": boreon " << s.arguments << "\n" << o.text);
    }
  }
  std::filesystem::current_path(here);
  CHECK(commands > 10);
}
