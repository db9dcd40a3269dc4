// SPDX-License-Identifier: MIT
// What must hold of a model as a whole, and what is odd about it.
#include <algorithm>

#include "boreon/traverse.hpp"
#include "model/loader.hpp"

namespace boreon {

void Loader::Uses::add(const Expr& root) {
  postorder(root, [&](const Expr& e) {
    if (e.is(Kind::symbol) && !is_function_head(e)) symbols.insert(e.name());
    if (e.is(Kind::unknown_call)) {
      int& order = orders.emplace(e.name(), 0).first->second;
      order = std::max(order, static_cast<int>(e.operands()[2].word().value_or(0)));
    }
  });
}

void Loader::check() {
  Uses uses;
  check_equations(uses);
  check_fits(uses);
  check_optimum(uses);
  check_unknowns(uses);
  check_count();
  for (const NamedExpression& o : model_.outputs) uses.add(o.resolved);
  check_columns_stay_in_fits();
  warn_of_unused(uses);
}

void Loader::check_equations(Uses& uses) {
  for (const ModelEquation& e : model_.equations) {
    const Expr r = e.resolved.residual();
    if (r.is_constant(ConstantCode::undefined))
      reader_.fail(ErrorKind::domain, fmt::format("the equation {} is undefined: it divides by zero", e.name),
                   e.position);
    uses.add(r);
    const auto calls = unknown_calls({&r, 1});
    if (calls.empty())
      reader_.fail(ErrorKind::shape,
                   fmt::format("the equation {} contains no unknown{}", e.name,
                               r.is_integer(0) ? ": both sides are the same" : ""),
                   e.position);
  }
}

void Loader::check_count() const {
  const bool fitted = model_.equations.empty() && !model_.fits.empty();
  if (model_.equations.size() < model_.unknowns.size() && !fitted && !model_.objective) {
    reader_.fail(ErrorKind::shape,
                 fmt::format("{} equation{} for {} unknowns ({}): one equation is missing for each unknown without one",
                             model_.equations.size(), model_.equations.size() == 1 ? "" : "s", model_.unknowns.size(),
                             fmt::join(unknown_names(), ", ")),
                 model_.equations.empty() ? SourcePosition{model_.path, 1, 1} : model_.equations.back().position);
  }
}

void Loader::check_unknowns(const Uses& uses) {
  // Whether some element of the array of this one is of second order.
  std::map<std::string, bool> by_array;
  const auto moves = [&](const std::string& name) {
    const std::size_t bracket = name.find('[');
    if (bracket == std::string::npos) return false;
    const std::string array = name.substr(0, bracket);
    const auto [at, fresh] = by_array.emplace(array, false);
    if (fresh) {
      const auto first = uses.orders.lower_bound(array + "[");
      for (auto u = first; u != uses.orders.end() && u->first.starts_with(array + "["); ++u)
        at->second = at->second || u->second >= 2;
    }
    return at->second;
  };
  const bool fitted = model_.equations.empty();
  for (Unknown& u : model_.unknowns) {
    const auto at = uses.orders.find(u.name);
    if (at == uses.orders.end())
      reader_.fail(ErrorKind::shape,
                   fmt::format("the unknown {} occurs in no {}", u.name,
                               model_.objective ? "equation or constraint, nor in what is optimised"
                               : fitted         ? "model of [fit]"
                                                : "equation"),
                   u.position);
    u.order = at->second;
    if (u.order > 2)
      reader_.fail(ErrorKind::unsupported,
                   fmt::format("{} has a derivative of order {}; introduce an unknown for its second derivative",
                               u.name, u.order),
                   u.position);
    // Of an array whose walls are kept the others have rates.
    if (u.rate_given && u.order == 0 && moves(u.name)) u.rate_given = false;
    if (u.rate_given && u.order < 2) {
      reader_.fail(ErrorKind::shape,
                   fmt::format("an initial rate is given for {}, but its equation is of {} order", u.name,
                               u.order == 1 ? "first" : "zeroth"),
                   u.position);
    }
  }
}

void Loader::check_fits(Uses& uses) {
  const bool with_equations = !model_.equations.empty();
  const auto order_in_equations = [orders = uses.orders](const std::string& name) {
    const auto at = orders.find(name);
    return at == orders.end() ? 0 : at->second;
  };
  for (const FitSeries& f : model_.fits) {
    for (const Expr& e : {f.model, f.deviation}) {
      if (e.is_constant(ConstantCode::undefined))
        reader_.fail(ErrorKind::domain, fmt::format("[fit] {} is undefined: it divides by zero", f.name), f.position);
      Uses here;
      here.add(e);
      for (const auto& [name, order] : here.orders) {
        if (order > 0 && order_in_equations(name) == 0)
          reader_.fail(ErrorKind::shape,
                       fmt::format("[fit] {}: {} has a derivative, but no equation says how it changes", f.name, name),
                       f.position);
      }
      uses.symbols.insert(here.symbols.begin(), here.symbols.end());
      if (!with_equations) uses.add(e);
    }
  }
  if (with_equations) return;
  for (const Parameter& p : model_.parameters) {
    if (p.fit && !model_.fits.empty())
      warn(fmt::format("{} has fit = true, but in a fit without equations the unknowns are found", p.name), p.position);
  }
}

void Loader::check_optimum(Uses& uses) {
  const auto require_choice = [&](const Expr& e, const std::string& what, const SourcePosition& at) {
    if (e.is_constant(ConstantCode::undefined))
      reader_.fail(ErrorKind::domain, fmt::format("{} is undefined: it divides by zero", what), at);
    if (unknown_calls({&e, 1}).empty())
      reader_.fail(ErrorKind::shape, fmt::format("{} contains no unknown: nothing that is chosen changes it", what),
                   at);
  };
  if (model_.objective) {
    require_choice(model_.objective->resolved, "what is optimised", model_.objective->position);
    uses.add(model_.objective->resolved);
  }
  for (const ModelConstraint& c : model_.constraints) {
    require_choice(c.value - c.limit, fmt::format("the constraint {}", c.name), c.position);
    uses.add(c.value);
    uses.add(c.limit);
  }
}

// A column has a value in each row of the data and nowhere else. Equations without rates are solved row by row.
void Loader::check_columns_stay_in_fits() {
  if (!model_.data) return;
  const auto refuse = [&](const Expr& e, const char* what, const std::string& name, const SourcePosition& at) {
    for (std::size_t i = 0; i < model_.data->symbols.size(); ++i) {
      if (model_.data->symbols[i] == Expr(model_.independent) || !depends_on(e, model_.data->symbols[i])) continue;
      reader_.fail(ErrorKind::shape,
                   fmt::format("the {} {} uses {}, a column of the data, which has values only in [fit]", what, name,
                               model_.data->names[i]),
                   at);
    }
  };
  if (model_.in_time())
    for (const ModelEquation& e : model_.equations) refuse(e.resolved.residual(), "equation", e.name, e.position);
  if (!model_.equations.empty())
    for (const NamedExpression& o : model_.outputs) refuse(o.resolved, "output", o.name, o.position);
}

void Loader::warn_of_unused(const Uses& uses) {
  for (const Parameter& p : model_.parameters) {
    if (!uses.symbols.contains(p.name) && !used_.contains(p.name))
      warn(fmt::format("the parameter {} is not used", p.name), p.position);
  }
  for (const NamedExpression& d : model_.definitions) {
    if (!used_.contains(d.name)) warn(fmt::format("the definition {} is not used", d.name), d.position);
  }
  for (const ModelArray& a : model_.arrays) {
    if (a.what != ModelArray::What::parameter && a.what != ModelArray::What::definition) continue;
    if (!used_.contains(a.name))
      warn(fmt::format("the {} {} is not used", a.what == ModelArray::What::parameter ? "parameter" : "definition",
                       a.head()),
           a.position);
  }
  for (const ModelTable& t : model_.tables) {
    if (!used_.contains(t.function.name()))
      warn(fmt::format("the table {} is not used", t.function.name()), t.position);
  }
  for (const FunctionHead& f : heads_) {
    if (!used_.contains(f.name)) warn(fmt::format("the function {} is not used", f.name), f.position);
  }
}

}  // namespace boreon
