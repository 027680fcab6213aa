#include <fmt/format.h>

#include <algorithm>
#include <limits>
#include <renth/base/error.hpp>
#include <renth/predict/model.hpp>

namespace renth {

bool Model::has(int response) const {
  const std::vector<int> from = sources_of(problem, response);
  return std::all_of(from.begin(), from.end(), [&](int s) { return parts[std::size_t(s)] != nullptr; });
}

int Model::folds(int response) const {
  int fewest = std::numeric_limits<int>::max();
  for (const int s : sources_of(problem, response)) {
    const auto& part = parts[std::size_t(s)];
    fewest = std::min(fewest, part ? int(part->folds.models().size()) : 0);
  }
  return fewest == std::numeric_limits<int>::max() ? 0 : fewest;
}

void check_model(const Model& model) {
  check_problem(model.problem);
  const std::vector<Response>& responses = model.problem.responses;
  if (model.parts.size() != responses.size())
    throw Error(fmt::format("{} parts for {} responses", model.parts.size(), responses.size()), "parts",
                "give one a response, empty where there is no surrogate");
  bool any = false;
  for (std::size_t k = 0; k < responses.size(); ++k) {
    const auto& part = model.parts[k];
    any = any || part;
    if (part && (responses[k].derive || !part->surrogate))
      throw Error(
          responses[k].derive ? "a derived response has no surrogate of its own" : "the surrogate is missing",
          responses[k].name, "leave the part empty");
  }
  if (!any) throw Error("no response has a surrogate", "parts", "fit some");
}

}  // namespace renth
