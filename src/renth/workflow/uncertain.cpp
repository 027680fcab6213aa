#include <renth/workflow/uncertain.hpp>

namespace renth {

Plan plan_uncertain(Session& session, int runs, Seed seed, Notes& notes) {
  using Index = Eigen::Index;
  const Study& study = session.study;
  if (runs <= 0) runs = std::max(5, suggested_runs(study.space) / 3);
  const Index count = std::max<Index>(1500, 3 * runs);
  const Eigen::MatrixXd points =
      sample_region(study.space, count, Values::settable, seed, "uncertain candidates");
  std::vector<Eigen::MatrixXd> covariances;
  std::string used;
  for (const Response& r : study.responses) {
    if (r.derive) continue;
    const auto stored = current_surrogate(session, r, notes);
    if (!stored) continue;
    const Index outputs = stored->surrogate->predict(points.topRows(1), {}).mean.cols();
    for (Index q = 0; q < outputs; ++q) {
      Eigen::MatrixXd c = stored->surrogate->covariance(points, q);
      const double mean = c.diagonal().mean();
      if (!(mean > 0)) continue;
      covariances.push_back(c / (mean * double(outputs)));
    }
    used += (used.empty() ? "" : ", ") + r.name;
  }
  if (covariances.empty())
    throw Error("no surrogate has been fitted", "plan uncertain",
                "renth fit first, or plan spread, which needs none");
  Eigen::MatrixXd chosen(runs, study.space.size());
  std::vector<char> taken(std::size_t(count), 0);
  for (int k = 0; k < runs; ++k) {
    Eigen::VectorXd sum = Eigen::VectorXd::Zero(count);
    for (const Eigen::MatrixXd& c : covariances) sum += c.diagonal();
    for (Index i = 0; i < count; ++i)
      if (taken[std::size_t(i)]) sum[i] = -1;
    Index best = 0;
    sum.maxCoeff(&best);
    taken[std::size_t(best)] = 1;
    chosen.row(k) = points.row(best);
    for (Eigen::MatrixXd& c : covariances) {
      const double own = c(best, best);
      if (own < 1e-14) continue;
      const Eigen::VectorXd column = c.col(best);
      c.noalias() -= column * (column / own).transpose();
    }
  }
  add_note(notes, "surrogates_used", "placed where the surrogates of " + used + " know least");
  Plan plan = make_plan(std::move(chosen), "fill", "uncertain", seed);
  plan.options = {{"runs", std::to_string(runs)}};
  plan.next = std::uint64_t(runs);
  return plan;
}

}  // namespace renth
