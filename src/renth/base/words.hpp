// The words for the values of an enumeration: one list to read, to write and to offer them by.
#pragma once
#include <array>
#include <renth/base/names.hpp>
#include <string>
#include <string_view>
#include <vector>

namespace renth {

/// `words` stand in the order of the values, which count from 0.
template <class Enumeration, std::size_t count>
struct EnumWords {
  std::string_view thing;  ///< what they are words for, as messages call it
  std::array<std::string_view, count> words;

  constexpr std::string_view operator()(Enumeration value) const { return words[std::size_t(value)]; }
  std::vector<std::string> all() const { return {words.begin(), words.end()}; }
  bool has(std::string_view word) const {
    for (const std::string_view w : words)
      if (w == word) return true;
    return false;
  }
  /// \param place  where the word was read, for messages. \throws Error  an unknown word.
  Enumeration value(std::string_view word, const std::string& place) const {
    for (std::size_t i = 0; i < count; ++i)
      if (words[i] == word) return Enumeration(i);
    refuse_unknown(thing, word, place, all());
  }
};

}  // namespace renth
