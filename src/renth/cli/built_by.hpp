// What built this program.
#pragma once

namespace renth::cli {

struct BuiltBy {
  const char *compiler, *optimisation;
};
BuiltBy built_by();

}  // namespace renth::cli
