// The first byte chooses how the output is read, the rest is what the solver wrote.
#include <unistd.h>

#include <cstdlib>
#include <fstream>
#include <fuzz.hpp>
#include <renth/solver/collect.hpp>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size) {
  using namespace renth;
  static const char* const sources[] = {
      "output = \"json\"\n",
      "output = \"csv\"\n",
      "output = { power = { json = \"/a/0/power\" }, curve = { json = \"/c\", over = \"/t\" } }\n",
      "output = { power = { csv = \"Power\", row = -2, skip = 1 }, curve = { csv = \"c\", over = \"t\" } }\n",
      "output = { power = { table = 2, take = \"mean\" }, curve = { table = \"c\", over = 1 } }\n",
      "output = { power = { table = 2, at = { t = 1.5 } }, curve = { table = 2 } }\n",
      "output = { power = { pattern = \"P *= *([-0-9.eE+]+)\", take = \"max\" }, curve = { pattern = "
      "\"t=([0-9.]+) "
      "c=([0-9.]+)\" } }\n",
      "output = { power = { number = \"output.txt\" }, curve = { pattern = \"(?:x+x+)+([0-9]+)\" } }\n"};
  constexpr std::size_t count = sizeof sources / sizeof *sources;
  static const std::vector<Study> studies = [] {
    std::vector<Study> out;
    for (const char* source : sources)
      out.push_back(parse_study(
          fuzz::study_with(
              std::string("kind = \"process\"\ncommand = [\"solve\"]\noutput_file = \"output.txt\"\n") +
              source),
          "."));
    return out;
  }();
  static const std::filesystem::path folder = [] {
    std::string name = (std::filesystem::temp_directory_path() / "renth-fuzz-XXXXXX").string();
    return std::filesystem::path(mkdtemp(name.data()));
  }();
  if (size == 0) return 0;
  std::ofstream(folder / "output.txt", std::ios::binary)
      .write(reinterpret_cast<const char*>(bytes) + 1, std::streamsize(size) - 1);
  std::ofstream(folder / "stderr", std::ios::binary)
      .write(reinterpret_cast<const char*>(bytes), std::streamsize(size));
  if (!is_valid_utf8(last_words(folder))) __builtin_trap();
  const Study& study = studies[bytes[0] % count];
  return fuzz::answers([&] {
    std::vector<std::string> problems;
    const Collected got =
        collect_outputs(study, {folder, folder / "output.txt", folder / "stdout"}, &problems);
    for (const auto& [response, values] : got.values)
      if (values.size() != study.outputs(study.responses[std::size_t(study.response(response))]))
        __builtin_trap();
  });
}
