#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <limits>
#include <optional>
#include <renth/base/names.hpp>
#include <renth/running/run_book.hpp>
#include <renth/running/run_cluster.hpp>
#include <renth/running/run_lock.hpp>
#include <renth/running/run_pool.hpp>
#include <renth/running/stopwatch.hpp>
#include <renth/store/maker.hpp>
#include <renth/workflow/running.hpp>

namespace renth {
namespace {

/// Solvers that came with renth are found even if its folder is not on the PATH.
void let_solvers_be_found_beside_us() {
  std::error_code error;
  const std::filesystem::path self = std::filesystem::read_symlink("/proc/self/exe", error);
  const char* path = std::getenv("PATH");
  const std::string beside = self.parent_path().string();
  if (!error && (!path || (":" + std::string(path) + ":").find(":" + beside + ":") == std::string::npos))
    setenv("PATH", fmt::format("{}:{}", path ? path : "/usr/bin:/bin", beside).c_str(), 1);
}

Outputs formula_outputs(const Study& study, const Run& run) {
  const Eigen::VectorXd point = point_of(study, run);
  std::vector<double> numbers(point.data(), point.data() + point.size());
  for (const double v : study.fixed_numbers()) numbers.push_back(v);
  Outputs out;
  for (const auto& [response, expression] : study.solver.formulas) {
    const Axis* axis = study.axis_of(study.responses[study.response(response)]);
    Output& output = out[response];
    if (!axis) {
      output.values = {expression->value({numbers.data(), nullptr})};
      continue;
    }
    output.axis = axis->points;
    for (const double x : axis->points) {
      std::vector<double> with = numbers;
      with.push_back(x);
      output.values.push_back(expression->value({with.data(), nullptr}));
    }
  }
  return out;
}

void compute_formulas(Session& session, const RunningOptions& options, RunBook& book) {
  const auto began = Clock::now();
  session.store.transaction([&] {
    for (const Call call : book.reopen()) book.put_back(call);
    book.choose();
  });
  while (book.any_waiting() && options.stop() == 0) {
    session.store.transaction([&] {
      for (int i = 0; i < 256; ++i) {
        const auto run = book.next_run();
        if (!run) break;
        try {
          book.done(*run, formula_outputs(session.study, *run));
        } catch (const Error& e) {
          book.failed(*run, fmt::format("{} ({})", e.problem(), e.place()));
        }
      }
    });
    book.progress.seconds = seconds_since(began);
    options.progress(book.progress);
  }
  book.summary.stopped = book.any_waiting();
}

void refuse_what_cannot_run(Session& session, const RunningOptions& options) {
  if (session.study.solver.kind == SolverSpec::Kind::manual)
    throw Error("this study has no solver", "study.toml [solver]",
                "renth runs --export FILE, fill in the responses, renth import FILE");
  if (!options.batch.empty()) session.store.need_batch(options.batch, "--batch");
}

/// Plans anew what was not computed as it would be today; the older runs are set aside. \returns  the new
/// runs.
std::vector<std::int64_t> renew(Session& session, const RunBook& book) {
  std::vector<std::int64_t> out;
  const Makers makers(session);
  session.store.transaction([&] {
    for (const Run& run : session.store.runs()) {
      if (run.status != RunStatus::done || run.set_aside || !book.wanted(run.id, run.batch) ||
          makers.as_today(run.maker))
        continue;
      Run again;
      again.origin = run.origin;
      again.block = run.block;
      again.settings = run.settings;
      out.push_back(session.store.add_run(run.batch, again));
      session.store.set_aside(run.id, "",
                              fmt::format("computed otherwise than today; run {} renews it", out.back()));
    }
  });
  return out;
}

}  // namespace

RunSummary run_batches(Session& session, const RunningOptions& asked) {
  using Kind = SolverSpec::Kind;
  RunningOptions options = asked;
  refuse_what_cannot_run(session, options);
  const Kind kind = session.study.solver.kind;
  if (kind != Kind::slurm && (options.cancel || !options.submit || !options.wait))
    throw Error("this study runs on this machine, not on a cluster", "--collect, --no-wait and --cancel",
                "leave them out, or write kind = \"slurm\" in [solver]");
  const RunLock lock(session.study.folder);
  if (kind != Kind::slurm && !session.store.open_submissions().empty())
    throw Error("a cluster has runs of this study", "study.toml [solver]",
                "put kind = \"slurm\" back, then renth run --collect, or --cancel", ErrorKind::request);
  let_solvers_be_found_beside_us();
  RunBook book(session, options);
  if (options.renew)
    for (const std::int64_t run : renew(session, book))
      if (!options.only.empty()) options.only.push_back(run);
  if (kind == Kind::formula)
    compute_formulas(session, options, book);
  else if (kind == Kind::slurm)
    run_on_cluster(session, options, book, lock.fd());
  else
    run_processes(session, options, book);
  for (const RunHead& head : session.store.heads())
    if (book.wanted(head.id, head.batch) &&
        (head.status == RunStatus::planned || head.status == RunStatus::running))
      ++book.summary.left;
  return book.summary;
}

namespace {

/// What a function answered, as outputs of the study. \throws Error  it is not what the study's responses
/// are.
Outputs outputs_of(const Study& study, const std::map<std::string, std::vector<double>>& answers) {
  Outputs out;
  for (const auto& [name, values] : answers) {
    const int k = study.response(name);
    if (k < 0 || study.responses[std::size_t(k)].derive)
      throw Error(k < 0 ? "it answered " + name + ", which is no response" : name + " is derived", name,
                  "answer " + listed(study.response_names()));
    const Response& r = study.responses[std::size_t(k)];
    if (Eigen::Index(values.size()) != study.outputs(r))
      throw Error(
          fmt::format("it answered {} values of {}, which has {}", values.size(), name, study.outputs(r)),
          name, "answer one value, or of a curve one an axis point");
    if (std::none_of(values.begin(), values.end(), [](double v) { return std::isfinite(v); })) continue;
    Output& output = out[name];
    output.values = values;
    for (double& v : output.values)
      if (!std::isfinite(v)) v = std::numeric_limits<double>::quiet_NaN();
    if (const Axis* axis = study.axis_of(r)) output.axis = axis->points;
  }
  if (out.empty()) throw Error("it answered no response", "", "answer " + listed(study.response_names()));
  return out;
}

}  // namespace

RunSummary run_function(Session& session, const std::string& name, const SolverFunction& solve,
                        const RunningOptions& asked) {
  if (session.study.solver.kind != SolverSpec::Kind::manual)
    throw Error("this study has a solver of its own", "study.toml [solver]",
                "write kind = \"manual\", or run it without a function");
  if (name.empty())
    throw Error("the function has no name", "name",
                "give it one: another name says that it gives other values");
  if (!asked.batch.empty()) session.store.need_batch(asked.batch, "batch");
  const RunLock lock(session.study.folder);
  session.study.solver.function = name;
  RunningOptions options = asked;
  RunBook book(session, options);
  if (options.renew)
    for (const std::int64_t run : renew(session, book))
      if (!options.only.empty()) options.only.push_back(run);
  const auto began = Clock::now();
  session.store.transaction([&] {
    for (const Call call : book.reopen()) book.put_back(call);
    book.choose();
  });
  while (book.any_waiting() && options.stop() == 0) {
    std::optional<Run> run;
    session.store.transaction([&] { run = book.next_run(); });  // equal settings take what is there
    if (!run) continue;
    const auto call_began = Clock::now();
    Outputs outputs;
    std::optional<Error> trouble;
    try {
      outputs = outputs_of(session.study, solve(run->settings));
    } catch (const Error& e) {
      trouble = e;
    }
    session.store.transaction([&] {
      if (trouble)
        book.failed(*run, trouble->what());
      else
        book.done(*run, outputs, seconds_since(call_began));
    });
    book.progress.seconds = seconds_since(began);
    options.progress(book.progress);
  }
  book.summary.stopped = book.any_waiting();
  for (const RunHead& head : session.store.heads())
    if (book.wanted(head.id, head.batch) && head.status == RunStatus::planned) ++book.summary.left;
  return book.summary;
}

DryRun dry_run(Session& session, const RunningOptions& options) {
  refuse_what_cannot_run(session, options);
  if (session.study.solver.kind == SolverSpec::Kind::formula)
    throw Error("formulas have no inputs and no command", "--dry-run", "renth run computes them at once");
  const InputRenderer renderer(session.study);
  RunBook book(session, options);
  DryRun out;
  out.jobs = options.jobs > 0 ? options.jobs : session.study.solver.jobs;
  int elsewhere = 0;
  for (const Run& run : session.store.runs()) {
    const bool due =
        run.status == RunStatus::planned || (options.retry_failed && run.status == RunStatus::failed);
    elsewhere += run.status == RunStatus::running;
    if (!due || !book.wanted(run.id, run.batch)) continue;
    const int per = session.study.solver.per;
    const int points = per < 0 ? 0 : static_cast<int>(session.study.axes[per].points.size());
    for (int k = per < 0 ? -1 : 0; k < std::max(points, 0); ++k) {
      const Call call{run.id, k};
      DryRun::OfCall of{
          run.id, k, RunFolder::of(session.study, call).folder.string(), renderer.command(call), {}};
      for (RenderedFile& file : renderer.files(call, run.settings))
        of.inputs.emplace_back(std::move(file.name), std::move(file.text));
      out.calls.push_back(std::move(of));
      if (per < 0) break;
    }
  }
  if (elsewhere > 0)
    add_note(out.notes, "running",
             fmt::format("{} runs count as running; `renth run` would take them up first", elsewhere));
  return out;
}

}  // namespace renth
