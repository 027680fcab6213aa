// Samples of the unit cube, in independent parts from whose differences the error of a mean is seen.
#pragma once
#include <Eigen/Core>
#include <renth/base/words.hpp>
#include <renth/numeric/random.hpp>

namespace renth {

enum class Sampling { hypercube, hammersley, sobol, random, corners };
inline constexpr EnumWords<Sampling, 5> sampling_words{
    "way of sampling", {"hypercube", "hammersley", "sobol", "random", "corners"}};

/// `parts` × `each` points of the open unit cube, one part below another; each is uniform by itself, and the
/// parts are independent.
///
/// A random Latin hypercube (M. D. McKay, R. J. Beckman and W. J. Conover, Technometrics 21, 1979); an even
/// column beside scrambled Halton points, shifted at random (J. M. Hammersley, Ann. N. Y. Acad. Sci. 86,
/// 1960; R. Cranley and T. N. L. Patterson, SIAM J. Numer. Anal. 13, 1976); a Sobol' sequence with Owen's
/// scrambling; plain random numbers. Corners are no sample.
Eigen::MatrixXd unit_sample(Sampling method, Eigen::Index parts, Eigen::Index each, Eigen::Index dimensions,
                            Seed seed);

/// The standard normal number of each quantile.
Eigen::MatrixXd normal_scores(const Eigen::MatrixXd& units);

/// A number with the interval that holds it at the level asked for.
struct Estimate {
  double value = 0, low = 0, high = 0;
  double half_width() const { return 0.5 * (high - low); }
};

/// Wilson's interval of a share, of `hits` among `count` independent ones (E. B. Wilson, J. Am. Stat. Assoc.
/// 22, 1927).
Estimate share_of_independent(double hits, double count, double level);

/// The mean of zeros and ones in a sample of equal parts. Its interval is the narrower one of Student's t
/// over the parts' means and Wilson's, as if all were independent, which even samples are no worse than;
/// Wilson's alone where fewer than thirty are of one sort, or for plain random numbers. \param hits  one a
/// part. \param each  size of a part.
Estimate share_of_sample(const Eigen::VectorXd& hits, double each, Sampling method, double level);

}  // namespace renth
