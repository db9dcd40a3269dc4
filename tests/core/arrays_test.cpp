// SPDX-License-Identifier: MIT
// Elements, reductions and whole arrays: what they are, how they print and read, what they are worth, how they derive.
#include <doctest/doctest.h>

#include <cmath>
#include <map>
#include <random>

#include "boreon/arrays.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/cross_check.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/program.hpp"
#include "boreon/simplify.hpp"
#include "boreon/sums.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"

using namespace boreon;

namespace {

template <class F>
std::string message_of(F f) {
  try {
    f();
  } catch (const Error& e) {
    return e.message();
  }
  return "";
}

// A random expression of arrays, with a text and a value of its own: the value is found by plain loops over doubles and
// knows nothing of the library.
class RandomArrays {
 public:
  static constexpr int n = 4;  // places of every index

  explicit RandomArrays(std::uint64_t seed) : random_(seed) {
    for (int i = 0; i < n; ++i) {
      b_[static_cast<std::size_t>(i)] = uniform();
      edge_[static_cast<std::size_t>(i)] = pick(n);
      for (int j = 0; j < n; ++j) A_[static_cast<std::size_t>(n * i + j)] = uniform();
    }
    for (double& t : T_) t = uniform();
  }

  using Indices = std::map<std::string, int>;
  struct Made {
    std::string text;
    std::function<double(const Indices&)> value;
  };

  // `open` are the indices that may be used; reductions add their own.
  Made operator()(int depth, std::vector<std::string> open) {
    switch (depth <= 0 ? pick(4) : pick(11)) {
      case 0: return element_of_b(open);
      case 1: return element_of_A(open);
      case 2: return element_of_T(open);
      case 3: {
        const std::string i = index(open);
        return {"(1 + " + i + ")", [i](const Indices& at) { return 1.0 + at.at(i); }};
      }
      case 4:
      case 5: {
        const Made x = (*this)(depth - 1, open);
        const Made y = (*this)(depth - 1, open);
        return {"(" + x.text + " + " + y.text + ")", [x, y](const Indices& at) { return x.value(at) + y.value(at); }};
      }
      case 6: {
        const Made x = (*this)(depth - 1, open);
        const Made y = (*this)(depth - 1, open);
        return {x.text + "*" + y.text, [x, y](const Indices& at) { return x.value(at) * y.value(at); }};
      }
      case 7: {
        const Made x = (*this)(depth - 1, open);
        return {"sin(" + x.text + ")", [x](const Indices& at) { return std::sin(x.value(at)); }};
      }
      case 8: return condition(depth, open);
      default: return reduction(depth, open);
    }
  }

  [[nodiscard]] Bindings values() const {
    Bindings b;
    for (int i = 0; i < n; ++i) {
      b.set(name("b", {i}), b_[static_cast<std::size_t>(i)]);
      b.set(name("e", {i}), edge_[static_cast<std::size_t>(i)]);
      for (int j = 0; j < n; ++j) {
        b.set(name("A", {i, j}), A_[static_cast<std::size_t>(n * i + j)]);
        for (int k = 0; k < n; ++k) b.set(name("T", {i, j, k}), T_[static_cast<std::size_t>(n * (n * i + j) + k)]);
      }
    }
    return b;
  }
  /// Numbers for indices, and for the places that arrays of whole numbers give.
  [[nodiscard]] Expr with_numbers(const Expr& e, const Bindings& indices, bool sums = true) const {
    Bindings edges;
    for (int i = 0; i < n; ++i) edges.set(name("e", {i}), edge_[static_cast<std::size_t>(i)]);
    // Those in sums show only when these are written out, which a numeric function does by itself where there are none.
    const Expr put = substitute(e, indices, Unused::allowed);
    bool gathered = false;
    postorder(put, [&](const Expr& x) { gathered = gathered || (x.is(Kind::symbol) && x.name() == "e"); });
    if (!sums && !gathered) return substitute(put, edges, Unused::allowed);
    return written_out(substitute(written_out(put), edges, Unused::allowed));
  }
  double& b(int i) { return b_[static_cast<std::size_t>(i)]; }
  double& T(int i, int j, int k) { return T_[static_cast<std::size_t>(n * (n * i + j) + k)]; }
  int pick(int below) { return static_cast<int>(random_() % static_cast<std::uint64_t>(below)); }
  static std::string name(const std::string& array, std::vector<std::int64_t> indices) {
    return to_string(ElementName{array, std::move(indices)});
  }

 private:
  double uniform() { return static_cast<double>(random_() >> 11U) * 0x1p-53 * 2 - 1; }
  std::string index(const std::vector<std::string>& open) {
    return open[static_cast<std::size_t>(pick(static_cast<int>(open.size())))];
  }

  // An index that stays inside: i, n - 1 - i, or a number.
  std::pair<std::string, std::function<int(const Indices&)>> place(const std::vector<std::string>& open) {
    const std::string i = index(open);
    switch (pick(5)) {
      case 0: {
        const int c = pick(n);
        return {std::to_string(c), [c](const Indices&) { return c; }};
      }
      case 4:
        return {"e[" + i + "]", [this, i](const Indices& at) { return edge_[static_cast<std::size_t>(at.at(i))]; }};
      case 1: return {"3 - " + i, [i](const Indices& at) { return 3 - at.at(i); }};
      default: return {i, [i](const Indices& at) { return at.at(i); }};
    }
  }

  Made element_of_b(const std::vector<std::string>& open) {
    const auto [text, at] = place(open);
    return {"b[" + text + "]", [this, at = at](const Indices& i) { return b_[static_cast<std::size_t>(at(i))]; }};
  }
  Made element_of_A(const std::vector<std::string>& open) {
    const auto [s, p] = place(open);
    const auto [t, q] = place(open);
    return {"A[" + s + ", " + t + "]",
            [this, p = p, q = q](const Indices& i) { return A_[static_cast<std::size_t>(n * p(i) + q(i))]; }};
  }
  Made element_of_T(const std::vector<std::string>& open) {
    const auto [s, p] = place(open);
    const auto [t, q] = place(open);
    const auto [u, r] = place(open);
    return {"T[" + s + ", " + t + ", " + u + "]",
            [this, p = p, q = q, r = r](const Indices& i) { return T(p(i), q(i), r(i)); }};
  }
  Made condition(int depth, const std::vector<std::string>& open) {
    const std::string i = index(open);
    const int c = pick(n);
    const Made x = (*this)(depth - 1, open);
    const Made y = (*this)(depth - 1, open);
    if (pick(2) == 0)
      return {"piecewise(" + x.text + " if " + i + " < " + std::to_string(c) + ", " + y.text + " otherwise)",
              [=](const Indices& at) { return at.at(i) < c ? x.value(at) : y.value(at); }};
    const std::string j = index(open);
    return {"piecewise(" + x.text + " if " + i + " = " + j + ", " + y.text + " otherwise)",
            [=](const Indices& at) { return at.at(i) == at.at(j) ? x.value(at) : y.value(at); }};
  }
  Made reduction(int depth, std::vector<std::string> open) {
    // Every third one hides an index of the same name.
    const std::string k = !open.empty() && pick(3) == 0 ? index(open) : "m" + std::to_string(open.size());
    const std::string to = !open.empty() && pick(4) == 0 ? index(open) : "3";
    std::vector<std::string> inner = open;
    if (std::find(inner.begin(), inner.end(), k) == inner.end()) inner.push_back(k);
    const Made x = (*this)(depth - 1, inner);
    const auto end = [to](const Indices& at) { return to == "3" ? 3 : at.at(to); };
    const auto each = [=](const Indices& at, const std::function<void(double)>& visit) {
      Indices i = at;
      for (int c = 0; c <= end(at); ++c) {
        i[k] = c;
        visit(x.value(i));
      }
    };
    const std::string range = x.text + ", " + k + " from 0 to " + to + ")";
    switch (pick(4)) {
      case 0:
        return {"product(" + range, [=](const Indices& at) {
                  double p = 1;
                  each(at, [&](double v) { p *= v; });
                  return p;
                }};
      default:
        return {"sum(" + range, [=](const Indices& at) {
                  double s = 0;
                  each(at, [&](double v) { s += v; });
                  return s;
                }};
    }
  }

  std::mt19937_64 random_;
  std::array<double, n> b_{};
  std::array<int, n> edge_{};
  std::array<double, n * n> A_{};
  std::array<double, n * n * n> T_{};
};

}  // namespace

TEST_CASE("elements: names with numbers, nodes while an index is open") {
  const Expr i = Symbol("i", {Assumption::integer});
  const Expr T = Symbol("T", {Assumption::positive});
  const Expr open = element(T, std::vector<Expr>{i, i + 1});
  CHECK(open.is(Kind::element));
  CHECK(is_positive(open));
  const Expr fixed = substitute(open, {{i, 3}});
  CHECK(fixed.is(Kind::symbol));
  CHECK(fixed.name() == "T[3, 4]");
  CHECK(is_positive(fixed));
  CHECK(fixed == Symbol("T[3, 4]", {Assumption::positive}));
  CHECK(element(UnknownFunction("u")(Symbol("t")), std::vector<Expr>{-1}) == UnknownFunction("u[-1]")(Symbol("t")));
  CHECK(free_symbols(open) == std::vector<Symbol>{Symbol::from(i)});
  CHECK(depends_on(open, i));
  CHECK(parse("T[3,  4]") == parse("T[3, 4]"));
  CHECK(element_name("T[3,4]")->indices == std::vector<std::int64_t>{3, 4});
  for (const char* none : {"T", "T[", "T[]", "T[3", "T[3.5]", "T[i]", "3[4]", "T[3]x"}) CHECK(!element_name(none));
  CHECK(message_of([] { (void)parse("T[3/2]"); }).find("whole number") != std::string::npos);
  CHECK(message_of([] { (void)parse("T[1 < 2]"); }).find("condition") != std::string::npos);
  CHECK(message_of([] { (void)element(parse("a + b"), std::vector<Expr>{1}); }).find("named array") !=
        std::string::npos);
}

TEST_CASE("elements and reductions read back as they are printed, in every way") {
  for (const char* text :
       {"T[i, j + 1]", "T[i]^2/T[2*i - 1]", "sum(A[i, k]*b[k], k from 0 to n - 1)", "V[ends[wire, 0]]",
        "max(T[k], k from 0 to 3)", "min(abs(T[k] - 40), k from i to i + 2)", "product(1 - d[c]/2, c from 1 to m)",
        "T[3, 4] + T_e[1]", "sum(k*sum(k, k from k to n), k from 1 to 3)", "T'[i, j] - T[i - 1, j]", "u[i]''(x)",
        "u[2]'(x) + u[3](x)", "max(max(a[k] - 40, 3), k from 0 to 3)", "piecewise(1 if i = j, 0 otherwise)*T[i]"}) {
    INFO(text);
    const Expr e = parse(text);
    CHECK(parse(to_text(e), ParseContext::of(e)) == e);
    CHECK(!to_latex(e).empty());
    CHECK(!to_unicode(e).empty());
  }
  CHECK(to_latex(parse("T_e[i, 3]")) == "T_{e;i, 3}");
  CHECK(to_text(parse("T'[i]"), {.independent = "t"}) == "T'[i]");
  CHECK(to_text(parse("T'[2]"), {.independent = "t"}) == "T'[2]");
  // The order of a derivative in each argument keeps its notation.
  CHECK(parse("f'[1,0](x, y)") ==
        UnknownFunction("f").derivative_at(std::vector<Expr>{parse("x"), parse("y")}, std::vector<int>{1, 0}));
  for (const char* wrong : {"T[1,", "T[]", "T[1", "[1]", "T]", "(a + b)[1]", "T[1..2]", "T[1)", "(T[1)", "T[i]'",
                            "sum(T[k], k)", "1..2", "max(T[k], k from 1)"}) {
    INFO(wrong);
    CHECK_THROWS_AS((void)parse(wrong), Error);
  }
}

TEST_CASE("reductions: values, empty ranges, hidden indices, bounds read outside") {
  CHECK(evaluate(parse("sum(k*sum(k, k from k to 4), k from 1 to 3)")) == 1 * 10 + 2 * 9 + 3 * 7);
  CHECK(evaluate(parse("product(k, k from 1 to 5)")) == 120);
  CHECK(evaluate(parse("max(k*(3 - k), k from 0 to 4) + min(k^2 - 3*k, k from 0 to 4)")) == 2 - 2);
  CHECK(written_out(parse("sum(T[k], k from 3 to 2)")) == Expr(0));
  CHECK(written_out(parse("product(T[k], k from 3 to 2)")) == Expr(1));
  CHECK_THROWS_AS((void)written_out(parse("max(T[k], k from 3 to 2)")), Error);
  CHECK(written_out(parse("sum(A[i, k]*b[k], k from 0 to 1)")) == parse("A[i, 0]*b[0] + A[i, 1]*b[1]"));
  // Branches that are not taken need no element: the index of this one would be no whole number.
  CHECK(written_out(parse("sum(piecewise(T[k/2] if k = 2, 1 otherwise), k from 1 to 3)")) == parse("T[1] + 2"));
  // A range that is no number stays, and what is free in it is put in.
  CHECK(substitute(parse("sum(A[i, k], k from 0 to n)"), {{parse("i"), 2}}) == parse("sum(A[2, k], k from 0 to n)"));
  CHECK(evaluate(parse("sum(T[k]^2, k from 0 to n - 1)"),
                 Bindings{{parse("n"), 3}, {parse("T[0]"), 1}, {parse("T[1]"), 2}, {parse("T[2]"), 5}}) == 30);
  CHECK(message_of([] { (void)evaluate(parse("T[i]"), Bindings{{parse("T[1]"), 2.0}}, Unused::allowed); }) != "");
}

TEST_CASE("whole arrays are index notation: products, transposes, slices, and shapes that do not fit") {
  const Expr n = Symbol("n", {Assumption::integer, Assumption::positive});
  const Array A("A", {3, n});
  const Array B("B", {n, 3});
  const Array b("b", {n});
  const Array c("c", {3});
  const Array y = A * b + map(static_cast<Expr (*)(const Expr&)>(sin), c);
  CHECK(y.rank() == 1);
  CHECK(y.shape() == std::vector<Expr>{3});
  // With a number for n everything can be written out and compared with loops by hand.
  const auto at = [](const Expr& e) { return written_out(substitute(e, {{parse("n"), 0}}, Unused::allowed)); };
  (void)at;
  const auto put = [&](const Expr& e) { return written_out(substitute(e, {{n, 2}}, Unused::allowed)); };
  CHECK(put(y(1)) == parse("A[1, 0]*b[0] + A[1, 1]*b[1] + sin(c[1])"));
  CHECK(put((A * B)(2, 0)) == parse("A[2, 0]*B[0, 0] + A[2, 1]*B[1, 0]"));
  CHECK(put((A * B * c)(2)) == written_out(parse("sum(sum(A[2, p]*B[p, q], p from 0 to 1)*c[q], q from 0 to 2)")));
  CHECK(put((A * (B * c))(2)) == written_out(parse("sum(A[2, p]*sum(B[p, q]*c[q], q from 0 to 2), p from 0 to 1)")));
  CHECK(transpose(A)(1, 2) == A(2, 1));
  CHECK(put(trace(A * B)) == put(trace(B * A)) - 0);
  CHECK(put(dot(c, c)) == parse("c[0]^2 + c[1]^2 + c[2]^2"));
  CHECK(outer(c, b)(2, 1) == parse("c[2]*b[1]"));
  CHECK((2 * A - A)(1, 1) == parse("A[1, 1]"));
  CHECK((1 + c)(2) == parse("c[2] + 1"));
  CHECK((c / 2)(0) == parse("c[0]/2"));
  const Array part = A.slice({Array::Range(1, 2), Array::Range(0)});
  CHECK(part.shape() == std::vector<Expr>{2});
  CHECK(part(1) == parse("A[2, 0]"));
  CHECK((A * B).slice({Array::Range(1), Array::Range(0, 1)}).shape() == std::vector<Expr>{2});
  // Sums inside are renamed apart.
  const Array twice = (A * B) * (A * B);
  CHECK(put(twice(0, 0)) == put(unevaluated_sum((A * B)(0, Symbol("w")) * (A * B)(Symbol("w"), 0), Symbol("w"), 0, 2)));
  for (const auto& [what, names] : std::vector<std::pair<std::function<void()>, std::vector<std::string>>>{
           {[&] { (void)(A + b); }, {"A", "3 x n", "b", "shape n"}},
           {[&] { (void)(A * c); }, {"3 x n", "shape 3", "last extent"}},
           {[&] { (void)(b + c); }, {"n", "3"}},
           {[&] { (void)transpose(b); }, {"two indices"}},
           {[&] { (void)trace(A); }, {"3 x n"}},
           {[&] { (void)(c / b); }, {"divided"}},
           {[&] { (void)c(3); }, {"3 is no place", "0 to 2"}},
           {[&] { (void)c(-1); }, {"-1 is no place"}},
           {[&] { (void)A(1); }, {"2 indices", "1 is given"}},
           {[&] { (void)c.slice({Array::Range(1, 5)}); }, {"5 is no place"}}}) {
    const std::string said = message_of(what);
    for (const std::string& name : names) {
      INFO(said << " | " << name);
      CHECK(said.find(name) != std::string::npos);
    }
  }
}

TEST_CASE("derivatives by elements: deltas, carried out under sums") {
  const auto d = [](const char* e, const char* by) { return derivative(parse(e), parse(by)); };
  CHECK(d("T[i]", "T[j]") == parse("piecewise(1 if i = j, 0 otherwise)"));
  CHECK(d("T[i]^2", "T[i]") == parse("2*T[i]"));
  CHECK(d("T[i] + T[i + 1]", "T[i]") == Expr(1));
  CHECK(d("T[2]*T[i]", "T[2]") == parse("T[i] + T[2]*piecewise(1 if i = 2, 0 otherwise)"));
  CHECK(d("sum(A[i, k]*b[k], k from 0 to n)", "b[j]") == parse("piecewise(A[i, j] if 0 <= j and j <= n, 0 otherwise)"));
  CHECK(d("sum(sin(a*x[k]), k from 0 to n)", "a") == parse("sum(x[k]*cos(a*x[k]), k from 0 to n)"));
  CHECK(d("sum(x[k], k from 0 to n)", "y[j]") == Expr(0));
  // Bounds are read outside, also those of what a derivative puts in.
  const Expr hiding = d("product(b[j]*b[3 - j], j from 0 to j)", "b[p]");
  CHECK(written_out(substitute(hiding, {{parse("j"), 1}, {parse("p"), 0}})) ==
        derivative(parse("b[0]*b[3]*b[1]*b[2]"), parse("b[0]")));
  // The index of the variable is not the one that is summed over.
  CHECK(d("sum(x[k]^2, k from 0 to n)", "x[k]") == parse("piecewise(2*x[k] if 0 <= k and k <= n, 0 otherwise)"));
  CHECK(derivative(parse("T'[i]"), parse("t")) == derivative(parse("T'[i]"), parse("t")));
  CHECK(to_text(derivative(parse("T'[i]"), parse("t")), {.independent = "t"}) == "T''[i]");
  CHECK_THROWS_AS((void)d("T[i]", "i"), Error);
  CHECK_THROWS_AS((void)d("max(T[k], k from 0 to n)", "T[j]"), Error);
  // A planted error is seen by the check, although it holds for some sizes.
  const Expr f = parse("sum((x[k + 1] - x[k])^2, k from 0 to n - 2)");
  const Expr right = derivative(f, parse("x[j]"));
  const auto verdict = [&](const Expr& e) { return cross_check_derivative(f, {parse("x[j]")}, e, {}).verdict; };
  CHECK(verdict(right) == Verdict::agrees);
  CHECK(verdict(right + parse("piecewise(1 if j = 0, 0 otherwise)")) == Verdict::disagrees);
  CHECK(verdict(parse("2*x[j] - 2*x[j + 1]")) == Verdict::disagrees);
  CHECK(equivalent(parse("sum(x[k], k from 0 to n)"), parse("sum(x[n - k], k from 0 to n)")).verdict !=
        Equivalence::refuted);
  CHECK(equivalent(parse("sum(x[k], k from 0 to n)"), parse("sum(x[k], k from 1 to n)")).verdict ==
        Equivalence::refuted);
}

TEST_CASE("random array expressions: values by loops, derivatives written out and not, numeric functions") {
  int derived = 0;
  for (std::uint64_t seed = 1; seed <= 200; ++seed) {
    RandomArrays make(seed);
    auto made = make(5, {"i", "j"});
    while (made.text.size() < 40) made = make(5, {"i", "j"});
    const std::string& text = made.text;
    const auto& value = made.value;
    CAPTURE(seed);
    CAPTURE(text);
    const Expr e = parse(text);
    CHECK(parse(to_text(e), ParseContext::of(e)) == e);
    const int i = make.pick(4);
    const int j = make.pick(4);
    const Bindings indices{{parse("i"), i}, {parse("j"), j}};
    const double expected = value({{"i", i}, {"j", j}});
    const Expr out = make.with_numbers(e, indices);
    CHECK(evaluate(out, make.values(), Unused::allowed) == doctest::Approx(expected).epsilon(1e-9));
    Bindings all = make.values();
    all.set(parse("i"), i);
    all.set(parse("j"), j);
    CHECK(evaluate(e, all, Unused::allowed) == doctest::Approx(expected).epsilon(1e-9));
    // By b[p] with an open index, then numbers; and the other way round.
    const int p = make.pick(4);
    const Expr open = derivative(e, parse("b[p]"));
    Bindings with_p = indices;
    with_p.set(parse("p"), p);
    const Expr numbers = make.with_numbers(open, with_p);
    const Expr variable = Symbol(RandomArrays::name("b", {p}));
    const Expr direct = derivative(out, variable);
    const double slope = evaluate(direct, make.values(), Unused::allowed);
    CHECK(evaluate(numbers, make.values(), Unused::allowed) == doctest::Approx(slope).epsilon(1e-9));
    // Difference quotients of the loops.
    double& t = make.b(p);
    const double before = t;
    const double h = 1e-5;
    t = before + h;
    const double up = value({{"i", i}, {"j", j}});
    t = before - h;
    const double down = value({{"i", i}, {"j", j}});
    t = before;
    CHECK((up - down) / (2 * h) == doctest::Approx(slope).epsilon(1e-4).scale(1 + std::fabs(expected)));
    derived += slope != 0 ? 1 : 0;
    // As a numeric function, where the reductions are written out by itself.
    std::vector<Expr> inputs;
    std::vector<double> point;
    const Bindings values = make.values();
    for (const Symbol& s : free_symbols(out)) {
      inputs.push_back(s);
      point.push_back(values.find(s)->number().to_double());
    }
    if (inputs.empty()) continue;
    const Kernel k = compile({{"f", {make.with_numbers(e, indices, false)}}}, {{"x", inputs}});
    std::vector<double> result(1);
    k({point}, {result});
    CHECK(result[0] == doctest::Approx(expected).epsilon(1e-9));
  }
  CHECK(derived > 40);
}

namespace {

// Whole arrays beside plain tables of numbers.
struct Both {
  Array symbolic{0};
  std::vector<std::size_t> shape;
  std::vector<double> numbers;
};

class RandomWholes {
 public:
  explicit RandomWholes(std::uint64_t seed) : random_(seed) {}

  Both operator()(int depth, std::vector<std::size_t> shape) {
    if (depth == 0) return named(shape);
    switch (pick(shape.size() == 2 ? 6 : 5)) {
      case 0: {
        const Both a = (*this)(depth - 1, shape);
        const Both b = (*this)(depth - 1, shape);
        const bool minus = pick(2) == 0;
        Both r{minus ? a.symbolic - b.symbolic : a.symbolic + b.symbolic, shape, a.numbers};
        for (std::size_t i = 0; i < r.numbers.size(); ++i) r.numbers[i] += minus ? -b.numbers[i] : b.numbers[i];
        return r;
      }
      case 1: {  // a product over one more index
        const std::size_t inner = 1 + pick(3);
        std::vector<std::size_t> left(shape.begin(), shape.begin() + 1);
        left.push_back(inner);
        std::vector<std::size_t> right(shape.begin() + 1, shape.end());
        right.insert(right.begin(), inner);
        const Both a = (*this)(depth - 1, left);
        const Both b = (*this)(depth - 1, right);
        Both r{a.symbolic * b.symbolic, shape, {}};
        const std::size_t across = b.numbers.size() / inner;
        for (std::size_t i = 0; i < shape[0]; ++i) {
          for (std::size_t j = 0; j < across; ++j) {
            double sum = 0;
            for (std::size_t k = 0; k < inner; ++k) sum += a.numbers[i * inner + k] * b.numbers[k * across + j];
            r.numbers.push_back(sum);
          }
        }
        return r;
      }
      case 2: {
        Both a = (*this)(depth - 1, shape);
        a.symbolic = map(static_cast<Expr (*)(const Expr&)>(sin), a.symbolic);
        for (double& v : a.numbers) v = std::sin(v);
        return a;
      }
      case 3: {  // a scalar that is itself a sum
        const std::size_t n = 1 + pick(3);
        const Both u = (*this)(depth - 1, {n});
        Both a = (*this)(depth - 1, shape);
        double square = 0;
        for (const double v : u.numbers) square += v * v;
        a.symbolic = dot(u.symbolic, u.symbolic) * a.symbolic + 1;
        for (double& v : a.numbers) v = square * v + 1;
        return a;
      }
      case 4: {  // part of a larger one
        std::vector<std::size_t> larger = shape;
        std::vector<std::size_t> from;
        std::vector<Array::Range> ranges;
        for (std::size_t& n : larger) {
          from.push_back(pick(2));
          ranges.emplace_back(Expr(from.back()), Expr(from.back() + n - 1));
          n += from.back() + pick(2);
        }
        const Both a = (*this)(depth - 1, larger);
        Both r{a.symbolic.slice(ranges), shape, {}};
        for (std::size_t i = 0; i < shape[0]; ++i) {
          if (shape.size() == 1) {
            r.numbers.push_back(a.numbers[i + from[0]]);
            continue;
          }
          for (std::size_t j = 0; j < shape[1]; ++j)
            r.numbers.push_back(a.numbers[(i + from[0]) * larger[1] + j + from[1]]);
        }
        return r;
      }
      default: {
        const Both a = (*this)(depth - 1, {shape[1], shape[0]});
        Both r{transpose(a.symbolic), shape, {}};
        for (std::size_t i = 0; i < shape[0]; ++i)
          for (std::size_t j = 0; j < shape[1]; ++j) r.numbers.push_back(a.numbers[j * shape[0] + i]);
        return r;
      }
    }
  }

  std::size_t pick(std::size_t below) { return random_() % below; }
  Bindings values;

 private:
  Both named(const std::vector<std::size_t>& shape) {
    std::vector<Expr> extents;
    for (const std::size_t n : shape) extents.emplace_back(n);
    const std::string name = "X" + std::to_string(count_++);
    Both b{Array(name, extents), shape, {}};
    for (std::size_t i = 0; i < shape[0]; ++i) {
      for (std::size_t j = 0; j < (shape.size() == 2 ? shape[1] : 1); ++j) {
        b.numbers.push_back(static_cast<double>(random_() >> 11U) * 0x1p-53 * 2 - 1);
        ElementName e{name, {static_cast<std::int64_t>(i)}};
        if (shape.size() == 2) e.indices.push_back(static_cast<std::int64_t>(j));
        values.set(to_string(e), b.numbers.back());
      }
    }
    return b;
  }

  std::mt19937_64 random_;
  int count_ = 0;
};

}  // namespace

TEST_CASE("random whole arrays are what loops over numbers give") {
  for (std::uint64_t seed = 1; seed <= 120; ++seed) {
    CAPTURE(seed);
    RandomWholes make(seed);
    std::vector<std::size_t> shape{1 + make.pick(3)};
    if (make.pick(2) == 0) shape.push_back(1 + make.pick(3));
    const Both b = make(3, shape);
    REQUIRE(b.symbolic.rank() == shape.size());
    const std::size_t i = make.pick(shape[0]);
    const std::size_t j = shape.size() == 2 ? make.pick(shape[1]) : 0;
    const Expr e = shape.size() == 2 ? b.symbolic(i, j) : b.symbolic(i);
    CAPTURE(to_text(e, {300}));
    const double expected = b.numbers[shape.size() == 2 ? i * shape[1] + j : i];
    CHECK(evaluate(written_out(e), make.values, Unused::allowed) == doctest::Approx(expected).epsilon(1e-9));
    // With open indices first, and numbers afterwards.
    const Expr p = Symbol("p", {Assumption::integer});
    const Expr q = Symbol("q", {Assumption::integer});
    const Expr open = shape.size() == 2 ? b.symbolic(p, q) : b.symbolic(p);
    const Expr put = substitute(open, {{p, i}, {q, j}}, Unused::allowed);
    CHECK(evaluate(written_out(put), make.values, Unused::allowed) == doctest::Approx(expected).epsilon(1e-9));
    CHECK(b.symbolic.shape().size() == shape.size());
    for (std::size_t k = 0; k < shape.size(); ++k) CHECK(b.symbolic.shape()[k] == Expr(shape[k]));
  }
}
