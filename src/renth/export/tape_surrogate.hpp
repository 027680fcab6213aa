// Surrogates of every kind on a tape.
#pragma once
#include <renth/export/tape.hpp>
#include <renth/surrogate/surrogate.hpp>

namespace renth {

/// What a surrogate says of one setting: q outputs.
struct SurrogateOnTape {
  TapeVector mean;
  TapeVector variance;            ///< of the mean; none if it was not asked for
  std::vector<TapeVector> parts;  ///< as ErrorPart::model
};

/// \param x  d natural values.  \param want  variance and parts; no slopes.
/// \throws Error  a kind that cannot be put so.
SurrogateOnTape surrogate_on_tape(const Surrogate& surrogate, TapeVector x, Want want);

// The kinds that take a file of their own.
class Kriging;
class KrigingEnsemble;
class NearestKriging;
SurrogateOnTape kriging_on_tape(const Kriging& kriging, TapeVector x, Want want);
SurrogateOnTape ensemble_on_tape(const KrigingEnsemble& ensemble, TapeVector x, Want want);
SurrogateOnTape nearest_on_tape(const NearestKriging& kriging, TapeVector x, Want want);

}  // namespace renth
