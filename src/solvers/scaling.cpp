// SPDX-License-Identifier: MIT
#include "solvers/scaling.hpp"

#include <algorithm>
#include <cmath>

#include "boreon/catalogue.hpp"
#include "boreon/functions.hpp"
#include "boreon/traverse.hpp"
#include "solvers/sundials_support.hpp"

namespace boreon {
namespace {

constexpr std::size_t most_sized_one_by_one = 300;

Expr magnitude_of(const Expr& e, const NodeMap<Expr>& known) {
  const auto of = [&](const Expr& x) -> Expr {
    const Expr* m = known.find(x);
    return m != nullptr ? *m : abs(x);
  };
  switch (e.kind()) {
    case Kind::sum: {
      std::vector<Expr> terms{Expr(e.operands()[0].number().abs())};
      for (const auto [term, c] : Parts(e)) terms.push_back(Expr(c.number().abs()) * of(term));
      return add(terms);
    }
    case Kind::product: {
      std::vector<Expr> factors{Expr(e.operands()[0].number().abs())};
      for (const auto [base, exponent] : Parts(e)) {
        const bool grows = exponent.is_number() && exponent.number().sign() > 0;
        factors.push_back(grows ? power(of(base), exponent) : abs(power(base, exponent)));
      }
      return multiply(factors);
    }
    case Kind::power: {
      const Expr& exponent = e.operands()[1];
      if (exponent.is_number() && exponent.number().sign() > 0) return power(of(e.operands()[0]), exponent);
      return abs(e);
    }
    case Kind::piecewise: {
      std::vector<Expr> branches(e.operands().begin(), e.operands().end());
      for (std::size_t i = 0; i < branches.size(); ++i) {
        if (i % 2 == 0) branches[i] = of(branches[i]);
      }
      return piecewise(branches);
    }
    default: return abs(e);
  }
}

}  // namespace

Expr magnitude(const Expr& root) {
  NodeMap<Expr> known;
  postorder(root, [&](const Expr& e) {
    if (!is_condition(e) && !e.operands().empty()) known[e] = magnitude_of(e, known);
  });
  const Expr* m = known.find(root);
  return m != nullptr ? *m : abs(root);
}

Scaling::Scaling(const System& system)
    : system_(system), magnitudes_([&] {
        std::vector<Expr> list;
        list.reserve(system.residuals.size());
        for (const Expr& f : system.residuals) list.push_back(magnitude(f));
        return with_parameters({OutputGroup("m", std::move(list))},
                               {{"y", system.states}, {"p", system.parameters}, {"t", {system.time}}},
                               system.parameter_values);
      }()) {}

void Scaling::prepare() {
  const double* in[] = {nullptr, system_.parameter_values.data(), nullptr};
  magnitudes_.prepare(in);
}

std::vector<double> Scaling::equations(std::span<const double> at) const {
  std::vector<double> m(system_.residuals.size());
  const double time = 0;
  const double* in[] = {at.data(), system_.parameter_values.data(), &time};
  double* out[] = {m.data()};
  magnitudes_(in, out);
  return m;
}

Scaling::Sizes Scaling::unknowns(std::span<const double> start) const {
  const std::size_t n = start.size();
  std::vector<double> scale(n, 0.0);
  std::vector<std::size_t> open;
  for (std::size_t i = 0; i < n; ++i) {
    scale[i] = std::fabs(start[i]);
    if (scale[i] == 0) open.push_back(i);
  }
  Sizes sizes{scale, scale};
  // Which equations the terms with the unknowns in `group` dominate at a size, of either sign.
  const auto dominated = [&](std::span<const std::size_t> group, const std::vector<double>& rest, double size) {
    std::vector<char> yes(rest.size(), 0);
    for (const double signed_size : {size, -size}) {
      for (const std::size_t i : group) scale[i] = signed_size;
      const std::vector<double> all = equations(scale);
      for (const std::size_t i : group) scale[i] = 0;
      for (std::size_t j = 0; j < all.size(); ++j) {
        if (rest[j] > 0 && std::isfinite(rest[j]) && all[j] >= 2 * rest[j]) yes[j] = 1;
      }
    }
    return yes;
  };
  // The size at which one equation (or all that ever are) is dominated: by bisection of exponents. 0 if there is none.
  const auto balance = [&](std::span<const std::size_t> group, bool all_of_them) {
    constexpr double lowest = -300;
    constexpr double highest = 300;
    const std::vector<double> rest = equations(scale);
    const std::vector<char> ever = dominated(group, rest, std::exp2(highest));
    if (std::count(ever.begin(), ever.end(), 1) == 0) return 0.0;
    const auto reached = [&](double exponent) {
      const std::vector<char> now = dominated(group, rest, std::exp2(exponent));
      const auto count = std::count(now.begin(), now.end(), 1);
      return all_of_them ? count >= std::count(ever.begin(), ever.end(), 1) : count > 0;
    };
    double low = lowest;
    double high = highest;
    if (reached(low)) return 0.0;
    for (int k = 0; k < 12; ++k) {
      const double middle = (low + high) / 2;
      (reached(middle) ? high : low) = middle;
    }
    return std::exp2(high);
  };
  for (int round = 0; round < 3 && !open.empty(); ++round) {
    const std::size_t before = open.size();
    std::vector<std::pair<std::size_t, std::pair<double, double>>> found;
    const auto look = [&](std::span<const std::size_t> group) {
      const double least = balance(group, false);
      if (!(least > 0)) return;
      const double reach = std::max(least, balance(group, true));
      for (const std::size_t i : group) found.push_back({i, {least, reach}});
    };
    if (open.size() > most_sized_one_by_one) {
      look(open);
    } else {
      for (const std::size_t i : open) look({&i, 1});
    }
    for (const auto& [i, size] : found) {
      scale[i] = sizes.least[i] = size.first;
      sizes.reach[i] = size.second;
    }
    std::erase_if(open, [&](std::size_t i) { return sizes.least[i] > 0; });
    if (open.size() == before) break;
  }
  for (const std::size_t i : open) {
    double size = 0;
    for (const double bound : {system_.upper[i], system_.lower[i]}) {
      if (std::isfinite(bound) && bound != 0) size = std::fabs(bound);
    }
    sizes.least[i] = sizes.reach[i] = size > 0 ? size : 1;
  }
  return sizes;
}

}  // namespace boreon
