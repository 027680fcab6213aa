#include <cmath>
#include <nlohmann/json.hpp>
#include <renth/base/error.hpp>
#include <renth/workflow/kept_front.hpp>

namespace renth {

KeptFront kept_front(Session& session) {
  const Study& study = session.study;
  for (const KeptResult& kept : session.store.results()) {
    if (kept.verb != "seek") continue;
    const auto document = nlohmann::json::parse(kept.document, nullptr, false);
    if (!document.is_object() || !document.contains("front") || !document["front"].is_array()) continue;
    KeptFront out;
    out.up_to_date = kept.state == session.data_state();
    try {
      for (const auto& goal : document.at("goals")) {
        Goal g;
        g.response = study.response(goal.at("response").get<std::string>());
        if (g.response < 0) throw Error("gone", "", "");
        const std::string aim = goal.at("aim");
        g.aim = aim == "maximise"   ? Goal::Aim::maximise
                : aim == "minimise" ? Goal::Aim::minimise
                                    : Goal::Aim::target;
        g.target = goal.value("target", 0.0);
        out.goals.push_back(g);
      }
      const auto& front = document.at("front");
      const auto n = Eigen::Index(front.size()), q = Eigen::Index(out.goals.size());
      out.points.resize(n, study.space.size());
      out.means.resize(n, q);
      out.sds.resize(n, q);
      for (Eigen::Index i = 0; i < n; ++i) {
        const auto& one = front.at(std::size_t(i));
        out.points.row(i) = study.point(settings_from_json(one.at("point")), "front").transpose();
        out.knee.push_back(one.at("knee").get<bool>());
        for (Eigen::Index g = 0; g < q; ++g) {
          const auto& r =
              one.at("responses").at(study.responses[std::size_t(out.goals[std::size_t(g)].response)].name);
          out.means(i, g) = r.at("mean").is_number() ? r.at("mean").get<double>() : NAN;
          out.sds(i, g) = r.at("sd").is_number() ? r.at("sd").get<double>() : NAN;
        }
      }
      return out;
    } catch (const std::exception&) {
      throw Error("the front that was found no longer fits the study", "seek", "renth seek --front");
    }
  }
  throw Error("no front was found yet", "seek", "renth seek --front");
}

}  // namespace renth
