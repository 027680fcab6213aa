#include <renth/workflow/logging.hpp>

namespace renth {

LogResult log_of(Session& session) {
  LogResult out;
  out.commands = session.store.logged();
  const std::uint64_t now = session.data_state();
  for (const KeptResult& r : session.store.results())
    out.results.push_back({r.verb, r.variant, r.date,
                           r.verb == "plan" || r.verb == "run" || r.verb == "import"
                               ? std::nullopt
                               : std::optional(r.state == now)});
  return out;
}

}  // namespace renth
