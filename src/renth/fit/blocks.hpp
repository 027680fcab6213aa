// Runs made in blocks: the shift of each block, taken out of what is fitted and put back where runs are
// predicted.
#pragma once
#include <renth/fit/fit.hpp>
#include <renth/surrogate/data.hpp>

namespace renth {

/// How far each block lies above the average of the blocks, by least squares of the blocks and
/// suggested_terms() (N. R. Draper and H. Smith, Applied Regression Analysis, 3rd ed., 1998, section 14.1);
/// what the runs cannot tell from the blocks is left to the blocks.
///
/// \param of  m block numbers.
/// \returns   m × q; NaN for a block that no run of `data` is in.
Eigen::MatrixXd block_effects(const Space& space, const Data& data, const Eigen::VectorXi& of);

/// The runs with block_effects() taken out of their outputs, as of one block. \throws Error  as check_data().
Data without_block_effects(const Space& space, const Data& data);

/// n × q: of each output the mean over the runs of the same block, what its variation is counted from.
Eigen::MatrixXd block_means(const Data& data);

/// The fit to outputs that block_effects() were taken out of; without blocks the fit itself. Polynomials need
/// it not: blocks are among their columns.
Fit without_blocks(Fit fit);

/// Predictions of runs with the shift of the block of each, as the runs that the surrogate was fitted to tell
/// it.
///
/// \param mean  what the surrogate predicts of the runs in the average block.
/// \returns     n × q; NaN where a block is not known.
Eigen::MatrixXd with_block_effects(const Surrogate& surrogate, const Space& space, const Data& fitted_to,
                                   const Data& runs, Eigen::MatrixXd mean);

}  // namespace renth
