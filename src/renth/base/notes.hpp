// What the analyst should know before believing a result.
#pragma once
#include <string>
#include <vector>

namespace renth {

struct Note {
  std::string code, text;
};
using Notes = std::vector<Note>;

/// Adds a note unless one with the same code and text is there.
void add_note(Notes& notes, std::string code, std::string text);
/// The same for all of a list.
void add_notes(Notes& notes, const Notes& more);

}  // namespace renth
