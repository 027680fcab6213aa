// Calls as tasks of a cluster. What it was given is in the store, so that this process may end at any time.
#pragma once
#include <renth/running/run_book.hpp>

namespace renth {

/// Collects what has ended, submits what is planned, and waits, as far as the options want that.
/// \param lock  file descriptor of the study's lock.
void run_on_cluster(Session& session, const RunningOptions& options, RunBook& book, int lock);

}  // namespace renth
