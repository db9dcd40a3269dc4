// SPDX-License-Identifier: MIT
#include "equations/generic_system.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <string>

#include "algebra/groebner/groebner.hpp"
#include "boreon/bindings.hpp"
#include "boreon/equations.hpp"
#include "boreon/error.hpp"
#include "boreon/sampling.hpp"
#include "boreon/symbol.hpp"
#include "boreon/traverse.hpp"
#include "calculus/signs.hpp"
#include "equations/system_ring.hpp"
#include "equations/univariate_solutions.hpp"
#include "expr/work.hpp"

namespace boreon::equations {
namespace {

constexpr std::uint64_t seed = 20260107;
constexpr int points_of_systems = 2;
constexpr std::size_t most_solutions = 60;
constexpr std::uint64_t most_work_to_count = 40000000;  // some tenths of a second
constexpr std::size_t most_bound = 1000000000;

using Values = std::vector<std::complex<double>>;

std::vector<Expr> parameters_of(std::span<const Expr> equations, std::span<const Expr> unknowns) {
  std::vector<Expr> out;
  for (const Symbol& s : free_symbols(equations)) {
    if (std::find(unknowns.begin(), unknowns.end(), Expr(s)) == unknowns.end()) out.push_back(s);
  }
  return out;
}

// Numbers of few digits, so that bases over the rationals stay small.
std::optional<Bindings> numbers_for(const std::vector<Expr>& parameters, Sampler& sampler,
                                    std::span<const Expr> conditions) {
  const std::vector<double> point = sampler.draw(conditions);
  if (point.size() != parameters.size()) return std::nullopt;
  Bindings out;
  for (std::size_t i = 0; i < parameters.size(); ++i)
    out.set(parameters[i], Number::exact(std::round(point[i] * 64) / 64 + 1.0 / 128));
  const bool outside = std::any_of(conditions.begin(), conditions.end(),
                                   [&](const Expr& c) { return is_false(substitute(c, out, Unused::allowed)); });
  if (outside) return std::nullopt;
  return out;
}

std::vector<Expr> with(std::span<const Expr> equations, const Bindings& numbers) {
  std::vector<Expr> out;
  for (const Expr& e : equations) out.push_back(substitute(e, numbers, Unused::allowed));
  return out;
}

std::optional<Values> values_of(const std::vector<std::optional<Expr>>& solution, const Bindings& numbers) {
  Values out;
  for (const auto& v : solution) {
    if (!v) return std::nullopt;
    const Expr at = substitute(*v, numbers, Unused::allowed);
    const auto value = certified_value(at, {}, {});
    if (!value && !vanishes(at)) return std::nullopt;
    out.push_back(value.value_or(0.0));
  }
  return out;
}

std::size_t total_degree(const poly::Poly& p) {
  std::size_t out = 0;
  for (std::size_t i = 0; i < p.size(); ++i) {
    std::size_t sum = 0;
    for (unsigned v = 0; v < p.vars(); ++v) sum += p.exponent(i, v);
    out = std::max(out, sum);
  }
  return out;
}

bool same(const Values& a, const Values& b) {
  for (std::size_t i = 0; i < a.size(); ++i) {
    if (std::abs(a[i] - b[i]) > 1e-9 * std::max(1.0, std::abs(a[i]))) return false;
  }
  return true;
}

std::vector<unsigned> multiplicities_at(std::span<const Expr> equations, std::span<const Expr> unknowns,
                                        const std::vector<std::vector<std::optional<Expr>>>& solutions,
                                        const Bindings& numbers) {
  const std::vector<Expr> specialised = with(equations, numbers);
  const SystemRing ring(specialised, unknowns);
  if (!ring.rational()) return {};
  const auto zeros = poly::zeros_of_system(ring.generators());
  if (!zeros || zeros->dimension == zeros->distinct || zeros->dimension > most_solutions) return {};
  const auto found = by_one_polynomial(*zeros, {});
  if (!found || found->multiplicities.size() != found->values.size()) return {};
  std::vector<Values> known;
  for (const auto& s : found->values) {
    auto v = values_of(s, {});
    if (!v) return {};
    known.push_back(std::move(*v));
  }
  std::vector<unsigned> out;
  for (const auto& s : solutions) {
    const auto v = values_of(s, numbers);
    if (!v) return {};
    std::optional<std::size_t> place;
    for (std::size_t i = 0; i < known.size(); ++i) {
      if (!same(*v, known[i])) continue;
      if (place) return {};
      place = i;
    }
    out.push_back(place ? found->multiplicities[*place] : 1);  // some are none at this point
  }
  return out;
}

}  // namespace

std::vector<unsigned> multiplicities_with_parameters(std::span<const Expr> equations, std::span<const Expr> unknowns,
                                                     const std::vector<Expr>& conditions,
                                                     const std::vector<std::vector<std::optional<Expr>>>& solutions) {
  if (solutions.empty() || solutions.size() > most_solutions) return {};
  const std::vector<Expr> parameters = parameters_of(equations, unknowns);
  const SampleRanges ranges;
  Sampler sampler(parameters, ranges, seed);
  std::vector<unsigned> out;
  try {
    for (int k = 0; k < points_of_systems; ++k) {
      const auto numbers = numbers_for(parameters, sampler, conditions);
      if (!numbers) return {};
      auto here = multiplicities_at(equations, unknowns, solutions, *numbers);
      if (here.empty() || (k > 0 && here != out)) return {};
      out = std::move(here);
    }
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::interrupted) throw;
    return {};
  }
  return out;
}

}  // namespace boreon::equations

namespace boreon {

std::string known_of_system(const ExprList& equations, const ExprList& unknowns, std::span<const Expr> conditions) {
  using namespace boreon::equations;
  const std::vector<Expr> parameters = parameters_of(equations, unknowns);
  std::string out;
  try {
    const SampleRanges ranges;
    Sampler sampler(parameters, ranges, seed);
    const auto numbers = numbers_for(parameters, sampler, conditions);
    if (!numbers) return {};
    const std::vector<Expr> specialised = with(equations, *numbers);
    const SystemRing ring(specialised, unknowns);
    if (!ring.polynomials()) return {};
    const std::vector<poly::Poly> generators = ring.generators();
    std::string degrees;
    std::size_t bound = 1;
    for (const poly::Poly& p : generators) {
      const auto degree = total_degree(p);
      degrees += (degrees.empty() ? "" : ", ") + std::to_string(degree);
      bound = std::min(most_bound, bound * std::max<std::size_t>(1, degree));
    }
    out = fmt::format("polynomials of degree{} {}", generators.size() == 1 ? "" : "s", degrees);
    if (generators.size() == unknowns.size() && bound < most_bound)
      out += fmt::format(", at most {} solution{} where they are finitely many", bound, bound == 1 ? "" : "s");
    const std::string general = parameters.empty() ? "" : " at numbers for the parameters";
    const auto count = with_budget(std::min(most_work_to_count, work_left() / 5 * 4),
                                   [&] { return poly::count_of_zeros(generators); });
    if (!count) return out + fmt::format("; there are infinitely many solutions{}", general);
    return out + fmt::format("; the quotient ring has dimension {}{}: as many complex solutions, with multiplicities",
                             *count, general);
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::interrupted) throw;
    return out;
  }
}

}  // namespace boreon
