// SPDX-License-Identifier: MIT
// Arrays written out: sizes put in, one equation, definition, output and start for each element.
#include <algorithm>

#include "boreon/bindings.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/traverse.hpp"
#include "model/loader.hpp"

namespace boreon {

// Parameters in places, bounds and ranges are put in as numbers: what the model looks like depends on them.
void Loader::find_sizes() {
  std::vector<Expr> all;
  const auto add = [&](const Expr& e) { all.push_back(e); };
  for (const DeclaredArray& a : scope_.all()) add(a.info.given);
  for (const NamedExpression& d : model_.definitions) add(d.given);
  for (const NamedExpression& o : model_.outputs) add(o.given);
  for (const ModelEquation& e : model_.equations) add(e.given.lhs), add(e.given.rhs);
  for (const FunctionHead& f : heads_) add(f.body);
  for (const FitSeries& f : model_.fits) add(f.model_given), add(f.deviation_given);
  if (model_.objective) add(model_.objective->given);
  for (const OpenConstraint& c : open_constraints_) add(c.relation);
  for (const Start& s : starts_) add(s.given);
  std::vector<Expr> places;
  for (const Family& f : families_) {
    add(f.info.given.lhs);
    add(f.info.given.rhs);
    add(f.info.where);
    places.push_back(f.info.where);
  }
  postorder(std::span<const Expr>(all), [&](const Expr& e) {
    if (e.is(Kind::element))
      for (const Expr& i : e.operands().subspan(1)) places.push_back(i);
    if (e.is(Kind::reduction)) places.insert(places.end(), {e.operands()[2], e.operands()[3]});
  });
  const auto used = free_symbols(places);
  for (Parameter& p : model_.parameters) {
    const bool here = std::any_of(used.begin(), used.end(), [&](const Symbol& s) { return s == p.symbol; });
    if (here && !p.value.is_integer())
      reader_.fail(ErrorKind::shape,
                   fmt::format("{} = {} stands in an index or a bound, so it must be a whole number (integer)", p.name,
                               p.value.to_double()),
                   p.position);
    p.fixed = p.fixed || here;
  }
}

std::string Loader::text_of(const WriteOut::Numbers& indices) {
  std::string text;
  for (const auto& [symbol, value] : indices)
    text += fmt::format("{}{} = {}", text.empty() ? " at " : ", ", symbol.name(), to_text(value));
  return text;
}

Expr Loader::written(const Expr& e, const WriteOut::Numbers& indices, const std::string& where,
                     const SourcePosition& at) {
  try {
    const Expr result = (*write_out_)(e, indices);
    postorder(result, [&](const Expr& x) {
      if (!x.is(Kind::element)) return;
      throw Error(
          ErrorKind::shape,
          fmt::format("the index of {} is not known when the model is loaded: places are made of indices, whole "
                      "numbers, parameters and arrays of whole numbers",
                      to_text(x, {60, model_.independent.name()})));
    });
    return result;
  } catch (const Error& error) {
    if (error.position().known()) throw;
    reader_.fail(error.kind(), fmt::format("{} ({})", error.message(), where + text_of(indices)), at);
  }
}

void Loader::write_out_arrays() {
  if (scope_.empty() && ranges_.empty()) return;
  find_sizes();
  WriteOut::Numbers sizes;
  for (const Parameter& p : model_.parameters) {
    if (!p.fixed) continue;
    sizes.emplace_back(p.symbol, Expr(p.value));
    used_.insert(p.name);
  }
  write_out_ = std::make_unique<WriteOut>(
      WriteOut::Options{[this](const Expr& head, std::span<const Expr> indices, bool as_number) {
                          return scope_.element(head, indices, as_number);
                        },
                        1'000'000},
      std::move(sizes));
  for (FunctionHead& f : heads_) f.body = written(f.body, {}, "the function " + f.name, f.position);
  for (FitSeries& f : model_.fits) {
    f.model_given = written(f.model_given, {}, "the fit of " + f.name, f.position);
    f.deviation_given = written(f.deviation_given, {}, "the fit of " + f.name, f.position);
  }
  write_optimum();
  write_families();
  // Outputs that are arrays become one output for each element.
  for (DeclaredArray& a : scope_.all()) {
    if (a.info.what != ModelArray::What::output) continue;
    for (std::size_t n = 0; n < a.info.elements(); ++n) {
      NamedExpression e{a.info.element(n), a.info.unit, a.info.note, {}, {}, a.info.position};
      e.given = written(a.info.given, a.at(n), "the output " + a.info.name, a.info.position);
      model_.outputs.push_back(std::move(e));
    }
  }
  write_starts();
}

void Loader::write_starts() {
  for (Start& s : starts_) {
    for (std::size_t n = 0; n < s.array->info.elements(); ++n)
      s.elements.push_back(written(s.given, s.array->at(n), "the start of " + s.array->info.name, s.position));
  }
}

// Scalar definitions as they are to be resolved, and all elements of arrays that anything has asked for so far.
void Loader::write_definitions(std::vector<NamedExpression>& all) {
  for (NamedExpression& d : all) d.given = written(d.given, {}, "the definition " + d.name, d.position);
  DeclaredArray* a = nullptr;
  std::size_t n = 0;
  while (scope_.next_wanted(a, n)) {
    const char* what = a->info.what == ModelArray::What::parameter ? "the parameter " : "the definition ";
    NamedExpression e{a->info.element(n), a->info.unit, a->info.note, {}, {}, a->info.position};
    e.given = written(a->info.given, a->at(n), what + a->info.name, a->info.position);
    all.push_back(std::move(e));
  }
}

// Numbers for the formulas of starts, with the parameters as they are.
void Loader::put_in_starts(const std::function<Expr(const Expr&, const SourcePosition&)>& resolve) {
  Bindings values;
  for (const Parameter& p : model_.parameters) values.set(p.symbol, Expr(p.value));
  for (Start& s : starts_) {
    for (Expr& e : s.elements) e = resolve(e, s.position);
    if (!values.empty()) s.elements = substitute(s.elements, values, Unused::allowed);
    std::vector<double> numbers;
    try {
      numbers = evaluate(s.elements, {}, Unused::allowed);
    } catch (const Error&) {  // which one it is, is found below
    }
    for (std::size_t n = 0; n < s.elements.size(); ++n) {
      Unknown& u = model_.unknowns[s.array->first_unknown + n];
      double value = 0;
      try {
        value = numbers.empty() ? evaluate(s.elements[n]) : numbers[n];
      } catch (const Error& e) {
        reader_.fail(e.kind(), fmt::format("the start of {} has no value: {}", u.name, e.message()), s.position);
      }
      if (s.rate) {
        u.rate_start = value;
        u.rate_given = true;
        continue;
      }
      u.start = std::clamp(value, u.lower, u.upper);
      if (u.start != value)
        warn(fmt::format("the start {} of {} lies outside its bounds {} to {}; it is moved to {}", value, u.name,
                         u.lower, u.upper, u.start),
             s.position);
    }
  }
}

// Elements of parameters that are used, as parameters of the model.
void Loader::parameters_in_use() {
  for (DeclaredArray& a : scope_.all()) {
    if (a.used) used_.insert(a.info.name);
    if (a.values.empty()) continue;
    for (std::size_t n = 0; n < a.wanted.size(); ++n) {
      if (a.wanted[n] == 0) continue;
      Parameter p;
      p.name = a.info.element(n);
      p.value = a.values[n];
      p.unit = a.info.unit;
      p.note = a.info.note;
      p.symbol = Symbol(p.name);
      p.position = a.info.position;
      model_.parameters.push_back(std::move(p));
      used_.insert(model_.parameters.back().name);
    }
  }
}

}  // namespace boreon
