// SPDX-License-Identifier: MIT
// Systems of fields for tests, and what they are written out: by means other than those under test.
#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <random>
#include <string>
#include <vector>

#include "arrays/write_out.hpp"
#include "boreon/error.hpp"
#include "boreon/fields.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"

namespace fields_test {

using namespace boreon;

struct Sized {
  std::int64_t from, to;
  bool periodic;
  [[nodiscard]] std::int64_t places() const { return to - from + 1; }
};

// A system and what it is in numbers, for writing it out by other means than those under test.
struct Case {
  FieldSystem system;
  std::map<std::string, std::vector<Sized>> shapes;  // of unknowns and data
  ParseContext context;
  std::vector<Expr> state;  // symbols, in order

  Case() { system.time = Symbol("t"); }

  Expr index(const std::string& name, std::int64_t from, std::int64_t to, bool periodic = false) {
    const Symbol s(name, {Assumption::integer});
    context.names.emplace(name, s);
    system.indices.emplace_back(s, IndexRange{name, from, to, periodic});
    return s;
  }
  static std::vector<IndexRange> ranges(const std::vector<Sized>& shape) {
    std::vector<IndexRange> list;
    for (const Sized& s : shape)
      list.push_back({std::string(1, static_cast<char>('i' + list.size())), s.from, s.to, s.periodic});
    return list;
  }
  void unknown(const std::string& name, const std::vector<Sized>& shape) {
    system.unknowns.push_back({name, Symbol(name), ranges(shape)});
    shapes[name] = shape;
    each(shape, [&](const std::vector<std::int64_t>& p) { state.push_back(member(name, p)); });
  }
  void data(const std::string& name, const std::vector<Sized>& shape, std::vector<double> values) {
    system.data.push_back(
        {name, Symbol(name), ranges(shape), std::make_shared<const std::vector<double>>(std::move(values))});
    shapes[name] = shape;
  }
  void equation(std::size_t target, const std::vector<Expr>& places, const std::string& value,
                const std::string& where = "true") {
    FieldEquation e;
    e.name = "e" + std::to_string(system.equations.size());
    e.target = target;
    e.places = places;
    e.value = parse(value, context);
    if (where != "true") e.where = parse(where, context);
    system.equations.push_back(e);
  }

  template <class F>
  static void each(const std::vector<Sized>& shape, F f) {
    std::vector<std::int64_t> p;
    for (const Sized& s : shape) p.push_back(s.from);
    for (;;) {
      f(p);
      std::size_t k = p.size();
      while (k > 0 && p[k - 1] == shape[k - 1].to) {
        p[k - 1] = shape[k - 1].from;
        --k;
      }
      if (k == 0) return;
      ++p[k - 1];
    }
  }
  static Expr member(const std::string& name, const std::vector<std::int64_t>& p) {
    if (p.empty()) return Symbol(name);
    std::vector<Expr> places(p.begin(), p.end());
    return element(Symbol(name), places);
  }

  // The element that a place names, wrapped; data are numbers.
  [[nodiscard]] Expr resolved(const std::string& name, std::vector<std::int64_t> p) const {
    const std::vector<Sized>& shape = shapes.at(name);
    std::int64_t number = 0;
    for (std::size_t k = 0; k < p.size(); ++k) {
      if (shape[k].periodic)
        p[k] = shape[k].from + ((p[k] - shape[k].from) % shape[k].places() + shape[k].places()) % shape[k].places();
      if (p[k] < shape[k].from || p[k] > shape[k].to) throw Error(ErrorKind::shape, "outside");
      number = number * shape[k].places() + p[k] - shape[k].from;
    }
    for (const Field& d : system.data) {
      if (d.name == name) return Number::exact((*d.values)[static_cast<std::size_t>(number)]);
    }
    return member(name, p);
  }
  [[nodiscard]] Expr written(const Expr& e, const WriteOut::Numbers& at) const {
    WriteOut write({[this](const Expr& head, std::span<const Expr> indices, bool) {
                      for (const FieldFormula& f : system.formulas) {
                        if (!(f.head == head)) continue;
                        WriteOut::Numbers inside;
                        for (std::size_t k = 0; k < indices.size(); ++k) {
                          std::int64_t p = indices[k].word().value();
                          const std::int64_t from = f.dimensions[k].from.word().value();
                          const std::int64_t n = f.dimensions[k].to.word().value() - from + 1;
                          if (f.dimensions[k].periodic) p = from + ((p - from) % n + n) % n;
                          inside.emplace_back(f.indices[k], p);
                        }
                        return written(f.body, inside);
                      }
                      std::vector<std::int64_t> p;
                      for (const Expr& i : indices) p.push_back(i.word().value());
                      return resolved(head.name(), p);
                    },
                    1'000'000},
                   {});
    return write(e, at);
  }
  // One expression for each row of the targets, by the rule of DESIGN: the most specific equation.
  [[nodiscard]] std::vector<Expr> rows() const {
    std::vector<Expr> all;
    const auto& targets = system.results.empty() ? system.unknowns : system.results;
    for (std::size_t u = 0; u < targets.size(); ++u) {
      each(shapes.at(targets[u].name), [&](const std::vector<std::int64_t>& p) {
        int best = -1;
        const FieldEquation* own = nullptr;
        WriteOut::Numbers places;
        for (const FieldEquation& e : system.equations) {
          if (e.target != u) continue;
          int specific = 0;
          bool holds = true;
          WriteOut::Numbers at;
          for (std::size_t k = 0; k < p.size(); ++k) {
            const auto free = free_symbols(e.places[k]);
            if (free.empty()) {
              specific += 2;
              holds = holds && e.places[k].word() == p[k];
              continue;
            }
            at.emplace_back(free[0], Expr(p[k]) - (e.places[k] - free[0]));
            for (const auto& [index, range] : system.indices) {
              if (index == free[0])
                holds =
                    holds && range.from.word() <= at.back().second.word() && at.back().second.word() <= range.to.word();
            }
          }
          if (!holds) continue;
          if (!e.where.is_constant(ConstantCode::true_value)) {
            ++specific;
            if (!written(e.where, at).is_constant(ConstantCode::true_value)) continue;
          }
          if (specific <= best) continue;
          best = specific;
          own = &e;
          places = at;
        }
        if (own == nullptr) throw Error(ErrorKind::shape, "no equation");
        all.push_back(written(own->value, places));
      });
    }
    return all;
  }
};

// Random systems: two unknowns on one grid of rank 1 to 4, one on another, data, formulas, conditions, gathers.
class Random {
 public:
  explicit Random(std::uint64_t seed) : engine_(seed) {}
  std::int64_t whole(std::int64_t from, std::int64_t to) {
    return std::uniform_int_distribution<std::int64_t>(from, to)(engine_);
  }
  bool chance(double p) { return std::uniform_real_distribution<>(0, 1)(engine_) < p; }

  Case system(bool& with_jacobian) {
    with_jacobian = true;
    Case c;
    const auto rank = static_cast<std::size_t>(whole(1, 4));
    std::vector<Expr> free;
    std::vector<Sized> shape;
    for (std::size_t k = 0; k < rank; ++k) {
      const std::int64_t from = whole(-2, 2);
      const std::int64_t to = from + (rank == 1   ? whole(5, 90)
                                      : rank == 2 ? whole(3, 12)
                                      : rank == 3 ? whole(3, 6)
                                                  : whole(2, 3));
      shape.push_back({from, to, chance(0.5)});
      free.push_back(c.index(std::string(1, static_cast<char>('i' + k)), from, to, shape.back().periodic));
    }
    c.unknown("u", shape);
    c.unknown("v", shape);
    std::vector<double> numbers;
    std::vector<double> wholes;
    Case::each(shape, [&](const auto&) {
      numbers.push_back(std::uniform_real_distribution<>(-1, 1)(engine_));
      wholes.push_back(static_cast<double>(whole(shape[0].from, shape[0].to)));
    });
    c.data("w", shape, numbers);
    c.data("at", shape, wholes);
    c.system.parameters = {Symbol("a"), Symbol("b")};
    c.system.time = Symbol("t");
    names_.clear();
    for (const Expr& f : free) names_.push_back(f.name());
    shape_ = shape;
    gathers_ = chance(0.25);
    sums_ = chance(0.3);
    if (chance(0.4)) {
      margin_ = 1;
      ParseContext& context = c.context;
      std::vector<Expr> own(free.begin(), free.end());
      c.system.formulas.push_back({Symbol("g"), own, Case::ranges(shape), parse(guarded(2), context)});
      formula_ = true;
    } else {
      formula_ = false;
    }
    for (std::size_t u = 0; u < 2; ++u) {
      c.equation(u, free, guarded(3));
      if (chance(0.5)) {  // a wall
        std::vector<Expr> places = free;
        const auto k = static_cast<std::size_t>(whole(0, static_cast<std::int64_t>(rank) - 1));
        places[k] = chance(0.5) ? shape[k].from : shape[k].to;
        const std::string saved = names_[k];
        names_[k] = std::to_string(places[k].word().value());
        c.equation(u, places, at_place(2));
        names_[k] = saved;
      } else if (chance(0.5)) {
        c.equation(u, free, at_place(2), condition());
      }
    }
    return c;
  }

 private:
  std::string places(bool shifted) {
    std::string text = "[";
    for (std::size_t k = 0; k < names_.size(); ++k) {
      const bool far = shape_[k].periodic && shifted;
      const std::int64_t s = far ? whole(-shape_[k].places() - 1, shape_[k].places() + 1) : 0;
      text += (k == 0 ? "" : ", ") + names_[k] + (s < 0 ? std::to_string(s) : "+" + std::to_string(s));
    }
    return text + "]";
  }
  std::string term(bool shifted) {
    switch (whole(0, 9)) {
      case 0: return "a";
      case 1: return names_[0] + "/7";
      case 2: return "w" + places(shifted);
      case 3: return "t";
      case 4:
        if (formula_) return "g" + places(shifted);
        return "b";
      case 5:
        if (gathers_) {
          std::string p = places(false);
          return "u[at" + places(shifted) + p.substr(p.find_first_of(",]"));
        }
        return "2";
      case 6:
        if (sums_) return "sum(w" + bound_places() + "*q, q from " + bound_range() + ")";
        return "v" + places(shifted);
      case 7: return "v" + places(shifted);
      default: return "u" + places(shifted);
    }
  }
  std::string bound_places() {
    std::string text = "[q";
    for (std::size_t k = 1; k < names_.size(); ++k) text += ", " + names_[k];
    return text + "]";
  }
  std::string bound_range() { return std::to_string(shape_[0].from) + " to " + std::to_string(shape_[0].to); }
  std::string body(int depth, bool shifted) {
    if (depth == 0) return term(shifted);
    const std::string x = body(depth - 1, shifted);
    const std::string y = body(depth - 1, shifted);
    switch (whole(0, 6)) {
      case 0: return "(" + x + " + " + y + ")";
      case 1: return "(" + x + " - 3*" + y + ")";
      case 2: return "(" + x + ")*(" + y + ")/5";
      case 3: return "sin(" + x + ")";
      case 4: return "(" + x + ")/(4 + (" + y + ")^2)";
      case 5: return "piecewise(" + x + " if " + condition() + ", " + y + " otherwise)";
      default: return "exp(-(" + x + ")^2/9)";
    }
  }
  std::string at_place(int depth) { return body(depth, true); }
  // Neighbours along dimensions with ends, where there are some.
  std::string guarded(int depth) {
    std::string text = body(depth, true);
    for (std::size_t k = 0; k < names_.size(); ++k) {
      if (shape_[k].periodic || !chance(0.7)) continue;
      std::string up = "[";
      for (std::size_t m = 0; m < names_.size(); ++m) up += (m == 0 ? "" : ", ") + names_[m] + (m == k ? "+1" : "");
      text += " + piecewise(v" + up + "]*u" + up + "] if " + names_[k] + " < " + std::to_string(shape_[k].to) +
              ", 0 otherwise)";
    }
    return text;
  }
  std::string condition() {
    const auto k = static_cast<std::size_t>(whole(0, static_cast<std::int64_t>(names_.size()) - 1));
    const std::string place = std::to_string(whole(shape_[k].from - 1, shape_[k].to + 1));
    static const char* const relations[] = {" < ", " <= ", " > ", " = ", " != "};
    const std::string left = chance(0.3) ? "2*" + names_[k] + " + 1" : names_[k];
    const std::string one = left + relations[whole(0, 4)] + place;
    return chance(0.3) ? one + " and " + names_[0] + " > " + std::to_string(shape_[0].from + 1) : one;
  }

  std::mt19937_64 engine_;
  std::vector<std::string> names_;
  std::vector<Sized> shape_;
  bool gathers_ = false;
  bool sums_ = false;
  bool formula_ = false;
  int margin_ = 0;
};

}  // namespace fields_test
