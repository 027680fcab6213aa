/* Runs a row of steps on short vectors. C99, no allocation, nothing global: calls may run side by side.
 *
 * A step is: what it does, how many values it makes, where they go, how many vectors it reads, how many whole
 * numbers it has; then of each vector its place and width; then the numbers. Places from 0 on are in `work`, -1 is
 * the setting, below that stand the values. At the end: how many outputs, and of each its place and width. */
#include <math.h>

enum { renth_near = 40 }; /* runs behind a prediction of kriging on the nearest runs, at most */

static double renth_sign(double v) { return v > 0 ? 1.0 : v < 0 ? -1.0 : v; }

/* Correlation of two scaled settings; runs stand by rows. */
static double renth_correlation(int kernel, int features, const double *a, const double *b) {
  double squared = 0, size = 0, product = 1;
  int k;
  for (k = 0; k < features; ++k) {
    const double d = a[k] - b[k], s = sqrt(5.0) * fabs(d);
    squared += d * d;
    size += s;
    if (kernel == 4) product *= 1 + s + s * s / 3;
  }
  switch (kernel) {
    case 0: return exp(-0.5 * squared);
    case 1: { const double s = sqrt(5 * squared); return (1 + s + s * s / 3) * exp(-s); }
    case 2: { const double s = sqrt(3 * squared); return (1 + s) * exp(-s); }
    case 3: return exp(-sqrt(squared));
    default: return (product < 1e290 ? product : 1e290) * exp(-size);
  }
}

/* Keeps the `most` smallest of the values offered, ascending, with their numbers. \returns how many there are. */
static int renth_keep_smallest(int count, int most, double *kept, double *which, double value, int number) {
  int at;
  if (count == most && !(value < kept[most - 1])) return count;
  if (count < most) ++count;
  for (at = count - 1; at > 0 && kept[at - 1] > value; --at) {
    kept[at] = kept[at - 1];
    which[at] = which[at - 1];
  }
  kept[at] = value;
  which[at] = number;
  return count;
}

/* L of A = L L', in place by rows; 0 if A is not positive definite. */
static int renth_cholesky(int n, double *a) {
  int i, j, k;
  for (j = 0; j < n; ++j) {
    for (i = j; i < n; ++i) {
      double v = a[i * n + j];
      for (k = 0; k < j; ++k) v -= a[i * n + k] * a[j * n + k];
      if (i > j) a[i * n + j] = v / a[j * n + j];
      else if (v > 0) a[j * n + j] = sqrt(v);
      else return 0;
    }
  }
  return 1;
}

static void renth_solve(int n, const double *l, double *b) {
  int i, k;
  for (i = 0; i < n; ++i) {
    for (k = 0; k < i; ++k) b[i] -= l[i * n + k] * b[k];
    b[i] /= l[i * n + i];
  }
  for (i = n - 1; i >= 0; --i) {
    for (k = i + 1; k < n; ++k) b[i] -= l[k * n + i] * b[k];
    b[i] /= l[i * n + i];
  }
}

/* Kriging on the nearest runs. Numbers: kernel, runs, features, neighbours, where the runs, their residuals and the
 * nugget stand. */
static void renth_nearest(const int *number, const double *values, const double *x, double *to) {
  const int kernel = number[0], n = number[1], f = number[2], most = number[3];
  const double *runs = values + number[4], *residual = values + number[5], nugget = values[number[6]];
  double squared[renth_near], which[renth_near], k[renth_near], weight[renth_near], matrix[renth_near * renth_near];
  int count = 0, i, j;
  for (i = 0; i < n; ++i) {
    double d = 0;
    for (j = 0; j < f; ++j) d += (x[j] - runs[i * f + j]) * (x[j] - runs[i * f + j]);
    count = renth_keep_smallest(count, most, squared, which, d, i);
  }
  for (i = 0; i < count; ++i) {
    const double *run = runs + (int)which[i] * f;
    for (j = 0; j < i; ++j) matrix[i * count + j] = renth_correlation(kernel, f, run, runs + (int)which[j] * f);
    matrix[i * count + i] = 1 + nugget;
    k[i] = weight[i] = renth_correlation(kernel, f, x, run);
  }
  to[0] = to[1] = NAN;
  if (!renth_cholesky(count, matrix)) return;
  renth_solve(count, matrix, weight);
  to[0] = 0;
  to[1] = 1;
  for (i = 0; i < count; ++i) {
    to[0] += weight[i] * residual[(int)which[i]];
    to[1] -= weight[i] * k[i];
  }
  if (to[1] < 0) to[1] = 0;
}

/* The shortest l with l'A = f', A of m rows and p columns, which it changes: by the normal equations where A carries
 * all columns well, else by its singular values (one-sided rotations: M. R. Hestenes, J. SIAM 6, 1958). `square` and
 * `turn` hold p * p numbers, `z` p. */
static void renth_shortest(int m, int p, double *a, const double *f, double *l, double *square, double *turn,
                           double *z) {
  double least = INFINITY, most = 0;
  int i, j, k, definite;
  for (i = 0; i < p; ++i)
    for (j = 0; j <= i; ++j) {
      double v = 0;
      for (k = 0; k < m; ++k) v += a[k * p + i] * a[k * p + j];
      square[i * p + j] = v;
    }
  definite = renth_cholesky(p, square);
  for (i = 0; i < p && definite; ++i) {
    least = square[i * p + i] < least ? square[i * p + i] : least;
    most = square[i * p + i] > most ? square[i * p + i] : most;
  }
  if (definite && least > 1e-4 * most) {
    for (i = 0; i < p; ++i) z[i] = f[i];
    renth_solve(p, square, z);
    for (k = 0; k < m; ++k) {
      l[k] = 0;
      for (i = 0; i < p; ++i) l[k] += a[k * p + i] * z[i];
    }
    return;
  }
  for (i = 0; i < p; ++i)
    for (j = 0; j < p; ++j) turn[i * p + j] = i == j;
  for (k = 0; k < 60; ++k) {
    int turned = 0, r;
    for (i = 0; i < p; ++i)
      for (j = i + 1; j < p; ++j) {
        double aa = 0, bb = 0, ab = 0, t, c, s;
        for (r = 0; r < m; ++r) {
          aa += a[r * p + i] * a[r * p + i];
          bb += a[r * p + j] * a[r * p + j];
          ab += a[r * p + i] * a[r * p + j];
        }
        if (fabs(ab) <= 1e-15 * sqrt(aa * bb)) continue;
        turned = 1;
        t = (bb - aa) / (2 * ab);
        t = (t < 0 ? -1 : 1) / (fabs(t) + sqrt(1 + t * t));
        c = 1 / sqrt(1 + t * t);
        s = c * t;
        for (r = 0; r < m; ++r) {
          const double u = a[r * p + i], v = a[r * p + j];
          a[r * p + i] = c * u - s * v;
          a[r * p + j] = s * u + c * v;
        }
        for (r = 0; r < p; ++r) {
          const double u = turn[r * p + i], v = turn[r * p + j];
          turn[r * p + i] = c * u - s * v;
          turn[r * p + j] = s * u + c * v;
        }
      }
    if (!turned) break;
  }
  most = 0;
  for (i = 0; i < p; ++i) {
    z[i] = 0;
    for (k = 0; k < m; ++k) z[i] += a[k * p + i] * a[k * p + i];
    most = z[i] > most ? z[i] : most;
  }
  for (k = 0; k < m; ++k) l[k] = 0;
  for (i = 0; i < p; ++i) {
    double along = 0;
    if (!(z[i] > 1e-18 * most)) continue;
    for (j = 0; j < p; ++j) along += turn[j * p + i] * f[j];
    for (k = 0; k < m; ++k) l[k] += a[k * p + i] * along / z[i];
  }
}

/* Moving least squares. Numbers: runs, features, terms, runs with weight, where the runs' features, their terms and
 * outputs stand. */
static void renth_moving(const int *number, const double *values, const double *x, const double *f, double *to) {
  const int n = number[0], features = number[1], p = number[2], near = number[3];
  const double *runs = values + number[4], *terms = values + number[5], *y = values + number[6];
  double *squared = to + 2, *which = squared + near + 1, *a = which + near + 1, *square = a + near * p,
         *turn = square + p * p, *z = turn + p * p, *local = z + p;
  double last, width;
  int count = 0, i, j;
  for (i = 0; i < n; ++i) {
    double d = 0;
    for (j = 0; j < features; ++j) d += (runs[i * features + j] - x[j]) * (runs[i * features + j] - x[j]);
    count = renth_keep_smallest(count, near + 1, squared, which, d, i);
  }
  /* The first run without weight sets the width; when all have some, a little beyond the last. */
  last = squared[near - 1];
  width = near < n ? squared[near] : 1.2 * last;
  if (!(width > last * 1.0001 + 1e-12)) width = last * 1.0001 + 1e-12;
  for (i = 0; i < near; ++i) {
    squared[i] = pow(1 - squared[i] / width, 1.5);
    for (j = 0; j < p; ++j) a[i * p + j] = squared[i] * terms[(int)which[i] * p + j];
  }
  renth_shortest(near, p, a, f, local, square, turn, z);
  to[0] = to[1] = 0;
  for (i = 0; i < near; ++i) {
    const double w = local[i] * squared[i];
    to[0] += w * y[(int)which[i]];
    to[1] += w * w;
  }
}

/* Is a setting within reach of a run, or in the hull of all (pairwise Frank-Wolfe steps: S. Lacoste-Julien and
 * M. Jaggi, NIPS 2015, algorithm 2)? Numbers: runs, features, where the runs and the reach stand. */
static double renth_covered(const int *number, const double *values, const double *x, double *scratch) {
  const int n = number[0], f = number[1];
  const double *runs = values + number[2], reach = values[number[3]];
  double *weight = scratch, *gap = scratch + n, nearest = INFINITY, size2;
  int at = 0, step, i, j;
  for (i = 0; i < n; ++i) {
    double d = 0;
    for (j = 0; j < f; ++j) d += (runs[i * f + j] - x[j]) * (runs[i * f + j] - x[j]);
    if (d < nearest) { nearest = d; at = i; }
    weight[i] = 0;
  }
  if (sqrt(nearest) <= reach * (1 + 1e-9)) return 1;
  weight[at] = 1;
  for (j = 0; j < f; ++j) gap[j] = runs[at * f + j] - x[j];
  for (step = 0; step < 2000; ++step) {
    int toward = 0, away = 0;
    double lowest = INFINITY, highest = -INFINITY, plane = 0, slope = 0, length = 0, size;
    size2 = 0;
    for (j = 0; j < f; ++j) { size2 += gap[j] * gap[j]; plane += x[j] * gap[j]; }
    if (size2 < 1e-12) return 1;
    for (i = 0; i < n; ++i) {
      double along = 0;
      for (j = 0; j < f; ++j) along += runs[i * f + j] * gap[j];
      if (along < lowest) { lowest = along; toward = i; }
      if (weight[i] > 0 && along > highest) { highest = along; away = i; }
    }
    if (lowest - plane > 1e-9 * sqrt(size2)) return 0;
    if (highest - lowest < 1e-14) break;
    for (j = 0; j < f; ++j) {
      const double move = runs[toward * f + j] - runs[away * f + j];
      slope += gap[j] * move;
      length += move * move;
    }
    size = -slope / length < weight[away] ? -slope / length : weight[away];
    weight[away] -= size;
    if (weight[away] < 1e-15) weight[away] = 0;
    weight[toward] += size;
    for (j = 0; j < f; ++j) gap[j] += size * (runs[toward * f + j] - runs[away * f + j]);
  }
  size2 = 0;
  for (j = 0; j < f; ++j) size2 += gap[j] * gap[j];
  return size2 < 1e-8;
}

#define RENTH_EACH(value)                                      \
  for (i = 0; i < width; ++i) {                                \
    const double u = a[i];                                     \
    to[i] = (value);                                           \
  }                                                            \
  break
#define RENTH_PAIR(value)                                      \
  if (width == wide[0] && width == wide[1]) {                  \
    for (i = 0; i < width; ++i) {                              \
      const double u = a[i], v = b[i];                         \
      to[i] = (value);                                         \
    }                                                          \
  } else if (wide[0] == 1) {                                   \
    const double u = a[0];                                     \
    for (i = 0; i < width; ++i) {                              \
      const double v = b[i];                                   \
      to[i] = (value);                                         \
    }                                                          \
  } else {                                                     \
    const double v = b[0];                                     \
    for (i = 0; i < width; ++i) {                              \
      const double u = a[i];                                   \
      to[i] = (value);                                         \
    }                                                          \
  }                                                            \
  break

static const double *renth_at(int place, const double *values, const double *x, const double *work) {
  return place >= 0 ? work + place : place == -1 ? x : values + (-2 - place);
}

static void renth_run(const int *code, int steps, const double *values, const double *x, double *work, double *out) {
  int s, i, j, outputs;
  for (s = 0; s < steps; ++s) {
    const int op = code[0], width = code[1], vectors = code[3];
    const int *number = code + 5 + 2 * vectors;
    double *to = work + code[2];
    const double *a = renth_at(code[5], values, x, work);
    const double *b = vectors > 1 ? renth_at(code[7], values, x, work) : a;
    int wide[2];
    wide[0] = code[6];
    wide[1] = vectors > 1 ? code[8] : code[6];
    switch (op) {
      case 2: {
        const double *m = values + number[0];
        for (i = 0; i < width; ++i, m += wide[0]) {
          double v = number[1] < 0 ? 0 : values[number[1] + i];
          for (j = 0; j < wide[0]; ++j) v += m[j] * a[j];
          to[i] = v;
        }
        break;
      }
      case 3: {
        const double *m = values + number[0];
        for (i = 0; i < width; m += ++i) {
          double v = 0;
          for (j = 0; j <= i; ++j) v += m[j] * a[j];
          to[i] = v;
        }
        break;
      }
      case 4: for (i = 0; i < width; ++i) to[i] = a[number[i]]; break;
      case 5: {
        double *next = to;
        for (i = 0; i < vectors; ++i) {
          const double *part = renth_at(code[5 + 2 * i], values, x, work);
          for (j = 0; j < code[6 + 2 * i]; ++j) *next++ = part[j];
        }
        break;
      }
      case 6: {
        double v = 0;
        for (i = 0; i < wide[0]; ++i) v += a[i];
        to[0] = v;
        break;
      }
      case 10: RENTH_EACH(-u);
      case 11: RENTH_EACH(exp(u));
      case 12: RENTH_EACH(log(u));
      case 13: RENTH_EACH(log1p(u));
      case 14: RENTH_EACH(sqrt(u));
      case 15: RENTH_EACH(fabs(u));
      case 16: RENTH_EACH(sin(u));
      case 17: RENTH_EACH(cos(u));
      case 18: RENTH_EACH(tan(u));
      case 19: RENTH_EACH(asin(u));
      case 20: RENTH_EACH(acos(u));
      case 21: RENTH_EACH(atan(u));
      case 22: RENTH_EACH(sinh(u));
      case 23: RENTH_EACH(cosh(u));
      case 24: RENTH_EACH(tanh(u));
      case 25: RENTH_EACH(log10(u));
      case 26: RENTH_EACH(log2(u));
      case 27: RENTH_EACH(renth_sign(u));
      case 28: RENTH_EACH(rint(u));
      case 29: RENTH_EACH(floor(u));
      case 30: RENTH_EACH(ceil(u));
      case 40: RENTH_PAIR(u + v);
      case 41: RENTH_PAIR(u - v);
      case 42: RENTH_PAIR(u * v);
      case 43: RENTH_PAIR(u / v);
      case 44: RENTH_PAIR(pow(u, v));
      case 45: RENTH_PAIR(atan2(u, v));
      case 46: RENTH_PAIR(u < v);
      case 47: RENTH_PAIR(u <= v);
      case 48: RENTH_PAIR(!(u < v) && !(u > v) && u - u <= 0 && v - v <= 0); /* numbers, and the same */
      case 60: {
        const double *c = renth_at(code[9], values, x, work);
        const int one_c = code[10] == 1;
        for (i = 0; i < width; ++i)
          to[i] = a[wide[0] == 1 ? 0 : i] > 0 ? b[wide[1] == 1 ? 0 : i] : c[one_c ? 0 : i];
        break;
      }
      case 70: renth_nearest(number, values, a, to); break;
      case 71: renth_moving(number, values, a, b, to); break;
      default: to[0] = renth_covered(number, values, a, to + 1); break;
    }
    code = number + code[4];
  }
  outputs = *code++;
  for (s = 0; s < outputs; ++s, code += 2) {
    const double *from = renth_at(code[0], values, x, work);
    for (i = 0; i < code[1]; ++i) *out++ = from[i];
  }
}
