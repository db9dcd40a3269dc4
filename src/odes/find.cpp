// SPDX-License-Identifier: MIT
// The methods in their order, for one equation and for several.
#include "odes/find.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "odes/shifts.hpp"

namespace boreon::odes {
namespace {

class Finder {
 public:
  Finder(Context& context, const Jet& jet) : context_(context), jet_(jet) {}

  std::optional<Found> run() {
    if (!find()) return std::nullopt;
    return std::move(out_);
  }

 private:
  std::vector<Symbol> jets_of(std::size_t i) const {
    std::vector<Symbol> out;
    for (int k = 0; k <= jet_.orders()[i]; ++k) out.push_back(jet_.symbol(i, k));
    return out;
  }

  // One equation F in the symbols of one unknown.
  Families scalar(const Expr& F, const std::vector<Symbol>& jets) {
    const std::size_t order = jets.size() - 1;
    const std::size_t constants = context_.constants().size();
    if (order == 0) return std::nullopt;
    const auto form = linear_form(F, jets);
    if (form && form->a.size() == jets.size()) {
      if (const auto y = solve_linear_ode(context_, *form, jet_.variable())) {
        out_.linear = true;
        return std::vector<Family>{{*y, std::nullopt}};
      }
      context_.forget(constants);
      context_.set_open(false);
    }
    if (order == 1) return first_order(context_, F, jet_.variable(), jets[0], jets[1]);
    if (order == 2) return second_order(context_, F, jet_.variable(), jets[0], jets[1], jets[2]);
    if (depends_on(F, jets[0])) return std::nullopt;
    const Families lower = scalar(F, {jets.begin() + 1, jets.end()});
    if (!lower) return std::nullopt;
    context_.step("y itself does not occur: an equation for y', integrated");
    std::vector<Family> out;
    const std::size_t now = context_.constants().size();
    for (const Family& f : *lower) {
      if (!f.value) return std::nullopt;
      context_.forget(now);
      out.push_back({context_.integral(*f.value, jet_.variable()) + context_.constant(), std::nullopt});
    }
    return out;
  }

  bool find() {
    if (jet_.size() == 1) {
      const std::vector<Symbol> jets = jets_of(0);
      Families f = scalar(jet_.equations()[0], jets);
      if (!f) f = shifted(jet_.equations()[0], jets);
      if (!f) {
        context_.forget(0);
        context_.set_open(false);
        if (jets.size() != 2) return false;
        out_.curve = slope_as_parameter(context_, jet_.equations()[0], jet_.variable(), jets[0], jets[1]);
        return out_.curve.has_value();
      }
      for (const Family& one : *f) {
        if (one.value) {
          out_.functions.push_back({{*one.value}, one.conditions});
        } else {
          out_.relations.push_back(one);
        }
      }
      return true;
    }
    std::vector<std::vector<Symbol>> jets;
    for (std::size_t i = 0; i < jet_.size(); ++i) jets.push_back(jets_of(i));
    if (auto all = linear_system(context_, jet_.equations(), jets, jet_.variable())) {
      out_.functions.push_back({std::move(*all), {}});
      return true;
    }
    context_.forget(0);
    return one_by_one();
  }

  // The same with t and y counted from other places, those at which parts of the equation vanish.
  Families shifted(const Expr& F, const std::vector<Symbol>& jets) {
    const Symbol& t = jet_.variable();
    for (const Shift& s : shifts_of(F, t, jets)) {
      context_.forget(0);
      context_.set_open(false);
      const Families f = scalar(shifted_equation(F, s, t, jets[0]), jets);
      if (!f) continue;
      context_.step(fmt::format("with {} for {}{}", to_text(t + s.of_t, {60, {}}), t.name(),
                                s.of_y.is_integer(0) ? "" : " and another zero for the unknown"));
      std::vector<Family> out;
      const Bindings back{{t, t - s.of_t}};
      const auto returned = [&](const Expr& e) { return substitute(e, back, Unused::allowed); };
      for (const Family& one : *f) {
        Family there;
        if (one.value) there.value = context_.tidy(returned(*one.value) + s.of_y);
        if (one.relation)
          there.relation = returned(substitute(*one.relation, {{jets[0], jets[0] - s.of_y}}, Unused::allowed));
        for (const Expr& c : one.conditions) there.conditions.push_back(returned(c));
        out.push_back(std::move(there));
      }
      return out;
    }
    return std::nullopt;
  }

  // An equation with one unknown only is solved, and put into the others.
  bool one_by_one() {
    std::vector<Expr> equations = jet_.equations();
    std::vector<std::optional<Expr>> known(jet_.size());
    std::vector<bool> used(equations.size(), false);
    for (std::size_t round = 0; round < jet_.size(); ++round) {
      bool progress = false;
      for (std::size_t e = 0; e < equations.size() && !progress; ++e) {
        if (used[e]) continue;
        std::optional<std::size_t> only;
        std::size_t count = 0;
        int order = 0;
        for (std::size_t i = 0; i < jet_.size(); ++i) {
          if (known[i]) continue;
          bool occurs = false;
          for (int k = 0; k <= jet_.orders()[i]; ++k) {
            if (!depends_on(equations[e], jet_.symbol(i, k))) continue;
            occurs = true;
            order = k;
          }
          if (!occurs) continue;
          only = i;
          ++count;
        }
        if (count != 1 || order != jet_.orders()[*only]) continue;
        const Families f = scalar(equations[e], jets_of(*only));
        if (!f || f->size() != 1 || !f->front().value) return false;
        known[*only] = f->front().value;
        used[e] = true;
        progress = true;
        Bindings values;
        Expr d = *known[*only];
        for (int k = 0; k <= jet_.orders()[*only]; ++k) {
          values.set(jet_.symbol(*only, k), d);
          d = derivative(d, jet_.variable());
        }
        for (Expr& other : equations) other = substitute(other, values, Unused::allowed);
      }
      if (!progress) return false;
    }
    std::vector<Expr> all;
    for (const auto& k : known) all.push_back(*k);
    context_.step("one unknown after the other");
    out_.functions.push_back({std::move(all), {}});
    return true;
  }

  Context& context_;
  const Jet& jet_;
  Found out_;
};

}  // namespace

std::optional<Found> find_solutions(Context& context, const Jet& jet) { return Finder(context, jet).run(); }

}  // namespace boreon::odes
