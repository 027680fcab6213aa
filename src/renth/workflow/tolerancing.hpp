// What becomes of a setting of a study in production.
#pragma once
#include <memory>
#include <optional>
#include <renth/search/centring.hpp>
#include <renth/tolerance/tolerance.hpp>
#include <renth/workflow/fitted_study.hpp>
#include <renth/workflow/named_settings.hpp>
#include <string>
#include <utility>
#include <vector>

namespace renth {

struct ToleranceRequest {
  SettingAsked setting;                                  ///< nothing: the best proposal, else nominal
  std::string batch;                                     ///< real runs drawn by plan scatter instead
  std::vector<std::pair<std::string, std::string>> set;  ///< a parameter's scatter: "normal:0.05"
  std::vector<std::string> accept;                       ///< limits in place of the file's: "power>=40"
  bool mean_only = false;
  bool centre = false;  ///< look for a better setting nearby
  Settings hold;        ///< of that
  ToleranceOptions options;
  std::optional<Seed> seed;
};

struct ToleranceAnswer {
  ToleranceResult result;
  bool from_runs = false;
  std::string setting;  ///< which it is, in words: "proposal 1"
  std::vector<SpecificationLimit> limits;
  std::vector<Accept> accept;          ///< one a response
  Space space;                         ///< with the scatter that was taken
  std::optional<Estimate> as_in_file;  ///< the yield without what was typed
  std::optional<Centred> better;
  std::optional<double> surrogate_says;  ///< of real runs: the share by the surrogates at the same points
  int failed = 0;                        ///< of them: they count as out of specification
  double level = 0.95;
  Notes notes;
};

/// \throws Error  no scatter, no accept limits; a setting that breaks a limit; scatter or limits that cannot
/// be
///                read; a batch without runs.
ToleranceAnswer tolerance_of(Session& session, const ToleranceRequest& request);

/// A study's model with what was typed instead of its scatter and limits, ready to be asked.
class ProductionModel {
 public:
  /// \param options  of the specification; the chance of failing and `accept` are filled in.
  ProductionModel(Session& session, const FittedStudy& fitted,
                  const std::vector<std::pair<std::string, std::string>>& set,
                  const std::vector<std::string>& accept, SpecificationOptions options, Notes& notes);
  const Specification& specification() const { return *specification_; }
  const Space& space() const { return predictor_->problem().space; }
  bool scatters() const;

 private:
  std::unique_ptr<Predictor> predictor_;
  std::unique_ptr<Specification> specification_;
};

/// Says how far the surrogates behind accept limits can be believed, and which limits have none and are not
/// counted. \param accept  one a response.
void note_limits(const Study& study, const FittedStudy& fitted, const std::vector<Accept>& accept,
                 Notes& notes);

/// "normal:0.05", "uniform:10%", "triangular:…", "lognormal:5%", "measured:FILE", "none", or shares of levels
/// and choices: "steel=0.9,composite=0.1".
Scatter scatter_typed(const Parameter& parameter, const std::string& text, const std::string& place);

}  // namespace renth
