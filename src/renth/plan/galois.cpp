#include <renth/base/error.hpp>
#include <renth/plan/galois.hpp>

namespace renth {
namespace {

std::pair<int, int> prime_and_power(int q) {
  for (int p = 2; p <= q; ++p) {
    if (q % p != 0) continue;
    int m = 0, rest = q;
    while (rest % p == 0) rest /= p, ++m;
    return rest == 1 ? std::pair(p, m) : std::pair(0, 0);
  }
  return {0, 0};
}

std::vector<int> digits(int value, int p, int count) {
  std::vector<int> out(static_cast<std::size_t>(count));
  for (int& d : out) d = value % p, value /= p;
  return out;
}

/// a·b modulo x^m − Σ reduction_i x^i.
int multiply_modulo(int a, int b, int p, int m, const std::vector<int>& reduction) {
  const std::vector<int> x = digits(a, p, m), y = digits(b, p, m);
  std::vector<int> product(std::size_t(2 * m), 0);
  for (int i = 0; i < m; ++i)
    for (int j = 0; j < m; ++j)
      product[std::size_t(i + j)] = (product[std::size_t(i + j)] + x[std::size_t(i)] * y[std::size_t(j)]) % p;
  for (int i = 2 * m - 2; i >= m; --i)
    for (int j = 0; j < m; ++j)
      product[std::size_t(i - m + j)] =
          (product[std::size_t(i - m + j)] + product[std::size_t(i)] * reduction[std::size_t(j)]) % p;
  int value = 0;
  for (int i = m - 1; i >= 0; --i) value = value * p + product[std::size_t(i)];
  return value;
}

/// Paley's matrix of characters of differences (q × q).
Eigen::MatrixXd jacobsthal(int q) {
  const Galois field(q);
  Eigen::MatrixXd out(q, q);
  for (int a = 0; a < q; ++a)
    for (int b = 0; b < q; ++b) out(a, b) = field.character(field.subtract(a, b));
  return out;
}

}  // namespace

bool Galois::is_prime_power(int q) {
  return q >= 2 && prime_and_power(q).first > 0;
}

Galois::Galois(int q) : q_(q) {
  std::tie(p_, m_) = prime_and_power(q);
  if (p_ == 0) throw Error(std::to_string(q) + " is not a prime power", "finite field", "use a prime power");
  product_.resize(std::size_t(q * q));
  // The first reduction under which no two non-zero elements multiply to zero makes a field.
  for (int code = 1; code < q || m_ == 1; ++code) {
    const std::vector<int> reduction = m_ == 1 ? std::vector<int>{0} : digits(code, p_, m_);
    bool field = true;
    for (int a = 0; a < q; ++a)
      for (int b = 0; b < q; ++b) {
        const int c = m_ == 1 ? a * b % p_ : multiply_modulo(a, b, p_, m_, reduction);
        product_[std::size_t(a * q + b)] = c;
        field = field && (c != 0 || a == 0 || b == 0);
      }
    if (field) break;
  }
  character_.assign(std::size_t(q), -1);
  character_[0] = 0;
  for (int a = 1; a < q; ++a) character_[std::size_t(multiply(a, a))] = 1;
}

int Galois::add(int a, int b) const {
  int out = 0;
  for (int i = 0, scale = 1; i < m_; ++i, scale *= p_, a /= p_, b /= p_)
    out += (a % p_ + b % p_) % p_ * scale;
  return out;
}
int Galois::subtract(int a, int b) const {
  int out = 0;
  for (int i = 0, scale = 1; i < m_; ++i, scale *= p_, a /= p_, b /= p_)
    out += (a % p_ - b % p_ + p_) % p_ * scale;
  return out;
}

Eigen::MatrixXd conference(int n) {
  using Eigen::MatrixXd;
  if (n % 2 == 0 && n >= 2 && Galois::is_prime_power(n - 1)) {
    const int q = n - 1;
    MatrixXd c = MatrixXd::Zero(n, n);
    c.bottomRightCorner(q, q) = jacobsthal(q);
    c.row(0).tail(q).setOnes();
    c.col(0).tail(q).setConstant(q % 4 == 1 ? 1 : -1);  // symmetric or skew
    return c;
  }
  if (n % 8 == 0 && Galois::is_prime_power(n / 2 - 1)) {  // S skew of order n/2
    const MatrixXd s = conference(n / 2), one = MatrixXd::Identity(n / 2, n / 2);
    MatrixXd c(n, n);
    c << s, s + one, s - one, -s;
    return c;
  }
  return {};
}

Eigen::MatrixXd hadamard(int n) {
  using Eigen::MatrixXd;
  MatrixXd h(n, n);
  if (n == 2) {
    h << 1, 1, 1, -1;
  } else if (n % 4 == 0 && (n - 2) % 4 == 2 && Galois::is_prime_power(n - 1)) {
    h = conference(n) + MatrixXd::Identity(n, n);  // skew C: (C + I)ᵀ(C + I) = nI
  } else if (n % 8 == 4 && Galois::is_prime_power(n / 2 - 1)) {
    const MatrixXd c = conference(n / 2), one = MatrixXd::Identity(n / 2, n / 2);  // symmetric C
    h << c + one, c - one, c - one, -c - one;
  } else if (n % 8 == 0 || n == 4) {
    const MatrixXd half = hadamard(n / 2);
    h << half, half, half, -half;
  } else {
    throw Error("no Hadamard matrix of order " + std::to_string(n) + " is known here", "hadamard",
                "use a multiple of 4 up to 48");
  }
  for (Eigen::Index i = 0; i < n; ++i)
    if (h(i, 0) < 0) h.row(i) *= -1;
  return h;
}

}  // namespace renth
