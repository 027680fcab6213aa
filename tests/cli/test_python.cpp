// The Python package, driven by scripts: what it says against formulas, against itself and against the tool.
#include <doctest/doctest.h>

#include <string>

#include "tool.hpp"

using namespace renth::test;

namespace {

const bool no_python = std::string(RENTH_PYTHON_PATH).empty();

Answer python(const Tool& tool, const std::string& arguments) {
  return tool.shell("PYTHONPATH='" RENTH_PYTHON_PATH "' PYTHONDONTWRITEBYTECODE=1 RENTH_BINARY='" RENTH_BINARY
                    "' /usr/bin/python3 " +
                    arguments);
}

}  // namespace

TEST_CASE("Python: spaces, plans and models" * doctest::skip(no_python)) {
  const Tool tool;
  const Answer a = python(tool, RENTH_TESTS "/elsewhere/python_model.py");
  CHECK_MESSAGE(a.status == 0, a.err);
  CHECK(contains(a.out, "all well"));
}

TEST_CASE("Python: studies, and a function as solver" * doctest::skip(no_python)) {
  const Tool tool;
  const Answer a = python(tool, RENTH_TESTS "/elsewhere/python_study.py");
  CHECK_MESSAGE(a.status == 0, a.err);
  CHECK(contains(a.out, "all well"));
}

TEST_CASE("Python: the examples" * doctest::skip(no_python)) {
  const Tool tool;
  const std::string examples = RENTH_TESTS "/../examples/python/";
  const Answer buoy = python(tool, examples + "plan_fit_seek.py");
  CHECK_MESSAGE(buoy.status == 0, buoy.err);
  CHECK(contains(buoy.out, "power: kriging"));
  CHECK(contains(buoy.out, " 30.0"));  // as heavy as it may be
  const Answer own = python(tool, examples + "own_solver.py mine");
  CHECK_MESSAGE(own.status == 0, own.err);
  CHECK(contains(own.out, "it floats upside down"));
  CHECK(contains(own.out, "most power at {"));
  CHECK(tool("-s mine trust").status <= 1);  // the tool goes on with it
  const Answer tables = python(tool, examples + "tables.py");
  CHECK_MESSAGE(tables.status == 0, tables.err);
  CHECK(contains(tables.out, "plates"));
}

TEST_CASE("Python: the package's types are sound, and its modules are found" * doctest::skip(no_python)) {
  const Tool tool;
  const Answer typed = tool.shell(
      "mypy --python-executable /usr/bin/python3 --cache-dir=/dev/null " RENTH_PYTHON_PATH "/renth");
  CHECK_MESSAGE(typed.status == 0, typed.out);
  const Answer documented = python(
      tool,
      "-c 'import renth, inspect; print([n for n in renth.__all__ if not inspect.getdoc(getattr(renth, n))], "
      "[n for c in (renth.Model, renth.Study, renth.Space) for n, f in vars(c).items() if not "
      "n.startswith(\"_\") and "
      "not inspect.getdoc(getattr(c, n))])'");
  CHECK(documented.out == "[] []\n");
}
