// Which renth this is.
#pragma once

#define RENTH_VERSION_MAJOR 0
#define RENTH_VERSION_MINOR 1
#define RENTH_VERSION_PATCH 0

namespace renth {

/// "MAJOR.MINOR.PATCH". With the same major number (before 1: the same minor one) programs go on compiling,
/// and studies, stores and models that were written go on being read; what was written by a later one need
/// not be.
inline constexpr const char* version = "0.1.0";

}  // namespace renth
