#include <renth/base/error.hpp>
#include <renth/table/module.hpp>
#include <renth/table/zip_archive.hpp>

namespace renth {

std::string zip_archive(const std::vector<ZipEntry>& entries) {
  const auto write = *static_cast<const ZipWriter*>(
      module_symbol("renth-zip.so", zip_symbol, "export another form, such as c"));
  std::string out;
  const std::string trouble = write(entries, out);
  if (!trouble.empty()) throw Error("the archive cannot be made: " + trouble, "", "", ErrorKind::machine);
  return out;
}

}  // namespace renth
