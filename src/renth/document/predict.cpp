#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>
#include <renth/document/parts.hpp>
#include <renth/document/predict.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/table/table_file.hpp>

namespace renth {
namespace {

/// What is predicted of one response at one point and axis point.
Figures figures_at(const ResponsePrediction& r, Eigen::Index row, Eigen::Index q, double level) {
  const bool calibrated = r.calibrated_low.cols() > 0;
  const double sd = r.sd(row, q);
  Figures out = {
      number("mean", "mean", r.mean(row, q), 5), number("sd", "sd", sd, 2),
      bounds("confidence", "of the mean", r.confidence_low(row, q), r.confidence_high(row, q), level),
      bounds("prediction", "of a run", r.prediction_low(row, q), r.prediction_high(row, q), level),
      calibrated
          ? bounds("calibrated", "calibrated", r.calibrated_low(row, q), r.calibrated_high(row, q), level)
          : bounds("calibrated", "calibrated", NAN, NAN, level).as("–")};
  for (Figure& f : out) f = std::move(f).known_to(sd);
  return out;
}

/// Of one response: a row an axis point.
Rows rows_of(const ResponsePrediction& r, Eigen::Index row, double level) {
  Rows out;
  for (Eigen::Index q = 0; q < r.mean.cols(); ++q) out.push_back(figures_at(r, row, q, level));
  return out;
}

}  // namespace

Json prediction_document(const Problem& problem, const Predictions& p, Eigen::Index row, double level) {
  Figures responses;
  for (const ResponsePrediction& r : p.responses) {
    const Response& response = problem.responses[std::size_t(r.response)];
    const Rows rows = rows_of(r, row, level);
    Figures one = response.is_curve() ? along_axis(rows) : rows.front();
    one.push_back(yes_no("inside", "", p.inside[std::size_t(row)] != 0));
    responses.push_back(group(response.name, std::move(one)));
  }
  Figures out = {setting("point", problem, p.points.row(row).transpose()), group("responses", responses)};
  if (!p.failure_risk.empty()) out.push_back(number("failure_risk", "", p.failure_risk[std::size_t(row)]));
  return json_of(out);
}

std::string prediction_table(const Problem& problem, const Predictions& p, Eigen::Index row, double level) {
  Rows lines;
  const bool curves = std::any_of(p.responses.begin(), p.responses.end(), [&](const ResponsePrediction& r) {
    return problem.responses[std::size_t(r.response)].is_curve();
  });
  for (const ResponsePrediction& r : p.responses) {
    const Response& response = problem.responses[std::size_t(r.response)];
    const Axis* axis = problem.axis_of(response);
    for (std::size_t q = 0; Figures & one : rows_of(r, row, level)) {
      lines.push_back({text("", "response", with_unit(response.name, response.unit))});
      if (curves)
        lines.back().push_back(text("", "at", axis ? pretty(axis->points[q++]) + " " + axis->unit : ""));
      lines.back().insert(lines.back().end(), one.begin(), one.end());
    }
  }
  const double risk = p.failure_risk.empty() ? 0 : p.failure_risk[std::size_t(row)];
  constexpr double worth_saying = 0.02;
  return fmt::format(
             "at {}{}{}\n", describe(problem.space, p.points.row(row).transpose()),
             p.inside[std::size_t(row)] ? "" : "   (OUTSIDE what the runs cover)",
             risk > worth_saying ? fmt::format("   (the solver fails with a chance of {:.2g})", risk) : "") +
         table_of(lines) + "\n";
}

Json to_document(const Problem& problem, const PredictResult& r) {
  Json predictions = Json::array();
  for (Eigen::Index i = 0; i < r.predictions.size(); ++i)
    predictions.push_back(prediction_document(problem, r.predictions, i, r.level));
  return {{"predictions", predictions}, {"level", r.level}, {"notes", notes_document(r.notes)}};
}

std::string to_table(const Problem& problem, const PredictResult& r) {
  std::string out;
  for (Eigen::Index i = 0; i < r.predictions.size(); ++i)
    out += prediction_table(problem, r.predictions, i, r.level);
  return out + notes_of(r.notes);
}

namespace {

struct CsvColumn {
  const char* name;
  Eigen::MatrixXd ResponsePrediction::*values;
};
using P = ResponsePrediction;
constexpr CsvColumn csv_columns[] = {{"mean", &P::mean},
                                     {"sd", &P::sd},
                                     {"confidence_low", &P::confidence_low},
                                     {"confidence_high", &P::confidence_high},
                                     {"prediction_low", &P::prediction_low},
                                     {"prediction_high", &P::prediction_high},
                                     {"calibrated_low", &P::calibrated_low},
                                     {"calibrated_high", &P::calibrated_high}};

}  // namespace

std::string prediction_csv_header(const Problem& problem, const Predictions& p) {
  std::string out;
  for (const Parameter& parameter : problem.space.parameters()) out += parameter.name + ",";
  for (const ResponsePrediction& r : p.responses) {
    const Response& response = problem.responses[std::size_t(r.response)];
    const Axis* axis = problem.axis_of(response);
    for (Eigen::Index q = 0; q < r.mean.cols(); ++q)
      for (const CsvColumn& c : csv_columns)
        out += fmt::format("{}{}_{},", response.name,
                           axis ? fmt::format("@{}", axis->points[std::size_t(q)]) : "", c.name);
  }
  return out + "inside\n";
}

namespace {

std::string csv_of_rows(const Problem& problem, const Predictions& p, Eigen::Index from, Eigen::Index to) {
  fmt::memory_buffer out;
  const auto at = std::back_inserter(out);
  const auto add = [&](double v) {
    std::isfinite(v) ? fmt::format_to(at, "{},", v) : fmt::format_to(at, ",");
  };
  for (Eigen::Index i = from; i < to; ++i) {
    for (Eigen::Index j = 0; j < problem.space.size(); ++j) {
      const Parameter& parameter = problem.space[j];
      if (parameter.is_choice())
        fmt::format_to(at, "{},", csv_cell(parameter.choices[std::size_t(p.points(i, j))]));
      else
        add(p.points(i, j));
    }
    for (const ResponsePrediction& r : p.responses)
      for (Eigen::Index q = 0; q < r.mean.cols(); ++q)
        for (const CsvColumn& c : csv_columns) {
          const Eigen::MatrixXd& values = r.*c.values;
          add(values.cols() > 0 ? values(i, q) : NAN);
        }
    fmt::format_to(at, "{}\n", p.inside[std::size_t(i)] ? "true" : "false");
  }
  return fmt::to_string(out);
}

}  // namespace

std::string prediction_csv(const Problem& problem, const Predictions& p) {
  constexpr Eigen::Index block = 1024;
  std::vector<std::string> parts(std::size_t((p.size() + block - 1) / block));
  parallel_for(std::int64_t(parts.size()), [&](std::int64_t b) {
    parts[std::size_t(b)] = csv_of_rows(problem, p, b * block, std::min(p.size(), (b + 1) * block));
  });
  std::string out;
  for (const std::string& part : parts) out += part;
  return out;
}

}  // namespace renth
