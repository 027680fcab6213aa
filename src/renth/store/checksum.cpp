#include <sqlite3.h>

#include <renth/store/checksum.hpp>
#include <string>

namespace renth {
namespace {

std::int64_t sum_of(int count, sqlite3_value** values) {
  Checksum sum;
  for (int i = 0; i < count; ++i) {
    switch (sqlite3_value_type(values[i])) {
      case SQLITE_NULL:
        sum.add_null();
        break;
      case SQLITE_INTEGER:
        sum.add(sqlite3_value_int64(values[i]));
        break;
      default: {
        const auto* bytes = static_cast<const char*>(sqlite3_value_blob(values[i]));
        const auto size = static_cast<std::size_t>(sqlite3_value_bytes(values[i]));
        sum.add(bytes ? std::string_view(bytes, size) : std::string_view());
      }
    }
  }
  return sum.value();
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

void Checksum::take(const void* bytes, std::size_t size) {
  const auto* byte = static_cast<const unsigned char*>(bytes);
  for (std::size_t i = 0; i < size; ++i) state_ = (state_ ^ byte[i]) * 1099511628211ULL;
}

Checksum& Checksum::add(std::int64_t value) {
  take("i", 1);
  take(&value, sizeof value);
  return *this;
}
Checksum& Checksum::add(std::string_view bytes) {
  const auto size = static_cast<std::uint64_t>(bytes.size());
  take("b", 1);
  take(&size, sizeof size);
  take(bytes.data(), bytes.size());
  return *this;
}
Checksum& Checksum::add_null() {
  take("n", 1);
  return *this;
}
std::int64_t Checksum::value() const {
  return static_cast<std::int64_t>(state_);
}

void add_checksum_functions(sqlite3* connection, bool* damaged) {
  constexpr int form = SQLITE_UTF8 | SQLITE_DETERMINISTIC;
  sqlite3_create_function(connection, "renth_checksum", -1, form, nullptr, checksum_function, nullptr,
                          nullptr);
  sqlite3_create_function(connection, "renth_sound", -1, form, damaged, sound_function, nullptr, nullptr);
}

}  // namespace renth
