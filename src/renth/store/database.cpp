#include <fcntl.h>
#include <fmt/format.h>
#include <sqlite3.h>
#include <unistd.h>

#include <renth/base/error.hpp>
#include <renth/base/text.hpp>
#include <renth/store/checksum.hpp>
#include <renth/store/database.hpp>

namespace renth {

void Statement::Finalise::operator()(sqlite3_stmt* s) const {
  sqlite3_finalize(s);
}
void Database::Close::operator()(sqlite3* s) const {
  sqlite3_close_v2(s);
}
Statement::~Statement() = default;

Statement& Statement::bind(std::int64_t value) {
  sqlite3_bind_int64(handle_.get(), next_++, value);
  return *this;
}
Statement& Statement::bind(double value) {
  sqlite3_bind_double(handle_.get(), next_++, value);
  return *this;
}
Statement& Statement::bind(std::string_view text) {
  // What is stored must be fit for every document that will tell it.
  if (!is_valid_utf8(text)) return bind(std::string_view(valid_utf8(text)));
  sqlite3_bind_text64(handle_.get(), next_++, text.data(), text.size(), SQLITE_TRANSIENT, SQLITE_UTF8);
  return *this;
}
Statement& Statement::bind_optional(const std::optional<std::string>& text) {
  if (text) return bind(std::string_view(*text));
  sqlite3_bind_null(handle_.get(), next_++);
  return *this;
}
Statement& Statement::bind_bytes(std::string_view bytes) {
  sqlite3_bind_blob64(handle_.get(), next_++, bytes.data(), bytes.size(), SQLITE_TRANSIENT);
  return *this;
}
bool Statement::step() {
  const int status = sqlite3_step(handle_.get());
  if (status == SQLITE_ROW) return true;
  if (status != SQLITE_DONE) database_->fail("writing or reading");
  return false;
}
void Statement::reset() {
  sqlite3_reset(handle_.get());
  next_ = 1;
}
std::int64_t Statement::integer(int column) const {
  return sqlite3_column_int64(handle_.get(), column);
}
double Statement::real(int column) const {
  return sqlite3_column_double(handle_.get(), column);
}
bool Statement::is_null(int column) const {
  return sqlite3_column_type(handle_.get(), column) == SQLITE_NULL;
}
std::string_view Statement::view(int column) const {
  const auto* bytes = static_cast<const char*>(sqlite3_column_blob(handle_.get(), column));
  const int size = sqlite3_column_bytes(handle_.get(), column);
  return bytes ? std::string_view(bytes, static_cast<std::size_t>(size)) : std::string_view();
}
std::string Statement::text(int column) const {
  return std::string(view(column));
}

namespace {

namespace fs = std::filesystem;

/// SQLite writes to the file and beside it.
bool may_write(const fs::path& file) {
  const fs::path folder = file.parent_path().empty() ? "." : file.parent_path();
  const auto may = [](const fs::path& what) {
    return faccessat(AT_FDCWD, what.c_str(), W_OK, AT_EACCESS) == 0;
  };
  return !fs::exists(folder) || (may(folder) && (!fs::exists(file) || may(file)));
}

/// A copy of the database and of what was written beside it. \returns  the file.
fs::path copied(const fs::path& file, const fs::path& folder) {
  const fs::path copy = folder / "study.db";
  for (const char* part : {"", "-wal"}) {
    std::error_code error;
    if (!fs::exists(file.string() + part, error)) continue;
    const fs::path to = copy.string() + part;
    fs::copy_file(file.string() + part, to, error);
    if (!error) fs::permissions(to, fs::perms::owner_read | fs::perms::owner_write, error);
    if (error)
      throw Error("the store cannot be read (" + error.message() + ")", file.string(),
                  "look at its permissions", ErrorKind::machine);
  }
  return copy;
}

}  // namespace

Database::Database(const std::filesystem::path& file) : file_(file) {
  if (!may_write(file)) copy_.emplace();
  const fs::path opened = copy_ ? copied(file, copy_->path()) : file;
  sqlite3* raw = nullptr;
  const int status =
      sqlite3_open_v2(opened.c_str(), &raw, SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE, nullptr);
  handle_.reset(raw);
  if (status != SQLITE_OK) fail("opening");
  patience(10'000);
  add_checksum_functions(handle_.get(), &damaged_);
  execute("PRAGMA journal_mode = WAL; PRAGMA synchronous = FULL; PRAGMA foreign_keys = ON;");
}

void Database::refuse_writing() {
  if (read_only()) execute("PRAGMA query_only = ON");
}

void Database::patience(int milliseconds) {
  sqlite3_busy_timeout(handle_.get(), milliseconds);
}

void Database::fail(const std::string& doing) const {
  const int code = handle_ ? sqlite3_errcode(handle_.get()) : SQLITE_CANTOPEN;
  const char* text = handle_ ? sqlite3_errmsg(handle_.get()) : "cannot open";
  std::string remedy = "look at the folder's permissions and the disk";
  if (code == SQLITE_BUSY || code == SQLITE_LOCKED)
    remedy = "another renth is writing to this study: wait for it and try again";
  if (code == SQLITE_FULL)
    remedy = "the disk is full: make room and try again; nothing that was stored is lost";
  if (code == SQLITE_NOTADB || code == SQLITE_CORRUPT)
    remedy = "the file is not a study store or is damaged: restore it from a copy";
  if (damaged_)
    throw Error(
        text, file_.string(),
        "restore study.db from a copy; or move it away, and renth import runs takes in what was computed",
        ErrorKind::machine);
  if (read_only()) remedy = "the study may only be read here: copy its folder to where you may write";
  throw Error(fmt::format("{} the store failed ({})", doing, text), file_.string(), remedy,
              ErrorKind::machine);
}

Statement Database::prepare(std::string_view sql) {
  sqlite3_stmt* raw = nullptr;
  if (sqlite3_prepare_v2(handle_.get(), sql.data(), static_cast<int>(sql.size()), &raw, nullptr) != SQLITE_OK)
    fail("reading");
  return {*this, raw};
}

Statement& Database::cached(const char* sql) {
  auto known = cached_.find(sql);
  if (known == cached_.end()) known = cached_.emplace(sql, prepare(sql)).first;
  known->second.reset();
  return known->second;
}

void Database::execute(const std::string& sql) {
  if (sqlite3_exec(handle_.get(), sql.c_str(), nullptr, nullptr, nullptr) != SQLITE_OK) fail("writing to");
}

std::int64_t Database::last_id() const {
  return sqlite3_last_insert_rowid(handle_.get());
}

void Database::transaction(const std::function<void()>& body) {
  between("BEGIN IMMEDIATE", body);
}
void Database::reading(const std::function<void()>& body) {
  between("BEGIN DEFERRED", body);
}

void Database::between(const char* begin, const std::function<void()>& body) {
  if (depth_ > 0) return body();
  execute(begin);
  ++depth_;
  try {
    body();
    execute("COMMIT");
    --depth_;
  } catch (...) {
    --depth_;
    sqlite3_exec(handle_.get(), "ROLLBACK", nullptr, nullptr, nullptr);
    throw;
  }
}

}  // namespace renth
