// SPDX-License-Identifier: MIT
#include "model/array_scope.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "model/resolver.hpp"

namespace boreon {

std::size_t DeclaredArray::number(std::span<const std::int64_t> places) const {
  std::size_t n = 0;
  for (std::size_t k = 0; k < places.size(); ++k) {
    const std::int64_t from = *named.dimensions[k].from.word();
    n = n * static_cast<std::size_t>(*named.dimensions[k].to.word() - from + 1) +
        static_cast<std::size_t>(places[k] - from);
  }
  return n;
}

std::vector<std::pair<Expr, Expr>> DeclaredArray::at(std::size_t number) const {
  std::vector<std::pair<Expr, Expr>> bindings(indices.size());
  for (std::size_t k = indices.size(); k-- > 0;) {
    const std::int64_t from = *named.dimensions[k].from.word();
    const auto extent = static_cast<std::size_t>(*named.dimensions[k].to.word() - from + 1);
    bindings[k] = {indices[k], from + static_cast<std::int64_t>(number % extent)};
    number /= extent;
  }
  return bindings;
}

DeclaredArray& ArrayScope::add(DeclaredArray array) {
  array.wanted.assign(array.info.elements(), 0);
  arrays_.push_back(std::move(array));
  DeclaredArray& a = arrays_.back();
  if (a.info.what != ModelArray::What::output) by_name_[a.info.name] = &a;
  return a;
}

DeclaredArray* ArrayScope::find(const std::string& name) const {
  const auto at = by_name_.find(name);
  return at == by_name_.end() ? nullptr : at->second;
}

Expr ArrayScope::element(const Expr& head, std::span<const Expr> indices, bool as_number) {
  DeclaredArray* a = find(head.name());
  if (a == nullptr) return boreon::element(head, indices);
  const auto& dimensions = a->named.dimensions;
  if (indices.size() != dimensions.size())
    throw Error(ErrorKind::shape,
                fmt::format("{} has {} indices, but {} are given", head.name(), dimensions.size(), indices.size()));
  std::vector<std::int64_t> places;
  for (std::size_t k = 0; k < indices.size(); ++k) {
    if (!indices[k].is_number()) return boreon::element(head, indices);
    const Expr inside = [&] {
      try {
        return dimensions[k].inside(indices[k], head.name(), k);
      } catch (const Error& e) {
        std::vector<std::string> text;
        for (const Expr& i : indices) text.push_back(to_text(i));
        throw Error(ErrorKind::shape,
                    fmt::format("there is no element {}[{}]: {}", head.name(), fmt::join(text, ", "), e.message()));
      }
    }();
    places.push_back(*inside.word());
  }
  const std::size_t number = a->number(places);
  a->used = true;
  if (as_number && a->whole_numbers) return a->values[number];
  const bool first = a->wanted[number] == 0;
  a->wanted[number] = 1;
  switch (a->info.what) {
    case ModelArray::What::parameter:
      if (!a->values.empty()) {
        return Symbol(a->info.element(number));
      }
      break;
    case ModelArray::What::unknown: {
      std::vector<Expr> exact;
      for (const std::int64_t p : places) exact.emplace_back(p);
      return boreon::element(head, exact);
    }
    case ModelArray::What::definition:
    case ModelArray::What::output: break;
  }
  if (first) wanted_.emplace_back(a, number);
  return definition_symbol(a->info.element(number));
}

bool ArrayScope::next_wanted(DeclaredArray*& array, std::size_t& number) {
  if (wanted_.empty()) return false;
  std::tie(array, number) = wanted_.front();
  wanted_.pop_front();
  return true;
}

}  // namespace boreon
