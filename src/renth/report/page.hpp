// The live page of a study: one HTML file that answers by itself.
#pragma once
#include <renth/document/json.hpp>
#include <renth/store/session.hpp>
#include <string>

namespace renth {

struct PageOptions {
  double level = 0.95;
  std::string version;  ///< of the tool, shown
  std::string connect;  ///< addition to the page's policy where it is served; empty: it asks nobody
  bool served = false;
  Json view = nullptr;  ///< one view alone: {"tab", "response", "x", "y", "at"}; null: the whole page
};

/// What is worked out for a page and stays as it is until runs that count, surrogates or the study change.
struct PageMemory {
  std::uint64_t state = 0;  ///< Session::data_state()
  Json trust, extremes;
};

/// What the page carries: the problem, the model (null if nothing is fitted), runs, verdicts with residuals,
/// and what seek, mark, window and rank have found, as long as it fits the study.
/// \param with_model  else `model` is null; `model_state` tells one from another.
/// \param memory      of a page that is asked again; nullptr: nothing is remembered.
Json page_data(Session& session, const PageOptions& options, Notes& notes, bool with_model = true,
               PageMemory* memory = nullptr);

/// The whole page. \throws Error  this renth was built without the page.
std::string page_html(Session& session, const PageOptions& options, Notes& notes,
                      PageMemory* memory = nullptr);

}  // namespace renth
