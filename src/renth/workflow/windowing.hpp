// The operating window of a study.
#pragma once
#include <map>
#include <optional>
#include <renth/search/window.hpp>
#include <renth/workflow/tolerancing.hpp>
#include <string>
#include <utility>
#include <vector>

namespace renth {

struct WindowRequest {
  double within = 0.99;
  double sure = 0;  ///< by the surrogates' errors; 0: by their means
  std::vector<std::pair<std::string, std::pair<double, double>>> span;  ///< by hand
  SettingAsked centre;                                                  ///< a setting that the window holds
  Settings hold;
  std::vector<std::pair<std::string, std::string>> set;  ///< as ToleranceRequest
  std::vector<std::string> accept;
  bool mean_only = false;
  std::string keep_as;  ///< keeps it by this name
  std::optional<Seed> seed;
  double level = 0.95;
};

struct WindowAnswer {
  WindowResult result;
  bool scatter = false;  ///< is in it
  double sure = 0;
  std::string kept_as;
  Settings held;  ///< choices and what was held
  double level = 0.95;
  Notes notes;
};

/// \throws Error  no accept limits; unknown names; ends that are no span.
WindowAnswer window_of(Session& session, const WindowRequest& request);

/// A window kept by name: ends of its parameters, and what was held. \throws Error  there is none.
struct KeptWindow {
  std::map<std::string, std::pair<double, double>> span;
  Settings held;
};
KeptWindow kept_window(Session& session, const std::string& name);

}  // namespace renth
