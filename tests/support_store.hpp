// Changing a store behind the back of the library.
#pragma once
#include <renth/store/database.hpp>
#include <renth/store/schema.hpp>

namespace renth::test {

/// As an earlier renth, or one that was killed, might have left it: every row is sealed again.
inline void change_store(const std::filesystem::path& folder, const std::string& sql) {
  Database db(folder / "study.db");
  db.execute(sql);
  seal_every_row(db);
}

/// As a bad disk or an editor might have left it.
inline void damage_store(const std::filesystem::path& folder, const std::string& sql) {
  Database(folder / "study.db").execute(sql);
}

}  // namespace renth::test
