// SPDX-License-Identifier: MIT
#include "models.hpp"

#include "by_hand.hpp"

#include <cmath>

#include "boreon/calculus.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"
#include "reaction_diffusion.hpp"

using namespace boreon;

namespace bench {

std::vector<Expr> symbols(const std::string& name, std::size_t n) {
  std::vector<Expr> list;
  list.reserve(n);
  for (std::size_t i = 0; i < n; ++i) list.push_back(Symbol(name + std::to_string(i)));
  return list;
}

namespace {

// A number that counts what is done with it.
struct Counted {
  double v = 0;
  static inline std::size_t operations = 0;
  Counted() = default;
  Counted(double value) : v(value) {}  // NOLINT(google-explicit-constructor): as double
  static Counted done(double value) {
    ++operations;
    return value;
  }
  friend Counted operator+(Counted a, Counted b) { return done(a.v + b.v); }
  friend Counted operator-(Counted a, Counted b) { return done(a.v - b.v); }
  friend Counted operator*(Counted a, Counted b) { return done(a.v * b.v); }
  friend Counted operator/(Counted a, Counted b) { return done(a.v / b.v); }
  friend Counted operator-(Counted a) { return done(-a.v); }
  Counted& operator+=(Counted b) { return *this = *this + b; }
  Counted& operator-=(Counted b) { return *this = *this - b; }
  friend Counted sqrt(Counted a) { return done(std::sqrt(a.v)); }
  friend Counted exp(Counted a) { return done(std::exp(a.v)); }
  friend Counted log(Counted a) { return done(std::log(a.v)); }
  friend Counted sin(Counted a) { return done(std::sin(a.v)); }
  friend Counted cos(Counted a) { return done(std::cos(a.v)); }
  friend Counted pow(Counted a, Counted b) { return done(std::pow(a.v, b.v)); }
};

template <class F>
std::size_t counted(const Model& m, const F& f) {
  const std::vector<Counted> y(m.y.begin(), m.y.end());
  const std::vector<Counted> p(m.p.begin(), m.p.end());
  std::vector<Counted> out(m.outputs[0].values.size());
  std::vector<Counted> j(m.outputs[1].values.size());
  Counted::operations = 0;
  f(y.data(), p.data(), out.data(), j.data());
  return Counted::operations;
}

Model model(std::string name, const std::vector<Expr>& f, const std::vector<Expr>& y, const std::vector<Expr>& p) {
  Model m;
  m.name = std::move(name);
  m.outputs = {OutputGroup("f", f), OutputGroup("j", sparse_jacobian(f, y))};
  m.inputs = {{"y", y}, {"p", p}};
  return m;
}

}  // namespace

const std::array<Reaction, reactions>& reaction_list() {
  static const std::array<Reaction, reactions> list = [] {
    std::array<Reaction, reactions> r{};
    for (int i = 0; i < reactions; ++i) {
      const int a = i % species;
      const int b = (3 * i + 1 + i / species) % species;
      const int c = (7 * i + 5) % species;
      const int d = (11 * i + 2) % species;
      r[static_cast<std::size_t>(i)] = {a,
                                        b == a ? (b + 1) % species : b,
                                        c,
                                        d,
                                        0.5 + 0.125 * (i % 9),
                                        -0.75 + 0.25 * (i % 7 == 3 ? 8 : i % 7),
                                        100.0 + 37 * i,
                                        0.001 * (i % 5 - 2.5)};
    }
    return r;
  }();
  return list;
}

Model chemistry() {
  std::vector<Expr> y = symbols("n", species);
  const Symbol T("T");
  y.push_back(T);
  std::vector<Expr> f(species + 1);
  for (const Reaction& r : reaction_list()) {
    const auto exact = [](double v) { return Expr(Number(static_cast<std::int64_t>(v * 8000), 8000)); };
    const auto at = [](int i) { return static_cast<std::size_t>(i); };
    const Expr rate = exact(r.factor) * pow(T, exact(r.beta)) * exp(-exact(r.energy) / T) * y[at(r.a)] * y[at(r.b)];
    f[at(r.a)] -= rate;
    f[at(r.b)] -= rate;
    f[at(r.c)] += rate;
    f[at(r.d)] += rate;
    f[species] += exact(r.heat) * rate;
  }
  Model m = model("chemistry", f, y, {});
  m.by_hand = chemistry_by_hand;
  by_hand::find_places(*m.outputs[1].pattern);
  for (int i = 0; i < species; ++i) m.y.push_back(0.5 + 0.1 * (i % 7));
  m.y.push_back(950);
  m.operations_by_hand = counted(m, by_hand::chemistry<Counted>);
  return m;
}

Model three_bodies() {
  const auto x = symbols("x", 9);
  const auto v = symbols("v", 9);
  const auto mu = symbols("mu", 3);
  std::vector<Expr> f(v.begin(), v.end());
  for (std::size_t i = 0; i < 3; ++i) {
    for (std::size_t c = 0; c < 3; ++c) {
      Expr a = 0;
      for (std::size_t k = 0; k < 3; ++k) {
        if (k == i) continue;
        Expr r2 = 0;
        for (std::size_t d = 0; d < 3; ++d) r2 += pow(x[3 * k + d] - x[3 * i + d], 2);
        a += mu[k] * (x[3 * k + c] - x[3 * i + c]) * pow(r2, Expr(-3) / 2);
      }
      f.push_back(a);
    }
  }
  std::vector<Expr> y = x;
  y.insert(y.end(), v.begin(), v.end());
  Model m = model("three_bodies", f, y, mu);
  m.by_hand = three_bodies_by_hand;
  m.y = {1.0, 0.1, 0.0, -0.4, 0.9, 0.2, -0.5, -1.1, -0.1, 0.1, 0.5, 0.2, -0.3, 0.1, 0.4, 0.2, -0.6, -0.1};
  m.p = {1.0, 0.8, 1.2};
  m.operations_by_hand = counted(m, by_hand::three_bodies<Counted>);
  return m;
}

Model triple_pendulum() {
  const auto a = symbols("a", 3);  // angles
  const auto w = symbols("w", 3);
  const auto b = symbols("b", 3);  // angular accelerations
  const auto l = symbols("l", 3);
  const auto mass = symbols("m", 3);
  const Symbol g("g");
  std::vector<Expr> f;
  for (std::size_t i = 0; i < 3; ++i) {
    Expr sum = 0;
    Expr below = 0;
    for (std::size_t k = 0; k < 3; ++k) {
      Expr m = 0;
      for (std::size_t q = std::max(i, k); q < 3; ++q) m += mass[q];
      sum += m * l[i] * l[k] * (cos(a[i] - a[k]) * b[k] + sin(a[i] - a[k]) * pow(w[k], 2));
    }
    for (std::size_t q = i; q < 3; ++q) below += mass[q];
    f.push_back(sum + below * g * l[i] * sin(a[i]));
  }
  std::vector<Expr> y = a;
  y.insert(y.end(), w.begin(), w.end());
  y.insert(y.end(), b.begin(), b.end());
  std::vector<Expr> p = l;
  p.insert(p.end(), mass.begin(), mass.end());
  p.push_back(g);
  Model m = model("triple_pendulum", f, y, p);
  m.by_hand = triple_pendulum_by_hand;
  m.y = {0.4, -0.7, 1.3, 0.2, -0.5, 0.8, 0.1, 0.3, -0.2};
  m.p = {1.0, 0.8, 0.6, 1.5, 1.0, 0.5, 9.81};
  m.operations_by_hand = counted(m, by_hand::triple_pendulum<Counted>);
  return m;
}

Model ionisation() {
  // N2+, O2+, O+, NO+, N+, e-, NO, N in an auroral E region; temperatures and neutral densities are parameters
  const auto n = symbols("n", 8);
  const auto q = symbols("q", 4);
  const Symbol Te("Te"), Tn("Tn"), N2("N2"), O2("O2"), O("O");
  const Expr te = Expr(300) / Te;
  const Expr tn = Expr(300) / Tn;
  const Expr k1 = Expr(Number(22, 100)) * pow(te, Expr(Number(39, 100)));
  const Expr k2 = Expr(Number(19, 100)) * pow(te, Expr(Number(7, 10)));
  const Expr k3 = Expr(Number(42, 100)) * pow(te, Expr(Number(85, 100)));
  const Expr k4 = Expr(Number(14, 100)) * pow(tn, Expr(Number(44, 100)));
  const Expr k5 = Expr(Number(5, 100)) * tn;
  const Expr k6 = Expr(Number(12, 100)) * exp(-Expr(320) / Tn);
  const Expr k7 = Expr(Number(21, 100)) * sqrt(tn);
  const Expr k8 = Expr(Number(45, 100));
  const Expr k9 = Expr(Number(26, 100));
  const Expr r1 = k1 * n[0] * n[5], r2 = k2 * n[1] * n[5], r3 = k3 * n[3] * n[5];
  const Expr r4 = k4 * n[0] * O, r5 = k5 * n[0] * O2, r6 = k6 * n[2] * N2, r7 = k7 * n[2] * O2;
  const Expr r8 = k8 * n[1] * n[6], r9 = k9 * n[4] * O2, r10 = k8 * n[7] * n[6];
  const std::vector<Expr> f{
      q[0] - r1 - r4 - r5, q[1] - r2 + r5 + r7 - r8 + r9 / 2,       q[2] - r6 - r7,    r4 + r6 + r8 + r9 / 2 - r3,
      q[3] - r9,           n[0] + n[1] + n[2] + n[3] + n[4] - n[5], r9 / 2 - r8 - r10, 2 * r1 + r3 - r10 + r4};
  std::vector<Expr> p = q;
  for (const Expr& e : {Expr(Te), Expr(Tn), Expr(N2), Expr(O2), Expr(O)}) p.push_back(e);
  Model m = model("ionisation", f, n, p);
  m.by_hand = ionisation_by_hand;
  m.y = {0.1, 0.3, 0.2, 0.6, 0.05, 1.25, 0.4, 0.2};
  m.p = {1.0, 0.4, 0.5, 0.1, 620, 410, 3.0, 0.8, 1.1};
  m.operations_by_hand = counted(m, by_hand::ionisation<Counted>);
  return m;
}

Model grid(int n) {
  const ReactionDiffusion r = reaction_diffusion(n);
  Model m = model("grid", r.residuals, r.unknowns, r.parameters);
  by_hand::grid_size = n;
  m.by_hand = grid_by_hand;
  m.y.resize(r.unknowns.size());
  for (std::size_t i = 0; i < m.y.size(); ++i) m.y[i] = 1 + 0.001 * static_cast<double>(i % 97);
  m.p = {1, 3, 0.02};
  m.operations_by_hand = counted(m, by_hand::grid<Counted>);
  return m;
}

}  // namespace bench
