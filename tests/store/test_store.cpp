#include <doctest/doctest.h>
#include <sqlite3.h>

#include <filesystem>
#include <renth/selection/choose.hpp>
#include <renth/store/store.hpp>
#include <renth/surrogate/data.hpp>
#include <renth/surrogate/kinds.hpp>
#include <support.hpp>
#include <support_files.hpp>
#include <support_store.hpp>
#include <thread>

using namespace renth;

namespace {

Run planned(double radius) {
  Run run;
  run.origin = "fill";
  run.settings = {{"radius", radius}, {"hull", std::string("steel")}};
  return run;
}

/// A fitted surrogate of a response `power`, and the points that it was fitted to.
struct Fitted {
  Eigen::MatrixXd points = Eigen::MatrixXd::Random(12, 2).array() * 0.5 + 0.5;
  StoredSurrogate stored;
  Fitted() {
    const Data data = test::data_of(points, [](const Eigen::VectorXd& x) { return x[0] * x[0] + x[1]; });
    const FittedResponse f = fit_response(test::cube(2), data, {.kind = "kriging"});
    stored.response = "power";
    stored.kind = "kriging";
    stored.data_hash = 0xfedcba9876543210ULL;
    stored.surrogate = f.surrogate;
    stored.cv = f.cv;
    stored.tried = nlohmann::json::array();
    stored.runs = {4, 5, 6};
  }
};

}  // namespace

TEST_CASE("what goes into the store comes out again, bit for bit") {
  const renth::test::Scratch folder;
  {
    Store store(folder.path);
    const auto ids = store.add_batch({0, "fit-1", "fit", "sobol", {{"runs", "2"}}, 9007199254740991ULL, 17},
                                     {planned(0.1 + 0.2), planned(5)});
    CHECK(ids == std::vector<std::int64_t>{1, 2});
    store.set_outputs(1, {{"power", {{1.0 / 3}, {}}}, {"absorbed", {{1, NAN, 3}, {5, 6, 7}}}});
    store.set_status(1, RunStatus::done, "fine", 2.5, 1);
    store.set_aside(2, "", "sensor broke");
    store.set_aside(1, "power", "odd");
  }
  Store store(folder.path);
  const Batch b = *store.batch("fit-1");
  CHECK(
      (b.method == "sobol" && b.options.at("runs") == "2" && b.seed == 9007199254740991ULL && b.next == 17));
  const std::vector<Run> runs = store.runs();
  CHECK(std::get<double>(runs[0].settings.at("radius")) == 0.1 + 0.2);
  CHECK(runs[0].responses.at("power").values[0] == 1.0 / 3);
  CHECK(std::isnan(runs[0].responses.at("absorbed").values[1]));
  CHECK(runs[0].responses.at("absorbed").axis == std::vector<double>{5, 6, 7});
  CHECK((runs[0].status == RunStatus::done && runs[0].message == "fine" && runs[0].seconds == 2.5));
  CHECK(*runs[1].set_aside == "sensor broke");
  CHECK(runs[0].response_set_aside.at("power") == "odd");
}

TEST_CASE("run numbers are never used again, and discard spares what exists") {
  const renth::test::Scratch folder;
  Store store(folder.path);
  store.add_batch({0, "a", "fit", "random", {}, 1, 0}, {planned(1), planned(2)});
  store.set_status(1, RunStatus::done, "", 0, 1);
  CHECK(store.discard("a") == 1);
  CHECK(store.runs().size() == 1);
  CHECK(store.batch("a"));
  CHECK(store.add_batch({0, "b", "fit", "random", {}, 1, 0}, {planned(3)})[0] == 3);
  CHECK(store.discard("b") == 1);
  CHECK_FALSE(store.batch("b"));
  CHECK_THROWS_WITH_AS(store.discard("b"), doctest::Contains("unknown batch b"), Error);
  CHECK_THROWS_WITH_AS(store.add_batch({0, "a", "fit", "random", {}, 1, 0}, {}),
                       doctest::Contains("there is a batch a already"), Error);
}

TEST_CASE("a transaction that throws leaves nothing behind") {
  const renth::test::Scratch folder;
  Store store(folder.path);
  CHECK_THROWS(store.transaction([&] {
    store.add_batch({0, "a", "fit", "random", {}, 1, 0}, {planned(1)});
    throw std::runtime_error("power cut");
  }));
  CHECK(store.runs().empty());
}

TEST_CASE("two connections write in turn and lose nothing") {
  const renth::test::Scratch folder;
  Store(folder.path);
  std::vector<std::thread> threads;
  for (int t = 0; t < 2; ++t)
    threads.emplace_back([&, t] {
      Store mine(folder.path);
      for (int i = 0; i < 15; ++i)
        mine.add_batch({0, std::to_string(t) + "-" + std::to_string(i), "fit", "random", {}, 1, 0},
                       {planned(i)});
    });
  for (std::thread& t : threads) t.join();
  CHECK(Store(folder.path).runs().size() == 30);
}

TEST_CASE("surrogates keep their predictions, folds and history") {
  const renth::test::Scratch folder;
  Store store(folder.path);
  const auto [points, s] = Fitted();
  store.save(s);
  store.save(s);
  const StoredSurrogate back = *store.fitted("power");
  CHECK(back.id == 2);
  CHECK(back.data_hash == s.data_hash);
  CHECK(back.runs == s.runs);
  CHECK(back.cv.predicted == s.cv.predicted);
  CHECK(back.cv.folds.of_run == s.cv.folds.of_run);
  CHECK(back.surrogate->predict(points).mean == s.surrogate->predict(points).mean);
  REQUIRE(back.cv.models.size() == s.cv.models.size());
  CHECK(back.cv.models[3]->predict(points).mean == s.cv.models[3]->predict(points).mean);
  CHECK_FALSE(store.fitted("load"));
}

TEST_CASE("fits have names; the one before the current is kept, and only what has a name keeps its folds") {
  const renth::test::Scratch folder;
  Store store(folder.path);
  auto [points, s] = Fitted();
  const auto fold_owners = [&] {
    Database db(folder.path / "study.db");
    Statement query = db.prepare("SELECT DISTINCT surrogate FROM fold_model ORDER BY surrogate");
    std::vector<std::int64_t> out;
    while (query.step()) out.push_back(query.integer(0));
    return out;
  };
  using Ids = std::vector<std::int64_t>;
  const std::int64_t first = store.save(s, "first");
  s.data_hash ^= 1;
  const std::int64_t second = store.save(s);
  CHECK(store.fitted_id("power") == second);
  CHECK(store.fitted_id("power", previous_fit) == first);
  const std::int64_t again = store.save(s);  // the same once more: what was before stays within reach
  CHECK(store.fitted_id("power") == again);
  CHECK(store.fitted_id("power", previous_fit) == first);
  CHECK(fold_owners() == Ids{first, again});
  store.make_current("power", first);
  CHECK(store.fitted_id("power", previous_fit) == again);
  store.forget_fit("power", "first");
  CHECK(store.fitted("power")->id == first);
  CHECK(fold_owners() == Ids{first, again});
  s.data_hash ^= 2;
  const std::int64_t third = store.save(s);
  CHECK(fold_owners() == Ids{first, third});
  CHECK(store.fit_names().size() == 2);
  CHECK(store.fit_names()[0].runs == int(s.runs.size()));
}

TEST_CASE("a damaged store and one from the future are refused, not overwritten") {
  const renth::test::Scratch folder;
  { Store store(folder.path); }
  sqlite3* raw = nullptr;
  sqlite3_open((folder.path / "study.db").c_str(), &raw);
  sqlite3_exec(raw, "PRAGMA user_version = 99", nullptr, nullptr, nullptr);
  sqlite3_close(raw);
  CHECK_THROWS_WITH_AS(Store(folder.path), doctest::Contains("newer renth"), Error);
  for (const char* part : {"study.db", "study.db-wal", "study.db-shm"})
    std::filesystem::remove(folder.path / part);
  {
    std::FILE* f = std::fopen((folder.path / "study.db").c_str(), "w");
    std::fputs(
        "this is not a database, and long enough to look like one "
        "............................................................",
        f);
    std::fclose(f);
  }
  CHECK_THROWS_AS(Store(folder.path), Error);
}

TEST_CASE("commands and last results are kept with what they were of") {
  const renth::test::Scratch folder;
  Store store(folder.path);
  store.log({"fit", "--response", "heave \xff"}, 0);  // not UTF-8
  store.log({"seek"}, 1);
  const std::vector<LoggedCommand> commands = store.logged();
  REQUIRE(commands.size() == 2);
  CHECK(commands[0].words[0] == "fit");
  CHECK(commands[1].status == 1);
  CHECK(commands[1].date.size() == std::string("2026-01-01T00:00:00Z").size());
  store.keep(KeptResult{"rank", "shares", {"rank"}, 7, 1234567890123456789u, "{\"a\":1}", ""});
  store.keep(KeptResult{"rank", "shares", {"rank", "--json"}, 8, ~0ull, "{\"a\":2}", ""});
  store.keep(KeptResult{"rank", "effects", {"rank"}, 8, 5, "{}", ""});
  const std::vector<KeptResult> results = store.results();
  REQUIRE(results.size() == 2);
  CHECK(results[1].document == "{\"a\":2}");
  CHECK(results[1].seed == 8);
  CHECK(results[1].state == ~0ull);
  CHECK(results[1].options == nlohmann::json{"rank", "--json"});
}

TEST_CASE("what was worked out holds in its state alone, and goes with its surrogate") {
  const renth::test::Scratch folder;
  Store store(folder.path);
  store.keep({{"coverage", 0, 11, std::string("some\0bytes", 10)}});
  CHECK(store.worked_out("coverage", 0, 11) == std::string("some\0bytes", 10));
  CHECK_FALSE(store.worked_out("coverage", 0, 12));
  CHECK_FALSE(store.worked_out("coverage", 1, 11));
  store.keep({{"coverage", 0, 12, "others"}, {"judgement", 99, 12, "of nobody"}});
  CHECK_FALSE(store.worked_out("coverage", 0, 11));
  CHECK(store.worked_out("coverage", 0, 12) == "others");
  CHECK_FALSE(store.worked_out("judgement", 99, 12));
}

TEST_CASE("a store that was changed by something else is refused with a sentence, whatever row it is") {
  const renth::test::Scratch folder;
  const auto [points, fitted] = Fitted();
  const auto make = [&, &surrogate = fitted] {
    for (const char* part : {"study.db", "study.db-wal", "study.db-shm"})
      std::filesystem::remove(folder.path / part);
    Store store(folder.path);
    store.add_batch({0, "fit-1", "fit", "sobol", {}, 1, 0}, {planned(1), planned(2)});
    store.set_outputs(1, {{"power", {{2.5}, {}}}});
    store.set_status(1, RunStatus::done, "", 1, 1);
    store.set_aside(1, "power", "odd");
    store.save(surrogate);
    store.save_proposals({{1, {{"radius", 5.0}}}}, nlohmann::json::object());
    store.save_mark({"good", {{"radius", 5.0}}});
    store.keep({"rank", "", nlohmann::json::object(), 1, 2, "{}", ""});
  };
  const auto read = [&] {
    Store store(folder.path);
    store.batches();
    store.runs();
    store.run(1);
    store.proposals();
    store.marks();
    store.results();
    store.fit_names();
    store.read_done([](const RunRow&) {}, [] {}, [](auto, auto, auto) {}, [](auto, auto) {});
  };
  make();
  CHECK_NOTHROW(read());
  for (const char* sql : {"UPDATE run SET status = 17 WHERE id = 2", "UPDATE run SET status = 3 WHERE id = 1",
                          "UPDATE run SET settings = replace(settings, '1', '2') WHERE id = 1",
                          "UPDATE run SET set_aside = 'no' WHERE id = 1",
                          "UPDATE run SET block = 1 WHERE id = 1", "UPDATE output SET value = '[2.6]'",
                          "UPDATE output SET response = 'load'", "UPDATE output SET checksum = NULL",
                          "UPDATE output_set_aside SET response = 'load'", "UPDATE batch SET use = 'check'",
                          "UPDATE proposed SET settings = '{}'", "UPDATE mark SET settings = '{}'",
                          "UPDATE result SET document = '[]'", "UPDATE fit_name SET response = 'load'"}) {
    CAPTURE(sql);
    make();
    renth::test::damage_store(folder.path, sql);
    CHECK_THROWS_WITH_AS(read(), doctest::Contains("is damaged, or was changed by hand"), Error);
  }
}

TEST_CASE("a surrogate of which a single bit was turned is refused, wherever it was") {
  const renth::test::Scratch folder;
  const auto [points, s] = Fitted();
  Store(folder.path).save(s);
  Stream stream(1, "bits");
  for (int i = 0; i < 300; ++i) {
    const bool fold = i % 3 == 0;
    const std::string table = fold ? "fold_model" : "surrogate";
    const std::string column =
        fold ? "bytes" : std::vector<std::string>{"bytes", "predicted", "runs"}[std::size_t(i % 2)];
    sqlite3* raw = nullptr;
    sqlite3_open((folder.path / "study.db").c_str(), &raw);
    sqlite3_stmt* read = nullptr;
    sqlite3_prepare_v2(raw, ("SELECT " + column + " FROM " + table + " LIMIT 1").c_str(), -1, &read, nullptr);
    REQUIRE(sqlite3_step(read) == SQLITE_ROW);
    std::string bytes(static_cast<const char*>(sqlite3_column_blob(read, 0)),
                      std::size_t(sqlite3_column_bytes(read, 0)));
    sqlite3_finalize(read);
    const std::string whole = bytes;
    char& byte = bytes[stream.below(bytes.size())];
    byte = static_cast<char>(static_cast<unsigned char>(byte) ^ (1U << stream.below(8)));
    const auto write = [&](const std::string& value) {
      sqlite3_stmt* update = nullptr;
      const std::string which = fold ? "fold = (SELECT min(fold) FROM fold_model)" : "id = 1";
      sqlite3_prepare_v2(raw, ("UPDATE " + table + " SET " + column + " = ? WHERE " + which).c_str(), -1,
                         &update, nullptr);
      sqlite3_bind_blob64(update, 1, value.data(), value.size(), SQLITE_TRANSIENT);
      CHECK(sqlite3_step(update) == SQLITE_DONE);
      sqlite3_finalize(update);
    };
    write(bytes);
    CHECK_THROWS_WITH_AS(Store(folder.path).fitted("power"), doctest::Contains("is damaged"), Error);
    write(whole);
    sqlite3_close(raw);
  }
  CHECK(Store(folder.path).fitted("power")->surrogate->predict(points).mean ==
        s.surrogate->predict(points).mean);
}

TEST_CASE("a setting that is no finite number never gets into the store") {
  const renth::test::Scratch folder;
  Store store(folder.path);
  for (const double bad : {double(NAN), double(INFINITY), -double(INFINITY)})
    CHECK_THROWS_WITH_AS(store.add_batch({0, "a", "fit", "random", {}, 1, 0}, {planned(bad)}),
                         doctest::Contains("radius would be set to"), Error);
  CHECK(store.batches().empty());
  store.add_batch({0, "a", "fit", "random", {}, 1, 0}, {planned(1)});
  store.set_status(1, RunStatus::failed, "H\xf6he", 0, 1);
  CHECK(store.run(1)->message == "H\xef\xbf\xbdhe");
}
