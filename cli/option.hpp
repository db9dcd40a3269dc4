// SPDX-License-Identifier: MIT
// An option of the command line that knows whether it was given and whether anybody asked for it.
#pragma once

#include <memory>
#include <string>
#include <utility>

namespace boreon::cli {

/// Reads like its value. An option that is given but never read has no meaning for what was asked; main reports it
/// instead of ignoring it. Copies share what has been read.
template <class T>
class Option {
 public:
  Option() = default;
  Option(T value) : value_(std::move(value)) {}  // NOLINT(google-explicit-constructor): stands for its value
  Option& operator=(T value) {
    value_ = std::move(value);
    return *this;
  }

  [[nodiscard]] const T& get() const {
    *read_ = true;
    return value_;
  }
  operator const T&() const { return get(); }  // NOLINT(google-explicit-constructor)
  [[nodiscard]] const T& operator*() const { return get(); }
  [[nodiscard]] const T* operator->() const { return &get(); }
  [[nodiscard]] auto begin() const { return get().begin(); }
  [[nodiscard]] auto end() const { return get().end(); }
  [[nodiscard]] bool empty() const { return get().empty(); }
  [[nodiscard]] std::size_t size() const { return get().size(); }
  [[nodiscard]] decltype(auto) operator[](std::size_t i) const { return get()[i]; }

  /// For the argument parser, and for messages about the option itself: does not count as reading.
  [[nodiscard]] T& target() noexcept { return value_; }
  [[nodiscard]] const T& peek() const noexcept { return value_; }
  [[nodiscard]] const std::shared_ptr<bool>& read() const noexcept { return read_; }

 private:
  T value_{};
  std::shared_ptr<bool> read_ = std::make_shared<bool>(false);
};

}  // namespace boreon::cli
