#include <fmt/format.h>

#include <cmath>
#include <renth/document/parts.hpp>
#include <renth/document/predict.hpp>

namespace renth {
namespace {

Json predicted(const Study& study, const Predictions& p, Eigen::Index row) {
  Json out = Json::object();
  for (const ResponsePrediction& r : p.responses) {
    const Response& response = study.responses[std::size_t(r.response)];
    out[response.name] = {{"mean", json_row(response, r.mean, row)},
                          {"sd", json_row(response, r.sd, row)},
                          {"confidence", json_bounds(response, r.confidence_low, r.confidence_high, row)},
                          {"prediction", json_bounds(response, r.prediction_low, r.prediction_high, row)},
                          {"calibrated", json_bounds(response, r.calibrated_low, r.calibrated_high, row)},
                          {"inside", p.inside[std::size_t(row)] != 0}};
  }
  return out;
}

}  // namespace

Json to_document(const Study& study, const PredictResult& r) {
  const Predictions& p = r.predictions;
  Json predictions = Json::array();
  for (Eigen::Index i = 0; i < p.size(); ++i)
    predictions.push_back(
        {{"point", json_point(study, p.points.row(i).transpose())}, {"responses", predicted(study, p, i)}});
  Notes notes = r.notes;
  for (const ResponsePrediction& one : p.responses)
    if (p.size() > 0 && one.calibrated_low.cols() == 0)
      add_note(notes, "not_calibrated",
               "calibrated is null for derived responses and where there are too few runs for the level");
  return {{"predictions", predictions}, {"notes", notes_document(notes)}};
}

std::string to_table(const Study& study, const PredictResult& r) {
  const Predictions& p = r.predictions;
  std::string out;
  for (Eigen::Index i = 0; i < p.size(); ++i) {
    out += fmt::format("at {}{}\n", describe(study.space, p.points.row(i).transpose()),
                       p.inside[std::size_t(i)] ? "" : "   (OUTSIDE what the runs cover)");
    TextTable table({"response", "at", "mean", "sd", "95 % of the mean", "95 % of a run", "calibrated"});
    for (const ResponsePrediction& one : p.responses) {
      const Response& response = study.responses[std::size_t(one.response)];
      const Axis* axis = study.axis_of(response);
      for (Eigen::Index q = 0; q < one.mean.cols(); ++q)
        table.text(with_unit(response.name, response.unit))
            .text(axis ? pretty(axis->points[std::size_t(q)]) + " " + axis->unit : "")
            .text(pretty(one.mean(i, q), 5))
            .text(pretty(one.sd(i, q), 3))
            .text(interval(one.confidence_low(i, q), one.confidence_high(i, q)))
            .text(interval(one.prediction_low(i, q), one.prediction_high(i, q)))
            .text(one.calibrated_low.cols() > 0
                      ? interval(one.calibrated_low(i, q), one.calibrated_high(i, q))
                      : "–")
            .end_row();
    }
    out += table.str() + "\n";
  }
  return out + notes_of(r.notes);
}

}  // namespace renth
