// SPDX-License-Identifier: MIT
// The fields of an answer as a tree: text, numbers, lists and named fields in the order in which they were given. Only
// json.cpp knows the library that writes them.
#pragma once

#include <cstdint>
#include <initializer_list>
#include <list>
#include <memory>
#include <string>
#include <string_view>
#include <type_traits>
#include <unordered_map>
#include <utility>
#include <vector>

namespace boreon::cli {

/// A value, a list, or named fields. Braces of pairs that begin with text are named fields, other braces a list:
/// `Json{{"digits", 12}, {"worst", nullptr}}`. References to fields and items stay valid while others are added, so that
/// `j["now"] = j["then"]` is what it looks like.
class Json {
 public:
  Json() noexcept = default;
  Json(std::nullptr_t) noexcept {}  // NOLINTBEGIN(google-explicit-constructor): values stand for themselves
  Json(std::string text);
  Json(std::string_view text);
  Json(const char* text);
  template <class T>
  requires std::is_arithmetic_v<T> Json(T value) {
    if constexpr (std::is_same_v<T, bool>) {
      kind_ = Kind::truth;
      truth_ = value;
    } else if constexpr (std::is_floating_point_v<T>) {
      kind_ = Kind::number;
      number_ = value;
    } else if constexpr (std::is_signed_v<T>) {
      kind_ = Kind::integer;
      integer_ = value;
    } else {
      kind_ = Kind::count;
      count_ = value;
    }
  }
  template <class T>
  Json(const std::vector<T>& list) : Json(array()) {
    for (const auto& item : list) push_back(Json(item));
  }  // NOLINTEND(google-explicit-constructor)
  Json(std::initializer_list<Json> items);
  Json(const Json&);
  Json(Json&&) noexcept;
  Json& operator=(const Json&);
  Json& operator=(Json&&) noexcept;
  ~Json();

  [[nodiscard]] static Json array();
  [[nodiscard]] static Json object();

  /// The field of that name, made if it is not there; nothing becomes an object.
  Json& operator[](std::string_view name);
  Json& operator[](std::size_t index);                        ///< Error(usage) if the list is shorter
  [[nodiscard]] const Json& at(std::string_view name) const;  ///< Error(usage) if there is no such field
  [[nodiscard]] bool contains(std::string_view name) const;
  /// Nothing becomes a list.
  void push_back(Json item);

  [[nodiscard]] const std::string& text() const;  ///< Error(usage) if this is no text
  [[nodiscard]] double number() const;            ///< Error(usage) if this is no number
  [[nodiscard]] const std::list<std::pair<std::string, Json>>& fields() const noexcept { return fields_; }

  /// Lines, indented by two blanks; NaN and infinities are null, bytes that are no UTF-8 are replaced.
  [[nodiscard]] std::string written() const;

 private:
  enum class Kind : std::uint8_t { nothing, truth, integer, count, number, text, list, object };
  friend struct JsonWriter;
  explicit Json(Kind kind) noexcept : kind_(kind) {}

  Kind kind_ = Kind::nothing;
  union {
    bool truth_;
    std::int64_t integer_;
    std::uint64_t count_;
    double number_ = 0;
  };
  std::string text_;
  std::list<std::pair<std::string, Json>> fields_;  ///< without names in a list
  /// Of objects with many fields, by name; made when one is looked for. A copy makes its own.
  std::unique_ptr<std::unordered_map<std::string_view, Json*>> index_;
  [[nodiscard]] Json* find(std::string_view name);
};

}  // namespace boreon::cli
