// A fitted surrogate as bytes: enough to predict again in another process, bit for bit.
#pragma once
#include <Eigen/Core>
#include <cstdint>
#include <cstring>
#include <renth/base/error.hpp>
#include <renth/numeric/bits.hpp>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace renth {

/// One value of an archive: what it is called, and where its bytes begin.
struct ArchiveItem {
  enum class Type { number, count, text, matrix, member };
  std::string name;
  Type type = Type::number;
  std::size_t at = 0;              ///< in Archive::bytes
  std::vector<ArchiveItem> inner;  ///< of a member: of its own bytes
};

/// What Surrogate::save returns and load_surrogate reads.
///
/// The bytes are the values one after another, little-endian: a number as 8 bytes of IEEE 754, a count as an
/// integer of 8 bytes, a text as its length and its bytes, a matrix as its rows, its columns and its numbers
/// column by column, a member (another archive) as kind, version and bytes.
struct Archive {
  std::string kind;                ///< name of the surrogate kind
  int version = 0;                 ///< layout of the bytes, counted for each kind
  std::string bytes;               ///< read by the kind itself
  std::vector<ArchiveItem> items;  ///< what stands where, once it has been written; not needed to read it
};

/// Appends values to an archive; each has a name, by which the open form of a model knows it.
class ArchiveWriter {
 public:
  void number(const char* name, double value) {
    note(name, ArchiveItem::Type::number);
    raw(bits_as<std::uint64_t>(value));
  }
  void count(const char* name, std::int64_t value) {
    note(name, ArchiveItem::Type::count);
    raw(static_cast<std::uint64_t>(value));
  }
  void text(const char* name, std::string_view value) {
    note(name, ArchiveItem::Type::text);
    sized(value);
  }
  void matrix(const char* name, const Eigen::MatrixXd& m) {
    note(name, ArchiveItem::Type::matrix);
    raw(static_cast<std::uint64_t>(m.rows()));
    raw(static_cast<std::uint64_t>(m.cols()));
    for (Eigen::Index i = 0; i < m.size(); ++i) raw(bits_as<std::uint64_t>(m.data()[i]));
  }
  void member(const char* name, Archive part) {
    note(name, ArchiveItem::Type::member);
    out_.items.back().inner = std::move(part.items);
    sized(part.kind);
    raw(static_cast<std::uint64_t>(part.version));
    sized(part.bytes);
  }
  /// What was written, as an archive of this kind and layout.
  Archive take(std::string kind, int version) {
    out_.kind = std::move(kind);
    out_.version = version;
    return std::move(out_);
  }

 private:
  void note(const char* name, ArchiveItem::Type type) {
    out_.items.push_back({name, type, out_.bytes.size(), {}});
  }
  void sized(std::string_view value) {
    raw(value.size());
    out_.bytes.append(value);
  }
  void raw(std::uint64_t value) {
    char bytes[8];
    for (int i = 0; i < 8; ++i) bytes[i] = static_cast<char>(value >> (8 * i) & 0xff);
    out_.bytes.append(bytes, 8);
  }
  Archive out_;
};

/// Reads them back in the same order. \throws Error (machine) when the bytes end too soon.
class ArchiveReader {
 public:
  explicit ArchiveReader(std::string_view bytes) : bytes_(bytes) {}
  double number() { return bits_as<double>(raw()); }
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
  /// A matrix of one column.
  Eigen::VectorXd vector() {
    const Eigen::MatrixXd m = matrix();
    if (m.cols() > 1)
      throw Error("a stored surrogate contradicts itself", "surrogate", "fit the response again",
                  ErrorKind::machine);
    return Eigen::Map<const Eigen::VectorXd>(m.data(), m.size());
  }
  Archive member() {
    Archive part;
    part.kind = text();
    const std::int64_t version = count();
    part.version = version >= 1 && version <= 1000 ? static_cast<int>(version) : 0;
    part.bytes = text();
    return part;
  }

 private:
  void need(std::size_t n) const {
    if (n > bytes_.size())
      throw Error("a stored surrogate is cut short", "surrogate", "fit the response again",
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
