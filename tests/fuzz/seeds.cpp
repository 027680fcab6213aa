// Writes a small surrogate of every kind, or small models, as fuzz_surrogate and fuzz_model_file read them.
// Use: fuzz-seeds surrogate|model_file FOLDER
#include <cmath>
#include <filesystem>
#include <fstream>
#include <renth/adaptive/feasibility.hpp>
#include <renth/fit/along_axis.hpp>
#include <renth/fit/along_components.hpp>
#include <renth/fit/kriging_fit.hpp>
#include <renth/fit/nearest_kriging_fit.hpp>
#include <renth/fit/on_active_parameters.hpp>
#include <renth/fit/polynomial_fit.hpp>
#include <renth/fit/warped_fit.hpp>
#include <renth/predict/model_file.hpp>
#include <renth/quality/cross_validation.hpp>
#include <renth/selection/choose.hpp>
#include <renth/space/region.hpp>
#include <renth/surrogate/layered.hpp>
#include <renth/surrogate/rescaled.hpp>
#include <support.hpp>

#include "kinds.hpp"

using namespace renth;

namespace {

struct Small {
  Space space{{continuous("a", 0, 1), choice("hull", {"steel", "wood"})}};
  Eigen::MatrixXd runs = sample_region(space, 12, Values::settable, 1, "runs");
  Data one = test::data_of(runs, [](const Eigen::VectorXd& x) { return std::sin(3 * x[0]) + x[1]; });
  Data curve = one;

  Small() {
    curve.outputs.resize(12, 3);
    for (int q = 0; q < 3; ++q) curve.outputs.col(q) = one.outputs.col(0) * (q + 1) + runs.col(0);
  }
  std::vector<bool> failed() const {
    std::vector<bool> out;
    for (Eigen::Index i = 0; i < runs.rows(); ++i) out.push_back(runs(i, 0) > 0.6);
    return out;
  }
};

std::vector<std::shared_ptr<const Surrogate>> all(const Small& s) {
  std::vector<std::shared_ptr<const Surrogate>> out;
  for (const char* kind : {"polynomial", "kriging", "rbf", "moving", "chaos", "blend"})
    out.push_back(fit_response(s.space, s.one, {.kind = kind}).surrogate);
  const Data steep =
      test::data_of(s.runs, [](const Eigen::VectorXd& x) { return std::exp(4 * x[0] + x[1]); });
  out.push_back(kriging_fit({.draws = 2})(s.space, s.one, 1));
  out.push_back(warped_kriging_fit({.draws = 2})(s.space, steep, 1));
  out.push_back(std::make_shared<Layered>(out[0], out[1]));
  const Fit linear = polynomial_fit({parse_terms(s.space, "linear")});
  out.push_back(along_axis({linear})(s.space, s.curve, 1));
  out.push_back(along_components({linear})(s.space, s.curve, 1));
  out.push_back(feasibility_fit(s.space, s.runs, s.failed(), 1));
  return out;
}

void write(const std::filesystem::path& file, const std::string& bytes) {
  std::ofstream(file, std::ios::binary).write(bytes.data(), std::streamsize(bytes.size()));
}

}  // namespace

int main(int count, char** words) {
  if (count != 3) return 2;
  const std::string what = words[1];
  const std::filesystem::path folder = words[2];
  const Small s;
  int number = 0;
  for (const auto& surrogate : all(s)) {
    const Archive archive = surrogate->save();
    const bool is_curve = archive.kind == "along" || archive.kind == "components";
    const std::string file = "seed-" + std::to_string(++number);
    if (what == "surrogate") {
      for (int k = 0; k < fuzz::kind_count; ++k)
        if (archive.kind == fuzz::kinds[k])
          write(folder / file, std::string{char(k), char(archive.version)} + archive.bytes);
      continue;
    }
    if (archive.kind == "feasibility") continue;
    Model m;
    m.problem.name = "s";
    m.problem.space = s.space;
    m.problem.order = {"a", "hull"};
    m.problem.axes = {{"t", "s", {1, 2, 4}}};
    m.problem.responses.resize(1);
    m.problem.responses[0].name = "y";
    if (is_curve) m.problem.responses[0].axis = 0;
    m.parts = {std::make_shared<const Model::Part>(Model::Part{surrogate, FoldModels({}, {}, {}), "good"})};
    m.coverage = Coverage(s.space, s.runs);
    m.feasibility = feasibility_fit(s.space, s.runs, s.failed(), 1);
    write(folder / file, model_text(m));
  }
}
