// A fitted surrogate as bytes: enough to predict again in another process, bit for bit.
#pragma once
#include <Eigen/Core>
#include <bit>
#include <cstdint>
#include <cstring>
#include <renth/base/error.hpp>
#include <string>
#include <string_view>

namespace renth {

/// What Surrogate::save returns and load_surrogate reads.
struct Archive {
  std::string kind;   ///< name of the surrogate kind
  int version = 0;    ///< layout of the bytes, counted for each kind
  std::string bytes;  ///< little-endian, read by the kind itself
};

/// Appends values to the bytes of an archive.
class ArchiveWriter {
 public:
  void number(double value) { raw(std::bit_cast<std::uint64_t>(value)); }
  void count(std::int64_t value) { raw(static_cast<std::uint64_t>(value)); }
  void text(std::string_view value) {
    count(static_cast<std::int64_t>(value.size()));
    bytes_.append(value);
  }
  void matrix(const Eigen::MatrixXd& m) {
    count(m.rows());
    count(m.cols());
    for (Eigen::Index i = 0; i < m.size(); ++i) number(m.data()[i]);
  }
  std::string take() { return std::move(bytes_); }

 private:
  void raw(std::uint64_t value) {
    for (int i = 0; i < 8; ++i) bytes_.push_back(static_cast<char>(value >> (8 * i) & 0xff));
  }
  std::string bytes_;
};

/// Reads them back in the same order. \throws Error (machine) when the bytes end too soon.
class ArchiveReader {
 public:
  explicit ArchiveReader(std::string_view bytes) : bytes_(bytes) {}
  double number() { return std::bit_cast<double>(raw()); }
  std::int64_t count() { return static_cast<std::int64_t>(raw()); }
  std::string text() {
    const auto n = static_cast<std::size_t>(count());
    need(n);
    std::string value(bytes_.substr(0, n));
    bytes_.remove_prefix(n);
    return value;
  }
  Eigen::MatrixXd matrix() {
    const Eigen::Index rows = count(), cols = count();
    if (rows < 0 || cols < 0 || (cols > 0 && rows > Eigen::Index(bytes_.size()) / 8 / cols))
      need(bytes_.size() + 1);
    Eigen::MatrixXd m(rows, cols);
    for (Eigen::Index i = 0; i < m.size(); ++i) m.data()[i] = number();
    return m;
  }

 private:
  void need(std::size_t n) const {
    if (n > bytes_.size())
      throw Error("a stored surrogate is cut short", "study.db", "fit the response again",
                  ErrorKind::machine);
  }
  std::uint64_t raw() {
    need(8);
    std::uint64_t value = 0;
    for (int i = 0; i < 8; ++i) value |= std::uint64_t{static_cast<unsigned char>(bytes_[i])} << (8 * i);
    bytes_.remove_prefix(8);
    return value;
  }
  std::string_view bytes_;
};

}  // namespace renth
