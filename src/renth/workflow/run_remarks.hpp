// What must be said of the runs wherever surrogates of them are told.
#pragma once
#include <renth/store/session.hpp>

namespace renth {

/// Notes: runs that failed, runs set aside by hand, parameters that never moved, settings that gave different
/// values though the study says that they cannot.
void note_runs(Session& session, Notes& notes);

}  // namespace renth
