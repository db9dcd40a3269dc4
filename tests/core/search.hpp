// SPDX-License-Identifier: MIT
// Random searches: cases that can be drawn again one by one, and what became of them by category.
#pragma once

#include <doctest/doctest.h>
#include <fmt/format.h>

#include <cctype>
#include <cstdint>
#include <cstdlib>
#include <functional>
#include <initializer_list>
#include <map>
#include <memory>
#include <optional>
#include <random>
#include <string>

#include "boreon/error.hpp"
#include "boreon/program.hpp"
#include "boreon/work.hpp"
#include "core/one_variable.hpp"

namespace test {

/// What the tool gives a command.
constexpr std::uint64_t usual_work = 400'000'000;

/// One case: its own seed, so that a case that fails is drawn again without those before it.
class Draw {
 public:
  Draw(std::uint64_t search, int number) : random_(search * 1000003 + static_cast<std::uint64_t>(number)) {
    random_.discard(16);
  }
  std::string pick(std::initializer_list<const char*> list) { return list.begin()[random_() % list.size()]; }
  int whole(int low, int high) {
    return low + static_cast<int>(random_() % static_cast<std::uint64_t>(high - low + 1));
  }
  double between(double low, double high) {
    return low + (high - low) * (static_cast<double>(random_() >> 11U) * 0x1.0p-53);
  }
  bool chance(int of_hundred) { return whole(1, 100) <= of_hundred; }
  /// The text with each letter `place` that stands alone replaced by a new choice.
  template <class Choice>
  std::string filled(const std::string& text, char place, Choice choice) {
    const auto part_of_word = [&](std::size_t i) {
      return i < text.size() && (std::isalnum(static_cast<unsigned char>(text[i])) != 0 || text[i] == '_');
    };
    std::string r;
    for (std::size_t i = 0; i < text.size(); ++i) {
      const bool alone = text[i] == place && !(i > 0 && part_of_word(i - 1)) && !part_of_word(i + 1);
      if (alone)
        r += "(" + std::string(choice()) + ")";
      else
        r += text[i];
    }
    return r;
  }

 private:
  std::mt19937_64 random_;
};

struct Outcome {
  int right = 0;
  int unevaluated = 0;
  int undecided = 0;  ///< by the witness
  int wrong = 0;
};

class Counts {
 public:
  Outcome& operator[](const std::string& category) { return of_[category]; }
  [[nodiscard]] Outcome total() const {
    Outcome t;
    for (const auto& [name, o] : of_) {
      t.right += o.right;
      t.unevaluated += o.unevaluated;
      t.undecided += o.undecided;
      t.wrong += o.wrong;
    }
    return t;
  }
  /// A line for each category.
  [[nodiscard]] std::string table() const {
    std::string text =
        fmt::format("\n{:28} {:>6} {:>11} {:>9} {:>6}\n", "", "right", "unevaluated", "undecided", "wrong");
    for (const auto& [name, o] : of_)
      text += fmt::format("{:28} {:6} {:11} {:9} {:6}\n", name, o.right, o.unevaluated, o.undecided, o.wrong);
    return text;
  }

 private:
  std::map<std::string, Outcome> of_;
};

/// What a call gives within the usual budget; where it refuses, as it may, the case counts as unevaluated.
template <class Call>
auto attempted(Outcome& outcome, Call call) -> std::optional<decltype(call())> {
  using boreon::ErrorKind;
  try {
    return boreon::with_budget(usual_work, call);
  } catch (const boreon::Error& e) {
    CAPTURE(std::string(e.what()));
    const bool honest =
        e.kind() == ErrorKind::limit || e.kind() == ErrorKind::domain || e.kind() == ErrorKind::unsupported;
    CHECK(honest);
    ++outcome.unevaluated;
    return std::nullopt;
  }
}

/// f as a function of x in double precision.
inline std::function<double(double)> function_of_x(const boreon::Expr& f) {
  const auto kernel = std::make_shared<const boreon::Kernel>(
      boreon::compile({boreon::OutputGroup("f", {f})}, {boreon::InputGroup("x", {x})}));
  return [kernel](double place) {
    double out = 0;
    const double* in[] = {&place};
    double* into[] = {&out};
    (*kernel)(in, into);
    return out;
  };
}

/// The first case of a search: 0, or BOREON_SEARCH_FROM, to go on where a search was left.
inline int first_case() {
  const char* from = std::getenv("BOREON_SEARCH_FROM");
  return from != nullptr ? std::atoi(from) : 0;
}

/// Cases up to that number: none wrong, half of them right, and a table of what became of them.
inline void search(int cases, void (*one_case)(int number, Counts& counts)) {
  Counts counts;
  for (int number = first_case(); number < cases; ++number) one_case(number, counts);
  MESSAGE(counts.table());
  CHECK(counts.total().wrong == 0);
  CHECK(counts.total().right >= cases / 2);
}

}  // namespace test
