// What verbs found, the commands that were typed, and what need not be worked out twice.
#include <renth/store/store.hpp>
#include <renth/store/stored_text.hpp>

namespace renth {

using nlohmann::json;

std::optional<std::string> Store::worked_out(const std::string& what, std::int64_t of, std::uint64_t state) {
  Statement query = db_.prepare(
      "SELECT bytes FROM worked_out WHERE what = ? AND of = ? AND state = ? AND checksum = "
      "renth_checksum(" RENTH_WORKED_VALUES ")");
  query.bind(what).bind(of).bind(static_cast<std::int64_t>(state));
  if (!query.step()) return std::nullopt;
  return query.text(0);
}

void Store::without_waiting(const std::function<void()>& body) {
  const struct Impatience {
    Database& db;
    explicit Impatience(Database& of) : db(of) { db.patience(500); }
    ~Impatience() { db.patience(10'000); }
  } impatience(db_);
  body();
}

void Store::keep(const std::vector<WorkedOut>& all) noexcept {
  try {
    without_waiting([&] {
      db_.transaction([&] {
        for (const WorkedOut& one : all)
          db_.prepare(
                 "INSERT OR REPLACE INTO worked_out (what, of, state, bytes, checksum) VALUES (?1, ?2, ?3, "
                 "?4, "
                 "renth_checksum(?1, ?2, ?3, ?4))")
              .bind(one.what)
              .bind(one.of)
              .bind(static_cast<std::int64_t>(one.state))
              .bind_bytes(one.bytes)
              .run();
        // Surrogates that are not known any more take theirs along.
        db_.execute("DELETE FROM worked_out WHERE of <> 0 AND of NOT IN (SELECT surrogate FROM fit_name)");
      });
    });
  } catch (const std::exception&) {
    return;  // a full disk, a folder that may only be read
  }
}

void Store::keep(const KeptResult& r) {
  db_.prepare(
         "INSERT OR REPLACE INTO result (verb, variant, options, seed, state, document, checksum) VALUES "
         "(?1, "
         "?2, ?3, ?4, ?5, ?6, renth_checksum(?1, ?2, ?3, ?4, ?5, ?6))")
      .bind(r.verb)
      .bind(r.variant)
      .bind(words_to_text(r.options))
      .bind(static_cast<std::int64_t>(r.seed))
      .bind(static_cast<std::int64_t>(r.state))
      .bind(r.document)
      .run();
}

std::vector<KeptResult> Store::results(const std::string& verb) {
  std::vector<KeptResult> out;
  Statement query =
      db_.prepare("SELECT verb, variant, options, seed, state, document, date, " RENTH_SOUND_RESULT
                  " FROM result WHERE ?1 = '' OR verb = ?1 ORDER BY verb, variant");
  query.bind(verb);
  while (query.step())
    out.push_back({query.text(0), query.text(1), json::parse(query.view(2)),
                   static_cast<Seed>(query.integer(3)), static_cast<std::uint64_t>(query.integer(4)),
                   query.text(5), query.text(6)});
  return out;
}

void Store::log(const std::vector<std::string>& words, int status) {
  db_.prepare("INSERT INTO command (words, status) VALUES (?, ?)")
      .bind(words_to_text(words))
      .bind(status)
      .run();
}

std::vector<LoggedCommand> Store::logged() {
  std::vector<LoggedCommand> out;
  Statement query = db_.prepare("SELECT id, date, words, status FROM command ORDER BY id");
  while (query.step())
    out.push_back({query.integer(0), query.text(1),
                   json::parse(query.view(2)).get<std::vector<std::string>>(),
                   static_cast<int>(query.integer(3))});
  return out;
}

}  // namespace renth
