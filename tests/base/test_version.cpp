#include <doctest/doctest.h>

#include <renth/version.hpp>
#include <string>

TEST_CASE("the version is one, as a text and as numbers") {
  CHECK(std::string(renth::version) == std::to_string(RENTH_VERSION_MAJOR) + "." +
                                           std::to_string(RENTH_VERSION_MINOR) + "." +
                                           std::to_string(RENTH_VERSION_PATCH));
}
