#include <dlfcn.h>

#include <filesystem>
#include <renth/base/error.hpp>
#include <renth/table/module.hpp>

namespace renth {

void* module_symbol(const std::string& module, const char* symbol, const std::string& instead) {
  std::error_code error;
  const std::filesystem::path here = std::filesystem::read_symlink("/proc/self/exe", error).parent_path();
  // Programs of one's own, such as tests, lie in a folder beside or within.
  for (const char* place : {"", "..", "../" RENTH_LIBDIR "/renth"}) {
    const std::filesystem::path file = here / place / module;
    if (!std::filesystem::exists(file, error)) continue;
    void* loaded = dlopen(file.c_str(), RTLD_NOW | RTLD_LOCAL);
    if (!loaded)
      throw Error(dlerror(), file.string(), "install what it needs, or " + instead, ErrorKind::machine);
    if (void* out = dlsym(loaded, symbol)) return out;
    throw Error("it is of another renth", file.string(), "install renth anew, or " + instead,
                ErrorKind::machine);
  }
  throw Error("this renth was built or installed without " + module, here.string(),
              instead + ", or build it with all of scripts/packages.txt", ErrorKind::machine);
}

}  // namespace renth
