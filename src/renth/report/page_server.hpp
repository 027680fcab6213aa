// How a page is served to this machine: the calls behind an interface, the server in a module that is loaded
// only when a page is to be served (it brings libraries that would double the start of every other command).
#pragma once
#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>

namespace renth {

struct PageAnswer {
  int status = 200;
  std::string type = "application/json", body;
};

/// What a server needs of a page. Everything may be called from any thread.
struct PageBehind {
  std::string token;  ///< the first part of every path; who does not know it is refused
  std::function<PageAnswer(const std::string& method, const std::string& call, const std::string& body)>
      answer;
  /// The event after number `after`, which becomes its number; waits a second at most, then nothing.
  std::function<std::optional<std::string>(std::uint64_t& after)> event;
};

/// A server on 127.0.0.1 at a port of the system's choice.
class PageServer {
 public:
  virtual ~PageServer() = default;
  virtual int port() const = 0;
  /// Serves until stop() is called from another thread.
  virtual void serve() = 0;
  virtual void stop() = 0;
};

/// What the module exports. \returns  nullptr: no port could be had.
using MakePageServer = PageServer* (*)(const PageBehind&);
inline constexpr const char* page_server_symbol = "renth_make_page_server";

/// Loads the module: from beside the program, or from where it is installed.
/// \throws Error (machine)  it is not there, cannot be loaded, or gets no port.
std::unique_ptr<PageServer> load_page_server(const PageBehind& behind);

}  // namespace renth
