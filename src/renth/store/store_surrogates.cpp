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

std::int64_t Store::save(const StoredSurrogate& s, const std::string& name) {
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
    make_current(s.response, id);
    if (!name.empty()) name_fit(s.response, name, id);
  });
  return id;
}

std::optional<StoredSurrogate> Store::fitted(const std::string& response, const std::string& name) {
  Statement query = db_.prepare(
      "SELECT id, kind, options, data_hash, study_hash, tried, why, archive_kind, version, bytes, runs, "
      "folds, predicted, errors, " RENTH_SOUND_SURROGATE ", " RENTH_SOUND_FIT_NAME
      " FROM fit_name JOIN surrogate ON surrogate.id = fit_name.surrogate WHERE fit_name.response = ? AND "
      "fit_name.name = ?");
  query.bind(response).bind(name);
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

std::int64_t Store::fitted_id(const std::string& response, const std::string& name) {
  Statement query = db_.prepare("SELECT surrogate FROM fit_name WHERE response = ? AND name = ?");
  query.bind(response).bind(name);
  return query.step() ? query.integer(0) : 0;
}

std::vector<FitName> Store::fit_names() {
  std::vector<FitName> out;
  Statement query = db_.prepare(
      "SELECT fit_name.response, name, surrogate, kind, strftime('%Y-%m-%dT%H:%M:%SZ', created), "
      "runs, " RENTH_SOUND_FIT_NAME
      " FROM fit_name JOIN surrogate ON surrogate.id = surrogate ORDER BY fit_name.response, name");
  while (query.step())
    out.push_back({query.text(0), query.text(1), query.integer(2), query.text(3), query.text(4),
                   static_cast<int>(list_from<std::int64_t>(query.view(5)).size())});
  return out;
}

void Store::make_current(const std::string& response, std::int64_t surrogate) {
  db_.transaction([&] {
    Statement before = db_.prepare(
        "SELECT old.id FROM surrogate old JOIN fit_name ON old.id = fit_name.surrogate JOIN surrogate new ON "
        "new.id = ?2 WHERE fit_name.response = ?1 AND name = '' AND old.id <> new.id AND (old.options <> "
        "new.options OR old.data_hash <> new.data_hash OR old.study_hash <> new.study_hash)");
    before.bind(response).bind(surrogate);
    const std::int64_t previous = before.step() ? before.integer(0) : 0;
    before.reset();
    put_fit_name(response, "", surrogate);
    if (previous != 0) put_fit_name(response, previous_fit, previous);
    drop_nameless_folds(response);
  });
}

void Store::name_fit(const std::string& response, const std::string& name, std::int64_t surrogate) {
  db_.transaction([&] {
    put_fit_name(response, name, surrogate);
    drop_nameless_folds(response);
  });
}

void Store::put_fit_name(const std::string& response, const std::string& name, std::int64_t surrogate) {
  db_.prepare(
         "INSERT OR REPLACE INTO fit_name (response, name, surrogate, checksum) VALUES (?1, ?2, ?3, "
         "renth_checksum(?1, ?2, ?3))")
      .bind(response)
      .bind(name)
      .bind(surrogate)
      .run();
}

void Store::forget_fit(const std::string& response, const std::string& name) {
  db_.transaction([&] {
    db_.prepare("DELETE FROM fit_name WHERE response = ? AND name = ?").bind(response).bind(name).run();
    drop_nameless_folds(response);
  });
}

/// A surrogate without a name is never asked for again, and its fold models are the bulk.
void Store::drop_nameless_folds(const std::string& response) {
  db_.prepare(
         "DELETE FROM fold_model WHERE surrogate IN (SELECT id FROM surrogate WHERE response = ? AND id NOT "
         "IN (SELECT surrogate FROM fit_name))")
      .bind(response)
      .run();
}

}  // namespace renth
