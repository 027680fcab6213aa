#include <renth/cli/cli.hpp>
#include <renth/document/predict.hpp>
#include <renth/study/table_points.hpp>

namespace renth::cli {
namespace {

/// Points named one by one, else those of a table, else the nominal one.
Eigen::MatrixXd points_asked(const Study& study, const std::vector<std::string>& at,
                             const std::string& file) {
  if (!file.empty()) {
    Eigen::MatrixXd out = points_in_table(study, file, false);
    if (out.rows() == 0) throw Error("the table has no points", file, "give it a row a point");
    return out;
  }
  if (at.empty()) return study.space.nominal().transpose();
  std::vector<Eigen::VectorXd> rows;
  for (const std::string& text : at)
    rows.push_back(study.point(parse_settings(text, "--at"), "--at " + text));
  return stacked(rows, study.space.size());
}

}  // namespace

std::function<int()> declare_predict(CLI::App& app, Globals& globals) {
  struct Options {
    std::vector<std::string> at;
    std::string points;
  };
  auto o = std::make_shared<Options>();
  auto* at = app.add_option(
      "--at", o->at, "settings such as radius=5,hull=steel; the rest is nominal; may be given several times");
  app.add_option("--points", o->points,
                 "a table of settings, a column a parameter; missing columns are nominal")
      ->excludes(at);
  return [o, &globals] {
    Session session(globals.study);
    const Study& study = session.study;
    const Eigen::MatrixXd points = points_asked(study, o->at, o->points);
    const PredictResult result = predict_points(FittedStudy(session, {}), points, globals.level);
    print(globals, study, result);
    return status_of(result.notes);
  };
}

}  // namespace renth::cli
