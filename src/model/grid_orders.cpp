// SPDX-License-Identifier: MIT
// The order of differences, observed on manufactured fields.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>
#include <string>
#include <tuple>
#include <vector>

#include "arrays/element_parts.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/model.hpp"
#include "boreon/traverse.hpp"

namespace boreon {
namespace {

std::optional<std::size_t> dimension_along(const Model& model, const Expr& head, const GridCoordinate& c) {
  const ModelArray* const a = model.find_array(head.name());
  return a == nullptr ? std::nullopt : a->dimension_of(c.index.name());
}

// One operator with manufactured fields: the same functions of place stand for elements in its differences and in its
// derivatives.
class Manufactured {
 public:
  /// `given`: one operator, as typed.
  Manufactured(const Model& model, const Expr& given) : model_(model), given_(given) {
    meaning_ = as_derivatives(given_, model.grid, dimension());
  }

  /// Whether something is derived by the coordinate.
  [[nodiscard]] bool derives_by(const GridCoordinate& c) const {
    bool found = false;
    postorder(meaning_, [&](const Expr& n) {
      if (n.is(Kind::derivative))
        found = found || std::find(n.operands().begin() + 1, n.operands().end(), c.coordinate) != n.operands().end();
    });
    return found;
  }

  [[nodiscard]] int stated() const {
    int order = 12;
    for (const GridCoordinate& c : model_.grid) {
      if (derives_by(c)) order = std::min(order, c.order);
    }
    postorder(meaning_, [&](const Expr& n) {
      if (!n.is(Kind::derivative)) return;
      bool flux = false;  // between cells
      postorder(n.operands()[0], [&](const Expr& m) { flux = flux || m.is(Kind::derivative); });
      if (flux) order = std::min(order, 2);
    });
    postorder(given_, [&](const Expr& n) {
      if (n.is(Kind::unknown_call) && n.name() == "upwind") order = 1;
    });
    return order;
  }

  /// What the differences leave with all spacings 2^-level of a length; indices stand at `places`, others inside.
  [[nodiscard]] double left(const std::map<std::string, Expr>& places, int level) const {
    std::vector<GridCoordinate> grid = model_.grid;
    Bindings indices;
    for (std::size_t k = 0; k < grid.size(); ++k) {
      GridCoordinate& c = grid[k];
      // different for each coordinate, so that errors along them do not cancel
      c.spacing = Expr(Number(static_cast<std::int64_t>(3 + k), 3)) * power(Expr(2), Expr(-level));
      const auto place = places.find(c.index.name());
      indices.set(c.index, place != places.end() ? place->second : c.first + Expr(Number(37, 100)) / c.spacing);
    }
    const Expr differences = with_fields(discretised(given_, grid, dimension()), grid, false);
    Expr derivatives = evaluate_derivatives(with_fields(meaning_, grid, true));
    for (const GridCoordinate& c : grid)
      derivatives =
          substitute(derivatives, {{c.coordinate, c.start + (c.index - c.first) * c.spacing}}, Unused::allowed);
    const Expr d = with_numbers(substitute(differences - derivatives, indices, Unused::allowed));
    if (d.is_integer(0)) return 0;
    return std::stod(certify(d, {}, 12).real);
  }

 private:
  [[nodiscard]] GridDimension dimension() const {
    return [this](const Expr& head, const GridCoordinate& c) { return dimension_along(model_, head, c); };
  }

  // A smooth field, another one for each array: 2 + sin(a*x + b*y + ... + phase).
  [[nodiscard]] Expr field(const Expr& head, std::span<const Expr> indices, std::span<const GridCoordinate> grid,
                           bool in_coordinates) const {
    std::uint64_t seed = 7;
    for (const char c : std::string(head.name())) seed = seed * 31 + static_cast<unsigned char>(c);
    const bool rate = head.is(Kind::unknown_call) && head.operands().size() == 3 && !head.operands()[2].is_integer(0);
    Expr angle = Number(static_cast<std::int64_t>(seed % 97) + (rate ? 13 : 0), 40);
    for (std::size_t k = 0; k < indices.size(); ++k) {
      const Expr wave = Number(static_cast<std::int64_t>(17 + 7 * k + seed % 11), 10);
      const auto counted = std::find_if(grid.begin(), grid.end(),
                                        [&](const GridCoordinate& c) { return dimension_along(model_, head, c) == k; });
      if (counted == grid.end()) {
        angle += wave * indices[k];
      } else if (in_coordinates && depends_on(indices[k], counted->index)) {
        angle += wave * (counted->coordinate + (indices[k] - counted->index) * counted->spacing);
      } else if (in_coordinates) {  // at a number: as a function of the coordinate, which stands there
        angle += wave * counted->coordinate;
      } else {
        angle += wave * (counted->start + (indices[k] - counted->first) * counted->spacing);
      }
    }
    return 2 + sin(angle);
  }

  [[nodiscard]] Expr with_fields(const Expr& e, std::span<const GridCoordinate> grid, bool in_coordinates) const {
    return Rebuild([&](const Expr& n, Expr& result) {
      const auto parts = element_parts(n);
      if (!parts || model_.find_array(parts->head.name()) == nullptr) return false;
      result = field(parts->head, parts->places, grid, in_coordinates);
      return true;
    })(e);
  }

  // Parameters by their values, the rest by some numbers.
  [[nodiscard]] Expr with_numbers(const Expr& e) const {
    Bindings values;
    for (const Parameter& p : model_.parameters) values.set(p.symbol, Expr(p.value));
    values.set(model_.independent, Number(31, 50));
    const Expr v = substitute(e, values, Unused::allowed);
    Bindings rest;
    std::int64_t k = 0;
    for (const Symbol& s : free_symbols(v)) rest.set(s, Number(13 + 4 * ++k, 29));
    for (const Expr& call : unknown_calls({&v, 1})) rest.set(call, Number(11 + 4 * ++k, 23));
    return substitute(v, rest, Unused::allowed);
  }

  const Model& model_;
  Expr given_;
  Expr meaning_;
};

using Places = std::map<std::string, Expr>;

// Where an equation of one row stands: the numbers among the places on its left side.
Places fixed_places(const Model& model, const Expr& left) {
  Places places;
  postorder(left, [&](const Expr& n) {
    const auto parts = element_parts(n);
    if (!parts) return;
    for (const GridCoordinate& c : model.grid) {
      const auto k = dimension_along(model, parts->head, c);
      if (k && parts->places[*k].word()) places.emplace(c.index.name(), parts->places[*k]);
    }
  });
  return places;
}

GridOrder observed(const Manufactured& m, const Places& places) {
  GridOrder r;
  r.stated = m.stated();
  constexpr int coarse = 14;
  constexpr int fine = 20;
  const double before = std::abs(m.left(places, coarse));
  const double after = std::abs(m.left(places, fine));
  r.exact = before < 1e-60 && after < 1e-60;
  r.observed = r.exact ? 0 : std::log2(before / after) / (fine - coarse);
  return r;
}

// The operators of an equation, each once; those within another are part of it.
std::vector<Expr> operators_of(const EquationFamily& f, std::span<const GridCoordinate> grid) {
  std::vector<Expr> all;
  const Expr sides[] = {f.differential.lhs, f.differential.rhs};
  postorder(
      std::span<const Expr>(sides),
      [&](const Expr& n) {
        if (is_grid_operator(n, grid) && std::find(all.begin(), all.end(), n) == all.end()) all.push_back(n);
      },
      [&](const Expr& n) { return !is_grid_operator(n, grid); });
  return all;
}

// The places of elements on the left sides that are numbers: rows there have equations of their own.
using OwnRows = std::set<std::tuple<std::string, std::size_t, std::int64_t>>;

OwnRows own_rows(const Model& model) {
  OwnRows rows;
  for (const EquationFamily& f : model.families) {
    postorder(f.differential.lhs, [&](const Expr& n) {
      const auto parts = element_parts(n);
      if (!parts) return;
      for (std::size_t k = 0; k < parts->places.size(); ++k) {
        if (const auto place = parts->places[k].word()) rows.emplace(parts->head.name(), k, *place);
      }
    });
  }
  return rows;
}

bool has_row_of_its_own(const Model& model, const OwnRows& rows, const Expr& left, const GridCoordinate& c,
                        std::int64_t place) {
  bool found = false;
  postorder(left, [&](const Expr& n) {
    const auto parts = element_parts(n);
    if (!parts) return;
    const auto k = dimension_along(model, parts->head, c);
    found = found || (k && rows.contains({std::string(parts->head.name()), *k, place}));
  });
  return found;
}

}  // namespace

std::vector<GridOrder> observed_orders(const Model& model) {
  std::vector<GridOrder> list;
  const OwnRows rows = own_rows(model);
  for (const EquationFamily& f : model.families) {
    if (!f.on_grid) continue;
    const Expr& left = f.differential.lhs;
    const Places fixed = fixed_places(model, left);
    std::string where;
    for (const auto& [index, place] : fixed)
      where += fmt::format("{}{} = {}", where.empty() ? "" : ", ", index, *place.word());
    for (const Expr& op : operators_of(f, model.grid)) {
      const Manufactured m(model, op);
      const auto add = [&](const std::string& place, const Places& places) {
        GridOrder r = observed(m, places);
        r.equation = f.name;
        r.derivative = op;
        r.place = place;
        list.push_back(std::move(r));
      };
      add(where.empty() ? "inside" : where, fixed);
      for (const GridCoordinate& c : model.grid) {
        if (c.periodic || !m.derives_by(c) || fixed.contains(c.index.name())) continue;
        for (int q = 0; q <= c.order / 2; ++q) {
          for (const bool at_last : {false, true}) {
            const Expr place = at_last ? c.last - q : c.first + q;
            if (!place.word() || has_row_of_its_own(model, rows, left, c, *place.word())) continue;
            Places places = fixed;
            places.emplace(c.index.name(), place);
            add(fmt::format("{} = {}", c.index.name(), *place.word()), places);
          }
        }
      }
    }
  }
  return list;
}

}  // namespace boreon
