// SPDX-License-Identifier: MIT
#include "text/display.hpp"

#include <algorithm>
#include <cstdlib>
#include <memory>
#include <optional>

#include "boreon/catalogue.hpp"
#include "boreon/names.hpp"
#include "expr/name_order.hpp"

namespace boreon {
namespace {

int sign_of(std::ptrdiff_t d) { return d < 0 ? -1 : d > 0 ? 1 : 0; }

int rank(const Expr& e) {
  switch (e.kind()) {
    case Kind::number: return 0;
    case Kind::constant: return 1;
    case Kind::power: {
      const Expr& base = e.operands()[0];
      return base.is_number() ? 1 : base.is(Kind::symbol) ? 2 : base.is(Kind::sum) ? 6 : 4;
    }
    case Kind::symbol: return 2;
    case Kind::product: return 3;
    case Kind::unknown_call: return 4;
    case Kind::call: return 5;
    case Kind::sum: return 6;
    default: return 7;
  }
}

// Total degree in symbols, for ordering the terms of a sum.
std::int64_t degree_of(const Expr& base, const Expr& exponent) {
  if (!base.is(Kind::symbol) && !base.is(Kind::unknown_call) && !base.is(Kind::sum)) return 0;
  const auto n = exponent.word();
  return n ? std::clamp<std::int64_t>(*n, -1000, 1000) : 1;
}

std::int64_t degree(const Expr& e) {
  if (e.is(Kind::product)) {
    std::int64_t d = 0;
    for (const auto [base, exponent] : Parts(e)) d += degree_of(base, exponent);
    return d;
  }
  if (e.is(Kind::power)) return degree_of(e.operands()[0], e.operands()[1]);
  return degree_of(e, 1);
}

}  // namespace

int reading_order(const Expr& first, const Expr& second) {
  const Expr* a = &first;
  const Expr* b = &second;
  for (int depth = 0; depth < 50; ++depth) {
    if (*a == *b) return 0;
    if (const int r = rank(*a) - rank(*b); r != 0) return sign_of(r);
    const auto p = a->operands();
    const auto q = b->operands();
    switch (a->kind()) {
      case Kind::number: return compare(a->number(), b->number());
      case Kind::constant: return a->constant_code() < b->constant_code() ? -1 : 1;
      case Kind::symbol:
        if (b->is(Kind::symbol)) {
          const int c = compare_names(a->name(), b->name(), true);
          return c != 0 ? c : order(*a, *b);
        }
        if (const int c = compare_names(a->name(), q[0].name(), true); c != 0) return c;
        return -1;  // x before x^2
      case Kind::power:
        if (b->is(Kind::symbol)) return -reading_order(*b, *a);
        break;
      case Kind::call:
        if (b->is(Kind::call) && &a->function() != &b->function())
          return sign_of(a->function().name.compare(b->function().name));
        break;
      case Kind::unknown_call:
        if (b->is(Kind::unknown_call) && a->name() != b->name()) return compare_names(a->name(), b->name(), true);
        break;
      default: break;
    }
    if (a->kind() != b->kind()) return a->kind() < b->kind() ? -1 : 1;
    if (p.size() != q.size()) return p.size() < q.size() ? -1 : 1;
    // Operands of sums and products are compared from the reader's first one on.
    std::size_t i = 0;
    while (i < p.size() && p[i] == q[i]) ++i;
    if (i == p.size()) return order(*a, *b);
    a = &p[i];
    b = &q[i];
  }
  return order(*a, *b);
}

namespace {

// Places of what stands in the operands of a sum or product, operands that are such themselves written out. The plain
// number of a sum stands under null.
class Places {
 public:
  Places(const std::vector<Expr>& operands, Kind kind, const OperandOrder& order) : kind_(kind) {
    add(operands, order, 0);
  }
  [[nodiscard]] const std::size_t* of(const Expr& part) const { return places_.find(part); }
  [[nodiscard]] std::optional<std::size_t> of_number() const { return number_; }

 private:
  void add(const std::vector<Expr>& operands, const OperandOrder& order, int depth) {
    for (const Expr& e : operands) {
      const std::vector<Expr>* inner = e.is(kind_) ? order.of(e) : nullptr;
      if (inner != nullptr && depth < 50) {
        add(*inner, order, depth + 1);
      } else if (e.is(kind_)) {
        for (const auto [part, weight] : Parts(e)) put(part);
        if (kind_ == Kind::sum && !e.operands()[0].is_integer(0)) put_number();
      } else if (e.is_number()) {
        put_number();
      } else if (kind_ == Kind::sum && e.is(Kind::product) && !e.operands()[0].is_integer(1)) {
        put(e / e.operands()[0]);
      } else {
        put(e);
        if (kind_ == Kind::product && e.is(Kind::power)) put(e.operands()[0]);
      }
    }
  }
  void put(const Expr& e) {
    keep_.push_back(e);
    const auto [place, fresh] = places_.insert(e);
    if (fresh) *place = next_++;
  }
  void put_number() {
    if (!number_) number_ = next_++;
  }

  Kind kind_;
  std::size_t next_ = 0;
  std::optional<std::size_t> number_;
  std::vector<Expr> keep_;
  NodeMap<std::size_t> places_;
};

// The terms as they stood; empty if one is not known.
std::vector<DisplayTerm> ordered_terms(const Expr& sum, const OperandOrder& order) {
  const std::vector<Expr>* operands = order.of(sum);
  if (operands == nullptr) return {};
  const Places places(*operands, Kind::sum, order);
  std::vector<std::pair<std::size_t, DisplayTerm>> found;
  const Expr& number = sum.operands()[0];
  if (!number.is_integer(0)) {
    if (!places.of_number()) return {};
    found.emplace_back(*places.of_number(), DisplayTerm{number.number().sign() < 0, number.number().abs(), nullptr});
  }
  for (const auto [term, c] : Parts(sum)) {
    const std::size_t* place = places.of(term);
    if (place == nullptr) return {};
    found.emplace_back(*place, DisplayTerm{c.number().sign() < 0, c.number().abs(), &term});
  }
  std::sort(found.begin(), found.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
  std::vector<DisplayTerm> terms;
  for (const auto& [at, t] : found) terms.push_back(t);
  return terms;
}

// Factors as they stood, if all are known.
bool ordered_factors(const Expr& product, const OperandOrder& order, DisplayProduct& d) {
  const std::vector<Expr>* operands = order.of(product);
  if (operands == nullptr) return false;
  const Places places(*operands, Kind::product, order);
  for (const auto* list : {&d.numerator, &d.denominator}) {
    if (!std::all_of(list->begin(), list->end(), [&](const DisplayFactor& f) { return places.of(*f.base) != nullptr; }))
      return false;
  }
  const auto before = [&](const DisplayFactor& a, const DisplayFactor& b) {
    return *places.of(*a.base) < *places.of(*b.base);
  };
  std::stable_sort(d.numerator.begin(), d.numerator.end(), before);
  std::stable_sort(d.denominator.begin(), d.denominator.end(), before);
  return true;
}

}  // namespace

Differentials differentials(const Expr& derivative) {
  Differentials d;
  const auto ops = derivative.operands();
  for (std::size_t i = 1; i < ops.size(); i += 2) {
    const Number& n = ops[i + 1].number();
    d.total = d.total + n;
    if (!d.by.empty() && *d.by.back().first == ops[i]) {
      d.by.back().second = d.by.back().second + n;
    } else {
      d.by.emplace_back(&ops[i], n);
    }
  }
  return d;
}

std::vector<DisplayTerm> display_terms(const Expr& sum, const OperandOrder* order) {
  if (order != nullptr) {
    if (std::vector<DisplayTerm> terms = ordered_terms(sum, *order); !terms.empty()) return terms;
  }
  std::vector<DisplayTerm> terms;
  struct Keyed {
    DisplayTerm term;
    std::int64_t degree;
  };
  std::vector<Keyed> keyed;
  for (const auto [term, coefficient] : Parts(sum)) {
    const Number c = coefficient.number();
    keyed.push_back({{c.sign() < 0, c.abs(), &term}, degree(term)});
  }
  std::sort(keyed.begin(), keyed.end(), [](const Keyed& a, const Keyed& b) {
    if (a.degree != b.degree) return a.degree > b.degree;
    return reading_order(*a.term.term, *b.term.term) < 0;
  });
  for (Keyed& k : keyed) terms.push_back(k.term);
  const Number c = sum.operands()[0].number();
  if (!c.is_zero()) terms.push_back({c.sign() < 0, c.abs(), nullptr});
  // Start with a positive term if there is one: b - a rather than -a + b.
  const auto positive = std::find_if(terms.begin(), terms.end(), [](const DisplayTerm& t) { return !t.negative; });
  if (positive != terms.end()) std::rotate(terms.begin(), positive, positive + 1);
  return terms;
}

namespace {

// sqrt(2)*sqrt(pi) reads as sqrt(2*pi): square roots of a positive number and constants. (Roots of two numbers stay:
// their product would be read back as another form.)
void join_roots(std::vector<DisplayFactor>& factors, std::vector<std::shared_ptr<const Expr>>& joined) {
  const auto number = [](const DisplayFactor& f) { return is_half(f.exponent) && f.base->is_number(); };
  if (std::count_if(factors.begin(), factors.end(), number) > 1) return;
  const auto root = [](const DisplayFactor& f) {
    const bool positive = (f.base->is_number() && f.base->number().is_exact() && f.base->number().sign() > 0) ||
                          f.base->is_constant(ConstantCode::pi) || f.base->is_constant(ConstantCode::egamma);
    return positive && is_half(f.exponent);
  };
  if (std::count_if(factors.begin(), factors.end(), root) < 2) return;
  std::vector<Expr> bases;
  for (const DisplayFactor& f : factors) {
    if (root(f)) bases.push_back(*f.base);
  }
  joined.push_back(std::make_shared<const Expr>(multiply(bases)));
  const auto first = std::find_if(factors.begin(), factors.end(), root);
  first->base = joined.back().get();
  factors.erase(std::remove_if(first + 1, factors.end(), root), factors.end());
}

}  // namespace

DisplayProduct display_product(const Number& coefficient, const Expr* node, const OperandOrder* order) {
  DisplayProduct d;
  d.coefficient = coefficient;
  if (node == nullptr) return d;
  const auto place = [&](const Expr& base, const Expr& exponent) {
    if (base.is_constant(ConstantCode::imaginary) && exponent.is_integer(1) && coefficient.is_exact()) {
      d.imaginary = true;
    } else if (exponent.is_number() && exponent.number().sign() < 0) {
      d.denominator.push_back({&base, Expr(-exponent.number())});
    } else {
      d.numerator.push_back({&base, exponent});
    }
  };
  if (node->is(Kind::product)) {
    for (const auto [base, exponent] : Parts(*node)) place(base, exponent);
  } else if (node->is(Kind::power)) {
    place(node->operands()[0], node->operands()[1]);
  } else {
    place(*node, 1);
  }
  if (order == nullptr || !ordered_factors(*node, *order, d)) {
    const auto before = [](const DisplayFactor& a, const DisplayFactor& b) {
      return reading_order(*a.base, *b.base) < 0;
    };
    std::sort(d.numerator.begin(), d.numerator.end(), before);
    std::sort(d.denominator.begin(), d.denominator.end(), before);
  }
  join_roots(d.numerator, d.joined);
  join_roots(d.denominator, d.joined);
  return d;
}

Number DisplayProduct::number_above() const {
  return coefficient.is_exact() && decimal_form(coefficient, true).empty() ? coefficient.numerator() : coefficient;
}

Number DisplayProduct::number_below() const {
  return coefficient.is_exact() && decimal_form(coefficient, true).empty() ? coefficient.denominator() : Number(1);
}

const Expr* DisplayProduct::alone() const {
  return lone_power() && numerator[0].exponent.is_integer(1) ? numerator[0].base : nullptr;
}

std::string decimal_form(const Number& number, bool coefficient) {
  constexpr std::size_t most_bits = 3000;  // of what is written in 400 digits at most
  if (!number.is_exact() || number.bits() > most_bits) return {};
  std::string digits = number.abs().numerator().to_string();
  std::string below = number.denominator().to_string();
  if (below.size() > 400 || digits.size() > 400) return {};
  long exponent = 0;
  if (below != "1") {
    const auto d = number.denominator();
    const double size = d.to_double();
    if (coefficient ? size <= 1000 : size < 10) return {};
    // d must divide a power of ten, with a factor five: powers of two read better as they are
    Number rest = d;
    long twos = 0;
    long fives = 0;
    for (Number q = rest * Number(1, 2); q.is_integer(); q = rest * Number(1, 2)) {
      rest = q;
      ++twos;
    }
    for (Number q = rest * Number(1, 5); q.is_integer(); q = rest * Number(1, 5)) {
      rest = q;
      ++fives;
    }
    if (!rest.is_one() || fives == 0) return {};
    const long shift = std::max(twos, fives);
    digits = (number.abs() * power(Number(10), shift)).to_string();
    exponent = -shift;
  } else if (digits.size() < 9) {
    return {};
  }
  while (digits.size() > 1 && digits.back() == '0') {
    digits.pop_back();
    ++exponent;
  }
  if (digits.size() > 17 || (exponent >= 0 && exponent < 6)) return {};
  const long point = static_cast<long>(digits.size()) + exponent;  // digits before the decimal point
  std::string text;
  if (exponent < 0 && point > -4) {
    text = point > 0 ? digits.substr(0, static_cast<std::size_t>(point)) + "." +
                           digits.substr(static_cast<std::size_t>(point))
                     : "0." + std::string(static_cast<std::size_t>(-point), '0') + digits;
  } else {
    text = digits.substr(0, 1) + (digits.size() > 1 ? "." + digits.substr(1) : "") + "e" + std::to_string(point - 1);
  }
  return (number.sign() < 0 ? "-" : "") + text;
}

bool is_half(const Expr& exponent) { return exponent.is_number() && exponent.number() == Number(1, 2); }

bool hides_argument(const Expr& e, const PrintOptions& options) {
  return !options.independent.empty() && e.operands().size() == 3 && e.operands()[1].is(Kind::symbol) &&
         e.operands()[1].name() == options.independent;
}

bool function_needs_quotes(std::string_view name) {
  static const auto* known = new std::vector<std::string>([] {
    std::vector<std::string> all;
    for (const FunctionRow& row : catalogue()) all.emplace_back(row.name);
    for (const char* word : {"piecewise", "derivative", "integral", "sum", "limit"}) all.emplace_back(word);
    return all;
  }());
  if (find_function(name) != nullptr || name == "double") return true;
  return name.size() > 2 && nearest_name(name, *known).size() > 2;
}

bool symbol_needs_quotes(std::string_view name) {
  const FunctionRow* row = find_function(name);
  return row != nullptr && !row->also_letter;
}

}  // namespace boreon
