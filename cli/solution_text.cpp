// SPDX-License-Identifier: MIT
// Solutions as text and as fields.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "boreon/catalogue.hpp"
#include "boreon/equations.hpp"
#include "solve.hpp"

namespace boreon::cli {

void add_exceptions(const std::vector<SolveException>& exceptions, Answer& a) {
  a.json["exceptions"] = Json::array();
  for (const SolveException& e : exceptions) {
    a.text += fmt::format("where {}: {}\n", to_text(e.when), e.what);
    a.json["exceptions"].push_back({{"when", to_text(e.when)}, {"value", e.what}});
  }
}

std::vector<std::string> texts(const std::vector<Expr>& list) {
  std::vector<std::string> out;
  for (const Expr& e : list) out.push_back(to_text(e));
  return out;
}

namespace {

// With so many significant digits, certified; of what has symbols the parts that have none.
std::string number_of(const Expr& value, bool real, int digits) {
  if (value.has_symbols()) {
    const auto decimal = [&](const Expr& e) -> std::optional<Expr> {
      const Enclosure v = certify(e, {}, digits);
      if (!v.imaginary.empty()) return std::nullopt;
      return Expr(Number::parse(v.real));
    };
    return to_text(Rebuild(
        [&](const Expr& n, Expr& result) {
          if (n.has_symbols() || n.is_number()) return false;
          const auto d = decimal(n);
          if (d) result = *d;
          return d.has_value();
        },
        [&](const Expr& n) {
          if (!n.is(Kind::product)) return n;
          Expr constant = n.operands()[0];  // with the powers of numbers, which are no nodes of their own in a product
          Expr rest = 1;
          for (const auto [base, exponent] : Parts(n)) {
            const Expr factor = power(base, exponent);
            (factor.has_symbols() ? rest : constant) *= factor;
          }
          if (constant.is_number()) return n;
          const auto d = decimal(constant);
          return d ? *d * rest : n;
        })(value));
  }
  if (value.is_number() && value.number().is_integer()) return to_text(value);
  const Enclosure v = certify(value, {}, digits);
  if (real || v.imaginary.empty()) return v.real;
  const bool below = v.imaginary.starts_with('-');
  return fmt::format("{} {} {}i", v.real, below ? "-" : "+", below ? v.imaginary.substr(1) : v.imaginary);
}

// One solution as lines of the answer, and as fields.
Json shown_solution(const SolveRequest& r, const Solution& one, int digits, std::string& text) {
  Json values = Json::object();
  const auto& entries = one.values.entries();
  for (std::size_t i = 0; i < entries.size(); ++i) {
    const Bindings::Entry& v = entries[i];
    if (r.approximate && one.decimal.empty()) {
      const std::string number = number_of(v.value, one.real, digits > 0 ? digits : 15);
      values[to_text(v.target)] = number;
      text += fmt::format("  {} = {}", to_text(v.target), number);
      if (i + 1 < entries.size()) text += ",\n";
      continue;
    }
    values[to_text(v.target)] = one.decimal.empty() ? to_text(v.value) : one.decimal;
    text += one.decimal.empty() ? typeset(r, equation(v.target, v.value))
                                : fmt::format("  {} = {}", to_text(v.target), one.decimal);
    // what cannot be read at a glance comes with its number
    if (!v.value.has_symbols() && !v.value.is_number()) {
      const std::complex<double> z = evaluate_complex(v.value);
      const bool real = one.real || std::abs(z.imag()) <= 1e-15 * std::abs(z);
      text += digits > 0 && real ? fmt::format("   = {}", certify(v.value, {}, digits).real)
                                 : fmt::format("   = {}", complex_text(real ? z.real() : z, 6));
    }
    if (i + 1 < entries.size()) text += ",\n";
  }
  if (one.multiplicity > 1) text += fmt::format("   ({} times)", one.multiplicity);
  if (!one.conditions.empty()) text += fmt::format("   if {}", fmt::join(texts(one.conditions), " and "));
  text += "\n";
  return values;
}

// The root of a polynomial that the values of a solution are made of, if it is one and the same in all of them.
std::optional<Expr> root_in(const Solution& one) {
  std::optional<Expr> root;
  bool same = true;
  for (const Bindings::Entry& v : one.values.entries()) {
    postorder(v.value, [&](const Expr& n) {
      if (!is_call_of(n, "polynomial_root")) return;
      same = same && (!root || *root == n);
      root = n;
    });
  }
  return same ? root : std::nullopt;
}

bool of_one_polynomial(const Expr& a, const Expr& b) {
  return std::equal(a.operands().begin() + 1, a.operands().end(), b.operands().begin() + 1, b.operands().end());
}

Expr polynomial_of(const Expr& root, const Expr& u) {
  std::vector<Expr> terms;
  for (std::size_t k = 1; k < root.operands().size(); ++k)
    terms.push_back(root.operands()[k] * power(u, Expr(static_cast<std::int64_t>(k) - 1)));
  return add(terms);
}

// Solutions that differ in the root alone: the values in its name, and the root of each.
struct Family {
  Bindings values;
  std::vector<Expr> roots;
};

Expr with_name(const Expr& value, const Expr& root, const Expr& name) {
  return Rebuild(
      [&](const Expr& n, Expr& result) {
        if (n == root) result = name;
        return n == root;
      },
      [](const Expr& n) { return n; })(value);
}

Bindings in_terms_of(const Symbol& u, const Expr& root, const Solution& one) {
  Bindings out;
  for (const Bindings::Entry& v : one.values.entries()) out.set(v.target, with_name(v.value, root, u));
  return out;
}

bool same_values(const Bindings& a, const Bindings& b) {
  return std::equal(
      a.entries().begin(), a.entries().end(), b.entries().begin(), b.entries().end(),
      [](const Bindings::Entry& x, const Bindings::Entry& y) { return x.target == y.target && x.value == y.value; });
}

class Shown {
 public:
  Shown(const SolveRequest& r, const SolutionSet& s, Answer& a) : r_(r), s_(s), a_(a), digits_(r.digits.get()) {
    // a name that is not taken
    std::string name = "u";
    const auto taken = [&] {
      return std::any_of(s.solutions.begin(), s.solutions.end(), [&](const Solution& one) {
        return std::any_of(one.values.entries().begin(), one.values.entries().end(), [&](const Bindings::Entry& v) {
          return to_text(v.target) == name || depends_on(v.value, Symbol(name));
        });
      });
    };
    while (taken()) name += "_";
    u_ = Symbol(name);
  }

  void run() {
    a_.json["result"] = Json::array();
    for (std::size_t i = 0; i < s_.solutions.size();) {
      const std::optional<Family> family = family_at(i);
      if (i > 0 && (family || s_.solutions[i].values.entries().size() > 1)) a_.text += "or\n";
      if (!family) {
        a_.json["result"].push_back(shown_solution(r_, s_.solutions[i++], digits_, a_.text));
        continue;
      }
      show(i, *family);
      i += family->roots.size();
    }
  }

 private:
  static constexpr std::size_t most_repeated = 60;  // characters of roots that may stand in a solution
  static constexpr std::size_t longest_formula = 600;
  static constexpr std::size_t longest_field = 4000;
  static constexpr std::size_t most_complex = 12;  // that are not real, in one list of numbers

  // Two solutions or more, of more than one unknown, whose text would be roots for the most part.
  [[nodiscard]] std::optional<Family> family_at(std::size_t first) const {
    if (r_.approximate || s_.solutions[first].values.entries().size() < 2) return std::nullopt;
    const std::optional<Expr> root = root_in(s_.solutions[first]);
    if (!root || to_text(*root, {most_repeated + 10, {}}).size() * 2 < most_repeated) return std::nullopt;
    Family out{in_terms_of(u_, *root, s_.solutions[first]), {*root}};
    for (std::size_t i = first + 1; i < s_.solutions.size(); ++i) {
      const std::optional<Expr> next = root_in(s_.solutions[i]);
      if (!next || !of_one_polynomial(*root, *next) || s_.solutions[i].multiplicity != s_.solutions[first].multiplicity)
        break;
      if (!same_values(out.values, in_terms_of(u_, *next, s_.solutions[i]))) break;
      out.roots.push_back(*next);
    }
    if (out.roots.size() < 2) return std::nullopt;
    return out;
  }

  void show(std::size_t first, const Family& family) {
    const auto& entries = family.values.entries();
    const std::size_t degree = family.roots[0].operands().size() - 2;
    for (std::size_t i = 0; i < entries.size(); ++i) {
      const bool fits = to_text(entries[i].value, {longest_formula + 10, {}}).size() <= longest_formula;
      a_.text += fits ? typeset(r_, equation(entries[i].target, entries[i].value))
                      : fmt::format("  {} = (of {}; with --json)", to_text(entries[i].target), to_text(Expr(u_)));
      a_.text += i + 1 < entries.size() ? ",\n" : "\n";
    }
    const Expr polynomial = polynomial_of(family.roots[0], u_);
    const std::string text = to_text(polynomial, {longest_formula + 10, {}});
    a_.text += text.size() <= longest_formula
                   ? fmt::format("for each root {} of {}:\n", to_text(Expr(u_)), text)
                   : fmt::format("for each root {} of a polynomial of degree {}:\n", to_text(Expr(u_)), degree);
    std::size_t complex = 0;
    const bool itself = std::any_of(entries.begin(), entries.end(), [&](const auto& v) { return v.value == u_; });
    for (std::size_t i = 0; i < family.roots.size(); ++i) {
      const Solution& one = s_.solutions[first + i];
      if (!one.real && ++complex > most_complex) continue;
      const std::string u =
          itself ? "" : fmt::format("{} = {}: ", to_text(Expr(u_)), decimal(family.roots[i], one.real));
      std::vector<std::string> line;
      for (const Bindings::Entry& v : one.values.entries())
        line.push_back(fmt::format("{} = {}", to_text(v.target), decimal(v.value, one.real)));
      a_.text += fmt::format("  {}{}\n", u, fmt::join(line, ", "));
    }
    if (complex > most_complex) a_.text += fmt::format("  and {} more that are not real\n", complex - most_complex);
    fields(first, family);
  }

  [[nodiscard]] std::string decimal(const Expr& value, bool real) const {
    if (digits_ > 0) return number_of(value, real, digits_);
    const std::complex<double> z = evaluate_complex(value);
    return complex_text(real ? z.real() : z, 6);
  }

  void fields(std::size_t first, const Family& family) {
    std::size_t length = 0;
    const std::size_t root = to_text(family.roots[0], {longest_field, {}}).size();
    for (const Bindings::Entry& v : family.values.entries()) length += to_text(v.value, {longest_field, {}}).size();
    const bool abbreviated = length + root * family.roots[0].operands().size() > longest_field;
    for (std::size_t i = 0; i < family.roots.size(); ++i) {
      Json fields = Json::object();
      const Expr& own = family.roots[i];
      const Symbol name(u_.name() + std::to_string(first + i + 1));
      for (const Bindings::Entry& v : s_.solutions[first + i].values.entries()) {
        fields[to_text(v.target)] = to_text(abbreviated ? with_name(v.value, own, name) : v.value);
      }
      if (abbreviated) a_.json["roots"][name.name()] = to_text(own);
      a_.json["result"].push_back(std::move(fields));
    }
  }

  const SolveRequest& r_;
  const SolutionSet& s_;
  Answer& a_;
  int digits_;
  Symbol u_{"u"};
};

}  // namespace

void show_solutions(const SolveRequest& r, const SolutionSet& s, Answer& a) { Shown(r, s, a).run(); }

}  // namespace boreon::cli
