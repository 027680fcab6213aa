// Settings that were proposed, and those that are kept by name.
#include <renth/store/store.hpp>
#include <renth/store/stored_text.hpp>

namespace renth {

using nlohmann::json;

void Store::save_proposals(const std::vector<StoredProposal>& proposals, const json& document) {
  db_.transaction([&] {
    db_.prepare("INSERT INTO seek (document) VALUES (?)").bind(document.dump()).run();
    const std::int64_t id = db_.last_id();
    std::int64_t place = 0;
    for (const StoredProposal& p : proposals)
      db_.prepare(
             "INSERT INTO proposed (seek, place, scenario, rank, settings, checksum) VALUES (?1, ?2, ?3, ?4, "
             "?5, "
             "renth_checksum(?1, ?2, ?3, ?4, ?5))")
          .bind(id)
          .bind(++place)
          .bind(p.scenario)
          .bind(p.rank)
          .bind(settings_to_text(p.settings))
          .run();
  });
}

std::vector<StoredProposal> Store::proposals() {
  std::vector<StoredProposal> out;
  Statement query = db_.prepare("SELECT rank, settings, scenario, " RENTH_SOUND_PROPOSAL
                                " FROM proposed WHERE seek = (SELECT max(id) FROM seek) ORDER BY place");
  while (query.step())
    out.push_back({static_cast<int>(query.integer(0)), settings_from_text(query.view(1)), query.text(2)});
  return out;
}

void Store::save_mark(const StoredMark& mark) {
  db_.prepare(
         "INSERT OR REPLACE INTO mark (name, settings, checksum) VALUES (?1, ?2, renth_checksum(?1, ?2))")
      .bind(mark.name)
      .bind(settings_to_text(mark.settings))
      .run();
}

std::vector<StoredMark> Store::marks() {
  std::vector<StoredMark> out;
  Statement query = db_.prepare("SELECT name, settings, date, " RENTH_SOUND_MARK " FROM mark ORDER BY name");
  while (query.step()) out.push_back({query.text(0), settings_from_text(query.view(1)), query.text(2)});
  return out;
}

bool Store::remove_mark(const std::string& name) {
  Statement query = db_.prepare("DELETE FROM mark WHERE name = ? RETURNING name");
  query.bind(name);
  return query.step();
}

void Store::save_window(const std::string& name, const nlohmann::json& document) {
  db_.prepare(
         "INSERT OR REPLACE INTO operating_window (name, document, checksum) VALUES (?1, ?2, "
         "renth_checksum(?1, ?2))")
      .bind(name)
      .bind(document.dump())
      .run();
}

std::map<std::string, nlohmann::json> Store::windows() {
  std::map<std::string, nlohmann::json> out;
  Statement query = db_.prepare("SELECT name, document, " RENTH_SOUND_WINDOW " FROM operating_window");
  while (query.step()) out[query.text(0)] = nlohmann::json::parse(query.text(1));
  return out;
}

}  // namespace renth
