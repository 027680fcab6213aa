#include <renth/adaptive/acquire.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/workflow/uncertain.hpp>

namespace renth {

std::vector<Eigen::MatrixXd> joint_covariances(Session& session, const std::vector<Response>& responses,
                                               const Eigen::MatrixXd& points, std::string& used,
                                               Notes& notes) {
  struct Asked {
    std::shared_ptr<const Surrogate> surrogate;
    Eigen::Index at, of;
  };
  std::vector<Asked> outputs;
  for (const Response& r : responses) {
    if (r.derive) continue;
    const auto stored = current_surrogate(session, r, notes);
    if (!stored) continue;
    const Eigen::Index count = stored->surrogate->predict(points.topRows(1), {}).mean.cols();
    for (Eigen::Index q = 0; q < count; ++q) outputs.push_back({stored->surrogate, q, count});
    used += (used.empty() ? "" : ", ") + r.name;
  }
  std::vector<Eigen::MatrixXd> out(outputs.size());
  parallel_for(std::int64_t(outputs.size()), [&](std::int64_t k) {
    const Asked& o = outputs[std::size_t(k)];
    Eigen::MatrixXd c = o.surrogate->covariance(points, o.at);
    const double mean = c.diagonal().mean();
    if (mean > 0) out[std::size_t(k)] = c / (mean * double(o.of));
  });
  std::erase_if(out, [](const Eigen::MatrixXd& c) { return c.size() == 0; });
  return out;
}

Plan plan_uncertain(Session& session, int runs, Seed seed, Notes& notes) {
  const Study& study = session.study;
  if (runs <= 0) runs = std::max(5, suggested_runs(study.space) / 3);
  const Eigen::MatrixXd points = sample_region(study.space, std::max<Eigen::Index>(1500, 3 * runs),
                                               Values::settable, seed, "uncertain candidates");
  std::string used;
  std::vector<Eigen::MatrixXd> covariances = joint_covariances(session, study.responses, points, used, notes);
  if (covariances.empty() && !used.empty())
    throw Error(
        "the surrogates of " + used + " state no uncertainty anywhere, so none is larger than another",
        "plan uncertain", "renth plan spread, which needs none, or renth fit kriging");
  if (covariances.empty())
    throw Error("no surrogate has been fitted", "plan uncertain",
                "renth fit first, or plan spread, which needs none");
  const std::vector<Eigen::Index> chosen = choose_uncertain(Beliefs(std::move(covariances)), runs);
  add_note(notes, "surrogates_used", "placed where the surrogates of " + used + " know least");
  Plan plan = make_plan(points(chosen, Eigen::all), "fill", "uncertain", seed);
  plan.options = {{"runs", std::to_string(runs)}};
  plan.next = std::uint64_t(runs);
  return plan;
}

}  // namespace renth
