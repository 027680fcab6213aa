#include <renth/base/error.hpp>
#include <renth/report/page_server.hpp>
#include <renth/table/module.hpp>

namespace renth {

std::unique_ptr<PageServer> load_page_server(const PageBehind& behind) {
  const auto make = reinterpret_cast<MakePageServer>(
      module_symbol("renth-server.so", page_server_symbol, "write the page with -o FILE.html"));
  std::unique_ptr<PageServer> server(make(behind));
  if (!server)
    throw Error("no port of 127.0.0.1 could be had", "explore", "write the page with -o FILE.html",
                ErrorKind::machine);
  return server;
}

}  // namespace renth
