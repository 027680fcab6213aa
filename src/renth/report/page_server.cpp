#include <dlfcn.h>

#include <filesystem>
#include <renth/base/error.hpp>
#include <renth/report/page_server.hpp>

namespace renth {

std::unique_ptr<PageServer> load_page_server(const PageBehind& behind) {
  std::error_code error;
  const std::filesystem::path here = std::filesystem::read_symlink("/proc/self/exe", error).parent_path();
  for (const std::filesystem::path& place :
       {here / RENTH_SERVER, here / ".." / RENTH_LIBDIR "/renth/" RENTH_SERVER}) {
    if (!std::filesystem::exists(place, error)) continue;
    void* module = dlopen(place.c_str(), RTLD_NOW | RTLD_LOCAL);
    if (!module)
      throw Error(dlerror(), place.string(), "install its packages, or write the page with -o FILE.html",
                  ErrorKind::machine);
    const auto make = reinterpret_cast<MakePageServer>(dlsym(module, page_server_symbol));
    std::unique_ptr<PageServer> server(make ? make(behind) : nullptr);
    if (!server)
      throw Error("no port of 127.0.0.1 could be had", "explore", "write the page with -o FILE.html",
                  ErrorKind::machine);
    return server;
  }
  throw Error("this renth has no server beside it (" RENTH_SERVER ")", "explore",
              "write the page with -o FILE.html, or build with libcpp-httplib-dev installed",
              ErrorKind::machine);
}

}  // namespace renth
