#include <sqlite3.h>

#include <renth/numeric/random.hpp>
#include <renth/store/checksum.hpp>
#include <string>

namespace renth {
namespace {

std::int64_t sum_of(int count, sqlite3_value** values) {
  std::uint64_t sum = 0;
  for (int i = 0; i < count; ++i) {
    const int kind = sqlite3_value_type(values[i]);
    const std::int64_t whole = kind == SQLITE_INTEGER ? sqlite3_value_int64(values[i]) : 0;
    std::string_view bytes(reinterpret_cast<const char*>(&whole), kind == SQLITE_INTEGER ? sizeof whole : 0);
    if (kind == SQLITE_TEXT || kind == SQLITE_BLOB) {
      const auto* at = static_cast<const char*>(sqlite3_value_blob(values[i]));
      bytes = {at ? at : "", static_cast<std::size_t>(sqlite3_value_bytes(values[i]))};
    }
    sum = hash64(bytes, sum + static_cast<std::uint64_t>(kind));
  }
  return static_cast<std::int64_t>(sum);
}

void checksum_function(sqlite3_context* context, int count, sqlite3_value** values) {
  sqlite3_result_int64(context, sum_of(count, values));
}

void sound_function(sqlite3_context* context, int count, sqlite3_value** values) {
  if (count > 2 && sqlite3_value_type(values[1]) == SQLITE_INTEGER &&
      sqlite3_value_int64(values[1]) == sum_of(count - 2, values + 2))
    return sqlite3_result_int(context, 1);
  *static_cast<bool*>(sqlite3_user_data(context)) = true;
  const auto* what = reinterpret_cast<const char*>(sqlite3_value_text(values[0]));
  const std::string text =
      std::string(what ? what : "a row") + " in the store is damaged, or was changed by hand";
  sqlite3_result_error(context, text.c_str(), -1);
}

}  // namespace

void add_checksum_functions(sqlite3* connection, bool* damaged) {
  constexpr int form = SQLITE_UTF8 | SQLITE_DETERMINISTIC;
  sqlite3_create_function(connection, "renth_checksum", -1, form, nullptr, checksum_function, nullptr,
                          nullptr);
  sqlite3_create_function(connection, "renth_sound", -1, form, damaged, sound_function, nullptr, nullptr);
}

}  // namespace renth
