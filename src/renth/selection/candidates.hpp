// What fit_response tries.
#pragma once
#include <renth/fit/methods.hpp>
#include <renth/selection/choose.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kriging.hpp>

namespace renth {

/// A way of fitting a whole response, with its place among the simpler and the less simple.
struct Candidate {
  FitMethod method;
  double complexity = 0;
};

/// All candidates but blends and those that need others to be fitted before.
std::vector<Candidate> candidates_of(const Space& space, const Data& data, std::string_view kind,
                                     const FitRequest& request);

/// A polynomial with its terms chosen, here and in every fold from the same candidates.
/// \param selections  receives one an output.
Candidate chosen_polynomial(const Space& space, const Data& data, const FitRequest& request,
                            const TermChoice& choice, std::vector<TermSelection>& selections);

/// A candidate on the parameters that matter to a kriging: of `runs` runs those that are known already, on
/// part of them, or others, they are found again; beyond most_sought_in_folds runs the folds keep them.
///
/// \param lengths  of the kriging that has been fitted. \param known  what matters to it
/// (active_parameters()).
Candidate on_fewer_parameters(const Candidate& candidate, const Process& lengths,
                              const std::vector<Eigen::Index>& known, Eigen::Index runs);

/// A candidate for a curve, an axis point at a time.
Candidate point_by_point(const Space& space, const Data& data, const Candidate& shapes,
                         const FitRequest& request);

/// The place of a kind.
double complexity_of(std::string_view kind);

}  // namespace renth
