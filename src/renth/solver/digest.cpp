#include <sha2.h>
#include <sys/types.h>  // sha2.h needs it first

#include <nlohmann/json.hpp>
#include <renth/solver/digest.hpp>
#include <renth/solver/regular_file.hpp>

namespace renth {

std::string sha256(std::string_view bytes) {
  char hex[SHA256_DIGEST_STRING_LENGTH];
  SHA256Data(reinterpret_cast<const std::uint8_t*>(bytes.data()), bytes.size(), hex);
  return hex;
}

std::string digest_of(const std::vector<RenderedFile>& files) {
  nlohmann::json out = nlohmann::json::object();
  for (const RenderedFile& f : files) out[f.name] = sha256(f.text);
  return out.dump();
}

std::string digest_in(const Study& study, Call call) {
  const std::filesystem::path folder = RunFolder::of(study, call).folder;
  std::vector<RenderedFile> files;
  for (const InputFile& input : study.solver.inputs) {
    if (input.link) continue;
    files.push_back({input.to, RegularFile(folder / input.to).read()});
  }
  return digest_of(files);
}

}  // namespace renth
