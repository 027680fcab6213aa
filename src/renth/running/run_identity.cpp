#include <nlohmann/json.hpp>
#include <renth/base/text.hpp>
#include <renth/running/run_identity.hpp>
#include <renth/solver/regular_file.hpp>

namespace renth {

using nlohmann::json;

RenderedFile identity_of(const Run& run, const std::string& maker) {
  const json out = {{"run", run.id},        {"batch", run.batch}, {"use", run.use},
                    {"origin", run.origin}, {"block", run.block}, {"settings", to_json(run.settings)}};
  std::string text = out.dump();
  text.pop_back();  // the brace
  if (!maker.empty()) text += ",\"maker\":" + maker;
  return {std::string(run_identity_file), text + "}\n"};
}

json object_in(const std::filesystem::path& file) {
  constexpr std::uint64_t most = 16U << 20;
  const std::string text = RegularFile(file).read(0, most);
  json out = nested_deeper(text, most_nested_json) ? json() : json::parse(text, nullptr, false);
  return out.is_object() ? out : json::object();
}

std::optional<IdentifiedRun> read_identity(const std::filesystem::path& folder, std::int64_t id) {
  try {
    const json identity = object_in(folder / run_identity_file);
    if (identity.value("run", std::int64_t(0)) != id) return std::nullopt;
    IdentifiedRun out;
    out.run.id = id;
    out.run.batch = identity.at("batch").get<std::string>();
    out.run.use = identity.at("use").get<std::string>();
    out.run.origin = identity.at("origin").get<std::string>();
    out.run.block = identity.at("block").get<int>();
    out.run.settings = settings_from_json(identity.at("settings"));
    if (identity.contains("maker")) out.maker = identity["maker"].dump();
    return is_use(out.run.use) ? std::optional(out) : std::nullopt;
  } catch (const json::exception&) {
    return std::nullopt;  // something else is called so
  }
}

}  // namespace renth
