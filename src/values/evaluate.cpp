// SPDX-License-Identifier: MIT
#include "boreon/evaluate.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "arrays/instances.hpp"
#include "arrays/write_out.hpp"
#include "values/domains.hpp"
#include "values/graph_evaluator.hpp"

namespace boreon {
namespace {

// All symbols without a value, in one message, with the likely slip of the pen.
void require_bound(std::span<const Expr> expressions, const Bindings& bindings) {
  std::vector<std::string> missing;
  for (const Symbol& s : free_symbols(expressions)) {
    if (bindings.find(s) == nullptr) missing.push_back(s.name());
  }
  if (missing.empty()) return;
  for (const Symbol& s : free_symbols(expressions)) {
    for (const auto& e : bindings.entries()) {
      if (e.name.empty() && bindings.find(s) == nullptr && are_namesakes(e.target, s)) reject_namesakes(e.target, s);
    }
  }
  std::vector<std::string> bound;
  for (const auto& e : bindings.entries()) bound.push_back(e.name.empty() ? e.target.name() : e.name);
  throw Error(ErrorKind::binding,
              fmt::format("no value is given for {}{}", fmt::join(missing, ", "), suggestion(missing[0], bound)));
}

void require_used(std::span<const Expr> expressions, const Bindings& bindings) {
  const auto symbols = free_symbols(expressions);
  const auto calls = unknown_calls(expressions);
  for (const auto& entry : bindings.entries()) {
    const bool hit =
        std::any_of(symbols.begin(), symbols.end(),
                    [&](const Symbol& s) { return entry.name.empty() ? entry.target == s : entry.name == s.name(); }) ||
        std::any_of(calls.begin(), calls.end(), [&](const Expr& c) { return entry.name.empty() && entry.target == c; });
    if (hit) continue;
    for (const Symbol& s : symbols) {
      if (entry.name.empty() && are_namesakes(entry.target, s)) reject_namesakes(entry.target, s);
    }
    const std::string name = entry.name.empty() ? entry.target.name() : entry.name;
    std::vector<std::string> present;
    for (const Symbol& s : symbols) present.push_back(s.name());
    throw Error(ErrorKind::binding, fmt::format("a value is given for '{}', which does not occur in the expression{}",
                                                name, suggestion(name, present)));
  }
}

// Sums over elements of arrays as the elements themselves, for indices and sizes among the bindings; empty if there are
// none.
std::vector<Expr> elements_of(std::span<const Expr> expressions, const Bindings& bindings) {
  std::vector<Expr> all(expressions.begin(), expressions.end());
  bool changed = false;
  // An index that is itself an element, b[e[i]], gets its number when i has one.
  for (int round = 0; round < 8; ++round) {
    if (!has_open_elements(all)) break;
    WriteOut::Numbers numbers;
    for (const Symbol& s : free_symbols(all)) {
      if (const Expr* value = bindings.find(s); value != nullptr && value->word()) numbers.emplace_back(s, *value);
    }
    WriteOut write({}, numbers);
    bool again = false;
    for (Expr& e : all) {
      const Expr next = write(e);
      again = again || !(next == e);
      e = next;
    }
    changed = changed || again;
    if (!again) break;
  }
  return changed ? all : std::vector<Expr>();
}

// What stands in expressions that asks for a way of its own, from one walk.
struct Inside {
  bool operators = false;  // integrals, sums: taken with all other symbols replaced by their values
  bool roots = false;      // numbered roots of polynomials
  bool parts = false;      // real and imaginary parts, amounts and angles of what the imaginary unit stands in
};
Inside inside(std::span<const Expr> expressions) {
  Inside out;
  bool unit = false;  // operands come before what they stand in
  postorder(expressions, [&](const Expr& e) {
    out.operators = out.operators || needs_numbers_inside(e);
    if (e.is_constant(ConstantCode::imaginary)) unit = true;
    if (!e.is(Kind::call)) return;
    const auto name = e.function().name;
    out.roots = out.roots || name == "polynomial_root";
    out.parts = out.parts || (unit && (name == "re" || name == "im" || name == "abs" || name == "arg"));
  });
  return out;
}

template <class Domain>
std::vector<typename Domain::Value> evaluate_in(Domain domain, std::span<const Expr> expressions,
                                                const Bindings& bindings, Unused unused, const Inside& what) {
  if (const std::vector<Expr> elements = elements_of(expressions, bindings); !elements.empty()) {
    std::vector<Expr> all = elements;
    all.insert(all.end(), expressions.begin(), expressions.end());
    if (unused == Unused::error) require_used(all, bindings);
    return evaluate_in(domain, elements, bindings, Unused::allowed, inside(elements));
  }
  const auto& entries = bindings.entries();
  if (std::any_of(entries.begin(), entries.end(),
                  [](const auto& b) { return b.name.empty() && b.target.is(Kind::call); })) {
    const std::vector<Expr> bound = substitute(expressions, bindings, unused);
    return evaluate_in(domain, bound, {}, unused, inside(bound));
  }
  for (const Expr& e : expressions) {
    if (is_condition(e))
      throw Error(ErrorKind::shape,
                  "a condition (true or false) is no number; evaluate piecewise(1 if condition, 0 otherwise)");
  }
  if (unused == Unused::error) require_used(expressions, bindings);
  require_bound(expressions, bindings);
  std::vector<Expr> values;
  for (const auto& entry : bindings.entries()) {
    if (entry.value.has_symbols()) {
      throw Error(ErrorKind::binding,
                  fmt::format("the value given for {} is not a number: {}",
                              entry.name.empty() ? to_text(entry.target) : entry.name, to_text(entry.value, {80})));
    }
    values.push_back(entry.value);
  }
  const auto no_leaf = [](const Expr&, typename Domain::Value&) { return false; };
  const auto numbers = GraphEvaluator<Domain>(domain).run(EvaluationPlan(values), no_leaf);
  const auto leaf = [&](const Expr& e, typename Domain::Value& value) {
    for (std::size_t i = 0; i < numbers.size(); ++i) {
      const auto& entry = bindings.entries()[i];
      if (entry.name.empty() ? entry.target == e : e.is(Kind::symbol) && entry.name == e.name()) {
        value = numbers[i];
        return true;
      }
    }
    return false;
  };
  if (what.operators && !bindings.empty()) {
    const std::vector<Expr> bound = substitute(expressions, bindings, Unused::allowed);
    return GraphEvaluator<Domain>(domain).run(EvaluationPlan(bound), no_leaf);
  }
  return GraphEvaluator<Domain>(domain).run(EvaluationPlan(expressions), leaf);
}

// Values of roots of polynomials cancel: solutions of systems are polynomials in a root with large coefficients, sums
// over conjugate roots are real though their terms are not. They come from balls, as far as doubles can tell; empty
// where balls do not.
std::vector<std::complex<double>> values_of_roots(std::span<const Expr> expressions, const Bindings& bindings,
                                                  Unused unused, const Inside& what) {
  if (!what.roots) return {};
  for (const long precision : {192L, 1024L}) {
    std::vector<std::complex<double>> values;
    // what many digits cannot tell from zero is zero
    const auto nothing = [&](arb_srcptr x) {
      return arb_contains_zero(x) != 0 && mag_cmp_2exp_si(arb_radref(x), -precision / 2) <= 0;
    };
    const auto part = [&](arb_srcptr x) -> std::optional<double> {
      if (nothing(x) && (precision > 192 || mag_is_zero(arb_radref(x)) != 0)) return 0;
      if (arb_rel_accuracy_bits(x) < double_bits) return std::nullopt;
      return arf_get_d(arb_midref(x), ARF_RND_NEAR);
    };
    try {
      for (const Ball& b : evaluate_in(BallDomain{precision}, expressions, bindings, unused, what)) {
        if (!b.finite()) return {};
        const auto re = part(b.re());
        const auto im = nothing(b.im()) ? std::optional<double>(0) : part(b.im());
        if (!re || !im) break;
        values.emplace_back(*re, *im);
      }
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::unsupported && e.kind() != ErrorKind::convergence && e.kind() != ErrorKind::domain)
        throw;
      return {};
    }
    if (values.size() == expressions.size()) return values;
  }
  return {};
}

std::vector<double> doubles_of(std::span<const Expr> expressions, const Bindings& bindings, Unused unused) {
  const Inside what = inside(expressions);
  const std::vector<std::complex<double>> values = values_of_roots(expressions, bindings, unused, what);
  const bool real = std::all_of(values.begin(), values.end(), [](const auto& z) { return z.imag() == 0; });
  if (what.parts && values.empty()) {
    // complex numbers on the way to real ones
    std::vector<double> out;
    for (const std::complex<double>& z : evaluate_in(ComplexDomain{}, expressions, bindings, unused, what)) {
      if (z.imag() == 0) out.push_back(z.real());
    }
    if (out.size() == expressions.size()) return out;
  }
  if (values.empty() || !real) return evaluate_in(RealDomain{}, expressions, bindings, unused, what);
  std::vector<double> out;
  for (const std::complex<double>& z : values) out.push_back(z.real());
  return out;
}

}  // namespace

double evaluate(const Expr& expression, const Bindings& bindings, Unused unused) {
  return doubles_of({&expression, 1}, bindings, unused)[0];
}

std::vector<double> evaluate(const ExprList& expressions, const Bindings& bindings, Unused unused) {
  return doubles_of(expressions, bindings, unused);
}

std::complex<double> evaluate_complex(const Expr& expression, const Bindings& bindings, Unused unused) {
  const Inside what = inside({&expression, 1});
  if (const auto values = values_of_roots({&expression, 1}, bindings, unused, what); !values.empty()) return values[0];
  return evaluate_in(ComplexDomain{}, {&expression, 1}, bindings, unused, what)[0];
}

std::string Enclosure::to_string() const {
  if (imaginary.empty()) return real;
  return imaginary[0] == '-' ? real + " - " + imaginary.substr(1) + "i" : real + " + " + imaginary + "i";
}

Enclosure certify(const Expr& expression, const Bindings& bindings, int digits, Unused unused) {
  if (digits < 1 || digits > 100000)
    throw Error(ErrorKind::usage, fmt::format("{} digits are asked; 1 to 100000 are possible", digits));
  const long target = static_cast<long>(std::ceil(digits * 3.3219280948873623)) + 4;
  const Inside what = inside({&expression, 1});
  std::string reason = "the enclosure does not shrink";
  for (long precision = target + 30; precision <= 16 * target + 4096; precision *= 2) {
    Ball b;
    try {
      b = evaluate_in(BallDomain{precision}, {&expression, 1}, bindings, unused, what)[0];
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::convergence) throw;
      reason = e.message();
      continue;
    }
    const bool exact_zero = acb_is_zero(b.get()) != 0;
    if (!exact_zero && !accurate(b, target)) continue;
    Enclosure result;
    result.precision = precision;
    result.real = decimal(b.re(), digits);
    if (!b.real()) {
      // an imaginary part that is only rounding noise of a real number keeps its ball and is told
      result.imaginary = decimal(b.im(), digits);
    }
    result.radius = std::max(mag_get_d(arb_radref(b.re())), mag_get_d(arb_radref(b.im())));
    return result;
  }
  throw Error(ErrorKind::convergence,
              fmt::format("{} cannot be enclosed to {} digits: {} (a pole, a jump or an exact zero there?)",
                          to_text(expression, {80}), digits, reason));
}

}  // namespace boreon
