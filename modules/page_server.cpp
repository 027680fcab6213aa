// The page's server, a module that the tool loads when a page is to be served: 127.0.0.1 alone, and nobody
// who does not know the token, comes under another name (a site that had its own name point here) or from
// another page.
#include <httplib.h>

#include <memory>
#include <renth/report/page_server.hpp>

namespace {

constexpr std::size_t largest_body = 1 << 20;
constexpr int most_at_once = 48;  // each open page keeps one for its events

/// Are two texts alike? Takes as long wherever they differ.
bool alike(const std::string& a, const std::string& b) {
  if (a.size() != b.size()) return false;
  unsigned char differs = 0;
  for (std::size_t i = 0; i < a.size(); ++i) differs |= static_cast<unsigned char>(a[i] ^ b[i]);
  return differs == 0;
}

class Server final : public renth::PageServer {
 public:
  explicit Server(renth::PageBehind behind) : behind_(std::move(behind)) {
    server_.new_task_queue = [] { return new httplib::ThreadPool(most_at_once); };
    server_.set_payload_max_length(largest_body);
    server_.set_keep_alive_max_count(
        1);  // of a refused request the rest is not read, and must not count as another
    server_.set_default_headers({{"Cache-Control", "no-store"},
                                 {"X-Content-Type-Options", "nosniff"},
                                 {"X-Frame-Options", "DENY"},
                                 {"Referrer-Policy", "no-referrer"},
                                 {"Cross-Origin-Resource-Policy", "same-origin"},
                                 {"Cross-Origin-Opener-Policy", "same-origin"}});
    server_.set_pre_routing_handler([this](const httplib::Request& asked, httplib::Response& out) {
      const int status = refused(asked);
      if (status == 0) return httplib::Server::HandlerResponse::Unhandled;
      out.status = status;
      out.set_content("refused\n", "text/plain");
      return httplib::Server::HandlerResponse::Handled;
    });
    server_.Get(".*", [this](const httplib::Request& asked, httplib::Response& out) { get(asked, out); });
    server_.Post(".*", [this](const httplib::Request& asked, httplib::Response& out) {
      put(out, behind_.answer("POST", call_of(asked), asked.body));
    });
    port_ = server_.bind_to_any_port("127.0.0.1");
  }
  int port() const override { return port_; }
  void serve() override { server_.listen_after_bind(); }
  void stop() override {
    ends_ = true;
    server_.stop();
  }

 private:
  std::string prefix() const { return "/" + behind_.token + "/"; }
  std::string call_of(const httplib::Request& asked) const { return asked.path.substr(prefix().size()); }

  /// 0: what is asked may be answered.
  int refused(const httplib::Request& asked) const {
    const std::string host = asked.get_header_value("Host"), port = ":" + std::to_string(port_);
    if (asked.get_header_value_count("Host") != 1 ||
        (host != "127.0.0.1" + port && host != "localhost" + port))
      return 403;
    const bool has_origin = asked.has_header("Origin");
    if (has_origin && asked.get_header_value("Origin") != "http://" + host) return 403;
    if (asked.has_header("Sec-Fetch-Site")) {
      const std::string from = asked.get_header_value("Sec-Fetch-Site");
      if (from != "same-origin" && from != "none") return 403;
    }
    if (!alike(asked.path.substr(0, prefix().size()), prefix())) return 403;
    if (asked.method == "GET") return 0;
    if (asked.method != "POST") return 405;
    if (!has_origin) return 403;
    if (asked.get_header_value("Content-Type") != "application/json") return 415;
    if (!asked.has_header("Content-Length")) return 411;
    return asked.get_header_value<std::uint64_t>("Content-Length") > largest_body ? 413 : 0;
  }

  void put(httplib::Response& out, const renth::PageAnswer& answer) const {
    out.status = answer.status;
    out.set_content(answer.body, answer.type.c_str());
  }

  void get(const httplib::Request& asked, httplib::Response& out) {
    if (call_of(asked) != "events") return put(out, behind_.answer("GET", call_of(asked), ""));
    const auto after = std::make_shared<std::uint64_t>(0);
    out.set_chunked_content_provider("text/event-stream",
                                     [this, after](std::size_t, httplib::DataSink& sink) {
                                       if (ends_) {
                                         sink.done();
                                         return true;
                                       }
                                       const std::optional<std::string> event = behind_.event(*after);
                                       // A comment now and then: so it is seen when nobody listens any more.
                                       const std::string text = event ? "data: " + *event + "\n\n" : ":\n\n";
                                       return sink.write(text.data(), text.size());
                                     });
  }

  renth::PageBehind behind_;
  httplib::Server server_;
  int port_ = -1;
  std::atomic<bool> ends_ = false;
};

}  // namespace

extern "C" renth::PageServer* renth_make_page_server(const renth::PageBehind& behind) {
  auto server = std::make_unique<Server>(behind);
  return server->port() > 0 ? server.release() : nullptr;
}
