#include <renth/cli/cli.hpp>
#include <renth/document/predict.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/study/table_points.hpp>
#include <renth/table/whole_file.hpp>
#include <renth/workflow/exporting_model.hpp>

namespace renth::cli {
namespace {

struct PredictOptions {
  std::vector<std::string> at;
  std::string points, output, from_model;
};

/// Points named one by one, else those of a table, else the nominal one.
Eigen::MatrixXd points_asked(const Problem& problem, const PredictOptions& o) {
  if (!o.points.empty()) {
    Eigen::MatrixXd out = points_in_table(problem, o.points, false);
    if (out.rows() == 0) throw Error("the table has no points", o.points, "give it a row a point");
    return out;
  }
  if (o.at.empty()) return problem.space.nominal().transpose();
  std::vector<Eigen::VectorXd> rows;
  for (const std::string& text : o.at)
    rows.push_back(problem.point(parse_settings(text, "--at"), "--at " + text));
  return stacked(rows, problem.space.size());
}

/// Writes to a file as CSV, or prints, a part of the points after the other. \returns  the notes on all.
Notes predict_many(const Globals& globals, const Predictor& predictor, const Eigen::MatrixXd& points,
                   const PredictOptions& o, Notes notes) {
  const Problem& problem = predictor.problem();
  const auto predict = [&](const std::function<void(const Predictions&)>& take) {
    add_notes(notes, predict_in_parts(predictor, points, globals.level, take));
  };
  if (!o.output.empty()) {
    bool first = true;
    write_whole_file(o.output, [&](std::ostream& out) {
      predict([&](const Predictions& p) {
        if (first) out << prediction_csv_header(problem, p);
        first = false;
        out << prediction_csv(problem, p);
      });
    });
    const Json said = {{"file", o.output},
                       {"points", points.rows()},
                       {"level", globals.level},
                       {"notes", notes_document(notes)}};
    if (globals.json)
      print_document(said);
    else
      print("Wrote predictions at {} points to {}.\n{}", points.rows(), o.output, notes_of(notes));
    return notes;
  }
  bool first = true;
  if (globals.json) print("{{\"predictions\":[\n");
  predict([&](const Predictions& p) {
    for (Eigen::Index i = 0; i < p.size(); ++i) {
      if (!globals.json) {
        print_table(globals, prediction_table(problem, p, i, globals.level));
        continue;
      }
      print("{}{}", first ? "" : ",", json_text(prediction_document(problem, p, i, globals.level)));
      first = false;
    }
  });
  if (globals.json)
    print("],\"level\":{},\"notes\":{}}}\n", globals.level, json_text(notes_document(notes)));
  else
    print_table(globals, notes_of(notes));
  return notes;
}

/// More points than this are neither held at once nor kept.
constexpr Eigen::Index many = 1000;

int predict(const PredictOptions& o, const Globals& globals) {
  if (!o.from_model.empty()) {
    const Predictor predictor(std::make_shared<const Model>(read_model_file(o.from_model)), parallel_for);
    const Eigen::MatrixXd points = points_asked(predictor.problem(), o);
    if (points.rows() > many || !o.output.empty())
      return status_of(predict_many(globals, predictor, points, o, {}));
    const PredictResult result = predict_points(predictor, points, globals.level);
    print(globals, predictor.problem(), result);
    return status_of(result.notes);
  }
  Session session(globals.study);
  const Eigen::MatrixXd points = points_asked(session.study, o);
  const FittedStudy fitted(session, {});
  if (points.rows() > many || !o.output.empty()) {
    const int status = status_of(predict_many(globals, fitted.predictor(), points, o, fitted.notes()));
    log(globals, session, status);
    return status;
  }
  const PredictResult result = predict_points(fitted, points, globals.level);
  return finish(globals, session, result, status_of(result.notes));
}

}  // namespace

std::function<int()> declare_predict(CLI::App& app, Globals& globals) {
  auto o = std::make_shared<PredictOptions>();
  auto* at = app.add_option(
      "--at", o->at, "settings such as radius=5,hull=steel; the rest is nominal; may be given several times");
  app.add_option("--points", o->points,
                 "a table of settings, a column a parameter; missing columns are nominal")
      ->excludes(at);
  app.add_option("-o,--output", o->output, "write them as CSV, a line a point, instead of printing them");
  app.add_option("--from-model", o->from_model,
                 "ask a file that renth export model wrote, without any study");
  return [o, &globals] { return predict(*o, globals); };
}

}  // namespace renth::cli
