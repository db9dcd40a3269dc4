// SPDX-License-Identifier: MIT
// Reading and printing.
#include <doctest/doctest.h>

#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/matrix.hpp"
#include "boreon/operand_order.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "core/random_expression.hpp"

using namespace boreon;

namespace {

std::string again(const std::string& text) { return to_text(parse(text)); }

Error error_of(const std::string& text) {
  try {
    (void)parse(text);
  } catch (const Error& e) {
    return e;
  }
  FAIL("no error for: " << text);
  throw std::logic_error("unreachable");
}

}  // namespace

TEST_CASE("the grammar's precedence and associativity") {
  CHECK(evaluate(parse("-2^2")) == -4);
  CHECK(evaluate(parse("2^3^2")) == 512);
  CHECK(evaluate(parse("2^-1")) == 0.5);
  CHECK(evaluate(parse("7 - 4 - 2")) == 1);
  CHECK(evaluate(parse("24/4/2")) == 3);
  CHECK(evaluate(parse("2*-3")) == -6);
  CHECK(parse("4.2e-13") == Expr(42) / pow(Expr(10), 14));
  CHECK(parse("2i^2") == Expr(-4));
  CHECK(parse("1 < 2 and not 3 < 2") == truth(true));
  CHECK(parse("x > 1") == less(Expr(1), Symbol("x")));
  CHECK(parse("0 < x < 1") == parse("0 < x and x < 1"));
  CHECK(parse("gamma*zeta") == Symbol("gamma") * Symbol("zeta"));
}

TEST_CASE("primes make unknown functions of the independent variable") {
  const UnknownFunction y("y");
  const Symbol t("t");
  const Expr args[] = {t};
  const int second[] = {2};
  CHECK(parse("y'' + y").operands().size() == 5);
  CHECK(parse("y''") == y.derivative_at(args, second));
  CHECK(parse("y'' + y - y") == y.derivative_at(args, second));
  CHECK(derivative(y(t), t, 2) == parse("y''(t)"));
  CHECK(derivative(parse("f(x^2, x)"), Symbol("x")) == parse("2*x*f'[1,0](x^2, x) + f'[0,1](x^2, x)"));
}

TEST_CASE("operators parse to unevaluated nodes") {
  CHECK(parse("integral(exp(-u^2), u from 0 to x)").is(Kind::integral));
  CHECK(parse("integral(x, x)").operands().size() == 2);
  CHECK(parse("sum(x^k/k, k from 1 to n)").is(Kind::reduction));
  CHECK(parse("limit(sin(x)/x, x to 0 from above)").limit_side() == LimitSide::above);
  CHECK(parse("derivative(x^2*y, x, 2, y)").is(Kind::derivative));
  CHECK(evaluate_derivatives(parse("derivative(x^2*y, x, 2, y)")) == Expr(2));
  const auto free = free_symbols(parse("integral(k*u, u from 0 to x) + sum(1/j, j from 1 to n)"));
  CHECK(free.size() == 3);
}

TEST_CASE("text reads back to the identical expression") {
  for (const char* text : {"x^2 - a*x - 7",
                           "-(x + y)^2/(2*x*y)",
                           "2*(x + y)",
                           "sqrt(x)/sqrt(2)",
                           "x^(2/3)",
                           "(-1)^(1/3)",
                           "2i*x + 3",
                           "-x",
                           "1/x",
                           "x/(3*y)",
                           "exp(-x^2/2)",
                           "4.2e-13*x",
                           "piecewise(x if x < 0, -x if x < 1 and y > 2, 3 otherwise)",
                           "f'(g(x))",
                           "f'[1,2](x, y^2)",
                           "`sine`(x)",
                           "`E1` + 1",
                           "double(0.1)*x",
                           "integral(exp(-u^2), u from 0 to x)",
                           "sum(1/k^2, k from 1 to infinity)",
                           "limit(f(x), x to 0 from below)",
                           "not (x < 1 and y < 2)",
                           "x != 2",
                           "a^b^c",
                           "(a^b)^c",
                           "(x + 1)^-2",
                           "1.6e20",
                           "0.039*y",
                           "x^y*2^x",
                           "egamma*pi",
                           "derivative(f(x), x, 2, y)",
                           "elliptic_E(m) + elliptic_E(phi, m)",
                           "min(x, y, 3)",
                           "10^1000",
                           "2^(10^10)"}) {
    CAPTURE(text);
    const Expr e = parse(text);
    CHECK(parse(to_text(e)) == e);
    CHECK(again(to_text(e)) == to_text(e));
  }
}

TEST_CASE("random expressions read back identically, and print in all forms") {
  test::RandomExpression random(3, {Symbol("x"), Symbol("y"), Symbol("alpha_1")}, false);
  for (int i = 0; i < 3000; ++i) {
    const Expr e = random(1 + i % 25);
    CAPTURE(to_text(e));
    REQUIRE(parse(to_text(e)) == e);
    REQUIRE_FALSE(to_latex(e).empty());
    REQUIRE_FALSE(to_unicode(e).empty());
  }
}

TEST_CASE("wide sums and products read back identically") {
  Expr sum = 0;
  Expr product = 1;
  for (int i = 0; i < 300; ++i) {
    const Symbol x("x" + std::to_string(i));
    sum = sum + i * x;
    product = product * pow(x, i % 3 - 1);
    if (i % 37 == 0) {
      CHECK((parse(to_text(sum)) == sum));
      CHECK((parse(to_text(product)) == product));
    }
  }
  CHECK((parse(to_text(sum / product)) == sum / product));
}

TEST_CASE("symbols with assumptions read back in their own context") {
  const Symbol p("p", {Assumption::positive});
  const Expr e = sqrt(p) * sin(p);
  CHECK(parse(to_text(e), ParseContext::of(e)) == e);
}

TEST_CASE("text nested a hundred thousand deep is read and printed") {
  std::string text;
  for (int i = 0; i < 100000; ++i) text += "sin(1 + ";
  text += "x" + std::string(100000, ')');
  const Expr e = parse(text);
  CHECK(parse(to_text(e)) == e);
  const std::string open(200000, '(');
  CHECK(error_of(open).kind() == ErrorKind::syntax);
  CHECK(parse(open + "x" + std::string(200000, ')')) == Symbol("x"));
}

TEST_CASE("the same text on every run") {
  CHECK(again("b*a + c^2 - 1 + x10 + x2") == "c^2 + a*b + x2 + x10 - 1");
  CHECK(again("sin(x)*x*2/y") == "2*x*sin(x)/y");
  CHECK(again("(1 + x)/(1 - x)") == "(x + 1)/(1 - x)");
}

TEST_CASE("LaTeX and Unicode forms") {
  CHECK(to_latex(parse("x^2/(2*y)")) == "\\frac{x^{2}}{2 \\, y}");
  CHECK(to_latex(parse("alpha_n*E_perp")) == "\\alpha_{n} \\, E_{\\mathrm{perp}}");
  CHECK(to_latex(parse("sqrt(1 + x)")) == "\\sqrt{x + 1}");
  CHECK(to_latex(parse("4.2e-13")) == "4.2\\cdot 10^{-13}");
  CHECK(to_unicode(parse("x^2/2")) == "  2\n x\n────\n 2");
  CHECK(to_unicode(parse("alpha1 <= 2")) == "α₁ ≤ 2");
  Matrix m(2, 2);
  m << Symbol("a"), 0, 1, Symbol("b");
  CHECK(to_unicode(m) == "⎡a  0⎤\n⎣1  b⎦");
  CHECK(to_text(m) == "[[a, 0], [1, b]]");
}

TEST_CASE("mistakes in text give kind, place and remedy") {
  struct Mistake {
    const char* text;
    ErrorKind kind;
    std::size_t column;
    const char* says;
  };
  const Mistake mistakes[] = {
      {"2x", ErrorKind::syntax, 2, "write 2*x"},
      {"2(x + 1)", ErrorKind::syntax, 2, "2*(...)"},
      {"x y", ErrorKind::syntax, 3, "write x*y"},
      {"(1 + x", ErrorKind::syntax, 1, "never closed"},
      {"1 + x)", ErrorKind::syntax, 6, "no open parenthesis"},
      {"1 + * x", ErrorKind::syntax, 5, "operand is missing"},
      {"x +", ErrorKind::syntax, 3, "ends after"},
      {"", ErrorKind::syntax, 1, "empty"},
      {"()", ErrorKind::syntax, 2, "nothing stands between"},
      {"x ** 2", ErrorKind::syntax, 3, "written ^"},
      {"x == 2", ErrorKind::syntax, 3, "single ="},
      {"a && b", ErrorKind::syntax, 3, "'and'"},
      {"[x]", ErrorKind::syntax, 1, "parentheses"},
      {".5", ErrorKind::syntax, 1, "0.5"},
      {"5.", ErrorKind::syntax, 1, "5.0"},
      {"1.2.3", ErrorKind::syntax, 4, "two points"},
      {"α + 1", ErrorKind::syntax, 1, "plain words"},
      {"x # y", ErrorKind::syntax, 3, "'#'"},
      {"sinn(x)", ErrorKind::name, 1, "did you mean 'sin'"},
      {"Exp(x)", ErrorKind::name, 1, "did you mean 'exp'"},
      {"sin + 1", ErrorKind::name, 1, "needs an argument"},
      {"sin(x, y)", ErrorKind::shape, 1, "takes 1 argument"},
      {"atan2(x)", ErrorKind::shape, 1, "takes 2 arguments"},
      {"sin()", ErrorKind::shape, 5, "needs arguments"},
      {"pi(x)", ErrorKind::syntax, 1, "pi*(...)"},
      {"f(x) + f", ErrorKind::name, 8, "both as a function"},
      {"1/0", ErrorKind::domain, 2, "division by zero"},
      {"0^-1", ErrorKind::domain, 2, "division by zero"},
      {"1,5", ErrorKind::syntax, 2, "decimal point"},
      {"piecewise(x, 1 otherwise)", ErrorKind::syntax, 12, "'if'"},
      {"piecewise(x if 3, 1 otherwise)", ErrorKind::shape, 1, "condition is expected"},
      {"integral(x)", ErrorKind::syntax, 9, "variable is missing"},
      {"integral(x, x from 0)", ErrorKind::syntax, 21, "not complete"},
      {"sum(k, k to 3)", ErrorKind::syntax, 10, "'from' is expected"},
      {"limit(x, x)", ErrorKind::syntax, 11, "'to' is expected"},
      {"derivative(x)", ErrorKind::syntax, 13, "variable is missing"},
      {"derivative(x, 2)", ErrorKind::syntax, 15, "plain name"},
      {"x and 3", ErrorKind::shape, 3, "condition is expected"},
      {"(x < 1) + 2", ErrorKind::shape, 9, "piecewise(1 if"},
      {"if x", ErrorKind::syntax, 1, "word of the grammar"},
      {"1e999999", ErrorKind::limit, 1, "100000"},
      {"f'(x, y)", ErrorKind::shape, 1, "which one to derive by"},
      {"`2x`", ErrorKind::name, 1, "cannot be a name"},
      {"x to 3", ErrorKind::syntax, 3, "inside integral"},
  };
  for (const Mistake& m : mistakes) {
    CAPTURE(m.text);
    const Error e = error_of(m.text);
    CHECK_MESSAGE(e.kind() == m.kind, e.what());
    CHECK_MESSAGE(e.position().line == 1, e.what());
    CHECK_MESSAGE(e.position().column == m.column, e.what());
    CHECK_MESSAGE(std::string(e.what()).find(m.says) != std::string::npos, e.what());
  }
  CHECK(error_of("1 +\n  2x").position().line == 2);
  CHECK(std::string(error_of("x + 2y").what()).find("\n  x + 2y\n       ^") != std::string::npos);
}

TEST_CASE("no text crashes the reader") {
  test::RandomExpression random(5, {Symbol("x")});
  const std::string alphabet = "x2y'(),+-*/^<>=. `ifandtofrom\"[]{}\\\n";
  const std::vector<std::string> words{"sin(", "piecewise(", "integral(",   " from ", " to ",   " if ", " otherwise",
                                       "sum(", "limit(",     "derivative(", "x",      ",",      ")",    "1",
                                       "not ", "^",          "-",           "y'",     "double("};
  for (int i = 0; i < 20000; ++i) {
    std::string text;
    const std::size_t n = 1 + random.pick(24);
    for (std::size_t k = 0; k < n; ++k)
      text += i % 2 == 0 ? std::string(1, alphabet[random.pick(alphabet.size())]) : words[random.pick(words.size())];
    CAPTURE(text);
    try {
      const Expr e = parse(text);
      REQUIRE(parse(to_text(e)) == e);
    } catch (const Error& e) {
      REQUIRE_FALSE(e.message().empty());
    }
  }
}

TEST_CASE("sums and products are printed in the order in which they were typed") {
  const auto again = [](const char* text) {
    const auto order = std::make_shared<OperandOrder>();
    ParseContext context;
    context.order = order.get();
    const Expr e = parse(text, context);
    const PrintOptions options{.order = order};
    CHECK(parse(to_text(e, options)) == e);
    CHECK_FALSE(to_latex(e, options).empty());
    CHECK_FALSE(to_unicode(e, options).empty());
    return to_text(e, options);
  };
  for (const char* text :
       {"z + y + x", "-b + a", "q - alpha*n^2 + k*T*n", "1 + x + x^2", "z*y*x/(c*b*a)", "m*s^2/2 + mu*field(s)",
        "b*(d + c)*a - 3*z*y", "2*y*x + 2*x*y*z", "sqrt(y)*x + 1/(b + a)", "exp(-z/H)*n", "1 - x"}) {
    CHECK(again(text) == text);
  }
  // what is collected on the way still has its place
  CHECK(again("y + x + 2*y") == "3*y + x");
  CHECK(again("(z + y) + x") == "z + y + x");
  // the order of a rewritten expression
  OperandOrder order;
  ParseContext context;
  context.order = &order;
  const Expr e = parse("u + b*a", context);
  const auto rename = [](const Expr& x) { return substitute(x, {{Symbol("u"), Symbol("c")}}, Unused::allowed); };
  CHECK(to_text(rename(e), {.order = std::make_shared<OperandOrder>(order.rewritten(rename))}) == "c + b*a");
}

TEST_CASE("random texts keep their order of operands") {
  test::RandomExpression pick(20261128, {});
  const char* const names[] = {"p", "q", "r", "s", "t", "u", "v", "w"};
  for (int round = 0; round < 300; ++round) {
    // distinct names in any order: nothing is collected
    std::vector<std::string> left(std::begin(names), std::end(names));
    const auto draw = [&] {
      const std::size_t i = pick.pick(left.size());
      std::string name = left[i];
      left.erase(left.begin() + static_cast<std::ptrdiff_t>(i));
      return name;
    };
    std::string text = draw();
    while (!left.empty()) {
      const std::size_t dice = pick.pick(left.size() > 1 ? 5 : 3);
      text += dice == 0   ? " - " + draw()
              : dice == 1 ? " + " + draw()
              : dice == 2 ? "*" + draw()
              : dice == 3 ? " + 2*" + draw() + "*" + draw()
                          : "*(" + draw() + " - " + draw() + ")";
    }
    const auto order = std::make_shared<OperandOrder>();
    ParseContext context;
    context.order = order.get();
    const Expr e = parse(text, context);
    CHECK(to_text(e, {.order = order}) == text);
  }
}

TEST_CASE("differentials and functions of several arguments are typeset") {
  const Expr d = parse("derivative(f(x, y), x, x, y)");
  CHECK(to_unicode(d).find("^") == std::string::npos);
  CHECK(to_unicode(d).find("∂x  ∂y") != std::string::npos);
  CHECK(to_latex(d).find("\\partial x^{2} \\, \\partial y") != std::string::npos);
  CHECK(to_mathml(d).find("<msup><mi>x</mi><mn>2</mn></msup>") != std::string::npos);
  CHECK(to_unicode(derivative(parse("`li`(x, y)"), Symbol("x"))).find("[") == std::string::npos);
  CHECK(to_unicode(parse("`li`(x, y) < 1 and x > 0")).find("`") == std::string::npos);
}
