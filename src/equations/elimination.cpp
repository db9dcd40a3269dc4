// SPDX-License-Identifier: MIT
#include <algorithm>

#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "equations/single.hpp"
#include "equations/system.hpp"

namespace boreon::equations {
namespace {

constexpr std::size_t most_cases = 64;

class Elimination {
 public:
  Elimination(std::span<const Expr> unknowns, const std::vector<Expr>& conditions)
      : unknowns_(unknowns), conditions_(conditions) {}

  bool run(std::vector<Expr> equations, std::vector<std::optional<Expr>> values, std::vector<Expr> held,
           Candidates& out) {
    std::erase_if(equations, [](const Expr& e) { return has_piece(e) ? e.is_integer(0) : vanishes(e); });
    for (const Expr& e : equations) {
      if (!depends_on_any(e)) return true;  // these values contradict it
    }
    if (equations.empty()) {
      out.values.push_back(std::move(values));
      out.conditions.push_back(std::move(held));
      return out.values.size() <= most_cases;
    }
    // the simplest equation for one unknown first: linear ones, then those with the fewest unknowns
    struct Choice {
      std::size_t equation, unknown, rank;
    };
    std::vector<Choice> choices;
    for (std::size_t i = 0; i < equations.size(); ++i) {
      std::size_t occurring = 0;
      for (const Expr& u : unknowns_) occurring += depends_on(equations[i], u) ? 1 : 0;
      for (std::size_t k = 0; k < unknowns_.size(); ++k) {
        if (!depends_on(equations[i], unknowns_[k])) continue;
        const bool linear = is_linear(equations[i], unknowns_[k]);
        choices.push_back({i, k, 2 * occurring + (linear ? 0 : 3)});
      }
    }
    std::stable_sort(choices.begin(), choices.end(), [](const Choice& a, const Choice& b) { return a.rank < b.rank; });
    for (const Choice& c : choices) {
      SingleSolver solver(conditions_);
      const auto roots = solver(equations[c.equation], Symbol::from(unknowns_[c.unknown]));
      if (!roots || !solver.integers().empty() || solver.identity()) continue;
      // a factor in other unknowns may vanish instead; where a leading coefficient does, there may be other solutions
      const auto in_unknowns = [&](const Expr& e) { return depends_on_any(e); };
      if (std::any_of(solver.free_factors().begin(), solver.free_factors().end(), in_unknowns)) continue;
      if (!solver.left_out().empty() || std::any_of(solver.nonzero().begin(), solver.nonzero().end(), in_unknowns))
        complete_ = false;
      bool all = true;
      Candidates part;
      for (const Root& r : *roots) all = all && go_on(equations, c.equation, c.unknown, r, values, held, part);
      if (!all) continue;
      for (std::size_t i = 0; i < part.values.size(); ++i) {
        out.values.push_back(std::move(part.values[i]));
        out.conditions.push_back(std::move(part.conditions[i]));
      }
      return true;
    }
    return false;
  }

  [[nodiscard]] bool complete() const { return complete_; }

 private:
  bool go_on(const std::vector<Expr>& equations, std::size_t used, std::size_t unknown, const Root& r,
             const std::vector<std::optional<Expr>>& values, std::vector<Expr> held, Candidates& out) {
    const Bindings now{{unknowns_[unknown], r.value}};
    std::vector<Expr> rest;
    try {
      for (std::size_t i = 0; i < equations.size(); ++i) {
        if (i != used) rest.push_back(substitute(equations[i], now, Unused::allowed));
      }
    } catch (const Error&) {
      return true;  // no value there
    }
    auto known = values;
    for (auto& v : known) {
      if (v) v = substitute(*v, now, Unused::allowed);
    }
    known[unknown] = r.value;
    held.insert(held.end(), r.conditions.begin(), r.conditions.end());
    Candidates deeper;
    if (!run(rest, known, held, deeper)) return false;
    for (std::size_t i = 0; i < deeper.values.size(); ++i) {
      // the value of this unknown in terms of what was found after it
      Bindings later;
      for (std::size_t k = 0; k < unknowns_.size(); ++k) {
        if (k != unknown && deeper.values[i][k]) later.set(unknowns_[k], *deeper.values[i][k]);
      }
      auto& v = deeper.values[i][unknown];
      v = substitute(*v, later, Unused::allowed);
      out.values.push_back(std::move(deeper.values[i]));
      out.conditions.push_back(std::move(deeper.conditions[i]));
    }
    return true;
  }

  [[nodiscard]] bool depends_on_any(const Expr& e) const {
    return std::any_of(unknowns_.begin(), unknowns_.end(), [&](const Expr& u) { return depends_on(e, u); });
  }
  [[nodiscard]] static bool is_linear(const Expr& e, const Expr& u) {
    try {
      return !depends_on(derivative(e, u), u);
    } catch (const Error&) {
      return false;
    }
  }

  std::span<const Expr> unknowns_;
  const std::vector<Expr>& conditions_;
  bool complete_ = true;
};

}  // namespace

std::optional<Candidates> by_elimination(std::span<const Expr> equations, std::span<const Expr> unknowns,
                                         const std::vector<Expr>& conditions) {
  Candidates out;
  out.steps.emplace_back("one unknown after the other");
  Elimination elimination(unknowns, conditions);
  if (!elimination.run({equations.begin(), equations.end()}, std::vector<std::optional<Expr>>(unknowns.size()), {},
                       out))
    return std::nullopt;
  out.complete = elimination.complete();
  return out;
}

}  // namespace boreon::equations
