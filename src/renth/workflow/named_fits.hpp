// Fits that are kept by name, so that they can be compared and returned to.
#pragma once
#include <renth/workflow/fitting.hpp>
#include <string>
#include <vector>

namespace renth {

struct NamedFit {
  std::string name, response, kind;
  int runs = 0;
  std::string date;      ///< UTC, when it was fitted
  bool current = false;  ///< is it the current one as well?
};
struct NamedFitsResult {
  std::vector<NamedFit> fits;  ///< by name, then in the order of the responses
  bool any_current = false;    ///< has anything been fitted?
  Notes notes;
};

/// All fits that have a name.
NamedFitsResult list_fits(Session& session);

/// \throws Error  it is no name that a fit can have, or a fit of one of these responses has it.
void check_free_fit_name(Session& session, const std::string& name, const std::vector<Response>& responses);

/// Of these responses those that have a fit of this name. \param asked  by name; empty: all. \throws Error
/// none has, or one that was asked for by name has not.
std::vector<Response> responses_of_fit(Session& session, const std::string& name,
                                       const std::vector<std::string>& asked);

/// Keeps the current fits by a name too. \param responses  empty: all. \throws Error  check_free_fit_name();
/// there is none.
NamedFitsResult name_current_fits(Session& session, const std::string& name,
                                  const std::vector<std::string>& responses);

/// Takes the name from fits. \throws Error  responses_of_fit().
NamedFitsResult forget_fits(Session& session, const std::string& name,
                            const std::vector<std::string>& responses);

/// Makes the fits of a name the current ones again. All or none: \throws Error  responses_of_fit(); the study
/// or the runs of one have changed since.
FitResult return_to_fits(Session& session, const std::string& name, const std::vector<std::string>& responses,
                         double level);

}  // namespace renth
