// SPDX-License-Identifier: MIT
// Arrays as they are: equations, starts and outputs of fields in index notation, no element written out.
#include <algorithm>
#include <limits>

#include "algebra/linear_terms.hpp"
#include "arrays/element_parts.hpp"
#include "arrays/placeholder.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/field_run.hpp"
#include "boreon/traverse.hpp"
#include "model/loader.hpp"

namespace boreon {
namespace {

// The order of the time derivative that a node is, 0 for others.
std::int64_t rate_order(const Expr& e) {
  const auto parts = element_parts(e);
  const Expr& head = parts ? parts->head : e;
  if (!head.is(Kind::unknown_call) || head.operands().size() != 3) return 0;
  return head.operands()[2].word().value_or(0);
}

// Rates in an expression, each once; the heads of elements are none of their own.
std::vector<Expr> rates_in(const Expr& e) {
  std::vector<Expr> all;
  postorder(
      std::span<const Expr>(&e, 1),
      [&](const Expr& x) {
        if (rate_order(x) > 0) all.push_back(x);
      },
      [](const Expr& x) { return !x.is(Kind::element); });
  return all;
}

Expr raised(const Expr& head, std::int64_t by) {
  std::vector<Expr> operands(head.operands().begin(), head.operands().end());
  operands[2] += by;
  return unknown_call(operands);
}

// Functions and tables put in; sums over elements are no sums to be found in closed form.
Expr resolved_open(const Expr& e, Resolver& resolver) {
  std::vector<std::pair<Expr, Expr>> sums;
  Rebuild take_out([&](const Expr& x, Expr& result) {
    if (!x.is(Kind::reduction)) return false;
    const auto o = x.operands();
    const Expr sum = unevaluated_reduction(x.reduction_op(), resolved_open(o[0], resolver), o[1],
                                           resolved_open(o[2], resolver), resolved_open(o[3], resolver));
    result = argument_symbol("reduction_" + std::to_string(sums.size()));
    sums.emplace_back(result, sum);
    return true;
  });
  const Expr outer = take_out(e);
  const auto refuse_integrals = [](const Expr& in) {
    postorder(in, [&](const Expr& x) {
      if (x.is(Kind::integral) && !unknown_calls({&x, 1}).empty())
        throw Error(ErrorKind::unsupported,
                    fmt::format("{} is an integral over unknowns, which works on models that are written out",
                                to_text(x, {60})));
    });
  };
  refuse_integrals(outer);
  Expr value = resolver.resolve(outer);
  refuse_integrals(value);
  if (sums.empty()) return value;
  return renamed(value, sums);
}

Expr at_places(const Expr& head, const std::vector<Expr>& places) {
  return places.empty() ? head : element(head, places);
}

bool has_equation(const FieldSystem& s, std::size_t unknown) {
  return std::any_of(s.equations.begin(), s.equations.end(),
                     [&](const FieldEquation& e) { return e.target == unknown; });
}

// Whether an element or a plain value is one of an unknown.
bool is_unknown(const FieldSystem& s, const Expr& e) {
  const auto parts = element_parts(e);
  const Expr& head = parts ? parts->head : e;
  return std::any_of(s.unknowns.begin(), s.unknowns.end(), [&](const Field& u) { return u.head == head; });
}

// The unknown that is the rate of another one; the unknown itself where it has none.
std::size_t companion_of(const FieldSystem& s, std::size_t unknown) {
  const Expr rate = raised(s.unknowns[unknown].head, 1);
  for (std::size_t u = 0; u < s.unknowns.size(); ++u) {
    if (s.unknowns[u].head == rate) return u;
  }
  return unknown;
}

}  // namespace

// Definitions are formulas here, by their plain names.
Expr Loader::with_plain_heads(const Expr& e) const {
  Rebuild pass([&](const Expr& x, Expr& result) {
    if (x.is(Kind::symbol) && x == definition_symbol(x.name())) {
      if (const auto parts = element_parts(x)) {
        result = element(Symbol(parts->head.name()), parts->places);
      } else {
        result = Symbol(x.name());
      }
      return true;
    }
    return false;
  });
  return pass(e);
}

void Loader::require_open_sections() const {
  for (const char* name : {"fit", "data", "optimise", "constraints"}) {
    if (section(name) != nullptr)
      throw Error(
          ErrorKind::unsupported,
          fmt::format("'{}' has a section [{}], which works on models that are written out", model_.called(), name));
  }
}

void Loader::open_data(FieldSystem& s) {
  for (DeclaredArray& a : scope_.all()) {
    if (a.info.what != ModelArray::What::parameter || a.values.empty()) continue;
    auto numbers = std::make_shared<std::vector<double>>();
    numbers->reserve(a.values.size());
    for (const Number& v : a.values) numbers->push_back(v.to_double());
    s.data.push_back({a.info.name, a.named.head, a.info.dimensions, std::move(numbers)});
  }
}

void Loader::open_formulas(FieldSystem& s, Resolver& resolver) {
  for (const DeclaredArray& a : scope_.all()) {
    const bool formula =
        a.info.what == ModelArray::What::definition || (a.info.what == ModelArray::What::parameter && a.values.empty());
    if (!formula) continue;
    s.formulas.push_back(
        {Symbol(a.info.name), a.indices, a.info.dimensions, resolved_open(with_plain_heads(a.info.given), resolver)});
  }
  for (const NamedExpression& d : model_.definitions)
    s.formulas.push_back({Symbol(d.name), {}, {}, resolved_open(with_plain_heads(d.given), resolver)});
}

// Nothing for an equation of several plain unknowns without a rate.
std::optional<std::size_t> Loader::target_of(const FieldSystem& s, const Family& f, const Expr& residual) {
  const auto unknown = [&](const Expr& head) -> std::optional<std::size_t> {
    for (std::size_t u = 0; u < s.unknowns.size(); ++u) {
      if (s.unknowns[u].head == head) return u;
    }
    return std::nullopt;
  };
  if (f.target != nullptr) return unknown(f.target->named.head).value();
  // Of plain unknowns: the one whose rate occurs, else the one on the left.
  const auto plain = [&](const Expr& e, bool rate) -> std::optional<std::size_t> {
    std::optional<std::size_t> found;
    postorder(e, [&](const Expr& x) {
      if (!x.is(Kind::unknown_call) || element_parts(x) || (rate_order(x) > 0) != rate) return;
      std::vector<Expr> operands(x.operands().begin(), x.operands().end());
      if (operands.size() == 3) operands[2] = 0;
      const auto u = unknown(unknown_call(operands));
      if (u && s.unknowns[*u].dimensions.empty()) found = u;
    });
    return found;
  };
  if (const auto u = plain(residual, true)) return *u;
  // Without a rate: the unknown on the left, or the only one in it that has no equation yet.
  if (const auto u = unknown(f.info.given.lhs); u && !has_equation(s, *u)) return *u;
  std::vector<std::size_t> open;
  postorder(residual, [&](const Expr& x) {
    const auto u = x.is(Kind::unknown_call) ? unknown(x) : std::nullopt;
    if (u && s.unknowns[*u].dimensions.empty() && !has_equation(s, *u)) open.push_back(*u);
  });
  if (open.size() == 1) return open[0];
  return std::nullopt;
}

void Loader::open_equation(FieldProblem& p, const Family& f, const Expr& residual, std::size_t target) {
  const auto refuse = [&](const std::string& why) {
    throw Error(ErrorKind::unsupported,
                fmt::format("the equation {} {}; such models are written out, without --loops", f.info.name, why),
                f.info.position);
  };
  FieldEquation e;
  e.name = f.info.name;
  e.target = target;
  e.places = f.places;
  e.where = with_plain_heads(f.info.where);
  e.position = f.info.position;
  const auto add = [&](std::size_t unknown, const Expr& value, bool algebraic) {
    e.target = unknown;
    e.value = value;
    p.rates.equations.push_back(e);
    p.algebraic.push_back(algebraic ? 1 : 0);
  };
  const std::size_t companion = companion_of(p.rates, target);
  const bool second_order = companion != target;
  const Expr own = p.rates.unknowns[target].head;
  const Expr own_rate = second_order ? at_places(p.rates.unknowns[companion].head, f.places) : own;
  std::vector<Expr> rates = rates_in(residual);
  // First rates are unknowns where there are second ones.
  std::erase_if(rates, [&](const Expr& r) {
    const bool state = is_unknown(p.rates, r);
    if (state && element_parts(r) && second_order && !(r == own_rate))
      refuse("contains the first rate of another element");
    return state;
  });
  if (rates.empty()) {
    add(target, residual, true);
    if (second_order) add(companion, own_rate, true);  // what is fixed has no rate of its own
    return;
  }
  if (std::any_of(rates.begin(), rates.end(), [](const Expr& r) { return rate_order(r) > 2; }))
    refuse("has a derivative of higher order than the second");
  if (rates.size() > 1) refuse("contains the rates of several elements");
  const auto parts = element_parts(rates[0]);
  const Expr state = raised(parts ? parts->head : rates[0], -1);
  const std::vector<Expr> places = parts ? parts->places : std::vector<Expr>{};
  if (!(state == p.rates.unknowns[companion].head) || places != e.places)
    refuse("belongs to another element than the one whose rate it contains");
  const Symbol rate = argument_symbol("rate");
  const std::pair<Expr, Expr> for_rate[] = {{rates[0], rate}};
  const std::pair<Expr, Expr> no_rate[] = {{rate, 0}};
  const Expr in_rate = renamed(residual, for_rate);
  const Expr factor = derivative(in_rate, rate);
  if (depends_on(factor, rate)) refuse("is not linear in its rate");
  Expr value;  // term by term: the negative of a sum would stay one factor
  for (const Expr& term : terms_of(renamed(in_rate, no_rate))) value -= term;
  add(companion, value / factor, false);
  if (second_order) add(target, own_rate, false);
}

void Loader::open_equations(FieldProblem& p, Resolver& resolver) {
  FieldSystem& s = p.rates;
  std::vector<Family> all = families_;
  for (const ModelEquation& e : model_.equations) {
    Family f;
    f.info.name = e.name;
    f.info.given = e.given;
    f.info.position = e.position;
    all.push_back(std::move(f));
  }
  // Rates of unknowns that have second ones are unknowns too.
  for (const Family& f : all) {
    for (const Expr& r : rates_in(with_plain_heads(f.info.given.residual()))) {
      if (rate_order(r) != 2) continue;
      const auto parts = element_parts(r);
      const Expr first = raised(parts ? parts->head : r, -1);
      const Expr value = raised(first, -1);
      const auto own =
          std::find_if(s.unknowns.begin(), s.unknowns.end(), [&](const Field& u) { return u.head == value; });
      if (own == s.unknowns.end() || companion_of(s, static_cast<std::size_t>(own - s.unknowns.begin())) !=
                                         static_cast<std::size_t>(own - s.unknowns.begin()))
        continue;
      const auto place = static_cast<std::size_t>(own - s.unknowns.begin());
      const Field rate{own->name + "'", first, own->dimensions};
      const std::string unit = p.units[place];
      s.unknowns.push_back(rate);
      p.units.push_back(unit.empty() || model_.independent_unit.empty() ? unit : unit + "/" + model_.independent_unit);
      p.bounds.emplace_back(-std::numeric_limits<double>::infinity(), std::numeric_limits<double>::infinity());
    }
  }
  // Those with rates first: what is left over belongs to the others.
  std::stable_partition(all.begin(), all.end(), [](const Family& f) {
    return f.target != nullptr || !rates_in(f.info.given.residual()).empty();
  });
  std::vector<std::pair<const Family*, Expr>> open;  // of plain unknowns, which of them does not matter
  for (const Family& f : all) {
    for (std::size_t k = 0; k < f.free.size(); ++k) {
      if (std::none_of(s.indices.begin(), s.indices.end(), [&](const auto& i) { return i.first == f.free[k]; }))
        s.indices.emplace_back(f.free[k], f.ranges[k]);
    }
    try {
      const Expr residual = resolved_open(with_plain_heads(f.info.given.residual()), resolver);
      if (const auto target = target_of(s, f, residual)) {
        open_equation(p, f, residual, *target);
      } else {
        open.emplace_back(&f, residual);
      }
    } catch (const Error& error) {
      if (error.position().known()) throw;
      reader_.fail(error.kind(), error.message(), f.info.position);
    }
  }
  for (const auto& [f, residual] : open) {
    std::size_t u = 0;
    while (u < s.unknowns.size() && (!s.unknowns[u].dimensions.empty() || has_equation(s, u))) ++u;
    if (u == s.unknowns.size())
      reader_.fail(ErrorKind::shape, fmt::format("there is no unknown left for the equation {}", f->info.name),
                   f->info.position);
    open_equation(p, *f, residual, u);
  }
}

void Loader::open_starts(FieldProblem& p, Resolver& resolver) {
  p.starts = p.rates;
  p.starts.equations.clear();
  for (std::size_t u = 0; u < p.starts.unknowns.size(); ++u) {
    FieldEquation e;
    e.name = "start of " + p.starts.unknowns[u].name;
    e.target = u;
    std::string name = p.starts.unknowns[u].name;
    const bool rate = name.ends_with('\'');
    if (rate) name.pop_back();
    const DeclaredArray* a = scope_.find(name);
    if (a == nullptr) {
      const Unknown* plain = model_.find_unknown(name);
      e.value = Number::shortest_decimal(rate ? plain->rate_start : plain->start);
    } else {
      e.places = a->indices;
      for (const Start& start : starts_) {
        if (start.array != a || start.rate != rate) continue;
        e.value = resolved_open(with_plain_heads(start.given), resolver);
        e.position = start.position;
      }
    }
    p.starts.equations.push_back(std::move(e));
  }
}

void Loader::open_outputs(FieldProblem& p, Resolver& resolver) {
  p.outputs = p.rates;
  p.outputs.equations.clear();
  const auto add = [&](const std::string& name, const std::vector<IndexRange>& dimensions,
                       const std::vector<Expr>& places, const Expr& given, const SourcePosition& at,
                       const std::string& unit) {
    FieldEquation e;
    e.name = "output " + name;
    e.target = p.outputs.results.size();
    e.places = places;
    e.value = resolved_open(with_plain_heads(given), resolver);
    e.position = at;
    const std::vector<Expr> rates = rates_in(e.value);
    if (std::any_of(rates.begin(), rates.end(), [&](const Expr& r) { return !is_unknown(p.rates, r); }))
      throw Error(ErrorKind::unsupported,
                  fmt::format("the output {} contains a rate, which works on models that are written out", name), at);
    p.outputs.results.push_back({name, Symbol(name), dimensions});
    p.outputs.equations.push_back(std::move(e));
    p.output_units.push_back(unit);
    for (std::size_t k = 0; k < places.size(); ++k) {
      if (std::none_of(p.outputs.indices.begin(), p.outputs.indices.end(),
                       [&](const auto& i) { return i.first == places[k]; }))
        p.outputs.indices.emplace_back(places[k], dimensions[k]);
    }
  };
  for (const NamedExpression& o : model_.outputs) add(o.name, {}, {}, o.given, o.position, o.unit);
  for (const DeclaredArray& a : scope_.all()) {
    if (a.info.what == ModelArray::What::output)
      add(a.info.name, a.info.dimensions, a.indices, a.info.given, a.info.position, a.info.unit);
  }
}

FieldProblem Loader::run_open() {
  open_ = true;
  declarations();
  for (const auto& [name, value] : values_) {
    std::vector<std::string> known;
    for (const Parameter& q : model_.parameters) known.push_back(q.name);
    if (std::find(known.begin(), known.end(), name) == known.end())
      throw Error(ErrorKind::name,
                  fmt::format("there is no parameter '{}' with a number of its own{}", name, suggestion(name, known)));
  }
  require_open_sections();
  find_sizes();
  FieldProblem p;
  p.title = model_.called();
  FieldSystem& s = p.rates;
  for (const auto& [name, range] : ranges_) s.indices.emplace_back(context_.names.at(name), range);
  for (const Unknown& u : model_.unknowns) {
    const DeclaredArray* a = scope_.find(u.name);
    s.unknowns.push_back({u.name, a == nullptr ? u.function : a->named.head,
                          a == nullptr ? std::vector<IndexRange>{} : a->info.dimensions});
    p.units.push_back(u.unit);
    p.bounds.emplace_back(u.lower, u.upper);
  }
  for (const Parameter& q : model_.parameters) {
    if (q.fixed) {
      p.sizes.emplace_back(q.symbol, q.value.word().value_or(0));
      continue;
    }
    s.parameters.push_back(q.symbol);
    p.parameter_names.push_back(q.name);
    p.parameters.push_back(q.value.to_double());
  }
  s.time = model_.independent;
  std::vector<FunctionHead> heads = heads_;
  for (FunctionHead& h : heads) h.body = with_plain_heads(h.body);
  Resolver resolver(reader_, heads, model_.tables, {});
  resolver.link();
  open_data(s);
  open_formulas(s, resolver);
  open_equations(p, resolver);
  open_starts(p, resolver);
  open_outputs(p, resolver);
  for (const GridCoordinate& c : model_.grid) {
    Bindings values;
    for (const Parameter& q : model_.parameters) values.set(q.symbol, Expr(q.value));
    FieldAxis axis{c.index.name(), c.coordinate.name(), c.unit};
    axis.spacing = evaluate(c.spacing, values, Unused::allowed);
    axis.start = evaluate(c.start - c.first * c.spacing, values, Unused::allowed);
    p.axes.push_back(std::move(axis));
  }
  p.time_unit = model_.independent_unit;
  p.from = model_.run.from;
  p.until = model_.run.until.value_or(0);
  p.samples = model_.run.samples;
  p.relative_tolerance = model_.run.relative_tolerance;
  p.absolute_tolerance = model_.run.absolute_tolerance;
  return p;
}

FieldProblem parse_field_problem(std::string_view toml, const std::string& path, const ParameterValues& values) {
  return Loader(toml, path, values).run_open();
}

}  // namespace boreon
