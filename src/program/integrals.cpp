// SPDX-License-Identifier: MIT
// Integrals and finite sums inside numeric functions: quadrature of a fixed order, chosen when the program is made.
#include <fmt/format.h>
#include <boost/math/quadrature/gauss.hpp>

#include <cmath>
#include <functional>

#include "boreon/arrays.hpp"
#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/sampling.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "program/passes.hpp"

namespace boreon {
namespace {

constexpr double needed = 1e-11;  // relative change when the order is doubled

template <unsigned N>
void add_nodes(std::vector<std::pair<double, double>>& nodes) {
  using Rule = boost::math::quadrature::gauss<double, N>;
  const auto& x = Rule::abscissa();
  const auto& w = Rule::weights();
  for (std::size_t i = 0; i < x.size(); ++i) {
    nodes.emplace_back(x[i], w[i]);
    if (x[i] != 0) nodes.emplace_back(-x[i], w[i]);
  }
}

std::vector<std::pair<double, double>> nodes_of(int order) {
  std::vector<std::pair<double, double>> nodes;
  switch (order) {
    case 16: add_nodes<16>(nodes); break;
    case 32: add_nodes<32>(nodes); break;
    case 64: add_nodes<64>(nodes); break;
    case 128: add_nodes<128>(nodes); break;
    default: add_nodes<256>(nodes); break;
  }
  return nodes;
}

// The Gauss-Legendre sum; an infinite range is mapped to (0, 1) by x = a + t/(1 - t) first.
Expr quadrature_sum(const Expr& e, int order) {
  const auto ops = e.operands();
  const Expr& x = ops[1];
  const bool below = ops[2] == -infinity();
  const bool above = ops[3].is_constant(ConstantCode::infinity);
  std::vector<Expr> terms;
  const auto range = [&](const std::function<Expr(const Expr& t)>& place,
                         const std::function<Expr(const Expr& t)>& weight) {
    for (const auto& [t, w] : nodes_of(order)) {
      const Expr u((t + 1) / 2);
      terms.push_back(Expr(w / 2) * weight(u) * substitute(ops[0], {{x, place(u)}}, Unused::allowed));
    }
  };
  if (!below && !above) {
    const Expr width = ops[3] - ops[2];
    range([&](const Expr& t) { return ops[2] + width * t; }, [&](const Expr&) { return width; });
    return add(terms);
  }
  const auto tail = [&](const Expr& from, int direction) {
    range([&](const Expr& t) { return from + direction * t / (1 - t); },
          [](const Expr& t) { return 1 / power(1 - t, 2); });
  };
  if (above) tail(below ? Expr(0) : ops[2], 1);
  if (below) tail(above ? Expr(0) : ops[3], -1);
  return add(terms);
}

Expr chosen(const Expr& e) {
  const Expr list[] = {e};
  const std::vector<Expr> leaves = sampled_leaves(list);
  const SampleRanges ranges;
  Sampler sampler(leaves, ranges, 20260101);
  std::vector<Bindings> points;
  for (int i = 0; i < (leaves.empty() ? 1 : 4); ++i) {
    const auto p = sampler.draw();
    Bindings at;
    for (std::size_t k = 0; k < leaves.size(); ++k) at.set(leaves[k], Expr(p[k]));
    points.push_back(at);
  }
  Expr previous = quadrature_sum(e, 16);
  double worst = 0;
  for (const int order : {32, 64, 128, 256}) {
    Expr next = quadrature_sum(e, order);
    worst = 0;
    int compared = 0;
    for (const Bindings& at : points) {
      try {
        const double a = evaluate(previous, at, Unused::allowed);
        const double b = evaluate(next, at, Unused::allowed);
        worst = std::max(worst, std::abs(a - b) / std::max(std::abs(b), 1e-280));
        ++compared;
      } catch (const Error&) {
      }
    }
    if (compared > 0 && worst <= needed) return previous;
    previous = std::move(next);
  }
  throw Error(ErrorKind::unsupported,
              fmt::format("{} cannot become part of a numeric function: quadrature of order 256 still changes by "
                          "{:.1g}; split its range where the integrand is not smooth",
                          to_text(e, {80, {}}), worst));
}

}  // namespace

Expr operators_as_sums(const Expr& expression) {
  Rebuild pass([](const Expr&, Expr&) { return false; },
               [](const Expr& e) -> Expr {
                 if (e.is(Kind::integral) && e.operands().size() == 4) return chosen(e);
                 if (e.is(Kind::root)) return root_as_steps(e);
                 return e;
               });
  return pass(written_out(expression, 100000));
}

}  // namespace boreon
