#include <cstdlib>
#include <renth/base/error.hpp>
#include <renth/table/scratch_folder.hpp>

namespace renth {

ScratchFolder::ScratchFolder() {
  std::string name = (std::filesystem::temp_directory_path() / "renth-XXXXXX").string();
  if (!mkdtemp(name.data()))
    throw Error("cannot make a temporary folder", name, "look at the disk, or set TMPDIR",
                ErrorKind::machine);
  path_ = name;
}

ScratchFolder::~ScratchFolder() {
  std::error_code ignored;
  std::filesystem::remove_all(path_, ignored);
}

}  // namespace renth
