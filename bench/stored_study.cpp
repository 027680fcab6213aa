// What asking a stored study costs beside reading it: one point from n runs and R responses against a bare
// SQL read of all their values, plus loading the surrogates, plus the prediction; at once after the fit, and
// the first time after something has changed.
#include <fmt/format.h>
#include <sqlite3.h>
#include <unistd.h>

#include <chrono>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <functional>
#include <renth/numeric/parallel.hpp>
#include <renth/workflow/fitting.hpp>
#include <renth/workflow/predicting.hpp>
#include <vector>

namespace {

using namespace renth;

double seconds(const std::function<void()>& work) {
  const auto begin = std::chrono::steady_clock::now();
  work();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
}
double best_of(int times, const std::function<void()>& work) {
  double best = 1e300;
  for (int i = 0; i < times; ++i) best = std::min(best, seconds(work));
  return best;
}

/// Steps through every row and looks at every value.
void read_all(const std::filesystem::path& file) {
  sqlite3* db = nullptr;
  sqlite3_open_v2(file.c_str(), &db, SQLITE_OPEN_READONLY, nullptr);
  std::size_t bytes = 0;
  for (const char* sql : {"SELECT id, settings FROM run ORDER BY id",
                          "SELECT run, response, value FROM output ORDER BY run, response"}) {
    sqlite3_stmt* query = nullptr;
    sqlite3_prepare_v2(db, sql, -1, &query, nullptr);
    while (sqlite3_step(query) == SQLITE_ROW)
      for (int c = 0; c < sqlite3_column_count(query); ++c) {
        sqlite3_column_text(query, c);
        bytes += std::size_t(sqlite3_column_bytes(query, c));
      }
    sqlite3_finalize(query);
  }
  sqlite3_close(db);
  if (bytes == 0) std::abort();
}

void make_study(const std::filesystem::path& folder, int n, int d, int responses) {
  std::string text = "[study]\nname = \"bench\"\nseed = 1\n";
  for (int j = 0; j < d; ++j) text += fmt::format("[[parameter]]\nname = \"x{}\"\nspan = [0, 1]\n", j);
  for (int k = 0; k < responses; ++k) text += fmt::format("[[response]]\nname = \"y{}\"\n", k);
  std::ofstream(folder / "study.toml") << text << "[solver]\nkind = \"manual\"\n";
  Session session(folder);
  const Eigen::MatrixXd points = sample_region(session.study.space, n, Values::physical, 1, "runs");
  std::vector<Run> runs(static_cast<std::size_t>(n));
  for (int i = 0; i < n; ++i)
    runs[std::size_t(i)].settings = session.study.settings(points.row(i).transpose());
  session.store.transaction([&] {
    const std::vector<std::int64_t> ids =
        session.store.add_batch({0, "all", "fit", "import", {}, 1, 0}, runs);
    for (int i = 0; i < n; ++i) {
      Outputs outputs;
      for (int k = 0; k < responses; ++k)
        outputs[fmt::format("y{}", k)] = {{std::sin(3 * points(i, 0) + k) + points(i, 1) * points(i, 2)}, {}};
      session.store.set_outputs(ids[std::size_t(i)], outputs);
      session.store.set_status(ids[std::size_t(i)], RunStatus::done, "", 0, 1);
    }
  });
  fit_responses(session, {.kind = "polynomial", .terms = "quadratic"});
}

void measure(int n, int d, int responses) {
  std::string name = "/tmp/renth-bench-XXXXXX";
  const std::filesystem::path folder = mkdtemp(name.data());
  make_study(folder, n, d, responses);
  const double sql = best_of(3, [&] { read_all(folder / "study.db"); });
  double load = 0, predict = 0;
  {
    Store store(folder);
    load = best_of(3, [&] {
      for (int k = 0; k < responses; ++k) store.fitted(fmt::format("y{}", k));
    });
    Session session(folder);
    const FittedStudy fitted(session, {});
    const Eigen::MatrixXd at = session.study.space.nominal().transpose();
    predict = best_of(5, [&] { predict_points(fitted, at, 0.95); });
  }
  const auto ask = [&] {
    Session session(folder);
    const FittedStudy fitted(session, {});
    predict_points(fitted, session.study.space.nominal().transpose(), 0.95);
  };
  const double kept = best_of(3, ask);
  const double after_change = best_of(2, [&] {
    {
      Store store(folder);
      store.set_aside(1, "", "once");
      store.set_aside(1, "", std::nullopt);
    }
    ask();
  });
  const double judging = after_change - kept, limit = sql + load + predict;
  fmt::print("{:>7} {:>4} {:>4}   {:8.1f} {:8.1f} {:8.2f}   {:8.1f}  {:5.2f}   {:9.1f}  {:9.2f}\n", n, d,
             responses, 1e3 * sql, 1e3 * load, 1e3 * predict, 1e3 * kept, kept / limit, 1e3 * after_change,
             1e3 * judging / responses);
  std::filesystem::remove_all(folder);
}

}  // namespace

int main() {
  const ParallelLimit one(1);
  fmt::print("one point from a stored study, ms; limit of the ratio 1.3\n\n");
  fmt::print(
      "   runs    d    R   SQL read     load  predict     asking  ratio   after a change  each judged "
      "anew\n");
  measure(10'000, 3, 1);
  measure(50'000, 3, 1);
  measure(100'000, 3, 1);
  measure(10'000, 10, 10);
  measure(10'000, 3, 20);
  measure(10'000, 3, 200);
}
