#include <renth/cli/built_by.hpp>

namespace renth::cli {

BuiltBy built_by() {
  return {RENTH_COMPILER, RENTH_BUILD};
}

}  // namespace renth::cli
