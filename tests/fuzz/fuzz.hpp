// What every fuzz target needs: an Error is an answer, anything else that is thrown is a fault.
#pragma once
#include <cstddef>
#include <cstdint>
#include <renth/base/error.hpp>
#include <renth/base/text.hpp>
#include <string>
#include <string_view>

namespace renth::fuzz {

/// What a study of everything that a study can have looks like; `solver` is its last part.
inline std::string study_with(const std::string& solver) {
  return "[study]\nname = \"s\"\n[[parameter]]\nname = \"radius\"\nspan = [1, 2]\n[[parameter]]\nname = "
         "\"hull\"\nchoices = [\"steel\", \"wood\"]\n[[parameter]]\nname = \"depth\"\nfixed = "
         "50.0\n[[axis]]\nname = "
         "\"t\"\npoints = [1, 2, 4]\n[[response]]\nname = \"power\"\n[[response]]\nname = \"curve\"\nalong = "
         "\"t\"\n[solver]\n" +
         solver;
}

template <class Body>
int answers(const Body& body) {
  try {
    body();
  } catch (const Error& e) {
    // A message must be fit to be printed and put into JSON.
    if (e.problem().empty()) __builtin_trap();
  }
  return 0;
}

inline std::string_view text_of(const std::uint8_t* bytes, std::size_t size) {
  return {reinterpret_cast<const char*>(bytes), size};
}

}  // namespace renth::fuzz
