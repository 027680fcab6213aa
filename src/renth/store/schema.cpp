#include <fmt/format.h>

#include <renth/base/error.hpp>
#include <renth/store/schema.hpp>
#include <renth/store/sealed.hpp>

namespace renth {
namespace {

constexpr int schema_version = 8;
const char* const schema = R"(
CREATE TABLE batch (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, use TEXT NOT NULL, method TEXT NOT NULL,
  options TEXT NOT NULL, seed INTEGER NOT NULL, next INTEGER NOT NULL,
  created TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP);
CREATE TABLE run (id INTEGER PRIMARY KEY AUTOINCREMENT, batch INTEGER NOT NULL REFERENCES batch(id),
  origin TEXT NOT NULL, block INTEGER NOT NULL, settings TEXT NOT NULL, status INTEGER NOT NULL DEFAULT 0,
  message TEXT NOT NULL DEFAULT '', seconds REAL NOT NULL DEFAULT 0, attempts INTEGER NOT NULL DEFAULT 0,
  set_aside TEXT, changed TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP);
CREATE INDEX run_of_batch ON run(batch);
CREATE TABLE output (run INTEGER NOT NULL REFERENCES run(id) ON DELETE CASCADE, response TEXT NOT NULL,
  value TEXT NOT NULL, PRIMARY KEY (run, response)) WITHOUT ROWID;
CREATE TABLE output_set_aside (run INTEGER NOT NULL REFERENCES run(id) ON DELETE CASCADE, response TEXT NOT NULL,
  why TEXT NOT NULL, PRIMARY KEY (run, response)) WITHOUT ROWID;
CREATE TABLE surrogate (id INTEGER PRIMARY KEY AUTOINCREMENT, response TEXT NOT NULL, kind TEXT NOT NULL,
  options TEXT NOT NULL, data_hash INTEGER NOT NULL, study_hash INTEGER NOT NULL, tried TEXT NOT NULL,
  why TEXT NOT NULL, archive_kind TEXT NOT NULL, version INTEGER NOT NULL, bytes BLOB NOT NULL, runs TEXT NOT NULL,
  folds TEXT NOT NULL, predicted BLOB NOT NULL, created TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP);
CREATE INDEX surrogate_of_response ON surrogate(response);
CREATE TABLE fold_model (surrogate INTEGER NOT NULL REFERENCES surrogate(id) ON DELETE CASCADE, fold INTEGER NOT NULL,
  archive_kind TEXT NOT NULL, version INTEGER NOT NULL, bytes BLOB NOT NULL, PRIMARY KEY (surrogate, fold)) WITHOUT ROWID;
CREATE TABLE seek (id INTEGER PRIMARY KEY AUTOINCREMENT, document TEXT NOT NULL,
  created TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP);
CREATE TABLE proposal (seek INTEGER NOT NULL REFERENCES seek(id) ON DELETE CASCADE, rank INTEGER NOT NULL,
  settings TEXT NOT NULL, PRIMARY KEY (seek, rank)) WITHOUT ROWID;
)";

/// Calls of the solver one by one: parts of runs, who ran what when, what a cluster was given.
const char* const schema_2 = R"(
ALTER TABLE run ADD COLUMN host TEXT NOT NULL DEFAULT '';
CREATE TABLE piece (run INTEGER NOT NULL REFERENCES run(id) ON DELETE CASCADE, point INTEGER NOT NULL,
  failed INTEGER NOT NULL, message TEXT NOT NULL, seconds REAL NOT NULL, PRIMARY KEY (run, point)) WITHOUT ROWID;
CREATE TABLE journal (id INTEGER PRIMARY KEY, run INTEGER NOT NULL, point INTEGER NOT NULL, attempt INTEGER NOT NULL,
  started REAL NOT NULL, seconds REAL NOT NULL, peak_memory REAL NOT NULL, host TEXT NOT NULL, user TEXT NOT NULL,
  command TEXT NOT NULL, inputs TEXT NOT NULL, outcome TEXT NOT NULL);
CREATE TABLE submission (id INTEGER PRIMARY KEY AUTOINCREMENT, name TEXT NOT NULL, job TEXT NOT NULL,
  tasks INTEGER NOT NULL, open INTEGER NOT NULL DEFAULT 1, created TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP);
CREATE TABLE submitted (run INTEGER NOT NULL REFERENCES run(id) ON DELETE CASCADE, point INTEGER NOT NULL,
  submission INTEGER NOT NULL REFERENCES submission(id), task INTEGER NOT NULL, PRIMARY KEY (run, point)) WITHOUT ROWID;
)";

/// What changes runs is counted; surrogates keep their errors; what was found last, and how.
const char* const schema_3 = R"(
CREATE TABLE revision (id INTEGER PRIMARY KEY CHECK (id = 1), runs INTEGER NOT NULL);
INSERT INTO revision VALUES (1, 0);
CREATE TRIGGER run_made AFTER INSERT ON run WHEN NEW.status >= 2
  BEGIN UPDATE revision SET runs = runs + 1; END;
CREATE TRIGGER run_gone AFTER DELETE ON run WHEN OLD.status >= 2
  BEGIN UPDATE revision SET runs = runs + 1; END;
CREATE TRIGGER run_ended AFTER UPDATE OF status ON run WHEN NEW.status >= 2 OR OLD.status >= 2
  BEGIN UPDATE revision SET runs = runs + 1; END;
CREATE TRIGGER run_changed AFTER UPDATE OF batch, block, settings, set_aside ON run WHEN NEW.status >= 2
  BEGIN UPDATE revision SET runs = runs + 1; END;
CREATE TRIGGER batch_changed AFTER UPDATE OF name, use ON batch BEGIN UPDATE revision SET runs = runs + 1; END;
CREATE TRIGGER output_made AFTER INSERT ON output WHEN (SELECT status FROM run WHERE id = NEW.run) >= 2
  BEGIN UPDATE revision SET runs = runs + 1; END;
CREATE TRIGGER output_changed AFTER UPDATE ON output WHEN (SELECT status FROM run WHERE id = NEW.run) >= 2
  BEGIN UPDATE revision SET runs = runs + 1; END;
CREATE TRIGGER output_gone AFTER DELETE ON output WHEN (SELECT status FROM run WHERE id = OLD.run) >= 2
  BEGIN UPDATE revision SET runs = runs + 1; END;
CREATE TRIGGER aside_made AFTER INSERT ON output_set_aside BEGIN UPDATE revision SET runs = runs + 1; END;
CREATE TRIGGER aside_gone AFTER DELETE ON output_set_aside BEGIN UPDATE revision SET runs = runs + 1; END;
ALTER TABLE surrogate ADD COLUMN errors BLOB;
CREATE TABLE worked_out (what TEXT NOT NULL, of INTEGER NOT NULL, state INTEGER NOT NULL, bytes BLOB NOT NULL,
  PRIMARY KEY (what, of)) WITHOUT ROWID;
CREATE TABLE command (id INTEGER PRIMARY KEY, date TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%SZ', 'now')),
  words TEXT NOT NULL, status INTEGER NOT NULL);
CREATE TABLE result (verb TEXT NOT NULL, variant TEXT NOT NULL, options TEXT NOT NULL, seed INTEGER NOT NULL,
  state INTEGER NOT NULL, document TEXT NOT NULL,
  date TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%SZ', 'now')), PRIMARY KEY (verb, variant)) WITHOUT ROWID;
)";

/// Every row is sealed with a checksum; what computed a run is known.
const char* const schema_4 = R"(
CREATE TABLE maker (id INTEGER PRIMARY KEY, document TEXT NOT NULL UNIQUE,
  since TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%SZ', 'now')));
ALTER TABLE run ADD COLUMN maker INTEGER NOT NULL DEFAULT 0;
)";

/// Fits by name; the current one of a response has the empty name.
const char* const schema_5 = R"(
CREATE TABLE fit_name (response TEXT NOT NULL, name TEXT NOT NULL, surrogate INTEGER NOT NULL REFERENCES surrogate(id),
  checksum INTEGER, PRIMARY KEY (response, name)) WITHOUT ROWID;
INSERT INTO fit_name (response, name, surrogate) SELECT response, '', max(id) FROM surrogate GROUP BY response;
UPDATE fit_name SET checksum = renth_checksum()" RENTH_FIT_NAME_VALUES ");";

/// Proposals of several scenarios of one seek; settings kept by name.
const char* const schema_6 = R"(
CREATE TABLE proposed (seek INTEGER NOT NULL REFERENCES seek(id) ON DELETE CASCADE, place INTEGER NOT NULL,
  scenario TEXT NOT NULL, rank INTEGER NOT NULL, settings TEXT NOT NULL, checksum INTEGER,
  PRIMARY KEY (seek, place)) WITHOUT ROWID;
INSERT INTO proposed (seek, place, scenario, rank, settings) SELECT seek, rank, '', rank, settings FROM proposal;
UPDATE proposed SET checksum = renth_checksum()" RENTH_PROPOSAL_VALUES R"();
DROP TABLE proposal;
CREATE TABLE mark (name TEXT PRIMARY KEY, settings TEXT NOT NULL,
  date TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%SZ', 'now')), checksum INTEGER) WITHOUT ROWID;
)";

constexpr const char* schema_7 = R"(
CREATE TABLE operating_window (name TEXT PRIMARY KEY, document TEXT NOT NULL,
  date TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%SZ', 'now')), checksum INTEGER) WITHOUT ROWID;
)";

/// What results rest on is counted apart: runs that only confirm a setting change none, unless they fail.
constexpr const char* schema_8 = R"(
ALTER TABLE revision ADD COLUMN fitted INTEGER NOT NULL DEFAULT 0;
DROP TRIGGER run_made; DROP TRIGGER run_gone; DROP TRIGGER run_ended; DROP TRIGGER run_changed; DROP TRIGGER output_made;
DROP TRIGGER output_changed; DROP TRIGGER output_gone; DROP TRIGGER batch_changed; DROP TRIGGER aside_made;
DROP TRIGGER aside_gone;
CREATE TRIGGER run_made AFTER INSERT ON run WHEN NEW.status >= 2 BEGIN UPDATE revision SET runs = runs + 1,
  fitted = fitted + (NEW.status = 3 OR (SELECT use FROM batch WHERE id = NEW.batch) <> 'confirm'); END;
CREATE TRIGGER run_gone AFTER DELETE ON run WHEN OLD.status >= 2 BEGIN UPDATE revision SET runs = runs + 1,
  fitted = fitted + (OLD.status = 3 OR (SELECT use FROM batch WHERE id = OLD.batch) <> 'confirm'); END;
CREATE TRIGGER run_ended AFTER UPDATE OF status ON run WHEN NEW.status >= 2 OR OLD.status >= 2
  BEGIN UPDATE revision SET runs = runs + 1, fitted = fitted + (NEW.status = 3 OR OLD.status = 3 OR
  (SELECT use FROM batch WHERE id = NEW.batch) <> 'confirm'); END;
CREATE TRIGGER run_changed AFTER UPDATE OF batch, block, settings, set_aside ON run WHEN NEW.status >= 2
  BEGIN UPDATE revision SET runs = runs + 1, fitted = fitted + 1; END;
CREATE TRIGGER batch_changed AFTER UPDATE OF name, use ON batch
  BEGIN UPDATE revision SET runs = runs + 1, fitted = fitted + 1; END;
CREATE TRIGGER output_made AFTER INSERT ON output WHEN (SELECT status FROM run WHERE id = NEW.run) >= 2
  BEGIN UPDATE revision SET runs = runs + 1, fitted = fitted + 1; END;
CREATE TRIGGER output_changed AFTER UPDATE ON output WHEN (SELECT status FROM run WHERE id = NEW.run) >= 2
  BEGIN UPDATE revision SET runs = runs + 1, fitted = fitted + 1; END;
CREATE TRIGGER output_gone AFTER DELETE ON output WHEN (SELECT status FROM run WHERE id = OLD.run) >= 2
  BEGIN UPDATE revision SET runs = runs + 1, fitted = fitted + 1; END;
CREATE TRIGGER aside_made AFTER INSERT ON output_set_aside BEGIN UPDATE revision SET runs = runs + 1, fitted = fitted + 1; END;
CREATE TRIGGER aside_gone AFTER DELETE ON output_set_aside BEGIN UPDATE revision SET runs = runs + 1, fitted = fitted + 1; END;
)";

struct Sealed {
  const char *table, *values;
};
constexpr Sealed sealed_tables[] = {
    {"batch", RENTH_BATCH_VALUES},         {"run", RENTH_RUN_VALUES},
    {"output", RENTH_OUTPUT_VALUES},       {"output_set_aside", RENTH_ASIDE_VALUES},
    {"surrogate", RENTH_SURROGATE_VALUES}, {"fold_model", RENTH_FOLD_VALUES},
    {"proposed", RENTH_PROPOSAL_VALUES},   {"worked_out", RENTH_WORKED_VALUES},
    {"result", RENTH_RESULT_VALUES},       {"fit_name", RENTH_FIT_NAME_VALUES},
    {"mark", RENTH_MARK_VALUES},           {"operating_window", RENTH_WINDOW_VALUES}};

constexpr const char* sealed_since_4[] = {"batch",     "run",        "output",   "output_set_aside",
                                          "surrogate", "fold_model", "proposal", "worked_out",
                                          "result"};

}  // namespace

void seal_every_row(Database& store) {
  for (const auto& [table, values] : sealed_tables)
    store.execute(fmt::format("UPDATE {} SET checksum = renth_checksum({})", table, values));
}

void migrate(Database& db) {
  const auto version = [&] {
    Statement query = db.prepare("PRAGMA user_version");
    query.step();
    return query.integer(0);
  };
  if (version() > schema_version)
    throw Error("the store was made by a newer renth", "study.db", "use that version or a newer one",
                ErrorKind::machine);
  if (version() == schema_version) return;
  db.transaction([&] {
    if (version() == schema_version) return;  // another process was faster
    // Steps from one version to the next come here, oldest first.
    if (version() < 1) db.execute(schema);
    if (version() < 2) db.execute(schema_2);
    if (version() < 3) db.execute(schema_3);
    if (version() < 4) {
      db.execute(schema_4);
      for (const char* table : sealed_since_4)
        db.execute(fmt::format("ALTER TABLE {} ADD COLUMN checksum INTEGER", table));
    }
    if (version() < 5) db.execute(schema_5);
    if (version() < 6) db.execute(schema_6);
    if (version() < 7) db.execute(schema_7);
    if (version() < 8) db.execute(schema_8);
    if (version() < 4) seal_every_row(db);
    db.execute(fmt::format("PRAGMA user_version = {}", schema_version));
  });
}

}  // namespace renth
