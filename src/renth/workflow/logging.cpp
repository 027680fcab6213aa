#include <renth/workflow/logging.hpp>

namespace renth {

bool result_lasts(const std::string& verb) {
  return verb == "plan" || verb == "run" || verb == "import";
}

LogResult log_of(Session& session) {
  LogResult out;
  out.commands = session.store.logged();
  const std::uint64_t now = session.data_state();
  for (const KeptResult& r : session.store.results())
    out.results.push_back(
        {r.verb, r.variant, r.date, result_lasts(r.verb) ? std::nullopt : std::optional(r.state == now)});
  return out;
}

}  // namespace renth
