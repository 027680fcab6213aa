// How one call of the solver ended, as a line in its folder.
#pragma once
#include <filesystem>
#include <optional>
#include <string>
#include <string_view>

namespace renth {

/// How a solver ended, as its keeper (or a task on a cluster) wrote it into the call's folder.
struct Outcome {
  enum class How { exited, signalled, timed_out, stopped, not_started } how = How::exited;
  int code = 0;            ///< exit status, signal, or errno of a start that failed
  double seconds = 0;      ///< wall clock
  double started = 0;      ///< seconds since 1970, UTC
  double peak_memory = 0;  ///< bytes, of its largest process; 0: not known
  double disk_left = -1;   ///< bytes free on the disk of its folder when it ended; −1: not known
};

/// In words: "exit status 2", "killed by signal 11 (Segmentation fault)", …
std::string describe(const Outcome& outcome);

/// The word in the line: "exited", …
std::string_view word(Outcome::How how);

/// One line: how code seconds started peak_kB disk_left_kB where "end". `where` says when the line can be
/// believed: the machine's boot id, so that what a power cut left half-written is not; or "cluster".
std::string to_line(const Outcome& outcome, std::string_view where);

/// Is what was written in another boot of this machine believed? It is when nothing else can be had.
enum class AnyBoot { no, yes };

/// What a line says; nothing if it is cut short, or was written in another boot of this machine.
std::optional<Outcome> outcome_of_line(const std::string& line, AnyBoot any = AnyBoot::no);

/// What the file `outcome` in the folder says, in the same way.
std::optional<Outcome> read_outcome(const std::filesystem::path& folder, AnyBoot any = AnyBoot::no);

/// Changes with every start of the machine.
std::string boot_id();

}  // namespace renth
