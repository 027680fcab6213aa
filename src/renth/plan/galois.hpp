// Finite fields and the matrices of ±1 that come from them.
#pragma once
#include <Eigen/Core>
#include <vector>

namespace renth {

/// The field with q = p^m elements, named 0 … q − 1 (the digits of the name in base p are the
/// coefficients of a polynomial).
class Galois {
 public:
  /// \param q  a prime power; is_prime_power(q) tells.
  explicit Galois(int q);
  static bool is_prime_power(int q);
  int size() const { return q_; }
  int add(int a, int b) const;
  int subtract(int a, int b) const;
  int multiply(int a, int b) const { return product_[std::size_t(a * q_ + b)]; }
  /// 0 for 0, 1 for a square, −1 for the others; q odd.
  int character(int a) const { return character_[std::size_t(a)]; }

 private:
  int q_, p_, m_;
  std::vector<int> product_, character_;
};

/// A Hadamard matrix of order n (±1, HᵀH = nI, first column all +1) for n = 2 and each multiple of 4 to 48:
/// R. E. A. C. Paley, J. Math. Phys. 12, 1933, and J. J. Sylvester's doubling, 1867.
Eigen::MatrixXd hadamard(int n);

/// A conference matrix of even order n (0 on the diagonal, ±1 elsewhere, CᵀC = (n − 1)I): Paley's for
/// prime powers n − 1, doubling a skew one else. Empty where neither exists.
Eigen::MatrixXd conference(int n);

}  // namespace renth
