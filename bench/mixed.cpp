// Functions of numbers and choices: the surrogate that is chosen on all runs beside one kriging a category
// (anisotropic Matérn 5/2 about a constant, maximum likelihood, ten starts) on the runs of that category.
// Plain Latin hypercubes, fresh points beside them. The functions are published ones, some of whose numbers
// became choices as in Y. Zhang, S. Tao, W. Chen and D. W. Apley, Technometrics 62, 2020, section 5.
#include <algorithm>
#include <atomic>
#include <cstdio>
#include <cstdlib>
#include <functions.hpp>
#include <map>
#include <renth/base/error.hpp>
#include <renth/fit/kriging_fit.hpp>
#include <renth/numeric/parallel.hpp>
#include <renth/numeric/random.hpp>
#include <renth/plan/latin_hypercube.hpp>
#include <renth/selection/choose.hpp>
#include <renth/space/region.hpp>
#include <thread>

using namespace renth;

namespace {

struct Mixed {
  std::string name;
  Space space;
  std::function<double(const Eigen::VectorXd&)> value;  ///< of numbers, and of labels counted from 0
};

/// Makes choices of some parameters of a function of numbers: of each, the values of its labels.
Mixed with_choices(const bench::TestFunction& f, const std::map<Eigen::Index, std::vector<double>>& labels) {
  std::vector<Parameter> parameters;
  for (std::size_t j = 0; j < f.ranges.size(); ++j) {
    const std::string name = "x" + std::to_string(j + 1);
    const auto found = labels.find(Eigen::Index(j));
    if (found == labels.end()) {
      parameters.push_back(continuous(name, f.ranges[j].first, f.ranges[j].second));
      continue;
    }
    std::vector<std::string> names;
    for (std::size_t k = 0; k < found->second.size(); ++k) names.push_back("type " + std::to_string(k + 1));
    parameters.push_back(choice(name, names));
  }
  return {f.name, Space(parameters), [f, labels](const Eigen::VectorXd& x) {
            Eigen::VectorXd numbers = x;
            for (const auto& [j, values] : labels) numbers[j] = values[std::size_t(x[j])];
            return f.value(numbers);
          }};
}

/// End of a beam of six shapes of section under a load: L³/(3·10⁹ h⁴ I), in the article's normalised moments.
Mixed beam() {
  static const double moment[] = {0.0833, 0.0449, 0.0633, 0.0373, 0.0167, 0.0491};
  return {"beam",
          Space({continuous("length", 10, 20), continuous("height", 1, 2),
                 choice("section", {"a", "b", "c", "d", "e", "f"})}),
          [](const Eigen::VectorXd& x) {
            return std::pow(x[0], 3) / (3e9 * std::pow(x[1], 4) * moment[int(x[2])]) * 6e8;
          }};
}

/// Made up: three curves of one number, two alike and one not.
Mixed waves() {
  return {"waves", Space({continuous("x", 0, 1), choice("curve", {"a", "b", "c"})}),
          [](const Eigen::VectorXd& x) {
            const double rate[] = {-1.4, -3.0, 0.0}, phase[] = {3.5, 3.5, 2.0};
            return std::exp(rate[int(x[1])] * x[0]) * std::cos(phase[int(x[1])] * bench::pi * x[0]);
          }};
}

Data data_of(const Mixed& f, const Eigen::MatrixXd& points) {
  Data data{points, Eigen::MatrixXd(points.rows(), 1), {}, false};
  for (Eigen::Index i = 0; i < points.rows(); ++i)
    data.outputs(i, 0) = f.value(Eigen::VectorXd(points.row(i).transpose()));
  return data;
}

/// Which combination of labels a row has.
std::vector<int> categories(const Space& space, const Eigen::MatrixXd& points) {
  std::vector<int> out(std::size_t(points.rows()), 0);
  for (Eigen::Index j = 0; j < space.size(); ++j)
    if (space[j].is_choice())
      for (std::size_t i = 0; i < out.size(); ++i)
        out[i] = out[i] * int(space[j].choices.size()) + int(points(Eigen::Index(i), j));
  return out;
}

/// One kriging a category; what is missing there by the mean of its runs, or of all.
Eigen::VectorXd one_a_category(const Space& space, const Data& data, const Eigen::MatrixXd& points,
                               Seed seed) {
  std::vector<Parameter> numbers;
  std::vector<Eigen::Index> columns;
  for (Eigen::Index j = 0; j < space.size(); ++j)
    if (!space[j].is_choice()) {
      numbers.push_back(space[j]);
      columns.push_back(j);
    }
  const Space inner(numbers);
  KrigingOptions plain;
  plain.kernel = Kernel::matern52;
  plain.prior = false;
  plain.starts = 10;
  plain.nugget = KrigingOptions::Nugget::none;
  const std::vector<int> of_runs = categories(space, data.inputs), of_points = categories(space, points);
  Eigen::VectorXd out(points.rows());
  std::map<int, int> all;
  for (const int c : of_points) ++all[c];
  for (const auto& [c, count] : all) {
    std::vector<Eigen::Index> rows, at;
    for (std::size_t i = 0; i < of_runs.size(); ++i)
      if (of_runs[i] == c) rows.push_back(Eigen::Index(i));
    for (std::size_t i = 0; i < of_points.size(); ++i)
      if (of_points[i] == c) at.push_back(Eigen::Index(i));
    const Data own{data.inputs(rows, columns), data.outputs(rows, Eigen::all), {}, false};
    Eigen::VectorXd values = Eigen::VectorXd::Constant(
        Eigen::Index(at.size()), rows.empty() ? data.outputs.mean() : own.outputs.mean());
    if (rows.size() >= 3) try {
        values = kriging_fit(plain)(inner, own, seed)->predict(points(at, columns)).mean.col(0);
      } catch (const Error&) {  // the mean stays
      }
    out(at) = values;
  }
  return out;
}

struct Job {
  const Mixed* function;
  int runs;
  Seed seed;
  double apart = 0, chosen = 0, inside = 0;
  std::string kind;
};

void work(Job& job) {
  const Space& space = job.function->space;
  const Data data = data_of(
                 *job.function,
                 latin_hypercube(
                     space, {.runs = job.runs, .criterion = LatinHypercubeOptions::Criterion::none}, job.seed)
                     .points),
             fresh = data_of(*job.function, sample_region(space, 1000, Values::physical, job.seed, "fresh"));
  const Eigen::VectorXd y = fresh.outputs.col(0);
  const double sd = std::sqrt((y.array() - y.mean()).square().mean()), root = std::sqrt(double(y.size()));
  job.apart = (one_a_category(space, data, fresh.inputs, job.seed) - y).norm() / root / sd;
  const FittedResponse fitted = fit_response(space, data, {.seed = job.seed});
  const Prediction p = predict_in_blocks(*fitted.surrogate, fresh.inputs, {.variance = true});
  job.chosen = (p.mean.col(0) - y).norm() / root / sd;
  const Intervals at = fitted.surrogate->intervals(p, 0.95);
  job.inside =
      ((y.array() >= at.prediction_low.col(0).array()) && (y.array() <= at.prediction_high.col(0).array()))
          .cast<double>()
          .mean();
  job.kind = fitted.surrogate->kind();
}

}  // namespace

/// Use: bench-mixed [SEEDS]
int main(int argc, char** argv) {
  const ParallelLimit limit;
  const int seeds = argc > 1 ? std::atoi(argv[1]) : 10;
  const std::vector<Mixed> functions = {
      waves(), beam(),
      with_choices(bench::otl_circuit(), {{2, {0.5, 1.2, 2.1, 2.9}}, {5, {50, 100, 150, 200, 250, 300}}}),
      with_choices(bench::piston(),
                   {{3, {1000, 2000, 3000, 4000, 5000}}, {4, {9e4, 9.5e4, 1e5, 1.05e5, 1.1e5}}}),
      with_choices(bench::borehole(), {{0, {0.05, 0.10, 0.15}}, {6, {1120, 1300, 1500, 1680}}})};
  std::vector<Job> jobs;
  for (const Mixed& f : functions) {
    int combinations = 1;
    for (Eigen::Index j = 0; j < f.space.size(); ++j)
      if (f.space[j].is_choice()) combinations *= int(f.space[j].choices.size());
    for (const int each : combinations > 10 ? std::vector{3, 5, 8} : std::vector{6, 10, 16})
      for (int seed = 1; seed <= seeds; ++seed)
        jobs.push_back({&f, each * combinations, Seed(seed), 0, 0, 0, {}});
  }
  std::atomic<std::size_t> next{0};
  const auto loop = [&] {
    for (std::size_t k = next++; k < jobs.size(); k = next++) work(jobs[k]);
  };
  std::thread other(loop);
  loop();
  other.join();
  std::printf("%-12s %5s %14s %9s %7s %7s %7s  %s\n", "function", "runs", "one a category", "chosen", "ratio",
              "worst", "inside", "kinds chosen");
  double all = 0;
  for (std::size_t k = 0; k < jobs.size(); k += std::size_t(seeds)) {
    double apart = 0, chosen = 0, worst = 0, inside = 0;
    std::map<std::string, int> kinds;
    for (std::size_t j = k; j < k + std::size_t(seeds); ++j) {
      apart += std::log(jobs[j].apart) / seeds;
      chosen += std::log(jobs[j].chosen) / seeds;
      worst = std::max(worst, jobs[j].chosen / jobs[j].apart);
      inside += jobs[j].inside / seeds;
      ++kinds[jobs[j].kind];
    }
    all += (chosen - apart) * seeds / double(jobs.size());
    std::printf("%-12s %5d %14.4f %9.4f %7.3f %7.3f %6.1f%% ", jobs[k].function->name.c_str(), jobs[k].runs,
                std::exp(apart), std::exp(chosen), std::exp(chosen - apart), worst, 100 * inside);
    for (const auto& [name, count] : kinds) std::printf(" %d %s;", count, name.c_str());
    std::printf("\n");
  }
  std::printf("geometric mean of ratios %.3f\n", std::exp(all));
}
