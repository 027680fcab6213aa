#include <algorithm>
#include <renth/base/notes.hpp>
#include <utility>

namespace renth {

void add_note(Notes& notes, std::string code, std::string text) {
  if (std::none_of(notes.begin(), notes.end(),
                   [&](const Note& n) { return n.code == code && n.text == text; }))
    notes.push_back({std::move(code), std::move(text)});
}

void add_notes(Notes& notes, const Notes& more) {
  for (const Note& n : more) add_note(notes, n.code, n.text);
}

}  // namespace renth
