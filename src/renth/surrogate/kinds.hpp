// The table of surrogate kinds.
#pragma once
#include <renth/surrogate/surrogate.hpp>
#include <renth/surrogate/transform.hpp>
#include <string>
#include <vector>

namespace renth {

/// What may be asked of a fit by name; each kind takes what concerns it.
struct FitRequest {
  std::string terms;    ///< TERMS of a polynomial; empty: suggested from the runs
  Transform transform;  ///< of the response of a polynomial
};

/// One kind of surrogate.
struct SurrogateKind {
  std::string name, summary;
  /// A fit with these options, of a response with one or more outputs.
  std::function<Fit(const Space&, const Data&, const FitRequest&)> fit;
  /// The same fit again on part of the runs, hyperparameters refitted, starting where `whole` ended.
  std::function<Fit(const Surrogate& whole)> again;
  std::function<std::unique_ptr<const Surrogate>(const Archive&)> load;
};

/// All kinds in the order in which they are tried, simplest first.
const std::vector<SurrogateKind>& surrogate_kinds();

/// \throws Error  an unknown name; the message lists the known ones.
const SurrogateKind& surrogate_kind(std::string_view name);

/// Reads back what Surrogate::save wrote. \throws Error  unknown kind or layout.
std::unique_ptr<const Surrogate> load_surrogate(const Archive& archive);

}  // namespace renth
