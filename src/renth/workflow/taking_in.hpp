// Runs whose folders are there though the store does not know them: after a store was lost.
#pragma once
#include <renth/base/notes.hpp>
#include <renth/store/session.hpp>

namespace renth {

struct TakeInResult {
  int done = 0, failed = 0;
  int planned = 0;  ///< had not ended: to be run again
  int known = 0;    ///< were in the store already
  Notes notes;
};

/// Reads the folders of runs (study/runs/000001, …) into a store that was opened for taking in: each run gets
/// back its number, batch, settings and results. Nothing in the folders is changed.
///
/// \throws Error  another renth is running this study; runs are being computed.
TakeInResult take_in_runs(Session& session);

}  // namespace renth
