// SPDX-License-Identifier: MIT
// What the tables of integrals share: symbols with assumptions, values of parameters.
#pragma once

#include <algorithm>
#include <map>
#include <string>
#include <vector>

#include "boreon/bindings.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"

namespace test {

using namespace boreon;

// "a > 0, n integer, w > g": symbols with assumptions, and relations.
struct Given {
  ParseContext context;
  std::vector<Expr> conditions;
};

inline Given given(const std::string& text) {
  Given g;
  std::vector<std::string> relations;
  std::map<std::string, Assumptions> facts;
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t comma = std::min(text.find(", ", at), text.size());
    const std::string part = text.substr(at, comma - at);
    at = comma + 2;
    const std::string name = part.substr(0, part.find(' '));
    if (part.ends_with(" integer")) {
      facts[name].add(Assumption::integer);
    } else {
      if (part == name + " > 0") facts[name].add(Assumption::positive);
      if (part == name + " >= 0") facts[name].add(Assumption::nonnegative);
      if (part == name + " < 0") facts[name].add(Assumption::negative);
      relations.push_back(part);
    }
  }
  for (const auto& [name, a] : facts) g.context.names.emplace(name, Symbol(name, a));
  for (const std::string& r : relations) g.conditions.push_back(parse(r, g.context));
  return g;
}

// "a=1.2, n=3"
inline Bindings values(const std::string& text) {
  Bindings b;
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t comma = std::min(text.find(", ", at), text.size());
    const std::string part = text.substr(at, comma - at);
    at = comma + 2;
    const std::size_t sign = part.find('=');
    b.set(std::string_view(part).substr(0, sign), parse(part.substr(sign + 1)));
  }
  return b;
}

}  // namespace test
