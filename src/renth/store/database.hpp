// A thin wrapper of SQLite: statements, transactions, errors that say what to do.
#pragma once
#include <cstdint>
#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <renth/table/scratch_folder.hpp>
#include <string>
#include <string_view>

struct sqlite3;
struct sqlite3_stmt;

namespace renth {

class Database;

/// One prepared statement; bind in order, step, read columns.
class Statement {
 public:
  Statement& bind(std::int64_t value);
  Statement& bind(int value) { return bind(static_cast<std::int64_t>(value)); }
  Statement& bind(double value);
  Statement& bind(std::string_view text);
  Statement& bind_optional(const std::optional<std::string>& text);
  Statement& bind_bytes(std::string_view bytes);
  /// True while there is a row.
  bool step();
  void run() {
    while (step()) {
    }
    reset();  // a statement that was stepped to its end still holds the write open
  }
  /// To be bound and stepped anew.
  void reset();
  std::int64_t integer(int column) const;
  double real(int column) const;
  std::string text(int column) const;       ///< also bytes; empty for NULL
  std::string_view view(int column) const;  ///< the same until the next step
  bool is_null(int column) const;
  ~Statement();
  Statement(Statement&&) noexcept = default;

 private:
  friend class Database;
  Statement(Database& database, sqlite3_stmt* handle) : database_(&database), handle_(handle) {}
  struct Finalise {
    void operator()(sqlite3_stmt* s) const;
  };
  Database* database_;
  std::unique_ptr<sqlite3_stmt, Finalise> handle_;
  int next_ = 1;
};

/// One connection, WAL, foreign keys, full synchronisation: what is committed survives power loss.
///
/// A second process waits up to ten seconds for the first to finish writing. Where nothing may be written, a
/// copy is read: what others have written there and not yet moved into the file is then seen too.
class Database {
 public:
  /// \throws Error (machine)  cannot be opened, or is no database.
  explicit Database(const std::filesystem::path& file);
  /// Is it a copy of what may only be read?
  bool read_only() const { return copy_.has_value(); }
  /// From here on every write to a copy is an error.
  void refuse_writing();
  Database(const Database&) = delete;  // statements know where it is
  Database& operator=(const Database&) = delete;
  Statement prepare(std::string_view sql);
  /// The same statement each time, kept prepared, with nothing bound; one use of it at a time. `sql` must
  /// stay where it is as long as the program runs: statements are known by its address.
  Statement& cached(const char* sql);
  void execute(const std::string& sql);
  std::int64_t last_id() const;
  /// Runs `body` in one immediate transaction: all of it or nothing. May be nested.
  void transaction(const std::function<void()>& body);
  /// How long to wait for another process that writes; ten seconds unless it is said.
  void patience(int milliseconds);
  /// Runs `body` with one view of the database, whatever others write meanwhile.
  void reading(const std::function<void()>& body);
  [[noreturn]] void fail(const std::string& doing) const;

 private:
  void between(const char* begin, const std::function<void()>& body);
  struct Close {
    void operator()(sqlite3* s) const;
  };
  std::filesystem::path file_;
  std::optional<ScratchFolder> copy_;  ///< goes after the connection
  bool damaged_ = false;               ///< a row was not what its checksum says
  std::unique_ptr<sqlite3, Close> handle_;
  std::map<const char*, Statement> cached_;  // goes before the connection
  int depth_ = 0;
};

}  // namespace renth
