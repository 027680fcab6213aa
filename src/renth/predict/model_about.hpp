// What is told about a model where it goes without its study.
#pragma once
#include <cstdint>
#include <map>
#include <string>

namespace renth {

struct ModelAbout {
  std::uint64_t seed = 0;                    ///< of the study
  std::map<std::string, std::string> worth;  ///< by response: how far it can be believed, in a line
};

}  // namespace renth
