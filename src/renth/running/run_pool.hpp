// Calls as processes of this machine, side by side under a keeper.
#pragma once
#include <renth/running/run_book.hpp>

namespace renth {

/// Makes all calls that the book has, until none is left or the user stops.
void run_processes(Session& session, const RunningOptions& options, RunBook& book);

}  // namespace renth
