#include <fstream>
#include <iterator>
#include <renth/base/error.hpp>
#include <renth/report/page_template.hpp>
#include <renth/table/module.hpp>

namespace renth {

std::string page_template() {
  if (!has_module(page_template_file))
    throw Error("this renth was built without the page", "explore",
                "build it with emscripten and npm installed (scripts/install-packages.sh)",
                ErrorKind::machine);
  const std::string name = module_file(page_template_file, "build it");
  std::ifstream file(name, std::ios::binary);
  std::string html{std::istreambuf_iterator<char>(file), {}};
  if (!file || html.empty())
    throw Error("the page's file cannot be read", name, "install renth anew", ErrorKind::machine);
  return html;
}

}  // namespace renth
