#include <doctest/doctest.h>

#include <filesystem>
#include <fstream>
#include <renth/base/error.hpp>
#include <renth/figure/gnuplot.hpp>
#include <renth/figure/layout.hpp>
#include <sstream>
#include <support_files.hpp>

using namespace renth;

TEST_CASE("people's texts are drawn as they are, and never run") {
  CHECK(quote("it's") == "'it''s'");
  CHECK(quote("a\nb") == "'a b'");
  const renth::test::Scratch f;
  const std::string title = "100 % `touch pwned` \\n \"x\" {/Bold y} a_b^c @d %s $e";
  Gnuplot g;
  g.line("set title " + quote(title)).line("plot x notitle");
  g.render(f.path / "hostile.svg");
  const std::string svg = f.read("hostile.svg");
  for (const char* piece : {"100 %", "`touch pwned`", "{/Bold y}", "a_b^c", "$e"})
    CHECK(svg.find(piece) != std::string::npos);
  CHECK_FALSE(std::filesystem::exists("pwned"));
}

TEST_CASE("a figure is there whole or not at all, and another ending is refused") {
  const renth::test::Scratch f;
  Gnuplot bad;
  bad.line("plot nonsense(");
  CHECK_THROWS_WITH_AS(bad.render(f.path / "bad.png"), doctest::Contains("gnuplot could not draw it"), Error);
  CHECK(std::filesystem::is_empty(f.path));
  CHECK_THROWS_WITH_AS(bad.render(f.path / "x.gif"), doctest::Contains(".svg or .png"), Error);
  Gnuplot good;
  good.line("plot sin(x) notitle");
  CHECK_THROWS_WITH_AS(good.render("/nowhere/x.png"), doctest::Contains("cannot write the figure"), Error);
  good.render(f.path / "x.png");
  good.render(f.path / "x.png");  // again over itself
  CHECK(f.read("x.png").substr(1, 3) == "PNG");
}

TEST_CASE("missing values are gaps, and an empty block is no error") {
  const renth::test::Scratch f;
  Gnuplot g;
  g.block("d", {{1, 2}, {2, NAN}, {3, 4}}).block("none", {});
  g.line(
      "set xrange [0:4]\nset yrange [0:5]\nplot $d using 1:2 with lines notitle, $none using 1:2 with points "
      "notitle");
  g.render(f.path / "x.svg");
  CHECK(f.read("x.svg").size() > 1000);
}

TEST_CASE("contour steps are round numbers") {
  CHECK(round_step(0.13) == doctest::Approx(0.1));
  CHECK(round_step(0.17) == doctest::Approx(0.2));
  CHECK(round_step(37) == doctest::Approx(50));
  CHECK(round_step(8) == doctest::Approx(10));
}
