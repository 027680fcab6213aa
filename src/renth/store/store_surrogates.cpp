#include <cstring>
#include <renth/store/store.hpp>
#include <renth/store/stored_text.hpp>
#include <renth/surrogate/kinds.hpp>

namespace renth {

using nlohmann::json;

namespace {

std::string matrix_bytes(const Eigen::MatrixXd& m) {
  ArchiveWriter out;
  out.matrix("values", m);
  return out.take("", 0).bytes;
}

template <class T>
std::string list_bytes(const std::vector<T>& list) {
  return {reinterpret_cast<const char*>(list.data()), list.size() * sizeof(T)};
}
/// Lists were JSON in stores of an earlier version.
template <class T>
std::vector<T> list_from(std::string_view bytes) {
  if (!bytes.empty() && bytes.front() == '[' && bytes.back() == ']' && json::accept(bytes))
    return json::parse(bytes).get<std::vector<T>>();
  std::vector<T> out(bytes.size() / sizeof(T));
  if (!out.empty()) std::memcpy(out.data(), bytes.data(), out.size() * sizeof(T));
  return out;
}

}  // namespace

std::int64_t Store::save(const StoredSurrogate& s) {
  std::int64_t id = 0;
  const Archive whole = s.surrogate->save();
  db_.transaction([&] {
    db_.prepare(
           "INSERT INTO surrogate (response, kind, options, data_hash, study_hash, tried, why, archive_kind, "
           "version, bytes, "
           "runs, folds, predicted, errors) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)")
        .bind(s.response)
        .bind(s.kind)
        .bind(s.options)
        .bind(static_cast<std::int64_t>(s.data_hash))
        .bind(static_cast<std::int64_t>(s.study_hash))
        .bind(s.tried.dump())
        .bind(s.why)
        .bind(whole.kind)
        .bind(whole.version)
        .bind_bytes(whole.bytes)
        .bind_bytes(list_bytes(s.runs))
        .bind_bytes(list_bytes(s.cv.folds.of_run))
        .bind_bytes(matrix_bytes(s.cv.predicted))
        .bind_bytes(matrix_bytes(s.errors))
        .run();
    id = db_.last_id();
    db_.prepare("UPDATE surrogate SET checksum = renth_checksum(" RENTH_SURROGATE_VALUES ") WHERE id = ?")
        .bind(id)
        .run();
    for (std::size_t f = 0; f < s.cv.models.size(); ++f) {
      const Archive part = s.cv.models[f]->save();
      db_.prepare(
             "INSERT INTO fold_model (surrogate, fold, archive_kind, version, bytes, checksum) VALUES (?1, "
             "?2, "
             "?3, ?4, ?5, renth_checksum(?1, ?2, ?3, ?4, ?5))")
          .bind(id)
          .bind(static_cast<std::int64_t>(f))
          .bind(part.kind)
          .bind(part.version)
          .bind_bytes(part.bytes)
          .run();
    }
    // Of what came before only the latest is ever asked for again; fold models are the bulk.
    db_.prepare(
           "DELETE FROM fold_model WHERE surrogate IN (SELECT id FROM surrogate WHERE response = ? AND id <> "
           "?)")
        .bind(s.response)
        .bind(id)
        .run();
  });
  return id;
}

std::optional<StoredSurrogate> Store::current(const std::string& response) {
  Statement query = db_.prepare(
      "SELECT id, kind, options, data_hash, study_hash, tried, why, archive_kind, version, bytes, runs, "
      "folds, predicted, errors, " RENTH_SOUND_SURROGATE
      " FROM surrogate WHERE response = ? ORDER BY id DESC LIMIT 1");
  query.bind(response);
  if (!query.step()) return std::nullopt;
  StoredSurrogate s;
  s.id = query.integer(0);
  s.response = response;
  s.kind = query.text(1);
  s.options = query.text(2);
  s.data_hash = static_cast<std::uint64_t>(query.integer(3));
  s.study_hash = static_cast<std::uint64_t>(query.integer(4));
  s.tried = json::parse(query.text(5));
  s.why = query.text(6);
  s.surrogate = load_surrogate({query.text(7), static_cast<int>(query.integer(8)), query.text(9), {}});
  s.runs = list_from<std::int64_t>(query.view(10));
  s.cv.folds.of_run = list_from<int>(query.view(11));
  s.cv.predicted = ArchiveReader(query.view(12)).matrix();
  if (!query.is_null(13)) s.errors = ArchiveReader(query.view(13)).matrix();
  Statement folds = db_.prepare("SELECT archive_kind, version, bytes, " RENTH_SOUND_FOLD
                                " FROM fold_model WHERE surrogate = ? ORDER BY fold");
  folds.bind(s.id);
  while (folds.step())
    s.cv.models.push_back(
        load_surrogate({folds.text(0), static_cast<int>(folds.integer(1)), folds.text(2), {}}));
  s.cv.folds.count = static_cast<int>(s.cv.models.size());
  return s;
}

std::int64_t Store::current_id(const std::string& response) {
  Statement query = db_.prepare("SELECT max(id) FROM surrogate WHERE response = ?");
  query.bind(response).step();
  return query.integer(0);
}

void Store::save_proposals(const std::vector<StoredProposal>& proposals, const json& document) {
  db_.transaction([&] {
    db_.prepare("INSERT INTO seek (document) VALUES (?)").bind(document.dump()).run();
    const std::int64_t id = db_.last_id();
    for (const StoredProposal& p : proposals)
      db_.prepare(
             "INSERT INTO proposal (seek, rank, settings, checksum) VALUES (?1, ?2, ?3, renth_checksum(?1, "
             "?2, "
             "?3))")
          .bind(id)
          .bind(p.rank)
          .bind(settings_to_text(p.settings))
          .run();
  });
}

std::vector<StoredProposal> Store::proposals() {
  std::vector<StoredProposal> out;
  Statement query = db_.prepare("SELECT rank, settings, " RENTH_SOUND_PROPOSAL
                                " FROM proposal WHERE seek = (SELECT max(id) FROM seek) ORDER BY rank");
  while (query.step()) out.push_back({static_cast<int>(query.integer(0)), settings_from_text(query.view(1))});
  return out;
}

}  // namespace renth
