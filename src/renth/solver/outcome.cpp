#include <fmt/format.h>

#include <cstring>
#include <fstream>
#include <renth/solver/outcome.hpp>
#include <renth/solver/regular_file.hpp>
#include <sstream>

namespace renth {
namespace {
constexpr std::string_view words[] = {"exited", "signalled", "timed_out", "stopped", "not_started"};
}

std::string describe(const Outcome& o) {
  switch (o.how) {
    case Outcome::How::exited:
      return fmt::format("exit status {}", o.code);
    case Outcome::How::signalled:
      return fmt::format("killed by signal {} ({})", o.code, strsignal(o.code));
    case Outcome::How::timed_out:
      return fmt::format("ended after {:.3g} s, its time was up", o.seconds);
    case Outcome::How::stopped:
      return "stopped on request";
    default:
      return fmt::format("could not be started: {}", std::strerror(o.code));
  }
}

std::string_view word(Outcome::How how) {
  return words[static_cast<int>(how)];
}

std::string to_line(const Outcome& o, std::string_view where) {
  return fmt::format("{} {} {:.6f} {:.3f} {:.0f} {:.0f} {} end\n", word(o.how), o.code, o.seconds, o.started,
                     o.peak_memory / 1024, o.disk_left < 0 ? -1 : o.disk_left / 1024, where);
}

std::optional<Outcome> outcome_of_line(const std::string& line, AnyBoot any) {
  std::istringstream in(line);
  std::string how, where, end;
  Outcome out;
  double peak = 0, left = -1;
  if (!(in >> how >> out.code >> out.seconds >> out.started >> peak >> left >> where >> end) || end != "end")
    return std::nullopt;
  if (any == AnyBoot::no && where != "cluster" && where != boot_id()) return std::nullopt;
  out.peak_memory = 1024 * peak;
  out.disk_left = left < 0 ? -1 : 1024 * left;
  for (std::size_t i = 0; i < std::size(words); ++i)
    if (how == words[i]) {
      out.how = static_cast<Outcome::How>(i);
      return out;
    }
  return std::nullopt;
}

std::optional<Outcome> read_outcome(const std::filesystem::path& folder, AnyBoot any) {
  return outcome_of_line(RegularFile(folder / "outcome").read(0, 512), any);
}

std::string boot_id() {
  static const std::string id = [] {
    std::ifstream in("/proc/sys/kernel/random/boot_id");
    std::string text;
    in >> text;
    return text.empty() ? "unknown" : text;
  }();
  return id;
}

}  // namespace renth
