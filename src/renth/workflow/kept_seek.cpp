#include <cmath>
#include <nlohmann/json.hpp>
#include <renth/base/error.hpp>
#include <renth/workflow/kept_seek.hpp>

namespace renth {
namespace {

/// The document of the last seek, and whether nothing has changed since; null: there was none.
struct Kept {
  nlohmann::json document;
  bool up_to_date = false;
};
Kept last_seek(Session& session) {
  const std::vector<KeptResult> kept = session.store.results("seek");
  if (kept.empty()) return {};
  return {nlohmann::json::parse(kept[0].document, nullptr, false), kept[0].state == session.data_state()};
}

std::map<std::string, double> numbers_of(const nlohmann::json& object) {
  std::map<std::string, double> out;
  if (object.is_object())
    for (const auto& [key, value] : object.items())
      if (value.is_number()) out[key] = value.get<double>();
  return out;
}

std::map<std::string, std::pair<double, double>> ranges_of(const nlohmann::json& object) {
  std::map<std::string, std::pair<double, double>> out;
  for (const auto& [key, value] : object.items())
    if (value.is_array() && value.size() == 2 && value[0].is_number() && value[1].is_number())
      out[key] = {value[0].get<double>(), value[1].get<double>()};
  return out;
}

}  // namespace

std::optional<KeptNearBest> kept_near_best(Session& session) {
  const Kept kept = last_seek(session);
  if (!kept.up_to_date || !kept.document.is_object() || !kept.document.contains("near_best") ||
      !kept.document["near_best"].is_object())
    return std::nullopt;
  try {
    const nlohmann::json& near = kept.document["near_best"];
    return KeptNearBest{settings_from_json(near.at("best")), ranges_of(near.at("alone")),
                        ranges_of(near.at("box"))};
  } catch (const std::exception&) {
    return std::nullopt;  // as another version kept it
  }
}

std::vector<SeekRound> kept_history(Session& session) {
  std::vector<SeekRound> out;
  const Kept kept = last_seek(session);
  if (!kept.document.is_object() || !kept.document.contains("history") ||
      !kept.document["history"].is_array())
    return out;
  for (const nlohmann::json& round : kept.document["history"])
    out.push_back({round.value("round", 0), round.value("run", std::int64_t(0)), Eigen::VectorXd(),
                   numbers_of(round["predicted"]), numbers_of(round["computed"])});
  return out;
}

KeptFront kept_front(Session& session) {
  const Study& study = session.study;
  const Kept kept = last_seek(session);
  const nlohmann::json& document = kept.document;
  if (document.is_object() && document.contains("front") && document["front"].is_array()) {
    KeptFront out;
    out.up_to_date = kept.up_to_date;
    try {
      for (const auto& goal : document.at("goals")) {
        Goal g;
        g.response = study.response(goal.at("response").get<std::string>());
        if (g.response < 0) throw Error("gone", "", "");
        g.aim = aim_words.value(goal.at("aim").get<std::string>(), "seek");
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
