// SPDX-License-Identifier: MIT
// Residuals and Jacobians as a careful programmer writes them: shared factors once, no call twice, no division twice,
// sparse entries at known places.
#pragma once

#include <cmath>
#include <cstring>
#include <vector>

#include "models.hpp"

namespace bench {

void chemistry_by_hand(const double* y, const double* p, double* f, double* j);
void three_bodies_by_hand(const double* y, const double* p, double* f, double* j);
void triple_pendulum_by_hand(const double* y, const double* p, double* f, double* j);
void ionisation_by_hand(const double* y, const double* p, double* f, double* j);
void grid_by_hand(const double* y, const double* p, double* f, double* j);

namespace by_hand {

inline int grid_size = 64;

// Where the entries of one reaction stand in the Jacobian: rows a, b, c, d, T; columns a, b, T.
struct Places {
  int at[5][3];
};
inline std::vector<Places> places;
inline int nonzeros = 0;
inline void find_places(const boreon::SparsityPattern& pattern) {
  const auto place = [&](int row, int column) {
    for (auto k = pattern.row_start[static_cast<std::size_t>(row)];
         k < pattern.row_start[static_cast<std::size_t>(row) + 1]; ++k) {
      if (pattern.columns[static_cast<std::size_t>(k)] == column) return static_cast<int>(k);
    }
    return static_cast<int>(pattern.nonzeros());  // cancels: a spare entry
  };
  places.clear();
  nonzeros = static_cast<int>(pattern.nonzeros());
  for (const Reaction& r : reaction_list()) {
    Places p{};
    const int rows[] = {r.a, r.b, r.c, r.d, species};
    const int columns[] = {r.a, r.b, species};
    for (int i = 0; i < 5; ++i) {
      for (int k = 0; k < 3; ++k) p.at[i][k] = place(rows[i], columns[k]);
    }
    places.push_back(p);
  }
}

template <class S>
void chemistry(const S* y, const S*, S* f, S* out) {
  using std::exp;
  using std::log;
  const S T = y[species];
  const S inverse = 1.0 / T;
  const S logarithm = log(T);
  S j[512];
  for (int i = 0; i <= nonzeros; ++i) j[i] = 0.0;
  for (int i = 0; i <= species; ++i) f[i] = 0.0;
  const auto& list = reaction_list();
  for (int i = 0; i < reactions; ++i) {
    const Reaction& r = list[static_cast<std::size_t>(i)];
    const Places& at = places[static_cast<std::size_t>(i)];
    const S e = r.energy * inverse;
    const S k = r.factor * exp(r.beta * logarithm - e);
    const S by_a = k * y[r.b];
    const S by_b = k * y[r.a];
    const S rate = by_a * y[r.a];
    const S by_T = rate * ((r.beta + e) * inverse);
    f[r.a] -= rate;
    f[r.b] -= rate;
    f[r.c] += rate;
    f[r.d] += rate;
    f[species] += r.heat * rate;
    j[at.at[0][0]] -= by_a;
    j[at.at[0][1]] -= by_b;
    j[at.at[0][2]] -= by_T;
    j[at.at[1][0]] -= by_a;
    j[at.at[1][1]] -= by_b;
    j[at.at[1][2]] -= by_T;
    for (int row = 2; row < 4; ++row) {
      j[at.at[row][0]] += by_a;
      j[at.at[row][1]] += by_b;
      j[at.at[row][2]] += by_T;
    }
    j[at.at[4][0]] += r.heat * by_a;
    j[at.at[4][1]] += r.heat * by_b;
    j[at.at[4][2]] += r.heat * by_T;
  }
  for (int i = 0; i < nonzeros; ++i) out[i] = j[i];
}

// Rows 0-8: one entry each (velocities); rows 9-17: nine entries (positions).
template <class S>
void three_bodies(const S* y, const S* mu, S* f, S* j) {
  using std::sqrt;
  for (int i = 0; i < 9; ++i) {
    f[i] = y[9 + i];
    j[i] = 1.0;
  }
  const auto at = [&](int body, int c, int other, int d) -> S& { return j[9 + (3 * body + c) * 9 + 3 * other + d]; };
  bool fresh[3] = {true, true, true};
  for (int a = 0; a < 3; ++a) {
    for (int b = a + 1; b < 3; ++b) {
      const S d[3] = {y[3 * b] - y[3 * a], y[3 * b + 1] - y[3 * a + 1], y[3 * b + 2] - y[3 * a + 2]};
      const S r2 = d[0] * d[0] + d[1] * d[1] + d[2] * d[2];
      const S inverse2 = 1.0 / r2;
      const S inverse3 = inverse2 * sqrt(inverse2);
      const S inverse5 = 3.0 * inverse3 * inverse2;
      const S from_b = mu[b] * inverse3;
      const S from_a = mu[a] * inverse3;
      for (int c = 0; c < 3; ++c) {
        const S pull_a = from_b * d[c];
        const S pull_b = from_a * d[c];
        f[9 + 3 * a + c] = fresh[a] ? pull_a : f[9 + 3 * a + c] + pull_a;
        f[9 + 3 * b + c] = fresh[b] ? -pull_b : f[9 + 3 * b + c] - pull_b;
      }
      for (int c = 0; c < 3; ++c) {
        const S scaled = inverse5 * d[c];
        for (int e = c; e < 3; ++e) {
          const S t = c == e ? scaled * d[e] - inverse3 : scaled * d[e];
          const S ta = mu[b] * t;
          const S tb = mu[a] * t;
          at(a, c, b, e) = -ta;
          at(b, c, a, e) = -tb;
          at(a, c, a, e) = fresh[a] ? ta : at(a, c, a, e) + ta;
          at(b, c, b, e) = fresh[b] ? tb : at(b, c, b, e) + tb;
          if (e != c) {
            at(a, e, b, c) = at(a, c, b, e);
            at(b, e, a, c) = at(b, c, a, e);
            at(a, e, a, c) = at(a, c, a, e);
            at(b, e, b, c) = at(b, c, b, e);
          }
        }
      }
      fresh[a] = fresh[b] = false;
    }
  }
}

// Each row: angles 3, rates of the two others 2, accelerations 3.
template <class S>
void triple_pendulum(const S* y, const S* p, S* f, S* j) {
  using std::cos;
  using std::sin;
  const S* const a = y;
  const S* const w = y + 3;
  const S* const b = y + 6;
  const S* const l = p;
  const S m3 = p[5];
  const S m2 = p[4] + m3;
  const S m1 = p[3] + m2;
  const S masses[3] = {m1, m2, m3};
  const S w2[3] = {w[0] * w[0], w[1] * w[1], w[2] * w[2]};
  S row_a[3];
  for (int i = 0; i < 3; ++i) {
    const S weight = masses[i] * l[i];
    const S heavy = weight * p[6];
    f[i] = heavy * sin(a[i]) + weight * l[i] * b[i];
    row_a[i] = heavy * cos(a[i]);
    j[8 * i + 5 + i] = weight * l[i];
  }
  const int column_of_rate[3][3] = {{-1, 3, 4}, {3, -1, 4}, {3, 4, -1}};
  for (int i = 0; i < 3; ++i) {
    for (int k = i + 1; k < 3; ++k) {
      const S m = masses[k] * l[i] * l[k];
      const S difference = a[i] - a[k];
      const S c = m * cos(difference);
      const S s = m * sin(difference);
      const S cb_k = c * b[k];
      const S sw_k = s * w2[k];
      const S cb_i = c * b[i];
      const S sw_i = s * w2[i];
      f[i] += cb_k + sw_k;
      f[k] += cb_i - sw_i;
      const S by_i = c * w2[k] - s * b[k];
      const S by_k = s * b[i] + c * w2[i];
      row_a[i] += by_i;
      row_a[k] += by_k;
      j[8 * i + k] = -by_i;
      j[8 * k + i] = -by_k;
      const S twice = 2.0 * s;
      j[8 * i + column_of_rate[i][k]] = twice * w[k];
      j[8 * k + column_of_rate[k][i]] = -(twice * w[i]);
      j[8 * i + 5 + k] = c;
      j[8 * k + 5 + i] = c;
    }
  }
  for (int i = 0; i < 3; ++i) j[8 * i + i] = row_a[i];
}

template <class S>
void ionisation(const S* n, const S* p, S* f, S* j) {
  using std::exp;
  using std::pow;
  using std::sqrt;
  const S te = 300.0 / p[4];
  const S tn = 300.0 / p[5];
  const S k1 = 0.22 * pow(te, 0.39);
  const S k2 = 0.19 * pow(te, 0.7);
  const S k3 = 0.42 * pow(te, 0.85);
  const S k4 = 0.14 * pow(tn, 0.44) * p[8];
  const S k5 = 0.05 * tn * p[7];
  const S k6 = 0.12 * exp(-320.0 / p[5]) * p[6];
  const S k7 = 0.21 * sqrt(tn) * p[7];
  const S half9 = 0.13 * p[7];
  const S k9 = 0.26 * p[7];
  const S a1 = k1 * n[5], b1 = k1 * n[0], r1 = a1 * n[0];
  const S a2 = k2 * n[5], b2 = k2 * n[1], r2 = a2 * n[1];
  const S a3 = k3 * n[5], b3 = k3 * n[3], r3 = a3 * n[3];
  const S a8 = 0.45 * n[6], b8 = 0.45 * n[1], r8 = a8 * n[1];
  const S b10 = 0.45 * n[7], r10 = a8 * n[7];
  const S r4 = k4 * n[0], r5 = k5 * n[0], r6 = k6 * n[2], r7 = k7 * n[2], h9 = half9 * n[4];
  f[0] = p[0] - r1 - r4 - r5;
  f[1] = p[1] - r2 + r5 + r7 - r8 + h9;
  f[2] = p[2] - r6 - r7;
  f[3] = r4 + r6 + r8 + h9 - r3;
  f[4] = p[3] - k9 * n[4];
  f[5] = n[0] + n[1] + n[2] + n[3] + n[4] - n[5];
  f[6] = h9 - r8 - r10;
  f[7] = 2.0 * r1 + r3 - r10 + r4;
  S* o = j;
  *o++ = -a1 - k4 - k5, *o++ = -b1;                                                  // 0: 0 5
  *o++ = k5, *o++ = -a2 - a8, *o++ = k7, *o++ = half9, *o++ = -b2, *o++ = -b8;       // 1: 0 1 2 4 5 6
  *o++ = -k6 - k7;                                                                   // 2: 2
  *o++ = k4, *o++ = a8, *o++ = k6, *o++ = -a3, *o++ = half9, *o++ = -b3, *o++ = b8;  // 3: 0 1 2 3 4 5 6
  *o++ = -k9;                                                                        // 4: 4
  *o++ = 1.0, *o++ = 1.0, *o++ = 1.0, *o++ = 1.0, *o++ = 1.0, *o++ = -1.0;           // 5: 0..5
  *o++ = -a8, *o++ = half9, *o++ = -b8 - b10, *o++ = -a8;                            // 6: 1 4 6 7
  *o++ = 2.0 * a1 + k4, *o++ = a3, *o++ = 2.0 * b1 + b3, *o++ = -b10, *o++ = -a8;    // 7: 0 3 5 6 7
}

template <class S>
void grid(const S* x, const S* p, S* f, S* j) {
  const int n = grid_size;
  const S b1 = p[1] + 1.0;
  const S d = p[2];
  const S d4 = 4.0 * d;
  // Entries of a row in the order of their columns, which turns over at the edges of the periodic grid.
  for (int i = 0; i < n; ++i) {
    const int up = (i + n - 1) % n;
    const int down = (i + 1) % n;
    for (int k = 0; k < n; ++k) {
      const int left = (k + n - 1) % n;
      const int right = (k + 1) % n;
      const int at = 2 * (i * n + k);
      const int a_up = 2 * (up * n + k), a_down = 2 * (down * n + k), a_left = 2 * (i * n + left),
                a_right = 2 * (i * n + right);
      const S u = x[at];
      const S v = x[at + 1];
      const S uu = u * u;
      const S uv = u * v;
      const S uuv = uu * v;
      const S lu = x[a_up] + x[a_down] + x[a_left] + x[a_right] - 4.0 * u;
      const S lv = x[a_up + 1] + x[a_down + 1] + x[a_left + 1] + x[a_right + 1] - 4.0 * v;
      f[at] = p[0] + uuv - b1 * u + d * lu;
      f[at + 1] = p[1] * u - uuv + d * lv;
      const S uv2 = 2.0 * uv;
      const S uu_diagonal = uv2 - b1 - d4;
      const S vv_diagonal = -uu - d4;
      const S vu = p[1] - uv2;
      S* const ju = j + 6 * at;
      S* const jv = ju + 6;
      // neighbours before the place itself in the order of columns
      const int before = (a_up < at) + (a_down < at) + (a_left < at) + (a_right < at);
      int o = 0;
      for (int q = 0; q < before; ++q, ++o) ju[o] = jv[o] = d;
      ju[o] = uu_diagonal;
      jv[o] = vu;
      ++o;
      ju[o] = uu;
      jv[o] = vv_diagonal;
      ++o;
      for (int q = before; q < 4; ++q, ++o) ju[o] = jv[o] = d;
    }
  }
}

}  // namespace by_hand
}  // namespace bench
