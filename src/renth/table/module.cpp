#include <dlfcn.h>

#include <filesystem>
#include <renth/base/error.hpp>
#include <renth/table/module.hpp>

namespace renth {

namespace {

std::filesystem::path program_folder() {
  std::error_code error;
  return std::filesystem::read_symlink("/proc/self/exe", error).parent_path();
}

std::string& other_folder() {
  static std::string folder;
  return folder;
}

/// Where a module lies; empty: nowhere.
std::filesystem::path place_of(const std::string& module) {
  std::error_code error;
  if (!other_folder().empty())
    if (const std::filesystem::path file = std::filesystem::path(other_folder()) / module;
        std::filesystem::exists(file, error))
      return file;
  // Programs of one's own, such as tests, lie in a folder beside or within.
  for (const char* place : {"", "..", "../" RENTH_LIBDIR "/renth"}) {
    const std::filesystem::path file = program_folder() / place / module;
    if (std::filesystem::exists(file, error)) return file;
  }
  return {};
}

}  // namespace

void set_module_folder(const std::string& folder) {
  other_folder() = folder;
}

bool has_module(const std::string& module) {
  return !place_of(module).empty();
}

std::string module_file(const std::string& module, const std::string& instead) {
  const std::filesystem::path file = place_of(module);
  if (file.empty())
    throw Error("this renth was built or installed without " + module, program_folder().string(),
                instead + ", or build it with all of scripts/packages.txt", ErrorKind::machine);
  return file.string();
}

void* module_symbol(const std::string& module, const char* symbol, const std::string& instead) {
  const std::string file = module_file(module, instead);
  void* loaded = dlopen(file.c_str(), RTLD_NOW | RTLD_LOCAL);
  if (!loaded) throw Error(dlerror(), file, "install what it needs, or " + instead, ErrorKind::machine);
  if (void* out = dlsym(loaded, symbol)) return out;
  throw Error("it is of another renth", file, "install renth anew, or " + instead, ErrorKind::machine);
}

}  // namespace renth
