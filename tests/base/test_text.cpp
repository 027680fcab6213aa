#include <doctest/doctest.h>

#include <renth/base/text.hpp>

using namespace renth;

TEST_CASE("bytes that are no UTF-8 are replaced one by one, and characters are left alone") {
  const std::string good = "Höhe 10 µm — ≥ 3 𝛼\t\n";
  CHECK(is_valid_utf8(good));
  CHECK(valid_utf8(good) == good);
  const std::string mark = "\xef\xbf\xbd";
  CHECK(valid_utf8("a\xff z") == "a" + mark + " z");
  CHECK(valid_utf8("H\xf6he") == "H" + mark + "he");  // Latin-1
  // The Unicode Standard 15.0, section 3.9: overlong forms, surrogates, beyond U+10FFFF, cut short.
  for (const char* bad : {"\xc0\xaf", "\xe0\x80\x80", "\xed\xa0\x80", "\xf4\x90\x80\x80",
                          "\xf8\x88\x80\x80\x80", "\xe2\x82", "\x80", "\xf0\x9d\x9b"}) {
    CHECK_FALSE(is_valid_utf8(bad));
    CHECK(is_valid_utf8(valid_utf8(bad)));
  }
  CHECK(is_valid_utf8(
      "\xed\x9f\xbf\xee\x80\x80\xf4\x8f\xbf\xbf"));  // the last before, the first behind, the last
}

TEST_CASE("what a terminal would obey is shown instead") {
  CHECK(without_controls("\x1b[31mred\x1b[0m") == "␛[31mred␛[0m");
  CHECK(without_controls("a\tb\nc") == "a\tb\nc");
  CHECK(without_controls(std::string("\0\a\b\r\x7f", 5)) == "␀␇␈␍␡");
  CHECK(without_controls("\xc2\x9b"
                         "2J") == "<U+009B>2J");  // the one-byte escape of the second set
  CHECK(without_controls("Höhe §") == "Höhe §");
}

TEST_CASE("a long text is cut between characters") {
  CHECK(shortened("short", 5) == "short");
  CHECK(shortened("ööö", 3) == "ö…");
  CHECK(is_valid_utf8(shortened("αβγδ", 5)));
}

TEST_CASE("the nesting of a JSON text is that of its brackets outside of strings") {
  const auto deep = [](int n) {
    return "{\"y\":" + std::string(std::size_t(n), '[') + std::string(std::size_t(n), ']') + "}";
  };
  CHECK_FALSE(nested_deeper(deep(9), 10));
  CHECK(nested_deeper(deep(10), 10));
  CHECK(nested_deeper(deep(100'000), most_nested_json));
  CHECK_FALSE(nested_deeper(R"({"a": "[[[[[[[[[[[[\"[[[[[[", "b": [1, [2]]})", 3));
}
