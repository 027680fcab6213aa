// Smallest and largest value of each response.
#pragma once
#include <optional>
#include <renth/numeric/random.hpp>
#include <renth/search/seek.hpp>
#include <renth/workflow/fitted_study.hpp>

namespace renth {

struct ExtremesResult {
  struct OfResponse {
    std::string response;
    Extremes extremes;
  };
  std::vector<OfResponse> responses;
  Notes notes;
};

/// Smallest and largest mean of each scalar response over the settings that can be made.
ExtremesResult extremes_of_responses(Session& session, const std::vector<std::string>& responses,
                                     std::optional<Seed> seed);

}  // namespace renth
