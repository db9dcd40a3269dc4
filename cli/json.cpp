// SPDX-License-Identifier: MIT
#include "json.hpp"

#include <algorithm>
#include <iterator>
#include <nlohmann/json.hpp>

#include "boreon/error.hpp"

namespace boreon::cli {

struct JsonWriter {
  using Out = nlohmann::ordered_json;
  [[nodiscard]] static Out written(const Json& j) {
    switch (j.kind_) {
      case Json::Kind::truth: return j.truth_;
      case Json::Kind::integer: return j.integer_;
      case Json::Kind::count: return j.count_;
      case Json::Kind::number: return j.number_;
      case Json::Kind::text: return j.text_;
      case Json::Kind::list: {
        Out list = Out::array();
        for (const auto& [name, item] : j.fields_) list.push_back(written(item));
        return list;
      }
      case Json::Kind::object: {
        Out object = Out::object();
        // Names are different already; the library would look each up among all others.
        for (const auto& [name, item] : j.fields_) object.get_ref<Out::object_t&>().emplace_back(name, written(item));
        return object;
      }
      default: return nullptr;
    }
  }
};

Json::Json(std::string text) : kind_(Kind::text), text_(std::move(text)) {}
Json::Json(std::string_view text) : kind_(Kind::text), text_(text) {}
Json::Json(const char* text) : kind_(Kind::text), text_(text) {}
Json::Json(const Json& other) : kind_(other.kind_), text_(other.text_), fields_(other.fields_) {
  switch (kind_) {
    case Kind::truth: truth_ = other.truth_; break;
    case Kind::integer: integer_ = other.integer_; break;
    case Kind::count: count_ = other.count_; break;
    case Kind::number: number_ = other.number_; break;
    default: break;
  }
}
Json::Json(Json&&) noexcept = default;
Json& Json::operator=(const Json& other) { return *this = Json(other); }  // which may be a part of this one
Json& Json::operator=(Json&&) noexcept = default;
Json::~Json() = default;

Json::Json(std::initializer_list<Json> items) : kind_(Kind::list) {
  const bool named = std::all_of(items.begin(), items.end(), [](const Json& item) {
    return item.kind_ == Kind::list && item.fields_.size() == 2 && item.fields_.front().second.kind_ == Kind::text;
  });
  if (named) kind_ = Kind::object;
  for (const Json& item : items) {
    if (named) {
      (*this)[item.fields_.front().second.text_] = item.fields_.back().second;
    } else {
      push_back(item);
    }
  }
}

Json Json::array() { return Json(Kind::list); }
Json Json::object() { return Json(Kind::object); }

Json& Json::operator[](std::string_view name) {
  if (kind_ == Kind::nothing) kind_ = Kind::object;
  if (kind_ != Kind::object) throw Error(ErrorKind::usage, "only an object of an answer has named fields");
  if (Json* known = find(name)) return *known;
  auto& [added, item] = fields_.emplace_back(name, Json());
  if (index_) index_->emplace(added, &item);
  return item;
}

Json* Json::find(std::string_view name) {
  constexpr std::size_t few = 24;
  if (fields_.size() <= few) {
    for (auto& [known, item] : fields_) {
      if (known == name) return &item;
    }
    return nullptr;
  }
  if (!index_) {
    index_ = std::make_unique<std::unordered_map<std::string_view, Json*>>();
    for (auto& [known, item] : fields_) index_->emplace(known, &item);
  }
  const auto at = index_->find(name);
  return at == index_->end() ? nullptr : at->second;
}

Json& Json::operator[](std::size_t index) {
  if (index >= fields_.size()) throw Error(ErrorKind::usage, "a list of an answer is shorter");
  return std::next(fields_.begin(), static_cast<std::ptrdiff_t>(index))->second;
}

const Json& Json::at(std::string_view name) const {
  for (const auto& [known, item] : fields_) {
    if (known == name) return item;
  }
  throw Error(ErrorKind::usage, "an answer has no field '" + std::string(name) + "'");
}

bool Json::contains(std::string_view name) const {
  return kind_ == Kind::object &&
         std::any_of(fields_.begin(), fields_.end(), [&](const auto& field) { return field.first == name; });
}

void Json::push_back(Json item) {
  if (kind_ == Kind::nothing) kind_ = Kind::list;
  if (kind_ != Kind::list) throw Error(ErrorKind::usage, "only a list of an answer takes more items");
  fields_.emplace_back(std::string(), std::move(item));
}

const std::string& Json::text() const {
  if (kind_ != Kind::text) throw Error(ErrorKind::usage, "a field of an answer is no text");
  return text_;
}

double Json::number() const {
  switch (kind_) {
    case Kind::integer: return static_cast<double>(integer_);
    case Kind::count: return static_cast<double>(count_);
    case Kind::number: return number_;
    default: throw Error(ErrorKind::usage, "a field of an answer is no number");
  }
}

std::string Json::written() const {
  return JsonWriter::written(*this).dump(2, ' ', false, nlohmann::ordered_json::error_handler_t::replace);
}

}  // namespace boreon::cli
