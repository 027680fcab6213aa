#include <fmt/format.h>

#include <boost/crc.hpp>
#include <cmath>
#include <nlohmann/json.hpp>
#include <renth/base/text.hpp>
#include <renth/predict/model_file.hpp>
#include <renth/predict/problem_json.hpp>
#include <renth/surrogate/archive_json.hpp>
#include <renth/surrogate/kinds.hpp>

namespace renth {
namespace {

using Json = nlohmann::ordered_json;

constexpr int model_version = 1;
/// What stands between the text that the checksum is of and the checksum.
constexpr std::string_view seal = ",\"crc32\":\"";

std::string crc32(std::string_view text) {
  boost::crc_32_type crc;
  crc.process_bytes(text.data(), text.size());
  return fmt::format("{:08x}", crc.checksum());
}

[[noreturn]] void refuse(const std::string& what, const std::string& place,
                         const std::string& remedy = "export the model again") {
  throw Error(what, place, remedy);
}

Json part_to_json(const Problem& problem, std::size_t k, const Model::Part& part) {
  Json folds = Json::array();
  for (const auto& fold : part.folds.models()) folds.push_back(archive_to_json(fold->save()));
  const std::vector<int>& of_run = part.folds.fold();
  Eigen::MatrixXd fold(Eigen::Index(of_run.size()), 1);
  for (std::size_t i = 0; i < of_run.size(); ++i) fold(Eigen::Index(i), 0) = of_run[i];
  return {{"response", problem.responses[k].name},
          {"verdict", part.verdict},
          {"surrogate", archive_to_json(part.surrogate->save())},
          {"fold_of_run", matrix_to_json(fold)},
          {"left_out_error", matrix_to_json(part.folds.error())},
          {"fold_surrogates", folds}};
}

/// A surrogate that answers as many outputs as its response has.
std::shared_ptr<const Surrogate> surrogate_from(const Json& json, const Problem& problem,
                                                Eigen::Index outputs, const std::string& name) {
  std::shared_ptr<const Surrogate> out = load_surrogate(archive_from_json(json));
  const Eigen::Index answers = out->predict(problem.space.nominal().transpose()).mean.cols();
  if (answers != outputs)
    throw Error(fmt::format("the surrogate of {} answers {} values, not {}", name, answers, outputs), name,
                "export the model again");
  return out;
}

Model::Part part_from(const Json& json, const Problem& problem, const Response& response) {
  const Eigen::Index outputs = problem.outputs(response);
  Model::Part part{surrogate_from(json.at("surrogate"), problem, outputs, response.name), {}};
  part.verdict = json.at("verdict").get<std::string>();
  FoldModels::Models models;
  for (const Json& fold : json.at("fold_surrogates"))
    models.push_back(surrogate_from(fold, problem, outputs, response.name));
  const Eigen::MatrixXd fold = matrix_from_json(json.at("fold_of_run"));
  const Eigen::MatrixXd error = matrix_from_json(json.at("left_out_error"));
  std::vector<int> of_run;
  for (Eigen::Index i = 0; i < fold.rows() && fold.cols() == 1; ++i) {
    const double f = fold(i, 0);
    if (!(f >= 0 && f < double(models.size()) && f == std::floor(f)))
      throw Error("a run of no fold", response.name, "export the model again");
    of_run.push_back(int(f));
  }
  const bool none = error.size() == 0 && of_run.empty();
  if (!none && (error.rows() != Eigen::Index(of_run.size()) || error.cols() != outputs))
    throw Error("errors of other runs than the folds", response.name, "export the model again");
  part.folds = FoldModels(std::move(models), std::move(of_run), error);
  return part;
}

Model model_from(const Json& document) {
  Model out;
  out.problem = problem_from_json(document.at("problem"));
  out.parts.resize(out.problem.responses.size());
  for (const Json& part : document.at("surrogates")) {
    const std::string name = part.at("response").get<std::string>();
    const int k = out.problem.response(name);
    if (k < 0 || out.problem.responses[std::size_t(k)].derive || out.parts[std::size_t(k)])
      throw Error("a surrogate of " + name + ", which has none or two", "surrogates",
                  "export the model again");
    out.parts[std::size_t(k)] = std::make_shared<const Model::Part>(
        part_from(part, out.problem, out.problem.responses[std::size_t(k)]));
  }
  out.coverage = Coverage::load(out.problem.space, archive_from_json(document.at("coverage")));
  if (!document.at("feasibility").is_null())
    out.feasibility = surrogate_from(document["feasibility"], out.problem, 1, "feasibility");
  return out;
}

}  // namespace

std::string model_text(const Model& model) {
  Json surrogates = Json::array();
  for (std::size_t k = 0; k < model.parts.size(); ++k)
    if (model.parts[k]) surrogates.push_back(part_to_json(model.problem, k, *model.parts[k]));
  const Json document = {
      {"format", "renth model"},
      {"version", model_version},
      {"problem", problem_to_json(model.problem)},
      {"surrogates", std::move(surrogates)},
      {"coverage", archive_to_json(model.coverage.save())},
      {"feasibility", model.feasibility ? archive_to_json(model.feasibility->save()) : Json(nullptr)}};
  std::string text = document.dump();
  text.pop_back();  // the brace, which comes after the checksum
  const std::string sum = crc32(text);
  return text.append(seal).append(sum).append("\"}\n");
}

Model read_model(std::string_view text, const std::string& place) {
  constexpr std::string_view head = "{\"format\":\"renth model\",\"version\":";
  if (text.substr(0, head.size()) != head)
    refuse("this is not a model", place, "name a file that renth export model wrote, unchanged");
  const std::size_t at = text.rfind(seal);
  if (at == text.npos || text.substr(at + seal.size(), 8) != crc32(text.substr(0, at)) ||
      text.substr(std::min(text.size(), at + seal.size() + 8)).substr(0, 2) != "\"}")
    refuse("the model is damaged: its checksum is not that of its text", place,
           "copy it again, or export the model again");
  if (nested_deeper(text, most_nested_json)) refuse("the model is nested too deep", place);
  try {
    const Json document = Json::parse(text);
    if (document.at("version").get<int>() > model_version)
      refuse("the model was made by a newer renth", place, "use that version or a newer one");
    return model_from(document);
  } catch (const nlohmann::json::exception& e) {
    refuse(fmt::format("the model is not as it should be ({})", e.what()), place);
  } catch (const Error& e) {
    refuse(e.problem() + (e.place().empty() ? "" : " (" + e.place() + ")"), place);
  }
}

}  // namespace renth
