// SPDX-License-Identifier: MIT
// The arrays that a model declares, and what their elements stand for.
#pragma once

#include <cstdint>
#include <deque>
#include <map>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "boreon/model.hpp"
#include "boreon/text.hpp"

namespace boreon {

/// "T'[i, j]" taken apart.
struct ArrayHead {
  std::string name;
  std::size_t primes = 0;
  std::vector<std::string> places;
};

/// How many places the ranges have together, and the indices of one by its number, the last running fastest. Ranges are
/// numbers.
[[nodiscard]] std::size_t places_in(std::span<const IndexRange> ranges);
[[nodiscard]] std::vector<std::int64_t> place_of(std::span<const IndexRange> ranges, std::size_t number);
/// The same as values of symbols.
[[nodiscard]] std::vector<std::pair<Expr, Expr>> place_of(std::span<const IndexRange> ranges,
                                                          std::span<const Expr> indices, std::size_t number);

struct DeclaredArray {
  ModelArray info;
  NamedArray named;            // from and to as numbers
  std::vector<Number> values;  // of a parameter that lists them
  bool whole_numbers = false;  // all of them are
  std::vector<Expr> indices;   // of the formula in info.given
  std::vector<char> wanted;    // elements that something uses by name; empty: none
  bool used = false;
  std::size_t first_unknown = 0;  // where its elements begin among the unknowns of the model

  [[nodiscard]] std::size_t number(std::span<const std::int64_t> indices) const;
  /// The indices of an element as bindings of the symbols of its formula.
  [[nodiscard]] std::vector<std::pair<Expr, Expr>> at(std::size_t number) const;
};

class ArrayScope {
 public:
  [[nodiscard]] bool empty() const { return arrays_.empty(); }
  DeclaredArray& add(DeclaredArray array);
  [[nodiscard]] DeclaredArray* find(const std::string& name) const;
  [[nodiscard]] std::deque<DeclaredArray>& all() { return arrays_; }

  /// What the element stands for: a number, a parameter, an unknown, or a definition that will be wanted. Throws
  /// Error(shape) where there is no such element. An element whose index is no number yet stays open.
  [[nodiscard]] Expr element(const Expr& head, std::span<const Expr> indices, bool as_number);
  /// The next element of a definition or formula that was asked for and has not been handed out yet.
  [[nodiscard]] bool next_wanted(DeclaredArray*& array, std::size_t& number);

 private:
  std::deque<DeclaredArray> arrays_;
  std::map<std::string, DeclaredArray*> by_name_;
  std::deque<std::pair<DeclaredArray*, std::size_t>> wanted_;
};

}  // namespace boreon
