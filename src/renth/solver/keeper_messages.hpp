// Between a keeper and those who ask it: where they meet, and what they say: a length, a letter, and texts
// ended by zeros. Not for others.
#pragma once
#include <sys/socket.h>
#include <sys/un.h>

#include <cstdint>
#include <cstring>
#include <optional>
#include <string>
#include <vector>

namespace renth::keeper_messages {

constexpr const char* protocol = "renth-keeper-3";

// To the keeper.
constexpr char hello = 'h';     // protocol: tell what runs, then welcome
constexpr char settings = 'c';  // jobs, timeout, memory, file size, then the environment
constexpr char start = 's';     // folder, then the command
constexpr char drop = 'd';
constexpr char end_all = 'e';
// From the keeper.
constexpr char welcome = 'w';  // protocol, process id; after all that runs
constexpr char running = 'r';  // folder
constexpr char ended = 'x';    // folder, outcome line
constexpr char dropped = 'p';  // folder

inline std::string pack(char type, const std::vector<std::string>& fields) {
  std::string body(1, type);
  for (const std::string& f : fields) body.append(f.c_str(), f.size() + 1);
  const auto size = static_cast<std::uint32_t>(body.size());
  std::string out(sizeof size, '\0');
  std::memcpy(out.data(), &size, sizeof size);
  return out + body;
}

struct Message {
  char type = 0;
  std::vector<std::string> fields;
};

/// Takes one whole message off the front of `buffer`; nothing if there is none yet.
inline std::optional<Message> unpack(std::string& buffer, std::size_t& at) {
  std::uint32_t size = 0;
  if (buffer.size() - at < sizeof size) return std::nullopt;
  std::memcpy(&size, buffer.data() + at, sizeof size);
  if (buffer.size() - at - sizeof size < size || size == 0) return std::nullopt;
  Message out;
  const char* begin = buffer.data() + at + sizeof size;
  const char* const end = begin + size;
  out.type = *begin++;
  while (begin < end) {
    const std::size_t length = strnlen(begin, static_cast<std::size_t>(end - begin));
    out.fields.emplace_back(begin, length);
    begin += length + 1;
  }
  at += sizeof size + size;
  return out;
}

}  // namespace renth::keeper_messages

namespace renth {

/// Where a keeper of that name listens; \returns the length of the address.
socklen_t keeper_address(const std::string& name, sockaddr_un& address);

/// What a keeper does. `client` is its end of the socket, `folder_of_study` is held open as long as it lives.
[[noreturn]] void keep(int client, const std::string& name, int folder_of_study);

}  // namespace renth
