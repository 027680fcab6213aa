// What the store keeps of calls of the solver: parts of runs, the journal, what a cluster was given.
#pragma once
#include <cstdint>
#include <map>
#include <string>
#include <vector>

namespace renth {

/// One axis point of a run with `per`, as far as it has come.
struct Piece {
  int point = 0;
  bool failed = false;
  std::string message;
  double seconds = 0;
};

/// Who ran what when: one call of the solver that ended, one way or another.
struct JournalEntry {
  std::int64_t run = 0;
  int point = -1;  ///< axis point with `per`
  int attempt = 1;
  double started = 0, seconds = 0;  ///< seconds since 1970 (UTC); wall clock
  double peak_memory = 0;           ///< bytes; 0: not known
  std::string host, user, command;  ///< the command's words as a JSON list
  std::string inputs;               ///< {"file": "SHA-256 in hex", …}
  std::string outcome;              ///< "done", or why not
};

/// One array of tasks given to a cluster.
struct Submission {
  std::int64_t id = 0;
  std::string name;  ///< of the job; the same on no other submission
  std::string job;   ///< the cluster's number of the array; empty until it was told
  int tasks = 0;
  bool open = true;  ///< some of its calls have not been collected
};

/// Where a call went.
struct Submitted {
  std::int64_t submission = 0;
  int task = 0;
  std::int64_t run = 0;
  int point = -1;
};

}  // namespace renth
