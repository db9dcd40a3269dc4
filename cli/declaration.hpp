// SPDX-License-Identifier: MIT
// How a command says which options it has. Only parsing.cpp knows the library that reads them.
#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include "option.hpp"

namespace boreon::cli {

/// Options as they are declared: `d.add("--digits", digits, "significant digits (6)").within(1, 17)`. An Option<bool>
/// is a flag, an Option<std::vector<std::string>> may be given several times.
class Declaration {
 public:
  /// An option that was just declared.
  class Added {
   public:
    const Added& within(int low, int high) const;
    const Added& within(double low, double high) const;
    const Added& one_of(const std::vector<std::string>& words) const;
    /// Its text holds formulas, in which names stand that --set may give values to.
    const Added& formulas() const;
    /// Its text names files that are read, which no output may replace.
    const Added& files() const;

   private:
    friend class Declaration;
    Added(Declaration& all, std::size_t index) : all_(&all), index_(index) {}
    Declaration* all_;
    std::size_t index_;
  };

  /// For bool, int, std::size_t, double, std::string, lists of strings, and optional numbers.
  template <class T>
  Added add(const char* name, Option<T>& option, const std::string& text);

 private:
  friend class Parser;
  struct State;  ///< the parser's command, and what has been declared
  explicit Declaration(State& state) : state_(&state) {}
  State* state_;
};

}  // namespace boreon::cli
