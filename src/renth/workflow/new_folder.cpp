#include <renth/base/error.hpp>
#include <renth/workflow/new_folder.hpp>

namespace renth {

void new_folder(const std::filesystem::path& folder) {
  if (std::filesystem::exists(folder / "study.toml"))
    throw Error("there is a study already", (folder / "study.toml").string(), "choose another folder");
  std::error_code error;
  std::filesystem::create_directories(folder, error);
  if (error)
    throw Error("cannot make the folder (" + error.message() + ")", folder.string(), "choose another one",
                ErrorKind::machine);
}

}  // namespace renth
