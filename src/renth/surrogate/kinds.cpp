#include <fmt/format.h>

#include <renth/surrogate/along.hpp>
#include <renth/surrogate/kinds.hpp>
#include <renth/surrogate/kriging.hpp>
#include <renth/surrogate/polynomial.hpp>

namespace renth {
namespace {

Fit polynomial_again(const Surrogate& whole) {
  const auto& one = static_cast<const Polynomial&>(whole);
  return polynomial_fit({one.state().terms, Confounded::leave_out, one.state().transform});
}

Fit kriging_again(const Surrogate& whole) {
  KrigingOptions options;
  options.warm_start = static_cast<const Kriging&>(whole).warm_start();
  options.starts = 2;
  options.screening = 12;
  return kriging_fit(options);
}

/// For curves: each axis point again from its own member.
std::function<Fit(const Surrogate&)> along_again(Fit (*again)(const Surrogate&)) {
  return [again](const Surrogate& whole) -> Fit {
    const auto* curve = dynamic_cast<const Along*>(&whole);
    if (!curve) return again(whole);
    std::vector<Fit> fits;
    for (std::size_t k = 0; k < curve->size(); ++k) fits.push_back(again(curve->member(k)));
    return along_axis(std::move(fits));
  };
}

}  // namespace

const std::vector<SurrogateKind>& surrogate_kinds() {
  static const std::vector<SurrogateKind> kinds = {
      {"polynomial", "least squares on polynomial terms",
       [](const Space& space, const Data&, const FitRequest& request) {
         PolynomialOptions options;
         if (!request.terms.empty()) options.terms = parse_terms(space, request.terms);
         options.transform = request.transform;
         return along_axis({polynomial_fit(options)});
       },
       along_again(polynomial_again), Polynomial::load},
      {"kriging", "a Gaussian process through the runs, Matérn 5/2",
       [](const Space&, const Data&, const FitRequest&) { return along_axis({kriging_fit()}); },
       along_again(kriging_again), Kriging::load},
  };
  return kinds;
}

const SurrogateKind& surrogate_kind(std::string_view name) {
  std::string known;
  for (const SurrogateKind& kind : surrogate_kinds()) {
    if (kind.name == name) return kind;
    known += (known.empty() ? "" : ", ") + kind.name;
  }
  throw Error(fmt::format("no surrogate kind is called \"{}\"", name), "fit",
              "use one of " + known + ", or none to let the best be chosen");
}

std::unique_ptr<const Surrogate> load_surrogate(const Archive& archive) {
  if (archive.version > (archive.kind == "polynomial" ? 2 : 1))
    throw Error("a stored surrogate has a layout that this version does not know", "study.db", "fit again",
                ErrorKind::machine);
  if (archive.kind == "along") return Along::load(archive);
  return surrogate_kind(archive.kind).load(archive);
}

}  // namespace renth
