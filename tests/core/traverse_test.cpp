// SPDX-License-Identifier: MIT
// Traversal helpers, names, errors, printing of every kind of node.
#include <doctest/doctest.h>

#include <sstream>

#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "core/random_expression.hpp"

using namespace boreon;

TEST_CASE("postorder visits each distinct node once, operands first") {
  test::RandomExpression random(301, {Symbol("x"), Symbol("y")}, false);
  for (int i = 0; i < 200; ++i) {
    const Expr e = random(3 + i % 20);
    NodeMap<std::size_t> position;
    std::size_t count = 0;
    postorder(e, [&](const Expr& node) {
      REQUIRE_FALSE(position.contains(node));
      for (const Expr& child : node.operands()) REQUIRE(position.contains(child));
      position[node] = ++count;
    });
    CHECK(position.at(e) == count);
    CHECK(node_count(e) == count);
    CHECK(tree_size(e) >= count);
  }
}

TEST_CASE("sharing keeps nodes few while the tree explodes") {
  Expr e = Symbol("x");
  for (int i = 0; i < 200; ++i) e = sin(e) * cos(e);
  CHECK(node_count(e) < 1000);
  CHECK(tree_size(e) == std::numeric_limits<std::uint64_t>::max());
  CHECK(operation_count(e) == 600);
  CHECK(to_text(e, {200}).size() <= 203);
  CHECK(to_unicode(e).size() < 5000);
  const Expr d = derivative(e, Symbol("x"));
  CHECK(node_count(d) < 5000);
  CHECK(depends_on(d, Symbol("x")));
}

TEST_CASE("a map of nodes grows and forgets") {
  std::vector<Expr> keys;
  NodeMap<int> map;
  for (int i = 0; i < 5000; ++i) {
    keys.push_back(Symbol("s" + std::to_string(i)));
    map[keys.back()] = i;
  }
  CHECK(map.size() == 5000);
  for (int i = 0; i < 5000; ++i) REQUIRE(*map.find(keys[static_cast<std::size_t>(i)]) == i);
  CHECK(map.find(Symbol("other")) == nullptr);
  map.clear();
  CHECK(map.size() == 0);
  CHECK_FALSE(map.contains(keys[7]));
}

TEST_CASE("rebuilding replaces before and finishes after") {
  const Expr e = parse("sin(x)^2 + f(cos(x)) + y");
  Rebuild rename([](const Expr& node, Expr& result) {
    if (!(node == Symbol("x"))) return false;
    result = Symbol("z");
    return true;
  });
  CHECK((rename(e) == parse("sin(z)^2 + f(cos(z)) + y")));
  Rebuild expand([](const Expr&, Expr&) { return false; },
                 [](const Expr& node) { return node.is(Kind::unknown_call) ? 2 * node.operands()[1] : node; });
  CHECK((expand(e) == parse("sin(x)^2 + 2*cos(x) + y")));
}

TEST_CASE("free symbols know about binding") {
  const auto names = [](const char* text) {
    std::string all;
    for (const Symbol& s : free_symbols(parse(text))) all += s.name() + " ";
    return all;
  };
  CHECK(names("x + y*x2") == "x x2 y ");
  CHECK(names("integral(x*u, u from 0 to u)") == "u x ");
  CHECK(names("integral(x*u, u)") == "u x ");
  CHECK(names("sum(k^2, k from 1 to n)") == "n ");
  CHECK(names("limit(f(z)/z, z to a)") == "a ");
  CHECK(names("f(x) + g'(t)") == "t x ");
  CHECK(unknown_calls(std::vector<Expr>{parse("f(x) + g'(t) + f(x)*f(y)")}).size() == 3);
  CHECK_FALSE(depends_on(parse("sum(k, k from 1 to 3)"), Symbol("k")));
}

TEST_CASE("substitution respects binding and goes into unknown functions") {
  CHECK((substitute(parse("integral(x*u, u from 0 to x)"), {{Symbol("x"), parse("a^2")}}) ==
         parse("integral(a^2*u, u from 0 to a^2)")));
  CHECK((substitute(parse("sum(k*x, k from 1 to n)"), {{Symbol("n"), 5}}) == parse("sum(k*x, k from 1 to 5)")));
  CHECK_THROWS_AS((void)substitute(parse("integral(x^2, x)"), {{Symbol("x"), 2}}), Error);
  CHECK_THROWS_AS((void)substitute(parse("derivative(f(x), x, 2)"), {{Symbol("x"), 2}}), Error);
  CHECK((substitute(parse("f(x, g(x))"), {{Symbol("x"), 3}}) == parse("f(3, g(3))")));
  CHECK((substitute(parse("f'(x)"), {{Symbol("x"), parse("y^2")}}) == parse("f'(y^2)")));
  // a symbol of the same name as the function is another thing
  CHECK((substitute(parse("`f`(x) + `f`", {}), {{Symbol("f"), 3}}) == parse("f(x) + 3")));
}

TEST_CASE("suggestions for slips of the pen") {
  const std::vector<std::string> names{"alpha", "alpha_2", "beta", "sigma", "T_e"};
  CHECK(nearest_name("alpa", names) == "alpha");
  CHECK(nearest_name("Alpha", names) == "alpha");
  CHECK(nearest_name("sgima", names) == "sigma");
  CHECK(nearest_name("t_e", names) == "T_e");
  CHECK(nearest_name("omega", names).empty());
  CHECK(suggestion("betta", names) == "; did you mean 'beta'?");
  CHECK(nearest_name(std::string(5000, 'a'), names).empty());
}

TEST_CASE("an error shows place and caret, and long lines are cut around it") {
  const Error plain(ErrorKind::shape, "message");
  CHECK(std::string(plain.what()) == "message");
  const Error placed(ErrorKind::syntax, "wrong", {"m.toml", 3, 5}, "a = b c");
  CHECK(std::string(placed.what()) == "m.toml:3:5: wrong\n  a = b c\n      ^");
  CHECK(std::string(to_string(placed.kind())) == "syntax");
  const std::string line(1000, 'x');
  const Error far(ErrorKind::syntax, "far", {"", 1, 900}, line);
  CHECK(std::string(far.what()).size() < 400);
  CHECK(std::string(far.what()).find("...") != std::string::npos);
}

TEST_CASE("every kind of node has all its forms") {
  struct Form {
    const char* text;
    const char* latex;
    const char* unicode;
  };
  const Form forms[] = {
      {"x", "x", "x"},
      {"-3/4", "-\\frac{3}{4}", "  3\n-───\n  4"},
      {"2i", "2 \\mathrm{i}", "2i"},
      {"infinity", "\\infty", "∞"},
      {"x - y", "x - y", "x - y"},
      {"x*y", "x \\, y", "x·y"},
      {"x^y", "x^{y}", " y\nx"},
      {"sin(x)", "\\sin\\left(x\\right)", "sin(x)"},
      {"sin(x)^2", "\\left(\\sin\\left(x\\right)\\right)^{2}", "      2\nsin(x)"},
      {"abs(x)", "\\left|x\\right|", "│x│"},
      {"exp(x)", "\\mathrm{e}^{x}", " x\ne"},
      {"x^(1/3)", "\\sqrt[3]{x}", "  1\n ───\n  3\nx"},
      {"y''(t)", "y''\\left(t\\right)", "y''(t)"},
      {"x < 1", "x < 1", "x < 1"},
      {"x != 1", "x \\ne 1", "x ≠ 1"},
      {"cyl_bessel_j(0, x)", "J\\left(0, x\\right)", "J(0, x)"},
      {"Delta_n", "\\Delta_{n}", "Δₙ"},
      {"k12", "k_{12}", "k₁₂"},
      {"integral(x, x from 0 to 1)", "\\int_{0}^{1} x\\,\\mathrm{d}x", "1\n⌠\n⎮ x dx\n⌡\n0"},
      {"sum(k, k from 1 to n)", "\\sum_{k = 1}^{n} k", "  n\n  ⎲\n  ⎳   k\nk = 1"},
      {"limit(x, x to 0 from above)", "\\lim_{x \\to 0^{+}} x", " lim   x\nx → 0⁺"},
      {"derivative(f(x), x, 2)", "\\frac{\\partial^{2}}{\\partial x^{2}} f\\left(x\\right)",
       "  2\n ∂\n───── f(x)\n   2\n ∂x"},
      {"piecewise(1 if x < 0, 2 otherwise)",
       "\\begin{cases} 1 & \\text{if } x < 0 \\\\ 2 & \\text{otherwise} \\end{cases}", "⎧1  if x < 0\n⎩2  otherwise"},
      {"x < 1 and y < 2", nullptr, nullptr},
      {"not (x < 1 and y < 2)", nullptr, nullptr},
  };
  for (const Form& f : forms) {
    CAPTURE(f.text);
    const Expr e = parse(f.text);
    if (f.latex != nullptr) CHECK(to_latex(e) == f.latex);
    if (f.unicode != nullptr) CHECK(to_unicode(e) == f.unicode);
    CHECK_FALSE(to_latex(e).empty());
    std::ostringstream out;
    out << e;
    CHECK(out.str() == to_text(e));
    CHECK((parse(out.str()) == e));
  }
}

TEST_CASE("braces balance in all LaTeX, and lines of Unicode boxes fit together") {
  test::RandomExpression random(302, {Symbol("x"), Symbol("E_perp"), Symbol("alpha_1")}, false);
  for (int i = 0; i < 800; ++i) {
    const Expr e = random(2 + i % 24);
    int depth = 0;
    bool sound = true;
    for (const char c : to_latex(e)) {
      depth += c == '{' ? 1 : c == '}' ? -1 : 0;
      sound = sound && depth >= 0;
    }
    CAPTURE(to_text(e));
    REQUIRE(sound);
    REQUIRE(depth == 0);
    const std::string box = to_unicode(e);
    REQUIRE_FALSE(box.empty());
    REQUIRE(box.find(" \n") == std::string::npos);
  }
}

TEST_CASE("the independent variable can be left out, as in a model file") {
  const PrintOptions options{0, "t"};
  const Expr e = parse("m*s''(t) + k*s'(t) + s(t) - f(x)");
  CHECK(to_text(e, options) == "k*s' + m*s'' - f(x) + s");
  CHECK(to_latex(parse("s'(t)"), options) == "s'");
  CHECK(to_unicode(parse("s'(t)/2"), options) == " s'\n────\n 2");
}
