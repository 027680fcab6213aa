// Messages in the wire format of Protocol Buffers, written field by field.
#pragma once
#include <cstdint>
#include <string>
#include <string_view>

namespace renth {

/// Appends fields to a message; its bytes are `text`.
class ProtobufMessage {
 public:
  void integer(int field, std::uint64_t value) {
    varint(std::uint64_t(field) << 3);
    varint(value);
  }
  void bytes(int field, std::string_view value) {
    varint(std::uint64_t(field) << 3 | 2);
    varint(value.size());
    text += value;
  }
  void message(int field, const ProtobufMessage& value) { bytes(field, value.text); }

  std::string text;

 private:
  void varint(std::uint64_t value) {
    for (; value >= 128; value >>= 7) text += char(value % 128 + 128);
    text += char(value);
  }
};

}  // namespace renth
