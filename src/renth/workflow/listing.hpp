// Looking at runs, and setting them aside.
#pragma once
#include <renth/store/session.hpp>

namespace renth {

struct RunsResult {
  std::vector<Run> runs;
  Notes notes;
};

struct ListingOptions {
  std::string where;  ///< a condition on parameters, responses, id, batch, use, origin, status
  std::string sort;   ///< a parameter, a scalar response or id; with - in front descending
};

/// The runs for which the condition holds; a run that lacks a response the condition uses is left out.
/// \throws Error  the condition does not parse; an unknown name to sort by.
RunsResult list_runs(Session& session, const ListingOptions& options);

/// Sets runs aside with a reason (or takes them back in without one), altogether or for one response.
/// All or none. \throws Error  an unknown run or response; an empty reason.
void set_runs_aside(Session& session, const std::vector<std::int64_t>& ids, const std::string& response,
                    const std::optional<std::string>& why);

}  // namespace renth
