// SPDX-License-Identifier: MIT
// One parameter type for lists of expressions, whatever they are kept in.
#pragma once

#include <concepts>
#include <initializer_list>
#include <ranges>
#include <span>
#include <type_traits>
#include <utility>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"

namespace boreon BOREON_API {

class ExprList;

template <class T>
concept ExprStorage = !std::same_as<std::remove_cvref_t<T>, ExprList> && requires(const T& list) {
  { list.data() } -> std::convertible_to<const Expr*>;
  { list.size() } -> std::convertible_to<std::size_t>;
  requires std::same_as<std::remove_cvref_t<decltype(*list.data())>, Expr>;
};
template <class T>
concept ExprRange = !ExprStorage<T> && !std::same_as<std::remove_cvref_t<T>, ExprList> &&
                    !std::derived_from<std::remove_cvref_t<T>, Expr> && std::ranges::input_range<const T> &&
                    std::convertible_to<std::ranges::range_reference_t<const T>, Expr> &&
                    !std::is_arithmetic_v<std::remove_cvref_t<std::ranges::range_reference_t<const T>>>;

/// A list of expressions as a parameter: {x, y}, a vector, span or array of Expr, a Vector of Eigen, or any range of
/// symbols. A view of what the caller holds under a name; what is made for the call is kept.
///
///     jacobian({x*y, x + y}, {x, y});
///     jacobian(f, Symbol::list("x y z"));   // f: std::vector<Expr>, Vector, ...
class ExprList {
 public:
  ExprList(std::initializer_list<Expr> list)
      : own_(list), view_(own_) {}  // NOLINT(google-explicit-constructor): as the others
  template <ExprStorage T>
  ExprList(T&& list) {  // NOLINT(google-explicit-constructor)
    if constexpr (std::is_lvalue_reference_v<T> || std::ranges::borrowed_range<T>) {
      view_ = {list.data(), static_cast<std::size_t>(list.size())};
    } else if constexpr (std::same_as<T, std::vector<Expr>>) {
      view_ = own_ = std::move(list);
    } else {
      own_.assign(list.data(), list.data() + list.size());
      view_ = own_;
    }
  }
  template <ExprRange T>
  ExprList(const T& list) {  // NOLINT(google-explicit-constructor)
    for (const auto& e : list) own_.emplace_back(e);
    view_ = own_;
  }
  ExprList(const ExprList&) = delete;
  ExprList& operator=(const ExprList&) = delete;
  ~ExprList() = default;

  operator std::span<const Expr>() const noexcept { return view_; }  // NOLINT(google-explicit-constructor)
  [[nodiscard]] std::size_t size() const noexcept { return view_.size(); }
  [[nodiscard]] bool empty() const noexcept { return view_.empty(); }
  [[nodiscard]] const Expr& operator[](std::size_t i) const { return view_[i]; }
  [[nodiscard]] auto begin() const noexcept { return view_.begin(); }
  [[nodiscard]] auto end() const noexcept { return view_.end(); }
  [[nodiscard]] const Expr* data() const noexcept { return view_.data(); }
  [[nodiscard]] std::vector<Expr> to_vector() const { return {view_.begin(), view_.end()}; }

 private:
  std::vector<Expr> own_;
  std::span<const Expr> view_;
};

}  // namespace boreon
