#include <doctest/doctest.h>

#include <renth/base/notes.hpp>
#include <renth/base/words.hpp>

using namespace renth;

TEST_CASE("a name that was nearly right is found, a strange one is not") {
  const std::vector<std::string> known = {"radius", "draft", "drift"};
  CHECK(near_name("depht", {"depth"}) == "depth");
  CHECK(near_name("draft", known) == "draft");
  CHECK(near_name("drafts", known) == "draft");
  CHECK_FALSE(near_name("stiffness", known));
  CHECK_FALSE(near_name("q", {"y", "z"}));
  CHECK(edit_distance("kitten", "sitting") == 3);
}

TEST_CASE("words stand for their values both ways, and a wrong one names the right ones") {
  enum class Colour { red, green };
  const EnumWords<Colour, 2> words{"colour", {"red", "green"}};
  CHECK(words(Colour::green) == "green");
  CHECK(words.value("red", "--colour") == Colour::red);
  CHECK_THROWS_WITH_AS(words.value("blue", "--colour"),
                       doctest::Contains("unknown colour blue: --colour: use one of red, green"), Error);
}

TEST_CASE("a note is said once") {
  Notes notes;
  add_note(notes, "weak", "a");
  add_note(notes, "weak", "a");
  add_note(notes, "weak", "b");
  add_notes(notes, {{"weak", "b"}, {"unfit", "c"}});
  CHECK(notes.size() == 3);
}
