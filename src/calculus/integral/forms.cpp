#include "calculus/integral/forms.hpp"

#include "boreon/algebra.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/traverse.hpp"
#include "calculus/series/expansion.hpp"

namespace boreon {

std::size_t functions_of(const Expr& e, const Symbol& x) {
  std::size_t count = 0;
  postorder(e, [&](const Expr& n) {
    if (depends_on(n, x) && (n.is(Kind::call) || (n.is(Kind::power) && !n.operands()[1].word()))) ++count;
  });
  return count;
}

std::size_t varying_operations(const Expr& e, const Symbol& x) {
  std::size_t count = 0;
  postorder(e, [&](const Expr& n) {
    if (!depends_on(n, x)) return;
    if (n.is(Kind::product)) {
      for (const Part part : Parts(n)) count += depends_on(part.key, x) ? 1 : 0;
    } else if (n.is(Kind::sum) || n.is(Kind::power)) {
      ++count;
    }
  });
  return count;
}

Expr polynomials_written_out(const Expr& e) {
  Rebuild pass([](const Expr&, Expr&) { return false; },
               [](const Expr& n) -> Expr {
                 if (!is_call_of(n, "legendre") && !is_call_of(n, "hermite")) return n;
                 const auto p = regular_form(n, 0);
                 return p ? expand(*p) : n;
               });
  return pass(e);
}

}  // namespace boreon
