// SPDX-License-Identifier: MIT
// Compiled with -O3 -march=native.
#include "stencils_by_hand.hpp"

#include <cmath>

namespace bench {
namespace {

// Flow from `other` to `here` and its derivatives.
struct Face {
  double flow, by_other, by_here;
};
inline Face face(double here, double other, double b) {
  const double mean = 0.5 * (here + other);
  const double difference = other - here;
  const double bm = b * mean;
  const double d = 1.0 + bm * mean;
  const double slope = bm * difference;
  return {d * difference, d + slope, slope - d};
}

template <bool columns>
void diffusion(const double* __restrict u, const double* __restrict p, double* __restrict f, double* __restrict j) {
  constexpr int n = diffusion_size;
  const double b = p[0];
  const auto place = [&](int i, int k, double*& out) {
    const int c = i * n + k;
    double sum = 0;
    double diagonal = 0;
    double before[2];
    double after[2];
    int befores = 0;
    int afters = 0;
    const auto neighbour = [&](int other, double* list, int& count) {
      const Face a = face(u[c], u[other], b);
      sum += a.flow;
      diagonal += a.by_here;
      list[count++] = columns ? -a.by_here : a.by_other;  // what leaves here arrives there
    };
    if (i > 0) neighbour(c - n, before, befores);
    if (k > 0) neighbour(c - 1, before, befores);
    if (k < n - 1) neighbour(c + 1, after, afters);
    if (i < n - 1) neighbour(c + n, after, afters);
    f[c] = sum;
    for (int q = 0; q < befores; ++q) *out++ = before[q];
    *out++ = diagonal;
    for (int q = 0; q < afters; ++q) *out++ = after[q];
  };
  double* out = j;
  for (int i = 0; i < n; ++i) {
    if (i == 0 || i == n - 1) {
      for (int k = 0; k < n; ++k) place(i, k, out);
      continue;
    }
    place(i, 0, out);
    const double* const here = u + i * n;
    double* const to = f + i * n;
    for (int k = 1; k < n - 1; ++k) {
      const double c = here[k];
      const Face up = face(c, here[k - n], b);
      const Face left = face(c, here[k - 1], b);
      const Face right = face(c, here[k + 1], b);
      const Face down = face(c, here[k + n], b);
      to[k] = up.flow + left.flow + right.flow + down.flow;
      double* const o = out + 5 * (k - 1);
      o[0] = columns ? -up.by_here : up.by_other;
      o[1] = columns ? -left.by_here : left.by_other;
      o[2] = up.by_here + left.by_here + right.by_here + down.by_here;
      o[3] = columns ? -right.by_here : right.by_other;
      o[4] = columns ? -down.by_here : down.by_other;
    }
    out += 5 * (n - 2);
    place(i, n - 1, out);
  }
}

}  // namespace

void diffusion_by_rows(const double* y, const double* p, double* f, double* j) { diffusion<false>(y, p, f, j); }
void diffusion_by_columns(const double* y, const double* p, double* f, double* j) { diffusion<true>(y, p, f, j); }

void burgers_by_rows(const double* __restrict y, const double* __restrict p, double* __restrict f,
                     double* __restrict j) {
  constexpr int n = burgers_size;
  const double nu = p[0];
  const double g = p[1];
  const double nu4 = 4.0 * nu;
  double* out = j;
  for (int i = 0; i < n; ++i) {
    for (int k = 0; k < n; ++k) {
      const int at = 2 * (i * n + k);
      const bool up = i > 0, left = k > 0, right = k < n - 1, down = i < n - 1;
      const double u = y[at], v = y[at + 1];
      const double gu = g * u, gv = g * v;
      for (int s = 0; s < 2; ++s) {
        const double w = y[at + s];
        const double w_up = up ? y[at - 2 * n + s] : 0.0, w_left = left ? y[at - 2 + s] : 0.0;
        const double w_right = right ? y[at + 2 + s] : 0.0, w_down = down ? y[at + 2 * n + s] : 0.0;
        const double by_x = w_right - w_left, by_y = w_down - w_up;
        f[at + s] = nu * (w_up + w_left + w_right + w_down - 4.0 * w) - gu * by_x - gv * by_y;
        if (up) *out++ = nu + gv;
        if (left) *out++ = nu + gu;
        const double gx = g * by_x, gy = g * by_y;
        if (s == 0) {
          *out++ = -nu4 - gx;
          *out++ = -gy;
        } else {
          *out++ = -gx;
          *out++ = -nu4 - gy;
        }
        if (right) *out++ = nu - gu;
        if (down) *out++ = nu - gv;
      }
    }
  }
}

void pattern_by_rows(const double* __restrict u, const double* __restrict p, double* __restrict f,
                     double* __restrict j) {
  constexpr int n = pattern_size;
  const double q = p[1];
  const double q2 = q * q;
  // (1 + q*L)^2 with the 5-point L: weights of the 13 places
  const double center = 1.0 - 8.0 * q + 20.0 * q2;
  const double near = 2.0 * q - 8.0 * q2;
  const double diagonal = 2.0 * q2;
  const double linear = p[0] - center;
  const double by_near = -near, by_diagonal = -diagonal, by_far = -q2;
  static const int di[12] = {-2, -1, -1, -1, 0, 0, 0, 0, 1, 1, 1, 2};
  static const int dk[12] = {0, -1, 0, 1, -2, -1, 1, 2, -1, 0, 1, 0};
  const double weight[12] = {by_far,  by_diagonal, by_near,     by_diagonal, by_far,      by_near,
                             by_near, by_far,      by_diagonal, by_near,     by_diagonal, by_far};
  for (int i = 0; i < n; ++i) {
    const double* const r[5] = {u + (i + n - 2) % n * n, u + (i + n - 1) % n * n, u + i * n, u + (i + 1) % n * n,
                                u + (i + 2) % n * n};
    const auto residual = [&](int k, int l2, int l1, int r1, int r2) {
      const double c = r[2][k];
      f[i * n + k] = c * (linear - c * c) - near * (r[1][k] + r[2][l1] + r[2][r1] + r[3][k]) -
                     diagonal * (r[1][l1] + r[1][r1] + r[3][l1] + r[3][r1]) -
                     q2 * (r[0][k] + r[2][l2] + r[2][r2] + r[4][k]);
      return linear - 3.0 * c * c;
    };
    const auto edge = [&](int k) {
      double entries[13];
      int columns[13];
      for (int e = 0; e < 12; ++e) {
        columns[e] = (i + di[e] + n) % n * n + (k + dk[e] + n) % n;
        entries[e] = weight[e];
      }
      columns[12] = i * n + k;
      entries[12] = residual(k, (k + n - 2) % n, (k + n - 1) % n, (k + 1) % n, (k + 2) % n);
      double* const o = j + 13 * (i * n + k);
      for (int e = 0; e < 13; ++e) {
        int at = 0;
        for (int h = 0; h < 13; ++h) at += columns[h] < columns[e] ? 1 : 0;
        o[at] = entries[e];
      }
    };
    const bool inner = i > 1 && i < n - 2;
    for (int k = 0; k < (inner ? 2 : n); ++k) edge(k);
    if (!inner) continue;
    for (int k = 2; k < n - 2; ++k) {
      double* const o = j + 13 * (i * n + k);
      for (int e = 0; e < 6; ++e) o[e] = weight[e];
      o[6] = residual(k, k - 2, k - 1, k + 1, k + 2);
      for (int e = 6; e < 12; ++e) o[e + 1] = weight[e];
    }
    for (int k = n - 2; k < n; ++k) edge(k);
  }
}

void flame_by_rows(const double* __restrict t, const double* __restrict p, double* __restrict f, double* __restrict j) {
  constexpr int n = flame_size;
  const double d = p[0], rate = p[1], energy = p[2], outside = p[3];
  const double d6 = 6.0 * d;
  double* o = j;
  for (int a = 0; a < n; ++a) {
    for (int b = 0; b < n; ++b) {
      for (int c = 0; c < n; ++c) {
        const int at = (a * n + b) * n + c;
        const double here = t[at];
        double sum = 0;
        if (a > 0)
          sum += t[at - n * n], *o++ = d;
        else
          sum += outside;
        if (b > 0)
          sum += t[at - n], *o++ = d;
        else
          sum += outside;
        if (c > 0)
          sum += t[at - 1], *o++ = d;
        else
          sum += outside;
        const double inverse = 1.0 / here;
        const double e = energy * inverse;
        const double source = rate * std::exp(-e);
        *o++ = source * (e * inverse) - d6;
        if (c < n - 1)
          sum += t[at + 1], *o++ = d;
        else
          sum += outside;
        if (b < n - 1)
          sum += t[at + n], *o++ = d;
        else
          sum += outside;
        if (a < n - 1)
          sum += t[at + n * n], *o++ = d;
        else
          sum += outside;
        f[at] = d * sum - d6 * here + source;
      }
    }
  }
}

void film_by_rows(const double* __restrict h, const double* __restrict p, double* __restrict f, double* __restrict j) {
  constexpr int n = film_size;
  const double q = p[0];
  // At the face between l and r: m*(rr - 3*r + 3*l - ll), m = ((l + r)/2)^3.
  struct Flow {
    double flow, m, slope;
  };
  const auto flow = [q](double ll, double l, double r, double rr) {
    const double mean = 0.5 * (l + r);
    const double square = q * mean * mean;
    const double m = square * mean;
    const double third = rr - ll + 3.0 * (l - r);
    return Flow{m * third, m, 1.5 * square * third};
  };
  const auto row = [&](const double* u, double& residual, double e[5]) {
    const Flow l = flow(u[0], u[1], u[2], u[3]);
    const Flow r = flow(u[1], u[2], u[3], u[4]);
    residual = l.flow - r.flow;
    e[0] = -l.m;
    e[1] = 3.0 * l.m + l.slope + r.m;
    e[2] = l.slope - 3.0 * l.m - 3.0 * r.m - r.slope;
    e[3] = l.m + 3.0 * r.m - r.slope;
    e[4] = -r.m;
  };
  const auto edge = [&](int i) {
    double u[5], e[5];
    int columns[5];
    for (int k = 0; k < 5; ++k) {
      columns[k] = (i + k - 2 + n) % n;
      u[k] = h[columns[k]];
    }
    row(u, f[i], e);
    for (int k = 0; k < 5; ++k) {
      int at = 0;
      for (int o = 0; o < 5; ++o) at += columns[o] < columns[k] ? 1 : 0;
      j[5 * i + at] = e[k];
    }
  };
  for (int i = 0; i < 2; ++i) edge(i);
  for (int i = 2; i < n - 2; ++i) row(h + i - 2, f[i], j + 5 * i);
  for (int i = n - 2; i < n; ++i) edge(i);
}

void chain_energy(const double* __restrict x, const double* __restrict p, double* __restrict f, double* __restrict j) {
  constexpr int n = chain_size;
  const double k = p[0], b = p[1];
  if (f != nullptr) {
    double sum = 0;
    for (int i = 0; i + 1 < n; ++i) {
      const double d = x[i + 1] - x[i];
      const double square = d * d;
      sum += square * (0.5 * k + 0.25 * b * square);
    }
    *f = sum;
  }
  if (j == nullptr) return;
  double before = 0;
  for (int i = 0; i + 1 < n; ++i) {
    const double d = x[i + 1] - x[i];
    const double pull = d * (k + b * (d * d));
    j[i] = before - pull;
    before = pull;
  }
  j[n - 1] = before;
}

void decay_misfit(const double* __restrict y, const double* __restrict p, double* __restrict f, double* __restrict j) {
  constexpr int n = data_size;
  const double* const t = p;
  const double* const data = p + n;
  const double a = y[0], r = y[1], c = y[2];
  double sum = 0, by_a = 0, by_r = 0, by_c = 0;
  for (int i = 0; i < n; ++i) {
    const double e = std::exp(-r * t[i]);
    const double difference = a * e + c - data[i];
    sum += difference * difference;
    if (j == nullptr) continue;
    by_a += difference * e;
    by_r -= difference * e * t[i];
    by_c += difference;
  }
  if (f != nullptr) *f = sum;
  if (j == nullptr) return;
  j[0] = 2.0 * by_a;
  j[1] = 2.0 * a * by_r;
  j[2] = 2.0 * by_c;
}

}  // namespace bench
