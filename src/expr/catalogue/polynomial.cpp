// SPDX-License-Identifier: MIT
// Numbered roots of polynomials with integer coefficients.
#include <arb_fmpz_poly.h>

#include "expr/catalogue/rows.hpp"

namespace boreon {
namespace {

// The roots last asked for: sums over all roots of one polynomial ask for each of them in turn. Roots that are known to
// more digits serve as well.
class LastRoots {
 public:
  LastRoots() { fmpz_poly_init(polynomial_); }
  ~LastRoots() {
    clear();
    fmpz_poly_clear(polynomial_);
  }
  LastRoots(const LastRoots&) = delete;
  LastRoots& operator=(const LastRoots&) = delete;
  // Null if there are repeated roots.
  acb_srcptr of(const fmpz_poly_t p, long precision) {
    if (roots_ != nullptr && precision_ >= precision && fmpz_poly_equal(p, polynomial_) != 0) return roots_;
    clear();
    fmpz_poly_t g;
    fmpz_poly_init(g);
    fmpz_poly_derivative(g, p);
    fmpz_poly_gcd(g, g, p);
    const bool simple = fmpz_poly_degree(g) == 0;
    fmpz_poly_clear(g);
    if (!simple) return nullptr;
    n_ = fmpz_poly_degree(p);
    roots_ = _acb_vec_init(n_);
    arb_fmpz_poly_complex_roots(roots_, p, 0, precision);
    fmpz_poly_set(polynomial_, p);
    precision_ = precision;
    return roots_;
  }

 private:
  void clear() {
    if (roots_ != nullptr) _acb_vec_clear(roots_, n_);
    roots_ = nullptr;
  }
  fmpz_poly_t polynomial_;
  acb_ptr roots_ = nullptr;
  slong n_ = 0;
  long precision_ = 0;
};

void ball_root(Ball& r, Balls x, long precision) {
  acb_indeterminate(r.get());
  fmpz_poly_t p;
  fmpz_poly_init(p);
  fmpz_t c;
  fmpz_init(c);
  bool exact = x[0].real() && arb_is_int(x[0].re()) != 0;
  for (std::size_t i = 1; exact && i < x.size(); ++i) {
    exact = arb_get_unique_fmpz(c, x[i].re()) != 0;
    if (exact) fmpz_poly_set_coeff_fmpz(p, static_cast<slong>(i) - 1, c);
  }
  const slong n = fmpz_poly_degree(p);
  const slong k =
      exact && arf_cmpabs_2exp_si(arb_midref(x[0].re()), 30) < 0 ? arf_get_si(arb_midref(x[0].re()), ARF_RND_DOWN) : 0;
  if (k >= 1 && k <= n) {
    static thread_local LastRoots last;
    if (acb_srcptr roots = last.of(p, precision)) acb_set(r.get(), roots + k - 1);
  }
  fmpz_clear(c);
  fmpz_poly_clear(p);
}

}  // namespace

std::span<const FunctionRow> polynomial_rows() {
  static const FunctionRow rows[] = {
      {.name = "polynomial_root",
       .summary = "polynomial_root(k, c0, c1, ..., cn): root k of c0 + c1*x + ... + cn*x^n with integer coefficients "
                  "and no repeated root; real roots first, ascending, then "
                  "conjugate pairs, the one above the real axis first",
       .min_args = 3,
       .max_args = -1,
       .latex = "\\operatorname{root}",
       .orders = 1,
       .domain = "k from 1 to the degree of a polynomial with integer coefficients and no repeated root",
       .ball = ball_root},
  };
  return rows;
}

}  // namespace boreon
